"""Facing's hands: values set where they stand, a band's end pulled elsewhere, a node swapped, all of it taken back."""

from __future__ import annotations

import pytest
from PySide6.QtCore import QPoint, Qt
from PySide6.QtGui import QContextMenuEvent
from PySide6.QtWidgets import QApplication, QLineEdit, QListWidget, QMenu, QPushButton, QSlider

from durvan.crossing.translation.rows import By
from durvan.scene.fate import Fate
from durvan.scene.vocabulary import Parameter
from durvan.ui.kit import words
from durvan.ui.shared.state import Selection
from durvan.ui.stations.facing import walking
from durvan.ui.stations.facing.editors import Listed, Numbers, Switched, Text, control_for, sliding
from durvan.ui.stations.facing.walking import Spot

BRASS, PAINT, CHART = "/LampRoom/Looks/PedestalBrass", "/LampRoom/Looks/RailPaint", "/LampRoom/Looks/ChartPaper"
LEFT = Qt.MouseButton.LeftButton
ROUGH = Spot("target", "finish", "rough")


@pytest.fixture
def facing(lamp):
    lamp.go("Facing")
    lamp.state.select(Selection(BRASS))
    return lamp.stations["Facing"]


def place(pages, spot: Spot) -> QPoint:
    """The middle of a spot in the window."""
    return pages.room.place(*walking.find(pages.drawn, spot)).center().toPoint()


def target(lamp, thing: str = BRASS):
    """The surface as it is carried."""
    return lamp.state.session.plan.translations[thing].graph.nodes["finish"]


def twice(qtbot, pages, spot: Spot) -> None:
    """Press a spot twice."""
    qtbot.mouseClick(pages.viewport(), LEFT, pos=place(pages, spot))
    qtbot.mouseDClick(pages.viewport(), LEFT, pos=place(pages, spot))


def keep_trials(lamp, monkeypatch) -> list:
    """What is tried on, instead of rendering it."""
    tried: list = []
    monkeypatch.setattr(lamp.looks, "try_on", lambda thing, made=None: tried.append((thing, made)))
    return tried


# setting values


def test_a_number_is_set_in_place_by_slider_and_by_typing(facing, lamp, qtbot, ready, monkeypatch) -> None:
    tried = keep_trials(lamp, monkeypatch)
    twice(qtbot, facing.pages, ROUGH)
    editor = facing.hands.editor
    assert editor is not None and editor.isVisible() and isinstance(editor.control, Numbers)
    assert facing.pages.viewport().rect().contains(editor.geometry())
    editor.findChild(QSlider).setValue(500)
    qtbot.waitUntil(lambda: bool(tried), timeout=2000)
    thing, made = tried[-1]
    assert thing.id == BRASS and made.graph.nodes["finish"].values["rough"] == pytest.approx(0.5)
    assert lamp.state.session.document.notes == ()  # shown only
    box = editor.control.boxes[0]
    box.setFocus()
    box.selectAll()
    qtbot.keyClicks(box, "0.125")
    qtbot.keyClick(box, Qt.Key.Key_Return)
    ready()
    assert facing.hands.editor is None and target(lamp).values["rough"] == 0.125
    row = next(row for row in lamp.state.rows(BRASS) if ("finish", "rough") in row.targets)
    assert row.by is By.HAND and facing.pages.at == ROUGH
    facing.pages.setFocus()
    qtbot.keyClick(facing.pages, Qt.Key.Key_Delete)
    ready()
    assert target(lamp).values["rough"] != 0.125 and lamp.state.session.document.notes == ()


def test_escape_leaves_it_and_a_press_elsewhere_puts_it(facing, lamp, qtbot, ready) -> None:
    pages = facing.pages
    pages.choose(ROUGH)
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    editor = facing.hands.editor
    editor.control.sliders[0].setValue(900)
    qtbot.keyClick(editor, Qt.Key.Key_Escape)
    assert facing.hands.editor is None and lamp.state.session.document.notes == () and pages.hasFocus()
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    facing.hands.editor.control.sliders[0].setValue(900)
    facing.search.setFocus()
    ready()
    assert target(lamp).values["rough"] == pytest.approx(0.9) and facing.hands.editor is None
    pages.choose(ROUGH)
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    facing.search.setFocus()  # nothing was touched: nothing is set
    ready()
    assert len(lamp.state.session.document.notes) == 1


