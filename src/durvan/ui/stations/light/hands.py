"""What a person does to the light, in three panels of which one is in view: trims, rules, settings."""

from __future__ import annotations

from PySide6.QtWidgets import QSizePolicy, QStackedWidget, QWidget

from durvan.ui.kit.parts import column
from durvan.ui.kit.switch import Switch
from durvan.ui.shared.state import State
from durvan.ui.stations.light.rules import Rules
from durvan.ui.stations.light.settings import Settings
from durvan.ui.stations.light.trims import Trims


class Hands(QWidget):
    """The panels and the words that change between them."""

    def __init__(self, state: State) -> None:
        super().__init__()
        down = column(self, (14, 6, 14, 8), 6)
        self.switch = Switch(
            (
                ("trims", "Stops and colours of the target's lights."),
                ("rules", "What light is carried by: setup lights, temperatures, offered suns, white balance."),
                ("settings", "The target's render settings, in sets."),
            ),
            14,
        )
        self.trims, self.rules, self.settings = Trims(state), Rules(state), Settings(state)
        self.stack = QStackedWidget()
        for panel in (self.trims, self.rules, self.settings):
            self.stack.addWidget(panel)
        self.stack.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.switch.turned.connect(lambda word: self.stack.setCurrentIndex(list(self.switch.buttons).index(word)))
        down.addWidget(self.switch)
        down.addWidget(self.stack)
        across = self.switch.layout()
        if across is not None:
            across.addStretch(1)  # type: ignore[attr-defined] # it is a row

    def fill(self) -> None:
        """Follow the crossing; trims follow what was measured besides."""
        self.rules.fill()
        self.settings.fill()
