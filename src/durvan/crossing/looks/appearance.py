"""What a crossing's materials look like on both sides: their looks, their drift, and what a fit makes of it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from durvan.crossing.looks.fit import Fit, Moved, Problem, fit, with_moved
from durvan.crossing.looks.polishing import polish
from durvan.crossing.looks.recognition import of_material
from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.result import Translation, as_meant, in_target
from durvan.crossing.translation.rows import By
from durvan.dialects.look import Record
from durvan.dialects.registry import Registry
from durvan.engine import drift, staging, swatches
from durvan.errors import Stopped
from durvan.formats import pictures
from durvan.graph.expression import UDIM
from durvan.scene.bodies import Body
from durvan.scene.drift import Drift
from durvan.scene.graph import Graph
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.shapes import Shapes
from durvan.scene.traits import Traits

Stop = Callable[[], bool]
WORTH = 0.05  # a fit is kept when it lowers the drift by more than this and by more than its noise
NEEDED = 0.3  # below this a drift is not worth a fit


def never() -> bool:
    """Do not stop."""
    return False


@dataclass(frozen=True)
class Improvement:
    """A fit that was measured: the notes that put it into the target, the target with it, the drift before and after."""

    notes: tuple[Note, ...]
    fitted: Translation
    before: Drift
    after: Drift


class Appearance:
    """Looks and drifts of one scene's materials; what was measured before is known from a folder."""

    def __init__(
        self, scene: Scene, registry: Registry, folder: Path | None = None, shapes: Callable[[], Shapes] | None = None
    ) -> None:
        self.scene, self.registry = scene, registry
        self.makers = drift.Makers(folder)
        self._traits: dict[str, Traits] = {}
        self.facts = staging.facts_of(scene, registry, shapes)

    def source(self, thing: Thing, translation: Translation) -> Record:
        """The look of a material in its own dialect, as it is meant: with a person's corrections."""
        meant = as_meant(thing, translation)
        return staging.look_of(meant, self.registry.packs.get(thing.dialect), self.facts)

    def target(self, thing: Thing, translation: Translation) -> Record:
        """The look of what it becomes."""
        pack = self.registry.packs.get(translation.target_dialect)
        return staging.look_closely(in_target(thing, translation), pack, self.facts, self.registry)

    def drift(self, thing: Thing, translation: Translation, stop: Stop = never) -> Drift | None:
        """The drift of a material, with what could not be measured; None when stopped."""
        one, two = self.source(thing, translation), self.target(thing, translation)
        found = drift.between(one, two, self.makers, stop)
        return found and replace(found, caveats=caveats(one, two))

    def guess(self, thing: Thing, translation: Translation) -> Drift:
        """A first guess at the drift of a material, from a few pixels; what was measured before is known."""
        one, two = self.source(thing, translation), self.target(thing, translation)
        found = drift.remembered(self.makers.folder, swatches.fingerprint(one), swatches.fingerprint(two))
        if found is None:
            found = drift.guess(swatches.Maker(one), swatches.Maker(two))
        return replace(found, caveats=caveats(one, two))

    def traits(
        self, things: Iterable[Thing], bodies: Mapping[str, Body], stop: Stop = never
    ) -> dict[str, Traits] | None:
        """What materials are, by their looks and by what wears them; None when stopped. Each is worked out once."""
        for thing in things:
            if stop():
                return None
            if thing.id not in self._traits:
                self._traits[thing.id] = of_material(thing, self.registry, self.facts, bodies.get(thing.id))
        return dict(self._traits)

    def fit(self, thing: Thing, translation: Translation) -> Fit | None:
        """A fit of the target's values, not yet confirmed."""
        pack = self.registry.packs.get(translation.target_dialect)
        if pack is None or pack.name == thing.dialect:
            return None
        return fit(self.source(thing, translation), translation.graph, pack, self.facts, staging.pixels)

    def improve(self, thing: Thing, translation: Translation, stop: Stop = never) -> Improvement | None:
        """Fit, and keep it only when the measured drift is lower; None when it is not, or when stopped.

        `translation` is what the rules give, without any fit in it.
        """
        before = self.drift(thing, translation, stop)
        if before is None or before.mean < NEEDED or before.caveats:  # a fit would chase what is not there
            return None
        found = self.fit(thing, translation)
        return self._kept(thing, translation, found.moved, before, stop) if found is not None else None

    def polish(self, thing: Thing, translation: Translation, stop: Stop = never) -> Improvement | None:
        """The same by what is seen: values are moved until the guess at the drift is least. Takes seconds."""
        before = self.drift(thing, translation, stop)
        pack = self.registry.packs.get(translation.target_dialect)
        if before is None or before.caveats or pack is None or not pack.identity.fit or pack.name == thing.dialect:
            return None
        source = self.source(thing, translation)
        problem = Problem(source, translation.graph, pack, self.facts, staging.pixels)
        begun, shown = problem.solve(), swatches.Maker(source)

        def apart(graph: Graph) -> float:
            if stop():
                raise Stopped
            look = self.target(thing, replace(translation, graph=graph, looks=""))
            return drift.guess(shown, swatches.Maker(look)).mean

        starts = [problem.numbers(), *([problem.numbers(begun.moved)] if begun is not None else [])]
        numbers = polish(problem, starts, apart)
        return None if numbers is None else self._kept(thing, translation, problem.moved(numbers), before, stop)

    def _kept(
        self, thing: Thing, translation: Translation, moved: tuple[Moved, ...], before: Drift, stop: Stop
    ) -> Improvement | None:
        """Moved values, where they measurably lower the drift."""
        if not moved:
            return None
        fitted = replace(translation, graph=with_moved(translation.graph, moved), looks="")
        after = self.drift(thing, fitted, stop)
        if after is None or before.mean - after.mean <= max(WORTH, before.noise, after.noise):
            return None
        notes = tuple(
            Note(
                thing=thing.id, node=one.node, parameter=one.parameter, value=one.value, by=By.FIT,
                over=translation.graph.nodes[one.node].values.get(one.parameter), before=before.mean, after=after.mean,
            )
            for one in moved
        )  # fmt: skip
        return Improvement(notes, fitted, before, after)


def caveats(source: Record, target: Record) -> tuple[str, ...]:
    """What neither a drift nor a fit of two looks can know: nodes, pictures and effects that are not shown."""
    said: dict[str, None] = {}
    for look in (source, target):
        said.update(dict.fromkeys(look.notes))
        for lookup in staging.lookups(look):
            name = lookup.file.replace("\\", "/").rpartition("/")[2] or "a picture that is nowhere to be found"
            if UDIM in name:
                if not pictures.tiles_of(lookup.file):
                    said[f"no tile of {name} can be read"] = None
            elif staging.pixels(lookup) is None:
                said[f"{name} cannot be read"] = None
    return tuple(said)


def materials(scene: Scene, wanted: Iterable[str]) -> list[Thing]:
    """The materials among some things."""
    chosen = set(wanted)
    return [thing for thing in scene.of(Kind.MATERIAL) if thing.id in chosen]
