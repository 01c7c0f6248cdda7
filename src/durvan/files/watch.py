"""Follow the disk: notice within a second or so that a file, or a folder of a root, has changed.

It asks the disk again and again, as network disks tell nobody of what others change on them; how often depends on how
long asking takes, so that a slow disk is not kept busy.
"""

from __future__ import annotations

import os
import threading
import time
from collections.abc import Callable, Iterable

from durvan.files.index import Shelf

SHORTEST = 1.0  # seconds between two looks
_SHARE = 20.0  # a look may take one twentieth of the time


class Watcher:
    """Calls `changed` (in its own thread) when one of the paths, or an index of the shelf, is other than it was."""

    def __init__(self, changed: Callable[[], None], shelf: Shelf | None = None, pause: float = SHORTEST) -> None:
        self.changed = changed
        self.shelf = shelf
        self.pause = pause
        self._paths: tuple[str, ...] = ()
        self._seen: tuple[object, ...] | None = None
        self._lock = threading.Lock()
        self._stop = threading.Event()
        self._thread: threading.Thread | None = None

    def watch(self, paths: Iterable[str], shelf: Shelf | None = None) -> None:
        """From now on, these; what they are now counts as known."""
        wanted = tuple(dict.fromkeys(path for path in paths if path))
        seen = _look(wanted)
        with self._lock:
            self._paths, self._seen = wanted, seen
            self.shelf = shelf or self.shelf

    def start(self) -> None:
        """Begin, in a thread of its own."""
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, name="durvan-watch", daemon=True)
            self._thread.start()

    def close(self) -> None:
        """End; waits for the look that is under way."""
        self._stop.set()
        if self._thread is not None:
            self._thread.join(10.0)
            self._thread = None

    def look(self) -> bool:
        """Look once; whether anything changed."""
        with self._lock:
            wanted, seen, shelf = self._paths, self._seen, self.shelf
        now = _look(wanted)
        other = seen is not None and now != seen
        with self._lock:
            if self._paths == wanted:
                self._seen = now
        return (shelf is not None and shelf.renew()) or other

    def _run(self) -> None:
        pause = self.pause
        while not self._stop.wait(pause):
            began = time.monotonic()
            if self.look() and not self._stop.is_set():
                self.changed()
            pause = max(self.pause, _SHARE * (time.monotonic() - began))


def _look(paths: tuple[str, ...]) -> tuple[object, ...]:
    out: list[object] = []
    for path in paths:
        try:
            said = os.stat(path)
        except (OSError, ValueError):
            out.append(None)
            continue
        out.append((said.st_mtime_ns, said.st_size, said.st_ino))
    return tuple(out)


def watched(files: Iterable[tuple[str, tuple[str, ...]]]) -> list[str]:
    """What to watch for files and their members: themselves, and the folders that they would appear in."""
    out: dict[str, None] = {}
    for path, members in files:
        for one in (path, *members):
            if one:
                out[one] = None
                out[os.path.dirname(one)] = None
    return list(out)
