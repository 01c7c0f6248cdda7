"""Any stage that USD opens is opened, and what is broken is told with the file and the place in it."""

from __future__ import annotations

import itertools
import math
from pathlib import Path

import numpy as np
import pytest
from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, UsdUtils

from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import start
from durvan.errors import SceneFileError
from durvan.formats import pictures
from durvan.formats.usd.reading import shortest
from durvan.formats.usd.text import Layer, Spec, asset, literal, number, quoted
from durvan.scene.model import FileState, Kind
from making import SHEET, small, with_files, write

UNITS = {
    "none": "",
    "int": "metersPerUnit = 1",
    "float": "metersPerUnit = 0.0254",
    "zero": "metersPerUnit = 0",
    "negative": "metersPerUnit = -2",
}


SHINE = "color3f inputs:mirror_tint = (0.5, 0.5, 0.5)"  # without it nothing is reflected, and polish does not matter


@pytest.mark.parametrize(
    ("unit", "up", "ending"), list(itertools.product(UNITS, ("Y", "Z", ""), ("usda", "usdc", "usd", "usdz")))
)
def test_every_form_of_stage_opens_and_is_carried(packs, tmp_path, unit, up, ending) -> None:
    text = small(SHINE).replace("    metersPerUnit = 0.01\n", f"    {UNITS[unit]}\n")
    text = text.replace('    upAxis = "Y"\n', f'    upAxis = "{up}"\n' if up else "")
    file = write(tmp_path, text)
    if ending == "usdz":
        assert UsdUtils.CreateNewUsdzPackage(str(file), str(tmp_path / "scene.usdz"))
        file = tmp_path / "scene.usdz"
    elif ending != "usda":
        made = tmp_path / f"scene.{ending}"
        Sdf.Layer.FindOrOpen(str(file)).Export(str(made))
        file = made
    session = start(file, packs, "pellune")
    assert session.scene.up_axis == (up or "Y") and session.scene.metres_per_unit > 0
    session.carry(tmp_path / "out.usda")
    values = session.plan.translations["/W/Paint"].graph.nodes["finish"].values
    assert values["color"] == (0.2, 0.3, 0.4) and values["rough"] == pytest.approx(0.4)
    assert Usd.Stage.Open(str(tmp_path / "out.usda")).GetPrimAtPath("/W/Paint/pellune_network/finish")


def test_a_unit_of_the_wrong_type_is_read_and_told(packs, tmp_path) -> None:
    file = tmp_path / "odd.usdc"
    layer = Sdf.Layer.CreateAnonymous(".usda")
    layer.ImportFromString(small())
    layer.pseudoRoot.SetInfo("metersPerUnit", Gf.Half(0.5) if hasattr(Gf, "Half") else 0.5)
    layer.Export(str(file))
    data = write(tmp_path, small().replace("metersPerUnit = 0.01", 'metersPerUnit = "0.5"'), "text.usda")
    assert open_scene(file, packs).metres_per_unit == 0.5
    with pytest.raises(SceneFileError, match=r"text\.usda"):  # in a text the library does not take it
        open_scene(data, packs)


@pytest.mark.parametrize(
    ("name", "content", "said"),
    [
        ("empty.usda", b"", "empty"),
        ("words.usda", b"hello there", "cannot open"),
        ("cut.usda", small().encode()[:200], "cannot open"),
        ("cut.usdc", b"PXR-USDC" + b"\0" * 40, "cannot open"),
        ("not.usdz", b"PK\x03\x04nothing", "cannot open"),
        ("picture.usd", b"\x89PNG\r\n\x1a\n" + b"\0" * 64, "cannot open"),
        ("scene.blob", b"#usda 1.0\n", "opens .usda"),
    ],
)
def test_what_is_not_a_scene_is_refused_with_its_name(packs, tmp_path, name, content, said) -> None:
    file = tmp_path / name
    file.write_bytes(content)
    with pytest.raises(SceneFileError) as told:
        open_scene(file, packs)
    assert said in str(told.value) and name in str(told.value) and "Traceback" not in str(told.value)


