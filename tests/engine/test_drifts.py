"""Drifts by few samples at few places are those of the slow way, and say truly how unsure they are."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

import small
from durvan.dialects.look import Lobe, Record, Surface, record
from durvan.engine import drift, swatches
from durvan.engine.estimate import Distance, Lattice, carried_on, distance
from durvan.graph import expression as ex
from durvan.optics.difference import ciede2000, cielab
from durvan.optics.lobes import layout as L
from made_up import maps
from slow_way import slow_way


def square(side: int = 24) -> Lattice:
    rows, columns = np.nonzero(np.ones((side, side), bool))
    return Lattice(rows, columns)


def pictures(rng: np.random.Generator, apart: float, noise: float, lattice: Lattice) -> tuple[np.ndarray, np.ndarray]:
    """Two even greys some luminance apart, in four parts; their noise is of brightness, as that of paths mostly is, and
    half of it is the same in both.
    """
    shape = (4, 3, len(lattice.rows), 1)
    shared = rng.normal(0.0, noise, shape)
    one, two = (0.3 + shared + rng.normal(0.0, noise, shape) + np.zeros(3) for _ in range(2))
    return one, two + apart


def plainly(one: np.ndarray, two: np.ndarray) -> float:
    """The mean of the distances as they are seen."""
    return float(ciede2000(cielab(one.mean(axis=0)), cielab(two.mean(axis=0))).mean())


def test_noise_is_no_distance() -> None:
    """Of two looks that are the same but for noise."""
    rng, lattice = np.random.default_rng(3), square()
    one, two = pictures(rng, 0.0, 0.08, lattice)
    found = distance(one, two, lattice)
    assert plainly(one, two) > 2.0
    assert found.mean < 0.4 * plainly(one, two) and found.mean <= 2.5 * found.noise


@pytest.mark.parametrize("apart", [0.01, 0.05, 0.2])
@pytest.mark.parametrize("noise", [0.0, 0.02, 0.08])
def test_what_is_there_is_found(apart: float, noise: float) -> None:
    """Within twice what is stated, and nearer than the plain mean, which noise makes longer."""
    rng, lattice = np.random.default_rng(5), square()
    true = distance(*pictures(rng, apart, 0.0, lattice), lattice).mean
    for _ in range(4):
        one, two = pictures(rng, apart, noise, lattice)
        found = distance(one, two, lattice)
        assert abs(found.mean - true) <= 2.0 * found.noise + 1e-6
        assert abs(found.mean - true) <= max(abs(plainly(one, two) - true), 0.05 * true)


def test_a_texture_that_stands_out_of_the_noise_stays() -> None:
    """A chessboard of two differences is not smoothed into their mean."""
    rng, lattice = np.random.default_rng(7), square()
    board = np.where((lattice.rows + lattice.columns) % 2 == 0, 0.1, -0.1)[None, :, None]
    one = np.full((4, 3, len(lattice.rows), 3), 0.3)
    true = distance(one, one + board, lattice).mean
    found = distance(one + rng.normal(0.0, 0.02, one.shape), one + board + rng.normal(0.0, 0.02, one.shape), lattice)
    assert true > 3.0 and found.mean == pytest.approx(true, rel=0.08)


def test_some_of_all_places_are_less_sure_where_neighbours_differ() -> None:
    full = square()
    half = Lattice(full.rows, full.columns, share=0.25)
    even = np.full((4, 3, len(full.rows), 3), 0.3)
    uneven = even + np.where((full.rows * 7 + full.columns * 3) % 5 == 0, 0.2, 0.02)[None, :, None]
    assert distance(even, uneven, full).of_places == 0.0
    assert distance(even, uneven, half).of_places > 3.0 * distance(even, even + 0.05, half).of_places > 0.0


def test_what_more_places_say_counts_by_as_much_as_it_is_more_than_noise() -> None:
    by = np.array([1.0, 2.0, 3.0])
    few, near, later = Distance(by, 4.0, 0.0, 0.3), Distance(by + 0.5, 5.0, 0.0, 0.0), Distance(by - 0.2, 3.5, 0.1, 0.3)
    assert carried_on(near, few, later).by_lighting == pytest.approx(by + 0.3)
    assert carried_on(near, few, later).of_places == pytest.approx(0.0, abs=1e-6)
    noisy = Distance(by + 0.5, 5.0, 9.0, 0.0)
    assert carried_on(noisy, few, later).by_lighting == pytest.approx(by - 0.2, abs=0.01)
    assert carried_on(noisy, few, later).of_places == pytest.approx(0.3, rel=0.01)


def glass(alpha: float, share: float = 1.0) -> Record:
    clear = Lobe(L.REFRACT, share, alpha, fresnel=L.DIELECTRIC, first=1.5)
    return record(Surface([Lobe(L.REFLECT, share, alpha, fresnel=L.DIELECTRIC, first=1.5), clear]))


def painted(file: str, gain: float) -> Record:
    return record(Surface([Lobe(L.DIFFUSE, gain * ex.picture(ex.Lookup(file), ex.uv() * 3.0))]))


def cut(share: float) -> Record:
    return record(Surface([Lobe(L.DIFFUSE, (0.5, 0.3, 0.1))], opacity=share))


@pytest.mark.slow
def test_drifts_are_those_of_the_slow_way(tmp_path: Path) -> None:
    """Metals, paint, glass, cut-outs and maps: within twice the stated noise, and within it in most."""
    file = maps(tmp_path)["colour"][0]
    pairs = [
        (small.matt(0.4, 0.3, 0.2), small.matt(0.42, 0.3, 0.2)),
        (record(Surface([Lobe(L.REFLECT, (0.9, 0.7, 0.3), 0.02)])), record(Surface([Lobe(L.REFLECT, (0.9, 0.7, 0.3), 0.04)]))),
        (record(Surface([Lobe(L.REFLECT, 0.8, 0.3)])), small.matt(0.5)),
        (glass(0.05), glass(0.12)),
        (cut(0.5), cut(0.6)),
        (painted(file, 1.0), painted(file, 0.8)),
        (painted(file, 1.0), small.matt(0.4)),
    ]  # fmt: skip
    apart = []
    for one, two in pairs:
        found = drift.between(one, two, drift.Makers(None))
        slow = slow_way(swatches.Maker(one), swatches.Maker(two), 64)
        apart.append(abs(found.mean - slow.mean) / float(np.hypot(found.noise, slow.noise)))
        assert found.settled
    assert max(apart) <= 2.0, apart
    assert sum(1 for one in apart if one <= 1.0) >= len(apart) / 2, apart


def test_more_places_are_looked_at_only_where_they_are_wanted(tmp_path: Path) -> None:
    file = maps(tmp_path)["colour"][0]
    plain, other = swatches.Maker(small.matt(0.4)), swatches.Maker(small.matt(0.5))
    assert drift.measure(plain, other) and plain.counts[1] == 0
    maker, still = swatches.Maker(painted(file, 1.0)), swatches.Maker(small.matt(0.4))
    assert drift.measure(maker, still)
    assert maker.counts[1] == still.counts[1] > 0 == maker.counts[3]