def test_a_line_of_the_source_opens_what_became_of_it(facing, lamp, qtbot) -> None:
    twice(qtbot, facing.pages, Spot("source", "finish", "polish"))
    assert facing.pages.at == ROUGH and facing.hands.editor is not None
    facing.hands.editor.leave()
    facing.pages.choose(Spot("source", "finish", "base_tint"))  # it is lost: there is nothing to set
    qtbot.keyClick(facing.pages, Qt.Key.Key_Return)
    assert facing.hands.editor is None


def test_a_colour_is_set_by_its_numbers_and_shows_both(facing, lamp, qtbot, ready) -> None:
    pages = facing.pages
    spot = Spot("target", "finish", "color")
    before = target(lamp).values["color"]
    twice(qtbot, pages, spot)
    control = facing.hands.editor.control
    assert [box.value() for box in control.boxes] == pytest.approx(list(before), abs=1e-4)
    control.boxes[1].setValue(0.25)
    assert control.chips.was == before and control.chips.now[1] == 0.25
    picture = control.chips.grab().toImage()
    left, right = picture.pixelColor(4, 10), picture.pixelColor(picture.width() - 5, 10)
    assert left.green() > right.green() and left.red() == right.red()
    facing.hands.editor.finish()
    ready()
    now = target(lamp).values["color"]
    assert (now[0], now[2]) == (before[0], before[2]) and now[1] == 0.25  # untouched ones keep all their digits


def test_a_value_at_its_default_is_set_too_and_a_map_gives_way(facing, lamp, qtbot, ready) -> None:
    pages = facing.pages
    pages.list_defaults(ROUGH, True)
    pages.choose(Spot("target", "finish", "thin"))
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    control = facing.hands.editor.control
    assert isinstance(control, Switched) and control.value() is False
    qtbot.keyClick(control.list, Qt.Key.Key_Down)
    qtbot.keyClick(control.list, Qt.Key.Key_Return)
    ready()
    assert target(lamp).values["thin"] is True
    lamp.state.select(Selection(PAINT))
    pages.choose(Spot("target", "finish", "color"))
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    facing.hands.editor.control.boxes[0].setValue(0.5)
    facing.hands.editor.finish()
    ready()
    node = target(lamp, PAINT)
    assert "color" not in node.links and node.values["color"][0] == 0.5


def test_a_word_is_chosen_from_a_list_and_a_file_is_typed(facing, lamp, qtbot, ready) -> None:
    lamp.state.select(Selection(PAINT))
    pages = facing.pages
    slip = next(slip for slip in pages.drawn.target.slips.values() if slip.title == "image")
    pages.choose(Spot("target", slip.node.id, "role"))
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    shown = facing.hands.editor.findChild(QListWidget)
    assert [shown.item(n).text() for n in range(shown.count())] == ["colour", "data"]
    shown.setCurrentRow(1)
    facing.hands.editor.finish()
    ready()
    assert lamp.state.session.plan.translations[PAINT].graph.nodes[slip.node.id].values["role"] == "data"
    pages.choose(Spot("target", slip.node.id, "file"))
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    control = facing.hands.editor.control
    assert isinstance(control, Text)
    control.line.selectAll()
    qtbot.keyClicks(control.line, "other.png")
    qtbot.keyClick(control.line, Qt.Key.Key_Return)
    ready()
    assert lamp.state.session.plan.translations[PAINT].graph.nodes[slip.node.id].values["file"] == "other.png"


def test_what_is_set_stays_open_while_the_crossing_is_worked_out_anew(facing, lamp, qtbot, ready) -> None:
    pages = facing.pages
    pages.choose(ROUGH)
    qtbot.keyClick(pages, Qt.Key.Key_Return)
    editor = facing.hands.editor
    lamp.state.tell()
    assert facing.hands.editor is editor and editor.isVisible()
    lamp.state.select(Selection(PAINT))
    assert facing.hands.editor is None


