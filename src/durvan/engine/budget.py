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
_ENOUGH = 120_000  # looks at all, over which only the lights that matter are looked at closely
_PLENTY = 480_000  # looks that are taken anyway where there are few lights
_MOST = 600_000  # and how many they may have
_ROUGH = 8  # looks at a light that may not matter
_MATTERS, _LEADS = 2e-3, 0.05  # of all light at a probe: what is looked at again, and what as closely as alone
_SOME = 64  # looks at what lies between


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
    grouped = _grouped(built.lights, groups)
    counts = _counts(built.lights, *grouped[:2], effort)
    if counts.sum() * len(probes) <= _ENOUGH:
        counts = counts * np.where(counts > 1, _closer(int(counts.sum()) * len(probes)), 1).astype(np.int32)
        _look(built, rows, grouped, counts, out, stop)
        return out
    rough = np.where(_whole(built.lights, *grouped[:2]), counts, np.minimum(counts, _ROUGH)).astype(np.int32)
    _look(built, rows, grouped, rough, out, stop)
    closer = _worth(out, counts - rough, counts, max(int(_MOST * effort) // len(probes) - int(rough.sum()), 0))
    out[:, closer > 0] = 0.0
    _look(built, rows, grouped, closer, out, stop)
    return out


def _closer(looks: int) -> int:
    """How many times as many looks may be taken where there are few: a power of two, so that both sides of a crossing take the same."""
    return next((times for times in (16, 8, 4, 2) if looks * times <= _PLENTY), 1)


def _look(
    built: Built, rows: Floats, grouped: tuple[NDArray[np.int32], NDArray[np.int32], Floats], counts: NDArray[np.int32],
    out: Floats, stop: Stop,
) -> None:  # fmt: skip
    """Take some looks at each group, spread over the cores, and add what is seen."""
    load = np.concatenate([[0], np.cumsum(counts)])
    ends = np.unique(np.searchsorted(load, np.linspace(0, load[-1], 9)))

    def some(first: int, end: int) -> None:
        if not stop():
            room = exposing.scratch(built.registers)
            probing.illuminate(built.world, rows, first, end, *grouped, counts, room, out)

    bounds = sorted({0, *ends.tolist(), len(counts)})
    for one in [pool().submit(some, first, end) for first, end in pairwise(bounds)]:
        one.result()


def _worth(seen: Floats, more: NDArray[np.int32], counts: NDArray[np.int32], room: int) -> NDArray[np.int32]:
    """How many looks each group gets once more: those that matter most at any probe, as far as `room` goes."""
    lux = seen.sum(axis=2)
    share = (lux / np.maximum(lux.sum(axis=1, keepdims=True), 1e-30)).max(axis=0)
    order = np.argsort(-share, kind="stable")
    order = order[(share[order] > _MATTERS) & (more[order] > 0)]
    looks = np.where(share[order] > _LEADS, counts[order], np.minimum(counts[order], _SOME))
    within = np.cumsum(looks) <= room
    out = np.zeros_like(counts)
    out[order[within]] = looks[within]
    return out


def distances(built: Built, places: Sequence[tuple[float, float, float]], directions: Floats) -> Floats:
    """How far it is from each place to the next thing in some directions [n, 3]: [places, n] in metres; below 0 where the thing
    is seen from behind, 0 for nothing.
    """
    rows = np.array([[*place, 0.0, 0.0, 0.0, -1.0] for place in places]).reshape(-1, probing.PROBE)
    out = np.zeros((len(rows), len(directions)))
    probing.distances(built.world, rows, np.ascontiguousarray(directions, dtype=np.float64), out)
    return out


def surroundings(built: Built, place: tuple[float, float, float], directions: Floats) -> Floats:
    """What domes send a place from some directions [n, 3], past what stands in between and through what is clear: nit [n]."""
    row = np.array([*place, 0.0, 0.0, 0.0, -1.0])
    out = np.zeros(len(directions))
    room = exposing.scratch(built.registers)
    probing.surroundings(built.world, row, np.ascontiguousarray(directions, dtype=np.float64), room, out)
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


def _counts(lights: Floats, spans: NDArray[np.int32], members: NDArray[np.int32], effort: float) -> NDArray[np.int32]:
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
    return np.asarray(np.maximum(np.round(counts * effort), np.minimum(counts, _ROUGH)), dtype=np.int32)


def _whole(lights: Floats, spans: NDArray[np.int32], members: NDArray[np.int32]) -> NDArray[np.bool_]:
    """Which groups are always looked at closely: skies and glowing meshes, of which a few looks tell too little."""
    kinds = np.array([lights[members[first], kw.KIND] if end > first else POINT for first, end in pairwise(spans)])
    return np.isin(kinds, (DOME, GLOW))
