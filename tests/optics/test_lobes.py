"""The lobes against closed forms, published values, and each other: energy, reciprocity, probability, sampling."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import lobes as made
from durvan.dialects.look import Lobe
from durvan.optics import fresnel as exact
from durvan.optics.lobes import fresnel, layout, many
from durvan.optics.lobes import layout as L
from durvan.optics.lobes.tables import tables

pytestmark = pytest.mark.usefixtures("kernels")

SHAPES = {"ggx": L.GGX, "beckmann": L.BECKMANN, "blinn": L.BLINN}
ONE_LOBE = {
    "lambert": Lobe(L.DIFFUSE, 1.0),
    "oren-nayar": Lobe(L.DIFFUSE, 1.0, 0.8),
    "through": Lobe(L.THROUGH, 1.0),
    "sheen": Lobe(L.SHEEN, 1.0, 0.4),
    **{name: Lobe(L.REFLECT, 1.0, 0.35, facets=shape) for name, shape in SHAPES.items()},
    "turned ggx": Lobe(L.REFLECT, 1.0, 0.5, 0.2, turn=0.7),
    "turned beckmann": Lobe(L.REFLECT, 1.0, 0.5, 0.2, turn=0.7, facets=L.BECKMANN),
    "stretched blinn": Lobe(L.REFLECT, 1.0, 0.5, 0.2, facets=L.BLINN),
    "metal": Lobe(L.REFLECT, 1.0, 0.3, fresnel=L.CONDUCTOR, first=(0.2, 0.9, 1.1), second=(3.9, 2.4, 2.2)),
    "wall": Lobe(L.STRAIGHT, 1.0, 0.3, fresnel=L.WALL, first=1.5),
}


@pytest.mark.parametrize("degrees", [0.0, 40.0, 75.0])
@pytest.mark.parametrize("name", ONE_LOBE)
def test_no_lobe_gives_more_than_it_gets(name: str, degrees: float) -> None:
    assert made.furnace(made.rec(ONE_LOBE[name]), degrees).max() <= 1.01


@pytest.mark.parametrize("degrees", [0.0, 30.0, 60.0, 80.0])
def test_what_conserves_energy_conserves_it(degrees: float) -> None:
    lobes = {
        "lambert": [Lobe(L.DIFFUSE, 1.0)],
        "oren-nayar": [Lobe(L.DIFFUSE, 1.0, 1.0)],
        "given back": [Lobe(L.REFLECT, 1.0, 0.5, full=True)],
        "mirror": [Lobe(L.REFLECT, 1.0)],
        "base under a dielectric": made.plastic(L.SCALED),
        "base under a dielectric, both ways": made.plastic(L.RECIPROCAL),
        "clear wall": [
            Lobe(L.REFLECT, 1.0, fresnel=L.WALL, first=1.5),
            Lobe(L.STRAIGHT, 1.0, fresnel=L.WALL, first=1.5),
        ],
    }
    for name, parts in lobes.items():
        assert made.furnace(made.rec(*parts), degrees) == pytest.approx(1.0, abs=0.01), name


def test_light_through_glass_is_squeezed_and_nothing_is_lost() -> None:
    """Radiance inside is n² times as dense; what is sampled carries 1/n² of that."""
    i, weight, _, chosen = made.sample(made.rec(*made.glass()), made.eye(35.0), 60_000)
    passed = i[:, 2] < 0.0
    index_squared = np.where(passed, 1.5**2, 1.0)[:, None]
    assert (weight * index_squared).mean(axis=0) == pytest.approx(1.0, abs=1e-3)
    sine = np.linalg.norm(i[passed, :2], axis=1)
    assert sine == pytest.approx(np.sin(np.radians(35.0)) / 1.5, abs=1e-9)  # Snell
    assert chosen.min() >= 0


@given(
    a=st.floats(2.0, 80.0), b=st.floats(2.0, 80.0), turn=st.floats(0.0, 360.0), which=st.sampled_from(sorted(ONE_LOBE))
)
@settings(max_examples=60, deadline=None)
def test_lobes_are_reciprocal(a: float, b: float, turn: float, which: str) -> None:
    base = made.rec(ONE_LOBE[which])
    side = -1.0 if which in ("through", "wall") else 1.0
    one, two = made.eye(a), made.eye(b, turn) * np.array([1.0, 1.0, side])
    there, _ = made.evaluate(base, one, two[None])
    if side < 0.0:  # seen from the other side, the surface is upside down
        one, two = one * np.array([1.0, 1.0, -1.0]), two * np.array([1.0, 1.0, -1.0])
    back, _ = made.evaluate(base, two, one[None])
    assert there == pytest.approx(back, rel=1e-6, abs=1e-9)


def test_a_base_that_is_covered_both_ways_is_reciprocal() -> None:
    base = made.rec(*made.plastic(L.RECIPROCAL, 0.3, 0.6))
    one, two = made.eye(20.0), made.eye(70.0, 130.0)
    assert made.evaluate(base, one, two[None])[0] == pytest.approx(made.evaluate(base, two, one[None])[0], rel=1e-9)


def test_rough_refraction_is_reciprocal_but_for_the_squeeze() -> None:
    base = made.rec(Lobe(L.REFRACT, 1.0, 0.4, fresnel=L.DIELECTRIC, first=1.5))
    one, two = made.eye(30.0), made.eye(20.0, 200.0) * np.array([1.0, 1.0, -1.0])
    there, back = made.evaluate(base, one, two[None])[0], made.evaluate(base, two, one[None])[0]
    assert there * 1.5**2 == pytest.approx(back, rel=1e-9)


@pytest.mark.parametrize("degrees", [10.0, 60.0])
@pytest.mark.parametrize("name", ONE_LOBE)
def test_probabilities_add_up_to_one(name: str, degrees: float) -> None:
    i, part = made.sphere()
    _, pdf = made.evaluate(made.rec(ONE_LOBE[name]), made.eye(degrees), i)
    whole = pdf.sum() * part
    lost = (made.sample(made.rec(ONE_LOBE[name]), made.eye(degrees), 40_000)[3] < 0).mean()  # facets seen from below
    assert whole + lost == pytest.approx(1.0, abs=0.015)


@pytest.mark.parametrize("name", ["oren-nayar", "ggx", "turned ggx", "beckmann", "stretched blinn", "wall", "sheen"])
def test_what_is_sampled_is_what_is_evaluated(name: str) -> None:
    """χ² of sampled directions in cells against the probability over them (Pearson; 5 standard deviations)."""
    base, o, count = made.rec(ONE_LOBE[name]), made.eye(40.0), 200_000
    i, _, _, chosen = made.sample(base, o, count)
    i = i[chosen >= 0]
    cells = (12, 16)

    def place(d: np.ndarray) -> np.ndarray:
        row = np.minimum(((1.0 - d[:, 2]) / 2.0 * cells[0]).astype(int), cells[0] - 1)
        column = ((np.arctan2(d[:, 1], d[:, 0]) / (2.0 * np.pi) + 1.0) % 1.0 * cells[1]).astype(int)
        return row * cells[1] + np.minimum(column, cells[1] - 1)

    fine, part = made.sphere(960, 960)
    expected = np.bincount(place(fine), made.evaluate(base, o, fine)[1] * part, cells[0] * cells[1]) * count
    seen = np.bincount(place(i), minlength=cells[0] * cells[1])
    good = expected > 20.0
    statistic = ((seen - expected)[good] ** 2 / expected[good]).sum()
    freedom = good.sum()
    # the cells' own integrals are good to about 0.3 %, which is part of what is seen
    slack = ((0.004 * expected[good]) ** 2 / expected[good]).sum()
    assert statistic < freedom + slack + 5.0 * np.sqrt(2.0 * freedom)


def test_weights_are_value_times_cosine_over_probability() -> None:
    base = made.rec(*made.plastic(L.SCALED, 0.3, 0.7))
    o = made.eye(50.0)
    i, weight, pdf, chosen = made.sample(base, o, 500)
    good = chosen >= 0
    value, again = made.evaluate(base, o, i[good])
    assert again == pytest.approx(pdf[good], rel=1e-9)
    assert value * np.abs(i[good, 2:]) / again[:, None] == pytest.approx(weight[good], rel=1e-9)


def test_reflection_laws_against_the_reference() -> None:
    cosines = np.linspace(0.02, 1.0, 50)
    for index in (1.1, 1.5, 2.4):
        assert [fresnel.dielectric(c, index) for c in cosines] == pytest.approx(exact.dielectric(cosines, index))
    assert fresnel.dielectric(1.0, 1.5) == pytest.approx(0.04)
    assert fresnel.dielectric(0.3, 1.0 / 1.5) == 1.0  # beyond the critical angle, 41.8°
    assert fresnel.conductor(1.0, 0.2, 3.9) == pytest.approx((0.8**2 + 3.9**2) / (1.2**2 + 3.9**2))
    assert [fresnel.conductor(c, 1.5, 0.0) for c in cosines] == pytest.approx(exact.dielectric(cosines, 1.5))
    for n, k in ((0.2, 3.9), (1.1, 2.6), (2.9, 3.1)):
        both = ([one.conductor(float(c), n, k) for c in cosines] for one in (fresnel, exact))
        assert next(both) == pytest.approx(next(both))
    assert [fresnel.edge_tinted(c, 0.5, 1.0) for c in cosines] == pytest.approx(exact.schlick(cosines, 0.5))
    at_82 = fresnel.edge_tinted(1.0 / 7.0, 0.5, 0.6)
    assert at_82 == pytest.approx(0.6 * exact.schlick(1.0 / 7.0, 0.5))


def _airy(cosine: float, thickness: float, index: float, f0: float) -> np.ndarray:
    """The film's colour by summing wavelengths: the exact Airy formula, CIE 1931 by Wyman, Sloan & Shirley 2013."""
    wave = np.arange(380.0, 781.0, 1.0)

    def bell(x: np.ndarray, mean: float, low: float, high: float) -> np.ndarray:
        return np.exp(-0.5 * ((x - mean) * np.where(x < mean, low, high)) ** 2)

    x = (
        1.056 * bell(wave, 599.8, 1 / 37.9, 1 / 31.0)
        + 0.362 * bell(wave, 442.0, 1 / 16.0, 1 / 26.7)
        - 0.065 * bell(wave, 501.1, 1 / 20.4, 1 / 26.2)
    )
    y = 0.821 * bell(wave, 568.8, 1 / 46.9, 1 / 40.5) + 0.286 * bell(wave, 530.9, 1 / 16.3, 1 / 31.1)
    z = 1.217 * bell(wave, 437.0, 1 / 11.8, 1 / 36.0) + 0.681 * bell(wave, 459.0, 1 / 26.0, 1 / 13.8)
    root = np.sqrt(f0)
    body = (1 + root) / (1 - root)
    inside = np.sqrt(1 - (1 - cosine**2) / index**2)
    deep = np.sqrt(1 - (1 - cosine**2) / body**2)
    phase = np.exp(1j * 4.0 * np.pi * index * thickness * inside / wave)
    total = 0.0
    for a, b in (
        (
            (cosine - index * inside) / (cosine + index * inside),
            (index * inside - body * deep) / (index * inside + body * deep),
        ),
        (
            (index * cosine - inside) / (index * cosine + inside),
            (body * inside - index * deep) / (body * inside + index * deep),
        ),
    ):
        total = total + 0.5 * np.abs((a + b * phase) / (1 + a * b * phase)) ** 2
    xyz = np.array([(total * part).sum() / part.sum() for part in (x, y, z)])
    white = np.array(
        [[3.2404542, -1.5371385, -0.4985314], [-0.9692660, 1.8760108, 0.0415560], [0.0556434, -0.2040259, 1.0572252]]
    )
    return (white @ xyz) / (white @ np.ones(3))


