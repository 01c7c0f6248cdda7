"""Lights that only the target has: as things of the scene, in UsdLux's words."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

from durvan.crossing.translation.choices import AddedLight
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.vocabulary import unit_factor


def with_added(scene: Scene, lights: Iterable[AddedLight], registry: Registry) -> Scene:
    """A scene with what a person adds to the target; where there is no pack for plain lights, as it was."""
    pack = registry.plain
    if pack is None:
        return scene
    things = {thing.id: thing for thing in scene.own}
    for light in lights:
        if light.path not in things:
            things[light.path] = thing_of(light, pack, scene.metres_per_unit)
    return replace(scene, things=things)


def thing_of(light: AddedLight, pack: Pack, metres_per_unit: float) -> Thing:
    """An added light as a thing; its lengths, which are stated in metres, in the stage's unit."""
    name = light.path.rpartition("/")[2]
    kind = next(
        (word for word, one in pack.vocabulary.types.items() if light.prim in one.prims and one.role == "light"), ""
    )
    values: dict[str, Value] = {}
    known = pack.vocabulary.types[kind].parameters if kind else {}
    for port, value in light.values:
        parameter = known.get(port)
        if parameter is None or parameter.wrong(value):
            continue
        factor = unit_factor("m", parameter.unit, metres_per_unit) if parameter.unit.startswith("scene") else None
        values[port] = value * factor if factor is not None and isinstance(value, float) else value
    thing = Thing(light.path, name, Kind.LIGHT, Graph(), pack.name, prim_type=light.prim, place=light.place)
    thing.context.update(metres_per_unit=metres_per_unit, map_lux=math.pi, map_mean=1.0)
    thing.graph.add(Node(name, kind, values))
    thing.graph.outputs["light"] = Link(name)
    return thing
