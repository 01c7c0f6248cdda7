"""What a reader gives: things and files as they stand in a file of some format; no dialect's meaning is given yet."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from durvan.scene.graph import Graph, Link, Problem, Value
from durvan.scene.model import Kind, Oddity, Solid
from durvan.scene.wearers import Wearer

NO_ID = "(no shader id)"
SEEN_BY_CAMERA = ":seen_by_camera"  # the end of an attribute of an object; what stands before it is a dialect's own
TOWARDS = "(towards)"  # of a light that has no prim in the source: where it stands in the sky, azimuth and elevation
YAW, VISIBILITY = "(yaw)", "(visibility)"  # what a reader found out, beside the attributes of the file


@dataclass(slots=True, eq=False)
class RawThing:
    """A material, light, camera or settings as it stands in the file.

    `contexts` are a material's outputs by render context ("" the universal one); the kind of a node is the word that the
    file has for it. `attributes` are those of anything else, by the file's names; "(yaw)" is how far a dome is turned
    about the up axis, in degrees, "(visibility)" says "invisible" of what is hidden. `stands` is the world matrix of
    a light or a camera (16 numbers, row vectors, metres). `problems` are by attribute.
    """

    path: str
    name: str
    kind: Kind
    prim_type: str
    graph: Graph = field(default_factory=Graph)
    contexts: dict[str, dict[str, Link]] = field(default_factory=dict)
    attributes: dict[str, Value] = field(default_factory=dict)
    problems: dict[str, Problem] = field(default_factory=dict)
    animated: tuple[str, ...] = ()
    instance: str = ""
    twins: list[str] = field(default_factory=list)
    context: dict[str, float] = field(default_factory=dict)
    stands: tuple[float, ...] = ()


@dataclass(slots=True, frozen=True)
class RawPicture:
    """A file that a port names: as it is written, where the library finds it, and the folder that it counts from.

    `role` is said where the format itself knows what the file is for ("profile"), whatever the dialect.
    """

    written: str
    resolved: str
    thing: str
    node: str
    port: str
    anchor: str
    role: str = ""


@dataclass(slots=True, frozen=True)
class RawReference:
    """A file that no port names: a layer, a cache. `site` is the place in the file that does; `role` what it is for (layer, geometry), where
    that is known whatever it is called.
    """

    written: str
    resolved: str
    anchor: str
    site: str
    role: str = ""


@dataclass(slots=True)
class RawScene:
    """All that a file holds of what is carried.

    `layers` are all files that it is composed of; `metadata` what a file of the same format that stands over it has to say
    again; `worn` what wears each material; `meshes` is a count.
    """

    file: Path
    metres_per_unit: float
    up_axis: str
    frames: tuple[float, float] | None
    default_prim: str
    layers: tuple[str, ...]
    metadata: Mapping[str, Value] = field(default_factory=dict)
    title: str = ""
    things: list[RawThing] = field(default_factory=list)
    pictures: list[RawPicture] = field(default_factory=list)
    references: list[RawReference] = field(default_factory=list)
    oddities: list[Oddity] = field(default_factory=list)
    worn: dict[str, Sequence[Wearer]] = field(default_factory=dict)
    solids: list[Solid] = field(default_factory=list)
    meshes: int = 0

    def wear(self, material: str, wearer: Wearer) -> None:
        """Say of one more thing that it wears a material."""
        worn = self.worn.setdefault(material, [])
        assert isinstance(worn, list)
        worn.append(wearer)
