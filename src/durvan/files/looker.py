"""A process that looks at pictures for somebody who must not be held up: small views first, then pixel tests.

Reading pictures and working on their pixels would take turns with the asker's own thread; and a picture that breaks the
picture library takes this process down, not the asker's.
"""

from __future__ import annotations

import json
import subprocess
import sys
import threading
from collections.abc import Callable, Iterable
from contextlib import suppress
from dataclasses import asdict

from durvan.apart import command, surroundings
from durvan.files import kept, thumbs
from durvan.files.audit import VERSION, Verdict, judge

_MOST_VERDICTS = 100_000
Answered = Callable[[str, Verdict | None], None]


class Looker:
    """Asks one process, one picture at a time. `seen` hears of small views (they are on the disk then), `judged` of
    verdicts; both are called in a thread of this class."""

    def __init__(self, seen: Callable[[str], None], judged: Answered) -> None:
        self.seen, self.judged = seen, judged
        self._views: list[str] = []
        self._tests: list[str] = []
        self._wake = threading.Condition()
        self._closed = False
        self._thread: threading.Thread | None = None
        self._process: subprocess.Popen[str] | None = None

    def view(self, path: str) -> None:
        """Ask for a small view; what is asked for last comes first, as it is looked at now."""
        self._ask(lambda: self._views.append(path))

    def test(self, paths: Iterable[str]) -> None:
        """Ask for verdicts, in this order."""
        self._ask(lambda: self._tests.extend(paths))

    def forget(self) -> None:
        """Drop every question that is not answered yet."""
        with self._wake:
            self._views.clear()
            self._tests.clear()

    def _ask(self, put: Callable[[], None]) -> None:
        with self._wake:
            put()
            if self._thread is None and not self._closed:
                self._thread = threading.Thread(target=self._run, name="durvan-looker", daemon=True)
                self._thread.start()
            self._wake.notify()

    def _run(self) -> None:
        while True:
            with self._wake:
                while not self._views and not self._tests and not self._closed:
                    self._wake.wait()
                if self._closed:
                    break
                kind, path = ("view", self._views.pop()) if self._views else ("test", self._tests.pop(0))
            answer = self._answer(kind, path)
            if self._closed:
                break
            if kind == "view":
                self.seen(path)
            else:
                self.judged(path, answer)
        self._end()

    def _answer(self, kind: str, path: str) -> Verdict | None:
        if self._process is None or self._process.poll() is not None:
            self._end()
            self._process = subprocess.Popen(
                command("durvan.files.looker"),
                env=surroundings(),
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                text=True,
            )
        assert self._process.stdin is not None
        assert self._process.stdout is not None
        try:
            self._process.stdin.write(json.dumps([kind, path]) + "\n")
            self._process.stdin.flush()
            line = self._process.stdout.readline()
        except (OSError, ValueError):
            line = ""
        if not line:
            return Verdict(path, problem="breaks the picture library; it was looked at in a process of its own")
        said = json.loads(line)
        return _verdict(said) if said is not None else None

    def _end(self) -> None:
        process, self._process = self._process, None
        if process is None:
            return
        process.kill()
        for stream in (process.stdin, process.stdout):
            if stream is not None:
                with suppress(OSError, ValueError):
                    stream.close()
        process.wait(10.0)

    def close(self) -> None:
        """End the process, also in the middle of a picture."""
        with self._wake:
            self._closed = True
            self._wake.notify_all()
        process = self._process
        if process is not None:
            process.kill()
        if self._thread is not None:
            self._thread.join(10.0)
        self._end()


def _verdict(said: dict[str, object]) -> Verdict:
    return Verdict(**{name: tuple(value) if isinstance(value, list) else value for name, value in said.items()})  # type: ignore[arg-type] # as it was sent


def _judged(path: str) -> Verdict:
    """A verdict, from the last time when neither the picture nor the tests have changed."""
    where = kept.place("verdicts", path, f".{VERSION}.json")
    if where is not None:
        with suppress(OSError, ValueError, TypeError):
            return _verdict(json.loads(where.read_text(encoding="utf-8")))
    found = judge(path)
    if where is not None and not found.problem:
        kept.write(where, json.dumps(asdict(found)).encode())
    return found


def main() -> None:
    """Answer questions until nobody asks any more."""
    kept.tidy(thumbs.KIND, thumbs.MOST)
    kept.tidy("verdicts", _MOST_VERDICTS)
    for line in sys.stdin:
        kind, path = json.loads(line)
        answer = None
        if kind == "view":
            thumbs.thumbnail(path)
        else:
            answer = asdict(_judged(path))
        sys.stdout.write(json.dumps(answer) + "\n")
        sys.stdout.flush()


if __name__ == "__main__":
    main()
