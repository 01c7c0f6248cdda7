"""Names that files give, as parts of paths: valid everywhere, each once."""

from __future__ import annotations

import re

_CLEAN = re.compile(r"[^A-Za-z0-9_]")


def clean(name: object, otherwise: str) -> str:
    """A name as a part of a path."""
    found = _CLEAN.sub("_", name).strip("_")[:120] if isinstance(name, str) else ""
    if not found:
        return otherwise
    return found if not found[0].isdigit() else f"_{found}"


class Taken(set[str]):
    """Names that are given away."""

    def __init__(self, *names: str) -> None:
        super().__init__(names)
        self.last: dict[
            str, int
        ] = {}  # the last number behind each name, so that a hundred thousand of one name are no wait


def unique(name: str, taken: Taken) -> str:
    """A name that none has yet, with a number behind it where it is given away; it is taken then."""
    found, number = name, taken.last.get(name, 1)
    while found in taken:
        number += 1
        found = f"{name}_{number}"
    taken.last[name] = number
    taken.add(found)
    return found
