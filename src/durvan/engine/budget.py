"""The light budget of a world: what each of its lights puts on some probes, with whatever stands in between.

The same looks are taken at a light on every call and in every dialect's world, so that what differs is the light and not chance.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np
from numpy.typing import NDArray

from durvan.engine.build import Built
from durvan.engine.kernels import exposing, probing
from durvan.engine.kernels import world as kw
from durvan.engine.renderer import Stop, pool
from durvan.optics.light_shapes import DOME, FAR, GLOW, POINT
from durvan.scene.probe import Probe

Floats = NDArray[np.float64]
_LOOKS = 256  # at a light with a size
_AT_SKY = 4096  # at a dome with a picture
_MOST = 6_000_000  # looks at all, over which each light gets fewer
_LEAST = 16


def row_of(probe: Probe, objects: Sequence[str]) -> list[float]:
    """A probe as the kernels take it."""
    on = objects.index(probe.thing) if probe.thing in objects else -1
    length = max(float(np.linalg.norm(probe.normal)), 1e-12)
    return [*probe.place, *(part / length for part in probe.normal), float(on)]


def measure(built: Built, probes: Sequence[Probe], effort: float = 1.0, stop: Stop = lambda: False) -> Floats:
    """What each group of lights (`Built.groups`) puts on each probe: [probes, groups, 3], in lux, linear Rec.709.

    `effort` scales how many looks are taken. When it is stopped, what is missing is 0.
    """
    groups = len(built.groups)
    out = np.zeros((len(probes), groups, 3))
    if not groups or not probes:
        return out
    rows = np.array([row_of(probe, built.objects) for probe in probes])
    spans, members, sums = _grouped(built.lights, groups)
    counts = _counts(built.lights, spans, members, len(probes), effort)
    load = np.concatenate([[0], np.cumsum(counts)])
    ends = np.unique(np.searchsorted(load, np.linspace(0, load[-1], 9)))

    def some(first: int, end: int) -> None:
        if not stop():
            room = exposing.scratch(built.registers)
            probing.illuminate(built.world, rows, first, end, spans, members, sums, counts, room, out)

    bounds = sorted({0, *ends.tolist(), groups})
    for one in [pool().submit(some, first, end) for first, end in pairwise(bounds)]:
        one.result()
    return out


def distances(built: Built, places: Sequence[tuple[float, float, float]], directions: Floats) -> Floats:
    """How far it is from each place to the next thing in some directions [n, 3]: [places, n] in metres; below 0 where the thing
    is seen from behind, 0 for nothing.
    """
    rows = np.array([[*place, 0.0, 0.0, 0.0, -1.0] for place in places]).reshape(-1, probing.PROBE)
    out = np.zeros((len(rows), len(directions)))
    probing.distances(built.world, rows, np.ascontiguousarray(directions, dtype=np.float64), out)
    return out


def _grouped(lights: Floats, groups: int) -> tuple[NDArray[np.int32], NDArray[np.int32], Floats]:
    """The lights of each group, and the chances of each summed from 0 to 1: by area and radiance, a little of it evenly."""
    group = lights[:, kw.GROUP].astype(int)
    members = np.argsort(group, kind="stable").astype(np.int32)
    spans = np.concatenate([[0], np.cumsum(np.bincount(group, minlength=groups))]).astype(np.int32)
    weight = np.maximum(lights[:, kw.AREA], 1e-12) * (lights[:, kw.RADIANCE : kw.RADIANCE + 3].sum(axis=1) + 1e-12)
    sums = np.zeros(len(lights) + groups)
    for g in range(groups):
        first, end = spans[g], spans[g + 1]
        if end > first:
            part = weight[members[first:end]]
            chance = 0.9 * part / part.sum() + 0.1 / len(part)
            sums[first + g + 1 : end + g + 1] = np.cumsum(chance)
            sums[end + g] = 1.0
    return spans, members, sums


def _counts(
    lights: Floats, spans: NDArray[np.int32], members: NDArray[np.int32], probes: int, effort: float
) -> NDArray[np.int32]:
    """How many looks each group is worth: one at a light without a size, many at a sky with a picture."""
    counts = np.zeros(len(spans) - 1)
    for g, (first, end) in enumerate(pairwise(spans)):
        if end == first:
            continue
        light = lights[members[first]]
        kind = int(light[kw.KIND])
        exact = end - first == 1 and (kind == POINT or (kind == FAR and light[kw.COS_DISC] >= 1.0))
        if exact:
            counts[g] = 1.0
        elif kind == DOME and light[kw.D_HEIGHT] * light[kw.D_WIDTH] > 1.0:
            counts[g] = _AT_SKY
        else:
            counts[g] = min(_LOOKS * max(1.0, (end - first) ** 0.5 if kind == GLOW else 1.0), 4.0 * _AT_SKY)
    wanted = counts.sum() * probes * effort
    scale = effort * min(1.0, _MOST / max(wanted, 1.0))
    floor = np.minimum(counts, _LEAST)
    return np.asarray(np.maximum(np.round(counts * scale), floor), dtype=np.int32)
