"""Trims that make the budget match: bounded least squares over the lights that may move, and what it could not match."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from durvan.crossing.light.report import DARK, LightReport, Part, stops_apart
from durvan.crossing.translation.choices import Trim
from durvan.crossing.translation.lighting import ENVIRONMENT
from durvan.optics.colour import REC709_LUMINANCE

MOST = 6.0  # stops that a trim may go by itself
_STILL, _SHOWS = 0.05, 0.01  # how much a light is held where it is that gives next to nothing, and what share that is
_EACH = 0.35  # how much the lights by themselves count beside the sums
_MANY = 200  # lights that are solved for at once: those whose difference matters most
_CLOSE, _SEEN = 0.1, 0.02  # stops: what counts as matched, and what nobody sees


@dataclass(frozen=True)
class Unmatched:
    """What is left: a light or ("" ) all light on a probe, how many stops it is apart still, and why."""

    about: str
    probe: str
    apart: float
    why: str


def match(
    report: LightReport,
    wanted: Collection[str] = (),
    own: Mapping[str, float] | None = None,
    stands_for: Mapping[str, str] | None = None,
) -> tuple[Trim, ...]:
    """The trims of the lights in `wanted` (paths; all without) by which every probe gets the source's light.

    `own` are the stops that stand on each subject itself now; what else is on a light (of everything, of its kind) stays. `stands_for` are
    added lights and what each stands in the place of: that is matched by it, and is not moved itself. A light that is off as somebody wants
    it is not missed, and one that is right by itself (within a tenth of a stop on every probe) is never moved.

    Minimises the sums' and the lights' own differences relative to the source's sum at each probe (scipy's `lsq_linear`), within
    ±6 stops of what was measured. Of more than 200 lights those are moved whose difference matters most.
    """
    from scipy.optimize import lsq_linear  # a third of a second, which opening a scene need not wait for

    count = len(report.probes)
    meant = _Meant(report, stands_for or {})
    source = np.array([meant.sum(p) for p in range(count)])
    lit = source > DARK
    movable = [
        part for part in report.parts
        if (not wanted or part.path in wanted) and part.target[lit].sum() > DARK and report.factor(part) > 0.0
        and not meant.is_right(part) and part.path not in meant.replaced
    ]  # fmt: skip
    if len(movable) > _MANY:  # what gives least stays as it is
        movable = sorted(movable, key=lambda part: -max(report.missing(part, p) for p in range(count)))[:_MANY]
    moves = {id(part) for part in movable}
    still = _still_skies(report, movable)
    alone = sum(1 for part in report.parts if part.is_environment) == 1  # then a sky can be held where it is
    skies = {} if alone else still
    moves |= {id(sky) for sky in skies.values()}
    fixed = np.array([
        sum(report.lux(part, p, "target") for part in report.parts if id(part) not in moves) for p in range(count)
    ])  # fmt: skip
    if not movable or not lit.any():
        return ()
    scale = np.where(lit, 1.0 / np.maximum(source, DARK), 0.0)
    bare = np.array([[_with_sky(report, part, skies, p) * scale[p] for part in movable] for p in range(count)])
    rows, wants = [bare], [np.where(lit, (source - fixed) * scale, 0.0)]
    for number, part in enumerate(movable):
        single = np.zeros((count, len(movable)))
        single[:, number] = [_EACH * _bare(part, p) * scale[p] for p in range(count)]
        rows.append(single)
        wants.append(_EACH * np.array([meant.lux(part, p) * scale[p] for p in range(count)]))
    share = np.array([max(report.share(part, p) for p in range(count)) for part in movable])
    held = _STILL * np.clip(1.0 - share / _SHOWS, 0.0, 1.0)  # what hardly shows is left as it is
    rows.append(np.diag(held))
    wants.append(held)
    size = np.maximum(np.linalg.norm(np.concatenate(rows), axis=0), 1e-12)
    solved = lsq_linear(
        np.concatenate(rows) / size, np.concatenate(wants), (2.0**-MOST * size, 2.0**MOST * size), method="bvls"
    )  # fmt: skip
    found = []
    for part, x in zip(movable, (solved.x / size).tolist(), strict=True):
        about = subject(part)
        others = math.log2(max(report.factor(part), 2.0**-60)) - (own or {}).get(about, 0.0)
        stops = math.log2(max(x, 2.0**-MOST))
        found.append((part, about, (stops if abs(stops) >= _SEEN else 0.0) - others))
    trims = {about: stops for _, about, stops in found}
    for part, about, stops in found:
        if part.part == "sky":  # what its sun is trimmed by, it is trimmed by already
            trims[about] = stops - _moved(part.path, trims, own or {})
    for path in still if alone else ():
        if abs(_moved(path, trims, own or {})) >= _SEEN:
            trims[ENVIRONMENT] = (own or {}).get(ENVIRONMENT, 0.0) - _moved(path, trims, own or {})
    return tuple(Trim(subject=about, stops=round(stops, 3)) for about, stops in trims.items())


class _Meant:
    """What each light is meant to give: what the source's does, or that which it stands for. `replaced` are those that others stand for."""

    def __init__(self, report: LightReport, stands_for: Mapping[str, str]) -> None:
        self.report = report
        there = {part.path for part in report.parts}
        self.of = {new: old for new, old in stands_for.items() if new in there}
        self.replaced = frozenset(self.of.values())
        self._lux: dict[tuple[str, str], list[float]] = {}
        for part in report.parts:
            lux = [report.lux(part, p, "source") for p in range(len(report.probes))]
            done = report.stops.get(part.path)
            self._lux[part.path, part.part] = [0.0] * len(lux) if done is not None and done.off else lux

    def lux(self, part: Part, probe: int) -> float:
        """Of one light on a probe; several that stand for one share it evenly."""
        old = self.of.get(part.path)
        if old is None:
            return self._lux[part.path, part.part][probe]
        several = sum(1 for other in self.of.values() if other == old)
        return sum(lux[probe] for (path, _), lux in self._lux.items() if path == old) / several

    def sum(self, probe: int) -> float:
        """Of all light on a probe."""
        return sum(lux[probe] for lux in self._lux.values())

    def is_right(self, part: Part) -> bool:
        """Whether a light is within a tenth of a stop of what it is meant to give, wherever it gives any."""
        pairs = [(self.lux(part, p), self.report.lux(part, p, "target")) for p in range(len(self.report.probes))]
        apart = [stops_apart(one, two) for one, two in pairs]
        return all(one is None or abs(one) < _CLOSE for one in apart)


