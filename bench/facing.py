"""Facing with 500 nodes a side: how long it takes to lay out, how much crosses, and how long a frame takes while the pages are
pulled along and brought nearer. Frames are painted as a window paints them, by the processor alone.
"""

from __future__ import annotations

import os
import random
import statistics
import sys
import time
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

import numpy as np
from PySide6.QtCore import QPointF
from PySide6.QtGui import QPixmap
from PySide6.QtWidgets import QApplication

from durvan.dialects.registry import registry
from durvan.ui.followers.looks import image
from durvan.ui.kit.theme import dress
from durvan.ui.shared.state import State
from durvan.ui.stations.facing import layout
from durvan.ui.stations.facing.drawing import Gives
from durvan.ui.stations.facing.folding import Folds
from durvan.ui.stations.facing.pages import Pages
from networks import any_way, network, plane, tree

NODES, FRAME = 500, 1000.0 / 60.0


def shapes() -> None:
    """Layouts of many networks of each shape."""
    pack = registry().get("orvik")
    for name, make in (("trees", tree), ("drawable without", plane), ("any", any_way)):
        took, crossed, links, clean = [], [], [], 0
        for seed in range(40):
            graph = network(make(NODES, random.Random(seed)))
            began = time.perf_counter()
            page = layout.lay_out(graph, graph, [], (pack, pack), None, Folds(), True).source
            took.append((time.perf_counter() - began) * 1000.0)
            crossed.append(page.crossings)
            links.append(len(page.wires))
            clean += page.crossings == 0
        print(
            f"{name:18} 40 of {NODES} nodes and about {statistics.mean(links):.0f} links: {clean} of 40 without a crossing, "
            f"{statistics.mean(crossed):.0f} crossings in the mean; both pages laid out in {statistics.median(took):.0f} ms "
            f"(at most {max(took):.0f} ms)"
        )


def frames(pages: Pages, move: object, count: int) -> list[float]:
    """Milliseconds of each of some frames, with a move before each."""
    picture = QPixmap(pages.viewport().size())
    out = []
    for number in range(count):
        began = time.perf_counter()
        move(number)  # type: ignore[operator] # a function
        pages.viewport().render(picture)
        out.append((time.perf_counter() - began) * 1000.0)
    return out


def told(name: str, took: list[float]) -> None:
    """One line."""
    within = sum(one <= FRAME for one in took) / len(took)
    late = sorted(took)[int(0.95 * len(took))]
    print(
        f"{name:34} median {statistics.median(took):5.1f} ms, 95 % {late:5.1f} ms, at most {max(took):5.1f} ms; "
        f"{100 * within:.0f} % of {len(took)} frames within a sixtieth of a second"
    )


def going_about() -> None:
    """Frames while the pages are pulled along, and brought nearer and farther."""
    pack = registry().get("orvik")
    graph = network(tree(NODES, random.Random(1)))
    pages = Pages(State(registry()))
    pages.resize(994, 500)
    pages.show()
    pages.show_drawn(layout.lay_out(graph, graph, [], (pack, pack), None, Folds(), True))
    grey = image(np.full((36, 36, 3), 128, np.uint8))
    gives = {(side, name): Gives(grey, "0.1 to 0.9") for side in ("source", "target") for name in graph.nodes}
    pages.painting.show_gives(gives)
    down, across = pages.verticalScrollBar(), pages.horizontalScrollBar()
    told("pulled down, as large as it is", frames(pages, lambda n: down.setValue(24 * n), 240))
    told("pulled outward", frames(pages, lambda n: across.setValue(16 * n), 240))
    middle = QPointF(200.0, 250.0)
    told("brought farther and nearer", frames(pages, lambda n: pages.zoom_to(0.97 ** min(n, 180 - n), middle), 180))
    pages.show_all()
    told("all of both networks, pulled", frames(pages, lambda n: down.setValue(6 * n), 120))
    pages.zoom_to(0.6)
    told("a little farther, pulled", frames(pages, lambda n: down.setValue(20 * n), 240))


if __name__ == "__main__":
    application = QApplication.instance() or QApplication([])
    dress(application)  # type: ignore[arg-type] # a QApplication
    shapes()
    going_about()
