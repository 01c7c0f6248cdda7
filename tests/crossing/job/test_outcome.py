"""What follows from a document: pure, the same with and without what was before, and never of another state than shown."""

from __future__ import annotations

import random
from dataclasses import replace
from pathlib import Path

import pytest

from durvan.crossing.document.changes import (
    Choose,
    LeaveOut,
    PutFits,
    PutNote,
    ReadAs,
    SetValue,
    TakeNote,
    TurnGreen,
)
from durvan.crossing.findings.model import Finding
from durvan.crossing.job.outcome import Evidence, Outcome, let_go, what_leaves, work_out
from durvan.crossing.job.session import Session, start
from durvan.crossing.looks.pairs import unfitted
from durvan.crossing.outside import lookup
from durvan.crossing.translation.choices import Note, Override, Reading, Turn
from durvan.crossing.translation.ledger import row_document
from durvan.files.audit import Verdict
from durvan.scene.drift import Drift
from durvan.scene.model import FileState
from making import small, write

LOOKS = "/LampRoom/Looks"
BRASS, OAK, SLATE = (f"{LOOKS}/{name}" for name in ("PedestalBrass", "TableOak", "WetSlate"))
FAR = Drift(4.2, 9.0, 0.1, "raking", (1.0, 2.0, 4.2), 8)


@pytest.fixture(scope="module")
def opened(lamproom, packs) -> Session:
    """The demo, opened once; tests work on copies of its session."""
    return start(lamproom, packs, "pellune")


@pytest.fixture
def session(opened: Session) -> Session:
    return replace(opened, done=[], undone=[])


def told(outcome: Outcome) -> tuple[object, ...]:
    """All that an outcome says, for comparing."""
    rows = {
        name: ([row_document(row) for row in one.rows], {n: (node.kind, node.values, node.links) for n, node in one.graph.nodes.items()})
        for name, one in outcome.plan.translations.items()
    }  # fmt: skip
    groups = [(g.key, g.level, g.title, g.count, g.first) for g in outcome.findings.groups]
    return (
        rows, list(outcome.findings), sorted(groups, key=str), outcome.plan.ledger.counts(), outcome.plan.ledger.grid(),
        len(outcome.plan.ledger), outcome.findings.by_station,
    )  # fmt: skip


def steps(session: Session) -> list:
    """Changes of every kind that a plan depends on, and their opposites."""
    note = Note(thing=BRASS, node="finish", parameter="rough", value=0.7)
    return [
        SetValue(entry=Override(thing=BRASS, node="finish", parameter="polish", value=0.2)),
        ReadAs(entry=Reading(thing=BRASS, node="finish", case="plain")),
        PutNote(note=note),
        TakeNote(thing=BRASS, node="finish", parameter="rough"),
        TurnGreen(entry=Turn(thing=SLATE, node="normal")),
        LeaveOut(thing=OAK),
        LeaveOut(thing=f"{LOOKS}/Oilskin"),
        Choose(scope="materials"),
        Choose(scope=f"{BRASS},{SLATE}"),
        Choose(scope="everything"),
        Choose(target="openpbr"),
        Choose(target="pellune"),
        Choose(target="orvik"),
        Choose(drift_limit=1.0),
        Choose(drift_limit=6.0),
    ]


def evidence(session: Session, outcome: Outcome, random_: random.Random) -> Evidence:
    """Something more that was found out by looking: a drift, or what a picture holds."""
    found = outcome.evidence
    if random_.random() < 0.5:
        names = [name for name in (BRASS, OAK, SLATE) if name in outcome.plan.translations]
        thing = outcome.scene.things[random_.choice(names)] if names else None
        key = session_key(outcome, thing.id) if thing is not None else "none"
        return replace(found, drifts={**found.drifts, key: replace(FAR, mean=random_.uniform(0.0, 8.0))})
    file = random_.choice([f for f in outcome.scene.pictures.values() if f.stamp is not None])
    verdict = Verdict(file.first, "uint8", grey=True, constant=random_.random() < 0.5, mean=(0.2,))
    return replace(found, verdicts={**found.verdicts, file.stamp: verdict})


def session_key(outcome: Outcome, thing: str) -> str:
    from durvan.crossing.looks.keys import look_key

    return look_key(outcome.scene.things[thing], outcome.plan.translations[thing], outcome.view.used_by.get(thing, ()))


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_what_follows_does_not_depend_on_what_was_before(session: Session, packs, seed: int) -> None:
    """A long way of changes and findings, each worked out from the last outcome, and once more from nothing."""
    chance = random.Random(seed)
    document, outcome = session.document, session.now
    for turn in range(14):
        known = outcome.evidence
        if chance.random() < 0.35:
            known = evidence(session, outcome, chance)
        else:
            document = chance.choice(steps(session)).apply(document)
        outcome = work_out(document, session.read, packs, known, outcome, turn)
        if turn % 3 == 2 or turn == 13:
            assert told(outcome) == told(work_out(document, session.read, packs, known))


