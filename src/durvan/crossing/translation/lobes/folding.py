"""Parts that lie on and beside each other become whole surfaces, in layers where one cannot say them all.

A stack of something on layers is layers of stacks, so what remains are layers of surfaces, each of one stack. The rows of every
part go along with what it says; those of what a surface cannot have besides are told that they are lost.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.lobes import content
from durvan.crossing.translation.lobes.content import (
    BASES,
    BENDING,
    CLEAR,
    COAT,
    DEEP,
    FUZZ,
    GLOW,
    HIGHLIGHT,
    LAYER,
    LEAF,
    LYING,
    MATT,
    METAL,
    MIRROR,
    PANE,
    SHAPE,
    SHAPED,
    SIDES,
    STACK,
    SURFACE,
)  # fmt: skip
from durvan.dialects.said import Cause, Why
from durvan.graph.formula import wrap
from durvan.graph.wire import Wire
from durvan.scene.fate import Fate
from durvan.scene.graph import Link, Node, Value, same
from durvan.scene.vocabulary import common_ground

ONE = Why(Cause.FOLDED, "What lies on and beside each other became one surface.")
HIDDEN = Why(Cause.IDLE, "What lies on it lets no light come to it, so it has no effect.")
NOTHING = Why(Cause.IDLE, "Nothing of it is there, so it has no effect.")
ORDER = Why(
    Cause.RULE,
    "The order of what lies on a surface is fixed elsewhere: fuzz, then a coat, then what the base reflects.",
    "order",
)
_MOST = 512  # surfaces that are put together


@dataclass
class Whole:
    """A surface that is put together, of which parts, and what it is named after."""

    node: Node
    parts: frozenset[str]
    name: str


@dataclass
class Layers:
    """A surface over another, as a node says."""

    node: Node
    under: Tree
    top: Tree


@dataclass
class Closed:
    """A surface that is none of parts: fibres."""

    node: Node


Tree = Whole | Layers | Closed


def fold(inward: Inward) -> None:
    """Put the parts of a thing on the common ground together; nothing is done where it has none."""
    if any(content.is_part(node.kind) for node in inward.graph.nodes.values()):
        _Folding(inward).run()
        inward.order = []


@dataclass
class _Folding:
    inward: Inward
    trees: dict[str, Tree] = field(default_factory=dict)
    given: set[str] = field(default_factory=set)
    written: list[Node] = field(default_factory=list)
    names: dict[str, str] = field(default_factory=dict)
    made: int = 0

    def run(self) -> None:
        graph = self.inward.graph
        old = dict(graph.nodes)
        for name in graph.order()[0]:
            node = graph.nodes[name]
            kind = common_ground().types[node.kind]
            if kind.role in ("surface", "part") and node.kind != SIDES:
                tree = self._read(node)
                if tree is not None:
                    self.trees[name] = tree
        for node in [node for node in old.values() if node.kind == SIDES]:
            for port in ("front", "back"):
                if port in node.links:
                    node.links[port] = self._end_of(node.links[port])
        if "surface" in graph.outputs:
            graph.outputs["surface"] = self._end_of(graph.outputs["surface"])
        self._rename(old)

    def _end_of(self, link: Link) -> Link:
        tree = self._tree_at(link)
        return Link(self._written(tree).id) if tree is not None else link

    # reading

    def _read(self, node: Node) -> Tree | None:
        if node.kind == LAYER:
            return self._layers(node, self._below(node, "under"), self._below(node, "top"))
        if node.kind == STACK:
            self._end(node, ("upper", "lower"), Fate.RECAST, ONE)
            return self._named(node, self._stacked(self._below(node, "upper"), self._below(node, "lower")))
        if node.kind == SHAPED:
            self._end(node, ("under",), Fate.RECAST, ONE)
            return self._named(node, self._shaped(self._below(node, "under"), node))
        if node.kind == SURFACE:
            return Whole(self._copy(node, SURFACE), frozenset((MATT, MIRROR)), node.id)
        if content.is_part(node.kind):
            return Whole(self._copy(node, SURFACE), frozenset((node.kind,)), node.id)
        return Closed(node)

    @staticmethod
    def _named(node: Node, tree: Tree | None) -> Tree | None:
        """A surface is named after what it has become as a whole."""
        return Whole(tree.node, tree.parts, node.id) if isinstance(tree, Whole) else tree

    def _below(self, node: Node, port: str) -> Tree | None:
        link = node.links.get(port)
        return self._tree_at(link) if link is not None else None

    def _tree_at(self, link: Link) -> Tree | None:
        """What was read of a node; once more where something else has it already."""
        tree = self.trees.get(link.node)
        if tree is None or link.node not in self.given:
            self.given.add(link.node)
            return tree
        return self._again(tree)

    def _copy(self, node: Node, kind: str) -> Node:
        """A node of another kind that says the same, with its rows."""
        self.made += 1
        fresh = Node(f"{node.id}/{self.made}", kind, dict(node.values), dict(node.links), node.source)
        for port in (
            *node.ports(),
            *(name for name in content.ports_of(node.kind) if (node.id, name) in self.inward.defaults),
        ):
            self._move((node.id, port), (fresh.id, port))
        return fresh

    def _move(self, old: tuple[str, str], new: tuple[str, str]) -> None:
        rows = self.inward.origins.get(old, ())
        if rows:
            known = self.inward.origins.setdefault(new, [])
            known += [row for row in rows if row not in known]
        if old in self.inward.defaults:
            self.inward.defaults.setdefault(new, self.inward.defaults[old])

    def _end(self, node: Node, ports: tuple[str, ...], fate: Fate, why: Why) -> None:
        for port in ports:
            for row in self.inward.origins.get((node.id, port), ()):
                row.meet(fate, why)

    # beside each other

    def _layers(self, node: Node, under: Tree | None, top: Tree | None) -> Tree | None:
        if under is None or top is None:
            return self._of_one(node, under, top)
        amount = node.values.get("amount", 0.0)
        over = node.values.get("how", "over") == "over"
        still = over and "amount" not in node.links and isinstance(amount, int | float)
        if still and not 0.0 < float(amount) < 1.0:  # type: ignore[arg-type] # a number, as was just asked
            self._end(node, ("amount", "under", "top"), Fate.RECAST, ONE)
            kept, gone = (under, top) if amount == 0.0 else (top, under)
            self._gone(gone, NOTHING if gone is top else HIDDEN)
            return kept
        if over and isinstance(under, Whole) and isinstance(top, Whole):
            melted = self._melted(node, under, top)
            if melted is not None:
                self._end(node, ("under", "top"), Fate.RECAST, ONE)
                return melted
        return Layers(node, under, top)

    def _of_one(self, node: Node, under: Tree | None, top: Tree | None) -> Tree | None:
        """Layers of which one is not there: by so much nothing is there at all."""
        one = under if under is not None else top
        if one is None:
            return None
        hole = Node(f"{node.id}/hole", SHAPED)
        amount: Any = self._get(node, "amount", 0.0)
        self._set(hole, "geometry_opacity", amount if under is None else 1.0 - amount, [(node.id, "amount")])
        return self._shaped(one, hole)

    def _gone(self, tree: Tree, why: Why) -> None:
        for node in _nodes(tree):
            self._end(node, tuple(node.ports()), Fate.RECAST, why)

    def _melted(self, node: Node, under: Whole, top: Whole) -> Whole | None:
        """Two surfaces side by side as one, where what differs between them is what one surface can have in part."""
        for low, high, turned in ((under, top, False), (top, under, True)):
            port = self._share_of(low, high)
            if port:
                return self._joined(node, low, high, port, turned)
        return None

    def _share_of(self, low: Whole, high: Whole) -> str:
        """By which weight a surface has a part of the second kind beside one of the first; empty where it cannot."""
        if low.parts.intersection((GLOW, FUZZ, COAT)) or len(high.parts) != 1 or high.parts <= low.parts:
            return ""
        if not self._agree(low, high, SHAPE):
            return ""
        part = next(iter(high.parts))
        bright = low.parts.intersection((MIRROR, *CLEAR))
        if part == METAL and low.parts <= {MATT, DEEP, LEAF, MIRROR, *CLEAR}:
            asked = (*(HIGHLIGHT if bright else ()), *(("base_color", "base_weight") if MATT in low.parts else ()))
            return "base_metalness" if self._agree(low, high, (*asked, *(BENDING[::2] if bright else ()))) else ""
        if part in CLEAR and MIRROR in low.parts and low.parts <= {MATT, MIRROR, LEAF if part == PANE else DEEP}:
            return "transmission_weight" if self._agree(low, high, (*HIGHLIGHT, *BENDING)) else ""
        if part in (DEEP, LEAF) and low.parts == {MATT}:
            return "subsurface_weight"
        return ""

    def _agree(self, low: Whole, high: Whole, ports: tuple[str, ...]) -> bool:
        return all(
            _said(low.node, port) == _said(high.node, port) or _alike(low.node, high.node, port) for port in ports
        )

    def _joined(self, node: Node, low: Whole, high: Whole, port: str, turned: bool) -> Whole:
        self._take(low.node, high.node, frozenset(high.node.ports()) - frozenset(low.node.ports()))
        share: Any = self._get(node, "amount", 0.0)
        self._set(low.node, port, 1.0 - share if turned else share, [(node.id, "amount")])
        return Whole(low.node, low.parts | high.parts, node.id)

    # on each other

    def _stacked(self, upper: Tree | None, lower: Tree | None) -> Tree | None:
        if upper is None or lower is None:
            return upper if lower is None else lower
        if isinstance(upper, Closed):
            self._gone(lower, HIDDEN)
            return upper
        if isinstance(lower, Closed):
            self._lose(_nodes(upper), "Nothing lies on fibres elsewhere.")
            return lower
        if isinstance(lower, Layers):
            again = self._again(upper)
            return Layers(
                lower.node,
                self._stacked(upper, lower.under) or lower.under,
                self._stacked(again, lower.top) or lower.top,
            )
        if isinstance(upper, Layers):
            again = self._again(lower)
            return Layers(
                upper.node, self._stacked(upper.under, lower) or lower, self._stacked(upper.top, again) or lower
            )
        if "geometry_opacity" in upper.node.ports() and not upper.parts.issubset((GLOW,)):
            return self._through_holes(upper, lower)
        return self._on(upper, lower)

    def _through_holes(self, upper: Whole, lower: Whole) -> Tree:
        """What lies below is seen as it is through the holes of what lies on it."""
        self.made += 1
        node = Node(f"{upper.name}/{self.made}", LAYER, source=upper.node.source)
        self._take(node, upper.node, frozenset(("geometry_opacity",)), "amount")
        upper.node.links.pop("geometry_opacity", None)
        upper.node.values.pop("geometry_opacity", None)
        bare = self._again(lower)
        return Layers(node, bare, self._on(upper, lower))

    def _again(self, tree: Tree) -> Tree:
        """The same once more, with the same rows."""
        if isinstance(tree, Layers):
            fresh = self._copy(tree.node, LAYER)
            return Layers(fresh, self._again(tree.under), self._again(tree.top))
        return Whole(self._copy(tree.node, SURFACE), tree.parts, tree.name) if isinstance(tree, Whole) else tree

    def _on(self, upper: Whole, lower: Whole) -> Whole:
        """One surface on another: what lies on top keeps its place, as far as a surface has one for it."""
        if upper.parts.intersection(BASES):
            self._gone(lower, HIDDEN)
            return upper
        parts = set(lower.parts)
        for part in reversed(LYING):
            if part in upper.parts:
                self._lay(part, upper.node, lower.node, parts)
        self._take(
            lower.node, upper.node, frozenset(upper.node.ports()).intersection(SHAPE) - frozenset(lower.node.ports())
        )
        return Whole(lower.node, frozenset(parts), lower.name)

    def _lay(self, part: str, upper: Node, lower: Node, parts: set[str]) -> None:
        ports = content.ports_of(part)
        if part == MIRROR and parts.intersection((MIRROR, METAL, *CLEAR)):
            self._lay_coat(upper, lower, parts)
            return
        if part in parts:
            self._lose([lower], "A surface has it once; the upper one is used.", content.ports_of(part))
            for port in content.ports_of(part):
                lower.values.pop(port, None)
                lower.links.pop(port, None)
                self.inward.origins.pop((lower.id, port), None)
        if (part == COAT and FUZZ in parts) or (part == MIRROR and parts.intersection((FUZZ, COAT))):
            for port in ports:
                for row in self.inward.origins.get((upper.id, port), ()):
                    row.meet(Fate.FITTED, ORDER)
        self._take(lower, upper, ports.intersection(upper.ports()))
        parts.add(part)

    def _lay_coat(self, upper: Node, lower: Node, parts: set[str]) -> None:
        """What reflects on top of what reflects already is a coat."""
        if COAT in parts:
            self._lose([upper], "A surface has one coat; this one lies on another.", content.ports_of(MIRROR))
            return
        weight = self._get(upper, "specular_weight", 1.0)
        for port, value, source in (
            ("coat_weight", weight if isinstance(weight, Wire) else min(weight, 1.0), "specular_weight"),
            ("coat_ior", self._get(upper, "specular_ior", 1.5), "specular_ior"),
            ("coat_roughness", self._get(upper, "specular_roughness", 0.3), "specular_roughness"),
            (
                "coat_roughness_anisotropy", self._get(upper, "specular_roughness_anisotropy", 0.0),
                "specular_roughness_anisotropy",
            ),
        ):  # fmt: skip
            self._set(lower, port, value, [(upper.id, source)])
        lower.values["coat_darkening"] = 0.0
        said = content.ports_of(MIRROR) - {
            "specular_weight",
            "specular_ior",
            "specular_roughness",
            "specular_roughness_anisotropy",
        }
        self._lose([upper], "A coat reflects without a tint and without a film.", said)
        parts.add(COAT)

    def _lose(self, nodes: list[Node], why: str, ports: frozenset[str] | None = None) -> None:
        said = Why(Cause.NO_WORD, why, "parts")
        for node in nodes:
            for port in node.ports():
                if ports is None or port in ports:
                    for row in self.inward.origins.get((node.id, port), ()):
                        row.meet(Fate.LOST, said)

    # shaping

    def _shaped(self, tree: Tree | None, node: Node) -> Tree | None:
        if isinstance(tree, Layers):
            under, top = self._shaped(tree.under, node), self._shaped(tree.top, node)
            assert under is not None  # what is shaped is there before and after
            assert top is not None
            return Layers(tree.node, under, top)
        if not isinstance(tree, Whole):
            self._lose([node], "Fibres have no mask and no relief elsewhere.")
            return tree
        whole = tree.node
        if "geometry_normal" in node.ports():
            if "geometry_normal" in whole.ports():
                self._lose(
                    [node], "A surface has one relief; that further below is used.", frozenset(("geometry_normal",))
                )
            else:
                self._take(whole, node, frozenset(("geometry_normal",)))
        if "geometry_opacity" in node.ports():
            both: Any = self._get(node, "geometry_opacity", 1.0) * self._get(whole, "geometry_opacity", 1.0)
            self._set(whole, "geometry_opacity", both, [(node.id, "geometry_opacity")])
        return tree

    # values

    def _get(self, node: Node, port: str, default: float) -> Any:
        link = node.links.get(port)
        if link is not None:
            return Wire(self.inward.graph, link, f"{node.id}_{port}")
        return wrap(node.values.get(port, default))

    def _set(self, node: Node, port: str, value: Any, sources: list[tuple[str, str]]) -> None:
        before = len(self.inward.graph.nodes)
        if isinstance(value, Wire):
            node.values.pop(port, None)
            node.links[port] = value.settled()
        else:
            node.links.pop(port, None)
            node.values[port] = float(value)
        for source in sources:
            self._move(source, (node.id, port))
        self.inward.learn_grown(before, self.inward.origins.get((node.id, port), []))

    def _take(self, node: Node, other: Node, ports: frozenset[str], new: str = "") -> None:
        for port in sorted(ports):
            if port in other.links:
                node.links[new or port] = other.links[port]
            elif port in other.values:
                node.values[new or port] = other.values[port]
            self._move((other.id, port), (node.id, new or port))

    # writing

    def _written(self, tree: Tree) -> Node:
        """The node that stands for a tree, and those below it, put into the graph."""
        if isinstance(tree, Closed):
            return tree.node
        if isinstance(tree, Layers):
            tree.node.links["under"] = Link(self._written(tree.under).id)
            tree.node.links["top"] = Link(self._written(tree.top).id)
            if tree.node.id not in self.inward.graph.nodes:
                self.written.append(self.inward.graph.add(tree.node))
            return tree.node
        if DEEP in tree.parts and MATT not in tree.parts:  # for those who scatter nothing below a surface
            self._take(tree.node, tree.node, frozenset(("subsurface_color",)), "base_color")
        for port, said in content.absences(tree.parts).items():
            if port not in tree.node.links and (port != "specular_weight" or said == 0.0):
                tree.node.values.setdefault(port, said)
        self.written.append(self.inward.graph.add(tree.node))
        self.names[tree.node.id] = tree.name
        return tree.node

    def _rename(self, old: dict[str, Node]) -> None:
        """Take out what was put together, and name what was written after what it came from."""
        nodes = self.inward.graph.nodes
        for name, node in old.items():
            if content.is_part(node.kind) or (node.kind == SURFACE and name in self.trees):
                del nodes[name]
        names: dict[str, str] = {}
        for node in self.written:
            before = node.id
            plain = self.names.get(before) or before.rpartition("/")[0]
            if plain:
                del nodes[before]
                node.id = plain
                names[before] = self.inward.graph.add(node).id
        for node in nodes.values():
            for port, link in node.links.items():
                if link.node in names:
                    node.links[port] = Link(names[link.node], link.output)
        for output, link in self.inward.graph.outputs.items():
            if link.node in names:
                self.inward.graph.outputs[output] = Link(names[link.node], link.output)
        kept = {name for name in nodes if name not in names.values()}
        for table in (self.inward.origins, self.inward.defaults):
            said = {
                (names.get(name, name), port): what
                for (name, port), what in table.items()
                if name in names or name in kept or name not in old
            }
            table.clear()
            table.update(said)  # type: ignore[arg-type] # each with its own


def _nodes(tree: Tree) -> list[Node]:
    if isinstance(tree, Layers):
        return [*_nodes(tree.under), *_nodes(tree.top)]
    return [tree.node]


def _said(node: Node, port: str) -> Value | Link | None:
    return node.links.get(port) or node.values.get(port, common_ground().types[SURFACE].parameters[port].default)


def _alike(one: Node, two: Node, port: str) -> bool:
    a, b = _said(one, port), _said(two, port)
    return not isinstance(a, Link) and not isinstance(b, Link) and same(a, b)
