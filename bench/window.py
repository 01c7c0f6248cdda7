"""How soon the window shows a scene, and how long its event loop stands still while it carries one, or while everything
is rendered beside it (with "rendering" for the second argument).
"""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
clock = time.perf_counter
start = clock()

from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from durvan.dialects.registry import registry
from durvan.ui.frame.window import Window
from durvan.ui.kit.theme import dress

imported = clock()
app = QApplication([])
dress(app)
RENDERING = sys.argv[2:] == ["rendering"]
window = Window(registry(), rendering=RENDERING)
window.show()


def wait(until) -> None:
    """Turn the event loop until something holds."""
    while not until():
        loop = QEventLoop()
        QTimer.singleShot(10, loop.quit)
        loop.exec()


window.open(Path(sys.argv[1]))
wait(lambda: window.state.session is not None and window.state.job is None)
window.grab()
shown = clock()
result = {"import": imported - start, "shown": shown - imported}
if len(sys.argv) > 2:
    gaps: list[float] = []
    last = [clock()]

    def tick() -> None:
        """One turn of the loop."""
        now = clock()
        gaps.append(now - last[0])
        last[0] = now

    timer = QTimer()
    timer.setInterval(5)
    timer.timeout.connect(tick)
    timer.start()
    wait(lambda: len(gaps) > 40)
    gaps.clear()
    if RENDERING:
        window.go("Facing")
        until = clock() + 20.0
        wait(lambda: clock() > until)
        result["seen"] = float(len(window.looks.small) + len(window.looks.views))
    else:
        done: list[object] = []
        window.state.carried.connect(done.append)
        window.state.carry(Path(sys.argv[2]))
        wait(lambda: bool(done))
    worst = sorted(gaps)
    result.update(worst=worst[-1], second=worst[-2])
print(json.dumps(result), flush=True)
window.state.session = None
window.close()
