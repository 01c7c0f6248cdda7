"""Gather what a record says, as plain data; the page and the JSON are made of the same."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from durvan import __version__
from durvan.crossing.document.decided import decisions, is_path
from durvan.crossing.findings import Finding
from durvan.crossing.job.session import Session
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.ledger import row_document, worst
from durvan.engine.costs import Sources, cost_of, sources_of
from durvan.files.paths import shown
from durvan.identity import leaf
from durvan.scene.baking import Bake
from durvan.scene.model import Scene


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
    """All that was decided, by a person or by remedies that were taken, a sentence each; what has no effect is marked as such."""
    document, scene = session.document, session.scene
    idle = {
        (f.path if not f.thing else f.thing, f.path if f.thing else "")
        for f in session.findings
        if f.code == "about-nothing"
    }
    said = []
    for one in decisions(document):
        nothing = (one.about, "") in idle or (one.about, one.node) in idle
        said.append(
            f"{_named(one.about, scene)}: {one.words}{' (this has no effect: it is about nothing)' if nothing else ''}"
        )
    said += [f"{shown(link.written)} is replaced by {shown(link.to)}" for link in document.links]
    usual = Choices(target=document.target)
    whole = {
        "copies": f"the target reads tiled copies of its pictures ({shown(document.copies)})",
        "scope": f"only {document.scope} is carried",
        "placement": f"the target is written {document.placement.value}",
        "written_as": f"the target is written as {document.written_as}",
        "balanced": f"the target's light is balanced for {document.balanced:g} K, in its cameras' place",
        "kelvin": f"temperatures that the target does not know become colours of {document.kelvin} lights",
        "setup_names": f"lights called {', '.join(document.setup_names)} are kept off",
        "in_use": f"the settings are those of “{document.in_use}”",
    }
    return said + [words for name, words in whole.items() if getattr(document, name) != getattr(usual, name)]


def _named(about: str, scene: Scene) -> str:
    thing = scene.things.get(about)
    return thing.name if thing is not None else leaf(about) if is_path(about) else about


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
            "as_it_stands": session.is_carried,
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
