"""What the window asks of the process that renders, and what it answers. Plain data; nothing here renders.

The renderer's compiled code is loaded in that other process only: loading and compiling it would hold the window up.
"""

from __future__ import annotations

import logging
import pickle
import struct
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from typing import IO, Any

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.job.document import Note
from durvan.crossing.translation.translate import Translation
from durvan.scene.drift import Drift
from durvan.scene.model import Scene, Thing

log = logging.getLogger(__name__)
Bytes = NDArray[np.uint8]
_HEAD = struct.Struct("<Q")
_LARGEST = 1 << 34


@dataclass(frozen=True)
class Load:
    """From now on, this scene."""

    scene: Scene


@dataclass(frozen=True)
class LookAt:
    """One material, seen closely and first of all."""

    thing: Thing
    translation: Translation


@dataclass(frozen=True)
class MeasureAll:
    """The drift of many materials, one after the other, in this order."""

    pairs: list[tuple[Thing, Translation]]


@dataclass(frozen=True)
class FitAll:
    """Fit materials; the translations are what the rules give, without a fit."""

    pairs: list[tuple[Thing, Translation]]


@dataclass(frozen=True)
class Render:
    """The camera's view of both sides; the target's things stand in its own words."""

    camera: str
    target: list[Thing]
    size: tuple[int, int]
    samples: int


@dataclass(frozen=True)
class Refine:
    """Go on with the camera's view to so many samples, when nothing else is wanted."""

    samples: int


@dataclass(frozen=True)
class Cover:
    """How much of the camera's picture each material covers."""

    camera: str


@dataclass(frozen=True)
class Preparing:
    """The renderer is being compiled, or cannot be."""

    text: str
    done: int = 0
    of: int = 0


@dataclass(frozen=True)
class Seen:
    """A swatch pair as bytes [3 lightings, side, side, 3], the difference [3, side, side, 3], and its drift.

    `polar` are both sides' answers in the plane of the view at 45°: [2, 181] of luminance, from −90° to 90°.
    """

    thing: str
    source: Bytes
    target: Bytes
    difference: Bytes
    drift: Drift
    polar: NDArray[np.float64]
    notes: tuple[tuple[str, ...], tuple[str, ...]]
    done: bool


@dataclass(frozen=True)
class Measured:
    """A material's drift, and small pictures of both sides [side, side, 3] under the booth."""

    thing: str
    drift: Drift
    source: Bytes
    target: Bytes
    left: int


@dataclass(frozen=True)
class Fitted:
    """What came of fits: notes by thing; things that could not be bettered are not among them."""

    notes: dict[str, list[Note]]
    drifts: dict[str, Drift]
    tried: int


@dataclass(frozen=True)
class Rendered:
    """A picture of one side so far, as bytes [height, width, 3]."""

    side: str
    picture: Bytes
    samples: int
    of: int
    notes: tuple[str, ...]


@dataclass(frozen=True)
class Covered:
    """The share of the picture that each material covers, by its path."""

    shares: dict[str, float]


@dataclass(frozen=True)
class Trouble:
    """Something went wrong over there; the rest goes on."""

    about: str
    text: str


def put(stream: IO[bytes], message: object) -> None:
    """Send one message."""
    data = pickle.dumps(message, protocol=pickle.HIGHEST_PROTOCOL)
    stream.write(_HEAD.pack(len(data)))
    stream.write(data)
    stream.flush()


def get(stream: IO[bytes]) -> Any:
    """Receive one message; None when the other side is gone."""
    head = stream.read(_HEAD.size)
    if head is None or len(head) < _HEAD.size:
        return None
    (length,) = _HEAD.unpack(head)
    if length > _LARGEST:
        return None
    data = stream.read(length)
    return pickle.loads(data) if len(data) == length else None


@dataclass
class Renderer:
    """The window's end: starts the process at the first question, and hands every answer to `answered` (in a thread)."""

    answered: Callable[[object], None]
    process: subprocess.Popen[bytes] | None = None
    _send: threading.Lock = field(default_factory=threading.Lock)
    _waiting: list[object] = field(default_factory=list)
    _wake: threading.Condition = field(default_factory=threading.Condition)
    _closed: bool = False
    _threads: list[threading.Thread] = field(default_factory=list)

    def ask(self, question: object) -> None:
        """Send a question; never waits for the other side."""
        if self._closed:
            return
        if self.process is None:
            self._start()
        with self._wake:
            self._waiting.append(question)
            self._wake.notify()

    def _start(self) -> None:
        self.process = subprocess.Popen(
            [sys.executable, "-m", "durvan.crossing.looks.server"], stdin=subprocess.PIPE, stdout=subprocess.PIPE
        )
        self._threads = [
            threading.Thread(target=work, name=f"durvan-{work.__name__}", daemon=True)
            for work in (self._listen, self._talk)
        ]
        for thread in self._threads:
            thread.start()

    def _talk(self) -> None:
        assert self.process is not None
        assert self.process.stdin is not None
        while True:
            with self._wake:
                while not self._waiting and not self._closed:
                    self._wake.wait()
                if self._closed:
                    return
                question = self._waiting.pop(0)
            try:
                put(self.process.stdin, question)
            except (OSError, ValueError):
                return

    def _listen(self) -> None:
        assert self.process is not None
        assert self.process.stdout is not None
        while True:
            try:
                answer = get(self.process.stdout)
            except (OSError, ValueError, EOFError, pickle.UnpicklingError):
                answer = None
            if answer is None:
                if not self._closed:
                    log.warning("the rendering process ended")
                    self.answered(Trouble("renderer", "The rendering process ended; what is seen is as it was."))
                return
            if not self._closed:
                self.answered(answer)

    def close(self) -> None:
        """End the process."""
        self._closed = True
        with self._wake:
            self._wake.notify_all()
        if self.process is not None:
            self.process.kill()
            with suppress(subprocess.TimeoutExpired):
                self.process.wait(5.0)
            for thread in self._threads:
                thread.join(5.0)
            for stream in (self.process.stdin, self.process.stdout):
                if stream is not None:
                    with suppress(OSError, ValueError):
                        stream.close()
            self.process = None
