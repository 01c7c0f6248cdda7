"""How long the light budget takes, with 100 lights and with 10,000, and how soon a trim is seen.

It says each time as a ratio to one small render of the same view, made in the same run, so that the machine's
noise counts for both; the seconds stand beside it.
"""

from __future__ import annotations

import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from many_lights import lamp_room
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from durvan.crossing.job.session import Session, start
from durvan.crossing.light import measuring
from durvan.crossing.light.sights import Sides
from durvan.dialects.registry import registry
from durvan.engine import budget, compiling, renderer
from durvan.formats.table import reader
from durvan.progress import silent
from durvan.scene.probe import Probe
from durvan.scene.shapes import Shapes
from durvan.ui.frame.window import Window
from durvan.ui.kit.theme import dress
from durvan.ui.shared.state import Selection
from durvan.ui.stations.light.view import Light

PROBES = 8
_clock = time.perf_counter


def timed(work: Callable[[], object], times: int) -> float:
    """The least of some times, seconds."""
    found = []
    for _ in range(times):
        begun = _clock()
        work()
        found.append(_clock() - begun)
    return min(found)


def made_ready(file: Path) -> tuple[Session, Shapes, Sides]:
    """A crossing to Pellune with both sides staged."""
    session = start(file, registry(), "pellune")
    shapes = reader(file).shapes(file, silent)
    wanted = session.light_wanted()
    return session, shapes, measuring.staged(session.scene, shapes, wanted, session.registry)


def budgets(file: Path, wanted: float, times: int) -> None:
    """Print how long the budget of a scene takes at eight probes, on both sides."""
    session, shapes, sides = made_ready(file)
    seen = list(measuring.found_in_view(sides.source, shapes.up_axis))[:PROBES]
    while len(seen) < PROBES:  # the grid may meet the sky
        x, y, z = seen[0].place
        seen.append(Probe(f"more {len(seen)}", (x + 0.1 * len(seen), y + 0.05, z)))
    lights = len(sides.source.built.groups)
    took = timed(lambda: [budget.measure(side.built, seen) for side in (sides.source, sides.target)], times)

    def render() -> None:
        film = sides.source.film()
        renderer.expose(sides.source.built, sides.source.camera, film, 16, 6)

    one = timed(render, times)
    whole = timed(
        lambda: measuring.measure(session.scene, sides, session.light_wanted(), session.registry, shapes.up_axis), 1
    )
    print(
        f"budget of {lights} lights at {PROBES} probes, both sides: {took * 1000:.0f} ms (wanted: under {wanted * 1000:.0f} ms), "
        f"{took / one:.2f} × of 16 samples a pixel of the view in small ({one * 1000:.0f} ms); all of the report {whole * 1000:.0f} ms",
        flush=True,
    )


def until(holds: Callable[[], bool]) -> float:
    """Turn the event loop until something holds; how long that took, seconds."""
    begun = _clock()
    while not holds():
        loop = QEventLoop()
        QTimer.singleShot(5, loop.quit)
        loop.exec()
    return _clock() - begun


def station(file: Path, name: str) -> None:
    """Print how soon a trim is seen at the Light station, and how long the event loop stands still meanwhile."""
    window = Window(registry())
    window.resize(1280, 800)
    window.show()
    begun = _clock()
    window.open(file)
    state, looks, light = window.state, window.looks, window.stations["Light"]
    assert isinstance(light, Light)
    until(lambda: state.session is not None and state.job is None and light.base is not None)
    window.go("Light")
    until(lambda: looks.views.get("target", (0, 0, 1, 0))[1] >= 8 and not looks.preparing and state.job is None)
    ready = _clock() - begun
    assert light.base is not None
    part = max(
        (p for p in light.base.parts if p.path.count("More") or True), key=lambda p: light.base.lux(p, 0, "target")
    )
    state.select(Selection(part.path))
    gaps: list[float] = []
    last = [_clock()]

    def tick() -> None:
        gaps.append(_clock() - last[0])
        last[0] = _clock()

    timer = QTimer()
    timer.setInterval(5)
    timer.timeout.connect(tick)
    timer.start()
    light.trims.slider.setSliderDown(True)
    waits = []
    for stops in (-60, 30, -30, 60, 0):
        shown = looks.views["target"][0].copy()
        trimmed = _clock()
        light.trims.slider.setSliderPosition(stops)
        until(lambda shown=shown: looks.views["target"][0] != shown)
        waits.append(_clock() - trimmed)
    light.bars.verticalScrollBar().setValue(10_000)
    light.bars.verticalScrollBar().setValue(0)
    until(lambda: len(gaps) > 100)
    timer.stop()
    print(
        f"the Light station with {name}: ready after {ready:.1f} s; a trim is seen after {min(waits):.2f} to {max(waits):.2f} s "
        f"(wanted: 0.3 s); longest stall of the event loop {max(gaps) * 1000:.0f} ms",
        flush=True,
    )
    light.trims.slider.blockSignals(True)
    state.session = None
    window.close()


def main() -> None:
    """Measure and print."""
    compiling.ensure(silent)
    many = int(sys.argv[1]) if len(sys.argv) > 1 else 10_000
    app = QApplication([])
    dress(app)
    with tempfile.TemporaryDirectory() as folder:
        few = lamp_room(Path(folder) / "few.usda", 90)
        lots = lamp_room(Path(folder) / "many.usda", many)
        budgets(few, 0.2, 5)
        budgets(lots, 3.0, 2)
        station(Path(__file__).parent.parent / "demo" / "lamproom" / "lamproom.usda", "the lamp room")
        station(lots, f"{many} lights")


if __name__ == "__main__":
    main()
