"""`files`, `relink` and `prepare` as a user meets them."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest

from durvan.crossing.document.store import load
from durvan.files.facts import facts
from durvan.formats.usd.assets import paths_in


def test_files_lists_states_worst_first_and_what_is_read_wrongly(call, moved) -> None:
    library = moved.parent.parent / "library"
    status, out, _ = call("files", moved, "--root", library)
    lines = out.splitlines()
    assert status == 1 and lines[0].startswith(
        "19 files outside: 3 absent, 1 several candidates, 2 letter case only, 9 by a root"
    )
    assert "green the wrong way up" in out and "Data decoded as a colour picture: slate_polish.png" in out


def test_files_as_json_is_whole(call, moved) -> None:
    _, out, _ = call("files", moved, "--root", moved.parent.parent / "library", "--json")
    data = json.loads(out)
    assert sum(data["states"].values()) == len(data["files"]) == 19 and data["roots"][0]["exists"]
    oak = next(file for file in data["files"] if "oak_normal" in file["written"])
    assert (
        oak["state"] == "by a root"
        and oak["pixels"]["normals"]
        and oak["used_as"] == ["normal"]
        and len(oak["sha256"]) == 64
    )
    assert oak["width"] == 512 and oak["used_by"] == ["/LampRoom/Looks/TableOak"]
    assert {finding["code"] for finding in data["findings"]} >= {
        "by-a-root",
        "letter-case",
        "wrong-green",
        "colour-as-data",
    }


def test_a_scene_in_order_ends_with_zero(call, lamproom, tmp_path) -> None:
    shutil.copytree(lamproom.parent, tmp_path / "room")
    shutil.copyfile(tmp_path / "room/textures/dial_face.png", tmp_path / "room/textures/tide_table.png")
    status, out, _ = call("files", tmp_path / "room" / "lamproom.usda")
    assert status == 0 and "1 absent" not in out


def test_relink_tries_and_then_writes_a_copy(call, moved) -> None:
    library, before = moved.parent.parent / "library", moved.read_bytes()
    status, out, _ = call("relink", moved, "--root", library, "--dry-run")
    assert status == 1 and "Nothing was written" in out and len(list(moved.parent.glob("*.usda"))) == 1
    status, out, _ = call("relink", moved, "--root", library)
    copy = moved.parent / "lamproom_moved_relinked.usda"
    assert status == 1 and copy.is_file() and moved.read_bytes() == before
    assert "../library/wood/oak_colour.png" in paths_in(copy) and "./textures/rail_colour.png" in paths_in(copy)


def test_relink_in_place_asks_and_keeps_a_backup(call, moved, monkeypatch) -> None:
    library, before = moved.parent.parent / "library", moved.read_bytes()
    monkeypatch.setattr("typer.confirm", lambda *_: False)
    call("relink", moved.parent, "--root", library, "--in-place")
    assert moved.read_bytes() == before
    status, out, _ = call("relink", moved.parent, "--root", library, "--in-place", "--yes")
    assert moved.read_bytes() != before and Path(f"{moved}.before-relink").read_bytes() == before and status == 1
    assert "before it lamproom_moved.usda.before-relink" in out


def test_relink_by_a_beginning(call, moved) -> None:
    stone = moved.parent.parent / "library"
    _, out, _ = call("relink", moved, "--from", "/mnt/skerry/projects/lamp/textures", "--to", stone, "--dry-run")
    assert f"/mnt/skerry/projects/lamp/textures/stone/slate_colour.png → {stone}/stone/slate_colour.png" in out


def test_relink_a_crossing_changes_the_crossing_only(call, moved, tmp_path) -> None:
    saved, library, before = tmp_path / "room.durvan", moved.parent.parent / "library", moved.read_bytes()
    call("carry", moved, "--to", "pellune", "--out", tmp_path / "o.usda", "--save", saved)
    _, out, _ = call("relink", saved, "--root", library)
    assert "12 paths changed" in out and moved.read_bytes() == before
    assert {link.written for link in load(saved).links} >= {
        "./textures/Rail_Colour.PNG",
        "P:\\skerry\\lamp\\textures\\wood\\oak_colour.png",
    }


@pytest.mark.parametrize(
    ("arguments", "said"),
    [(["--from", "/a"], "go together"), (["--root", "/no/such/folder"], "no such folder")],
)
def test_relink_refuses_what_makes_no_sense(call, moved, arguments, said) -> None:
    status, _, err = call("relink", moved, *arguments)
    assert status == 2 and said in err


def test_relink_of_nothing_is_told(call, tmp_path) -> None:
    assert call("relink", tmp_path / "none.usda")[0] == 2
    status, _, err = call("relink", tmp_path)
    assert status == 2 and "no scene" in err


def test_prepare_makes_copies_once(call, lamproom, tmp_path) -> None:
    out_folder = tmp_path / "copies"
    status, out, _ = call("prepare", lamproom, "--out", out_folder, "--jobs", "2")
    assert status == 0 and "17 made" in out
    copies = list(out_folder.rglob("*.tiled.*"))
    assert len(copies) == 17 and all(facts(str(copy)).prepared for copy in copies)
    assert "17 up to date" in call("prepare", lamproom, "--out", out_folder)[1]


def test_prepare_pictures_by_themselves(call, lamproom, tmp_path) -> None:
    file = tmp_path / "n.png"
    shutil.copyfile(lamproom.parent / "textures" / "oak_normal.png", file)
    (tmp_path / "bad.png").write_text("words")
    status, out, _ = call("prepare", file, tmp_path / "bad.png", "--use", "normal")
    assert status == 0 and (tmp_path / "n.tiled.tif").is_file() and "bad.png: cannot be read as a picture" in out
    assert call("prepare", tmp_path / "none.png")[0] == 2


def test_prepare_does_not_write_where_the_scene_may_not_reach(call, lamproom, tmp_path) -> None:
    (tmp_path / "tex").mkdir()
    shutil.copyfile(lamproom.parent / "textures" / "oak_colour.png", tmp_path / "tex" / "a.png")
    (tmp_path / "scene").mkdir()
    text = lamproom.read_text().replace("./textures/oak_colour.png", str(tmp_path / "tex" / "a.png"))
    scene = tmp_path / "scene" / "a.usda"
    scene.write_text(text)
    _, out, _ = call("prepare", scene)
    assert "choose a folder for its copy" in out and not list((tmp_path / "tex").glob("*.tiled.*"))
    assert "1 made" in call("prepare", scene, "--root", tmp_path / "tex")[1]
