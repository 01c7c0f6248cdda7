"""Start the window."""

from __future__ import annotations

import sys
from pathlib import Path

from PySide6.QtWidgets import QApplication

from durvan.dialects.registry import registry
from durvan.ui.frame.window import Window
from durvan.ui.kit.theme import dress


def main(file: Path | None = None, target: str = "") -> int:
    """Show the window, with a scene if one is named; gives the exit status."""
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)  # nothing else makes one here
    app.setApplicationName("Durvan")
    dress(app)
    window = Window(registry())
    window.show()
    if file is not None:
        window.open(file, target)
    return app.exec()
