"""Write by replacing: a file is whole before it takes the place of another one, so that nobody ever sees half of it."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

MODE = 0o644


@contextmanager
def replacing(file: Path, make_folder: bool = False, durable: bool = False, mode: int = MODE) -> Iterator[Path]:
    """A fresh file beside `file`, of the same ending, that takes its place when all went well, and else is gone.

    `durable` waits until its bytes are on the disk. Raises OSError.
    """
    folder = file.absolute().parent
    if make_folder:
        folder.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(prefix=f".{file.stem[:80]}.", suffix=file.suffix, dir=folder)
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
