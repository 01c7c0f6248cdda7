"""The table of files: the worst first, each with a small view, its state, how it is read, what it is and who uses it."""

from __future__ import annotations

from typing import Any

from PySide6.QtCore import QAbstractTableModel, QModelIndex, QPersistentModelIndex, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QImage, QKeyEvent, QPainter, QResizeEvent
from PySide6.QtWidgets import (
    QAbstractItemView,
    QHeaderView,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTableView,
)

from durvan.crossing.outside.uses import PictureUse
from durvan.files.paths import shown, understand
from durvan.scene.model import FileState, OutsideFile
from durvan.ui.followers.outside import Outside
from durvan.ui.kit.theme import ACCENT_WASH, BOOTH, INK, LEVEL_INKS, RULE, SMALL, SOFT, font
from durvan.ui.kit.words import bytes_in_words, spoken
from durvan.ui.shared.state import Selection, State
from durvan.ui.stations.files import marks as file_marks

Index = QModelIndex | QPersistentModelIndex
LOOK, FILE, STATE, PLACE, READ, SIZE, USERS = range(7)
_HEADS = ("", "file", "state", "where it is", "read", "size", "used by")
_ROOMY = 1150  # pixels from which there is room to say where a file is
_HEIGHT = 44
_SIDE = 36
_ORDER = {state: place for place, state in enumerate(FileState)}
_LINES = Qt.ItemDataRole.UserRole  # the two lines of a cell: what, and beneath it more, softer
_MARK = Qt.ItemDataRole.UserRole + 1


