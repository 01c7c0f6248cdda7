"""Curves, and what meshes carry for their corners, as a renderer takes them."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from durvan.formats.usd.shapes import read_shapes
from making import write

HEAD = '#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\n'


def curves(body: str) -> str:
    return HEAD + f'def BasisCurves "hair"\n{{\n{body}\n}}\n'


def test_straight_curves_become_tubes_in_metres(tmp_path: Path) -> None:
    text = curves(
        """    uniform token type = "linear"
    int[] curveVertexCounts = [2, 3]
    point3f[] points = [(0, 0, 0), (0, 100, 0), (50, 0, 0), (50, 50, 0), (50, 100, 0)]
    float[] widths = [2, 4] ( interpolation = "uniform" )"""
    )
    found = read_shapes(write(tmp_path, text))
    (mesh,) = found.meshes
    assert mesh.points[:, 1].max() == pytest.approx(1.0) and mesh.points[:, 0].max() == pytest.approx(0.52)
    first = mesh.points[np.abs(mesh.points[:, 0]) < 0.1]
    assert np.linalg.norm(first[:, [0, 2]], axis=1) == pytest.approx(0.01)
    assert len(mesh.triangles) == 3 * 4 * 2 and not found.notes


@pytest.mark.parametrize("basis", ["bezier", "bspline", "catmullRom"])
def test_cubic_curves_run_through_where_they_should(tmp_path: Path, basis: str) -> None:
    text = curves(
        f"""    uniform token type = "cubic"
    uniform token basis = "{basis}"
    int[] curveVertexCounts = [4]
    point3f[] points = [(0, 0, 0), (0, 10, 0), (0, 20, 0), (0, 30, 0)]
    float[] widths = [0.2, 0.2, 0.2, 0.2] ( interpolation = "vertex" )"""
    )
    (mesh,) = read_shapes(write(tmp_path, text)).meshes
    low, high = {"bezier": (0.0, 0.3), "bspline": (0.1, 0.2), "catmullRom": (0.1, 0.2)}[basis]
    assert (mesh.points[:, 1].min(), mesh.points[:, 1].max()) == (
        pytest.approx(low, abs=1e-6),
        pytest.approx(high, abs=1e-6),
    )
    assert np.linalg.norm(mesh.points[:, [0, 2]], axis=1) == pytest.approx(0.001)


def test_curves_that_do_not_fit_their_points_are_told(tmp_path: Path) -> None:
    text = curves("    int[] curveVertexCounts = [7]\n    point3f[] points = [(0, 0, 0)]")
    found = read_shapes(write(tmp_path, text))
    assert not found.meshes and any("do not fit" in note for note in found.notes)


def test_closed_curves_are_told(tmp_path: Path) -> None:
    text = curves(
        """    uniform token type = "linear"
    uniform token wrap = "periodic"
    int[] curveVertexCounts = [3]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0)]"""
    )
    found = read_shapes(write(tmp_path, text))
    assert len(found.meshes) == 1 and any("shown open" in note for note in found.notes)


MESH = """def Mesh "sheet"
{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
    texCoord2f[] primvars:st = [(0, 0), (1, 0), (1, 1), (0, 1)] ( interpolation = "vertex" )
    texCoord2f[] primvars:second = [(0.5, 0.5)] ( interpolation = "constant" )
    color3f[] primvars:rust = [(1, 0, 0), (0, 1, 0), (0, 0, 1), (1, 1, 1)] ( interpolation = "faceVarying" )
    float[] primvars:wear = [0.25] ( interpolation = "uniform" )
    string[] primvars:label = ["a"]
    color3f[] primvars:short = [(1, 0, 0)] ( interpolation = "vertex" )
    ORIENTATION
}
"""


@pytest.mark.parametrize("hand", ["rightHanded", "leftHanded"])
def test_meshes_carry_uvs_and_colours_by_name(tmp_path: Path, hand: str) -> None:
    text = HEAD + MESH.replace("ORIENTATION", f'uniform token orientation = "{hand}"')
    (mesh,) = read_shapes(write(tmp_path, text)).meshes
    assert set(mesh.more) == {"st", "second", "rust", "wear"}
    assert mesh.more["second"].shape == (2, 3, 2) and mesh.more["wear"].shape == (2, 3, 1)
    corner = np.argwhere(mesh.triangles == 1)[0]
    assert mesh.more["rust"][tuple(corner)] == pytest.approx([0.0, 1.0, 0.0])
    assert mesh.more["st"] == pytest.approx(mesh.uvs)
