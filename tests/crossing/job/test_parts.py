"""Smaller parts of a crossing: intake, names, verification, the ledger, sessions."""

from __future__ import annotations

import gc
from pathlib import Path

import pytest

from durvan.crossing.exchange.compose import prim_names
from durvan.crossing.exchange.intake import open_scene, quiet_memory
from durvan.crossing.exchange.verify import check, same_value
from durvan.crossing.job.session import default_target, start
from durvan.crossing.translation.inward import same
from durvan.crossing.translation.ledger import Ledger, Row, row_document, worst
from durvan.crossing.translation.plan import Choices, plan, with_values
from durvan.errors import DurvanError, SceneFileError, Stopped
from durvan.formats.usda_text import Layer
from durvan.progress import Step
from durvan.scene.fate import SHOWN, Fate
from durvan.scene.graph import Graph, Node
from making import material, small, write


def test_prim_names_are_valid_unique_and_steady() -> None:
    graph = Graph()
    for name in ("a b", "a/b", "a-b", "1st", "ünï", "b"):
        graph.add(Node(name, "x"))
    names = prim_names(graph)
    assert len(set(names.values())) == 6 and all(n.isidentifier() and n.isascii() for n in names.values())
    assert names == prim_names(graph)


@pytest.mark.parametrize(
    ("a", "b", "equal"),
    [
        (1.0, 1.0, True), (1.0, 1.0 + 1e-15, True), (1.0, 1.001, False), ((1.0, 2.0), (1.0, 2.0), True),
        ((0.0, 0.0, 0.0), 0.0, True), ((0.0, 1.0, 0.0), 0.0, False), (True, True, True), (True, 1.0, False),
        ("a", "a", True), ("a", 1.0, False), (None, None, True), ((1.0, 2.0), (1.0, 2.0, 3.0), False),
    ],
)  # fmt: skip
def test_same(a, b, equal) -> None:
    assert same(a, b) is equal


def test_a_ledger_counts_once_for_all_who_ask() -> None:
    ledger = Ledger()
    for number, fate in enumerate((Fate.KEPT, Fate.KEPT, Fate.LOST, Fate.ADDED)):
        ledger.rows.append(
            Row("/A" if number < 3 else "/B", "n", f"p{number}", "lights" if number % 2 else "base", 1.0, fate=fate)
        )
    ledger.count()
    assert ledger.counts() == {**dict.fromkeys(SHOWN, 0), Fate.KEPT: 2, Fate.LOST: 1, Fate.ADDED: 1}
    assert ledger.grid()["base"][Fate.LOST] == 1 and ledger.grid()["lights"][Fate.ADDED] == 1
    assert worst(ledger.tally("/A")) is Fate.LOST and worst(ledger.tally("/B")) is None
    assert sum(ledger.tally("/nobody").values()) == 0


def test_rows_meet_what_weighs_more() -> None:
    row = Row("/A", "n", "p", "base", 1.0)
    row.meet(Fate.FITTED, "close")
    row.meet(Fate.RECAST, "exact")
    assert (row.fate, row.reason) == (Fate.FITTED, "close")
    row.meet(Fate.HELD, "no")
    assert row_document(row)["fate"] == "held" and row_document(row)["reason"] == "no"


@pytest.mark.parametrize(
    ("said", "value", "equal"),
    [
        ("0.5", 0.5, True), ("0.5", 0.6, False), ("1", True, True), ('"a"', "a", True), ('"a"', "b", False),
        ("(1, 2)", (1.0, 2.0), True), ("(1, 2)", (1.0, 2.5), False), ("0.5", None, False), ("3", 3, True),
    ],
)  # fmt: skip
def test_verification_tells_values_apart(said, value, equal) -> None:
    assert same_value(said, value) is equal


def layer_of(lines: list[str]) -> Layer:
    layer = Layer()
    spec = layer.prim("/A/B")
    spec.lines.extend(lines)
    return layer