def test_tab_goes_round_in_the_control(facing, qtbot) -> None:
    facing.pages.choose(Spot("target", "finish", "color"))
    qtbot.keyClick(facing.pages, Qt.Key.Key_Return)
    editor, seen = facing.hands.editor, []
    for _ in range(9):
        qtbot.keyClick(QApplication.focusWidget(), Qt.Key.Key_Tab)
        seen.append(QApplication.focusWidget())
    assert all(editor.isAncestorOf(one) for one in seen) and len(set(seen)) > 5


@pytest.mark.parametrize(
    ("parameter", "value", "kind"),
    [
        (Parameter(type="float", meaning="x", range=(0.0, 1.0)), 0.5, Numbers),
        (Parameter(type="int", meaning="x"), 3, Numbers),
        (Parameter(type="vector2", meaning="x"), (1.0, 2.0), Numbers),
        (Parameter(type="color", meaning="x"), None, Numbers),
        (Parameter(type="color", meaning="x"), (2.0, 0.5, 7.0), Numbers),
        (Parameter(type="bool", meaning="x", default=False), True, Switched),
        (Parameter(type="token", meaning="x", choices=("a", "b"), default="a"), "b", Listed),
        (Parameter(type="string", meaning="x"), "", Text),
        (Parameter(type="file", meaning="x"), "a.png", Text),
        (Parameter(type="float", meaning="x", range=(0.0, 1e9)), 40.0, Numbers),
        (Parameter(type="float", meaning="x"), -3.0, Numbers),
    ],
)
def test_every_kind_of_value_has_a_control_that_keeps_it(qtbot, parameter, value, kind) -> None:
    control = control_for(value, parameter)
    qtbot.addWidget(control)
    assert type(control) is kind
    said = control.value()
    assert not isinstance(said, words.NotRead) and not parameter.wrong(said)
    if value is not None:
        assert said == value


def test_sliders_go_over_what_matters() -> None:
    assert sliding(Parameter(type="float", meaning="x", range=(0.0, 1.0)), 0.2) == (0.0, 1.0)
    assert sliding(Parameter(type="float", meaning="x", range=(0.0, 1e9)), 50.0) == (0.0, 200.0)
    assert sliding(Parameter(type="float", meaning="x"), -2.0) == (-8.0, 8.0)
    assert sliding(Parameter(type="float", meaning="x", range=(0.0, 1e9)), 0.0) == (0.0, 1.0)
    assert sliding(Parameter(type="float", meaning="x", range=(-1e3, 1e3), default=0.1), 0.0) == (0.0, 0.4)
    assert sliding(Parameter(type="float", meaning="x", range=(-1e3, 1e3)), -0.0002) == (-0.0008, 0.0008)
    assert sliding(Parameter(type="float", meaning="x", range=(1.0, 100.0)), 1.5) == (1.0, 6.0)
    assert sliding(Parameter(type="float", meaning="x", range=(0.0, 10.0)), 3.0) == (0.0, 10.0)


@pytest.mark.parametrize(
    ("value", "said"), [(-0.0002, "-0.0002 m"), (0.78, "0.78 m"), (1234.5, "1234.5 m"), (0.0, "0 m"), (2.0, "2 m")]
)
def test_numbers_are_said_in_as_many_digits_as_they_need(qtbot, value, said) -> None:
    control = control_for(value, Parameter(type="float", meaning="x", range=(-1e4, 1e4), unit="m"))
    qtbot.addWidget(control)
    assert control.boxes[0].text() == said and control.value() == value


# pulling a band's end


def pull(qtbot, pages, to: Spot) -> None:
    """Pull the end of polish's band to a line, which is listed as soon as it is off."""
    band = next(band for band in pages.drawn.bands if band.row.parameter == "polish" and band.right is not None)
    room = pages.room
    start = QPoint(int(room.width / 2.0 + room.edge - 5), int(room.y_of(band.right[1].y)))
    qtbot.mousePress(pages.viewport(), LEFT, pos=start)
    qtbot.mouseMove(pages.viewport(), start + QPoint(20, 20))
    QApplication.processEvents()
    at = place(pages, to)
    qtbot.mouseMove(pages.viewport(), at)
    QApplication.processEvents()
    pages.grab()
    qtbot.mouseRelease(pages.viewport(), LEFT, pos=at)


