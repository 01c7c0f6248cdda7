"""Roots: the folders in which files are looked for, in a written order; kept and exchanged as a small text."""

from __future__ import annotations

import os
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path
from urllib.parse import quote, unquote_to_bytes

import platformdirs
from pydantic import ConfigDict

from durvan.errors import RootsFileError
from durvan.replacing import replacing

HEAD = "durvan roots 1"
_WORDS = {"use": True, "rest": False}
_DEPTHS = {"deep": True, "flat": False}
_SAFE = "/ !#$&'()*+,-.:;<=>?@[]^_`{|}~\\\""


@dataclass(frozen=True, slots=True)
class Root:
    """A folder to look in. `deep` looks in all folders below it too; one that is not `on` is passed over."""

    __pydantic_config__ = ConfigDict(extra="forbid")  # it stands in .durvan files as it is

    folder: str
    deep: bool = True
    on: bool = True

    @property
    def exists(self) -> bool:
        """Whether the folder is there now."""
        try:
            return Path(self.folder).is_dir()
        except (OSError, ValueError):
            return False


def text(roots: Iterable[Root]) -> str:
    """Roots as text, one a line, in order. What is no printable letter is written as %XX."""
    lines = [HEAD]
    for root in roots:
        path = quote(os.fsencode(root.folder), safe=_SAFE)
        lines.append(f"{'use' if root.on else 'rest'} {'deep' if root.deep else 'flat'} {path}")
    return "\n".join(lines) + "\n"


def parse(said: str, file: Path | str | None = None) -> list[Root]:
    """Read roots from text. Raises RootsFileError with the line that cannot be read."""
    lines = said.splitlines()
    if not lines or lines[0].strip() != HEAD:
        raise RootsFileError(f"is no list of roots: the first line should be '{HEAD}'.", file=file, inside="line 1")
    out: list[Root] = []
    for number, line in enumerate(lines[1:], 2):
        if not line.strip() or line.startswith("#"):
            continue
        words = line.split(" ", 2)
        if len(words) != 3 or words[0] not in _WORDS or words[1] not in _DEPTHS or not words[2].strip():
            raise RootsFileError(
                f"'{line[:80]}' is no root.", file=file, inside=f"line {number}",
                advice="A line says use or rest, deep or flat, and a folder.",
            )  # fmt: skip
        folder = os.fsdecode(unquote_to_bytes(words[2]))
        if not folder.startswith("/"):
            raise RootsFileError(f"'{folder[:80]}' is no absolute folder.", file=file, inside=f"line {number}")
        out.append(Root(folder, _DEPTHS[words[1]], _WORDS[words[0]]))
    return out


def load(file: Path) -> list[Root]:
    """Read a file of roots. Raises RootsFileError."""
    try:
        return parse(file.read_text(encoding="utf-8", errors="surrogateescape"), file)
    except OSError as problem:
        raise RootsFileError(f"cannot be read: {problem.strerror}.", file=file) from problem


def save(roots: Iterable[Root], file: Path) -> None:
    """Write a file of roots by replacing it. Raises RootsFileError."""
    try:
        with replacing(file, make_folder=True) as fresh:
            fresh.write_text(text(roots), encoding="utf-8")
    except OSError as problem:
        raise RootsFileError(f"cannot be written: {problem.strerror}.", file=file) from problem


def user_file() -> Path:
    """Where a person's own roots are kept, for every crossing; DURVAN_ROOTS names another file."""
    named = os.environ.get("DURVAN_ROOTS")
    return Path(named) if named else platformdirs.user_config_path("durvan") / "roots.txt"


def of_user() -> list[Root]:
    """A person's own roots; none when there is no such file. Raises RootsFileError when it cannot be read."""
    file = user_file()
    try:
        there = file.is_file()
    except OSError as problem:
        raise RootsFileError(f"cannot be read: {problem.strerror}.", file=file) from problem
    return load(file) if there else []
