"""A delivery is whole, or it is the former one; what is not its own is never touched."""

from __future__ import annotations

import signal
import subprocess
import sys
from pathlib import Path

import pytest

from durvan.delivery import Staged, manifest_of, settle
from durvan.errors import SceneFileError


def files(folder: Path) -> dict[str, str]:
    return {
        one.relative_to(folder).as_posix(): one.read_text()
        for one in folder.rglob("*")
        if one.is_file() and "manifest" not in one.name
    }


def deliver(target: Path, said: dict[str, str], goes_on: bool = False) -> Staged:
    """Deliver a target that says "main", and files beside it by group/wish."""
    with Staged(target) as staged:
        for wish, text in said.items():
            group, _, name = wish.rpartition("/")
            staged.place(staged.named(group, wish, name, ".txt")).write_text(text)
        staged.main.write_text("main" + "".join(said.values()))
        staged.swap({"target": "x"}, goes_on)
    return staged


def test_a_second_run_replaces_and_removes_what_is_its_own_alone(tmp_path: Path) -> None:
    target = tmp_path / "scene1.usda"
    (tmp_path / "scene1_maps").mkdir()
    others = {
        "scene10.usda": "ten",
        "scene1_render.exr": "picture",
        "scene1_maps/mine.txt": "a hand's",
        "scene1.txt": "notes",
    }
    for name, text in others.items():
        (tmp_path / name).write_text(text)
    deliver(target, {"maps/a": "A", "maps/b": "B", "meshes/m": "M"})
    assert files(tmp_path) == others | {
        "scene1.usda": "mainABM", "scene1_maps/a.txt": "A", "scene1_maps/b.txt": "B", "scene1_meshes/m.txt": "M",
    }  # fmt: skip
    stamp = (tmp_path / "scene1_maps" / "a.txt").stat().st_mtime_ns
    deliver(target, {"maps/a": "A", "maps/c": "C"})
    assert files(tmp_path) == others | {"scene1.usda": "mainAC", "scene1_maps/a.txt": "A", "scene1_maps/c.txt": "C"}
    assert (
        not (tmp_path / "scene1_meshes").exists() and (tmp_path / "scene1_maps" / "a.txt").stat().st_mtime_ns == stamp
    )
    assert set(manifest_of(target).files) == {"scene1.usda", "scene1_maps/a.txt", "scene1_maps/c.txt"}


def test_a_part_goes_on_from_what_was_there(tmp_path: Path) -> None:
    deliver(tmp_path / "s.usda", {"maps/a": "A"})
    deliver(tmp_path / "s.usda", {"maps/b": "B"}, goes_on=True)
    assert {"s_maps/a.txt", "s_maps/b.txt"} <= set(files(tmp_path)) and len(manifest_of(tmp_path / "s.usda").files) == 3


def test_names_of_others_are_passed_by(tmp_path: Path) -> None:
    (tmp_path / "s_maps").mkdir()
    (tmp_path / "s_maps" / "A.txt").write_text("another's, in other letters")
    deliver(tmp_path / "s.usda", {"maps/a": "A"})
    (made,) = set(manifest_of(tmp_path / "s.usda").files) - {"s.usda"}
    assert made.startswith("s_maps/a_") and (tmp_path / made).read_text() == "A"
    deliver(tmp_path / "s.xml", {"maps/a": "other"})  # another delivery of the same stem
    assert (tmp_path / made).read_text() == "A" and len(list((tmp_path / "s_maps").iterdir())) == 3


def test_what_somebody_made_of_a_delivered_file_is_laid_aside(tmp_path: Path) -> None:
    target = tmp_path / "s.usda"
    deliver(target, {"maps/a": "A"})
    (tmp_path / "s_maps" / "a.txt").write_text("painted by hand")
    staged = deliver(target, {"maps/a": "new"})
    (aside,) = staged.kept.values()
    assert (tmp_path / "s_maps" / aside).read_text() == "painted by hand" and (
        tmp_path / "s_maps" / "a.txt"
    ).read_text() == "new"
    (tmp_path / "s_maps" / "a.txt").write_text("painted again")
    deliver(target, {})
    assert (tmp_path / "s_maps" / "a.txt").read_text() == "painted again"  # not made any more, and not ours any more


@pytest.mark.parametrize("former", [True, False])
def test_stopped_or_failed_on_the_way_nothing_has_changed(tmp_path: Path, former: bool) -> None:
    if former:
        deliver(tmp_path / "s.usda", {"maps/a": "A"})
    before = files(tmp_path)
    with pytest.raises(KeyboardInterrupt), Staged(tmp_path / "s.usda") as staged:
        staged.place(staged.named("maps", "a", "a", ".txt")).write_text("half")
        staged.main.write_text("half")
        raise KeyboardInterrupt
    assert files(tmp_path) == before and {one.name for one in tmp_path.iterdir()} <= {
        "s.usda",
        "s_maps",
        "s.usda.manifest.json",
    }


