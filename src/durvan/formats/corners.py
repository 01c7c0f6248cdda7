"""What stands at the corners of triangles as rows of a table, each once, as formats keep it that know no corners."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]


def welded(columns: Sequence[Floats]) -> tuple[NDArray[np.float32], NDArray[np.int64]]:
    """Columns [n, any] side by side, in single precision, every different row once; and the row of each of the n corners."""
    table = np.concatenate(columns, axis=1).astype(np.float32)
    table[~np.isfinite(table)] = 0.0
    table += 0.0  # no negative noughts, which would be rows of their own
    width = table.shape[1]
    rows, index = np.unique(
        np.ascontiguousarray(table).view([("", np.float32)] * width).reshape(-1), return_inverse=True
    )
    return rows.view(np.float32).reshape(len(rows), width), index.reshape(-1)


def of_length_one(normals: Floats, corners: Floats) -> Floats:
    """Normals [t, 3, 3] of length 1; the face's own where one has no length. `corners` are the places, of the same shape."""
    length = np.linalg.norm(normals, axis=-1, keepdims=True)
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    size = np.linalg.norm(face, axis=-1, keepdims=True)
    face = np.where(size > 1e-20, face / np.maximum(size, 1e-20), np.array([0.0, 1.0, 0.0]))
    good = np.isfinite(length) & (length > 1e-12)
    return np.where(good, normals / np.where(good, length, 1.0), face[:, None, :])


def smooth(points: Floats, triangles: NDArray[np.int32]) -> Floats:
    """Normals at the corners [t, 3, 3] by the faces about each point, weighted by their angles there (Thürmer & Wüthrich 1998)."""
    corners = points[triangles]
    face = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    face /= np.maximum(np.linalg.norm(face, axis=1, keepdims=True), 1e-30)
    total = np.zeros_like(points)
    for corner in range(3):
        a = corners[:, (corner + 1) % 3] - corners[:, corner]
        b = corners[:, (corner + 2) % 3] - corners[:, corner]
        lengths = np.maximum(np.linalg.norm(a, axis=1) * np.linalg.norm(b, axis=1), 1e-30)
        angle = np.arccos(np.clip((a * b).sum(axis=1) / lengths, -1.0, 1.0))
        np.add.at(total, triangles[:, corner], face * angle[:, None])
    return of_length_one(total[triangles], corners)


def indexed(
    path: str,
    points: Floats,
    faces: NDArray[np.int32],
    normals: Floats | None,
    uvs: Floats | None,
    more: Mapping[str, Floats] = MappingProxyType({}),
) -> Mesh:
    """A mesh from what stands at its points [n, any]; faces that name points which are not there are left out."""
    good = (faces >= 0).all(axis=1) & (faces < len(points)).all(axis=1)
    faces = faces[good]
    finite = np.isfinite(points[faces]).all(axis=(1, 2))
    faces = faces[finite].astype(np.int32)
    out = Mesh(
        path, points, faces, None if normals is None else of_length_one(normals[faces], points[faces]),
        None if uvs is None else uvs[faces], np.zeros(len(faces), dtype=np.int32),
    )  # fmt: skip
    out.more = {name: values[faces] for name, values in more.items()}
    return out
