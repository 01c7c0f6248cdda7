"""Find a material in the camera's view: press on it, paint it loud, grey the rest; what nobody can tell is hatched."""

from __future__ import annotations

import numpy as np
import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QColor

from durvan.crossing.looks import questions
from durvan.scene.drift import Drift
from durvan.ui.shared.state import Selection
from durvan.ui.stations.swatches import LOUD, Views

SLATE, PAINT = (f"/LampRoom/Looks/{name}" for name in ("WetSlate", "CeilingPaint"))


@pytest.fixture
def seen(lamp):
    """The window with a made-up view: slate on the left, paint on the right, nothing on top."""
    where = np.full((90, 160), -1, np.int32)
    where[30:, :80], where[30:, 80:] = 1, 2
    lamp.looks._take(questions.Covered({SLATE: 0.4, PAINT: 0.4}, ("", SLATE, PAINT), where))
    grey = np.full((90, 160, 3), 60, np.uint8)
    for side in ("source", "target"):
        lamp.looks._take(questions.Rendered(side, grey, 4, 8, ()))
    views = lamp.stations["Survey"].findChild(Views)
    views.grab()  # so that it knows where its pictures are
    return lamp, views


def pixel(views: Views, across: float, down: float, side: int = 0) -> QColor:
    box = views.boxes[side]
    image = views.grab().toImage()
    ratio = image.devicePixelRatio()
    return image.pixelColor(
        int((box.left() + across * box.width()) * ratio), int((box.top() + down * box.height()) * ratio)
    )


def press(qtbot, views: Views, across: float, down: float, side: int = 0) -> None:
    box = views.boxes[side]
    place = QPoint(int(box.left() + across * box.width()), int(box.top() + down * box.height()))
    qtbot.mouseClick(views, Qt.MouseButton.LeftButton, pos=place)


def test_a_press_chooses_what_is_under_it(seen, qtbot) -> None:
    window, views = seen
    press(qtbot, views, 0.2, 0.8)
    assert window.state.selection.thing == SLATE
    press(qtbot, views, 0.8, 0.8, side=1)
    assert window.state.selection.thing == PAINT
    press(qtbot, views, 0.5, 0.1)  # nothing stands there
    assert window.state.selection.thing == PAINT


def test_a_key_paints_the_chosen_one_loud_and_takes_it_back(seen, qtbot) -> None:
    window, views = seen
    window.state.select(Selection(SLATE))
    qtbot.keyClick(window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    assert window.looks.mark == "loud"
    assert pixel(views, 0.25, 0.7) == LOUD and pixel(views, 0.25, 0.7, 1) == LOUD
    assert pixel(views, 0.75, 0.7) == QColor(60, 60, 60)
    window.state.select(Selection(PAINT))
    assert pixel(views, 0.75, 0.7) == LOUD and pixel(views, 0.25, 0.7) == QColor(60, 60, 60)
    qtbot.keyClick(window, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    assert pixel(views, 0.75, 0.7) == QColor(60, 60, 60)


def test_another_key_greys_the_rest(seen, qtbot) -> None:
    window, views = seen
    window.state.select(Selection(SLATE))
    qtbot.keyClick(window, Qt.Key.Key_G, Qt.KeyboardModifier.ControlModifier)
    assert pixel(views, 0.25, 0.7) == QColor(60, 60, 60)
    veiled = pixel(views, 0.75, 0.7)
    assert veiled.red() == veiled.green() == veiled.blue() and veiled.red() > 130


def unsure(mean: float) -> Drift:
    return Drift(mean, mean, 0.1, "booth", (mean,) * 3, 4, ("a marble is not known",))


def test_what_nobody_can_tell_has_no_grade_stands_first_and_is_hatched(seen, qtbot, ready) -> None:
    window, views = seen
    session = window.state.session
    slate = session.scene.things[SLATE]
    session.measured({session.key_of(slate): unsure(0.12)})
    window.state.renew()
    ready()
    assert session.drift(SLATE).grade == "" and session.drift(SLATE).told(2) == "0.12 ?"
    assert window.looks.weight(SLATE) == pytest.approx(6.0 * 0.4)  # it may be anything
    assert window.stations["Survey"].things.things.rows[0][0].id == SLATE
    found = next(finding for finding in session.findings if finding.code == "look-unknown")
    assert found.thing == SLATE and "a marble is not known" in found.cause
    colours = {pixel(views, 0.1 + 0.002 * k, 0.7).rgb() for k in range(60)}
    assert len(colours) >= 2  # lines over it
    assert {pixel(views, 0.7 + 0.002 * k, 0.7).rgb() for k in range(30)} == {QColor(60, 60, 60).rgb()}


def test_the_larger_view_is_one_more_of_the_same(seen, qtbot) -> None:
    window, _ = seen
    asked: list[object] = []
    window.looks.renderer.ask = asked.append  # what would go to the process that renders
    qtbot.keyClick(window, Qt.Key.Key_B, Qt.KeyboardModifier.ControlModifier)
    qtbot.waitUntil(lambda: window.larger is not None and window.larger.isVisible(), timeout=5000)
    assert any(isinstance(one, questions.Cover) and one.size == (960, 540) for one in asked)
    assert any(isinstance(one, questions.Render) and one.size == (960, 540) for one in asked)
    larger = window.larger.views
    larger.grab()
    press(qtbot, larger, 0.8, 0.8)
    assert window.state.selection.thing == PAINT
    qtbot.keyClick(window.larger, Qt.Key.Key_P, Qt.KeyboardModifier.ControlModifier)
    assert window.looks.mark == "loud" and pixel(larger, 0.75, 0.7) == LOUD
    asked.clear()
    window.larger.close()
    assert any(isinstance(one, questions.Cover) and one.size == (288, 162) for one in asked)


def test_no_two_entries_of_the_menus_have_the_same_keys(window) -> None:
    keys = [
        action.shortcut().toString()
        for menu in window.menuBar().actions()
        for action in menu.menu().actions()
        if action.shortcut().toString()
    ]
    assert len(keys) == len(set(keys))
