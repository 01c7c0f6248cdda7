"""A scene as the core sees it: materials, lights, cameras, settings, pictures, and what was odd about the file."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from enum import StrEnum

from durvan.scene.graph import Graph, Node


class Kind(StrEnum):
    """What sort of thing a scene holds; the scopes of a crossing are made of these."""

    MATERIAL = "material"
    LIGHT = "light"
    CAMERA = "camera"
    SETTINGS = "settings"


@dataclass(slots=True, eq=False)
class Thing:
    """Something that is carried as one: a material with its network, a light, a camera, a set of render settings.

    `id` is the prim path in the source and never changes. `context` holds measured facts that formulas may
    use (`area` in square metres, `metres_per_unit`, `map_lux`).
    """

    id: str
    name: str
    kind: Kind
    graph: Graph
    dialect: str = ""
    context: dict[str, float] = field(default_factory=dict)
    used_by: int = 0
    in_instance: str = ""
    twins: tuple[str, ...] = ()
    prim_type: str = ""

    @property
    def root(self) -> Node | None:
        """The node that the thing is known by: the surface of a material, the only node of the others."""
        for link in self.graph.outputs.values():
            return self.graph.nodes.get(link.node)
        return None


class PictureState(StrEnum):
    """Whether an outside file can be read where the scene says it is."""

    IN_PLACE = "in place"
    ABSENT = "absent"
    UNREADABLE = "unreadable"


@dataclass(slots=True)
class Picture:
    """An outside picture: what the scene says, where that is, and who reads it (prim path and port)."""

    written: str
    resolved: str
    state: PictureState
    users: list[tuple[str, str, str]] = field(default_factory=list)
    width: int = 0
    height: int = 0
    channels: int = 0
    depth: str = ""


@dataclass(slots=True, frozen=True)
class Oddity:
    """Something wrong in the file that the reader met; findings are made from these."""

    code: str
    thing: str
    path: str
    detail: str


@dataclass(slots=True, frozen=True)
class Solid:
    """Where an object is: its box in the world, in the stage's unit."""

    path: str
    low: tuple[float, float, float]
    high: tuple[float, float, float]


@dataclass(slots=True, eq=False)
class Scene:
    """All that was read from one source file."""

    file: str
    dialect: str
    metres_per_unit: float = 0.01
    up_axis: str = "Y"
    frames: tuple[float, float] | None = None
    things: dict[str, Thing] = field(default_factory=dict)
    pictures: dict[str, Picture] = field(default_factory=dict)
    oddities: list[Oddity] = field(default_factory=list)
    layers: tuple[str, ...] = ()
    stage_metadata: tuple[str, ...] = ()
    default_prim: str = ""
    solids: list[Solid] = field(default_factory=list)
    meshes: int = 0
    name: str = ""

    def of(self, kind: Kind) -> Iterator[Thing]:
        """Things of one kind, in the file's order."""
        return (thing for thing in self.things.values() if thing.kind is kind)
