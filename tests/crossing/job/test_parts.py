"""Smaller parts of a crossing: intake, names, verification, the ledger, sessions."""

from __future__ import annotations

import gc
from pathlib import Path

import pytest

from durvan.crossing.exchange.compose import prim_names
from durvan.crossing.exchange.intake import open_scene, quiet_memory
from durvan.crossing.job.session import default_target, start
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.inward import same
from durvan.crossing.translation.ledger import Ledger, row_document, worst
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import Row
from durvan.crossing.translation.translate import with_values
from durvan.dialects.said import Cause, Why
from durvan.errors import DurvanError, Stopped
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
    def translation(thing: str, *fates: tuple[str, Fate]) -> Translation:
        rows = [Row(thing, "n", f"p{n}", family, 1.0, fate=fate) for n, (family, fate) in enumerate(fates)]
        return Translation(thing, "a", "b", Graph(), rows)

    one = translation("/A", ("base", Fate.KEPT), ("lights", Fate.KEPT), ("base", Fate.LOST))
    two = translation("/B", ("lights", Fate.ADDED))
    ledger = Ledger({"/A": one, "/B": two})
    assert len(ledger) == len(list(ledger)) == 4
    other = translation("/B", ("glow", Fate.HELD), ("glow", Fate.HELD))
    for fresh, names in (({"/A": one, "/B": other}, "AB"), ({"/B": other}, "B"), ({"/A": one}, "A"), ({}, "")):
        after, afresh = Ledger(fresh, ledger), Ledger(fresh)
        assert (after.counts(), after.grid(), len(after)) == (afresh.counts(), afresh.grid(), len(afresh)), names
    assert ledger.counts() == {**dict.fromkeys(SHOWN, 0), Fate.KEPT: 2, Fate.LOST: 1, Fate.ADDED: 1}
    assert ledger.grid()["base"][Fate.LOST] == 1 and ledger.grid()["lights"][Fate.ADDED] == 1
    assert worst(ledger.tally("/A")) is Fate.LOST and worst(ledger.tally("/B")) is None
    assert sum(ledger.tally("/nobody").values()) == 0


def test_rows_meet_what_weighs_more() -> None:
    row = Row("/A", "n", "p", "base", 1.0)
    row.meet(Fate.FITTED, Why(Cause.RULE, "close"))
    row.meet(Fate.RECAST, Why(Cause.FOLDED, "exact"))
    assert (row.fate, row.reason, row.why.cause) == (Fate.FITTED, "close", Cause.RULE)
    row.meet(Fate.HELD, Why(Cause.CYCLE, "no"))
    said = row_document(row)
    assert (said["fate"], said["reason"], said["cause"]) == ("held", "no", "a cycle")
    row.meet(Fate.HELD, Why(Cause.FEED, "later"))
    assert row.reason == "no"  # the first that weighs as much stays


def test_replaced_values_leave_the_thing_as_it_is() -> None:
    thing = material("orvik", {"surface": ("orvik.finish", {"polish": 0.5}, {})})
    changed = with_values(thing, {("surface", "polish"): 0.9, ("gone", "x"): 1.0})
    assert changed.graph.nodes["surface"].values["polish"] == 0.9
    assert thing.graph.nodes["surface"].values["polish"] == 0.5
    assert with_values(thing, {}) is thing


def test_planning_reports_and_stops(lamp_scene, packs) -> None:
    steps: list[Step] = []
    plan(lamp_scene, packs, Choices(target="pellune"), steps.append)
    assert steps[-1] == Step("Planning", 43, 43) and len(steps) > 2

    def stop(_: Step) -> None:
        raise Stopped

    with pytest.raises(Stopped):
        plan(lamp_scene, packs, Choices(target="pellune"), stop)


def test_a_plan_is_the_same_each_time(lamp_scene, packs) -> None:
    first, second = (plan(lamp_scene, packs, Choices(target="pellune")) for _ in range(2))
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
