"""Fates: what becomes of a parameter that is carried."""

from __future__ import annotations

from enum import IntEnum


class Fate(IntEnum):
    """What became of a parameter, from the least to the most that a person must know of."""

    KEPT = 0
    RECAST = 1
    ADDED = 2
    BAKED = 3
    FITTED = 4
    LOST = 5
    HELD = 6

    __hash__ = int.__hash__  # an enumeration's own hashes its name anew each time, and fates are counted by the million

    @property
    def word(self) -> str:
        """The fate as people read it."""
        return self.name.lower()

    @property
    def meaning(self) -> str:
        """One sentence, for tooltips and the record."""
        return _MEANINGS[self]


_MEANINGS = {
    Fate.KEPT: "The same meaning and the same number.",
    Fate.RECAST: "Exact, by a formula or another unit.",
    Fate.ADDED: "Not in the source; the target needs it to behave like the source.",
    Fate.BAKED: "A network became a picture.",
    Fate.FITTED: "The closest there is; what remains is measured.",
    Fate.LOST: "The target has no equivalent.",
    Fate.HELD: "Durvan will not decide this; you must.",
}
# In the order that strips, tables and reports show them.
SHOWN = (Fate.KEPT, Fate.RECAST, Fate.FITTED, Fate.BAKED, Fate.ADDED, Fate.LOST, Fate.HELD)
