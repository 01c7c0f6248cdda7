"""Whether a path leads to a file that may be read: asked of the disk before anything opens it.

A pipe, a socket or a device would be read without an end, and whoever opened it would wait with it.
"""

from __future__ import annotations

import stat
from pathlib import Path

_KINDS = (
    (stat.S_ISDIR, "is a folder, not a file"),
    (stat.S_ISFIFO, "is a pipe, not a file"),
    (stat.S_ISSOCK, "is a socket, not a file"),
    (stat.S_ISCHR, "is a device, not a file"),
    (stat.S_ISBLK, "is a device, not a file"),
)


def why_not(path: Path | str, largest: int | None = None) -> str:
    """Why a path cannot be read as a file, as the end of a sentence about it; empty for a regular file of up to `largest`
    bytes. Links are followed.
    """
    try:
        found = Path(path).stat()
    except FileNotFoundError:
        return "there is no such file"
    except OSError as problem:
        return f"cannot be read: {problem.strerror}"
    except ValueError as problem:  # a NUL, or what no file system can spell
        return f"cannot be a path: {problem}"
    if not stat.S_ISREG(found.st_mode):
        return next((said for is_kind, said in _KINDS if is_kind(found.st_mode)), "is not a file")
    if largest is not None and found.st_size > largest:
        return f"is larger than {largest // 1_000_000} MB"
    return ""
