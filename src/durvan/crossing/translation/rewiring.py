"""What a person rewires in the target: a value that another parameter is given, and a node that gives way to another type.

Both are done to what the rules gave, so that they hold when the source changes: what goes elsewhere is whatever stood there.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from durvan.crossing.translation.choices import Redirect, Swap
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.swapping import PICTURE, swap
from durvan.crossing.translation.taking import as_taken, by_hand, can_take, lose, parameter_of
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.scene.graph import Graph, Link, Node, Value


def rewire(translation: Translation, wanted: Iterable[Redirect | Swap], target: Pack, metres_per_unit: float) -> None:
    """Rewire a translation's graph, and say so in its rows; what cannot be done is left, and said."""
    chosen = sorted(
        wanted, key=lambda one: isinstance(one, Redirect)
    )  # nodes first: a value may go to one that is swapped
    for one in chosen:
        if isinstance(one, Swap):
            why = swap(translation, one, target, metres_per_unit) if one.kind != PICTURE else None
        else:
            why = _redirect(translation, one, target, metres_per_unit)
        if why is not None:
            translation.unmet = (*translation.unmet, why)


def _redirect(translation: Translation, one: Redirect, target: Pack, metres_per_unit: float) -> Why | None:
    graph = translation.graph
    given, to = (
        parameter_of(graph, target, *place) for place in ((one.node, one.parameter), (one.to_node, one.to_parameter))
    )
    said = f"{one.parameter} for {one.to_parameter}"
    if given is None or to is None:
        return Why(Cause.HAND, f"{said}: there is no such parameter in the target any more.", "redirect")
    node = graph.nodes[one.node]
    link, value = node.links.get(one.parameter), node.values.get(one.parameter)
    if link is None and value is None:
        return None  # the rules say nothing of it now, so that nothing goes elsewhere
    if not can_take(to, given, "link" if link is not None else ""):
        return Why(Cause.HAND, f"{said}: it cannot take that.", "redirect")
    if link is not None and one.to_node in Graph(graph.nodes, {"": link}).reachable():
        return Why(Cause.HAND, f"{said}: the map would feed itself.", "redirect")
    taken = as_taken(value, given, to, metres_per_unit) if value is not None else None
    if link is None and taken is None:
        return Why(Cause.HAND, f"{said}: it cannot take that.", "redirect")
    _take_away(graph, one.node, one.parameter)
    fresh = _put(graph, one.to_node, one.to_parameter, taken, link)
    _tell(translation, one, None if link is not None else fresh.values.get(one.to_parameter), to.unit)
    return None


def _take_away(graph: Graph, name: str, port: str) -> None:
    node = graph.nodes[name]
    values = {p: v for p, v in node.values.items() if p != port}
    graph.nodes[name] = replace(node, values=values, links={p: v for p, v in node.links.items() if p != port})


def _put(graph: Graph, name: str, port: str, value: Value | None, link: Link | None) -> Node:
    _take_away(graph, name, port)
    node = graph.nodes[name]
    if value is not None:
        node.values[port] = value
    if link is not None:
        node.links[port] = link
    return node


def _tell(translation: Translation, one: Redirect, value: Value | None, unit: str) -> None:
    """Rows of what went elsewhere lead there; those of what had the place lead nowhere."""
    old, new = (one.node, one.parameter), (one.to_node, one.to_parameter)
    why = Why(Cause.HAND, f"Given to {one.to_parameter} by hand; the rules gave it to {one.parameter}.")
    for row in translation.rows:
        if new in row.targets and old not in row.targets:
            lose(row, new, Why(Cause.HAND, f"Its place was given to {one.parameter} by hand."))
        elif old in row.targets:
            entry = [(place, said) for place, said in zip(row.targets, row.target_values, strict=True) if place != new]
            row.targets = tuple(new if place == old else place for place, _ in entry)
            row.target_values = tuple((value, unit) if place == old else said for place, said in entry)
            by_hand(row, why)
