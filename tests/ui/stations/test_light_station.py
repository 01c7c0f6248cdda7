"""The Light station: the budget's bars, trims that are live, matching, probes by hand, one light alone, and Evidence."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QApplication, QLabel, QPushButton

from durvan.dialects.registry import Registry
from durvan.ui.frame.window import Window
from durvan.ui.shared.state import Selection
from durvan.ui.stations.light.bars import HEAD, ROW
from durvan.ui.stations.light.evidence import DayDial, Polar
from durvan.ui.stations.light.view import Light
from windows import shown

SCENE = Path(__file__).parents[3] / "demo" / "boathouse" / "boathouse.usda"
HULL, NOON, TUBE, PORCH = (f"/BoatHouse/Lights/{name}" for name in ("HullLight", "Noon", "RidgeTube", "PorchLamp"))
WAIT = 120_000
pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def station(qapp: QApplication, packs: Registry, kernels: None) -> Iterator[tuple[Window, Light]]:
    """The boat house in a window that renders, at its Light station; what a test does, it undoes."""
    with shown(packs) as window:
        window.open(SCENE)
        for _ in range(600):
            QTest.qWait(100)
            session = window.state.session
            if (
                session is not None
                and session.light is not None
                and window.state.job is None
                and len(window.looks.views) == 2
            ):
                break
        window.go("Light")
        light = window.stations["Light"]
        assert isinstance(light, Light) and light.base is not None and light.ground is not None
        yield window, light


@pytest.fixture
def undone(station: tuple[Window, Light], qtbot) -> Iterator[None]:
    """Every step of a test is undone after it."""
    window, _ = station
    session = window.state.session
    assert session is not None
    steps = len(session.done)
    yield
    while len(session.done) > steps:
        window.state.undo()
    qtbot.waitUntil(lambda: window.state.job is None, timeout=20_000)


def settled(window: Window, qtbot) -> None:
    qtbot.waitUntil(
        lambda: (
            window.state.job is None and window.state.session is not None and window.state.session.light is not None
        ),
        timeout=WAIT,
    )


def row(light: Light, path: str, part: str = "") -> int:
    return next(n for n, one in enumerate(light.bars.parts) if one.path == path and (not part or one.part == part))


def middle_of(light: Light, number: int) -> QPoint:
    return QPoint(60, HEAD + number * ROW + ROW // 2 - light.bars.verticalScrollBar().value())


def texts(window: Window) -> str:
    return "\n".join(label.text() for label in window.evidence.findChildren(QLabel))


def test_one_row_a_light_the_worst_first(station: tuple[Window, Light]) -> None:
    _, light = station
    report = light.bars.report
    assert report is not None and len(light.bars.parts) == len(report.parts)
    missing = [round(report.missing(part, light.probe), 3) for part in light.bars.parts]
    assert missing == sorted(missing, reverse=True) and missing[0] > 0.0
    assert light.bars.titles == ("Orvik", "Pellune")
    tip = light.bars.tip(light.bars.parts[row(light, TUBE)])
    assert TUBE in tip and "lx in Orvik" in tip and "alone" in tip
    said = light.sums.text()
    assert "all light" in said and "key to fill" in said and "Duv" in said


def test_a_chosen_light_is_shown_everywhere(station: tuple[Window, Light], qtbot) -> None:
    window, light = station
    qtbot.mouseClick(light.bars.viewport(), Qt.MouseButton.LeftButton, pos=middle_of(light, row(light, TUBE)))
    assert window.state.selection.thing == TUBE and light.plan.selected == TUBE
    assert light.trims.subject.currentData() == TUBE and light.trims.subject.currentText() == "Ridge tube"
    assert "At the probes" in texts(window)
    window.go("Facing")
    assert window.state.selection.thing == TUBE  # and Facing opens it
    window.go("Light")
    place = row(light, TUBE)
    qtbot.keyClick(light.bars, Qt.Key.Key_Down)
    assert window.state.selection.thing == light.bars.parts[place + 1].path


def test_the_box_shows_its_number(station: tuple[Window, Light], qtbot) -> None:
    _, light = station
    edit = light.trims.box.lineEdit()
    assert edit.width() > 60 and edit.text().endswith(" stops")
    assert light.trims.kelvin.lineEdit().width() > 60


def test_a_press_shows_a_light_alone(station: tuple[Window, Light], qtbot) -> None:
    window, light = station
    assert window.state.session is not None
    shown = window.looks.views["source"][0].copy()
    qtbot.mousePress(light.bars.viewport(), Qt.MouseButton.LeftButton, pos=middle_of(light, row(light, TUBE)))
    qtbot.waitUntil(lambda: window.looks.views["source"][0] != shown, timeout=WAIT)
    assert light.views.alone == "RidgeTube"
    alone = window.looks.views["source"][0]
    mean = [sum(picture.pixelColor(x, y).green() for x in range(0, picture.width(), 9) for y in range(0, picture.height(), 9)) for picture in (alone, shown)]  # fmt: skip
    assert mean[0] < mean[1]
    qtbot.mouseRelease(light.bars.viewport(), Qt.MouseButton.LeftButton, pos=middle_of(light, row(light, TUBE)))
    assert light.views.alone == ""


def test_a_trim_is_live_and_one_step(station: tuple[Window, Light], undone: None, qtbot) -> None:
    window, light = station
    session = window.state.session
    assert session is not None
    window.state.select(Selection(TUBE))
    part = light.bars.parts[row(light, TUBE)]
    before = light.bars.report.lux(part, light.probe, "target")
    steps = len(session.done)
    slider = light.trims.slider
    slider.setSliderDown(True)
    slider.setSliderPosition(-20)  # one stop down, still held
    after = light.bars.report.lux(light.bars.parts[row(light, TUBE)], light.probe, "target")
    assert after == pytest.approx(before / 2.0, rel=1e-6) and len(session.done) == steps
    shown = window.looks.views["target"][0].copy()
    qtbot.waitUntil(lambda: window.looks.views["target"][0] != shown, timeout=WAIT)
    slider.setSliderDown(False)
    assert len(session.done) == steps + 1 and session.document.trims[0].stops == -1.0
    settled(window, qtbot)
    assert light.trims.box.value() == -1.0 and light.trims.reset.isEnabled()
    assert light._trim_of(light.bars.parts[row(light, TUBE)]) == -1.0


def test_the_environment_is_trimmed_apart(station: tuple[Window, Light], undone: None, qtbot) -> None:
    window, light = station
    window.state.select(Selection(TUBE))
    light.trims.choose("environment")
    assert light.trims.subject.currentText() == "the environment"
    sky = light.bars.parts[row(light, NOON, "sky")]
    before = light.bars.report.lux(sky, light.probe, "target")
    light.trims.box.setValue(1.0)
    light.trims.box.editingFinished.emit()
    settled(window, qtbot)
    trimmed = {part.part: light._trim_of(part) for part in light.bars.parts if part.path == NOON}
    assert trimmed == {"sky": 1.0, "": 0.0}  # its sun is no environment
    sky = light.bars.parts[row(light, NOON, "sky")]
    assert light.bars.report.lux(sky, light.probe, "target") == pytest.approx(2.0 * before, rel=1e-6)


def test_the_budget_is_made_to_match_and_all_taken_away(station: tuple[Window, Light], undone: None, qtbot) -> None:
    window, light = station
    session = window.state.session
    assert session is not None
    window.state.select(Selection(HULL))
    light.trims.match_one.click()
    settled(window, qtbot)
    assert [trim.subject for trim in session.document.trims] == [HULL]
    light.trims.match.click()
    settled(window, qtbot)
    assert {trim.subject for trim in session.document.trims} >= {HULL}
    assert "not matched" in light.sums.text()  # the setup light gives nothing; no trim mends that
    light.trims.reset.click()
    settled(window, qtbot)
    assert session.document.trims == () and not light.trims.reset.isEnabled()


def test_a_colour_is_forced(station: tuple[Window, Light], undone: None, qtbot) -> None:
    window, light = station
    session = window.state.session
    assert session is not None
    light.trims.tint.setCurrentIndex(1)
    light.trims.tint.activated.emit(1)
    light.trims.kelvin.setValue(3200.0)
    light.trims.kelvin.editingFinished.emit()
    settled(window, qtbot)
    assert session.document.tints[0].kelvin == 3200.0 and session.document.tints[0].only_white
    light.trims.tint.setCurrentIndex(0)
    light.trims.tint.activated.emit(0)
    assert session.document.tints == ()


def test_probes_are_put_dragged_and_taken(station: tuple[Window, Light], undone: None, qtbot) -> None:
    window, light = station
    session = window.state.session
    assert session is not None
    given = len(light.base.probes)
    light.add.click()
    settled(window, qtbot)
    qtbot.waitUntil(lambda: len(light.base.probes) == given + 1, timeout=WAIT)
    assert session.document.probes[0].name == "probe 1" and light.take.isEnabled()
    plan, at = light.plan, light.plan.point(light.plan.where(given))
    to = at + QPointF(30.0, 0.0)
    qtbot.mousePress(plan, Qt.MouseButton.LeftButton, pos=at.toPoint())
    held = plan._held
    qtbot.mouseMove(plan, to.toPoint())
    qtbot.mouseRelease(plan, Qt.MouseButton.LeftButton, pos=to.toPoint())
    settled(window, qtbot)
    assert held is not None
    moved = session.document.probes[-1].place
    assert abs(moved[0] - light.plan.metres(to)[0]) < 0.05
    qtbot.waitUntil(lambda: len(light.base.probes) == given + len(session.document.probes), timeout=WAIT)
    light._go(given)
    light.take.click()
    settled(window, qtbot)
    assert all(one.name != "probe 1" for one in session.document.probes)


def test_evidence_draws_the_day(station: tuple[Window, Light], qtbot) -> None:
    window, _ = station
    window.state.select(Selection(NOON))
    dial = window.evidence.findChildren(DayDial)
    assert len(dial) == 1 and dial[0].now[1] > 45.0  # noon in June
    rises = [hour for hour, _, height in dial[0].way if height >= 0.0]
    assert 2.0 < rises[0] < 6.0 and 19.0 < rises[-1] < 23.5
    picture = dial[0].grab().toImage()
    assert len({picture.pixel(x, y) for x in range(0, picture.width(), 3) for y in range(0, picture.height(), 3)}) > 4
    assert "stands at" in texts(window)


def test_evidence_draws_a_profile(station: tuple[Window, Light], qtbot) -> None:
    window, _ = station
    window.state.select(Selection(PORCH))
    polar = window.evidence.findChildren(Polar)
    assert len(polar) == 1 and polar[0].top > 1.0 and len(polar[0].curves) == 2
    assert not polar[0].grab().toImage().isNull() and "beam" in texts(window)


def test_a_remedy_of_the_station_mends_the_view(station: tuple[Window, Light], undone: None, qtbot) -> None:
    window, light = station
    session = window.state.session
    assert session is not None
    tree = window.findings.tree
    tops = [tree.topLevelItem(place) for place in range(tree.topLevelItemCount())]
    tree.setCurrentItem(next(item for item in tops if "painted" in item.text(3) or "flame" in item.text(2).lower()))
    pressed = [b for b in window.evidence.findChildren(QPushButton) if b.text().startswith("Give it a light")]
    pressed[0].click()
    settled(window, qtbot)
    assert [one.path for one in session.document.added] and not any(f.code == "unlit-flame" for f in session.findings)
    qtbot.waitUntil(lambda: any("CandleFlame" in part.path for part in light.base.parts), timeout=WAIT)
