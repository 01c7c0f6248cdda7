"""Paths as people and programs write them into scenes: drives, backslashes, URLs, variables, tile and frame tokens."""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from functools import lru_cache
from pathlib import PurePosixPath
from urllib.parse import unquote

LONGEST = 4096
_DRIVE = re.compile(r"^[A-Za-z]:[\\/]")
_SHARE = re.compile(r"^\\\\[^\\/]+[\\/]")
_VARIABLE = re.compile(r"\$\{(\w+)\}|\$(\w+)|%(\w+)%")
# What stands for one of many files: a UDIM tile, a tile by its column and row (MaterialX 1.39), a frame.
_TOKEN = re.compile(r"<UDIM>|<UVTILE>|%0(\d)d|#+", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Understood:
    """A written path in this system's form. `foreign` came with a drive or a share; `unknown` are unset variables."""

    text: str
    absolute: bool = False
    foreign: bool = False
    unknown: tuple[str, ...] = ()

    @property
    def parts(self) -> tuple[str, ...]:
        """The folders and the name, without drive, root and dots that lead nowhere."""
        return parts_of(self.text)

    @property
    def name(self) -> str:
        """The last part."""
        parts = self.parts
        return parts[-1] if parts else ""


def understand(written: str, environment: Mapping[str, str] | None = None, home: str = "") -> Understood:
    """Read a path as it was meant, without looking at the disk.

    `environment` and `home` stand for `$NAME`, `${NAME}`, `%NAME%` and `~`; a variable that is not set stays as it is and is named.
    """
    text, unknown = written, []
    if text.lower().startswith("file:"):
        text = unquote(text[5:])
        text = text[2:] if text.startswith("//") else text
        if re.match(r"^/[A-Za-z]:/", text):
            text = text[1:]
        elif text.startswith("localhost/"):
            text = text[9:]

    def put(found: re.Match[str]) -> str:
        name = found[1] or found[2] or found[3]
        value = (environment or {}).get(name)
        if value is None:
            unknown.append(name)
            return found[0]
        return value

    text = _VARIABLE.sub(put, text)
    if home and (text == "~" or text.startswith(("~/", "~\\"))):
        text = home + text[1:]
    foreign = bool(_DRIVE.match(text) or _SHARE.match(text))
    if foreign or ("\\" in text and "/" not in text):
        text = text.replace("\\", "/")
    absolute = foreign or text.startswith("/")
    return Understood(text, absolute, foreign, tuple(unknown))


def parts_of(text: str) -> tuple[str, ...]:
    """The parts of a path that name something: no root, no drive, no dots."""
    bare = re.sub(r"^[A-Za-z]:(?=/)", "", text.replace("\\", "/") if _DRIVE.match(text) else text)
    return tuple(part for part in bare.split("/") if part not in ("", ".", ".."))


def is_series(text: str) -> bool:
    """Whether a path stands for many files."""
    return _TOKEN.search(text.rsplit("/", 1)[-1]) is not None


@lru_cache(maxsize=4096)
def _pattern(name: str) -> tuple[re.Pattern[str], str]:
    out, at, kind = [], 0, ""
    for token in _TOKEN.finditer(name):
        out.append(re.escape(name[at : token.start()]))
        word = token[0].upper()
        if kind:  # a second token is text
            out.append(re.escape(token[0]))
        elif word == "<UDIM>":
            out.append(r"(?P<n>1\d{3})")
            kind = "tile"
        elif word == "<UVTILE>":
            out.append(r"(?P<n>u\d+_v\d+)")
            kind = "tile"
        else:
            width = int(token[1]) if token[1] else len(word)
            out.append(rf"(?P<n>\d{{{width},}})")
            kind = "frame"
        at = token.end()
    out.append(re.escape(name[at:]))
    return re.compile("".join(out), re.IGNORECASE), kind


def series_kind(name: str) -> str:
    """What a series counts: "tile", "frame", or "" for a single file."""
    return _pattern(name)[1] if is_series(name) else ""


def members(name: str, present: Iterable[str]) -> dict[str, str]:
    """The members of a series among the names of a folder: by what stands for the token, in order."""
    pattern, _ = _pattern(name)
    found = {match["n"]: other for other in present if (match := pattern.fullmatch(other)) is not None}
    return dict(sorted(found.items()))


def member(name: str, which: str) -> str:
    """The name of one member of a series."""
    return _TOKEN.sub(which, name, count=1)


def holes(name: str, found: Iterable[str]) -> tuple[str, ...]:
    """Members that are missing between those that are there: frames between the first and the last; tiles in a row.

    At most 200 are named.
    """
    kind, numbers = series_kind(name), sorted(int(which) for which in found if which.isdigit())
    if not numbers:
        return ()
    there = set(numbers)
    width = min((len(which) for which in found), default=4)
    if kind == "frame":
        wanted: Iterable[int] = range(numbers[0], numbers[-1])
    else:
        rows: dict[int, list[int]] = {}
        for number in numbers:
            rows.setdefault((number - 1001) // 10, []).append(number)
        wanted = (tile for row in rows.values() for tile in range(row[0], row[-1]))
    out = []
    for number in wanted:
        if number not in there:
            out.append(str(number).zfill(width))
            if len(out) == 200:
                break
    return tuple(out)


def shared_tail(one: tuple[str, ...], other: tuple[str, ...]) -> int:
    """How many parts two paths share, counted from the end, whatever the letters' case."""
    count = 0
    for a, b in zip(reversed(one), reversed(other), strict=False):
        if a != b and a.casefold() != b.casefold():
            break
        count += 1
    return count


def shown(text: str) -> str:
    """A path that can be printed on one line, whatever is in its name."""
    printable = text.encode("utf-8", "backslashreplace").decode("utf-8")
    return "".join(sign if sign.isprintable() else f"\\x{ord(sign):02x}" for sign in printable)


def ending(text: str) -> str:
    """The ending of a path, in small letters, with its dot."""
    return PurePosixPath(text).suffix.lower()