def _moved(path: str, trims: Mapping[str, float], own: Mapping[str, float]) -> float:
    """By how many stops a light's own trim has changed."""
    return trims[path] - own.get(path, 0.0) if path in trims else 0.0


def _still_skies(report: LightReport, movable: Collection[Part]) -> dict[str, Part]:
    """The skies that are not to be moved by themselves, of suns that are, by path: a sun's trim is its sky's, too."""
    chosen = {id(part) for part in movable}
    suns = {part.path for part in movable if part.part != "sky"}
    return {
        part.path: part for part in report.parts if part.part == "sky" and part.path in suns and id(part) not in chosen
    }


def _with_sky(report: LightReport, part: Part, skies: Mapping[str, Part], probe: int) -> float:
    """What a factor of 1 on a light gives, with the sky that follows it."""
    sky = skies.get(part.path) if part.part != "sky" else None
    follows = report.factor(sky) / max(report.factor(part), 2.0**-60) * _bare(sky, probe) if sky is not None else 0.0
    return _bare(part, probe) + follows


def subject(part: Part) -> str:
    """What a trim of a part is about; that of a sky which is one with its sun is the environment's."""
    return ENVIRONMENT if part.part == "sky" else part.path


def left(report: LightReport, wanted: Collection[str] = ()) -> tuple[Unmatched, ...]:
    """What a report, with its trims, still leaves apart by more than a tenth of a stop."""
    return tuple(_left(report, wanted))


def _bare(part: Part, probe: int) -> float:
    return float(part.target[probe] @ np.array(REC709_LUMINANCE))


def _left(report: LightReport, wanted: Collection[str]) -> list[Unmatched]:
    out = []
    for p, probe in enumerate(report.probes):
        whole = report.sum_apart(p)
        if whole is not None and abs(whole) > _CLOSE:
            worst = report.order(p)[0]
            out.append(Unmatched("", probe.name, whole, _why(report, worst, p, wanted)))
    for part in report.silent():
        lost = max(range(len(report.probes)), key=lambda p: report.lux(part, p, "source"))
        if report.lux(part, lost, "source") > 0.01 * max(report.sum(lost, "source"), DARK):
            out.append(Unmatched(part.path, report.probes[lost].name, -math.inf, "it gives nothing in the target"))
    return out


def _why(report: LightReport, part: Part, probe: int, wanted: Collection[str]) -> str:
    apart = report.apart(part, probe)
    if wanted and part.path not in wanted:
        return f"{part.name} was not to be moved"
    if apart == -math.inf:
        return f"{part.name} gives nothing there in the target"
    if apart == math.inf:
        return f"{part.name} gives light there in the target alone"
    done = report.stops.get(part.path)
    if done is not None and abs(done.stops) >= MOST - 0.01:
        return f"{part.name} would have to go past {MOST:g} stops"
    return f"{part.name} falls differently on the probes; one trim cannot mend all of them"
