"""Marks of file states: a path that leads to a file, or does not; told by shape, the same in tables and lists."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from durvan.scene.model import FileState
from durvan.ui.kit.theme import BRIGHT, INK, SOFT

WIDE, HIGH = 34, 16
MEANINGS = {
    FileState.IN_PLACE: "It is where the scene says.",
    FileState.BY_A_ROOT: "It is not where the scene says; a root has one of that name.",
    FileState.SEVERAL: "Several files could be the one that is meant.",
    FileState.LETTER_CASE: "Only the case of letters differs; another system may not find it.",
    FileState.OUTDATED: "A tiled copy that is older than what it was made from.",
    FileState.OUTSIDE: "It lies outside of the scene's folders and of every root; it is not read.",
    FileState.UNREADABLE: "It is there, but cannot be read.",
    FileState.ABSENT: "It is nowhere to be found.",
}
BAD = QColor(142, 30, 24)
INKS = {
    FileState.ABSENT: BAD,
    FileState.UNREADABLE: BAD,
    FileState.SEVERAL: BAD,
    FileState.OUTSIDE: BAD,
    FileState.IN_PLACE: SOFT,
}


def draw(painter: QPainter, state: FileState, left: float, y: float) -> None:
    """Draw a state's mark, 34 × 16 pixels, its middle at height `y`."""
    ink = INKS.get(state, INK)
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(ink, 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    _DRAWN[state](painter, left, y, ink)
    painter.restore()


def _box(p: QPainter, x: float, y: float, filled: QColor | None, half: float = 3.5) -> None:
    rect = QRectF(x - half, y - half, 2 * half, 2 * half)
    if filled is not None:
        p.fillRect(rect, filled)
    p.drawRect(rect)


def _in_place(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y), QPointF(x + 25, y))
    _box(p, x + 29, y, ink)


def _by_a_root(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawPolyline([QPointF(x, y - 4), QPointF(x + 12, y - 4), QPointF(x + 12, y + 4), QPointF(x + 25, y + 4)])
    _box(p, x + 29, y + 4, ink, 3.0)


def _several(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y), QPointF(x + 12, y))
    for end in (-4.5, 4.5):
        p.drawPolyline([QPointF(x + 12, y), QPointF(x + 18, y + end), QPointF(x + 26, y + end)])
        _box(p, x + 29, y + end, None, 2.5)


def _letter_case(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y), QPointF(x + 25, y))
    _box(p, x + 29, y, None)
    p.fillRect(QRectF(x + 25.5, y, 7, 3.5), ink)


def _outdated(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y + 2), QPointF(x + 22, y + 2))
    _box(p, x + 29, y - 2, None)
    _box(p, x + 26, y + 2, BRIGHT)


def _outside(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y), QPointF(x + 25, y))
    p.drawLine(QPointF(x + 14, y - 6), QPointF(x + 14, y + 6))
    _box(p, x + 29, y, None)


def _unreadable(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y), QPointF(x + 25, y))
    _box(p, x + 29, y, None)
    p.drawLine(QPointF(x + 25.5, y + 3.5), QPointF(x + 32.5, y - 3.5))


def _absent(p: QPainter, x: float, y: float, ink: QColor) -> None:
    p.drawLine(QPointF(x, y), QPointF(x + 16, y))
    p.drawLine(QPointF(x + 16, y - 4.5), QPointF(x + 16, y + 4.5))


_DRAWN = {
    FileState.IN_PLACE: _in_place, FileState.BY_A_ROOT: _by_a_root, FileState.SEVERAL: _several,
    FileState.LETTER_CASE: _letter_case, FileState.OUTDATED: _outdated, FileState.OUTSIDE: _outside,
    FileState.UNREADABLE: _unreadable, FileState.ABSENT: _absent,
}  # fmt: skip


class StateMark(QWidget):
    """A state's mark by itself."""

    def __init__(self, state: FileState) -> None:
        super().__init__()
        self.state = state
        self.setFixedSize(QSize(WIDE + 2, HIGH))
        self.setToolTip(f"{state.value}: {MEANINGS[state]}")

    def paintEvent(self, event: QPaintEvent) -> None:
        draw(QPainter(self), self.state, 1.0, self.height() / 2)
