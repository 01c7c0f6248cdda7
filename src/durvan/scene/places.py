"""Where relative paths count from."""

from __future__ import annotations

import os


def anchor_of(layer_path: str) -> str:
    """The folder that a file's relative paths count from; of one in a package (`package[inside]`), the package's."""
    return os.path.dirname(layer_path.split("[", 1)[0])  # noqa: PTH120 - a text, of any system's