@pytest.mark.parametrize("thickness", [150.0, 300.0, 550.0])
@pytest.mark.parametrize("cosine", [1.0, 0.6])
def test_thin_films_against_a_sum_over_wavelengths(thickness: float, cosine: float) -> None:
    found = np.array(fresnel.film(cosine, thickness, 1.4, 0.3, 0.3, 0.3))
    assert found == pytest.approx(_airy(cosine, thickness, 1.4, 0.3), abs=0.06)


def test_a_film_of_no_thickness_is_the_boundary_itself() -> None:
    """Two boundaries with nothing between them reflect as one does."""
    found = np.array(fresnel.film(1.0, 0.001, 1.3, 0.2, 0.2, 0.2))
    assert found == pytest.approx(0.2, abs=0.02)


@pytest.mark.parametrize("shape", SHAPES)
def test_albedo_tables_say_what_is_sampled(shape: str) -> None:
    for law, index in ((L.CONSTANT, 1.0), (L.DIELECTRIC, 1.5), (L.DIELECTRIC, 2.2)):
        base = made.rec(Lobe(L.REFLECT, 1.0, 0.3, facets=SHAPES[shape], fresnel=law, first=index))
        cosines = np.cos(np.radians([5.0, 45.0, 70.0]))
        out = np.zeros((3, 6))
        many.albedos(base, cosines, tables(), out)
        sampled = [made.furnace(base, a)[0] for a in (5.0, 45.0, 70.0)]
        assert out[:, 0] == pytest.approx(sampled, abs=0.012)


