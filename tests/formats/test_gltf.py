"""glTF files: read with all that they may hold, written so that they read as they were meant, refused with the place where they are wrong."""

from __future__ import annotations

import base64
import copy
import json
import struct
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.crossing.exchange.compose import compose
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import start
from durvan.errors import SceneFileError
from durvan.formats import pictures
from durvan.formats.gltf.container import read_asset
from durvan.formats.gltf.geometry import apart, quaternion_of
from durvan.formats.gltf.meshes import read_bodies
from durvan.formats.gltf.port import shapes as read_shapes
from durvan.formats.gltf.readback import read_back
from durvan.formats.gltf.reading import read_gltf
from durvan.formats.table import named
from durvan.scene.fate import Fate
from durvan.scene.model import Kind
from durvan.scene.written import differences
from making import beside

POINTS = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]], dtype="<f4")
INDEX = np.array([0, 1, 2, 0, 2, 3], dtype="<u2")
DATA = POINTS.tobytes() + INDEX.tobytes()
URI = "data:application/octet-stream;base64," + base64.b64encode(DATA).decode()


def document(**more: Any) -> dict[str, Any]:
    """A square that wears a material, shown by a node in a node."""
    return {
        "asset": {"version": "2.0"}, "scene": 0, "scenes": [{"nodes": [0]}],
        "nodes": [{"name": "stand", "translation": [1, 2, 3], "children": [1]}, {"name": "square", "mesh": 0, "scale": [2, 2, 2]}],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "indices": 1, "material": 0}]}],
        "materials": [{"name": "paint", "pbrMetallicRoughness": {"baseColorFactor": [0.2, 0.4, 0.6, 1], "roughnessFactor": 0.25, "metallicFactor": 0}}],
        "accessors": [
            {"bufferView": 0, "componentType": 5126, "count": 4, "type": "VEC3", "min": [0, 0, 0], "max": [1, 1, 0]},
            {"bufferView": 1, "componentType": 5123, "count": 6, "type": "SCALAR"},
        ],
        "bufferViews": [{"buffer": 0, "byteLength": 48}, {"buffer": 0, "byteOffset": 48, "byteLength": 12}],
        "buffers": [{"byteLength": 60, "uri": URI}],
    } | more  # fmt: skip


def put(folder: Path, said: dict[str, Any], name: str = "it.gltf") -> Path:
    (folder / name).write_text(json.dumps(said), encoding="utf-8")
    return folder / name


def glb(said: dict[str, Any], data: bytes) -> bytes:
    text = json.dumps(said).encode()
    text += b" " * (-len(text) % 4)
    data += b"\0" * (-len(data) % 4)
    chunks = struct.pack("<II", len(text), 0x4E4F534A) + text + struct.pack("<II", len(data), 0x004E4942) + data
    return struct.pack("<III", 0x46546C67, 2, 12 + len(chunks)) + chunks


def test_a_file_is_read_with_its_bodies_and_materials(tmp_path, packs) -> None:
    file = put(tmp_path, document())
    scene = open_scene(file, packs)
    (thing,) = scene.of(Kind.MATERIAL)
    assert scene.dialect == "gltf" and thing.used_by == 1 and thing.name == "paint"
    assert thing.root.values["base_color"] == (0.2, 0.4, 0.6) and thing.root.values["roughness"] == 0.25
    (mesh,) = read_shapes(file, lambda step: None).meshes
    assert mesh.points.min(axis=0) == pytest.approx((1, 2, 3)) and mesh.points.max(axis=0) == pytest.approx((3, 4, 3))
    binary = tmp_path / "it.glb"
    inside = document()
    del inside["buffers"][0]["uri"]
    binary.write_bytes(glb(inside, DATA))
    assert read_shapes(binary, lambda step: None).meshes[0].points == pytest.approx(mesh.points)


def test_sparse_entries_stand_in_their_places(tmp_path) -> None:
    said = document()
    extra = np.array([2], "<u2").tobytes() + b"\0\0" + np.array([[5, 6, 7]], "<f4").tobytes()
    said["buffers"].append({"byteLength": len(extra), "uri": "data:;base64," + base64.b64encode(extra).decode()})
    said["bufferViews"] += [{"buffer": 1, "byteLength": 2}, {"buffer": 1, "byteOffset": 4, "byteLength": 12}]
    said["accessors"][0]["sparse"] = {
        "count": 1, "indices": {"bufferView": 2, "componentType": 5123}, "values": {"bufferView": 3},
    }  # fmt: skip
    (form,) = read_bodies(put(tmp_path, said)).forms
    assert form.points[2] == pytest.approx((5, 6, 7)) and form.points[1] == pytest.approx((1, 0, 0))


