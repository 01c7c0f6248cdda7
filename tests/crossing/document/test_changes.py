"""Changes as values: what each makes of a document, that it is no more and no less, and that they travel as text."""

from __future__ import annotations

import json
import os
from pathlib import Path

import pytest
from hypothesis import example, given
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from durvan.crossing.document import changes, store
from durvan.crossing.document.changes import (
    Accept,
    AddLight,
    AllowFolder,
    Change,
    Choose,
    DropSettings,
    HideFromCameras,
    KeepOff,
    LeaveOut,
    MoveForward,
    NameSettings,
    OfferSun,
    PutFits,
    PutLinks,
    PutNote,
    PutPin,
    ReadAs,
    Reopen,
    SetProbes,
    SetRoots,
    SetSettings,
    SetTint,
    SetTrims,
    SetValue,
    TakeFit,
    TakeLight,
    TakeNote,
    TakePin,
    TurnGreen,
    applied,
)
from durvan.crossing.document.document import Accepted, Document, PickedProbe, Pin, PinState, Relink
from durvan.crossing.translation.choices import (
    AddedLight,
    Advance,
    Note,
    Override,
    Placement,
    Reading,
    Tinting,
    Trim,
    Turn,
)
from durvan.errors import CrossingFileError
from durvan.files.resolve import Known
from durvan.files.roots import Root

BARE = Document(source="a.usda", target="pellune")
NAMES = st.sampled_from(["/A", "/B"])
PORTS = st.sampled_from(["rough", "color"])
NUMBERS = st.floats(-10.0, 10.0)
TEXTS = st.text(max_size=8)

EVERY = st.one_of(
    st.builds(SetValue, entry=st.builds(Override, thing=NAMES, node=TEXTS, parameter=PORTS, value=NUMBERS | st.booleans() | TEXTS)),
    st.builds(ReadAs, entry=st.builds(Reading, thing=NAMES, node=TEXTS, case=TEXTS)),
    st.builds(TurnGreen, entry=st.builds(Turn, thing=NAMES, node=TEXTS)),
    st.builds(PutLinks, links=st.lists(st.builds(Relink, written=PORTS, to=TEXTS), max_size=3).map(tuple)),
    st.builds(SetRoots, roots=st.lists(st.builds(Root, TEXTS, st.booleans(), st.booleans()), max_size=3).map(tuple)),
    st.builds(AllowFolder, folder=TEXTS),
    st.builds(LeaveOut, thing=NAMES),
    st.builds(PutNote, note=st.builds(Note, thing=NAMES, node=PORTS, parameter=PORTS, value=NUMBERS)),
    st.builds(TakeNote, thing=NAMES, node=PORTS, parameter=PORTS),
    st.builds(PutFits, notes=st.lists(st.builds(Note, thing=NAMES, node=PORTS, parameter=PORTS, value=NUMBERS, by=st.just("fit")), max_size=2).map(tuple)),
    st.builds(TakeFit, thing=NAMES),
    st.builds(Accept, entries=st.lists(st.builds(Accepted, key=TEXTS, reason=TEXTS, fingerprint=TEXTS), max_size=2).map(tuple)),
    st.builds(Reopen, keys=st.lists(TEXTS, max_size=2).map(tuple)),
    st.builds(SetTrims, trims=st.lists(st.builds(Trim, subject=NAMES, stops=NUMBERS), max_size=3).map(tuple)),
    st.builds(SetTint, subject=NAMES, tint=st.none() | st.builds(Tinting, subject=NAMES, kelvin=st.floats(1000.0, 25000.0), only_white=st.booleans())),
    st.builds(SetProbes, probes=st.lists(st.builds(PickedProbe, name=TEXTS, place=st.tuples(*[NUMBERS] * 3)), max_size=2).map(tuple)),
    st.builds(PutPin, pin=st.builds(Pin, number=st.integers(1, 4), across=st.floats(0.0, 1.0), down=st.floats(0.0, 1.0), text=TEXTS, state=st.sampled_from(list(PinState)))),
    st.builds(TakePin, number=st.integers(1, 4)),
    st.builds(AddLight, light=st.builds(AddedLight, path=NAMES, prim=TEXTS, place=st.tuples(*[NUMBERS] * 16))),
    st.builds(TakeLight, path=NAMES),
    st.builds(KeepOff, thing=NAMES, off=st.booleans()),
    st.builds(HideFromCameras, objects=st.lists(NAMES, max_size=2).map(tuple), hidden=st.booleans()),
    st.builds(MoveForward, thing=NAMES, advance=st.none() | st.builds(Advance, thing=NAMES, metres=st.floats(0.1, 9.0), subject=st.floats(0.1, 9.0))),
    st.builds(SetSettings, name=PORTS, notes=st.none() | st.lists(st.builds(Note, thing=NAMES, node=PORTS, parameter=PORTS, value=NUMBERS), max_size=2).map(tuple)),
    st.builds(NameSettings, name=PORTS, to=PORTS),
    st.builds(DropSettings, name=PORTS),
    st.builds(OfferSun, place=st.none() | st.tuples(st.floats(0.0, 360.0), st.floats(-90.0, 90.0))),
    st.builds(Choose, balanced=st.none() | st.floats(0.0, 25000.0), setup_names=st.none() | st.lists(TEXTS, max_size=2).map(tuple)),
    st.builds(Choose, scope=st.none() | TEXTS, placement=st.none() | st.sampled_from(list(Placement)), drift_limit=st.none() | st.floats(0.0, 100.0)),
)  # fmt: skip


