"""Trims: stops on all lights, a kind, the environment or one light; the colour that lights are forced to; and matching."""

from __future__ import annotations

from PySide6.QtCore import Qt, Signal
from PySide6.QtWidgets import QHBoxLayout, QPushButton, QSlider, QVBoxLayout, QWidget

from durvan.crossing.document.changes import SetTint, SetTrims
from durvan.crossing.light.report import LightReport, titled
from durvan.crossing.translation.choices import Tinting, Trim
from durvan.crossing.translation.lighting import ENVIRONMENT, EVERYTHING, KIND
from durvan.ui.kit.numbers import number_box
from durvan.ui.kit.parts import Choice, column, link, small
from durvan.ui.kit.theme import BODY, font
from durvan.ui.kit.words import spoken
from durvan.ui.shared.state import State

MOST = 6.0  # stops that the slider goes either way
_STEP = 20  # of the slider, a stop


class Trims(QWidget):
    """The panel. `tried` tells of stops on a subject while a hand moves them; they are put in when it lets go."""

    tried = Signal(str, float)
    matched = Signal(object)

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.filling = False
        down = column(self, (0, 0, 0, 0), 5)
        self._subject(down)
        self._slider(down)
        self._tint(down)
        self._matching(down)
        down.addStretch(1)

    def _subject(self, down: QVBoxLayout) -> None:
        across = QHBoxLayout()
        across.addWidget(small("trim"))
        self.subject = Choice()
        self.subject.setFont(font(bold=True))
        self.subject.setAccessibleName("what is trimmed")
        self.subject.setToolTip(
            "What the trim is on: everything, the environment, all lights of a kind, or one light. They add up."
        )
        self.subject.currentIndexChanged.connect(lambda _: self._follow())
        across.addWidget(self.subject, 1)
        down.addLayout(across)

    def _slider(self, down: QVBoxLayout) -> None:
        across = QHBoxLayout()
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(int(-MOST * _STEP), int(MOST * _STEP))
        self.slider.setPageStep(_STEP // 2)
        self.slider.setTickInterval(_STEP)
        self.slider.setTickPosition(QSlider.TickPosition.TicksBelow)
        self.slider.setAccessibleName("stops")
        self.slider.setToolTip("Stops on the target's light, −6 to +6. The picture follows while you move it.")
        self.box = number_box("stops, as a number", (-30.0, 30.0), 2, 0.1, " stops")
        self.box.setFont(font(bold=True))
        self.slider.valueChanged.connect(self._slid)
        self.slider.sliderReleased.connect(self._put)
        self.box.editingFinished.connect(self._typed)
        across.addWidget(self.slider, 1)
        across.addWidget(self.box)
        down.addLayout(across)

    def _tint(self, down: QVBoxLayout) -> None:
        across = QHBoxLayout()
        across.addWidget(small("colour"))
        self.tint = Choice()
        self.tint.setAccessibleName("colour that is forced")
        self.tint.setToolTip(
            "Leave every light its colour, or force all of them, or only the white ones, to a temperature."
        )
        for text, data in (("as it is", ""), ("white lights to", "white"), ("all lights to", "all")):
            self.tint.addItem(text, data)
        self.kelvin = number_box("temperature", (1000.0, 25000.0), 0, 100.0, " K")
        self.kelvin.setValue(6500.0)
        self.tint.activated.connect(lambda _: self._force())
        self.kelvin.editingFinished.connect(self._force)
        across.addWidget(self.tint, 1)
        across.addWidget(self.kelvin)
        down.addLayout(across)

    def _matching(self, down: QVBoxLayout) -> None:
        down.addSpacing(2)
        self.match = QPushButton("Make the budget match")
        self.match.setFont(font(BODY, bold=True))
        self.match.setToolTip(
            "Trim every light so that each probe gets what it got in the source, as nearly as can be."
        )
        self.match.clicked.connect(lambda: self.matched.emit(()))
        down.addWidget(self.match)
        across = QHBoxLayout()
        self.match_one = link(
            "Only the selected light", "Trim this light alone until the budget matches as nearly as it can."
        )
        self.match_one.clicked.connect(lambda: self.matched.emit((self.state.selection.thing,)))
        self.reset = link("Take all trims away", "Every light as the rules carry it.")
        self.reset.clicked.connect(self._reset)
        across.addWidget(self.match_one)
        across.addStretch(1)
        across.addWidget(self.reset)
        down.addLayout(across)

    # filling

    def fill(self, report: LightReport | None, selected: str) -> None:
        """Offer what can be trimmed; the selected light comes first."""
        session = self.state.session
        if session is None:
            return
        self.filling = True
        now = self.subject.currentData()
        self.subject.clear()
        thing = session.scene.things.get(selected)
        parts = report.parts if report is not None else ()
        if thing is not None and any(part.path == selected for part in parts):
            self.subject.addItem(spoken(thing.name), selected)
        self.subject.addItem("everything", EVERYTHING)
        self.subject.addItem("the environment", ENVIRONMENT)
        for kind in dict.fromkeys(part.what for part in parts if not part.is_environment):
            subject = f"{KIND}{'DistantLight' if kind == 'Daylight' else kind}"
            self.subject.addItem(f"every {titled(kind)}", subject)
        self.subject.setCurrentIndex(max(self.subject.findData(now), 0) if now != selected else 0)
        tint = next((one for one in session.document.tints if one.subject == EVERYTHING), None)
        self.tint.setCurrentIndex(0 if tint is None else 1 if tint.only_white else 2)
        if tint is not None:
            self.kelvin.setValue(tint.kelvin)
        self.kelvin.setEnabled(tint is not None)
        self.match.setEnabled(report is not None)
        self.match_one.setEnabled(report is not None and thing is not None)
        self.reset.setEnabled(bool(session.document.trims))
        self.filling = False
        self._follow()

    def choose(self, subject: str) -> None:
        """Trim something."""
        place = self.subject.findData(subject)
        if place >= 0:
            self.subject.setCurrentIndex(place)

    def _stops(self) -> float:
        session, subject = self.state.session, self.subject.currentData()
        trims = session.document.trims if session is not None else ()
        return next((trim.stops for trim in trims if trim.subject == subject), 0.0)

    def _follow(self) -> None:
        if self.filling:
            return
        self.filling = True
        stops = self._stops()
        self.slider.setValue(round(stops * _STEP))
        self.box.setValue(stops)
        self.filling = False

    # hands

    def _slid(self, place: int) -> None:
        if self.filling:
            return
        self.filling = True
        self.box.setValue(place / _STEP)
        self.filling = False
        self.tried.emit(self.subject.currentData(), place / _STEP)
        if not self.slider.isSliderDown():
            self._put()

    def _typed(self) -> None:
        if not self.filling and abs(self.box.value() - self._stops()) > 1e-6:
            self.filling = True
            self.slider.setValue(round(self.box.value() * _STEP))
            self.filling = False
            self._put()

    def _put(self) -> None:
        """Put the trim in, as one step that can be undone."""
        subject, stops = self.subject.currentData(), self.box.value()
        if subject and abs(stops - self._stops()) > 1e-6:
            self.state.change(
                f"Trim {self.subject.currentText()}", SetTrims(trims=(Trim(subject=subject, stops=stops),))
            )

    def _force(self) -> None:
        how = self.tint.currentData()
        tint = Tinting(subject=EVERYTHING, kelvin=self.kelvin.value(), only_white=how == "white") if how else None
        self.kelvin.setEnabled(bool(how))
        self.state.change("Force a colour" if how else "Leave colours", SetTint(subject=EVERYTHING, tint=tint))

    def _reset(self) -> None:
        session = self.state.session
        if session is not None:
            gone = tuple(Trim(subject=trim.subject, stops=0.0) for trim in session.document.trims)
            self.state.change("Take all trims away", SetTrims(trims=gone))
