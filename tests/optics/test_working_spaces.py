"""The matrices between working spaces, against what their primaries and whites come to."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.optics.colour import ACESCG_TO_REC709, REC709_TO_ACESCG, transformed

REC709 = (((0.64, 0.33), (0.3, 0.6), (0.15, 0.06)), (0.3127, 0.329))
AP1 = (((0.713, 0.293), (0.165, 0.83), (0.128, 0.044)), (0.32168, 0.33767))
BRADFORD = np.array([[0.8951, 0.2664, -0.1614], [-0.7502, 1.7135, 0.0367], [0.0389, -0.0685, 1.0296]])


def xyz(x: float, y: float) -> np.ndarray:
    return np.array([x / y, 1.0, (1.0 - x - y) / y])


def to_xyz(space) -> np.ndarray:
    primaries, white = space
    columns = np.array([xyz(*one) for one in primaries]).T
    return columns * np.linalg.solve(columns, xyz(*white))


def test_matrices_are_what_primaries_and_whites_come_to() -> None:
    gains = np.diag((BRADFORD @ xyz(*AP1[1])) / (BRADFORD @ xyz(*REC709[1])))
    adapted = np.linalg.inv(BRADFORD) @ gains @ BRADFORD
    meant = np.linalg.inv(to_xyz(AP1)) @ adapted @ to_xyz(REC709)
    assert np.array(REC709_TO_ACESCG) == pytest.approx(meant, abs=1e-12)
    assert np.array(ACESCG_TO_REC709) == pytest.approx(np.linalg.inv(meant), abs=1e-12)


@given(st.tuples(*[st.floats(0.0, 1.0)] * 3))
def test_there_and_back_is_the_same_colour(colour) -> None:
    there = transformed(colour, REC709_TO_ACESCG)
    assert all(0.0 <= part <= 1.0 for part in there)
    assert transformed(there, ACESCG_TO_REC709) == pytest.approx(colour, abs=1e-12)


def test_greys_stay_just_as_they_are() -> None:
    assert transformed((0.18, 0.18, 0.18), REC709_TO_ACESCG) == (0.18, 0.18, 0.18)
