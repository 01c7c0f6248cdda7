"""The command that settles: tries every remedy and fit, and keeps what measurably helps. Imported when it is asked for."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from rich.console import Console
from rich.table import Table

from durvan.cli.light import light_as
from durvan.cli.printing import told
from durvan.crossing.job.measuring import measuring
from durvan.crossing.job.session import Session
from durvan.crossing.job.settling import take, work_of
from durvan.crossing.looks.appearance import Appearance, materials
from durvan.crossing.looks.light_trying import LightTrier
from durvan.crossing.looks.trials import DRIFT, STOPS, THE_LIGHT, Tried
from durvan.crossing.looks.trying import Trier
from durvan.formats.table import reader
from durvan.progress import Report, Step
from durvan.scene.shapes import Shapes


def settle(session: Session, apply: bool, report: Report) -> list[Tried]:
    """Try all that may help; with `apply` let it stand. The light is tried where it has been measured and something is open of it."""
    file = Path(session.scene.file)
    report(Step("Reading shapes"))
    shapes = reader(file).shapes(file, report)
    seen = measuring(session, report, shapes)
    session.recognise(report)
    _measure(session, seen, shapes, report)
    work = work_of(session)
    trier = Trier(seen, work.document, session.evidence.bodies, session.evidence.traits)
    found = []
    for done, subject in enumerate(work.subjects):
        report(Step(f"Trying {subject.pair.thing.name}", done, len(work.things)))
        found.append(trier.tried(subject))
    if work.lights:
        report(Step("Trying the light", len(work.subjects), len(work.things)))
        known = {report_.key: report_} if (report_ := session.evidence.light) is not None else {}
        lights = LightTrier(session.scene, session.registry, lambda one: light_as(session, one, shapes), known)
        found.append(lights.tried(work.lights, work.matches))
    for tried in found:
        session.tried(tried.effects)
    if apply:
        take(session, [tried.proposal for tried in found if tried.proposal is not None])
        session.renew(report)
    return found


def _measure(session: Session, seen: Appearance, shapes: Shapes, report: Report) -> None:
    """Measure every drift, and the light, so that their findings are open."""
    things = materials(session.scene, session.plan.translations)
    for done, thing in enumerate(things):
        report(Step(f"Measuring {thing.name}", done, len(things)))
        found = seen.drift(thing, session.plan.translations[thing.id])
        assert found is not None  # nobody stops it
        session.measured({session.key_of(thing): found})
    if session.camera:
        report(Step("Measuring the light"))
        session.lit(light_as(session, session.light_wanted(), shapes))
    session.renew(report)


def rows_of(found: list[Tried]) -> list[dict[str, Any]]:
    """What came of it, as data."""
    return [row for tried in found for row in _rows(tried)]


def _rows(tried: Tried) -> list[dict[str, Any]]:
    if tried.proposal is not None:
        one = tried.proposal
        return [
            {
                "thing": one.about, "does": list(one.labels), "before": round(one.effect.before, 3),
                "after": round(one.effect.after, 3), "unit": one.effect.unit, "stays": None,
            }
        ]  # fmt: skip
    if tried.stays is None:
        return []
    stays = tried.stays
    return [
        {"thing": stays.about, "does": [], "before": round(stays.apart, 3), "after": None, "unit": stays.unit, "stays": stays.why}
    ]  # fmt: skip


def tell(rows: list[dict[str, Any]], applied: bool, console: Console) -> None:
    """What would be done, and what stays."""
    does = sorted((row for row in rows if row["does"]), key=_gain)
    table = Table(box=None, pad_edge=False)
    for name in ("thing", "what"):
        table.add_column(name)
    for name in ("before", "after"):
        table.add_column(name, justify="right")
    for row in does:
        table.add_row(told(_name(row)), told(" + ".join(row["does"])), _number(row, "before"), _number(row, "after"))
    console.print(table)
    stays = sorted((row for row in rows if row["stays"]), key=lambda row: -float(row["before"]))
    if stays:
        console.print("\nwhat stays for a person")
        for row in stays:
            console.print(f"  {told(_name(row))} {_number(row, 'before')}: {told(row['stays'])}")
    done = "done" if applied else "offered; --apply lets them stand"
    console.print(f"\n{len(does)} things measurably better, {done}; {len(stays)} stay.")


def _gain(row: Mapping[str, Any]) -> tuple[bool, float]:
    return row["unit"] != DRIFT, float(row["after"]) - float(row["before"])


def _name(row: Mapping[str, Any]) -> str:
    name = str(row["thing"])
    return name if name == THE_LIGHT else name.rsplit("/", 1)[-1]


def _number(row: Mapping[str, Any], which: str) -> str:
    return f"{row[which]:.2f}{' stops' if row['unit'] == STOPS else ''}"
