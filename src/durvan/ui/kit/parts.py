"""Small widgets that several views use."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QSize, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QLabel,
    QLayout,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from durvan.scene.fate import Fate
from durvan.ui.kit import marks
from durvan.ui.kit.theme import ACCENT, BODY, INK, RULE, SLIP, SMALL, STRONG_RULE, TITLE, font


def label(text: str = "", size: int = BODY, bold: bool = False, soft: bool = False, wrap: bool = False) -> QLabel:
    """A line of text, never read as markup."""
    made = QLabel(text)
    made.setTextFormat(Qt.TextFormat.PlainText)
    made.setFont(font(size, bold))
    made.setWordWrap(wrap)
    made.setProperty("soft", soft)
    if wrap:
        made.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
    return made


def title(text: str) -> QLabel:
    """A heading."""
    return label(text, TITLE, bold=True)


def small(text: str = "", wrap: bool = False) -> QLabel:
    """A small, soft line."""
    return label(text, SMALL, soft=True, wrap=wrap)


def link(text: str, tip: str = "") -> QPushButton:
    """An action that reads as words."""
    made = QPushButton(text)
    made.setProperty("link", True)
    made.setFont(font(BODY, bold=True))
    made.setCursor(Qt.CursorShape.PointingHandCursor)
    made.setToolTip(tip)
    made.setSizePolicy(QSizePolicy.Policy.Maximum, QSizePolicy.Policy.Fixed)
    return made


def rule() -> QFrame:
    """A thin line across."""
    made = QFrame()
    made.setFixedHeight(1)
    made.setStyleSheet(f"background: {RULE.name()};")
    return made


class Choice(QComboBox):
    """A box to choose from, drawn flat: its words and a small angle. With `narrow`, room for so many letters is enough."""

    def __init__(self, narrow: int = 0) -> None:
        super().__init__()
        if narrow:
            self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            self.setMinimumContentsLength(narrow)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        box = self.rect().adjusted(0, 0, -1, -1)
        painter.fillRect(box, SLIP)
        focus = self.hasFocus()
        painter.setPen(QPen(ACCENT if focus else STRONG_RULE, 2 if focus else 1))
        painter.drawRect(box.adjusted(1, 1, 0, 0) if focus else box)
        painter.setPen(QPen(INK if self.isEnabled() else STRONG_RULE, 1.4))
        painter.setFont(self.font())
        room = box.adjusted(9, 0, -24, 0)
        text = painter.fontMetrics().elidedText(self.currentText(), Qt.TextElideMode.ElideRight, room.width())
        painter.drawText(room, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        x, y = box.right() - 14, box.center().y()
        painter.drawPolyline([QPointF(x - 4, y - 2), QPointF(x, y + 2), QPointF(x + 4, y - 2)])


class Mark(QWidget):
    """A fate's mark by itself."""

    def __init__(self, fate: Fate, wide: int = 34) -> None:
        super().__init__()
        self.fate = fate
        self.setFixedSize(QSize(wide, 16))
        self.setToolTip(f"{fate.word}: {fate.meaning}")

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        marks.draw(painter, self.fate, 1.0, self.width() - 1.0, 8.0)


def column(parent: QWidget, margins: tuple[int, int, int, int] = (16, 14, 16, 14), gap: int = 4) -> QVBoxLayout:
    """A column of widgets."""
    made = QVBoxLayout(parent)
    made.setContentsMargins(*margins)
    made.setSpacing(gap)
    return made


def table_of(pairs: list[tuple[str, str, str]]) -> QWidget:
    """Names, what is said, and units: one pair a line. Numbers end in one line; words may go on where units stand."""
    table = QGridLayout()
    table.setContentsMargins(0, 4, 0, 4)
    table.setHorizontalSpacing(8)
    table.setVerticalSpacing(3)
    table.setColumnStretch(1, 1)
    for place, (name, said, unit) in enumerate(pairs):
        table.addWidget(small(name), place, 0, Qt.AlignmentFlag.AlignTop)
        text = label(said, bold=True, wrap=True)
        text.setAlignment(Qt.AlignmentFlag.AlignRight)
        text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        words = not unit and not any(letter.isdigit() for letter in said)
        table.addWidget(text, place, 1, 1, 2 if words else 1)
        if not words:
            table.addWidget(small(unit), place, 2, Qt.AlignmentFlag.AlignTop)
    holder = QWidget()
    holder.setLayout(table)
    return holder


def breakable(text: str) -> str:
    """A path or a formula that a narrow panel may break at its marks."""
    for mark in "_/(.":
        text = text.replace(mark, f"{mark}\u200b")
    return text


def clear(layout: QLayout) -> None:
    """Take everything out of a layout."""
    while layout.count():
        item = layout.takeAt(0)
        if item is None:
            return
        widget, inner = item.widget(), item.layout()
        if widget is not None:
            widget.hide()
            widget.deleteLater()
        elif inner is not None:
            clear(inner)