def test_a_bands_end_is_pulled_to_another_parameter(facing, lamp, qtbot, ready) -> None:
    rough = target(lamp).values["rough"]
    pages = facing.pages
    pull(qtbot, pages, Spot("target", "finish", "facing_reflect"))
    ready()
    node = target(lamp)
    assert "rough" not in node.values and node.values["facing_reflect"] == rough
    row = next(row for row in lamp.state.rows(BRASS) if row.parameter == "polish")
    assert row.targets == (("finish", "facing_reflect"),) and row.fate is Fate.FITTED and "by hand" in row.reason
    assert pages.painting.pull is None and pages.painting.offers is None
    assert not any(line.default for line in pages.drawn.target.slips["finish"].lines)  # listed only meanwhile
    pages.choose(Spot("target", "finish", "facing_reflect"))
    qtbot.keyClick(pages, Qt.Key.Key_Delete)
    ready()
    assert target(lamp).values["rough"] == rough and lamp.state.session.document.redirects == ()
    lamp.state.undo()
    ready()
    pages.choose(Spot("target", "finish", "facing_reflect"))
    QApplication.processEvents()
    back = next(b for b in lamp.evidence.findChildren(QPushButton) if b.text() == "Take it back" and b.isVisible())
    qtbot.mouseClick(back, LEFT)  # and from its Evidence
    ready()
    assert target(lamp).values["rough"] == rough and lamp.state.session.document.redirects == ()


def test_an_end_that_is_let_go_where_it_cannot_be_goes_back(facing, lamp, qtbot, ready) -> None:
    pages = facing.pages
    before = dict(target(lamp).values)
    pull(qtbot, pages, Spot("target", "finish", "thin"))
    ready()
    assert lamp.state.session.document.redirects == () and target(lamp).values == before
    band = next(band for band in pages.drawn.bands if band.row.parameter == "polish" and band.right is not None)
    at = QPoint(int(pages.room.width / 2.0 + pages.room.edge - 5), int(pages.room.y_of(band.right[1].y)))
    qtbot.mouseClick(pages.viewport(), LEFT, pos=at)  # a press alone takes nothing off
    assert lamp.state.selection.row is band.row and lamp.state.session.document.redirects == ()


def test_a_bands_start_is_pulled_to_another_value_of_the_source(facing, lamp, qtbot, ready) -> None:
    """What became of that value goes there instead; a value of which nothing became goes there itself."""
    pages, room = facing.pages, facing.pages.room

    def pull_start(to: str) -> None:
        band = next(b for b in pages.drawn.bands if b.row.parameter == "polish" and b.right is not None)
        start = QPoint(int(room.width / 2.0 - room.edge + 5), int(room.y_of(band.left[1].y)))
        qtbot.mousePress(pages.viewport(), LEFT, pos=start)
        at = place(pages, Spot("source", "finish", to))
        qtbot.mouseMove(pages.viewport(), at)
        QApplication.processEvents()
        pages.grab()
        qtbot.mouseRelease(pages.viewport(), LEFT, pos=at)
        ready()

    before = dict(target(lamp).values)
    pull_start("polish_curve")  # a word is no roughness
    assert target(lamp).values == before
    pull_start("edge_rise")
    metal = target(lamp)
    assert metal.values["rough"] == before["metal"] == 1.0 and "metal" not in metal.values
    assert next(row for row in lamp.state.rows(BRASS) if row.parameter == "polish").fate is Fate.LOST
    lamp.state.undo()
    ready()
    pull_start("base_tint")  # it is lost: its own value goes there, as a grey
    assert target(lamp).values["rough"] == pytest.approx(0.2126 * 0.03 + 0.7152 * 0.02 + 0.0722 * 0.01, abs=1e-4)
    assert len(lamp.state.session.document.notes) == 1


# the menu


def entries(menu: QMenu) -> dict[str, object]:
    """A menu's entries by their words."""
    return {action.text().split("\t")[0]: action for action in menu.actions() if action.text()}


