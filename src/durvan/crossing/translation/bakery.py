"""What a target cannot say of a network becomes a picture: which part, how large, in which space, and why not where it cannot be.

What depends on the view is separated first: it is painted as it looks from the side that most of a surface is seen from, and said.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import count

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.making import NEVER, Making
from durvan.crossing.translation.matching import Match
from durvan.crossing.translation.parts import IN_SPACE, PLACED, VIEW, Flow, Part
from durvan.crossing.translation.placing import PLAIN, is_plain
from durvan.crossing.translation.rows import Row
from durvan.dialects.common import Worth
from durvan.dialects.look import Facts
from durvan.dialects.said import Cause, Why
from durvan.scene.baking import COLOUR, DATA, Bake, Relief
from durvan.scene.fate import Fate
from durvan.scene.fingerprint import fingerprint, same_text
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.lengths import length
from durvan.scene.vocabulary import Parameter, common_ground

_CORNERS = "geompropvalue_color3"
WAITS_FOR_SHAPES = "bake:shapes"  # the topic of what cannot be baked before somebody has looked at the shapes
LEAST, MOST, USUAL = 64, 2048, 1024  # pixels of a side; of what is worked out alone
_LARGEST = 8192  # pixels of a side of what reads pictures as large
_KEPT = ("surface", "normal", "displacement")
_CLEAN = re.compile(r"[^A-Za-z0-9]+")
_HOPS = 64
_STEPS = ("splitlr", "splittb", "ramp4", "ramplr", "ramptb")
_OVER_UVS = ("noise2d", "noise2d_color", "fractal2d", "fractal2d_color", "cellnoise2d", "worleynoise2d")
PROCEDURALS = ("checkerboard", *_STEPS, *_OVER_UVS, *IN_SPACE)


@dataclass(frozen=True)
class Use:
    """What a picture is for: the port that it ends in, whether it is read as colour there, and whether that lies between 0 and 1."""

    port: str
    space: str
    whole: bool


def plain_id(name: str) -> str:
    """What a node is called in the target that has some name on the common ground."""
    return name.rstrip("_") or "node"


def use_of(category: str, port: str, straight: bool = True) -> Use:
    """The use of what feeds a port of the common ground; not `straight` where something stands between."""
    parameter = common_ground().types[category].parameters.get(port)
    takes = parameter.takes if parameter is not None else ""
    low, high = parameter.range if parameter is not None and parameter.range else (0.0, 2.0)
    return Use(port, COLOUR if takes == "colour" else DATA, straight and low >= 0.0 and high <= 1.0)


@dataclass
class Bakery:
    """Bakes parts of one thing's network; `bakes` are those so far, `refused` the nodes that could not be, with their why."""

    thing: str
    name: str
    inward: Inward
    making: Making
    moves_places: bool = False  # whether the target knows arithmetic on places
    bakes: dict[str, Bake] = field(default_factory=dict)
    refused: dict[str, Why] = field(default_factory=dict)
    ends: dict[str, Use] = field(default_factory=dict)  # what is made of the maps that formulas grew

    @property
    def graph(self) -> Graph:
        """The common ground."""
        return self.inward.graph

    @cached_property
    def flow(self) -> Flow:
        """What feeds what in it."""
        return Flow(self.graph)

    def renew(self) -> None:
        """Look anew at what feeds what, where nodes have gone or other ones are led to."""
        self.__dict__.pop("flow", None)

    def grew(self, link: Link, name: str, parameter: Parameter) -> None:
        """Know which parameter of the target a formula grew a map for; no node of the common ground reads it."""
        colour = parameter.takes == "colour" or (not parameter.takes and parameter.type == "color")
        low, high = parameter.range or (0.0, 2.0)
        if not self.flow.readers(link.node):
            self.ends.setdefault(link.node, Use(name, COLOUR if colour else DATA, low >= 0.0 and high <= 1.0))

    def absent(self, name: str) -> str:
        """The first picture that a node depends on and that is known not to be there; empty where there is none."""
        gone = {written for written, width, _, _ in self.making.pictures if width == 0}
        images = {node.id: str(node.values.get("file", "")) for node in self._images} if gone else {}
        lost = frozenset(image for image, written in images.items() if written in gone)
        if not lost or name not in self.flow.downstream(lost):
            return ""
        return next(images[node.id] for node in Part(self.flow, name).nodes() if node.id in lost)

    @cached_property
    def _images(self) -> list[Node]:
        return [node for node in self.graph.nodes.values() if node.kind == "image"]  # formulas grow none

    def steady(self, link: Link) -> tuple[float, ...] | None:
        """What a link gives, where that is the same all over; None where it is not, or nobody can say."""
        ground = self.making.ground
        if ground is None or ground.looks is None:
            return None
        found = Worth(self.graph, ground, Facts(1.0)).of(link)
        return found.constant if found is not None else None

    def wants(self, match: Match | None) -> bool:
        """Whether a node is to be baked: the target has no word for it, or somebody wants a picture of it, or of procedurals."""
        if match is None:
            return True
        main = match.roles.get(match.type.main)
        if main is not None and plain_id(main.id) in self.making.painted:
            return True
        if not self.moves_places and any(self._bent(node) for node in match.roles.values()):
            return True
        return self.making.procedurals and any(node.kind in PROCEDURALS for node in match.roles.values())

    def _bent(self, node: Node) -> bool:
        """Whether something is read at a place that is more than a placement of UVs."""
        link = node.links.get("texcoord")
        return link is not None and node.kind not in PLAIN and not is_plain(self.graph, link)

    def bake(self, name: str) -> bool:
        """Put a picture in the place of a node and all that feeds it alone; False where that cannot be, which is then `refused`."""
        node = self.graph.nodes[name]
        kind = common_ground().types.get(node.kind)
        if self.making.how == NEVER or kind is None or kind.outputs.get("out") not in ("color", "float"):
            return False
        why = self.against(name)
        if why is not None:
            self.refused[name] = why
            return False
        part = Part(self.flow, name)
        rows = self.rows_of(part)
        image = self.picture(name, part, part.shared_place(), Link(name), self._use(name), rows)
        self.forget(part)
        self.put(image, rows)
        return True

    def picture(
        self, name: str, part: Part, place: Link | None, link: Link, use: Use, rows: list[Row],
        relief: Relief | None = None,
    ) -> Node:  # fmt: skip
        """A node that reads a picture of what a link of a part gives, where a placement stays outside; `rows` are told that they are
        baked.
        """
        painted = part.copy(place)
        size = self._size(part, place)
        by_place = part.has(PLACED)
        tiles = self._tiles(part)
        colour = use.space == COLOUR
        ending = "png" if use.whole else "exr"
        more = (link.output, relief) if relief is not None or link.output else ()
        shapes = self.making.body.print if by_place and self.making.body is not None else ""
        key = fingerprint(
            painted, same_text, size, use.space, by_place and shapes, tiles, ending, by_place and self.thing, *more
        )[:32]
        found = self.bakes.get(key)
        if found is None:
            encoded = f"{_encoded(colour, use.whole)}{'.<UDIM>' if tiles else ''}.{ending}"
            named = self._named(use.port, encoded)
            found = Bake(key, named, painted, link, size, use.space, by_place, tiles, self.thing, relief, shapes)
            self.bakes[key] = found
        self._tell(found, part, rows)
        space = "srgb_texture" if colour and use.whole else "lin_rec709" if colour else "raw"
        return self._image(name, found, place, part, space)

    def forget(self, part: Part) -> None:
        """What only feeds a part that a picture stands for leads nowhere any more."""
        for node in part.nodes():
            if part.alone(node.id):
                for port in (*node.ports(), "bypassed"):
                    self.inward.origins.pop((node.id, port), None)

    def put(self, image: Node, rows: list[Row]) -> None:
        """Have a node stand on the common ground, for some rows."""
        self.graph.nodes[image.id] = image
        self.inward.origins[image.id, "file"] = rows

    def lead(self, node: Node, port: str, rows: list[Row]) -> None:
        """Have some rows lead to a port from now on."""
        found = self.inward.origins.setdefault((node.id, port), [])
        found += [row for row in rows if row not in found]

    def rows_of(self, part: Part) -> list[Row]:
        """The rows that led to a part, each once."""
        found: dict[int, Row] = {}
        for node in part.nodes():
            for port in node.ports():
                found |= {id(row): row for row in self.inward.origins.get((node.id, port), ())}
        return list(found.values())

    def _named(self, port: str, ending: str) -> str:
        """A name for a picture that none so far has: the material, what it is for, how it is to be read."""
        label = _CLEAN.sub("_", f"{self.name}_{port}").strip("_")
        taken = {bake.name for bake in self.bakes.values()}
        numbers = (label if n == 1 else f"{label}_{n}" for n in count(1))
        return next(name for one in numbers if (name := f"{one}_{ending}") not in taken)

    # whether

    def against(self, name: str) -> Why | None:
        """Why what ends in a node cannot be baked, or None; said without looking at the part, which may be long."""
        body = self.making.body
        if name not in self.flow.varying:
            return Why(
                Cause.NO_WORD,
                "It only depends on the view or on what stands about, which cannot be baked.",
                "bake:view",
            )
        if name in self.flow.of((_CORNERS,)):
            return Why(
                Cause.NO_WORD,
                "It reads colours that stand on the corners of the mesh, which no picture holds.",
                "bake:corners",
            )
        if body is not None and body.strands:
            return Why(Cause.NO_WORD, "It is on fibres, which have no UVs to bake on.", "bake:uvs")
        if body is not None and not body.has_uvs:
            return Why(
                Cause.NO_WORD,
                "What wears it has no UVs that a picture could lie on; unwrap it to have this baked.",
                "bake:uvs",
            )
        absent = self.absent(name)
        if absent:
            return Why(
                Cause.NO_WORD,
                f"It reads {absent}, which is not there; find it to have this baked.",
                "bake:picture",
            )
        if name in self.flow.placed:
            if self.making.formless:
                said = "It depends on places, and this file has no shapes to bake it on."
                return Why(Cause.NO_WORD, said, "bake:uvs")
            if body is None:
                return Why(
                    Cause.NO_WORD,
                    "It depends on places, and the shapes that wear it have not been looked at yet.",
                    WAITS_FOR_SHAPES,
                )
            if not body.unwrapped:
                return Why(
                    Cause.NO_WORD,
                    f"It depends on places, and {100 * body.twice:.0f} % of the UVs of what wears it lie on others; unwrap it to have this baked.",
                    "bake:uvs",
                )
        return None

    # how

    def _use(self, name: str) -> Use:
        """What a node's picture is for."""
        seen, straight = name, True
        for _ in range(_HOPS):
            if (end := self.ends.get(seen)) is not None:
                return replace(end, whole=end.whole and straight)
            readers = self.flow.readers(seen)
            if not readers:
                break
            node, port = readers[0]
            kind = common_ground().types[node.kind]
            if kind.role == "surface" or node.kind in ("bump", "normalmap", "displacement"):
                return use_of(node.kind, port, straight)
            straight = False
            seen = node.id
        return Use("map", COLOUR, False)

    def _size(self, part: Part, place: Link | None) -> int:
        """Pixels of a side: as many as the pictures that are read have, or as the finest detail asks for."""
        known = {written: max(width, height) for written, width, height, _ in self.making.pictures}
        metres = self.making.body.metres_per_uv if self.making.body is not None else 0.0
        wanted: list[float] = [float(LEAST)]
        for node in part.nodes():
            if node.kind == "image":
                pixels = known.get(str(node.values.get("file", "")), 0) or USUAL
                wanted.append(pixels * (1.0 if place is not None else part.repeats(node)))
            elif node.kind == "checkerboard":
                tiling = node.values.get("uvtiling", (8.0, 8.0))
                wanted.append(32.0 * max(map(abs, tiling)) if isinstance(tiling, tuple) else float(USUAL))
            elif node.kind in _STEPS:
                wanted.append(256.0)
            elif node.kind in _OVER_UVS:
                wanted.append(32.0 * part.repeats(node, 1e3) * _finest(node))
            elif node.kind in IN_SPACE:
                finest = part.frequency(node) * _finest(node)
                wanted.append(3.0 * finest * metres if metres > 0.0 else float(USUAL))
        side = max(part_ for part_ in wanted if math.isfinite(part_))
        most = max([MOST, *(width for width in known.values() if width <= _LARGEST)])
        return int(min(max(2 ** math.ceil(math.log2(max(min(side, 1e6), 1.0)) - 1e-6), LEAST), most))

    def _tiles(self, part: Part) -> tuple[int, ...]:
        """The squares of UVs that are painted: those that are worn, where a picture of tiles is read or places count."""
        of_tiles = any(
            "<UDIM>" in str(node.values.get("file", "")).upper() for node in part.nodes() if node.kind == "image"
        )
        body = self.making.body
        if body is None or not (of_tiles or part.has(PLACED)) or body.tiles in ((), (1001,)):
            return ()
        return body.tiles[:_HOPS]

    # doing

    @staticmethod
    def _tell(bake: Bake, part: Part, rows: list[Row]) -> None:
        what = "" if not part.has(tuple(VIEW)) else " What depends on the view is left out of it."
        size = f"{bake.size} × {bake.size} pixels" + (f", {len(bake.tiles)} tiles" if bake.tiles else "")
        if bake.relief is not None and bake.relief.heights:
            size += f", as slopes where a unit of UVs is {length(bake.relief.metres_per_uv[0])} long"
        why = Why(Cause.BAKED, f"Baked into {bake.name}, {size}.{what}", "baked")
        for row in rows:
            row.meet(Fate.FITTED if what and row.parameter in ("front", "edge", "hold") else Fate.BAKED, why)

    def _image(self, name: str, bake: Bake, place: Link | None, part: Part, space: str) -> Node:
        edges = {str(node.values.get("uaddressmode", "periodic")) for node in part.nodes() if node.kind == "image"}
        edge = edges.pop() if len(edges) == 1 else "periodic"
        image = Node(name, "image", {"file": bake.path, "colorspace": space}, source=self.graph.nodes[part.name].source)
        if edge != "periodic":
            image.values |= {"uaddressmode": edge, "vaddressmode": edge}
        if place is not None:
            image.links["texcoord"] = place
        return image


def _finest(noise: Node) -> float:
    """How much finer the last octave of a noise is than the first."""
    octaves = noise.values.get("octaves", 3 if noise.kind.startswith("fractal") else 1)
    return float(2.0 ** (float(octaves) - 1.0 if isinstance(octaves, int | float) else 2.0))


def _encoded(colour: bool, whole: bool) -> str:
    """How a picture's numbers are to be read, as its name says it: colours of 8 bits by sRGB, others are linear."""
    return ("srgb" if whole else "linear") if colour else "raw"


def pictures_of(
    thing_nodes: Mapping[str, Node], files: Mapping[str, tuple[int, int, str]]
) -> tuple[tuple[str, int, int, str], ...]:
    """The pictures that nodes name, with what is known of them: width, height, depth."""
    found = {
        value: files[value]
        for node in thing_nodes.values()
        for value in node.values.values()
        if isinstance(value, str) and value in files
    }
    return tuple((written, *known) for written, known in sorted(found.items()))
