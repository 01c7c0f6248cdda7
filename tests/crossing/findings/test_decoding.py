"""Findings of how pictures are read, from verdicts that are given; and what files are told of by their form."""

from __future__ import annotations

from dataclasses import replace

import pytest

from durvan.crossing.document.changes import AllowFolder, PutLinks
from durvan.crossing.document.document import Relink
from durvan.crossing.findings import Finding, Level
from durvan.crossing.outside.uses import of_thing
from durvan.crossing.translation.choices import Choices, Override
from durvan.crossing.translation.plan import plan
from durvan.files.audit import Verdict
from durvan.files.copies import Use
from durvan.scene.model import Candidate, FileKind, FileState, Kind, OutsideFile, Scene
from making import findings_in, material, single

FILE = "./a.png"
COLOUR = Verdict("/s/a.png", "uint8", False, 0.1, (0.4, 0.3, 0.2), "", 1.0, False, False, 200)
NORMAL = replace(COLOUR, normal=True, unit=0.99, mean=(0.5, 0.5, 0.95), green="down", curl=0.1)


def reading(port: str, gamma: float, relief: str = "") -> list:
    """A material that reads a picture into a port, perhaps through a relief node."""
    nodes = {
        "surface": ("orvik.finish", {}, {port: ("p", "colour")}),
        "p": ("orvik.picture", {"file": FILE, "decode_gamma": gamma}, {}),
    }
    if relief:
        nodes["surface"] = ("orvik.finish", {}, {"relief": ("r", "relief")})
        nodes["r"] = (relief, {}, {"map": ("p", "grey" if relief == "orvik.bump" else "colour")})
    return [material("orvik", nodes)]


def link(to: str) -> PutLinks:
    return PutLinks(links=(Relink(written=FILE, to=to),))


def found(packs, things: list, verdict: Verdict | None, target: str = "pellune", **file: object) -> dict[str, Finding]:
    scene = Scene("/s/a.usda", "orvik", things={thing.id: thing for thing in things})
    users = [(things[0].id, "p", "file")]
    told = {"depth": verdict.depth if verdict else "uint8", "width": 64, "height": 64, "format": "png", **file}
    outside = OutsideFile(FILE, "/s/a.png", FileState.IN_PLACE, users)
    for name, value in told.items():
        setattr(outside, name, value)
    scene.files = {outside.resolved: outside}
    outside.stamp = ("/s/a.png", 1, 1)
    verdicts = {outside.stamp: verdict} if verdict else {}
    planned = plan(scene, packs, Choices(target=target))
    return {f.code: f for f in findings_in(planned, packs, verdicts=verdicts) if f.station == "Files"}


@pytest.mark.parametrize(
    ("port", "gamma", "relief", "verdict", "code"),
    [
        ("base_tint", 2.2, "", COLOUR, ""),
        ("base_tint", 1.0, "", COLOUR, "colour-as-data"),
        ("base_tint", 1.0, "", replace(COLOUR, linear=True, gaps=(0.4, 0.0)), ""),
        ("base_tint", 2.2, "", replace(COLOUR, linear=True, gaps=(0.4, 0.0)), "linear-as-colour"),
        ("polish", 2.2, "", replace(COLOUR, grey=True), "data-as-colour"),
        ("polish", 1.0, "", replace(COLOUR, grey=True), ""),
        ("relief", 1.0, "orvik.normal_map", NORMAL, ""),
        ("relief", 1.0, "orvik.normal_map", replace(NORMAL, green="up", curl=9.0), "wrong-green"),
        ("relief", 1.0, "orvik.normal_map", replace(NORMAL, green=""), ""),
        ("relief", 2.2, "orvik.normal_map", NORMAL, "data-as-colour"),
        ("relief", 1.0, "orvik.normal_map", COLOUR, "no-normals"),
        ("relief", 1.0, "orvik.normal_map", replace(COLOUR, constant=True), "constant-picture"),
        ("base_tint", 2.2, "", NORMAL, "normals-elsewhere"),
        ("relief", 1.0, "orvik.bump", replace(COLOUR, grey=True), "eight-bit-height"),
        ("relief", 1.0, "orvik.bump", replace(COLOUR, grey=True, depth="uint16", levels=180), "eight-bit-height"),
        ("relief", 1.0, "orvik.bump", replace(COLOUR, grey=True, depth="uint16", levels=9000), ""),
        ("base_tint", 2.2, "", replace(COLOUR, alpha="multiplied in"), "alpha-multiplied"),
        ("base_tint", 2.2, "", replace(COLOUR, problem="breaks off"), ""),
    ],
)
def test_each_verdict_against_each_use(packs, port, gamma, relief, verdict, code) -> None:
    codes = found(packs, reading(port, gamma, relief), verdict)
    assert set(codes) == ({code} if code else set())
    if code:
        assert codes[code].file == FILE and dict(codes[code].evidence)["picture"] == "a.png"


@pytest.mark.parametrize(
    ("gamma", "depth", "says", "code"),
    [
        (2.2, "uint16", "lin_rec709_scene", "linear-as-colour"), (1.0, "uint16", "lin_rec709_scene", ""), (2.2, "uint8", "srgb_rec709_scene", ""),
        (1.0, "half", "srgb_rec709_scene", "colour-as-data"), (1.0, "half", "lin_rec709_scene", ""), (1.0, "uint8", "lin_rec709_scene", ""),
    ],
)  # fmt: skip
def test_what_the_header_says_counts(packs, gamma, depth, says, code) -> None:
    codes = found(packs, reading("base_tint", gamma), replace(COLOUR, depth=depth), decode=says)
    assert set(codes) == ({code} if code else set())
    if code:
        assert dict(codes[code].evidence)["its header says"] == says


