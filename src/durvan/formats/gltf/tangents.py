"""Tangents of a mesh's corners, which glTF wants where highlights are drawn out and no map of normals says them."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from durvan.formats.corners import welded

Floats = NDArray[np.float64]


def tangents(corners: Floats, normals: Floats, uvs: Floats | None) -> Floats:
    """Tangents [t·3, 4] of places [t, 3, 3] with normals of length 1 and UVs [t, 3, 2] whose v runs up: the way in which u grows, square to
    the normal; the fourth number gives the side on which v grows. Triangles that share a corner share its tangent, by their sizes.
    Where there are no UVs, or they stand still, any direction square to the normal.
    """
    flat = normals.reshape(-1, 3)
    along, side = _of_faces(corners, normals, uvs if uvs is not None else np.zeros((*corners.shape[:2], 2)))
    spread, sides = np.repeat(along, 3, axis=0), np.repeat(side, 3)
    _, shared = welded([corners.reshape(-1, 3), flat, sides[:, None]])
    summed = np.zeros((int(shared.max(initial=-1)) + 1, 3))
    np.add.at(summed, shared, spread)
    out = summed[shared]
    out = out - flat * (out * flat).sum(axis=1, keepdims=True)
    length = np.linalg.norm(out, axis=1, keepdims=True)
    good = length > 1e-12
    out = np.where(good, out / np.where(good, length, 1.0), _square_to(flat))
    return np.concatenate([out, sides[:, None]], axis=1)


def _of_faces(corners: Floats, normals: Floats, uvs: Floats) -> tuple[Floats, Floats]:
    """How u grows over each triangle, as long as the triangle is large [t, 3]; and 1 or −1 for the side of v [t]."""
    one, two = corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0]
    (u1, v1), (u2, v2) = (uvs[:, 1] - uvs[:, 0]).T, (uvs[:, 2] - uvs[:, 0]).T
    turned = np.sign(u1 * v2 - u2 * v1)
    along = turned[:, None] * (v2[:, None] * one - v1[:, None] * two)
    up = turned[:, None] * (u1[:, None] * two - u2[:, None] * one)
    length = np.linalg.norm(along, axis=1, keepdims=True)
    size = np.linalg.norm(np.cross(one, two), axis=1, keepdims=True)
    along = np.where(length > 1e-20, along / np.where(length > 1e-20, length, 1.0) * size, 0.0)
    side = np.where((np.cross(normals.sum(axis=1), along) * up).sum(axis=1) < 0.0, -1.0, 1.0)
    return along, side


def _square_to(normals: Floats) -> Floats:
    """A direction square to each normal [n, 3]."""
    axis = np.eye(3)[np.abs(normals).argmin(axis=1)]
    out = np.cross(axis, normals)
    return np.asarray(out / np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-12))
