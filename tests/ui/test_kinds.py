"""What a material is stands in Survey and in Evidence, is sorted by and corrected, and ways are chosen for it and its kind."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QComboBox, QLabel, QPushButton

from durvan.crossing.looks import questions
from durvan.scene.traits import MaterialKind, Traits
from durvan.ui.shared.state import Selection

BRASS, CUP, FLAG, SLATE = (
    f"/LampRoom/Looks/{name}" for name in ("PedestalBrass", "PewterCup", "SignalFlag", "WetSlate")
)


@pytest.fixture
def seen(lamp, ready):
    """The lamp room, of four of whose materials it is known what they are."""
    metal = Traits(MaterialKind.METAL, 0.81, "it reflects 59 % when faced over a base of 2 %")
    lamp.looks._take(
        questions.Recognised(
            {
                BRASS: metal, CUP: metal, FLAG: Traits(MaterialKind.FLAT, 0.95, "it reflects next to nothing", masked=True),
                SLATE: Traits(MaterialKind.PAINTED, 0.5, "a matt colour under a soft reflection"),
            },
        )
    )  # fmt: skip
    ready()
    return lamp


def shown(window, kind: type) -> list:
    """What Evidence shows now; what it showed before may not be gone yet."""
    QApplication.processEvents()
    return [one for one in window.evidence.widget().findChildren(kind) if one.isVisible()]


def box(window, name: str) -> QComboBox | None:
    return next((one for one in shown(window, QComboBox) if one.accessibleName() == name), None)


def choose(one: QComboBox, text: str) -> None:
    one.setCurrentIndex(one.findText(text))
    one.activated.emit(one.currentIndex())


def texts(window) -> str:
    return "\n".join(one.text() for one in shown(window, QLabel))


def press(window, text: str) -> None:
    next(one for one in shown(window, QPushButton) if text in one.text()).click()


def test_evidence_says_what_it_is_how_sure_and_why(seen) -> None:
    seen.state.select(Selection(BRASS))
    assert box(seen, "what it is").currentText() == "bare metal"
    assert "81 % sure: it reflects 59 % when faced" in texts(seen)


def test_a_person_corrects_it_and_takes_that_back(seen, ready) -> None:
    state = seen.state
    state.select(Selection(SLATE))
    choose(box(seen, "what it is"), "glazed")
    ready()
    assert state.session.kind(SLATE) is MaterialKind.GLAZED
    assert "recognised as painted, 50 % sure" in texts(seen)
    press(seen, "As it was recognised")
    ready()
    assert state.session.kind(SLATE) is MaterialKind.PAINTED
    state.undo()
    ready()
    assert state.session.kind(SLATE) is MaterialKind.GLAZED


def test_survey_shows_kinds_and_sorts_by_them(seen, qtbot) -> None:
    survey = seen.stations["Survey"]
    model = survey.things.things
    place = model.place(BRASS)
    assert str(model.index(place, 1).data(Qt.ItemDataRole.StatusTipRole)).startswith("bare metal")
    qtbot.mouseClick(survey.order, Qt.MouseButton.LeftButton)
    assert abs(model.place(BRASS) - model.place(CUP)) == 1
    kinds = [model.what(row[0]) for row in model.rows if row[0].kind.value == "material"]
    assert kinds == sorted(kinds)
    assert "by kind" in survey.shown.text()
    qtbot.mouseClick(survey.order, Qt.MouseButton.LeftButton)
    assert "worst first" in survey.shown.text() and survey.order.text() == "Sort by kind"


def test_a_way_is_chosen_for_one_then_for_its_kind_and_undone(seen, ready) -> None:
    state = seen.state
    state.select(Selection(BRASS))
    choose(box(seen, "its maps"), "never baked")
    ready()
    press(seen, "For all that is bare metal (2 materials)")
    ready()
    assert {one.subject for one in state.session.document.policies} == {BRASS, "kind:bare metal"}
    state.select(Selection(CUP))
    assert box(seen, "its maps").currentText() == "never baked"
    state.undo()
    ready()
    state.select(Selection(CUP))
    assert box(seen, "its maps").currentText() == "baked where there is no word"


def test_see_through_is_asked_only_where_something_is_cut_out(seen, ready) -> None:
    seen.state.select(Selection(BRASS))
    assert box(seen, "what is cut out") is None
    seen.state.select(Selection(FLAG))
    choose(box(seen, "what is cut out"), "as a stencil, hard at a half")
    ready()
    graph = seen.state.session.plan.translations[FLAG].graph
    assert any(node.kind == "pellune.stencil" for node in graph.nodes.values())


def test_what_a_hand_set_is_copied_to_others_like_it_and_all_goes_back(seen, ready) -> None:
    state = seen.state
    state.select(Selection(BRASS))
    state.put(BRASS, "finish", "rough", 0.5)
    ready()
    press(seen, "Copy 1 value to 1 material like it")
    ready()
    assert {note.thing for note in state.session.document.notes} == {BRASS, CUP}
    press(seen, "Back to how it was")
    ready()
    assert {note.thing for note in state.session.document.notes} == {CUP}
    assert not any("Back to how it was" in one.text() for one in shown(seen, QPushButton))


def test_what_is_carried_can_be_a_kind_or_what_is_on_something(seen, ready) -> None:
    state, scope = seen.state, seen.stations["Survey"].scope
    state.select(Selection(BRASS))
    texts_ = [scope.itemText(n) for n in range(scope.count())]
    assert "All that is bare metal" in texts_ and any(text.startswith("All on ") for text in texts_)
    choose(scope, "All that is bare metal")
    ready()
    assert set(state.session.plan.translations) == {BRASS, CUP}
    assert scope.currentText() == "All that is bare metal"
