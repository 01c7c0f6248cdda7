"""What a stage looks like to a renderer: triangles, corners, materials, instances, and bad meshes."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from durvan.formats import pictures
from durvan.formats.usd.shapes import read_shapes

HEAD = '#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\n'


def read(tmp_path: Path, text: str):
    file = tmp_path / "s.usda"
    file.write_text(HEAD + text)
    return read_shapes(file)


SQUARE = """
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, 0, 0), (100, 0, 0), (100, 100, 0), (0, 100, 0)]
    texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] ( interpolation = "vertex" )
"""


def test_a_square_in_metres(tmp_path: Path) -> None:
    found = read(
        tmp_path,
        f'def Mesh "M" {{ uniform token subdivisionScheme = "none"\n {SQUARE} double3 xformOp:translate = (0, 0, 50)\n uniform token[] xformOpOrder = ["xformOp:translate"]\n}}',
    )
    (mesh,) = found.meshes
    assert mesh.points.max(axis=0) == pytest.approx([1.0, 1.0, 0.5]) and mesh.triangles.tolist() == [
        [0, 1, 2],
        [0, 2, 3],
    ]
    assert mesh.uvs[1].tolist() == [[0, 0], [1, 1], [0, 1]] and mesh.normals is None
    assert found.materials == [""] and found.triangles == 2


def test_subdivided_surfaces_are_smooth_and_mirrored_ones_turned(tmp_path: Path) -> None:
    found = read(
        tmp_path,
        f'def Mesh "M" {{ {SQUARE} float3 xformOp:scale = (-1, 1, 1)\n uniform token[] xformOpOrder = ["xformOp:scale"]\n}}',
    )
    (mesh,) = found.meshes
    assert mesh.normals == pytest.approx(np.tile([0.0, 0.0, 1.0], (2, 3, 1)))
    a, b, c = mesh.points[mesh.triangles[0]]
    assert np.cross(b - a, c - a)[2] > 0.0


def test_parts_of_a_mesh_have_their_own_materials(tmp_path: Path) -> None:
    text = f"""
def Material "A" {{}}
def Material "B" {{}}
def Mesh "M" ( prepend apiSchemas = ["MaterialBindingAPI"] ) {{
    {SQUARE.replace("[4]", "[3, 3]").replace("[0, 1, 2, 3]", "[0, 1, 2, 0, 2, 3]")}
    rel material:binding = </A>
    def GeomSubset "part" ( prepend apiSchemas = ["MaterialBindingAPI"] ) {{
        uniform token elementType = "face"
        uniform token familyName = "materialBind"
        int[] indices = [1, 77]
        rel material:binding = </B>
    }}
}}"""
    found = read(tmp_path, text)
    assert [found.materials[m] for m in found.meshes[0].material] == ["/A", "/B"]


@pytest.mark.parametrize("kind", ["Sphere", "Cube", "Cylinder", "Cone", "Capsule", "Plane"])
def test_solids_are_closed_and_face_outwards(tmp_path: Path, kind: str) -> None:
    (mesh,) = read(tmp_path, f'def {kind} "S" {{}}').meshes
    p = mesh.points[mesh.triangles]
    flat = np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0])
    if kind != "Plane":
        assert (np.einsum("ij,ij->i", flat, p.mean(axis=1)) > 0.0).mean() > 0.99
        assert np.abs(flat.sum(axis=0)).max() < 1e-6 * np.abs(flat).sum()
    if mesh.normals is not None:
        assert (np.einsum("ij,ij->i", mesh.normals.mean(axis=1), flat) > 0.0).all()


def test_copies_stand_where_they_should(tmp_path: Path) -> None:
    text = f"""
def PointInstancer "Many" {{
    int[] protoIndices = [0, 0]
    point3f[] positions = [(0, 0, 0), (1000, 0, 0)]
    rel prototypes = [ </Many/One> ]
    def Xform "One" {{ def Mesh "M" {{ uniform token subdivisionScheme = "none"\n {SQUARE} }}
    }}
}}
def Xform "Shared" (
    instanceable = true
    prepend references = </Many/One>
) {{}}"""
    found = read(tmp_path, text)
    assert sorted(mesh.points[:, 0].max() for mesh in found.meshes) == pytest.approx([1.0, 1.0, 11.0])


def test_what_cannot_be_seen_is_not_there(tmp_path: Path) -> None:
    text = f'def Mesh "A" {{ {SQUARE} token visibility = "invisible"\n}}\ndef Mesh "B" {{ {SQUARE} uniform token purpose = "guide"\n}}'
    assert read(tmp_path, text).meshes == []


def test_bad_meshes_are_said_and_left_out(tmp_path: Path) -> None:
    text = f"""
def Mesh "Torn" {{ {SQUARE.replace("[0, 1, 2, 3]", "[0, 1, 9, 3]")} }}
def Mesh "Lost" {{ {SQUARE.replace("(100, 100, 0)", "(nan, 100, 0)")} }}
def Mesh "Bare" {{}}
def Mesh "Good" {{ {SQUARE.replace("[(0, 0), (1, 0), (1, 1), (0, 1)]", "[(0, 0)]")} }}"""
    found = read(tmp_path, text)
    said = " ".join(found.notes)
    assert "/Torn: its faces do not fit" in said and "/Lost: 2 triangles have points that are no numbers" in said
    assert [mesh.path for mesh in found.meshes] == ["/Good"] and found.meshes[0].uvs is None


def test_pictures_are_decoded_and_written(tmp_path: Path) -> None:
    half = np.full((2, 2, 3), 0.5, dtype=np.float32)
    pictures.save(tmp_path / "a.png", half)
    assert pictures.pixels(str(tmp_path / "a.png"), "srgb")[0, 0] == pytest.approx(
        [0.2159, 0.2159, 0.2159, 1.0], abs=2e-3
    )
    assert pictures.pixels(str(tmp_path / "a.png"), 1.0)[0, 0, 0] == pytest.approx(0.5, abs=2e-3)
    assert pictures.pixels(str(tmp_path / "a.png"), "auto")[0, 0, 0] == pytest.approx(0.2159, abs=2e-3)
    assert pictures.pixels(str(tmp_path / "a.png"), 1.8)[0, 0, 0] == pytest.approx(0.5**1.8, abs=4e-3)
    broken = np.array([[[np.nan, np.inf, -np.inf]]], dtype=np.float32)
    pictures.save(tmp_path / "b.exr", broken)
    assert np.isfinite(pictures.pixels(str(tmp_path / "b.exr"), 1.0)).all()
    wide = np.zeros((4, 300, 3), dtype=np.float32)
    pictures.save(tmp_path / "c.exr", wide)
    assert pictures.pixels(str(tmp_path / "c.exr"), 1.0, most=100).shape == (1, 100, 4)
    assert pictures.pixels(str(tmp_path / "absent.png"), 1.0) is None
    (tmp_path / "d.png").write_text("no picture")
    assert pictures.pixels(str(tmp_path / "d.png"), 1.0) is None
    with pytest.raises(OSError, match="nowhere"):
        pictures.save(tmp_path / "nowhere" / "e.png", half)
