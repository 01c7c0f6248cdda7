"""Mitsuba's scene files: read with all that they may hold, written so that Mitsuba itself takes them without a word."""

from __future__ import annotations

import random
import re
import struct
import zlib
from collections import Counter
from pathlib import Path

import mitsuba as mi
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.crossing.exchange.compose import compose
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import start
from durvan.crossing.translation.translate import translate
from durvan.engine import outside, renderer, scene_worker, staging
from durvan.errors import RenderingError, SceneFileError
from durvan.formats import xml
from durvan.formats.mitsuba.bodies import read_bodies, read_shapes
from durvan.formats.mitsuba.document import Document
from durvan.formats.mitsuba.geometry import write_ply
from durvan.formats.mitsuba.materials import BsdfWriter, placement
from durvan.formats.mitsuba.models import model
from durvan.formats.mitsuba.readback import read_back
from durvan.formats.mitsuba.reading import Reader, across, read_scene
from durvan.formats.mitsuba.solids import SOLIDS
from durvan.formats.mitsuba.words import WRAPPERS
from durvan.formats.table import named
from durvan.scene.fate import Fate
from durvan.scene.model import Kind
from durvan.scene.shapes import Mesh
from durvan.scene.written import Form, Property, WrittenThing, differences
from making import beside, material

mi.set_variant("scalar_rgb")
HEAD = '<scene version="3.0.0">\n'
SCENE = (
    HEAD
    + """
<default name="spp" value="16"/>
<include filename="more.xml"/>
<integrator type="path"><integer name="max_depth" value="8"/></integrator>
<sensor type="perspective" id="eye"><float name="fov" value="40"/>
  <transform name="to_world"><lookat origin="0,2,8" target="0,0,0" up="0,1,0"/></transform>
  <film type="hdrfilm"><integer name="width" value="32"/><integer name="height" value="20"/></film>
  <sampler type="independent"><integer name="sample_count" value="$spp"/></sampler></sensor>
<bsdf type="mask" id="wood"><float name="opacity" value="0.75"/><bsdf type="twosided"><bsdf type="bumpmap">
  <texture name="height" type="bitmap"><string name="filename" value="h.png"/><boolean name="raw" value="true"/>
    <transform name="to_uv"><scale x="3" y="2"/><rotate z="1" angle="30"/><translate x="0.25" y="0.5"/></transform></texture>
  <float name="scale" value="0.02"/>
  <bsdf type="principled"><rgb name="base_color" value="0.4, 0.2, 0.1"/><float name="roughness" value="0.4"/></bsdf>
</bsdf></bsdf></bsdf>
<alias id="wood" as="timber"/>
<shape type="sphere" id="ball"><point name="center" x="0" y="1" z="0"/><ref id="timber"/></shape>
<shape type="shapegroup" id="crates"><shape type="cube" id="crate"><ref id="copper"/></shape></shape>
<shape type="instance" id="left"><ref id="crates"/><transform name="to_world"><translate x="3"/></transform></shape>
<shape type="instance" id="right"><ref id="crates"/><transform name="to_world"><scale x="-1"/><translate x="-3"/></transform></shape>
<shape type="rectangle" id="floor"><transform name="to_world"><scale value="10"/><rotate x="1" angle="-90"/></transform>
  <bsdf type="diffuse"><texture name="reflectance" type="checkerboard"/></bsdf></shape>
<shape type="rectangle" id="key"><transform name="to_world"><scale x="2" y="1"/><lookat origin="0,5,3" target="0,0,0" up="0,0,1"/></transform>
  <emitter type="area"><rgb name="radiance" value="10, 10, 9"/></emitter></shape>
<emitter type="constant" id="sky"><rgb name="radiance" value="0.2"/></emitter>
</scene>
"""
)
MORE = """<scene version="3.0.0"><bsdf type="roughconductor" id="copper"><string name="material" value="Cu"/>
<float name="alpha" value="0.2"/></bsdf></scene>"""


@pytest.fixture
def scene(tmp_path: Path) -> Path:
    file = tmp_path / "scene.xml"
    file.write_text(SCENE, encoding="utf-8")
    (tmp_path / "more.xml").write_text(MORE, encoding="utf-8")
    mi.util.write_bitmap(str(tmp_path / "h.png"), np.linspace(0, 1, 64).reshape(8, 8, 1).astype(np.float32))
    return file


