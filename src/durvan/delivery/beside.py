"""Files that lie beside a target: what they are called, where they are written, where they are found."""

from __future__ import annotations

import os
import re
from collections.abc import Collection, Mapping
from pathlib import Path

from durvan.identity import Namer

_TILE = re.compile(r"\.1[0-9]{3}\.")


class Beside:
    """What lies beside a `target`, and is written into a `folder`: the target's own, or one that is laid out like it. Names of files that are
    there already are given to none, but for those that are `ours` (paths below the target's folder).
    """

    def __init__(self, target: Path, folder: Path | None = None, ours: Collection[str] = ()) -> None:
        self.target, self.home = target, target.parent
        self.folder = folder if folder is not None else self.home
        self.ours = ours
        self._namers: dict[str, Namer] = {}

    def know(self, group: str, keys: Mapping[str, str]) -> None:
        """Know, before any of them is named, what all files of a group would be called: keys, and wishes with their endings."""
        self._namer(group).know(keys.items())

    def named(self, group: str, key: str, wish: str, ending: str) -> str:
        """The path below the target's folder of a file that is nobody else's: in the folder of a group ("maps"), or, without one, right beside
        the target. `key` tells it from all others of the group.
        """
        name = self._namer(group).name(key, wish, ending)
        return f"{self.target.stem}_{group}/{name}" if group else name

    def _namer(self, group: str) -> Namer:
        if group not in self._namers:
            folder = self.home / f"{self.target.stem}_{group}" if group else self.home
            ours = {place.name for name in self.ours if (place := self.home / name).parent == folder}
            there = [entry.name for entry in folder.iterdir()] if folder.is_dir() else []
            others = [name for name in there if name not in ours]
            self._namers[group] = Namer([*others, *(_TILE.sub(".<UDIM>.", name) for name in others), self.target.name])
        return self._namers[group]

    def place(self, name: str) -> Path:
        """Where a file of some path below the target's folder is to be written; its folder is there then. Raises OSError."""
        place = self.folder / name
        place.parent.mkdir(parents=True, exist_ok=True)
        return place

    def find(self, path: str) -> str:
        """Where a file is now that the target names by a path."""
        staged = os.path.normpath(self.folder / path)
        return staged if os.path.lexists(staged) else os.path.normpath(self.home / path)
