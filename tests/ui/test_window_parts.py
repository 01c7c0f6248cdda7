"""Parts of the window by themselves: layout, marks, words, jobs."""

from __future__ import annotations

import threading
from itertools import pairwise

import pytest
from PySide6.QtCore import Qt
from PySide6.QtGui import QColor, QImage, QPainter

from durvan.crossing.document.changes import Choose
from durvan.crossing.translation.translate import translate
from durvan.errors import DurvanError
from durvan.progress import Step
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.graph import Graph, Link, Node
from durvan.ui.kit import marks, theme, words
from durvan.ui.shared.work import Job
from durvan.ui.stations.facing import layout
from durvan.ui.stations.facing.folding import MOST, OPEN, Folds
from making import material


def drawn(fate: Fate, toward: float | None = None) -> QImage:
    image = QImage(120, 40, QImage.Format.Format_RGB32)
    image.fill(Qt.GlobalColor.white)
    painter = QPainter(image)
    marks.draw(painter, fate, 10, 110, 12.0, toward=toward, ink=QColor(0, 0, 0))
    painter.end()
    return image


def test_every_mark_is_told_by_its_line_alone(qapp) -> None:
    images = [drawn(fate) for fate in SHOWN]
    for number, first in enumerate(images):
        assert first != drawn(Fate.KEPT) or SHOWN[number] is Fate.KEPT
        for second in images[number + 1 :]:
            assert first != second


def test_a_lost_band_stops_and_an_added_one_starts_late(qapp) -> None:
    def ink(image: QImage, left: int, right: int) -> bool:
        return any(image.pixelColor(x, y).lightness() < 200 for x in range(left, right) for y in range(40))

    assert ink(drawn(Fate.LOST), 10, 60) and not ink(drawn(Fate.LOST), 70, 110)
    assert not ink(drawn(Fate.ADDED), 10, 60) and ink(drawn(Fate.ADDED), 80, 110)


def test_marks_reach_another_height(qapp) -> None:
    image = drawn(Fate.KEPT, toward=30.0)
    assert any(image.pixelColor(108, y).lightness() < 200 for y in range(28, 33))


def test_the_booth_is_neutral_and_readable() -> None:
    for colour in (
        theme.BOOTH,
        theme.PANEL,
        theme.BRIGHT,
        theme.SLIP,
        theme.SLIP_HEAD,
        theme.RULE,
        theme.INK,
        theme.SOFT,
    ):
        assert colour.red() == colour.green() == colour.blue()

    def luminance(colour: QColor) -> float:
        channel = [
            c / 12.92 if c <= 0.04045 else ((c + 0.055) / 1.055) ** 2.4
            for c in (colour.redF(), colour.greenF(), colour.blueF())
        ]
        return 0.2126 * channel[0] + 0.7152 * channel[1] + 0.0722 * channel[2]

    for ink in (theme.INK, theme.SOFT, theme.ACCENT, *theme.INKS.values()):
        for ground in (theme.PANEL, theme.BRIGHT, theme.SLIP):
            ratio = (luminance(ground) + 0.05) / (luminance(ink) + 0.05)
            assert ratio >= 4.3, (ink.name(), ground.name(), ratio)


@pytest.mark.parametrize(
    ("value", "said"),
    [
        (0.5, "0.5"), (True, "on"), (False, "off"), ((0.913, 0.779, 0.457), "0.913 0.779 0.457"), (1e-5, "1e-05"),
        (123456.0, "123456"), (0.0, "0"), ("./tex/a.png", "a.png"), (None, ""), (3, "3"), (1074.0, "1074"),
    ],
)  # fmt: skip
def test_values_in_words(value, said) -> None:
    assert words.value(value) == said


@pytest.mark.parametrize(
    ("name", "said"),
    [
        ("LensFrameBrass", "Lens frame brass"),
        ("setup_fill", "Setup fill"),
        ("HDRSky", "HDRSky"),
        ("a", "A"),
        ("", ""),
        ("Key2Fill", "Key2Fill"),
    ],
)
def test_names_as_spoken(name, said) -> None:
    assert words.spoken(name) == said


def test_counts_in_words() -> None:
    assert (words.count(1, "light"), words.count(2, "light"), words.count(0, "thing")) == (
        "1 light",
        "2 lights",
        "0 things",
    )


def facing(packs, thing, fate: Fate | None = None) -> layout.Drawn:
    done = translate(thing, packs.get("orvik"), packs.get("pellune"), 0.01)
    return layout.lay_out(thing.graph, done.graph, done.rows, (packs.get("orvik"), packs.get("pellune")), fate)


PAINT = {
    "surface": (
        "orvik.finish",
        {"polish_curve": "trowbridge", "cutout": 0.5, "mirror_tint": (0.5, 0.2, 0.2)},
        {"polish": ("p", "grey"), "base_tint": ("c", "colour")},
    ),
    "c": ("orvik.correct", {"saturation": 0.5}, {"input": ("p", "colour")}),
    "p": ("orvik.picture", {"file": "a.png"}, {}),
}


