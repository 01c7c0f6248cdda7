"""What was decided belongs to a target, is about something, and was decided against what was there then; what is not so any more is told."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import pytest
from pydantic import ValidationError

from durvan.crossing.document import store
from durvan.crossing.document.changes import Choose, NameSettings, SetSettings, SetTrims
from durvan.crossing.document.decided import OF_THINGS, decisions
from durvan.crossing.document.document import Document
from durvan.crossing.findings import Finding, Level
from durvan.crossing.job.session import Session, start
from durvan.crossing.translation.choices import Choices, SettingsSet, Trim
from durvan.dialects.registry import Registry
from durvan.errors import CrossingFileError
from durvan.record.build import record, taken
from twins import twins


def found(session: Session, code: str) -> list[Finding]:
    return [one for one in session.findings if one.code == code]


@pytest.fixture
def session(tmp_path: Path, packs: Registry) -> Session:
    return start(twins(tmp_path), packs, "pellune")


def again(session: Session, text: str) -> Session:
    """The same crossing, once its source says something else and is read again."""
    Path(session.read.file).write_text(text, encoding="utf-8")
    read = session.read_again()()
    assert read is not None
    session.take_scene(*read)
    session.renew(afresh=True)
    return session


# targets


def test_what_was_set_for_one_target_waits_while_another_one_is_chosen(session: Session) -> None:
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    session.do("Trim", SetTrims(trims=(Trim(subject="/North/Lamp", stops=1.0),)))
    session.do("Choose the target", Choose(target="skarn"))
    session.renew()
    assert session.document.notes == () and session.document.trims == () and not found(session, "about-nothing")
    session.put("/North/Looks/Paint", "finish_mirror", "alpha", 0.5)
    session.put_choices("Choose the target", {"target": "pellune"})
    session.renew()
    assert [note.value for note in session.document.notes] == [0.25] and session.document.trims[0].stops == 1.0
    assert session.plan.translations["/North/Looks/Paint"].graph.nodes["finish"].values["rough"] == 0.25
    session.undo()
    assert session.document.target == "skarn" and [note.value for note in session.document.notes] == [0.5]


def test_what_waits_is_saved(session: Session, tmp_path: Path, packs: Registry) -> None:
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    session.do("Choose the target", Choose(target="skarn"))
    session.save(tmp_path / "c.durvan")
    back = start(tmp_path / "c.durvan", packs, "pellune")
    assert [note.value for note in back.document.notes] == [0.25] and back.document.apart == ()


# about nothing


def test_a_renamed_scope_is_told_and_given_to_what_is_there_now(session: Session) -> None:
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    session.do("Trim", SetTrims(trims=(Trim(subject="/North/Lamp", stops=1.0),)))
    session.renew()
    assert not found(session, "about-nothing")
    again(session, Path(session.read.file).read_text().replace("North", "East"))
    told = found(session, "about-nothing")
    assert {one.path for one in told} == {"/North/Looks/Paint", "/North/Lamp"} and all(
        one.level is Level.LOOK for one in told
    )
    assert any("rough is set by hand" in words for one in told for _, words in one.evidence)
    assert sum("no effect" in line for line in taken(session)) == 2
    for one in told:
        give = next(
            remedy for remedy in one.remedies if remedy.label == f"Give it to {one.path.replace('North', 'East')}"
        )
        session.apply([give])
    session.renew()
    assert not found(session, "about-nothing") and not found(session, "other-basis")
    assert session.plan.translations["/East/Looks/Paint"].graph.nodes["finish"].values["rough"] == 0.25
    assert session.document.trims[0].subject == "/East/Lamp"


def test_what_is_dropped_is_gone_and_comes_back_by_undo(session: Session) -> None:
    session.put("/North/Looks/Paint", "nowhere", "rough", 0.25)
    session.renew()
    (one,) = found(session, "about-nothing")
    assert (one.thing, one.path, one.station) == ("/North/Looks/Paint", "nowhere", "Facing")
    session.apply([one.remedies[0]])
    session.renew()
    assert session.document.notes == () and not found(session, "about-nothing")
    session.undo()
    session.renew()
    assert len(found(session, "about-nothing")) == 1


@pytest.mark.parametrize("name", [name for name in OF_THINGS if name != "added"])
def test_every_list_of_decisions_is_walked(session: Session, name: str) -> None:
    """A decision of any kind about a thing that is not there is told, and dropped by its remedy."""
    gone = "/Nobody"
    said = {
        "values": {"node": "n", "parameter": "p", "value": 1.0}, "readings": {"node": "n", "case": "c"}, "turned": {"node": "n"},
        "notes": {"node": "n", "parameter": "p", "value": 1.0}, "swaps": {"node": "n", "kind": "k"},
        "redirects": {"node": "n", "parameter": "p", "to_node": "m", "to_parameter": "q"}, "trims": {"stops": 1.0}, "tints": {"kelvin": 3000.0},
        "advances": {"metres": 1.0, "subject": 2.0}, "kinds": {"kind": "bare metal"}, "policies": {"what": "bake", "how": "never"}, "merged": {"into": "/B"},
    }  # fmt: skip
    about = "subject" if name in ("trims", "tints", "policies") else "thing"
    entry = {about: gone, **said[name]} if name in said else gone
    data = session.document.model_dump(mode="json") | {name: [entry]}
    session.document = Document.model_validate(data)
    session.revision += 1
    session.renew()
    (one,) = found(session, "about-nothing")
    assert one.path == gone and len(one.evidence) == 1
    session.apply([one.remedies[-1]])
    session.renew()
    assert getattr(session.document, name) == () and not found(session, "about-nothing")


def test_no_list_is_forgotten() -> None:
    """A new list of choices about things has to be one of those that are walked."""
    walked = {*OF_THINGS, "unseen", "sets", "setup_names", "sun_from"}
    lists = {name for name, field in Choices.model_fields.items() if str(field.annotation).startswith("tuple[")}
    assert lists == walked


# what it was decided against


def test_materials_that_swap_names_are_told(session: Session) -> None:
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    text = Path(session.read.file).read_text()
    again(session, text.replace("North", "@").replace("South", "North").replace("@", "South"))
    (one,) = found(session, "other-basis")
    assert one.thing == "/North/Looks/Paint" and "rough is set by hand" in one.evidence[0][1]
    keep, drop = one.remedies
    session.apply([keep])
    session.renew()
    assert not found(session, "other-basis") and session.document.notes
    session.undo()
    session.apply([drop])
    session.renew()
    assert not found(session, "other-basis") and not session.document.notes


def test_what_was_decided_against_is_saved_and_told_when_it_is_opened(
    session: Session, tmp_path: Path, packs: Registry
) -> None:
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    session.save(tmp_path / "c.durvan")
    file = Path(session.read.file)
    file.write_text(file.read_text().replace("(0.7, 0.1, 0.1)", "(0.1, 0.6, 0.1)"))
    back = start(tmp_path / "c.durvan", packs)
    assert len(found(back, "other-basis")) == 1 and len(found(back, "source-changed")) == 1
    back.save(tmp_path / "c.durvan")
    assert not found(start(tmp_path / "c.durvan", packs), "source-changed")  # it is the source that it was saved with
    assert len(found(start(tmp_path / "c.durvan", packs), "other-basis")) == 1  # and that is another matter


def test_the_source_is_read_again_only_where_it_changed(session: Session) -> None:
    assert session.read_again()() is None
    before = session.read
    again(session, Path(session.read.file).read_text().replace("float focalLength = 30.0", "float focalLength = 31.0"))
    assert session.read is not before and session.scene.things["/North/Eye"].root.values["focalLength"] == 31.0
    assert session.read_again()() is None


# acceptances, the record, names


def test_what_was_accepted_stays_so_when_it_is_worded_otherwise() -> None:
    one = Finding(
        "code", Level.LOOK, "T", "it gives back 123 % of the light", "c", "/A", evidence=(("given back", "123 %"),)
    )
    other = replace(one, cause="of the light 123 % comes back", evidence=(("comes back", "123 %"),))
    more = replace(one, cause="it gives back 140 % of the light")
    assert other.agreed(one.fingerprint) and not more.agreed(one.fingerprint)
    assert one.agreed(one.worded) and not other.agreed(one.worded)  # of a crossing that an older Durvan saved


def test_the_record_says_whether_what_was_written_is_what_stands(session: Session, tmp_path: Path) -> None:
    assert "written" not in record(session)
    session.carry(tmp_path / "o.usda")
    assert record(session)["written"]["as_it_stands"]
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    session.renew()
    assert not record(session)["written"]["as_it_stands"]
    session.undo()
    session.renew()
    assert record(session)["written"]["as_it_stands"]


def test_the_record_says_all_decisions(session: Session) -> None:
    session.put("/North/Looks/Paint", "finish", "rough", 0.25)
    session.do("Trim", SetTrims(trims=(Trim(subject="everything", stops=-0.5),)))
    session.do("Sets", *session.quick_and_final())
    session.put_choices("More", {"balanced": 3200.0, "kept_off": ("/North/Lamp",), "scope": "materials"})
    session.renew()
    said = "\n".join(taken(session))
    for words in ("rough is set by hand, to 0.25", "everything: trimmed by -0.50 stops", "balanced for 3200 K", "Lamp: kept, but switched off", "only materials"):  # fmt: skip
        assert words in said
    assert len(taken(session)) >= len(list(decisions(session.document)))


def test_a_set_has_a_name_that_can_be_opened_again(session: Session, tmp_path: Path) -> None:
    for wrong in ("", "n" * 61):
        with pytest.raises(ValidationError):
            NameSettings(name="quick", to=wrong)
        with pytest.raises(ValidationError):
            SetSettings(name=wrong, notes=())
    spoilt = session.document.model_copy(update={"sets": (SettingsSet.model_construct(name="n" * 99, notes=()),)})
    store.save(session.document, tmp_path / "c.durvan")
    before = (tmp_path / "c.durvan").read_bytes()
    with pytest.raises(CrossingFileError, match="at most 60"):
        store.save(spoilt, tmp_path / "c.durvan")
    assert (tmp_path / "c.durvan").read_bytes() == before
