"""Mitsuba as a real renderer of scene files: a process of its own that is heard, watched and stopped."""

from __future__ import annotations

import json
import queue
import re
import subprocess
import tempfile
import threading
import time
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from importlib.util import find_spec
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np
from numpy.typing import NDArray

from durvan.apart import command, surroundings
from durvan.engine.engines import Engine
from durvan.errors import RenderingError
from durvan.progress import Report, Step, silent
from durvan.scene.said import Grade, Message

Floats = NDArray[np.float64]
LIMIT = 3600.0  # seconds
_LONGEST = 2000  # characters of a line that are kept
_MOST = 200  # different messages that are kept
_GRADES = {"Warn": Grade.WARNING, "Error": Grade.ERROR}


@dataclass
class Rendered:
    """A picture [height, width, 3], linear, how many samples a pixel it has, the seconds it took, and what was said on the way.

    `bad` samples were no numbers and are left out; `stopped` says why it has fewer samples than were asked for. `variance` is that of the
    luminance of each pixel [height, width]; None where a few samples do not tell. `lights` are the parts of the picture that each light gives, where
    they were asked for: by name, or, of what glows, by the name of its material.
    """

    picture: Floats
    samples: int
    seconds: float
    messages: tuple[Message, ...]
    bad: int = 0
    stopped: str = ""
    variance: Floats | None = None
    lights: dict[tuple[str, str], Floats] = field(default_factory=dict)


class _Worker:
    """One run of the process."""

    def __init__(self, asked: dict[str, Any]) -> None:
        self.process = subprocess.Popen(
            command("durvan.engine.scene_worker", json.dumps(asked)), env=surroundings(),
            stdout=subprocess.PIPE, stderr=subprocess.PIPE, stdin=subprocess.DEVNULL,
        )  # fmt: skip
        self.lines: queue.Queue[bytes | None] = queue.Queue(maxsize=10_000)
        self.errors: list[bytes] = []
        for target in (self._read_lines, self._read_errors):
            threading.Thread(target=target, daemon=True).start()

    def _read_lines(self) -> None:
        assert self.process.stdout is not None
        while line := self.process.stdout.readline(1_000_000):
            self.lines.put(line)
        self.lines.put(None)

    def _read_errors(self) -> None:
        assert self.process.stderr is not None
        while part := self.process.stderr.readline(100_000):
            self.errors.append(part)
            del self.errors[:-200]

    def heard(self, until: float) -> Iterator[dict[str, Any] | None]:
        """What it says, and None now and then while it says nothing; ends with it, or when the time is up."""
        while time.monotonic() < until:
            try:
                line = self.lines.get(timeout=0.2)
            except queue.Empty:
                yield None
                continue
            if line is None:
                return
            try:
                said = json.loads(line)
            except ValueError:  # whatever a library prints by itself
                text = line.decode("utf-8", "replace").strip()
                yield {"said": "Info", "text": text} if text else None
                continue
            yield said if isinstance(said, dict) else None

    def end(self) -> int:
        """Have it gone; its status."""
        if self.process.poll() is None:
            try:
                self.process.wait(timeout=2.0 if self.lines.empty() else 0.0)
            except subprocess.TimeoutExpired:
                self.process.kill()
        return self.process.wait()


def render(
    file: Path, samples: int, size: tuple[int, int] | None = None, camera: int = 0, report: Report = silent,
    limit: float = LIMIT, seen: Callable[[Floats, int], None] | None = None, by_lights: bool = False,
) -> Rendered:  # fmt: skip
    """Render a scene file. `camera` says which of its sensors, in the order of the file; `seen` is handed every picture on the way. With
    `by_lights` each light is rendered by itself, and the picture is their sum.

    What takes longer than `limit` seconds is stopped and keeps what it has. Raises RenderingError with what the renderer says where
    there is no picture at all; `report` may raise Stopped.
    """
    if find_spec(Engine.MITSUBA) is None:
        raise RenderingError("Mitsuba is not installed; Durvan's extra 'mitsuba' brings it.")
    start = time.monotonic()
    with tempfile.TemporaryDirectory() as folder:
        out = Path(folder) / "picture.npz"
        worker = _Worker(
            {
                "file": str(file),
                "samples": samples,
                "size": list(size) if size else [],
                "camera": camera,
                "out": str(out),
                "by_lights": by_lights,
            }
        )
        said: Counter[tuple[Grade, str]] = Counter()
        done, over, names = 0, True, list[tuple[str, str]]()
        try:
            for event in worker.heard(start + limit):
                report(Step("Mitsuba renders" if done else "Mitsuba reads the scene", done, samples))
                if event is None:
                    continue
                if "said" in event:
                    _note(said, str(event["said"]), str(event.get("text", "")))
                names = [(str(one), str(other)) for one, other in event["lights"]] if "lights" in event else names
                if "done" in event:
                    done = int(event["done"])
                    if seen is not None:
                        seen(_picture(out)[0], done)
            over = time.monotonic() >= start + limit
        finally:
            status = worker.end() if not over else _killed(worker)
        messages = tuple(Message(grade, text, count) for (grade, text), count in said.items())
        if not out.is_file():
            raise RenderingError(_why(status, over, limit, messages, worker.errors))
        picture, bad, variance = _picture(out)
        lights = _lights(out, names)
        stopped = f"It was stopped after {limit:g} seconds." if over else "" if status == 0 else _last(worker.errors)
        return Rendered(picture, done, time.monotonic() - start, messages, bad, stopped, variance, lights)


def _killed(worker: _Worker) -> int:
    worker.process.kill()
    return worker.process.wait()


def _picture(file: Path) -> tuple[Floats, int, Floats | None]:
    try:
        with np.load(file) as found:
            variance = found["variance"].astype(np.float64) if "variance" in found else None
            return found["picture"].astype(np.float64), int(found["bad"]), variance
    except (OSError, ValueError, KeyError, EOFError, BadZipFile) as problem:
        raise RenderingError(f"What Mitsuba wrote cannot be read: {problem}.") from problem


def _lights(file: Path, names: list[tuple[str, str]]) -> dict[tuple[str, str], Floats]:
    with np.load(file) as found:
        return {name: found[f"light{n}"].astype(np.float64) for n, name in enumerate(names) if f"light{n}" in found}


def _note(said: Counter[tuple[Grade, str]], level: str, text: str) -> None:
    """Count a message; where and when it was said is left out."""
    plain = re.sub(r"\x1b\[[0-9;]*m", "", text).strip()
    plain = re.sub(r"^\d{4}-\d\d-\d\d \d\d:\d\d:\d\d\s+\w+\s+(\w+\s+)?", "", plain)[:_LONGEST]
    key = (_GRADES.get(level, Grade.NOTE), plain)
    if plain and (key in said or len(said) < _MOST):
        said[key] += 1


def _last(errors: list[bytes]) -> str:
    lines = [line.decode("utf-8", "replace").strip() for line in errors]
    told = [line for line in lines if line and not line.startswith(("File ", "Traceback", "^"))]
    return told[-1][:600] if told else "It ended without a word."


def _why(status: int, over: bool, limit: float, messages: tuple[Message, ...], errors: list[bytes]) -> str:
    if over:
        return f"Mitsuba gave no picture within {limit:g} seconds."
    last = _last(errors)
    if status < 0:
        return f"Mitsuba was ended by signal {-status}: {last}"
    worst = next((one.text for one in messages if one.grade is Grade.ERROR), "")
    return f"Mitsuba does not render it: {worst or last}"
