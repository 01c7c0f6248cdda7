"""The commands that look: pictures, tables, and clear words when something is asked that cannot be."""

from __future__ import annotations

import json
import re
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from typer.testing import CliRunner

from durvan.cli.main import app
from durvan.engine import swatches
from durvan.errors import DurvanError, MisuseError, RenderingError
from durvan.formats.layers import open_layers
from durvan.proof.reading import open_picture
from making import NOISY, small, write

CAMERA = 'def Camera "Eye"\n{\n}\n'

pytestmark = pytest.mark.usefixtures("kernels")
runner = CliRunner()


def run(*words: str):
    return runner.invoke(app, list(words))


def test_a_swatch_is_written(lamproom: Path, tmp_path: Path) -> None:
    out = tmp_path / "s.exr"
    done = run("swatch", str(lamproom), "--material", "CeilingPaint", "--out", str(out), "--samples", "8")
    assert done.exit_code == 0, done.output
    spec = oiio.ImageBuf(str(out)).spec()
    assert (spec.width, spec.height, spec.nchannels) == (3 * 96, 2 * 96, 3)
    assert "drift 0.0" in done.output or "drift 0.1" in done.output


@pytest.mark.parametrize("target", [False, True])
def test_a_real_render_of_either_side(tmp_path: Path, target: bool) -> None:
    lit = small().rstrip() + '\ndef DomeLight "Sky"\n{\n    float inputs:intensity = 1\n}\n' + CAMERA
    file, out = write(tmp_path, lit), tmp_path / "r.exr"
    words = (
        "render",
        str(file),
        "--engine",
        "mitsuba",
        "--out",
        str(out),
        "--samples",
        "3",
        "--width",
        "16",
        "--height",
        "9",
    )
    done = run(*words, "--to", "pellune", *(["--target"] if target else []))
    assert done.exit_code == 0, (done.output, done.exception)
    spec = oiio.ImageBuf(str(out)).spec()
    assert (spec.width, spec.height) == (16, 9) and "3 samples a pixel in" in done.output
    assert oiio.ImageBuf(str(out)).get_pixels().mean() > 0.0


def test_mitsuba_renders_each_light_by_itself_for_passes(lamproom: Path, tmp_path: Path) -> None:
    """By the paths of the scene, adding up to the picture, with what the same camera sees first."""
    out = tmp_path / "m.exr"
    words = (
        "render",
        str(lamproom),
        "--engine",
        "mitsuba",
        "--samples",
        "30",
        "--width",
        "32",
        "--height",
        "18",
        "--passes",
    )
    refused = run(*words, "--out", str(tmp_path / "m.png"))
    assert isinstance(refused.exception, MisuseError) and ".exr" in str(refused.exception)
    done = run(*words, "--out", str(out))
    assert done.exit_code == 0, (done.output, done.exception)
    found = open_picture(out).picture
    lights = {f"/LampRoom/Lights/{name}" for name in ("DuskSky", "LowSun", "WorkLamp", "CeilingPanel", "DoorSpill")}
    assert lights <= set(found.lights) and "glow:/LampRoom/Looks/Mantle" in found.lights
    total = sum(read().astype(float) for read in found.lights.values())
    assert total == pytest.approx(found.rgb, rel=1e-3, abs=1e-4 * float(found.rgb.max()))
    assert found.lights["/LampRoom/Lights/DuskSky"]().mean() > 0.1 * found.rgb.mean()
    assert found.materials is not None and "/LampRoom/Looks/RoughPlaster" in found.materials.names
    assert (
        found.objects is not None
        and found.depth is not None
        and found.variance is not None
        and found.variance.mean() > 0.0
    )


def test_a_render_with_its_passes(lamproom: Path, tmp_path: Path) -> None:
    out = tmp_path / "r.exr"
    done = run(
        "render", str(lamproom), "--out", str(out), "--samples", "2", "--width", "32", "--height", "18", "--passes"
    )
    assert done.exit_code == 0, done.output
    layers = open_layers(out).layers
    assert {"", "normal", "depth", "variance", "CryptoMaterial00", "CryptoObject00"} <= set(layers)
    seen = open_picture(out).picture
    assert "/LampRoom/Lights/DuskSky" in seen.lights and seen.materials is not None
    assert "/LampRoom/Looks/RoughPlaster" in seen.materials.names
    assert sum(read() for read in seen.lights.values()) == pytest.approx(seen.rgb, rel=0.01, abs=1e-3)
    assert "kelp_weave is not known" in done.output
    png = tmp_path / "r.png"
    assert (
        run(
            "render",
            str(lamproom),
            "--out",
            str(png),
            "--samples",
            "1",
            "--width",
            "16",
            "--height",
            "9",
            "--target",
            "--camera",
            "GalleryCamera",
        ).exit_code
        == 0
    )
    assert oiio.ImageBuf(str(png)).spec().width == 16


