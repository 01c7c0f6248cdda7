"""Proof's pictures in a window of their own: on a second screen where there is one."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtGui import QGuiApplication, QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from durvan.ui.stations.proof.canvas import Canvas


class Screen(QWidget):
    """The canvas alone; it shows what the station shows, by the same keys. F11 fills the screen."""

    def __init__(self, canvas: Canvas, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.setWindowTitle("Proof · Durvan")
        self.resize(1280, 760)
        down = QVBoxLayout(self)
        down.setContentsMargins(0, 0, 0, 0)
        self.canvas = canvas
        down.addWidget(self.canvas)

    def show_there(self) -> None:
        """Show it, on another screen than the station's where there is one."""
        screens, parent = QGuiApplication.screens(), self.parentWidget()
        own = parent.screen() if parent is not None else None
        other = next((screen for screen in screens if screen is not own), None)
        if other is not None:
            self.setGeometry(other.availableGeometry())
        self.show()
        self.raise_()
        self.canvas.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_F11:
            self.setWindowState(self.windowState() ^ Qt.WindowState.WindowFullScreen)
        else:
            super().keyPressEvent(event)
