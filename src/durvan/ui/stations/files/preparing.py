"""Ready textures: tiled copies with mips, where they go, and which of the two the target reads."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PySide6.QtCore import Qt
from PySide6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QGridLayout,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QWidget,
)

from durvan.crossing.document.changes import Choose
from durvan.crossing.outside.readying import work
from durvan.files.copies import CHOICES, DEFAULTS, Settings, Use
from durvan.files.paths import shown
from durvan.files.prepare import Prepared, prepare
from durvan.progress import Report, Step
from durvan.ui.kit.parts import Choice, column, label, small, title
from durvan.ui.kit.theme import SMALL, font
from durvan.ui.kit.words import bytes_in_words
from durvan.ui.shared.state import State

NAME = "Preparing pictures"


class Preparing(QWidget):
    """The form at the side."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.folder = ""
        self.settings: dict[Use, Settings] = dict(DEFAULTS)
        down = column(self, (0, 0, 0, 0), 3)
        down.addWidget(title("Tiled copies"))
        self.where = self._choice(
            "where copies go", "Tiled, with mips: a renderer then reads only the part that it needs."
        )
        self.where.addItem("Beside the originals", "beside")
        self.where.addItem("In a folder…", "folder")
        self.where.activated.connect(self._where)
        down.addWidget(self.where)
        self.reads = self._choice("what the target reads", "Which files the written target names; undo takes it back.")
        self.reads.addItem("Target reads originals", False)
        self.reads.addItem("Target reads copies", True)
        self.reads.activated.connect(self._reads)
        down.addWidget(self.reads)
        across = QHBoxLayout()
        across.setSpacing(4)
        how = QPushButton("How…")
        how.setFont(font(SMALL))
        how.setToolTip("Filter, depth, compression and wrap for each kind of picture.")
        how.clicked.connect(self.ask_settings)
        self.button = QPushButton("Prepare")
        self.button.setToolTip("Make what is missing or out of date; stopping keeps what is finished.")
        self.button.clicked.connect(self.run_or_stop)
        across.addWidget(how)
        across.addWidget(self.button, 1)
        down.addLayout(across)
        self.bar = QProgressBar()
        self.bar.setTextVisible(False)
        self.bar.setFixedHeight(4)
        self.bar.hide()
        down.addWidget(self.bar)
        self.told = small("", wrap=True)
        down.addWidget(self.told)
        state.renewed.connect(self.fill)
        state.busy.connect(self._busy)
        state.progressed.connect(self._progress)
        state.stopped.connect(self._stopped)

    def _choice(self, name: str, tip: str) -> Choice:
        box = Choice()
        box.setFont(font(SMALL, bold=True))
        box.setAccessibleName(name)
        box.setToolTip(tip)
        return box

    @property
    def place(self) -> str:
        """Where copies go: "beside" or a folder."""
        return self.folder or "beside"

    def fill(self) -> None:
        """Show what the crossing says."""
        session = self.state.session
        if session is not None:
            if session.document.copies not in ("", "beside"):
                self.folder = session.document.copies
            self.reads.setCurrentIndex(int(bool(session.document.copies)))
            self.where.setItemText(1, f"In {Path(self.folder).name}" if self.folder else "In a folder…")
            self.where.setCurrentIndex(int(bool(self.folder)))
            self._busy(self.state.working)

    def _where(self) -> None:
        if self.where.currentData() == "folder":
            name = QFileDialog.getExistingDirectory(self, "A folder for the copies", self.folder)
            self.folder = name or self.folder
        else:
            self.folder = ""
        session = self.state.session
        if session is not None and session.document.copies:
            self.state.change("Choose where copies are", Choose(copies=self.place))
        self.fill()

    def _reads(self) -> None:
        copies = self.place if self.reads.currentData() else ""
        name = "Let the target read copies" if copies else "Let the target read originals"
        self.state.change(name, Choose(copies=copies))

    def ask_settings(self) -> None:
        """Ask how each kind of picture is made."""
        dialog = _Settings(self.settings, self)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.settings = dialog.chosen()

    def run_or_stop(self) -> None:
        """Make the copies; while that runs, stop it."""
        session = self.state.begin_or_stop()
        if session is None:
            return
        place, settings = self.place, dict(self.settings)

        def make(report: Report) -> tuple[Prepared, dict[str, str]]:
            found = work(session.scene, session.now.uses, place, session.outlook(), settings)
            return prepare(found.tasks, 0, report), found.passed

        self.told.setText("")
        self.state.run(NAME, make, lambda result: self._made(*result))

    def _made(self, done: Prepared, passed: dict[str, str]) -> None:
        text = f"{len(done.made)} made ({bytes_in_words(done.bytes) or '0 kB'}), {len(done.current)} up to date"
        failed = {**done.failed, **passed}
        if failed:
            first = next(iter(failed.items()))
            text += f"; {len(failed)} not: {shown(Path(first[0]).name)} {first[1]}"
        self.told.setText(text)
        self.state.renew()

    def _busy(self, busy: bool) -> None:
        mine = busy and self.state.doing == NAME
        self.button.setText("Stop" if mine else "Prepare")
        self.button.setEnabled(mine or (not busy and self.state.session is not None))
        self.bar.setVisible(mine)

    def _progress(self, step: Step) -> None:
        if step.doing == NAME:
            self.bar.setRange(0, step.of)
            self.bar.setValue(step.done)
            self.told.setText(f"{step.done} of {step.of}")

    def _stopped(self, name: str) -> None:
        if name == NAME:
            self.told.setText("Stopped; what is finished stays, and the next time goes on from there.")


class _Settings(QDialog):
    """One row for each kind of picture."""

    def __init__(self, settings: dict[Use, Settings], parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("How copies are made")
        down = column(self, gap=10)
        grid = QGridLayout()
        grid.setHorizontalSpacing(10)
        for place, name in enumerate(CHOICES, 1):
            grid.addWidget(small(name), 0, place)
        self.boxes: dict[tuple[Use, str], Choice] = {}
        for row, (use, said) in enumerate(settings.items(), 1):
            grid.addWidget(label(str(use), bold=True), row, 0)
            for place, (name, choices) in enumerate(CHOICES.items(), 1):
                box = Choice()
                box.setMinimumWidth(110)
                box.addItems(list(choices))
                box.setCurrentText(getattr(said, name))
                box.setAccessibleName(f"{name} of {use}")
                self.boxes[use, name] = box
                grid.addWidget(box, row, place)
        down.addLayout(grid)
        down.addWidget(
            small(
                "Colours are filtered in linear light and stay encoded as they were; normals are brought back to unit length in every mip.\n"
                "box is the mean of four pixels, tent weighs sixteen. dwaa is for EXR only.",
                wrap=True,
            )
        )
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        down.addWidget(buttons, 0, Qt.AlignmentFlag.AlignRight)

    def chosen(self) -> dict[Use, Settings]:
        """The settings as they are chosen now."""
        out = dict(DEFAULTS)
        for (use, name), box in self.boxes.items():
            out[use] = replace(out[use], **{name: box.currentText()})
        return out
