"""Each finding by itself: raised where it should be, and only there."""

from __future__ import annotations

import pytest

from durvan.crossing.document.changes import SetValue
from durvan.crossing.findings import Level
from durvan.crossing.findings.networks import remaining
from durvan.crossing.job.session import start
from durvan.crossing.outside.uses import of_thing
from durvan.crossing.translation.choices import Choices, Override
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.rows import Row
from durvan.dialects.orvik.functions import metal_sureness
from durvan.files.copies import Use
from durvan.scene.model import Kind, Scene, Solid
from making import findings_in, material, single, small, write


def found(packs, *things, target: str = "pellune", **more) -> dict[str, list]:
    """Findings by code, of a scene of some things."""
    scene = Scene("/x/scene.usda", "orvik", things={thing.id: thing for thing in things}, **more)
    out: dict[str, list] = {}
    for finding in findings_in(plan(scene, packs, Choices(target=target)), packs):
        out.setdefault(finding.code, []).append(finding)
    return out


def finish(values, links=None, name="Paint", **nodes):
    thing = material("orvik", {"surface": ("orvik.finish", values, links or {}), **nodes}, name=name)
    thing.used_by = 1
    return thing


METAL = {"edge_rise": False, "mirror_tint": (0.8, 0.6, 0.3), "base_tint": (0.0, 0.0, 0.0)}


@pytest.mark.parametrize(
    ("values", "code"),
    [
        (METAL, "faked-metal"),
        ({**METAL, "edge_rise": True, "mirror_index": 20.0}, "faked-metal"),
        ({**METAL, "base_tint": (0.8, 0.8, 0.8)}, "fresnel-off"),
        ({**METAL, "edge_rise": True, "mirror_index": 1.5}, ""),
        ({"mirror_tint": (0.0, 0.0, 0.0), "edge_rise": False}, ""),
    ],
)
def test_faked_metals(packs, values, code) -> None:
    codes = {"faked-metal", "fresnel-off"} & set(found(packs, finish(values)))
    assert codes == ({code} if code else set())


def test_a_faked_metal_with_a_map_is_recognised(packs) -> None:
    values = {"mirror_index": 12.0, "base_tint": (0.0, 0.0, 0.0)}
    thing = finish(values, {"mirror_tint": ("p", "colour")}, p=("orvik.picture", {"file": "a.png"}, {}))
    finding = found(packs, thing)["faked-metal"][0]
    assert "map" in dict(finding.evidence).values()


def test_how_sure_a_metal_is() -> None:
    assert metal_sureness(0.8, 0.0) == 1.0
    assert metal_sureness(0.8, 0.05) > metal_sureness(0.8, 0.1) > metal_sureness(0.2, 0.1) >= 0.5


def picture_used(port: str, gamma: float):
    return finish({}, {port: ("p", "colour")}, p=("orvik.picture", {"file": "a.png", "decode_gamma": gamma}, {}))


@pytest.mark.parametrize(
    ("port", "gamma", "code"),
    [
        ("polish", 2.2, "data-as-colour"), ("cutout", 2.2, "data-as-colour"), ("polish", 1.0, ""),
        ("base_tint", 2.2, ""), ("base_tint", 1.0, "colour-as-data"), ("base_tint", 1.8, "odd-gamma"),
    ],
)  # fmt: skip
def test_how_pictures_are_read(packs, port, gamma, code) -> None:
    codes = {"data-as-colour", "colour-as-data", "odd-gamma"} & set(found(packs, picture_used(port, gamma)))
    assert codes == ({code} if code else set())


def test_use_is_seen_through_corrections_and_normal_maps(packs) -> None:
    thing = finish(
        {}, {"polish": ("c", "grey")}, c=("orvik.correct", {}, {"input": ("p", "colour")}),
        p=("orvik.picture", {"file": "a.png", "decode_gamma": 2.2}, {}),
    )  # fmt: skip
    assert "data-as-colour" in found(packs, thing)
    thing = finish(
        {}, {"relief": ("n", "relief")}, n=("orvik.normal_map", {}, {"map": ("p", "colour")}),
        p=("orvik.picture", {"file": "a.png", "decode_gamma": 2.2}, {}),
    )  # fmt: skip
    assert "data-as-colour" in found(packs, thing)


