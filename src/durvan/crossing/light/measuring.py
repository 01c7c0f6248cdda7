"""Measure a crossing's light: both sides as their renderers have it, at probes that are picked, given, or found in the view."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.light.asking import Wanted
from durvan.crossing.light.ladder import Ladder, Side
from durvan.crossing.light.portals import openings
from durvan.crossing.light.report import LightReport, Part
from durvan.crossing.light.sights import Sides, emitters, sight
from durvan.crossing.translation.lighting import ENVIRONMENT, GLOW, category
from durvan.dialects.registry import Registry
from durvan.engine import budget, renderer, staging
from durvan.engine.kernels import world as kw
from durvan.engine.renderer import Stop
from durvan.engine.staging import Staged
from durvan.optics.light_shapes import DOME
from durvan.scene.model import Scene
from durvan.scene.probe import Probe
from durvan.scene.shapes import Shapes

Floats = NDArray[np.float64]
SUBJECT, FOCUS, FLOOR = "subject", "in focus", "floor"
_SHARP = 0.05  # of the distance in focus that something may be away from it
_VIEW = (48, 27)
_GRID = (3, 2)
_DIRECTIONS = np.array([[1, 0, 0], [-1, 0, 0], [0, 1, 0], [0, -1, 0], [0, 0, 1], [0, 0, -1]], dtype=np.float64)
_BELOW, _STEPS_DOWN = 0.3, 40  # metres that a floor lies below its subject; how many things are passed on the way


def staged(scene: Scene, shapes: Shapes, wanted: Wanted, registry: Registry) -> Sides:
    """Make both sides ready."""
    made = [
        staging.stage(scene, shapes, things, registry, wanted.camera, _VIEW, unseen)
        for things, unseen in ((wanted.source, ()), (wanted.target, wanted.unseen))
    ]
    return Sides(wanted.key, *made)


def measure(
    scene: Scene, sides: Sides, wanted: Wanted, registry: Registry, up_axis: str, stop: Stop = lambda: False
) -> LightReport | None:
    """The report; None when it was stopped."""
    probes = (*found_in_view(sides.source, up_axis, wanted.grid), *wanted.picked)
    notes = [f"{probe.name} lies inside something solid" for probe in inside_solids(sides.source, probes)]
    lux = [budget.measure(side.built, probes, stop=stop) for side in (sides.source, sides.target)]
    if stop():
        return None
    parts = _parts(scene, (sides.source, sides.target), lux, registry)
    ladder = Ladder(
        Side.of(sides.source.view, sides.source.sampling), Side.of(sides.target.view, sides.target.sampling)
    )
    return LightReport(
        wanted.key, tuple(probes), parts, ladder, wanted.camera, {}, tuple(notes), sight(sides, up_axis),
        emitters(sides.source), tuple(path for one in emitters(sides.target) for path in one.objects),
        openings(sides.source, probes, wanted.portals),
    )  # fmt: skip


def _parts(scene: Scene, sides: Sequence[Staged], lux: Sequence[Floats], registry: Registry) -> tuple[Part, ...]:
    """The lights of both sides beside each other, in the scene's order."""
    found: dict[tuple[str, str], list[Floats]] = {}
    nothing = np.zeros((lux[0].shape[0], 3))
    for number, (side, given) in enumerate(zip(sides, lux, strict=True)):
        for key, values in _by_path(side, given).items():
            found.setdefault(key, [nothing, nothing])[number] = values
    order = {name: place for place, name in enumerate(scene.things)}
    parts = []
    for (path, part), (one, two) in sorted(found.items(), key=lambda item: (order.get(item[0][0], 1 << 30), item[0])):
        thing = scene.things.get(path)
        pack = registry.packs.get(thing.dialect) if thing is not None else None
        what = ENVIRONMENT if part == "sky" else category(thing, pack) if thing is not None else GLOW
        what = ENVIRONMENT if what == "DomeLight" else what
        name = thing.name if thing is not None else "no material"
        parts.append(Part(path, f"{name}, sky" if part else name, what, part, one, two))
    return tuple(parts)


def _by_path(side: Staged, lux: Floats) -> dict[tuple[str, str], Floats]:
    """What each light gives, by its path; the sky of a sun apart. A material that glows goes by its own path."""
    out: dict[tuple[str, str], Floats] = {}
    for number, key in enumerate(keys_of(side)):
        out[key] = out.get(key, 0.0) + lux[:, number]
    return out


def keys_of(side: Staged) -> list[tuple[str, str]]:
    """The path and part of each group of a side's lights."""
    lights = side.built.lights
    groups = lights[:, kw.GROUP].astype(int)
    domes = {int(g) for g in groups[lights[:, kw.KIND] == DOME]}
    suns = {path for number, path in enumerate(side.built.paths) if number not in domes}
    out = []
    for number, path in enumerate(side.built.paths):
        if path.startswith("glow:"):
            out.append((side.materials[int(path.removeprefix("glow:"))], ""))
        else:
            out.append((path, "sky" if number in domes and path in suns else ""))
    return out


