"""The .durvan file: one crossing with all its choices, as JSON that carries a version and upgrades itself."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from durvan.crossing.document.document import VERSION, Document
from durvan.errors import CrossingFileError
from durvan.regular import why_not
from durvan.replacing import replacing

ENDING = ".durvan"
_LARGEST = 200_000_000


def save(document: Document, file: Path) -> None:
    """Write by replacing, so that a crash leaves the old file or the new one whole; what could not be opened again is not written. Raises
    CrossingFileError.
    """
    text = json.dumps(document.model_dump(mode="json"), indent=2, ensure_ascii=False, allow_nan=False) + "\n"
    _checked(json.loads(text), file)
    try:
        with replacing(file, durable=True) as temporary:
            temporary.write_text(text, encoding="utf-8")
    except OSError as problem:
        raise CrossingFileError(f"cannot be written: {problem.strerror}.", file=file) from problem


def load(file: Path) -> Document:
    """Read a .durvan file. Raises CrossingFileError with the place inside it."""
    try:
        reason = why_not(file, _LARGEST)
        if reason:
            raise CrossingFileError(f"{reason}.", file=str(file)[:300])
        data = json.loads(file.read_text(encoding="utf-8"))
    except CrossingFileError:
        raise
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
    except ValueError as problem:  # a path or a number that cannot be one: a NUL in it, thousands of digits
        raise CrossingFileError(f"cannot be read: {problem}.", file=str(file)[:300]) from problem
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
    return {**data, "version": VERSION}  # what 1 to 7 did not have yet has defaults that say the same


def _checked(data: Any, file: Path) -> Document:
    try:
        return Document.model_validate(data)
    except ValidationError as problem:
        found = problem.errors()  # a value of several kinds fails once for each; that it is no number tells most
        first = next((error for error in found if error["type"] == "finite_number"), found[0])
        raise CrossingFileError(
            f"{first['msg']}.", file=file, inside=".".join(str(part) for part in first["loc"])
        ) from problem
