"""The console script: what renders runs in a process of its own, so that a death in compiled code is told in a sentence.

Only little is imported here: this process waits, and the other one does the work.
"""

from __future__ import annotations

import ctypes
import os
import signal
import subprocess
import sys
import tempfile
from pathlib import Path

from durvan.apart import command, surroundings
from durvan.cli.at import AT

RENDERING = frozenset(("survey", "record", "drift", "swatch", "render"))
_MISUSE = 2
_ENDS_WITH_PARENT = 1  # PR_SET_PDEATHSIG of prctl


def main() -> None:
    """Run the command line, here or in a process of its own."""
    words = sys.argv[1:]
    command = next((word for word in words if not word.startswith("-")), "")
    if command in RENDERING and "--help" not in words and AT not in os.environ:
        made = _folder()
        if made is not None:
            sys.exit(_beside(words, made))
    from durvan.cli.main import run

    run()


def _folder() -> tempfile.TemporaryDirectory[str] | None:
    """Where the other process says what it is at; None where nothing can be made, and then all of it runs here."""
    try:
        return tempfile.TemporaryDirectory(prefix="durvan-", ignore_cleanup_errors=True)
    except OSError:
        return None


def _beside(words: list[str], made: tempfile.TemporaryDirectory[str]) -> int:
    """Run in a process of its own; gives its exit status."""
    with made as folder:
        at = Path(folder) / "at"
        child = subprocess.Popen(
            command("durvan.cli.main", *words), env=surroundings(**{AT: str(at)}), preexec_fn=_end_with_parent,
        )  # fmt: skip
        signal.signal(signal.SIGINT, signal.SIG_IGN)  # it comes to both; the other one decides
        signal.signal(signal.SIGTERM, lambda *_: child.terminate())
        status = child.wait()
        if status >= 0:
            return status
        if -status in (signal.SIGINT, signal.SIGTERM):
            return 128 - status
        sys.stderr.write(f"durvan: {_ended(-status, at)}\n")
        return _MISUSE


def _ended(number: int, at: Path) -> str:
    """What is told of a process that was ended by a signal."""
    from durvan.files.paths import shown

    where = shown(at.read_text(encoding="utf-8")) if at.is_file() else ""
    over = f" while {where[:1].lower()}{where[1:]}" if where else ""
    name = signal.strsignal(number) or f"signal {number}"
    return f"the process that renders ended ({name}){over}; nothing half was written."


def _end_with_parent() -> None:
    ctypes.CDLL(None).prctl(_ENDS_WITH_PARENT, signal.SIGKILL)


if __name__ == "__main__":
    main()
