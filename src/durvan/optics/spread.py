"""Numbers that lie evenly over a square however many are taken: an additive recurrence of the plastic number (Roberts 2018, R2)."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
_ALONG, _ACROSS = 0.7548776662466927, 0.5698402909980532


def spread(count: int) -> tuple[Floats, Floats]:
    """So many places of the unit square, none twice: two arrays [count]."""
    n = np.arange(count, dtype=np.float64)
    return (0.5 + n * _ALONG) % 1.0, (0.5 + n * _ACROSS) % 1.0
