"""What crosses between the dialects, value by value."""

from __future__ import annotations

import math

import pytest

from durvan.scene.fate import Fate
from durvan.scene.graph import Link
from durvan.scene.model import Kind
from making import material, single, values_of


def finish(values, **nodes):
    links = dict(nodes.pop("links", {}).items())
    return material("orvik", {"surface": ("orvik.finish", values, links), **nodes})


def fates(translation) -> dict[str, Fate]:
    return {row.parameter: row.fate for row in translation.rows if row.node}


def test_gloss_becomes_roughness_by_the_lobe(carried) -> None:
    done = carried(finish({"polish": 0.7, "polish_curve": "trowbridge", "mirror_tint": (0.5, 0.5, 0.5)}), "pellune")
    assert values_of(done)["rough"] == pytest.approx(0.3)
    assert fates(done)["polish"] is Fate.RECAST


@pytest.mark.parametrize("curve", ["blinn", "beckmann"])
def test_other_lobes_are_fitted_and_say_what_remains(carried, curve) -> None:
    """A GGX lobe looks most like one of a shorter tail with 0.74 of its alpha."""
    done = carried(finish({"polish": 0.7, "polish_curve": curve, "mirror_tint": (0.5, 0.5, 0.5)}), "pellune")
    row = next(row for row in done.rows if row.parameter == "polish")
    assert row.fate is Fate.FITTED and 0.05 < row.measure < 0.5 and "highlight" in row.measured
    alpha = math.sqrt(2 / (10**2.8 + 2)) if curve == "blinn" else 0.3**2
    assert values_of(done)["rough"] == pytest.approx(math.sqrt(0.7396 * alpha))


@pytest.mark.parametrize("faked", [{"edge_rise": False}, {"mirror_index": 12.0}])
def test_a_faked_metal_becomes_a_metal(carried, faked) -> None:
    done = carried(
        finish({"base_tint": (0.0, 0.0, 0.0), "mirror_tint": (0.8, 0.6, 0.3), "polish_curve": "trowbridge", **faked}),
        "pellune",
    )
    assert values_of(done)["metal"] == 1.0
    factor = 1.0 if "edge_rise" in faked else (11 / 13) ** 2
    assert values_of(done)["color"] == pytest.approx(tuple(factor * c for c in (0.8, 0.6, 0.3)))


def test_fresnel_off_over_a_bright_base_is_held(carried) -> None:
    done = carried(
        finish({"base_tint": (0.8, 0.8, 0.8), "mirror_tint": (0.3, 0.3, 0.3), "edge_rise": False}), "pellune"
    )
    assert fates(done)["edge_rise"] is Fate.HELD
    assert values_of(done).get("metal", 0.0) == 0.0


def test_a_person_may_read_it_otherwise(carried) -> None:
    thing = finish({"base_tint": (0.8, 0.8, 0.8), "mirror_tint": (0.3, 0.3, 0.3), "edge_rise": False})
    done = carried(thing, "pellune", {"surface": "bare metal"})
    assert values_of(done)["metal"] == 1.0


def test_glass_takes_its_index_absorption_and_units(carried) -> None:
    done = carried(
        finish(
            {
                "pass_tint": (1.0, 1.0, 1.0),
                "pass_index": 1.6,
                "murk_tint": (0.5, 0.9, 0.8),
                "murk_depth": 25.0,
                "polish_curve": "trowbridge",
            }
        ),
        "pellune",
    )
    values = values_of(done)
    assert values["clear"] == 1.0 and values["ior"] == 1.6
    assert values["clear_color"] == (0.5, 0.9, 0.8) and values["clear_distance"] == pytest.approx(0.25)


def test_cutout_glow_and_scatter(carried) -> None:
    done = carried(
        finish({"cutout": 0.4, "glow_gain": 2.0, "glow_tint": (1.0, 0.5, 0.2), "deep_amount": 0.5, "deep_reach": 3.0}),
        "pellune",
    )
    values = values_of(done)
    assert values["coverage"] == 0.4 and values["emit_nits"] == pytest.approx(358.0)
    assert values["scatter_radius"] == pytest.approx((0.03, 0.03, 0.03))
    assert fates(done)["cutout"] is Fate.KEPT


