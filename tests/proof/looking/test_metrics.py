"""The measures of what is between two pictures, held against published references and their own references in double precision."""

from __future__ import annotations

import math

import flip_evaluator
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import gaussian_filter

from durvan.optics.difference import ciede2000, cielab
from durvan.optics.tone import srgb
from durvan.proof.bands import over_bands
from durvan.proof.looking import pixels
from durvan.proof.looking.flip import PER_DEGREE, blurs, features, flip

# The pairs of Sharma, Wu & Dalal 2005, table 1
SHARMA = [
    (50.0, 2.6772, -79.7751, 50.0, 0.0, -82.7485, 2.0425), (50.0, 3.1571, -77.2803, 50.0, 0.0, -82.7485, 2.8615),
    (50.0, 2.8361, -74.0200, 50.0, 0.0, -82.7485, 3.4412), (50.0, -1.3802, -84.2814, 50.0, 0.0, -82.7485, 1.0000),
    (50.0, -1.1848, -84.8006, 50.0, 0.0, -82.7485, 1.0000), (50.0, -0.9009, -85.5211, 50.0, 0.0, -82.7485, 1.0000),
    (50.0, 0.0, 0.0, 50.0, -1.0, 2.0, 2.3669), (50.0, -1.0, 2.0, 50.0, 0.0, 0.0, 2.3669),
    (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0009, 7.1792), (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0010, 7.1792),
    (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0011, 7.2195), (50.0, 2.4900, -0.0010, 50.0, -2.4900, 0.0012, 7.2195),
    (50.0, -0.0010, 2.4900, 50.0, 0.0009, -2.4900, 4.8045), (50.0, -0.0010, 2.4900, 50.0, 0.0010, -2.4900, 4.8045),
    (50.0, -0.0010, 2.4900, 50.0, 0.0011, -2.4900, 4.7461), (50.0, 2.5, 0.0, 50.0, 0.0, -2.5, 4.3065),
    (50.0, 2.5, 0.0, 73.0, 25.0, -18.0, 27.1492), (50.0, 2.5, 0.0, 61.0, -5.0, 29.0, 22.8977),
    (50.0, 2.5, 0.0, 56.0, -27.0, -3.0, 31.9030), (50.0, 2.5, 0.0, 58.0, 24.0, 15.0, 19.4535),
    (50.0, 2.5, 0.0, 50.0, 3.1736, 0.5854, 1.0000), (50.0, 2.5, 0.0, 50.0, 3.2972, 0.0, 1.0000),
    (50.0, 2.5, 0.0, 50.0, 1.8634, 0.5757, 1.0000), (50.0, 2.5, 0.0, 50.0, 3.2592, 0.3350, 1.0000),
    (60.2574, -34.0099, 36.2677, 60.4626, -34.1751, 39.4387, 1.2644), (63.0109, -31.0961, -5.8663, 62.8187, -29.7946, -4.0864, 1.2630),
    (61.2901, 3.7196, -5.3901, 61.4292, 2.2480, -4.9620, 1.8731), (35.0831, -44.1164, 3.7933, 35.0232, -40.0716, 1.5901, 1.8645),
    (22.7233, 20.0904, -46.6940, 23.0331, 14.9730, -42.5619, 2.0373), (36.4612, 47.8580, 18.3852, 36.2715, 50.5065, 21.2231, 1.4146),
    (90.8027, -2.0831, 1.4410, 91.1528, -1.6435, 0.0447, 1.4441), (90.9257, -0.5406, -0.9208, 88.6381, -0.8985, -0.7239, 1.5381),
    (6.7747, -0.2908, -2.4247, 5.8714, -0.0985, -2.2286, 0.6377), (2.0776, 0.0795, -1.1350, 0.9033, -0.0636, -0.5514, 0.9082),
]  # fmt: skip


@pytest.mark.parametrize("row", SHARMA)
def test_the_colour_difference_is_that_of_the_published_pairs(row) -> None:
    l1, a1, b1, l2, a2, b2, known = row
    assert pixels.difference(l1, a1, b1, l2, a2, b2) == pytest.approx(known, abs=1e-4)
    assert pixels.difference(l2, a2, b2, l1, a1, b1) == pytest.approx(known, abs=1e-4)


finite = st.floats(-90.0, 90.0, allow_nan=False)


@settings(max_examples=300, deadline=None)
@given(st.floats(0.0, 100.0), finite, finite, st.floats(0.0, 100.0), finite, finite)
def test_the_kernel_is_the_formula(l1, a1, b1, l2, a2, b2) -> None:
    known = float(ciede2000(np.array([l1, a1, b1]), np.array([l2, a2, b2])))
    found = pixels.difference(l1, a1, b1, l2, a2, b2)
    # hues straight opposite have two means, and which of them is taken hangs on the last place
    if abs(math.cos(0.5 * (math.atan2(b1, a1) - math.atan2(b2, a2)))) > 0.02:
        assert found == pytest.approx(known, abs=1e-4 * max(1.0, known))
    assert found >= 0.0


def noise(seed: int, side: int = 80, smooth: float = 1.5) -> np.ndarray:
    r = np.random.default_rng(seed)
    found = gaussian_filter(r.random((side, side + 24, 3)), (smooth, smooth, 0))
    return ((found - found.min()) / (found.max() - found.min())).astype(np.float32)


def test_pictures_are_compared_as_a_display_shows_them() -> None:
    one, two = noise(1), np.clip(noise(1) * np.float32([1.2, 0.9, 1.4]), 0, 3).astype(np.float32)
    out, chroma, hue = (np.empty(one.shape[:2], np.float32) for _ in range(3))
    over_bands(len(out), lambda a, b: pixels.colours(one, two, 0.5, 1.5, a, b, out, chroma, hue))
    known = ciede2000(cielab(np.clip(0.5 * one, 0, 1)), cielab(np.clip(1.5 * two, 0, 1)))
    assert np.abs(out - known).max() < 1e-3


