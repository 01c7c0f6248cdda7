"""One thing from dialect to dialect: inwards, outwards, and the rows that say what happened."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace

from durvan.crossing.translation.absent import settle
from durvan.crossing.translation.bakery import Bakery
from durvan.crossing.translation.choices import Redirect
from durvan.crossing.translation.constants import become_numbers
from durvan.crossing.translation.formats import left_behind
from durvan.crossing.translation.ground import Inward
from durvan.crossing.translation.inward import carry_in, why_of
from durvan.crossing.translation.lighting import AS_IT_IS, Handling, forward_of, handle
from durvan.crossing.translation.lobes.content import SIDES
from durvan.crossing.translation.lobes.folding import fold
from durvan.crossing.translation.lobes.unfolding import unfold
from durvan.crossing.translation.making import AS_USUAL, NEVER, TO_MAPS, Making
from durvan.crossing.translation.masks import harden
from durvan.crossing.translation.merging import merge_layers
from durvan.crossing.translation.notes import write_in
from durvan.crossing.translation.outward import carry_out
from durvan.crossing.translation.panes import simplify
from durvan.crossing.translation.parting import part
from durvan.crossing.translation.placing import moves_places, straighten
from durvan.crossing.translation.reducing import reduce
from durvan.crossing.translation.reliefs import as_normals
from durvan.crossing.translation.result import Inputs, Translation
from durvan.crossing.translation.rewiring import rewire
from durvan.crossing.translation.rows import By, Row
from durvan.crossing.translation.sides import bring_outside
from durvan.crossing.translation.swapping import not_painted
from durvan.crossing.translation.views import stand_still
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.model import Kind, Thing
from durvan.scene.vocabulary import common_ground

_SAME = Step("the same dialect")


def translate(
    thing: Thing,
    source: Pack | None,
    target: Pack,
    metres_per_unit: float,
    readings: dict[str, str] | None = None,
    light: Handling = AS_IT_IS,
    making: Making = AS_USUAL,
) -> Translation:
    """Carry one thing. Pure: the thing is not changed, and the same arguments give the same result."""
    if thing.place:
        inward = _added(thing)
    elif source is None:
        return _unreadable(thing, target)
    elif source.name == target.name and not _loses_its_back(thing, source, making):
        return _same(thing, target)
    else:
        inward = carry_in(thing, source, metres_per_unit, readings)
        bring_outside(inward)
        fold(inward)
    if thing.kind is Kind.MATERIAL and source is not None:
        merge_layers(inward, thing, source, target, metres_per_unit, 1 if making.how == TO_MAPS else making.layers)
    knows_kelvin = bool(target.identity.abilities.get("kelvin", True))
    if not light.idle or not knows_kelvin:
        handle(inward, thing.id, light, knows_kelvin)
    common: dict[str, Value] = {}
    if thing.kind is not Kind.MATERIAL:
        for node in inward.graph.nodes.values():
            common.update(node.values)
    parted = part(inward, target) if thing.kind is Kind.LIGHT else None
    context = parted.known(thing.context) if parted is not None else thing.context
    known = {"metres_per_unit": metres_per_unit, "backs": float(making.backs), **context}
    bakery: Bakery | None = None
    unmet: tuple[Why, ...] = ()
    if thing.kind is Kind.MATERIAL:
        straighten(inward, target)
        bakery = Bakery(thing.id, thing.name, inward, making, moves_places(target))
        become_numbers(bakery, target)
        unmet = _as_chosen(inward, bakery, target)
        unfold(inward, target)
        bakery.renew()
    out = carry_out(thing.id, inward, target, known, metres_per_unit, bakery)
    if bakery is not None and making.painted:
        unmet += not_painted(making.painted, out.graph, bakery.refused)
    if parted is not None:
        parted.stand(out.graph)
    if thing.kind is Kind.MATERIAL and source is not None:
        settle(thing, source, inward, out.graph)
    return Translation(
        thing.id,
        source.name if source is not None else "",
        target.name,
        out.graph,
        inward.rows,
        inward.readings,
        out.unsaid,
        tuple(dict.fromkeys((*inward.faults, *out.faults))),
        common,
        bakes=out.bakes,
        unmet=unmet,
    )


def _as_chosen(inward: Inward, bakery: Bakery, target: Pack) -> tuple[Why, ...]:
    """Do what was chosen for a material on the common ground; why, where it cannot be done."""
    making = bakery.making
    unmet = harden(inward, target) if making.stencil else ()
    if making.pane:
        unmet += simplify(inward, making.body)
    stand_still(bakery, target)
    if making.how == TO_MAPS:
        unmet += reduce(inward, bakery, target)
    if making.how != NEVER:
        as_normals(bakery, target)
    return unmet


def _added(thing: Thing) -> Inward:
    """A light that only the target has: it stands on the common ground already, and every value of it is added."""
    inward = Inward(thing.graph.copy())
    for node in inward.graph.nodes.values():
        kind = common_ground().types[node.kind]
        for port, value in node.values.items():
            row = Row(
                thing.id,
                "",
                port,
                kind.family_of(port),
                None,
                kind.parameters[port].unit,
                False,
                Fate.ADDED,
                Why(Cause.HAND, "The source has no such light; it was added."),
                (Step("added by hand"),),
                by=By.HAND,
            )
            row.value = value
            inward.rows.append(row)
            inward.origins.setdefault((node.id, port), []).append(row)
    return inward


def _loses_its_back(thing: Thing, pack: Pack, making: Making) -> bool:
    """Whether a material has another back, which the same words cannot say in the target's file."""
    mapped = pack.mapping.types.get(thing.graph.root.kind) if thing.graph.root is not None else None
    return not making.backs and mapped is not None and mapped.category == SIDES


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
                unit, port in node.links, Fate.KEPT, steps=(_SAME,), targets=((node.id, port),),
                target_values=((node.values.get(port), unit),),
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
    return replace(thing, graph=graph, words="")


def made(inputs: Inputs) -> Translation:
    """One thing's translation, from all that it depends on. Pure."""
    if inputs.left:
        done = left_behind(inputs.thing, inputs.source, inputs.target, inputs.left)
        done.inputs = inputs
        return done
    thing = with_values(inputs.thing, {(node, parameter): value for node, parameter, value in inputs.values})
    if inputs.turned:
        thing = replace(thing, turned=inputs.turned, words="")
    done = translate(
        thing, inputs.source, inputs.target, inputs.metres_per_unit, dict(inputs.readings), inputs.light, inputs.making
    )
    done.inputs = inputs
    done.moved = forward_of(thing, inputs.light)
    done.meant = thing if thing is not inputs.thing else None
    given = {(one.node, one.parameter) for one in inputs.rewired if isinstance(one, Redirect)}
    before = [note for note in inputs.notes if note.by is By.HAND and (note.node, note.parameter) in given]
    if before:  # what a hand put where something goes elsewhere from goes along
        write_in(done, before, inputs.target)
    if inputs.rewired:
        rewire(done, inputs.rewired, inputs.target, inputs.metres_per_unit)
    if len(before) < len(inputs.notes):
        write_in(done, [note for note in inputs.notes if note not in before], inputs.target)
    return done