@given(st.lists(EVERY, max_size=8), EVERY)
@example([], PutLinks(links=(Relink(written="a", to=""), Relink(written="a", to="0"), Relink(written="b", to="0"))))
def test_a_change_done_twice_is_done_once(before: list, change) -> None:
    document = applied(BARE, before)
    once = change.apply(document)
    assert change.apply(once) == once and applied(BARE, before) == document  # and what it was made of stays as it was


@given(st.lists(EVERY, max_size=10))
def test_any_document_is_saved_and_read_again(tmp_path_factory, given_changes: list) -> None:
    file = tmp_path_factory.getbasetemp() / "any.durvan"
    document = applied(BARE, given_changes)
    store.save(document, file)
    assert store.load(file) == document


@given(EVERY)
def test_changes_travel_as_text_by_their_tags(change) -> None:
    every = TypeAdapter(Change)
    again = every.validate_json(every.dump_json(change))
    assert again == change and type(again) is type(change)


@given(st.lists(EVERY, max_size=12))
@example(
    [
        PutLinks(links=(Relink(written="a", to=""), Relink(written="b", to="0"))),
        PutLinks(links=(Relink(written="a", to="0"),)),
    ]
)
def test_many_at_once_are_the_same_as_one_after_the_other(many: list) -> None:
    document = BARE
    for change in many:
        document = change.apply(document)
    assert applied(BARE, many) == document


def test_thousands_are_done_at_once() -> None:
    """Each change by itself walks over all entries; ten thousand would take minutes so. Entries are made once."""
    many = [SetValue(entry=Override(thing=f"/M{n}", node="a", parameter="p", value=1.0)) for n in range(10_000)]
    document = applied(BARE, [*many, *many])
    assert len(document.values) == 10_000 and document.values[-1].thing == "/M9999"


def test_every_kind_has_a_tag_of_its_own() -> None:
    kinds = Change.__args__[0].__args__
    assert len({kind.model_fields["tag"].default for kind in kinds}) == len(kinds) == 38
    for bad in ({"tag": "explode"}, {"tag": "allow"}, {"tag": "allow", "folder": "/x", "more": 1}):
        with pytest.raises(ValidationError):
            TypeAdapter(Change).validate_python(bad)


def test_what_takes_the_place_of_what() -> None:
    note = Note(thing="/A", node="n", parameter="rough", value=0.5)
    fit = Note(thing="/A", node="n", parameter="rough", value=0.4, by="fit")
    both = applied(BARE, [PutNote(note=note), PutFits(notes=(fit,))])
    assert set(both.notes) == {note, fit}
    other = PutNote(note=note.model_copy(update={"value": 0.6})).apply(both)
    assert [n.value for n in other.notes if n.by == "hand"] == [0.6] and fit in other.notes
    assert TakeFit(thing="/A").apply(other).notes == tuple(n for n in other.notes if n.by == "hand")
    assert TakeNote(thing="/A", node="n", parameter="rough").apply(other).notes == (fit,)
    new = fit.model_copy(update={"parameter": "color", "value": 0.1})
    assert PutFits(notes=(new,)).apply(both).notes == (note, new)  # a fit replaces all of the thing's former one
    value = SetValue(entry=Override(thing="/A", node="n", parameter="p", value=1.0))
    again = SetValue(entry=Override(thing="/A", node="n", parameter="p", value=2.0))
    assert [v.value for v in applied(BARE, [value, again]).values] == [2.0]


