"""What is known of a crossing's light at some probes: each light on both sides, sums, key and fill, colour; in lux and stops.

What was measured of the target is without trims; these are multiplied in, so that they can be tried without measuring again.
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, fields, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.light.ladder import Ladder
from durvan.crossing.translation.lighting import ENVIRONMENT, GLOW, Handling
from durvan.optics.colour import REC709_LUMINANCE, kelvin_and_duv
from durvan.scene.probe import Probe

Floats = NDArray[np.float64]
DARK = 1e-6  # lux: what is less counts as none
_WEIGHTS = np.array(REC709_LUMINANCE)
_FAR = 4.0  # stops apart; more matters no more


@dataclass(frozen=True)
class Part:
    """One light, or the sky of one that is both sun and sky (`part` "sky"): lux at each probe [probes, 3] as linear Rec.709,
    on the source's side and on the target's, the latter without trims. `what` is its kind on the common ground.
    """

    path: str
    name: str
    what: str
    part: str
    source: Floats
    target: Floats

    @property
    def is_environment(self) -> bool:
        """Whether it is light from all around."""
        return self.what == ENVIRONMENT


@dataclass(frozen=True)
class Blocker:
    """An object that stands between the camera and what it clips away: its path, the share of the picture that it covers once what
    stands before it is gone, and the share that it has of the picture as it is, beyond the clip.
    """

    path: str
    share: float
    seen: float = 0.0


@dataclass(frozen=True)
class Sight:
    """What a camera would see without its near clip: what stands in its way, one thing behind the other, how much of the picture that
    covers, how far away the subject is (metres), whether the camera stands outside of what closes about its subject, and the part of
    the picture that would show other things if it went forward to its clip. `keeps` is the distance at which things would have to keep
    their size for that part to be least, which is `kept` then; `cleared` says that nothing stands behind
    the blockers any more. Found by rays.
    """

    near: float = 0.0
    subject: float = 0.0
    blockers: tuple[Blocker, ...] = ()
    outside: bool = False
    share: float = 0.0
    moved: float = 0.0
    keeps: float = 0.0
    kept: float = 0.0
    cleared: bool = True


@dataclass(frozen=True)
class Portal:
    """An opening that guides the surroundings' light: where it stands (a world matrix, metres) and its size in metres."""

    path: str
    place: tuple[float, ...]
    width: float
    height: float


@dataclass(frozen=True)
class Opening:
    """What a portal would have done at the probe where it does most: the part of the surroundings' light that comes through it, and
    the part of all ways from there that find it unguided.
    """

    path: str
    probe: str = ""
    share: float = 0.0
    found: float = 0.0


@dataclass(frozen=True)
class Emitter:
    """What glows of one material in the source: its middle, axes (rows) and half sizes in metres, area in m², luminance in nit as
    linear Rec.709, how solid it is to the eye, and the objects it is on.
    """

    path: str
    middle: tuple[float, float, float]
    axes: tuple[tuple[float, float, float], ...]
    half: tuple[float, float, float]
    area: float
    luminance: tuple[float, float, float]
    opacity: float
    objects: tuple[str, ...]


@dataclass(frozen=True)
class _Bare:
    """What was measured, as tables: where each part stands (by its id), colours [parts, probes, 3] and lux [parts, probes] of both
    sides, and the source's sums [probes, 3].
    """

    places: Mapping[int, int]
    source: Floats
    target: Floats
    source_lux: Floats
    target_lux: Floats
    source_sum: Floats

    @classmethod
    def of(cls, parts: Sequence[Part], probes: int) -> _Bare:
        """Those of some parts."""
        nothing = np.zeros((0, probes, 3))
        source = np.stack([part.source for part in parts]) if parts else nothing
        target = np.stack([part.target for part in parts]) if parts else nothing
        places = {id(part): place for place, part in enumerate(parts)}
        return cls(places, source, target, source @ _WEIGHTS, target @ _WEIGHTS, source.sum(axis=0))


