"""The panels of rules and settings: what a hand puts there stands in the document, in the plan and in what is written."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QImage
from PySide6.QtWidgets import QInputDialog, QLabel, QLineEdit

from durvan.crossing.document.document import Document
from durvan.crossing.exchange.intake import open_scene
from durvan.ui.frame.window import Window
from durvan.ui.shared.state import Selection
from durvan.ui.stations.light.hands import Hands
from durvan.ui.stations.light.view import Light

SCENE = Path(__file__).parents[3] / "demo" / "boathouse" / "boathouse.usda"
LEFT = Qt.MouseButton.LeftButton


@pytest.fixture
def house(window: Window, qtbot, ready: Callable[[], None]) -> Window:
    """The boat house in a window, at its Light station."""
    window.open(SCENE)
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    ready()
    window.go("Light")
    return window


def hands(window: Window) -> Hands:
    light = window.stations["Light"]
    assert isinstance(light, Light)
    return light.hands


def document(window: Window) -> Document:
    session = window.state.session
    assert session is not None
    return session.document


def turned_to(window: Window, qtbot, word: str) -> Hands:
    panel = hands(window)
    qtbot.mouseClick(panel.switch.buttons[word], LEFT)
    return panel


def typed(qtbot, line: QLineEdit, text: str) -> None:
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, text)
    qtbot.keyClick(line, Qt.Key.Key_Return)


def samples(window: Window) -> dict[str, object]:
    """The target's settings as they are planned."""
    session = window.state.session
    assert session is not None
    root = next(
        one.graph.root for one in session.plan.translations.values() if one.graph.root and one.graph.root.kind == "pellune.settings"
    )  # fmt: skip
    return {name: root.values.get(name) for name in ("samples", "noise_target", "size", "time_limit")}


def test_a_word_changes_the_panel(house: Window, qtbot) -> None:
    panel = hands(house)
    assert panel.trims.isVisible() and not panel.rules.isVisible()
    turned_to(house, qtbot, "rules")
    assert panel.rules.isVisible() and not panel.trims.isVisible()
    assert panel.switch.buttons["rules"].font().bold() or panel.switch.buttons["rules"].font().weight() > 500
    turned_to(house, qtbot, "settings")
    assert panel.settings.isVisible() and not panel.rules.isVisible()


def test_names_of_setup_lights_are_edited(house: Window, qtbot, ready: Callable[[], None]) -> None:
    """Another word lets the setup light shine and keeps the hull light off; undone, all is as before."""
    session = house.state.session
    assert session is not None
    rules = turned_to(house, qtbot, "rules").rules
    assert rules.names.text() == "setup, temp, test, helper, wip, blocking"

    def off() -> set[str]:
        return {
            name for name, one in session.plan.translations.items() if one.inputs is not None and one.inputs.light.off
        }

    before = off()
    typed(qtbot, rules.names, "hull,  Bench bulb , hull,")
    ready()
    assert document(house).setup_names == ("hull", "Bench bulb")
    assert {name.rpartition("/")[2] for name in off()} == {"HullLight", "BenchBulb"}
    house.state.undo()
    ready()
    assert off() == before and rules.names.text() == "setup, temp, test, helper, wip, blocking"


def test_a_limit_and_a_white_balance_are_put(house: Window, qtbot, ready: Callable[[], None]) -> None:
    rules = turned_to(house, qtbot, "rules").rules
    rules.limit.setValue(1.25)
    rules.limit.editingFinished.emit()
    ready()
    assert document(house).light_limit == 1.25
    assert rules.white.text() == "the cameras' own"
    rules.white.setValue(4000)
    rules.white.editingFinished.emit()
    ready()
    assert document(house).balanced == 4000.0
    session = house.state.session
    assert session is not None
    lamp = session.plan.translations["/BoatHouse/Lights/RidgeTube"]
    assert any("4000 K" in row.why.said for row in lamp.rows)
    rules.white.setValue(rules.white.minimum())
    rules.white.editingFinished.emit()
    ready()
    assert document(house).balanced == 0.0


def test_a_direction_for_offered_suns(house: Window, qtbot, ready: Callable[[], None]) -> None:
    rules = turned_to(house, qtbot, "rules").rules
    assert not rules.azimuth.isEnabled()
    rules.stands.setFocus()
    qtbot.keyClick(rules.stands, Qt.Key.Key_Down)
    ready()
    assert document(house).sun_from == (135.0, 45.0) and rules.azimuth.isEnabled()
    rules.azimuth.setValue(270.0)
    rules.azimuth.editingFinished.emit()
    ready()
    assert document(house).sun_from == (270.0, 45.0)
    house.state.undo()
    house.state.undo()
    ready()
    assert document(house).sun_from is None and not rules.azimuth.isEnabled()


def test_temperatures_can_only_be_chosen_where_the_target_knows_none(house: Window, qtbot) -> None:
    rules = turned_to(house, qtbot, "rules").rules
    assert not rules.kelvin.isEnabled() and rules.kelvin.currentText() == "carried as they are"
    assert "Pellune knows temperatures" in rules.kelvin.toolTip()


