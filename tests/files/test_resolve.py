"""Where files are, and how sure that is."""

from __future__ import annotations

import os
from pathlib import Path

import pytest
from painted import header_only, older, paint

from durvan.files import facts
from durvan.files.copies import DEFAULTS, Task, Use
from durvan.files.facts import checksum, same_bytes
from durvan.files.inventory import kind_of, take
from durvan.files.pyramid import make
from durvan.files.resolve import Known, Resolver
from durvan.files.roots import Root
from durvan.scene.model import FileKind, FileState, Reference


@pytest.fixture
def place(tmp_path: Path) -> Path:
    """A scene's folder, with a library beside it."""
    (tmp_path / "scene").mkdir()
    (tmp_path / "library").mkdir()
    return tmp_path


def finder(place: Path, *roots: Root, **more: object) -> Resolver:
    return Resolver(
        (str(place / "scene"),), tuple(roots), environment={"TEX": str(place / "scene")}, home=str(place), **more
    )


def state(place: Path, written: str, *roots: Root, **more: object) -> tuple[FileState, str]:
    found = finder(place, *roots, **more).find(written, str(place / "scene"))
    return found.state, os.path.relpath(found.path, place) if found.path else ""


def test_in_place_and_absent(place) -> None:
    paint(place / "scene" / "a.png")
    assert state(place, "./a.png") == (FileState.IN_PLACE, "scene/a.png")
    assert state(place, "a.png") == (FileState.IN_PLACE, "scene/a.png")
    assert state(place, "$TEX/a.png") == (FileState.IN_PLACE, "scene/a.png")
    assert state(place, f"file://{place}/scene/a.png") == (FileState.IN_PLACE, "scene/a.png")
    assert state(place, str(place / "scene" / "a.png")) == (FileState.IN_PLACE, "scene/a.png")
    assert state(place, "./b.png") == (FileState.ABSENT, "scene/b.png")
    for odd in ("", "a\0b", "x" * 5000, "C:\\tex\\b.png", "~/none.png"):
        assert state(place, odd)[0] is FileState.ABSENT


def test_an_unset_variable_is_told(place) -> None:
    assert finder(place).find("$GONE/a.png", str(place)).why == "GONE is not set"


def test_the_case_of_letters(place) -> None:
    paint(place / "scene" / "Tex" / "Wood.PNG")
    assert state(place, "./tex/wood.png") == (FileState.LETTER_CASE, "scene/Tex/Wood.PNG")
    paint(place / "scene" / "Tex" / "wood.Png", seed=1)
    assert state(place, "./tex/wood.png")[0] is FileState.SEVERAL


def test_what_climbs_out_is_read_only_when_its_root_is_allowed(place) -> None:
    outside = place / "elsewhere"
    paint(outside / "a.png")
    assert state(place, "../elsewhere/a.png") == (FileState.OUTSIDE, "elsewhere/a.png")
    (place / "scene" / "link").symlink_to(outside)
    (place / "scene" / "b.png").symlink_to(outside / "a.png")
    assert state(place, "./link/a.png")[0] is FileState.OUTSIDE
    assert state(place, "./b.png")[0] is FileState.OUTSIDE
    for root in (Root(str(place)), Root(str(outside)), Root(str(outside), deep=False)):
        assert state(place, "../elsewhere/a.png", root)[0] is FileState.IN_PLACE
        assert state(place, "./link/a.png", root)[0] is FileState.IN_PLACE
    assert state(place, "../elsewhere/a.png", Root(str(outside), on=False))[0] is FileState.OUTSIDE
    assert state(place, "../elsewhere/a.png", Root(str(place), deep=False))[0] is FileState.OUTSIDE


def test_links_that_loop_are_absent(place) -> None:
    (place / "scene" / "round.png").symlink_to(place / "scene" / "round.png")
    assert state(place, "./round.png")[0] is FileState.ABSENT


def test_roots_are_tried_in_order_and_a_resting_one_is_passed_over(place) -> None:
    one, two = Root(str(place / "one")), Root(str(place / "two"))
    paint(place / "one" / "a.png")
    paint(place / "two" / "sub" / "a.png", seed=1)
    assert state(place, "/gone/a.png", one, two) == (FileState.BY_A_ROOT, "one/a.png")
    assert state(place, "/gone/a.png", two, one) == (FileState.BY_A_ROOT, "two/sub/a.png")
    assert state(place, "/gone/a.png", Root(one.folder, on=False), two) == (FileState.BY_A_ROOT, "two/sub/a.png")
    assert state(place, "G:\\gone\\A.PNG", one)[0] is FileState.BY_A_ROOT
    assert state(place, "/gone/a.png", Root(str(place / "never")))[0] is FileState.ABSENT