def found_in_view(staged: Staged, up_axis: str, grid: bool = True) -> tuple[Probe, ...]:
    """Probes that the camera's view gives: the subject in its middle, or what is seen next to it; what is in focus, where that is
    elsewhere; the floor below the subject; and a grid over the picture.
    """
    width, height = _VIEW
    seen = renderer.first_things(staged.built, staged.camera, width, height)
    found = np.argwhere(seen.depth > 0.0)
    if not len(found):
        return ()
    y, x = found[int(np.argmin(np.hypot(found[:, 0] - height // 2, found[:, 1] - width // 2)))]
    middle = _at(staged, seen, int(x), int(y), SUBJECT)
    if middle is None:
        return ()
    probes = [middle]
    sharp = _in_focus(staged, seen, found, float(seen.depth[y, x]))
    if sharp is not None:
        probes.append(sharp)
    floor = _floor_below(staged, middle, up_axis)
    if floor is not None:
        probes.append(floor)
    if grid:
        columns, rows = _GRID
        for number in range(columns * rows):
            across, down_ = number % columns, number // columns
            x, y = int((across + 0.5) / columns * width), int((down_ + 0.5) / rows * height)
            one = _at(staged, seen, x, y, f"view {number + 1}")
            if one is not None:
                probes.append(one)
    return tuple(probes)


def _in_focus(staged: Staged, seen: renderer.Passes, found: NDArray[np.int64], middle: float) -> Probe | None:
    """What a camera with depth of field is focused on, nearest to the middle of its picture; None where that is the subject there."""
    view = staged.view
    if view.f_number <= 0.0 or view.focus <= 0.0 or abs(middle - view.focus) <= _SHARP * view.focus:
        return None
    depth = seen.depth[found[:, 0], found[:, 1]]
    sharp = found[np.abs(depth - view.focus) <= _SHARP * view.focus]
    if not len(sharp):
        return None
    height, width = seen.depth.shape
    y, x = sharp[int(np.argmin(np.hypot(sharp[:, 0] - height // 2, sharp[:, 1] - width // 2)))]
    return _at(staged, seen, int(x), int(y), FOCUS)


def _floor_below(staged: Staged, subject: Probe, up_axis: str) -> Probe | None:
    """The floor under a subject: the first thing a little way below it, or else the lowest one."""
    down = np.array([0.0, -1.0, 0.0] if up_axis == "Y" else [0.0, 0.0, -1.0])
    start = np.array(subject.place) + 0.002 * np.array(subject.normal) - 1e-4 * down
    fallen = 0.0
    found = None
    for _ in range(_STEPS_DOWN):
        here = start + fallen * down
        step = abs(float(budget.distances(staged.built, [(here[0], here[1], here[2])], down[None, :])[0, 0]))
        if step == 0.0:
            break
        fallen += step
        x, y, z = (start + fallen * down).tolist()
        found = Probe(FLOOR, (x, y, z), tuple((-down).tolist()))
        if fallen > _BELOW:
            break
        fallen += 1e-3
    return found if fallen > 0.01 else None


def _at(staged: Staged, seen: renderer.Passes, x: int, y: int, name: str) -> Probe | None:
    """A probe on what a pixel sees."""
    depth = float(seen.depth[y, x])
    if depth <= 0.0:
        return None
    height, width = seen.depth.shape
    cam = staged.camera
    a = (x + 0.5) / width * 2.0 - 1.0 + cam[kw.C_SHIFT]
    b = 1.0 - (y + 0.5) / height * 2.0 + cam[kw.C_SHIFT + 1]
    way = cam[kw.C_Z : kw.C_Z + 3] + a * cam[kw.C_X : kw.C_X + 3] + b * cam[kw.C_Y : kw.C_Y + 3]
    place = cam[kw.C_ORIGIN : kw.C_ORIGIN + 3] + depth * way
    normal = seen.normal[y, x]
    if float(normal @ way) > 0.0:
        normal = -normal
    object_ = int(seen.thing[y, x])
    thing = staged.built.objects[object_] if object_ >= 0 else ""
    px, py, pz = place.tolist()
    nx, ny, nz = normal.tolist()
    return Probe(name, (px, py, pz), (nx, ny, nz), thing)


def inside_solids(staged: Staged, probes: Sequence[Probe]) -> list[Probe]:
    """The probes from which nearly every way leads to the back of something."""
    free = [probe for probe in probes if probe.normal == (0.0, 0.0, 0.0)]
    if not free:
        return []
    far = budget.distances(staged.built, [probe.place for probe in free], _DIRECTIONS)
    return [probe for probe, row in zip(free, far, strict=True) if (row < 0.0).sum() >= 5]
