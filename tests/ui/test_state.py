"""What the window shows is one outcome: work beside the event loop, and what is found out meanwhile, in any order."""

from __future__ import annotations

import threading
from collections.abc import Callable

import pytest

from durvan.crossing.document.changes import Choose
from durvan.crossing.job.outcome import Outcome
from durvan.files.audit import Verdict
from durvan.progress import silent
from durvan.scene.drift import Drift
from durvan.ui.frame.window import Window

BRASS, SLATE = "/LampRoom/Looks/PedestalBrass", "/LampRoom/Looks/WetSlate"
FAR = Drift(4.2, 9.0, 0.1, "raking", (1.0, 2.0, 4.2), 8)


class Held:
    """Work of the session that waits until the test lets it go on."""

    def __init__(self, window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
        self.begun, self.go_on = threading.Event(), threading.Event()
        session = window.state.session
        true = session.work

        def work(afresh: bool = False) -> Callable[..., Outcome]:
            done = true(afresh)

            def run(report=silent) -> Outcome:
                found = done(report)
                self.begun.set()
                assert self.go_on.wait(20.0)
                return found

            return run

        monkeypatch.setattr(session, "work", work)

    def let_go(self) -> None:
        self.go_on.set()


def rough(window: Window) -> object:
    return window.state.session.plan.translations[BRASS].graph.nodes["finish"].values["rough"]


def drifting(window: Window) -> list[str]:
    return [finding.thing for finding in window.state.session.findings if finding.code == "drift"]


def test_a_drift_that_comes_while_a_plan_is_worked_out_is_told_with_that_plan(
    lamp: Window, qtbot, ready, monkeypatch
) -> None:
    """The order is forced: planning has read everything when the drift comes, and ends after it."""
    state, session = lamp.state, lamp.state.session
    held = Held(lamp, monkeypatch)
    state.put(BRASS, "finish", "rough", 0.6)
    assert held.begun.wait(20.0)
    session.measured({session.key_of(session.scene.things[SLATE]): FAR})
    assert not state.catch_up()  # something runs; it is not lost for that
    held.let_go()
    qtbot.waitUntil(lambda: state.job is None and not session.behind, timeout=20_000)
    assert rough(lamp) == 0.6 and drifting(lamp) == [SLATE]
    assert lamp.findings.shown()[0].level <= 1 and any(g.code == "drift" for g in lamp.findings.shown())


def test_findings_of_an_old_plan_never_stand_over_a_new_one(lamp: Window, qtbot, ready, monkeypatch) -> None:
    """Two changes at once: the first one's outcome is shown at most until the second one's is there."""
    state, session = lamp.state, lamp.state.session
    thing = session.scene.things[BRASS]
    session.measured({session.key_of(thing): FAR})
    session.renew()
    assert drifting(lamp) == [BRASS]
    held = Held(lamp, monkeypatch)
    state.change("Go elsewhere", Choose(target="openpbr"))
    assert held.begun.wait(20.0)
    seen: list[tuple[str, list[str]]] = []
    state.renewed.connect(lambda: seen.append((session.plan.choices.target, drifting(lamp))))
    state.change("And back", Choose(target="pellune"))
    held.let_go()
    qtbot.waitUntil(lambda: state.job is None and not session.behind, timeout=20_000)
    # no drift of the old target with the new one's plan; with the old target again it is known at once
    assert all(found == ([BRASS] if target == "pellune" else []) for target, found in seen)
    assert seen[-1] == ("pellune", [BRASS])


def test_a_quiet_look_at_the_disk_waits_for_nobody_and_is_waited_for(lamp: Window, qtbot, ready, monkeypatch) -> None:
    state, session = lamp.state, lamp.state.session
    held = Held(lamp, monkeypatch)
    heard: list[bool] = []
    assert state.catch_up(True, heard.append) and held.begun.wait(20.0)
    assert not state.working  # nobody asked for it
    state.put(BRASS, "finish", "rough", 0.3)
    assert state.working and state.doing == "Planning"
    held.let_go()
    qtbot.waitUntil(lambda: state.job is None and not session.behind, timeout=20_000)
    assert heard == [False] and rough(lamp) == 0.3


def test_a_verdict_that_comes_late_finds_its_picture(lamp: Window, qtbot, ready) -> None:
    state, session = lamp.state, lamp.state.session
    file = next(f for f in session.scene.pictures.values() if "dial_face" in f.written)
    session.audited({file.stamp: Verdict(file.first, "uint8", constant=True, mean=(0.5,))})
    assert state.catch_up()
    qtbot.waitUntil(lambda: state.job is None, timeout=20_000)
    assert [f.file for f in session.findings if f.code == "constant-picture"] == [file.written]


def test_accepting_is_told_at_once(lamp: Window, ready) -> None:
    first = lamp.findings.shown()[0].first
    before = sum(group.count for group in lamp.findings.shown())
    lamp.state.accept([first], "seen")
    assert sum(group.count for group in lamp.findings.shown()) == before - 1
    lamp.state.reopen([first])
    assert sum(group.count for group in lamp.findings.shown()) == before