def test_a_coloured_dielectric_reflection_says_what_is_lost(carried) -> None:
    done = carried(finish({"mirror_tint": (1.0, 0.2, 0.2), "mirror_index": 1.5}), "pellune")
    row = next(row for row in done.rows if row.parameter == "mirror_tint")
    assert row.fate is Fate.FITTED and row.measure == pytest.approx(0.8 * 0.0918, abs=1e-3)


def test_a_map_gets_a_node_for_the_formula(carried) -> None:
    thing = finish(
        {"polish_curve": "trowbridge"},
        links={"polish": ("p", "grey")},
        p=("orvik.picture", {"file": "a.png", "decode_gamma": 1.0}, {}),
    )
    done = carried(thing, "pellune")
    link = done.graph.nodes["surface"].links["rough"]
    node = done.graph.nodes[link.node]
    assert (
        node.kind == "pellune.adjust"
        and node.values["gain"] == (-1.0, -1.0, -1.0)
        and node.values["shift"] == (1.0, 1.0, 1.0)
    )
    assert done.graph.nodes[node.links["input"].node].values["role"] == "data"
    assert any(row.fate is Fate.ADDED and row.targets[0][0] == node.id for row in done.rows)


def test_green_is_turned_round_on_the_map_not_on_the_strength(carried) -> None:
    thing = finish(
        {},
        links={"relief": ("n", "relief")},
        n=("orvik.normal_map", {"strength": 0.7}, {"map": ("p", "colour")}),
        p=("orvik.picture", {"file": "n.png", "decode_gamma": 1.0}, {}),
    )
    done = carried(thing, "pellune")
    normal = done.graph.nodes["n"]
    flip = done.graph.nodes[normal.links["input"].node]
    assert normal.values["amount"] == 0.7
    assert flip.values["gain"] == (1.0, -1.0, 1.0) and flip.values["shift"] == (0.0, 1.0, 0.0)


def test_placement_becomes_a_matrix(carried) -> None:
    thing = finish(
        {},
        links={"base_tint": ("p", "colour")},
        p=("orvik.picture", {"file": "a.png", "repeats": (2.0, 4.0), "shift": (0.25, 0.0), "turn": 90.0}, {}),
    )
    image = carried(thing, "pellune").graph.nodes["p"]
    # the picture turns counter-clockwise and moves to the right, so what is looked up goes the other way
    assert image.values["row_u"] == pytest.approx((0.0, 4.0, -0.25), abs=1e-9)
    assert image.values["row_v"] == pytest.approx((-2.0, 0.0, 0.0), abs=1e-9)


@pytest.mark.parametrize(("gamma", "role", "power"), [(2.2, "colour", None), (1.0, "data", None), (1.8, "data", 1.8)])
def test_gamma_numbers_become_roles(carried, gamma, role, power) -> None:
    thing = finish(
        {}, links={"base_tint": ("p", "colour")}, p=("orvik.picture", {"file": "a.png", "decode_gamma": gamma}, {})
    )
    done = carried(thing, "pellune")
    assert done.graph.nodes["p"].values["role"] == role
    powers = [node.values["power"] for node in done.graph.nodes.values() if "power" in node.values]
    assert powers == ([power] if power else [])


def test_what_depends_on_the_view_is_held_and_says_so(carried) -> None:
    thing = finish(
        {},
        links={"base_tint": ("f", "colour")},
        f=("orvik.facing", {"front": (0.3, 0.2, 0.1), "edge": (0.9, 0.8, 0.7)}, {}),
    )
    done = carried(thing, "pellune")
    assert values_of(done, "surface")["color"] == (0.3, 0.2, 0.1)
    assert fates(done)["edge"] is Fate.HELD and fates(done)["base_tint"] is Fate.HELD
    assert "depends on the view" in next(r.reason for r in done.rows if r.parameter == "edge")


def test_a_node_of_a_missing_add_on_is_held(carried) -> None:
    thing = finish(
        {"base_tint": (0.1, 0.2, 0.3)}, links={"base_tint": ("k", "colour")}, k=("orvik.kelp", {"strands": 3}, {})
    )
    done = carried(thing, "pellune")
    assert fates(done)["strands"] is Fate.HELD and fates(done)["base_tint"] is Fate.HELD
    assert values_of(done, "surface")["color"] == (0.1, 0.2, 0.3)