@pytest.fixture(scope="module")
def carried(lamproom, packs, tmp_path_factory):
    """The demo set, carried to Mitsuba once."""
    session = start(lamproom, packs, "mitsuba")
    out = tmp_path_factory.mktemp("mitsuba") / "lamproom.xml"
    return session, session.carry(out)


def test_every_plugin_of_the_installed_version_has_a_word(packs) -> None:
    words = {name.removeprefix("mitsuba.") for name in packs.get("mitsuba").vocabulary.types}
    folder = Path(mi.__file__).parent / "plugins"
    manager = mi.PluginManager.instance()
    wanted = ("BSDF", "Texture", "Emitter", "Sensor", "Film", "Integrator")
    plugins = {file.name.removeprefix("lib").partition(".")[0] for file in folder.iterdir()}
    kinds = Counter(manager.plugin_type(name).name for name in plugins)
    mine = {name for name in plugins if manager.plugin_type(name).name in wanted}
    assert all(kinds[kind] for kind in wanted) and len(mine) > 50
    assert mine - words <= set(WRAPPERS)


def test_black_that_lights_alone_wear_is_no_material(tmp_path: Path) -> None:
    light = '<shape type="disk" id="lamp"><ref id="soot"/><emitter type="area"/></shape>'
    black = '<bsdf type="diffuse" id="soot"><rgb name="reflectance" value="0, 0, 0"/></bsdf>'
    grey = black.replace("0, 0, 0", "0, 0.1, 0")
    cases = [(light, black, []), (light, grey, ["/Materials/soot"]), ("", black, ["/Materials/soot"])]
    cases.append((light + '<shape type="cube" id="coal"><ref id="soot"/></shape>', black, ["/Materials/soot"]))
    for number, (shapes, bsdf, materials) in enumerate(cases):
        file = tmp_path / f"{number}.xml"
        file.write_text(f'<scene version="3.0.0">{bsdf}{shapes}</scene>', encoding="utf-8")
        found = [thing.path for thing in read_scene(file).things if thing.kind is Kind.MATERIAL]
        assert found == materials, shapes + bsdf


def test_a_scene_is_read_with_its_includes_defaults_references_and_wrappers(scene) -> None:
    raw = read_scene(scene)
    things = {thing.path: thing for thing in raw.things}
    wood = things["/Materials/wood"].graph
    surface, relief, picture = wood.nodes.values()
    assert surface.values == {"base_color": (0.4, 0.2, 0.1), "roughness": 0.4, "opacity": 0.75}
    assert relief.kind == "mitsuba.bumpmap" and relief.values == {"scale": 0.02}
    assert picture.values["scale"] == pytest.approx((3, 2)) and picture.values["offset"] == pytest.approx((0.25, 0.5))
    assert things["/Materials/copper"].graph.nodes["surface"].values["both_sides"] is False
    assert things["/Scene/settings"].attributes["mitsuba:sample_count"] == 16
    assert things["/Scene/key"].attributes["mitsuba:width"] == pytest.approx(4.0)
    assert [w.path for w in raw.worn["/Materials/copper"]] == ["/Scene/left/crate", "/Scene/right/crate"]
    assert raw.layers == (str(scene), str(scene.parent / "more.xml")) and not raw.oddities


def test_shapes_stand_where_mitsuba_has_them(scene) -> None:
    theirs = mi.load_file(str(scene)).bbox()
    shapes = read_shapes(scene)
    points = np.concatenate([mesh.points for mesh in shapes.meshes])
    assert points.min(axis=0) == pytest.approx(np.array(theirs.min), abs=0.02)
    assert points.max(axis=0)[[0, 2]] == pytest.approx(
        np.array(theirs.max)[[0, 2]], abs=0.02
    )  # the light stands higher
    eye, key = shapes.places["/Scene/eye"], shapes.places["/Scene/key"]
    assert eye[3, :3] == pytest.approx((0, 2, 8)) and -eye[2, :3] == pytest.approx(np.array([0, -2, -8]) / 68**0.5)
    assert -key[2, :3] == pytest.approx(np.array([0, -5, -3]) / 34**0.5)


