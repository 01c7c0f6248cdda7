"""Findings about lights."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from durvan.crossing.document.changes import LeaveOut, Match
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.crossing.translation.rows import Row
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Thing

_SETUP = re.compile(r"(?i)(^|[_\s-])(setup|temp|test|helper|preview|wip|blocking)([_\s-]|$|\d)|(?i:setup)")


def setup(view: View, thing: Thing) -> Iterator[Finding]:
    """A light that is there for setting up, by its name."""
    if thing.kind is not Kind.LIGHT or not _SETUP.search(thing.name):
        return
    on = "on" if _shines(view, thing) else "off"
    remedy = Remedy("Leave it out", "Leave all {count} out", LeaveOut(thing=thing.id))
    yield Finding(
        "setup-light", Level.LOOK, "A light that is there for setting up, by its name", f"{thing.name} is {on}",
        "it may light what should stay dark", thing.id, "", "Survey", (("switched", on),), (remedy,),
    )  # fmt: skip


def _shines(view: View, thing: Thing) -> bool:
    """Whether a light is switched on, by what its dialect calls its switch; one without a switch is."""
    pack, root = view.source(thing), thing.root
    name = pack.playing(root.kind, "switch") if pack is not None and root is not None else None
    if pack is None or root is None or name is None:
        return True
    parameter = pack.parameter(root.kind, name)
    return bool(root.values.get(name, parameter.default if parameter is not None else True))


# What a light does that a target cannot, as packs name it (`told_by`): title, cause, consequence
_CANNOT = {
    "light-list": (
        "A light with a list of what it lights", "{thing} is kept from some things by a list; {target} has no lists",
        "it will light what stayed dark, and throw shadows that were left out",
    ),
    "shadowless": (
        "A light without shadows", "{thing} casts no shadows; every light of {target} does",
        "what it lit through will stand in its way",
    ),
    "decay": (
        "A light that weakens in its own way", "{thing} does not weaken with the square of the distance alone; lights of {target} do",
        "it will be too bright near it, or too dark far from it",
    ),
}  # fmt: skip


def cannot(view: View, thing: Thing) -> Iterator[Finding]:
    """What a light does and the target cannot: lists, no shadows, another decay."""
    if thing.kind is not Kind.LIGHT:
        return
    lost: dict[str, list[Row]] = {}
    for row in view.translation(thing).rows:
        if row.why.told_by in _CANNOT and row.fate is Fate.LOST and not row.targets:
            lost.setdefault(row.why.told_by, []).append(row)
    for code, rows in lost.items():
        title, cause, consequence = (said.format(thing=thing.name, target=view.target.title) for said in _CANNOT[code])
        evidence = tuple((row.parameter.replace("_", " "), f"{row.value} {row.unit}".strip()) for row in rows)
        yield Finding(code, Level.LOOK, title, cause, consequence, thing.id, rows[0].parameter, "Light", evidence)


def unbalanced(view: View) -> Iterator[Finding]:
    """Light on a probe, or one light's part in it, that differs by more than the limit, with what it comes from."""
    report = view.balance
    if report is None:
        return
    told: set[str] = set()
    for place, probe in enumerate(report.probes):
        apart = report.sum_apart(place)
        for part in report.parts:
            own = report.apart(part, place)
            if own is None or part.path in told or abs(own) <= view.light_limit or report.share(part, place) < _SHARE:
                continue
            told.add(part.path)
            evidence = (
                ("probe", probe.name), ("source", f"{report.lux(part, place, 'source'):.4g} lx"),
                ("target", f"{report.lux(part, place, 'target'):.4g} lx"), ("apart", in_stops(own)),
                ("all light there", in_stops(apart)),
            )  # fmt: skip
            match = Remedy("Make the budget match", "Make the budget match", Match(things=(part.path,)), bulk=False)
            yield Finding(
                "budget", Level.LOOK, "A light gives more or less than it did",
                f"{part.name} is {in_stops(own)} apart at {probe.name}{_because(view, part.path)}",
                f"all light there is {in_stops(apart)} apart", part.path, "", "Light", evidence, (match,),
            )  # fmt: skip


_SHARE = 0.05  # of all light on a probe that a light must have to matter


def in_stops(apart: float | None) -> str:
    """Stops in words."""
    if apart is None:
        return "dark on both sides"
    if math.isinf(apart):
        return "only in the target" if apart > 0.0 else "only in the source"
    return f"{round(apart, 2) + 0.0:+.2f} stops".replace("-", "−")


def _because(view: View, thing: str) -> str:
    """Why, as far as the ledger says it."""
    translation = view.plan.translations.get(thing)
    if translation is None:
        return ": it is not carried"
    worst = max((row for row in translation.rows if row.fate >= Fate.FITTED and row.reason), key=_weight, default=None)
    return f": {worst.reason[0].lower()}{worst.reason[1:].rstrip('.')}" if worst is not None else ""


def _weight(row: Row) -> tuple[bool, Fate]:
    return bool(row.why.told_by), row.fate


def none(view: View) -> Iterator[Finding]:
    """A scene without any light."""
    things = view.scene.things.values()
    if things and not any(thing.kind is Kind.LIGHT for thing in things):
        yield Finding(
            "no-light", Level.LOOK, "There is no light at all", "the scene holds no light", "the picture will be black",
            "", "", "Survey",
        )  # fmt: skip