def test_a_node_that_feeds_two_stands_once(packs) -> None:
    out = facing(packs, material("orvik", PAINT))
    assert sorted(out.source.slips) == ["c", "p", "surface"] and len(out.source.wires) == 3
    assert all(a == b or c == d for wire in out.source.wires for (a, c), (b, d) in pairwise(wire))


def test_bands_lie_on_their_rows_and_seldom_cross(packs) -> None:
    out = facing(packs, material("orvik", PAINT))
    for band in out.bands:
        if band.left is not None:
            assert (band.left[1].node, band.left[1].parameter) == (band.row.node, band.row.parameter)
        if band.right is not None:
            assert (band.right[1].node, band.right[1].parameter) in band.row.targets
    main = sorted(
        (b.left[1].y, b.right[1].y) for b in out.bands
        if b.main and b.left is not None and b.right is not None and not b.left[0].column and not b.right[0].column
    )  # fmt: skip
    assert len(main) > 2
    crossings = sum(1 for i, a in enumerate(main) for b in main[i + 1 :] if a[0] < b[0] and a[1] > b[1])
    assert crossings == 0


def test_a_filter_leaves_only_its_fate(packs) -> None:
    out = facing(packs, material("orvik", PAINT), Fate.FITTED)
    rows = [line.row for slip in out.slips for line in slip.lines]
    assert rows and all(row is not None and row.fate is Fate.FITTED for row in rows)


def test_layouts_of_nothing_cycles_and_depths(packs) -> None:
    pack = packs.get("orvik")
    empty = layout.lay_out(Graph(), Graph(), [], (None, pack), None)
    assert empty.slips == [] and empty.height > 0
    graph = Graph(outputs={"surface": Link("n0")})
    for place in range(3000):
        graph.add(Node(f"n{place}", "orvik.correct", {}, {"input": Link(f"n{(place + 1) % 3000}")}))
    deep = layout.lay_out(graph, Graph(), [], (pack, pack), None)
    assert len(deep.slips) == OPEN and [slip.hidden for slip in deep.slips if slip.hidden] == [3000 - OPEN]
    every = layout.lay_out(graph, Graph(), [], (pack, pack), None, Folds())
    assert len(every.slips) == MOST and all(slip.u >= 0 for slip in every.slips)


def test_jobs_report_finish_fail_and_stop(qtbot) -> None:
    def work(report):
        report(Step("Doing", 1, 1))
        return 42

    job = Job("good", work)
    steps: list[Step] = []
    job.progressed.connect(steps.append)
    with qtbot.waitSignal(job.finished, timeout=2000) as told:
        job.start()
    assert told.args == [42] and steps == [Step("Doing", 1, 1)] and job.wait(2)

    def failing(report):
        raise DurvanError("no luck")

    job = Job("bad", failing)
    with qtbot.waitSignal(job.failed, timeout=2000) as problem:
        job.start()
    assert str(problem.args[0]) == "no luck" and job.wait(2)

    def faulty(report):
        return 1 / 0

    job = Job("faulty", faulty)
    with qtbot.waitSignal(job.failed, timeout=2000) as problem:
        job.start()
    assert "ZeroDivisionError" in str(problem.args[0]) and job.wait(2)

    held = threading.Event()

    def long(report):
        while not held.wait(0.01):
            report(Step("Waiting"))

    job = Job("long", long)
    with qtbot.waitSignal(job.stopped, timeout=2000):
        job.start()
        job.stop()
    assert job.wait(2)


def test_one_job_at_a_time(lamp, qtbot, ready) -> None:
    state = lamp.state
    go = threading.Event()
    assert state.run("First", lambda _: go.wait(5), lambda _: None)
    assert not state.run("Second", lambda _: None, lambda _: None)
    state.renew()  # waits for its turn
    go.set()
    ready()
    qtbot.waitUntil(lambda: state.job is None and not state._again, timeout=5000)


def test_the_selection_survives_a_new_plan(lamp, ready) -> None:
    from durvan.ui.shared.state import Selection

    state = lamp.state
    row = next(r for r in state.rows("/LampRoom/Looks/WetSlate") if r.parameter == "polish")
    state.select(Selection("/LampRoom/Looks/WetSlate", row))
    state.change("Choose where", Choose(placement="alone"))
    ready()
    assert state.selection.row is row  # what became of it is what it was
    state.put("/LampRoom/Looks/WetSlate", "finish", "rough", 0.4)
    ready()
    assert state.selection.row is not row and state.selection.row.parameter == "polish"
    assert state.selection.row in state.rows("/LampRoom/Looks/WetSlate")


def test_endless_names_are_cut_before_they_are_drawn(packs) -> None:
    name = "x" * 50_000
    out = facing(
        packs,
        material(
            "orvik",
            {
                "surface": ("orvik.finish", {}, {"base_tint": (name, "colour")}),
                name: ("orvik.picture", {"file": "a.png"}, {}),
            },
        ),
    )
    assert all(len(slip.note) <= 80 and len(slip.title) <= 80 for slip in out.slips)
