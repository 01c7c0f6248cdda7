"""Draw the scene from above: edges of what stands there, its lights and its camera."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.light.ground import Eye, Ground, Lamp, from_above
from durvan.crossing.light.measuring import keys_of
from durvan.crossing.light.sights import Sides
from durvan.engine.kernels import world as kw
from durvan.engine.staging import Staged
from durvan.optics.light_shapes import CYLINDER, DISK, DOME, FAR, GLOW, POINT, RECT
from durvan.scene.shapes import Shapes

Floats = NDArray[np.float64]
_SIDE = 512
_MOST = 400_000  # triangles whose edges are drawn
_ON_EDGE = 12
_LIGHTS = 400  # that are drawn; more would only cover each other


def ground(shapes: Shapes, sides: Sides) -> Ground:
    """The plan of what the source's camera and lights stand in."""
    up = shapes.up_axis
    source = sides.source
    lamps = _lamps(source, up)
    eye = _eye(source, up)
    low, high = _bounds(shapes, up, [eye.place, *(lamp.place for lamp in lamps if not lamp.far)])
    return Ground(_edges(shapes, up, low, high), low, high, lamps, eye)


def _flat(points: Floats, up: str) -> Floats:
    return points[:, [0, 2]] if up == "Y" else points[:, [0, 1]] * np.array([1.0, -1.0])


def _bounds(
    shapes: Shapes, up: str, places: list[tuple[float, float]]
) -> tuple[tuple[float, float], tuple[float, float]]:
    """A square about most of what stands there, and about the camera and the lights as long as they are not far off."""
    every = [_flat(mesh.points[:: max(1, len(mesh.points) // 2000)], up) for mesh in shapes.meshes if len(mesh.points)]
    points = np.concatenate(every) if every else np.zeros((1, 2))
    points = points[np.isfinite(points).all(axis=1)]
    low, high = np.percentile(points, 3, axis=0), np.percentile(points, 97, axis=0)
    reach = 1.5 * max(float((high - low).max()), 0.5)
    middle = (low + high) / 2.0
    near = np.array([place for place in places if np.abs(np.array(place) - middle).max() < reach]).reshape(-1, 2)
    low, high = np.minimum(low, near.min(axis=0, initial=np.inf)), np.maximum(high, near.max(axis=0, initial=-np.inf))
    half = 0.56 * max(float((high - low).max()), 0.5)
    middle = (low + high) / 2.0
    (x0, y0), (x1, y1) = (middle - half).tolist(), (middle + half).tolist()
    return (x0, y0), (x1, y1)


def _edges(shapes: Shapes, up: str, low: tuple[float, float], high: tuple[float, float]) -> NDArray[np.uint8]:
    """How many edges run over each place, as darkness: walls stand out, as many lie above each other there."""
    counts = np.zeros((_SIDE, _SIDE))
    size = np.array(high) - np.array(low)
    total = sum(len(mesh.triangles) for mesh in shapes.meshes)
    step = max(1, total // _MOST)
    t = np.linspace(0.0, 1.0, _ON_EDGE, endpoint=False)[:, None, None]
    for mesh in shapes.meshes:
        triangles = mesh.triangles[::step]
        if not len(triangles):
            continue
        p = _flat(mesh.points, up)[triangles]
        for one, two in ((0, 1), (1, 2), (2, 0)):
            on = (p[:, one] * (1.0 - t) + p[:, two] * t).reshape(-1, 2)
            place = np.floor((on - np.array(low)) / size * _SIDE)
            inside = np.isfinite(place).all(axis=1) & (place >= 0).all(axis=1) & (place < _SIDE).all(axis=1)
            cell = place[inside].astype(np.int64)
            np.add.at(counts, (cell[:, 1], cell[:, 0]), 1.0)
    dark = np.log1p(counts)
    top = float(np.percentile(dark[dark > 0.0], 98)) if (dark > 0.0).any() else 1.0
    return np.asarray(np.clip(dark / max(top, 1e-9), 0.0, 1.0) * 255.0, dtype=np.uint8)


def _lamps(side: Staged, up: str) -> tuple[Lamp, ...]:
    """Each light once; of a mesh that glows the middle of its triangles."""
    keys = keys_of(side)
    found: dict[str, Lamp] = {}
    glowing: dict[str, list[tuple[float, float]]] = {}
    for row in side.built.lights:
        path = keys[int(row[kw.GROUP])][0]
        kind = int(row[kw.KIND])
        if kind == DOME or len(found) >= _LIGHTS:
            continue
        place = from_above(row[kw.ORIGIN : kw.ORIGIN + 3], up)
        if kind == GLOW:
            glowing.setdefault(path, []).append(place)
            continue
        x, y = from_above(-row[kw.AXIS_Z : kw.AXIS_Z + 3], up)
        flat = kind in (RECT, DISK, FAR) or row[kw.OUTER] < math.pi
        half = _half(kind, row)
        rx, ry = from_above(row[kw.AXIS_X : kw.AXIS_X + 3] * half, up)
        cone = math.degrees(row[kw.OUTER]) if row[kw.OUTER] < math.pi else 180.0
        found.setdefault(
            path,
            Lamp(path, place, (x, y) if flat else (0.0, 0.0), cone, (rx, ry), kind == FAR, kind in (RECT, CYLINDER)),
        )
    for path, places in glowing.items():
        x, y = np.mean(places, axis=0).tolist()
        found.setdefault(path, Lamp(path, (x, y), (0.0, 0.0), 180.0, (0.0, 0.0)))
    return tuple(found.values())


def _half(kind: int, row: Floats) -> float:
    """Half a light's size to its right hand, in metres."""
    if kind == CYLINDER:  # its length lies there
        return float(row[kw.SIZE + 1]) / 2.0
    if kind == RECT:
        return float(row[kw.SIZE]) / 2.0
    return 0.0 if kind in (POINT, FAR) else float(row[kw.SIZE])


def _eye(side: Staged, up: str) -> Eye:
    cam = side.camera
    forward, right = cam[kw.C_Z : kw.C_Z + 3], cam[kw.C_X : kw.C_X + 3]
    shift = cam[kw.C_SHIFT] * right
    return Eye(
        from_above(cam[kw.C_ORIGIN : kw.C_ORIGIN + 3], up), from_above(forward - right + shift, up),
        from_above(forward + right + shift, up), float(cam[kw.C_NEAR]), float(side.view.focus),
    )  # fmt: skip
