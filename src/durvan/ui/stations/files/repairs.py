"""Repair paths in bulk: choose how, see what each change would find, and only then apply it, as one command."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import (
    QFileDialog,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QWidget,
)

from durvan.crossing.job.session import Session
from durvan.crossing.outside.lookup import resolver
from durvan.errors import DurvanError
from durvan.files import repair
from durvan.files.paths import shown, understand
from durvan.files.repair import Change, Preview
from durvan.scene.model import FileState, OutsideFile
from durvan.ui.kit.parts import Choice, column, small, title
from durvan.ui.kit.theme import BRIGHT, RULE, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.kit.words import count
from durvan.ui.shared.state import State

_MOST = 2000
_HEIGHT = 216
# way → what is asked for, and what it does in a sentence
WAYS: dict[str, tuple[tuple[str, ...], str]] = {
    "Take what the roots found": ((), "The target names the files where the roots have found them."),
    "Choose among candidates": ((), "By checksum, then by size and resolution, then by the nearest folder."),
    "Learn from one file": (("lies at",), "Point at one file; every other path with the same beginning follows."),
    "Change the beginning": (("old", "new"), "One beginning of paths in the place of another."),
    "Take folders off": (("folders",), "So many folders less at the front; what is left counts from the scene."),
    "Rename": (("old name", "new name"), "* stands for any letters, and for the same ones in the new name."),
    "Make paths relative": ((), "Full paths are written as they are seen from the scene."),
}


class Repairs(QWidget):
    """The form at the side. `previewed` shows what it would do."""

    previewed = Signal(object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.chosen: Callable[[], OutsideFile | None] = lambda: None  # the file that is looked at
        down = column(self, (0, 0, 0, 0), 3)
        down.addWidget(title("Repair"))
        self.way = Choice()
        self.way.setFont(font(bold=True))
        self.way.setAccessibleName("how to repair")
        for place, (name, (_, tip)) in enumerate(WAYS.items()):
            self.way.addItem(name)
            self.way.setItemData(place, tip, Qt.ItemDataRole.ToolTipRole)
        self.way.currentTextChanged.connect(self._asked)
        down.addWidget(self.way)
        self.tip = small("", wrap=True)
        down.addWidget(self.tip)
        self.fields: list[QLineEdit] = []
        for _ in range(2):
            line = QLineEdit()
            line.setFont(font(SMALL))
            line.returnPressed.connect(self.try_it)
            self.fields.append(line)
            down.addWidget(line)
        across = QHBoxLayout()
        across.setSpacing(4)
        self.point = QPushButton("Point…")
        self.point.setToolTip("Choose the file that the selected path means.")
        self.point.clicked.connect(self._point)
        self.button = QPushButton("Preview")
        self.button.setToolTip("See what it would find; nothing is changed yet.")
        self.button.clicked.connect(self.try_it)
        across.addWidget(self.point)
        across.addWidget(self.button, 1)
        down.addLayout(across)
        state.renewed.connect(self._suggest)
        state.selected.connect(self._suggest)
        self._asked()

    def _asked(self) -> None:
        """Show the fields that a way needs."""
        names, tip = WAYS[self.way.currentText()]
        self.tip.setText(tip)
        for place, line in enumerate(self.fields):
            line.setVisible(place < len(names))
            line.setText("")
            line.setPlaceholderText(names[place] if place < len(names) else "")
            line.setAccessibleName(names[place] if place < len(names) else "")
        self.point.setVisible(self.way.currentText() == "Learn from one file")
        self._suggest()

    def _suggest(self) -> None:
        """Fill in what is likely: the dead part of the paths that are open."""
        session = self.state.session
        if session is None or self.fields[0].text():
            return
        states = Counter(file.state for file in session.scene.files.values())
        found = states[FileState.BY_A_ROOT] + states[FileState.LETTER_CASE]
        counts = {"Take what the roots found": found, "Choose among candidates": states[FileState.SEVERAL]}
        if self.way.currentText() in counts:
            number = counts[self.way.currentText()]
            self.tip.setText(
                f"{WAYS[self.way.currentText()][1]} There {'is' if number == 1 else 'are'} {number or 'none'} now."
            )
        open_ = [file.written for file in _unsettled(session) if len(understand(file.written).parts) > 1]
        dead = repair.dead_part(open_)
        way = self.way.currentText()
        if way == "Take folders off" and open_:
            self.fields[0].setText(str(max(1, dead)))
        elif way == "Change the beginning":
            self.fields[0].setText(repair.dead_beginning(open_))
            self.fields[0].setCursorPosition(0)

    def _point(self) -> None:
        file = self.chosen()
        if file is None:
            self.tip.setText("Choose a path in the table first.")
            return
        name, _ = QFileDialog.getOpenFileName(self, f"Where is {shown(understand(file.written).name)}?")
        if name:
            self.fields[0].setText(name)
            self.try_it()

    def preview(self, session: Session) -> Preview:
        """What the form would do. Raises MisuseError when that makes no sense."""
        files = list(session.scene.files.values())
        finder = resolver(session.scene, session.outlook())
        way, said = self.way.currentText(), [line.text().strip() for line in self.fields]
        if way == "Take what the roots found":
            return repair.by_roots(files)
        if way == "Choose among candidates":
            return repair.chosen(files)
        if way == "Make paths relative":
            return repair.relative(files)
        return repair.preview(way, files, self._rule(way, said), finder)

    def _rule(self, way: str, said: list[str]) -> repair.Rewrite:
        if way == "Learn from one file":
            file = self.chosen()
            return repair.learnt(file.written if file is not None else "", said[0])
        if way == "Change the beginning":
            return repair.Substitution(said[0], said[1])
        if way == "Take folders off":
            return repair.stripped(int(said[0]) if said[0].isdigit() else 0)
        return repair.renamed(said[0], said[1])

    def try_it(self) -> None:
        """Work the preview out, and show it."""
        session = self.state.session
        if session is None:
            return
        try:
            file = self.chosen()
            if self.way.currentText() == "Learn from one file" and file is not None and self.fields[0].text():
                rule = repair.learnt(file.written, self.fields[0].text())
                self.tip.setText(f"{rule.old or '(nothing)'} becomes {rule.new}")
            self.state.run("Trying a repair", lambda _: self.preview(session), self.previewed.emit)
        except DurvanError as problem:
            self.tip.setText(str(problem))


def _unsettled(session: Session) -> Iterable[OutsideFile]:
    return (file for file in session.scene.files.values() if file.state not in repair.SETTLED)


class PreviewTable(QWidget):
    """What a repair would do, path by path, with the counts above and one button to apply it."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.now: Preview | None = None
        self.setFixedHeight(_HEIGHT)
        self.setObjectName("repairs")
        self.setStyleSheet(f"#repairs {{ background: {BRIGHT.name()}; border-top: 1px solid {STRONG_RULE.name()}; }}")
        down = column(self, (12, 8, 0, 0), 4)
        across = QHBoxLayout()
        across.setContentsMargins(0, 0, 12, 0)
        across.setSpacing(8)
        self.head = title("Preview")
        across.addWidget(self.head)
        self.told = small()
        across.addWidget(self.told, 1)
        self.button = QPushButton("Apply")
        self.button.setFont(font(bold=True))
        self.button.clicked.connect(self.apply)
        away = QPushButton("Leave it")
        away.clicked.connect(self.leave)
        across.addWidget(away)
        across.addWidget(self.button)
        down.addLayout(across)
        self.tree = QTreeWidget()
        self.tree.setColumnCount(3)
        self.tree.setHeaderLabels(["now", "then", "is found"])
        self.tree.setRootIsDecorated(False)
        self.tree.setUniformRowHeights(True)
        self.tree.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.tree.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.tree.setAccessibleName("What the repair would change")
        self.tree.setStyleSheet(
            f"QTreeView::item {{ height: 20px; padding: 1px 4px; border-bottom: 1px solid {RULE.name()}; }}"
        )
        head = self.tree.header()
        for place in (0, 1):
            head.setSectionResizeMode(place, QHeaderView.ResizeMode.Stretch)
        head.setSectionResizeMode(2, QHeaderView.ResizeMode.Fixed)
        head.resizeSection(2, 228)
        down.addWidget(self.tree, 1)
        self.hide()

    def show_it(self, found: Preview) -> None:
        """Show a preview."""
        self.now = found
        self.tree.clear()
        order = sorted(found.changes, key=lambda change: (not change.worsens, change.resolves, change.written))
        for change in order[:_MOST]:
            self.tree.addTopLevelItem(_row(change))
        counts = found.counts()
        good, links = len(found.resolved), found.links()
        parts = [f"{count(len(found.changes), 'path')}", f"{good} would be found"]
        if found.ambiguous:
            parts.append(f"{len(found.ambiguous)} ambiguous")
        parts += [
            f"{number} {state.value}"
            for state, number in counts.items()
            if state.value in ("absent", "outside, not read")
        ]
        if found.worse:
            parts.append(f"{len(found.worse)} left alone, as they are found now")
        settled = [
            change for change in found.changes if change.before in repair.SETTLED and change.after in repair.SETTLED
        ]
        self.links = found.links(True) if settled and not good else links
        self.head.setText(found.name)
        self.told.setText(", ".join(parts) if found.changes else "nothing would change")
        self.button.setText(f"Apply to {count(len(self.links), 'path')}" if self.links else "Apply")
        self.button.setEnabled(bool(self.links))
        self.show()
        if self.links:
            self.button.setFocus()

    def apply(self) -> None:
        """Do it, as one command."""
        if self.now is not None:
            self.state.relink(self.links, self.now.name)
        self.leave()

    def leave(self) -> None:
        """Put the preview away; nothing is changed."""
        self.now = None
        self.hide()


def _row(change: Change) -> QTreeWidgetItem:
    said = change.why and change.after not in repair.SETTLED
    found = f"{change.after.value}, {change.why}" if said else change.after.value
    item = QTreeWidgetItem([shown(change.written), shown(change.to), found])
    for place in range(3):
        item.setToolTip(place, (change.written, change.to, change.path)[place])
    if not change.resolves:
        for place in range(3):
            item.setForeground(place, SOFT)
    return item
