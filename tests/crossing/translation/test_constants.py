"""What is the same all over becomes a number where a target has no word for the network that it comes from."""

from __future__ import annotations

import pytest

from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import read
from durvan.scene.fate import Fate
from durvan.scene.model import Scene
from making import material

PACKS = read()


def carried(nodes, target: str):
    thing = material("openpbr", nodes)
    return plan(
        Scene("made.usda", "openpbr", things={thing.id: thing}, metres_per_unit=0.01), PACKS, Choices(target=target)
    ).translations[thing.id]


def surface(**links) -> tuple:
    return ("mtlx.open_pbr_surface", {}, {port: (node, "out") for port, node in links.items()})


@pytest.mark.parametrize("target", ["skarn", "pellune", "preview", "gltf", "mitsuba"])
def test_a_network_of_constants_becomes_its_number(target: str) -> None:
    nodes = {
        "surface": surface(base_color="o", base_metalness="c"),
        "o": ("mtlx.overlay", {"fg": 0.45, "bg": 0.25, "mix": 1.0}, {}),
        "c": ("mtlx.clamp", {"in": 0.6, "high": 0.5}, {}),
    }
    done = carried(nodes, target)
    colours = [
        value for node in done.graph.nodes.values() for value in node.values.values() if isinstance(value, tuple)
    ]
    assert any(value[:3] == pytest.approx((0.225,) * 3, abs=1e-6) for value in colours)
    rows = {(row.node, row.parameter): row for row in done.rows if row.node}
    for key in (("o", "fg"), ("o", "bg"), ("c", "in"), ("c", "high")):
        assert rows[key].fate <= Fate.FITTED and rows[key].targets, key
    assert not any(row.fate is Fate.HELD for row in done.rows)


def test_what_the_target_can_say_stays_a_network() -> None:
    nodes = {"surface": surface(base_color="o"), "o": ("mtlx.overlay", {"fg": 0.45, "bg": 0.25, "mix": 1.0}, {})}
    assert any(node.kind == "mtlx.overlay" for node in carried(nodes, "standard").graph.nodes.values())


def test_what_varies_is_not_taken_for_a_number() -> None:
    nodes = {
        "surface": surface(base_color="o"),
        "o": ("mtlx.overlay", {"fg": 0.45, "mix": 1.0}, {"bg": ("p", "out")}),
        "p": ("mtlx.image", {"file": "a.png"}, {}),
    }
    done = carried(nodes, "skarn")
    (matt,) = [node for node in done.graph.nodes.values() if node.kind == "skarn.matt"]
    assert "color" in matt.links or any(row.fate >= Fate.LOST for row in done.rows)


def test_corner_colours_of_gltf_are_white_where_a_mesh_has_none() -> None:
    nodes = {
        "surface": ("gltf.material", {}, {"base_color": ("c", "rgb")}),
        "c": ("gltf.corners", {}, {"input": ("p", "rgb")}),
        "p": ("gltf.texture", {"file": "a.png", "decode": "srgb"}, {}),
    }
    done = translate(material("gltf", nodes), PACKS.get("gltf"), PACKS.get("openpbr"), 0.01)
    corner = next(node for node in done.graph.nodes.values() if "geompropvalue" in node.kind)
    assert corner.values["default"] == (1.0, 1.0, 1.0)


@pytest.mark.parametrize("target", ["pellune", "skarn", "preview"])
def test_colours_of_corners_are_not_baked_and_the_picture_below_stays(target: str) -> None:
    nodes = {
        "surface": ("gltf.material", {}, {"base_color": ("c", "rgb")}),
        "c": ("gltf.corners", {}, {"input": ("p", "rgb")}),
        "p": ("gltf.texture", {"file": "a.png", "decode": "srgb"}, {}),
    }
    thing = material("gltf", nodes)
    scene = Scene("made.glb", "gltf", things={thing.id: thing}, metres_per_unit=1.0)
    done = plan(scene, PACKS, Choices(target=target)).translations[thing.id]
    assert done.bakes == ()
    assert any(value == "a.png" for node in done.graph.nodes.values() for value in node.values.values())
