"""How networks are laid out on a page: columns outward, nothing over anything, and no link over another where that can be."""

from __future__ import annotations

import random
from itertools import pairwise

import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from durvan.dialects.registry import registry
from durvan.scene.graph import Graph, Link, Node
from durvan.ui.stations.facing import layout
from durvan.ui.stations.facing.arrange import Box, arrange
from durvan.ui.stations.facing.folding import MOST, OPEN, Folds, farthest, roots_of, shown
from networks import any_way, network, plane, tree

ORVIK = registry().get("orvik")
SHAPES = {"tree": tree, "plane": plane, "any": any_way}


def page_of(graph: Graph, folds: Folds | None = None) -> layout.Page:
    """The source's page of a network."""
    return layout.lay_out(graph, Graph(), [], (ORVIK, ORVIK), None, folds or Folds(), True).source


def pieces(page: layout.Page) -> list[tuple[str, float, float, float, float]]:
    """Every piece of every link, as drawn, with what feeds it (by the place where it ends: to what an eye can tell, as a straight link
    ends where it starts)."""
    return [
        (f"{wire[-1][0]:.3f} {wire[-1][1]:.3f}", *first, *second)
        for wire in page.wires
        for first, second in pairwise(wire)
        if first != second
    ]


def crossed(page: layout.Page) -> int:
    """How many drawn pieces of links from different nodes cross."""
    level = [(who, min(a, c), max(a, c), b) for who, a, b, c, d in pieces(page) if b == d]
    upright = [(who, a, min(b, d), max(b, d)) for who, a, b, c, d in pieces(page) if a == c]
    return sum(
        left < u < right and low < y < high and who != other
        for who, u, low, high in upright
        for other, left, right, y in level
    )


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.integers(2, 160), st.sampled_from(sorted(SHAPES)))
def test_nothing_lies_over_anything_and_links_lead_outward(seed, count, shape) -> None:
    graph = network(SHAPES[shape](count, random.Random(seed)))
    page = page_of(graph)
    assert set(page.slips) == set(graph.nodes)
    by_column: dict[int, list[layout.Slip]] = {}
    for slip in page.slips.values():
        by_column.setdefault(slip.column, []).append(slip)
        assert slip.y >= layout.TOP and slip.u == page.columns[slip.column]
    for slips in by_column.values():
        slips.sort(key=lambda slip: slip.y)
        assert all(two.y - one.y >= one.height + 0.99 for one, two in pairwise(slips))
    for wire in page.wires:
        assert all(a == c or b == d for (a, b), (c, d) in pairwise(wire))
        assert wire[-1][0] >= wire[0][0] or len(wire) == 4
    assert len(page.wires) == sum(len(node.links) for node in graph.nodes.values())


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 10_000), st.integers(2, 150), st.sampled_from(["tree", "plane"]))
@example(2221, 119, "plane")  # where links to one inlet come straight and from below
def test_what_can_be_drawn_without_a_crossing_is(seed, count, shape) -> None:
    page = page_of(network(SHAPES[shape](count, random.Random(seed))))
    assert page.crossings == 0 and crossed(page) == 0


def test_five_hundred_nodes_of_either_kind_cross_nowhere() -> None:
    table = {}
    for shape in ("tree", "plane"):
        for seed in range(6):
            page = page_of(network(SHAPES[shape](500, random.Random(100 + seed))))
            table[shape, seed] = page.crossings
            assert len(page.slips) == 501
    assert set(table.values()) == {0}


def test_the_order_helps_where_crossings_cannot_be_helped() -> None:
    graph = network(any_way(200, random.Random(4)))
    page = page_of(graph)
    assert 0 < page.crossings < 150 and crossed(page) <= 2 * page.crossings


def test_a_chain_stands_as_one_stack_and_a_long_one_goes_on_beside_it() -> None:
    ports = {f"n{k}": ((40.0, f"n{k + 1}"),) for k in range(14)}
    boxes = {name: Box(50.0, 13.0, own) for name, own in ports.items()} | {"n14": Box(50.0, 13.0)}
    found = arrange(boxes, ["n0"])
    assert [found.column[f"n{k}"] for k in range(15)] == [0, *[1] * 6, *[2] * 6, *[3] * 2]
    tops = [found.top[f"n{k}"] for k in range(1, 7)]
    assert all(two - one == 64.0 for one, two in pairwise(tops))
    assert ("n1", 0) not in found.runs and [run.column for run in found.runs["n6", 0]] == [1]


