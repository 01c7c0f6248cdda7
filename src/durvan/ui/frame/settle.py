"""Settle: what measurably helps, with the drift before and after, what stays for a person, and one action that lets it stand."""

from __future__ import annotations

from PySide6.QtCore import QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt
from PySide6.QtGui import QPainter, QPen
from PySide6.QtWidgets import (
    QAbstractItemView,
    QDialog,
    QHBoxLayout,
    QHeaderView,
    QProgressBar,
    QPushButton,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from durvan.crossing.looks.trials import DRIFT, THE_LIGHT, Effect, Proposal, Stays
from durvan.ui.followers.settling import Settling
from durvan.ui.kit.parts import column, small, title
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, BRIGHT, INK, RULE, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.kit.words import count, spoken
from durvan.ui.shared.state import Selection, State

_DATA = Qt.ItemDataRole.UserRole
_FAR = 8.0  # the drift at which the scale ends; and stops, a quarter of that
_ROW = 26
Index = QModelIndex | QPersistentModelIndex


class Settle(QDialog):
    """Opened from any station; the rest of the window stays usable."""

    def __init__(self, state: State, settling: Settling, parent: QWidget) -> None:
        super().__init__(parent)
        self.state, self.settling = state, settling
        self.left_out: set[str] = set()
        self.setWindowTitle("Settle · Durvan")
        self.resize(940, 600)
        down = column(self, (20, 16, 20, 16), 8)
        down.addWidget(title("Settle"))
        self.told = small(wrap=True)
        down.addWidget(self.told)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(3)
        down.addWidget(self.bar)
        self.helps = _Table(("", "thing", "what helps", "before → after"), (34, 190, 0, 300), "What measurably helps")
        self.helps.setItemDelegateForColumn(3, _Effects(self.helps, state))
        self.helps.itemChanged.connect(self._ticked)
        self.helps.currentItemChanged.connect(self._look)
        down.addWidget(self.helps, 3)
        self.heading = small()
        down.addWidget(self.heading)
        self.stays = _Table(("thing", "apart", "why it stays with you"), (224, 110, 0), "What stays with you")
        self.stays.currentItemChanged.connect(self._look)
        down.addWidget(self.stays, 2)
        down.addLayout(self._foot())
        settling.told.connect(self.fill)
        state.renewed.connect(self.fill)
        self.fill()

    def _foot(self) -> QHBoxLayout:
        across = QHBoxLayout()
        self.go = QPushButton("Try everything")
        self.go.setToolTip(
            "Tries every remedy and fit that is open, in the background. It can be stopped, and gone on with."
        )
        self.go.clicked.connect(self._go)
        across.addWidget(self.go)
        across.addStretch(1)
        close = QPushButton("Close")
        close.clicked.connect(self.close)
        across.addWidget(close)
        self.take = QPushButton("Let it stand")
        self.take.setProperty("main", True)
        self.take.setFont(font(bold=True))
        self.take.setMinimumWidth(220)
        self.take.setToolTip("Puts all that is ticked into the crossing, as one step; undo takes it back.")
        self.take.clicked.connect(lambda: self.settling.take(self.chosen()))
        across.addWidget(self.take)
        return across

    def chosen(self) -> list[Proposal]:
        """What is ticked."""
        return [one for one in self.settling.proposals() if one.about not in self.left_out]

    def _go(self) -> None:
        if self.settling.running:
            self.settling.stop()
        else:
            self.settling.start()

    def _ticked(self, item: QTreeWidgetItem) -> None:
        one = item.data(0, _DATA)
        if isinstance(one, Proposal):
            off = item.checkState(0) == Qt.CheckState.Unchecked
            self.left_out = (self.left_out | {one.about}) if off else (self.left_out - {one.about})
            self._say()

    def _look(self, item: QTreeWidgetItem | None) -> None:
        one = item.data(0, _DATA) if item is not None else None
        if isinstance(one, Proposal | Stays) and one.about != THE_LIGHT:
            self.state.select(Selection(one.about))

    def _named(self, about: str) -> str:
        session = self.state.session
        thing = session.scene.things.get(about) if session is not None else None
        return spoken(thing.name) if thing is not None else about

    def fill(self) -> None:
        """Show what came of it so far."""
        self.helps.blockSignals(True)
        self.helps.clear()
        for one in self.settling.proposals():
            item = QTreeWidgetItem(["", self._named(one.about), ", then ".join(one.labels), ""])
            item.setData(0, _DATA, one)
            item.setData(3, _DATA, one.effect)
            item.setCheckState(0, Qt.CheckState.Unchecked if one.about in self.left_out else Qt.CheckState.Checked)
            item.setFont(1, font(bold=True))
            item.setToolTip(2, ", then ".join(one.labels))
            item.setText(3, _told(one.effect))
            self.helps.addTopLevelItem(item)
        self.helps.blockSignals(False)
        self.stays.clear()
        stays = [one.stays for one in self.settling.tried if one.stays is not None]
        for left in sorted(stays, key=lambda one: (one.unit, -one.apart)):
            item = QTreeWidgetItem([self._named(left.about), f"{left.apart:.2f} {left.unit}", left.why])
            item.setData(0, _DATA, left)
            item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            item.setToolTip(2, left.why)
            item.setForeground(2, SOFT)
            self.stays.addTopLevelItem(item)
        self._say()

    def _say(self) -> None:
        settling, found, chosen = self.settling, self.settling.proposals(), self.chosen()
        done = settling.of - settling.left
        self.bar.setRange(0, max(settling.of, 1))
        self.bar.setValue(done)
        self.bar.setVisible(settling.running)
        if settling.running:
            text = f"{done} of {settling.of} tried. What helps is shown here as it is found; nothing is changed until you say so."
        elif settling.stale:
            text = "The crossing has changed since this was tried. Try again, and what is known already is not measured again."
        elif settling.tried and settling.left:
            text = f"Stopped: {done} of {settling.of} tried. Going on begins where it stopped."
        elif settling.tried:
            text = f"{count(settling.of, 'thing')} tried, alone and together. Nothing is changed until you say so."
        else:
            text = "Tries every remedy and every fit that is open, measures what each of them does, and keeps only what measurably helps."
        self.told.setText(text)
        self.go.setText(
            "Stop" if settling.running else "Go on" if settling.left and not settling.stale else "Try everything"
        )
        stays = sum(one.stays is not None for one in settling.tried)
        self.heading.setText(f"Stays with you: {stays}" if settling.tried else "Stays with you")
        self.take.setText(f"Let {count(len(chosen), 'change')} stand" if chosen else "Let it stand")
        self.take.setEnabled(bool(chosen) and not settling.stale)
        self.helps.setEnabled(not settling.stale or not found)


def _told(effect: Effect) -> str:
    return f"{effect.before:.2f} → {effect.after:.2f} {effect.unit}"


class _Table(QTreeWidget):
    """A flat table; a width of 0 is what is left over."""

    def __init__(self, heads: tuple[str, ...], wide: tuple[int, ...], name: str) -> None:
        super().__init__()
        self.setHeaderLabels(list(heads))
        self.setRootIsDecorated(False)
        self.setIndentation(0)
        self.setUniformRowHeights(True)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(name)
        self.setStyleSheet(
            f"QTreeView {{ background: {BRIGHT.name()}; }} QTreeView::item {{ height: {_ROW}px; padding: 0 6px; border-bottom: 1px solid {RULE.name()}; }}"
            "QHeaderView::section { padding-left: 9px; }"
            f"QTreeView::indicator {{ width: 11px; height: 11px; border: 1px solid {STRONG_RULE.name()}; background: {BRIGHT.name()}; }}"
            f"QTreeView::indicator:checked {{ background: {INK.name()}; border-color: {INK.name()}; }}"
        )
        head = self.header()
        head.setStretchLastSection(False)
        head.setMinimumSectionSize(20)
        for place, width in enumerate(wide):
            mode = QHeaderView.ResizeMode.Fixed if width else QHeaderView.ResizeMode.Stretch
            head.setSectionResizeMode(place, mode)
            if width:
                head.resizeSection(place, width)


class _Effects(QStyledItemDelegate):
    """Before and after on one scale: an open end where it was, a full one where it comes to, and the limit as a tick."""

    def __init__(self, owner: QWidget, state: State) -> None:
        super().__init__(owner)
        self.state = state

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(300, _ROW)

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        effect = index.data(_DATA)
        if not isinstance(effect, Effect):
            return
        box = QRectF(option.rect)  # type: ignore[attr-defined] # the stubs leave it out
        painter.save()
        chosen = option.widget.selectionModel().isRowSelected(index.row(), QModelIndex())  # type: ignore[attr-defined]
        painter.fillRect(box, ACCENT_WASH if chosen else BRIGHT)
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(int(box.left()), int(box.bottom()) - 1, int(box.right()), int(box.bottom()) - 1)
        scale = box.adjusted(10, 0, -128, 0)
        session = self.state.session
        limit = (
            (session.document.drift_limit if effect.unit == DRIFT else session.document.light_limit) if session else 3.0
        )
        end = _FAR if effect.unit == DRIFT else _FAR / 4.0

        def x(value: float) -> float:
            return scale.left() + scale.width() * min(value / end, 1.0)

        y = box.center().y()
        painter.drawLine(int(scale.left()), int(y), int(scale.right()), int(y))
        painter.setPen(QPen(STRONG_RULE, 1))
        painter.drawLine(int(x(limit)), int(y - 7), int(x(limit)), int(y + 7))
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(INK, 2))
        painter.drawLine(int(x(effect.after)), int(y), int(x(effect.before)), int(y))
        painter.setBrush(BRIGHT)
        painter.drawEllipse(QRectF(x(effect.before) - 4, y - 4, 8, 8))
        painter.setPen(QPen(ACCENT, 2))
        painter.setBrush(ACCENT)
        painter.drawEllipse(QRectF(x(effect.after) - 4, y - 4, 8, 8))
        painter.setPen(INK)
        painter.setFont(font(SMALL))
        painter.drawText(
            QRectF(box.right() - 122, box.top(), 116, box.height()),
            Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, _told(effect),
        )  # fmt: skip
        painter.restore()
