"""Shapes of lights: one row each, that whoever reads lights, the renderer and the outside judge go by.

A light lies in its own axes: it shines along −Z, a cylinder lies along X. To add a shape, put a row here, teach the kernels
`bodies.met` and `lights.sample` its kind, and name it in a dialect's looks.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

# What the kernels tell shapes apart by.
POINT, RECT, DISK, SPHERE, CYLINDER, FAR, DOME, GLOW = range(8)
Pair = tuple[float, float]
Triple = tuple[float, float, float]


@dataclass(frozen=True)
class LightShape:
    """A shape of a light. Sizes are pairs of metres: width and height; radius; radius and length.

    `kind` is the kernels'; `prim` the UsdLux prim that has the shape ("" none). `area` of a size is what shines, in
    square metres; `half` are half the sides of its box in its own axes, None where it has no body. `staged` is the size
    after the stage's scale along its axes. `mitsuba` is the shape of that renderer whose unit form, scaled by the half
    box, it is ("" none; a tube is said by its ends).
    """

    name: str
    kind: int
    prim: str
    area: Callable[[Pair], float]
    half: Callable[[Pair], Triple] | None
    staged: Callable[[Pair, Triple], Pair]
    mitsuba: str = ""

    @property
    def has_body(self) -> bool:
        """Whether a ray can meet it."""
        return self.half is not None

    def lux(self, radiance: float, size: Pair, distance2: float) -> float:
        """About how many lux it gives at a distance (squared, metres): radiance in nit, of a point candela."""
        return radiance * (self.area(size) / 2.0 if self.has_body else 1.0) / distance2


def _across(size: Pair, scale: Triple) -> Pair:
    return size[0] * scale[0], size[1] * scale[1]


def _round(size: Pair, scale: Triple) -> Pair:
    return size[0] * sum(scale) / 3.0, size[1] * scale[0]


_ROWS = (
    LightShape("point", POINT, "", lambda size: 0.0, None, _round),
    LightShape(
        "rect", RECT, "RectLight", lambda size: size[0] * size[1], lambda size: (size[0] / 2.0, size[1] / 2.0, 0.0), _across,
        "rectangle",
    ),
    LightShape(
        "disk", DISK, "DiskLight", lambda size: math.pi * size[0] ** 2, lambda size: (size[0], size[0], 0.0), _round, "disk"
    ),
    LightShape(
        "sphere", SPHERE, "SphereLight", lambda size: 4.0 * math.pi * size[0] ** 2, lambda size: (size[0],) * 3, _round,
        "sphere",
    ),
    LightShape(
        "cylinder", CYLINDER, "CylinderLight", lambda size: 2.0 * math.pi * size[0] * size[1],
        lambda size: (size[1] / 2.0, size[0], size[0]), _round,
    ),
)  # fmt: skip
SHAPES: dict[str, LightShape] = {row.name: row for row in _ROWS}
BY_KIND: dict[int, LightShape] = {row.kind: row for row in _ROWS}
BY_PRIM: dict[str, LightShape] = {row.prim: row for row in _ROWS if row.prim}
