"""The list of what a scene holds: materials, lights, cameras and settings, each with what becomes of it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt
from PySide6.QtGui import QPainter, QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from durvan.crossing.translation.ledger import worst
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Thing
from durvan.scene.traits import MaterialKind
from durvan.ui.followers.looks import Looks
from durvan.ui.kit import marks
from durvan.ui.kit.theme import ACCENT_WASH, INK, SMALL, SOFT, font
from durvan.ui.kit.words import spoken
from durvan.ui.shared.state import Selection, State

Index = QModelIndex | QPersistentModelIndex
_HEADS = ("", "name", "drift", "worst")
_LOOK, _NAME, _DRIFT, _WORST = range(4)
_PICTURE, _LARGEST, _AIR = 36, 96, 4
_NAMES = 260  # what names, drifts and fates need
_ROWS = 14  # that should still be seen at once where swatches grow
_LONG = 2000  # things whose list is only read anew while it is seen
_KINDS = list(Kind)


class Things(QAbstractTableModel):
    """Worst first; within that by kind and by how many objects wear it."""

    def __init__(self, state: State, looks: Looks) -> None:
        super().__init__()
        self.state, self.looks = state, looks
        self.weighed = self.by_kind = False
        self.rows: list[tuple[Thing, Mapping[Fate, int], Fate | None]] = []
        self.seen: Callable[[], bool] = lambda: True
        self.stale = False
        state.renewed.connect(self._follow)
        state.filtered.connect(self._follow)
        state.looked.connect(self._follow)

    def _follow(self) -> None:
        """Read the plan again, or, where that is long and nobody sees it, once somebody does."""
        self.stale = len(self.rows) > _LONG and not self.seen()
        if not self.stale:
            self.renew()

    def freshen(self) -> None:
        """Read the plan again if that was put off."""
        if self.stale:
            self.renew()

    def renew(self) -> None:
        """Read the plan again."""
        self.stale = False
        self.beginResetModel()
        self.rows = []
        session = self.state.session
        if session is not None:
            for thing in session.scene.things.values():
                counts = session.plan.ledger.tally(thing.id)
                if self.state.fate is None or counts[self.state.fate]:
                    self.rows.append((thing, counts, worst(counts)))
        self.weighed = session is not None and bool(session.evidence.drifts) and bool(self.looks.shares)
        self.rows.sort(key=self._order)
        self.endResetModel()

    def what(self, thing: Thing) -> str:
        """What a thing is: of a material what it was recognised as, or what a person says."""
        session = self.state.session
        kind = session.kind(thing.id) if session is not None and thing.kind is Kind.MATERIAL else MaterialKind.UNKNOWN
        return kind.value if kind is not MaterialKind.UNKNOWN else thing.kind.value

    def turn_order(self) -> None:
        """Put equal kinds together, or the worst first again."""
        self.by_kind = not self.by_kind
        self.renew()

    def _order(self, row: tuple[Thing, Mapping[Fate, int], Fate | None]) -> tuple[str | float, ...]:
        thing, counts, fate = row
        return (
            f"{_KINDS.index(thing.kind)} {self.what(thing)}" if self.by_kind else "",
            -self.looks.weight(thing.id) if self.weighed else 0.0,
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
        session = self.state.session
        drift = session.drift(thing.id) if session is not None else None
        if role == Qt.ItemDataRole.DisplayRole:
            shown = "" if drift is None else drift.told(1)
            return ("", spoken(thing.name), shown, "")[column]
        if role == Qt.ItemDataRole.DecorationRole and column == _LOOK:
            return self.looks.small.get(thing.id)
        if role == Qt.ItemDataRole.FontRole:
            return font(bold=True) if column in (_NAME, _DRIFT) else font(SMALL)
        if role == Qt.ItemDataRole.TextAlignmentRole and column == _DRIFT:
            return Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter
        if role == Qt.ItemDataRole.StatusTipRole and column == _NAME:
            share = self.looks.shares.get(thing.id)
            return " · ".join([self.what(thing), *([f"{100 * share:.{int(share < 0.01)}f} %"] if share else [])])
        if role == Qt.ItemDataRole.ToolTipRole and column in (_LOOK, _DRIFT) and drift is not None:
            share = self.looks.shares.get(thing.id, 0.0)
            return (
                f"drift {drift.told(2)} ± {drift.noise:.2f} (CIEDE2000): {drift.grade or 'not all of it is measured'}\n"
                f"worst 5 %: {drift.worst:.1f}; most under {drift.lighting} light\n"
                f"covers {100 * share:.1f} % of the camera's picture"
            )
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
            middle = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignHCenter
            marks.draw(painter, fate, rect.left() + 9, rect.right() - 9, rect.center().y() - 7)
            painter.setFont(font(SMALL))
            painter.drawText(rect.adjusted(0, 14, 0, 0), middle, fate.word)

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(56, _PICTURE + _AIR)


class NameDelegate(QStyledItemDelegate):
    """Draws a thing's name, and under it what it is and how much of the picture it covers."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect: QRect = option.rect  # type: ignore[attr-defined] # the stubs leave out Qt's public fields
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined] # the same
            painter.fillRect(rect, ACCENT_WASH)
        room = rect.adjusted(6, 0, -4, 0)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        for place, role, face, ink in (
            (-8, Qt.ItemDataRole.DisplayRole, font(bold=True), INK), (9, Qt.ItemDataRole.StatusTipRole, font(SMALL), SOFT),
        ):  # fmt: skip
            painter.setFont(face)
            painter.setPen(ink)
            text = painter.fontMetrics().elidedText(str(index.data(role)), Qt.TextElideMode.ElideRight, room.width())
            painter.drawText(room.adjusted(0, place, 0, place), left, text)


