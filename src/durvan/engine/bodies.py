"""Look at the shapes that wear each material: sizes, whether they are closed, how their UVs lie."""

from __future__ import annotations

from collections import defaultdict

import numpy as np
from numpy.typing import NDArray

from durvan.scene.bodies import Body
from durvan.scene.shapes import Mesh, Shapes, places, print_of

Floats = NDArray[np.float64]
_MOST = 2_000_000  # triangles of a mesh that is looked at as to whether it is closed
_CELLS = 96  # in a unit of UVs
_POINTS = 2_000_000  # cells that are looked at of a mesh
_OFF = np.array([0.5317, 0.4683])  # where in a cell is looked, so that no edge goes through it


def bodies(shapes: Shapes) -> dict[str, Body]:
    """What wears each material, by its path."""
    parts: dict[int, list[tuple[Mesh, NDArray[np.bool_], float]]] = defaultdict(list)
    for mesh in shapes.meshes:
        closed = _closed(mesh)
        for number in np.unique(mesh.material):
            parts[int(number)].append((mesh, mesh.material == number, closed))
    return {shapes.materials[number]: _body(found) for number, found in parts.items() if shapes.materials[number]}


def _body(parts: list[tuple[Mesh, NDArray[np.bool_], float]]) -> Body:
    area = closed = with_uvs = uv_area = 0.0
    count = 0
    sizes, thin = [], []
    cells: list[NDArray[np.int64]] = []
    tiles: set[int] = set()
    for mesh, mine, is_closed in parts:
        corners = mesh.points[mesh.triangles[mine]]
        own = _areas(corners)
        area += float(own.sum())
        closed += float(own.sum()) * is_closed
        count += len(own)
        low, high = corners.reshape(-1, 3).min(axis=0), corners.reshape(-1, 3).max(axis=0)
        sides = np.sort(high - low)
        sizes.append(float(sides[2]) / 2.0)
        thin.append(float(sides[0]))
        if mesh.uvs is not None:
            uv = mesh.uvs[mine]
            flat = _uv_areas(uv)
            with_uvs += float((flat > 1e-12).sum())
            uv_area += float(flat.sum())
            cells.append(_cells(uv))
            tiles |= _tiles(uv)
    return Body(
        len(parts), area, float(np.median(sizes)), float(np.median(thin)), closed / area if area > 0.0 else 0.0,
        all(mesh.strands for mesh, _, _ in parts), with_uvs / count if count else 0.0, uv_area,
        _twice(cells), tuple(sorted(tiles)), print_of([(mesh, mine) for mesh, mine, _ in parts]),
    )  # fmt: skip


def _areas(corners: Floats) -> Floats:
    cross = np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])
    return np.asarray(0.5 * np.linalg.norm(cross, axis=1))


def _uv_areas(uv: Floats) -> Floats:
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    return np.asarray(0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]))


def _cells(uv: Floats) -> NDArray[np.int64]:
    """The cells of the UVs whose middles triangles cover, as one number each; a cell that several cover stands there as often."""
    uv = uv[(np.abs(uv) < 1e5).all(axis=(1, 2))] * _CELLS - _OFF
    low, high = np.floor(uv.min(axis=1)) + 1.0, np.floor(uv.max(axis=1))
    wide, tall = (np.clip(high[:, k] - low[:, k] + 1.0, 0.0, 1e6).astype(np.int64) for k in (0, 1))
    count = wide * tall
    if count.sum() > _POINTS:  # every so many triangles speak for the others
        step = int(np.ceil(count.sum() / _POINTS))
        uv, low, wide, count = uv[::step], low[::step], wide[::step], count[::step]
        few = count <= _POINTS
        uv, low, wide, count = uv[few], low[few], wide[few], count[few]
    which = np.repeat(np.arange(len(uv)), count)
    within = np.arange(len(which)) - np.repeat(np.cumsum(count) - count, count)
    column, row = low[which, 0] + within % wide[which], low[which, 1] + within // wide[which]
    inside = np.ones(len(which), dtype=np.bool_)
    a, b, c = uv[:, 0], uv[:, 1], uv[:, 2]
    turn = np.sign((b[:, 0] - a[:, 0]) * (c[:, 1] - a[:, 1]) - (b[:, 1] - a[:, 1]) * (c[:, 0] - a[:, 0]))[which]
    for start, end in ((a, b), (b, c), (c, a)):
        side = (end - start)[which, 0] * (row - start[which, 1]) - (end - start)[which, 1] * (column - start[which, 0])
        inside &= side * turn > 0.0
    return np.asarray((row[inside].astype(np.int64) + (1 << 30)) << 32 | (column[inside].astype(np.int64) + (1 << 30)))


def _twice(cells: list[NDArray[np.int64]]) -> float:
    """How much of all that covers UVs lies on something else."""
    every = np.concatenate(cells) if cells else np.zeros(0, np.int64)
    return 1.0 - len(np.unique(every)) / len(every) if len(every) else 0.0


def _tiles(uv: Floats) -> set[int]:
    middle = uv.mean(axis=1)
    middle = middle[np.isfinite(middle).all(axis=1)]
    column, row = np.floor(middle[:, 0]).astype(np.int64), np.floor(middle[:, 1]).astype(np.int64)
    inside = (column >= 0) & (column < 10) & (row >= 0) & (row < 100)
    return set(np.unique(1001 + column[inside] + 10 * row[inside]).tolist())


def _closed(mesh: Mesh) -> float:
    """1 for a mesh whose every edge joins two triangles, so that it encloses a volume; 0 for a sheet."""
    if not len(mesh.triangles) or len(mesh.triangles) > _MOST:
        return 0.0
    scale = max(float(np.abs(mesh.points).max()), 1e-9)
    t = places(mesh.points / scale)[1][mesh.triangles].astype(np.int64)
    t = t[(t[:, 0] != t[:, 1]) & (t[:, 1] != t[:, 2]) & (t[:, 2] != t[:, 0])]  # those at a pole have no area
    edges = np.sort(np.concatenate([t[:, [0, 1]], t[:, [1, 2]], t[:, [2, 0]]]), axis=1)
    if not len(edges):
        return 0.0
    _, counts = np.unique(edges[:, 0] * (int(t.max()) + 1) + edges[:, 1], return_counts=True)
    return float((counts == 2).mean() > 0.999)