def test_the_menu_gives_elsewhere_and_shows_what_that_would_be(facing, lamp, qtbot, ready, monkeypatch) -> None:
    tried = keep_trials(lamp, monkeypatch)
    menu = facing.hands.menu(ROUGH)
    found = entries(menu)
    assert {"Set it…", "Give it to", "List values at their defaults"} <= set(found) and "Take it back" not in found
    give = entries(found["Give it to"].menu())
    assert "facing_reflect" in give and "thin" not in give
    give["nap"].hover()
    assert tried[-1][1].graph.nodes["finish"].values["nap"] == target(lamp).values["rough"]
    give["nap"].trigger()
    ready()
    assert target(lamp).values["nap"] > 0.0 and "rough" not in target(lamp).values
    spot = Spot("target", "finish", "nap")
    entries(facing.hands.menu(spot))["Take it back"].trigger()
    ready()
    assert "nap" not in target(lamp).values


def test_a_node_is_swapped_for_its_like_and_back(facing, lamp, qtbot, ready, monkeypatch) -> None:
    tried = keep_trials(lamp, monkeypatch)
    lamp.state.select(Selection(PAINT))
    pages = facing.pages
    slip = next(slip for slip in pages.drawn.target.slips.values() if slip.title == "bump")
    head = Spot("target", slip.node.id)
    swap = entries(entries(facing.hands.menu(head))["Swap bump for"].menu())
    assert list(swap) == ["normal"]
    swap["normal"].hover()
    assert tried[-1][1].graph.nodes[slip.node.id].kind == "pellune.normal"
    swap["normal"].trigger()
    ready()
    assert pages.drawn.target.slips[slip.node.id].title == "normal"
    assert lamp.state.session.plan.translations[PAINT].graph.nodes[slip.node.id].links
    pages.choose(head)
    qtbot.keyClick(pages, Qt.Key.Key_Backspace)
    ready()
    assert pages.drawn.target.slips[slip.node.id].title == "bump"


def test_the_menus_key_and_the_right_button_ask_about_what_is_chosen(facing, lamp, qtbot, monkeypatch) -> None:
    pages, asked = facing.pages, []
    pages.asked.connect(lambda spot, at: asked.append((spot, at)))
    monkeypatch.setattr(QMenu, "popup", lambda menu, at: menu.aboutToHide.emit())
    qtbot.mouseClick(pages.viewport(), Qt.MouseButton.RightButton, pos=place(pages, ROUGH))
    assert asked[-1][0] == ROUGH and lamp.state.selection.row.parameter == "polish"
    QApplication.sendEvent(
        pages.viewport(),
        QContextMenuEvent(QContextMenuEvent.Reason.Keyboard, QPoint(1, 1), pages.mapToGlobal(QPoint(1, 1))),
    )
    assert len(asked) == 2 and asked[-1][0] == ROUGH
    assert entries(facing.hands.menu(Spot("source", "finish", "polish"))).keys() == {"List values at their defaults"}


def test_one_press_on_a_line_or_a_band_says_why_it_has_its_fate(facing, lamp, qtbot) -> None:
    from PySide6.QtWidgets import QLabel

    pages = facing.pages
    for band in pages.drawn.bands:
        if band.left is None:
            continue
        lamp.state.select(Selection(BRASS))
        qtbot.mouseClick(pages.viewport(), LEFT, pos=place(pages, Spot("source", band.row.node, band.row.parameter)))
        QApplication.processEvents()
        told = " ".join(one.text() for one in lamp.evidence.findChildren(QLabel))
        assert band.row.fate.word in told and (band.row.reason or band.row.fate.meaning) in told
    assert pages.tip(place(pages, Spot("source", "finish", "polish")).toPointF())


def test_every_place_that_a_value_went_to_can_be_typed_in(facing, lamp, qtbot, ready) -> None:
    row = next(row for row in lamp.state.rows(BRASS) if row.parameter == "mirror_tint")
    lamp.state.select(Selection(BRASS, row))
    QApplication.processEvents()
    lines = {line.accessibleName(): line for line in lamp.evidence.findChildren(QLineEdit) if line.isVisible()}
    assert set(lines) == {"edge_color in the target", "color in the target"}
    lines["color in the target"].setText("0.1 0.2 0.3")
    qtbot.keyClick(lines["color in the target"], Qt.Key.Key_Return)
    ready()
    assert target(lamp).values["color"] == (0.1, 0.2, 0.3) and target(lamp).values["edge_color"] != (0.1, 0.2, 0.3)
