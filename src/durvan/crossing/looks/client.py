"""The asking end of the process that renders. Its compiled code is loaded there only: loading and compiling it here
would hold the window up."""

from __future__ import annotations

import logging
import os
import subprocess
import sys
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from multiprocessing.connection import Connection

from durvan.crossing.looks.questions import Trouble

log = logging.getLogger(__name__)


@dataclass
class Renderer:
    """Starts the process at the first question, and hands every answer to `answered` (in a thread)."""

    answered: Callable[[object], None]
    process: subprocess.Popen[bytes] | None = None
    _send: Connection | None = None
    _receive: Connection | None = None
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
        assert self.process.stdin is not None
        assert self.process.stdout is not None
        self._send = Connection(os.dup(self.process.stdin.fileno()), readable=False)
        self._receive = Connection(os.dup(self.process.stdout.fileno()), writable=False)
        self.process.stdin.close()
        self.process.stdout.close()
        self._threads = [
            threading.Thread(target=work, name=f"durvan-{work.__name__}", daemon=True)
            for work in (self._listen, self._talk)
        ]
        for thread in self._threads:
            thread.start()

    def _talk(self) -> None:
        assert self._send is not None
        while True:
            with self._wake:
                while not self._waiting and not self._closed:
                    self._wake.wait()
                if self._closed:
                    return
                question = self._waiting.pop(0)
            try:
                self._send.send(question)
            except (OSError, ValueError):
                return

    def _listen(self) -> None:
        assert self._receive is not None
        while True:
            try:
                answer = self._receive.recv()
            except (OSError, EOFError):
                if not self._closed:
                    log.warning("the rendering process ended")
                    self.answered(Trouble("renderer", "The rendering process ended; what is seen is as it was."))
                return
            if isinstance(answer, Trouble) and answer.trace:
                log.error("in the rendering process, %s:\n%s", answer.about, answer.trace)
            if not self._closed:
                self.answered(answer)

    def close(self) -> None:
        """End the process."""
        self._closed = True
        with self._wake:
            self._wake.notify_all()
        if self.process is None:
            return
        self.process.kill()
        with suppress(subprocess.TimeoutExpired):
            self.process.wait(5.0)
        for thread in self._threads:
            thread.join(5.0)
        for stream in (self._send, self._receive):
            if stream is not None:
                with suppress(OSError):
                    stream.close()
        self.process = None