def test_verification_finds_what_is_missing(tmp_path) -> None:
    written, meant = layer_of(["float x = 1"]), layer_of(["float x = 1", "float y = 2"])
    file = write(tmp_path, written.text(), "w.usda")
    assert check(file, written, beside=False) == 1
    with pytest.raises(SceneFileError, match="not there") as told:
        check(file, meant, beside=False)
    assert told.value.inside == "/A/B.y"
    with pytest.raises(SceneFileError, match="link to the source"):
        check(file, written, beside=True)
    more = layer_of(["float x = 1"])
    more.prim("/A/C").lines.append("int z = 1")
    with pytest.raises(SceneFileError, match="prim"):
        check(file, more, beside=False)
    link = layer_of(["float x = 1", "float y.connect = </A.y>"])
    file = write(tmp_path, layer_of(["float x = 1", "float y"]).text(), "v.usda")
    with pytest.raises(SceneFileError, match="link that was written"):
        check(file, link, beside=False)


def test_replaced_values_leave_the_thing_as_it_is() -> None:
    thing = material("orvik", {"surface": ("orvik.finish", {"polish": 0.5}, {})})
    changed = with_values(thing, {("surface", "polish"): 0.9, ("gone", "x"): 1.0})
    assert changed.graph.nodes["surface"].values["polish"] == 0.9
    assert thing.graph.nodes["surface"].values["polish"] == 0.5
    assert with_values(thing, {}) is thing


def test_planning_reports_and_stops(lamp_scene, packs) -> None:
    steps: list[Step] = []
    plan(lamp_scene, packs, Choices("pellune"), steps.append)
    assert steps[-1] == Step("Planning", 43, 43) and len(steps) > 2

    def stop(_: Step) -> None:
        raise Stopped

    with pytest.raises(Stopped):
        plan(lamp_scene, packs, Choices("pellune"), stop)


def test_a_plan_is_the_same_each_time(lamp_scene, packs) -> None:
    first, second = (plan(lamp_scene, packs, Choices("pellune")) for _ in range(2))
    assert [row_document(row) for row in first.ledger] == [row_document(row) for row in second.ledger]


def test_memory_is_collected_again_afterwards() -> None:
    assert gc.isenabled()
    with pytest.raises(ValueError, match="on the way"), quiet_memory():
        assert not gc.isenabled()
        raise ValueError("on the way")
    assert gc.isenabled()


def test_the_target_is_never_the_source_by_default(lamp_scene, packs, tmp_path) -> None:
    assert default_target(lamp_scene, packs) == "pellune"
    pellune = open_scene(write(tmp_path, small().replace("orvik", "pellune").replace("finish", "surface")), packs)
    assert pellune.dialect == "pellune" and default_target(pellune, packs) == "orvik"


TWO = small(more="").replace(
    "token outputs:orvik:surface.connect = </W/Paint/finish.outputs:out>",
    "token outputs:orvik:surface.connect = </W/Paint/finish.outputs:out>\n        token outputs:surface.connect = </W/Paint/plain.outputs:surface>\n"
    '        def Shader "plain"\n        {\n            uniform token info:id = "UsdPreviewSurface"\n            float inputs:roughness = 0.1\n'
    "            token outputs:surface\n        }",
)


@pytest.mark.parametrize(("source", "dialect", "node"), [("orvik", "orvik", "finish"), ("preview", "preview", "plain")])
def test_of_two_contexts_one_is_read(packs, tmp_path, source, dialect, node) -> None:
    thing = open_scene(write(tmp_path, TWO), packs, source).things["/W/Paint"]
    assert thing.dialect == dialect and list(thing.graph.nodes) == [node]


def test_what_others_wrote_beside_it_stays_out(packs, lamproom, tmp_path) -> None:
    start(lamproom, packs, "pellune").carry(tmp_path / "both.usda")
    for source in ("orvik", "pellune"):
        scene = open_scene(tmp_path / "both.usda", packs, source)
        kinds = {
            n.kind.split(".")[0] for t in scene.things.values() for n in t.graph.nodes.values() if t.dialect == source
        }
        assert kinds == {source}


def test_errors_say_file_place_and_advice() -> None:
    error = DurvanError("is wrong.", file="a.usda", inside="/W", advice="Mend it.")
    assert str(error) == "a.usda at /W: is wrong. Mend it."
    assert str(DurvanError("is wrong.", inside="/W")) == "/W: is wrong."
    assert str(DurvanError("is wrong.", file=Path("b"))) == "b: is wrong."