@pytest.mark.parametrize(
    ("kind", "values", "away"),
    [
        ("rectangle", {}, 1e-5), ("cube", {}, 1e-5), ("disk", {}, 5e-3),
        ("cylinder", {"p1": (1.0, 1.0, 1.0), "radius": 0.5}, 2e-3), ("sphere", {"center": (1.0, 2.0, 3.0)}, 2e-2),
    ],
)  # fmt: skip
def test_solids_have_mitsubas_uvs_and_face_as_its_do(kind, values, away) -> None:
    said = {"type": kind} | {name: list(v) if isinstance(v, tuple) else v for name, v in values.items()}
    scene = mi.load_dict({"type": "scene", "it": said})
    mesh = SOLIDS[kind]("it", values)
    weights = np.array([0.3, 0.3, 0.4])
    seen = 0
    for triangle, uv in zip(mesh.points[mesh.triangles], mesh.uvs, strict=True):
        face = np.cross(triangle[1] - triangle[0], triangle[2] - triangle[0])
        middle_uv = weights @ uv
        if np.linalg.norm(face) < 1e-4 or not 0.06 < middle_uv[1] < 0.94:  # where the rows of a sphere close
            continue
        face /= np.linalg.norm(face)
        hit = scene.ray_intersect(mi.Ray3f(weights @ triangle + 0.05 * face, -face))
        assert hit.is_valid() and float(np.dot(np.array(hit.n), face)) > 0.99
        assert (float(hit.uv[0]), 1.0 - float(hit.uv[1])) == pytest.approx(tuple(middle_uv), abs=away)
        seen += 1
    assert seen >= 2


def _mesh(rng: np.random.Generator) -> Mesh:
    points = rng.normal(size=(20, 3)).astype(np.float32).astype(np.float64)
    triangles = np.array([rng.choice(20, 3, replace=False) for _ in range(12)], dtype=np.int32)
    normals = rng.normal(size=(12, 3, 3))
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    uvs = rng.random((12, 3, 2)).astype(np.float32).astype(np.float64)
    return Mesh("m", points, triangles, normals, uvs, np.zeros(12, np.int32), more={"tint": rng.random((12, 3, 3))})


@given(st.integers(0, 2**32 - 1))
def test_a_mesh_returns_from_ply_and_mitsuba_reads_the_same(seed) -> None:
    import tempfile

    mesh = _mesh(np.random.default_rng(seed))
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "m.ply"
        write_ply(mesh, np.ones(12, dtype=bool), file)
        back = model("ply", file, "m", False, True)
        theirs = mi.load_dict({"type": "ply", "filename": str(file), "flip_tex_coords": True})
    assert back.points[back.triangles] == pytest.approx(mesh.points[mesh.triangles], abs=1e-6)
    assert back.uvs == pytest.approx(mesh.uvs, abs=1e-6) and back.normals == pytest.approx(mesh.normals, abs=1e-5)
    assert back.more["tint"] == pytest.approx(mesh.more["tint"], abs=1e-6)
    params = mi.traverse(theirs)
    faces = np.array(params["faces"]).reshape(-1, 3)
    assert np.array(params["vertex_positions"]).reshape(-1, 3)[faces] == pytest.approx(
        mesh.points[mesh.triangles], abs=1e-6
    )
    assert 1.0 - np.array(params["vertex_texcoords"]).reshape(-1, 2)[faces][..., 1] == pytest.approx(
        mesh.uvs[..., 1], abs=1e-6
    )
    assert np.array(params["vertex_tint"]).reshape(-1, 3)[faces] == pytest.approx(mesh.more["tint"], abs=1e-6)


def test_other_files_of_meshes_are_read_as_mitsuba_reads_them(tmp_path) -> None:
    obj = tmp_path / "o.obj"
    obj.write_text("v 0 0 0\nv 1 0 0\nv 1 1 0.5\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\nf 1/1 2/2 3/3 4/4\n")
    mesh = model("obj", obj, "o", False, True)
    theirs = mi.traverse(mi.load_dict({"type": "obj", "filename": str(obj)}))
    assert len(mesh.triangles) == 2 and np.array(theirs["vertex_positions"]).reshape(-1, 3) == pytest.approx(
        mesh.points
    )
    normals = np.array(theirs["vertex_normals"]).reshape(-1, 3)
    assert mesh.normals == pytest.approx(normals[mesh.triangles], abs=1e-4)  # weighted by angles, as theirs
    assert mesh.uvs[..., 1].max() == 1.0
    packed = struct.pack("<I", 0x1002) + b"name\0" + struct.pack("<QQ", 3, 1)
    packed += np.array([0, 0, 0, 1, 0, 0, 0, 1, 0], "<f4").tobytes() + np.array([0, 0, 1, 0, 0, 1], "<f4").tobytes()
    packed += np.array([0, 1, 2], "<u4").tobytes()
    own = tmp_path / "s.serialized"
    own.write_bytes(struct.pack("<HH", 0x041C, 4) + zlib.compress(packed) + struct.pack("<QI", 0, 1))
    mesh = model("serialized", own, "s", True, False)
    theirs = mi.traverse(mi.load_dict({"type": "serialized", "filename": str(own), "face_normals": True}))
    assert np.array(theirs["vertex_positions"]).reshape(-1, 3) == pytest.approx(mesh.points) and mesh.normals is None
    assert mesh.uvs[0, :, 1] == pytest.approx((1, 1, 0))
    curves = tmp_path / "c.txt"
    curves.write_text("0 0 0 0.1\n0 1 0 0.1\n0 2 0 0.05\n\n1 0 0 0.1\n1 1 0 0.1\n")
    assert model("linearcurve", curves, "c", False, False).strands


