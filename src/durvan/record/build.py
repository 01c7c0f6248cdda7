"""Gather what a record says, as plain data; the page and the JSON are made of the same."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from durvan import __version__
from durvan.crossing.findings import Finding
from durvan.crossing.job.session import Session
from durvan.crossing.translation.ledger import row_document, worst
from durvan.crossing.translation.rows import By
from durvan.engine.costs import Sources, cost_of, sources_of
from durvan.files.paths import shown
from durvan.scene.baking import Bake


def _baked(bake: Bake, sources: Sources) -> dict[str, Any]:
    """A baked picture; with what it cost, where it was painted already."""
    cost = cost_of(bake, sources)
    told = {} if cost is None else {"cost": round(cost.mean, 4), "cost_unit": cost.unit or "of 1"}
    return {"file": bake.name, "pixels": bake.size, "space": bake.space, **told}


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


def taken(session: Session) -> list[str]:
    """What a person has chosen and which remedies were taken, a sentence each."""
    document = session.document

    def named(thing: str) -> str:
        return thing.rsplit("/", 1)[-1]

    said = [f"{named(one.thing)}: {one.node}.{one.parameter} is taken for {one.value}" for one in document.values]
    said += [f"{named(one.thing)}: {one.node} is read as {one.case}" for one in document.readings]
    said += [f"{named(one.thing)}: the green of {one.node} is turned round" for one in document.turned]
    said += [f"{named(thing)} is left behind" for thing in document.left_out]
    said += [
        f"{named(one.into)} is worn in the place of {named(one.thing)}, which is the same" for one in document.merged
    ]
    said += [f"{one.what} of {named(one.subject)}: {one.how}" for one in document.policies]
    for note in document.notes:
        how = (
            f"fitted, which took the drift from {note.before:.2f} to {note.after:.2f}"
            if note.by is By.FIT
            else "set by hand"
        )
        said.append(f"{named(note.thing)}: {note.node}.{note.parameter} is {how}")
    said += [f"{shown(link.written)} is replaced by {shown(link.to)}" for link in document.links]
    if document.copies:
        said.append(f"the target reads tiled copies of its pictures ({shown(document.copies)})")
    return said


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
    out["taken"] = taken(session)
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
        traits = session.evidence.traits.get(thing.id)
        if traits is not None:
            kind = session.kind(thing.id)
            entry["recognised"] = {
                "kind": kind.value,
                "sure": traits.sure,
                "because": traits.because,
                "said": kind is not traits.kind,
            }
        if translation.bakes:
            entry["baked"] = [_baked(bake, sources_of(session.scene)) for bake in translation.bakes]
        drift = session.drift(thing.id)
        if drift is not None:
            entry["drift"] = {
                "mean": round(drift.mean, 3), "told": drift.told(2), "noise": round(drift.noise, 3), "worst": round(drift.worst, 3),
                "lighting": drift.lighting, "grade": drift.grade or None, "guessed": drift.guessed,
                "caveats": list(drift.caveats), "corrected": translation.meant is not None,
            }  # fmt: skip
        if rows:
            entry["rows"] = [row_document(row) for row in translation.rows]
        things.append(entry)
    out["ledger"] = things
    return out
