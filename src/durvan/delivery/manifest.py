"""What a delivery owns: every file that was written for a target, with its checksum, beside the target as JSON.

Only what stands there is ever replaced or taken away. Other people's files, other deliveries' and other programs' are never touched,
whatever they are called.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

from durvan import __version__

ENDING = ".manifest.json"
_SCHEMA = 1
_PART = 1 << 20


def digest(file: Path) -> str:
    """SHA-256 of a file's bytes, in hexadecimal. Raises OSError."""
    found = hashlib.sha256()
    with file.open("rb") as there:
        while part := there.read(_PART):
            found.update(part)
    return found.hexdigest()


@dataclass(frozen=True)
class Manifest:
    """The files of one target: paths below its folder with "/" between, and the checksum of each; the target's own is among them. `told` is
    what the delivery was made from: the source's file and its checksum, the dialect, the version.
    """

    files: Mapping[str, str] = field(default_factory=dict)
    told: Mapping[str, str] = field(default_factory=dict)

    def text(self) -> str:
        """As it stands on disk: the same files give the same text."""
        said = {"schema": _SCHEMA, "by": f"Durvan {__version__}", "from": dict(sorted(self.told.items()))}
        return json.dumps({**said, "files": dict(sorted(self.files.items()))}, indent=1, ensure_ascii=False) + "\n"


def place_of(target: Path) -> Path:
    """Where the manifest of a target lies."""
    return target.with_name(target.name + ENDING)


def manifest_of(target: Path) -> Manifest:
    """What a target's delivery owns; nothing where there is no manifest, or none that can be read: then nothing is ours."""
    try:
        said = json.loads(place_of(target).read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return Manifest()
    files, told = (said.get(name) if isinstance(said, dict) else None for name in ("files", "from"))
    if not isinstance(files, dict) or said.get("schema") != _SCHEMA:
        return Manifest()
    ours = {name: sha for name, sha in files.items() if isinstance(sha, str) and _below(name)}
    return Manifest(ours, {n: v for n, v in told.items() if isinstance(v, str)} if isinstance(told, dict) else {})


def _below(name: str) -> bool:
    """Whether a path stays below the folder that it is said of."""
    path = PurePosixPath(name)
    return bool(name) and not path.is_absolute() and ".." not in path.parts and "\0" not in name
