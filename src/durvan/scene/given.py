"""What a node of a network gives, to be shown small."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, eq=False)
class Given:
    """A picture [side, side, 3] for a display, what kind of thing it shows ("color", "float", "normal", "height" in metres, "place"
    for UVs, "surface"), and the least and largest value over the square of UVs."""

    picture: NDArray[np.uint8]
    what: str
    low: float = 0.0
    high: float = 0.0
