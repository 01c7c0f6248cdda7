"""The list of what a scene holds: materials, lights, cameras and settings, each with what becomes of it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt
from PySide6.QtGui import QPainter
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from durvan.crossing.ledger import worst
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.model import Kind, Thing
from durvan.ui import marks
from durvan.ui.state import Selection, State
from durvan.ui.theme import ACCENT_WASH, SMALL, SOFT, font
from durvan.ui.words import spoken

Index = QModelIndex | QPersistentModelIndex
_HEADS = ("name", "is", "worst")
_KINDS = list(Kind)


class Things(QAbstractTableModel):
    """Worst first; within that by kind and by how many objects wear it."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.rows: list[tuple[Thing, dict[Fate, int], Fate | None]] = []
        state.renewed.connect(self.renew)
        state.filtered.connect(self.renew)

    def renew(self) -> None:
        """Read the plan again."""
        self.beginResetModel()
        self.rows = []
        session = self.state.session
        if session is not None:
            for thing in session.scene.things.values():
                counts = session.plan.ledger.tally(thing.id) if session.plan is not None else dict.fromkeys(SHOWN, 0)
                if self.state.fate is None or counts[self.state.fate]:
                    self.rows.append((thing, counts, worst(counts)))
        self.rows.sort(key=self._order)
        self.endResetModel()

    def _order(self, row: tuple[Thing, dict[Fate, int], Fate | None]) -> tuple[int, ...]:
        thing, counts, fate = row
        return (
            -(fate or 0),
            -counts[Fate.HELD],
            -counts[Fate.LOST],
            -counts[Fate.FITTED],
            _KINDS.index(thing.kind),
            -thing.used_by,
        )

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return len(_HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            return Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        thing, counts, fate = self.rows[index.row()]
        column = index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return (spoken(thing.name), thing.kind.value, fate.word if fate is not None else "")[column]
        if role == Qt.ItemDataRole.FontRole:
            return font(bold=True) if column == 0 else font(SMALL)
        if role == Qt.ItemDataRole.ForegroundRole and column == 1:
            return SOFT
        if role == Qt.ItemDataRole.ToolTipRole:
            told = ", ".join(f"{count} {f.word}" for f, count in counts.items() if count)
            return f"{thing.id}\n{sum(counts.values())} values: {told or 'not in scope'}"
        if role == Qt.ItemDataRole.UserRole:
            return fate
        return None

    def place(self, thing: str) -> int:
        """The row of a thing, or −1."""
        return next((place for place, row in enumerate(self.rows) if row[0].id == thing), -1)


class FateDelegate(QStyledItemDelegate):
    """Draws a fate's mark and its word."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect: QRect = option.rect  # type: ignore[attr-defined] # the stubs leave out Qt's public fields
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined] # the same
            painter.fillRect(rect, ACCENT_WASH)
        fate = index.data(Qt.ItemDataRole.UserRole)
        if fate is not None:
            marks.draw(painter, fate, rect.left() + 6, rect.left() + 40, rect.center().y() + 1)
            painter.setFont(font(SMALL))
            painter.drawText(rect.adjusted(48, 0, 0, 0), Qt.AlignmentFlag.AlignVCenter, fate.word)

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(96, 24)


class ThingsView(QTableView):
    """The list; one click looks at a thing, a double click or Enter opens it in Facing."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.shared = state
        self.things = Things(state)
        self.setModel(self.things)
        self.setItemDelegateForColumn(2, FateDelegate(self))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(25)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head = self.horizontalHeader()
        head.setHighlightSections(False)
        head.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column, wide in ((1, 68), (2, 98)):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            head.resizeSection(column, wide)
        self.setAccessibleName("Everything in the scene, worst first")
        self.selectionModel().currentRowChanged.connect(self._look)
        self.activated.connect(lambda _: state.station_wanted.emit("Facing"))
        state.selected.connect(self._follow)
        self.things.modelReset.connect(self._follow)

    def _look(self, current: QModelIndex, previous: QModelIndex) -> None:
        if current.isValid():
            thing = self.things.rows[current.row()][0].id
            if self.shared.selection.thing != thing:
                self.shared.select(Selection(thing))

    def first(self) -> str:
        """The thing at the top of the list: the one to look at first."""
        return self.things.rows[0][0].id if self.things.rows else ""

    def _follow(self) -> None:
        place = self.things.place(self.shared.selection.thing)
        if place < 0:
            self.selectionModel().clear()
        elif self.currentIndex().row() != place or not self.selectionModel().hasSelection():
            self.selectRow(place)
