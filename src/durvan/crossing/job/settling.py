"""What is to be tried to settle a crossing: every remedy whose effect can be measured, every fit, and ways that may help."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from itertools import combinations, islice
from typing import TypeVar

from durvan.crossing.document.changes import AddLight, Change, Choose, Fit, Match, ReadAs, SetPolicy, applied
from durvan.crossing.document.document import Document
from durvan.crossing.findings import Finding, Remedy
from durvan.crossing.job.outcome import work_out
from durvan.crossing.job.session import Session
from durvan.crossing.light.asking import wanted
from durvan.crossing.looks.appearance import NEEDED
from durvan.crossing.looks.light_trying import light_key
from durvan.crossing.looks.pairs import pair
from durvan.crossing.looks.trials import Candidate, Effect, LightTrial, Proposal, Subject, Work, action_key, changes_of
from durvan.crossing.translation.policies import WAYS, Kinds, Matter, Policies, matters
from durvan.scene.model import Kind, Thing

_MATERIALS = (ReadAs, SetPolicy, Fit)  # what can help a material without another meaning of its source, or other files
_LIGHTS = (AddLight, Choose)
_TOGETHER = 8  # combinations of remedies of the light that are tried: each takes seconds
T = TypeVar("T")
ALL_LIGHTS = "all of these"


def work_of(session: Session, things: Collection[str] | None = None) -> Work:
    """What is to be tried on the materials and the light of a crossing, or on some of its things."""
    open_ones = [one for group in session.open_groups() for one in group.findings]
    subjects = tuple(
        subject
        for thing in session.scene.of(Kind.MATERIAL)
        if thing.id in session.plan.translations and (things is None or thing.id in things)
        if (subject := _subject(session, thing, [one for one in open_ones if one.thing == thing.id])) is not None
    )
    about = [one for one in open_ones if one.station == "Light" and (things is None or one.thing in things)]
    return Work(session.document, subjects, *_lights(session, about))


def effect_of(session: Session, finding: Finding, remedy: Remedy) -> Effect | None:
    """What a remedy was measured to do to what it is about, as that stands now; None where nobody knows."""
    effects, action = session.evidence.effects, action_key(remedy.does)
    thing = session.scene.things.get(finding.thing)
    if thing is not None and thing.kind is Kind.MATERIAL and thing.id in session.plan.translations:
        return effects.get((session.key_of(thing), action))
    return effects.get((light_key(session.light_wanted().key, session.document), action)) if session.camera else None


def measurable(remedy: Remedy) -> bool:
    """Whether what a remedy does can be measured by trying it."""
    return isinstance(remedy.does, (*_MATERIALS, Match)) or _is_light(remedy.does)


def take(session: Session, proposals: list[Proposal]) -> None:
    """Let proposals stand, all as one command; what they come to is known already."""
    session.measured({key: drift for one in proposals for key, drift in one.drifts.items()})
    session.do("Settle", *changes_of(proposals))


def _subject(session: Session, thing: Thing, findings: list[Finding]) -> Subject | None:
    """A material and what may help it; None where it is known to need nothing."""
    drift = session.drift(thing.id)
    if drift is not None and not drift.guessed and not drift.caveats and drift.mean < NEEDED:
        return None
    offered = [(r.label, r.does) for one in findings for r in one.remedies if isinstance(r.does, _MATERIALS)]
    every = [*offered, *_ways(session, thing), ("fit it", Fit(thing=thing.id))]
    unique = {action_key(does): Candidate(label, does) for label, does in reversed(every)}
    both = pair(thing, session.plan.translations[thing.id], session.now.view.used_by)
    return Subject(both, tuple(reversed(unique.values())))


def _ways(session: Session, thing: Thing) -> Iterator[tuple[str, SetPolicy]]:
    """Ways that nobody chose for it, and that may bring it nearer."""
    translation, packs = session.plan.translations[thing.id], session.registry.packs
    policies = Policies(session.document, Kinds(session.document, session.evidence.traits))
    target = packs[session.document.target]
    asked = set(matters(thing, translation, session.evidence.traits.get(thing.id), packs.get(thing.dialect), target))
    if Matter.PROCEDURALS in asked and policies.of(thing.id, Matter.PROCEDURALS) == WAYS[Matter.PROCEDURALS][0]:
        yield "procedurals baked", SetPolicy(subject=thing.id, what=Matter.PROCEDURALS.value, how="baked")


def _is_light(does: Change | Fit | Match) -> bool:
    return isinstance(does, AddLight) or (isinstance(does, Choose) and does.kelvin is not None)


def _lights(session: Session, findings: list[Finding]) -> tuple[tuple[LightTrial, ...], tuple[Match, ...]]:
    """How the light stands, each change that may help it, and all together; with the matches that are offered."""
    offered = {action_key(r.does): r for one in findings for r in one.remedies if _is_light(r.does)}
    matches = {action_key(r.does): r.does for one in findings for r in one.remedies if isinstance(r.does, Match)}
    if not session.camera or not (offered or matches):
        return (), ()
    trials = [LightTrial("", (), session.light_wanted(), session.document)]
    trials += [_light_trial(session, one.label, (one.does,)) for one in offered.values()]  # type: ignore[arg-type] # no requests
    for some in together(list(offered.values())):
        label = ALL_LIGHTS if len(some) == len(offered) else ", ".join(one.label for one in some)
        trials.append(_light_trial(session, label, tuple(one.does for one in some)))  # type: ignore[misc]
    return tuple(trials), tuple(matches.values())  # type: ignore[arg-type] # they are matches


def together(offered: Sequence[T]) -> list[tuple[T, ...]]:
    """Which of several things are tried together: all of them first; every two, and all but one, as far as those are few."""
    many = len(offered)
    if many < 2:
        return []
    sizes = dict.fromkeys(size for size in (many, many - 1, 2) if 2 <= size <= many)
    found = (some for size in sizes for some in combinations(offered, size))
    return list(islice(found, _TOGETHER))


def _light_trial(session: Session, label: str, changes: tuple[Change, ...]) -> LightTrial:
    """The light as some changes would have it, worked out from what stands."""
    document: Document = applied(session.document, changes)
    now = session.now
    made = work_out(document, now.read, session.registry, now.evidence, now)
    return LightTrial(label, changes, wanted(made.plan, session.registry, session.camera, session.picked), document)
