"""Fit: move a target's parameters until its lobes answer like the source's; what is gained is then measured as drift.

Least squares over pairs of directions, around each mirror direction as close as the lobes are sharp, and over what is
reflected and let through in all. Values are compared by their cube root, as lightness is. A map is not fitted texel
by texel: where a parameter is fed by a node that corrects a map, that node's numbers are moved, over a few places.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Facts, Record, resolve, trace
from durvan.dialects.pack import Pack
from durvan.engine.answers import ANGLES, answer, pairs, sharpest
from durvan.graph.expression import Pixels, order
from durvan.optics.spread import spread
from durvan.scene.graph import Graph, Node, Value

Floats = NDArray[np.float64]
_PLACES = 8
_ALL = -2
_ENOUGH = 1e-3  # of the misfit or of the knobs' numbers, below which no further round is worth its time
_ROUNDS = 14
_LAYERS = 3  # surfaces of one material that are fitted at most


@dataclass(frozen=True)
class Moved:
    """One value that the fit changed, in the target's words."""

    node: str
    parameter: str
    value: Value


@dataclass(frozen=True)
class Fit:
    """What a fit found: the values that changed, and the misfit before and after (root mean square, no unit)."""

    moved: tuple[Moved, ...]
    before: float
    after: float


@dataclass(frozen=True)
class _Knob:
    """A number that may move: where it stands, which channel (−1 of what has none, `_ALL` for all alike), and between what."""

    node: str
    parameter: str
    channel: int
    start: float
    low: float
    high: float


def _places(pixels: Pixels, looks: Sequence[Record]) -> list[dict[str, float]]:
    """Places on the surface to compare at: one where nothing varies but the view, else some spread evenly over it."""
    names = {str(lane.data) for look in looks for lane in order(list(look.lanes.values())) if lane.op == "point"}
    if not names & {"u", "v", "x", "y", "z"}:
        return [{"u": 0.5, "v": 0.5, "x": 0.0, "y": 0.0, "z": 0.0}]
    out = []
    for u, v in zip(*(axis.tolist() for axis in spread(_PLACES)), strict=True):
        out.append({"u": u, "v": v, "x": 0.1 * u, "y": 0.1 * v, "z": 0.05 * (u - v)})
    return out


