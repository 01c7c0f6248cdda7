"""Find a dialect's node types on the common ground: which chain of nodes one of its words stands for."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from durvan.crossing.translation.rows import Fault
from durvan.dialects.compiled import CompiledCase, CompiledEntry, CompiledType, Ready
from durvan.dialects.contract import ChainRole
from durvan.dialects.pack import Pack
from durvan.errors import FormulaError
from durvan.graph.formula import wrap
from durvan.graph.wire import Wire
from durvan.scene.graph import Graph, Node

_NOTHING: Callable[..., Any] = {}.get  # what there is of a role that no node plays


@dataclass(slots=True)
class Match:
    """A node type found on the common ground, and the nodes that play its roles."""

    type: CompiledType
    roles: dict[str, Node]
    target: Node | None = None
    start: tuple[Node, str] | None = None
    reads: str = ""  # which output of ours is read, where the chain says so itself


class Matcher:
    """Matches chains in one graph. `uses` counts the links that read each node, as formulas grow and fold them."""

    def __init__(self, graph: Graph, pack: Pack, context: Mapping[str, float]) -> None:
        self.graph = graph
        self.pack = pack
        self.context = context
        self.uses = graph.consumers()
        self.faults: list[Fault] = []

    def match(self, node: Node) -> Match | None:
        """The first type that the chain ending in a node can be; the pack's longest chains are tried first."""
        for kind, place in self.pack.by_category.get(node.kind, ()):
            match = self._chain(node, kind, place)
            if match is not None and (kind.when_back is None or self.ask(kind.when_back, match)):
                if kind.beside:
                    match.start = None  # the chain that stands beside has one, if it is there
                    self._beside(match)
                return match
        return None

    def _beside(self, match: Match) -> None:
        """What a surface stands for at the material's output for displacement: the lowest one says it."""
        link = self.graph.outputs.get("displacement")
        node = self.graph.nodes.get(link.node) if link is not None else None
        if node is None or match.roles[match.type.main].id != self._lowest():
            return
        found = self._chain_of(node, match.type, match.type.beside, 0)
        if found is not None:
            match.roles.update(found.roles)
            match.start = found.start

    def _lowest(self) -> str:
        """The surface that everything else lies on."""
        link, seen = self.graph.outputs.get("surface"), set()
        while link is not None and link.node in self.graph.nodes and link.node not in seen:
            seen.add(link.node)
            node = self.graph.nodes[link.node]
            onward = node.links.get("under") or node.links.get("front")
            if onward is None:
                return node.id
            link = onward
        return ""

    def _chain(self, node: Node, kind: CompiledType, place: int) -> Match | None:
        return self._chain_of(node, kind, kind.chain, place)

    def _chain_of(self, node: Node, kind: CompiledType, chain: tuple[ChainRole, ...], place: int) -> Match | None:
        if not self._fits(kind, chain[place], node):
            return None
        match = Match(kind, {chain[place].name: node})
        current, role = node, chain[place]
        for index in range(place + 1, len(chain)):
            wanted = chain[index]
            link = current.links.get(role.into)
            following = self.graph.nodes.get(link.node) if link is not None else None
            if (
                following is not None
                and link is not None
                and link.output in role.reads
                and self._fits(kind, wanted, following)
                and (not wanted.optional or self._may_take(following))
            ):
                match.roles[wanted.name] = following
                if link.output != "out":
                    match.reads = link.output
                current, role = following, wanted
            elif not wanted.optional:
                return None
        match.start = (current, role.into)
        return match

    def _may_take(self, node: Node) -> bool:
        """Whether a node may become a part of what reads it: nothing else does, or it could not be said by itself."""
        return self.uses.get(node.id, 0) == 1 or node.kind not in self.pack.by_category

    def _fits(self, kind: CompiledType, role: ChainRole, node: Node) -> bool:
        if role.category != node.kind:
            return False
        ready = kind.conditions.get(role.name)
        return ready is None or self.ask(ready, Match(kind, {role.name: node}))

    def ask(self, ready: Ready, match: Match) -> bool:
        """Whether a condition holds; one that cannot be worked out does not, and is kept as a fault."""
        try:
            return bool(self.work_out(ready, match, None))
        except FormulaError as problem:
            main = match.roles.get(match.type.main) or next(iter(match.roles.values()))
            self.faults.append(Fault(self.pack.name, main.id, problem.what))
            return False

    def work_out(self, ready: Ready, match: Match, entry: CompiledEntry | None) -> Any:
        """What a formula comes to for a match; with an `entry`, linked ports are wires that grow nodes for it.

        Raises FormulaError.
        """
        if ready.straight is None:
            return ready.formula(*self._arguments(ready, match, entry))
        getters: list[Callable[..., Any]] = []
        for role, ports in ready.asked:
            node = match.roles.get(role)
            if node is None:
                getters.append(_NOTHING)
            elif node.links and not node.links.keys().isdisjoint(ports):
                return ready.formula(*self._arguments(ready, match, entry))
            else:
                getters.append(node.values.get)
        return ready.straight(*getters)

    def _arguments(self, ready: Ready, match: Match, entry: CompiledEntry | None) -> list[Any]:
        out: list[Any] = []
        for term in ready.terms:
            if term.role == "start" and match.start is not None:
                node: Node | None = match.start[0]
                name = match.start[1]
            else:
                node, name = match.roles.get(term.role), term.name
            if term.source == "value":
                if node is None:
                    out.append(term.default)
                elif entry is not None and name in node.links:
                    out.append(Wire(self.graph, node.links[name], self._stem(match, entry)))
                else:
                    value = node.values.get(name)
                    out.append(term.default if value is None else wrap(value))
            elif term.source == "mapped":
                out.append(node is not None and name in node.links)
            elif term.source == "given":
                out.append(node is not None and (name in node.values or name in node.links))
            else:
                key = f"{match.roles[match.type.main].id}:{name}" if match.type.main in match.roles else name
                out.append(self.context.get(key, self.context.get(name, 0.0)))
        return out

    @staticmethod
    def _stem(match: Match, entry: CompiledEntry) -> str:
        """How nodes that an entry's formula grows are called."""
        main = match.roles.get(match.type.main)
        return f"{main.id if main else 'node'}_{entry.stem}"

    def case(self, match: Match) -> CompiledCase:
        """The reading of the type that holds."""
        for case in match.type.cases:
            if case.when_back is None or self.ask(case.when_back, match):
                return case
        return match.type.cases[-1]

    @staticmethod
    def touched(match: Match) -> set[tuple[str, str]]:
        """Every role and port that was set or linked."""
        return {(role, port) for role, node in match.roles.items() for port in (*node.values, *node.links)}
