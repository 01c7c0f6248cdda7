"""The camera's view in a window of its own, as large as there is room for, whatever station is shown; and the same really rendered."""

from __future__ import annotations

from collections.abc import Sequence
from importlib.util import find_spec

from PySide6.QtCore import Qt
from PySide6.QtGui import QAction, QCloseEvent, QImage, QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QProgressBar, QPushButton, QVBoxLayout, QWidget

from durvan.engine.engines import Engine
from durvan.ui.followers.judging import Judging, Wish
from durvan.ui.followers.looks import Looks
from durvan.ui.kit.parts import Choice, label, small
from durvan.ui.kit.theme import font
from durvan.ui.shared.state import State
from durvan.ui.stations.swatches import SidePictures, Views

SAMPLES = (16, 64, 256, 1024)
LIMITS = (1, 10, 60)  # minutes a side
_ABSENT = "Mitsuba is not installed; Durvan's extra 'mitsuba' brings it."


class Judgements(SidePictures):
    """Both sides by Mitsuba, as far as they have got."""

    def __init__(self, state: State, judging: Judging) -> None:
        super().__init__(state)
        self.judging = judging
        self.setAccessibleName("Both sides, really rendered by Mitsuba")
        judging.changed.connect(self.update)

    def shown(self, side: str) -> tuple[QImage, int, int] | None:
        return self.judging.pictures.get(side)

    def waits(self, side: str) -> str:
        if side in self.judging.trouble:
            return self.judging.trouble[side]
        if self.judging.here:
            return f"{self.judging.doing}…" if side in ("source", self.judging.side) else "The target follows."
        session = self.state.session
        if session is not None and not session.camera:
            return "There is no camera to see the scene by."
        return "Not rendered yet." if side == "source" else ""


class LargerView(QWidget):
    """Both sides by the camera, larger; a press chooses the material under it here, too. Below, both sides by a real renderer."""

    def __init__(
        self, state: State, looks: Looks, judging: Judging, actions: Sequence[QAction], parent: QWidget
    ) -> None:
        super().__init__(parent, Qt.WindowType.Window)
        self.state, self.looks, self.judging = state, looks, judging
        self.setWindowTitle("The camera's view · Durvan")
        self.resize(1280, 860)
        down = QVBoxLayout(self)
        down.setContentsMargins(0, 0, 0, 0)
        down.setSpacing(0)
        self.views = Views(state, looks)
        down.addWidget(self.views, 1)
        down.addWidget(self._bar())
        self.real = Judgements(state, judging)
        down.addWidget(self.real, 1)
        self.addActions(actions)  # their keys work here, too
        judging.changed.connect(self._say)
        self._say()

    def _bar(self) -> QWidget:
        bar = QWidget()
        down = QVBoxLayout(bar)
        down.setContentsMargins(16, 8, 16, 8)
        down.setSpacing(4)
        across = QHBoxLayout()
        across.setSpacing(10)
        across.addWidget(label("Really rendered by Mitsuba", bold=True))
        self.samples, self.limit = Choice(), Choice()
        for number in SAMPLES:
            self.samples.addItem(f"{number} samples a pixel", number)
        self.samples.setCurrentIndex(1)
        self.samples.setToolTip("How many samples a pixel has when a side is done; more are less noisy.")
        for minutes in LIMITS:
            self.limit.addItem(f"at most {minutes} min a side", 60.0 * minutes)
        self.limit.setCurrentIndex(1)
        self.limit.setToolTip("What takes longer is stopped, and keeps what it has.")
        across.addWidget(self.samples)
        across.addWidget(self.limit)
        self.told = small()
        across.addWidget(self.told, 1)
        self.go = QPushButton("Render")
        self.go.setProperty("main", True)
        self.go.setFont(font(bold=True))
        self.go.setMinimumWidth(140)
        self.go.clicked.connect(self.render_or_stop)
        across.addWidget(self.go)
        down.addLayout(across)
        self.progress = QProgressBar()
        self.progress.setTextVisible(False)
        self.progress.setFixedHeight(3)
        down.addWidget(self.progress)
        self.notes = small(wrap=True)
        down.addWidget(self.notes)
        return bar

    def render_or_stop(self) -> None:
        """Begin, or end what runs."""
        if self.judging.here:
            self.judging.stop()
        else:
            self.judging.start(Wish(int(self.samples.currentData()), float(self.limit.currentData())))

    def _say(self) -> None:
        judging, session = self.judging, self.state.session
        absent = find_spec(Engine.MITSUBA) is None
        ready = session is not None and bool(session.camera) and not absent
        self.go.setEnabled(ready or judging.here)
        self.go.setText("Stop" if judging.here else "Render")
        for box in (self.samples, self.limit):
            box.setEnabled(ready and not judging.here)
        self.progress.setRange(0, max(judging.of, 1) if judging.done or not judging.running else 0)
        self.progress.setValue(judging.done)
        self.progress.setVisible(judging.running)
        self.told.setText(_ABSENT if absent else self._progress())
        self._tell_left_out()

    def _progress(self) -> str:
        judging = self.judging
        if judging.running:
            return (f"{judging.side.capitalize()}: {judging.doing}" if judging.here else judging.doing) + (
                f", {judging.done} of {judging.of} samples" if judging.of else ""
            )
        if judging.stale and judging.pictures:
            return "The crossing has changed since."
        seconds = [f"{one.seconds:.0f} s" for one in judging.found.values()]
        return " and ".join(seconds)

    def _tell_left_out(self) -> None:
        left = self.judging.left_out()
        said = [one.stopped for one in self.judging.found.values() if one.stopped]
        if left:
            names = ", ".join(name.rsplit("/", 1)[-1] for name in list(left)[:6])
            more = f" and {len(left) - 6} more" if len(left) > 6 else ""
            said.append(f"Mitsuba has no words for some of what these are: {names}{more}.")
        self.notes.setText("  ".join(said))
        self.notes.setVisible(bool(said))
        self.notes.setToolTip(
            "\n".join(f"{name.rsplit('/', 1)[-1]}: {'; '.join(why)}" for name, why in list(left.items())[:30])
        )

    def showEvent(self, event: QShowEvent) -> None:
        """While it is seen, the view is rendered as large."""
        super().showEvent(event)
        self.looks.enlarge(True)

    def closeEvent(self, event: QCloseEvent) -> None:
        """Gone, it needs no more than before."""
        self.looks.enlarge(False)
        if self.judging.here:
            self.judging.stop()
        super().closeEvent(event)
