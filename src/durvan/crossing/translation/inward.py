"""From a dialect to the common ground: every node becomes the chain that its pack says, and starts its ledger rows."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache
from itertools import pairwise
from typing import Any

from durvan.crossing.translation.feeds import Feeds
from durvan.crossing.translation.forms import fitting, times
from durvan.crossing.translation.ground import Inward, Port
from durvan.crossing.translation.rows import Row
from durvan.dialects.compiled import CompiledCase, CompiledEntry, CompiledType, Ready
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.errors import FormulaError
from durvan.graph.formula import plain
from durvan.graph.wire import Wire
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node, Problem, Value, same
from durvan.scene.model import Thing
from durvan.scene.vocabulary import common_ground

_NOT_CARRIED = ("volume",)  # a material's other outputs
_NOT_YET = Why(Cause.NOT_YET, "Volumes are not carried yet.")
_ONLY_NOT_YET = Why(Cause.NOT_YET, "Only a volume uses it, and those are not carried yet.")
_UNUSED = Why(Cause.UNUSED, "Nothing uses this node; it is left behind.")
_CYCLE = Why(Cause.CYCLE, "This link closes a cycle; it is cut here.")
_CHANNEL = Why(Cause.FOLDED, "It only takes a channel; the link says which.")
_OWN = Why(Cause.FOLDED, "What feeds it is the surface's own, which it has anyway.")
_ANIMATED = Why(Cause.ANIMATED, "Animated; the value of one frame is carried.")
_FEED = Why(Cause.FEED, "What feeds it cannot be carried; the value below it stands in.")
_TURNED = Step("green turned by hand")


class Incoming:
    """Carries one thing inwards. Use `carry_in`."""

    def __init__(self, thing: Thing, pack: Pack, metres_per_unit: float, readings: dict[str, str]) -> None:
        self.thing = thing
        self.pack = pack
        self.metres_per_unit = metres_per_unit
        self.readings = readings
        self.out = Inward(Graph())
        self.feeds = Feeds(thing, pack, self.out, metres_per_unit)
        self.rows: dict[str, Row] = {}
        self.roles: dict[str, Node] = {}
        self.start: tuple[Any, list[Row]] | None = None

    def run(self) -> Inward:
        source = self._ready_graph()
        self.feeds.nodes = source.nodes
        order, closing = source.order()
        surface = {o: link for o, link in source.outputs.items() if o not in _NOT_CARRIED}
        reachable = Graph(source.nodes, surface).reachable()
        others = source.reachable() if len(reachable) < len(source.nodes) else reachable
        cut = set(closing)
        if source is self.thing.graph:
            self.out.order = order
        for name in order:
            node = source.nodes[name]
            self._open_rows(node)
            if name not in reachable and name in others:
                self._all_rows(Fate.HELD, _ONLY_NOT_YET)
                continue
            if name not in reachable:
                self._all_rows(Fate.LOST, _UNUSED)
                continue
            kind = self.pack.compiled.get(node.kind)
            if kind is None:
                self._unknown(node)
                continue
            for port, row in self.rows.items():
                if (name, port) in cut:
                    row.meet(Fate.HELD, _CYCLE)
            self.feeds.types[name] = kind
            self._convert(node, kind, {port for other, port in cut if other == name})
        for output, link in source.outputs.items():
            if output == "displacement" and self._is_surface(source, link):
                continue  # its surface stands for it
            if output not in surface:
                place = f"outputs:{output}"
                row = Row(self.thing.id, link.node, place, "geometry", None, "", True, Fate.HELD, _NOT_YET)
                self.out.rows.append(row)
                continue
            found = self.feeds.resolve(link, "surface")
            if isinstance(found, Link):
                self.out.graph.outputs[output] = found
        self._tell_turned(source)
        return self.out

    def _is_surface(self, source: Graph, link: Link) -> bool:
        node = source.nodes.get(link.node)
        return node is not None and self.pack.is_surface(node.kind)

    def _tell_turned(self, source: Graph) -> None:
        """What a person has turned round stands in the rows of those who read it."""
        for row in self.out.rows if self.thing.turned else ():
            link = source.nodes[row.node].links.get(row.parameter) if row.node in source.nodes else None
            if link is not None and link.node in self.thing.turned and row.fate < Fate.LOST:
                row.meet(Fate.RECAST)
                said = f"The green of {link.node} is turned round by hand. {row.reason}".strip()
                row.why = replace(row.why, said=said)
                row.steps = (*row.steps, _TURNED)

    def _ready_graph(self) -> Graph:
        """The source's graph in the vocabulary's words; nodes that are folded into links leave their rows."""
        graph, hooks = self.thing.graph, self.pack.hooks
        if hooks is None:
            return graph
        copy = graph.copy()
        hooks.fold(copy)
        hooks.before_reading(copy, self.metres_per_unit)
        for name, node in graph.nodes.items():
            if name not in copy.nodes:
                self._open_rows(node)
                self._all_rows(Fate.RECAST, _CHANNEL)
            else:
                self._check_folded(copy.nodes[name], node)
                self._tell_own(copy, node)
        return copy

    def _tell_own(self, copy: Graph, before: Node) -> None:
        """A port whose feeder was folded away with it had what it has anyway; its row says so."""
        left = set(copy.nodes[before.id].ports())
        if len(left) >= len(set(before.ports())):
            return
        family = self.pack.type(before.kind)
        for port, link in before.links.items():
            if port not in left and link.node not in copy.nodes:
                of = family.family_of(port) if family is not None else "procedurals"
                row = Row(self.thing.id, before.id, port, of, None, "", True)
                row.meet(Fate.RECAST, _OWN)
                self.out.rows.append(row)

    def _check_folded(self, node: Node, before: Node) -> None:
        """What came to a node by folding is a value that it can have, or a problem of it."""
        for port in node.values.keys() - before.values.keys():
            parameter = self.pack.parameter(node.kind, port)
            if parameter is None:
                continue
            value = fitting(node.values.pop(port), parameter)
            wrong = parameter.wrong(value) if value is not None else "not a finite number"
            if not wrong and value is not None:
                node.values[port] = value
            else:
                node.problems = {**(node.problems or {}), port: Problem(f"{wrong[0].upper()}{wrong[1:]}.")}

    def _unknown(self, node: Node) -> None:
        title = self.pack.title
        if self.pack.type(node.kind) is None:
            said = f"'{node.kind}' is not a word of {title}; an add-on is missing."
            why = Why(Cause.UNKNOWN_NODE, said, node.kind)
        else:
            said = f"{title} has no mapping for '{node.kind}'."
            why = self.pack.unsaid.get(node.kind) or Why(Cause.NO_RULE, said, node.kind)
        if not self.rows:  # nothing is set on it, and yet it was there
            family = kind.family if (kind := self.pack.type(node.kind)) is not None else ""
            self.rows["node"] = Row(
                self.thing.id, node.id, "node", family or "procedurals", node.written or node.kind, ""
            )
            self.out.rows.append(self.rows["node"])
        self._all_rows(Fate.HELD, why)

    def _all_rows(self, fate: Fate, why: Why) -> None:
        for row in self.rows.values():
            row.meet(fate, why)

    def _open_rows(self, node: Node) -> None:
        kind = self.pack.type(node.kind)
        parameters = kind.parameters if kind else {}
        thing, out, name, links, values = self.thing.id, self.out.rows, node.id, node.links, node.values
        rows: dict[str, Row] = {}
        self.rows = rows
        for port in node.ports():
            parameter = parameters.get(port)
            unit = parameter.unit if parameter else ""
            family = kind.family_of(port) if kind else "procedurals"
            rows[port] = Row(thing, name, port, family, values.get(port), unit, port in links)
        out.extend(rows.values())
        for port in node.animated:
            if port in rows:
                rows[port].meet(Fate.HELD, _ANIMATED)
        for port, problem in (node.problems or {}).items():
            if port not in self.rows:
                family = kind.family_of(port) if kind else "procedurals"
                self.rows[port] = Row(thing, node.id, port, family, problem.said)
                out.append(self.rows[port])
            self.rows[port].meet(Fate.HELD, why_of(problem))

    # one node

    def _convert(self, node: Node, kind: CompiledType, cut: set[str]) -> None:
        self.roles = {}
        self.start = None
        for role in kind.chain:
            if not role.optional:
                self._role(node, kind, role.name)
        case = self._case(node, kind)
        if len(kind.cases) > 1:
            self.out.readings[node.id] = case.name
        for entry in case.going_in:
            self._entry(node, kind, entry, cut)
        self._close_chain(node, kind)
        self.feeds.made[node.id] = self.roles
        for port, row in self.rows.items():
            if not row.steps:
                row.meet(Fate.LOST, _without_rule(self.pack.title, kind.kind, port, port in kind.type.parameters))

    def _role(self, node: Node, kind: CompiledType, name: str) -> Node:
        found = self.roles.get(name)
        if found is None:
            suffix = "" if name == kind.main else f"_{name}"
            found = self.out.graph.add(Node(f"{node.id}{suffix}", kind.roles[name], source=node.source))
            self.roles[name] = found
        return found

    def _case(self, node: Node, kind: CompiledType) -> CompiledCase:
        wanted = self.readings.get(node.id)
        for case in kind.cases:
            if wanted is not None:
                if case.name == wanted:
                    return case
            elif case.when is None or self.feeds.ask(case.when, node):
                return case
        return kind.cases[-1]

    # one correspondence

    def _entry(self, node: Node, kind: CompiledType, entry: CompiledEntry, cut: set[str]) -> None:
        if entry.steady_in and self.rows.keys().isdisjoint(entry.reads):
            self._untouched(node, kind, entry)
            return
        if entry.when is not None and not self.feeds.ask(entry.when, node):
            return
        rows = [self.rows[name] for name in entry.ours if name in self.rows]
        if not rows and entry.leaves_in:
            rows = self._by_default(node, kind, entry)
        nodes = self.out.graph.nodes
        for (role, port), ready in entry.inward:
            before = len(nodes)
            value = self._value(node, entry, ready, rows, cut)
            if len(nodes) > before:
                self.out.learn_grown(before, rows)
            if value is None:
                continue
            if ready is not None and role != "start" and not isinstance(value, Link):
                value = self._fitted(kind, entry, role, port, value, rows)
                if value is None:
                    continue
            self._put(node, kind, role, port, value, rows)
            if not rows and role in self.roles and port in self.roles[role].values:
                self._remember(node, kind, entry, (self.roles[role].id, port))
        for row in rows:
            self._note(row, entry, node)

    def _untouched(self, node: Node, kind: CompiledType, entry: CompiledEntry) -> None:
        """An entry of which nothing was set always comes to the same, so it is worked out once."""
        known = entry.idle.get(self.metres_per_unit)
        if known is None:
            values: list[tuple[str, str, Value]] = []
            faults = len(self.out.faults)
            acts = entry.when is None or self.feeds.ask(entry.when, node)
            if acts:
                for (role, port), ready in entry.inward:
                    value = self._value(node, entry, ready, [], set())
                    if role == "start" or value is None or isinstance(value, Link):
                        continue
                    if not same(value, common_ground().types[kind.roles[role]].parameters[port].default):
                        values.append((role, port, value))
            known = values, acts
            if len(self.out.faults) == faults:
                entry.idle[self.metres_per_unit] = known
        values, acts = known
        for role, port, value in values:
            self._role(node, kind, role).values[port] = value
        for (role, port), _ in entry.inward if acts else ():
            if role in self.roles:
                self._remember(node, kind, entry, (self.roles[role].id, port))
        if acts and entry.leaves_in:
            for row in self._by_default(node, kind, entry):
                self._note(row, entry, node)
                for role, port, _ in values:
                    self.out.origins.setdefault((self.roles[role].id, port), []).append(row)

    def _remember(self, node: Node, kind: CompiledType, entry: CompiledEntry, port: Port) -> None:
        """That a default led to a port."""
        if entry.ours and entry.ours[0] in kind.type.parameters:
            name = entry.ours[0]
            self.out.defaults.setdefault(port, (node.id, name, kind.type.family_of(name), kind.type.parameters[name]))

    def _by_default(self, node: Node, kind: CompiledType, entry: CompiledEntry) -> list[Row]:
        """A row for what nobody set, as its default cannot be carried as it is."""
        if not entry.ours or entry.ours[0] not in kind.type.parameters:
            return []
        name = entry.ours[0]
        family, parameter = kind.type.family_of(name), kind.type.parameters[name]
        self.rows[name] = self.out.add_default(self.thing.id, node.id, name, family, parameter)
        return [self.rows[name]]

    def _value(
        self, node: Node, entry: CompiledEntry, ready: Ready | None, rows: list[Row], cut: set[str]
    ) -> Link | Value | None:
        if ready is None:
            return self._straight(node, entry, rows, cut)
        try:
            result: Any = self.feeds.work_out(ready, node, wires=True)
            if isinstance(result, Wire):
                return result.settled()
        except FormulaError as problem:
            for row in rows:
                row.meet(
                    Fate.HELD, Why(Cause.FORMULA, f"The formula cannot act on this value: {problem.what}", entry.rule)
                )
            return None
        return plain(result)  # type: ignore[no-any-return] # a value, as formulas give

    @staticmethod
    def _fitted(
        kind: CompiledType, entry: CompiledEntry, role: str, port: str, value: Value, rows: list[Row]
    ) -> Value | None:
        """What a formula came to, in the form that the port takes; None, and said, where it has none."""
        parameter = common_ground().types[kind.roles[role]].parameters[port]
        if value.__class__ is float and parameter.type == "float":
            return value
        found = fitting(value, parameter)
        if found is None:
            for row in rows:
                row.meet(
                    Fate.HELD,
                    Why(
                        Cause.FORMULA,
                        f"What its formula comes to cannot stand in {port.replace('_', ' ')}.",
                        entry.rule,
                    ),
                )
        return found

    def _straight(self, node: Node, entry: CompiledEntry, rows: list[Row], cut: set[str]) -> Link | Value | None:
        name = entry.ours[0]
        factor = entry.factor(self.metres_per_unit)
        link = node.links.get(name)
        if link is not None and name not in cut:
            parameter = self.pack.parameter(node.kind, name)
            found = self.feeds.resolve(link, parameter.type if parameter else "color")
            if isinstance(found, Link):
                if factor == 1.0:
                    return found
                return (Wire(self.out.graph, found, f"{node.id}_{name}") * factor).settled()
            if found is not None:
                return times(found, factor)
            for row in rows:
                row.meet(Fate.HELD, _FEED)
        value = node.values.get(name)
        if value is None:
            parameter = self.pack.parameter(node.kind, name)
            if parameter is None or parameter.default is None:
                return None
            value = parameter.default
        return times(value, factor)

    def _put(self, node: Node, kind: CompiledType, role: str, port: str, value: Link | Value, rows: list[Row]) -> None:
        if role == "start":
            self.start = (value, rows)
            return
        if not isinstance(value, Link) and (not rows or role not in self.roles):
            default = common_ground().types[kind.roles[role]].parameters[port].default
            if same(value, default):
                if rows:  # a node that would do nothing is not made, but its rows are to be accounted for
                    self.out.origins.setdefault((f"{node.id}/{role}", port), []).extend(rows)
                return
        target = self.roles.get(role) or self._role(node, kind, role)
        if isinstance(value, Link):
            target.links[port] = value
        else:
            target.values[port] = value
        if rows:
            self.out.origins.setdefault((target.id, port), []).extend(rows)

    def _note(self, row: Row, entry: CompiledEntry, node: Node) -> None:
        """Write down on a row which rule acted, how, and what it leaves."""
        row.steps = (*row.steps, entry.step_in)
        if entry.note_in or entry.why.said:
            row.meet(entry.note_in, entry.why)
        if entry.alters_in:
            row.scaled = False
        if entry.measure is not None and row.measure is None:
            try:
                row.measure = float(self.feeds.work_out(entry.measure, node, wires=False))
                row.measured, row.share = entry.entry.measured, entry.entry.share
            except FormulaError:
                row.measure = None

    def _close_chain(self, node: Node, kind: CompiledType) -> None:
        present = [(role, self.roles[role.name]) for role in kind.chain if role.name in self.roles]
        graph = self.out.graph
        for (role, first), (_, second) in pairwise(present):
            first.links[role.into] = Link(second.id)
        if kind.beside:
            self._close_beside(node, kind)
        elif self.start is not None:
            value, rows = self.start
            if not present:
                self.feeds.results[node.id] = value
                self.out.origins.setdefault((f"{node.id}/bypassed", "in"), []).extend(rows)
                return
            role, last = present[-1]
            if isinstance(value, Link):
                last.links[role.into] = value
            else:
                last.values[role.into] = value
            self.out.origins.setdefault((last.id, role.into), []).extend(rows)
        elif not present:
            self.feeds.results[node.id] = None
            return
        self.feeds.results[node.id] = Link(graph.nodes[present[0][1].id].id)

    def _close_beside(self, node: Node, kind: CompiledType) -> None:
        """The chain at the material's output for displacement, where something is said of it."""
        start, self.start = self.start, None
        if start is None or (not isinstance(start[0], Link) and same(start[0], 0.0)):
            for role in kind.beside:
                gone = self.roles.pop(role.name, None)
                if gone is not None:
                    del self.out.graph.nodes[gone.id]
            return
        self._role(node, kind, kind.beside[0].name)
        present = [(role, self.roles[role.name]) for role in kind.beside if role.name in self.roles]
        for (role, first), (_, second) in pairwise(present):
            first.links[role.into] = Link(second.id)
        role, last = present[-1]
        value, rows = start
        if isinstance(value, Link):
            last.links[role.into] = value
        else:
            last.values[role.into] = value
        self.out.origins.setdefault((last.id, role.into), []).extend(rows)
        self.out.graph.outputs["displacement"] = Link(present[0][1].id)


@lru_cache(maxsize=4096)
def _without_rule(title: str, kind: str, port: str, known: bool) -> Why:
    if known:
        return Why(Cause.NO_RULE, f"{title} has no rule for '{port}' as it is used here.", f"{kind}.{port}")
    return Why(Cause.UNKNOWN_VALUE, f"'{port}' is not a parameter of {kind}; it has no meaning in {title}.")


def why_of(problem: Problem) -> Why:
    """The why of a value or a link that the file has wrong."""
    return Why(Cause.BAD_LINK if problem.link else Cause.WRONG_VALUE, problem.said)


def carry_in(thing: Thing, pack: Pack, metres_per_unit: float, readings: dict[str, str] | None = None) -> Inward:
    """Bring one thing of a dialect to the common ground.

    `readings` names, by node id, the case that a person chose where the pack would choose another.
    """
    return Incoming(thing, pack, metres_per_unit, readings or {}).run()
