"""The window on a real X server, started as a user starts it."""

from __future__ import annotations

import json
import os
import shutil
import socket
import struct
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent.parent


def _answers(path: str) -> bool:
    """Whether an X server takes clients in, asked by the first twelve bytes of its protocol."""
    for _ in range(200):
        try:
            with socket.socket(socket.AF_UNIX, socket.SOCK_STREAM) as client:
                client.connect(path)
                client.sendall(struct.pack("<BxHHHHxx", 0x6C, 11, 0, 0, 0))
                if client.recv(1) == b"\x01":
                    return True
        except OSError:
            pass
        time.sleep(0.05)
    return False


@pytest.fixture
def display() -> Iterator[str]:
    """A virtual screen; `make test` installs what it needs when run as root."""
    if shutil.which("Xvfb") is None:
        pytest.skip("Xvfb is not installed")
    read, write = os.pipe()
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", str(write), "-screen", "0", "1280x800x24", "-nolisten", "tcp", "-noreset"],
        pass_fds=[write], stderr=subprocess.DEVNULL,
    )  # fmt: skip
    os.close(write)
    number = os.read(read, 16).decode().strip()
    assert _answers(f"/tmp/.X11-unix/X{number}"), "the virtual screen does not answer"
    yield f":{number}"
    server.terminate()
    server.wait(10)
    os.close(read)  # not before: the server writes its number in two goes


def test_the_window_opens_and_carries_on_a_screen(display, lamproom, tmp_path) -> None:
    env = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        [sys.executable, str(ROOT / "bench" / "window.py"), str(lamproom), str(tmp_path / "out.usda")],
        capture_output=True, text=True, env=env, timeout=120, check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    assert json.loads(done.stdout.splitlines()[-1])["shown"] > 0
    assert (tmp_path / "out.usda").is_file()


# Looks at the screen as soon as the scene is there, says what it sees, and closes the window as a person would.
LOOK = """
import json, sys
from PySide6.QtCore import QTimer
from PySide6.QtWidgets import QApplication
true = QApplication.exec
def look():
    windows = [w for w in QApplication.topLevelWidgets() if w.isVisible() and getattr(w, 'state', None) is not None]
    if not windows or windows[0].state.session is None or windows[0].state.job is not None:
        return
    timer.stop()
    window = windows[0]
    window.repaint()
    QApplication.processEvents()
    screen = QApplication.primaryScreen().grabWindow(0).toImage()
    colours = {screen.pixel(x, y) for x in range(0, screen.width(), 7) for y in range(0, screen.height(), 7)}
    print(json.dumps({'title': window.windowTitle(), 'things': len(window.state.session.scene.things),
        'size': [screen.width(), screen.height()], 'colours': len(colours)}), flush=True)
    window.close()
def exec_(*given):
    global timer
    timer = QTimer()
    timer.timeout.connect(look)
    timer.start(50)
    return true()
QApplication.exec = exec_
from durvan.cli.main import run
run()
"""


def test_the_command_open_shows_a_window_and_ends_when_it_is_closed(display, lamproom) -> None:
    env = {**os.environ, "DISPLAY": display, "QT_QPA_PLATFORM": "xcb"}
    done = subprocess.run(
        [sys.executable, "-c", LOOK, "open", str(lamproom)], env=env, capture_output=True, text=True, timeout=120,
        check=False,
    )  # fmt: skip
    assert done.returncode == 0, done.stderr[-2000:]
    seen = json.loads(done.stdout.splitlines()[-1])
    assert seen["title"].startswith("Lamp room at dusk") and seen["things"] == 43
    assert seen["size"] == [1280, 800] and seen["colours"] > 40  # swatches, marks and text, not an empty frame