@pytest.mark.parametrize(
    ("kind", "data", "said"),
    [
        ("ply", b"ply\nformat ascii 1.0\n", "cannot be read as ply"), ("ply", b"\0" * 100, "cannot be read as ply"),
        ("ply", b"ply\nformat ascii 1.0\nelement vertex 1\nproperty float q\nend_header\n1\n", "no places"),
        ("serialized", b"\0" * 40, "no serialized mesh"), ("serialized", b"\x1c\x04\x04\x00" + b"\xff" * 40, "serialized"),
        ("linearcurve", b"1 2 3\n", "three places and a radius"), ("linearcurve", b"a b c d\n", "cannot be read"),
    ],
)  # fmt: skip
def test_a_file_of_a_mesh_that_is_none_is_told(tmp_path, kind, data, said) -> None:
    (tmp_path / "m.bin").write_bytes(data)
    with pytest.raises(SceneFileError, match=said):
        model(kind, tmp_path / "m.bin", "m", False, False)


def test_faces_that_name_no_points_are_left_out(tmp_path) -> None:
    file = tmp_path / "m.ply"
    file.write_text(
        "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n"
        "element face 3\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 nan 0\n3 0 1 9\n4 0 1 2 1\n3 0 1 1\n"
    )
    assert len(model("ply", file, "m", False, False).triangles) == 1


@given(
    st.tuples(st.floats(0.1, 20), st.floats(0.1, 20)), st.floats(-179, 179),
    st.tuples(st.floats(-5, 5), st.floats(-5, 5)), st.booleans(),
)  # fmt: skip
def test_a_placement_returns(scale, angle, offset, mirrored) -> None:
    scale = (scale[0], -scale[1]) if mirrored else scale
    rows = " ".join(
        repr(float(v)) for v in placement({"scale": scale, "rotate": angle, "offset": offset}).T.reshape(-1)
    )
    text = (
        f'{HEAD}<bsdf type="diffuse" id="m"><texture type="bitmap" name="reflectance"><string name="filename" value="p.png"/>'
        f'<transform name="to_uv"><matrix value="{rows}"/></transform></texture></bsdf></scene>'
    )
    import tempfile

    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "s.xml"
        file.write_text(text)
        found = read_scene(file).things[0].graph.nodes["surface_reflectance"].values
    assert found.get("scale", (1.0, 1.0)) == pytest.approx(scale) and found.get("rotate", 0.0) == pytest.approx(
        angle, abs=1e-6
    )
    assert found.get("offset", (0.0, 0.0)) == pytest.approx(offset)


@pytest.mark.parametrize(
    ("axis", "aspect"), [("x", 1.6), ("y", 1.6), ("smaller", 0.5), ("larger", 0.5), ("diagonal", 1.6)]
)
def test_a_field_of_view_along_any_axis_is_the_same(axis, aspect) -> None:
    film = {"type": "hdrfilm", "width": int(200 * aspect), "height": 200}
    sensor = mi.load_dict({"type": "perspective", "fov": 40.0, "fov_axis": axis, "film": film})
    assert across(40.0, axis, aspect) == pytest.approx(float(mi.traverse(sensor)["x_fov"]), abs=1e-3)


# written


def test_what_is_written_is_taken_by_mitsuba_without_a_word_and_rendered(carried, tmp_path) -> None:
    _, done = carried
    assert done.things == 43 and done.checked > 300
    seen = []
    found = outside.render(done.file, 4, (48, 30), 1, seen=lambda picture, samples: seen.append(samples))
    assert [one for one in found.messages if "no numbers" not in one.text and "Invalid sample" not in one.text] == []
    assert (
        found.picture.shape == (30, 48, 3) and found.picture.mean() > 0.01 and seen == [1, 3, 4] and not found.stopped
    )
    assert not list(tmp_path.iterdir())


