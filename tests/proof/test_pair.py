"""A pair's maps, spots and regions, and the target without a cause."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from made import HEIGHT, MATERIALS, WIDTH, Made, picture, regions

from durvan.proof.causes.analysis import CAMERA, NOISE, VIEW, Cause, analyse
from durvan.proof.causes.model import EXPOSURE, MATERIAL, RESPONSE, WHITE
from durvan.proof.looking import ways
from durvan.proof.looking.lens import Levels
from durvan.proof.looking.pair import LUMINANCE, Look, Pair
from durvan.proof.mending import predicted
from durvan.proof.picture import Ids, Picture
from durvan.proof.standing import Stance

SIZE = (48, 32)


def sides(factor: float = 1.0, variance: float | None = None) -> tuple[Picture, Picture]:
    rgb = np.random.default_rng(5).uniform(0.1, 0.9, (SIZE[1], SIZE[0], 3)).astype(np.float32)
    where = np.zeros((SIZE[1], SIZE[0]), np.int32)
    where[:, 24:] = 1
    ids = Ids(where, ("/Oak", "/Brass"))
    noise = np.full(where.shape, variance, np.float32) if variance is not None else None
    return Picture(rgb, {}, ids, ids, noise), Picture(rgb * np.float32(factor), {}, ids, ids, noise)


BETWEEN = [way.name for way in ways.WAYS if way.between and way.name != ways.CAUSE]


@pytest.mark.parametrize("way", BETWEEN)
def test_equal_pictures_are_apart_by_nothing(way) -> None:
    pair = Pair(*sides())
    assert np.abs(pair.measured(way, Look())).max() < 2e-3


@pytest.mark.parametrize("way", BETWEEN)
def test_an_exposure_that_makes_up_for_it_leaves_nothing(way) -> None:
    pair = Pair(*sides(0.5))
    look = Look(exposures=(0.0, 1.0))
    assert np.abs(pair.measured(way, look)).max() < 2e-2
    apart = np.abs(pair.measured(way, Look())).max()
    assert apart > 0.05 if way != ways.HUE else apart < 2.0


def test_stops_are_of_the_channel_that_is_asked_for() -> None:
    one, two = sides()
    tinted = Picture((two.rgb * np.float32([2.0, 1.0, 0.5])).astype(np.float32))
    pair = Pair(one, tinted)
    for channel, wanted in ((0, 1.0), (1, 0.0), (2, -1.0)):
        assert pair.measured(ways.STOPS, Look(channel=channel)) == pytest.approx(wanted, abs=0.02)
    assert LUMINANCE == 3


def test_maps_are_kept_and_the_former_ones_let_go() -> None:
    pair = Pair(*sides(2.0))
    look, other = Look(), Look(exposures=(1.0, 1.0))
    assert not pair.ready(ways.COLOUR, look)
    first = pair.between(ways.COLOUR, look)
    assert pair.ready(ways.COLOUR, look) and pair.between(ways.COLOUR, look) is first
    pair.between(ways.COLOUR, other)
    assert not pair.ready(ways.COLOUR, look) and pair.ready(ways.COLOUR, other)
    assert isinstance(first, Levels) and first.size == SIZE


def test_what_noise_explains_is_taken_off() -> None:
    noisy = Pair(*sides(1.05, variance=0.01))
    assert np.abs(noisy.measured(ways.STOPS, Look(beyond_noise=True))).max() < 0.01
    clear = Pair(*sides(1.05, variance=1e-9))
    assert clear.measured(ways.STOPS, Look(beyond_noise=True)) == pytest.approx(math.log2(1.05), abs=2e-3)
    assert Pair(*sides(4.0, variance=0.001)).measured(ways.STOPS, Look(beyond_noise=True)).mean() > 1.8


def test_a_spot_says_what_is_there() -> None:
    one, two = sides(2.0)
    pair = Pair(one, two)
    left, right = pair.spot(3, 4, 0), pair.spot(30, 4, 1, exposure=-1.0)
    assert left.material == "/Oak" and right.material == right.thing == "/Brass"
    assert left.rgb == pytest.approx(one.rgb[4, 3], abs=1e-6)
    assert right.code == pair.spot(30, 4, 0).code
    assert pair.spot(3, 4, 1).stops - left.stops == pytest.approx(1.0, abs=1e-5)


def test_a_spot_without_light_or_number_is_told() -> None:
    one, two = sides()
    one.rgb[0, 0] = 0.0
    two.rgb[0, 0] = math.nan
    pair = Pair(one, two)
    assert pair.spot(0, 0, 0).stops == -math.inf and not math.isfinite(pair.spot(0, 0, 1).stops)
    assert pair.wild() == (0, 1)


def test_a_region_is_measured_over_what_is_a_number_on_both_sides() -> None:
    one, two = sides(2.0, variance=1e-4)
    two.rgb[2, 2] = math.inf
    pair = Pair(one, two)
    found = pair.region(0, 0, 10, 10)
    assert found.count == 99 and found.wild == (0, 1)
    assert found.stops == pytest.approx(1.0, abs=0.01)
    assert found.target == pytest.approx(tuple(2.0 * part for part in found.source), rel=1e-4)
    assert found.colour_95 >= found.colour > 1.0 and 0.0 < found.flip < 1.0
    assert found.clipped[1] > found.clipped[0] == 0
    assert found.noise[0] > found.noise[1] > 0.0
    beyond = pair.region(-5, -5, 1000, 1000)
    assert beyond.count == SIZE[0] * SIZE[1] - 1


def test_a_region_without_a_number_counts_none() -> None:
    one, two = sides()
    two.rgb[:] = math.nan
    found = Pair(one, two).region(0, 0, 4, 4)
    assert found.count == 0 and found.wild == (0, 16)


# the target without a cause


def stops(value: float) -> np.ndarray:
    return np.full(3, value)


def test_exposure_white_and_response_are_taken_out_everywhere() -> None:
    one, two = sides(2.0)
    assert predicted(one, two, Cause(EXPOSURE, stops=stops(-1.0))) == pytest.approx(one.rgb, rel=1e-5)
    tint = np.array([0.5, 0.0, -0.5])
    assert predicted(one, two, Cause(WHITE, stops=tint)) == pytest.approx(two.rgb * np.exp2(tint), rel=1e-5)
    bent = Picture((one.rgb**0.8).astype(np.float32))
    found = predicted(one, bent, Cause(RESPONSE, stops=stops(0.0), exponent=0.8))
    assert found == pytest.approx(one.rgb, rel=1e-4)


def test_a_material_is_mended_where_it_is_seen() -> None:
    one, two = sides()
    found = predicted(one, two, Cause(MATERIAL, "/Brass", stops(1.0)))
    assert found is not None
    assert (found[:, :24] == two.rgb[:, :24]).all() and found[:, 24:] == pytest.approx(2.0 * two.rgb[:, 24:])
    assert predicted(one, two, Cause(MATERIAL, "/Glass", stops(1.0))) is None
    assert predicted(one, two, Cause(MATERIAL, "/Glass", stops(1.0), flat="target")) is None
    assert predicted(one, two, Cause(NOISE)) is None


@pytest.mark.parametrize("factor", [1.0, 0.5])
def test_a_material_without_its_detail_gets_the_sources(factor: float) -> None:
    """At the target's own exposure, and nothing else is touched."""
    source = picture(Made(), 1)
    target = picture(Made(plain=("wall",), gain=(factor,) * 3), 2)
    cause = next(one for one in analyse(source, target).causes if one.name == "wall" and one.flat)
    found = predicted(source, target, cause)
    wall = regions() == MATERIALS.index("wall")
    assert found is not None and np.array_equal(found[~wall], target.rgb[~wall])
    assert found[wall] == pytest.approx(factor * source.rgb[wall], rel=0.02)