def test_a_quick_and_a_final_set(house: Window, qtbot, ready: Callable[[], None], tmp_path: Path) -> None:
    """Made, switched, named, filled by typing, written, and taken away again."""
    settings = turned_to(house, qtbot, "settings").settings
    assert settings.sets.count() == 1 and settings.start.isVisible() and not settings.drop.isVisible()
    carried = samples(house)
    assert carried["samples"] == 100 and settings.lines["samples"].text() == "100"
    qtbot.mouseClick(settings.start, LEFT)
    ready()
    assert [settings.sets.itemText(n) for n in range(settings.sets.count())] == ["as carried", "quick", "final"]
    assert settings.sets.currentText() == "final" and samples(house) == carried
    settings.sets.setFocus()
    qtbot.keyClick(settings.sets, Qt.Key.Key_Up)
    ready()
    assert document(house).in_use == "quick"
    assert samples(house) == {"samples": 6, "noise_target": pytest.approx(4 * float(carried["noise_target"])), "size": (640.0, 400.0), "time_limit": None}  # type: ignore[arg-type] # fmt: skip
    assert settings.lines["size"].text() == "640 400"
    typed(qtbot, settings.lines["time_limit"], "90")
    ready()
    assert samples(house)["time_limit"] == 90.0
    session = house.state.session
    assert session is not None and not session.document.notes  # it stands in the set
    typed(qtbot, settings.lines["samples"], "many")
    assert settings.told.isVisible() and "no number" in settings.told.text() and samples(house)["samples"] == 6
    session.carry(tmp_path / "quick.usda")
    written = open_scene(tmp_path / "quick.usda", house.state.registry, "pellune")
    root = next(thing.root for thing in written.things.values() if thing.root and thing.root.kind == "pellune.settings")
    assert root.values["samples"] == 6 and root.values["time_limit"] == 90.0
    settings.sets.setCurrentIndex(0)
    settings.sets.activated.emit(0)
    ready()
    assert samples(house) == carried


def test_sets_are_named_and_taken_away(
    house: Window, qtbot, ready: Callable[[], None], monkeypatch: pytest.MonkeyPatch
) -> None:
    settings = turned_to(house, qtbot, "settings").settings
    answers = ["proof", "proof", "", "night"]
    monkeypatch.setattr(QInputDialog, "getText", lambda *_, **__: (answers.pop(0), True))
    qtbot.mouseClick(settings.new, LEFT)
    ready()
    assert [one.name for one in document(house).sets] == ["proof"] and document(house).in_use == "proof"
    qtbot.mouseClick(settings.new, LEFT)  # the name is taken
    qtbot.mouseClick(settings.rename, LEFT)  # none is given
    assert [one.name for one in document(house).sets] == ["proof"]
    typed(qtbot, settings.lines["samples"], "77")
    ready()
    qtbot.mouseClick(settings.rename, LEFT)
    ready()
    assert document(house).in_use == "night" and samples(house)["samples"] == 77
    qtbot.mouseClick(settings.drop, LEFT)
    ready()
    assert not document(house).sets and document(house).in_use == "" and samples(house)["samples"] == 100
    assert settings.start.isVisible()


TILTED = """IESNA:LM-63-2002
[TEST] SKERRY-9
[MANUFAC] none
TILT=INCLUDE
1
3
0 45 90
1 0.8 0.6
1 -1 1 3 1 1 2 0 0 0
1 1 40
0 45 90
0
100 50 0
"""
SMALL = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Camera "Eye"
{
    custom float orvik:focal = 30
}
def SphereLight "Dish"
{
    custom token orvik:kind = "measured"
    custom asset orvik:file = @./dish.ies@
    float3 xformOp:rotateXYZ = (-45, 0, 0)
    uniform token[] xformOpOrder = ["xformOp:rotateXYZ"]
}
"""


def test_evidence_says_how_a_lamp_is_tilted_and_what_is_not_shown(
    window: Window, qtbot, ready: Callable[[], None], tmp_path: Path
) -> None:
    (tmp_path / "dish.ies").write_text(TILTED)
    (tmp_path / "small.usda").write_text(SMALL)
    window.open(tmp_path / "small.usda")
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    ready()

    def said() -> str:
        return "\n".join(one.text() for one in window.evidence.findChildren(QLabel) if one.isVisibleTo(window.evidence))

    window.state.select(Selection("/Dish"))
    qtbot.wait(50)
    lines = said().splitlines()
    assert lines[lines.index("tilted by") + 1] == "45" and lines[lines.index("so it gives") + 1] == "80"
    assert "leaves out" not in said()
    picture = QImage(4, 4, QImage.Format.Format_RGB32)
    window.looks.views["source"] = (
        picture,
        1,
        1,
        ("Eye: is orthographic, and shown in perspective", "Eyebrow: is red"),
    )
    window.state.select(Selection("/Eye"))
    qtbot.wait(50)
    assert "What the preview leaves out" in said() and "Is orthographic, and shown in perspective." in said()
    assert "red" not in said()
