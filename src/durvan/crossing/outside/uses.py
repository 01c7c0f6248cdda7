"""What each picture of a scene is used as in the end: colour, data, relief, a mask, surroundings; and how it is read."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.files.copies import Use
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.vocabulary import common_ground

_TAKEN_AS = {
    "colour": Use.COLOUR, "data": Use.DATA, "mask": Use.MASK, "normal": Use.NORMAL, "height": Use.HEIGHT,
}  # fmt: skip


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
    if pack is None or thing.kind not in (Kind.MATERIAL, Kind.LIGHT):
        return
    for node in thing.graph.nodes.values():
        kind = pack.type(node.kind)
        name = kind.playing("picture") if kind is not None else None
        written = node.values.get(name) if name is not None else None
        if kind is None or not isinstance(written, str) or not written:
            continue
        if thing.kind is Kind.LIGHT:
            yield PictureUse(thing.id, node.id, written, frozenset((Use.SURROUNDINGS,)))
            continue
        uses, straight = _ends(thing.graph, node, pack)
        said = next(((n, p) for n, p in kind.parameters.items() if p.reads_as), None)
        if said is None:
            yield PictureUse(thing.id, node.id, written, uses, straight)
        else:
            value, reads = node.values.get(said[0], said[1].default), said[1].reads_as
            yield PictureUse(thing.id, node.id, written, uses, straight, said[0], value, reads["colour"], reads["data"])


def uses_of(scene: Scene, registry: Registry) -> dict[str, tuple[PictureUse, ...]]:
    """The pictures that every thing reads, by thing; things without any are left out."""
    found = {thing.id: tuple(of_thing(thing, registry.packs.get(thing.dialect))) for thing in scene.things.values()}
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
                taken = _taken(source, node.kind, port)
                if taken is not None:
                    uses.add(taken)
                    if taken is Use.NORMAL:
                        straight = straight and near and _whole(source, graph.nodes.get(name), link)
                elif not source.is_surface(node.kind):
                    waiting.append((node.id, False))
    return frozenset(uses), straight


def _whole(source: Pack, node: Node | None, link: Link) -> bool:
    """Whether a link reads all channels of a node, not one of them."""
    compiled = source.compiled.get(node.kind) if node is not None else None
    return compiled is None or compiled.outputs.get(link.output, "out") == "out"


def _taken(source: Pack, kind: str, port: str) -> Use | None:
    """What a parameter makes of a picture, by the port of the common ground that it becomes; None where it passes on."""
    compiled = source.compiled.get(kind)
    if compiled is None:
        return None
    for case in compiled.cases:
        for entry in case.entries:
            if port in entry.ours:
                for role, common in entry.common:
                    category = compiled.roles.get(role)
                    said = common_ground().types[category].parameters.get(common) if category is not None else None
                    if said is not None:
                        return _TAKEN_AS.get(said.takes)
    return None
