"""A stranger's station: a view and an entry, and the window has it: row, keys, menus, Evidence, dropped folders."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QVBoxLayout

from durvan.ui.frame import window as frame
from durvan.ui.frame.window import Window
from durvan.ui.kit.parts import column, label
from durvan.ui.shared.state import Selection
from durvan.ui.stations.station import Action, Bench, Explained, Station, View
from durvan.ui.stations.table import STATIONS
from windows import shown


class Tides(View):
    """A station that knows the tide."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self.state, self.rang, self.folders = bench.state, 0, []
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.told = label("no scene")
        column(self).addWidget(self.told)
        bench.state.renewed.connect(self.fill)

    def fill(self) -> None:
        self.told.setText(f"{len(self.state.session.scene.things)} things at high water")

    def arrive(self) -> None:
        self.setFocus()

    def menu_entries(self) -> list[Action]:
        return [Action("Look", "Ring the bell", "Ctrl+B", self.ring)]

    def ring(self) -> None:
        self.rang += 1

    def take_folder(self, folder: Path) -> bool:
        self.folders.append(folder)
        return True


class Water(Explained):
    """What it says of anything called like the sea."""

    def __init__(self, bench: Bench) -> None:
        self.state = bench.state

    def about(self, selection: Selection) -> bool:
        return selection.thing.endswith("WetSlate") and selection.row is None

    def fill(self, down: QVBoxLayout, selection: Selection) -> None:
        down.addWidget(label("It is wet at high water."))


@pytest.fixture
def window(qtbot, packs, monkeypatch) -> Iterator[Window]:
    monkeypatch.setattr(frame, "STATIONS", (*STATIONS, Station("Tides", Tides, Water)))
    with shown(packs, rendering=False, judging=False) as made:
        qtbot.waitExposed(made)
        yield made


def texts(window: Window) -> str:
    return "\n".join(one.text() for one in window.evidence.findChildren(QLabel))


def test_a_station_is_one_entry(window: Window, qtbot, lamproom: Path) -> None:
    assert list(window.buttons) == ["Survey", "Files", "Facing", "Light", "Proof", "Tides"]
    window.open(lamproom)
    qtbot.waitUntil(lambda: window.state.session is not None and window.state.job is None, timeout=20_000)
    tides = window.stations["Tides"]
    qtbot.keyClick(window, Qt.Key.Key_6, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.views.currentWidget() is tides, timeout=5_000)
    assert tides.hasFocus() and tides.told.text() == "43 things at high water" and window.buttons["Tides"].isChecked()
    entry = next(a for a in window.menuBar().actions()[2].menu().actions() if a.text() == "Ring the bell")
    entry.trigger()
    assert tides.rang == 1 and entry.shortcut().toString() == "Ctrl+B"
    window.state.select(Selection("/LampRoom/Looks/WetSlate"))
    assert "It is wet at high water." in texts(window)
    window.state.select(Selection("/LampRoom/Looks/PedestalBrass"))
    qtbot.waitUntil(lambda: "It is wet at high water." not in texts(window), timeout=5_000)
    assert "Pedestal brass" in texts(window)
    window.grab()