def test_a_file_that_came_meanwhile_is_not_replaced(tmp_path: Path) -> None:
    with pytest.raises(SceneFileError, match=r"a\.txt.*meanwhile"), Staged(tmp_path / "s.usda") as staged:
        staged.place(staged.named("maps", "a", "a", ".txt")).write_text("ours")
        staged.main.write_text("main")
        (tmp_path / "s_maps").mkdir()
        (tmp_path / "s_maps" / "a.txt").write_text("theirs")
        staged.swap({})
    assert files(tmp_path) == {"s_maps/a.txt": "theirs"}


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{",
        "[]",
        '{"schema": 1, "files": {"../x": "0", "/etc/y": "0", "z": 3}}',
        '{"schema": 99, "files": {"a": "b"}}',
    ],
)
def test_a_manifest_that_says_nothing_sensible_owns_nothing(tmp_path: Path, text: str) -> None:
    (tmp_path / "s.usda.manifest.json").write_text(text)
    assert not manifest_of(tmp_path / "s.usda").files


def test_a_link_leads_to_the_delivery_afterwards(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    (tmp_path / "s.usda").symlink_to("far/real.usda")
    deliver(tmp_path / "s.usda", {"maps/a": "A"})
    assert (tmp_path / "s.usda").is_symlink() and set(files(tmp_path / "far")) == {"real.usda", "real_maps/a.txt"}
    (tmp_path / "me.usda").symlink_to("me.usda")
    with pytest.raises(SceneFileError, match=r"me\.usda"):
        Staged(tmp_path / "me.usda")


DYING = """
import os, signal, sys
from pathlib import Path
from durvan.delivery import Staged
from durvan.delivery import staged as staging
steps = int(sys.argv[2])
def counted(real):
    def run(self, *given, **more):
        global steps
        steps -= 1
        if steps == 0:
            os.kill(os.getpid(), signal.SIGKILL)
        return real(self, *given, **more)
    return run
for name in ("replace", "unlink", "chmod", "mkdir", "write_text"):
    setattr(Path, name, counted(getattr(Path, name)))
sys.path.insert(0, sys.argv[3])
from test_staged import deliver
deliver(Path(sys.argv[1]), {"maps/b": "B2", "maps/c": "C", "meshes/m": "M"})
print("whole")
"""


def test_killed_at_any_step_it_is_the_former_or_the_new_one(tmp_path: Path) -> None:
    """At every single change of the disk; whoever comes next finishes what was begun, or takes it away."""
    old = {"s.usda": "mainAB", "s_maps/a.txt": "A", "s_maps/b.txt": "B"}
    new = {"s.usda": "mainB2CM", "s_maps/b.txt": "B2", "s_maps/c.txt": "C", "s_meshes/m.txt": "M"}
    found, step = [], 0
    while True:
        step += 1
        folder = tmp_path / str(step)
        folder.mkdir()
        deliver(folder / "s.usda", {"maps/a": "A", "maps/b": "B"})
        (folder / "s_maps" / "other.txt").write_text("another's")
        done = subprocess.run([sys.executable, "-c", DYING, str(folder / "s.usda"), str(step), str(Path(__file__).parent)], capture_output=True, text=True)  # fmt: skip
        settle(folder)
        here = files(folder)
        assert here.pop("s_maps/other.txt") == "another's"
        assert here in (old, new), (step, here)
        assert set(manifest_of(folder / "s.usda").files) == set(here)
        assert not [one for one in folder.iterdir() if ".durvan-" in one.name]
        found.append(here == new)
        if "whole" in done.stdout:
            break
        assert done.returncode == -signal.SIGKILL, done.stderr
    assert found == sorted(found) and found[0] is False and found[-1] is True and 8 < step < 60


def test_two_at_once_leave_one_of_both_whole(tmp_path: Path) -> None:
    code = "import sys; from pathlib import Path; sys.path.insert(0, sys.argv[2]); from test_staged import deliver\nfor n in range(12): deliver(Path(sys.argv[1]), {f'maps/{sys.argv[3]}': sys.argv[3] * 1000, 'maps/both': sys.argv[3]})"
    running = [
        subprocess.Popen([sys.executable, "-c", code, str(tmp_path / "s.usda"), str(Path(__file__).parent), who], stderr=subprocess.PIPE)
        for who in "PQ"
    ]  # fmt: skip
    said = [one.communicate(timeout=120)[1].decode() for one in running]
    here = files(tmp_path)
    who = here["s_maps/both.txt"]
    assert here == {"s.usda": f"main{who * 1000}{who}", f"s_maps/{who}.txt": who * 1000, "s_maps/both.txt": who}, said
    for text in said:  # who could not, says which file
        assert not text or "s_maps/" in text.splitlines()[-1]
