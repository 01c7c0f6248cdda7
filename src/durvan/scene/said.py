"""What a renderer says while it works."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Grade(StrEnum):
    """How much a message matters to who says it."""

    NOTE = "note"
    WARNING = "warning"
    ERROR = "error"


@dataclass(frozen=True, order=True)
class Message:
    """One message, as often as it was said."""

    grade: Grade
    text: str
    count: int = 1
