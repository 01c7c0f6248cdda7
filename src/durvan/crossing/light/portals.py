"""What portals would have done for their surroundings' light: how much of it comes through them, and how little finds its way unguided."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.light.report import Opening, Portal
from durvan.engine import budget
from durvan.engine.staging import Staged
from durvan.scene.probe import Probe

Floats = NDArray[np.float64]
_WAYS = 1024  # that are looked into from each probe
_OFF = 1e-4  # metres that they start above it


def openings(side: Staged, probes: Sequence[Probe], portals: Sequence[Portal]) -> tuple[Opening, ...]:
    """For each portal the probe that most of the surroundings' light reaches through it."""
    if not portals or not probes:
        return ()
    ways = [_ways(probe) for probe in probes]
    best: dict[str, Opening] = {}
    for probe, (directions, weights) in zip(probes, ways, strict=True):
        x, y, z = (a + _OFF * b for a, b in zip(probe.place, probe.normal, strict=True))
        sent = weights * budget.surroundings(side.built, (x, y, z), directions)
        light = float(sent.sum())
        if light <= 0.0:
            continue
        for portal in portals:
            through = (sent > 0.0) & _meets(portal, np.array([x, y, z]), directions)
            one = Opening(portal.path, probe.name, float(sent[through].sum()) / light, float(through.mean()))
            if one.share > best.get(portal.path, Opening(portal.path)).share:
                best[portal.path] = one
    return tuple(best.get(portal.path, Opening(portal.path)) for portal in portals)


def _ways(probe: Probe) -> tuple[Floats, Floats]:
    """Directions over the half that a probe faces, or all of them, and what each counts for its light."""
    n = np.arange(_WAYS) + 0.5
    up = 1.0 - 2.0 * n / _WAYS
    turn = math.pi * (1.0 + 5.0**0.5) * n
    flat = np.sqrt(1.0 - up * up)
    every = np.stack([flat * np.cos(turn), up, flat * np.sin(turn)], axis=1)
    normal = np.array(probe.normal)
    if not normal.any():
        return every, np.ones(_WAYS)
    cosine = every @ (normal / np.linalg.norm(normal))
    return every[cosine > 0.0], cosine[cosine > 0.0]


def _meets(portal: Portal, start: Floats, directions: Floats) -> NDArray[np.bool_]:
    """Which ways pass through a portal's rectangle."""
    matrix = np.array(portal.place).reshape(4, 4)
    right, up, back = matrix[:3, :3]
    away = directions @ back
    to = float((matrix[3, :3] - start) @ back)
    with np.errstate(divide="ignore", invalid="ignore"):
        far = np.where(np.abs(away) > 1e-12, to / away, -1.0)
    at = start + far[:, None] * directions - matrix[3, :3]
    inside = np.ones(len(directions), dtype=bool)
    for axis, size in ((right, portal.width), (up, portal.height)):
        length2 = float(axis @ axis)
        inside &= np.abs(at @ axis) <= 0.5 * size * length2  # the place along an axis, by its own length
    return inside & (far > 0.0)
