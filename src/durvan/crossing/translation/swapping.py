"""A node of the target that gives way to another type, or to a picture of what it gives."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace

from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES, plain_id
from durvan.crossing.translation.choices import Swap
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import By, Row
from durvan.crossing.translation.taking import as_taken, by_hand, can_take, lose
from durvan.dialects.compiled import CompiledType
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.vocabulary import NodeType

PICTURE = "picture"  # in the place of a node's type: a picture is painted of what it gives


def not_painted(names: Iterable[str], graph: Graph, refused: Mapping[str, Why]) -> tuple[Why, ...]:
    """Why nodes that were to give way to a picture did not."""
    out = []
    for name in sorted(names):
        why = next((why for node, why in refused.items() if plain_id(node) == name), None)
        if why is not None:
            topic = why.topic if why.topic == WAITS_FOR_SHAPES else "swap"
            out.append(Why(Cause.HAND, f"{name} as a picture: {why.said}", topic))
        elif name not in graph.nodes:
            out.append(Why(Cause.HAND, f"{name} as a picture: there is no such node in the target any more.", "swap"))
    return tuple(out)


def equivalents(node: Node, target: Pack) -> list[str]:
    """The types of a target that a node could be swapped for: they give as much, and take every map and file that it has. A picture of
    what it gives is always one, but of what reads a file as it stands, and of relief.
    """
    own = target.type(node.kind)
    if own is None or own.role != "node":
        return []
    found = [
        name for name, kind in target.vocabulary.types.items()
        if name != node.kind and kind.role == "node" and _gives(own) == _gives(kind) and _fits(node, own, name, kind, target)
    ]  # fmt: skip
    paints = next(iter(own.outputs.values())) in ("color", "float") and own.playing("picture") is None
    return found + ([PICTURE] if paints else [])


def _gives(kind: NodeType) -> set[str]:
    return set(kind.outputs.values())


def _fits(node: Node, own: NodeType, name: str, kind: NodeType, target: Pack) -> bool:
    ports = counterparts(node, own, name, kind, target)
    bound = [port for port in node.ports() if port in node.links or _is_file(own, port)]
    return bool(ports) and all(port in ports for port in bound)


def _is_file(kind: NodeType, port: str) -> bool:
    parameter = kind.parameters.get(port)
    return parameter is not None and parameter.type in ("file", "paths")


def counterparts(node: Node, own: NodeType, name: str, kind: NodeType, target: Pack) -> dict[str, str]:
    """Which parameter of another type plays the part of each that a node has: the one of that name; the one in that place, where both
    types take the same in the same order; of a value, the one that means the same on the common ground; and, within a family, of a
    single map the only one that can take it.
    """
    common, placed = _by_meaning(target, node.kind, name), _by_place(own, kind)
    out: dict[str, str] = {}
    for port in node.ports():
        given = own.parameters.get(port)
        link = "link" if port in node.links else ""
        for other in (port, placed.get(port, ""), "" if link else common.get(port, "")):
            to = kind.parameters.get(other)
            if given is not None and to is not None and other not in out.values() and can_take(to, given, link):
                out[port] = other
                break
    lone = [port for port in node.links if port not in out]
    free = [other for other, to in kind.parameters.items() if other not in out.values() and to.type in ("color", "any")]
    given = own.parameters.get(lone[0]) if len(lone) == 1 and own.family == kind.family else None
    if given is not None and len(free) == 1 and can_take(kind.parameters[free[0]], given, "link"):
        out[lone[0]] = free[0]
    return out


def _by_place(own: NodeType, kind: NodeType) -> Mapping[str, str]:
    """Parameters by their places, where two types take the same in the same order."""
    if [one.type for one in own.parameters.values()] != [one.type for one in kind.parameters.values()]:
        return {}
    return dict(zip(own.parameters, kind.parameters, strict=True))


def _by_meaning(target: Pack, one: str, two: str) -> Mapping[str, str]:
    """Parameters of two types that stand for the same port of the same category of the common ground."""
    first, second = target.compiled.get(one), target.compiled.get(two)
    if first is None or second is None:
        return {}
    there: dict[tuple[str, str], str] = {}
    for ours, port in _ports(second):
        there.setdefault(port, ours)
    return {ours: there[port] for ours, port in _ports(first) if port in there}


def _ports(compiled: CompiledType) -> Iterable[tuple[str, tuple[str, str]]]:
    """Parameters that stand for one port of the common ground alone, each with the category and the port."""
    for case in compiled.cases:
        for entry in case.entries:
            if len(entry.ours) == 1 and len(entry.common) == 1:
                role, port = entry.common[0]
                yield entry.ours[0], (compiled.roles.get(role, role), port)


def swap(translation: Translation, one: Swap, target: Pack, metres_per_unit: float) -> Why | None:
    """Put another type in the place of a node, and say so in the rows; why not, where that cannot be."""
    node = translation.graph.nodes.get(one.node)
    own, kind = target.type(node.kind) if node is not None else None, target.type(one.kind)
    said = f"{one.node} as {one.kind.rpartition('.')[2]}"
    if node is None or own is None or kind is None:
        return Why(Cause.HAND, f"{said}: there is no such node in the target any more.", "swap")
    if one.kind == node.kind:
        return None
    if one.kind not in equivalents(node, target):
        return Why(Cause.HAND, f"{said}: it cannot take its place.", "swap")
    ports = counterparts(node, own, one.kind, kind, target)
    values: dict[str, Value] = {}
    for port, value in node.values.items():
        other = ports.get(port)
        taken = as_taken(value, own.parameters[port], kind.parameters[other], metres_per_unit) if other else None
        if other is not None and taken is not None:
            values[other] = taken
    links = {ports[port]: link for port, link in node.links.items() if port in ports}
    translation.graph.nodes[one.node] = replace(node, kind=one.kind, values=values, links=links, written="")
    _outputs(translation.graph, one.node, own, kind)
    _tell_swapped(translation, one, ports, kind)
    return None


def _outputs(graph: Graph, name: str, own: NodeType, kind: NodeType) -> None:
    """What the node feeds takes the same from it: the output of that name, or the first of that type."""

    def turned(link: Link) -> Link:
        if link.node != name or link.output in kind.outputs:
            return link
        wanted = own.outputs.get(link.output, "")
        return Link(
            name, next((out for out, type_ in kind.outputs.items() if type_ == wanted), next(iter(kind.outputs)))
        )

    for node in graph.nodes.values():
        if any(link.node == name for link in node.links.values()):
            node.links = {port: turned(link) for port, link in node.links.items()}
    graph.outputs = {output: turned(link) for output, link in graph.outputs.items()}


def _tell_swapped(translation: Translation, one: Swap, ports: Mapping[str, str], kind: NodeType) -> None:
    short = one.kind.rpartition(".")[2]
    node = translation.graph.nodes[one.node]
    for row in translation.rows:
        gone = [place for place in row.targets if place[0] == one.node and place[1] not in ports]
        for place in gone:
            lose(row, place, Why(Cause.HAND, f"{short} has no word for it; the node was swapped by hand."))
        if any(place[0] == one.node for place in row.targets):
            _moved(row, one, ports, kind, node)
    translation.rows = [row for row in translation.rows if row.node or row.targets]
    if not any(place[0] == one.node for row in translation.rows for place in row.targets):
        family = kind.family or "procedurals"
        why = Why(Cause.HAND, f"Swapped for {short} by hand.")
        translation.rows.append(
            Row(
                translation.thing,
                "",
                short,
                family,
                None,
                fate=Fate.ADDED,
                why=why,
                steps=(Step("by hand"),),
                by=By.HAND,
            )
        )


def _moved(row: Row, one: Swap, ports: Mapping[str, str], kind: NodeType, node: Node) -> None:
    places, said = [], []
    for place, value in zip(row.targets, row.target_values, strict=True):
        if place[0] == one.node:
            port = ports[place[1]]
            place, value = (one.node, port), (node.values.get(port), kind.parameters[port].unit)
        places.append(place)
        said.append(value)
    row.targets, row.target_values = tuple(places), tuple(said)
    by_hand(row, Why(Cause.HAND, f"The node was swapped for {one.kind.rpartition('.')[2]} by hand."))