def test_nothing_is_worked_out_twice(session: Session, packs) -> None:
    before = session.now
    session.put(BRASS, "finish", "rough", 0.7)
    session.renew()
    same = [n for n, one in session.plan.translations.items() if one is before.plan.translations[n]]
    assert set(before.plan.translations) - set(same) == {BRASS}
    assert session.scene is before.scene and session.now.uses is before.uses
    groups = {g.key: g for g in before.findings.by_key.values()}
    shared = [g for g in session.now.findings.by_key.values() if groups.get(g.key) is g]
    assert len(shared) > 10  # groups that are not about it are the very same


def test_working_out_changes_nothing(session: Session, packs) -> None:
    before, outcome = told(session.now), session.now
    for change in steps(session)[:6]:
        work_out(change.apply(session.document), session.read, packs, outcome.evidence, outcome)
    assert told(outcome) == before and session.now is outcome


def test_what_comes_late_falls_away(session: Session) -> None:
    session.put(BRASS, "finish", "rough", 0.3)
    early = session.work()
    session.put(BRASS, "finish", "rough", 0.6)
    late = session.work()
    assert session.behind
    assert session.take(late()) and not session.behind
    assert not session.take(early())  # it was finished later, but it is of an older state
    assert session.plan.translations[BRASS].graph.nodes["finish"].values["rough"] == 0.6


def test_what_was_found_out_while_planning_is_not_lost(session: Session) -> None:
    thing = session.scene.things[SLATE]
    work = session.work()
    session.measured({session.key_of(thing): FAR})
    session.take(work())
    assert session.behind and session.drift(SLATE) is None  # that outcome knew nothing of it
    session.renew()
    assert session.drift(SLATE) == FAR and [f.thing for f in session.findings if f.code == "drift"] == [SLATE]


def test_an_accepted_drift_stays_so_until_another_one_is_measured(session: Session, tmp_path) -> None:
    """Through undo, another target and back, and a saved crossing; what is measured otherwise opens it again."""

    def drift() -> Finding:
        (found,) = (one for one in session.now.findings if one.code == "drift" and one.thing == BRASS)
        return found

    key = session.key_of(session.scene.things[BRASS])
    session.measured({key: FAR})
    session.renew()
    session.accept([drift()], "the client likes it so")
    assert session.accepted(drift()) == "the client likes it so" and drift() not in session.open
    session.do("Go elsewhere", Choose(target="openpbr"))
    session.undo()
    assert session.accepted(drift()) and drift() not in session.open
    saved = tmp_path / "room.durvan"
    session.save(saved)
    again = start(saved, session.registry)
    again.measured({key: FAR})
    again.renew()
    assert not [one for one in again.open if one.code == "drift" and one.thing == BRASS]
    session.measured({key: replace(FAR, mean=5.1)})
    session.renew()
    assert not session.accepted(drift()) and drift() in session.open
    session.measured({key: FAR})
    session.renew()
    assert session.accepted(drift())  # it is what was accepted


def test_a_drift_is_about_two_looks_and_no_others(session: Session) -> None:
    def drifting() -> list[str]:
        session.renew()
        return [finding.thing for finding in session.findings if finding.code == "drift"]

    session.measured({session.key_of(session.scene.things[BRASS]): FAR})
    assert drifting() == [BRASS]
    session.do("Go elsewhere", Choose(target="openpbr"))
    assert drifting() == [] and session.drift(BRASS) is None
    session.undo()
    assert drifting() == [BRASS]  # nothing has to be measured again
    session.put(BRASS, "finish", "rough", 0.9)
    assert drifting() == []
    session.do("Where to", Choose(placement="alone", drift_limit=1.0))
    session.put(BRASS, "finish", "rough", None)
    assert drifting() == [BRASS]


def test_a_verdict_is_about_the_picture_as_it_was(session: Session) -> None:
    file = next(f for f in session.scene.pictures.values() if "dial_face" in f.written)
    session.audited({file.stamp: Verdict(file.first, "uint8", constant=True, mean=(0.5,))})
    session.renew()
    assert [f.file for f in session.findings if f.code == "constant-picture"] == [file.written]
    disk = session.evidence.disk
    painted = {k: replace(f, stamp=(f.first, 1, 1), changed=1) if f is file else f for k, f in disk.files.items()}
    session.evidence = replace(session.evidence, disk=replace(disk, files=painted))
    session.renew()
    assert not [f for f in session.findings if f.code == "constant-picture"]
    assert session.verdict(next(f for f in session.scene.files.values() if f.written == file.written)) is None


