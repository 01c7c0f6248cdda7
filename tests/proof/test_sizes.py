"""Pictures of other sizes, laid on each other: crops, pixels that are no squares, and what fits nowhere."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.errors import PictureError
from durvan.proof.picture import Picture
from durvan.proof.reading import Opened
from durvan.proof.sizes import of_one_size, place_in
from proof.made import Made, picture

WHOLE = picture(Made(samples=64), 1)


def part(one: Picture, left: int, top: int, width: int, height: int) -> Picture:
    return Picture(np.ascontiguousarray(one.rgb[top : top + height, left : left + width]))


@settings(max_examples=20, deadline=None)
@given(st.integers(0, 59), st.integers(0, 29), st.integers(70, 100), st.integers(60, 90))
def test_a_crop_is_found_to_the_pixel(left: int, top: int, width: int, height: int) -> None:
    other = picture(Made(samples=64, gain=(1.7, 1.7, 1.7)), 2)  # another noise, another exposure
    assert place_in(part(other, left, top, width, height).rgb, WHOLE.rgb) == (left, top)


@pytest.mark.parametrize("swapped", [False, True])
def test_a_crop_is_compared_with_its_part_of_the_other(swapped: bool) -> None:
    small, large = Opened(part(WHOLE, 30, 20, 90, 80)), Opened(WHOLE)
    first, second = (large, small) if swapped else (small, large)
    one, two = of_one_size(first, second)
    assert one.size == two.size == (90, 80) and one.rgb == pytest.approx(two.rgb)
    whole = one if swapped else two
    assert whole.materials is not None and whole.materials.numbers.shape == (80, 90) and whole.variance is not None
    assert next(iter(whole.lights.values()))().shape == (80, 90, 3)
    assert (
        large.remarks == ["is cropped to the 90 × 80 pixels from 30, 20 on, which the other one shows"]
        and small.remarks == []
    )


def test_a_picture_of_something_else_is_no_crop() -> None:
    strange = Picture(np.random.default_rng(3).random((60, 70, 3)).astype(np.float32))
    with pytest.raises(PictureError, match="neither is a part of the other"):
        of_one_size(Opened(strange), Opened(WHOLE))
    assert place_in(np.zeros((20, 20, 3), np.float32), WHOLE.rgb) is None


@pytest.mark.parametrize("aspect", [0.5, 2.0, 1.333])
def test_pixels_that_are_no_squares_are_made_such(aspect: float) -> None:
    width = round(WHOLE.size[0] / aspect)
    at = np.clip(((np.arange(width) + 0.5) * aspect - 0.5).round().astype(int), 0, WHOLE.size[0] - 1)
    narrow = Opened(Picture(np.ascontiguousarray(WHOLE.rgb[:, at])), pixel_aspect=aspect)
    one, two = of_one_size(narrow, Opened(WHOLE))
    assert one.size == two.size and "times as wide as high; it is stretched" in narrow.remarks[0]
    assert np.abs(one.rgb.mean(axis=(0, 1)) / two.rgb.mean(axis=(0, 1)) - 1.0).max() < 0.01


def test_pixels_of_one_kind_are_left_as_they_are() -> None:
    sides = [Opened(WHOLE, pixel_aspect=2.0) for _ in range(2)]
    one, two = of_one_size(*sides)
    assert one is two is WHOLE and sides[0].remarks == []