def test_lights_cameras_and_instances_stand_where_they_should(tmp_path, packs) -> None:
    shifts = np.array([[0, 0, 0], [4, 0, 0], [8, 0, 0]], "<f4").tobytes()
    said = document(
        extensions={"KHR_lights_punctual": {"lights": [{"type": "spot", "intensity": 50, "color": [1, 0.5, 0.25], "spot": {"outerConeAngle": 0.5}}]}},
        cameras=[{"type": "perspective", "perspective": {"yfov": 0.8, "znear": 0.1}}],
    )  # fmt: skip
    said["nodes"] += [
        {"name": "lamp", "translation": [0, 5, 0], "extensions": {"KHR_lights_punctual": {"light": 0}}},
        {"name": "eye", "translation": [0, 1, 9], "camera": 0},
        {"name": "row", "mesh": 0, "extensions": {"EXT_mesh_gpu_instancing": {"attributes": {"TRANSLATION": 2}}}},
    ]
    said["scenes"][0]["nodes"] += [2, 3, 4]
    said["accessors"].append({"bufferView": 2, "componentType": 5126, "count": 3, "type": "VEC3"})
    said["bufferViews"].append({"buffer": 1, "byteLength": 36})
    said["buffers"].append({"byteLength": 36, "uri": "data:;base64," + base64.b64encode(shifts).decode()})
    file = put(tmp_path, said)
    scene = open_scene(file, packs)
    (lamp,), (eye,) = scene.of(Kind.LIGHT), scene.of(Kind.CAMERA)
    assert lamp.root.values["intensity"] == 50 and eye.root.values["yfov"] == 0.8
    shapes = read_shapes(file, lambda step: None)
    assert shapes.places[lamp.id][3, :3] == pytest.approx((0, 5, 0)) and len(shapes.meshes) == 4
    assert sorted(mesh.points[:, 0].min() for mesh in shapes.meshes) == pytest.approx([0, 1, 4, 8])
    for target, name in (("openpbr", "out.usda"), ("mitsuba", "out.xml")):
        start(file, packs, target).carry(tmp_path / name)
        again = named("USD" if name.endswith("usda") else "Mitsuba").port().shapes(tmp_path / name, lambda step: None)
        assert sorted(mesh.points[:, 0].min() for mesh in again.meshes) == pytest.approx([0, 1, 4, 8])
        (there,) = [matrix for path, matrix in again.places.items() if path.endswith("eye")]
        assert there[3, :3] == pytest.approx((0, 1, 9)) and there[2, :3] == pytest.approx((0, 0, 1), abs=1e-6)


@pytest.fixture
def mapped(tmp_path) -> Path:
    """A material whose roughness and metalness stand in one picture, of which every value of eight bits is there."""
    ramp = np.arange(256, dtype=np.uint8).reshape(16, 16)
    both = np.stack([np.zeros_like(ramp), ramp, ramp[::-1]], axis=2)
    pictures.save(tmp_path / "orm.png", both)
    said = document(
        images=[{"uri": "orm.png"}], textures=[{"source": 0, "sampler": 0}], samplers=[{"wrapS": 33071, "wrapT": 33648}]
    )
    said["materials"][0]["pbrMetallicRoughness"] = {"metallicRoughnessTexture": {"index": 0}, "roughnessFactor": 0.5}
    said["materials"][0]["extensions"] = {"ACME_unheard_of": {"shine": [1, 2, 3]}}
    said["materials"][0]["extras"] = {"note": "kept"}
    said["extensionsUsed"] = ["ACME_unheard_of"]
    return put(tmp_path, said)


def test_pictures_in_one_are_taken_apart_and_put_together_exactly(mapped, packs, tmp_path) -> None:
    start(mapped, packs, "openpbr").carry(tmp_path / "out.usda")
    start(tmp_path / "out.usda", packs, "gltf").carry(tmp_path / "back.gltf")
    said = json.loads((tmp_path / "back.gltf").read_text())
    one = said["materials"][0]["pbrMetallicRoughness"]
    assert one["roughnessFactor"] == pytest.approx(0.5) and one.get("metallicFactor", 1) == 1
    image = said["images"][said["textures"][one["metallicRoughnessTexture"]["index"]]["source"]]["uri"]
    back = _pixels(tmp_path / image)
    there = _pixels(tmp_path / "orm.png")
    assert back[..., 1].astype(int).tolist() == there[..., 1].astype(int).tolist()
    assert back[..., 2].astype(int).tolist() == there[..., 2].astype(int).tolist()


def _pixels(file: Path) -> np.ndarray:
    import OpenImageIO as oiio

    return oiio.ImageBuf(str(file)).get_pixels(oiio.UINT8)