class Problem:
    """One target graph against one source look."""

    def __init__(self, source: Record, graph: Graph, pack: Pack, facts: Facts, pixels: Pixels) -> None:
        assert pack.looks is not None
        self.graph, self.pack, self.facts, self.pixels = graph, pack, facts, pixels
        target = trace(graph, pack.vocabulary, pack.looks, facts)
        self.places = _places(pixels, (source, target))
        recs = self._resolved(source) + self._resolved(target)
        self.pairs = pairs(max(min(sharpest(rec) for rec in recs), 0.01))
        self.goal = self._answers(source)
        self.knobs = self._knobs(source)

    def _resolved(self, look: Record) -> list[Floats]:
        """Records at every place and every view, as what faces the eye may look otherwise than what does not."""
        if not look.lanes:
            return [look.base]
        views = np.cos(np.radians(ANGLES))
        points = {
            name: np.array([place[name] for place in self.places for _ in views]) for name in ("u", "v", "x", "y", "z")
        }
        points["facing"] = np.tile(views, len(self.places))
        return list(resolve(look, points, self.pixels))

    def _answers(self, look: Record) -> Floats:
        recs = self._resolved(look)
        out = []
        for place in range(len(self.places)):
            for view, (eye, light) in enumerate(self.pairs):
                rec = recs[place * len(ANGLES) + view] if len(recs) > 1 else recs[0]
                out.append(answer(rec, eye, light))
        return np.concatenate(out) / math.sqrt(len(self.places))

    # what may move

    def _varied(self, node: Node, facing: bool) -> tuple[str, ...]:
        for case in self.pack.identity.fit.get(node.kind, ()):
            if case.facing and not facing:
                continue
            if all(low <= self._level(node, name) <= high for name, (low, high) in case.given.items()):
                return case.vary
        return ()

    def _level(self, node: Node, name: str) -> float:
        value = self._value(node, name)
        if isinstance(value, tuple):
            return max(value)
        return 0.5 if name in node.links else float(value) if not isinstance(value, str) else 0.0

    def _value(self, node: Node, name: str) -> Value:
        parameter = self.pack.parameter(node.kind, name)
        found = node.values.get(name, parameter.default if parameter is not None else 0.0)
        return 0.0 if found is None else found

    def _knobs(self, source: Record) -> list[_Knob]:
        facing = any(lane.op == "point" and lane.data == "facing" for lane in order(list(source.lanes.values())))
        return [knob for surface in self._surfaces() for knob in self._of_surface(surface, facing)]

    def _surfaces(self) -> list[Node]:
        """The surfaces that may be fitted: the one that the material ends in, or those that this is made of."""
        link = self.graph.outputs.get("surface")
        waiting, seen = [link.node] if link is not None else [], set()
        out: list[Node] = []
        while waiting and len(out) < _LAYERS:
            name = waiting.pop(0)
            node = self.graph.nodes.get(name)
            if node is None or name in seen or not self.pack.is_surface(node.kind):
                continue
            seen.add(name)
            if node.kind in self.pack.identity.fit:
                out.append(node)
            else:
                waiting += [feed.node for feed in node.links.values()]
        return out

    def _of_surface(self, surface: Node, facing: bool) -> list[_Knob]:
        out: list[_Knob] = []
        for name in self._varied(surface, facing):
            feed = surface.links.get(name)
            if feed is None:
                out.extend(self._of(surface, name))
                continue
            node = self.graph.nodes.get(feed.node)
            if node is not None and self.graph.consumers()[node.id] == 1:
                for inner in self._varied(node, False):
                    if inner not in node.links:
                        out.extend(self._of(node, inner, self._is_number(surface, name)))
        return out

    def _is_number(self, node: Node, name: str) -> bool:
        """Whether a parameter is one number, so that all channels of what feeds it may go together."""
        parameter = self.pack.parameter(node.kind, name)
        return parameter is not None and parameter.type == "float"

    def _of(self, node: Node, name: str, together: bool = False) -> list[_Knob]:
        parameter = self.pack.parameter(node.kind, name)
        value = self._value(node, name)
        if parameter is None or isinstance(value, str):
            return []
        low, high = parameter.range or (-10.0, 10.0)
        low, high = max(low, -10.0), min(high, 10.0)
        parts = value if isinstance(value, tuple) else (float(value),)
        if together and isinstance(value, tuple) and len(set(value)) == 1:
            return [_Knob(node.id, name, _ALL, min(max(parts[0], low), high), low, high)]
        whole = -1 if not isinstance(value, tuple) else 0
        return [
            _Knob(node.id, name, whole + n if whole == 0 else -1, min(max(part, low), high), low, high)
            for n, part in enumerate(parts)
        ]

    # moving

    def graph_at(self, numbers: Sequence[float]) -> Graph:
        """The target graph with the knobs turned."""
        out = Graph(dict(self.graph.nodes), dict(self.graph.outputs))
        for knob, number in zip(self.knobs, numbers, strict=True):
            node = out.nodes[knob.node]
            if node is self.graph.nodes[knob.node]:
                node = out.nodes[knob.node] = replace(node, values=dict(node.values))
            value: Value = float(number)
            if knob.channel == _ALL:
                value = (float(number),) * 3
            elif knob.channel >= 0:
                held = self._value(node, knob.parameter)
                parts = list(held) if isinstance(held, tuple) else [0.0] * 3
                parts[knob.channel] = float(number)
                value = tuple(parts)
            node.values[knob.parameter] = value
        return out

    def apart(self, numbers: Floats) -> Floats:
        """What is to become small: the difference of the answers, and a slight pull to where it began."""
        assert self.pack.looks is not None
        made = trace(self.graph_at(list(numbers)), self.pack.vocabulary, self.pack.looks, self.facts)
        start = np.array([knob.start for knob in self.knobs])
        pull = 0.01 * (np.asarray(numbers) - start)
        return np.concatenate([self._answers(made) - self.goal, pull])

    def solve(self) -> Fit | None:
        """Turn the knobs; None when there are none or nothing is gained."""
        from scipy.optimize import least_squares  # a third of a second, which opening a scene need not wait for

        if not self.knobs:
            return None
        low = np.array([knob.low for knob in self.knobs])
        high = np.array([knob.high for knob in self.knobs])
        start = np.array([knob.start for knob in self.knobs])
        inside = np.clip(start, low + 1e-6 * (high - low), high - 1e-6 * (high - low))
        before = _size(self.apart(start))
        found = least_squares(
            self.apart,
            inside,
            bounds=(low, high),
            max_nfev=_ROUNDS,
            diff_step=2e-3,
            ftol=_ENOUGH,
            xtol=_ENOUGH,
            x_scale=np.maximum(np.abs(inside), 0.1),
        )
        after = _size(found.fun)
        if not math.isfinite(after) or after >= before * 0.995:
            return None
        return Fit(self.moved(found.x), before, after)

    def moved(self, found: Floats) -> tuple[Moved, ...]:
        """What numbers of the knobs come to, as values of the target that changed."""
        numbers = [round(float(number), 5) for number in found]
        turned = self.graph_at(numbers)
        values = {
            (knob.node, knob.parameter): turned.nodes[knob.node].values[knob.parameter]
            for knob, number in zip(self.knobs, numbers, strict=True)
            if abs(number - knob.start) > 2e-4
        }
        return tuple(Moved(node, name, value) for (node, name), value in values.items())

    def numbers(self, moved: Sequence[Moved] = ()) -> Floats:
        """The knobs' numbers, as they start or with some values changed."""
        values = {(one.node, one.parameter): one.value for one in moved}
        out: list[float] = []
        for knob in self.knobs:
            value = values.get((knob.node, knob.parameter))
            part = value[max(knob.channel, 0)] if isinstance(value, tuple) else value
            out.append(float(part) if isinstance(part, int | float) else knob.start)
        return np.array(out)


def _size(residual: Floats) -> float:
    return float(np.sqrt(np.mean(residual * residual)))


def fit(source: Record, graph: Graph, pack: Pack, facts: Facts, pixels: Pixels) -> Fit | None:
    """Fit a target's graph to a source look, starting from the values it has. None when nothing can be gained."""
    if pack.looks is None or not pack.identity.fit:
        return None
    return Problem(source, graph, pack, facts, pixels).solve()


def with_moved(graph: Graph, moved: Sequence[Moved]) -> Graph:
    """A graph with some values changed."""
    out = Graph(dict(graph.nodes), dict(graph.outputs))
    for one in moved:
        node = out.nodes.get(one.node)
        if node is not None:
            out.nodes[one.node] = replace(node, values={**node.values, one.parameter: one.value})
    return out