@dataclass(frozen=True)
class LightReport:
    """The light of a crossing at some probes, and the way from there to the picture on both sides. `key` says what was measured;
    `stops` are the trims by path, which are multiplied in; `notes` are what could not be taken into account; `glowing` are
    the objects that light by their glow in the target, `openings` what portals would have done that the target does not need.
    """

    key: str
    probes: tuple[Probe, ...]
    parts: tuple[Part, ...]
    ladder: Ladder
    camera: str = ""
    stops: Mapping[str, Handling] = field(default_factory=dict)
    notes: tuple[str, ...] = ()
    sight: Sight = Sight()
    emitters: tuple[Emitter, ...] = ()
    glowing: tuple[str, ...] = ()
    openings: tuple[Opening, ...] = ()

    def __getstate__(self) -> dict[str, object]:
        """Only what it holds travels: tables are by the ids of its parts, which are others elsewhere."""
        return {one.name: getattr(self, one.name) for one in fields(self)}

    def trimmed(self, stops: Mapping[str, Handling]) -> LightReport:
        """The same light with other trims."""
        made = replace(self, stops=stops)
        made.__dict__["_bare"] = self._bare  # what was measured is the same, however it is trimmed
        return made

    def factor(self, part: Part) -> float:
        """What trims make of a part of the target."""
        done = self.stops.get(part.path)
        return 1.0 if done is None else done.factor(part.part)

    @cached_property
    def _bare(self) -> _Bare:
        return _Bare.of(self.parts, len(self.probes))

    @cached_property
    def _factors(self) -> Floats:
        """What trims make of each part of the target [parts]."""
        return np.array([self.factor(part) for part in self.parts]) if self.stops else np.ones(len(self.parts))

    @cached_property
    def _lux(self) -> dict[str, Floats]:
        """What each part puts on each probe, by side, with trims: lux [parts, probes]."""
        return {"source": self._bare.source_lux, "target": self._factors[:, None] * self._bare.target_lux}

    @cached_property
    def _sums(self) -> dict[str, Floats]:
        """All light on each probe, by side: [probes, 3]."""
        target = np.tensordot(self._factors, self._bare.target, axes=1)
        return {"source": self._bare.source_sum, "target": target}

    @cached_property
    def _wholes(self) -> dict[str, list[float]]:
        return {side: (found @ _WEIGHTS).tolist() for side, found in self._sums.items()}

    def astray(self, stands_for: Mapping[str, str] | None = None) -> float:
        """How far the light is apart, in stops, in the mean of the probes: all of it together, or if that is more, each light by its
        share. A light that `stands_for` another one counts with that; one that is off as somebody wants it does not count.
        """
        names = stands_for or {}
        groups: dict[str, list[int]] = {}
        for place, part in enumerate(self.parts):
            done = self.stops.get(part.path)
            if done is None or not done.off:
                groups.setdefault(f"{names.get(part.path, part.path)} {part.part}", []).append(place)
        lux = {side: [found[places].sum(axis=0) for places in groups.values()] for side, found in self._lux.items()}
        each = [
            self._astray(np.array(lux["source"])[:, p], np.array(lux["target"])[:, p]) for p in range(len(self.probes))
        ]
        return float(np.mean(each)) if each and groups else 0.0

    @staticmethod
    def _astray(source: Floats, target: Floats) -> float:
        """The same at one probe, of lights in lux."""
        wholes = float(source.sum()), float(target.sum())
        out = min(abs(stops_apart(*wholes) or 0.0), _FAR)
        each = 0.0
        for one, two in zip(source.tolist(), target.tolist(), strict=True):
            share = max(part / whole if whole > DARK else 0.0 for part, whole in zip((one, two), wholes, strict=True))
            each += min(abs(stops_apart(one, two) or 0.0), _FAR) * share
        return max(out, each)

    def order(self, probe: int) -> list[Part]:
        """The lights, those first whose difference at a probe matters most, and of equal ones those that give most."""
        lux = {side: found[:, probe] for side, found in self._lux.items()}
        share = np.zeros(len(self.parts))
        for side, found in lux.items():
            whole = self.sum(probe, side)
            if whole > DARK:
                share = np.maximum(share, found / whole)
        lit = {side: found > DARK for side, found in lux.items()}
        with np.errstate(divide="ignore", invalid="ignore"):
            apart = np.abs(np.log2(lux["target"] / lux["source"]))
        apart = np.where(
            lit["source"] & lit["target"], np.minimum(apart, _FAR), np.where(lit["source"] | lit["target"], _FAR, 0.0)
        )
        missing = np.round(apart * share, 3)
        return [self.parts[place] for place in np.lexsort((-share, -missing))]

    def silent(self) -> list[Part]:
        """The lights that reach a probe in the source, and none in the target."""
        if not self.probes:
            return []
        lost = (self._lux["target"] <= DARK).all(axis=1) & (self._lux["source"] > DARK).any(axis=1)
        return [self.parts[place] for place in np.flatnonzero(lost)]

    def lux(self, part: Part, probe: int, side: str) -> float:
        """What a light puts on a probe on one side ("source" or "target", with its trims), in lux."""
        return float(self._lux[side][self._bare.places[id(part)], probe])

    def colour(self, probe: int, side: str) -> Floats:
        """All light on a probe, in lux as linear Rec.709 [3]."""
        found: Floats = self._sums[side][probe]
        return found

    def strongest(self, probe: int) -> float:
        """What the strongest light puts on a probe, on either side, in lux."""
        return max((float(found[:, probe].max()) for found in self._lux.values() if len(found)), default=0.0)

    def sum(self, probe: int, side: str) -> float:
        """All light on a probe in lux."""
        return self._wholes[side][probe]

    def apart(self, part: Part, probe: int) -> float | None:
        """By how many stops the target's light is brighter; None where neither side has any, ±infinity where only one has."""
        return stops_apart(self.lux(part, probe, "source"), self.lux(part, probe, "target"))

    def sum_apart(self, probe: int) -> float | None:
        """By how many stops all light of the target is brighter."""
        return stops_apart(self.sum(probe, "source"), self.sum(probe, "target"))

    def share(self, part: Part, probe: int) -> float:
        """The larger share that a light has of all light on a probe, on either side, 0 to 1."""
        shares = []
        for side in ("source", "target"):
            whole = self.sum(probe, side)
            shares.append(self.lux(part, probe, side) / whole if whole > DARK else 0.0)
        return max(shares)

    def key_to_fill(self, probe: int, side: str) -> float | None:
        """The strongest light against all others together, as a ratio; None where there is only one, or none."""
        every = self._lux[side][:, probe]
        if not len(every):
            return None
        key = float(every.max())
        fill = float(every.sum()) - key
        return (key + fill) / fill if fill > DARK else None

    def temperature(self, probe: int, side: str) -> tuple[float, float] | None:
        """The colour of all light on a probe, as kelvin and Duv; None in the dark."""
        return kelvin_and_duv(self.colour(probe, side).tolist()) if self.sum(probe, side) > DARK else None

    def missing(self, part: Part, probe: int) -> float:
        """How much a difference matters: stops that a light is apart (at most 4), times its share."""
        apart = self.apart(part, probe)
        return 0.0 if apart is None else min(abs(apart), _FAR) * self.share(part, probe)


def stops_apart(source: float, target: float) -> float | None:
    """Stops from one illuminance to another, both in lux; None where neither is any.

    >>> stops_apart(100.0, 400.0), stops_apart(0.0, 0.0)
    (2.0, None)
    """
    if source <= DARK and target <= DARK:
        return None
    if source <= DARK:
        return math.inf
    return -math.inf if target <= DARK else math.log2(target / source)


def titled(what: str) -> str:
    """A kind of light as people read it."""
    known = {
        "RectLight": "panel", "DiskLight": "disc", "SphereLight": "ball", "CylinderLight": "tube", "DistantLight": "far",
        "DomeLight": "environment", ENVIRONMENT: "environment", "MeshLight": "mesh", GLOW: "glow", "Daylight": "sun",
        "PortalLight": "portal",
    }  # fmt: skip
    return known.get(what, what.removesuffix("Light").lower() or "light")