def test_a_link_over_several_columns_keeps_clear_of_slips() -> None:
    graph = Graph(outputs={"surface": Link("s")})
    graph.add(Node("s", "orvik.finish", {}, {"base_tint": Link("a", "colour"), "polish": Link("p", "grey")}))
    graph.add(Node("a", "orvik.blend", {}, {"map_1": Link("b", "colour"), "map_2": Link("p", "colour")}))
    graph.add(Node("b", "orvik.blend", {}, {"map_1": Link("p", "colour"), "map_2": Link("q", "colour")}))
    graph.add(Node("p", "orvik.picture", {"file": "p.png"}))
    graph.add(Node("q", "orvik.picture", {"file": "q.png"}))
    page = page_of(graph)
    assert page.slips["p"].column == 3
    for _, a, b, c, d in pieces(page):
        for slip in page.slips.values():
            inside = slip.y + 1 < max(b, d) and min(b, d) < slip.y + slip.height - 1
            assert not (inside and slip.u + 1 < max(a, c) and min(a, c) < slip.u + slip.width - 1)


def test_what_nothing_uses_stands_below_the_surface_and_says_so() -> None:
    graph = network(tree(6, random.Random(1)))
    graph.add(Node("loose", "orvik.correct", {}, {"input": Link("below", "colour")}))
    graph.add(Node("below", "orvik.picture", {"file": "x.png"}))
    graph.add(Node("round", "orvik.correct", {}, {"input": Link("round", "colour")}))
    used, loose = roots_of(graph)
    assert used == ["surface"] and loose == ["loose", "round"]
    page = page_of(graph)
    assert page.slips["loose"].column == 0 and page.slips["loose"].note == "not used"
    assert page.slips["below"].column == 1 and page.slips["loose"].y > page.slips["surface"].y


def test_all_outputs_of_a_material_are_shown() -> None:
    graph = network(tree(4, random.Random(1)))
    graph.add(Node("push", "orvik.displace", {}, {"map": Link("n1", "grey")}))
    graph.outputs["displacement"] = Link("push")
    page = page_of(graph)
    assert page.slips["push"].column == 0 and page.slips["push"].note != "not used"


@settings(max_examples=25, deadline=None)
@given(st.integers(0, 1000), st.integers(2, 300), st.integers(1, 60))
def test_what_is_folded_is_counted_and_what_is_shown_is_bounded(seed, count, most) -> None:
    graph = network(any_way(count, random.Random(seed)))
    folded = farthest(graph, most)
    found = shown(graph, folded)
    assert len(found.nodes) <= max(most, 1) if folded else len(found.nodes) == len(graph.nodes)
    away = set(graph.nodes) - set(found.nodes)
    assert bool(away) == bool(found.hidden) and all(name in folded for name in found.hidden)
    assert max(found.hidden.values(), default=0) <= len(away) <= sum(found.hidden.values())
    for name in list(away)[:3]:
        assert name in shown(graph, Folds(folded).opened_to(graph, "source", name).source).nodes


def test_ten_thousand_nodes_are_shown_in_parts() -> None:
    graph = network(tree(10_000, random.Random(2)))
    page = page_of(graph, Folds.of(graph, Graph()))
    assert 0.8 * OPEN < len(page.slips) <= OPEN
    assert sum(slip.hidden for slip in page.slips.values()) == 10_001 - len(page.slips)
    assert len(page_of(graph).slips) == MOST
    first = next(slip.node.id for slip in page.slips.values() if slip.hidden > OPEN)
    opened = Folds.of(graph, Graph()).turned("source", first).nearer(graph, "source", first)
    assert OPEN < len(page_of(graph, opened).slips) <= 2 * OPEN


@pytest.mark.parametrize("closed", [True, False])
def test_folding_all_leaves_the_surface_and_what_feeds_it(closed) -> None:
    graph = network(tree(40, random.Random(2)))
    folds = Folds.closed(graph, graph) if closed else Folds.of(graph, graph)
    assert len(page_of(graph, folds).slips) == (2 if closed else 41)
    assert folds.listing("target", "n1").listing("target", "n1") == folds
    assert folds.turned("target", "n1").turned("target", "n1") == folds
