"""Where there is room, pictures are larger and titles whole; where there is little, they are as small as they may be."""

from __future__ import annotations

import pytest

from durvan.ui.frame.window import Window
from durvan.ui.stations import swatches
from durvan.ui.stations.survey import things as listed


def at(window: Window, qtbot, width: int, height: int) -> None:
    window.resize(width, height)
    qtbot.waitUntil(lambda: (window.width(), window.height()) == (width, height))
    qtbot.wait(50)


@pytest.mark.parametrize(("size", "least", "most"), [((1280, 800), 36, 36), ((2560, 1440), 56, 96)])
def test_swatches_of_things_grow_with_the_room(
    lamp: Window, qtbot, size: tuple[int, int], least: int, most: int
) -> None:
    lamp.go("Survey")
    at(lamp, qtbot, *size)
    view = lamp.stations["Survey"].things
    side = view.rowHeight(0) - listed._AIR
    assert least <= side <= most
    assert view.columnWidth(listed._LOOK) == 2 * side + 10
    assert view.viewport().height() >= 11 * view.rowHeight(0)  # a list is still a list
    assert view.columnWidth(listed._NAME) >= 120


def test_the_pair_in_facing_grows_with_the_room(lamp: Window, qtbot) -> None:
    lamp.go("Facing")
    strip = lamp.stations["Facing"].swatches
    sides = []
    for width, height in ((1280, 800), (1920, 1080), (2560, 1440)):
        at(lamp, qtbot, width, height)
        sides.append(strip.side)
        assert strip.height() == swatches.HEAD + strip.side + swatches.FOOT
        assert 3 * (2 * strip.side + swatches.GAP) + strip.side + swatches.GAP + strip.polar <= strip.width()
    assert sides[0] == swatches.SIDE < sides[1] < sides[2] <= swatches.LARGEST


def test_titles_of_findings_take_the_room_that_there_is(lamp: Window, qtbot) -> None:
    widths = []
    for size in ((1280, 800), (2560, 1440)):
        at(lamp, qtbot, *size)
        widths.append(lamp.findings.tree.header().sectionSize(2))
    assert widths[0] == 432 and widths[1] > 700
