"""What of a crossing's light is to be measured, and what is done to it: from a plan, without looking at any file."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace

from durvan.crossing.light.report import Portal
from durvan.crossing.translation.lighting import Handling
from durvan.crossing.translation.plan import Plan
from durvan.crossing.translation.result import Translation, in_target
from durvan.crossing.translation.translate import made
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.scene.model import Kind, Thing
from durvan.scene.probe import Probe


@dataclass(frozen=True)
class Wanted:
    """What is to be measured: the camera, the things of both sides (the target's without trims), and places that a person
    picked, in metres. `unseen` are the objects that the target hides from its cameras.
    """

    camera: str
    source: Sequence[Thing]
    target: Sequence[Thing]
    picked: tuple[Probe, ...] = ()
    grid: bool = True
    key: str = ""
    unseen: tuple[str, ...] = ()
    portals: tuple[Portal, ...] = ()


def stops_of(plan: Plan) -> dict[str, Handling]:
    """What is done to the light of each thing, where anything is."""
    return {
        name: one.inputs.light
        for name, one in plan.translations.items()
        if one.inputs is not None and not one.inputs.light.idle
    }


def untrimmed(plan: Plan, known: dict[str, tuple[Translation, Thing]] | None = None) -> list[Thing]:
    """The target's things without trims and with every light on; colours that are forced stay. `known` is kept by who asks,
    so that nothing is worked out twice.
    """
    out = []
    kept = known if known is not None else {}
    for name, one in plan.translations.items():
        thing = plan.scene.things[name]
        done = one.inputs.light if one.inputs is not None else None
        if one.inputs is None or done is None or (done.stops == 0.0 and done.sky == 0.0 and not done.off):
            out.append(in_target(thing, one))
            continue
        inputs = replace(one.inputs, light=replace(done, stops=0.0, sky=0.0, off=False))
        before = kept.get(name)
        if before is None or before[0].inputs is None or not before[0].inputs.same(inputs):
            bare = made(inputs)
            before = kept[name] = bare, in_target(thing, bare)
        out.append(before[1])
    return out


def wanted(
    plan: Plan, registry: Registry, camera: str, picked: tuple[Probe, ...] = (), grid: bool = True,
    known: dict[str, tuple[Translation, Thing]] | None = None,
) -> Wanted:  # fmt: skip
    """What is to be measured of a plan, seen by a camera."""
    meant = {thing.id: thing for thing in plan.corrected}
    source = [meant.get(thing.id, thing) for thing in plan.scene.own]
    target = untrimmed(plan, known)
    key = key_of(f"{camera} {plan.choices.unseen}", (source, target), registry)
    return Wanted(camera, source, target, picked, grid, key, plan.choices.unseen, portals_of(plan))


def portals_of(plan: Plan) -> tuple[Portal, ...]:
    """The portals of a plan's source that the target does not need, where they stand."""
    out = []
    for thing in plan.scene.of(Kind.LIGHT):
        one = plan.translations.get(thing.id)
        if one is None or len(thing.stands) != 16 or not any(why.told_by == "portal" for _, why in one.unsaid):
            continue
        width, height = one.common.get("width", 1.0), one.common.get("height", 1.0)
        if isinstance(width, float | int) and isinstance(height, float | int):
            out.append(Portal(thing.id, thing.stands, float(width), float(height)))
    return tuple(out)


def key_of(camera: str, sides: Iterable[Iterable[Thing]], registry: Registry) -> str:
    """What both sides are known by, as far as their light goes: lights, cameras, settings, and what glows."""
    told = hashlib.sha256(camera.encode())
    for things in sides:
        for thing in things:
            pack = registry.packs.get(thing.dialect)
            for node in thing.graph.nodes.values():
                values: Mapping[str, object] = dict(node.values)
                if thing.kind is Kind.MATERIAL:
                    values = _glowing(node.kind, values, pack)
                    if not values:
                        continue
                told.update(f"{thing.id}|{node.kind}|{sorted(values.items(), key=str)}|{thing.place}\n".encode())
    return told.hexdigest()[:24]


def _glowing(kind: str, values: Mapping[str, object], pack: Pack | None) -> dict[str, object]:
    """What a material's node says of its glow."""
    type_ = pack.type(kind) if pack is not None else None
    if type_ is None or type_.role != "surface":
        return {}
    return {name: value for name, value in values.items() if type_.family_of(name) == "glow"}  # type: ignore[misc]
