"""Lines as thin tubes of four sides, whose normals make them look round; u runs along, v around."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]
SIDES = 4


def tubes(path: str, lines: Sequence[Floats], sizes: Sequence[Floats]) -> Mesh:
    """Lines [points, 3] of two points and more, with their diameters [points], as one mesh."""
    points, triangles, normals, uvs = [], [], [], []
    count = 0
    for line, size in zip(lines, sizes, strict=True):
        along = np.gradient(line, axis=0)
        along /= np.maximum(np.linalg.norm(along, axis=1, keepdims=True), 1e-20)
        side = _carried_along(along)
        other = np.cross(along, side)
        angle = np.linspace(0.0, 2.0 * np.pi, SIDES, endpoint=False)
        out = np.cos(angle)[None, :, None] * side[:, None, :] + np.sin(angle)[None, :, None] * other[:, None, :]
        ring = line[:, None, :] + 0.5 * size[:, None, None] * out
        rows = len(line)
        number = count + np.arange(rows * SIDES).reshape(rows, SIDES)
        a, b = number[:-1], number[1:]
        c, d = np.roll(b, -1, axis=1), np.roll(a, -1, axis=1)
        faces = np.concatenate([np.stack([a, d, c], -1).reshape(-1, 3), np.stack([a, c, b], -1).reshape(-1, 3)])
        points.append(ring.reshape(-1, 3))
        triangles.append(faces)
        normals.append(out.reshape(-1, 3))
        u = np.repeat(np.linspace(0.0, 1.0, rows), SIDES)
        uvs.append(np.stack([u, np.tile(angle / (2.0 * np.pi), rows)], axis=1))
        count += rows * SIDES
    table = np.concatenate(triangles).astype(np.int32)
    uv = np.concatenate(uvs)[table]
    low = uv[..., 1].max(axis=1) - uv[..., 1].min(axis=1) > 0.5  # where it closes, v goes on to 1
    uv[..., 1] = np.where(low[:, None] & (uv[..., 1] < 0.25), uv[..., 1] + 1.0, uv[..., 1])
    return Mesh(
        path,
        np.concatenate(points),
        table,
        np.concatenate(normals)[table],
        uv,
        np.zeros(len(table), np.int32),
        strands=True,
    )


def _carried_along(along: Floats) -> Floats:
    """A direction at right angles to a curve, turned as little as can be from point to point."""
    first = along[0]
    start = np.cross(first, [0.0, 1.0, 0.0] if abs(first[1]) < 0.9 else [1.0, 0.0, 0.0])
    out = np.empty_like(along)
    out[0] = start / max(float(np.linalg.norm(start)), 1e-20)
    for place in range(1, len(along)):
        side = out[place - 1] - along[place] * float(out[place - 1] @ along[place])
        length = float(np.linalg.norm(side))
        out[place] = side / length if length > 1e-9 else out[place - 1]
    return out