class Files(QAbstractTableModel):
    """Every file outside the scene; what is drawn is put in words once, when the crossing has changed."""

    def __init__(self, state: State, outside: Outside) -> None:
        super().__init__()
        self.state, self.outside = state, outside
        self.rows: list[OutsideFile] = []
        self.only: FileState | None = None
        self.words = ""
        self.order = (STATE, False)
        self._text: dict[int, tuple[tuple[str, str], ...]] = {}
        self._open: dict[str, int] = {}
        self._misread: dict[str, str] = {}
        self._shown: dict[str, OutsideFile] = {}
        self._uses: dict[str, list[PictureUse]] = {}
        self._chosen: dict[tuple[str, str, str], object] = {}
        self._texts_of: tuple[object, object] = (None, None)
        state.renewed.connect(self.renew)
        state.looked.connect(self.retell)

    def renew(self) -> None:
        """Read the crossing again."""
        session = self.state.session
        self.beginResetModel()
        self._shown = session.scene.files if session is not None else {}
        files = list(self._shown.values())
        self._read_findings()
        words = self.words.casefold()
        self.rows = [
            file
            for file in files
            if (self.only is None or file.state is self.only) and (not words or words in file.written.casefold())
        ]
        self._sort()
        self.endResetModel()

    def retell(self) -> None:
        """More is known of the files; their order stays, so that nothing jumps while somebody reads."""
        session = self.state.session
        if session is not None and session.scene.files is not self._shown:
            self.renew()
            return
        self._read_findings()
        if self.rows:
            self.dataChanged.emit(self.index(0, 0), self.index(len(self.rows) - 1, len(_HEADS) - 1))

    def _read_findings(self) -> None:
        session = self.state.session
        self._open, self._misread = {}, {}
        for finding in session.open_findings() if session is not None else ():
            if finding.code in _MISREAD and finding.file:
                self._misread.setdefault(finding.file, _MISREAD[finding.code])
            if finding.file:
                self._open[finding.file] = min(self._open.get(finding.file, 9), finding.level)
        of = (session.scene.files, session.document.values) if session is not None else (None, None)
        if self._texts_of[0] is not of[0] or self._texts_of[1] is not of[1]:
            self._texts_of, self._text, self._uses = of, {}, {}
            values = session.document.values if session is not None else ()
            self._chosen = {(v.thing, v.node, v.parameter): v.value for v in values}
            for use in (use for many in (session.now.uses if session is not None else {}).values() for use in many):
                self._uses.setdefault(use.written, []).append(use)

    def sort(self, column: int, order: Qt.SortOrder = Qt.SortOrder.AscendingOrder) -> None:
        """Sort by a column; by state it is the worst first."""
        self.order = (column, order == Qt.SortOrder.DescendingOrder)
        self.layoutAboutToBeChanged.emit()
        self._sort()
        self.layoutChanged.emit()

    def _sort(self) -> None:
        column, down = self.order
        keys = {
            FILE: lambda file: file.written.casefold(),
            PLACE: lambda file: file.resolved,
            READ: lambda file: (self._reading(file), file.written),
            SIZE: lambda file: (-file.width * file.height, -file.size),
            USERS: lambda file: (-len(file.users), file.written),
        }
        worst = lambda file: (_ORDER[file.state], self._open.get(file.written, 9), file.written.casefold())  # noqa: E731
        self.rows.sort(key=keys.get(column, worst), reverse=down)

    def misread(self, file: OutsideFile) -> bool:
        """Whether something is open about how a picture is read."""
        return bool(self._misread.get(file.written))

    def lines(self, file: OutsideFile) -> tuple[tuple[str, str], ...]:
        """The two lines of every cell of a row."""
        known = self._text.get(id(file))
        if known is None:
            known = self._text[id(file)] = self._worded(file)
        wrong = self._misread.get(file.written)
        return known if not wrong else (*known[:READ], (known[READ][0], wrong), *known[READ + 1 :])

    def _worded(self, file: OutsideFile) -> tuple[tuple[str, str], ...]:
        said = shown(file.linked or file.written)
        name = understand(said).name
        folder = said[: len(said) - len(name)].rstrip("/\\") if said.endswith(name) else ""
        many = f" · {len(file.members)} members" if file.members else ""
        uses = self._uses.get(file.written, ())
        kinds = ", ".join(dict.fromkeys(str(kind) for use in uses for kind in sorted(use.uses)))
        size = f"{file.width}×{file.height}" if file.width else bytes_in_words(file.size) if file.size else ""
        tiled = f"tiled, {file.mips} mips" if file.tile and file.mips > 1 else "tiled" if file.tile else ""
        depth = " · ".join(part for part in (_DEPTHS.get(file.depth, file.depth), tiled) if part)
        users = list(dict.fromkeys(user[0] for user in file.users))
        first = spoken(users[0].rsplit("/", 1)[-1]) if users else shown(file.sites[0]) if file.sites else ""
        more = f"and {len(users) - 1} more" if len(users) > 1 else "" if users else file.kind.value
        place = file.resolved if file.first and file.resolved != (file.linked or file.written) else ""
        why = shown(file.why) or ("put in its place by hand" if file.linked else "")
        return (
            ("", ""), (name + many, folder if folder not in ("", ".") else "beside the scene"), (file.state.value, why),
            (shown(place), f"by the root {shown(file.root)}" if file.root else ""), (self._reading(file), kinds or file.kind.value),
            (size, depth), (first, more),
        )  # fmt: skip

    def _reading(self, file: OutsideFile) -> str:
        """How a picture is decoded, as a person has chosen it, or as the scene says."""
        return ", ".join(dict.fromkeys(self._decoded(use) for use in self._uses.get(file.written, ())))

    def _decoded(self, use: PictureUse) -> str:
        chosen = self._chosen.get((use.thing, use.node, use.parameter))
        if chosen is None:
            return use.decoded
        return "as colour" if chosen == use.colour else "as data" if chosen == use.data else f"{chosen}"

    def rowCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:  # noqa: B008 - Qt's own signature
        return len(_HEADS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        if orientation == Qt.Orientation.Horizontal and role == Qt.ItemDataRole.DisplayRole:
            return _HEADS[section]
        if role == Qt.ItemDataRole.TextAlignmentRole:
            side = Qt.AlignmentFlag.AlignRight if section == SIZE else Qt.AlignmentFlag.AlignLeft
            return side | Qt.AlignmentFlag.AlignVCenter
        return None

    def data(self, index: Index, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        file = self.rows[index.row()]
        column = index.column()
        if role == Qt.ItemDataRole.DisplayRole:
            return self.lines(file)[column][0]
        if role == _LINES:
            return self.lines(file)[column]
        if role == _MARK:
            return file.state if column == STATE else self.misread(file)
        if role == Qt.ItemDataRole.DecorationRole and column == LOOK:
            return self.outside.small.get(file.first)
        if role == Qt.ItemDataRole.ToolTipRole:
            parts = [shown(file.written)]
            if file.resolved and file.resolved != file.written:
                parts.append(f"→ {shown(file.resolved)}")
            parts.append(f"{file.state.value}: {shown(file.why) or file_marks.MEANINGS[file.state]}")
            return "\n".join(parts)
        return None

    def place(self, written: str) -> int:
        """The row of a file, or −1."""
        return next((row for row, file in enumerate(self.rows) if file.written == written), -1)


# how a picture is read is wrong: what is told beneath it
_MISREAD = {
    "data-as-colour": "but is data", "colour-as-data": "but is colour", "linear-as-colour": "but is linear",
    "wrong-green": "green is turned", "no-normals": "but holds no normals", "normals-elsewhere": "but holds normals",
    "odd-gamma": "", "alpha-multiplied": "alpha is in it",
}  # fmt: skip
_DEPTHS = {
    "uint8": "8 bits",
    "uint16": "16 bits",
    "half": "half",
    "float": "float",
    "uint32": "32 bits",
    "double": "double",
}


def _ground(painter: QPainter, option: QStyleOptionViewItem) -> QRect:
    rect: QRect = option.rect  # type: ignore[attr-defined] # the stubs leave out Qt's public fields
    if option.state & QStyle.StateFlag.State_Selected:  # type: ignore[attr-defined] # the same
        painter.fillRect(rect, ACCENT_WASH)
    painter.setPen(RULE)
    painter.drawLine(rect.bottomLeft(), rect.bottomRight())
    return rect


class Cell(QStyledItemDelegate):
    """Two lines: what, and beneath it more."""

    def __init__(self, parent: QAbstractItemView, right: bool = False) -> None:
        super().__init__(parent)
        self.right = right

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = _ground(painter, option)
        room = rect.adjusted(6, 0, -8, 0)
        side = Qt.AlignmentFlag.AlignRight if self.right else Qt.AlignmentFlag.AlignLeft
        first, second = index.data(_LINES)
        wrong = index.column() == READ and index.data(_MARK)
        for text, place, face, ink in (
            (first, -9, font(bold=index.column() == FILE or wrong), INK),
            (second, 9, font(SMALL), SOFT),
        ):
            painter.setFont(face)
            painter.setPen(LEVEL_INKS[0] if wrong else ink)
            far = (index.column() == FILE and place > 0) or index.column() == PLACE
            mode = Qt.TextElideMode.ElideLeft if far else Qt.TextElideMode.ElideRight
            cut = painter.fontMetrics().elidedText(text, mode, room.width())
            middle = room.adjusted(0, place, 0, place) if second or index.column() == FILE else room
            painter.drawText(middle, side | Qt.AlignmentFlag.AlignVCenter, cut)


class StateCell(QStyledItemDelegate):
    """The state's mark and word, and why."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = _ground(painter, option)
        state = index.data(_MARK)
        first, second = index.data(_LINES)
        y = rect.center().y() - (8 if second else 0)
        file_marks.draw(painter, state, rect.left() + 6, y)
        painter.setPen(file_marks.INKS.get(state, INK))
        painter.setFont(font(bold=state is not FileState.IN_PLACE))
        room = rect.adjusted(48, 0, -6, 0)
        left = Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter
        painter.drawText(room.adjusted(0, -9, 0, -9) if second else room, left, first)
        if second:
            painter.setFont(font(SMALL))
            painter.setPen(SOFT)
            below = rect.adjusted(6, 9, -6, 9)
            painter.drawText(
                below, left, painter.fontMetrics().elidedText(second, Qt.TextElideMode.ElideRight, below.width())
            )


class LookCell(QStyledItemDelegate):
    """The small view on neutral grey."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: Index) -> None:
        rect = _ground(painter, option)
        box = QRect(rect.left() + 6, rect.center().y() - _SIDE // 2, _SIDE, _SIDE)
        painter.fillRect(box, BOOTH)
        seen: QImage | None = index.data(Qt.ItemDataRole.DecorationRole)
        if seen is None:
            return
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        size = seen.size().scaled(box.size(), Qt.AspectRatioMode.KeepAspectRatio)
        painter.drawImage(
            QRect(
                box.center().x() - size.width() // 2 + 1,
                box.center().y() - size.height() // 2 + 1,
                size.width(),
                size.height(),
            ),
            seen,
        )

    def sizeHint(self, option: QStyleOptionViewItem, index: Index) -> QSize:
        return QSize(_SIDE + 12, _HEIGHT)


class FileTable(QTableView):
    """One click looks at a file, a double click or Enter goes to who uses it."""

    def __init__(self, state: State, outside: Outside) -> None:
        super().__init__()
        self.shared = state
        self._followed = ""
        self._following = False
        self.files = Files(state, outside)
        self.setModel(self.files)
        self.setItemDelegate(Cell(self))
        self.setItemDelegateForColumn(LOOK, LookCell(self))
        self.setItemDelegateForColumn(STATE, StateCell(self))
        self.setItemDelegateForColumn(SIZE, Cell(self, right=True))
        self.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.setShowGrid(False)
        self.setMouseTracking(False)
        self.setTabKeyNavigation(False)
        self.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.verticalHeader().hide()
        self.verticalHeader().setDefaultSectionSize(_HEIGHT)
        self.verticalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Fixed)
        head = self.horizontalHeader()
        head.setHighlightSections(False)
        head.setSortIndicatorShown(False)
        head.setSectionsClickable(True)
        head.sectionClicked.connect(self._sort)
        for column, wide in ((LOOK, 50), (STATE, 178), (READ, 122), (SIZE, 92), (USERS, 116)):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Fixed)
            head.resizeSection(column, wide)
        for column in (FILE, PLACE):
            head.setSectionResizeMode(column, QHeaderView.ResizeMode.Stretch)
        self.setColumnHidden(PLACE, True)
        self.setAccessibleName("Files outside the scene, the worst first")
        self.selectionModel().currentRowChanged.connect(self._look)
        self.activated.connect(lambda _: self.go())
        self.files.modelReset.connect(self._follow)
        self._drawing = QTimer(self)
        self._drawing.setSingleShot(True)
        self._drawing.setInterval(60)
        self._drawing.timeout.connect(self._draw)
        self._come: set[str] = set()
        outside.small.came.connect(self._came)
        state.selected.connect(self._follow)

    def _sort(self, column: int) -> None:
        again = self.files.order == (column, False)
        self.files.sort(column, Qt.SortOrder.DescendingOrder if again else Qt.SortOrder.AscendingOrder)

    def _look(self, current: QModelIndex, previous: QModelIndex) -> None:
        if current.isValid() and not self._following:
            file = self.files.rows[current.row()]
            if self.shared.selection.file != file.written:
                self.shared.select(Selection(file.users[0][0] if file.users else "", file=file.written))

    def _came(self, path: str) -> None:
        """Small views come many at a time; they are drawn together."""
        self._come.add(path)
        if not self._drawing.isActive():
            self._drawing.start()

    def _draw(self) -> None:
        come, self._come = self._come, set()
        first, last = self.rowAt(0), self.rowAt(self.viewport().height() - 1)
        for row in range(max(first, 0), (last if last >= 0 else len(self.files.rows) - 1) + 1):
            if self.files.rows[row].first in come:
                self.viewport().update(self.visualRect(self.files.index(row, LOOK)))

    def go(self) -> None:
        """Look at who uses the file."""
        file = self.chosen()
        if file is not None and file.users:
            self.shared.select(Selection(file.users[0][0]))
            self.shared.station_wanted.emit("Facing")

    def chosen(self) -> OutsideFile | None:
        """The file that is looked at."""
        row = self.currentIndex().row()
        return self.files.rows[row] if 0 <= row < len(self.files.rows) else None

    def _follow(self) -> None:
        selection = self.shared.selection
        wanted = selection.file or (selection.finding.file if selection.finding is not None else "")
        row = self.files.place(wanted) if wanted else -1
        self._following = True  # what is shown here follows; it chooses nothing by itself
        if row < 0:
            self.selectionModel().clear()
        elif self.currentIndex().row() != row or not self.selectionModel().hasSelection():
            here = self.verticalScrollBar().value()
            self.selectRow(row)
            if wanted == self._followed:  # it was chosen before, so where somebody has scrolled to stays
                self.verticalScrollBar().setValue(here)
        self._followed = wanted
        self._following = False

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.setColumnHidden(PLACE, self.width() < _ROOMY)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.go()
            return
        super().keyPressEvent(event)