def test_what_is_written_is_read_again_as_the_same(carried, packs) -> None:
    session, done = carried
    again = open_scene(done.file, packs)
    assert again.dialect == "mitsuba" and not again.oddities
    for kind in (Kind.MATERIAL, Kind.CAMERA):
        assert sum(1 for _ in again.of(kind)) >= sum(
            1 for t in session.plan.translations if session.scene.things[t].kind is kind
        )
    before = session.scene.things
    bodies = read_bodies(done.file)
    worn = {again.things[name].name for name in again.things if again.things[name].used_by}
    carried_ = {
        before[name].name
        for name in session.plan.translations
        if before[name].kind is Kind.MATERIAL and before[name].used_by
    }
    assert carried_ <= worn and len(bodies.bodies) > 30
    ours = read_shapes(done.file)
    theirs = named("USD").port().shapes(Path(session.scene.file), lambda step: None)
    mine, other = (np.concatenate([m.points for m in s.meshes]) for s in (ours, theirs))
    assert mine.min(axis=0) == pytest.approx(other.min(axis=0), abs=1e-4)
    assert mine.max(axis=0) == pytest.approx(other.max(axis=0), abs=1e-4)
    for name in ("GalleryCamera", "TableCamera"):
        (there,) = [v for k, v in ours.places.items() if k.endswith(name)]
        (here,) = [v for k, v in theirs.places.items() if k.endswith(name)]
        assert there[3] == pytest.approx(here[3], abs=1e-6) and there[2] == pytest.approx(
            here[2] / np.linalg.norm(here[2, :3]), abs=1e-6
        )


def test_nothing_of_a_material_is_lost_without_a_row(carried) -> None:
    session, _ = carried
    for thing, done in session.plan.translations.items():
        rows = {(row.node, row.parameter) for row in done.rows}
        for node in session.scene.things[thing].graph.nodes.values():
            assert all((node.id, port) in rows for port in {**node.values, **node.links}), (thing, node.id)


def test_a_scene_carried_to_itself_keeps_everything_and_takes_other_values(scene, packs, tmp_path) -> None:
    session = start(scene, packs, "mitsuba")
    out = tmp_path / "out" / "copy.xml"
    out.parent.mkdir()
    session.carry(out)
    assert Document(out).version == (3, 0, 0) and {row.fate for row in session.plan.ledger} == {Fate.KEPT}
    plain = re.sub(r"<!--.*?-->|\s+", "", out.read_text()).replace("../", "")
    assert plain.removeprefix("<?xmlversion='1.0'encoding='UTF-8'?>") == re.sub(r"\s+", "", SCENE)
    session.put("/Materials/wood", "surface", "roughness", 0.77)
    session.put("/Materials/wood", "surface", "opacity", 0.5)
    session.put("/Scene/eye", "eye", "fov", 33.0)
    session.carry(out)
    again = {thing.path: thing for thing in read_scene(out).things}
    assert again["/Materials/wood"].graph.nodes["surface"].values == {
        "base_color": (0.4, 0.2, 0.1),
        "roughness": 0.77,
        "opacity": 0.5,
    }
    assert again["/Scene/eye"].attributes["mitsuba:fov"] == 33.0 and mi.load_file(str(out)) is not None
    session.put("/Materials/copper", "surface", "alpha", 0.3)
    with pytest.raises(SceneFileError, match="included"):
        session.carry(out)


@pytest.mark.parametrize("ending", ["usda", "glb", "mtlx"])
def test_a_scene_goes_to_other_formats(scene, packs, tmp_path, ending) -> None:
    target = {"usda": "openpbr", "glb": "gltf", "mtlx": "standard"}[ending]
    session = start(scene, packs, target)
    session.carry(tmp_path / f"out.{ending}")
    again = open_scene(tmp_path / f"out.{ending}", packs)
    assert {thing.name for thing in again.of(Kind.MATERIAL)} >= {"wood", "copper"}
    if ending == "mtlx":
        return
    ours = read_shapes(scene)
    there = named("USD" if ending == "usda" else "glTF").port().shapes(tmp_path / f"out.{ending}", lambda step: None)
    boxes = [
        sorted(
            (*mesh.points.min(axis=0).round(4).tolist(), *mesh.points.max(axis=0).round(4).tolist())
            for mesh in one.meshes
        )
        for one in (ours, there)
    ]
    assert np.array(boxes[1]) == pytest.approx(np.array(boxes[0]), abs=1e-3)