def test_files_are_looked_up_once_at_opening_and_when_that_may_change(lamproom, packs, monkeypatch) -> None:
    looks = []
    take = lookup.take
    monkeypatch.setattr(lookup, "take", lambda *given: looks.append(1) or take(*given))
    session = start(lamproom, packs, "pellune")
    assert len(looks) == 1
    session.put(BRASS, "finish", "rough", 0.7)
    session.renew()
    assert len(looks) == 1
    absent = next(f for f in session.scene.pictures.values() if f.state is FileState.ABSENT)
    session.relink({absent.written: "textures/dial_face.png"})
    session.renew()
    assert len(looks) == 2 and not [f for f in session.findings if f.code == "picture-absent"]
    session.renew(afresh=True)
    assert len(looks) == 3


def test_accepting_stands_at_once_and_is_undone(session: Session) -> None:
    first = session.findings[0]
    before = len(session.open)
    session.accept([first], "seen")
    assert len(session.open) == before - 1 and first not in session.open_findings()
    assert session.undo() == "Accept" and len(session.open) == before


def test_what_a_fit_starts_from_has_all_that_a_person_chose(session: Session, packs) -> None:
    """Values, readings, green turned round and notes by hand are in it, a former fit is not, whatever the scope."""
    note = Note(thing=BRASS, node="finish", parameter="metal", value=0.9)
    fit = Note(thing=BRASS, node="finish", parameter="rough", value=0.4, by="fit", over=None)
    session.do(
        "Choose", SetValue(entry=Override(thing=BRASS, node="finish", parameter="polish", value=0.1)),
        PutNote(note=note), PutFits(notes=(fit,)), TurnGreen(entry=Turn(thing=SLATE, node="normal")), Choose(scope=OAK),
    )  # fmt: skip
    session.renew()
    brass, slate = unfitted(session.plan, packs, [BRASS, SLATE], session.now.view.used_by)
    values = brass.translation.graph.nodes["finish"].values
    assert values["rough"] == pytest.approx(0.86 * 0.9) and values["metal"] == 0.9
    session.do("Everything", Choose(scope="everything"))
    session.renew()
    turned = session.plan.translations[SLATE].graph
    assert {n: (k.kind, k.values) for n, k in slate.translation.graph.nodes.items()} == {
        n: (k.kind, k.values) for n, k in turned.nodes.items()
    }
    assert slate.key == session.key_of(session.scene.things[SLATE])


def test_a_condition_that_cannot_be_asked_is_told(packs, tmp_path) -> None:
    """A pack whose condition raises: the rule is passed over, and a finding says so, each time anew."""
    from durvan.dialects.registry import Registry, read
    from strangers.tern_pack import __file__ as tern

    folder = tmp_path / "packs" / "gull"
    folder.mkdir(parents=True)
    for name in ("pack.yaml", "vocabulary.yaml", "mapping.yaml"):
        text = Path(tern).with_name(name).read_text().replace("tern", "gull").replace("Tern", "Gull")
        text = text.replace("percent(specular_roughness)", "specular_roughness * 100").replace("vividness", "spread")
        text = text.replace(
            'when_back: "not mapped(specular_weight) and specular_weight == 0"',
            "when_back: log10(specular_weight - 1) > 0",
        )
        (folder / name).write_text(text)
    gull: Registry = read(tmp_path / "packs")
    assert gull.broken == []
    scene = write(tmp_path, small())
    for _ in range(2):
        session = start(scene, gull, "gull")
        (found,) = [finding for finding in session.findings if finding.code == "pack-fault"]
        assert "log10(specular_weight - 1)" in found.cause and found.thing == "/W/Paint"
        assert dict(found.evidence) == {"dialect": "Gull"} and found.station == "Facing"
    assert not [finding for finding in start(scene, packs, "pellune").findings if finding.code == "pack-fault"]


def test_what_an_outcome_leaves_behind_is_let_go_of_bit_by_bit(session: Session, packs) -> None:
    old = session.now
    session.put(BRASS, "finish", "rough", 0.7)
    session.renew()
    leaving = what_leaves(old, session.now)
    assert old.plan.translations[BRASS] in leaving and old.plan.translations[OAK] not in leaving
    assert len(what_leaves(old, work_out(old.document, old.read, packs, old.evidence))) > 60  # nothing is shared
    assert what_leaves(old, old) == []
    let_go(leaving)
    assert leaving == [] and told(old)[3] == old.plan.ledger.counts()  # the outcome itself is as it was


def test_accepting_many_findings_is_by_key_and_evidence(session: Session) -> None:
    everything = session.findings
    session.accept(everything, "all seen")
    assert len(session.open) == 0 and session.open_groups() == [] and session.stops() == []
    entry = session.document.accepted[0]
    stale = (entry.model_copy(update={"fingerprint": "other"}), *session.document.accepted[1:])
    session.document = session.document.model_copy(update={"accepted": stale})
    assert [finding.key for finding in session.open_findings()] == [entry.key]
