"""Ready values in the window: searched, sorted, shown on the material before they are taken, put on whole or in part, and one's own kept."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QPoint, QPointF, QRectF, Qt
from PySide6.QtGui import QDragEnterEvent, QDragMoveEvent, QDropEvent

from durvan.crossing.looks import questions
from durvan.ui.frame.ready import ReadyValues
from durvan.ui.kit.drops import ready_values
from durvan.ui.shared.state import Selection
from durvan.ui.stations.swatches import Views

BRASS, SLATE = (f"/LampRoom/Looks/{name}" for name in ("PedestalBrass", "WetSlate"))


@pytest.fixture
def asked(lamp, monkeypatch: pytest.MonkeyPatch) -> list:
    found: list = []
    monkeypatch.setattr(lamp.looks.renderer, "ask", found.append)
    return found


@pytest.fixture
def panel(lamp, asked, ready, tmp_path: Path, qtbot):
    lamp.state.select(Selection(BRASS))
    lamp.ready_values()
    made = lamp.ready_panel
    made.own = tmp_path / "ready.yaml"
    made.waits.setInterval(0)
    yield made
    made.close()


def names(panel: ReadyValues) -> list[str]:
    return [panel.list.topLevelItem(n).text(1) for n in range(panel.list.topLevelItemCount())]


def choose(panel: ReadyValues, name: str) -> None:
    panel.list.setCurrentItem(panel.list.findItems(name, Qt.MatchFlag.MatchExactly, 1)[0])


def test_it_is_searched_and_sorted(panel: ReadyValues) -> None:
    panel.words.setText("liquid")
    assert "water" in names(panel) and "gold" not in names(panel) and names(panel) == sorted(names(panel))
    panel.words.setText("")
    panel.order.setCurrentIndex(2)
    panel.fill()
    assert names(panel).index("silver") < names(panel).index("tungsten") < names(panel).index("asphalt")
    assert not panel.grab().toImage().isNull()


def test_it_is_shown_before_it_is_taken_and_the_material_is_back_when_it_is_closed(panel, lamp, asked, qtbot) -> None:
    choose(panel, "copper")
    qtbot.waitUntil(lambda: any(isinstance(one, questions.LookAt) for one in asked))
    shown = [one for one in asked if isinstance(one, questions.LookAt)][-1].pair
    graph = shown.translation.graph
    assert graph.nodes[graph.outputs["surface"].node].values["color"] == pytest.approx((0.9333, 0.6398, 0.5335))
    assert not lamp.state.session.document.notes  # nothing is changed by it
    panel.close()
    again = [one for one in asked if isinstance(one, questions.LookAt)][-1].pair
    assert again.thing.id == BRASS and again.key != shown.key


def test_it_is_put_on_as_one_step(panel, lamp, ready) -> None:
    choose(panel, "copper")
    assert panel.button.isEnabled() and panel.button.text().startswith("Put ")
    panel.put()
    ready()
    session = lamp.state.session
    assert session.done[-1].name == "Put copper on it" and {note.thing for note in session.document.notes} == {BRASS}
    assert not panel.button.isEnabled()  # there is nothing of it left to put on
    lamp.state.undo()
    ready()
    assert not session.document.notes and panel.button.isEnabled()


def test_maps_are_given_up_only_when_that_is_chosen(panel, lamp) -> None:
    lamp.state.select(Selection(SLATE))
    choose(panel, "gold")
    kept = {note.parameter for note in panel.notes()}
    panel.maps.setCurrentIndex(1)
    assert "color" not in kept and {note.parameter for note in panel.notes()} > kept


def test_without_a_material_it_says_what_to_do(panel, lamp) -> None:
    choose(panel, "gold")
    lamp.state.select(Selection())
    assert "Choose a material" in panel.onto.text() and not panel.button.isEnabled() and panel.notes() == ()


def test_what_a_material_has_is_kept_as_ones_own(panel, lamp) -> None:
    panel.keep("our brass")
    assert "our brass" in names(panel)
    choose(panel, "our brass")
    assert panel.entry().own and panel.entry().source == "from Pedestal brass"
    assert not panel.notes()  # the brass has these values already
    lamp.state.select(Selection(SLATE))
    assert any(note.parameter == "metal" for note in panel.notes())
    panel.own.write_text("own: [")
    panel.fill()
    assert "cannot be read" in panel.onto.text() and "gold" in names(panel)


def drag(widget, at: QPoint, move: bool = True) -> bool:
    """Drag what the list drags over a widget; whether it may be dropped there."""
    given = ready_values()
    copy, left, no = Qt.DropAction.CopyAction, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier
    entered = QDragEnterEvent(at, copy, given, left, no)
    entered.ignore()
    widget.dragEnterEvent(entered)
    if not entered.isAccepted() or not move:
        return entered.isAccepted()
    moved = QDragMoveEvent(at, copy, given, left, no)
    widget.dragMoveEvent(moved)
    if moved.isAccepted():
        widget.dropEvent(QDropEvent(QPointF(at), copy, given, left, no))
    return moved.isAccepted()


def test_they_are_dropped_onto_a_material_in_the_cameras_view(panel, lamp, ready, monkeypatch) -> None:
    views = lamp.stations["Survey"].findChild(Views)
    views.boxes = [QRectF(0, 0, 100, 50), QRectF(108, 0, 100, 50)]
    monkeypatch.setattr(lamp.looks, "thing_at", lambda across, down: SLATE if across < 0.5 else "")
    choose(panel, "copper")
    assert not drag(views, QPoint(80, 20)) and not lamp.state.session.document.notes
    assert drag(views, QPoint(120, 20))
    ready()
    assert {note.thing for note in lamp.state.session.document.notes} == {SLATE} and lamp.state.selection.thing == SLATE


def test_they_are_dropped_onto_what_is_faced(panel, lamp, ready) -> None:
    facing = lamp.stations["Facing"]
    choose(panel, "gold")
    assert panel.list.mimeData([panel.list.currentItem()]).formats() == ready_values().formats()
    assert drag(facing, QPoint(300, 300), move=False)
    facing.dropEvent(None)
    ready()
    assert {note.thing for note in lamp.state.session.document.notes} == {BRASS}
    lamp.state.select(Selection("/LampRoom/Camera"))
    assert not drag(facing, QPoint(300, 300), move=False)
