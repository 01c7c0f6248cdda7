"""Repair a folder full of scenes: a dry run that is shown, then copies beside them, or in place with backups."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QMessageBox,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from durvan.files import library, repair
from durvan.files.library import SceneRepair
from durvan.files.paths import shown
from durvan.files.resolve import Resolver
from durvan.ui.kit.parts import column, small, title
from durvan.ui.kit.theme import BRIGHT, SOFT, font
from durvan.ui.kit.words import count
from durvan.ui.shared.state import State


class Library(QDialog):
    """The crossing's roots, and the substitutions that its own links teach, tried on every scene of a folder."""

    def __init__(self, state: State, parent: QWidget) -> None:
        super().__init__(parent)
        self.state = state
        self.repairs: list[SceneRepair] = []
        self.setWindowTitle("Repair a library")
        self.resize(860, 520)
        down = column(self, gap=8)
        down.addWidget(title("Repair the scenes of a folder"))
        self.told = small(
            "The roots of this crossing, and the changes of beginnings that its repairs taught, are tried on every scene below a folder.",
            wrap=True,
        )
        down.addWidget(self.told)
        self.tree = QTreeWidget()
        self.tree.setColumnCount(2)
        self.tree.setHeaderLabels(["scene or path", "becomes"])
        self.tree.setStyleSheet(f"QTreeView {{ background: {BRIGHT.name()}; }}")
        self.tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.tree.header().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        down.addWidget(self.tree, 1)
        across = QHBoxLayout()
        self.choose = QPushButton("Choose a folder…")
        self.choose.clicked.connect(self.ask)
        self.copies = QPushButton("Write copies beside them")
        self.copies.clicked.connect(lambda: self.write(False))
        self.place = QPushButton("Change them in place…")
        self.place.setToolTip("The bytes of each are kept in a backup beside it.")
        self.place.clicked.connect(self._confirm)
        close = QPushButton("Close")
        close.clicked.connect(self.reject)
        for button in (self.choose, self.copies, self.place):
            button.setFont(font())
            across.addWidget(button)
        across.addStretch(1)
        across.addWidget(close)
        down.addLayout(across)
        self._ready()

    def ask(self) -> None:
        """Ask for a folder, and try it."""
        name = QFileDialog.getExistingDirectory(self, "A folder with scenes")
        if name:
            self.try_folder(Path(name))

    def try_folder(self, folder: Path) -> None:
        """The dry run: nothing is written."""
        session = self.state.session
        if session is None:
            return
        outlook = session.outlook()
        finder = Resolver((), outlook.roots, outlook.shelf, known=outlook.known)
        rules = list(dict.fromkeys(_taught(session.document.linked())))
        self.state.run(
            "Looking at scenes",
            lambda report: library.dry_run(library.scenes_in([folder]), finder, rules, [folder], report),
            self._tried,
        )

    def _tried(self, repairs: list[SceneRepair]) -> None:
        self.repairs = repairs
        self.tree.clear()
        for one in repairs:
            item = QTreeWidgetItem([shown(str(one.file)), library.told(one)])
            item.setFont(0, font(bold=bool(one.links)))
            for written, to in one.links.items():
                item.addChild(QTreeWidgetItem([shown(written), shown(to)]))
            for file in one.left:
                child = QTreeWidgetItem([shown(file.written), f"stays {file.state.value}"])
                child.setForeground(1, SOFT)
                item.addChild(child)
            self.tree.addTopLevelItem(item)
            item.setExpanded(len(repairs) < 20)
        change = sum(1 for one in repairs if one.links)
        left = sum(len(one.left) for one in repairs)
        self.told.setText(
            f"{count(len(repairs), 'scene')}, {change} would change, {count(left, 'path')} would stay open. Nothing is written yet."
        )
        self._ready()

    def _ready(self) -> None:
        can = any(one.links and not one.problem and one.written is None for one in self.repairs)
        self.copies.setEnabled(can)
        self.place.setEnabled(can)

    def _confirm(self) -> None:
        many = sum(1 for one in self.repairs if one.links)
        answer = QMessageBox.question(
            self, "Durvan", f"Change {count(many, 'scene')} in place? A backup of each is kept beside it."
        )
        if answer == QMessageBox.StandardButton.Yes:
            self.write(True)

    def write(self, in_place: bool) -> None:
        """Write what the dry run found."""
        self.state.run("Writing scenes", lambda report: library.write(self.repairs, in_place, report), self._written)

    def _written(self, done: list[SceneRepair]) -> None:
        good = [one for one in done if one.written is not None]
        bad = [one for one in done if one.written is None]
        self._tried(self.repairs)
        text = f"{count(len(good), 'scene')} written"
        self.told.setText(f"{text}; {len(bad)} not: {bad[0].problem}" if bad else f"{text}.")


def _taught(links: dict[str, str]) -> list[repair.Substitution]:
    out = []
    for written, to in links.items():
        if to.startswith("/"):
            try:
                out.append(repair.learnt(written, to))
            except ValueError:
                continue
    return out
