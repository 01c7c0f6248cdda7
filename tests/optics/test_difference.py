"""Colour difference against the published pairs; tone curves."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.optics.difference import ciede2000, cielab
from durvan.optics.tone import bytes_of, developed, srgb

# Sharma, Wu & Dalal 2005, table 1
PAIRS = [
    ((50, 2.6772, -79.7751), (50, 0, -82.7485), 2.0425), ((50, 3.1571, -77.2803), (50, 0, -82.7485), 2.8615),
    ((50, 2.8361, -74.0200), (50, 0, -82.7485), 3.4412), ((50, -1.3802, -84.2814), (50, 0, -82.7485), 1.0000),
    ((50, 2.5, 0), (50, 0, -2.5), 4.3065), ((50, 2.5, 0), (73, 25, -18), 27.1492), ((50, 2.5, 0), (61, -5, 29), 22.8977),
    ((50, 2.5, 0), (56, -27, -3), 31.9030), ((50, 2.5, 0), (58, 24, 15), 19.4535),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
    ((63.0109, -31.0961, -5.8663), (62.8187, -29.7946, -4.0864), 1.2630),
    ((2.0776, 0.0795, -1.1350), (0.9033, -0.0636, -0.5514), 0.9082),
    ((90.8027, -2.0831, 1.4410), (91.1528, -1.6435, 0.0447), 1.4441),
]  # fmt: skip
colours = st.tuples(*[st.floats(0.0, 1.0)] * 3)


@pytest.mark.parametrize(("one", "two", "apart"), PAIRS)
def test_published_pairs(one, two, apart: float) -> None:
    assert ciede2000(one, two) == pytest.approx(apart, abs=5e-5)
    assert ciede2000(two, one) == pytest.approx(apart, abs=5e-5)


@given(colours)
def test_a_colour_is_no_distance_from_itself(colour) -> None:
    lab = cielab(colour)
    assert ciede2000(lab, lab) == 0.0


def test_white_black_and_any_shape() -> None:
    assert cielab((1.0, 1.0, 1.0)) == pytest.approx((100.0, 0.0, 0.0), abs=1e-9)
    assert cielab((0.0, 0.0, 0.0)) == pytest.approx((0.0, 0.0, 0.0), abs=1e-9)
    assert cielab((0.18, 0.18, 0.18))[0] == pytest.approx(49.496, abs=1e-3)
    assert ciede2000(np.zeros((4, 5, 3)), np.ones((4, 5, 3))).shape == (4, 5)


def test_tone() -> None:
    assert srgb([0.0, 0.0031308, 1.0, 7.0, np.nan]) == pytest.approx([0.0, 0.04045, 1.0, 1.0, 0.0], abs=1e-4)
    bent = developed([0.3, 0.9, 5.0, 50.0], "shoulder")
    assert bent[0] == pytest.approx(srgb(0.3)) and (np.diff(bent) >= 0).all() and bent[1] < srgb(0.9)
    assert developed(0.5, "gamma") == pytest.approx(0.5 ** (1 / 2.2))
    assert bytes_of([0.0, 1.0, 2.0]).tolist() == [0, 255, 255]