def test_a_file_carried_to_itself_keeps_what_nobody_knows(mapped, packs, tmp_path) -> None:
    session = start(mapped, packs, "gltf")
    session.carry(tmp_path / "copy.gltf")
    before, after = (json.loads((tmp_path / name).read_text()) for name in ("it.gltf", "copy.gltf"))
    assert {row.fate for row in session.plan.ledger} == {Fate.KEPT}
    for name in ("materials", "nodes", "meshes", "accessors", "samplers", "textures", "extensionsUsed"):
        assert after[name] == before[name], name
    (mesh,), (other,) = (read_shapes(tmp_path / name, lambda step: None).meshes for name in ("it.gltf", "copy.gltf"))
    assert mesh.points == pytest.approx(other.points)
    session.put(session.scene.own[0].id, "surface", "roughness", 0.75)
    session.carry(tmp_path / "copy.gltf")
    changed = json.loads((tmp_path / "copy.gltf").read_text())
    assert changed["materials"][0]["pbrMetallicRoughness"]["roughnessFactor"] == 0.75
    assert changed["materials"][0]["extensions"] == before["materials"][0]["extensions"]


@given(st.integers(0, 2**32 - 1), st.booleans())
def test_a_matrix_comes_apart_and_together(seed, mirrored) -> None:
    rng = np.random.default_rng(seed)
    turn = np.linalg.qr(rng.normal(size=(3, 3)))[0]
    turn *= np.sign(np.linalg.det(turn))
    scale = rng.uniform(0.1, 3.0, 3) * np.array([-1.0 if mirrored else 1.0, 1.0, 1.0])
    matrix = np.eye(4)
    matrix[:3, :3], matrix[3, :3] = np.diag(scale) @ turn, rng.normal(size=3)
    shift, found, size = apart(matrix)
    x, y, z, w = quaternion_of(found)
    columns = np.array([
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ])  # fmt: skip
    assert shift == pytest.approx(matrix[3, :3]) and np.diag(size) @ columns.T == pytest.approx(
        matrix[:3, :3], abs=1e-9
    )


def test_a_demo_set_goes_to_gltf_and_back_with_its_shapes(lamproom, packs, tmp_path) -> None:
    session = start(lamproom, packs, "gltf")
    done = session.carry(tmp_path / "set.glb")
    assert done.checked > 100 and read_asset(tmp_path / "set.glb").document["asset"]["version"] == "2.0"
    theirs = named("USD").port().shapes(lamproom, lambda step: None)
    ours = read_shapes(tmp_path / "set.glb", lambda step: None)
    mine, other = (np.concatenate([m.points[m.triangles].reshape(-1, 3) for m in s.meshes]) for s in (ours, theirs))
    assert mine.min(axis=0) == pytest.approx(other.min(axis=0), abs=1e-4)
    assert mine.max(axis=0) == pytest.approx(other.max(axis=0), abs=1e-4)
    assert ours.triangles == theirs.triangles


@pytest.mark.parametrize(
    ("change", "is_found"),
    [
        (lambda said: None, False), (lambda said: said["cameras"][0]["perspective"].update(yfov=0.123), True),
        (lambda said: said["extensions"]["KHR_lights_punctual"]["lights"][0].update(intensity=12345.0), True),
        (lambda said: _named(said, "GalleryCamera").update(translation=[9, 9, 9]), True),
        (lambda said: _named(said, "GalleryCamera").update(rotation=[0, 1, 0, 0]), True),
        (lambda said: said["materials"][0]["pbrMetallicRoughness"].update(metallicFactor=0.321), True),
    ],
)  # fmt: skip
def test_what_is_not_as_it_was_meant_is_found(lamproom, packs, tmp_path_factory, change, is_found) -> None:
    session, file = _demo(lamproom, packs, tmp_path_factory)
    said = json.loads(file.read_text(encoding="utf-8"))
    change(said)
    other = file.with_name("spoilt.gltf")
    other.write_text(json.dumps(said), encoding="utf-8")
    meant = compose(session.plan, packs, beside(file))
    assert bool(list(differences(meant, read_back(other)))) == is_found


_CARRIED: list[Any] = []


def _demo(lamproom: Path, packs, tmp_path_factory) -> Any:
    if not _CARRIED:
        session = start(lamproom, packs, "gltf")
        _CARRIED.append((session, session.carry(tmp_path_factory.mktemp("gltf") / "set.gltf").file))
    return _CARRIED[0]


def _named(said: dict[str, Any], name: str) -> dict[str, Any]:
    return next(one for one in said["nodes"] if one.get("name") == name and "camera" in one)


# what is wrong