@pytest.mark.parametrize(
    ("words", "problem"),
    [
        (("swatch", "--material", "Nobody", "--out", "s.png"), "no material is called 'Nobody'"),
        (("swatch", "--material", "CeilingPaint", "--out", "s.txt"), "a picture is written as"),
        (("render", "--camera", "Nobody", "--out", "r.png"), "no camera is called 'Nobody'"),
        (("render", "--out", "r.png", "--passes"), "passes are written into an .exr"),
        (("render", "--out", "nowhere/r.png"), "into a folder that exists"),
    ],
)
def test_what_cannot_be_done_is_said(lamproom: Path, tmp_path: Path, monkeypatch, words, problem: str) -> None:
    monkeypatch.chdir(tmp_path)
    done = run(words[0], str(lamproom), *words[1:])
    assert isinstance(done.exception, DurvanError | MisuseError) and problem in str(done.exception)


def test_the_table_of_drifts(lamproom: Path, tmp_path: Path) -> None:
    scope = "/LampRoom/Looks/CeilingPaint,/LampRoom/Looks/DialGlass"
    done = run(
        "drift",
        str(lamproom),
        "--to",
        "pellune",
        "--scope",
        scope,
        "--json",
        "--fit",
        "--save",
        str(tmp_path / "c.durvan"),
    )
    assert done.exit_code == 0, done.output
    found = json.loads(done.stdout)
    assert found["to"] == "pellune" and [row["material"].rpartition("/")[2] for row in found["materials"]] == [
        "DialGlass",
        "CeilingPaint",
    ]
    glass = found["materials"][0]
    assert glass["before_fit"] > 2.0 > 0.5 > glass["drift"] and glass["noise"] <= 0.15
    assert any(note["by"] == "fit" for note in json.loads((tmp_path / "c.durvan").read_text())["notes"])
    told = run("drift", str(lamproom), "--to", "pellune", "--scope", scope)
    assert "DialGlass" in told.stdout and "over the limit of 3" in told.stdout


def test_a_record_shows_both_looks_and_what_was_chosen(call, tmp_path: Path) -> None:
    text = small("float inputs:deep_amount = 0.4")
    file = write(tmp_path, text.replace('def Material "Paint"', CAMERA + 'def Material "Paint"', 1))
    crossing = tmp_path / "c.durvan"
    call("carry", file, "--to", "preview", "--out", tmp_path / "t.usda", "--save", crossing)
    document = json.loads(crossing.read_text())
    document["notes"] = [{"thing": "/W/Paint", "node": "finish", "parameter": "roughness", "value": 0.3, "by": "hand"}]
    crossing.write_text(json.dumps(document))
    call("record", crossing, "--out", tmp_path / "r.html")
    page = (tmp_path / "r.html").read_text(encoding="utf-8")
    assert page.count("data:image/png;base64,") == 4  # both swatches, and the camera's view of both
    assert "roughness is set by hand" in page and "How it looks: 1 material" in page
    data = json.loads((tmp_path / "r.json").read_text(encoding="utf-8"))
    drift = next(thing for thing in data["ledger"] if thing["path"] == "/W/Paint")["drift"]
    assert next(one for one in data["ledger"] if one["path"] == "/W/Paint")["recognised"]["kind"] in page
    assert drift["mean"] > 1.0 and not drift["guessed"] and f"{drift['mean']:.2f}" in page
    call("record", crossing, "--out", tmp_path / "plain.html", "--no-pictures")
    plain = (tmp_path / "plain.html").read_text(encoding="utf-8")
    assert "data:image" not in plain and f"{drift['mean']:.2f}" in plain  # what was measured once is known


