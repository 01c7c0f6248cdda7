"""One thing from dialect to dialect: inwards, outwards, and the rows that say what happened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field, replace

from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.inward import carry_in, why_of
from durvan.crossing.translation.ledger import Counts, Fault, Row, tally_of
from durvan.crossing.translation.notes import write_in
from durvan.crossing.translation.outward import carry_out
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.model import Kind, Thing

_SAME = Step("the same dialect")


@dataclass(frozen=True, slots=True, eq=False)
class Inputs:
    """All that a translation depends on; two that are the `same` come to the same."""

    thing: Thing
    source: Pack | None
    target: Pack
    metres_per_unit: float
    values: tuple[tuple[str, str, float | str | bool], ...] = ()
    readings: tuple[tuple[str, str], ...] = ()
    turned: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()

    def same(self, other: Inputs) -> bool:
        """Whether nothing differs; things and packs are values that do not change, so the same one is known at once."""
        return (
            self.thing is other.thing and self.source is other.source and self.target is other.target
            and self.metres_per_unit == other.metres_per_unit and self.values == other.values
            and self.readings == other.readings and self.turned == other.turned and self.notes == other.notes
        )  # fmt: skip


@dataclass(slots=True, eq=False)
class Translation:
    """What one thing becomes: its graph in the target's words, and its rows of the ledger.

    `readings` are the cases that nodes with several were read by; `unsaid` the nodes of the common ground that the target
    has no word for, with their why; `faults` are conditions of packs that could not be asked; `inputs` what it was made from; `looks` names both networks, once
    it was asked for; `common` the values that a light, a camera or settings have on the common ground.
    """

    thing: str
    source_dialect: str
    target_dialect: str
    graph: Graph
    rows: list[Row] = field(default_factory=list)
    readings: dict[str, str] = field(default_factory=dict)
    unsaid: tuple[tuple[str, Why], ...] = ()
    faults: tuple[Fault, ...] = ()
    common: dict[str, Value] = field(default_factory=dict)
    inputs: Inputs | None = None
    looks: str = ""
    _counts: Counts | None = None

    def to_travel(self) -> Translation:
        """Only what is needed to look at it, for another process."""
        return replace(self, rows=[], readings={}, unsaid=(), faults=(), inputs=None)

    @property
    def counts(self) -> Counts:
        """How many of its rows have which fate; counted once, when nothing is written into them any more."""
        if self._counts is None:
            self._counts = tally_of(self.rows)
        return self._counts


def translate(
    thing: Thing,
    source: Pack | None,
    target: Pack,
    metres_per_unit: float,
    readings: dict[str, str] | None = None,
) -> Translation:
    """Carry one thing. Pure: the thing is not changed, and the same arguments give the same result."""
    if source is None:
        return _unreadable(thing, target)
    if source.name == target.name:
        return _same(thing, target)
    inward = carry_in(thing, source, metres_per_unit, readings)
    common: dict[str, Value] = {}
    if thing.kind is not Kind.MATERIAL:
        for node in inward.graph.nodes.values():
            common.update(node.values)
    out = carry_out(thing.id, inward, target, thing.context, metres_per_unit)
    return Translation(
        thing.id,
        source.name,
        target.name,
        out.graph,
        inward.rows,
        inward.readings,
        out.unsaid,
        tuple(dict.fromkeys((*inward.faults, *out.faults))),
        common,
    )


def _same(thing: Thing, pack: Pack) -> Translation:
    """Within one dialect there is nothing to translate: every value is kept, known or not."""
    rows = []
    graph = Graph(outputs=dict(thing.graph.outputs))
    for node in thing.graph.nodes.values():
        graph.nodes[node.id] = Node(node.id, node.kind, dict(node.values), dict(node.links), node.source, node.written)
        kind = pack.type(node.kind)
        for port in node.ports():
            parameter = kind.parameters.get(port) if kind else None
            unit = parameter.unit if parameter else ""
            row = Row(
                thing.id, node.id, port, kind.family_of(port) if kind else "procedurals", node.values.get(port),
                unit, port in node.links, Fate.KEPT, steps=(_SAME,), targets=[(node.id, port)],
                target_values=[(node.values.get(port), unit)],
            )  # fmt: skip
            rows.append(row)
        for port, problem in (node.problems or {}).items():
            rows.append(Row(thing.id, node.id, port, "geometry", problem.said, fate=Fate.HELD, why=why_of(problem)))
    return Translation(thing.id, pack.name, pack.name, graph, rows)


def _unreadable(thing: Thing, target: Pack) -> Translation:
    """A thing in no dialect that is known: everything about it is held."""
    rows = [
        Row(
            thing.id, node.id, port, "procedurals", node.values.get(port), "", port in node.links, Fate.HELD,
            Why(Cause.UNKNOWN_DIALECT, f"No dialect knows '{node.kind}'."),
        )
        for node in thing.graph.nodes.values()
        for port in node.ports()
    ]  # fmt: skip
    return Translation(thing.id, "", target.name, Graph(), rows)


def in_target(thing: Thing, translation: Translation) -> Thing:
    """A thing as it is in the target's words."""
    return replace(thing, graph=translation.graph, dialect=translation.target_dialect)


def with_values(thing: Thing, values: Mapping[tuple[str, str], float | str | bool]) -> Thing:
    """The thing as it would be with some values replaced; the thing itself stays as it is."""
    if not values:
        return thing
    graph = Graph(dict(thing.graph.nodes), dict(thing.graph.outputs))
    for (name, parameter), value in values.items():
        node = graph.nodes.get(name)
        if node is not None:
            fresh = replace(node, values=dict(node.values))
            fresh.values[parameter] = value
            graph.nodes[name] = fresh
    return replace(thing, graph=graph)


def made(inputs: Inputs) -> Translation:
    """One thing's translation, from all that it depends on. Pure."""
    thing = with_values(inputs.thing, {(node, parameter): value for node, parameter, value in inputs.values})
    if inputs.turned:
        thing = replace(thing, turned=inputs.turned)
    done = translate(thing, inputs.source, inputs.target, inputs.metres_per_unit, dict(inputs.readings))
    done.inputs = inputs
    if inputs.notes:
        write_in(done, list(inputs.notes), inputs.target)
    return done
