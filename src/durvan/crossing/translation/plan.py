"""The plan: everything that would happen, worked out in memory and written nowhere."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from durvan.crossing.translation.bakery import pictures_of
from durvan.crossing.translation.choices import Choices, Note, Redirect, Swap
from durvan.crossing.translation.formats import format_for, has_backs, why_left
from durvan.crossing.translation.ledger import Ledger
from durvan.crossing.translation.lighting import Handlings
from durvan.crossing.translation.making import AS_USUAL, Making
from durvan.crossing.translation.policies import Kinds, Matter, Policies
from durvan.crossing.translation.result import Inputs, Translation, in_target
from durvan.crossing.translation.swapping import PICTURE
from durvan.crossing.translation.translate import made
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError
from durvan.formats.table import Format, format_of, named
from durvan.progress import Report, Step, silent
from durvan.scene.bodies import Body
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.traits import KIND_WORDS, Traits

KINDS = {"materials": Kind.MATERIAL, "lights": Kind.LIGHT, "cameras": Kind.CAMERA, "settings": Kind.SETTINGS}


@dataclass(frozen=True)
class Plan:
    """What would become of every thing in scope. `copies` are the tiled copies that are read in a picture's place, `bodies`
    what wears each material and `traits` what it was recognised as, as far as that is known; `merged` are materials in whose place an equal one is worn; `format` is that
    of the target's file."""

    scene: Scene
    choices: Choices
    translations: Mapping[str, Translation] = field(default_factory=dict)
    ledger: Ledger = field(default_factory=lambda: Ledger({}))
    copies: Mapping[str, str] = field(default_factory=dict)
    bodies: Mapping[str, Body] = field(default_factory=dict)
    traits: Mapping[str, Traits] = field(default_factory=dict)
    merged: Mapping[str, str] = field(default_factory=dict)
    format: str = "USD"

    @property
    def crosses_formats(self) -> bool:
        """Whether the target's file is of another format than the source's, and so has to hold all that is to be in it."""
        return format_of(Path(self.scene.file)).name != self.format

    @property
    def stands_over(self) -> bool:
        """Whether the target's file may say only what differs from the source's; else it is a whole one."""
        return named(self.format).stands_over and not self.crosses_formats

    @property
    def target_things(self) -> list[Thing]:
        """The things in the target's words; what is not carried is not there."""
        return [in_target(self.scene.things[name], one) for name, one in self.translations.items()]

    @property
    def corrected(self) -> list[Thing]:
        """The source's things that a person has corrected, as they are meant."""
        return [one.meant for one in self.translations.values() if one.meant is not None]


def in_scope(scene: Scene, scope: str, kinds: Kinds | None = None) -> list[Thing]:
    """The things that a scope names, in the scene's order: by a kind of thing, what materials are, a name, a path of a thing, or the
    path of something on the stage, which stands for what lies below it and what is worn there. Raises MisuseError for a word that
    names nothing.
    """
    wanted = [part.strip() for part in scope.split(",") if part.strip()]
    if not wanted or wanted == ["everything"]:
        return list(scene.things.values())
    chosen: set[str] = set()
    for word in wanted:
        kind = KINDS.get(word)
        found = [t.id for t in scene.things.values() if (t.kind is kind if kind else word in (t.id, t.name))]
        if not found and kind is None:
            found = [t.id for t in scene.things.values() if _lies_below(t, word)]
        if not found and word in KIND_WORDS:  # none may be known yet to be one
            found = [t.id for t in scene.of(Kind.MATERIAL) if kinds is not None and kinds.of(t.id).value == word]
            kind = Kind.MATERIAL
        if not found and kind is None:
            raise MisuseError(
                f"nothing in the scene is called '{word}'.",
                advice=f"A scope is everything, {', '.join(KINDS)}, what materials are, or names and paths of things.",
            )
        chosen.update(found)
    return [thing for thing in scene.things.values() if thing.id in chosen]


def _lies_below(thing: Thing, path: str) -> bool:
    """Whether a thing is below a path of the stage, or worn there."""
    start = f"{path.rstrip('/')}/"
    places = [thing.id, *(wearer.path for wearer in thing.worn)]
    return path.startswith("/") and any(place == path or place.startswith(start) for place in places)


