"""Relief becomes a picture of normals, and materials are reduced to maps, for one, a kind, all; and what is said where they cannot be."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from numpy.typing import NDArray

from durvan.crossing.document.changes import SetPolicy
from durvan.crossing.job.session import start
from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.making import NEVER, TO_MAPS, Making
from durvan.crossing.translation.policies import EVERYTHING, Matter
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.engine import brushes, canvas, costs, staging
from durvan.formats import pictures
from durvan.scene.baking import Bake, Relief
from durvan.scene.bodies import Body
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.model import Scene, Thing
from durvan.scene.shapes import Mesh, Shapes
from making import Spec, material, write

pytestmark = pytest.mark.usefixtures("kernels")
FLAT = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))
BUMPED: Spec = {
    "surface": ("orvik.finish", {"base_tint": (0.5, 0.3, 0.2)}, {"relief": ("b", "relief")}),
    "b": ("orvik.bump", {"depth": 0.5}, {"map": ("c", "grey")}),
    "c": ("orvik.chequer", {"repeats": (6.0, 4.0)}, {}),
}


@pytest.fixture(autouse=True)
def _kept(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("DURVAN_SWATCHES", str(tmp_path / "kept"))


def carried(
    packs: Registry, thing: Thing, target: str, how: str = "where needed", body: Body | None = FLAT
) -> Translation:
    baking = Making(how, body=body, ground=packs.ground)
    return translate(thing, packs.packs[thing.dialect], packs.packs[target], 0.01, making=baking)


def drift_of(packs: Registry, thing: Thing, done: Translation) -> float:
    scene = Scene("none.usda", thing.dialect, 0.01, things={thing.id: thing})
    found = Appearance(scene, packs).drift(thing, done)
    assert found is not None and not found.caveats
    return found.mean


def normals_of(
    packs: Registry, nodes: list[Node], relief: Relief, by_place: bool = False, mesh: Mesh | None = None, size: int = 64
) -> NDArray[np.float64]:
    """What is painted of a relief, as directions."""
    bake = Bake(
        "k" * 32,
        "n.exr",
        Graph({n.id: n for n in nodes}),
        Link(nodes[0].id),
        size,
        by_place=by_place,
        thing="/M",
        relief=relief,
    )
    scene = Scene("", "orvik")
    worn = canvas.Worn(scene, (lambda: Shapes([mesh], ["/M"])) if mesh is not None else None)
    assert packs.ground is not None
    brush = brushes.brush_for(bake, packs.ground, staging.facts_of(scene), staging.pixels, worn)
    return brush.picture((0, 0))[0].astype(np.float64) * 2.0 - 1.0


@settings(max_examples=12, deadline=None)
@given(
    high=st.floats(0.05, 2.0), metres=st.floats(0.001, 0.5), long=st.tuples(st.floats(0.1, 4.0), st.floats(0.1, 4.0)),
    upright=st.booleans(),
)  # fmt: skip
def test_an_even_slope_leans_by_its_rise_over_its_length(
    packs: Registry, high: float, metres: float, long: tuple[float, float], upright: bool
) -> None:
    ends = ("valueb", "valuet") if upright else ("valuel", "valuer")
    ramp = Node("r", "ramptb" if upright else "ramplr", {ends[0]: (0.0,) * 3, ends[1]: (high,) * 3})
    got = normals_of(packs, [ramp], Relief(((Link("r"), metres),), (), long))
    slope = high * metres / long[1 if upright else 0]
    meant = np.array([0.0 if upright else -slope, -slope if upright else 0.0, 1.0]) / math.hypot(slope, 1.0)
    assert got[8:-8, 8:-8] == pytest.approx(np.broadcast_to(meant, (48, 48, 3)), abs=2e-3)


def test_relief_of_places_leans_along_the_surface_itself(packs: Registry) -> None:
    """A sheet of two metres by half a metre: a height that is x itself leans by 45° wherever its UVs are stretched to."""
    points = np.array([[-1.0, 0.0, 0.25], [1.0, 0.0, 0.25], [1.0, 0.0, -0.25], [-1.0, 0.0, -0.25]])
    two = np.array([[0, 1, 2], [0, 2, 3]], np.int32)
    uv = np.array([[0.1, 0.1], [0.9, 0.1], [0.9, 0.9], [0.1, 0.9]])[two]
    mesh = Mesh("s", points, two, None, uv, np.zeros(2, np.int32))
    nodes = [Node("p", "position", {})]
    got = normals_of(packs, nodes, Relief(((Link("p", "x"), 1.0),), (), (1.2, 1.2)), True, mesh)
    assert got[32, 32] == pytest.approx([-math.sqrt(0.5), 0.0, math.sqrt(0.5)], abs=5e-3)


def test_slopes_of_heights_and_normal_maps_are_added(packs: Registry) -> None:
    tilt = 0.3
    flat = np.array([-tilt, 0.0, 1.0]) / math.hypot(tilt, 1.0)
    nodes = [
        Node("r", "ramplr", {"valuel": (0.0,) * 3, "valuer": (1.0,) * 3}),
        Node("m", "ramplr", dict.fromkeys(("valuel", "valuer"), tuple((0.5 + 0.5 * flat).tolist()))),
    ]
    got = normals_of(packs, nodes, Relief(((Link("r"), 0.2),), ((Link("m"), 0.5),), (1.0, 1.0)))
    slope = 0.2 + 0.5 * tilt
    assert got[32, 32] == pytest.approx(np.array([-slope, 0.0, 1.0]) / math.hypot(slope, 1.0), abs=3e-3)


def test_relief_goes_to_a_target_that_only_knows_normals(packs: Registry) -> None:
    thing = material("orvik", BUMPED)
    done = carried(packs, thing, "preview")
    (bake,) = done.bakes
    assert bake.relief is not None and bake.relief.heights == ((Link("c", "outgrey"), pytest.approx(0.005)),)
    row = next(row for row in done.rows if (row.node, row.parameter) == ("b", "map"))
    assert row.fate is Fate.BAKED and "as slopes where a unit of UVs is 1 m long" in row.reason
    texture = done.graph.nodes[done.graph.nodes["surface"].links["normal"].node]
    assert texture.values["scale"] == (2.0,) * 4 and texture.values["bias"] == (-1.0,) * 4
    assert drift_of(packs, thing, done) < 1.0
    path = staging.facts_of(Scene("", "orvik"), packs).paint(bake)
    cost = costs.cost_of(bake, costs.sources_of(Scene("", "orvik")))
    assert Path(path).is_file() and cost is not None and cost.unit == "°" and 0.0 < cost.mean < 4.0


@pytest.mark.parametrize(
    ("body", "told"), [(None, "has not been looked at yet"), (Body(1, 1.0, 0.5, 0.1), "has no UVs")]
)
def test_relief_that_cannot_be_a_picture_says_why(packs: Registry, body: Body | None, told: str) -> None:
    done = carried(packs, material("orvik", BUMPED), "preview", body=body)
    assert not done.bakes
    assert any(row.fate >= Fate.LOST and told in row.reason for row in done.rows)


def test_relief_is_not_painted_where_nothing_is_to_be(packs: Registry) -> None:
    assert not carried(packs, material("orvik", BUMPED), "preview", NEVER).bakes


def test_a_placement_without_a_turn_stays_outside_and_counts(packs: Registry) -> None:
    placed = BUMPED | {"c": ("orvik.picture", {"file": "a.png", "decode_gamma": 1.0, "repeats": (2.0, 4.0)}, {})}
    (bake,) = carried(packs, material("orvik", placed), "preview").bakes
    assert bake.relief is not None and bake.relief.metres_per_uv == pytest.approx((0.5, 0.25))
    placed["c"][1]["turn"] = 30.0
    turned = placed
    (bake,) = carried(packs, material("orvik", turned), "preview").bakes
    assert bake.relief is not None and bake.relief.metres_per_uv == (1.0, 1.0)


# reduced to maps


def piled() -> Thing:
    """Lacquer and wax over a chequer, under a layer by a mask, with relief."""
    return material(
        "orvik",
        BUMPED
        | {
            "surface": ("orvik.pile", {}, {"base": ("low", "out"), "finish_1": ("top", "out"), "mask_1": ("m", "grey")}),
            "low": ("orvik.finish", {}, {"base_tint": ("x", "colour"), "relief": ("b", "relief")}),
            "x": ("orvik.chequer", {"first": (0.7, 0.3, 0.2), "second": (0.1, 0.2, 0.3)}, {}),
            "top": ("orvik.finish", {"base_tint": (0.2, 0.4, 0.2), "polish": 0.3}, {}),
            "m": ("orvik.chequer", {"repeats": (3.0, 3.0)}, {}),
        },
    )  # fmt: skip


def test_a_pile_becomes_one_surface_of_maps(packs: Registry) -> None:
    thing = piled()
    done = carried(packs, thing, "pellune", TO_MAPS)
    kinds = sorted(node.kind for node in done.graph.nodes.values())
    assert set(kinds) == {"pellune.surface", "pellune.image", "pellune.normal"} and not done.unmet
    used = {bake.name.removeprefix("Paint_").rpartition("_")[0] for bake in done.bakes}
    assert {"base_color", "specular_roughness", "normal"} <= used
    assert sum(row.fate is Fate.BAKED for row in done.rows) >= 5


def test_maps_of_a_material_without_layers_look_the_same(packs: Registry) -> None:
    nodes: Spec = {
        "surface": ("orvik.finish", {"polish": 0.6}, {"base_tint": ("x", "colour")}),
        "x": ("orvik.chequer", {"first": (0.7, 0.3, 0.2), "second": (0.1, 0.2, 0.3), "repeats": (3.0, 2.0)}, {}),
    }
    thing = material("orvik", nodes)
    done = carried(packs, thing, "pellune", TO_MAPS)
    (bake,) = done.bakes
    assert bake.name == "Paint_base_color_srgb.png"
    usual = drift_of(packs, thing, carried(packs, thing, "pellune"))
    assert drift_of(packs, thing, done) <= usual + 0.05  # it had to be baked anyway


def test_a_network_that_is_the_same_all_over_becomes_a_number(packs: Registry) -> None:
    nodes: Spec = {
        "surface": ("orvik.finish", {}, {"base_tint": ("x", "colour")}),
        "x": ("orvik.chequer", {"first": (0.2, 0.4, 0.6), "second": (0.2, 0.4, 0.6)}, {}),
    }
    done = carried(packs, material("orvik", nodes), "pellune", TO_MAPS)
    assert not done.bakes and done.graph.nodes["surface"].values["color"] == pytest.approx((0.2, 0.4, 0.6))


def test_a_picture_that_feeds_a_parameter_as_it_is_needs_no_other(packs: Registry) -> None:
    nodes: Spec = {
        "surface": ("orvik.finish", {}, {"base_tint": ("i", "colour")}), "i": ("orvik.picture", {"file": "a.png"}, {}),
    }  # fmt: skip
    done = carried(packs, material("orvik", nodes), "pellune", TO_MAPS)
    assert not done.bakes and any(node.values.get("file") == "a.png" for node in done.graph.nodes.values())


@pytest.mark.parametrize(
    ("finish", "told"), [({"pass_tint": (0.9, 0.9, 0.9)}, "light passes through it"), ({}, "has no UVs")]
)
def test_what_cannot_be_reduced_says_so(packs: Registry, finish: dict[str, Value], told: str) -> None:
    nodes = {name: spec for name, spec in piled().graph.nodes.items() if name in ("x",)}
    thing = material("orvik", {"surface": ("orvik.finish", dict(finish), {"base_tint": ("x", "colour")})})
    thing.graph.nodes.update(nodes)
    body = FLAT if finish else Body(1, 1.0, 0.5, 0.1)
    done = carried(packs, thing, "pellune", TO_MAPS, body)
    assert [why.topic for why in done.unmet] == ["maps:unmet"] and told in done.unmet[0].said


SCENE = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Xform "W"
{
    def Mesh "sheet" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(-1, 0, 1), (1, 0, 1), (1, 0, -1), (-1, 0, -1)]
        texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] ( interpolation = "vertex" )
        rel material:binding = </W/Paint>
    }
    def Material "Paint"
    {
        token outputs:orvik:surface.connect = </W/Paint/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint.connect = </W/Paint/c.outputs:colour>
            token inputs:relief.connect = </W/Paint/b.outputs:relief>
            color3f inputs:pass_tint = (%s, 0, 0)
            token outputs:out
        }
        def Shader "b"
        {
            uniform token info:id = "orvik.bump"
            float inputs:map.connect = </W/Paint/c.outputs:grey>
            float inputs:depth = 0.01
            token outputs:relief
        }
        def Shader "c"
        {
            uniform token info:id = "orvik.chequer"
            color3f inputs:first = (0.7, 0.3, 0.2)
            color3f outputs:colour
            float outputs:grey
        }
    }
}
"""


