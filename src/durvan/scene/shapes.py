"""Shapes as a renderer takes them: meshes in metres, what they are made of, where lights and cameras stand."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
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
    [t, 3, parts]. `strands` are tubes about curves.
    """

    path: str
    points: Floats
    triangles: Triangles
    normals: Floats | None
    uvs: Floats | None
    material: Triangles
    unseen: bool = False
    more: dict[str, Floats] = field(default_factory=dict)
    strands: bool = False


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


def places(points: Floats, digits: int = 7) -> tuple[int, NDArray[np.int64]]:
    """How many places some points [n, 3] stand at, and which each does [n]: the same for those that agree in so many digits."""
    whole = np.round(np.nan_to_num(points) * 10.0**digits).astype(np.int64).view(np.uint64)
    odd = np.array([0x9E3779B97F4A7C15, 0xC2B2AE3D27D4EB4F, 0x165667B19E3779F9], dtype=np.uint64)
    key = (whole * odd).sum(axis=1, dtype=np.uint64)
    found, inverse = np.unique(key ^ (key >> np.uint64(29)), return_inverse=True)
    return len(found), inverse.reshape(-1).astype(np.int64)


def print_of(worn: Sequence[tuple[Mesh, NDArray[np.bool_]]]) -> str:
    """What wears something, in few letters: equal only for the same triangles in the same places with the same UVs."""
    found = hashlib.blake2b(digest_size=12)
    for mesh, mine in worn:
        for part in (mesh.points[mesh.triangles[mine]], mesh.uvs[mine] if mesh.uvs is not None else np.zeros(0)):
            found.update(repr(part.shape).encode())
            found.update(np.ascontiguousarray(part, dtype=np.float64).data)
    return found.hexdigest()


def charts(
    worn: Sequence[tuple[Mesh, NDArray[np.bool_]]], size: int, tile: tuple[int, int] = (0, 0)
) -> tuple[Floats, NDArray[np.bool_]]:
    """Where in space each pixel of a square of UVs lies [size, size, 3], in metres, the top row first, and which are on any chart.

    `worn` are meshes and which of their triangles count.
    """
    place, mask = np.zeros((size, size, 3)), np.zeros((size, size), dtype=np.bool_)
    for mesh, mine in worn:
        if mesh.uvs is None:
            continue
        corners, uv = mesh.points[mesh.triangles[mine]], (mesh.uvs[mine] - np.array(tile)) * size
        good = (
            np.isfinite(uv).all(axis=(1, 2)) & (uv.max(axis=1) > 0.0).all(axis=1) & (uv.min(axis=1) < size).all(axis=1)
        )
        for some in _in_turn(uv[good], size):
            _put_chart(corners[good][some], uv[good][some], place, mask)
    return place, mask


def _in_turn(uv: Floats, size: int, most: int = 4_000_000) -> Iterator[NDArray[np.int64]]:
    """Triangles in lots, so that the pixels of the boxes about them are not too many at once."""
    wide = np.clip(uv.max(axis=1), 0, size) - np.clip(uv.min(axis=1), 0, size) + 2.0
    ends = np.cumsum(wide[:, 0] * wide[:, 1])
    lots = (ends // most).astype(np.int64)
    for lot in np.unique(lots):
        yield np.nonzero(lots == lot)[0]


def _put_chart(corners: Floats, uv: Floats, place: Floats, mask: NDArray[np.bool_]) -> None:
    """Put triangles into a picture of places: those pixels whose middle they cover, and half a pixel about them."""
    size = len(mask)
    low = np.clip(np.floor(uv.min(axis=1) - 1.0), 0, size - 1).astype(np.int64)
    high = np.clip(np.floor(uv.max(axis=1) + 1.0), 0, size - 1).astype(np.int64)
    wide = high - low + 1
    count = wide[:, 0] * wide[:, 1]
    which = np.repeat(np.arange(len(uv)), count)
    within = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    column, row = low[which, 0] + within % wide[which, 0], low[which, 1] + within // wide[which, 0]
    x, y = column + 0.5, row + 0.5
    a, b, c = uv[which, 0], uv[which, 1], uv[which, 2]
    det = (b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0])
    flat = np.abs(det) < 1e-12
    det = np.where(flat, 1.0, det)
    s = ((x - a[:, 0]) * (c[:, 1] - a[:, 1]) - (y - a[:, 1]) * (c[:, 0] - a[:, 0])) / det
    t = ((b[:, 0] - a[:, 0]) * (y - a[:, 1]) - (b[:, 1] - a[:, 1]) * (x - a[:, 0])) / det
    edge = 0.5 * np.sqrt(np.abs(1.0 / det)) + 1e-9  # half a pixel, in the triangle's own measure
    inside = (s >= -edge) & (t >= -edge) & (s + t <= 1.0 + edge) & ~flat
    s, t = np.clip(s[inside], 0.0, 1.0), np.clip(t[inside], 0.0, 1.0)
    corner = corners[which[inside]]
    at = corner[:, 0] + s[:, None] * (corner[:, 1] - corner[:, 0]) + t[:, None] * (corner[:, 2] - corner[:, 0])
    place[size - 1 - row[inside], column[inside]] = at
    mask[size - 1 - row[inside], column[inside]] = True
