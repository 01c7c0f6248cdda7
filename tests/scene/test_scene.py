"""The common ground: graphs in order, and a vocabulary that agrees with the standards."""

from __future__ import annotations

import MaterialX as mx
import pytest

from durvan.scene.graph import Graph, Link, Node
from durvan.scene.vocabulary import Parameter, common_ground, unit_factor


def chain(length: int) -> Graph:
    graph = Graph()
    for place in range(length):
        links = {"in": Link(f"n{place - 1}")} if place else {}
        graph.add(Node(f"n{place}", "remap", {}, links))
    graph.outputs["surface"] = Link(f"n{length - 1}")
    return graph


def test_order_puts_feeders_first_however_deep() -> None:
    order, closing = chain(20_000).order()
    assert order[0] == "n0" and order[-1] == "n19999" and closing == []


def test_cycles_are_found_and_do_not_hang() -> None:
    graph = chain(5)
    graph.nodes["n0"].links["in"] = Link("n3")
    order, closing = graph.order()
    assert len(order) == 5 and closing == [("n0", "in")]


def test_reachable_and_consumers() -> None:
    graph = chain(3)
    graph.add(Node("alone", "image"))
    assert graph.reachable() == {"n0", "n1", "n2"}
    assert graph.consumers() == {"n0": 1, "n1": 1, "n2": 1, "alone": 0}


def test_a_taken_id_gets_a_number() -> None:
    graph = Graph()
    assert [graph.add(Node("a", "x")).id for _ in range(3)] == ["a", "a_2", "a_3"]


@pytest.fixture(scope="module")
def library() -> mx.Document:
    document = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), document)
    return document


def test_the_surface_is_openpbr_to_the_last_default(library) -> None:
    standard = {i.getName(): i for i in library.getNodeDef("ND_open_pbr_surface_surfaceshader").getActiveInputs()}
    ours = common_ground().types["open_pbr_surface"].parameters
    assert set(ours) == set(standard)
    for name, parameter in ours.items():
        text = standard[name].getValueString()
        if parameter.default is None or not text:
            continue
        theirs = [float({"false": 0, "true": 1}.get(part.strip(), part)) for part in text.split(",")]
        mine = list(parameter.default) if isinstance(parameter.default, tuple) else [float(parameter.default)]
        assert mine == pytest.approx(theirs), name


@pytest.mark.parametrize(
    ("category", "definition"),
    [
        ("image", "ND_image_color3"), ("place2d", "ND_place2d_vector2"), ("remap", "ND_remap_color3"),
        ("power", "ND_power_float"), ("hsvadjust", "ND_hsvadjust_color3"), ("mix", "ND_mix_color3"),
        ("ramplr", "ND_ramplr_color3"), ("ramptb", "ND_ramptb_color3"), ("fractal3d", "ND_fractal3d_float"),
        ("bump", "ND_bump_vector3"), ("normalmap", "ND_normalmap_float"), ("facingratio", "ND_facingratio_float"),
        ("position", "ND_position_vector3"), ("geompropvalue", "ND_geompropvalue_vector2"),
    ],
)  # fmt: skip
def test_nodes_have_only_materialx_ports(library, category, definition) -> None:
    theirs = {i.getName() for i in library.getNodeDef(definition).getActiveInputs()}
    ours = set(common_ground().types[category].parameters) - {
        "colorspace",
        "how",
    }  # an attribute of the file over there, and what other nodes say
    assert ours <= theirs


def test_units_convert_and_refuse() -> None:
    assert unit_factor("cm", "m", 1.0) == pytest.approx(0.01)
    assert unit_factor("scene", "m", 0.0254) == pytest.approx(0.0254)
    assert unit_factor("scene/10", "mm", 0.01) == pytest.approx(1.0)
    assert unit_factor("turn", "deg", 1.0) == 360.0
    assert unit_factor("deg", "m", 1.0) is None


@pytest.mark.parametrize(
    ("kind", "value", "wrong"),
    [
        ("float", 1.0, False), ("float", float("nan"), True), ("float", True, True), ("float", "1", True),
        ("color", (1.0, 0.0, 0.0), False), ("color", (1.0, 0.0), True), ("color", (float("inf"), 0.0, 0.0), True),
        ("bool", True, False), ("bool", 1, True), ("token", "a", False), ("token", "c", True), ("file", 3, True),
    ],
)  # fmt: skip
def test_values_that_cannot_be_are_told(kind, value, wrong) -> None:
    more = {"choices": ("a", "b"), "default": "a"} if kind == "token" else {}
    assert bool(Parameter(type=kind, meaning="x", **more).wrong(value)) is wrong


def test_a_long_wrong_value_is_not_repeated_whole() -> None:
    message = Parameter(type="token", choices=("a",), default="a", meaning="x").wrong("z" * 1_000_000)
    assert len(message) < 200
