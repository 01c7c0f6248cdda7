"""What was worked out about files, kept in the user's cache folder for as long as they do not change."""

from __future__ import annotations

import hashlib
import os
from contextlib import suppress
from pathlib import Path

import platformdirs

from durvan.files import facts
from durvan.replacing import replacing


def folder(kind: str) -> Path:
    """Where things of one kind are kept between runs; DURVAN_KEPT puts all of them elsewhere."""
    return Path(os.environ.get("DURVAN_KEPT") or platformdirs.user_cache_path("durvan")) / kind


def place(kind: str, path: str, ending: str) -> Path | None:
    """Where what is known of a file, as it is now, is kept; None when there is no such file."""
    key = facts.stamp(path)
    if key is None:
        return None
    name = hashlib.sha256(os.fsencode(f"{key[0]}|{key[1]}|{key[2]}")).hexdigest()
    return folder(kind) / name[:2] / f"{name}{ending}"


def write(where: Path, data: bytes) -> None:
    """Keep something by replacing; when that does not work it is worked out again next time."""
    with suppress(OSError), replacing(where, make_folder=True) as fresh:
        fresh.write_bytes(data)


def tidy(kind: str, most: int) -> None:
    """Throw the oldest away when there are too many."""
    found: list[tuple[float, Path]] = []
    for file in folder(kind).glob("*/*"):
        with suppress(OSError):
            found.append((file.stat().st_mtime, file))
    for _, file in sorted(found)[: max(0, len(found) - most)]:
        with suppress(OSError):
            file.unlink()