def test_a_picture_used_as_both_is_left_alone(packs) -> None:
    thing = finish(
        {},
        {"base_tint": ("p", "colour"), "polish": ("p", "grey")},
        p=("orvik.picture", {"file": "a.png", "decode_gamma": 1.0}, {}),
    )
    assert not {"data-as-colour", "colour-as-data"} & set(found(packs, thing))


def test_materials_alike_and_unbound(packs) -> None:
    one, two, three = (
        finish({"polish": 0.3}, name="A"),
        finish({"polish": 0.3}, name="B"),
        finish({"polish": 0.4}, name="C"),
    )
    three.used_by = 0
    codes = found(packs, one, two, three)
    assert [f.thing for f in codes["alike"]] == ["/Set/B"]
    assert [f.thing for f in codes["unbound"]] == ["/Set/C"]


@pytest.mark.parametrize(
    ("name", "raised"),
    [
        ("setup_fill", True),
        ("SetupLight", True),
        ("temp_key", True),
        ("keyTemp2", True),
        ("Tempest", False),
        ("Lantern", False),
    ],
)
def test_setup_lights_by_name(packs, name, raised) -> None:
    codes = found(packs, single("orvik", "orvik.area", {"gain": 1.0}, name=name))
    assert ("setup-light" in codes) is raised


def test_a_scene_without_light(packs) -> None:
    assert "no-light" in found(packs, finish({}))
    assert "no-light" not in found(packs, finish({}), single("orvik", "orvik.area", {}))


def camera(near: float, look=(0.0, 0.0, -1.0)):
    thing = single("orvik", "orvik.camera", {"near_clip": near}, Kind.CAMERA, "Eye")
    for axis, eye, way in zip("xyz", (0.0, 0.0, 0.0), look, strict=True):
        thing.context[f"eye_{axis}"], thing.context[f"look_{axis}"] = eye, way
    return thing


DOOR = Solid("/Set/Door", (-10.0, -10.0, -101.0), (10.0, 10.0, -99.0))


@pytest.mark.parametrize(
    ("near", "look", "level"),
    [
        (150.0, (0, 0, -1), Level.LOOK),
        (50.0, (0, 0, -1), Level.NOTE),
        (150.0, (0, 0, 1), Level.NOTE),
        (150.0, (1, 0, 0), Level.NOTE),
    ],
)
def test_what_a_near_clip_hides(packs, near, look, level) -> None:
    finding = found(packs, camera(near, look), solids=[DOOR])["near-clip"][0]
    assert finding.level is level and ("Door" in finding.cause) is (level is Level.LOOK)


def test_no_clip_no_finding(packs) -> None:
    assert "near-clip" not in found(packs, camera(0.0), solids=[DOOR])
    assert "near-clip" not in found(packs, camera(150.0), target="openpbr", solids=[DOOR])


def test_lost_values_say_what_it_does_to_the_picture(packs) -> None:
    thing = finish({"glow_gain": 2.0, "glow_lights": False})
    finding = next(f for f in found(packs, thing)["lost"] if "glow" in f.path)
    assert finding.consequence.startswith("358 nit")


def test_values_without_effect_raise_nothing(packs) -> None:
    codes = found(packs, finish({"murk_depth": 5.0, "deep_reach": 3.0}), single("orvik", "orvik.area", {}))
    assert "lost" not in codes and "held" not in codes


@pytest.mark.parametrize(
    ("measure", "share", "said"),
    [(0.123, True, "12.3 % of it"), (0.35, False, "0.35 of it"), (1e4, False, "1e+04 of it"), (None, True, "")],
)
def test_what_remains_in_words(measure, share, said) -> None:
    assert remaining(Row("/x", "n", "p", "base", 1.0, measure=measure, measured="of it", share=share)) == said


def test_findings_outside_the_scope_are_not_raised(packs, lamp_scene) -> None:
    codes = {f.code for f in findings_in(plan(lamp_scene, packs, Choices(target="pellune", scope="cameras")), packs)}
    assert codes == {"near-clip"}


