"""Write by replacing: a file is whole before it takes the place of another one, so that nobody ever sees half of it."""

from __future__ import annotations

import errno
import hashlib
import os
import platform
import stat
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

OURS = ".durvan-"  # in the name of what is being written


def here() -> str:
    """This machine, in a few letters: a process number says nothing of another one's."""
    return hashlib.sha256(platform.node().encode("utf-8", "replace")).hexdigest()[:6]


def is_of_the_dead(name: str) -> bool:
    """Whether a file or a folder is one that a process of this machine was writing when it was killed."""
    _, found, rest = name.rpartition(OURS)
    parts = rest.split("-")
    if not found or not name.startswith(".") or len(parts) != 3 or parts[0] != here() or not parts[1].isdigit():
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
            if OURS in entry.name and is_of_the_dead(entry.name):
                with suppress(OSError):
                    Path(entry.path).unlink()


def real(file: Path) -> Path:
    """Where a file is in fact, however many links lead to it: what is written takes that one's place, and the links stay. Raises OSError where
    links lead nowhere, in a circle.
    """
    try:
        return file.resolve(strict=False) if file.is_symlink() else file.absolute()
    except RuntimeError as problem:
        raise OSError(errno.ELOOP, os.strerror(errno.ELOOP), str(file)) from problem


def mode_for(file: Path) -> int:
    """The permissions of what takes a file's place: the same, or of a new file what the person's umask leaves."""
    with suppress(OSError):
        return stat.S_IMODE(file.stat().st_mode)
    return 0o666 & ~_umask()


def _umask() -> int:
    """The umask of this process; setting it, which is the other way to ask, would reach every thread."""
    with suppress(OSError, ValueError, StopIteration):
        lines = Path("/proc/self/status").read_text(encoding="ascii", errors="replace").splitlines()
        return int(next(line for line in lines if line.startswith("Umask:")).split()[1], 8)
    return 0o022


@contextmanager
def replacing(file: Path, make_folder: bool = False, durable: bool = False, mode: int | None = None) -> Iterator[Path]:
    """A fresh file beside `file`, of the same ending, that takes its place when all went well, and else is gone. Permissions (but for `mode`) stay,
    and links lead to it as before.

    `durable` waits until its bytes are on the disk. What a killed process left beside it is taken away, but for the
    folders of caches (`make_folder`), which look after themselves. Raises OSError.
    """
    file = real(file)
    folder = file.absolute().parent
    if make_folder:
        folder.mkdir(parents=True, exist_ok=True)
    else:
        tidy(folder)
    prefix = f".{file.stem[:80]}{OURS}{here()}-{os.getpid()}-"
    handle, name = tempfile.mkstemp(prefix=prefix, suffix=file.suffix, dir=folder)
    os.close(handle)
    fresh = Path(name)
    try:
        yield fresh
        if durable:
            to_disk(fresh)
        fresh.chmod(mode_for(file) if mode is None else mode)
        fresh.replace(file)
    finally:
        with suppress(OSError):
            fresh.unlink(missing_ok=True)


def to_disk(file: Path) -> None:
    """Wait until a file's bytes are on the disk. Raises OSError."""
    handle = os.open(file, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)
