"""Every render that was kept: a folder of pictures, each with a small file beside it that says what it is.

A picture is whole before its file says that it is there, so a crash loses at most what was being written. What is on the disk has a bound:
beyond it the oldest go that nobody named or keeps.
"""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Iterable, Mapping
from contextlib import suppress
from dataclasses import asdict, dataclass, field, replace
from pathlib import Path
from typing import Any

import platformdirs

from durvan.errors import PictureError
from durvan.replacing import replacing, tidy

FOLDER_VARIABLE = "DURVAN_PROOF"
MOST_BYTES = 4_000_000_000
LEAST_FREE = 200_000_000  # bytes on the disk, below which nothing more is written
_SAID = ".json"


@dataclass(frozen=True)
class Kept:
    """One picture: which side, of which renderer, when (seconds since 1970), how long it took, samples a pixel, size, noise (the standard
    deviation of a pixel in stops), by which camera and settings, the part of the picture (left, top, right, low, 0 to 1), and what it was made
    from: fingerprints by thing. `changed` says what is otherwise than in the one before. `held` ones never go by themselves.
    """

    id: str
    side: str
    engine: str
    when: float
    seconds: float = 0.0
    samples: int = 0
    width: int = 0
    height: int = 0
    noise: float = 0.0
    camera: str = ""
    settings: str = ""
    part: tuple[float, float, float, float] | None = None
    response: str = ""
    made: Mapping[str, str] = field(default_factory=dict)
    changed: tuple[str, ...] = ()
    messages: tuple[tuple[str, str, str], ...] = ()
    name: str = ""
    held: bool = False
    file: str = ""
    bytes: int = 0
    dearest: Mapping[str, float] = field(default_factory=dict)

    @property
    def safe(self) -> bool:
        """Whether it only goes when a person says so."""
        return self.held or bool(self.name)

    @property
    def shape(self) -> tuple[str, int, int]:
        """By which camera it is seen, and how large."""
        return self.camera, self.width, self.height


def root() -> Path:
    """Where histories are kept: `DURVAN_PROOF`, else among the user's data."""
    return Path(os.environ.get(FOLDER_VARIABLE) or platformdirs.user_data_path("durvan") / "proof")


def folder_of(scene: Path) -> Path:
    """The history of a scene file."""
    said = hashlib.sha256(os.fsencode(scene.absolute())).hexdigest()[:16]
    return root() / f"{scene.stem[:40]}-{said}"


def changed(before: Mapping[str, str], now: Mapping[str, str]) -> tuple[str, ...]:
    """The things that one picture was made from otherwise than another one, by path."""
    return tuple(sorted(name for name in before.keys() | now.keys() if before.get(name) != now.get(name)))


class History:
    """The pictures of one folder. Made where there is none."""

    def __init__(self, folder: Path, most_bytes: int = MOST_BYTES) -> None:
        self.folder, self.most_bytes = folder, most_bytes
        self.damaged: list[str] = []

    def entries(self) -> list[Kept]:
        """All of them, the oldest first. What cannot be read is named in `damaged` and left where it is."""
        found, self.damaged = [], []
        if not self.folder.is_dir():
            return []
        for file in sorted(self.folder.glob(f"*{_SAID}")):
            try:
                found.append(_kept(json.loads(file.read_text(encoding="utf-8"))))
            except (OSError, ValueError, TypeError, KeyError):
                self.damaged.append(file.name)
        return sorted(found, key=lambda one: (one.when, one.id))

    def get(self, name: str) -> Kept | None:
        """One by its id."""
        return next((one for one in self.entries() if one.id == name), None)

    def fresh_id(self, side: str, when: float) -> str:
        """An id that none has."""
        stem = f"{int(when * 1000):014d}-{side}"
        number = 0
        while (self.folder / f"{stem}{f'-{number}' if number else ''}{_SAID}").exists():
            number += 1
        return f"{stem}{f'-{number}' if number else ''}"

    def path_of(self, one: Kept) -> Path:
        """Where its picture is."""
        return Path(one.file) if one.file else self.folder / f"{one.id}.exr"

    def room(self) -> None:
        """See that there is a folder, and room on its disk. Raises PictureError."""
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            stat = os.statvfs(self.folder)
        except OSError as problem:
            raise PictureError(f"renders cannot be kept here: {problem.strerror}.", file=self.folder) from problem
        tidy(self.folder)
        if stat.f_bavail * stat.f_frsize < LEAST_FREE:
            free = stat.f_bavail * stat.f_frsize // 1_000_000
            raise PictureError(
                f"the disk has only {free} MB left; nothing more is kept.",
                file=self.folder,
                advice="Drop some renders, or make room.",
            )

    def put(self, one: Kept) -> Kept:
        """Say that a picture is there, or something else about it. Raises PictureError."""
        path = self.path_of(one)
        with suppress(OSError):
            one = replace(one, bytes=path.stat().st_size if not one.file else 0)
        try:
            self.folder.mkdir(parents=True, exist_ok=True)
            with replacing(self.folder / f"{one.id}{_SAID}", durable=True) as at:
                at.write_text(json.dumps(asdict(one), ensure_ascii=False, indent=1), encoding="utf-8")
        except OSError as problem:
            raise PictureError(f"cannot be kept: {problem.strerror}.", file=self.folder) from problem
        return one

    def drop(self, names: Iterable[str]) -> None:
        """Let some go, with their pictures; pictures from elsewhere stay where they are."""
        wanted = set(names)
        for one in self.entries():
            if one.id in wanted:
                with suppress(OSError):
                    (self.folder / f"{one.id}{_SAID}").unlink()
                if not one.file:
                    with suppress(OSError):
                        self.path_of(one).unlink()

    def bytes(self) -> int:
        """What is on the disk."""
        return sum(one.bytes for one in self.entries())

    def bound(self, spare: Iterable[str] = ()) -> list[Kept]:
        """Let the oldest go until what is left is within the bound; gives those that went. Those that are safe stay, and those to `spare`."""
        entries, gone, held = self.entries(), [], set(spare)
        total = sum(one.bytes for one in entries)
        for one in entries:
            if total <= self.most_bytes:
                break
            if not one.safe and one.id not in held and not one.file:
                total -= one.bytes
                gone.append(one)
        self.drop(one.id for one in gone)
        return gone


def _kept(data: dict[str, Any]) -> Kept:
    """An entry from its file; what is no field of one is left out, so that later versions' files are read."""
    known = {name: data[name] for name in Kept.__dataclass_fields__ if name in data}
    part = known.get("part")
    known["part"] = tuple(float(x) for x in part) if part is not None else None  # type: ignore[union-attr]
    known["changed"] = tuple(str(x) for x in known.get("changed", ()))
    known["messages"] = tuple((str(a), str(b), str(c)) for a, b, c in known.get("messages", ()))
    made = Kept(**known)
    if not isinstance(made.id, str) or not isinstance(made.when, int | float) or not isinstance(made.made, dict):
        raise ValueError("is none of ours")
    return made
