"""Facing: found by words, gone through by the worst, nearer and farther, pulled along, gone over by keys, folded."""

from __future__ import annotations

import random

import numpy as np
import pytest
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtGui import QWheelEvent
from PySide6.QtWidgets import QApplication

from durvan.crossing.looks import questions
from durvan.scene.fate import Fate
from durvan.scene.given import Given
from durvan.ui.shared.state import Selection
from durvan.ui.stations.facing import walking
from durvan.ui.stations.facing.pages import NEAREST
from durvan.ui.stations.facing.view import said_of
from durvan.ui.stations.facing.walking import Spot
from networks import network, plane, scene_text, tree

BRASS, PAINT = "/LampRoom/Looks/LensFrameBrass", "/LampRoom/Looks/RailPaint"
CTRL, SHIFT = Qt.KeyboardModifier.ControlModifier, Qt.KeyboardModifier.ShiftModifier


@pytest.fixture
def facing(lamp):
    lamp.go("Facing")
    lamp.state.select(Selection(BRASS))
    return lamp.stations["Facing"]


@pytest.fixture
def large(window, qtbot, ready, tmp_path):
    """The station with a network of 400 nodes."""
    file = tmp_path / "large.usda"
    file.write_text(scene_text(network(tree(400, random.Random(3)))))
    window.open(file)
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    ready()
    window.go("Facing")
    window.state.select(Selection("/W/Large"))
    return window.stations["Facing"]


def wheel(pages, at: QPointF, turned: QPoint, keys: Qt.KeyboardModifier) -> None:
    """Turn the wheel over a place."""
    pages.wheelEvent(
        QWheelEvent(at, QPointF(pages.mapToGlobal(at.toPoint())), QPoint(), turned, Qt.MouseButton.NoButton, keys,
                    Qt.ScrollPhase.NoScrollPhase, False)
    )  # fmt: skip


def test_words_find_nodes_and_values_and_enter_goes_from_one_to_the_next(facing, lamp, qtbot) -> None:
    qtbot.keyClick(lamp, Qt.Key.Key_F, CTRL)
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
        qtbot.keyClick(lamp, Qt.Key.Key_J, CTRL)
        visited.append((lamp.state.selection.thing, lamp.state.selection.row))
    first = [row.fate for thing, row in visited if thing == BRASS]
    assert first == sorted(first, reverse=True) and first[0] >= Fate.LOST
    assert len({thing for thing, _ in visited}) > 2 and all(row.fate >= Fate.FITTED for _, row in visited)
    assert len({id(row) for _, row in visited}) == len(visited)


def test_the_pages_come_nearer_about_the_pointer_and_what_is_under_it_stays(facing) -> None:
    pages = facing.pages
    pages.zoom_to(1.5)
    slip, line = next((slip, line) for slip, line in pages.lines() if line.row is not None and slip.column == 0)
    at = pages.room.place(slip, line).center()
    assert pages.row_at(at.x(), at.y()) is line.row
    wheel(pages, at, QPoint(0, 120), CTRL)
    assert pages.zoom == pytest.approx(1.5 * 1.15)
    assert pages.row_at(at.x(), at.y()) is line.row
    pages.zoom_to(99.0)
    assert pages.zoom == NEAREST[1]
    pages.zoom_to(0.0)
    assert pages.zoom == NEAREST[0] and not pages.grab().toImage().isNull()


def test_both_pages_are_pulled_outward_and_down_in_step(facing, qtbot) -> None:
    pages, room = facing.pages, facing.pages.room
    pages.zoom_to(2.5)
    QApplication.processEvents()
    ends = [next(iter(page.slips.values())) for page in pages.drawn.pages]
    before = [room.box(slip) for slip in ends]
    qtbot.mousePress(pages.viewport(), Qt.MouseButton.MiddleButton, pos=QPoint(200, 200))
    qtbot.mouseMove(pages.viewport(), QPoint(260, 140))
    QApplication.processEvents()
    qtbot.mouseRelease(pages.viewport(), Qt.MouseButton.MiddleButton, pos=QPoint(260, 140))
    left, right = (room.box(slip) for slip in ends)
    assert left.left() - before[0].left() == pytest.approx(before[1].left() - right.left()) and room.reach > 0.0
    assert left.top() - before[0].top() == pytest.approx(right.top() - before[1].top()) == pytest.approx(-60.0)
    wheel(pages, QPointF(200, 200), QPoint(0, -120), Qt.KeyboardModifier.NoModifier)
    assert room.box(ends[0]).top() < left.top()
    reach = room.reach
    wheel(pages, QPointF(200, 200), QPoint(0, -120), SHIFT)
    assert room.reach > reach


