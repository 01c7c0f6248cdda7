"""What of a difference is whose, on pictures of which it is known."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from functools import partial

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.proof.causes.analysis import Analysis, analyse
from durvan.proof.causes.saying import lines
from durvan.proof.picture import Ids, Picture
from proof.made import Made, picture, without

GREY = (1.0, 1.0, 1.0)


def grey(stops: float) -> tuple[float, float, float]:
    """A factor on all channels."""
    return (2.0**stops,) * 3


CASES = {
    "exposure": (Made(gain=grey(0.5)), {"exposure": ""}),
    "little exposure": (Made(gain=grey(-0.12)), {"exposure": ""}),
    "white": (Made(gain=(1.2, 1.0, 0.8)), {"white balance": ""}),
    "response": (Made(exponent=1.25), {"response": ""}),
    "a light": (Made(lights={"lamp": grey(-0.8)}), {"light": "lamp"}),
    "a light's colour": (Made(lights={"sky": (1.25, 1.0, 0.75)}), {"light": "sky"}),
    "no light": (Made(lights={"window": (0.0, 0.0, 0.0)}), {"light": "window"}),
    "a material": (Made(materials={"cloth": (0.5, 0.7, 1.2)}), {"material": "cloth"}),
    "a small material": (Made(materials={"sign": (1.0, 2.5, 2.5)}), {"material": "sign"}),
    "a black material": (Made(materials={"table": (0.001, 0.001, 0.001)}), {"material": "table"}),
    "a missing picture": (Made(plain=("wall",)), {"material": "wall"}),
    "a shift": (Made(shift=(2.3, -1.4)), {"camera": ""}),
    "more noise": (Made(samples=8), {"noise": ""}),
    "exposure and a light": (Made(gain=grey(0.6), lights={"lamp": grey(-1.0)}), {"exposure": "", "light": "lamp"}),
    "white and a material": (
        Made(gain=(1.15, 1.0, 0.85), materials={"floor": (0.6, 0.6, 0.6)}),
        {"white balance": "", "material": "floor"},
    ),
    "a shift and exposure": (Made(shift=(1.7, 0.8), gain=grey(-0.5)), {"camera": "", "exposure": ""}),
    "three": (
        Made(gain=grey(0.4), lights={"window": grey(1.0)}, materials={"cloth": (0.5, 0.9, 0.6)}),
        {"exposure": "", "light": "window", "material": "cloth"},
    ),
}


@pytest.fixture(scope="module")
def source() -> Picture:
    return picture(seed=1)


def named(found: Analysis) -> dict[str, str]:
    """The causes that are named."""
    return {one.kind: one.name for one in found.causes}


@pytest.mark.parametrize("case", list(CASES))
def test_what_is_wrong_is_named_and_nothing_else(source: Picture, case: str) -> None:
    made, wanted = CASES[case]
    found = analyse(source, picture(made, seed=2))
    assert named(found) == wanted, lines(found)
    assert len(found.causes) == len(wanted)
    whole = sum(one.share for one in found.causes if one.kind != "noise") + found.noise + found.unexplained
    assert whole == pytest.approx(1.0, abs=0.02)


def test_the_same_but_for_noise_is_called_so(source: Picture) -> None:
    found = analyse(source, picture(seed=7))
    assert found.causes == () and found.noise > 0.85 and found.unexplained < 0.15
    assert lines(found)[0] == "Nothing is otherwise than by noise."


@pytest.mark.parametrize(
    ("case", "part", "stops"),
    [
        ("exposure", "exposure", (-0.5, -0.5, -0.5)),
        ("a light", "light", (0.8, 0.8, 0.8)),
        ("a material", "material", (1.0, 0.515, -0.263)),
        ("white", "white balance", tuple(-np.log2((1.2, 1.0, 0.8)) + np.log2((1.2, 1.0, 0.8)).mean())),
    ],
)
def test_sizes_are_those_that_it_was_made_with(source: Picture, case: str, part: str, stops: tuple[float, ...]) -> None:
    (cause,) = analyse(source, picture(CASES[case][0], seed=2)).causes
    assert cause.kind == part and cause.stops == pytest.approx(stops, abs=0.05)
    assert cause.share > 0.15


def test_a_response_and_a_shift_are_measured(source: Picture) -> None:
    (bent,) = analyse(source, picture(Made(exponent=1.25), seed=2)).causes
    assert 1.0 / bent.exponent == pytest.approx(1.25, abs=0.03)
    (moved,) = analyse(source, picture(Made(shift=(2.3, -1.4)), seed=2)).causes
    assert moved.stance is not None
    assert (moved.stance.shift.right, moved.stance.shift.down) == pytest.approx((2.3, -1.4), abs=0.1)


@pytest.mark.parametrize(
    "gone", [("lights",), ("variance",), ("lights", "variance"), ("lights", "materials", "variance")]
)
def test_pictures_of_which_little_is_known_are_told_what_they_can_be(source: Picture, gone: tuple[str, ...]) -> None:
    """A picture from anywhere has neither passes nor variance, and may have no ids."""
    other = without(picture(Made(gain=grey(0.5)), seed=2), *gone)
    assert named(analyse(without(source, *gone), other)) == {"exposure": ""}


def test_passes_of_the_target_alone_tell_a_light(source: Picture) -> None:
    other = picture(Made(lights={"lamp": grey(-1.0)}), seed=2)
    (cause,) = analyse(without(source, "lights"), other).causes
    assert (cause.kind, cause.name) == ("light", "lamp") and cause.stops == pytest.approx((1.0, 1.0, 1.0), abs=0.1)


def test_pixels_that_are_no_numbers_count_nowhere(source: Picture) -> None:
    other = picture(Made(gain=grey(0.5)), seed=2)
    other.rgb[10:14, 10:30] = np.nan
    other.rgb[40, 50] = np.inf
    (cause,) = analyse(source, other).causes
    assert cause.kind == "exposure" and cause.stops == pytest.approx((-0.5,) * 3, abs=0.05)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (Made(gain=grey(0.5)), "the target is 0.50 stops brighter"),
        (Made(gain=(1.2, 1.0, 0.8)), "the target is yellower"),
        (Made(lights={"lamp": grey(-0.8)}), "the light lamp is 0.8"),
        (Made(lights={"window": (0.0, 0.0, 0.0)}), "the light window is missing in the target"),
        (Made(materials={"sign": (1.0, 2.5, 2.5)}), "sign is 0.9"),
        (Made(plain=("wall",)), "wall has no detail in the target that it has in the source"),
        (Made(samples=8), "the target is noisier"),
        (Made(shift=(2.3, -1.4)), "the picture is shifted by +2.3 pixels across"),
    ],
)
def test_it_is_said_in_a_sentence(source: Picture, change: Made, said: str) -> None:
    told = lines(analyse(source, picture(change, seed=2)))
    assert told[0].startswith(said), told
    assert told[0].endswith("% of the difference") and told[-1].startswith("unexplained: ")


@pytest.fixture
def swapped() -> Callable[[Analysis], dict[str, float]]:
    return lambda found: {one.kind: float(one.stops.mean()) for one in found.causes if one.stops is not None}


def test_the_other_way_round_it_is_the_opposite(
    source: Picture, swapped: Callable[[Analysis], dict[str, float]]
) -> None:
    other = picture(Made(gain=grey(0.6), lights={"lamp": grey(-1.0)}), seed=2)
    one, two = swapped(analyse(source, other)), swapped(analyse(other, source))
    assert {kind: -stops for kind, stops in two.items()} == pytest.approx(one, abs=0.06)


@st.composite
def odd_pictures(draw: st.DrawFn) -> tuple[Picture, Picture]:
    """Two small pictures of one size, with anything in them."""
    width, height = draw(st.integers(1, 40)), draw(st.integers(1, 40))
    kinds = st.sampled_from(["noise", "black", "flat", "nan", "infinite", "huge", "negative", "tiny"])

    def one(seed: int) -> Picture:
        r = np.random.default_rng(seed)
        rgb = {
            "noise": r.random((height, width, 3)), "black": np.zeros((height, width, 3)), "flat": np.full((height, width, 3), 0.3),
            "nan": np.full((height, width, 3), np.nan), "infinite": np.full((height, width, 3), np.inf),
            "huge": 1e30 * r.random((height, width, 3)), "negative": -r.random((height, width, 3)), "tiny": 1e-30 * r.random((height, width, 3)),
        }[draw(kinds)].astype(np.float32)  # fmt: skip
        lights = (
            {"a": partial(np.asarray, 0.5 * rgb), "b": partial(np.asarray, 0.5 * rgb)} if draw(st.booleans()) else {}
        )
        ids = Ids(r.integers(-1, 2, (height, width)).astype(np.int32), ("x", "y")) if draw(st.booleans()) else None
        variance = np.minimum(np.abs(rgb).mean(axis=2), 1e15) ** 2 if draw(st.booleans()) else None
        return Picture(rgb, lights, ids, None, variance)

    return one(draw(st.integers(0, 99))), one(draw(st.integers(0, 99)))


@given(odd_pictures())
@settings(max_examples=150, deadline=None)
def test_odd_pictures_never_stop_it(pair: tuple[Picture, Picture]) -> None:
    found = analyse(*pair)
    assert all(np.isfinite(one.share) and 0.0 <= one.share <= 1.0 for one in found.causes)
    assert np.isfinite(found.apart) and 0.0 <= found.noise <= 1.0 and 0.0 <= found.unexplained <= 1.0
    assert all(isinstance(line, str) and "nan" not in line for line in lines(found))


def turned(one: Picture) -> Picture:
    """What a camera sees that stands on its head."""
    assert one.materials is not None and one.variance is not None
    lights = {name: partial(np.flipud, read()) for name, read in one.lights.items()}
    ids = Ids(np.flipud(one.materials.numbers), one.materials.names)
    return Picture(np.flipud(one.rgb).copy(), lights, ids, None, np.flipud(one.variance).copy())


def test_a_camera_that_sees_other_things_is_told_by_the_ids(source: Picture) -> None:
    found = analyse(source, turned(picture(seed=2)))
    first = found.causes[0]
    assert first.kind == "view" and first.instead is not None and first.share > 0.5
    assert {first.instead.source, first.instead.target} == {"wall", "floor"} and 0.4 < first.instead.share < 0.9
    assert lines(found)[0].startswith("the target shows ") and "where the source shows" in lines(found)[0]


def test_ids_that_know_the_same_things_by_other_numbers_agree(source: Picture) -> None:
    other = picture(Made(gain=grey(0.5)), seed=2)
    assert other.materials is not None
    order = np.array([3, 0, 4, 1, 2])
    names = tuple(np.array(other.materials.names)[np.argsort(order)])
    again = Ids(order[other.materials.numbers].astype(np.int32), names)
    (cause,) = analyse(source, replace(other, materials=again)).causes
    assert cause.kind == "exposure"
