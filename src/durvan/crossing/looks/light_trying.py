"""Try what may help the light: each change, all together, and on top of each the trims that match it; measured as stops."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from durvan.crossing.document.changes import Change, Match, SetTrims, applied
from durvan.crossing.document.document import Document
from durvan.crossing.light.added import with_added
from durvan.crossing.light.asking import Wanted
from durvan.crossing.light.match import match
from durvan.crossing.light.report import LightReport
from durvan.crossing.looks.trials import STOPS, THE_LIGHT, Effect, LightTrial, Proposal, Stays, Tried, action_key
from durvan.crossing.translation.choices import stands_for
from durvan.crossing.translation.lighting import Handling, Handlings
from durvan.dialects.registry import Registry
from durvan.errors import Stopped
from durvan.scene.model import Kind, Scene

WORTH = 0.02  # stops: what nobody sees
MATCHED = "lights matched"
Measure = Callable[[Wanted], LightReport | None]


@dataclass
class LightTrier:
    """Tries what may help the light of one crossing; `known` are reports by what was measured."""

    scene: Scene
    registry: Registry
    measure: Measure
    known: dict[str, LightReport] = field(default_factory=dict)

    def tried(self, trials: tuple[LightTrial, ...], matches: tuple[Match, ...] = ()) -> Tried:
        """What helps the light most; the first trial is how it stands. Raises Stopped."""
        begun = self._report(trials[0])
        before = self._astray(begun, trials[0].document)
        effects: dict[tuple[str, str], Effect] = {}
        found: list[tuple[float, tuple[str, ...], tuple[Change, ...]]] = []
        for trial in trials:
            report = begun if trial is trials[0] else self._report(trial)
            labels = (trial.label,) if trial.changes else ()
            if trial.changes:
                after = self._astray(report, trial.document)
                found.append((after, labels, trial.changes))
                if len(trial.changes) == 1:
                    effects[state_key(trials[0]), action_key(trial.changes[0])] = Effect(before, after, STOPS)
            put = self._matching(report, trial.document, ())
            if put is not None:
                after = self._astray(report, applied(trial.document, (put,)))
                found.append((after, (*labels, MATCHED), (*trial.changes, put)))
        for one in matches:
            put = self._matching(begun, trials[0].document, one.things)
            if put is not None:
                after = self._astray(begun, applied(trials[0].document, (put,)))
                effects[state_key(trials[0]), action_key(one)] = Effect(before, after, STOPS)
        return self._outcome(before, found, effects)

    @staticmethod
    def _outcome(
        before: float, found: list[tuple[float, tuple[str, ...], tuple[Change, ...]]],
        effects: dict[tuple[str, str], Effect],
    ) -> Tried:  # fmt: skip
        # of what is as good, the fewest changes, and a cause before trims that make up for it
        after, labels, changes = min(
            found, key=lambda one: (round(one[0] / WORTH), _weight(one[2])), default=(before, (), ())
        )
        if before - after <= WORTH:
            stays = (
                Stays(THE_LIGHT, before, "nothing that is offered brings it nearer", STOPS) if before > WORTH else None
            )
            return Tried(THE_LIGHT, stays=stays, effects=effects)
        return Tried(THE_LIGHT, Proposal(THE_LIGHT, labels, changes, Effect(before, after, STOPS)), effects=effects)

    def _report(self, trial: LightTrial) -> LightReport:
        key = trial.wanted.key
        if key not in self.known:
            report = self.measure(trial.wanted)
            if report is None:
                raise Stopped
            self.known[key] = report
        return self._trimmed(self.known[key], trial.document)

    def _trimmed(self, report: LightReport, document: Document) -> LightReport:
        return report.trimmed(self._stops(document))

    def _astray(self, report: LightReport, document: Document) -> float:
        """How far a report is apart with a document's trims; lights that were added count with those whose work they do."""
        return self._trimmed(report, document).astray(stands_for(document.added))

    def _stops(self, document: Document) -> Mapping[str, Handling]:
        scene, done = with_added(self.scene, document.added), Handlings(document)
        made = {
            thing.id: done.of(thing, self.registry.packs.get(thing.dialect))
            for thing in scene.things.values()
            if thing.kind in (Kind.LIGHT, Kind.MATERIAL)
        }
        return {path: one for path, one in made.items() if not one.idle}

    @staticmethod
    def _matching(report: LightReport, document: Document, things: tuple[str, ...]) -> SetTrims | None:
        own = {trim.subject: trim.stops for trim in document.trims}
        trims = match(report, things, own, stands_for(document.added))
        return SetTrims(trims=trims) if trims else None


def _weight(changes: tuple[Change, ...]) -> int:
    return sum(2 if isinstance(one, SetTrims) else 1 for one in changes)


def state_key(trial: LightTrial) -> str:
    """What effects on the light are kept by: all that was measured, and the trims on it."""
    return light_key(trial.wanted.key, trial.document)


def light_key(wanted: str, document: Document) -> str:
    """The same from its parts."""
    return f"{wanted} {sorted((trim.subject, trim.stops) for trim in document.trims)}"