def test_a_cycle_is_cut_and_held(carried) -> None:
    thing = finish(
        {},
        links={"base_tint": ("a", "colour")},
        a=("orvik.correct", {}, {"input": ("b", "colour")}),
        b=("orvik.correct", {"gain": (2.0, 2.0, 2.0)}, {"input": ("a", "colour")}),
    )
    done = carried(thing, "pellune")
    assert any(row.fate is Fate.HELD and "cycle" in row.reason for row in done.rows)


def test_a_chain_of_ten_thousand_nodes_is_carried(carried) -> None:
    nodes = {"surface": ("orvik.finish", {}, {"base_tint": ("n0", "colour")})}
    for place in range(10_000):
        link = {"input": (f"n{place + 1}", "colour")} if place < 9_999 else {}
        nodes[f"n{place}"] = ("orvik.correct", {"saturation": 0.9, "gain": (0.9, 1.0, 1.0)}, link)
    done = carried(material("orvik", nodes), "pellune")
    assert len(done.graph.nodes) == 10_001


def test_nothing_vanishes(carried, lamp_scene, packs) -> None:
    for target in packs.packs:
        for thing in lamp_scene.things.values():
            done = carried(thing, target)
            told = {(row.node, row.parameter) for row in done.rows}
            for node in thing.graph.nodes.values():
                for port in node.ports():
                    assert (node.id, port) in told, f"{thing.id} {node.id}.{port} to {target}"
            assert all(row.rule for row in done.rows)
            assert all(row.reason for row in done.rows if row.fate in (Fate.LOST, Fate.HELD, Fate.FITTED))


@pytest.mark.parametrize(
    ("measure", "gain", "unit", "power"),
    [
        ("plain", 2.0, "nit", 358.0),
        ("nit", 500.0, "nit", 500.0),
        ("lumen", 800.0, "lumen", 800.0),
        ("watt", 10.0, "lumen", 1790.0),
    ],
)
def test_light_units(carried, measure, gain, unit, power) -> None:
    values = values_of(carried(single("orvik", "orvik.area", {"measure": measure, "gain": gain}), "pellune"))
    assert values.get("unit", "lumen") == unit and values["power"] == pytest.approx(power)


def test_full_cone_with_outward_penumbra_becomes_half_angles(carried) -> None:
    done = carried(
        single("orvik", "orvik.cone", {"cone_angle": 48.0, "penumbra": 6.0, "gain": 100.0, "measure": "lumen"}),
        "pellune",
    )
    values = values_of(done)
    assert values["outer"] == pytest.approx(30.0) and values["inner"] == pytest.approx(24.0)
    assert values["power"] == pytest.approx(100.0)


def test_a_portal_is_lost_and_not_needed(carried) -> None:
    done = carried(single("orvik", "orvik.portal", {"width": 2.0}), "pellune")
    assert not done.graph.nodes and "none is needed" in done.rows[0].reason


def test_the_dome_becomes_the_scenes_surroundings_in_lux(carried) -> None:
    thing = single("orvik", "orvik.dome", {"gain": 0.5, "file": "sky.exr", "spin": 30.0})
    thing.context["map_lux"] = 4.0
    done = carried(thing, "pellune")
    assert values_of(done)["lux"] == pytest.approx(0.5 * 179 * 4.0) and values_of(done)["heading"] == -30.0


def test_a_dome_without_its_picture_is_held(carried) -> None:
    done = carried(single("orvik", "orvik.dome", {"gain": 0.5, "file": "gone.exr"}), "pellune")
    assert next(row for row in done.rows if row.parameter == "gain").fate is Fate.HELD


def test_exposure_and_clip_of_a_camera(carried) -> None:
    thing = single(
        "orvik",
        "orvik.camera",
        {"f_number": 4.0, "shutter": 50.0, "speed": 400.0, "near_clip": 150.0, "focal": 35.0},
        Kind.CAMERA,
    )
    done = carried(thing, "pellune")
    values = values_of(done)
    assert values["shutter_time"] == pytest.approx(0.02) and values["iso"] == pytest.approx(400.0)
    assert fates(done)["near_clip"] is Fate.LOST and fates(done)["focal"] is Fate.KEPT


