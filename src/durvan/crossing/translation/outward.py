"""From the common ground to a dialect: chains are matched to its node types, ports become parameters, rows end.

Nodes are taken consumers first. A formula that meets a map grows or folds nodes on the common ground before those
are matched in their turn, so that what is no longer needed is never written.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import islice
from operator import attrgetter

from durvan.crossing.translation.bakery import Bakery, plain_id
from durvan.crossing.translation.beyond import beyond
from durvan.crossing.translation.connections import Connections
from durvan.crossing.translation.forms import fitting, times, within
from durvan.crossing.translation.ground import Inward, Port
from durvan.crossing.translation.matching import Match, Matcher
from durvan.crossing.translation.rows import Fault, Row
from durvan.crossing.translation.wordless import Wordless, stand_in_of
from durvan.dialects.compiled import CompiledEntry, Ready
from durvan.dialects.pack import Pack
from durvan.dialects.said import IDLE, TAKEN_UP, Cause, Why
from durvan.errors import FormulaError
from durvan.graph.formula import plain
from durvan.graph.wire import Wire
from durvan.scene.baking import Bake
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node, Value, same
from durvan.scene.vocabulary import Parameter, common_ground

_RULE = attrgetter("rule")
_NO_FORM = Why(Cause.FORMULA, "What it comes to cannot stand in the target; its default is used.")
_STIFF = Why(Cause.NO_WORD, "A normal that is the same everywhere has no counterpart; the surface's own is used.")
_FOLLOWS = Why(Cause.RULE, "It carries the formula of the map that it follows.")


@dataclass(frozen=True, slots=True)
class Outward:
    """A thing in the target's words, and the nodes of the common ground that the target has no word for."""

    graph: Graph
    unsaid: tuple[tuple[str, Why], ...] = ()
    faults: tuple[Fault, ...] = ()
    bakes: tuple[Bake, ...] = ()


