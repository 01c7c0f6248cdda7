"""The window with the rendering process: swatches, drifts, fits, edits, the camera's view."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QLineEdit, QPushButton

from durvan.crossing.looks.questions import Trouble
from durvan.dialects.registry import Registry
from durvan.errors import MisuseError
from durvan.scene.vocabulary import Parameter
from durvan.ui.frame.window import Window
from durvan.ui.kit import words
from durvan.ui.shared.state import Selection
from windows import shown

WAIT = 120_000
PAINT, BRASS, GLASS = (f"/LampRoom/Looks/{name}" for name in ("CeilingPaint", "PedestalBrass", "DialGlass"))


@pytest.fixture
def seeing(qtbot, packs: Registry, lamproom: Path, kernels: None) -> Iterator[Window]:
    """The demo scene in a window that renders."""
    with shown(packs) as made:
        made.open(lamproom)
        qtbot.waitUntil(lambda: made.state.session is not None and made.state.job is None, timeout=20_000)
        yield made


def texts(window: Window) -> str:
    return "\n".join(label.text() for label in window.evidence.findChildren(QLabel))


def button(window: Window, text: str) -> QPushButton:
    return next(b for b in window.evidence.findChildren(QPushButton) if b.text() == text)


@pytest.mark.slow
def test_looking_editing_and_fitting(seeing: Window, qtbot) -> None:
    window = seeing
    state, looks = window.state, window.looks
    state.select(Selection(BRASS))
    window.go("Facing")
    qtbot.waitUntil(lambda: BRASS in looks.closely and looks.closely[BRASS].done, timeout=WAIT)
    seen = looks.closely[BRASS]
    assert len(seen.source) == len(seen.target) == len(seen.difference) == 3 and seen.source[0].width() == 96
    assert seen.polar.shape == (2, 181) and seen.polar.max() > 1.0
    qtbot.waitUntil(lambda: state.session.drift(BRASS) is not None, timeout=WAIT)
    before = state.session.drift(BRASS)
    assert before.mean > 1.0 and f"{before.mean:.2f}" in texts(window)
    assert window.stations["Facing"].swatches.isVisible() and window.stations["Facing"].swatches.shown() is not None

    # a value of the target, typed: the swatch follows
    row = next(row for row in state.rows(BRASS) if row.parameter == "polish")
    state.select(Selection(BRASS, row))
    line = next(e for e in window.evidence.findChildren(QLineEdit) if e.accessibleName() == "rough in the target")
    line.setText("0.8")
    qtbot.keyClick(line, Qt.Key.Key_Return)
    qtbot.waitUntil(
        lambda: (state.job is None and state.session.drift(BRASS) is None) or state.session.drift(BRASS) != before,
        timeout=WAIT,
    )
    qtbot.waitUntil(
        lambda: (found := state.session.drift(BRASS)) is not None and found.mean > before.mean, timeout=WAIT
    )
    assert state.session.plan.translations[BRASS].graph.nodes["finish"].values["rough"] == 0.8
    state.undo()
    qtbot.waitUntil(
        lambda: (found := state.session.drift(BRASS)) is not None and found.mean == pytest.approx(before.mean, abs=0.3),
        timeout=WAIT,
    )

    # what drifts is fitted from its Evidence; this one is known to get better
    state.select(Selection(GLASS))
    qtbot.waitUntil(lambda: state.session.drift(GLASS) is not None, timeout=WAIT)
    before = state.session.drift(GLASS)
    qtbot.waitUntil(lambda: any(b.text() == "Fit it" for b in window.evidence.findChildren(QPushButton)), timeout=WAIT)
    qtbot.mouseClick(button(window, "Fit it"), Qt.MouseButton.LeftButton)
    assert looks.fitting == 1
    qtbot.waitUntil(lambda: any(n.by == "fit" for n in state.session.document.notes), timeout=WAIT)
    qtbot.waitUntil(
        lambda: (found := state.session.drift(GLASS)) is not None and found.mean < 0.85 * before.mean, timeout=WAIT
    )
    qtbot.waitUntil(lambda: "before the fit" in texts(window), timeout=WAIT)
    state.undo()
    qtbot.waitUntil(lambda: state.job is None and state.session.drift(GLASS) == before, timeout=WAIT)
    assert not any(note.by == "fit" for note in state.session.document.notes)


@pytest.mark.slow
def test_the_list_is_ordered_by_what_shows(seeing: Window, qtbot) -> None:
    window = seeing
    state, looks = window.state, window.looks
    qtbot.waitUntil(lambda: bool(looks.shares), timeout=WAIT)
    assert 0.0 < sum(looks.shares.values()) <= 1.0 + 1e-9 and "/LampRoom/Looks/WetSlate" in looks.shares
    qtbot.waitUntil(
        lambda: looks.views.get("source") is not None and looks.views.get("target") is not None, timeout=WAIT
    )
    assert looks.views["source"][0].width() == 288 and window.stations["Survey"].views.isVisible()
    qtbot.waitUntil(lambda: len(looks.small) >= 3, timeout=WAIT)
    qtbot.waitUntil(
        lambda: len(state.session.evidence.drifts) >= 3 and window.stations["Survey"].things.things.weighed,
        timeout=WAIT,
    )
    weights = [looks.weight(row[0].id) for row in window.stations["Survey"].things.things.rows]
    assert weights == sorted(weights, reverse=True) and weights[0] > 0.0
    window.stations["Survey"].limit.setText("0.1")
    qtbot.keyClick(window.stations["Survey"].limit, Qt.Key.Key_Return)
    assert state.session.document.drift_limit == 0.1
    qtbot.waitUntil(lambda: state.job is None and any(f.code == "drift" for f in state.session.findings), timeout=WAIT)


def test_the_window_says_when_rendering_ends(window: Window) -> None:
    window.looks._take(Trouble("renderer", "The rendering process ended."))
    assert window.looks.trouble == "The rendering process ended." and window.looks.fitting == 0
    window.grab()
    with pytest.raises(MisuseError, match="Nobody takes answers like int"):
        window.looks._take(1)


@pytest.mark.parametrize(
    ("typed", "kind", "read"),
    [
        ("0.5", "float", 0.5), ("0.5 1", "color", None), ("0.1 0.2 0.3", "color", (0.1, 0.2, 0.3)), ("0.4", "color", (0.4, 0.4, 0.4)),
        ("soft", "float", None), ("7", "float", None), ("on", "bool", True), ("maybe", "bool", None), ("nan", "float", None),
    ],
)  # fmt: skip
def test_what_is_typed_is_read(typed: str, kind: str, read) -> None:
    parameter = Parameter(type=kind, range=(0, 1) if kind != "bool" else None, family="base", meaning="x")
    found = words.read(typed, parameter)
    assert isinstance(found, words.NotRead) and found.why if read is None else found == read
    if read is not None:
        assert words.read(words.plain(found), parameter) == found
