"""What the target has no word for: ports and nodes of the common ground, and why."""

from __future__ import annotations

from collections.abc import Container, Mapping

from durvan.crossing.translation.ground import Inward, Port
from durvan.crossing.translation.matching import Match
from durvan.dialects.pack import Pack
from durvan.dialects.said import IDLE, Cause, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import Link, Node, same
from durvan.scene.vocabulary import common_ground

_PAST = Why(Cause.FOLDED, "It goes on past a node that has no counterpart.")


_MIXES = frozenset({"add", "subtract", "multiply", "divide"})  # what they are fed is tinted or lifted
# What these are fed means something else than what they give.
_CONVERTS = frozenset({
    "remap", "power", "safepower", "modulo", "invert", "range", "sign", "floor", "ceil", "round", "fract", "sqrt", "ln", "exp", "sin",
    "cos", "tan", "asin", "acos", "atan2", "smoothstep", "rgbtohsv", "hsvtorgb",
})  # fmt: skip


def stand_in_of(node: Node, grown: Container[str] = (), refused: Container[str] = ()) -> str:
    """The port whose value goes on in a node's place where it cannot be said; empty where there is none. What a formula grew converts, and so
    do nodes of some kinds: where no picture can stand for these (`refused`), what they are fed does not, either.
    """
    kind = common_ground().types.get(node.kind)
    if kind is None:
        return ""
    if node.kind in _CONVERTS and (node.id in grown or node.id in refused):
        return ""
    return "" if node.kind in _MIXES and node.id in grown else kind.stands_in


class Wordless:
    """Ends the rows of what has no word in a target; `nodes` are those without one, with their why."""

    def __init__(self, thing_id: str, inward: Inward, pack: Pack, refused: Mapping[str, Why] | None = None) -> None:
        self.refused = refused if refused is not None else {}
        self.thing = thing_id
        self.inward = inward
        self.pack = pack
        self.nodes: list[tuple[str, Why]] = []
        self.dropped: list[tuple[str, Why]] = []  # nodes whose links were dropped with the port that they fed

    def ports(self, match: Match, consumed: set[Port]) -> None:
        """Ports of what was written that nothing took up, and that do not only hold a chain together."""
        for role, node in match.roles.items():
            chained = match.type.into[role]
            for port in (*node.values, *node.links):
                if (node.id, port) in consumed or (port == chained and port in node.links):
                    continue
                reason = self._reason(node.kind, port)
                default = common_ground().types[node.kind].parameters[port].default
                idle = port not in node.links and same(node.values.get(port), default)
                if port in node.links:
                    self.dropped.append((node.links[port].node, reason))
                if not idle and reason.cause is not Cause.IDLE:
                    self.inward.of_default(self.thing, (node.id, port), beside=True)
                for row in self.inward.origins.get((node.id, port), ()):
                    if row.fate < Fate.LOST and not row.targets:
                        row.meet(Fate.RECAST if idle else Fate.LOST, IDLE if idle else reason)

    def _reason(self, category: str, port: str) -> Why:
        said = self.pack.unsaid
        return (
            said.get(f"{category}.{port}")
            or said.get(category)
            or said.get(f"*.{port}")
            or Why(
                Cause.NO_WORD, f"{self.pack.title} has no word for the {port.replace('_', ' ')}.", f"{category}.{port}"
            )
        )

    def node(self, node: Node) -> Link | None:
        """A node that the target cannot say: what stands in for it goes on in its place, and is needed then."""
        reason = self.refused.get(node.id) or self.cause(node)
        fate = Fate.HELD if reason is not None and node.kind not in self.pack.unsaid else Fate.LOST
        reason = reason or Why(Cause.NO_WORD, f"{self.pack.title} has no node for '{node.kind}'.", node.kind)
        self.nodes.append((node.id, reason))
        stand_in = stand_in_of(node, self.inward.grown, self.refused)
        for port in list(node.ports()):
            for row in self.inward.origins.get((node.id, port), ()):
                if port == stand_in:
                    row.meet(Fate.RECAST, _PAST)
                else:
                    row.meet(fate, reason)
        return node.links.get(stand_in)

    def cause(self, node: Node) -> Why | None:
        """Why a node cannot be said: why it was not baked, or what the pack says of it, or of something that it is made of."""
        said = self.pack.unsaid
        waiting, hops = [node], 0
        while waiting and hops < 16:
            hops += 1
            here = waiting.pop(0)
            if here.id in self.refused:
                return self.refused[here.id]
            if here.kind in said:
                return said[here.kind]
            waiting.extend(
                self.inward.graph.nodes[link.node]
                for link in here.links.values()
                if link.node in self.inward.graph.nodes
            )
        return None
