"""A death in compiled code ends the process that renders, not the command: it says over what, and how it went."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

from durvan.apart import command, surroundings
from durvan.cli import at, entry
from generated import generate

DURVAN = str(Path(sys.executable).with_name("durvan"))


def child_of(pid: int) -> int:
    return int(Path(f"/proc/{pid}/task/{pid}/children").read_text().split()[0])


def at_work(process: subprocess.Popen[str]) -> int:
    """The process that works, once it says what it is at; read from where it says it."""
    until = time.monotonic() + 120.0
    while time.monotonic() < until:
        try:
            child = child_of(process.pid)
            said = Path(f"/proc/{child}/environ").read_bytes().split(b"\0")
            place = next(Path(os.fsdecode(one.partition(b"=")[2])) for one in said if one.startswith(b"DURVAN_AT="))
            if "Measuring" in place.read_text(encoding="utf-8"):
                return child
        except (OSError, IndexError, StopIteration):
            pass
        time.sleep(0.01)
    raise AssertionError("it does not come to measure")


def started(folder: Path) -> subprocess.Popen[str]:
    file = generate(folder / "scene.usda", 200)
    return subprocess.Popen(
        [DURVAN, "drift", str(file), "--to", "pellune"], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True,
        env={**os.environ, "DURVAN_SWATCHES": str(folder / "swatches")},
    )  # fmt: skip


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("by", [signal.SIGSEGV, signal.SIGKILL])
def test_a_death_is_told_with_what_it_was_over(tmp_path: Path, by: signal.Signals) -> None:
    process = started(tmp_path)
    os.kill(at_work(process), by)
    _, said = process.communicate(timeout=60)
    assert process.returncode == 2
    assert "the process that renders ended (" in said and "while measuring M" in said and "Traceback" not in said


@pytest.mark.usefixtures("kernels")
def test_a_stop_and_an_end_take_both(tmp_path: Path) -> None:
    process = started(tmp_path)
    child = at_work(process)
    process.terminate()
    assert process.wait(timeout=60) == 128 + signal.SIGTERM and not Path(f"/proc/{child}").exists()
    process = started(tmp_path)
    child = at_work(process)
    process.kill()
    process.wait(timeout=60)
    for _ in range(500):
        if not Path(f"/proc/{child}").exists():
            break
        time.sleep(0.02)
    assert not Path(f"/proc/{child}").exists()


def test_status_and_output_come_through(tmp_path: Path) -> None:
    file = generate(tmp_path / "scene.usda", 1)
    done = subprocess.run([DURVAN, "survey", str(file), "--json"], capture_output=True, text=True, check=False)
    assert done.returncode in (0, 1) and done.stdout.startswith("{")
    done = subprocess.run([DURVAN, "survey", str(tmp_path / "none.usda")], capture_output=True, text=True, check=False)
    assert done.returncode == 2 and "none.usda" in done.stderr


def test_without_a_temporary_folder_it_runs_in_one_process(tmp_path: Path) -> None:
    file = generate(tmp_path / "scene.usda", 1)
    code = (
        "import sys, tempfile\ndef none(*a, **k): raise OSError\ntempfile.TemporaryDirectory = none\n"
        f"from durvan.cli.entry import main; sys.argv = ['durvan', 'survey', {str(file)!r}, '--json']; main()"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=False)
    assert done.returncode in (0, 1) and done.stdout.startswith("{"), done.stderr


def test_nobody_waits_for_what_is_not_asked(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    monkeypatch.delenv(at.AT, raising=False)
    at.say("nothing")
    monkeypatch.setenv(at.AT, str(tmp_path / "at"))
    at.say("Measuring \udcff\n")
    assert (tmp_path / "at").read_text(encoding="utf-8").startswith("Measuring ?")
    assert "measuring ?" in entry._ended(11, tmp_path / "at") and "\n" not in entry._ended(11, tmp_path / "at")


PLANTED = """import os
with open(os.environ["DURVAN_PLANTED"], "a") as ran:
    ran.write(__name__ + " ")
raise SystemExit(3)
"""
NAMES = (
    "typer",
    "mitsuba",
    "numpy",
    "json",
    "OpenImageIO",
    "pxr",
    "numba",
    "scipy",
    "rich",
    "yaml",
    "durvan",
    "sitecustomize",
)
HELPERS = (
    "durvan.engine.compiling", "durvan.engine.scene_worker", "durvan.engine.mitsuba_worker", "durvan.files.looker",
    "durvan.formats.usd.flattening", "durvan.proof.warm", "durvan.crossing.looks.server", "durvan.cli.main",
)  # fmt: skip


@pytest.fixture
def planted(tmp_path: Path) -> Path:
    """A folder with files that are called as modules are; each says that it was run."""
    folder = tmp_path / "scenes"
    folder.mkdir()
    for name in NAMES:
        (folder / f"{name}.py").write_text(PLANTED)
    return folder


def ran(planted: Path, words: list[str], env: dict[str, str]) -> str:
    """What of the planted ones is run by a helper that is started there and given nothing."""
    subprocess.run(words, cwd=planted, env=env, stdin=subprocess.DEVNULL, capture_output=True, timeout=300, check=False)
    said = planted.parent / "ran"
    return said.read_text() if said.is_file() else ""


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("module", HELPERS)
def test_nothing_that_lies_beside_a_scene_is_run_by_a_helper(planted: Path, module: str, monkeypatch) -> None:
    monkeypatch.setenv("DURVAN_PLANTED", str(planted.parent / "ran"))
    monkeypatch.setenv("PYTHONPATH", os.pathsep.join(("", ".", os.environ.get("PYTHONPATH", ""))))
    assert ran(planted, command(module), surroundings()) == ""
    assert ran(planted, [sys.executable, "-m", module], dict(os.environ)) != ""  # else nothing was there to be run


@pytest.mark.usefixtures("kernels")
def test_nothing_that_lies_beside_a_scene_is_run_by_the_command(planted: Path) -> None:
    generate(planted / "scene.usda", 1)
    env = {**os.environ, "DURVAN_PLANTED": str(planted.parent / "ran")}
    assert ran(planted, [DURVAN, "drift", "scene.usda", "--to", "pellune"], env) == ""
