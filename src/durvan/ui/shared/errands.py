"""Small work beside the event loop, one after the other: of each kind the newest, and what came of it back in the loop."""

from __future__ import annotations

import logging
import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Signal

from durvan.errors import DurvanError
from durvan.ui.shared.work import QUEUED

log = logging.getLogger(__name__)
Work = Callable[[], Any]
Then = Callable[[Any], None]


class Errands(QObject):
    """A thread that does what is asked for; a newer errand of a lane takes the place of one that waits."""

    failed = Signal(object)
    _done = Signal(object, object)

    def __init__(self, name: str, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._waiting: dict[str, tuple[Work, Then]] = {}
        self._wake = threading.Condition()
        self._closed = False
        self._now = ""
        self._name = name
        self._thread: threading.Thread | None = None
        self._done.connect(self._take, QUEUED)

    @property
    def busy(self) -> bool:
        """Whether something is done or waits."""
        return bool(self._now or self._waiting)

    def ask(self, lane: str, work: Work, then: Then = lambda _: None) -> None:
        """Have something done; `then` hears what came of it, in the event loop, if nothing newer of its lane was asked for meanwhile."""
        with self._wake:
            self._waiting.pop(lane, None)
            self._waiting[lane] = (work, then)
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name=f"durvan-{self._name}", daemon=True)
                self._thread.start()
            self._wake.notify()

    def forget(self) -> None:
        """Do nothing that still waits."""
        with self._wake:
            self._waiting.clear()

    def close(self, done: bool = False) -> None:
        """End the thread; what is being done is finished first, and what waits, too, where it is to be `done`."""
        with self._wake:
            self._closed = True
            if not done:
                self._waiting.clear()
            self._wake.notify()
        if self._thread is not None:
            self._thread.join(30.0)

    def _run(self) -> None:
        while True:
            with self._wake:
                self._now = ""
                while not self._waiting and not self._closed:
                    self._wake.wait()
                if self._closed and not self._waiting:
                    return
                lane = next(iter(self._waiting))
                work, then = self._waiting.pop(lane)
                self._now = lane
            try:
                found = work()
            except DurvanError as problem:
                self._tell(self.failed.emit, problem, lane)
            except Exception as problem:
                log.exception("%s failed", lane)
                self._tell(self.failed.emit, DurvanError(f"{lane} failed: {type(problem).__name__}: {problem}"), lane)
            else:
                self._tell(then, found, lane)

    def _tell(self, then: Then, found: Any, lane: str) -> None:
        with self._wake:
            newer = lane in self._waiting or self._closed
        if not newer:
            self._done.emit(then, found)

    def _take(self, then: Then, found: Any) -> None:
        """The slot."""
        if not self._closed:
            then(found)
