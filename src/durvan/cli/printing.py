"""How texts of a scene, which may hold anything, come to the console."""

from __future__ import annotations

import json
import sys
from typing import Any, TextIO

from rich.console import Console
from rich.markup import escape

from durvan.files.paths import shown

_BACKSLASH = "\\\\"  # two of them before a tag are one that is shown, and the tag stays a tag
_NOTHING = "[none][/none]"


def told(text: str) -> str:
    """A text for a console that knows markup: on one line, without control characters, and never markup itself."""
    line = shown(text)
    body = line.rstrip("\\")
    ending = len(line) - len(body)
    return f"{escape(body)}{_BACKSLASH * ending}{_NOTHING}" if ending else escape(body)


def plain_console(stderr: bool = False) -> Console:
    """The console; lines are as long as they are."""
    return Console(highlight=False, emoji=False, soft_wrap=True, stderr=stderr)


def print_json(data: Any) -> None:
    """Data as JSON on standard output."""
    sys.stdout.write(json.dumps(data, indent=1, ensure_ascii=False, allow_nan=False) + "\n")


def able(stream: TextIO) -> None:
    """Have a stream write what its encoding lacks as escapes, instead of failing at it."""
    if hasattr(stream, "reconfigure"):
        stream.reconfigure(errors="backslashreplace")


def take_any_text() -> None:
    """Make both streams fit for any text."""
    able(sys.stdout)
    able(sys.stderr)
