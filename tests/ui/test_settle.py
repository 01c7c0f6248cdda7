"""Settle in the window: what helps is listed as it is found, ticked, let stand as one step; it stops and goes on."""

from __future__ import annotations

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QApplication, QLabel, QPushButton

from durvan.crossing.document.changes import Fit, PutFits
from durvan.crossing.looks import questions
from durvan.crossing.looks.trials import THE_LIGHT, Effect, Proposal, Stays, Tried, action_key
from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.rows import By
from durvan.scene.drift import Drift
from durvan.ui.shared.state import Selection

BRASS, SLATE, GLASS = (f"/LampRoom/Looks/{name}" for name in ("PedestalBrass", "WetSlate", "LensGlass"))


def helped(thing: str, before: float, after: float) -> Tried:
    note = Note(thing=thing, node="finish", parameter="rough", value=0.2, by=By.FIT, before=before, after=after)
    return Tried(thing, Proposal(thing, ("fitted",), (PutFits(notes=(note,)),), Effect(before, after)))


@pytest.fixture
def asked(lamp, monkeypatch: pytest.MonkeyPatch) -> list:
    """Questions that would go to the process that renders."""
    found: list = []
    monkeypatch.setattr(lamp.looks.renderer, "ask", found.append)
    lamp.looks.renderer_ready = True
    return found


@pytest.fixture
def panel(lamp, asked, ready):
    lamp.settle()
    ready()
    yield lamp.settle_panel
    lamp.settle_panel.close()


def answer(lamp, tried: Tried, left: int) -> None:
    lamp.looks._take(questions.Settled(tried, left, True))
    QApplication.processEvents()


def lines(table, column: int) -> list[str]:
    return [table.topLevelItem(n).text(column) for n in range(table.topLevelItemCount())]


def test_all_that_is_open_is_tried_at_once_when_it_is_opened(lamp, panel, asked) -> None:
    (question,) = [one for one in asked if type(one) is questions.Settle]
    names = {one.pair.thing.id for one in question.work.subjects}
    assert {BRASS, SLATE} <= names and panel.go.text() == "Stop" and panel.isVisible()
    assert len(question.left) == len(question.work.things) == lamp.settling.of
    lamp.settle()
    assert len([one for one in asked if type(one) is questions.Settle]) == 1


def test_what_helps_most_stands_first_and_what_stays_says_why(lamp, panel) -> None:
    answer(lamp, helped(SLATE, 1.0, 0.8), 2)
    answer(lamp, helped(BRASS, 3.2, 1.4), 1)
    answer(lamp, Tried(GLASS, stays=Stays(GLASS, 4.0, "nothing lowers it")), 1)
    answer(lamp, Tried(THE_LIGHT, stays=Stays(THE_LIGHT, 0.3, "nothing is nearer", "stops")), 0)
    assert lines(panel.helps, 1) == ["Pedestal brass", "Wet slate"]
    assert lines(panel.helps, 3)[0] == "3.20 → 1.40 ΔE00"
    assert set(zip(lines(panel.stays, 0), lines(panel.stays, 1), strict=True)) == {
        ("Lens glass", "4.00 ΔE00"),
        ("the light", "0.30 stops"),
    }
    assert panel.go.text() == "Try everything" and panel.take.text() == "Let 2 changes stand"
    assert not panel.grab().toImage().isNull()


def test_only_what_is_ticked_stands_and_undo_takes_it_back(lamp, panel, ready) -> None:
    answer(lamp, helped(BRASS, 3.2, 1.4), 1)
    answer(lamp, helped(SLATE, 1.0, 0.8), 0)
    panel.helps.topLevelItem(1).setCheckState(0, Qt.CheckState.Unchecked)
    assert panel.take.text() == "Let 1 change stand"
    panel.take.click()
    ready()
    session = lamp.state.session
    assert {note.thing for note in session.document.notes} == {BRASS} and session.done[-1].name == "Settle"
    assert lines(panel.helps, 1) == ["Wet slate"]  # what was not taken is still there
    lamp.state.undo()
    ready()
    assert not session.document.notes
    assert lamp.settling.stale and not panel.take.isEnabled() and "has changed" in panel.told.text()


def test_it_stops_and_goes_on_with_what_is_left(lamp, panel, asked, ready) -> None:
    answer(lamp, helped(BRASS, 3.2, 1.4), 5)
    panel.go.click()
    assert type(asked[-1]) is questions.Settle and asked[-1].work.things == [] and panel.go.text() == "Go on"
    assert "Stopped" in panel.told.text()
    panel.go.click()
    ready()
    again = asked[-1]
    assert BRASS not in {one.pair.thing.id for one in again.work.subjects} and panel.go.text() == "Stop"
    assert lines(panel.helps, 1) == ["Pedestal brass"]


def test_saving_is_no_other_crossing(lamp, panel, tmp_path) -> None:
    answer(lamp, helped(BRASS, 3.2, 1.4), 0)
    assert lamp.save(tmp_path / "a.durvan") and not lamp.settling.stale and panel.take.isEnabled()


def test_a_line_chooses_what_it_is_about(lamp, panel) -> None:
    answer(lamp, helped(SLATE, 1.0, 0.8), 0)
    panel.helps.setCurrentItem(panel.helps.topLevelItem(0))
    assert lamp.state.selection.thing == SLATE


def test_another_scene_forgets_it(lamp, panel, ready, lamproom) -> None:
    answer(lamp, helped(SLATE, 1.0, 0.8), 0)
    lamp.state.session = None
    lamp.open(lamproom)
    ready()
    assert lamp.settling.tried == [] and lines(panel.helps, 1) == []


def test_a_remedy_says_what_it_does_once_that_is_known(lamp, asked, ready) -> None:
    state = lamp.state
    thing = state.session.scene.things[BRASS]
    state.session.measured({state.session.key_of(thing): Drift(3.6, 5.0, 0.1, "booth", (3.6, 3.0, 3.0), 8)})
    state.renew()
    ready()
    finding = next(one for one in state.session.open_findings() if one.code == "drift" and one.thing == BRASS)
    state.select(Selection(BRASS, None, None, finding))
    (question,) = [one for one in asked if type(one) is questions.Try]
    assert [one.pair.thing.id for one in question.work.subjects] == [BRASS]

    def said() -> str:
        QApplication.processEvents()
        return "\n".join(one.text() for one in lamp.evidence.widget().findChildren(QLabel) if one.isVisible())

    assert "is being measured" in said()
    effects = {(state.session.key_of(thing), action_key(Fit(thing=BRASS))): Effect(3.6, 1.5)}
    lamp.looks._take(questions.Settled(Tried(BRASS, effects=effects), 0, False))
    assert "3.60 → 1.50 ΔE00, measured" in said()
    assert lamp.settling.tried == []  # it was not asked for by Settle
    assert "is being measured" not in said() and lamp.settling.trying == ""
    texts = [one.text() for one in lamp.findings.tree.findChildren(QPushButton)]
    assert "Fit it  3.6 → 1.5" in texts
