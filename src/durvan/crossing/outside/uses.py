"""What each picture of a scene is used as in the end: colour, data, relief, a mask, surroundings; and how it is read."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.files.copies import Use
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.model import Kind, Scene, Thing

# What a port of the common ground wants to be fed with.
_COLOUR = {
    "base_color", "specular_color", "transmission_color", "subsurface_color", "emission_color", "coat_color", "fuzz_color",
}  # fmt: skip
_DATA = {
    "specular_roughness", "base_metalness", "geometry_normal", "coat_roughness", "coat_weight", "transmission_weight",
    "subsurface_weight", "specular_weight", "fuzz_weight", "emission_luminance",
}  # fmt: skip
_MASK = {"geometry_opacity"}


@dataclass(frozen=True, slots=True)
class PictureUse:
    """A picture node: the file that it reads, what it is used as, and the parameter that says how it is decoded.

    `straight` is whether nothing stands between it and what reads it as relief; `colour` and `data` are the values of
    `parameter` that decode it as such.
    """

    thing: str
    node: str
    written: str
    uses: frozenset[Use]
    straight: bool = True
    parameter: str = ""
    value: Value | None = None
    colour: Value | None = None
    data: Value | None = None

    @property
    def use(self) -> Use | None:
        """What it is used as, when that is one thing only."""
        return next(iter(self.uses)) if len(self.uses) == 1 else None

    @property
    def is_data(self) -> bool:
        """Whether all that it is used as is data."""
        return bool(self.uses) and self.uses.isdisjoint((Use.COLOUR, Use.SURROUNDINGS))

    @property
    def decoded(self) -> str:
        """How it is read: "as colour", "as data", or with which number; empty when nothing says so."""
        if not self.parameter:
            return ""
        if self.value == self.colour:
            return "as colour"
        if self.value == self.data:
            return "as data"
        return f"{self.value:g}" if isinstance(self.value, float) else str(self.value)


def of_thing(thing: Thing, pack: Pack | None) -> Iterator[PictureUse]:
    """The pictures that one thing reads."""
    if thing.kind is Kind.LIGHT:
        for node in thing.graph.nodes.values():
            written = node.values.get("file")
            if isinstance(written, str) and written:
                yield PictureUse(thing.id, node.id, written, frozenset((Use.SURROUNDINGS,)))
        return
    if pack is None or thing.kind is not Kind.MATERIAL:
        return
    for node in thing.graph.nodes.values():
        kind = pack.type(node.kind)
        if kind is None:
            continue
        for name, parameter in kind.parameters.items():
            written = node.values.get(name)
            if parameter.type == "file" and isinstance(written, str) and written:
                uses, straight = _ends(thing.graph, node, pack)
                said = next(((n, p) for n, p in kind.parameters.items() if p.reads_as), None)
                if said is None:
                    yield PictureUse(thing.id, node.id, written, uses, straight)
                else:
                    value = node.values.get(said[0], said[1].default)
                    reads = said[1].reads_as
                    yield PictureUse(
                        thing.id, node.id, written, uses, straight, said[0], value, reads["colour"], reads["data"]
                    )


def uses_of(scene: Scene, registry: Registry) -> dict[str, list[PictureUse]]:
    """The pictures that every thing reads, by thing; things without any are left out."""
    found = {thing.id: list(of_thing(thing, registry.packs.get(thing.dialect))) for thing in scene.things.values()}
    return {name: uses for name, uses in found.items() if uses}


def _ends(graph: Graph, picture: Node, source: Pack) -> tuple[frozenset[Use], bool]:
    """What a picture feeds in the end, and whether every relief that reads it does so straight away."""
    waiting, seen, uses, straight = [(picture.id, True)], set(), set(), True
    while waiting:
        name, near = waiting.pop()
        if name in seen:
            continue
        seen.add(name)
        for node in graph.nodes.values():
            for port, link in node.links.items():
                if link.node != name:
                    continue
                category, common = _common_port(source, node.kind, port)
                if category == "normalmap":
                    uses.add(Use.NORMAL)
                    straight = straight and near and link.output in ("colour", "color", "out", "rgb", "rgba")
                elif category == "bump":
                    uses.add(Use.HEIGHT)
                elif common in _MASK:
                    uses.add(Use.MASK)
                elif common in _DATA:
                    uses.add(Use.DATA)
                elif common in _COLOUR:
                    uses.add(Use.COLOUR)
                elif category != "open_pbr_surface":
                    waiting.append((node.id, False))
    return frozenset(uses), straight


def _common_port(source: Pack, kind: str, port: str) -> tuple[str, str]:
    """The common ground's category and port that a parameter becomes; empty where it becomes none."""
    compiled = source.compiled.get(kind)
    if compiled is None:
        return "", ""
    main = compiled.roles[compiled.main]
    for case in compiled.cases:
        for entry in case.entries:
            if port in entry.ours and entry.common:
                return main, entry.common[0][1]
    return main, ""
