"""A window that is shown, dressed, and closed without leftovers."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from durvan.dialects.registry import Registry
from durvan.ui.frame.window import Window
from windows import shown


@pytest.fixture
def judging() -> bool:
    """Whether the window judges pictures; tests of files say yes."""
    return False


@pytest.fixture
def window(qtbot, packs: Registry, judging: bool) -> Iterator[Window]:
    """An empty window; no thread may be left when it is closed."""
    with shown(packs, rendering=False, judging=judging) as made:
        qtbot.waitExposed(made)
        yield made


@pytest.fixture
def ready(window: Window, qtbot) -> Callable[[], None]:
    """Wait until nothing runs."""

    def wait() -> None:
        qtbot.waitUntil(lambda: window.state.job is None, timeout=20_000)

    return wait


@pytest.fixture
def lamp(window: Window, qtbot, ready: Callable[[], None], lamproom: Path) -> Window:
    """The window with the demo scene."""
    window.open(lamproom)
    qtbot.waitUntil(lambda: window.state.session is not None, timeout=20_000)
    qtbot.waitUntil(lambda: not window.outside.busy, timeout=60_000)
    ready()
    return window
