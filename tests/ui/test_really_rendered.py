"""Both sides really rendered by Mitsuba from the window: progress, pictures beside the stand-ins, a stop, a limit, and what is said."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
from PySide6.QtGui import QAction, QImage

from durvan.crossing.document.changes import Choose
from durvan.crossing.job.judging import Judged
from durvan.errors import RenderingError
from durvan.scene.said import Grade, Message
from durvan.ui.followers.judging import Wish
from durvan.ui.frame import larger
from making import LIT_WALL, write

SCENE = LIT_WALL


@pytest.fixture
def seen(window, qtbot, ready, tmp_path: Path):
    """A small scene before a window, and the view of it."""
    window.open(write(tmp_path, SCENE))
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    ready()
    window.larger_view()
    yield window.larger
    window.judging.stop()
    qtbot.waitUntil(lambda: not window.judging.running, timeout=30_000)
    window.larger.close()


def mean(picture: QImage) -> tuple[int, int, int]:
    small = picture.scaled(1, 1)
    colour = small.pixelColor(0, 0)
    return colour.red(), colour.green(), colour.blue()


@pytest.fixture
def quickly(monkeypatch: pytest.MonkeyPatch) -> None:
    """Small pictures of few samples."""
    monkeypatch.setattr(larger, "Wish", lambda samples, limit: Wish(min(samples, 16), limit, (96, 54)))


def test_both_sides_are_rendered_one_after_the_other(window, seen, qtbot, quickly) -> None:
    assert seen.go.text() == "Render" and seen.go.isEnabled()
    assert seen.real.waits("source") == "Not rendered yet."
    steps: list[tuple[str, int]] = []
    window.judging.changed.connect(lambda: steps.append((window.judging.doing, window.judging.done)))
    next(one for one in window.findChildren(QAction) if one.text() == "Render with Mitsuba").trigger()
    assert seen.go.text() == "Stop" and seen.progress.isVisible() and not seen.samples.isEnabled()
    qtbot.waitUntil(lambda: not window.judging.running, timeout=120_000)
    assert set(window.judging.found) == {"source", "target"} and window.judging.trouble == {}
    for side in ("source", "target"):
        picture, samples, of = seen.real.shown(side)
        red, green, _ = mean(picture)
        assert samples == of == 16 and picture.width() == 96 and red > green + 20
    assert any(doing.startswith("Mitsuba renders") and done > 0 for doing, done in steps)
    assert seen.go.text() == "Render" and " s" in seen.told.text() and not seen.progress.isVisible()
    window.state.change("To", Choose(target="openpbr"))
    qtbot.waitUntil(lambda: seen.told.text() == "The crossing has changed since.", timeout=10_000)


def test_it_stops_and_keeps_what_there_is(window, seen, qtbot, monkeypatch) -> None:
    monkeypatch.setattr(larger, "Wish", lambda samples, limit: Wish(4_000, limit, (96, 54)))
    seen.go.click()
    qtbot.waitUntil(lambda: "source" in window.judging.pictures, timeout=60_000)
    seen.go.click()
    qtbot.waitUntil(lambda: not window.judging.running, timeout=30_000)
    assert 0 < window.judging.pictures["source"][1] < 4_000 and "target" not in window.judging.pictures
    assert seen.go.text() == "Render"


def test_what_takes_too_long_is_stopped_and_says_so(window, seen, qtbot, monkeypatch) -> None:
    monkeypatch.setattr(larger, "Wish", lambda samples, limit: Wish(100_000, 6.0, (96, 54)))
    seen.go.click()
    qtbot.waitUntil(lambda: not window.judging.running, timeout=60_000)
    said = [*window.judging.trouble.values(), *(one.stopped for one in window.judging.found.values())]
    assert len(said) == 2 and all("6 seconds" in one for one in said)
    assert "6 seconds" in seen.notes.text() or any(
        "6 seconds" in seen.real.waits(side) for side in ("source", "target")
    )


def test_what_mitsuba_says_becomes_findings_and_what_it_refuses_is_read(window, seen, qtbot, monkeypatch) -> None:
    from durvan.ui.followers import judging

    real = judging.judge

    def with_words(session, target, *rest):
        if target:
            raise RenderingError("Mitsuba does not render it: no such plugin.")
        done = real(session, target, *rest)
        return type(done)(
            **{
                **vars(done),
                "messages": (Message(Grade.WARNING, "A texture is very small", 3),),
                "left_out": {"/W/Paint": ["No word."]},
            }
        )

    monkeypatch.setattr(judging, "judge", with_words)
    monkeypatch.setattr(larger, "Wish", lambda samples, limit: Wish(4, limit, (96, 54)))
    seen.go.click()
    qtbot.waitUntil(lambda: not window.judging.running, timeout=60_000)
    session = window.state.session
    qtbot.waitUntil(
        lambda: any(one.code == "renderer-said" and "very small" in one.cause for one in session.findings),
        timeout=10_000,
    )
    assert (
        "no such plugin" in seen.real.waits("target")
        and "Paint" in seen.notes.text()
        and "No word." in seen.notes.toolTip()
    )
    assert not window.judging.stale


def test_what_either_side_leaves_out_is_told_once(window) -> None:
    sides = {"source": {"/A": ["film", "relief"]}, "target": {"/A": ["relief", "coat"], "/B": ["glow"]}}
    for side, left in sides.items():
        window.judging.found[side] = Judged(np.zeros((1, 1, 3)), "none", 1, 0.0, (), left)
    assert window.judging.left_out() == {"/A": ["film", "relief", "coat"], "/B": ["glow"]}


def test_another_scene_shows_nothing_of_the_one_before(window, seen, qtbot, quickly, ready, lamproom) -> None:
    seen.go.click()
    qtbot.waitUntil(lambda: not window.judging.running, timeout=120_000)
    window.state.session = None
    window.open(lamproom)
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    ready()
    assert window.judging.pictures == {} and seen.real.shown("source") is None


def test_what_is_decided_meanwhile_is_not_rendered(window, seen, qtbot, quickly, monkeypatch) -> None:
    targets: list[str] = []
    from durvan.ui.followers import judging

    real = judging.judge

    def slow(session, target, *rest):
        targets.append(session.document.target)
        return real(session, target, *rest)

    monkeypatch.setattr(judging, "judge", slow)
    before = window.state.session.document.target
    seen.go.click()
    window.state.change("To", Choose(target="openpbr"))
    qtbot.waitUntil(lambda: not window.judging.running, timeout=120_000)
    assert before != "openpbr" and targets == [before, before] and window.judging.stale


def test_another_scene_lets_the_render_go_on_and_it_is_kept_with_its_own(
    window, seen, qtbot, ready, lamproom, monkeypatch, tmp_path: Path
) -> None:
    monkeypatch.setattr(larger, "Wish", lambda samples, limit: Wish(16, limit, (96, 54)))
    own, camera = window.proofs.history, window.state.session.camera
    steps: list[str] = []
    window.judging.changed.connect(lambda: steps.append(seen.told.text()))
    seen.go.click()
    window.open(lamproom)
    qtbot.waitUntil(lambda: window.state.session.scene.file == str(lamproom), timeout=20_000)
    assert window.judging.elsewhere and window.stop_other.isEnabled() and seen.go.text() == "Render"
    seen.go.click()  # of the scene that is open now: it waits
    assert "Waiting until" in seen.told.text() and seen.go.text() == "Stop"
    seen.go.click()
    assert window.judging.elsewhere and seen.go.text() == "Render"
    qtbot.waitUntil(lambda: not window.judging.running, timeout=120_000)
    qtbot.waitUntil(lambda: not window.proofs.keeping.busy, timeout=20_000)
    kept = [one for one in own.entries() if one.engine == "mitsuba"]
    assert {one.side for one in kept} == {"source", "target"} and {one.camera for one in kept} == {camera}
    assert all(one.made for one in kept) and own.folder != window.proofs.history.folder
    assert window.judging.found == {} and window.judging.pictures == {} and not window.stop_other.isEnabled()
    assert any("Mitsuba renders" in one and not one.startswith(("Source", "Target")) for one in steps)
