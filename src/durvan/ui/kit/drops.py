"""What is dragged inside the window: ready values, from their list onto a material."""

from __future__ import annotations

from PySide6.QtCore import QMimeData
from PySide6.QtGui import QDropEvent

_READY = "application/x-durvan-ready-values"


def ready_values() -> QMimeData:
    """What is dragged when it is ready values: which ones, the list knows."""
    made = QMimeData()
    made.setData(_READY, b"1")
    return made


def is_ready_values(event: QDropEvent) -> bool:
    """Whether that is what is dragged."""
    return event.mimeData().hasFormat(_READY)
