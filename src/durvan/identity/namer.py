"""Names of what is made: prims, nodes, pictures, meshes, cameras and lights in other files.

Two things never have the same name, also where letter case or the form of accents does not count; the same thing has the same name
in the next run; and every name can be read, and kept on any file system.
"""

from __future__ import annotations

import hashlib
import re
import unicodedata
from collections.abc import Callable, Iterable

LONGEST = 120  # characters, all of which take one byte: endings and numbers still fit into 255
_CLEAN = re.compile(r"[^A-Za-z0-9_]")
_RESERVED = re.compile(r"(?i)(con|prn|aux|nul|com[0-9]|lpt[0-9])")  # devices on some systems, whatever their ending
_FIRST = 8  # hexadecimal digits behind a name that two things would have


def leaf(path: str) -> str:
    """The last part of a path, for people to read. It tells nothing apart."""
    return path.rstrip("/").rpartition("/")[2] or path


def clean(name: object, otherwise: str) -> str:
    """A name as a part of a path: letters, digits and low lines, no digit first."""
    found = _CLEAN.sub("_", name).strip("_")[:LONGEST] if isinstance(name, str) else ""
    if not found:
        return otherwise
    return found if not found[0].isdigit() else f"_{found}"


def folded(name: str) -> str:
    """What two names have in common that some file systems take for the same."""
    return unicodedata.normalize("NFC", name).casefold()


def _mark(key: str, digits: int) -> str:
    """So many hexadecimal digits that are made of a key; as many as one asks for."""
    return hashlib.shake_128(key.encode("utf-8", "surrogatepass")).hexdigest((digits + 1) // 2)


class Namer:
    """Names for one place: a folder, a scope, a file. A key is what tells a thing from others, mostly its path; a wish is what it would be
    called by itself.

    Of wishes that were told beforehand (`know`), those that several keys have get a mark made of the key behind them, whichever is named
    first, so that names depend neither on an order nor on what else is carried this time. A wish that is taken when it comes gets one, too.
    """

    def __init__(self, reserved: Iterable[str] = (), exact: bool = False) -> None:
        """`exact` takes names for two that differ by letter case or the form of accents alone, as within a file that says so."""
        self._same: Callable[[str], str] = str if exact else folded
        self._names: dict[str, str] = {}
        self._taken: set[str] = {self._same(name) for name in reserved}
        self._wishes: dict[str, set[str]] = {}
        self._last: dict[str, int] = {}  # so that a hundred thousand of one name are no wait

    def know(self, keys: Iterable[tuple[str, str]]) -> None:
        """Know keys and their wishes, with their endings, before any of them is named."""
        for key, wish in keys:
            self._wishes.setdefault(self._same(_safe(wish)), set()).add(key)

    def name(self, key: str, wish: str, ending: str = "") -> str:
        """The name of a key, with an ending that stays as it is; the same whenever it is asked for."""
        known = self._names.get(key)
        if known is not None:
            return known
        wished = _safe(wish)
        found, digits = f"{wished}{ending}", 0
        if len(self._wishes.get(self._same(found), ())) > 1:
            digits = _FIRST
            found = f"{wished}_{_mark(key, digits)}{ending}"
        while self._same(found) in self._taken:
            digits += _FIRST
            found = f"{wished}_{_mark(key, digits)}{ending}"
        self._taken.add(self._same(found))
        self._names[key] = found
        return found

    @property
    def given(self) -> frozenset[str]:
        """The names that are given away, as far as they are told apart."""
        return frozenset(self._taken)

    def numbered(self, wish: str) -> str:
        """A name for one more thing that nothing but its place in an order tells from others: with a number behind it where it is taken."""
        found, number = wish, self._last.get(wish, 1)
        while self._same(found) in self._taken:
            number += 1
            found = f"{wish}_{number}"
        self._last[wish] = number
        self._taken.add(self._same(found))
        return found


def _safe(wish: str) -> str:
    stem, dot, rest = wish.partition(".")
    return f"{stem}_{dot}{rest}" if _RESERVED.fullmatch(stem) else wish
