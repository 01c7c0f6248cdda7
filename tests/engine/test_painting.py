"""What is painted by blocks is what the network says at each place, however wild the places are."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from durvan.engine import canvas
from durvan.engine.kernels.blocks import BLOCK
from durvan.graph import expression as ex

pytestmark = pytest.mark.usefixtures("kernels")
PLACE = ex.join(ex.point("x"), ex.point("y"), ex.point("z"))
NUMBERS = st.one_of(st.floats(-50.0, 50.0), st.sampled_from([0.0, -0.0, 1e8, -3e9, 1e30, float("inf"), float("nan")]))
TWOS = {
    "add": lambda one, two: one + two, "subtract": lambda one, two: one - two, "multiply": lambda one, two: one * two,
    "divide": lambda one, two: one / two, "least": ex.least, "most": ex.most, "below": ex.below,
}  # fmt: skip
ONES = ("floor", "root", "exp", "log", "absolute")


@st.composite
def fields(draw: st.DrawFn) -> ex.Field:
    """A field of a few steps over places, UVs and numbers."""
    made = [PLACE, ex.join(ex.point("u"), ex.point("v"), 0.5), ex.join(0.2, 3.0, -1.5)]
    for _ in range(draw(st.integers(1, 6))):
        one, two = draw(st.sampled_from(made)), draw(st.sampled_from(made))
        how = draw(st.sampled_from(["noise", *TWOS, *ONES]))
        if how == "noise":
            made.append(ex.colour(ex.noise(one, draw(st.integers(1, 4)), draw(st.floats(0.5, 3.0)))))
        else:
            made.append(TWOS[how](one, two) if how in TWOS else ex.each(how, one))
    return made[-1]


def meant(what: ex.Field, places: np.ndarray, size: int) -> np.ndarray:
    v, u = np.mgrid[0:size, 0:size]
    points = {name: np.zeros(size * size) for name in ex.POINT}
    points |= {"u": ((u + 0.5) / size).reshape(-1), "v": (1.0 - (v + 0.5) / size).reshape(-1)}
    points |= {name: places[..., k].reshape(-1) for k, name in enumerate("xyz")}
    with np.errstate(all="ignore"):
        return ex.evaluate([what], points, lambda _: None)[0].reshape(size, size, 3)


@settings(max_examples=60, deadline=None)
@example(what=ex.colour(ex.noise(PLACE, 2, 1.5)), far=[0.0, 0.0, 0.0, 0.0, 0.0, -3e9, float("nan")], seed=0)
@given(what=fields(), far=st.lists(NUMBERS, min_size=3, max_size=9), seed=st.integers(0, 99))
def test_blocks_give_what_single_places_give(what: ex.Field, far: list[float], seed: int) -> None:
    size = 16
    places = np.random.default_rng(seed).uniform(-4.0, 4.0, (size, size, 3))
    places.reshape(-1)[: len(far)] = far
    wanted, found = meant(what, places, size), canvas.paint(what, size, lambda _: None, places=places)
    sound = np.isfinite(wanted) & (np.abs(wanted) < 1e4)
    assert np.isfinite(found).all()
    assert found[sound] == pytest.approx(wanted[sound], rel=1e-4, abs=1e-4)


@pytest.mark.parametrize("size", [1, BLOCK - 1, BLOCK, BLOCK + 3])
def test_pictures_of_any_size_are_painted_to_their_edges(size: int) -> None:
    what = ex.join(ex.point("u"), ex.point("v"), ex.point("u") * ex.point("v"))
    found = canvas.paint(what, size, lambda _: None)
    assert found == pytest.approx(meant(what, np.zeros((size, size, 3)), size), abs=1e-6)


def test_an_edge_goes_on_past_the_square() -> None:
    what = ex.join(ex.point("u"), ex.point("v"), 0.0)
    plain, wide = canvas.paint(what, 8, lambda _: None, (2, 1)), canvas.paint(what, 8, lambda _: None, (2, 1), None, 1)
    assert wide[1:-1, 1:-1] == pytest.approx(plain, abs=1e-6)
    assert wide[4, 0, 0] == pytest.approx(2.0 - 0.5 / 8) and wide[0, 4, 1] == pytest.approx(2.0 + 0.5 / 8)


def test_where_there_is_no_mesh_what_stands_in_for_its_corners_is_painted() -> None:
    tint = ex.more("COLOR_0", 3, (1.0, 0.5, 0.25))
    found = canvas.paint(tint * ex.point("u"), 8, lambda _: None)
    assert found[4, 4] == pytest.approx(np.array([1.0, 0.5, 0.25]) * 0.5625, abs=1e-6)
    other = canvas.paint(ex.join(ex.more("st1", 2, uv=True), 0.0), 8, lambda _: None)
    assert other[0, 2] == pytest.approx([0.3125, 0.9375, 0.0], abs=1e-6)
