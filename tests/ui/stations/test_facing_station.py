"""Facing: found by words, gone through by the worst, nearer and farther, pulled along."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication

from durvan.scene.fate import Fate
from durvan.ui.shared.state import Selection
from durvan.ui.stations.facing.view import NEAREST

BRASS, CLOTH = "/LampRoom/Looks/LensFrameBrass", "/LampRoom/Looks/Oilskin"


@pytest.fixture
def facing(lamp):
    lamp.go("Facing")
    lamp.state.select(Selection(BRASS))
    return lamp.stations["Facing"]


def test_words_find_nodes_and_values_and_enter_goes_from_one_to_the_next(facing, lamp, qtbot) -> None:
    qtbot.keyClick(lamp, Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
    assert facing.search.hasFocus()
    qtbot.keyClicks(facing.search, "polish")
    found = facing.pages.found()
    assert {row.parameter for row in found} >= {"polish", "polish_curve"}
    seen = []
    for _ in found:
        qtbot.keyClick(facing.search, Qt.Key.Key_Return)
        seen.append(lamp.state.selection.row)
    assert seen == found
    facing.search.setText("scratch file")
    assert [row.parameter for row in facing.pages.found()] == ["file"]
    facing.search.setText("nothing like it")
    facing.pages.go_to_found()
    assert facing.pages.found() == [] and lamp.state.selection.row is seen[-1]


def test_one_key_goes_to_the_worst_next_and_on_to_other_things(facing, lamp, qtbot) -> None:
    visited = []
    for _ in range(40):
        qtbot.keyClick(lamp, Qt.Key.Key_J, Qt.KeyboardModifier.ControlModifier)
        visited.append((lamp.state.selection.thing, lamp.state.selection.row))
    first = [row.fate for thing, row in visited if thing == BRASS]
    assert first == sorted(first, reverse=True) and first[0] >= Fate.LOST
    assert len({thing for thing, _ in visited}) > 2 and all(row.fate >= Fate.FITTED for _, row in visited)
    assert len({id(row) for _, row in visited}) == len(visited)


def test_the_pages_come_nearer_about_the_pointer_and_what_is_under_it_stays(facing, qtbot) -> None:
    pages, area = facing.pages, facing.area
    area.resize(500, 300)
    pages.zoom_to(1.5)
    QApplication.processEvents()
    slip, line = next((slip, line) for slip, line in pages.lines() if line.row is not None and slip.depth == 0)

    def place() -> QPointF:
        return QPointF((slip.x + 20 + pages.shift) * pages.zoom, line.y * pages.zoom)

    at = place()
    assert pages.row_at(at.x(), at.y()) is line.row
    wheel = QWheelEvent(at, QPointF(pages.mapToGlobal(at.toPoint())), QPoint(), QPoint(0, 120), Qt.MouseButton.NoButton,
                        Qt.KeyboardModifier.ControlModifier, Qt.ScrollPhase.NoScrollPhase, False)  # fmt: skip
    pages.wheelEvent(wheel)
    assert pages.zoom == pytest.approx(1.5 * 1.15)
    at = place()
    assert pages.row_at(at.x(), at.y()) is line.row
    pages.zoom_to(99.0)
    assert pages.zoom == NEAREST[1]
    pages.zoom_to(0.0)
    assert pages.zoom == NEAREST[0] and not pages.grab().toImage().isNull()


def test_the_middle_button_pulls_them_along(facing, qtbot) -> None:
    pages, area = facing.pages, facing.area
    pages.zoom_to(2.5)
    QApplication.processEvents()
    bar = area.verticalScrollBar()
    assert bar.maximum() > 0
    qtbot.mousePress(pages, Qt.MouseButton.MiddleButton, pos=QPoint(200, 200))
    qtbot.mouseMove(pages, QPoint(200, 140))
    QApplication.processEvents()
    moved = bar.value()
    qtbot.mouseRelease(pages, Qt.MouseButton.MiddleButton, pos=QPoint(200, 140))
    assert moved > 0


def test_a_row_that_is_chosen_by_keys_comes_into_view(facing, lamp, qtbot) -> None:
    pages, area = facing.pages, facing.area
    pages.zoom_to(2.5)
    QApplication.processEvents()
    rows = [line.row for _, line in pages.lines() if line.row is not None]
    lamp.state.select(Selection(BRASS, rows[-2]))
    qtbot.keyClick(pages, Qt.Key.Key_Down)
    row = lamp.state.selection.row
    line = next(line for _, line in pages.lines() if line.row is row)
    top = area.verticalScrollBar().value()
    assert top <= line.y * pages.zoom <= top + area.viewport().height()
