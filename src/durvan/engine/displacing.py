"""Surfaces that are moved along their normals: cut into small triangles, moved, and given the normals that follow.

Triangles are cut until no edge is longer than is asked for, or there are as many as there may be.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Record
from durvan.graph.expression import Field, Pixels, evaluate
from durvan.scene.shapes import Mesh, places

Floats = NDArray[np.float64]
EDGE = 1.0 / 160.0  # the longest edge, as a part of the size of its mesh
MOST = 400_000  # triangles of a mesh that is cut
_ROUNDS = 10


def displaced(mesh: Mesh, looks: Sequence[Record], pixels: Pixels, notes: list[str], most: int = MOST) -> Mesh:
    """A mesh moved as its materials say; itself where none of them does. `looks` are by the numbers of `Mesh.material`."""
    numbers = [int(n) for n in np.unique(mesh.material) if looks[n].moved is not None] if len(mesh.material) else []
    if not numbers:
        return mesh
    low, high = mesh.points.min(axis=0), mesh.points.max(axis=0)
    edge = max(float(np.linalg.norm(high - low)) * EDGE, 1e-6)
    cut = _cut(mesh, edge, most, notes)
    place = cut.points[cut.triangles]  # [t, 3, 3]
    normal = cut.normals if cut.normals is not None else _flat(place)
    shift = np.zeros(place.shape[:2])
    for number in numbers:
        here = cut.material == number
        shift[here] = _moves(looks[number], place[here], cut.uvs[here] if cut.uvs is not None else None, pixels)
    # what stands at one place moves as one, by the mean of what its triangles say, so that no gap opens
    key, inverse = places(place.reshape(-1, 3), 9)
    count = np.bincount(inverse, minlength=key)
    shift_at = np.bincount(inverse, weights=shift.ravel(), minlength=key) / count
    normal_at = np.stack(
        [np.bincount(inverse, weights=normal[..., axis].ravel(), minlength=key) for axis in range(3)], axis=1
    )
    normal_at = normal_at / np.maximum(np.linalg.norm(normal_at, axis=1, keepdims=True), 1e-20)
    first = np.zeros(key, dtype=np.int64)
    first[inverse[::-1]] = np.arange(len(inverse))[::-1]
    points = place.reshape(-1, 3)[first] + shift_at[:, None] * normal_at
    triangles = inverse.reshape(-1, 3).astype(np.int32)
    return replace(cut, points=points, triangles=triangles, normals=_smooth(points, triangles, mesh))


def _moves(look: Record, place: Floats, uvs: Floats | None, pixels: Pixels) -> Floats:
    """How far each corner is moved, in metres [t, 3]."""
    assert look.moved is not None
    flat = place.reshape(-1, 3)
    uv = uvs.reshape(-1, 2) if uvs is not None else np.zeros((len(flat), 2))
    points = {"u": uv[:, 0], "v": uv[:, 1], "x": flat[:, 0], "y": flat[:, 1], "z": flat[:, 2]}
    points["facing"] = np.ones(len(flat))
    found = evaluate([Field([look.moved])], points, pixels)[0][:, 0]
    return np.asarray(np.nan_to_num(found, nan=0.0, posinf=0.0, neginf=0.0).reshape(place.shape[:2]))


def _cut(mesh: Mesh, edge: float, most: int, notes: list[str]) -> Mesh:
    """Cut triangles in four until their edges are short enough."""
    for _ in range(_ROUNDS):
        place = mesh.points[mesh.triangles]
        longest = np.linalg.norm(place - np.roll(place, -1, axis=1), axis=2).max(axis=1)
        long = longest > edge
        if not long.any():
            return mesh
        if len(mesh.triangles) * 4 > most:
            notes.append(
                f"{mesh.path}: is displaced on triangles of {longest.max() * 1000:.2g} mm; finer ones would be too many"
            )
            return mesh
        mesh = _in_four(mesh)
    return mesh


def _in_four(mesh: Mesh) -> Mesh:
    """Every triangle in four, and what stands at its corners with it."""

    def four(corners: Floats) -> Floats:
        a, b, c = corners[:, 0], corners[:, 1], corners[:, 2]
        ab, bc, ca = 0.5 * (a + b), 0.5 * (b + c), 0.5 * (c + a)
        parts = [[a, ab, ca], [ab, b, bc], [ca, bc, c], [ab, bc, ca]]
        return np.concatenate([np.stack(part, axis=1) for part in parts])

    place = four(mesh.points[mesh.triangles])
    key, inverse = places(place.reshape(-1, 3), 9)
    points = np.zeros((key, 3))
    points[inverse] = place.reshape(-1, 3)
    normals = None
    if mesh.normals is not None:
        normals = four(mesh.normals)
        normals /= np.maximum(np.linalg.norm(normals, axis=-1, keepdims=True), 1e-20)
    return replace(
        mesh, points=points, triangles=inverse.reshape(-1, 3).astype(np.int32), normals=normals,
        uvs=four(mesh.uvs) if mesh.uvs is not None else None, material=np.tile(mesh.material, 4),
        more={name: four(values) for name, values in mesh.more.items()},
    )  # fmt: skip


def _flat(place: Floats) -> Floats:
    normal = np.cross(place[:, 1] - place[:, 0], place[:, 2] - place[:, 0])
    normal /= np.maximum(np.linalg.norm(normal, axis=1, keepdims=True), 1e-20)
    return np.repeat(normal[:, None, :], 3, axis=1)


def _smooth(points: Floats, triangles: NDArray[np.int32], before: Mesh) -> Floats | None:
    """The normals of what was moved: the mean about each point where it was smooth before."""
    if before.normals is None:
        return None
    flat = np.cross(
        points[triangles[:, 1]] - points[triangles[:, 0]], points[triangles[:, 2]] - points[triangles[:, 0]]
    )
    total = np.zeros_like(points)
    for corner in range(3):
        np.add.at(total, triangles[:, corner], flat)
    total /= np.maximum(np.linalg.norm(total, axis=1, keepdims=True), 1e-20)
    return np.asarray(total[triangles])
