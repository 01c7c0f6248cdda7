"""Lights that only the target has: as things of the scene, on the common ground."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace

from durvan.crossing.translation.choices import AddedLight
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.vocabulary import common_ground


def with_added(scene: Scene, lights: Iterable[AddedLight]) -> Scene:
    """A scene with what a person adds to the target."""
    things = {thing.id: thing for thing in scene.own}
    for light in lights:
        if light.path not in things:
            things[light.path] = thing_of(light)
    return replace(scene, things=things)


def thing_of(light: AddedLight) -> Thing:
    """An added light as a thing: it stands on the common ground already, with lengths in metres."""
    name = light.path.rpartition("/")[2]
    known = common_ground().types[light.prim].parameters if light.prim in common_ground().types else {}
    values = {port: value for port, value in light.values if port in known and not known[port].wrong(value)}
    thing = Thing(light.path, name, Kind.LIGHT, Graph(), prim_type=light.prim, place=light.place, stands=light.place)
    thing.context.update(map_lux=math.pi, map_mean=1.0)
    if known:
        thing.graph.add(Node(name, light.prim, values))
        thing.graph.outputs["light"] = Link(name)
    return thing
