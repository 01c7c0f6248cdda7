"""How long work tells where it is, and how it is told to stop."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(slots=True, frozen=True)
class Step:
    """Where a piece of work is: what it is doing, and how much of how much is done (0 of 0: not known)."""

    doing: str
    done: int = 0
    of: int = 0


# Called now and then from the working thread; raises durvan.errors.Stopped to stop the work.
Report = Callable[[Step], None]


def silent(step: Step) -> None:
    """Report to nobody."""
