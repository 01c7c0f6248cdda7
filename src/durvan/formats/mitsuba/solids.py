"""Shapes that Mitsuba draws by formula, as meshes with the UVs that it gives them (documentation of its shapes, 3.9)."""

from __future__ import annotations

from collections.abc import Callable, Mapping

import numpy as np
from numpy.typing import NDArray

from durvan.formats.corners import indexed
from durvan.scene.graph import Value
from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]
_AROUND, _ALONG = 64, 32
_CUBE = (  # the directions of u and v on each face, whose normal is v × u
    ((0, 1, 0), (1, 0, 0)), ((0, -1, 0), (1, 0, 0)), ((0, 1, 0), (0, 0, -1)),
    ((0, 1, 0), (0, 0, 1)), ((-1, 0, 0), (0, 0, -1)), ((0, 0, 1), (1, 0, 0)),
)  # fmt: skip


def _number(values: Mapping[str, Value], name: str, usual: float) -> float:
    value = values.get(name, usual)
    return float(value) if isinstance(value, int | float) else usual


def _point(values: Mapping[str, Value], name: str, usual: tuple[float, float, float]) -> Floats:
    value = values.get(name, usual)
    return np.array(value if isinstance(value, tuple) and len(value) == 3 else usual, dtype=np.float64)


def _grid(across: int, up: int) -> tuple[Floats, NDArray[np.int32]]:
    """Places (u, v) of a grid [n, 2], each from 0 to 1, and its triangles, going round as u turns to v."""
    u, v = np.meshgrid(np.linspace(0.0, 1.0, across + 1), np.linspace(0.0, 1.0, up + 1))
    first = (np.arange(up)[:, None] * (across + 1) + np.arange(across)).reshape(-1)
    row = across + 1
    faces = np.concatenate(
        [np.stack([first, first + 1, first + row + 1], 1), np.stack([first, first + row + 1, first + row], 1)]
    )
    return np.stack([u.reshape(-1), v.reshape(-1)], 1), faces.astype(np.int32)


def _up(uv: Floats) -> Floats:
    """UVs with v upwards, of Mitsuba's, whose pictures begin at the top."""
    return np.stack([uv[:, 0], 1.0 - uv[:, 1]], axis=1)


def _rectangle(path: str, values: Mapping[str, Value]) -> Mesh:
    del values
    uv, faces = _grid(1, 1)
    points = np.concatenate([2.0 * uv - 1.0, np.zeros((len(uv), 1))], axis=1)
    return indexed(path, points, faces, None, _up(uv))


def _cube(path: str, values: Mapping[str, Value]) -> Mesh:
    del values
    uv, faces = _grid(1, 1)
    points, uvs, triangles = [], [], []
    for n, (u, v) in enumerate(_CUBE):
        points.append((2.0 * uv[:, :1] - 1.0) * np.array(u) + (2.0 * uv[:, 1:] - 1.0) * np.array(v) + np.cross(v, u))
        uvs.append(uv)
        triangles.append(faces[:, ::-1] + 4 * n)
    return indexed(path, np.concatenate(points), np.concatenate(triangles), None, _up(np.concatenate(uvs)))


def _sphere(path: str, values: Mapping[str, Value]) -> Mesh:
    uv, faces = _grid(_AROUND, _ALONG)
    phi, theta = 2.0 * np.pi * uv[:, 0], np.pi * uv[:, 1]
    normals = np.stack([np.sin(theta) * np.cos(phi), np.sin(theta) * np.sin(phi), np.cos(theta)], axis=1)
    points = normals * _number(values, "radius", 1.0) + _point(values, "center", (0.0, 0.0, 0.0))
    return indexed(path, points, faces[:, ::-1], normals, _up(uv))


def _disk(path: str, values: Mapping[str, Value]) -> Mesh:
    del values
    uv, faces = _grid(1, _AROUND)
    phi = 2.0 * np.pi * uv[:, 1]
    points = np.stack([uv[:, 0] * np.cos(phi), uv[:, 0] * np.sin(phi), np.zeros(len(uv))], axis=1)
    return indexed(path, points, faces, None, _up(uv))


def _cylinder(path: str, values: Mapping[str, Value]) -> Mesh:
    uv, faces = _grid(_AROUND, 1)
    ends = _point(values, "p0", (0.0, 0.0, 0.0)), _point(values, "p1", (0.0, 0.0, 1.0))
    axis = ends[1] - ends[0]
    across, other = frame(axis / max(float(np.linalg.norm(axis)), 1e-12))
    phi = 2.0 * np.pi * uv[:, :1]
    normals = np.cos(phi) * across + np.sin(phi) * other
    points = ends[0] + uv[:, 1:] * axis + normals * _number(values, "radius", 1.0)
    return indexed(path, points, faces, normals, _up(uv))


def frame(z: Floats) -> tuple[Floats, Floats]:
    """Two directions across a third (Duff et al. 2017), as Mitsuba takes them."""
    sign = 1.0 if z[2] >= 0.0 else -1.0
    a = -1.0 / (sign + z[2])
    b = z[0] * z[1] * a
    return np.array([z[0] ** 2 * a * sign + 1.0, b * sign, -z[0] * sign]), np.array([b, z[1] ** 2 * a + sign, -z[1]])


SOLIDS: dict[str, Callable[[str, Mapping[str, Value]], Mesh]] = {
    "rectangle": _rectangle, "cube": _cube, "sphere": _sphere, "disk": _disk, "cylinder": _cylinder,
}  # fmt: skip
