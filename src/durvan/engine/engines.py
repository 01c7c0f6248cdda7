"""What can render: Durvan itself, and real renderers by the names of their dialects."""

from __future__ import annotations

from enum import StrEnum


class Engine(StrEnum):
    """A renderer. What is not Durvan's own takes scenes in the dialect of its name."""

    PREVIEW = "preview"
    MITSUBA = "mitsuba"