def test_a_row_that_is_chosen_by_keys_comes_into_view(facing, lamp, qtbot) -> None:
    pages = facing.pages
    pages.zoom_to(2.5)
    QApplication.processEvents()
    rows = [line.row for _, line in pages.drawn.source.lines() if line.row is not None]
    lamp.state.select(Selection(BRASS, rows[-2]))
    qtbot.keyClick(pages, Qt.Key.Key_Down)
    slip, line = walking.find(pages.drawn, pages.at)
    place = pages.room.place(slip, line)
    assert pages.viewport().rect().toRectF().contains(place.center())


def test_arrows_go_outward_to_what_feeds_a_line_and_over_the_gutter(facing, lamp, qtbot) -> None:
    lamp.state.select(Selection(PAINT))
    pages = facing.pages
    pages.setFocus()
    pages.choose(Spot("source", "finish", "relief"))
    qtbot.keyClick(pages, Qt.Key.Key_Left)
    feeder = pages.drawn.source.slips["finish"].node.links["relief"].node
    assert pages.at == Spot("source", feeder) and lamp.state.selection.row is None
    qtbot.keyClick(pages, Qt.Key.Key_Right)
    assert pages.at == Spot("source", "finish", "relief")
    qtbot.keyClick(pages, Qt.Key.Key_Right)
    assert pages.at == Spot("target", "finish", "normal") and lamp.state.selection.row.parameter == "relief"
    qtbot.keyClick(pages, Qt.Key.Key_Right)
    assert pages.at.side == "target" and pages.at.node == pages.drawn.target.slips["finish"].node.links["normal"].node
    qtbot.keyClick(pages, Qt.Key.Key_Left)
    qtbot.keyClick(pages, Qt.Key.Key_Left)
    assert pages.at.side == "source"


def test_every_line_can_be_reached_by_keys(facing, lamp, qtbot) -> None:
    lamp.state.select(Selection(PAINT))
    pages, seen = facing.pages, set()
    pages.choose(Spot("source", "finish"))
    waiting = [pages.at]
    while waiting:
        spot = waiting.pop()
        if spot in seen:
            continue
        seen.add(spot)
        for go in (walking.outward, walking.inward):
            waiting.append(go(pages.drawn, spot))
        waiting += [walking.down(pages.drawn, spot, by) for by in (1, -1)]
    every = {Spot(slip.side, slip.node.id, line.parameter) for slip, line in pages.lines()}
    assert every <= seen


def test_a_large_network_is_folded_and_unfolds_where_one_goes(large, window, qtbot) -> None:
    pages = large.pages
    page = pages.drawn.source
    folded = [slip for slip in page.slips.values() if slip.hidden]
    assert len(page.slips) == 120 and folded
    # what is folded into one of them is found, and chosen from elsewhere
    inner = next(name for name in pages.graphs()[0].nodes if name not in page.slips)
    row = next(row for row in window.state.rows("/W/Large") if row.node == inner)
    window.state.select(Selection("/W/Large", row))
    assert inner in pages.drawn.source.slips and pages.at.node == inner
    large.search.setText("picture n39")
    assert {slip.node.id for slip in pages.drawn.slips} >= set(pages.graphs()[0].nodes)
    assert {row.node for row in pages.found()} >= {"n399"} and pages.drawn.source.crossings == 0
    large.search.setText("")
    qtbot.keyClick(window, Qt.Key.Key_F, CTRL | SHIFT)
    assert len(pages.drawn.source.slips) < 10
    qtbot.keyClick(window, Qt.Key.Key_U, CTRL | SHIFT)
    assert len(pages.drawn.source.slips) == 401


def test_space_and_a_press_on_its_tab_fold_a_node(large, qtbot) -> None:
    pages = large.pages
    pages.fold_all(False)
    head = next(slip for slip in pages.drawn.source.slips.values() if slip.folds and slip.column == 1)
    pages.choose(Spot("source", head.node.id))
    before = len(pages.drawn.source.slips)
    qtbot.keyClick(pages, Qt.Key.Key_Space)
    slip = pages.drawn.source.slips[head.node.id]
    assert slip.hidden == before - len(pages.drawn.source.slips) > 50
    box = pages.room.box(slip)
    assert pages.room.tab_at(QPointF(box.left() - 5, box.top() + 10)) is slip
    qtbot.mouseClick(pages.viewport(), Qt.MouseButton.LeftButton, pos=QPoint(int(box.left() - 5), int(box.top() + 10)))
    assert pages.drawn.source.slips[head.node.id].hidden == 0 and len(pages.drawn.source.slips) > 10


