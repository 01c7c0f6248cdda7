"""The camera's view in a window of its own, as large as there is room for, whatever station is shown."""

from __future__ import annotations

from collections.abc import Sequence

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QShowEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from durvan.ui.followers.looks import Looks
from durvan.ui.shared.state import State
from durvan.ui.stations.swatches import Views


class LargerView(QWidget):
    """Both sides by the camera, larger; a press chooses the material under it here, too."""

    def __init__(self, state: State, looks: Looks, actions: Sequence[QAction], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.looks = looks
        self.setWindowTitle("The camera's view · Durvan")
        self.resize(1280, 440)
        down = QVBoxLayout(self)
        down.setContentsMargins(0, 0, 0, 0)
        self.views = Views(state, looks)
        down.addWidget(self.views)
        self.addActions(actions)  # their keys work here, too

    def showEvent(self, event: QShowEvent) -> None:
        """While it is seen, the view is rendered as large."""
        super().showEvent(event)
        self.looks.enlarge(True)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Gone, it needs no more than before."""
        self.looks.enlarge(False)
        super().closeEvent(event)