class Outgoing:
    """Carries one thing outwards. Use `carry_out`."""

    def __init__(
        self,
        thing_id: str,
        inward: Inward,
        pack: Pack,
        context: Mapping[str, float],
        mpu: float,
        bakery: Bakery | None = None,
    ) -> None:
        self.bakery = bakery
        self.thing = thing_id
        self.inward = inward
        self.graph = inward.graph
        self.pack = pack
        self.metres_per_unit = mpu
        self.out = Graph()
        self.matches: dict[str, Match] = {}
        self.matcher = Matcher(self.graph, pack, context)
        self.uses = self.matcher.uses
        self.needed: set[str] = set()
        self.seen: set[str] = set()
        self.known = set(inward.graph.nodes)
        self.added: list[Row] = []
        self.pending: list[tuple[Node, str, Link]] = []
        refused = bakery.refused if bakery is not None else {}
        self.wordless = Wordless(thing_id, inward, pack, refused)
        self.connections = Connections(inward, pack, self.matches, context, refused)

    def run(self) -> Graph:
        order, _ = self.graph.order()
        self.needed = {link.node for link in self.graph.outputs.values()}
        # a surface may stand for what moves it, so that and what feeds it come after all surfaces
        moved = self.graph.outputs.get("displacement")
        later = Graph(self.graph.nodes, {"": moved}).reachable() if moved is not None else set()
        backwards = order[::-1]
        for name in sorted(backwards, key=later.__contains__) if later else backwards:
            if name in self.needed:
                self._take(name)
        for target, parameter, link in self.pending:
            self.connections.connect(target, parameter, link)
        for output, written in self.graph.outputs.items():
            link = self._standing_in(written)
            match = self.matches.get(link.node)
            if match is not None and match.target is not None and self._may_end(output, match):
                self.out.outputs[output] = Link(match.target.id, self.connections.output(match, link.output))
        if "surface" in self.graph.outputs and "surface" not in self.out.outputs:
            self._without_surface(self.graph.outputs["surface"])
        for match in self.matches.values():
            beside = any(role.name in match.roles for role in match.type.beside)
            if beside and match.target is not None and "displacement" in match.type.type.outputs:
                self.out.outputs["displacement"] = Link(match.target.id, "displacement")
        if self.pack.hooks is not None:
            self.pack.hooks.in_file_units(self.out, self.metres_per_unit)
        self._settle_rows(order)
        self.inward.rows.extend(self.added)
        return self.out

    def _may_end(self, output: str, match: Match) -> bool:
        """Whether a node can stand at a material's output: at that for surfaces a surface alone."""
        return output != "surface" or self.pack.is_surface(match.type.kind)

    def _without_surface(self, link: Link) -> None:
        """Say of a material that the target has no such surface, whatever was set of it."""
        node = self.graph.nodes.get(link.node)
        if node is None:
            return
        why = self.wordless.cause(node) or Why(
            Cause.NO_WORD, f"{self.pack.title} has no surface for '{node.kind}'.", node.kind
        )
        self.inward.rows.append(Row(self.thing, node.id, "surface", "base", None, "", True, Fate.HELD, why))

    def _standing_in(self, link: Link) -> Link:
        """Where an output comes from: past nodes that the target cannot say, to what stands in for them."""
        seen: set[str] = set()
        while link.node not in self.matches and link.node not in seen and link.node in self.graph.nodes:
            seen.add(link.node)
            node = self.graph.nodes[link.node]
            onward = node.links.get(stand_in_of(node))
            if onward is None:
                break
            link = onward
        return link

    # the walk

    def _take(self, name: str) -> None:
        if name in self.seen:
            return
        self.seen.add(name)
        node = self.graph.nodes[name]
        match = self.matcher.match(node)
        if self.bakery is not None and self.bakery.wants(match) and self.bakery.bake(name):
            node = self.graph.nodes[name]
            match = self.matcher.match(node)
        if match is None:
            stand_in = self.wordless.node(node)
            if stand_in is not None:
                self._need(stand_in)
            return
        self.matches[name] = match
        main = match.roles.get(match.type.main, node)
        match.target = self.out.add(Node(plain_id(main.id), match.type.kind, source=node.source))
        self.seen.update(match.roles[role.name].id for role in match.type.beside if role.name in match.roles)
        self._emit(match)

    # writing one node

    def _emit(self, match: Match) -> None:
        case = self.matcher.case(match)
        consumed: set[tuple[str, str]] = set()
        touched = self.matcher.touched(match)
        for entry in case.going_out:
            if entry.steady_out and touched.isdisjoint(entry.reads_back):
                idle, acts = self._says_nothing(match, entry)
                if idle:
                    if acts and entry.leaves_out:
                        self._default_is_not_met(match, entry)
                    continue
            elif entry.when_back is not None and not self.matcher.ask(entry.when_back, match):
                continue
            ports = self._ports(match, entry)
            keys = [(node.id, port) for node, port in ports]
            consumed.update(keys)
            self._entry(match, entry, ports, keys)
        self.wordless.ports(match, consumed)

    @staticmethod
    def _ports(match: Match, entry: CompiledEntry) -> list[tuple[Node, str]]:
        """The ports of the common ground that an entry is about, where there are such nodes."""
        found = []
        for role, port in entry.common:
            if role == "start":
                if match.start is not None:
                    found.append(match.start)
            elif (node := match.roles.get(role)) is not None:
                found.append((node, port))
        return found

    def _rows(self, keys: list[Port]) -> list[Row]:
        origins = self.inward.origins
        if len(keys) == 1 and len(only := origins.get(keys[0], ())) < 2:
            return list(only)
        found: list[Row] = []
        for key in keys:
            for row in origins.get(key, ()):
                if row not in found:
                    found.append(row)
        return found

    def _entry(self, match: Match, entry: CompiledEntry, ports: list[tuple[Node, str]], keys: list[Port]) -> None:
        rows = self._rows(keys)
        if rows and entry.fate_out <= Fate.ADDED and self.inward.grown:
            # whom a node was grown for has a target of its own; it is only needed besides
            own = [key for key in keys if key[0] not in self.inward.grown]
            if len(own) < len(keys):
                rows = self._rows(own)
        if not rows and entry.leaves_out:
            rows = [row for key in keys for row in self.inward.of_default(self.thing, key)]
        target = match.target
        assert target is not None  # made in _take, before anything is written
        for name, ready in entry.outward:
            parameter = match.type.type.parameters[name]
            value = self._value(match, entry, ready, ports, parameter, rows)
            if value is None:
                if parameter.default is not None:
                    for row in rows:
                        row.meet(Fate.HELD, _NO_FORM)
                continue
            if isinstance(value, Link) and parameter.steady:
                steady = self.bakery.steady(value) if self.bakery is not None else None
                for row in rows:
                    row.meet(
                        Fate.LOST,
                        Why(
                            Cause.NO_WORD,
                            f"{self.pack.title} takes no map for {name.replace('_', ' ')}.",
                            f"steady:{name}",
                        ),
                    )
                if steady is None:
                    continue
                value = fitting(steady if len(steady) > 1 else steady[0], parameter)
                if value is not None:
                    target.values[name] = self._as_it_takes(value, parameter)
                continue
            if parameter.type == "normal" and not isinstance(value, Link) and not self.pack.identity.common_ground:
                for row in rows:
                    row.meet(Fate.LOST, _STIFF)
                continue
            if isinstance(value, Link):
                self.pending.append((target, name, value))
                if self.bakery is not None and value.node in self.inward.grown:
                    self.bakery.grew(value, name, parameter)
                self._need(value)
            elif not rows:
                if not same(value, parameter.default):
                    target.values[name] = self._as_it_takes(value, parameter)
                    self._added(entry, match, target, name, parameter)
                    if parameter.outside(value):
                        self.added[-1].meet(Fate.FITTED, beyond(self.pack, name, parameter, value))
                continue
            else:
                target.values[name] = self._as_it_takes(value, parameter)
                if parameter.outside(value):
                    for row in rows:
                        row.meet(Fate.FITTED, beyond(self.pack, name, parameter, value))
            self._note(rows, entry, target, name, match)

    def _as_it_takes(self, value: Value, parameter: Parameter) -> Value:
        """A value as it is, which a renderer holds within its range by itself; one that would refuse it gets the end of the range."""
        return within(value, parameter) if self.pack.identity.strict else value

    def _default_is_not_met(self, match: Match, entry: CompiledEntry) -> None:
        """Both sides stand at their defaults, but these are not quite the same: a row says so."""
        ports = self._ports(match, entry)
        rows = [row for node, port in ports for row in self.inward.of_default(self.thing, (node.id, port))]
        assert match.target is not None  # made in _take, before anything is written
        for name, _ in entry.outward:
            self._note(rows, entry, match.target, name, match)

    def _says_nothing(self, match: Match, entry: CompiledEntry) -> tuple[bool, bool]:
        """Whether an untouched entry comes to the target's own defaults, or does not hold, and whether it holds; worked out
        once."""
        known = entry.idle_back.get(self.metres_per_unit)
        if known is None:
            faults = len(self.matcher.faults)
            acts = entry.when_back is None or self.matcher.ask(entry.when_back, match)
            idle = not acts
            if acts:
                parameters = match.type.type.parameters
                values = [
                    (self._value(match, entry, r, [], parameters[n], []), parameters[n].default)
                    for n, r in entry.outward
                ]
                idle = all(value is None or (not isinstance(value, Link) and same(value, d)) for value, d in values)
            known = idle, acts
            if len(self.matcher.faults) == faults:
                entry.idle_back[self.metres_per_unit] = known
        return known

    def _value(
        self, match: Match, entry: CompiledEntry, ready: Ready | None, ports: list[tuple[Node, str]],
        parameter: Parameter, rows: list[Row],
    ) -> Link | Value | None:  # fmt: skip
        if ready is None:
            return self._straight(match, entry, ports, parameter, rows)
        before = len(self.graph.nodes)
        try:
            result = self.matcher.work_out(ready, match, entry)
        except FormulaError as problem:
            fed = [self.graph.nodes[node.links[port].node] for node, port in ports if port in node.links]
            why = next(filter(None, map(self.wordless.cause, fed)), None) or Why(
                Cause.FORMULA, f"The formula cannot act on this value: {problem.what}", entry.rule
            )
            for row in rows:
                row.meet(Fate.HELD, why)
            return None
        if isinstance(result, Wire):
            return self._settled(result, ports, before)
        return fitting(result if result.__class__ is float else plain(result), parameter)

    def _settled(self, wire: Wire, ports: list[tuple[Node, str]], before: int) -> Link:
        """A wire's link; nodes past the first `before` were grown by it, and change who reads what."""
        link = wire.settled()
        used = {node.links[port].node for node, port in ports if port in node.links}
        if used == {link.node}:
            return link
        for name in used:
            self.uses[name] = self.uses.get(name, 1) - 1
        fresh = list(islice(self.graph.nodes.values(), before, None))
        self.inward.learn_grown(before, self._rows([(node.id, port) for node, port in ports]))
        for node in fresh:
            for inner in node.links.values():
                self.uses[inner.node] = self.uses.get(inner.node, 0) + 1
        if not fresh or link.node not in {node.id for node in fresh}:
            self.uses[link.node] = self.uses.get(link.node, 0) + 1
        return link

    def _straight(
        self,
        match: Match,
        entry: CompiledEntry,
        ports: list[tuple[Node, str]],
        parameter: Parameter,
        rows: list[Row],
    ) -> Link | Value | None:
        factor = 1.0 / entry.factor(self.metres_per_unit)
        role, port = entry.common[0]
        node = ports[0][0] if ports else None
        link = node.links.get(port) if node is not None else None
        if link is not None:
            if factor == 1.0:
                return link
            before = len(self.graph.nodes)
            wire = Wire(self.graph, link, f"{node.id}_{port}" if node else port) * factor
            return self._settled(wire, ports, before)
        value: Value | None = node.values.get(port) if node is not None else None
        if value is None:
            value = common_ground().types[match.type.roles[role]].parameters[port].default
        return None if value is None else fitting(times(value, factor), parameter)

    def _added(
        self,
        entry: CompiledEntry,
        match: Match,
        target: Node,
        name: str,
        parameter: Parameter,
    ) -> None:
        grown = self._grown(match)
        # what is needed only because a rule does not hit it exactly is not told as exact either
        fate = max(Fate.ADDED, entry.fate_out) if entry.fate_out > Fate.RECAST and not grown else Fate.ADDED
        row = Row(
            self.thing, "", name, match.type.type.family_of(name), None, parameter.unit, False, fate,
            _FOLLOWS if grown else entry.why if entry.why.said
            else Why(Cause.RULE, f"The default of {self.pack.title} is another.", entry.rule),
            (entry.step_out,),
        )  # fmt: skip
        row.targets = ((target.id, name),)
        self.added.append(row)

    def _grown(self, match: Match) -> bool:
        """Whether a formula made a node of it."""
        return any(node.id in self.inward.grown for node in match.roles.values())

    def _note(self, rows: list[Row], entry: CompiledEntry, target: Node, name: str, match: Match) -> None:
        place = (target.id, name)
        for row in rows:
            if place in row.targets:
                continue
            row.targets = (*row.targets, place)
            if row.steps and entry.rule not in map(_RULE, row.steps):
                row.steps = (*row.steps, entry.step_out)
            if entry.alters_out:
                row.scaled = False
            if entry.fate_out:
                row.meet(entry.fate_out, entry.why_out)
            if entry.measure is not None and entry.entry.only == "out" and row.measure is None:
                row.measure = self._measure(entry.measure, match)
                row.measured, row.share = entry.entry.measured, entry.entry.share

    def _measure(self, ready: Ready, match: Match) -> float | None:
        try:
            return float(self.matcher.work_out(ready, match, None))
        except (FormulaError, TypeError):
            return None

    def _need(self, link: Link) -> None:
        self.needed.add(link.node)
        if link.node not in self.known:  # a formula has just grown it, so the walk will not come by
            self._take(link.node)

    def _settle_rows(self, order: list[str]) -> None:
        used = {node.id for match in self.matches.values() for node in match.roles.values()}
        dropped = self._dropped()
        for (name, _port), rows in self.inward.origins.items():
            if name in used or name in self.seen:
                continue
            folded = name in self.graph.nodes
            for row in rows:
                if not row.targets and name in dropped:
                    row.meet(Fate.LOST, dropped[name])
                elif not row.targets:
                    row.meet(Fate.RECAST, TAKEN_UP if folded else IDLE)
        self._finish(self.inward.rows)
        self._finish(self.added)

    def _dropped(self) -> dict[str, Why]:
        """What only fed ports that the target has no word for, and why those were dropped."""
        found: dict[str, Why] = {}
        for start, why in self.wordless.dropped:
            waiting = [start]
            while waiting:
                name = waiting.pop()
                if name in self.seen or name in found or name not in self.graph.nodes:
                    continue
                found[name] = why
                waiting.extend(link.node for link in self.graph.nodes[name].links.values())
        return found

    def _finish(self, rows: list[Row]) -> None:
        nodes, types = self.out.nodes, self.pack.vocabulary.types
        for row in rows:
            if not row.targets:
                continue
            found: list[tuple[Value | None, str]] = []
            for name, port in row.targets:
                node = nodes[name]
                parameter = types[node.kind].parameters.get(port)
                found.append((node.values.get(port), parameter.unit if parameter else ""))
            row.target_values = tuple(found)
            if row.fate is Fate.RECAST and row.scaled and len(found) == 1:
                value, unit = found[0]
                if unit == row.unit and value is not None and same(value, row.value):
                    row.fate = Fate.KEPT


def carry_out(
    thing_id: str,
    inward: Inward,
    pack: Pack,
    context: Mapping[str, float] | None = None,
    metres_per_unit: float = 0.01,
    bakery: Bakery | None = None,
) -> Outward:
    """Write what stands on the common ground in a dialect's words, and end its rows; what cannot be said goes to the bakery."""
    going = Outgoing(thing_id, inward, pack, context or {}, metres_per_unit, bakery)
    graph = going.run()
    written = {str(value) for node in graph.nodes.values() for value in node.values.values() if isinstance(value, str)}
    bakes = tuple(bake for bake in bakery.bakes.values() if bake.path in written) if bakery is not None else ()
    return Outward(graph, tuple(going.wordless.nodes), tuple(going.matcher.faults), bakes)
