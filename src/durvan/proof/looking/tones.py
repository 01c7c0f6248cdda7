"""How values become what a display is sent: tables for views and responses, and the colours of what is measured.

A table is looked up by a value's own bits: an exponent and ten binary places, from 2⁻²⁰ to 2¹⁵, which is finer than any display.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.optics.tone import bytes_of, developed

Floats = NDArray[np.float64]
Bytes = NDArray[np.uint8]
SHIFT = 13  # of a single's 23 binary places, those that are left out
FIRST = (127 - 20) << 10  # the place of the smallest value that has one
PLACES = 35 << 10
GREY = 119  # display value of none, in what is measured


def values() -> Floats:
    """The value that each place of a table stands for [PLACES], 0 the first: the middle of what it holds."""
    bits = (np.arange(PLACES, dtype=np.int64) + FIRST << SHIFT) + (1 << (SHIFT - 1))
    found = bits.astype(np.int32).view(np.float32).astype(np.float64)
    found[0] = 0.0
    return found


def display_table(exposure: float = 0.0, response: str = "") -> Bytes:
    """Picture values as a display is sent them [PLACES], with an exposure in stops, and a response that is burnt in."""
    return bytes_of(developed(values() * 2.0**exposure, response))


@dataclass(frozen=True)
class Scale:
    """How a measured number is shown: from `low` to `high` in a unit, over the colours at even places between [n, 3]."""

    low: float
    high: float
    unit: str
    colours: tuple[tuple[int, int, int], ...]
    steps: int = 0  # bands of one colour, or 0 for even changes

    def table(self, size: int = 1024) -> Bytes:
        """Colours [size, 3] from low to high."""
        at = np.linspace(0.0, 1.0, size)
        if self.steps:
            at = (np.minimum(np.floor(at * self.steps), self.steps - 1) + 0.5) / self.steps
            place = np.minimum((at * len(self.colours)).astype(int), len(self.colours) - 1)
            return np.asarray(np.array(self.colours, dtype=np.uint8)[place])
        stands = np.linspace(0.0, 1.0, len(self.colours))
        rows = np.array(self.colours, dtype=np.float64)
        return np.stack([np.interp(at, stands, rows[:, c]) for c in range(3)], axis=1).round().astype(np.uint8)


_NONE = (GREY, GREY, GREY)
_MORE = ((190, 152, 84), (236, 206, 140), (255, 247, 224))
_LESS = ((12, 20, 70), (34, 58, 122), (76, 92, 124))
UP = (_NONE, *_MORE)
BOTH_WAYS = (*_LESS, _NONE, *_MORE)
TURNED = ((24, 84, 40), (62, 112, 70), (96, 118, 100), _NONE, (150, 118, 150), (186, 140, 190), (228, 196, 236))
# From deep shadow to white by stops: lighter with each, mid grey being neutral
LADDER = (
    (22, 12, 44), (34, 24, 80), (36, 46, 112), (28, 72, 124), (22, 96, 118), (40, 118, 108),
    (128, 128, 128), (150, 152, 84), (190, 170, 72), (226, 190, 110), (255, 232, 190),
)  # fmt: skip
