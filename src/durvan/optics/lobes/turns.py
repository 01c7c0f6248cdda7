"""Sine and cosine of a part of a whole turn, both at once: what sampling asks for most."""

from __future__ import annotations

import math

from durvan.optics.jit import small


@small
def turn(part: float) -> tuple[float, float]:
    """Cosine and sine of `part` times 2π, within 1e-10, for parts from −1 to 2."""
    quarter = math.floor(4.0 * part + 0.5)
    x = (part - 0.25 * quarter) * 6.283185307179586
    x2 = x * x
    s = x * (1.0 + x2 * (-1.0 / 6.0 + x2 * (1.0 / 120.0 + x2 * (-1.0 / 5040.0 + x2 * (1.0 / 362880.0)))))
    c = 1.0 + x2 * (-0.5 + x2 * (1.0 / 24.0 + x2 * (-1.0 / 720.0 + x2 * (1.0 / 40320.0 - x2 * (1.0 / 3628800.0)))))
    which = int(quarter) & 3
    if which == 0:
        return c, s
    if which == 1:
        return -s, c
    if which == 2:
        return -c, -s
    return s, -c
