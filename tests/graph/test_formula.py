"""Formulas: what they can say, what they refuse, and what they do to maps."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.errors import FormulaError
from durvan.graph.formula import Vec, formula, plain, wrap
from durvan.graph.wire import Wire, affine_of
from durvan.scene.graph import Graph, Link, Node


def evaluate(text: str, values: dict) -> object:
    ready = formula(text)
    return plain(ready(*[wrap(values[name]) for name in ready.names]))


@pytest.mark.parametrize(
    ("text", "values", "wanted"),
    [
        ("1 - polish", {"polish": 0.25}, 0.75),
        ("2 ^ s", {"s": 3}, 8),
        ("(2 / (10 ^ (4 * p) + 2)) ^ 0.25", {"p": 0.0}, (2 / 3) ** 0.25),
        ("c * 2 + 1", {"c": (0.1, 0.2, 0.3)}, (1.2, 1.4, 1.6)),
        ("1 - c", {"c": (0.1, 0.2, 0.3)}, (0.9, 0.8, 0.7)),
        ("c[1]", {"c": (0.1, 0.2, 0.3)}, 0.2),
        ("'a' if x > 1 else 'b'", {"x": 2}, "a"),
        ("place.scale * 2", {"place.scale": 3}, 6),
        ("x in ['a', 'b']", {"x": "a"}, True),
    ],
)
def test_formulas_work_out(text, values, wanted) -> None:
    assert (
        evaluate(text, values) == pytest.approx(wanted)
        if not isinstance(wanted, str)
        else evaluate(text, values) == wanted
    )


@pytest.mark.parametrize(
    "text",
    [
        "__import__('os')",
        "x.__class__()",
        "(lambda: 1)()",
        "[y for y in x]",
        "open('f')",
        "1 +",
        "f'{x}'",
        "x := 1",
        "",
    ],
)
def test_anything_but_arithmetic_is_refused(text) -> None:
    with pytest.raises(FormulaError):
        formula(text)


def test_what_cannot_be_worked_out_says_with_which_values() -> None:
    with pytest.raises(FormulaError, match="shutter = 0"):
        formula("1 / shutter")(0)


@given(st.lists(st.floats(-10, 10), min_size=3, max_size=3), st.floats(-10, 10))
def test_vectors_go_channel_by_channel(parts, number) -> None:
    v = Vec(parts)
    assert v + number == tuple(p + number for p in parts)
    assert number - v == tuple(number - p for p in parts)
    assert v * v == tuple(p * p for p in parts)


@pytest.fixture
def wire() -> Wire:
    graph = Graph()
    graph.add(Node("picture", "image"))
    return Wire(graph, Link("picture"), "grown")


def test_a_formula_on_a_map_grows_one_node(wire) -> None:
    link = formula("1 - polish")(wire).settled()
    grown = wire.graph.nodes[link.node]
    assert (grown.kind, grown.values) == ("remap", {"outlow": 1.0, "outhigh": 0.0})


def test_a_formula_and_its_inverse_leave_nothing(wire) -> None:
    there = formula("1 - x")(wire).settled()
    back = formula("1 - x")(Wire(wire.graph, there, "again")).settled()
    assert back == Link("picture")


def test_powers_undo_each_other(wire) -> None:
    squared = formula("x ^ 2")(wire).settled()
    assert formula("x ^ 0.5")(Wire(wire.graph, squared, "root")).settled() == Link("picture")


def test_green_flips_twice_to_nothing(wire) -> None:
    once = formula("flip_green(x)")(wire).settled()
    assert wire.graph.nodes[once.node].values["outhigh"] == (1.0, 0.0, 1.0)
    assert formula("flip_green(x)")(Wire(wire.graph, once, "again")).settled() == Link("picture")


def test_scaling_comes_before_a_channel_is_taken(wire) -> None:
    link = (Wire(wire.graph, Link("picture", "outr"), "grown") * 2.0).settled()
    assert link.output == "outr" and wire.graph.nodes[link.node].links["in"] == Link("picture")


@given(st.floats(-5, 5), st.floats(-5, 5), st.floats(-5, 5), st.floats(-5, 5))
def test_gains_and_shifts_fold(a, b, c, d) -> None:
    graph = Graph()
    graph.add(Node("picture", "image"))
    first = (Wire(graph, Link("picture"), "one") * a + b).settled()
    second = (Wire(graph, first, "two") * c + d).settled()
    node = graph.nodes[second.node]
    gain, shift = affine_of(node) if node.kind == "remap" else (1.0, 0.0)
    assert gain == pytest.approx(a * c, abs=1e-6) and shift == pytest.approx(b * c + d, abs=1e-6)


def test_what_a_map_cannot_go_through_is_an_error(wire) -> None:
    with pytest.raises(FormulaError):
        formula("luminance(x)")(wire)


def test_a_bump_cannot_be_read_as_a_picture(wire) -> None:
    wire.graph.add(Node("relief", "bump"))
    with pytest.raises(FormulaError, match="normal map"):
        formula("from_normal(x)")(Wire(wire.graph, Link("relief"), "n"))


@pytest.mark.parametrize("text", ["9^9^9^9", "x^9^9^9", "((((((x^16)^16)^16)^16)^16)^16)^16", "x^x^x^x"])
def test_powers_of_whole_numbers_end(text: str) -> None:
    made = formula(text)
    with pytest.raises(FormulaError, match="cannot be worked out"):
        made(*([9] * len(made.names)))


def test_small_powers_of_whole_numbers_stay_whole() -> None:
    assert repr(formula("2^3")()) == "8" and formula("x^y")(2, 3) == 8 and formula("x^-2")(2) == 0.25