# what is wrong


def _told(tmp_path: Path, text: str, packs) -> str:
    file = tmp_path / "bad.xml"
    file.write_text(text, encoding="utf-8")
    with pytest.raises(SceneFileError) as told:
        open_scene(file, packs)
    return f"{told.value}"


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"), ("<scene", "line 1"), ('<scene version="3.0.0"><bsdf></scene>', "line 1"),
        ("<html/>", "no Mitsuba scene"), ("<scene/>", "no version"), ('<scene version="new"/>', "no version"),
        ('<scene version="0.6.0"/>', "0.6.0"),
        ('<!DOCTYPE scene [<!ENTITY a "b">]><scene version="3.0.0">&a;</scene>', "document type"),
        (HEAD + "<bsdf type='mask'>" * 80 + "</bsdf>" * 80 + "</scene>", "nested"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_scene_is_refused_with_its_place(tmp_path, packs, text, said) -> None:
    assert said in _told(tmp_path, text, packs)


@pytest.mark.parametrize(
    ("inside", "code"),
    [
        ('<include filename="bad.xml"/>', "include"), ('<include filename="../x.xml"/>', "include"),
        ('<include filename="https://host/x.xml"/>', "include"), ('<include filename="none.xml"/>', "include"),
        ('<ref id="nothing"/>', "dangling"), ('<thing type="x"/>', "unknown-element"),
        ('<bsdf type="diffuse" id="a"/><bsdf type="plastic" id="a"/>', "same-id"),
        ('<bsdf type="blendbsdf" id="a"><ref id="a"/><ref id="a"/></bsdf>', "dangling"),
        ('<shape type="cube"><transform name="to_world"><rotate x="1" angle="nan"/></transform></shape>', "wrong-value"),
    ],
)  # fmt: skip
def test_what_is_odd_in_a_scene_is_told_and_the_rest_is_read(tmp_path, packs, inside, code) -> None:
    file = tmp_path / "bad.xml"
    file.write_text(f'{HEAD}{inside}<bsdf type="diffuse" id="whole"/></scene>', encoding="utf-8")
    session = start(file, packs, "openpbr")
    assert code in {odd.code for odd in session.scene.oddities}
    assert code in {finding.code for finding in session.findings}
    assert "whole" in {thing.name for thing in session.scene.of(Kind.MATERIAL)}


def test_values_that_are_none_keep_their_place_in_the_ledger(tmp_path, packs) -> None:
    file = tmp_path / "bad.xml"
    file.write_text(
        f'{HEAD}<bsdf type="principled" id="m"><float name="roughness" value="rough"/><rgb name="base_color" value="1,2"/></bsdf></scene>'
    )
    rows = {row.parameter: row for row in start(file, packs, "openpbr").plan.ledger}
    assert rows["roughness"].fate is Fate.HELD and rows["base_color"].fate is Fate.HELD


@given(st.data())
def test_whatever_stands_in_a_file_ends_in_a_scene_or_a_refusal(data) -> None:
    """A scene with pieces cut out, doubled and changed is opened, or refused with the file's name."""
    import tempfile

    text = SCENE
    for _ in range(data.draw(st.integers(1, 4))):
        at = data.draw(st.integers(0, len(text)))
        end = min(len(text), at + data.draw(st.integers(0, 40)))
        piece = data.draw(
            st.sampled_from(["", '"', "<", "/>", "-1e999", "nan", "$x", "&#0;", "type", text[at:end] * 2])
        )
        text = text[:at] + piece + text[end:]
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "odd.xml"
        file.write_text(text, encoding="utf-8")
        try:
            document = Document(file)
        except SceneFileError as problem:
            assert "odd.xml" in str(problem)
            return
        raw = Reader(document).run(lambda step: None)
        assert all(thing.path for thing in raw.things)


# the renderer's process


def test_a_renderer_that_takes_too_long_is_stopped(carried) -> None:
    _, done = carried
    with pytest.raises(RenderingError, match=r"within 0\.01 seconds"):
        outside.render(done.file, 4, (16, 10), limit=0.01)
    found = outside.render(done.file, 100_000, (48, 30), limit=8.0)
    assert "stopped after 8 seconds" in found.stopped and 0 < found.samples < 100_000


def test_a_scene_that_mitsuba_refuses_is_told_with_its_words(tmp_path) -> None:
    file = tmp_path / "bad.xml"
    file.write_text(
        f'{HEAD}<sensor type="perspective"/><shape type="ply"><string name="filename" value="none.ply"/></shape></scene>'
    )
    with pytest.raises(RenderingError, match=r"none\.ply"):
        outside.render(file, 1, (8, 8))


def test_what_a_renderer_says_becomes_a_finding(packs, scene) -> None:
    from durvan.scene.said import Grade, Message

    session = start(scene, packs, "openpbr")
    before = len(session.findings)
    session.heard(
        [
            Message(Grade.WARNING, "a mesh has no normals", 3),
            Message(Grade.NOTE, "loading"),
            Message(Grade.ERROR, "no light"),
        ]
    )
    session.renew()
    said = [finding for finding in session.findings if finding.code == "renderer-said"]
    assert len(session.findings) == before + 2 and {one.cause for one in said} == {"a mesh has no normals", "no light"}
    session.heard([])
    session.renew()
    assert len(session.findings) == before


# what the renderer is given is what it takes


def _made_up(packs, pack: str, kind: str, rng) -> dict:
    """Values for a surface, often at the ends of their ranges."""
    values = {}
    for name, parameter in packs.get(pack).vocabulary.types[kind].parameters.items():
        if rng.random() < 0.75 or parameter.type in ("normal", "surface", "any"):
            continue
        if parameter.type in ("token", "bool", "file", "string"):
            values[name] = rng.choice({"token": parameter.choices, "bool": (True, False)}.get(parameter.type, ("",)))
            continue
        low, high = parameter.range or (-1.0, 1.0)
        size = {"color": 3, "vector2": 2, "vector3": 3, "vector4": 4}.get(parameter.type, 1)
        parts = tuple(rng.choice((low, min(high, 1000.0), rng.uniform(low, min(high, low + 1.0)))) for _ in range(size))
        values[name] = parts if size > 1 else round(parts[0]) if parameter.type == "int" else parts[0]
    return values


@pytest.mark.parametrize(
    ("pack", "kind"),
    [
        ("orvik", "orvik.finish"), ("pellune", "pellune.surface"), ("openpbr", "mtlx.open_pbr_surface"), ("standard", "mtlx.standard_surface"),
        ("gltf", "gltf.material"), ("preview", "preview.surface"), ("mitsuba", "mitsuba.principled"),
    ],
)  # fmt: skip
def test_mitsuba_takes_every_material_that_is_written_for_it(packs, pack, kind) -> None:
    rng = random.Random(7)
    seen = set()
    for _ in range(60):
        thing = material(pack, {"surface": (kind, _made_up(packs, pack, kind, rng), {})})
        done = translate(thing, packs.get(pack), packs.get("mitsuba"), 0.01)
        nodes = {
            f"/m/n/{node.id}": WrittenThing(
                Form.NODE, node.kind,
                {port: Property(_type(packs, node.kind, port), value) for port, value in node.values.items()}
                | {port: Property("any", None, (f"/m/n/{link.node}", link.output)) for port, link in node.links.items()},
            )
            for node in done.graph.nodes.values()
        }  # fmt: skip
        element = BsdfWriter(nodes, "m").run(f"/m/n/{done.graph.outputs['surface'].node}")
        element.set("version", "3.0.0")
        assert mi.load_string(xml.to_bytes(element).decode()) is not None
        seen.add(done.graph.nodes[done.graph.outputs["surface"].node].kind)
    assert len(seen) >= 2 or pack == "mitsuba"


def _type(packs, kind: str, port: str) -> str:
    found = packs.get("mitsuba").parameter(kind, port)
    return found.type if found is not None else "any"


def test_of_two_environments_one_is_written_and_the_other_told(packs, tmp_path) -> None:
    file = tmp_path / "two.usda"
    file.write_text(
        '#usda 1.0\n(\n    upAxis = "Y"\n    metersPerUnit = 1\n)\ndef DomeLight "One"\n{\n}\ndef DomeLight "Two"\n{\n}\n'
        'def Material "M"\n{\n    token outputs:surface.connect = </M/s.outputs:surface>\n    def Shader "s"\n    {\n'
        '        uniform token info:id = "UsdPreviewSurface"\n        token outputs:surface\n    }\n}\n'
    )
    done = start(file, packs, "mitsuba").carry(tmp_path / "out.xml")
    assert any("takes one environment" in remark for remark in done.remarks)
    assert mi.load_file(str(tmp_path / "out.xml")).environment() is not None


@pytest.mark.parametrize(
    ("before", "after"),
    [
        (r'(<float name="fov" value=")[\d.]+', r"\g<1>12.5"), (r'(<rgb name="radiance" value=")[^"]+', r"\g<1>77, 77, 77"),
        (r'(<sensor.*?<matrix value="(?:\S+ ){3})\S+', r"\g<1>123"),
        (r'(<float name="alpha" value=")[\d.]+', r"\g<1>0.987"), (r'(<float name="int_ior" value=")[\d.]+', r"\g<1>1.987"),
    ],
)  # fmt: skip
def test_what_is_not_as_it_was_meant_is_found(carried, packs, tmp_path, before, after) -> None:
    session, done = carried
    meant = compose(session.plan, packs, beside(done.file))
    assert list(differences(meant, read_back(done.file))) == []
    text = done.file.read_text(encoding="utf-8")
    other, count = re.subn(before, after, text, count=1, flags=re.DOTALL)
    assert count == 1
    spoilt = done.file.with_name("spoilt.xml")
    spoilt.write_text(other, encoding="utf-8")
    assert list(differences(meant, read_back(spoilt)))


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("edges", [2, 3, 5])
def test_paths_end_where_mitsubas_end(edges, packs, tmp_path) -> None:
    """A pale closed room, which every bounce more makes brighter by far: the stand-in and Mitsuba on the same file."""
    file = tmp_path / "room.xml"
    file.write_text(
        f'{HEAD}<integrator type="path"><integer name="max_depth" value="{edges}"/></integrator>'
        '<sensor type="perspective" id="eye"><float name="fov" value="60"/>'
        '<transform name="to_world"><lookat origin="0,0,0.9" target="0,0,0" up="0,1,0"/></transform>'
        '<film type="hdrfilm"><integer name="width" value="16"/><integer name="height" value="16"/></film></sensor>'
        '<bsdf type="twosided" id="pale"><bsdf type="diffuse"><rgb name="reflectance" value="0.85, 0.85, 0.85"/></bsdf></bsdf>'
        '<bsdf type="diffuse" id="black"><rgb name="reflectance" value="0, 0, 0"/></bsdf><shape type="cube" id="room"><ref id="pale"/></shape>'
        '<shape type="sphere" id="lamp"><point name="center" x="0.6" y="0.6" z="0.75"/><float name="radius" value="0.2"/><ref id="black"/>'
        '<emitter type="area"><rgb name="radiance" value="20, 20, 20"/></emitter></shape></scene>',
        encoding="utf-8",
    )
    scene = open_scene(file, packs)
    eye = next(scene.of(Kind.CAMERA)).id
    staged = staging.stage(scene, read_shapes(file), scene.own, packs, eye, (16, 16))
    film = staged.film()
    assert renderer.expose(staged.built, staged.camera, film, 1024, staged.sampling.bounces)
    theirs = outside.render(file, 1024).picture
    assert film.picture.mean() == pytest.approx(theirs.mean(), rel=0.02)


def test_parts_of_a_render_say_how_sure_it_is(tmp_path) -> None:
    """Of noise of a known size; pixels that are no numbers count for nothing, and one part says nothing yet."""
    r, sigma = np.random.default_rng(3), 0.5
    parts, sizes = scene_worker._Parts(60, 80), (1, 2, 4, 8, 16, 16, 16)
    for number, samples in enumerate(sizes):
        found = np.repeat(2.0 + sigma * r.standard_normal((60, 80, 1)) / np.sqrt(samples), 3, axis=2)
        found[0, 0, 1] = np.nan
        parts.add(found, samples)
        parts.save(tmp_path / "picture.npz", {})
        picture, bad, variance = outside._picture(tmp_path / "picture.npz")
        assert bad == number + 1 and (variance is None) == (number < 1)
    assert picture[1:].mean() == pytest.approx(2.0, abs=0.01) and picture[0, 0].tolist() == [0.0, 0.0, 0.0]
    assert variance is not None and variance[1:].mean() == pytest.approx(sigma**2 / sum(sizes), rel=0.05)
    assert variance[1:].mean() == pytest.approx(picture[1:, :, 1].var(), rel=0.1)
