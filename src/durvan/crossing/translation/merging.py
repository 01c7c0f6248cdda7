"""Layers become fewer where a target takes fewer: those are merged whose merging costs the look least.

What merging two neighbours costs is measured on the looks that they have in the source: how far they are apart, how much of the
upper one hides the lower one (a half costs most, all or nothing costs nothing), and how much of both is seen.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.mixing import merged
from durvan.crossing.translation.rows import Row
from durvan.dialects.gist import Gist, gist
from durvan.dialects.look import Facts, resolve, trace
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.graph.wire import Wire
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Thing

Amount = Wire | float
_LAYER, _SURFACE, _SIDES = "layer", "open_pbr_surface", "two_sided"
_MAP = 0.15  # what a map leaves of the cost of a half: most of a mask is all or nothing
_MEAN = 0.5  # how much of a map is taken for
_MOST = 1024  # layers that are looked at


@dataclass
class _Level:
    """One surface of a pile: how much of it there is, how it lies on what is below, and the rows that said so."""

    surface: Node
    amount: Amount = 1.0
    how: str = "over"
    rows: list[Row] = field(default_factory=list)
    look: Gist | None = None


def merge_layers(
    inward: Inward, thing: Thing, source: Pack, target: Pack, metres_per_unit: float, few: int = 0
) -> None:
    """Bring every pile of a thing down to what a target takes, or to fewer. Changes the thing on the common ground."""
    abilities = target.identity.abilities
    most = max(int(abilities.get("layers", 1)), 1)
    most = min(most, few) if few else most
    adds = bool(abilities.get("adds", False)) and most > 1
    link = inward.graph.outputs.get("surface")
    root = inward.graph.nodes.get(link.node) if link is not None else None
    if root is None or root.kind not in (_LAYER, _SIDES):
        return
    merging = _Merging(inward, thing, source, most, adds, metres_per_unit)
    if root.kind == _LAYER:
        inward.graph.outputs["surface"] = Link(merging.run(root).id)
        return
    for port in ("front", "back"):
        side = root.links.get(port)
        node = inward.graph.nodes.get(side.node) if side is not None else None
        if node is not None and node.kind == _LAYER:
            root.links[port] = Link(merging.run(node).id)


def _together(under: Any, top: Any) -> tuple[Amount, Amount]:
    """How much there is of two levels together, and the share of the upper one in that."""
    if not isinstance(under, Wire) and under >= 1.0:
        return 1.0, top
    if not isinstance(top, Wire) and top <= 0.0:
        return under, 0.0
    both = under + top - under * top
    return both, top / both


class _Merging:
    def __init__(self, inward: Inward, thing: Thing, source: Pack, most: int, adds: bool, mpu: float) -> None:
        self.inward, self.thing, self.source, self.most, self.adds = inward, thing, source, most, adds
        self.metres_per_unit = mpu
        self.old: list[str] = []

    def run(self, root: Node) -> Node:
        """The surface that stands for a pile: a pile of fewer layers, or one surface; the pile itself where it may stay."""
        levels = self._levels(root)
        fine = len(levels) <= self.most and (self.adds or all(level.how == "over" for level in levels))
        if not levels or (fine and not self._nested(root)):
            return root
        for level in levels:
            level.look = self._look(level.surface)
        costs = [self._cost(levels, k) for k in range(len(levels) - 1)]
        while len(levels) > 1 and (len(levels) > self.most or (not self.adds and any(v.how == "add" for v in levels))):
            k = self._cheapest(levels, costs)
            self._join(levels, k)
            del costs[
                k
            ]  # two together hide of what is below as much as they did apart, so only their neighbours are asked anew
            for near in range(max(k - 1, 0), min(k + 1, len(costs))):
                costs[near] = self._cost(levels, near)
        for name in self.old:
            self.inward.graph.nodes.pop(name, None)
        return self._pile(root, levels)

    # reading a pile

    def _nested(self, root: Node) -> bool:
        nodes = self.inward.graph.nodes
        return any(
            (top := nodes.get(node.links["top"].node)) is not None and top.kind == _LAYER
            for node in self._chain(root)
            if "top" in node.links
        )

    def _chain(self, root: Node) -> list[Node]:
        """The layers of a pile from the uppermost down."""
        found: list[Node] = []
        node: Node | None = root
        while node is not None and node.kind == _LAYER and node not in found and len(found) < _MOST:
            found.append(node)
            link = node.links.get("under")
            node = self.inward.graph.nodes.get(link.node) if link is not None else None
        return found

    def _levels(self, root: Node) -> list[_Level]:
        """The surfaces of a pile from the lowest up; piles within it are laid out flat."""
        nodes, chain = self.inward.graph.nodes, self._chain(root)
        self.old += [node.id for node in chain]
        link = chain[-1].links.get("under")
        base = nodes.get(link.node) if link is not None else None
        levels = [_Level(base)] if base is not None and base.kind == _SURFACE else []
        for node in reversed(chain):
            top = nodes.get(node.links["top"].node) if "top" in node.links else None
            amount, how = self._amount(node), str(node.values.get("how", "over"))
            rows = [row for port in node.ports() for row in self.inward.origins.get((node.id, port), ())]
            if top is not None and top.kind == _LAYER and len(levels) < _MOST:
                levels += self._flat(self._levels(top), amount, how, rows)
            elif top is not None and top.kind == _SURFACE:
                levels.append(_Level(top, amount, how, rows))
        if levels:
            levels[0].amount, levels[0].how = 1.0, "over"
        return levels

    @staticmethod
    def _flat(inner: list[_Level], amount: Amount, how: str, rows: list[Row]) -> list[_Level]:
        """A pile that is itself laid on another one by an amount, as single levels of that: what is seen of each stays."""
        seen: list[Any] = []
        left: Any = amount
        for level in reversed(inner):
            seen.append(left * level.amount if level.how == "over" else amount * level.amount)
            left = left * (1.0 - level.amount) if level.how == "over" and not isinstance(level.amount, Wire) else left
        seen.reverse()
        above: Any = 0.0
        for level, share in zip(reversed(inner), reversed(seen), strict=True):
            rest = 1.0 - above
            plain = not isinstance(share, Wire) and not isinstance(rest, Wire)
            level.amount = min(max(share / max(rest, 1e-6), 0.0), 1.0) if plain else share
            level.how = how if level.how == "over" else level.how
            level.rows = level.rows + rows
            above = above + share if plain else above
        return inner

    def _amount(self, node: Node) -> Amount:
        link = node.links.get("amount")
        if link is not None:
            return Wire(self.inward.graph, link, f"{node.id}_amount")
        value = node.values.get("amount", 0.0)
        return min(max(float(value), 0.0), 1.0) if isinstance(value, int | float) else 0.0

    # measuring

    def _look(self, surface: Node) -> Gist | None:
        """The look of a surface in the source, where maps are half grey."""
        found = self.thing.graph.nodes.get(surface.id)
        if self.source.looks is None or found is None:
            return None
        graph = Graph(self.thing.graph.nodes, {"surface": Link(surface.id)})
        facts = Facts(self.metres_per_unit)
        made = trace(self.source.folded(graph), self.source.vocabulary, self.source.looks, facts)
        grey = np.full((1, 1, 4), 0.5, dtype=np.float32)
        point = {name: np.array([0.5]) for name in ("u", "v", "x", "y", "z")}
        return gist(resolve(made, {**point, "facing": np.array([1.0])}, lambda _: grey)[0])

    def _cost(self, levels: list[_Level], k: int) -> float:
        """What it costs to merge a level with the one on top of it."""
        under, top = levels[k], levels[k + 1]
        far = under.look.apart(top.look) if under.look is not None and top.look is not None else 1.0
        low, high = (_MEAN if isinstance(level.amount, Wire) else level.amount for level in (under, top))
        both = low + high - low * high
        share = high / both if both > 0.0 else 0.0
        half = both * (_MAP if isinstance(top.amount, Wire) else share * (1.0 - share))
        if top.how == "add":
            half = high
        elif isinstance(top.amount, Wire) and under.amount != 1.0:
            half *= 2.0  # its share becomes a quotient of maps
        seen = 1.0
        for above in levels[k + 2 :]:
            if above.how == "over":
                seen *= 1.0 - (_MEAN if isinstance(above.amount, Wire) else above.amount)
        return far * half * seen

    def _cheapest(self, levels: list[_Level], costs: list[float]) -> int:
        """The place of the level that is merged with the one on top of it; what is added has to go where the target adds nothing."""
        must = (
            [] if self.adds or len(levels) > self.most else [k for k in range(len(costs)) if levels[k + 1].how == "add"]
        )
        return min(must or range(len(costs)), key=lambda k: costs[k])

    # doing

    def _join(self, levels: list[_Level], k: int) -> None:
        under, top = levels[k], levels[k + 1]
        seen = f"{100 * top.amount:.0f} %" if not isinstance(top.amount, Wire) else "a map"
        said = f"Two layers became one: {top.surface.id} lay {'on' if top.how == 'over' else 'added to'} {under.surface.id} by {seen}."
        why = Why(Cause.MERGED, said, "layers")
        before = len(self.inward.graph.nodes)
        amount, share = _together(under.amount, top.amount) if top.how == "over" else (under.amount, top.amount)
        fresh = merged(self.inward, under.surface, top.surface, share, top.how, why)
        rows = [*under.rows, *top.rows]
        self.inward.learn_grown(before, rows)
        for row in top.rows:
            row.meet(Fate.FITTED, why)
        look = under.look
        if under.look is not None and top.look is not None:
            look = under.look if isinstance(share, Wire) or share < 0.5 else top.look
        levels[k : k + 2] = [_Level(fresh, amount, under.how, rows, look)]

    def _pile(self, root: Node, levels: list[_Level]) -> Node:
        """The levels as layers again; their rows go with them."""
        node = levels[0].surface
        for number, level in enumerate(levels[1:], 1):
            made = Node(f"{root.id}_{number}" if number < len(levels) - 1 else root.id, _LAYER, source=root.source)
            made.links["under"], made.links["top"] = Link(node.id), Link(level.surface.id)
            if isinstance(level.amount, Wire):
                made.links["amount"] = level.amount.settled()
            else:
                made.values["amount"] = level.amount
            if level.how != "over":
                made.values["how"] = level.how
            node = self.inward.graph.add(made)
            for port in node.ports():
                self.inward.origins.setdefault((node.id, port), []).extend(level.rows)
        return node
