"""What this user wrote with Durvan, and from which folders: a target may read what its source could.

A scene from elsewhere cannot claim that; only what lies here, as it was written, is known.
"""

from __future__ import annotations

import json
import os
from collections.abc import Iterable
from pathlib import Path

from durvan.files import kept

_KIND, _MOST = "carried", 500


def remember(file: Path, folders: Iterable[str]) -> None:
    """Keep the folders that a target came from, for as long as its file stays as it is."""
    where = kept.place(_KIND, str(file.absolute()), ".json")
    if where is not None:
        kept.write(where, json.dumps([*folders]).encode("utf-8", "surrogatepass"))
        kept.tidy(_KIND, _MOST)


def folders_of(file: Path) -> tuple[str, ...]:
    """The folders that a file was carried from; none when it was not written here, or is another one by now."""
    where = kept.place(_KIND, str(file.absolute()), ".json")
    if where is None:
        return ()
    try:
        found = json.loads(where.read_bytes().decode("utf-8", "surrogatepass"))
    except (OSError, ValueError):
        return ()
    return tuple(one for one in found if isinstance(one, str) and os.path.isabs(one)) if isinstance(found, list) else ()