class _ByThing:
    """A person's choices, looked up by the thing that they are about, and what is known of what they are about."""

    def __init__(
        self, choices: Choices, scene: Scene, bodies: Mapping[str, Body] | None = None,
        traits: Mapping[str, Traits] | None = None, written_as: Format | None = None, backs: bool = False,
    ) -> None:  # fmt: skip
        self.left = {kind: why_left(kind, written_as) if written_as is not None else "" for kind in Kind}
        self.policies = Policies(choices, Kinds(choices, traits or {}))
        self.choices = choices
        self.bodies = bodies or {}
        self.formless = not format_of(Path(scene.file)).forms
        self.backs = backs
        self.files = {file.written: (file.width, file.height, file.depth) for file in scene.pictures.values()}
        self.values: dict[str, list[tuple[str, str, float | str | bool]]] = {}
        for one in choices.values:
            self.values.setdefault(one.thing, []).append((one.node, one.parameter, one.value))
        self.readings: dict[str, list[tuple[str, str]]] = {}
        for read in choices.readings:
            self.readings.setdefault(read.thing, []).append((read.node, read.case))
        self.turned: dict[str, list[str]] = {}
        for turn in choices.turned:
            self.turned.setdefault(turn.thing, []).append(turn.node)
        self.notes: dict[str, list[Note]] = {}
        for note in choices.notes:
            self.notes.setdefault(note.thing, []).append(note)
        self.rewired: dict[str, list[Redirect | Swap]] = {}
        changes: tuple[Redirect | Swap, ...] = (*choices.swaps, *choices.redirects)
        for rewired in changes:
            self.rewired.setdefault(rewired.thing, []).append(rewired)
        self.light = Handlings(choices)
        self.in_use: dict[str, list[Note]] = {}
        for chosen in (one for one in choices.sets if one.name == choices.in_use):
            for note in chosen.notes:
                self.in_use.setdefault(note.thing, []).append(note)

    def inputs(self, thing: Thing, registry: Registry, target: str, metres_per_unit: float) -> Inputs:
        """All that the translation of one thing depends on."""
        name = thing.id
        return Inputs(
            thing, registry.packs.get(thing.dialect), registry.get(target), metres_per_unit,
            tuple(self.values.get(name, ())), tuple(self.readings.get(name, ())), tuple(self.turned.get(name, ())),
            (*self.notes.get(name, ()), *self.in_use.get(name, ())),
            self.light.of(thing, registry.packs.get(thing.dialect)),
            self._making(thing, registry.ground) if thing.kind is Kind.MATERIAL else AS_USUAL,
            tuple(self.rewired.get(name, ())), self.left[thing.kind],
        )  # fmt: skip

    def _making(self, thing: Thing, ground: Pack | None) -> Making:
        def goes(matter: Matter, way: str) -> bool:
            return self.policies.of(thing.id, matter) == way

        layers = self.policies.of(thing.id, Matter.LAYERS)
        return Making(
            self.policies.of(thing.id, Matter.BAKE), goes(Matter.SEE_THROUGH, "stencil"), self.bodies.get(thing.id),
            pictures_of(thing.graph.nodes, self.files), ground, goes(Matter.PANES, "simplified"),
            goes(Matter.PROCEDURALS, "baked"), {"two": 2, "one": 1}.get(layers, 0), goes(Matter.REMNANTS, "kept"),
            frozenset(one.node for one in self.rewired.get(thing.id, ()) if isinstance(one, Swap) and one.kind == PICTURE),
            self.formless, self.backs,
        )  # fmt: skip


def plan_one(
    scene: Scene,
    registry: Registry,
    choices: Choices,
    thing: Thing,
    bodies: Mapping[str, Body] | None = None,
    traits: Mapping[str, Traits] | None = None,
) -> Translation:
    """What becomes of one thing, whatever the scope."""
    target = registry.get(choices.target)
    backs = has_backs(target, format_for(scene, target, choices))
    chosen = _ByThing(choices, scene, bodies, traits, backs=backs)
    return made(chosen.inputs(thing, registry, choices.target, scene.metres_per_unit))


def plan(
    scene: Scene, registry: Registry, choices: Choices, report: Report = silent, before: Plan | None = None,
    copies: Mapping[str, str] | None = None, bodies: Mapping[str, Body] | None = None,
    traits: Mapping[str, Traits] | None = None,
) -> Plan:  # fmt: skip
    """Work out what becomes of everything in scope. Pure: nothing is read or written, and nothing is changed.

    What is in `before` and depends on the same inputs is taken from there; the result is the same without it.
    Raises PackError for an unknown target and MisuseError for an unknown scope; `report` may raise Stopped.
    """
    target = registry.get(choices.target)
    written_as = format_for(scene, target, choices)
    left_out, kinds = set(choices.left_out), Kinds(choices, traits or {})
    things = [thing for thing in in_scope(scene, choices.scope, kinds) if thing.id not in left_out]
    merged = merged_of(choices, {thing.id for thing in things})
    things = [thing for thing in things if thing.id not in merged]
    chosen = _ByThing(choices, scene, bodies, traits, written_as, has_backs(target, written_as))
    wanted = {t.id: chosen.inputs(t, registry, choices.target, scene.metres_per_unit) for t in things}
    known = before.translations if before is not None else {}
    fresh = {
        name: inputs
        for name, inputs in wanted.items()
        if (was := known.get(name)) is None or was.inputs is None or not was.inputs.same(inputs)
    }
    new = dict(_all_made(fresh, report))
    translations = {name: new[name] if name in new else known[name] for name in wanted}
    ledger = Ledger(translations, before.ledger if before is not None else None)
    report(Step("Planning", len(things), len(things)))
    return Plan(scene, choices, translations, ledger, copies or {}, bodies or {}, traits or {}, merged, written_as.name)


def merged_of(choices: Choices, carried: set[str]) -> dict[str, str]:
    """Which of the carried materials give way to which; each to one that is carried and does not give way itself."""
    into = {one.thing: one.into for one in choices.merged if one.thing in carried}
    out: dict[str, str] = {}
    for thing in into:
        end, seen = thing, {thing}
        while end in into and into[end] not in seen:
            end = into[end]
            seen.add(end)
        if end in carried and end != thing and end not in into:
            out[thing] = end
    return out


def _all_made(wanted: Mapping[str, Inputs], report: Report) -> Iterator[tuple[str, Translation]]:
    for count, (name, inputs) in enumerate(wanted.items()):
        if count % 20 == 0:
            report(Step("Planning", count, len(wanted)))
        yield name, made(inputs)
