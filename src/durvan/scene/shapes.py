"""Shapes as a renderer takes them: meshes in metres, what they are made of, where lights and cameras stand."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
Triangles = NDArray[np.int32]


@dataclass
class Mesh:
    """One mesh in metres, in world space: points [n, 3], triangles [t, 3] of points, and what stands at their corners.

    `normals` and `uvs` are [t, 3, 3] and [t, 3, 2], or None; `material` [t] are places in `Shapes.materials`. `unseen` is
    hidden from cameras, and from nothing else. `more` is what else stands at its corners, by name: other sets of UVs, colours
    [t, 3, parts].
    """

    path: str
    points: Floats
    triangles: Triangles
    normals: Floats | None
    uvs: Floats | None
    material: Triangles
    unseen: bool = False
    more: dict[str, Floats] = field(default_factory=dict)


@dataclass
class Shapes:
    """All meshes of a stage; `places` are the world matrices (row vectors, metres) of lights, cameras and scopes."""

    meshes: list[Mesh] = field(default_factory=list)
    materials: list[str] = field(default_factory=lambda: [""])
    places: dict[str, Floats] = field(default_factory=dict)
    up_axis: str = "Y"
    notes: list[str] = field(default_factory=list)

    @property
    def triangles(self) -> int:
        """How many triangles there are."""
        return sum(len(mesh.triangles) for mesh in self.meshes)
