"""Windows for tests: dressed, shown, and gone without leftovers."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager

from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtWidgets import QApplication

from durvan.dialects.registry import Registry
from durvan.ui.frame.window import Window
from durvan.ui.kit.theme import dress


@contextmanager
def shown(packs: Registry, **how: bool) -> Iterator[Window]:
    """A window, shown; once it is closed no thread may be left, and none of its widgets, which a later window would wait for."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    if not app.styleSheet():  # anew, every widget there is would be dressed anew
        dress(app)
    made = Window(packs, **how)
    made.resize(1280, 800)
    made.show()
    yield made
    made.state.session = None  # nothing to ask about
    made.close()
    made.deleteLater()
    QCoreApplication.sendPostedEvents(made, QEvent.Type.DeferredDelete)
    assert [thread.name for thread in threading.enumerate() if thread.name.startswith("durvan-")] == []
