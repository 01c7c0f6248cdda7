"""Files that take another one's place whole, or not at all; processes apart that come and go."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest

from durvan.apart import Apart
from durvan.replacing import replacing


def names(folder: Path) -> list[str]:
    return sorted(file.name for file in folder.iterdir())


def test_a_file_takes_its_place_whole(tmp_path: Path) -> None:
    with replacing(tmp_path / "a.txt", durable=True) as fresh:
        fresh.write_text("new")
        assert fresh.suffix == ".txt" and not (tmp_path / "a.txt").exists()
    assert names(tmp_path) == ["a.txt"]
    with replacing(tmp_path / "a.txt", mode=0o600) as fresh:
        fresh.write_text("newer")
    assert (tmp_path / "a.txt").read_text() == "newer" and (tmp_path / "a.txt").stat().st_mode & 0o777 == 0o600


@pytest.mark.parametrize("umask", [0o022, 0o002, 0o077])
def test_permissions_are_what_the_umask_leaves_or_stay(tmp_path: Path, umask: int) -> None:
    before = os.umask(umask)
    try:
        with replacing(tmp_path / "a.txt") as fresh:
            fresh.write_text("new")
    finally:
        os.umask(before)
    assert (tmp_path / "a.txt").stat().st_mode & 0o777 == 0o666 & ~umask
    (tmp_path / "a.txt").chmod(0o640)
    with replacing(tmp_path / "a.txt") as fresh:
        fresh.write_text("newer")
    assert (tmp_path / "a.txt").stat().st_mode & 0o777 == 0o640


def test_links_stay_and_lead_to_what_was_written(tmp_path: Path) -> None:
    (tmp_path / "far").mkdir()
    (tmp_path / "far" / "a.txt").write_text("old")
    (tmp_path / "link.txt").symlink_to("far/a.txt")
    (tmp_path / "fresh.txt").symlink_to("far/b.txt")
    for name in ("link.txt", "fresh.txt"):
        with replacing(tmp_path / name) as at:
            at.write_text("new")
        assert (tmp_path / name).is_symlink() and (tmp_path / name).read_text() == "new"
    assert names(tmp_path / "far") == ["a.txt", "b.txt"]


def test_a_link_to_itself_is_said(tmp_path: Path) -> None:
    (tmp_path / "a.txt").symlink_to("a.txt")
    with pytest.raises(OSError, match="symbolic links"), replacing(tmp_path / "a.txt"):
        pass
    assert names(tmp_path) == ["a.txt"]


def test_what_goes_wrong_leaves_the_old_one(tmp_path: Path) -> None:
    (tmp_path / "a.txt").write_text("old")
    with pytest.raises(ZeroDivisionError), replacing(tmp_path / "a.txt") as fresh:
        fresh.write_text("half")
        raise ZeroDivisionError
    assert names(tmp_path) == ["a.txt"] and (tmp_path / "a.txt").read_text() == "old"
    with pytest.raises(FileNotFoundError), replacing(tmp_path / "none" / "a.txt"):
        pass
    with replacing(tmp_path / "none" / "a.txt", make_folder=True) as fresh:
        fresh.write_text("there")
    assert (tmp_path / "none" / "a.txt").read_text() == "there"


def test_a_long_name_still_finds_a_temporary_one(tmp_path: Path) -> None:
    name = "n" * (os.pathconf(tmp_path, "PC_NAME_MAX") - 4) + ".txt"
    with replacing(tmp_path / name) as fresh:
        fresh.write_text("x")
    assert names(tmp_path) == [name]


ECHO = """
from durvan.apart import ends
source, sink = ends()
print("this must not fall among the answers")
while True:
    said = source.recv()
    sink.send(("heard", said))
"""


def test_a_process_apart_answers_and_ends(tmp_path: Path, monkeypatch) -> None:
    (tmp_path / "echo_apart.py").write_text(ECHO)
    monkeypatch.setenv("PYTHONPATH", str(tmp_path))
    apart = Apart.start("echo_apart")
    for said in ({"a": (1.0, "ü")}, b"x" * 300_000):
        apart.send.send(said)
        assert apart.receive.recv() == ("heard", said)
    apart.end()
    with pytest.raises(EOFError):
        apart.receive.recv()
    apart.close()
    assert apart.process.poll() is not None


CHILD = """
import sys, time
from pathlib import Path
from durvan.replacing import replacing
with replacing(Path(sys.argv[1])) as fresh:
    fresh.write_text("half")
    print("there", flush=True)
    time.sleep(60)
"""


def test_what_a_killed_process_left_is_taken_away_and_nothing_else(tmp_path: Path) -> None:
    file = tmp_path / "scene.usda"
    file.write_text("old")
    (tmp_path / ".hidden.usda").write_text("a person's")
    children = [
        subprocess.Popen([sys.executable, "-c", CHILD, str(file)], stdout=subprocess.PIPE, text=True) for _ in range(2)
    ]
    try:
        for child in children:
            assert child.stdout is not None and child.stdout.readline().strip() == "there"
        assert len(names(tmp_path)) == 4
        children[0].kill()
        children[0].wait()
        assert file.read_text() == "old"
        with replacing(file) as fresh:
            fresh.write_text("new")
        left = names(tmp_path)
        assert file.read_text() == "new" and ".hidden.usda" in left
        assert len([name for name in left if f"-{children[0].pid}-" in name]) == 0
        assert len([name for name in left if f"-{children[1].pid}-" in name]) == 1  # that one still writes
    finally:
        for child in children:
            child.kill()
            child.wait()
    with replacing(file) as fresh:
        fresh.write_text("newer")
    assert names(tmp_path) == [".hidden.usda", "scene.usda"]
