"""How one picture lies on another, to a tenth of a pixel, whatever else they differ in."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.proof.aligning import Shift, moved, shift_between
from durvan.proof.picture import Picture
from proof.made import HEIGHT, WIDTH, Made, picture

SOURCE = picture(seed=1)


@given(st.floats(-6.0, 6.0), st.floats(-6.0, 6.0))
@settings(max_examples=25, deadline=None)
def test_a_shift_is_found_to_a_tenth_of_a_pixel(right: float, down: float) -> None:
    found = shift_between(SOURCE.rgb, picture(Made(shift=(right, down)), seed=2).rgb)
    assert (found.right, found.down) == pytest.approx((right, down), abs=0.1) and found.sure > 0.3


@pytest.mark.parametrize(
    "made",
    [
        Made(gain=(3.0, 3.0, 3.0)), Made(exponent=1.5), Made(lights={"lamp": (0.2, 0.2, 0.2)}),
        Made(materials={"cloth": (3.0, 0.5, 0.5)}), Made(samples=8),
    ],
)  # fmt: skip
def test_what_stands_still_stays(made: Made) -> None:
    assert shift_between(SOURCE.rgb, picture(made, seed=2).rgb).length < 0.1


@pytest.mark.parametrize("shift", [Shift(3.0, -2.0), Shift(-4.0, 0.0), Shift(1.5, 0.25), Shift(500.0, 0.0)])
def test_a_picture_is_moved_with_all_that_is_known_of_it(shift: Shift) -> None:
    there = moved(SOURCE, shift)
    assert there.size == SOURCE.size and there.materials is not None and there.variance is not None
    gone = np.isnan(there.rgb).all(axis=2)
    if shift.right >= WIDTH:
        assert gone.all() and (there.materials.numbers == -1).all()
        return
    assert 0.0 < gone.mean() < 0.1 and np.isnan(there.lights["lamp"]()[gone]).all()
    found = shift_between(SOURCE.rgb, np.nan_to_num(there.rgb))
    assert (found.right, found.down) == pytest.approx((shift.right, shift.down), abs=0.1)


def test_whole_pixels_are_moved_exactly() -> None:
    there = moved(SOURCE, Shift(3.0, -2.0))
    assert np.array_equal(there.rgb[:-2, 3:], SOURCE.rgb[2:, :-3])
    assert there.materials is not None and SOURCE.materials is not None
    assert np.array_equal(there.materials.numbers[:-2, 3:], SOURCE.materials.numbers[2:, :-3])


def test_pictures_without_anything_have_no_shift() -> None:
    nothing = Picture(np.zeros((HEIGHT, WIDTH, 3), np.float32))
    assert shift_between(nothing.rgb, nothing.rgb) == Shift(0.0, 0.0, 0.0)
    assert shift_between(SOURCE.rgb, np.full_like(SOURCE.rgb, np.nan)).sure == 0.0


def test_a_large_picture_is_looked_at_small() -> None:
    r = np.random.default_rng(0)
    coarse = r.random((60, 100, 3)).astype(np.float32)
    large = np.repeat(np.repeat(coarse, 32, axis=0), 32, axis=1)
    found = shift_between(large, np.roll(large, (7, -12), axis=(0, 1)))
    assert (found.right, found.down) == pytest.approx((-12.0, 7.0), abs=0.3)