def test_exposure_reaches_usd_by_its_own_scale(carried) -> None:
    done = carried(
        single("orvik", "orvik.camera", {"f_number": 4.0, "shutter": 50.0, "speed": 400.0}, Kind.CAMERA), "preview"
    )
    v = values_of(done)
    scale = v["exposure_responsivity"] * v["exposure_time"] * v["exposure_iso"] / 100 / v["exposure_fStop"] ** 2
    ev100 = math.log2(4.0**2 / (1 / 50) * 100 / 400)
    assert scale == pytest.approx(1 / (1.2 * 2**ev100))


def test_sampling_grids_are_squared(carried) -> None:
    done = carried(single("orvik", "orvik.settings", {"grid_most": 12, "noise_stop": 0.005}, Kind.SETTINGS), "pellune")
    assert values_of(done)["samples"] == 144 and values_of(done)["noise_target"] == pytest.approx(0.5)


def test_a_preview_normal_texture_is_decoded_once(carried) -> None:
    nodes = {
        "surface": ("preview.surface", {}, {"normal": ("t", "rgb")}),
        "t": (
            "preview.texture",
            {
                "file": "n.png",
                "scale": (2.0, 2.0, 2.0, 1.0),
                "bias": (-1.0, -1.0, -1.0, 0.0),
                "sourceColorSpace": "raw",
            },
            {},
        ),
    }
    done = carried(material("preview", nodes), "pellune")
    normal = done.graph.nodes[done.graph.nodes["surface"].links["normal"].node]
    assert normal.kind == "pellune.normal"
    assert done.graph.nodes[normal.links["input"].node].kind == "pellune.image"
    assert normal.links["input"] == Link("t", "color")


def test_noise_keeps_its_size_in_any_unit(packs) -> None:
    from durvan.crossing.translation.translate import translate
    from durvan.scene.model import Thing

    thing = finish({}, links={"base_tint": ("n", "colour")}, n=("orvik.noise", {"size": 4.0}, {}))
    for unit in (0.01, 1.0, 0.0254):
        there = translate(thing, packs.get("orvik"), packs.get("openpbr"), unit)
        scale = next(node for node in there.graph.nodes.values() if node.kind == "mtlx.multiply")
        assert scale.values["in2"] == pytest.approx(25.0 * unit)  # features a unit of the stage
        middle = Thing(thing.id, thing.name, thing.kind, there.graph, "openpbr")
        back = translate(middle, packs.get("openpbr"), packs.get("pellune"), unit)
        assert next(n for n in back.graph.nodes.values() if n.kind == "pellune.noise").values[
            "frequency"
        ] == pytest.approx(25.0)


def test_a_bump_reaches_materialx_in_the_stages_unit(packs) -> None:
    from durvan.crossing.translation.translate import translate

    thing = finish(
        {},
        links={"relief": ("b", "relief")},
        b=("orvik.bump", {"depth": 0.5}, {"map": ("p", "grey")}),
        p=("orvik.picture", {"file": "a.png"}, {}),
    )
    done = translate(thing, packs.get("orvik"), packs.get("openpbr"), 0.001)
    assert next(n for n in done.graph.nodes.values() if n.kind == "mtlx.bump").values["scale"] == pytest.approx(5.0)


def test_channels_and_types_are_bridged_and_folded_again(packs, tmp_path) -> None:
    from durvan.crossing.job.session import start
    from making import small, write

    more = (
        'def Shader "p"\n{\nuniform token info:id = "orvik.picture"\nasset inputs:file = @a.png@\nfloat inputs:decode_gamma = 1\n}\n'
        'def Shader "n"\n{\nuniform token info:id = "orvik.normal_map"\ncolor3f inputs:map.connect = </W/Paint/p.outputs:colour>\n}\n'
    )
    extra = (
        "float inputs:polish.connect = </W/Paint/p.outputs:green>\n            float inputs:cutout.connect = </W/Paint/p.outputs:alpha>\n"
        "            float inputs:deep_amount.connect = </W/Paint/p.outputs:grey>\n            normal3f inputs:relief.connect = </W/Paint/n.outputs:relief>"
    )
    text = small(extra, more).replace("            float inputs:polish = 0.6\n", "")
    session = start(write(tmp_path, text), packs, "openpbr", placement="alone")
    session.carry(tmp_path / "mtlx.usda")
    written = (tmp_path / "mtlx.usda").read_text()
    for node in ("ND_separate3_color3", "ND_separate4_color4", "ND_luminance_color3", "ND_convert_color3_vector3"):
        assert node in written
    back = start(tmp_path / "mtlx.usda", packs, "orvik")
    graph = back.plan.translations["/W/Paint"].graph
    surface = next(node for node in graph.nodes.values() if node.kind == "orvik.finish")
    outputs = {port: link.output for port, link in surface.links.items()}
    assert outputs["cutout"] == "alpha" and outputs["deep_amount"] == "grey"
    assert graph.nodes[surface.links["relief"].node].kind == "orvik.normal_map"
    assert not [finding for finding in back.findings if finding.code == "unknown-node"]


