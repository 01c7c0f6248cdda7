"""The plan: everything that would happen, worked out in memory and written nowhere."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from enum import StrEnum

from durvan.crossing.translation.ledger import Ledger
from durvan.crossing.translation.notes import TargetNote, write_in
from durvan.crossing.translation.translate import Translation, translate
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError
from durvan.files.copies import copy_path, is_current
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Graph
from durvan.scene.model import Kind, OutsideFile, Scene, Thing


class Placement(StrEnum):
    """Where the target's networks go."""

    BESIDE = "beside"
    ALONE = "alone"


KINDS = {"materials": Kind.MATERIAL, "lights": Kind.LIGHT, "cameras": Kind.CAMERA, "settings": Kind.SETTINGS}


@dataclass(frozen=True)
class Choices:
    """All that a person decides about a crossing; the plan depends on these, the scene and the packs alone.

    `scope` is "everything", kinds joined by commas, or paths and names joined by commas. `values` replace what the
    source says, by thing, node and parameter; `readings` choose a case of a node's mapping by thing and node;
    `left_out` are things that stay behind; `notes` are values put into the target, by hand or by a fit. `turned` are
    pictures (thing, node) whose green points the other way than their reader takes it. `copies` says where the tiled
    copies of pictures are that the target should read: empty for none, "beside" the originals, or a folder.
    """

    target: str
    scope: str = "everything"
    placement: Placement = Placement.BESIDE
    values: tuple[tuple[str, str, str, float | str | bool], ...] = ()
    readings: tuple[tuple[str, str, str], ...] = ()
    left_out: tuple[str, ...] = ()
    notes: tuple[TargetNote, ...] = ()
    turned: tuple[tuple[str, str], ...] = ()
    copies: str = ""

    def copy_of(self, file: OutsideFile) -> str:
        """The prepared copy that the target reads in a picture's place; empty when it reads the original."""
        if not self.copies or not file.first:
            return ""
        place = copy_path(file.resolved, self.copies)
        made = [copy_path(member, self.copies) for member in file.members] or [place]
        return (
            place
            if all(is_current(copy, one) for copy, one in zip(made, file.members or (file.first,), strict=True))
            else ""
        )


@dataclass
class Plan:
    """What would become of every thing in scope."""

    scene: Scene
    choices: Choices
    translations: dict[str, Translation] = field(default_factory=dict)
    ledger: Ledger = field(default_factory=Ledger)

    def release(self) -> None:
        """Take the plan apart bit by bit; let go of at once, a large one holds every thread up."""
        rows = self.ledger.rows
        while rows:
            del rows[-500:]
        while self.translations:
            self.translations.popitem()


def in_scope(scene: Scene, scope: str) -> list[Thing]:
    """The things that a scope names, in the scene's order. Raises MisuseError for a word that names nothing."""
    wanted = [part.strip() for part in scope.split(",") if part.strip()]
    if not wanted or wanted == ["everything"]:
        return list(scene.things.values())
    chosen: set[str] = set()
    for word in wanted:
        kind = KINDS.get(word)
        found = [t.id for t in scene.things.values() if (t.kind is kind if kind else word in (t.id, t.name))]
        if not found and kind is None:
            raise MisuseError(
                f"nothing in the scene is called '{word}'.",
                advice=f"A scope is everything, {', '.join(KINDS)}, or names and paths of things.",
            )
        chosen.update(found)
    return [thing for thing in scene.things.values() if thing.id in chosen]


def with_values(thing: Thing, values: dict[tuple[str, str], float | str | bool]) -> Thing:
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


def plan(scene: Scene, registry: Registry, choices: Choices, report: Report = silent) -> Plan:
    """Work out what becomes of everything in scope. Pure: nothing is read or written, and nothing is changed.

    Raises PackError for an unknown target and MisuseError for an unknown scope; `report` may raise Stopped.
    """
    target = registry.get(choices.target)
    things = [thing for thing in in_scope(scene, choices.scope) if thing.id not in choices.left_out]
    out = Plan(scene, choices)
    values: dict[str, dict[tuple[str, str], float | str | bool]] = {}
    for thing_id, node, parameter, value in choices.values:
        values.setdefault(thing_id, {})[node, parameter] = value
    readings: dict[str, dict[str, str]] = {}
    for thing_id, node, case in choices.readings:
        readings.setdefault(thing_id, {})[node] = case
    turned: dict[str, list[str]] = {}
    for thing_id, node in choices.turned:
        turned.setdefault(thing_id, []).append(node)
    notes: dict[str, list[TargetNote]] = {}
    for note in choices.notes:
        notes.setdefault(note.thing, []).append(note)
    rows = out.ledger.rows
    for count, thing in enumerate(things):
        if count % 20 == 0:
            report(Step("Planning", count, len(things)))
        source = registry.packs.get(thing.dialect)
        ready = with_values(thing, values.get(thing.id, {}))
        if thing.id in turned:
            ready = replace(ready, turned=tuple(turned[thing.id]))
        done = translate(ready, source, target, scene.metres_per_unit, readings.get(thing.id))
        if thing.id in notes:
            write_in(done, notes[thing.id], target)
        out.translations[thing.id] = done
        rows.extend(done.rows)
    out.ledger.count()
    report(Step("Planning", len(things), len(things)))
    return out