def test_without_a_verdict_the_use_alone_speaks(packs) -> None:
    assert set(found(packs, reading("polish", 2.2), None)) == {"data-as-colour"}


@pytest.mark.parametrize(
    ("verdict", "code"),
    [
        (replace(COLOUR, depth="half", peak=900.0), ""),
        (replace(COLOUR, depth="half", peak=16.0, top=0.01), "surroundings-clipped"),
        (COLOUR, "surroundings-low"),
    ],
)
def test_surroundings(packs, verdict, code) -> None:
    thing = single("orvik", "orvik.dome", {"file": FILE}, Kind.LIGHT, "Sky")
    assert set(found(packs, [thing], verdict, kind=FileKind.SURROUNDINGS)) == ({code} if code else set())


def test_uses_are_followed_through_the_network(packs) -> None:
    (use,) = of_thing(reading("base_tint", 2.2)[0], packs.get("orvik"))
    assert use.use is Use.COLOUR and use.decoded == "as colour" and not use.is_data
    (use,) = of_thing(reading("x", 1.8, "orvik.normal_map")[0], packs.get("orvik"))
    assert use.use is Use.NORMAL and use.straight and use.decoded == "1.8" and use.is_data
    nodes = {
        "surface": ("orvik.finish", {}, {"relief": ("r", "relief"), "base_tint": ("p", "colour")}),
        "r": ("orvik.normal_map", {}, {"map": ("c", "colour")}), "c": ("orvik.correct", {}, {"input": ("p", "colour")}),
        "p": ("orvik.picture", {"file": FILE}, {}),
    }  # fmt: skip
    (use,) = of_thing(material("orvik", nodes), packs.get("orvik"))
    assert use.uses == {Use.NORMAL, Use.COLOUR} and use.use is None and not use.straight


@pytest.mark.parametrize(
    ("changes", "code", "level"),
    [
        ({"state": FileState.ABSENT}, "picture-absent", Level.STOP), ({"state": FileState.UNREADABLE, "why": "is empty"}, "picture-unreadable", Level.STOP),
        ({"state": FileState.OUTSIDE}, "outside", Level.STOP), ({"state": FileState.LETTER_CASE}, "letter-case", Level.LOOK),
        ({"state": FileState.BY_A_ROOT, "root": "/lib"}, "by-a-root", Level.LOOK), ({"state": FileState.OUTDATED, "why": "b.png beside it is newer"}, "outdated-copy", Level.LOOK),
        ({"state": FileState.SEVERAL, "candidates": (Candidate("/x/a.png", 2, 10, 8, 8, "the same checksum"), Candidate("/y/a.png"))}, "several-candidates", Level.STOP),
        ({"members": ("/s/a.1001.png",), "missing": ("1002",)}, "tiles-missing", Level.LOOK), ({"format": "jpeg"}, "mislabelled", Level.NOTE),
        ({"width": 16384, "height": 16384}, "huge-untiled", Level.NOTE), ({"width": 16384, "tile": 64}, "", None), ({"same_as": "/s/b.png"}, "same-twice", Level.NOTE),
        ({"linked": "/s/a.png"}, "full-path", Level.NOTE),
        ({"kind": FileKind.PROFILE, "state": FileState.UNREADABLE, "why": "has no TILT line"}, "profile-malformed", Level.STOP),
        ({"kind": FileKind.GEOMETRY, "state": FileState.ABSENT}, "geometry-absent", Level.STOP),
    ],
)  # fmt: skip
def test_what_a_file_is_told_of(packs, changes, code, level) -> None:
    codes = found(packs, reading("base_tint", 2.2), COLOUR if "state" not in changes else None, **changes)
    assert set(codes) == ({code} if code else set())
    if code:
        assert codes[code].level is level and codes[code].cause and codes[code].consequence


def test_remedies_of_files_are_changes_of_the_crossing(packs) -> None:
    things = reading("base_tint", 2.2)
    assert found(packs, things, None, state=FileState.BY_A_ROOT)["by-a-root"].remedies[0].does == link("/s/a.png")
    assert found(packs, things, None, state=FileState.OUTSIDE)["outside"].remedies[0].does == AllowFolder(folder="/s")
    newer = found(packs, things, None, state=FileState.OUTDATED, newer="/s/b.png")["outdated-copy"]
    assert newer.remedies[0].does == link("/s/b.png")
    several = found(
        packs, things, None, state=FileState.SEVERAL, candidates=(Candidate("/x/a.png"), Candidate("/y/a.png"))
    )["several-candidates"]
    assert [remedy.does for remedy in several.remedies] == [link("/x/a.png"), link("/y/a.png")] and not any(
        r.bulk for r in several.remedies
    )


def test_a_choice_settles_a_decoding(packs) -> None:
    things = reading("polish", 2.2)
    scene = Scene("/s/a.usda", "orvik", things={thing.id: thing for thing in things})
    chosen = Choices(
        target="pellune", values=(Override(thing=things[0].id, node="p", parameter="decode_gamma", value=1.0),)
    )
    assert not [f for f in findings_in(plan(scene, packs, chosen), packs) if f.code == "data-as-colour"]
