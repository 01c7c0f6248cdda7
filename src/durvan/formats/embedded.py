"""Pictures that lie within a scene's file: kept as files of their own in the user's cache, by what is in them.

A renderer, a picture library and a target of another format need a file. What is kept is named by its checksum, so that the same
picture is there once, and nothing that is kept ever changes.
"""

from __future__ import annotations

import hashlib
import os
import tempfile
from pathlib import Path

import platformdirs

FOLDER_VARIABLE = "DURVAN_EMBEDDED"
_ENDINGS = {
    b"\x89PNG": ".png", b"\xff\xd8\xff": ".jpg", b"RIFF": ".webp", b"\xabKTX": ".ktx2", b"v/1\x01": ".exr", b"#?RA": ".hdr",
    b"II*\x00": ".tif", b"MM\x00*": ".tif",
}  # fmt: skip


def folder() -> Path:
    """Where they are kept; `DURVAN_EMBEDDED` puts it elsewhere than in the user's cache."""
    return Path(os.environ.get(FOLDER_VARIABLE) or platformdirs.user_cache_path("durvan") / "embedded")


def ending_of(data: bytes) -> str:
    """The ending of a picture by how it begins; empty for what is none that is known."""
    return next((ending for start, ending in _ENDINGS.items() if data.startswith(start)), "")


def keep(data: bytes, ending: str = "") -> str:
    """Keep what lay within a file, and give its path. Raises OSError."""
    place = folder() / (hashlib.sha256(data).hexdigest()[:40] + (ending or ending_of(data) or ".bin"))
    if place.is_file() and place.stat().st_size == len(data):
        return str(place)
    place.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(dir=place.parent)
    with os.fdopen(handle, "wb") as file:
        file.write(data)
    Path(name).replace(place)
    return str(place)


def is_kept(path: str) -> bool:
    """Whether a file is one of those."""
    return bool(path) and Path(path).parent == folder()
