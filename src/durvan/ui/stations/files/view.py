"""Files: every file outside the scene, where it is and how it is read; roots, repair in bulk, and tiled copies."""

from __future__ import annotations

from collections import Counter
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QButtonGroup, QHBoxLayout, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from durvan.scene.model import FileState
from durvan.ui.kit.parts import column, link, rule, small, title
from durvan.ui.kit.theme import BRIGHT, PANEL, RULE, SMALL, font
from durvan.ui.kit.words import count
from durvan.ui.stations.files.library import Library
from durvan.ui.stations.files.marks import MEANINGS
from durvan.ui.stations.files.preparing import Preparing
from durvan.ui.stations.files.repairs import PreviewTable, Repairs
from durvan.ui.stations.files.roots import Roots
from durvan.ui.stations.files.table import FileTable
from durvan.ui.stations.station import Action, Bench, View


class Files(View):
    """The station's view."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.state, self.outside = bench.state, bench.outside
        state, outside = self.state, self.outside
        across = QHBoxLayout(self)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(0)
        across.addWidget(self._side())
        across.addWidget(self._middle(), 1)
        state.renewed.connect(self.fill)
        state.looked.connect(self.fill)
        outside.judged.connect(self._tell)
        self.fill()

    def arrive(self) -> None:
        """The table is gone to."""
        self.table.setFocus()

    def menu_entries(self) -> list[Action]:
        """Repairing a library, and looking at the disk."""
        return [
            Action("File", "Repair a library…", "Ctrl+L", self.ask_library),
            Action("Look", "Read the scene and look at its files again", "F5", self.look_again),
        ]

    def look_again(self) -> None:
        """Read the scene again where it has changed, and look at its files."""
        if not self.state.read_again(self.outside.follow):
            self.outside.follow()

    def take_folder(self, folder: Path) -> bool:
        """A folder becomes a root."""
        self.roots.add(folder)
        return True

    def _side(self) -> QWidget:
        side = QScrollArea()
        side.setWidgetResizable(True)
        side.setFixedWidth(232)
        side.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        side.setObjectName("side")
        side.setStyleSheet(
            f"#side {{ background: {PANEL.name()}; border-right: 1px solid {RULE.name()}; }} #sidebody {{ background: {PANEL.name()}; }}"
        )
        body = QWidget()
        body.setObjectName("sidebody")
        down = column(body, (14, 12, 14, 10), 6)
        self.roots = Roots(self.state)
        self.repairs = Repairs(self.state)
        self.preparing = Preparing(self.state)
        for place, part in enumerate((self.roots, self.repairs, self.preparing)):
            if place:
                down.addSpacing(3)
                down.addWidget(rule())
                down.addSpacing(1)
            down.addWidget(part)
        library = link("Repair a library of scenes…", "The same repair for every scene of a folder (Ctrl+L).")
        library.setFont(font(SMALL))
        library.clicked.connect(self.ask_library)
        self.repairs.layout().addWidget(library)  # type: ignore[union-attr] # it has one
        down.addStretch(1)
        side.setWidget(body)
        return side

    def _middle(self) -> QWidget:
        middle = QWidget()
        middle.setObjectName("middle")
        middle.setStyleSheet(f"#middle {{ background: {BRIGHT.name()}; }}")
        down = QVBoxLayout(middle)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        self.table = FileTable(self.state, self.outside)
        self.repairs.chosen = self.table.chosen
        down.addLayout(self._head())
        down.addLayout(self._states())
        down.addWidget(rule())
        down.addWidget(self.table, 1)
        self.preview = PreviewTable(self.state)
        self.repairs.previewed.connect(self.preview.show_it)
        down.addWidget(self.preview)
        return middle

    def _head(self) -> QHBoxLayout:
        head = QHBoxLayout()
        head.setContentsMargins(12, 10, 12, 2)
        head.addWidget(title("Files outside the scene"))
        self.told = small()
        head.addSpacing(8)
        head.addWidget(self.told, 1)
        self.words = QLineEdit()
        self.words.setPlaceholderText("part of a path")
        self.words.setAccessibleName("show only paths that hold this")
        self.words.setToolTip("Show only files whose path holds this.")
        self.words.setFont(font(SMALL))
        self.words.setFixedWidth(140)
        self.words.setClearButtonEnabled(True)
        self.words.textChanged.connect(self._search)
        head.addWidget(self.words)
        return head

    def _states(self) -> QHBoxLayout:
        """One word for each state that there is, to show only those."""
        row = QHBoxLayout()
        row.setContentsMargins(12, 2, 12, 8)
        row.setSpacing(14)
        group = QButtonGroup(self)
        group.setExclusive(True)
        self.filters: dict[FileState | None, QPushButton] = {}
        for state in (None, *FileState):
            button = QPushButton()
            button.setProperty("link", True)
            button.setCheckable(True)
            button.setToolTip(MEANINGS[state] if state is not None else "Every file.")
            button.clicked.connect(lambda _=False, s=state: self.show_only(s))
            group.addButton(button)
            row.addWidget(button)
            self.filters[state] = button
        row.addStretch(1)
        return row

    # showing

    def show_only(self, state: FileState | None) -> None:
        """Show only files of one state, or all."""
        self.table.files.only = state
        self.table.files.renew()
        self.fill()

    def _search(self, words: str) -> None:
        self.table.files.words = words.strip()
        self.table.files.renew()

    def fill(self) -> None:
        """Show the counts as they are now."""
        session = self.state.session
        counts = Counter(file.state for file in session.scene.files.values()) if session is not None else Counter()
        only = self.table.files.only
        if only is not None and not counts[only]:
            self.table.files.only = only = None
            self.table.files.renew()
        for state, button in self.filters.items():
            number = counts[state] if state is not None else sum(counts.values())
            button.setText(f"{state.value} {number}" if state is not None else f"all {number}")
            button.setVisible(state is None or number > 0)
            button.setChecked(state is only)
            button.setFont(font(SMALL, bold=state is only))
        self._tell()

    def _tell(self) -> None:
        session = self.state.session
        if session is None:
            self.told.setText("")
            return
        open_ = session.open_at("Files")
        left = f", {count(self.outside.left, 'picture')} to look at" if self.outside.left else ""
        self.told.setText((f"{open_} open" if open_ else "nothing open") + left)

    def ask_library(self) -> None:
        """Repair a folder full of scenes."""
        if self.state.session is not None:
            Library(self.state, self).open()
