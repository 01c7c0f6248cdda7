"""Trims that make the budget match: bounded least squares over the lights that may move, and what it could not match."""

from __future__ import annotations

import math
from collections.abc import Collection, Mapping
from dataclasses import dataclass

import numpy as np

from durvan.crossing.light.report import DARK, LightReport, Part
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
    report: LightReport, wanted: Collection[str] = (), own: Mapping[str, float] | None = None
) -> tuple[Trim, ...]:
    """The trims of the lights in `wanted` (paths; all without) by which every probe gets the source's light.

    `own` are the stops that stand on each subject itself now; what else is on a light (of everything, of its kind) stays.

    Minimises the sums' and the lights' own differences relative to the source's sum at each probe (scipy's `lsq_linear`), within
    ±6 stops of what was measured. Of more than 200 lights those are moved whose difference matters most.
    """
    from scipy.optimize import lsq_linear  # a third of a second, which opening a scene need not wait for

    count = len(report.probes)
    source = np.array([report.sum(p, "source") for p in range(count)])
    lit = source > DARK
    movable = [
        part for part in report.parts
        if (not wanted or part.path in wanted) and part.target[lit].sum() > DARK and report.factor(part) > 0.0
    ]  # fmt: skip
    if len(movable) > _MANY:  # what gives least stays as it is
        movable = sorted(movable, key=lambda part: -max(report.missing(part, p) for p in range(count)))[:_MANY]
    moves = {id(part) for part in movable}
    fixed = np.array([
        sum(report.lux(part, p, "target") for part in report.parts if id(part) not in moves) for p in range(count)
    ])  # fmt: skip
    if not movable or not lit.any():
        return ()
    scale = np.where(lit, 1.0 / np.maximum(source, DARK), 0.0)
    bare = np.array([[_bare(part, p) * scale[p] for part in movable] for p in range(count)])
    rows, wants = [bare], [np.where(lit, (source - fixed) * scale, 0.0)]
    for number, part in enumerate(movable):
        alone = np.zeros((count, len(movable)))
        alone[:, number] = _EACH * bare[:, number]
        rows.append(alone)
        wants.append(_EACH * np.array([report.lux(part, p, "source") * scale[p] for p in range(count)]))
    share = np.array([max(report.share(part, p) for p in range(count)) for part in movable])
    still = _STILL * np.clip(1.0 - share / _SHOWS, 0.0, 1.0)  # what hardly shows is left as it is
    rows.append(np.diag(still))
    wants.append(still)
    size = np.maximum(np.linalg.norm(np.concatenate(rows), axis=0), 1e-12)
    solved = lsq_linear(
        np.concatenate(rows) / size, np.concatenate(wants), (2.0**-MOST * size, 2.0**MOST * size), method="bvls"
    )  # fmt: skip
    found = []
    for part, x in zip(movable, (solved.x / size).tolist(), strict=True):
        about = subject(part)
        others = math.log2(max(report.factor(part), 2.0**-60)) - (own or {}).get(about, 0.0)
        stops = math.log2(max(x, 2.0**-MOST))
        found.append(Trim(subject=about, stops=round((stops if abs(stops) >= _SEEN else 0.0) - others, 3)))
    return tuple(found)


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
