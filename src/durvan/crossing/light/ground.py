"""The scene from above, to scale: what stands there as fine lines, and where its lights, its camera and its probes are."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Lamp:
    """A light from above: where it stands in plan metres, which way it shines (0, 0: to all sides, or straight up and down), half
    its cone in degrees (180 none), and half its size along its own right hand; `long`: it is a panel or a tube, and no ball or disc.
    """

    path: str
    place: tuple[float, float]
    way: tuple[float, float]
    cone: float
    right: tuple[float, float]
    far: bool = False
    long: bool = False


@dataclass(frozen=True)
class Eye:
    """The camera from above: where it stands, both sides of its frame as directions, how far it clips, what it is focused on."""

    place: tuple[float, float]
    left: tuple[float, float]
    right: tuple[float, float]
    near: float
    focus: float


@dataclass(frozen=True)
class Ground:
    """The plan: a picture of edges [side, side], 0 to 1, over `low` to `high` (metres: to the right, and down the page)."""

    picture: NDArray[np.uint8]
    low: tuple[float, float]
    high: tuple[float, float]
    lamps: tuple[Lamp, ...]
    eye: Eye


def from_above(point: Floats | tuple[float, float, float], up_axis: str) -> tuple[float, float]:
    """A place in the scene as plan metres: to the right, and down the page (north is up)."""
    return (float(point[0]), float(point[2])) if up_axis == "Y" else (float(point[0]), -float(point[1]))