PAIRS = {
    "exposure": lambda a, r: a * 1.3, "shadows": lambda a, r: a * 0.4, "tint": lambda a, r: a * [1.2, 1.0, 0.7],
    "noise": lambda a, r: a + 0.1 * r.standard_normal(a.shape), "shift": lambda a, r: np.roll(a, 2, axis=1),
    "blur": lambda a, r: gaussian_filter(a, (2, 2, 0)), "gamma": lambda a, r: a**1.4, "grey": lambda a, r: np.repeat(a[..., :1], 3, 2),
    "inverse": lambda a, r: 1.0 - a, "same": lambda a, r: a,
}  # fmt: skip


@pytest.mark.parametrize("number, name", list(enumerate(PAIRS)))
def test_flip_is_what_the_reference_says(number, name) -> None:
    one = noise(10 + number, smooth=0.3 + 0.5 * number)
    two = np.clip(PAIRS[name](one, np.random.default_rng(number)), 0.0, 1.0).astype(np.float32)
    shown = [srgb(side).astype(np.float32) for side in (one, two)]
    known, _, _ = flip_evaluator.evaluate(*shown, "LDR", inputsRGB=True, applyMagma=False, computeMeanError=False)
    found = flip(one, two)
    assert np.abs(found - np.squeeze(known)).max() < 1e-3
    assert found.mean() == pytest.approx(np.squeeze(known).mean(), abs=1e-4)
    assert (found.max() < 1e-6) == (name == "same")


def test_flip_at_another_distance_is_the_references_too() -> None:
    one, two = noise(3), noise(4)
    shown = [srgb(side).astype(np.float32) for side in (one, two)]
    known, _, _ = flip_evaluator.evaluate(*shown, "LDR", True, False, False, {"ppd": 32.0})
    assert np.abs(flip(one, two, degree=32.0) - np.squeeze(known)).max() < 1e-3


def test_filters_add_up() -> None:
    rows, shares = blurs(PER_DEGREE)
    assert all(2.0 * row[1:].sum() + row[0] == pytest.approx(1.0, abs=1e-5) for row in rows)
    assert shares.sum() == pytest.approx(1.0)
    gauss, first, second = features(PER_DEGREE)
    assert 2.0 * gauss[1:].sum() + gauss[0] == pytest.approx(1.0, abs=1e-5)
    assert np.abs(first).sum() == pytest.approx(1.0, abs=1e-5)
    assert 2.0 * second[1:].sum() + second[0] == pytest.approx(0.0, abs=1e-5)


@pytest.mark.parametrize("channel, factor", [(0, 2.0), (1, 0.5), (2, 8.0), (3, None)])
def test_stops_are_signed_and_by_channel(channel, factor) -> None:
    one = np.full((4, 5, 3), 0.25, np.float32)
    two = one * np.float32([2.0, 0.5, 8.0])
    out = np.empty((4, 5), np.float32)
    pixels.stops(one, two, 1.0, 1.0, channel, 0.0, 0, 4, out)
    wanted = math.log2(factor) if factor else math.log2(0.2126729 * 2.0 + 0.7151522 * 0.5 + 0.0721750 * 8.0)
    assert out == pytest.approx(wanted, abs=1e-5)
    pixels.stops(two, one, 1.0, 1.0, channel, 0.0, 0, 4, out)
    assert out == pytest.approx(-wanted, abs=1e-5)
    pixels.stops(one, two, 4.0, 1.0, channel, 0.0, 0, 4, out)
    assert out == pytest.approx(wanted - 2.0, abs=1e-5)


def test_chroma_and_hue_say_which_way() -> None:
    grey, red, orange = [0.3, 0.3, 0.3], [0.5, 0.1, 0.1], [0.5, 0.25, 0.08]
    out, chroma, hue = (np.empty((1, 3), np.float32) for _ in range(3))
    one, two = np.array([[grey, red, orange]], np.float32), np.array([[red, orange, red]], np.float32)
    pixels.colours(one, two, 1.0, 1.0, 0, 1, out, chroma, hue)
    assert chroma[0, 0] > 20.0 and hue[0, 0] == 0.0  # a grey has no hue that could be turned
    assert hue[0, 1] > 10.0 and hue[0, 2] == pytest.approx(-hue[0, 1], abs=1e-3)


@pytest.mark.parametrize("bad", [math.nan, math.inf, -math.inf])
def test_what_is_no_number_is_none_in_maps(bad) -> None:
    one = np.full((2, 2, 3), 0.5, np.float32)
    two = one.copy()
    two[0, 1, 2] = bad
    out, other, third = (np.empty((2, 2), np.float32) for _ in range(3))
    for work in (
        lambda: pixels.stops(one, two, 1.0, 1.0, 3, 0.001, 0, 2, out),
        lambda: pixels.colours(one, two, 1.0, 1.0, 0, 2, out, other, third),
    ):
        work()
        assert math.isnan(out[0, 1]) and np.isfinite(out).sum() == 3
    assert np.isfinite(flip(one, two)).all()


def test_halves_are_means_of_what_is_there() -> None:
    values = np.arange(15, dtype=np.float32).reshape(3, 5, 1)
    values[0, 0] = math.nan
    out = np.empty((2, 3, 1), np.float32)
    pixels.halved(values, 0, 2, out)
    assert out[..., 0] == pytest.approx(
        np.array([[(1 + 5 + 6) / 3, (2 + 3 + 7 + 8) / 4, (4 + 9) / 2], [10.5, 12.5, 14.0]])
    )
