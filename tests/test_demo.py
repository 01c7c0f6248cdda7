"""The demo scenes: built by their scripts, the same bytes each time, small, and free of what they must not hold."""

from __future__ import annotations

import hashlib
import subprocess
import sys
from pathlib import Path

import OpenImageIO as oiio
import pytest
from pxr import Usd, UsdGeom

ROOT = Path(__file__).parent.parent
SCENES = ("lamproom", "boathouse", "oilstore", "foghouse")


def digests(folder: Path) -> dict[str, str]:
    files = [f for f in folder.rglob("*") if f.is_file() and f.suffix != ".md"]
    return {str(f.relative_to(folder)): hashlib.sha256(f.read_bytes()).hexdigest() for f in files}


def build(name: str, folder: Path) -> dict[str, str]:
    script = ROOT / "demo" / f"build_{name}.py"
    subprocess.run([sys.executable, str(script), str(folder)], check=True, capture_output=True)
    return digests(folder)


@pytest.mark.parametrize("scene", SCENES)
def test_the_script_gives_the_same_bytes_and_the_committed_scene(tmp_path, scene: str) -> None:
    kept_in = ROOT / "demo" / scene
    first, second = build(scene, tmp_path / "one"), build(scene, tmp_path / "two")
    assert first == second and set(first) == set(digests(kept_in))
    # Another processor may round a last bit otherwise, so the committed pictures are compared by what they show.
    for name in (name for name in first if name.endswith((".png", ".exr"))):
        fresh, kept = (oiio.ImageBuf(str(folder / name)) for folder in (tmp_path / "one", kept_in))
        assert oiio.ImageBufAlgo.compare(fresh, kept, 0.01, 0.01).meanerror < 1e-3, name
    for name in (name for name in first if name.endswith((".usda", ".ies"))):
        assert (tmp_path / "one" / name).read_text() == (kept_in / name).read_text()


@pytest.mark.parametrize(("scene", "pictures"), [("lamproom", 14), ("boathouse", 4), ("oilstore", 10), ("foghouse", 6)])
def test_it_is_small(scene: str, pictures: int) -> None:
    folder = ROOT / "demo" / scene
    assert sum(f.stat().st_size for f in folder.rglob("*") if f.is_file()) < 15_000_000
    assert len(list((folder / "textures").iterdir())) >= pictures


@pytest.mark.parametrize(("scene", "least"), [("lamproom", 30), ("boathouse", 10), ("oilstore", 30), ("foghouse", 18)])
def test_its_meshes_are_sound(scene: str, least: int) -> None:
    stage = Usd.Stage.Open(str(ROOT / "demo" / scene / f"{scene}.usda"))
    meshes = [UsdGeom.Mesh(prim) for prim in stage.Traverse() if prim.IsA(UsdGeom.Mesh)]
    assert len(meshes) > least
    for mesh in meshes:
        points, corners = mesh.GetPointsAttr().Get(), mesh.GetFaceVertexIndicesAttr().Get()
        assert sum(mesh.GetFaceVertexCountsAttr().Get()) == len(corners) and max(corners) < len(points)
        assert len(UsdGeom.PrimvarsAPI(mesh).GetPrimvar("st").Get()) == len(points)


@pytest.mark.slow
def test_the_command_line_example_runs_without_a_display(tmp_path, kernels: None) -> None:
    import os

    env = {key: value for key, value in os.environ.items() if key not in ("DISPLAY", "WAYLAND_DISPLAY")}
    code = f"import runpy, sys, pathlib; sys.path.insert(0, 'demo'); import run; run.OUT = pathlib.Path({str(tmp_path)!r}); run.main()"
    done = subprocess.run([sys.executable, "-c", code], cwd=ROOT, env=env, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert "The results are in" in done.stdout
    assert {f.name for f in tmp_path.iterdir()} == {
        "copies", "moved", "lamproom.durvan", "lamproom.html", "lamproom.json", "lamproom_alone.usdc", "lamproom_alone_maps",
        "lamproom_pellune.usda", "lamproom_pellune_maps", "lamproom_alone.usdc.manifest.json", "lamproom_pellune.usda.manifest.json", "view_orvik.png", "view_pellune.png",
    }  # fmt: skip


def test_the_documents_link_to_what_is_there() -> None:
    import re

    for document in [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)\)", document.read_text(encoding="utf-8")):
            assert (document.parent / target).exists(), f"{document.name}: {target}"
