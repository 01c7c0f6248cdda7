"""Probes: places where light is measured."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Probe:
    """A place in metres: on a surface with a normal, or (0, 0, 0) from all sides alike, a quarter of the light through a ball.
    `thing` is the object that it lies on, by its path, for lights with lists; "" none.
    """

    name: str
    place: tuple[float, float, float]
    normal: tuple[float, float, float] = (0.0, 1.0, 0.0)
    thing: str = ""
