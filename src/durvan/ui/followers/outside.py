"""What goes on beside the event loop about files: small views, pixel tests, checksums, and following the disk."""

from __future__ import annotations

import threading
import time
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from PySide6.QtCore import QObject, QTimer, Signal
from PySide6.QtGui import QImage

from durvan.files import facts, thumbs
from durvan.files.audit import Verdict, broken
from durvan.files.looker import Looker
from durvan.files.watch import Watcher, watched
from durvan.ui.followers.looks import image
from durvan.ui.shared.state import State
from durvan.ui.shared.work import QUEUED

_TOGETHER = 300  # milliseconds between two tellings of many small news
_SELDOM = 8000
_MOST_HELD = 3000


class Small(QObject):
    """Small views of pictures: asked for as rows are drawn; made by a process, kept on disk and in memory."""

    came = Signal(str)
    asked = Signal(str)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._held: OrderedDict[str, QImage | None] = OrderedDict()

    def get(self, path: str) -> QImage | None:
        """A small view, when it is there; else it is asked for, and `came` tells when it has come."""
        if not path or "[" in path:
            return None
        if path in self._held:
            return self._held[path]
        self._held[path] = None
        while len(self._held) > _MOST_HELD:
            self._held.popitem(last=False)
        self.asked.emit(path)
        return None

    def take(self, path: str) -> None:
        """A small view is on the disk now."""
        seen = thumbs.known(path)
        self._held[path] = image(seen) if seen is not None else None
        self.came.emit(path)

    def forget(self) -> None:
        """Files have changed: what is drawn is asked for again."""
        self._held.clear()


class Outside(QObject):
    """Follows the crossing: judges its pictures, watches its files, and tells when something is known or has changed."""

    judged = Signal()
    summed = Signal(str, str)
    _seen = Signal(str)
    _news = Signal(str, object)
    _counted = Signal(int)
    _moved = Signal()

    def __init__(self, state: State, parent: QObject | None = None, judging: bool = True) -> None:
        super().__init__(parent)
        self.state, self.judging = state, judging
        self.small = Small(self)
        self.looker = Looker(self._seen.emit, self._news.emit)
        self.small.asked.connect(self.looker.view)
        self._seen.connect(self.small.take, QUEUED)
        self.left = 0
        self._fresh: dict[facts.Stamp, Verdict] = {}
        self._judging: dict[str, facts.Stamp] = {}
        self._asked: set[facts.Stamp] = set()
        self._sums = ThreadPoolExecutor(1, "durvan-sums")
        self._stop = threading.Event()
        self._watcher = Watcher(self._moved.emit)
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_TOGETHER)
        self._later.timeout.connect(self.follow)
        self._rounds = 0
        self._summing: tuple[str, Callable[[str], None]] | None = None
        self._told = QTimer(self)
        self._told.setSingleShot(True)
        self._told.setInterval(_TOGETHER)
        self._told.timeout.connect(self._tell)
        self._news.connect(self._take, QUEUED)
        self._counted.connect(self._count, QUEUED)
        self._moved.connect(self.follow, QUEUED)
        self.summed.connect(self._take_sum, QUEUED)
        state.opened.connect(self._opened)
        state.renewed.connect(self._renewed)

    # judging pictures

    def _opened(self) -> None:
        self._fresh, self._asked, self.left = {}, set(), 0
        self.looker.forget()
        self._watcher.start()

    def _renewed(self) -> None:
        session = self.state.session
        if session is None:
            return
        pictures = [file.first for file in session.scene.pictures.values() if file.first and "[" not in file.first]
        files = [(file.resolved, file.members) for file in session.scene.files.values()]
        if self.judging:
            self._rounds += 1
            self._sums.submit(self._test_new, pictures)
        self._sums.submit(self._watcher.watch, watched(files), session.shelf)

    def _test_new(self, paths: list[str]) -> None:
        keys = {path: facts.stamp(path) for path in paths}
        wanted = [path for path, key in keys.items() if key is not None and key not in self._asked]
        self._asked.update(key for key in keys.values() if key is not None)
        self._judging.update((path, key) for path, key in keys.items() if key is not None)
        self._counted.emit(len(wanted))
        self.looker.test(wanted)

    @property
    def busy(self) -> bool:
        """Whether pictures are still to be judged, or to be told of."""
        return bool(self.left or self._rounds or self._fresh)

    def _count(self, more: int) -> None:
        self._rounds -= 1
        self.left += more
        if not more:
            self.judged.emit()

    def _take(self, path: str, found: Verdict | None) -> None:
        self.left = max(0, self.left - 1)
        if found is not None:
            self._fresh[self._judging[path]] = found
            if found.problem:
                broken(path, found.problem)
        if not self.left:  # the last: there is nothing to wait for
            self._told.setInterval(_TOGETHER)
            self._told.start()
        elif not self._told.isActive():
            self._told.start()

    def _tell(self) -> None:
        session = self.state.session
        if session is None or not self._fresh:
            self.judged.emit()
            return
        if self.state.working or self.state.job is not None:
            self._told.start()
            return
        news, self._fresh = self._fresh, {}
        session.audited(news)
        began = time.monotonic()
        # a picture that breaks off is only known to do so now
        bad = any(verdict.problem for verdict in news.values())
        self.state.catch_up(bad, lambda _: self._done(began))

    def _done(self, began: float) -> None:
        self.judged.emit()
        # Telling is dear in a large scene, so there it is done less often.
        took = 1000 * (time.monotonic() - began)
        self._told.setInterval(int(min(max(_TOGETHER, 25 * took), _SELDOM)))

    # following the disk

    def follow(self) -> None:
        """Look the files up again; what follows is told when something is other than it was. Waits while something runs."""

        def after(changed: bool) -> None:
            if changed:
                self.small.forget()
            self._renewed()

        if self.state.session is not None and not self.state.catch_up(True, after):
            self._later.start()

    # checksums

    def checksum(self, path: str, then: Callable[[str], None]) -> None:
        """A file's checksum, worked out beside the event loop; only the last one asked for is told."""
        self._summing = (path, then)
        self._sums.submit(lambda: self.summed.emit(path, facts.checksum(path, self._stop.is_set)))

    def _take_sum(self, path: str, said: str) -> None:
        if self._summing is not None and self._summing[0] == path:
            then, self._summing = self._summing[1], None
            then(said)

    def close(self) -> None:
        """End everything; nothing is left running."""
        self._stop.set()
        self._told.stop()
        self._later.stop()
        self._watcher.close()
        self.looker.close()
        self._sums.shutdown(wait=True, cancel_futures=True)