def test_several_of_one_name_and_what_speaks_for_each(place) -> None:
    root = Root(str(place / "library"))
    paint(place / "library" / "wood" / "a.png", seed=1)
    paint(place / "library" / "stone" / "deep" / "a.png", size=32, seed=2)
    found = finder(place, root).find("/gone/wood/a.png", str(place))
    assert found.state is FileState.SEVERAL and len(found.candidates) == 2
    assert "wood" in found.path and found.candidates[0].why == "2 parts of the path agree"
    stone = str(place / "library" / "stone" / "deep" / "a.png")
    size = os.path.getsize(stone)
    by_size = finder(place, root, known={"/gone/wood/a.png": Known("/gone/wood/a.png", size, 32, 32)}).find(
        "/gone/wood/a.png", "/"
    )
    assert by_size.path == stone and by_size.candidates[0].why == "the same size and resolution"
    by_sum = finder(place, root, known={"/gone/wood/a.png": Known("/gone/wood/a.png", 1, 1, 1, checksum(stone))}).find(
        "/gone/wood/a.png", "/"
    )
    assert by_sum.path == stone and by_sum.candidates[0].why == "the same checksum"


def test_several_that_hold_the_same_are_one(place) -> None:
    for folder in ("a", "b"):
        paint(place / "library" / folder / "x.png", seed=5)
    found = finder(place, Root(str(place / "library"))).find("/gone/x.png", "/")
    assert found.state is FileState.BY_A_ROOT and found.why == "2 hold the same"


def test_a_link_stands_in_the_place_of_what_is_written(place) -> None:
    path = paint(place / "library" / "new.png")
    assert state(place, "/gone/old.png", links={"/gone/old.png": path}) == (FileState.IN_PLACE, "library/new.png")
    assert state(place, "/gone/old.png", links={"/gone/old.png": "./none.png"})[0] is FileState.ABSENT
    assert state(place, "/gone/old.png", links={"/gone/old.png": "../library/new.png"}) == (
        FileState.IN_PLACE,
        "library/new.png",
    )


def test_series_are_one_entry_with_members(place) -> None:
    for tile in (1001, 1003):
        paint(place / "scene" / f"skin.{tile}.png", seed=tile)
        paint(place / "library" / f"cloth.{tile}.exr", seed=tile)
    root = Root(str(place / "library"))
    here = str(place / "scene")
    said = [
        Reference("./skin.<UDIM>.png", here, thing="/a"),
        Reference("/gone/cloth.<UDIM>.exr", here),
        Reference("f.####.exr", here),
    ]
    skin, cloth, frames = take(said, finder(place, root)).values()
    assert (
        skin.state is FileState.IN_PLACE and len(skin.members) == 2 and skin.missing == ("1002",) and skin.width == 16
    )
    assert skin.size == sum(os.path.getsize(member) for member in skin.members)
    assert cloth.state is FileState.BY_A_ROOT and len(cloth.members) == 2
    assert frames.state is FileState.ABSENT and frames.members == ()


def test_a_tile_that_others_of_the_same_thing_have_is_missing(place) -> None:
    here = str(place / "scene")
    for name in ("a.1001.png", "a.1002.png", "a.1011.png", "b.1001.png", "b.1002.png"):
        paint(place / "scene" / name, seed=len(name))
    said = [Reference(f"{n}.<UDIM>.png", here, thing="/skin", node=n, port="file") for n in "ab"]
    a, b = take(said, finder(place)).values()
    assert a.missing == () and b.missing == ("1011",)


# what is wrong with a file