def test_folders_and_missing_files_are_refused(packs, tmp_path) -> None:
    with pytest.raises(SceneFileError, match="no such file"):
        open_scene(tmp_path / "gone.usda", packs)
    (tmp_path / "folder.usda").mkdir()
    with pytest.raises(SceneFileError, match="not a file"):
        open_scene(tmp_path / "folder.usda", packs)
    with pytest.raises(SceneFileError):
        open_scene(Path("/" + "x" * 5000 + ".usda"), packs)


def test_a_truncated_crate_never_brings_it_down(packs, lamproom, tmp_path) -> None:
    data = (lamproom.parent / "lamproom_shapes.usdc").read_bytes()
    for part in (10, 100, len(data) // 2, len(data) - 10):
        file = tmp_path / f"cut{part}.usdc"
        file.write_bytes(data[:part])
        with pytest.raises(SceneFileError):
            open_scene(file, packs)


def test_a_scene_without_dialect_opens_and_says_so(packs, tmp_path) -> None:
    scene = open_scene(write(tmp_path, small().replace("orvik.finish", "nobody.knows")), packs)
    assert [odd.code for odd in scene.oddities] == ["unknown-dialect"]
    empty = start(write(tmp_path, '#usda 1.0\ndef Xform "W"\n{\n}\n', "empty_world.usda"), packs, "pellune")
    assert empty.scene.dialect == "" and not empty.findings
    empty.carry(tmp_path / "out.usda")


@pytest.mark.parametrize(
    ("change", "code"),
    [
        (("EXTRA", "color3f inputs:glow_tint.connect = </W/Paint/gone.outputs:colour>"), "dangling"),
        (("EXTRA", "color3f inputs:glow_tint.connect = </W/Paint/finish.outputs:nothing>"), "cycle"),
        (("EXTRA", "float inputs:cutout = inf"), "wrong-value"),
        (("EXTRA", 'string inputs:cutout = "x"'), "wrong-value"),
        (("EXTRA", "rel inputs:cutout = </W/Paint>"), "wrong-value"),
        (("EXTRA", "float[] inputs:cutout = [1, 2, 3, 4, 5, 6]"), "wrong-value"),
    ],
)
def test_broken_networks_open_with_a_finding(packs, tmp_path, change, code) -> None:
    session = start(write(tmp_path, small(change[1])), packs, "pellune")
    assert code in {finding.code for finding in session.findings}
    session.carry(tmp_path / "out.usda")


def test_names_and_chains_without_end(packs, tmp_path) -> None:
    name = "x" * 200_000
    text = small(
        f'token inputs:polish_curve = "{name}"', f'def Shader "{name}"\n{{\nuniform token info:id = "orvik.picture"\n}}'
    )
    text = text.replace('token inputs:polish_curve = "trowbridge"\n', "")
    session = start(write(tmp_path, text), packs, "pellune")
    assert all(len(finding.cause) < 1000 and len(finding.title) < 200 for finding in session.findings)


def test_networks_in_containers_and_by_their_inputs(packs, tmp_path) -> None:
    stage = Usd.Stage.CreateNew(str(tmp_path / "nested.usda"))
    material = UsdShade.Material.Define(stage, "/M")
    tint = material.CreateInput("tint", Sdf.ValueTypeNames.Color3f)
    tint.Set(Gf.Vec3f(0.1, 0.2, 0.3))
    graph = UsdShade.NodeGraph.Define(stage, "/M/Graph")
    passed = graph.CreateInput("tint", Sdf.ValueTypeNames.Color3f)
    passed.ConnectToSource(tint)
    surface = UsdShade.Shader.Define(stage, "/M/Graph/Surface")
    surface.CreateIdAttr("UsdPreviewSurface")
    surface.CreateInput("diffuseColor", Sdf.ValueTypeNames.Color3f).ConnectToSource(passed)
    out = graph.CreateOutput("surface", Sdf.ValueTypeNames.Token)
    out.ConnectToSource(surface.CreateOutput("surface", Sdf.ValueTypeNames.Token))
    material.CreateSurfaceOutput().ConnectToSource(out)
    stage.Save()
    session = start(tmp_path / "nested.usda", packs, "pellune")
    assert session.plan.translations["/M"].graph.nodes["Graph/Surface"].values["color"] == (0.1, 0.2, 0.3)


def test_variants_references_payloads_and_layers(packs, tmp_path) -> None:
    write(tmp_path, small(SHINE), "look.usda")
    main = """#usda 1.0
(
    subLayers = [@./over.usda@]
)
def "Room" (
    variants = { string finish = "dull" }
    prepend variantSets = "finish"
    prepend payload = @./look.usda@
)
{
    variantSet "finish" = {
        "dull" {
            over "Paint" {
                over "finish" {
                    float inputs:polish = 0.1
                }
            }
        }
        "bright" {
            over "Paint" {
                over "finish" {
                    float inputs:polish = 0.9
                }
            }
        }
    }
}
"""
    write(
        tmp_path,
        '#usda 1.0\nover "Room"\n{\n    over "Paint"\n    {\n        over "finish"\n        {\n            float inputs:cutout = 0.25\n        }\n    }\n}\n',
        "over.usda",
    )
    session = start(write(tmp_path, main), packs, "pellune")
    values = session.plan.translations["/Room/Paint"].graph.nodes["finish"].values
    assert values["rough"] == pytest.approx(0.9)
    assert len(session.scene.layers) == 3


def test_a_missing_reference_is_a_finding_not_an_end(packs, tmp_path) -> None:
    session = start(write(tmp_path, small(more='def "Gone" (references = @./gone.usda@)\n{\n}')), packs, "pellune")
    found = [finding for finding in session.findings if finding.code == "composition"]
    assert found and "gone.usda" in found[0].cause


def test_plain_lights_and_cameras_of_any_kind(packs, tmp_path) -> None:
    stage = Usd.Stage.CreateNew(str(tmp_path / "lights.usda"))
    UsdGeom.SetStageMetersPerUnit(stage, 1.0)
    for kind in (
        UsdLux.RectLight,
        UsdLux.DiskLight,
        UsdLux.SphereLight,
        UsdLux.CylinderLight,
        UsdLux.DistantLight,
        UsdLux.DomeLight,
        UsdLux.PortalLight,
    ):
        light = kind.Define(stage, f"/L/{kind.__name__}")
        light.CreateIntensityAttr(20.0)
    spot = UsdLux.ShapingAPI.Apply(stage.GetPrimAtPath("/L/SphereLight"))
    spot.CreateShapingConeAngleAttr(30.0)
    spot.CreateShapingConeSoftnessAttr(0.2)
    camera = UsdGeom.Camera.Define(stage, "/L/Camera")
    camera.CreateFocalLengthAttr(0.35)
    mesh = UsdGeom.Mesh.Define(stage, "/L/Glow")
    UsdLux.MeshLightAPI.Apply(mesh.GetPrim())
    stage.Save()
    session = start(tmp_path / "lights.usda", packs, "pellune")
    assert sum(1 for _ in session.scene.of(Kind.LIGHT)) == 8
    graphs = {name.rsplit("/", 1)[-1]: t.graph for name, t in session.plan.translations.items()}
    beam = next(iter(graphs["SphereLight"].nodes.values()))
    assert beam.kind == "pellune.beam" and beam.values["outer"] == 30.0 and beam.values["inner"] == pytest.approx(24.0)
    assert next(iter(graphs["Camera"].nodes.values())).values["focal_length"] == pytest.approx(35.0)
    assert next(iter(graphs["DomeLight"].nodes.values())).values["lux"] == pytest.approx(20 * math.pi)
    glow = next(iter(graphs["Glow"].nodes.values()))
    assert glow.kind == "pellune.mesh"
    session.carry(tmp_path / "out.usda")


def test_pictures_in_place_absent_unreadable_and_in_tiles(packs, lamproom, tmp_path) -> None:
    (tmp_path / "good.png").write_bytes((lamproom.parent / "textures" / "dial_face.png").read_bytes())
    (tmp_path / "tile.1001.png").write_bytes((tmp_path / "good.png").read_bytes())
    (tmp_path / "bad.png").write_bytes(b"not a picture")
    nodes = "".join(
        f'def Shader "{n}"\n{{\nuniform token info:id = "orvik.picture"\nasset inputs:file = @{f}@\n}}\n'
        for n, f in (
            ("a", "./good.png"),
            ("b", "./gone.png"),
            ("c", "./bad.png"),
            ("d", "./tile.<UDIM>.png"),
            ("e", "a b (1).png"),
        )
    )
    scene = with_files(open_scene(write(tmp_path, small(more=nodes)), packs))
    states = {picture.written: picture.state for picture in scene.pictures.values()}
    assert states == {
        "./good.png": FileState.IN_PLACE, "./gone.png": FileState.ABSENT, "./bad.png": FileState.UNREADABLE,
        "./tile.<UDIM>.png": FileState.IN_PLACE, "a b (1).png": FileState.ABSENT,
    }  # fmt: skip


def test_a_packages_pictures_are_found_measured_and_pointed_at(packs, lamproom, tmp_path) -> None:
    import shutil

    shutil.copytree(lamproom.parent, tmp_path / "room")
    UsdUtils.CreateNewUsdzPackage(str(tmp_path / "room" / "lamproom.usda"), str(tmp_path / "room.usdz"))
    shutil.rmtree(tmp_path / "room")
    session = start(tmp_path / "room.usdz", packs, "pellune")
    sky = session.plan.translations["/LampRoom/Lights/DuskSky"]
    loose = start(lamproom, packs, "pellune").plan.translations["/LampRoom/Lights/DuskSky"]
    assert next(iter(sky.graph.nodes.values())).values["lux"] == next(iter(loose.graph.nodes.values())).values["lux"]
    states = {file.written: file.state for file in session.scene.files.values()}
    assert states.pop("./textures/tide_table.png") is FileState.ABSENT and set(states.values()) == {FileState.IN_PLACE}
    session.carry(tmp_path / "out.usda")
    stage = Usd.Stage.Open(str(tmp_path / "out.usda"))
    file = stage.GetPrimAtPath("/LampRoom/Looks/WetSlate/pellune_network/colour").GetAttribute("inputs:file").Get()
    assert file.resolvedPath.endswith("room.usdz[textures/slate_colour.png]")


@pytest.mark.parametrize(
    ("target", "ending"), [("gltf", ".gltf"), ("gltf", ".glb"), ("mitsuba", ".xml"), ("openpbr", ".mtlx")]
)
def test_a_packages_pictures_come_out_of_it_for_other_formats(packs, tmp_path, target, ending) -> None:
    """A package whose material reads a picture, in formats that cannot look into packages: a file of its own, the same to the byte."""
    (tmp_path / "room").mkdir()
    pictures.save(tmp_path / "room" / "wood.png", np.random.default_rng(4).random((8, 8, 3)).astype(np.float32))
    before = (tmp_path / "room" / "wood.png").read_bytes()
    text = SMALL_TEXTURED.replace("@FILE@", "@./wood.png@")
    (tmp_path / "room" / "s.usda").write_text(text)
    assert UsdUtils.CreateNewUsdzPackage(str(tmp_path / "room" / "s.usda"), str(tmp_path / "room.usdz"))
    session = start(tmp_path / "room.usdz", packs, target)
    done = session.carry(tmp_path / f"out{ending}")
    again = start(done.file, packs, "pellune", target)
    (picture,) = [file for file in again.scene.pictures.values() if file.users]
    assert picture.state is FileState.IN_PLACE and Path(picture.first).read_bytes() == before
    assert not any("room.usdz" in one.written for one in again.scene.files.values())


SMALL_TEXTURED = (
    SHEET
    + """    def Material "Paint"
    {
        token outputs:surface.connect = </W/Paint/s.outputs:surface>
        def Shader "s"
        {
            uniform token info:id = "UsdPreviewSurface"
            color3f inputs:diffuseColor.connect = </W/Paint/t.outputs:rgb>
            token outputs:surface
        }
        def Shader "t"
        {
            uniform token info:id = "UsdUVTexture"
            asset inputs:file = @FILE@
            token inputs:sourceColorSpace = "sRGB"
            float3 outputs:rgb
        }
    }
}
"""
)

# text


@pytest.mark.parametrize("value", [0.1, 1 / 3, 2.2, 1e-12, 16777217.0, -0.0, 3.4e38, 123456.789])
def test_numbers_read_back_to_single_precision(value) -> None:
    import struct

    single = struct.Struct("f")
    assert single.unpack(single.pack(float(number(value))))[0] == single.unpack(single.pack(value))[0]


@pytest.mark.parametrize(
    "text", ["plain", 'with "quotes"', "a\\b", "line\nbreak\ttab", "ünï © 灯", "#{}@<>", "'''", '"""']
)
def test_texts_read_back(text) -> None:
    layer = Layer()
    spec = layer.prim("/A")
    spec.specifier = "def"
    spec.lines.append(f"string x = {quoted(text)}")
    read = Sdf.Layer.CreateAnonymous(".usda")
    assert read.ImportFromString(layer.text())
    assert read.GetAttributeAtPath("/A.x").default == text


@pytest.mark.parametrize("path", ["a.png", "./a b.png", "at@sign.png", "../up.png", "f(1).png"])
def test_asset_paths_read_back(path) -> None:
    layer = Layer()
    spec = layer.prim("/A")
    spec.lines.append(f"asset x = {asset(path)}")
    read = Sdf.Layer.CreateAnonymous(".usda")
    assert read.ImportFromString(layer.text())
    assert read.GetAttributeAtPath("/A.x").default.path == path


def test_literals_and_depth() -> None:
    assert literal("color", (0.5, 0.25, 1.0)) == "(0.5, 0.25, 1)"
    assert literal("bool", True) == "1" and literal("int", 4) == "4" and literal("token", "a") == '"a"'
    layer = Layer()
    layer.prim("/" + "/".join(f"p{n}" for n in range(3000)))
    assert layer.text().count("over") == 3000 and isinstance(layer.root, Spec)


def test_single_precision_numbers_are_read_as_they_were_meant() -> None:
    assert shortest(2.200000047683716) == 2.2
    assert shortest(2.200000047683717) == 2.200000047683717
    assert shortest(0.1) == 0.1


def test_endless_names_are_told_in_short(packs, tmp_path) -> None:
    more = f'def Shader "{"x" * 100_000}"\n{{\nuniform token info:id = "orvik.picture"\nfloat inputs:turn = 3\n}}'
    session = start(write(tmp_path, small(more=more)), packs, "pellune")
    told = next(finding for finding in session.findings if finding.code == "unused-node")
    assert "100000 characters" in told.cause and len(told.cause) < 300
    assert len(told.thing) < 100 and any(len(node) == 100_000 for node in session.scene.things["/W/Paint"].graph.nodes)


@pytest.mark.parametrize("up", ["Y", "Z"])
def test_a_domes_turn_is_read_and_written_as_its_transform(packs, tmp_path, up) -> None:
    text = f"""#usda 1.0
(
    upAxis = "{up}"
)
def DomeLight "Sky"
{{
    float orvik:gain = 2
    float orvik:spin = 35
}}
"""
    session = start(write(tmp_path, text), packs, "preview")
    session.carry(tmp_path / "plain.usda")
    stage = Usd.Stage.Open(str(tmp_path / "plain.usda"))
    matrix = UsdGeom.Xformable(stage.GetPrimAtPath("/Sky")).ComputeLocalToWorldTransform(0)
    pole = matrix.TransformDir(Gf.Vec3d(0, 1, 0))
    assert pole[1 if up == "Y" else 2] == pytest.approx(1.0)
    plain = write(tmp_path, (tmp_path / "plain.usda").read_text().replace("@./scene.usda@", ""), "only.usda")
    plain.write_text(plain.read_text().replace("subLayers = []", "").replace('over "Sky"', 'def DomeLight "Sky"'))
    light = start(plain, packs, "pellune")
    assert next(iter(light.plan.translations["/Sky"].graph.nodes.values())).values["heading"] == pytest.approx(-35.0)


def test_a_tilted_dome_is_told(packs, tmp_path) -> None:
    text = '#usda 1.0\ndef DomeLight "Sky"\n{\n    float xformOp:rotateX = 40\n    uniform token[] xformOpOrder = ["xformOp:rotateX"]\n}\n'
    codes = {finding.code for finding in start(write(tmp_path, text), packs, "pellune").findings}
    assert "tilted-dome" in codes
