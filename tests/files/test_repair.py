"""Repair in bulk: proposals, and what they would find."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from painted import paint
from pxr import Sdf, UsdUtils

from durvan.errors import DurvanError, MisuseError
from durvan.files import library, repair
from durvan.files.inventory import take
from durvan.files.repair import Substitution, learnt
from durvan.files.resolve import Resolver
from durvan.files.roots import Root
from durvan.formats.usd import port as usd
from durvan.formats.usd.assets import named_by, paths_in, replaced_text, rewrite, sites
from durvan.scene.model import FileState, OutsideFile, Reference

PART = st.text(st.sampled_from("abcdxyz01_-"), min_size=1, max_size=6)


@pytest.mark.parametrize(
    ("old", "new", "written", "then"),
    [("/mnt/old", "/lib", "/mnt/old/a/b.png", "/lib/a/b.png"), ("/mnt/old/", "/lib/", "/mnt/old/a.png", "/lib/a.png"),
     ("/mnt/old", "/lib", "/mnt/older/a.png", "/mnt/older/a.png"), ("C:\\proj", "/lib", "c:\\Proj\\tex\\a.png", "/lib/tex/a.png"),
     ("", "/lib", "/a.png", "/a.png"), ("./tex", "../maps", "./tex/a.png", "../maps/a.png"), ("/mnt/a.png", "/b.png", "/mnt/a.png", "/b.png")],
)  # fmt: skip
def test_substitutions(old, new, written, then) -> None:
    assert Substitution(old, new)(written) == then


@given(
    st.lists(PART, min_size=1, max_size=4),
    st.lists(PART, min_size=1, max_size=4),
    st.lists(PART, min_size=1, max_size=4),
)
def test_what_is_learnt_from_one_file_finds_that_file(old, new, tail) -> None:
    written, pointed = "/" + "/".join([*old, "o_", *tail]), "/" + "/".join([*new, "n_", *tail])
    rule = learnt(written, pointed)
    assert rule(written) == pointed
    beside = written.rpartition("/")[0] + "/other.png"
    if rule(beside) != beside:  # what lies beside it follows, unless the folders' names were all that was shared
        assert rule(beside) == pointed.rpartition("/")[0] + "/other.png"
    else:
        assert not beside.startswith(rule.old + "/")


def test_nothing_is_learnt_from_another_name() -> None:
    with pytest.raises(MisuseError):
        learnt("/a/b.png", "/c/d.exr")
    assert learnt("P:\\x\\tex\\a.png", "/lib/tex/a.png") == Substitution("P:/x", "/lib")


def test_folders_are_taken_off() -> None:
    assert repair.stripped(2)("/mnt/old/tex/a.png") == "tex/a.png"
    assert repair.stripped(9)("/mnt/a.png") == "/mnt/a.png" and repair.stripped(0)("/mnt/a.png") == "/mnt/a.png"
    assert repair.dead_part(["/mnt/old/a/x.png", "/MNT/old/b/y.png"]) == 2 and repair.dead_part([]) == 0
    assert repair.dead_beginning(["/mnt/old/a/x.png", "/mnt/old/b/y.png", "./z.png"]) == "/mnt/old"
    assert repair.dead_beginning(["z.png"]) == ""


@pytest.mark.parametrize(
    ("old", "new", "written", "then"),
    [("*_v1.tif", "*_v2.exr", "/a/wood_v1.tif", "/a/wood_v2.exr"), ("*.*", "*.exr", "b.c.png", "b.c.exr"), ("a?.png", "b.png", "x/a1.png", "x/b.png"),
     ("*_*.png", "*.png", "a_b.png", "a.png"), ("none*", "x*", "a.png", "a.png"), ("*[1].png", "*.png", "a[1].png", "a.png")],
)  # fmt: skip
def test_renaming_by_pattern(old, new, written, then) -> None:
    assert repair.renamed(old, new)(written) == then


def test_a_pattern_with_too_many_stars_is_refused() -> None:
    with pytest.raises(MisuseError):
        repair.renamed("a.png", "*.png")


@pytest.fixture
def scene(tmp_path: Path) -> tuple[Path, list[OutsideFile], Resolver]:
    """Files of a scene: two that a substitution finds, one it does not, one in place, one ambiguous."""
    paint(tmp_path / "lib" / "wood" / "a.png", seed=1)
    paint(tmp_path / "lib" / "b.png", seed=2)
    paint(tmp_path / "scene" / "ok.png", seed=3)
    paint(tmp_path / "lib" / "one" / "twice.png", seed=4)
    paint(tmp_path / "lib" / "two" / "twice.png", seed=5)
    said = ["/old/wood/a.png", "/old/b.png", "/old/none.png", "./ok.png", "/older/twice.png"]
    finder = Resolver((str(tmp_path / "scene"),), (Root(str(tmp_path / "lib")),))
    files = take([Reference(one, str(tmp_path / "scene")) for one in said], finder)
    return tmp_path, list(files.values()), finder


def test_a_preview_says_what_each_change_would_find(scene) -> None:
    folder, files, finder = scene
    found = repair.preview("x", files, Substitution("/old", str(folder / "lib")), finder)
    assert {change.written: change.after for change in found.changes} == {
        "/old/wood/a.png": FileState.IN_PLACE, "/old/b.png": FileState.IN_PLACE, "/old/none.png": FileState.ABSENT,
    }  # fmt: skip
    assert set(found.links()) == {"/old/wood/a.png", "/old/b.png"} and not found.worse
    assert set(found.links(True)) == {"/old/wood/a.png", "/old/b.png", "/old/none.png"}
    assert repair.preview("x", files, Substitution("/old", "/new"), finder, "*.exr").changes == []


def test_what_is_found_now_is_not_made_worse(scene) -> None:
    _, files, finder = scene
    found = repair.preview("x", files, repair.renamed("ok.png", "gone.png"), finder)
    assert len(found.worse) == 1 and found.links(True) == {}


def test_roots_candidates_and_relative_paths(scene) -> None:
    folder, files, finder = scene
    taken = repair.by_roots(files)
    assert taken.links() == {"/old/wood/a.png": str(folder / "lib/wood/a.png"), "/old/b.png": str(folder / "lib/b.png")}
    assert repair.by_roots(files, full=False).links()["/old/b.png"] == "../lib/b.png"
    (guess,) = repair.chosen(files).changes
    assert (
        guess.after is FileState.SEVERAL
        and guess.why == "nothing tells them apart"
        and repair.chosen(files).links() == {}
    )
    full = take([Reference(str(folder / "scene" / "ok.png"), str(folder / "scene"))], finder).values()
    (near,) = repair.relative(full).changes
    assert near.to == "./ok.png"


# the scenes themselves

TEXT = """#usda 1.0
# a comment with @/old/a.png@ in it
(
    doc = "not @/old/a.png@ either"
    subLayers = [@./sub.usda@]
)
def Xform "W"
{
    asset file = @/old/a.png@ (
        doc = '''nor @/old/a.png@ here'''
    )
    asset odd = @@@/old/at@home.png@@@
    asset[] many = [@/old/a.png@, @keep.png@]
    asset frames.timeSamples = { 1: @/old/f1.png@, 2: @/old/f2.png@ }
}
"""


def test_only_paths_are_replaced_in_a_text(tmp_path) -> None:
    file, out = tmp_path / "a.usda", tmp_path / "b.usda"
    file.write_text(TEXT)
    changed = rewrite(file, out, Substitution("/old", "/new@place"))
    text = out.read_text()
    assert changed == 4 and text.count("/old/a.png") == 3 and "# a comment with @/old/a.png@ in it" in text
    assert "@@@/new@place/at@home.png@@@" in text and "@keep.png@" in text
    assert set(paths_in(out)) == {
        "./sub.usda",
        "keep.png",
        *(f"/new@place/{n}" for n in ("a.png", "at@home.png", "f1.png", "f2.png")),
    }
    assert replaced_text(TEXT, lambda written: written) == TEXT


def test_a_binary_layer_is_rewritten_too(tmp_path) -> None:
    (tmp_path / "a.usda").write_text(TEXT)
    Sdf.Layer.FindOrOpen(str(tmp_path / "a.usda")).Export(str(tmp_path / "a.usdc"))
    assert rewrite(tmp_path / "a.usdc", tmp_path / "b.usdc", Substitution("/old", "/new")) == 4
    assert "/new/f2.png" in paths_in(tmp_path / "b.usdc") and "/old/f2.png" in paths_in(tmp_path / "a.usdc")


def test_what_a_layer_names_and_where(tmp_path) -> None:
    file = tmp_path / "a.usda"
    file.write_text(TEXT.replace('def Xform "W"', 'def Xform "W" (\n    prepend references = @./gone.usda@\n)'))
    found = {one.written: one.composed for one in named_by([str(file)])}
    assert found["./sub.usda"] is True and found["/old/a.png"] is False
    assert sites(str(file), {"/old/a.png", "./gone.usda"}) == {"/old/a.png": "/W.file", "./gone.usda": "/W"}
    assert named_by([str(tmp_path / "none.usda")]) == []


@pytest.fixture
def shelf(tmp_path: Path) -> Path:
    """Three scenes of a library: one to mend, one whole, one broken."""
    paint(tmp_path / "maps" / "a.png", seed=1)
    (tmp_path / "scenes" / "deep").mkdir(parents=True)
    body = '#usda 1.0\ndef Xform "W"\n{{\n    asset file = @{}@\n}}\n'
    (tmp_path / "scenes" / "mend.usda").write_text(body.format("/old/a.png"))
    (tmp_path / "scenes" / "deep" / "whole.usda").write_text(body.format("../../maps/a.png"))
    (tmp_path / "scenes" / "broken.usda").write_text("#usda 1.0\ndef {")
    return tmp_path


def test_a_dry_run_writes_nothing(shelf) -> None:
    before = {file: file.read_bytes() for file in shelf.rglob("*.usda")}
    repairs = library.dry_run(library.scenes_in([shelf / "scenes"]), Resolver((), (Root(str(shelf / "maps")),)))
    told = {one.file.name: library.told(one) for one in repairs}
    assert (
        told["mend.usda"].startswith("1 of 1 paths change")
        and "0 of 1" in told["whole.usda"]
        and "does not read back" in told["broken.usda"]
    )
    assert {file: file.read_bytes() for file in shelf.rglob("*.usda")} == before and len(
        list(shelf.rglob("*.usda"))
    ) == 3


def test_scenes_may_reach_what_lies_in_the_folder_that_was_named(shelf) -> None:
    whole = shelf / "scenes" / "deep" / "whole.usda"
    (alone,) = library.dry_run([whole], Resolver(()))
    (named,) = library.dry_run([whole], Resolver(()), within=[shelf])
    assert [file.state for file in alone.left] == [FileState.OUTSIDE] and named.left == []


def test_copies_are_written_beside_and_backups_in_place(shelf) -> None:
    finder = Resolver((), (Root(str(shelf / "maps")),))
    mend = shelf / "scenes" / "mend.usda"
    before = mend.read_bytes()
    (done,) = library.write(library.dry_run([mend], finder))
    assert done.written == shelf / "scenes" / "mend_relinked.usda" and mend.read_bytes() == before
    assert UsdUtils.ExtractExternalReferences(str(done.written))[1] == ["../maps/a.png"]
    assert [file.name for file in library.scenes_in([shelf / "scenes"])] == ["broken.usda", "mend.usda", "whole.usda"]
    (done,) = library.write(library.dry_run([mend], finder), in_place=True)
    assert done.backup is not None and done.backup.read_bytes() == before and paths_in(mend) == ["../maps/a.png"]
    assert library.write(library.dry_run([mend], finder), in_place=True) == []  # nothing is left to mend


def test_a_scene_that_cannot_be_written_stays_as_it_is(shelf, monkeypatch) -> None:
    mend = shelf / "scenes" / "mend.usda"
    repairs = library.dry_run([mend], Resolver((), (Root(str(shelf / "maps")),)))
    monkeypatch.setattr(usd, "rewrite", lambda *_: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    (done,) = library.write(repairs, in_place=True)
    assert "No space" in done.problem and done.written is None and len(list((shelf / "scenes").iterdir())) == 3


def test_a_link_is_not_changed_in_place(shelf) -> None:
    link = shelf / "scenes" / "link.usda"
    link.symlink_to(shelf / "scenes" / "mend.usda")
    (done,) = library.write(library.dry_run([link], Resolver((), (Root(str(shelf / "maps")),))), in_place=True)
    assert "link" in done.problem and link.is_symlink()


def test_substitutions_come_before_the_roots(shelf) -> None:
    finder = Resolver((), (Root(str(shelf)),))
    (one,) = library.dry_run([shelf / "scenes" / "mend.usda"], finder, [Substitution("/old", str(shelf / "maps"))])
    assert one.links == {"/old/a.png": str(shelf / "maps" / "a.png")}


def test_a_layer_that_is_none_is_refused(tmp_path) -> None:
    file = tmp_path / "a.usda"
    file.write_text("words")
    with pytest.raises(DurvanError):
        paths_in(file)
