"""A scene as the core sees it: materials, lights, cameras, settings, pictures, and what was odd about the file."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from durvan.scene.baking import Bake
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.wearers import Wearer


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
    use (`area` in square metres, `metres_per_unit`, `map_lux`). `worn` is what wears a material, `used_by` how many there are. `turned` are nodes of pictures whose green is turned
    round wherever they are read. `bakes` are the pictures that are painted for it. `place` is where something stands that the file does not have, which only the target gets: a
    world matrix of 16 numbers (row vectors, metres); `stands` is where a light or a camera of the file does.
    """

    id: str
    name: str
    kind: Kind
    graph: Graph
    dialect: str = ""
    context: dict[str, float] = field(default_factory=dict)
    used_by: int = 0
    worn: Sequence[Wearer] = ()
    in_instance: str = ""
    twins: tuple[str, ...] = ()
    prim_type: str = ""
    turned: tuple[str, ...] = ()
    bakes: tuple[Bake, ...] = ()
    place: tuple[float, ...] = ()
    stands: tuple[float, ...] = ()
    words: str = field(default="", compare=False, repr=False)  # the network in words, once somebody asked for it
    basis: str = field(default="", compare=False, repr=False)  # the network in few letters, likewise
    wearing: str = field(default="", compare=False, repr=False)  # what wears it in few letters, likewise

    @property
    def root(self) -> Node | None:
        """The node that the thing is known by: the surface of a material, the only node of the others."""
        return self.graph.root


class FileState(StrEnum):
    """Whether a file outside can be read, and how it was found. The order is from the worst to none."""

    ABSENT = "absent"
    SEVERAL = "several candidates"
    UNREADABLE = "unreadable"
    OUTSIDE = "outside, not read"
    OUTDATED = "outdated copy"
    LETTER_CASE = "letter case only"
    BY_A_ROOT = "by a root"
    IN_PLACE = "in place"


class FileKind(StrEnum):
    """What a file outside is for."""

    PICTURE = "picture"
    SURROUNDINGS = "surroundings"
    PROFILE = "light profile"
    LAYER = "layer"
    GEOMETRY = "geometry"
    COLOUR_CONFIG = "colour config"
    OTHER = "file"


@dataclass(frozen=True, slots=True)
class Candidate:
    """A file that may be the one looked for; `shared` counts the parts of the path that agree, from the end."""

    path: str
    shared: int = 0
    size: int = 0
    width: int = 0
    height: int = 0
    why: str = ""

    def with_reason(self, why: str) -> Candidate:
        """The same, with what speaks for it."""
        return replace(self, why=why)


@dataclass(slots=True, frozen=True)
class Reference:
    """A place where a scene names a file: as written, the folder that it counts from, where the scene's own library
    found it ("" nowhere); who names it: a thing with its node and port, or a prim or layer only (`path`)."""

    written: str
    anchor: str
    resolved: str = ""
    thing: str = ""
    node: str = ""
    port: str = ""
    path: str = ""
    kind: FileKind = FileKind.PICTURE


@dataclass(slots=True)
class OutsideFile:
    """A file outside the scene: what the scene says, where it is, who uses it (thing, node, port), what it is.

    `linked` is what a person put in the place of the written path. Of a series `members` are the paths and `missing`
    the ones between them that are not there; size (bytes) is then that of all, `changed` (ns) the last time, the rest is
    of the first, and `stamp` says which state of it that was (path, size, time of change). `newer` is the original of a
    copy that is out of date.
    """

    written: str
    resolved: str
    state: FileState
    users: list[tuple[str, str, str]] = field(default_factory=list)
    width: int = 0
    height: int = 0
    channels: int = 0
    depth: str = ""
    kind: FileKind = FileKind.PICTURE
    sites: list[str] = field(default_factory=list)
    linked: str = ""
    root: str = ""
    why: str = ""
    candidates: tuple[Candidate, ...] = ()
    members: tuple[str, ...] = ()
    missing: tuple[str, ...] = ()
    size: int = 0
    changed: int = 0
    tile: int = 0
    mips: int = 0
    format: str = ""
    decode: str = ""
    anchor: str = ""
    same_as: str = ""
    newer: str = ""
    stamp: tuple[str, int, int] | None = None

    @property
    def first(self) -> str:
        """A path that can be opened: the first member of a series, else the file itself; empty when it may not be."""
        if self.state in (FileState.ABSENT, FileState.OUTSIDE):
            return ""
        return self.members[0] if self.members else self.resolved


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
    """All that was read from one source file. `came_from` are the folders of what it was carried from on this machine; `stamps` say of each
    file that things and shapes were read from in which state it was.
    """

    file: str
    dialect: str
    metres_per_unit: float = 0.01
    up_axis: str = "Y"
    frames: tuple[float, float] | None = None
    things: dict[str, Thing] = field(default_factory=dict)
    files: dict[str, OutsideFile] = field(default_factory=dict)
    references: list[Reference] = field(default_factory=list)
    oddities: list[Oddity] = field(default_factory=list)
    layers: tuple[str, ...] = ()
    metadata: Mapping[str, Value] = field(default_factory=dict)
    default_prim: str = ""
    solids: list[Solid] = field(default_factory=list)
    meshes: int = 0
    name: str = ""
    came_from: tuple[str, ...] = ()
    stamps: dict[str, str] = field(default_factory=dict)

    @property
    def pictures(self) -> dict[str, OutsideFile]:
        """The files outside that are pictures."""
        wanted = (FileKind.PICTURE, FileKind.SURROUNDINGS)
        return {key: file for key, file in self.files.items() if file.kind in wanted}

    @property
    def own(self) -> list[Thing]:
        """The things that the file has; not those that only the target gets."""
        return [thing for thing in self.things.values() if not thing.place]

    def of(self, kind: Kind) -> Iterator[Thing]:
        """Things of one kind, in the file's order."""
        return (thing for thing in self.things.values() if thing.kind is kind)
