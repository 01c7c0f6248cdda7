"""Try what may help, alone and together, and keep what measurably does. What was measured once is known afterwards."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from durvan.crossing.document.changes import Change, Fit, Match, PutFits, applied
from durvan.crossing.document.document import Document
from durvan.crossing.looks.appearance import NEEDED, WORTH, Appearance, Improvement, Stop, never
from durvan.crossing.looks.keys import LookKey, look_key, of_thing
from durvan.crossing.looks.pairs import without_fits
from durvan.crossing.looks.trials import Candidate, Effect, Proposal, Stays, Subject, Tried
from durvan.crossing.translation.plan import plan_one
from durvan.crossing.translation.result import Translation, as_meant
from durvan.errors import Stopped
from durvan.scene.bodies import Body
from durvan.scene.drift import Drift
from durvan.scene.model import Thing
from durvan.scene.traits import Traits

_TOGETHER = 3  # changes of one material that are combined at most
_FITTED = 3  # ways of which a fit is tried, the best first
WISHED = 1.0  # drift from which on a fit is gone on with by what is seen
FIT_LABEL, POLISHED_LABEL = "fitted", "fitted by what is seen"
Better = Callable[[Thing, Translation, Stop], Improvement | None]


@dataclass(frozen=True)
class Way:
    """A material as some changes would have it, and how far that drifts."""

    labels: tuple[str, ...]
    changes: tuple[Change, ...]
    translation: Translation
    drift: Drift


@dataclass
class Memory:
    """What was found of looks before: fits, and those that were gone on with, by the looks that they started from."""

    fits: dict[LookKey, Improvement | None] = field(default_factory=dict)
    polished: dict[LookKey, Improvement | None] = field(default_factory=dict)


@dataclass
class Trier:
    """Tries what may help materials of one crossing."""

    appearance: Appearance
    document: Document
    bodies: Mapping[str, Body] = field(default_factory=dict)
    traits: Mapping[str, Traits] = field(default_factory=dict)
    memory: Memory = field(default_factory=Memory)
    stop: Stop = never

    def tried(self, subject: Subject) -> Tried:
        """What helps one material most. Raises Stopped."""
        thing = subject.pair.thing
        begun = self._way((), subject, subject.pair.translation, ())
        if begun.drift.caveats:
            return Tried(
                thing.id, stays=Stays(thing.id, begun.drift.mean, f"not all of it is known: {begun.drift.caveats[0]}")
            )
        if begun.drift.mean < NEEDED:
            return Tried(thing.id)
        effects: dict[tuple[str, str], Effect] = {}
        ways = self._ways(subject, begun, effects)
        best = min(ways, key=lambda way: way.drift.mean)
        fitted = self._fitted(subject, ways, effects)
        best = min([best, *fitted], key=lambda way: way.drift.mean)
        if best.drift.mean > WISHED:
            polished = self._polished(subject, best)
            best = min([best, *polished], key=lambda way: way.drift.mean)
        gained = begun.drift.mean - best.drift.mean
        if best is begun or gained <= max(WORTH, begun.drift.noise, best.drift.noise):
            return Tried(thing.id, stays=Stays(thing.id, begun.drift.mean, _why(subject, effects)), effects=effects)
        key = look_key(thing, best.translation, subject.pair.files)
        effect = Effect(begun.drift.mean, best.drift.mean)
        proposal = Proposal(thing.id, best.labels, best.changes, effect, {key: best.drift})
        return Tried(thing.id, proposal, effects=effects)

    # ways without a fit

    def _ways(self, subject: Subject, begun: Way, effects: dict[tuple[str, str], Effect]) -> list[Way]:
        """How it stands, each change alone, and on top of the best of them what helps further."""
        ways, best = [begun], begun
        left = [one for one in subject.candidates if not isinstance(one.does, Fit | Match)]
        for turn in range(_TOGETHER):
            found = [(one, way) for one in left if (way := self._with(subject, best, one)) is not None]
            if turn == 0:
                effects |= {(subject.pair.key, one.key): Effect(begun.drift.mean, way.drift.mean) for one, way in found}
            ways += [way for _, way in found]
            if not found:
                break
            chosen, better = min(found, key=lambda pair: pair[1].drift.mean)
            if best.drift.mean - better.drift.mean <= max(WORTH, best.drift.noise, better.drift.noise):
                break
            best, left = better, [one for one in left if one is not chosen]
        return ways

    def _with(self, subject: Subject, way: Way, candidate: Candidate) -> Way | None:
        """A way with one change more; None where that changes nothing of the target, or what is meant by the source."""
        assert not isinstance(candidate.does, Fit | Match)  # these are apart
        changes = (*way.changes, candidate.does)
        translation = self._planned(subject, changes)
        same = look_key(subject.pair.thing, translation, ()) == look_key(subject.pair.thing, way.translation, ())
        thing = subject.pair.thing
        other = of_thing(as_meant(thing, translation)) != of_thing(as_meant(thing, way.translation))
        if same or other or "surface" not in translation.graph.outputs:
            return None
        made = self._way(changes, subject, translation, (*way.labels, candidate.label))
        return made if not made.drift.caveats else None

    def _planned(self, subject: Subject, changes: tuple[Change, ...], hands_only: bool = False) -> Translation:
        document = applied(self.document, changes)
        choices = without_fits(document) if hands_only else document
        seen = self.appearance
        return plan_one(seen.scene, seen.registry, choices, subject.pair.thing, self.bodies, self.traits)

    def _way(
        self, changes: tuple[Change, ...], subject: Subject, translation: Translation, labels: tuple[str, ...]
    ) -> Way:
        found = self.appearance.drift(subject.pair.thing, translation, self.stop)
        if found is None:
            raise Stopped
        return Way(labels, changes, translation, found)

    # fits

    def _fitted(self, subject: Subject, ways: list[Way], effects: dict[tuple[str, str], Effect]) -> list[Way]:
        """The best ways with a fit on top."""
        out: list[Way] = []
        for way in sorted(ways, key=lambda one: one.drift.mean)[:_FITTED]:
            better = self._improved(subject, way.changes)
            if better is None:
                continue
            put = PutFits(notes=better.notes)
            out.append(Way((*way.labels, FIT_LABEL), (*way.changes, put), better.fitted, better.after))
            if not way.changes:
                fit = next((one for one in subject.candidates if isinstance(one.does, Fit)), None)
                if fit is not None:
                    effects[subject.pair.key, fit.key] = Effect(way.drift.mean, better.after.mean)
        return out

    def _polished(self, subject: Subject, way: Way) -> list[Way]:
        """A way whose fit is gone on with by what is seen."""
        changes = tuple(one for one in way.changes if not isinstance(one, PutFits))
        better = self._found(subject, changes, self.appearance.polish, self.memory.polished)
        if better is None:
            return []
        labels = (*(one for one in way.labels if one != FIT_LABEL), POLISHED_LABEL)
        return [Way(labels, (*changes, PutFits(notes=better.notes)), better.fitted, better.after)]

    def _improved(self, subject: Subject, changes: tuple[Change, ...]) -> Improvement | None:
        return self._found(subject, changes, self.appearance.improve, self.memory.fits)

    def _found(
        self, subject: Subject, changes: tuple[Change, ...], how: Better, known: dict[LookKey, Improvement | None]
    ) -> Improvement | None:  # fmt: skip
        """What a kind of fit comes to on top of some changes; found out once."""
        thing, bare = subject.pair.thing, self._planned(subject, changes, hands_only=True)
        key = look_key(thing, bare, subject.pair.files)
        if key not in known:
            found = how(thing, bare, self.stop)
            if found is None and self.stop():
                raise Stopped
            known[key] = found
        return known[key]


def _why(subject: Subject, effects: Mapping[tuple[str, str], Effect]) -> str:
    """Why nothing is proposed, as a sentence."""
    if not effects and len(subject.candidates) < 2:
        return "no fit lowers it, and nothing else is offered for it"
    tried = min(effects.values(), key=lambda one: one.after, default=None)
    if tried is None:
        return "nothing that is offered for it lowers it, nor does a fit"
    return f"nothing that is offered for it lowers it, nor does a fit; the best came to {tried.after:.2f}"
