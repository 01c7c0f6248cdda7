"""Words beside each other of which one holds; it stands in bold."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QPushButton, QWidget

from durvan.ui.kit.theme import SMALL, font


class Switch(QWidget):
    """The words; `turned` tells which one a hand chose."""

    turned = Signal(str)

    def __init__(self, words: Iterable[tuple[str, str]], gap: int = 10) -> None:
        """`words` are those, each with its tip; the first one holds."""
        super().__init__()
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(gap)
        self._group = QButtonGroup(self)
        self._group.setExclusive(True)
        self.buttons: dict[str, QPushButton] = {}
        for word, tip in words:
            button = QPushButton(word)
            button.setProperty("link", True)
            button.setCheckable(True)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, w=word: self._press(w))
            self._group.addButton(button)
            across.addWidget(button)
            self.buttons[word] = button
        self.word = next(iter(self.buttons), "")
        self.turn(self.word)

    def turn(self, word: str) -> None:
        """Let another word hold."""
        self.word = word
        for each, button in self.buttons.items():
            button.setChecked(each == word)
            button.setFont(font(SMALL, bold=each == word))

    def _press(self, word: str) -> None:
        self.turn(word)
        self.turned.emit(word)
