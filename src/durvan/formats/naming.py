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


def unique(name: str, taken: set[str]) -> str:
    """A name that none has yet; it is taken then."""
    found, number = name, 2
    while found in taken:
        found, number = f"{name}_{number}", number + 1
    taken.add(found)
    return found