def test_preview_textures_are_placed_and_read(packs, tmp_path) -> None:
    from durvan.crossing.job.session import start
    from making import small, write

    more = 'def Shader "p"\n{\nuniform token info:id = "orvik.picture"\nasset inputs:file = @a.png@\nfloat2 inputs:repeats = (2, 2)\n}\n'
    text = small(
        "color3f inputs:glow_tint.connect = </W/Paint/p.outputs:colour>\n            float inputs:glow_gain = 1", more
    )
    start(write(tmp_path, text), packs, "preview").carry(tmp_path / "out.usda")
    written = (tmp_path / "out.usda").read_text()
    assert 'info:id = "UsdUVTexture"' in written and 'info:id = "UsdTransform2d"' in written
    assert 'info:id = "UsdPrimvarReader_float2"' in written and 'inputs:varname = "st"' in written
    assert "float2 inputs:scale = (2, 2)" in written and 'inputs:sourceColorSpace = "sRGB"' in written


def test_a_preview_reflection_without_tint_stays_metal_and_roughness(carried) -> None:
    plain = values_of(carried(finish({"mirror_tint": (1.0, 1.0, 1.0)}), "preview"))
    assert "useSpecularWorkflow" not in plain and plain["ior"] == pytest.approx(1.6)
    tinted = values_of(carried(finish({"mirror_tint": (0.5, 0.5, 0.5), "mirror_index": 1.5}), "preview"))
    assert tinted["useSpecularWorkflow"] == 1 and tinted["specularColor"] == pytest.approx((0.02, 0.02, 0.02))


def test_a_blinn_map_becomes_one_node_and_says_how_far_off_it_is(carried) -> None:
    thing = finish(
        {"polish_curve": "blinn"},
        links={"polish": ("p", "grey")},
        p=("orvik.picture", {"file": "a.png", "decode_gamma": 1.0}, {}),
    )
    done = carried(thing, "pellune")
    grown = [node for node in done.graph.nodes.values() if node.kind == "pellune.adjust"]
    assert len(grown) == 1
    node, row = grown[0], next(row for row in done.rows if row.parameter == "polish")
    for polish in (0.0, 0.3, 0.7, 1.0):
        reached = (node.values["gain"][0] * polish + node.values["shift"][0]) ** node.values["power"]
        assert abs(reached - 0.86 * (2 / (10 ** (4 * polish) + 2)) ** 0.25) <= row.measure < 0.03


@pytest.mark.parametrize(
    ("given", "rough"),
    [
        ({"mirror_tint": (0.0, 0.0, 0.0)}, 1.0), ({}, 1.0), ({"mirror_tint": (0.04, 0.04, 0.04)}, 0.4),
        ({"pass_tint": (0.9, 0.9, 0.9)}, 0.4), ({"mirror_tint": (0.8, 0.8, 0.8), "edge_rise": False, "base_tint": (0.0, 0.0, 0.0)}, 0.4),
    ],
)  # fmt: skip
def test_where_nothing_is_reflected_the_edge_is_blunted(carried, given, rough) -> None:
    """Pellune's edge rises to white even from nothing; a rough one does least. What reflects, or is glass or a metal, keeps its polish."""
    done = carried(finish({"polish": 0.6, "polish_curve": "trowbridge", **given}), "pellune")
    assert values_of(done).get("rough", 0.5) == pytest.approx(rough)
    row = next(row for row in done.rows if row.parameter == "polish")
    assert (row.fate is Fate.FITTED) == (rough == 1.0)
