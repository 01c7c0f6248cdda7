"""What one parameter of a target takes of another one, and how rows say what a hand did."""

from __future__ import annotations

from durvan.crossing.translation.rows import By, Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Why
from durvan.optics.colour import luminance
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.vocabulary import COMPONENTS, Parameter, unit_factor

Place = tuple[str, str]  # a node of a target and one of its parameters
_NUMBERS = ("any", "float", "int", "bool", "color", "vector2", "vector3", "vector4")
_LINKED = ("float", "color", "normal", "any", "vector2", "vector3", "surface")
_ENOUGH = ("file", "string", "token", "paths")  # what stands for itself: only the same can take it


def parameter_of(graph: Graph, target: Pack, node: str, name: str) -> Parameter | None:
    """A parameter of a node of a target's network; None for one that there is not."""
    found = graph.nodes.get(node)
    return target.parameter(found.kind, name) if found is not None else None


def takers(graph: Graph, target: Pack, place: Place, only: str = "") -> list[Place]:
    """The places of a target's network that can take what stands in one; of one node `only`, where that is said. What feeds a map is
    not among them."""
    given = parameter_of(graph, target, *place)
    if given is None:
        return []
    link = graph.nodes[place[0]].links.get(place[1])
    fed = Graph(graph.nodes, {"": link}).reachable() if link is not None else set()
    return [
        (node.id, name)
        for node in graph.nodes.values() if node.id not in fed and only in ("", node.id)
        for name, to in _parameters(target, node).items()
        if (node.id, name) != place and can_take(to, given, "link" if link is not None else "")
    ]  # fmt: skip


def _parameters(target: Pack, node: Node) -> dict[str, Parameter]:
    kind = target.type(node.kind)
    return kind.parameters if kind is not None else {}


def can_take(to: Parameter, given: Parameter, link: str = "") -> bool:
    """Whether one parameter can take what another one holds: a value, or (`link`) what something of a type gives."""
    if link:
        return to.type in _LINKED and (to.type == given.type or "any" in (to.type, given.type) or _both(to, given))
    if given.type in _ENOUGH or to.type in _ENOUGH:
        return given.type == to.type and (to.type != "token" or set(given.choices) <= set(to.choices))
    if "bool" in (given.type, to.type):
        return given.type == to.type
    return given.type in _NUMBERS and to.type in _NUMBERS


def _both(one: Parameter, two: Parameter) -> bool:
    """Whether a colour may be for a number, or the other way round."""
    return {one.type, two.type} <= {"float", "color"}


def as_taken(value: Value, given: Parameter, to: Parameter, metres_per_unit: float) -> Value | None:
    """A value of one parameter as another one takes it: in its unit, its number of channels and its range; None where it cannot."""
    if given.type in _ENOUGH or to.type in _ENOUGH:
        return value if can_take(to, given) else None
    if isinstance(value, str) or not can_take(to, given):
        return None
    if to.type == "bool":
        return value
    factor = unit_factor(given.unit, to.unit, metres_per_unit) or 1.0
    parts = [float(part) * factor for part in (value if isinstance(value, tuple) else (value,))]
    if to.type == "any":
        return tuple(parts) if isinstance(value, tuple) else parts[0]
    wide = COMPONENTS.get(to.type, 1)
    if wide == 1:
        one = luminance(parts[:3]) if len(parts) >= 3 else parts[0]
        one = _within(one, to)
        return round(one) if to.type == "int" else one
    parts = parts * wide if len(parts) == 1 else [*parts, *([0.0] * wide)]
    return tuple(_within(part, to) for part in parts[:wide])


def _within(number: float, parameter: Parameter) -> float:
    low, high = parameter.range or (-1e30, 1e30)
    return min(max(number, low), high)


def by_hand(row: Row, why: Why) -> None:
    """Say of a row that a hand did it."""
    row.by, row.why = By.HAND, why
    row.measure, row.measured = None, ""
    if row.fate < Fate.LOST:
        row.fate = Fate.FITTED


def lose(row: Row, place: tuple[str, str], why: Why) -> None:
    """Say of a row that it leads to a place no more."""
    kept = [(at, said) for at, said in zip(row.targets, row.target_values, strict=True) if at != place]
    row.targets, row.target_values = tuple(at for at, _ in kept), tuple(said for _, said in kept)
    row.by, row.why = By.HAND, why
    row.fate = max(row.fate, Fate.FITTED if kept else Fate.LOST)