def test_what_lies_on_top_takes_from_what_lies_below() -> None:
    bare = made.furnace(made.rec(Lobe(L.DIFFUSE, 0.5)), 20.0)
    top = Lobe(L.SHEEN, 0.8, 0.5, cover=L.SCALED)
    dusty = made.rec(top, Lobe(L.DIFFUSE, 0.5, under=top))
    alone = made.furnace(made.rec(top), 70.0)
    assert made.furnace(dusty, 70.0) == pytest.approx(alone + 0.5 * (1.0 - alone), abs=0.01)
    coat = Lobe(L.REFLECT, 0.0001, 0.1, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED, absorb=(0.5, 1.0, 1.0))
    tinted = made.furnace(made.rec(coat, Lobe(L.DIFFUSE, 0.5, under=coat)), 20.0)
    assert tinted[1] == pytest.approx(bare[1], abs=0.01)
    assert tinted[0] < 0.55 * bare[0]


def test_lobes_of_no_weight_are_left_out_and_let_the_next_one_through() -> None:
    top = Lobe(L.REFLECT, 1.0, 0.2, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED)
    nothing = Lobe(L.SHEEN, 0.0, 0.5, under=top, cover=L.SCALED)
    base = made.rec(top, nothing, Lobe(L.DIFFUSE, 0.7, under=nothing))
    assert base[layout.COUNT] == 2
    assert made.furnace(base, 30.0) == pytest.approx(
        made.furnace(made.rec(*made.plastic(L.SCALED, 0.2, 0.7)), 30.0), abs=5e-3
    )