def test_all_of_both_networks_is_shown_at_once(large, window, qtbot) -> None:
    pages = large.pages
    qtbot.keyClick(window, Qt.Key.Key_9, CTRL)
    assert pages.zoom < 1.0
    seen = {slip.node.id for slip in pages.room.seen("source")}
    shown = [slip for slip in pages.drawn.source.slips.values() if slip.u < 3000]
    assert {slip.node.id for slip in shown if pages.room.box(slip).top() < pages.viewport().height()} <= seen
    assert not pages.grab().toImage().isNull()


def test_what_nodes_give_is_shown_on_their_slips(facing, lamp) -> None:
    pages = facing.pages
    name = next(slip.node.id for slip in pages.drawn.source.slips.values() if slip.pictured)
    slip = pages.drawn.source.slips[name]
    red = np.zeros((36, 36, 3), np.uint8)
    red[..., 0] = 200
    lamp.looks._taken(questions.Inside(BRASS, "key", "source", {name: Given(red, "color", 0.1, 0.8)}))
    picture = pages.grab().toImage()
    box = pages.room.box(slip)
    at = QPoint(int(box.left() + 7 + 18), int(box.bottom() - 22))
    assert picture.pixelColor(at).getRgb()[:3] == (200, 0, 0)
    lamp.looks._taken(questions.Inside("/LampRoom/Looks/Other", "key", "source", {name: Given(255 - red, "color")}))
    assert pages.grab().toImage().pixelColor(at).getRgb()[:3] == (200, 0, 0)


@pytest.mark.parametrize(
    ("given", "said"),
    [
        (Given(np.zeros((1, 1, 3)), "color", 0.1, 0.8), "0.1 to 0.8"),
        (Given(np.zeros((1, 1, 3)), "float", 0.25, 0.25), "0.25 all over"),
        (Given(np.zeros((1, 1, 3)), "height", 0.0, 0.0012), "0 to 1.2 mm"),
        (Given(np.zeros((1, 1, 3)), "surface"), "by itself"),
    ],
)
def test_what_nodes_give_in_words(given, said) -> None:
    assert said_of(given) == said


def test_values_at_their_defaults_are_listed_on_demand(facing, lamp, qtbot) -> None:
    pages = facing.pages
    slip = pages.drawn.target.slips["finish"]
    before, more = len(slip.lines), slip.more
    from durvan.ui.stations.facing.drawing import more_box, more_of

    assert more_of(slip) == f"{more} at default"
    at = pages.room.inside(slip, more_box(slip)).center().toPoint()
    qtbot.mouseClick(pages.viewport(), Qt.MouseButton.LeftButton, pos=at)
    slip = pages.drawn.target.slips["finish"]
    assert len(slip.lines) == before + more and sum(line.default for line in slip.lines) == more
    pages.choose(Spot("target", "finish", slip.lines[0].parameter))
    qtbot.keyClick(pages, Qt.Key.Key_D)
    assert len(pages.drawn.target.slips["finish"].lines) == before


def test_a_network_that_can_be_drawn_without_a_crossing_is(window, qtbot, ready, tmp_path) -> None:
    file = tmp_path / "plane.usda"
    file.write_text(scene_text(network(plane(100, random.Random(5)))))
    window.open(file)
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    ready()
    window.state.select(Selection("/W/Large"))
    page = window.stations["Facing"].pages.drawn.source
    assert len(page.slips) == 101 and page.crossings == 0


def test_what_is_the_same_is_not_laid_out_again(facing, lamp, qtbot, ready) -> None:
    pages = facing.pages
    drawn = pages.drawn
    lamp.state.tell()  # as when a drift comes in
    assert pages.drawn is drawn
    lamp.state.filter(Fate.FITTED)
    assert pages.drawn is not drawn and all(line.row.fate is Fate.FITTED for _, line in pages.lines())
    lamp.state.filter(Fate.FITTED)
    lamp.state.put(BRASS, "finish", "rough", 0.4)
    ready()
    found = walking.find(pages.drawn, Spot("target", "finish", "rough"))
    assert found[1].value == 0.4