class PairDelegate(QStyledItemDelegate):
    """Draws both sides' small swatches, touching, as large as the row is high."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect: QRect = option.rect  # type: ignore[attr-defined] # the stubs leave out Qt's public fields
        if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined] # the same
            painter.fillRect(rect, ACCENT_WASH)
        pair = index.data(Qt.ItemDataRole.DecorationRole)
        if pair is None:
            return
        side = rect.height() - _AIR
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        for place, picture in enumerate(pair):
            painter.drawImage(QRect(rect.left() + 4 + place * side, rect.top() + _AIR // 2, side, side), picture)


class ThingsView(QTableView):
    """The list; one click looks at a thing, a double click or Enter opens it in Facing."""

    def __init__(self, state: State, looks: Looks) -> None:
        super().__init__()
        self.shared = state
        self.led = ""
        self.things = Things(state, looks)
        self.setModel(self.things)
        self.things.seen = self.isVisible
        self.setItemDelegateForColumn(_WORST, FateDelegate(self))
        self.setItemDelegateForColumn(_LOOK, PairDelegate(self))
        self.setItemDelegateForColumn(_NAME, NameDelegate(self))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_PICTURE + _AIR)
        self.setTabKeyNavigation(False)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        head = self.horizontalHeader()
        head.setHighlightSections(False)
        head.setSectionResizeMode(_NAME, QHeaderView.ResizeMode.Stretch)
        for column, wide in ((_LOOK, 2 * _PICTURE + 10), (_DRIFT, 54), (_WORST, 56)):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            head.resizeSection(column, wide)
        self.setAccessibleName("Everything in the scene, worst first")
        self.selectionModel().currentRowChanged.connect(self._look)
        self.activated.connect(lambda _: state.station_wanted.emit("Facing"))
        state.selected.connect(self._follow)
        self.things.modelReset.connect(self._follow)

    def showEvent(self, event: QShowEvent) -> None:
        """What was put off is read now."""
        super().showEvent(event)
        self.things.freshen()

    def resizeEvent(self, event: QResizeEvent) -> None:
        """Where there is room, swatches are larger: an eye needs all that it can get."""
        super().resizeEvent(event)
        room = min((self.viewport().width() - _NAMES) // 3, self.viewport().height() // _ROWS - _AIR)
        side = min(max(room, _PICTURE), _LARGEST)
        self.verticalHeader().setDefaultSectionSize(side + _AIR)
        self.horizontalHeader().resizeSection(_LOOK, 2 * side + 10)

    def _look(self, current: QModelIndex, previous: QModelIndex) -> None:
        if current.isValid():
            thing = self.things.rows[current.row()][0].id
            if self.shared.selection.thing != thing:
                self.shared.select(Selection(thing))

    def first(self) -> str:
        """The thing at the top of the list: the one to look at first."""
        self.things.freshen()
        self.led = self.things.rows[0][0].id if self.things.rows else ""
        return self.led

    def session_name(self) -> str:
        """Which scene the list is of."""
        session = self.shared.session
        return session.scene.file if session is not None else ""

    def _follow(self) -> None:
        place = self.things.place(self.shared.selection.thing)
        if place < 0:
            self.selectionModel().clear()
        elif self.currentIndex().row() != place or not self.selectionModel().hasSelection():
            self.selectRow(place)
