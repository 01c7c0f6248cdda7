"""What a renderer says while it works."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

STAND_IN, SOURCE = "stand-in of ", "the source's "  # what `by` begins with, where a dialect's stand-in speaks


class Grade(StrEnum):
    """How much a message matters to who says it."""

    NOTE = "note"
    WARNING = "warning"
    ERROR = "error"


@dataclass(frozen=True, order=True)
class Message:
    """One message, as often as it was said; by whom, and about which thing (its path; empty: none that is known)."""

    grade: Grade
    text: str
    count: int = 1
    by: str = "Mitsuba"
    thing: str = ""
