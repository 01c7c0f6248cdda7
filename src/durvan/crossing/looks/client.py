"""The asking end of the process that renders. Its compiled code is loaded there only: loading and compiling it here
would hold the window up."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from dataclasses import dataclass, field

from durvan.apart import Apart
from durvan.crossing.looks.questions import Load, Trouble, Working

log = logging.getLogger(__name__)


@dataclass
class Renderer:
    """Starts the process at the first question, and hands every answer to `answered` (in a thread).

    One that ended is told with what it was at, and is started anew by the next question.
    """

    answered: Callable[[object], None]
    apart: Apart | None = None
    _waiting: list[object] = field(default_factory=list)
    _wake: threading.Condition = field(default_factory=threading.Condition)
    _closed: bool = False
    _ended: bool = False
    _loaded: Load | None = None
    _threads: list[threading.Thread] = field(default_factory=list)

    def ask(self, question: object) -> None:
        """Send a question; never waits for the other side."""
        if self._closed:
            return
        if self._ended:
            self._let_go()
        fresh = self.apart is None
        if fresh:
            self._start()
        with self._wake:
            if fresh and self._loaded is not None and not isinstance(question, Load):
                self._waiting.append(self._loaded)
            self._waiting.append(question)
            self._wake.notify()
        if isinstance(question, Load):
            self._loaded = question

    def _start(self) -> None:
        self._ended, self._waiting = False, []
        self.apart = Apart.start("durvan.crossing.looks.server")
        self._threads = [
            threading.Thread(target=work, args=(self.apart,), name=f"durvan-{work.__name__}", daemon=True)
            for work in (self._listen, self._talk)
        ]
        for thread in self._threads:
            thread.start()

    def _talk(self, apart: Apart) -> None:
        while True:
            with self._wake:
                while not self._waiting and not self._closed and not self._ended:
                    self._wake.wait()
                if self._closed or self._ended:
                    return
                question = self._waiting.pop(0)
            try:
                apart.send.send(question)
            except (OSError, ValueError):
                return

    def _listen(self, apart: Apart) -> None:
        about = ""
        while True:
            try:
                answer = apart.receive.recv()
            except (OSError, EOFError):
                self._has_ended(about)
                return
            if isinstance(answer, Working):
                about = answer.about
                continue
            if isinstance(answer, Trouble) and answer.trace:
                log.error("in the rendering process, %s:\n%s", answer.about, answer.trace)
            if not self._closed:
                self.answered(answer)

    def _has_ended(self, about: str) -> None:
        with self._wake:
            self._ended = True
            self._wake.notify_all()
        if not self._closed:
            at = f" over {about}" if about else ""
            log.warning("the rendering process ended%s", at)
            said = f"The rendering process ended{at}; what is seen is as it was, and what is asked next starts it anew."
            self.answered(Trouble("renderer", said))

    def _let_go(self) -> None:
        """Let go of the process and of those who spoke with it."""
        if self.apart is None:
            return
        self.apart.end()
        for thread in self._threads:
            thread.join(5.0)
        self.apart.close()
        self.apart = None

    def close(self) -> None:
        """End the process."""
        self._closed = True
        with self._wake:
            self._wake.notify_all()
        self._let_go()
