"""Files spoilt at random: other values, lines gone or twice, cut off, a letter exchanged."""

from __future__ import annotations

import random
import re
from typing import Any

ODD: tuple[Any, ...] = (
    None, -1, 0, 1e308, float("nan"), float("inf"), "", [], {}, True, "x", 10**20, [None], {"index": 99}, [[]], 99999, 0.5,
    "data:,", "\ud800", "../../../etc/passwd", "https://example.invalid/c",
)  # fmt: skip
_TEXTS = (
    "", "-1", "nan", "inf", "1e999", "1,2", "x", "99999999999999999999", "true", "日本", "../../../etc/passwd",
    "https://example.invalid/b", "1, 2, 3, 4, 5",
)  # fmt: skip


def text(whole: str, r: random.Random, times: int) -> str:
    """A text in which values in quotes, lines or letters are spoilt."""
    for _ in range(times):
        share = r.random()
        lines = whole.split("\n")
        if share < 0.6:
            found = list(re.finditer(r'"[^"]*"', whole))
            if found:
                one = r.choice(found)
                other = r.choice([*(f'"{said}"' for said in _TEXTS), r.choice(found).group()])
                whole = whole[: one.start()] + other + whole[one.end() :]
        elif share < 0.75 and len(lines) > 3:
            del lines[r.randrange(1, len(lines) - 1)]
            whole = "\n".join(lines)
        elif share < 0.85:
            lines.insert(r.randrange(len(lines)), r.choice(lines))
            whole = "\n".join(lines)
        elif share < 0.9:
            whole = whole[: r.randrange(1, max(len(whole), 2))]
        elif whole:
            place = r.randrange(len(whole))
            whole = whole[:place] + r.choice('<>"&(){}é@') + whole[place + 1 :]
    return whole


def document(said: dict[str, Any], r: random.Random, times: int) -> None:
    """A table of tables and lists in which entries are dropped or exchanged, in place."""
    for _ in range(times):
        here: Any = said
        place: Any = None
        for _ in range(r.randint(1, 7)):
            if not isinstance(here, dict | list) or not here:
                break
            place = r.choice(list(here)) if isinstance(here, dict) else r.randrange(len(here))
            inner = here[place]
            if not isinstance(inner, dict | list) or not inner or r.random() < 0.15:
                break
            here = inner
        if (
            not isinstance(here, dict | list)
            or not here
            or place is None
            or (isinstance(here, dict) and place not in here)
        ):
            continue
        if isinstance(here, list) and not (isinstance(place, int) and place < len(here)):
            continue
        if r.random() < 0.3:
            del here[place]
        else:
            here[place] = r.choice(ODD)
