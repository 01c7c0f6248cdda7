"""What the light of a crossing goes by: names of setup lights, temperatures, where suns are offered, white balance, the limit."""

from __future__ import annotations

import re

from PySide6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QWidget

from durvan.crossing.document.changes import Choose, OfferSun
from durvan.ui.kit.numbers import number_box
from durvan.ui.kit.parts import Choice, small
from durvan.ui.kit.theme import BODY, font
from durvan.ui.shared.state import State

_AS_THEY_ARE = "carried as they are"
_KELVIN = (("coloured for all lights", "all"), ("coloured for white lights", "white"), ("left out", "leave"))
_STANDS = (("strongest light", False), ("a direction", True))


class Rules(QWidget):
    """The panel: a line for each, put in when a hand is done with it."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.filling = False
        self.lines = QGridLayout(self)
        self.lines.setContentsMargins(0, 0, 0, 0)
        self.lines.setVerticalSpacing(5)
        self.lines.setHorizontalSpacing(10)
        self.lines.setColumnStretch(1, 1)
        self._names()
        self._temperatures()
        self._sun()
        self._white_and_limit()
        self.lines.setRowStretch(self.lines.rowCount(), 1)

    def _add(self, text: str, *widgets: QWidget) -> None:
        row = self.lines.rowCount()
        self.lines.addWidget(small(text), row, 0)
        across = QHBoxLayout()
        across.setSpacing(6)
        for place, widget in enumerate(widgets):
            across.addWidget(widget, 1 if place == 0 else 0)
        self.lines.addLayout(across, row, 1)

    def _names(self) -> None:
        self.names = QLineEdit()
        self.names.setFont(font(BODY))
        self.names.setAccessibleName("words in the names of setup lights")
        self.names.setToolTip(
            "A light with one of these as a word of its name is there for setting up: carried, but switched off."
        )
        self.names.editingFinished.connect(self._put_names)
        self._add("setup lights", self.names)

    def _temperatures(self) -> None:
        self.kelvin = Choice(narrow=8)
        self.kelvin.setAccessibleName("temperatures that the target does not know")
        for text, data in (*_KELVIN, (_AS_THEY_ARE, "")):
            self.kelvin.addItem(text, data)
        self.kelvin.activated.connect(lambda _: self._put_kelvin())
        self._add("temperatures", self.kelvin)

    def _sun(self) -> None:
        self.stands = Choice(narrow=8)
        self.stands.setAccessibleName("from where suns are offered")
        self.stands.setToolTip("A sun is offered where nothing lights, or nothing casts shadows. From where?")
        for text, data in _STANDS:
            self.stands.addItem(text, data)
        self.azimuth = number_box("azimuth of an offered sun", (0.0, 360.0), 0, 5.0, "° round")
        self.azimuth.setToolTip("Clockwise from the scene's north: −Z, or +Y in a scene whose Z is up.")
        self.height_ = number_box("height of an offered sun", (0.0, 90.0), 0, 5.0, "° high")
        self.height_.setFixedWidth(76)
        self.azimuth.setFixedWidth(84)
        self.stands.activated.connect(lambda _: self._put_sun())
        for box in (self.azimuth, self.height_):
            box.editingFinished.connect(self._put_sun)
        self._add("suns come from", self.stands, self.azimuth, self.height_)

    def _white_and_limit(self) -> None:
        self.white = number_box("white balance in the light", (999.0, 25000.0), 0, 100.0, " K")
        self.white.setSpecialValueText("the cameras' own")
        self.white.setToolTip(
            "The white balance that the target's light has in its colours, because its cameras have none."
        )
        self.white.setFixedWidth(128)
        self.white.editingFinished.connect(self._put_white)
        self.limit = number_box("difference that is told", (0.05, 20.0), 2, 0.1, " stops")
        self.limit.setToolTip("A light that gives more or less than this at a probe is told as a finding.")
        self.limit.setFixedWidth(96)
        self.limit.editingFinished.connect(self._put_limit)
        row = QWidget()
        across = QHBoxLayout(row)
        across.setContentsMargins(0, 0, 0, 0)
        across.setSpacing(10)
        across.addWidget(self.white)
        across.addStretch(1)
        across.addWidget(small("told from"))
        across.addWidget(self.limit)
        self._add("white balance", row)

    # filling

    def fill(self) -> None:
        """Show what holds."""
        session = self.state.session
        if session is None:
            return
        self.filling = True
        choices = session.document
        target = self.state.registry.get(choices.target)
        self.names.setText(", ".join(choices.setup_names))
        knows = bool(target.identity.abilities.get("kelvin", True))
        self.kelvin.setEnabled(not knows)
        self.kelvin.setToolTip(
            f"{target.title} knows temperatures, so they are carried as they are." if knows
            else f"{target.title} knows no temperatures: whose become a colour?"
        )  # fmt: skip
        self.kelvin.setCurrentIndex(self.kelvin.findData("" if knows else choices.kelvin))
        given = choices.sun_from
        self.stands.setCurrentIndex(int(given is not None))
        for box, value in zip((self.azimuth, self.height_), given or (135.0, 45.0), strict=True):
            box.setEnabled(given is not None)
            box.setValue(value)
        self.white.setValue(choices.balanced or self.white.minimum())
        self.limit.setValue(choices.light_limit)
        self.filling = False

    # hands

    def _choose(self, name: str, change: Choose | OfferSun) -> None:
        if not self.filling and self.state.session is not None:
            self.state.change(name, change)

    def _put_names(self) -> None:
        said = tuple(
            dict.fromkeys(word for part in self.names.text().split(",") if (word := re.sub(r"\s+", " ", part).strip()))
        )
        self._choose("Names of setup lights", Choose(setup_names=said))

    def _put_kelvin(self) -> None:
        self._choose("Temperatures", Choose(kelvin=self.kelvin.currentData() or None))

    def _put_sun(self) -> None:
        place = (self.azimuth.value(), self.height_.value()) if self.stands.currentData() else None
        self._choose("Where suns are offered", OfferSun(place=place))

    def _put_white(self) -> None:
        value = self.white.value()
        self._choose("White balance of the light", Choose(balanced=value if value >= 1000.0 else 0.0))

    def _put_limit(self) -> None:
        self._choose("Difference that is told", Choose(light_limit=self.limit.value()))
