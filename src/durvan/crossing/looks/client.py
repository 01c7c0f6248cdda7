"""The asking end of the process that renders. Its compiled code is loaded there only: loading and compiling it here
would hold the window up."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass, field

from durvan.apart import Apart
from durvan.crossing.looks.questions import Trouble

log = logging.getLogger(__name__)


@dataclass
class Renderer:
    """Starts the process at the first question, and hands every answer to `answered` (in a thread)."""

    answered: Callable[[object], None]
    apart: Apart | None = None
    _waiting: list[object] = field(default_factory=list)
    _wake: threading.Condition = field(default_factory=threading.Condition)
    _closed: bool = False
    _threads: list[threading.Thread] = field(default_factory=list)

    def ask(self, question: object) -> None:
        """Send a question; never waits for the other side."""
        if self._closed:
            return
        if self.apart is None:
            self._start()
        with self._wake:
            self._waiting.append(question)
            self._wake.notify()

    def _start(self) -> None:
        self.apart = Apart.start("durvan.crossing.looks.server")
        self._threads = [
            threading.Thread(target=work, name=f"durvan-{work.__name__}", daemon=True)
            for work in (self._listen, self._talk)
        ]
        for thread in self._threads:
            thread.start()

    def _talk(self) -> None:
        assert self.apart is not None
        while True:
            with self._wake:
                while not self._waiting and not self._closed:
                    self._wake.wait()
                if self._closed:
                    return
                question = self._waiting.pop(0)
            try:
                self.apart.send.send(question)
            except (OSError, ValueError):
                return

    def _listen(self) -> None:
        assert self.apart is not None
        while True:
            try:
                answer = self.apart.receive.recv()
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
        if self.apart is None:
            return
        self.apart.end()
        for thread in self._threads:
            thread.join(5.0)
        self.apart.close()
        self.apart = None
