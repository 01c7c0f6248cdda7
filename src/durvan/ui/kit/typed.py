"""A line in which a value of a parameter is typed."""

from __future__ import annotations

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QLineEdit

from durvan.scene.graph import Value
from durvan.scene.vocabulary import Parameter
from durvan.ui.kit import words
from durvan.ui.kit.theme import font

EDITABLE = ("float", "int", "bool", "color", "vector2", "vector3", "token")


class ValueLine(QLineEdit):
    """`put` gives what was typed, once it is another value that can stand; `told` says why it cannot, or nothing."""

    put = Signal(object)
    told = Signal(str)

    def __init__(self, value: Value | None, parameter: Parameter) -> None:
        super().__init__(words.plain(value))
        self.parameter = parameter
        self.stands = self.text()
        self.setFont(font(bold=True))
        self.editingFinished.connect(self._typed)

    def show_value(self, value: Value | None) -> None:
        """Show another value that stands; what a hand types just now stays."""
        text = words.plain(value)
        if text != self.stands or not self.hasFocus():
            self.setText(text)
        self.stands = text

    def _typed(self) -> None:
        if self.text() == self.stands:
            self.told.emit("")
            return
        typed = words.read(self.text(), self.parameter)
        if isinstance(typed, words.NotRead):
            self.told.emit(typed.why)
            return
        self.told.emit("")
        self.stands = self.text()
        self.put.emit(typed)
