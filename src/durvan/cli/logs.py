"""Logging to the user's log folder and to standard error."""

from __future__ import annotations

import logging
from logging.handlers import RotatingFileHandler
from pathlib import Path

import platformdirs


def start(console_level: int) -> None:
    """Set Durvan's logger up once: everything from INFO to a file, `console_level` and up to standard error."""
    logger = logging.getLogger("durvan")
    if logger.handlers:
        return
    logger.setLevel(logging.INFO)
    console = logging.StreamHandler()
    console.setLevel(console_level)
    console.setFormatter(logging.Formatter("durvan: %(message)s"))
    logger.addHandler(console)
    try:
        folder = Path(platformdirs.user_log_dir("durvan"))
        folder.mkdir(parents=True, exist_ok=True)
        file = RotatingFileHandler(folder / "durvan.log", maxBytes=1_000_000, backupCount=2, encoding="utf-8")
    except OSError:
        return  # a log that cannot be kept must not keep anybody from working
    file.setFormatter(logging.Formatter("%(asctime)s %(levelname)s %(name)s: %(message)s"))
    logger.addHandler(file)
