"""Surfaces built up of lobes: what is put together says what the lobes say, and what is taken apart can be put together again."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import read
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind, Scene, Thing
from made_up import Maker

PACKS = read()
SKARN, OPEN = PACKS.get("skarn"), PACKS.get("openpbr")


def lobes(root: str, **nodes: dict) -> Thing:
    """A material of Skarn: each node by its word and values; a value "@node" is a link."""
    graph = Graph(outputs={"surface": Link(root)})
    for name, said in nodes.items():
        values = {port: value for port, value in said.items() if port != "word" and not str(value).startswith("@")}
        links = {port: Link(value[1:]) for port, value in said.items() if str(value).startswith("@")}
        graph.nodes[name] = Node(name, f"skarn.{said['word']}", values, links)
    return Thing("/M", "M", Kind.MATERIAL, graph, "skarn")


def stack(upper: str, lower: str) -> dict:
    return {"word": "stack", "upper": f"@{upper}", "lower": f"@{lower}"}


def blend(first: str, second: str, amount: float) -> dict:
    return {"word": "blend", "first": f"@{first}", "second": f"@{second}", "amount": amount}


MATT = {"word": "matt", "color": (0.3, 0.3, 0.3)}
SHINE = {"word": "dielectric", "ior": 1.6, "alpha": 0.04}


def to_open(thing: Thing):
    return translate(thing, SKARN, OPEN, 0.01)


def only(translated) -> dict:
    """The values of the only surface that came of it."""
    (surface,) = [node for node in translated.graph.nodes.values() if node.kind == "mtlx.open_pbr_surface"]
    return surface.values


def test_a_stack_becomes_one_surface_and_every_value_has_its_row() -> None:
    done = to_open(
        lobes("all", m=MATT, d=SHINE, c={"word": "coat", "weight": 0.5}, s=stack("d", "m"), all=stack("c", "s"))
    )
    said = only(done)
    assert said["base_color"] == pytest.approx((0.3, 0.3, 0.3)) and said["specular_ior"] == 1.6
    assert (
        said["specular_roughness"] == pytest.approx(0.2)
        and said["coat_weight"] == 0.5
        and said["coat_darkening"] == 0.0
    )
    rows = {(row.node, row.parameter): row for row in done.rows if row.node}
    assert {("m", "color"), ("d", "ior"), ("d", "alpha"), ("c", "weight"), ("s", "upper"), ("all", "lower")} <= set(
        rows
    )
    assert all(rows[key].targets for key in [("m", "color"), ("d", "ior"), ("d", "alpha"), ("c", "weight")])


def test_what_differs_by_a_weight_of_the_surface_is_one_surface() -> None:
    metal = {"word": "metal", "facing": (0.3, 0.3, 0.3), "alpha": 0.04}
    said = only(to_open(lobes("all", m=MATT, d=SHINE, s=stack("d", "m"), x=metal, all=blend("s", "x", 0.25))))
    assert said["base_metalness"] == 0.25 and said["base_color"] == pytest.approx((0.3, 0.3, 0.3))
    glass = {"word": "glass", "ior": 1.6, "alpha": 0.04}
    said = only(to_open(lobes("all", m=MATT, d=SHINE, s=stack("d", "m"), x=glass, all=blend("x", "s", 0.25))))
    assert said["transmission_weight"] == 0.75
    said = only(to_open(lobes("all", m=MATT, x={"word": "scatter"}, all=blend("m", "x", 0.4))))
    assert said["subsurface_weight"] == 0.4 and said["specular_weight"] == 0.0


def test_what_one_surface_cannot_be_stays_in_layers_and_a_coat_lies_on_each() -> None:
    metal = {"word": "metal", "facing": (0.9, 0.6, 0.3), "alpha": 0.3}
    done = to_open(
        lobes("all", m=MATT, x=metal, b=blend("m", "x", 0.25), c={"word": "coat", "weight": 0.5}, all=stack("c", "b"))
    )
    layer = next(node for node in done.graph.nodes.values() if node.kind == "mtlx.layer")
    assert layer.values["amount"] == 0.25
    below, top = (done.graph.nodes[layer.links[port].node].values for port in ("under", "top"))
    assert below["coat_weight"] == top["coat_weight"] == 0.5 and top["base_metalness"] == 1.0
    row = next(row for row in done.rows if (row.node, row.parameter) == ("c", "weight"))
    assert len(row.targets) == 2


def test_a_second_coat_and_what_is_hidden_are_told() -> None:
    coats = {"c": {"word": "coat", "weight": 0.5}, "d": {"word": "coat", "weight": 0.25}}
    done = to_open(lobes("all", m=MATT, s=stack("d", "m"), **coats, all=stack("c", "s")))
    fates = {(row.node, row.parameter): row.fate for row in done.rows if row.node}
    assert only(done)["coat_weight"] == 0.5
    assert fates["d", "weight"] is Fate.LOST and fates["c", "weight"] is Fate.KEPT
    done = to_open(lobes("all", m=MATT, x={"word": "metal", "alpha": 0.3}, all=stack("x", "m")))
    assert only(done)["base_metalness"] == 1.0
    hidden = next(row for row in done.rows if row.node == "m")
    assert not hidden.targets and "no light come to it" in hidden.reason


def test_masks_and_relief_go_to_all_that_they_are_about() -> None:
    done = to_open(
        lobes(
            "cut",
            m=MATT,
            x={"word": "metal", "alpha": 0.3},
            b=blend("m", "x", 0.5),
            cut={"word": "cut", "hole": 0.25, "under": "@b"},
        )
    )
    surfaces = [node for node in done.graph.nodes.values() if node.kind == "mtlx.open_pbr_surface"]
    assert [node.values["geometry_opacity"] for node in surfaces] == [0.75, 0.75]


def test_a_circle_and_a_deep_tower_come_to_an_end() -> None:
    round_ = translate(lobes("a", a=stack("b", "m"), b=stack("a", "m"), m=MATT), SKARN, OPEN, 0.01)
    assert any(row.fate is Fate.HELD for row in round_.rows)
    tower = {"s0": stack("d", "m"), **{f"s{k}": stack("d", f"s{k - 1}") for k in range(1, 300)}}
    done = to_open(lobes("s299", m=MATT, d=SHINE, **tower))
    assert only(done)["specular_ior"] == 1.6


WEIGHTS = st.sampled_from([0.0, 0.3, 1.0])
COLOURS = st.tuples(*[st.floats(0.05, 0.95)] * 3)


@given(
    st.fixed_dictionaries({
        "base_metalness": WEIGHTS, "transmission_weight": WEIGHTS, "subsurface_weight": WEIGHTS, "coat_weight": WEIGHTS,
        "fuzz_weight": WEIGHTS, "geometry_opacity": st.sampled_from([0.4, 1.0]), "base_color": COLOURS, "coat_darkening": st.just(0.0),
        "specular_roughness": st.floats(0.0, 1.0), "specular_ior": st.floats(1.1, 3.0), "emission_luminance": st.sampled_from([0.0, 20.0]),
    })
)  # fmt: skip
@settings(max_examples=120, derandomize=True, deadline=None)
def test_what_is_taken_apart_is_put_together_again(said) -> None:
    surface = Node("surface", "mtlx.open_pbr_surface", dict(said))
    thing = Thing("/M", "M", Kind.MATERIAL, Graph({"surface": surface}, {"surface": Link("surface")}), "openpbr")
    apart = translate(thing, OPEN, SKARN, 0.01)
    again = only(to_open(Thing("/M", "M", Kind.MATERIAL, apart.graph, "skarn")))
    parameters = OPEN.vocabulary.types["mtlx.open_pbr_surface"].parameters
    for row in apart.rows:
        if row.node == "surface" and row.fate <= Fate.RECAST and row.targets:
            found = again.get(row.parameter, parameters[row.parameter].default)
            assert found == pytest.approx(said[row.parameter], rel=1e-6, abs=1e-9), row.parameter


def test_made_up_lobes_look_the_same_in_openpbr(kernels: None, tmp_path) -> None:
    things = {}
    for number in range(60):
        thing = Maker(SKARN, 9000 + number, layers=0.4).material(number)
        if all(node.kind != "skarn.strand" for node in thing.graph.nodes.values()):
            things[thing.id] = thing
    scene = Scene("made.usda", "skarn", things=things, metres_per_unit=0.01)
    planned = plan(scene, PACKS, Choices(target="openpbr"))
    seen = Appearance(scene, PACKS, tmp_path)
    found = sorted((seen.drift(thing, planned.translations[name]).mean for name, thing in things.items()), reverse=True)
    assert len(found) > 40 and found[len(found) // 10] < 1.0 and found[len(found) // 2] < 0.1


def test_a_placement_that_several_pictures_share_goes_to_each() -> None:
    thing = lobes(
        "m", m={"word": "matt", "color": "@p"}, p={"word": "picture", "file": "a.png", "place": "@l"}, l={"word": "place", "repeats": (3.0, 2.0)},
        b={"word": "cut", "under": "@m", "hole": "@q"}, q={"word": "picture", "file": "b.png", "space": "raw", "place": "@l"},
    )  # fmt: skip
    thing.graph.outputs["surface"] = Link("b")
    for target, ports in (("pellune", ("row_u", "row_v")), ("orvik", ("repeats", "repeats")), ("mitsuba", ())):
        done = translate(thing, SKARN, PACKS.get(target), 0.01)
        row = next(row for row in done.rows if (row.node, row.parameter) == ("l", "repeats"))
        assert len({node for node, _ in row.targets}) == 2 and "p" in {node for node, _ in row.targets}, target
        assert {port for _, port in row.targets} >= set(ports)
