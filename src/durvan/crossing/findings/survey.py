"""Raise every finding of a scene and its plan."""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from durvan.crossing.findings import cameras, decoding, files, lights, looks, materials, networks
from durvan.crossing.findings.model import Finding
from durvan.crossing.outside.uses import PictureUse, of_thing
from durvan.crossing.translation.plan import Plan
from durvan.dialects.registry import Registry
from durvan.files.audit import Verdict
from durvan.scene.drift import Drift
from durvan.scene.model import Kind, Thing


def look_over(
    plan: Plan, registry: Registry, drifts: Mapping[str, Drift] | None = None, limit: float = 3.0,
    verdicts: Mapping[str, Verdict] | None = None, uses: Mapping[str, list[PictureUse]] | None = None,
) -> list[Finding]:  # fmt: skip
    """All findings, in a steady order; of the drifts that are known, those over the limit; of the
    pictures that were judged, what their pixels say. What a rule says of a value is in the ledger; here is what matters of it."""
    kinds: dict[tuple[int, str], dict[tuple[str, str], Finding]] = {}
    for finding in [*_all(plan, registry, verdicts or {}, uses), *looks.drifted(plan, drifts or {}, limit)]:
        kinds.setdefault((finding.level, finding.code), {}).setdefault((finding.key, finding.title), finding)
    # Kind by kind: one sort of them all would hold every other thread up for as long as it takes.
    out: list[Finding] = []
    for kind in sorted(kinds):
        out.extend(sorted(kinds[kind].values(), key=lambda finding: (finding.thing, finding.path)))
    return out


def _all(
    plan: Plan, registry: Registry, verdicts: Mapping[str, Verdict], uses: Mapping[str, list[PictureUse]] | None
) -> Iterator[Finding]:
    scene = plan.scene
    target = registry.get(plan.choices.target)
    outside = {file.written: file for file in scene.files.values()}
    carried: list[Thing] = [scene.things[name] for name in plan.translations]
    yield from networks.oddities(scene, set(plan.translations))
    yield from files.of(scene, set(plan.translations))
    for thing in carried:
        source = registry.packs.get(thing.dialect)
        reads = of_thing(thing, source) if uses is None else uses.get(thing.id, ())
        yield from decoding.of(thing, source, plan, outside, verdicts, reads)
        if thing.kind is Kind.MATERIAL:
            yield from materials.faked(thing, source, plan)
            yield from materials.binding(thing)
        elif thing.kind is Kind.LIGHT:
            yield from lights.of(thing, target)
        elif thing.kind is Kind.CAMERA:
            yield from cameras.clipping(thing, scene, source, target)
    yield from materials.alike(carried)
    if scene.things and not any(thing.kind is Kind.LIGHT for thing in scene.things.values()):
        yield from lights.none()
    yield from networks.rows(plan, target)