def _with(path: str, value: Any) -> dict[str, Any]:
    said = copy.deepcopy(document())
    at: Any = said
    *steps, last = [int(part) if part.isdigit() else part for part in path.split("/")]
    for step in steps:
        at = at[step]
    if value is None:
        del at[last]
    else:
        at[last] = value
    return said


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("", "empty"), ("{", "not JSON"), ("[]", "no object"), ("{}", "no version"), ('{"asset": {"version": "1.0"}}', "glTF 1.0"),
        ("[" * 100_000, "nested too deep"), ('{"asset": {"version": "2.0"}, "nodes": 3}', "no list"),
    ],
)  # fmt: skip
def test_a_file_that_is_none_is_refused(tmp_path, packs, text, said) -> None:
    (tmp_path / "bad.gltf").write_text(text)
    with pytest.raises(SceneFileError, match=said):
        open_scene(tmp_path / "bad.gltf", packs)


@pytest.mark.parametrize(
    ("change", "said"),
    [
        (lambda b: b[:10], "cut off"), (lambda b: b[:60], "cut off"), (lambda b: b[:4] + struct.pack("<I", 1) + b[8:], "binary glTF 1"),
        (lambda b: b[:12] + struct.pack("<I", 2**31) + b[16:], "has a chunk of"), (lambda b: b[:16] + b"XXXX" + b[20:], "JSON"),
    ],
)  # fmt: skip
def test_a_binary_file_with_wrong_lengths_is_refused(tmp_path, packs, change, said) -> None:
    inside = document()
    del inside["buffers"][0]["uri"]
    (tmp_path / "bad.glb").write_bytes(change(glb(inside, DATA)))
    with pytest.raises(SceneFileError, match=said):
        open_scene(tmp_path / "bad.glb", packs)


@pytest.mark.parametrize(
    ("path", "value"),
    [
        ("buffers/0/uri", "data:;base64,!!!"), ("buffers/0/uri", "none.bin"), ("buffers/0/uri", "https://host/x.bin"),
        ("buffers/0/uri", "../../x.bin"), ("buffers/0/byteLength", 10_000), ("bufferViews/0/byteLength", 48_000),
        ("bufferViews/0/byteOffset", -4), ("accessors/0/count", 10**9), ("accessors/0/count", -1), ("accessors/0/componentType", 7),
        ("accessors/0/type", "VEC9"), ("accessors/0/bufferView", 9), ("accessors/1/count", 5), ("accessors/0/byteOffset", "x"),
        ("meshes/0/primitives/0/indices", 99), ("meshes/0/primitives/0/attributes", {}), ("meshes/0/primitives", 3),
        ("nodes/1/scale", ["a", 1, 1]), ("nodes/0/children", [0]), ("nodes/1/mesh", 7), ("meshes/0/primitives/0/mode", 0),
    ],
)  # fmt: skip
def test_what_is_wrong_in_a_mesh_is_said_and_the_materials_are_read(tmp_path, packs, path, value) -> None:
    file = put(tmp_path, _with(path, value))
    session = start(file, packs, "openpbr")
    assert [thing.name for thing in session.scene.of(Kind.MATERIAL)] == ["paint"]
    bodies = read_bodies(file)
    shown = sum(len(form.triangles) for form in bodies.forms)
    if path == "accessors/1/count":  # what is left over of two corners is no triangle
        assert shown == 1
    else:
        assert bodies.lost or session.scene.oddities
    session.carry(tmp_path / "out.usda")


@given(st.data())
def test_whatever_is_changed_in_a_file_ends_in_a_scene_or_a_refusal(data) -> None:
    said = document(
        extensions={"KHR_lights_punctual": {"lights": [{"type": "spot", "spot": {}}]}}, cameras=[{"type": "perspective", "perspective": {"yfov": 1}}],
        images=[{"uri": "a.png"}], textures=[{"source": 0}],
    )  # fmt: skip
    said["materials"][0]["normalTexture"] = {"index": 0, "scale": 2}
    said["nodes"].append({"camera": 0, "extensions": {"KHR_lights_punctual": {"light": 0}}})
    odd = st.sampled_from(
        [None, -1, 10**9, 1.5, "text", [], {}, [1, 2], {"index": 5}, True, float("nan"), "data:;base64,AAAA"]
    )
    for _ in range(data.draw(st.integers(1, 3))):
        at: Any = said
        while isinstance(at, dict | list) and at:
            keys = list(at) if isinstance(at, dict) else list(range(len(at)))
            key = data.draw(st.sampled_from(keys))
            if not isinstance(at[key], dict | list) or not at[key] or data.draw(st.booleans()):
                at[key] = copy.deepcopy(data.draw(odd))
                break
            at = at[key]
    with tempfile.TemporaryDirectory() as folder:
        file = put(Path(folder), said)
        try:
            raw = read_gltf(file)
            read_bodies(file)
        except SceneFileError as problem:
            assert "it.gltf" in str(problem)
            return
    assert all(thing.path for thing in raw.things)
