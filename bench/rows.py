"""How long the event loop stands still while a table of 5,000 files is shown, scrolled and sorted, as one line of JSON."""

from __future__ import annotations

import json
import os
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

import numpy as np
import OpenImageIO as oiio
from PySide6.QtCore import QEventLoop, QTimer
from PySide6.QtWidgets import QApplication

from durvan.dialects.registry import registry
from durvan.ui.frame.window import Window
from durvan.ui.kit.theme import dress

clock = time.perf_counter
MATERIALS, EACH = 500, 10
HEAD = '#usda 1.0\n(\n    defaultPrim = "W"\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\ndef Xform "W"\n{\n'


def scene(folder: Path) -> Path:
    """500 materials that read ten pictures each; one picture in ten is not there."""
    text = [HEAD]
    for number in range(MATERIALS):
        text.append(
            f'def Material "M{number}"\n{{\ntoken outputs:orvik:surface.connect = </W/M{number}/finish.outputs:out>\n'
        )
        text.append('def Shader "finish"\n{\nuniform token info:id = "orvik.finish"\n')
        text.append(f"color3f inputs:base_tint.connect = </W/M{number}/p0.outputs:colour>\ntoken outputs:out\n}}\n")
        for place in range(EACH):
            name = f"map_{number}_{place}.png"
            text.append(
                f'def Shader "p{place}"\n{{\nuniform token info:id = "orvik.picture"\nasset inputs:file = @./tex/{name}@\n'
                "color3f outputs:colour\n}\n"
            )
            if place % EACH != EACH - 1:
                paint(folder / "tex" / name, number * EACH + place)
        text.append("}\n")
    file = folder / "rows.usda"
    file.write_text("".join(text) + "}\n")
    return file


def paint(file: Path, seed: int) -> None:
    """A small picture, like no other."""
    file.parent.mkdir(exist_ok=True)
    pixels = np.random.default_rng(seed).random((64, 64, 3), dtype=np.float32)
    out = oiio.ImageOutput.create(str(file))
    out.open(str(file), oiio.ImageSpec(64, 64, 3, "uint8"))
    out.write_image(pixels)
    out.close()


def main() -> None:
    """Measure."""
    folder = Path(sys.argv[1])
    os.environ["DURVAN_KEPT"] = str(folder / "thumbs")
    file = scene(folder)
    app = QApplication([])
    dress(app)
    window = Window(registry(), rendering=False)
    window.resize(1280, 800)
    window.show()
    gaps: list[float] = []
    last = [clock()]

    def tick() -> None:
        now = clock()
        gaps.append(now - last[0])
        last[0] = now

    timer = QTimer()
    timer.setInterval(5)
    timer.timeout.connect(tick)

    def wait(until=None, ticks: int = 0) -> None:
        there = len(gaps)
        while not (until() if until is not None else len(gaps) > there + ticks):
            loop = QEventLoop()
            QTimer.singleShot(10, loop.quit)
            loop.exec()

    def worst() -> float:
        found = max(gaps, default=0.0)
        gaps.clear()
        return round(found * 1000, 1)

    began = clock()
    window.open(file)
    wait(lambda: window.state.session is not None and window.state.job is None)
    result = {"opened": round(clock() - began, 2)}
    last[0] = clock()
    timer.start()
    window.go("Files")
    wait(ticks=10)
    result["shown"] = worst()
    table = window.stations["Files"].table
    bar = table.verticalScrollBar()
    for step in range(200):
        bar.setValue(bar.maximum() * step // 200)
        wait(ticks=0)
    result["scrolled"] = worst()
    for column in (1, 2, 3, 4, 5):
        table.horizontalHeader().sectionClicked.emit(column)
        wait(ticks=3)
    result["sorted"] = worst()
    window.stations["Files"].words.setText("map_4")
    wait(ticks=3)
    result["searched"] = worst()
    window.stations["Files"].words.setText("")
    wait(lambda: not window.outside.busy and window.state.job is None)
    result["judged"] = worst()
    result["rows"] = table.files.rowCount()
    timer.stop()
    window.state.session = None
    window.close()
    print(json.dumps(result))


if __name__ == "__main__":
    main()