def test_everything_is_reduced_and_carried_by_one_choice_and_back_by_undo(packs: Registry, tmp_path: Path) -> None:
    session = start(write(tmp_path, SCENE % "0"), packs, "preview", "orvik")
    session.look_at_shapes(always=True)
    usual = len(session.plan.translations["/W/Paint"].bakes)
    session.do("Reduce", SetPolicy(subject=EVERYTHING, what=Matter.BAKE.value, how=TO_MAPS))
    session.renew()
    names = sorted(bake.name for bake in session.plan.translations["/W/Paint"].bakes)
    assert names == ["Paint_base_color_srgb.png", "Paint_normal_raw.exr"]
    session.carry(tmp_path / "out.usda")
    made = sorted((tmp_path / "out_maps").iterdir())
    assert [file.name for file in made] == names
    values = pictures.pixels(str(made[1]), 1.0)
    assert values is not None and np.linalg.norm(values[..., :3] * 2.0 - 1.0, axis=-1) == pytest.approx(
        np.ones(values.shape[:2]), abs=2e-3
    )
    row = next(row for row in session.plan.ledger if row.fate is Fate.BAKED)
    assert session.cost(row) is not None
    session.undo()
    session.renew()
    assert len(session.plan.translations["/W/Paint"].bakes) == usual


def test_a_choice_that_cannot_be_followed_is_a_finding(packs: Registry, tmp_path: Path) -> None:
    session = start(write(tmp_path, SCENE % "0.8"), packs, "pellune", "orvik")
    session.do("Reduce", SetPolicy(subject=EVERYTHING, what=Matter.BAKE.value, how=TO_MAPS))
    session.renew()
    (found,) = [one for one in session.findings if one.code == "not-as-chosen"]
    assert "light passes through it" in found.cause
