"""Gather what a record says, as plain data; the page and the JSON are made of the same."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from durvan import __version__
from durvan.crossing.findings import Finding
from durvan.crossing.job.session import Session
from durvan.crossing.translation.ledger import row_document, worst
from durvan.files.paths import shown


def finding_document(finding: Finding, accepted: str = "") -> dict[str, Any]:
    """A finding as plain data."""
    return {
        "code": finding.code,
        "level": finding.level.word,
        "title": finding.title,
        "cause": finding.cause,
        "consequence": finding.consequence,
        "thing": finding.thing,
        "path": finding.path,
        "evidence": dict(finding.evidence),
        "remedies": [remedy.label for remedy in finding.remedies],
        "accepted": accepted,
    }


def summary(session: Session) -> dict[str, Any]:
    """The crossing in numbers: the scene, the fates, the grid of families, the findings by group."""
    plan, scene = session.plan, session.scene
    ledger = plan.ledger
    kinds: dict[str, int] = {}
    for thing in scene.things.values():
        kinds[thing.kind.value] = kinds.get(thing.kind.value, 0) + 1
    return {
        "durvan": __version__,
        "source": Path(scene.file).name,
        "title": scene.name,
        "source_sha256": session.document.source_sha256,
        "from": scene.dialect,
        "to": plan.choices.target,
        "scope": plan.choices.scope,
        "placement": plan.choices.placement.value,
        "metres_per_unit": scene.metres_per_unit,
        "up_axis": scene.up_axis,
        "things": kinds,
        "meshes": scene.meshes,
        "pictures": len(scene.pictures),
        "rows": len(ledger),
        "fates": {fate.word: count for fate, count in ledger.counts().items()},
        "families": {
            family: {fate.word: count for fate, count in cells.items() if count}
            for family, cells in ledger.grid().items()
        },
        "open": {
            "stop": len(session.stops()),
            "all": len(session.open),
        },
    }


def record(session: Session, rows: bool = True) -> dict[str, Any]:
    """Everything that the record says."""
    out = summary(session)
    out["findings"] = [
        {
            "code": group.code,
            "level": group.level.word,
            "title": group.title,
            "count": group.count,
            "findings": [finding_document(f, session.accepted(f)) for f in group.findings],
        }
        for group in session.now.findings.groups
    ]
    out["files"] = [
        {
            "written": shown(file.written),
            "state": file.state.value,
            "kind": file.kind.value,
            "linked": shown(file.linked),
            "root": shown(file.root),
            "bytes": file.size,
        }
        for file in session.scene.files.values()
    ]
    if session.carried is not None:
        out["written"] = {
            "file": session.carried.file.name,
            "sha256": session.carried.sha256,
            "checked": session.carried.checked,
        }
    things = []
    for translation in session.plan.translations.values():
        thing = session.scene.things[translation.thing]
        fate = worst(session.plan.ledger.tally(translation.thing))
        entry: dict[str, Any] = {
            "path": thing.id,
            "name": thing.name,
            "kind": thing.kind.value,
            "dialect": thing.dialect,
            "worst": fate.word if fate is not None else "",
            "count": len(translation.rows),
        }
        if rows:
            entry["rows"] = [row_document(row) for row in translation.rows]
        things.append(entry)
    out["ledger"] = things
    return out
