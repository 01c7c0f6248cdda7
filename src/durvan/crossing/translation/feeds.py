"""What feeds the ports of a source's nodes, on the common ground: links, constants, and formulas over both."""

from __future__ import annotations

from typing import Any

from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.rows import Fault
from durvan.dialects.compiled import CompiledType, Ready, Term
from durvan.dialects.pack import Pack
from durvan.errors import FormulaError
from durvan.graph.formula import flip_green, plain, wrap
from durvan.graph.wire import CHANNELS, SOLID, Wire
from durvan.scene.graph import Link, Node, Value
from durvan.scene.model import Thing


class Feeds:
    """Knows, of the nodes that were converted so far, what each is on the common ground (`results`): a link, a constant, or
    nothing; and the nodes that it was `made` into, by role.
    """

    def __init__(self, thing: Thing, pack: Pack, out: Inward, metres_per_unit: float) -> None:
        self.thing = thing
        self.context = {"metres_per_unit": metres_per_unit, **thing.context}
        self.pack = pack
        self.out = out
        self.nodes: dict[str, Node] = {}
        self.types: dict[str, CompiledType] = {}
        self.results: dict[str, Link | Value | None] = {}
        self.made: dict[str, dict[str, Node]] = {}

    def ask(self, ready: Ready, node: Node) -> bool:
        """Whether a condition holds for a node; one that cannot be worked out does not, and is kept as a fault."""
        try:
            return bool(self.work_out(ready, node, wires=False))
        except FormulaError as problem:
            self.out.faults.append(Fault(self.pack.name, node.id, problem.what))
            return False

    def work_out(self, ready: Ready, node: Node, wires: bool) -> Any:
        """What a formula comes to for a node; with `wires`, maps are wires that grow nodes. Raises FormulaError."""
        if ready.straight is not None and (not node.links or node.links.keys().isdisjoint(ready.asked[0][1])):
            return ready.straight(node.values.get)
        return ready.formula(*[self._argument(term, node, wires) for term in ready.terms])

    def _argument(self, term: Term, node: Node, wires: bool) -> Any:
        name = term.name
        if term.source == "value":
            link = node.links.get(name)
            if link is not None and (wires or not self._is_map(node, name)):
                return self._wire(node, name, link)
            value = node.values.get(name)
            return term.default if value is None else wrap(value)
        if term.source == "mapped":
            return self._is_map(node, name)
        if term.source == "given":
            return name in node.values or name in node.links
        context = self.context
        return context.get(f"{node.id}:{name}", context.get(name, 0.0))

    def _is_map(self, node: Node, port: str) -> bool:
        link = node.links.get(port)
        return link is not None and isinstance(self.resolve(link, "color"), Link)

    def _wire(self, node: Node, port: str, link: Link) -> Any:
        parameter = self.pack.parameter(node.kind, port)
        found = self.resolve(link, parameter.type if parameter else "color")
        if isinstance(found, Link):
            return Wire(self.out.graph, found, f"{node.id}_{port}")
        if found is None:
            fallback = node.values.get(port, parameter.default if parameter else 0.0)
            return wrap(fallback)
        return wrap(found)

    def resolve(self, link: Link, wanted: str) -> Link | Value | None:
        """What a link of the source is on the common ground: a link, a constant, or nothing."""
        result = self.results.get(link.node)
        if link.node in self.thing.turned:
            result = self._green_round(link, result)
        kind = self.types.get(link.node)
        if kind is None or result is None:
            return result
        role, _, output = kind.outputs.get(link.output, "out").rpartition(".")
        if not isinstance(result, Link):
            return self._part(result, output)
        if role:
            result = Link(self.made[link.node][role].id)
        if link.output in kind.worth:
            return self._worth(link, kind, Link(result.node, output))
        if result.output != "out":  # what stands in for the whole node is one channel already
            return result
        if wanted == "float" and output == "out" and kind.type.outputs.get(link.output) == "color":
            output = "outgrey"
        return Link(result.node, output)

    @staticmethod
    def _part(value: Value, output: str) -> Value:
        """The part of a constant that an output gives."""
        if output == SOLID:
            return 1.0
        if not isinstance(value, tuple) or len(value) != 3:
            return value
        if output == "outgrey":
            return sum(value) / 3.0
        return value[CHANNELS.index(output)] if output in CHANNELS else value

    def _worth(self, link: Link, kind: CompiledType, found: Link) -> Link | Value | None:
        """An output that is not simply what the common ground's output is."""
        node, ready = self.nodes[link.node], kind.worth[link.output]
        before = len(self.out.graph.nodes)
        it = Wire(self.out.graph, found, f"{link.node}_{link.output}")
        arguments = [it if term.source == "output" else self._argument(term, node, wires=False) for term in ready.terms]
        try:
            result: Any = ready.formula(*arguments)
        except FormulaError as problem:
            self.out.faults.append(Fault(self.pack.name, node.id, problem.what))
            return found
        if not isinstance(result, Wire):
            value: Value = plain(result)
            return value
        done = result.settled()
        names = {term.name for term in ready.terms}
        self.out.learn_grown(before, [row for row in self.out.rows if row.node == node.id and row.parameter in names])
        return done

    def _green_round(self, link: Link, result: Link | Value | None) -> Link | Value | None:
        """A picture with its green turned round; a number only when green is the channel that is read."""
        output = self.types[link.node].outputs.get(link.output, "out") if link.node in self.types else "out"
        if output == "outg" and isinstance(result, Link):
            wire = Wire(self.out.graph, Link(result.node, "outg"), f"{result.node}_green")
            return (1.0 - wire).settled()
        if output != "out" or result is None:
            return result
        if isinstance(result, Link):
            turned: Link = flip_green(Wire(self.out.graph, result, f"{result.node}_green")).settled()
            return turned
        value: Value = plain(flip_green(wrap(result)))
        return value
