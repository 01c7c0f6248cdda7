"""What a process is at, said in a file, for the one that waits for it."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

AT = "DURVAN_AT"  # names the file


def say(at: str) -> None:
    """Say what is being worked at, where somebody waits to know."""
    file = os.environ.get(AT)
    if file:
        with suppress(OSError):
            Path(file).write_text(at, encoding="utf-8", errors="replace")
