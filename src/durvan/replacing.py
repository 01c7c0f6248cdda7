"""Write by replacing: a file is whole before it takes the place of another one, so that nobody ever sees half of it."""

from __future__ import annotations

import hashlib
import os
import platform
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

MODE = 0o644
_OURS = ".durvan-"


def _here() -> str:
    """This machine, in a few letters: a process number says nothing of another one's."""
    return hashlib.sha256(platform.node().encode("utf-8", "replace")).hexdigest()[:6]


def _left_by_the_dead(name: str) -> bool:
    """Whether a file is one that a process of this machine was writing when it was killed."""
    _, found, rest = name.rpartition(_OURS)
    parts = rest.split("-")
    if not found or not name.startswith(".") or len(parts) != 3 or parts[0] != _here() or not parts[1].isdigit():
        return False
    try:
        os.kill(int(parts[1]), 0)
    except ProcessLookupError:
        return True
    except (OSError, OverflowError):
        return False
    return False


def tidy(folder: Path) -> None:
    """Take away what processes that were killed left half written in a folder."""
    with suppress(OSError), os.scandir(folder) as found:
        for entry in found:
            if _OURS in entry.name and _left_by_the_dead(entry.name):
                with suppress(OSError):
                    Path(entry.path).unlink()


@contextmanager
def replacing(file: Path, make_folder: bool = False, durable: bool = False, mode: int = MODE) -> Iterator[Path]:
    """A fresh file beside `file`, of the same ending, that takes its place when all went well, and else is gone.

    `durable` waits until its bytes are on the disk. What a killed process left beside it is taken away, but for the
    folders of caches (`make_folder`), which look after themselves. Raises OSError.
    """
    folder = file.absolute().parent
    if make_folder:
        folder.mkdir(parents=True, exist_ok=True)
    else:
        tidy(folder)
    prefix = f".{file.stem[:80]}{_OURS}{_here()}-{os.getpid()}-"
    handle, name = tempfile.mkstemp(prefix=prefix, suffix=file.suffix, dir=folder)
    os.close(handle)
    fresh = Path(name)
    try:
        yield fresh
        if durable:
            _to_disk(fresh)
        fresh.chmod(mode)
        fresh.replace(file)
    finally:
        with suppress(OSError):
            fresh.unlink(missing_ok=True)


def _to_disk(file: Path) -> None:
    handle = os.open(file, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
