"""The matrix: made-up materials of every dialect carried to every other one; drift and fates, as a table and as a picture.

`make matrix` refreshes docs/matrix.md and docs/matrix.png. `python bench/matrix.py [how many each] [folder] [dialects, by commas]`.
"""

from __future__ import annotations

import itertools
import os
import statistics
import sys
from collections import Counter
from collections.abc import Iterable, Sequence
from concurrent.futures import ProcessPoolExecutor
from dataclasses import dataclass
from datetime import date
from multiprocessing import get_context
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))
os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import Registry, read
from durvan.engine import compiling
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.model import Scene, Thing
from made_up import Maker, maps

SEED = 4000
GRADES = (1.0, 3.0, 6.0)  # near, visible and off begin here
NETWORKS = 0.12  # how many parameters are fed by a node
KEPT = ROOT / "out" / "matrix"  # swatches and drifts that are known by their looks; what changed is measured anew
EXAMPLES = ROOT / "examples"  # a folder of packs, as a user's is


@dataclass(frozen=True)
class Way:
    """One direction: drifts of its materials, from the least, and how many rows had which fate."""

    source: str
    target: str
    drifts: tuple[float, ...]
    fates: dict[Fate, int]
    unmeasured: int = 0

    @property
    def median(self) -> float:
        """Half of the materials drift by no more."""
        return statistics.median(self.drifts)

    @property
    def ninth(self) -> float:
        """Nine in ten drift by no more."""
        return self.drifts[min(-(-9 * len(self.drifts) // 10) - 1, len(self.drifts) - 1)]

    def share(self, fate: Fate) -> float:
        """The part of its rows that have a fate."""
        return self.fates.get(fate, 0) / max(sum(self.fates.values()), 1)


def registry() -> Registry:
    """Durvan's own packs, and the example."""
    return read(EXAMPLES)


def corpus(packs: Registry, source: str, count: int, files: dict[str, list[str]]) -> dict[str, Thing]:
    """Materials of one dialect, none of them of fibres, which few dialects have; the same ones for every target."""
    things: dict[str, Thing] = {}
    pack = packs.get(source)
    for number in itertools.count():
        thing = Maker(pack, SEED + number, networks=NETWORKS, pictures=files).material(number)
        if all(pack.vocabulary.types[node.kind].family != "fibres" for node in thing.graph.nodes.values()):
            things[thing.id] = thing
        if len(things) == count:
            return things
    return things


def ways_from(source: str, targets: Sequence[str], count: int) -> list[Way]:
    """Every direction from one dialect, measured."""
    packs = registry()
    found = []
    things = corpus(packs, source, count, pictures())
    for target in targets:
        scene = Scene("made.usda", source, things=dict(things), metres_per_unit=0.01)
        planned = plan(scene, packs, Choices(target=target))
        seen = Appearance(scene, packs, KEPT)
        drifts = [seen.drift(thing, planned.translations[thing.id]) for thing in things.values()]
        fates: Counter[Fate] = Counter()
        for translation in planned.translations.values():
            fates.update(row.fate for row in translation.rows)
        known = sorted(one.mean for one in drifts if one is not None)
        found.append(
            Way(source, target, tuple(known), dict(fates), sum(1 for one in drifts if one is None or one.caveats))
        )
        print(f"{source:10} {target:10} {found[-1].median:6.2f} {found[-1].ninth:7.2f}", file=sys.stderr, flush=True)
    return found


def pictures() -> dict[str, list[str]]:
    """What the materials' maps read: written once, so that looks stay the same."""
    folder = KEPT / "pictures"
    there = {kind: [str(folder / f"{kind}.png")] for kind in ("colour", "data")}
    if not all(Path(files[0]).is_file() for files in there.values()):
        folder.mkdir(parents=True, exist_ok=True)
        return maps(folder)
    return there


def measured(names: Sequence[str], count: int) -> list[Way]:
    """Every direction between some dialects."""
    compiling.ensure()
    pictures()
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        parts = [pool.submit(ways_from, name, [other for other in names if other != name], count) for name in names]
        return [way for part in parts for way in part.result()]


# told


def page(ways: Sequence[Way], names: Sequence[str], titles: dict[str, str], count: int) -> str:
    """The matrix as a page."""
    by = {(way.source, way.target): way for way in ways}
    lines = [
        "# The matrix",
        "",
        f"{count} made-up materials of every dialect carried to every other one, with the packs as they stand: {len(ways)} ways, {sum(len(way.drifts) for way in ways)} materials measured.",
        "Drift is the mean CIEDE2000 between the source's look and the target's, under three lightings (see the guide). Nothing is fitted, and nobody",
        "has settled a finding: this is what the mappings alone do. Materials are drawn at random, also from the corners of their dialects, so most are harder than what people make; fibres, which few dialects have, are left out; "
        f"{100 * NETWORKS:.0f} % of their parameters are fed by a node.",
        "",
        f"Refreshed by `make matrix`; last on {date.today().isoformat()}.",
        "",
        "![The matrix](matrix.png)",
        "",
        "## Drift: the median, and what nine in ten stay below",
        "",
        "| from \\ to | " + " | ".join(titles[name] for name in names) + " |",
        "|---|" + "---:|" * len(names),
    ]
    for source in names:
        cells = [
            f"{by[source, target].median:.2f} / {by[source, target].ninth:.1f}" if source != target else "·"
            for target in names
        ]
        lines.append(f"| **{titles[source]}** | " + " | ".join(cells) + " |")
    lines += [
        "",
        "## What became of the values, in percent of the rows",
        "",
        "| way | " + " | ".join(fate.word for fate in SHOWN) + " | not all measured |",
        "|---|" + "---:|" * (len(SHOWN) + 1),
    ]
    for way in ways:
        shares = " | ".join(f"{100 * way.share(fate):.0f}" for fate in SHOWN)
        lines.append(f"| {titles[way.source]} → {titles[way.target]} | {shares} | {way.unmeasured or '·'} |")
    return "\n".join(lines) + "\n"


def grade(drift: float) -> int:
    """Which grade a drift has, from 0."""
    return sum(drift >= limit for limit in GRADES)


def draw(ways: Sequence[Way], names: Sequence[str], titles: dict[str, str], file: Path) -> None:
    """The matrix as a picture: the darker a field, the more its materials drift; under the numbers the fates, by their marks."""
    from PySide6.QtCore import QRectF, Qt
    from PySide6.QtGui import QColor, QImage, QPainter, QPen
    from PySide6.QtWidgets import QApplication

    from durvan.ui.kit import marks
    from durvan.ui.kit.theme import INK, PANEL, RULE, SOFT, dress, font

    app = QApplication.instance() or QApplication([])
    if isinstance(app, QApplication):
        dress(app)
    wide, high, left, top, scale = 116, 62, 150, 92, 2
    size = (left + wide * len(names) + 24, top + high * len(names) + 76)
    image = QImage(size[0] * scale, size[1] * scale, QImage.Format.Format_RGB32)
    image.fill(PANEL)
    p = QPainter(image)
    p.scale(scale, scale)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    by = {(way.source, way.target): way for way in ways}
    washes = (QColor(226, 226, 226), QColor(206, 206, 206), QColor(182, 182, 182), QColor(156, 156, 156))
    middle, right = Qt.AlignmentFlag.AlignCenter, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter

    def text(
        box: QRectF, said: str, ink: QColor = INK, points: int = 10, bold: bool = False, align: object = middle
    ) -> None:
        p.setFont(font(points, bold))
        p.setPen(ink)
        p.drawText(box, align, said)

    text(QRectF(24, 18, 700, 24), "Every dialect carried to every other", INK, 14, True, Qt.AlignmentFlag.AlignLeft)
    text(
        QRectF(24, 44, left - 36, 40),
        "from ↓   to →",
        SOFT,
        9,
        False,
        Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignBottom,
    )
    for column, name in enumerate(names):
        text(QRectF(left + column * wide, 58, wide, 26), titles[name], INK, 9, True)
        text(QRectF(8, top + column * high, left - 20, high), titles[name], INK, 9, True, right)
    for row, source in enumerate(names):
        for column, target in enumerate(names):
            box = QRectF(left + column * wide + 1, top + row * high + 1, wide - 2, high - 2)
            if source == target:
                p.fillRect(box, PANEL)
                continue
            way = by[source, target]
            p.fillRect(box, washes[grade(way.median)])
            text(QRectF(box.x(), box.y() + 4, box.width() / 2 + 6, 22), f"{way.median:.2f}", INK, 12, True, right)
            text(
                QRectF(box.center().x() + 10, box.y() + 4, box.width() / 2 - 16, 22),
                f"{way.ninth:.1f}",
                SOFT,
                9,
                False,
                Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
            )
            _fates(p, marks, way, box.x() + 8, box.right() - 8, box.y() + 41)
    p.setPen(QPen(RULE, 1))
    foot = top + high * len(names) + 14
    for number, words in enumerate(("even, below 1", "near, 1 to 3", "visible, 3 to 6", "off, over 6")):
        p.fillRect(QRectF(left + number * 150, foot, 22, 14), washes[number])
        text(
            QRectF(left + number * 150 + 28, foot - 2, 120, 18),
            words,
            INK,
            9,
            False,
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
        )
    text(
        QRectF(left + 620, foot - 2, 460, 18),
        "large: the median drift; small: nine in ten stay below (CIEDE2000)",
        SOFT,
        9,
        False,
        Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
    )
    for number, fate in enumerate(SHOWN):
        marks.draw(p, fate, left + number * 150, left + number * 150 + 40, foot + 36)
        text(
            QRectF(left + number * 150 + 48, foot + 27, 90, 18),
            fate.word,
            INK,
            9,
            False,
            Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter,
        )
    p.end()
    image.save(str(file))


def _fates(painter: object, marks: object, way: Way, left: float, right: float, y: float) -> None:
    """A line whose parts are as long as the fates are many."""
    x = left
    for fate in SHOWN:
        end = x + (right - left) * way.share(fate)
        if end - x >= 2.0:
            marks.draw(painter, fate, x, end - 1.0, y)  # type: ignore[attr-defined] # the module of marks
        x = end


def named(packs: Registry, wanted: Iterable[str]) -> list[str]:
    """The dialects to measure, in the order in which they are listed; those that are asked for, or all that have looks."""
    chosen = set(wanted)
    return [name for name, pack in packs.packs.items() if pack.looks is not None and (name in chosen or not chosen)]


def main() -> None:
    """Measure, write and draw."""
    count = int(sys.argv[1]) if len(sys.argv) > 1 else 60
    folder = Path(sys.argv[2]) if len(sys.argv) > 2 else ROOT / "docs"
    packs = registry()
    names = named(packs, sys.argv[3].split(",") if len(sys.argv) > 3 else ())
    titles = {name: packs.get(name).title for name in names}
    ways = measured(names, count)
    (folder / "matrix.md").write_text(page(ways, names, titles, count), encoding="utf-8")
    draw(ways, names, titles, folder / "matrix.png")
    print(f"wrote {folder / 'matrix.md'} and matrix.png: {len(ways)} ways")


if __name__ == "__main__":
    main()
