"""What rays tell of a scene besides its light: what stands in the camera's way, whether it is shut out, and what glows."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.light.report import Blocker, Emitter, Sight
from durvan.engine import budget, renderer
from durvan.engine.kernels import world as kw
from durvan.engine.staging import Staged
from durvan.optics.light_shapes import GLOW
from durvan.optics.lobes import layout

Floats = NDArray[np.float64]
_VIEW = (64, 36)
_LAYERS = 16  # how many things one behind the other are looked past
_ROUND = 96  # directions that are looked into about the subject
_TURN = 1.0  # degrees by which a box is turned to where it is tightest
_CLOSED = 0.9  # of them that meet something, where it is shut in


@dataclass
class Sides:
    """Both sides as their renderers have them, ready to be measured, as long as `key` is that of what is wanted."""

    key: str
    source: Staged
    target: Staged


def sight(sides: Sides, up_axis: str) -> Sight:
    """What the source's camera would see without its near clip."""
    side = sides.source
    near = side.view.near
    width, height = _VIEW
    seen = renderer.first_things(side.built, side.camera, width, height)
    depth = float(seen.depth[height // 2, width // 2])
    if near <= 0.0:
        return Sight(0.0, depth)
    covered, shares, cleared = _in_the_way(side, seen, near)
    if not shares:
        return Sight(near, depth)
    names, pixels = side.built.objects, width * height
    beyond = Counter(seen.thing.reshape(-1).tolist())
    blockers = tuple(Blocker(names[n], count / pixels, beyond[n] / pixels) for n, count in shares.most_common())
    subject = side.view.focus if side.view.f_number > 0.0 and side.view.focus > near else depth
    moved = {far: _moved(side, seen, near, far) for far in _distances(seen, subject)}
    keeps = min(moved, key=lambda far: (moved[far], far))
    shut = _shut_in(side, depth)
    return Sight(near, subject, blockers, shut, covered / pixels, moved[subject], keeps, moved[keeps], cleared)


def _distances(seen: renderer.Passes, subject: float) -> list[float]:
    """Distances at which things might keep their size: the subject's, and those of what the picture shows."""
    depth = seen.depth[seen.depth > 0.0]
    return [subject, *(np.percentile(depth, (10, 25, 50, 75, 90)).tolist() if len(depth) else ())]


def _in_the_way(side: Staged, seen: renderer.Passes, near: float) -> tuple[int, Counter[int], bool]:
    """How many pixels something nearer than the clip covers, how many each thing does, those behind others when these are gone, and
    whether nothing is left behind them.
    """
    height, width = seen.depth.shape
    open_ = side.camera.copy()
    open_[kw.C_NEAR] = 0.0
    built, covered, shares = side.built, 0, Counter[int]()
    for layer in range(_LAYERS):
        whole = renderer.first_things(built, open_, width, height)
        hidden = (whole.thing >= 0) & (whole.depth < near) & ((seen.depth > whole.depth + 1e-6) | (seen.thing < 0))
        found = Counter(whole.thing[hidden].tolist())
        covered = int(hidden.sum()) if layer == 0 else covered
        if not found:
            return covered, shares, True
        shares.update(found)
        built = built.past(found)
    return covered, shares, False


def _moved(side: Staged, seen: renderer.Passes, near: float, subject: float) -> float:
    """The part of the picture that shows another thing once the camera went forward to its clip, with its subject as large as before."""
    if subject <= near:
        return 1.0
    height, width = seen.depth.shape
    cam = side.camera.copy()
    cam[kw.C_ORIGIN : kw.C_ORIGIN + 3] += near * cam[kw.C_Z : kw.C_Z + 3]
    cam[kw.C_X : kw.C_Y + 3] *= subject / (subject - near)
    cam[kw.C_NEAR] = 0.0
    after = renderer.first_things(side.built, cam, width, height)
    return float((after.thing != seen.thing).mean())


def _shut_in(side: Staged, depth: float) -> bool:
    """Whether nearly every way from the subject ends at something, so that who stands outside cannot see it."""
    if depth <= 0.0:
        return False
    cam = side.camera
    way = (
        cam[kw.C_Z : kw.C_Z + 3]
        + cam[kw.C_SHIFT] * cam[kw.C_X : kw.C_X + 3]
        + cam[kw.C_SHIFT + 1] * cam[kw.C_Y : kw.C_Y + 3]
    )
    x, y, z = (cam[kw.C_ORIGIN : kw.C_ORIGIN + 3] + 0.98 * depth * way).tolist()
    n = np.arange(_ROUND) + 0.5
    up = 1.0 - 2.0 * n / _ROUND
    turn = np.pi * (1.0 + 5.0**0.5) * n
    flat = np.sqrt(1.0 - up * up)
    directions = np.stack([flat * np.cos(turn), up, flat * np.sin(turn)], axis=1)
    far = budget.distances(side.built, [(x, y, z)], directions)[0]
    return bool((far != 0.0).mean() >= _CLOSED)


def emitters(side: Staged) -> tuple[Emitter, ...]:
    """What glows, material by material."""
    lights = side.built.lights
    out = []
    groups = lights[:, kw.GROUP].astype(int)
    for number, path in enumerate(side.built.paths):
        if not path.startswith("glow:"):
            continue
        rows = lights[(groups == number) & (lights[:, kw.KIND] == GLOW)]
        if not len(rows):
            continue
        record = int(path.removeprefix("glow:"))
        out.append(_emitter(side, side.materials[record], rows, record))
    return tuple(out)


def _emitter(side: Staged, path: str, rows: Floats, record: int) -> Emitter:
    area = rows[:, kw.AREA]
    triangles = rows[:, kw.TRIANGLE].astype(int)
    table = side.built.world.f4
    first = int(side.built.world.i4[kw.A_TRIANGLE])
    middle, axes, half = _box(_corners(table, first, triangles))
    base = side.bases[record]
    varies = bool(rows[0, kw.SIZE] == 1.0)
    light = rows[0, kw.RADIANCE : kw.RADIANCE + 3] if not varies else side.glows.get(path, np.ones(3))
    objects = {side.built.objects[int(table[first + t * kw.TRIANGLE_SIZE + kw.T_OBJECT])] for t in triangles[:2000]}
    x, y, z = middle.tolist()
    a, b, c = np.maximum(half, 1e-4).tolist()
    r, g, bl = light.tolist()
    rows_ = tuple((float(v[0]), float(v[1]), float(v[2])) for v in axes)
    return Emitter(
        path,
        (x, y, z),
        rows_,
        (a, b, c),
        float(area.sum()),
        (r, g, bl),
        float(base[layout.OPACITY]),
        tuple(sorted(objects)),
    )


def _corners(table: NDArray[np.float32], first: int, triangles: NDArray[np.int64]) -> Floats:
    """The corners of some triangles [3 n, 3]."""
    places = first + triangles[:, None] * kw.TRIANGLE_SIZE
    corner, one, two = (
        table[places + start + np.arange(3)].astype(np.float64)
        for start in (kw.T_CORNER, kw.T_CORNER + 3, kw.T_CORNER + 6)
    )
    return np.concatenate([corner, corner + one, corner + two])


def _box(points: Floats) -> tuple[Floats, Floats, Floats]:
    """The middle, axes (rows) and half sizes of a box about some points: by their spread, and turned about its thinnest axis to where
    the others are tightest.
    """
    centre = points.mean(axis=0)
    axes = np.linalg.svd(points - centre, full_matrices=False)[2]
    turns = np.radians(np.arange(0.0, 90.0, _TURN))
    flat = (points - centre) @ axes[:2].T
    ways = np.stack([np.cos(turns), np.sin(turns)], axis=1)
    across, along = flat @ ways.T, flat @ np.stack([-ways[:, 1], ways[:, 0]], axis=0)
    best = int(np.argmin(np.ptp(across, axis=0) * np.ptp(along, axis=0)))
    c, s = ways[best]
    axes = np.stack([c * axes[0] + s * axes[1], c * axes[1] - s * axes[0], axes[2]])
    placed = (points - centre) @ axes.T
    low, high = placed.min(axis=0), placed.max(axis=0)
    return centre + (low + high) / 2.0 @ axes, axes, (high - low) / 2.0
