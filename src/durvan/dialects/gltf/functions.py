"""What glTF's formulas call: the shift of a placement, whose v runs down there and up on the common ground."""

from __future__ import annotations

import math
from collections.abc import Sequence

from durvan.dialects.shared.looks import FIRST_UVS
from durvan.graph.formula import Vec


def _linear(scale: Sequence[float], degrees: float) -> tuple[float, float, float, float]:
    """What a placement of the common ground does to places, but for its shift: divided by a scale, turned clockwise."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return c / scale[0], s / scale[1], -s / scale[0], c / scale[1]


def offset_up(offset: Sequence[float], rotation: float, scale: Sequence[float]) -> Vec:
    """The shift on the common ground of glTF's placement; `rotation` in radians."""
    _, b, _, d = _linear((1.0 / scale[0], 1.0 / scale[1]), -math.degrees(rotation))
    return Vec((b - offset[0], offset[1] - 1.0 + d))


def offset_down(offset: Sequence[float], degrees: float, scale: Sequence[float]) -> Vec:
    """The shift in glTF of a placement on the common ground."""
    _, b, _, d = _linear(scale, degrees)
    return Vec((b - offset[0], 1.0 - d + offset[1]))


FUNCTIONS = {"geomprop_is_first": lambda name: name in FIRST_UVS, "offset_up": offset_up, "offset_down": offset_down}
