"""Paths as people and programs write them."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.files import paths
from durvan.files.paths import understand

NAMES = st.text(
    st.characters(blacklist_characters="/\\\0$%~<>#", blacklist_categories=("Cs",)), min_size=1, max_size=12
).filter(lambda name: name not in (".", "..") and not name.lower().startswith("file:"))


@pytest.mark.parametrize(
    ("written", "text", "absolute", "foreign"),
    [
        ("./tex/a.png", "./tex/a.png", False, False),
        ("/mnt/tex/a.png", "/mnt/tex/a.png", True, False),
        ("C:\\proj\\tex\\a.png", "C:/proj/tex/a.png", True, True),
        ("c:/proj/a.png", "c:/proj/a.png", True, True),
        ("\\\\server\\share\\a.png", "//server/share/a.png", True, True),
        ("tex\\wood\\a.png", "tex/wood/a.png", False, False),
        ("tex/wood\\a.png", "tex/wood\\a.png", False, False),
        ("file:///mnt/a%20b.png", "/mnt/a b.png", True, False),
        ("file://localhost/mnt/a.png", "/mnt/a.png", True, False),
        ("file:///D:/tex/a.png", "D:/tex/a.png", True, True),
        ("~/tex/a.png", "/home/keeper/tex/a.png", True, False),
        ("$TEX/a.png", "/lib/a.png", True, False),
        ("${TEX}/a.png", "/lib/a.png", True, False),
        ("%TEX%\\a.png", "/lib\\a.png", True, False),
        ("", "", False, False),
    ],
)
def test_what_is_written_is_understood(written, text, absolute, foreign) -> None:
    found = understand(written, {"TEX": "/lib"}, "/home/keeper")
    assert (found.text, found.absolute, found.foreign) == (text, absolute, foreign)


def test_variables_that_are_not_set_are_named() -> None:
    found = understand("$GONE/${ALSO}/a.png", {})
    assert found.unknown == ("GONE", "ALSO") and found.text == "$GONE/${ALSO}/a.png"


@given(st.lists(NAMES, min_size=1, max_size=6))
def test_plain_paths_stay_as_they_are(parts) -> None:
    written = "/" + "/".join(parts)
    found = understand(written, {}, "/home/keeper")
    assert found.text == written and found.parts == tuple(parts) and found.name == parts[-1]


@given(st.lists(NAMES, min_size=1, max_size=5))
def test_a_drive_path_has_the_parts_of_the_plain_one(parts) -> None:
    assert understand("Q:\\" + "\\".join(parts)).parts == tuple(parts)


def test_members_of_series() -> None:
    present = ["a.1001.png", "a.1002.PNG", "a.1011.png", "a.2001.png", "b.1001.png", "a.x.png"]
    assert paths.members("a.<UDIM>.png", present) == {"1001": "a.1001.png", "1002": "a.1002.PNG", "1011": "a.1011.png"}
    assert list(paths.members("f.####.exr", ["f.0001.exr", "f.0003.exr", "f.1.exr", "f.10000.exr"])) == [
        "0001",
        "0003",
        "10000",
    ]
    assert list(paths.members("f.%04d.exr", ["f.0001.exr"])) == ["0001"]
    assert list(paths.members("t_<UVTILE>.tif", ["t_u1_v1.tif", "t_u2_v1.tif"])) == ["u1_v1", "u2_v1"]
    assert not paths.is_series("plain.png") and not paths.is_series("a#b/plain.png")


def test_holes_in_tiles_and_frames() -> None:
    assert paths.holes("a.<UDIM>.png", ["1001", "1003", "1011"]) == ("1002",)
    assert paths.holes("f.####.exr", ["0001", "0004"]) == ("0002", "0003")
    assert paths.holes("f.####.exr", []) == ()
    assert len(paths.holes("f.#######.exr", ["0000001", "9000000"])) == 200


def test_what_cannot_be_printed_is_shown() -> None:
    assert paths.shown("a\nb'\"c") == "a\\x0ab'\"c"
    assert paths.shown("bad\udcff.png").isprintable()


def test_tails_are_shared_whatever_their_case() -> None:
    assert paths.shared_tail(("a", "Tex", "x.png"), ("b", "tex", "X.png")) == 2
    assert paths.shared_tail(("a",), ("b",)) == 0
