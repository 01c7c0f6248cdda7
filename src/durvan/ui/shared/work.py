"""Long work beside the event loop: one job at a time, with progress and a stop, and its result back in the loop."""

from __future__ import annotations

import logging
import sys
import threading
import time
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from durvan.errors import DurvanError, Stopped
from durvan.progress import Report, Step

log = logging.getLogger(__name__)
_EVERY = 0.05  # seconds between two reports
# A short turn for each thread, so that the window gets its share while the work runs.
_TURN = 0.002


class Job(QObject):
    """A function that runs in a thread of its own."""

    progressed = Signal(object)
    finished = Signal(object)
    failed = Signal(object)
    stopped = Signal()

    def __init__(self, name: str, work: Callable[[Report], Any], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.name = name
        self._work = work
        self._stop = threading.Event()
        self._told = 0.0
        self._thread = threading.Thread(target=self._run, name=f"durvan-{name}", daemon=True)

    def start(self) -> None:
        """Begin."""
        sys.setswitchinterval(_TURN)
        self._thread.start()

    def stop(self) -> None:
        """Ask the work to end; it does at its next report."""
        self._stop.set()

    def wait(self, seconds: float) -> bool:
        """Wait for the thread to end; whether it has."""
        self._thread.join(seconds)
        return not self._thread.is_alive()

    def _report(self, step: Step) -> None:
        if self._stop.is_set():
            raise Stopped
        now = time.monotonic()
        if now - self._told >= _EVERY or (step.of and step.done >= step.of):
            self._told = now
            self.progressed.emit(step)

    def _run(self) -> None:
        try:
            result = self._work(self._report)
            if self._stop.is_set():
                raise Stopped
        except Stopped:
            self.stopped.emit()
        except DurvanError as problem:
            self.failed.emit(problem)
        except Exception as problem:
            log.exception("%s failed", self.name)
            self.failed.emit(
                DurvanError(f"{self.name} failed: {type(problem).__name__}: {problem}", advice="The log has more.")
            )
        else:
            self.finished.emit(result)


QUEUED = Qt.ConnectionType.QueuedConnection