def test_what_stands_before_the_camera_is_taken_away() -> None:
    source = picture(Made(), 1)
    board = np.zeros((HEIGHT, WIDTH), bool)
    board[40:80, 30:90] = True
    assert source.materials is not None
    numbers = np.where(board, len(MATERIALS), source.materials.numbers).astype(np.int32)
    target = picture(Made(), 2)
    target = replace(
        target,
        rgb=np.where(board[..., None], np.float32(0.02), target.rgb),
        materials=Ids(numbers, (*MATERIALS, "board")),
        lights={},
    )
    cause = next(one for one in analyse(source, target).causes if one.kind == VIEW)
    assert cause.instead is not None and cause.instead.target == "board"
    mask = cause.instead.mask(source.size)
    assert (mask & ~board).sum() == 0 and mask.sum() > 0.85 * board.sum()
    found = predicted(source, target, cause)
    assert found is not None and np.array_equal(found[~mask], target.rgb[~mask])
    assert found[mask] == pytest.approx(source.rgb[mask], rel=0.05)


def test_a_shift_is_taken_back() -> None:
    one, _ = sides()
    two = Picture(np.roll(one.rgb, (2, 3), (0, 1)))
    found = predicted(one, two, Cause(CAMERA, stance=Stance((3.0, 2.0, *[0.0] * 7))))
    assert found is not None and found[2:-4, 2:-4] == pytest.approx(one.rgb[2:-4, 2:-4], abs=1e-5)


@pytest.mark.parametrize("factor", [0.4, 2.5, 0.0])
def test_a_light_is_mended_by_its_pass(factor) -> None:
    source, target = picture(Made(), 1), picture(Made(lights={"lamp": (factor, factor, factor)}), 2)
    cause = next(one for one in analyse(source, target).causes if one.name == "lamp")
    found = predicted(source, target, cause)
    assert found is not None
    noise, before, after = (
        np.abs(Pair(source, Picture(rgb)).measured(ways.STOPS, Look())).mean() for rgb in (picture(Made(), 3).rgb, target.rgb, found)
    )  # fmt: skip
    assert before > 1.8 * noise and after < 1.05 * noise  # only the noise is left
    assert (predicted(source, Picture(target.rgb), cause) is None) == (factor > 0.0)  # one that is gone is the source's