def test_where_nothing_can_be_rendered_the_rest_is_said(call, tmp_path: Path, monkeypatch, caplog) -> None:
    """On a processor without the ray tracer a scene is surveyed and recorded all the same, and what is missing is told."""
    from durvan.engine import embree

    def none(*_: object) -> None:
        raise RenderingError("the part that traces rays (embreex) is not installed.")

    monkeypatch.setattr(embree, "build", none)
    monkeypatch.setenv("DURVAN_SWATCHES", str(tmp_path / "none"))
    swatches._reference.cache_clear()
    swatches.inside.cache_clear()
    swatches.places.cache_clear()
    swatches._regions.cache_clear()
    file = write(tmp_path, small("float inputs:deep_amount = 0.4"))
    assert call("survey", file, "--to", "preview")[0] == 0
    assert call("record", file, "--to", "preview", "--out", tmp_path / "r.html")[0] == 0
    assert "data:image" not in (tmp_path / "r.html").read_text(encoding="utf-8")
    assert "Nothing is said of looks" in caplog.text and "The record has no pictures" in caplog.text


def test_one_way_into_measuring(tmp_path: Path, packs) -> None:
    """Noise that is baked by the shapes that wear it: the table of drifts, a swatch and a record say the same, small, number."""
    file = write(tmp_path, NOISY)
    (row,) = json.loads(run("drift", str(file), "--to", "pellune", "--json").output)["materials"]
    assert row["drift"] < 0.8 and not row["caveats"]
    told = run(
        "swatch",
        str(file),
        "--material",
        "Paint",
        "--to",
        "pellune",
        "--out",
        str(tmp_path / "s.png"),
        "--samples",
        "4",
    ).output
    assert f"drift {row['drift']:.2f}" in told
    run("record", str(file), "--to", "pellune", "--out", str(tmp_path / "r.html"), "--json")
    thing = next(one for one in json.loads((tmp_path / "r.json").read_text())["ledger"] if one["path"] == "/W/Paint")
    assert thing["drift"]["mean"] == pytest.approx(row["drift"], abs=1e-3)


def test_nobody_measures_past_the_one_way() -> None:
    """What measures outside the window's own process is made in one place, after the shapes have been looked at."""
    source = Path(__file__).parents[2] / "src" / "durvan"
    making = {
        file.relative_to(source).as_posix()
        for file in source.rglob("*.py")
        if re.search(r"\bAppearance\(", file.read_text())
    }
    assert making == {"crossing/job/measuring.py", "crossing/looks/server.py"}


BALL = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Camera "Eye"
{
    float horizontalAperture = 0.36
    float verticalAperture = 0.24
    float focalLength = 0.35
    double3 xformOp:translate = (0, 0, 6)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
def DomeLight "Sky"
{
    float inputs:intensity = 1
}
def Sphere "Ball" (prepend apiSchemas = ["MaterialBindingAPI"])
{
    double radius = 0.9
    rel material:binding = </M>
}
def Material "M"
{
    token outputs:surface.connect = </M/s.outputs:surface>
    def Shader "s"
    {
        uniform token info:id = "UsdPreviewSurface"
        color3f inputs:diffuseColor = (0.1, 0.02, 0.02)
        float inputs:roughness = 1
        token outputs:surface
    }
}
"""


@pytest.mark.parametrize("size", [(48, 48), (72, 24), (24, 72)])
def test_mitsuba_frames_a_picture_of_any_aspect_as_the_preview_does(tmp_path: Path, size: tuple[int, int]) -> None:
    """A film of 3:2 in pictures of other aspects: the ball is as large in both."""
    (tmp_path / "s.usda").write_text(BALL)
    found = []
    for more in ((), ("--engine", "mitsuba")):
        out = tmp_path / "p.exr"
        words = (
            "render",
            str(tmp_path / "s.usda"),
            "--out",
            str(out),
            "--width",
            str(size[0]),
            "--height",
            str(size[1]),
            "--samples",
            "8",
        )
        done = run(*words, *more)
        assert done.exit_code == 0, (done.output, done.exception)
        green = oiio.ImageBuf(str(out)).get_pixels(oiio.FLOAT)[..., 1]
        rows, columns = (green < 0.5 * green.max()).nonzero()
        found.append((np.ptp(columns) + 1, np.ptp(rows) + 1))
    assert found[0] == pytest.approx(found[1], abs=1.01) and min(found[0]) >= 6
