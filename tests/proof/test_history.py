"""What is kept of renders: entries beside their pictures, names, a bound, and what is damaged."""

from __future__ import annotations

import json
import os
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.errors import PictureError
from durvan.proof import history as histories
from durvan.proof import writing
from durvan.proof.history import History, Kept, changed, folder_of
from durvan.proof.picture import Picture


def put(history: History, when: float, side: str = "target", **what) -> Kept:
    """A small picture that is kept."""
    entry = Kept(history.fresh_id(side, when), side, "preview", when, 2.0, 16, 4, 3, **what)
    history.room()
    writing.save(Picture(np.full((3, 4, 3), when, np.float32)), history.path_of(entry))
    return history.put(entry)


def test_what_is_kept_is_there_again_with_all_that_was_said(tmp_path: Path) -> None:
    history = History(tmp_path / "h")
    assert history.entries() == [] and history.bytes() == 0
    one = put(
        history, 10.0, noise=0.25, camera="/C", settings="quick", part=(0.1, 0.2, 0.5, 0.75), made={"/a": "1"}, changed=("/a",),
        messages=(("error", "Floor", "is not known"),), dearest={"reflection": 0.5},
    )  # fmt: skip
    two = put(history, 5.0, "source")
    again = History(tmp_path / "h")
    assert again.entries() == [two, one] and one.bytes > 0
    assert again.bytes() == one.bytes + two.bytes
    assert again.get(one.id) == one and again.get("nothing") is None


def test_ids_of_the_same_moment_are_told_apart(tmp_path: Path) -> None:
    history = History(tmp_path)
    assert len({put(history, 7.0).id for _ in range(3)}) == 3


def test_names_and_holding_outlive_the_session(tmp_path: Path) -> None:
    history = History(tmp_path)
    one = put(history, 1.0)
    assert not one.safe
    history.put(replace(one, name="as agreed"))
    assert History(tmp_path).entries()[0].name == "as agreed" and History(tmp_path).entries()[0].safe


def test_the_oldest_go_that_nobody_keeps(tmp_path: Path) -> None:
    history = History(tmp_path)
    every = [put(history, float(n)) for n in range(6)]
    history.put(replace(every[0], held=True))
    history.put(replace(every[1], name="first try"))
    history.most_bytes = 3 * every[0].bytes
    gone = history.bound(spare=[every[2].id])
    assert [one.id for one in gone] == [every[3].id, every[4].id, every[5].id]
    assert {one.id for one in history.entries()} == {every[0].id, every[1].id, every[2].id}
    assert not history.path_of(every[3]).exists() and history.path_of(every[2]).exists()


def test_dropping_leaves_pictures_from_elsewhere(tmp_path: Path) -> None:
    outside = tmp_path / "theirs.exr"
    writing.save(Picture(np.zeros((2, 2, 3), np.float32)), outside)
    history = History(tmp_path / "h")
    history.room()
    one = history.put(Kept("a", "source", "file", 1.0, file=str(outside)))
    assert one.bytes == 0 and history.path_of(one) == outside
    history.drop(["a"])
    assert history.entries() == [] and outside.exists()


@pytest.mark.parametrize(
    "text", ["", "{", "[]", "[[1]]", '{"id": 3, "side": "x", "engine": "y", "when": 1}', '{"id": "x"}', "\x00" * 50]
)
def test_a_damaged_entry_is_named_and_hides_no_other(tmp_path: Path, text: str) -> None:
    history = History(tmp_path)
    one = put(history, 1.0)
    (tmp_path / "broken.json").write_text(text)
    assert history.entries() == [one] and history.damaged == ["broken.json"]


def test_entries_of_a_later_version_are_read(tmp_path: Path) -> None:
    history = History(tmp_path)
    one = put(history, 1.0)
    file = tmp_path / f"{one.id}.json"
    file.write_text(json.dumps(json.loads(file.read_text()) | {"mood": "fine"}))
    assert history.entries() == [one]


def test_a_crash_between_picture_and_entry_leaves_no_entry(tmp_path: Path) -> None:
    history = History(tmp_path)
    entry = Kept(history.fresh_id("target", 3.0), "target", "preview", 3.0)
    writing.save(Picture(np.zeros((2, 2, 3), np.float32)), history.path_of(entry))
    assert history.entries() == []


def test_where_nothing_can_be_kept_a_sentence_says_so(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    file = tmp_path / "file"
    file.write_text("")
    with pytest.raises(PictureError, match="cannot be kept here"):
        History(file / "h").room()

    class Full:
        f_bavail, f_frsize = 10, 4096

    monkeypatch.setattr(os, "statvfs", lambda _: Full)
    with pytest.raises(PictureError, match="the disk has only 0 MB left"):
        History(tmp_path / "h").room()


def test_each_scene_has_a_folder_of_its_own(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(histories.FOLDER_VARIABLE, str(tmp_path))
    one, two = folder_of(Path("/a/scene.usda")), folder_of(Path("/b/scene.usda"))
    assert one != two and one.parent == two.parent == tmp_path and one.name.startswith("scene-")


prints = st.dictionaries(st.text(max_size=4), st.text(max_size=3), max_size=6)


@given(prints, prints)
def test_changes_are_what_is_otherwise_on_either_side(before, now) -> None:
    found = changed(before, now)
    assert list(found) == sorted(found)
    assert set(found) == {name for name in {*before, *now} if before.get(name) != now.get(name)}
    assert changed(now, now) == ()
