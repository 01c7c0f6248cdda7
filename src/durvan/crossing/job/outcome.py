"""The outcome: all that follows from a document, a scene and what was found out by looking; worked out as one value."""

from __future__ import annotations

import time
from collections.abc import Mapping
from dataclasses import dataclass, field

from durvan.crossing.document.bases import others
from durvan.crossing.document.document import Document
from durvan.crossing.findings import Findings, View
from durvan.crossing.findings.rules import look_over
from durvan.crossing.light.added import with_added
from durvan.crossing.light.report import LightReport
from durvan.crossing.looks.keys import LookKey
from durvan.crossing.looks.trials import Effects
from durvan.crossing.outside.lookup import Disk, seen
from durvan.crossing.outside.uses import PictureUse, uses_of
from durvan.crossing.translation.plan import Plan, plan
from durvan.dialects.registry import Registry
from durvan.files.audit import Verdict
from durvan.files.facts import Stamp
from durvan.progress import Report, Step, silent
from durvan.scene.bodies import Body
from durvan.scene.drift import Drift
from durvan.scene.model import Scene
from durvan.scene.said import Message
from durvan.scene.traits import Traits

Uses = Mapping[str, tuple[PictureUse, ...]]


@dataclass(frozen=True)
class Evidence:
    """What was found out by looking. Each is kept by what it is about, so that what is out of date matches nothing:
    verdicts by the picture's path, size and time of change, drifts by both networks and their pictures, the light by all
    that it was measured of, what wears each material and what it was recognised as by the scene that was read, what remedies do by what they were tried on."""

    disk: Disk = field(default_factory=Disk)
    verdicts: Mapping[Stamp, Verdict] = field(default_factory=dict)
    drifts: Mapping[LookKey, Drift] = field(default_factory=dict)
    light: LightReport | None = None
    bodies: Mapping[str, Body] = field(default_factory=dict)
    traits: Mapping[str, Traits] = field(default_factory=dict)
    effects: Effects = field(default_factory=dict)
    messages: tuple[Message, ...] = ()


@dataclass(frozen=True)
class Outcome:
    """What follows: the scene with its files, how pictures are used, the plan, the findings. Nothing of it changes."""

    revision: int
    read: Scene
    document: Document
    evidence: Evidence
    scene: Scene
    uses: Uses
    plan: Plan
    view: View
    findings: Findings


def what_leaves(old: Outcome, new: Outcome) -> list[object]:
    """The parts of an outcome that another one does not share. Whoever holds them lets the rest go at once."""
    kept, parts = new.plan.translations, new.findings.parts
    leaving: list[object] = [one for name, one in old.plan.translations.items() if kept.get(name) is not one]
    return leaving + [part for place, part in old.findings.parts.items() if parts.get(place) is not part]


def let_go(held: list[object]) -> None:
    """Let go of very much bit by bit; all at once, it would hold every thread up."""
    while held:
        del held[-100:]
        time.sleep(0.0)


def work_out(
    document: Document, read: Scene, registry: Registry, evidence: Evidence, previous: Outcome | None = None,
    revision: int = 0, report: Report = silent,
) -> Outcome:  # fmt: skip
    """All that follows from a document. Pure: nothing is read, written or changed.

    What stands in `previous` is taken from there where it depends on the same; the result is the same without it.
    Raises PackError and MisuseError for a target or scope that is none; `report` may raise Stopped.
    """
    if previous is not None and previous.read is not read:
        previous = None
    scene, uses = _scene(read, registry, evidence.disk, previous, report)
    there = previous.document.added if previous is not None and scene is previous.scene else ()
    if there != document.added:
        scene = with_added(scene, document.added)
    before = previous.plan if previous is not None else None
    planned = plan(scene, registry, document, report, before, evidence.disk.copies, evidence.bodies, evidence.traits)
    view = View(
        planned,
        registry,
        uses,
        evidence.verdicts,
        evidence.drifts,
        document.drift_limit,
        evidence.light,
        document.light_limit,
        evidence.messages,
        document.pins,
        others(document, read),
    )
    report(Step("Looking for what matters"))
    found = look_over(view, (previous.view, previous.findings) if previous is not None else None)
    return Outcome(revision, read, document, evidence, scene, uses, planned, view, found)


def _scene(read: Scene, registry: Registry, disk: Disk, previous: Outcome | None, report: Report) -> tuple[Scene, Uses]:
    if previous is None:
        report(Step("Looking at how pictures are used"))
        return seen(read, disk), uses_of(read, registry)
    if previous.evidence.disk is disk:
        return previous.scene, previous.uses
    return seen(read, disk, (previous.scene, previous.evidence.disk)), previous.uses
