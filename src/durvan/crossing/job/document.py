"""The .durvan file: one crossing with all its choices, as JSON that carries a version and upgrades itself."""

from __future__ import annotations

import hashlib
import json
import os
import tempfile
from contextlib import suppress
from pathlib import Path
from typing import Any, Literal

from pydantic import BaseModel, ConfigDict, Field, ValidationError

from durvan.crossing.translation.notes import TargetNote
from durvan.crossing.translation.plan import Choices, Placement
from durvan.errors import CrossingFileError

VERSION = 3
ENDING = ".durvan"
_LARGEST = 200_000_000


class Accepted(BaseModel):
    """A finding that a person accepted: why, and the evidence it had then."""

    model_config = ConfigDict(extra="forbid")

    key: str
    reason: str
    fingerprint: str


class Override(BaseModel):
    """A value that a person put in the place of the source's."""

    model_config = ConfigDict(extra="forbid")

    thing: str
    node: str
    parameter: str
    value: float | bool | str


class Reading(BaseModel):
    """A case that a person chose for a node."""

    model_config = ConfigDict(extra="forbid")

    thing: str
    node: str
    case: str


class Note(BaseModel):
    """A value put into the target by hand or by a fit; `over` is what the rules gave then."""

    model_config = ConfigDict(extra="forbid")

    thing: str
    node: str
    parameter: str
    value: bool | float | str | tuple[float, ...]
    by: Literal["hand", "fit"] = "hand"
    over: bool | float | str | tuple[float, ...] | None = None
    before: float = 0.0
    after: float = 0.0

    def target_note(self) -> TargetNote:
        """As the plan takes it."""
        return TargetNote(
            self.thing, self.node, self.parameter, self.value, self.by, self.over, self.before, self.after
        )


class Relink(BaseModel):
    """A path that a person put in the place of what the scene says: full, or counted from the source's folder."""

    model_config = ConfigDict(extra="forbid")

    written: str
    to: str


class Turn(BaseModel):
    """A picture whose green points the other way than its reader takes it."""

    model_config = ConfigDict(extra="forbid")

    thing: str
    node: str


class Place(BaseModel):
    """A root of this crossing."""

    model_config = ConfigDict(extra="forbid")

    folder: str
    deep: bool = True
    on: bool = True


class Remembered(BaseModel):
    """What a file was when it was last there; that tells it from others of its name when it is not any more."""

    model_config = ConfigDict(extra="forbid")

    written: str
    size: int
    width: int = 0
    height: int = 0
    sha256: str = ""


class Document(BaseModel):
    """What a .durvan file holds."""

    model_config = ConfigDict(extra="forbid")

    format: Literal["durvan crossing"] = "durvan crossing"
    version: int = VERSION
    source: str
    source_sha256: str = ""
    source_dialect: str = ""
    target: str
    scope: str = "everything"
    placement: Literal["beside", "alone"] = "beside"
    written: str = ""
    values: list[Override] = Field(default_factory=list)
    readings: list[Reading] = Field(default_factory=list)
    left_out: list[str] = Field(default_factory=list)
    accepted: list[Accepted] = Field(default_factory=list)
    notes: list[Note] = Field(default_factory=list)
    links: list[Relink] = Field(default_factory=list)
    turned: list[Turn] = Field(default_factory=list)
    roots: list[Place] = Field(default_factory=list)
    remembered: list[Remembered] = Field(default_factory=list)
    copies: str = ""
    drift_limit: float = Field(default=3.0, ge=0.0, le=100.0, allow_inf_nan=False)

    def choices(self) -> Choices:
        """The part that a plan depends on."""
        return Choices(
            self.target, self.scope, Placement(self.placement),
            tuple((v.thing, v.node, v.parameter, v.value) for v in self.values),
            tuple((r.thing, r.node, r.case) for r in self.readings), tuple(self.left_out),
            tuple(note.target_note() for note in self.notes), tuple((t.thing, t.node) for t in self.turned), self.copies,
        )  # fmt: skip

    def source_path(self, file: Path) -> Path:
        """Where the source is, seen from where the .durvan file lies."""
        return (file.absolute().parent / self.source).resolve()


def checksum(file: Path) -> str:
    """SHA-256 of a file's bytes."""
    digest = hashlib.sha256()
    with file.open("rb") as stream:
        while block := stream.read(1 << 20):
            digest.update(block)
    return digest.hexdigest()


def save(document: Document, file: Path) -> None:
    """Write by replacing, so that a crash leaves the old file or the new one whole. Raises CrossingFileError."""
    text = json.dumps(document.model_dump(), indent=2, ensure_ascii=False) + "\n"
    name = ""
    try:
        handle, name = tempfile.mkstemp(prefix=f".{file.stem}.", suffix=ENDING, dir=file.absolute().parent)
        with os.fdopen(handle, "w", encoding="utf-8") as stream:
            stream.write(text)
            stream.flush()
            os.fsync(stream.fileno())
        Path(name).chmod(0o644)
        Path(name).replace(file)
    except OSError as problem:
        raise CrossingFileError(f"cannot be written: {problem.strerror}.", file=file) from problem
    finally:
        if name:
            with suppress(FileNotFoundError):
                Path(name).unlink()


def load(file: Path) -> Document:
    """Read a .durvan file. Raises CrossingFileError with the place inside it."""
    try:
        if file.stat().st_size > _LARGEST:
            raise CrossingFileError("is too large to be a crossing.", file=file)
        data = json.loads(file.read_text(encoding="utf-8"))
    except OSError as problem:
        raise CrossingFileError(f"cannot be read: {problem.strerror}.", file=file) from problem
    except UnicodeDecodeError as problem:
        raise CrossingFileError("is not a text, so not a crossing.", file=file) from problem
    except json.JSONDecodeError as problem:
        raise CrossingFileError(
            f"is not whole JSON: {problem.msg}.",
            file=file,
            inside=f"line {problem.lineno}, column {problem.colno}",
        ) from problem
    except RecursionError as problem:
        raise CrossingFileError("is nested too deeply to be a crossing.", file=file) from problem
    return _checked(_upgraded(data, file), file)


def _upgraded(data: Any, file: Path) -> Any:
    if not isinstance(data, dict) or data.get("format") != "durvan crossing":
        raise CrossingFileError("is not a crossing.", file=file)
    version = data.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise CrossingFileError(f"has the version {version!r}, which is none.", file=file, inside="version")
    if version > VERSION:
        raise CrossingFileError(
            f"was made by a newer Durvan (version {version}; this one reads up to {VERSION}).",
            file=file, inside="version", advice="Open it with that one.",
        )  # fmt: skip
    return {**data, "version": VERSION}  # what 1 and 2 did not have yet has defaults that say the same


def _checked(data: Any, file: Path) -> Document:
    try:
        return Document.model_validate(data)
    except ValidationError as problem:
        first = problem.errors()[0]
        raise CrossingFileError(
            f"{first['msg']}.", file=file, inside=".".join(str(part) for part in first["loc"])
        ) from problem
