"""A renderer in a process of its own that does what it likes: hangs, crashes, prints bytes, fills the disk, writes half a picture."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

import numpy as np
import pytest

from durvan.engine import outside
from durvan.errors import RenderingError
from durvan.scene.said import Grade

PYTHON = sys.executable  # before another one is played
HEAD = """#!{python}
import json, os, signal, sys, time
import numpy as np
asked = json.loads(sys.argv[-1])
def tell(**said):
    print(json.dumps(said), flush=True)
def keep(value, **more):
    np.savez(asked["out"] + ".part.npz", picture=np.full((3, 4, 3), value, np.float32), bad=0, **more)
    os.replace(asked["out"] + ".part.npz", asked["out"])
"""


@pytest.fixture
def played(tmp_path: Path, monkeypatch: pytest.MonkeyPatch):
    """Have a script play the process: it is given what the real one is."""

    def play(script: str) -> Path:
        file = tmp_path / "engine"
        file.write_text(HEAD.replace("{python}", PYTHON) + script)
        file.chmod(0o755)
        monkeypatch.setattr(sys, "executable", str(file))
        return tmp_path / "scene.xml"

    return play


def test_one_that_hangs_is_stopped_with_what_it_has(played) -> None:
    scene = played("keep(0.5)\ntell(done=1)\ntime.sleep(600)")
    found = outside.render(scene, 8, limit=2.0)
    assert found.samples == 1 and found.picture == pytest.approx(0.5) and "stopped after 2 seconds" in found.stopped
    with pytest.raises(RenderingError, match="no picture within 1 seconds"):
        outside.render(played("time.sleep(600)"), 8, limit=1.0)


def test_one_that_crashes_is_told_by_its_signal_and_keeps_what_it_had(played) -> None:
    with pytest.raises(RenderingError, match=f"ended by signal {int(signal.SIGSEGV)}"):
        outside.render(played("os.kill(os.getpid(), signal.SIGSEGV)"), 8, limit=60.0)
    found = outside.render(played("keep(0.25)\ntell(done=2)\nraise SystemError('out of luck')"), 8, limit=60.0)
    assert found.samples == 2 and found.picture == pytest.approx(0.25) and "out of luck" in found.stopped


def test_bytes_and_endless_lines_are_read_over(played) -> None:
    scene = played(
        "sys.stdout.buffer.write(bytes(range(256)) * 50 + b'\\n')\n"
        "sys.stdout.buffer.write(b'x' * 3_000_000 + b'\\n')\n"
        'sys.stdout.buffer.write(b\'[1, 2]\\n{"said": 7, "text": null}\\n{"said": "Warn", "text": "thin ice"}\\n\')\n'
        "sys.stderr.buffer.write(bytes(range(256)) * 2000)\nkeep(1.0)\ntell(done=8)"
    )
    found = outside.render(scene, 8, limit=60.0)
    assert found.samples == 8 and found.stopped == ""
    assert [one.text for one in found.messages if one.grade is Grade.WARNING] == ["thin ice"]
    assert all(len(one.text) <= 2000 for one in found.messages)


def test_a_full_disk_leaves_the_picture_before(played) -> None:
    scene = played("keep(0.75)\ntell(done=4)\nraise OSError(28, 'No space left on device')")
    found = outside.render(scene, 64, limit=60.0)
    assert found.samples == 4 and found.picture == pytest.approx(0.75) and "No space left" in found.stopped
    with pytest.raises(RenderingError, match="No space left"):
        outside.render(played("raise OSError(28, 'No space left on device')"), 64, limit=60.0)


def test_half_a_picture_is_none(played) -> None:
    scene = played("open(asked['out'], 'wb').write(b'PK half of it')\ntell(done=4)")
    with pytest.raises(RenderingError, match="cannot be read"):
        outside.render(scene, 8, limit=60.0)


def test_lights_come_by_the_names_that_it_tells(played) -> None:
    scene = played(
        "tell(lights=[['Lamp', ''], ['', 'Flame']])\n"
        "keep(3.0, light0=np.full((3, 4, 3), 1.0), light1=np.full((3, 4, 3), 2.0))\ntell(done=8)"
    )
    found = outside.render(scene, 8, limit=60.0, by_lights=True)
    assert {name: float(np.mean(one)) for name, one in found.lights.items()} == {("Lamp", ""): 1.0, ("", "Flame"): 2.0}