def test_links_are_put_and_taken() -> None:
    put = PutLinks(links=(Relink(written="a", to="b"), Relink(written="c", to="d")))
    linked = put.apply(BARE)
    assert linked.linked() == {"a": "b", "c": "d"}
    gone = PutLinks(links=(Relink(written="a", to=""), Relink(written="c", to="c"))).apply(linked)
    assert gone.links == ()


def test_choosing_leaves_the_rest_and_is_checked() -> None:
    chosen = Choose(scope="materials").apply(BARE)
    assert chosen == BARE.model_copy(update={"scope": "materials"})
    with pytest.raises(ValidationError):
        Choose(drift_limit=-1.0)
    with pytest.raises(ValidationError):
        Choose(placement="elsewhere")


def test_files_have_the_form_that_they_had(tmp_path: Path) -> None:
    """A crossing is text that older Durvans of this version read: plain lists of plain entries."""
    document = applied(
        BARE,
        [
            SetRoots(roots=(Root("/maps"),)), PutNote(note=Note(thing="/A", node="n", parameter="rough", value=0.5)),
            TurnGreen(entry=Turn(thing="/A", node="n")), PutLinks(links=(Relink(written="a", to="b"),)),
        ],
    ).model_copy(update={"remembered": (Known("a.png", 12, 4, 4, "ab"),)})  # fmt: skip
    store.save(document, tmp_path / "a.durvan")
    data = json.loads((tmp_path / "a.durvan").read_text())
    assert data["version"] == 8 and data["format"] == "durvan crossing" and data["placement"] == "beside"
    assert data["roots"] == [{"folder": "/maps", "deep": True, "on": True}]
    assert data["remembered"] == [{"written": "a.png", "size": 12, "width": 4, "height": 4, "sha256": "ab"}]
    assert data["notes"] == [
        {"thing": "/A", "node": "n", "parameter": "rough", "value": 0.5, "by": "hand", "over": None, "before": 0.0, "after": 0.0}
    ]  # fmt: skip
    assert data["links"] == [{"written": "a", "to": "b"}] and data["turned"] == [{"thing": "/A", "node": "n"}]
    for place, wrong in (
        ("roots", [{"folder": "/x", "odd": 1}]),
        ("remembered", [{"size": 3}]),
        ("notes", [{"thing": 1}]),
    ):
        (tmp_path / "bad.durvan").write_text(json.dumps({**data, place: wrong}))
        with pytest.raises(CrossingFileError) as told:
            store.load(tmp_path / "bad.durvan")
        assert told.value.inside.startswith(f"{place}.0")


def test_a_request_is_no_change() -> None:
    assert not hasattr(changes.Fit(thing="/A"), "apply")


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('{"drift_limit": NaN}', "finite"), ('{"drift_limit": 1e999}', "finite"), ('{"drift_limit": 1' + "0" * 5000 + "}", "cannot be read"),
        ('{"values": [{"thing": "/A", "node": "n", "parameter": "p", "value": Infinity}]}', "finite"),
        ('{"notes": [{"thing": "/A", "node": "n", "parameter": "p", "value": [1.0, NaN]}]}', "finite"),
        ('{"notes": [{"thing": "/A", "node": "n", "parameter": "p", "value": 1.0, "over": -Infinity}]}', "finite"),
    ],
)  # fmt: skip
def test_numbers_that_are_none_are_refused_with_their_place(tmp_path: Path, text: str, said: str) -> None:
    head = '{"format": "durvan crossing", "version": 3, "source": "a.usda", "target": "pellune", '
    (tmp_path / "a.durvan").write_text(head + text[1:])
    with pytest.raises(CrossingFileError, match=said) as told:
        store.load(tmp_path / "a.durvan")
    assert "a.durvan" in told.value.file and len(str(told.value)) < 600
    with pytest.raises(ValidationError):
        Note(thing="/A", node="n", parameter="p", value=float("nan"))


def test_only_files_are_read_as_crossings(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe.durvan")
    (tmp_path / "zero.durvan").symlink_to("/dev/zero")
    (tmp_path / "folder.durvan").mkdir()
    for name in ("pipe", "zero", "folder"):
        with pytest.raises(CrossingFileError, match="not a file"):
            store.load(tmp_path / f"{name}.durvan")
    for odd in (tmp_path / "none.durvan", Path("/" + "x" * 5000 + ".durvan"), Path("a\0b.durvan")):
        with pytest.raises(CrossingFileError, match=r"no such file|cannot be"):
            store.load(odd)
