"""The roots: folders to look in, in their order; how many files each serves, and which are gone."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QFileDialog, QHBoxLayout, QListWidget, QListWidgetItem, QMenu, QPushButton, QWidget

from durvan.errors import DurvanError
from durvan.files import roots as files
from durvan.files.paths import shown
from durvan.files.roots import Root
from durvan.ui.kit.parts import column, small, title
from durvan.ui.kit.theme import BRIGHT, RULE, SMALL, SOFT, font
from durvan.ui.kit.words import count
from durvan.ui.shared.state import State

_ROOT = Qt.ItemDataRole.UserRole
_FILTER = "Roots (*.txt)"


class Roots(QWidget):
    """The list with its actions. The crossing's own come first; a person's own, for every crossing, after them."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        down = column(self, (0, 0, 0, 0), 3)
        head = QHBoxLayout()
        head.addWidget(title("Roots"))
        self.told = small()
        head.addSpacing(6)
        head.addWidget(self.told, 1)
        down.addLayout(head)
        self.list = _List()
        self.list.setFixedHeight(112)
        self.list.setFont(font(SMALL))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideLeft)
        self.list.setStyleSheet(
            f"QListWidget {{ background: {BRIGHT.name()}; border: 1px solid {RULE.name()}; }} QListWidget::item {{ padding: 3px 4px; }}"
        )
        self.list.setAccessibleName("Roots, in the order in which they are tried")
        self.list.setToolTip(
            "Folders in which files are looked for by their names, from the top. Drag a folder here to add it."
        )
        self.list.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.list.customContextMenuRequested.connect(self._menu)
        self.list.itemChanged.connect(self._switched)
        down.addWidget(self.list)
        across = QHBoxLayout()
        across.setSpacing(4)
        for text, tip, do in (
            ("Add…", "Add a folder to look in. Dragging one onto this station does the same.", self.ask),
            ("Up", "Try it earlier.", lambda: self.shift(-1)),
            ("Down", "Try it later.", lambda: self.shift(1)),
            ("More", "Take away, search below or not, keep for every crossing, write and read lists.", self._more),
        ):
            button = QPushButton(text)
            button.setFont(font(SMALL))
            button.setStyleSheet("QPushButton { padding: 3px 6px; } QPushButton:focus { padding: 2px 5px; }")
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, d=do: d())
            across.addWidget(button)
            self.more = button
        down.addLayout(across)
        state.renewed.connect(self.fill)
        self.filling = False

    # showing

    def own(self) -> list[Root]:
        """The crossing's roots."""
        return list(self.state.session.document.roots) if self.state.session is not None else []

    def fill(self) -> None:
        """Show them as they are now."""
        session = self.state.session
        self.filling = True
        row = self.list.currentRow()
        self.list.clear()
        if session is not None:
            serves = Counter(file.root for file in session.scene.files.values() if file.root)
            own = len(session.document.roots)
            for place, root in enumerate(session.outlook().roots):
                self._add(root, serves[root.folder], place < own)
            self.list.setCurrentRow(min(row, self.list.count() - 1))
            self.told.setText(count(self.list.count(), "folder") if self.list.count() else "none yet")
        self.filling = False

    def _add(self, root: Root, serves: int, own: bool) -> None:
        gone = not root.exists
        said = "gone" if gone else count(serves, "file")
        whose = "" if own else ", in every crossing"
        item = QListWidgetItem(f"{_short(root.folder)}\n{said}{'' if root.deep else ', this folder only'}{whose}")
        item.setData(_ROOT, root)
        served = "The folder does not exist any more." if gone else f"Serves {said}."
        item.setToolTip(f"{shown(root.folder)}\n{served}")
        item.setForeground(SOFT if gone or not root.on else self.palette().text())
        if own:
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if root.on else Qt.CheckState.Unchecked)
        self.list.addItem(item)

    # changing

    def _switched(self, item: QListWidgetItem) -> None:
        row = self.list.row(item)
        own = self.own()
        on = item.checkState() == Qt.CheckState.Checked
        if not self.filling and row < len(own) and own[row].on != on:
            own[row] = Root(own[row].folder, own[row].deep, on)
            self.state.set_roots(own, f"{'Use' if on else 'Rest'} a root")

    def add(self, folder: Path) -> None:
        """Add a folder, as the last of the crossing's own."""
        root = Root(str(folder.absolute()))
        if root.folder not in {one.folder for one in self.own()}:
            self.state.set_roots([*self.own(), root], "Add a root")

    def ask(self) -> None:
        """Ask for a folder and add it."""
        name = QFileDialog.getExistingDirectory(self, "Add a root")
        if name:
            self.add(Path(name))

    def shift(self, step: int) -> None:
        """Try the chosen root earlier or later."""
        own, row = self.own(), self.list.currentRow()
        to = row + step
        if 0 <= row < len(own) and 0 <= to < len(own):
            own[row], own[to] = own[to], own[row]
            self.list.setCurrentRow(to)
            self.state.set_roots(own, "Change the order of the roots")

    def remove(self) -> None:
        """Take the chosen root away."""
        own, row = self.own(), self.list.currentRow()
        if 0 <= row < len(own):
            del own[row]
            self.state.set_roots(own, "Take a root away")

    def deepen(self) -> None:
        """Look below the chosen root too, or not any more."""
        own, row = self.own(), self.list.currentRow()
        if 0 <= row < len(own):
            own[row] = Root(own[row].folder, not own[row].deep, own[row].on)
            self.state.set_roots(own, "Look below a root" if own[row].deep else "Look in a root's own folder only")

    def keep(self) -> None:
        """Keep the roots for every crossing."""
        session = self.state.session
        if session is None:
            return
        try:
            files.save(session.outlook().roots, files.user_file())
        except DurvanError as problem:
            self.state.failed.emit(problem)
            return
        session.user_roots = tuple(files.of_user())
        self.state.set_roots([], "Keep the roots for every crossing")  # other roots: the files are looked up again

    def write(self, file: Path) -> None:
        """Write the list into a text file."""
        session = self.state.session
        try:
            if session is not None:
                files.save(session.outlook().roots, file)
        except DurvanError as problem:
            self.state.failed.emit(problem)

    def read(self, file: Path) -> None:
        """Take the roots of a text file in, behind those that are there."""
        try:
            known = {root.folder for root in self.own()}
            fresh = [root for root in files.load(file) if root.folder not in known]
        except DurvanError as problem:
            self.state.failed.emit(problem)
            return
        self.state.set_roots([*self.own(), *fresh], "Read roots")

    def _menu(self, at: object) -> None:
        self._more()

    def _more(self) -> None:
        menu = QMenu(self)
        own = self.list.currentRow() >= 0 and self.list.currentRow() < len(self.own())
        for text, do, can in (
            ("Take it away", self.remove, own), ("Look below it too, or not", self.deepen, own),
            ("Keep these for every crossing", self.keep, bool(self.own())), ("Write the list…", self._ask_write, True),
            ("Read a list…", self._ask_read, True),
        ):  # fmt: skip
            action = menu.addAction(text)
            action.setEnabled(can)
            action.triggered.connect(lambda _=False, d=do: d())
        menu.exec(self.more.mapToGlobal(self.more.rect().bottomLeft()))

    def _ask_write(self) -> None:
        name, _ = QFileDialog.getSaveFileName(self, "Write the roots", "roots.txt", _FILTER)
        if name:
            self.write(Path(name))

    def _ask_read(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, "Read roots", "", _FILTER)
        if name:
            self.read(Path(name))


class _List(QListWidget):
    """A list that says what to do while it is empty."""

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        if not self.count():
            painter = QPainter(self.viewport())
            painter.setPen(SOFT)
            painter.setFont(font(SMALL))
            box = self.viewport().rect().adjusted(10, 6, -10, -6)
            text = "Drag a folder here, or add one: files that are not where the scene says are looked for in it."
            painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap, text)


def _short(folder: str) -> str:
    """The end of a folder's path, where it differs from others."""
    said = shown(folder)
    return said if len(said) <= 27 else f"…{said[-26:]}"
