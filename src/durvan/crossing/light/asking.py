"""What of a crossing's light is to be measured, and what is done to it: from a plan, without looking at any file."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from durvan.crossing.light.report import Portal
from durvan.crossing.translation.lighting import Handling
from durvan.crossing.translation.plan import Plan
from durvan.crossing.translation.result import Inputs, Translation, in_target
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


@dataclass(frozen=True)
class Untrimmed:
    """A thing of the target without trims, what it came from, and what it tells of its light."""

    inputs: Inputs | None
    thing: Thing
    told: str


class Known:
    """What was worked out for former questions, so that of many lights only those are looked at again that are other than before.
    Kept by who asks.
    """

    def __init__(self) -> None:
        self.target: dict[str, tuple[Translation, Untrimmed]] = {}
        self.source: dict[str, tuple[Thing, str]] = {}

    def learn(self, other: Known) -> None:
        """Take over what another one knows."""
        self.target.update(other.target)
        self.source.update(other.source)

    def of_target(self, name: str, one: Translation, plan: Plan, registry: Registry) -> Untrimmed:
        """A thing of the target without trims and with its light on; a colour that is forced stays."""
        before = self.target.get(name)
        if before is not None and before[0] is one:
            return before[1]
        found = _untrimmed(plan.scene.things[name], one, before[1] if before is not None else None, registry)
        self.target[name] = one, found
        return found

    def of_source(self, thing: Thing, registry: Registry) -> str:
        """What a thing of the source tells of its light."""
        before = self.source.get(thing.id)
        if before is None or before[0] is not thing:
            before = self.source[thing.id] = thing, _told(thing, registry)
        return before[1]


def _untrimmed(thing: Thing, one: Translation, before: Untrimmed | None, registry: Registry) -> Untrimmed:
    done = one.inputs.light if one.inputs is not None else None
    if one.inputs is None or done is None or (done.stops == 0.0 and done.sky == 0.0 and not done.off):
        found = in_target(thing, one)
        return Untrimmed(one.inputs, found, _told(found, registry))
    inputs = replace(one.inputs, light=replace(done, stops=0.0, sky=0.0, off=False))
    if before is not None and before.inputs is not None and before.inputs.same(inputs):
        return before
    found = in_target(thing, made(inputs))
    return Untrimmed(inputs, found, _told(found, registry))


def wanted(
    plan: Plan, registry: Registry, camera: str, picked: tuple[Probe, ...] = (), grid: bool = True,
    known: Known | None = None,
) -> Wanted:  # fmt: skip
    """What is to be measured of a plan, seen by a camera."""
    known = known or Known()
    meant = {thing.id: thing for thing in plan.corrected}
    source = [meant.get(thing.id, thing) for thing in plan.scene.own]
    target = [known.of_target(name, one, plan, registry) for name, one in plan.translations.items()]
    told = hashlib.sha256(f"{camera} {plan.choices.unseen}".encode())
    for text in (*(known.of_source(thing, registry) for thing in source), *(one.told for one in target)):
        told.update(text.encode())
    key = told.hexdigest()[:24]
    return Wanted(
        camera, source, [one.thing for one in target], picked, grid, key, plan.choices.unseen, portals_of(plan)
    )


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


def _told(thing: Thing, registry: Registry) -> str:
    """What a thing is known by as far as light goes: lights, cameras, settings, and what glows."""
    pack, out = registry.packs.get(thing.dialect), []
    for node in thing.graph.nodes.values():
        values: Mapping[str, object] = dict(node.values)
        if thing.kind is Kind.MATERIAL:
            values = _glowing(node.kind, values, pack)
            if not values:
                continue
        out.append(f"{thing.id}|{node.kind}|{sorted(values.items(), key=str)}|{thing.place}\n")
    return "".join(out)


def _glowing(kind: str, values: Mapping[str, object], pack: Pack | None) -> dict[str, object]:
    """What a material's node says of its glow."""
    type_ = pack.type(kind) if pack is not None else None
    if type_ is None or type_.role != "surface":
        return {}
    return {name: value for name, value in values.items() if type_.family_of(name) == "glow"}  # type: ignore[misc]
