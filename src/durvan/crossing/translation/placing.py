"""Places that are moved by arithmetic, for targets that only know a placement: what is a shift, a turn and a scale becomes one.

What bends places otherwise stays, and the picture that is read there has to be baked.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.scene.graph import Graph, Link, Node, Value

PLAIN = ("place2d", "geompropvalue")
_ARITHMETIC = ("multiply", "divide", "add", "subtract", "rotate2d", "place2d")
_HOPS = 64
_TINY = 1e-9
Matrix = NDArray[np.float64]


@dataclass
class Move:
    """A place that is a linear map [2, 3] of another one, which comes from `base` (None: the first UVs)."""

    matrix: Matrix
    base: Link | None
    passed: list[Node]


def moves_places(target: Pack) -> bool:
    """Whether a dialect knows arithmetic on places."""
    return "rotate2d" in target.by_category


def straighten(inward: Inward, target: Pack) -> None:
    """Put one placement in the place of arithmetic, wherever something is read at a place and the target knows no arithmetic on them."""
    if moves_places(target):
        return
    graph = inward.graph
    for node in list(graph.nodes.values()):
        link = node.links.get("texcoord")
        if link is None or node.kind in PLAIN or graph.nodes.get(link.node) is None:
            continue
        if is_plain(graph, link):
            continue
        move = _move(graph, link)
        if move is not None:
            _replace(inward, node, move)


def is_plain(graph: Graph, link: Link) -> bool:
    """Whether a place comes from a placement of a set of UVs, or from those themselves."""
    for _ in range(_HOPS):
        node = graph.nodes.get(link.node)
        if node is None or node.kind == "geompropvalue":
            return True
        onward = node.links.get("texcoord")
        if node.kind != "place2d" or any(port != "texcoord" for port in node.links):
            return False
        if node.values.get("operationorder", 0) != 0 or _two(node.values.get("pivot"), 0.0) != (0.0, 0.0):
            return False
        if onward is None:
            return True
        before = graph.nodes.get(onward.node)
        if before is not None and before.kind == "place2d":
            return False  # two placements are one after the other
        link = onward
    return False


def _move(graph: Graph, link: Link) -> Move | None:
    """What a place is of another one; None where it is no linear map of it, or varies."""
    matrix = np.eye(3)
    passed: list[Node] = []
    here: Link | None = link
    for _ in range(_HOPS):
        node = graph.nodes.get(here.node) if here is not None else None
        if node is None or node.kind == "geompropvalue":
            return Move(matrix[:2], here if node is not None else None, passed)
        if node.kind not in _ARITHMETIC:
            return None
        found = _place2d(node) if node.kind == "place2d" else _arithmetic(node)
        if found is None:
            return None
        own, here = found
        matrix = matrix @ own
        passed.append(node)
    return None


def _two(value: Value | None, otherwise: float) -> tuple[float, float] | None:
    if isinstance(value, tuple):
        return (value[0], value[1]) if len(value) >= 2 else None
    if isinstance(value, int | float):
        return float(value), float(value)
    return (otherwise, otherwise) if value is None else None


def _arithmetic(node: Node) -> tuple[Matrix, Link | None] | None:
    """One step as a matrix [3, 3], and where its place comes from."""
    if node.kind == "rotate2d":
        amount = node.values.get("amount", 0.0)
        if "amount" in node.links or "in" not in node.links or not isinstance(amount, int | float):
            return None
        return _turned(-math.radians(amount)), node.links["in"]
    first, second = node.links.get("in1"), node.links.get("in2")
    if (first is None) == (second is None):
        return None
    link, fixed = (first, "in2") if first is not None else (second, "in1")
    one = 1.0 if node.kind in ("multiply", "divide") and fixed == "in2" else 0.0
    numbers = _two(node.values.get(fixed), one)
    if numbers is None or (node.kind == "divide" and (fixed == "in1" or 0.0 in numbers)):
        return None
    x, y = numbers
    if node.kind == "multiply":
        return np.diag([x, y, 1.0]), link
    if node.kind == "divide":
        return np.diag([1.0 / x, 1.0 / y, 1.0]), link
    sign = -1.0 if node.kind == "subtract" and fixed == "in1" else 1.0
    shift = -1.0 if node.kind == "subtract" and fixed == "in2" else 1.0
    return np.array([[sign, 0.0, shift * x], [0.0, sign, shift * y], [0.0, 0.0, 1.0]]), link


def _turned(angle: float) -> Matrix:
    c, s = math.cos(angle), math.sin(angle)
    return np.array([[c, -s, 0.0], [s, c, 0.0], [0.0, 0.0, 1.0]])


def _place2d(node: Node) -> tuple[Matrix, Link | None] | None:
    if any(port != "texcoord" for port in node.links):
        return None
    pivot, scale = _two(node.values.get("pivot"), 0.0), _two(node.values.get("scale"), 1.0)
    offset, angle = _two(node.values.get("offset"), 0.0), node.values.get("rotate", 0.0)
    if pivot is None or scale is None or offset is None or 0.0 in scale or not isinstance(angle, int | float):
        return None

    def shift(x: float, y: float) -> Matrix:
        return np.array([[1.0, 0.0, x], [0.0, 1.0, y], [0.0, 0.0, 1.0]])

    turn, sizes = _turned(-math.radians(angle)), np.diag([1.0 / scale[0], 1.0 / scale[1], 1.0])
    moved = shift(-offset[0], -offset[1])
    inner = moved @ turn @ sizes if node.values.get("operationorder", 0) == 0 else sizes @ turn @ moved
    return shift(*pivot) @ inner @ shift(-pivot[0], -pivot[1]), node.links.get("texcoord")


def _replace(inward: Inward, node: Node, move: Move) -> None:
    """Put one placement between a node and its base; nothing where the place is moved nowhere, or is sheared."""
    a, shift = move.matrix[:, :2], move.matrix[:, 2]
    across, up = np.hypot(*a[:, 0]), np.hypot(*a[:, 1])
    if across < _TINY or up < _TINY or abs(float(a[:, 0] @ a[:, 1])) > 1e-6 * across * up:
        return
    angle = math.atan2(a[1, 0], a[0, 0])
    mirrored = float(np.linalg.det(a)) < 0.0
    values: dict[str, Value] = {
        "scale": (1.0 / float(across), (-1.0 if mirrored else 1.0) / float(up)), "rotate": -math.degrees(angle) or 0.0,
        "offset": (-float(shift[0]) or 0.0, -float(shift[1]) or 0.0),
    }  # fmt: skip
    rows = _rows(inward, move.passed)
    place = inward.graph.add(Node(f"{node.id}_place", "place2d", values))
    if move.base is not None:
        place.links["texcoord"] = move.base
    node.links["texcoord"] = Link(place.id)
    for port in ("scale", "rotate", "offset"):
        inward.origins[place.id, port] = list(rows)


def _rows(inward: Inward, passed: list[Node]) -> list[Row]:
    found: dict[int, Row] = {}
    for node in passed:
        for port in node.ports():
            found |= {id(row): row for row in inward.origins.get((node.id, port), ())}
    return list(found.values())