def test_files_that_cannot_be_read_say_why(place) -> None:
    here = place / "scene"
    whole = Path(paint(here / "whole.png", size=64)).read_bytes()
    (here / "cut.png").write_bytes(whole[: len(whole) // 2])
    (here / "empty.png").touch()
    (here / "words.png").write_text("not a picture")
    (here / "gone.ies").write_text("nothing of the kind")
    files = {f.written: f for f in take([Reference(n, str(here)) for n in os.listdir(here)], finder(place)).values()}
    assert {name: file.state for name, file in files.items()} == {
        "whole.png": FileState.IN_PLACE, "cut.png": FileState.UNREADABLE, "empty.png": FileState.UNREADABLE,
        "words.png": FileState.UNREADABLE, "gone.ies": FileState.UNREADABLE,
    }  # fmt: skip
    assert files["cut.png"].why == "breaks off before its end" and files["empty.png"].why == "is empty"


def test_a_picture_that_is_huge_in_its_header_only_is_told_without_being_read(place) -> None:
    path = header_only(place / "scene" / "huge.png", 100_000)
    told = facts.facts(path)
    assert told is not None and (told.width == 100_000 or "100000x100000" in told.problem)


def test_names_with_anything_in_them(place) -> None:
    here = place / "scene"
    for name in ("new\nline.png", "quo'te\".png", "a b (1).png"):
        paint(here / name)
        assert state(place, name)[0] is FileState.IN_PLACE
    odd = here / os.fsdecode(b"bad\xff.png")
    odd.write_bytes((here / "a b (1).png").read_bytes())
    (file,) = take([Reference(odd.name, str(here))], finder(place)).values()
    assert file.state in (FileState.IN_PLACE, FileState.UNREADABLE) and (file.width == 16 or "name" in file.why)


def test_a_tiled_copy_older_than_its_source(place) -> None:
    source = paint(place / "scene" / "a.png", size=128)
    copy = str(place / "scene" / "a.tiled.tif")
    make(Task(source, copy, Use.COLOUR, DEFAULTS[Use.COLOUR]))
    (file,) = take([Reference("a.tiled.tif", str(place / "scene"))], finder(place)).values()
    assert file.state is FileState.IN_PLACE and file.tile == 64 and file.mips == 8
    older(copy)
    (file,) = take([Reference("a.tiled.tif", str(place / "scene"))], finder(place)).values()
    assert file.state is FileState.OUTDATED and file.why == "a.png beside it is newer"


def test_the_same_bytes_under_two_names(place) -> None:
    here = str(place / "scene")
    paint(place / "scene" / "a.png", seed=3)
    paint(place / "scene" / "b.png", seed=3)
    paint(place / "scene" / "c.png", seed=4)
    a, b, c = take([Reference(name, here) for name in ("a.png", "b.png", "c.png")], finder(place)).values()
    assert (a.same_as, c.same_as) == ("", "") and b.same_as == a.first
    assert same_bytes([a.first, b.first]) and not same_bytes([a.first, c.first]) and not same_bytes([a.first, "/none"])


@pytest.mark.parametrize(
    ("written", "role", "light", "kind"),
    [("a.usdc", "", False, FileKind.LAYER), ("a.abc", "file", False, FileKind.GEOMETRY), ("a.ocio", "", False, FileKind.COLOUR_CONFIG),
     ("a.ies", "file", True, FileKind.PROFILE), ("x", "profile", True, FileKind.PROFILE), ("a.exr", "file", True, FileKind.SURROUNDINGS),
     ("a.exr", "file", False, FileKind.PICTURE), ("a.xyz", "", False, FileKind.OTHER), ("p.usdz[a.png]", "file", False, FileKind.PICTURE)],
)  # fmt: skip
def test_what_a_file_is_for(written, role, light, kind) -> None:
    assert kind_of(written, role, light) is kind


GOOD = "IESNA:LM-63-2002\n[TEST] made up\nTILT=NONE\n1 1000 1 3 1 1 2 0.1 0.1 0\n1 1 50\n0 45 90\n0\n100 50 0\n"


@pytest.mark.parametrize(
    ("text", "problem"),
    [(GOOD, ""), (GOOD.replace("TILT=NONE", ""), "TILT"), (GOOD.replace("100 50 0", "100"), "only 1 are left"), ("IESNA\nTILT=NONE\n1 2", "header"),
     (GOOD.replace("100 50 0", "100 fifty 0"), "fifty"), ("words", "light profile"), (GOOD.replace("1 1000 1 3 1", "1 1000 1 0 1"), "vertical angles is 0")],
)  # fmt: skip
def test_light_profiles(tmp_path, text, problem) -> None:
    file = tmp_path / "lamp.ies"
    file.write_text(text)
    told = facts.facts(str(file))
    assert told is not None and (problem in told.problem if problem else told.problem == "")