def test_keys_stay_and_fingerprints_change_with_the_evidence(packs) -> None:
    first = found(packs, finish(METAL))["faked-metal"][0]
    second = found(packs, finish({**METAL, "mirror_tint": (0.5, 0.5, 0.5)}))["faked-metal"][0]
    assert first.key == second.key and first.fingerprint != second.fingerprint


def test_light_lists_and_hidden_lights(packs, tmp_path) -> None:
    text = (
        small().rstrip().removesuffix("}")
        + """
    def RectLight "Lamp" (prepend apiSchemas = ["CollectionAPI:lightLink"])
    {
        float orvik:gain = 2
        rel orvik:include = </W/Paint>
        bool orvik:shadows = 0
        token visibility = "invisible"
    }
}
"""
    )
    session = start(write(tmp_path, text), packs, "pellune")
    codes = {finding.code for finding in session.findings}
    assert {"light-list", "shadowless", "invisible-light"} <= codes
    assert not {"light-list", "shadowless"} & {
        finding.code for finding in start(tmp_path / "scene.usda", packs, "preview").findings
    }


def test_a_plain_cameras_clip_is_found_too(packs) -> None:
    thing = single("preview", "usd.Camera", {"clippingRange": (150.0, 10000.0)}, Kind.CAMERA, "Eye")
    thing.context.update(camera(1.0).context, metres_per_unit=0.01)
    finding = found(packs, thing, solids=[DOOR])["near-clip"][0]
    assert finding.level is Level.LOOK and "1.5 m" in finding.cause


@pytest.mark.parametrize(
    ("dialect", "surface", "port", "node", "output", "name", "wrong", "right"),
    [
        ("pellune", "pellune.surface", "rough", "pellune.image", "r", "role", "colour", "data"),
        ("preview", "preview.surface", "roughness", "preview.texture", "r", "sourceColorSpace", "sRGB", "raw"),
    ],
)
def test_other_dialects_pictures_are_judged_too(
    packs, dialect, surface, port, node, output, name, wrong, right
) -> None:
    nodes = {"surface": (surface, {}, {port: ("p", output)}), "p": (node, {"file": "a.png", name: wrong}, {})}
    finding = found(packs, material(dialect, nodes), target="orvik")["data-as-colour"][0]
    assert finding.remedies[0].does == SetValue(
        entry=Override(thing="/Set/Paint", node="p", parameter=name, value=right)
    )
    nodes["p"] = (node, {"file": "a.png", name: right}, {})
    assert "data-as-colour" not in found(packs, material(dialect, nodes), target="orvik")


@pytest.mark.parametrize(
    ("dialect", "kind", "switch"),
    [("orvik", "orvik.area", "on"), ("orvik", "orvik.dome", ""), ("pellune", "pellune.panel", "enabled"), ("pellune", "pellune.sun", "enabled"), ("preview", "usd.RectLight", "")],
)  # fmt: skip
def test_a_setup_light_says_whether_it_is_on_in_every_dialect(packs, dialect, kind, switch) -> None:
    pack = packs.get(dialect)
    switch = switch or pack.playing(kind, "switch") or ""
    for on in (True, False) if switch else (True,):
        light = single(dialect, kind, {switch: on} if switch else {}, name="setup_fill")
        target = "openpbr" if dialect != "openpbr" else "orvik"
        (finding,) = found(packs, light, target=target)["setup-light"]
        assert dict(finding.evidence)["switched"] == ("on" if on else "off")


@pytest.mark.parametrize(
    ("dialect", "kind", "port"),
    [("orvik", "orvik.dome", "file"), ("pellune", "pellune.surroundings", "file"), ("preview", "usd.DomeLight", "texture"), ("openpbr", "usd.DomeLight", "texture")],
)  # fmt: skip
def test_a_domes_picture_is_a_use_whatever_its_port_is_called(packs, dialect, kind, port) -> None:
    (use,) = of_thing(single(dialect, kind, {port: "sky.exr"}), packs.get(dialect))
    assert use.written == "sky.exr" and use.use is Use.SURROUNDINGS


def test_the_plain_pack_is_declared(packs) -> None:
    assert [pack.name for pack in packs.packs.values() if pack.identity.plain] == [packs.plain.name]
