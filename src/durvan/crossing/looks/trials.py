"""What is tried to settle a crossing, and what came of it. Plain data; nothing here renders."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from durvan.crossing.document.changes import Change, Fit, Match
from durvan.crossing.document.document import Document
from durvan.crossing.light.asking import Wanted
from durvan.crossing.looks.keys import LookKey
from durvan.crossing.looks.pairs import Pair
from durvan.scene.drift import Drift

DRIFT, STOPS = "ΔE00", "stops"
THE_LIGHT = "the light"  # what a proposal is about that is about the lights together


@dataclass(frozen=True)
class Candidate:
    """Something that may help: a remedy's change, or a request whose work ends in one."""

    label: str
    does: Change | Fit | Match

    @property
    def key(self) -> str:
        """The same for the same action."""
        return action_key(self.does)


def action_key(does: Change | Fit | Match) -> str:
    """What a change or a request is known by."""
    return hashlib.sha256(does.model_dump_json().encode()).hexdigest()[:16]


@dataclass(frozen=True)
class Effect:
    """What something was measured to do: the drift before and after, or how far the light is apart, in its unit."""

    before: float
    after: float
    unit: str = DRIFT

    @property
    def helps(self) -> bool:
        """Whether it is less afterwards, as far as numbers are shown."""
        return round(self.after, 2) < round(self.before, 2)


Effects = Mapping[
    tuple[str, str], Effect
]  # by what it was measured on (the key of the looks, or of the light) and the action


@dataclass(frozen=True)
class Subject:
    """A material and what may help it; `pair` is how it stands."""

    pair: Pair
    candidates: tuple[Candidate, ...]


@dataclass(frozen=True)
class LightTrial:
    """The light as some changes would have it; without any, as it stands."""

    label: str
    changes: tuple[Change, ...]
    wanted: Wanted
    document: Document


@dataclass(frozen=True)
class Work:
    """All that is to be tried: on materials (by a document that stands), and on the light."""

    document: Document
    subjects: tuple[Subject, ...] = ()
    lights: tuple[LightTrial, ...] = ()
    matches: tuple[Match, ...] = ()

    @property
    def things(self) -> list[Subject | None]:
        """What is tried, one after the other; None is the light, which comes last."""
        return [*self.subjects, *([None] if self.lights else [])]


@dataclass(frozen=True)
class Proposal:
    """What measurably helps one thing: its changes in order, in words, and what they do. `drifts` are what looks come to by it."""

    about: str
    labels: tuple[str, ...]
    changes: tuple[Change, ...]
    effect: Effect
    drifts: Mapping[LookKey, Drift] = field(default_factory=dict)


@dataclass(frozen=True)
class Stays:
    """Something that stays for a person: how far it is apart, and why nothing was proposed."""

    about: str
    apart: float
    why: str
    unit: str = DRIFT


@dataclass(frozen=True)
class Tried:
    """What came of one thing."""

    about: str
    proposal: Proposal | None = None
    stays: Stays | None = None
    effects: Effects = field(default_factory=dict)


def changes_of(proposals: Sequence[Proposal]) -> tuple[Change, ...]:
    """The changes of proposals; those of a kind stand together, so that many are put in at once."""
    every = [change for one in proposals for change in one.changes]
    return tuple(sorted(every, key=lambda change: type(change).__name__))
