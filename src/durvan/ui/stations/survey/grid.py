"""The grid of feature families against fates, with counts; a click shows which values a cell counts."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from durvan.scene.fate import SHOWN, Fate
from durvan.scene.vocabulary import FAMILIES
from durvan.ui.kit import marks
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, BODY, INK, INKS, RULE, SMALL, STRONG_RULE, font
from durvan.ui.kit.words import FAMILY_NAMES
from durvan.ui.shared.state import Selection, State

ROW, TALLEST, HEAD, NAME = 25, 32, 42, 116


class Grid(QWidget):
    """Counts by family and fate."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.table: dict[str, dict[Fate, int]] = {}
        self.at: tuple[int, int] | None = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        self.setAccessibleName("What will become of every value, by family and fate")
        self.setToolTip("Each number counts values. A click shows which; arrows and Enter do the same.")
        state.renewed.connect(self.renew)
        state.filtered.connect(self.update)
        state.selected.connect(self.update)

    def renew(self) -> None:
        """Count again."""
        session = self.state.session
        table = session.plan.ledger.grid() if session is not None else {}
        self.table = {family: table[family] for family in FAMILIES if family in table}
        families = max(len(self.table), 1)
        self.setMinimumHeight(HEAD + ROW * families + 6)
        self.setMaximumHeight(HEAD + TALLEST * families + 6)
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        return QSize(460, HEAD + TALLEST * max(len(self.table), 1) + 6)

    @property
    def tall(self) -> float:
        """Height of a row; the grid uses what room there is."""
        return min(max((self.height() - HEAD - 6) / max(len(self.table), 1), ROW), TALLEST)

    def cell(self, family: int, fate: int) -> QRectF:
        """A cell's rectangle."""
        wide = (self.width() - NAME) / len(SHOWN)
        return QRectF(NAME + fate * wide, HEAD + family * self.tall, wide, self.tall)

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        for place, fate in enumerate(SHOWN):
            self._head(painter, place, fate)
        for row, (family, cells) in enumerate(self.table.items()):
            y = HEAD + row * self.tall
            painter.setPen(INK)
            painter.setFont(font(BODY))
            painter.drawText(
                QRectF(0, y, NAME, self.tall), Qt.AlignmentFlag.AlignVCenter, FAMILY_NAMES.get(family, family)
            )
            for place, fate in enumerate(SHOWN):
                self._cell(painter, row, place, family, fate, cells[fate])
            painter.setPen(QPen(RULE, 1))
            painter.drawLine(QPointF(0, y + self.tall), QPointF(self.width(), y + self.tall))

    def _head(self, painter: QPainter, place: int, fate: Fate) -> None:
        box = self.cell(0, place)
        ink = INKS[fate] if self.state.fate in (None, fate) else STRONG_RULE
        marks.draw(painter, fate, box.right() - 40, box.right() - 8, 10.0, ink=ink)
        painter.setPen(ink)
        painter.setFont(font(SMALL))
        painter.drawText(QRectF(box.left(), 18, box.width() - 8, 20), Qt.AlignmentFlag.AlignRight, fate.word)

    def _cell(self, painter: QPainter, row: int, place: int, family: str, fate: Fate, count: int) -> None:
        box = self.cell(row, place)
        if self.state.selection.cell == (family, fate):
            painter.fillRect(box.adjusted(6, 2, -2, -1), ACCENT_WASH)
        if self.hasFocus() and self.at == (row, place):
            painter.setPen(QPen(ACCENT, 2))
            painter.drawRect(box.adjusted(7, 2, -3, -2))
        faint = count == 0 or self.state.fate not in (None, fate)
        painter.setPen(STRONG_RULE if faint else INKS[fate])
        painter.setFont(font(BODY, bold=not faint and fate in (Fate.LOST, Fate.HELD, Fate.FITTED)))
        align = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(box.adjusted(0, 0, -8, 0), align, str(count) if count else "·")

    def _choose(self, row: int, place: int) -> None:
        self.at = (row, place)
        family, cells = list(self.table.items())[row]
        fate = SHOWN[place]
        if cells[fate]:
            self.state.select(Selection(cell=(family, fate)))
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        for row in range(len(self.table)):
            for place in range(len(SHOWN)):
                if self.cell(row, place).contains(event.position()):
                    self._choose(row, place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        moves = {
            Qt.Key.Key_Left: (0, -1),
            Qt.Key.Key_Right: (0, 1),
            Qt.Key.Key_Up: (-1, 0),
            Qt.Key.Key_Down: (1, 0),
        }
        move = moves.get(Qt.Key(event.key()))
        if move is not None and self.table:
            row, place = self.at or (0, 0)
            self.at = (
                min(max(row + move[0], 0), len(self.table) - 1),
                min(max(place + move[1], 0), len(SHOWN) - 1),
            )
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.at is not None:
            self._choose(*self.at)
        else:
            super().keyPressEvent(event)
