"""What every command has: its exit status, and JSON in place of text."""

from __future__ import annotations

from typing import Annotated

import typer

CLEAN, OPEN_STOPS, MISUSE = 0, 1, 2
AsJson = Annotated[bool, typer.Option("--json", help="Print JSON to standard output.")]
