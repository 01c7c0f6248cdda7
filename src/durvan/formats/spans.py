"""Cubic curves as lines: some points along each span."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_SPAN = 4  # pieces of a cubic span
_BASES = {
    "bezier": (3, np.array([[-1, 3, -3, 1], [3, -6, 3, 0], [-3, 3, 0, 0], [1, 0, 0, 0]], dtype=np.float64)),
    "bspline": (1, np.array([[-1, 3, -3, 1], [3, -6, 3, 0], [-3, 0, 3, 0], [1, 4, 1, 0]], dtype=np.float64) / 6.0),
    "catmullRom": (1, np.array([[-1, 3, -3, 1], [2, -5, 4, -1], [-1, 0, 1, 0], [0, 2, 0, 0]], dtype=np.float64) / 2.0),
}


def smooth(line: Floats, width: Floats, basis: str) -> tuple[Floats, Floats]:
    """The points of a cubic curve, some for each span."""
    step, matrix = _BASES.get(basis, _BASES["bezier"])
    if len(line) < 4:
        return line, width
    four = np.column_stack([line, width])
    t = np.linspace(0.0, 1.0, _SPAN + 1)
    powers = np.stack([t**3, t**2, t, np.ones_like(t)], axis=1) @ matrix
    spans = [powers @ four[start : start + 4] for start in range(0, len(line) - 3, step)]
    joined = np.concatenate([spans[0], *(span[1:] for span in spans[1:])])
    return joined[:, :3], np.maximum(joined[:, 3], 0.0)
