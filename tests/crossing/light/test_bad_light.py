"""Lights, cameras and skies that cannot be: told with their path, measured and rendered as finite numbers, and nothing lost."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

from durvan.cli import light
from durvan.crossing.job.session import Session, start
from durvan.dialects.registry import Registry
from durvan.engine import renderer, staging
from durvan.engine.kernels import world as kw
from durvan.formats.table import reader
from durvan.progress import silent

pytestmark = pytest.mark.usefixtures("kernels")
SCENE = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Scope "Looks"
{
    %(looks)s
}
def Camera "Eye"
{
    custom float orvik:speed = 100
    custom float orvik:f_number = 8
    custom float orvik:shutter = 60
    custom float orvik:focal = 50
    custom float orvik:film_width = 20.955
    %(camera)s
    double3 xformOp:translate = (0, 1, 6)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
def Mesh "Grey" (prepend apiSchemas = ["MaterialBindingAPI"])
{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(-4, -4, 0), (0, -4, 0), (0, 4, 0), (-4, 4, 0)]
    uniform token subdivisionScheme = "none"
    rel material:binding = </Looks/Grey>
}
def Mesh "White" (prepend apiSchemas = ["MaterialBindingAPI"])
{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(0, -4, 0), (4, -4, 0), (4, 4, 0), (0, 4, 0)]
    uniform token subdivisionScheme = "none"
    rel material:binding = </Looks/White>
}
def SphereLight "Good"
{
    float inputs:radius = 0.1
    custom float orvik:gain = 90000
    custom token orvik:measure = "lumen"
    double3 xformOp:translate = (0, 2, 4)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
%(bad)s
"""
CARD = """def Material "{name}"
    {{
        token outputs:orvik:surface.connect = </Looks/{name}/finish.outputs:out>
        def Shader "finish"
        {{
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint = ({albedo}, {albedo}, {albedo})
            color3f inputs:mirror_tint = (0, 0, 0)
            token outputs:out
        }}
    }}
"""
LOOKS = CARD.format(name="Grey", albedo=0.18) + CARD.format(name="White", albedo=0.9)
INF, NAN = "inf", "nan"
BAD = {
    "no size": 'def SphereLight "Bad"\n{\n    float inputs:radius = 0\n    custom token orvik:measure = "watt"\n    custom float orvik:gain = 5\n}\n',
    "a negative size": 'def RectLight "Bad"\n{\n    float inputs:width = -2\n    float inputs:height = 1\n    custom float orvik:gain = 5\n}\n',
    "a panel without a width": 'def RectLight "Bad"\n{\n    float inputs:width = 0\n    float inputs:height = 1\n    custom float orvik:gain = 5\n}\n',
    "an endless size": f'def SphereLight "Bad"\n{{\n    float inputs:radius = {INF}\n    custom float orvik:gain = 5\n}}\n',
    "an endless gain": f'def SphereLight "Bad"\n{{\n    float inputs:radius = 0.1\n    custom float orvik:gain = {INF}\n}}\n',
    "a gain that is no number": f'def SphereLight "Bad"\n{{\n    float inputs:radius = 0.1\n    custom float orvik:gain = {NAN}\n}}\n',
    "a negative gain": 'def SphereLight "Bad"\n{\n    float inputs:radius = 0.1\n    custom float orvik:gain = -40\n}\n',
    "a tube without a length": 'def CylinderLight "Bad"\n{\n    float inputs:length = 0\n    float inputs:radius = 0.1\n    custom float orvik:gain = 5\n}\n',
    "a cone over 180 degrees": 'def SphereLight "Bad"\n{\n    float inputs:radius = 0.05\n    custom token orvik:kind = "cone"\n    custom float orvik:cone_angle = 260\n    custom float orvik:penumbra = 200\n    custom float orvik:gain = 5\n}\n',
    "a 31st of February": 'def DomeLight "Bad"\n{\n    custom token orvik:kind = "daylight"\n    custom string orvik:date = "2026-02-31"\n    custom float orvik:latitude = 50\n}\n',
    "no date at all": 'def DomeLight "Bad"\n{\n    custom token orvik:kind = "daylight"\n    custom string orvik:date = "noon"\n}\n',
    "a latitude of 95": 'def DomeLight "Bad"\n{\n    custom token orvik:kind = "daylight"\n    custom string orvik:date = "2026-06-01"\n    custom float orvik:latitude = 95\n}\n',
    "a sun below the horizon": 'def DomeLight "Bad"\n{\n    custom token orvik:kind = "daylight"\n    custom string orvik:date = "2026-06-01"\n    custom float orvik:latitude = 50\n    custom float orvik:time = 0\n}\n',
    "a sky picture that is absent": 'def DomeLight "Bad"\n{\n    custom asset orvik:file = @./nowhere.exr@\n    custom float orvik:gain = 1\n}\n',
    "a profile that is absent": 'def SphereLight "Bad"\n{\n    custom token orvik:kind = "measured"\n    custom asset orvik:file = @./nowhere.ies@\n}\n',
    "a matrix that turns all into a point": 'def SphereLight "Bad"\n{\n    custom float orvik:gain = 5\n    float3 xformOp:scale = (0, 0, 0)\n    uniform token[] xformOpOrder = ["xformOp:scale"]\n}\n',
}  # fmt: skip
CAMERAS = {
    "f-number 0": "custom float orvik:f_number = 0", "a negative f-number": "custom float orvik:f_number = -2",
    "ISO 0": "custom float orvik:speed = 0", "an endless ISO": "custom float orvik:speed = inf",
    "a shutter of 0": "custom float orvik:shutter = 0", "a focal length of 0": "custom float orvik:focal = 0",
    "a film without a width": "custom float orvik:film_width = 0",
}  # fmt: skip


def written(folder: Path, bad: str = "", camera: str = "") -> Path:
    name = camera.split(" = ")[0]
    lines = SCENE % {"looks": LOOKS, "bad": bad, "camera": "@@"}
    kept = [line for line in lines.splitlines() if not name or not line.strip().startswith(f"{name} =")]
    file = folder / "bad.usda"
    file.write_text("\n".join(kept).replace("@@", camera), encoding="utf-8")
    return file


def picture(session: Session, file: Path, side: str) -> np.ndarray:
    """What a side's camera takes, in picture values."""
    shapes = reader(file).shapes(file, silent)
    things = session.plan.target_things if side == "target" else session.scene.own
    staged = staging.stage(session.scene, shapes, things, session.registry, "/Eye", (24, 16))
    film = staged.film()
    renderer.expose(staged.built, staged.camera, film, 16, 4)
    return staged.exposed(film.picture)


def crossed(file: Path, packs: Registry, target: str, folder: Path) -> Session:
    """Opened, measured, shown on both sides and carried; everything that is a number is one."""
    session = start(file, packs, target)
    report = light.measure(session, silent)
    assert len(report.probes) >= 1
    for part in report.parts:
        assert np.isfinite(part.source).all() and np.isfinite(part.target).all(), part.path
    for side in ("source", "target"):
        assert np.isfinite(picture(session, file, side)).all()
    assert report.lux(next(part for part in report.parts if part.path == "/Good"), 0, "source") > 0.0
    before = file.read_bytes()
    session.carry(folder / "out.usda")
    assert (folder / "out.usda").exists() and file.read_bytes() == before
    return session


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
@pytest.mark.parametrize("bad", BAD)
def test_a_light_that_cannot_be_spoils_nothing(packs: Registry, tmp_path: Path, bad: str, target: str) -> None:
    session = crossed(written(tmp_path, BAD[bad]), packs, target, tmp_path)
    rows = {row.parameter.removeprefix("orvik:") for row in session.plan.translations["/Bad"].rows}
    authored = set(re.findall(r"orvik:(\w+)", BAD[bad]))
    assert authored - {"kind"} <= rows  # whatever was set has a fate; the kind says what light it is
    assert "unknown-value" not in {finding.code for finding in session.findings}


@pytest.mark.parametrize(
    "bad", ["a 31st of February", "no date at all", "a latitude of 95", "a sky picture that is absent", "a profile that is absent"]
)  # fmt: skip
def test_what_is_wrong_is_told_with_its_path(packs: Registry, tmp_path: Path, bad: str) -> None:
    session = crossed(written(tmp_path, BAD[bad]), packs, "pellune", tmp_path)
    said = [
        f
        for f in session.findings
        if "Bad" in f"{f.thing}{f.path}" or any("Bad" in one for one in map(str, f.evidence))
    ]
    assert said, [f.code for f in session.findings]


@pytest.mark.parametrize("camera", CAMERAS)
def test_a_camera_that_cannot_be_spoils_nothing(packs: Registry, tmp_path: Path, camera: str) -> None:
    file = written(tmp_path, camera=CAMERAS[camera])
    session = start(file, packs, "pellune")
    for side in ("source", "target"):
        assert np.isfinite(picture(session, file, side)).all()
    session.carry(tmp_path / "out.usda")
    name = CAMERAS[camera].split()[2].removeprefix("orvik:")
    row = next(row for row in session.plan.translations["/Eye"].rows if row.parameter == name)
    assert row.fate is not None and (row.why.said or row.steps)  # what was set has a fate, and why
    assert "unknown-value" not in {finding.code for finding in session.findings}


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_a_grey_and_a_white_card_have_the_same_code_values(packs: Registry, tmp_path: Path, target: str) -> None:
    """Within a tenth of a stop on both sides, wherever on the cards."""
    file = written(tmp_path)
    session = start(file, packs, target)
    one, two = picture(session, file, "source"), picture(session, file, "target")
    for card in (np.s_[4:12, 2:10], np.s_[4:12, 14:22]):
        a, b = one[card].mean(), two[card].mean()
        assert 1e-4 < a < 1.0 and abs(np.log2(b / a)) < 0.1, (a, b)
    assert one[4:12, 14:22].mean() > 4.0 * one[4:12, 2:10].mean()


SETTINGS = """def Scope "Render"
{
    def RenderSettings "Settings"
    {
        rel camera = </Eye>
        int2 resolution = (24, 16)
        custom int orvik:bounces = 6
        %s
    }
}
"""


def test_a_lens_darkens_its_corners_by_the_fourth_power_of_the_cosine(packs: Registry, tmp_path: Path) -> None:
    """And a target whose cameras do not, says so."""
    plain = start(written(tmp_path), packs, "pellune")
    even = picture(plain, tmp_path / "bad.usda", "source")
    file = written(tmp_path, camera="custom float orvik:vignetting = 0.5")
    session = start(file, packs, "pellune")
    dark = picture(session, file, "source")
    staged = staging.stage(session.scene, reader(file).shapes(file, silent), session.scene.own, packs, "/Eye", (24, 16))
    half = 0.5 * staged.view.film_width / staged.view.focal
    corner = (1.0 + (half * 23.0 / 24.0) ** 2 + (half * 16.0 / 24.0 * 15.0 / 16.0) ** 2) ** -2.0
    assert dark[0, 0] / even[0, 0] == pytest.approx(np.full(3, 0.5 + 0.5 * corner), rel=1e-6)
    assert (dark[8, 12] / even[8, 12]).mean() > 0.995
    row = next(row for row in session.plan.translations["/Eye"].rows if row.parameter == "vignetting")
    assert row.fate.name == "LOST" and "corners" in row.why.said


def test_pixels_that_are_no_squares_show_as_much_less_of_the_height(packs: Registry, tmp_path: Path) -> None:
    """A pixel twice as wide as high: the same width, half the height, on both sides."""
    file = written(tmp_path, SETTINGS % "float pixelAspectRatio = 2")
    session = start(file, packs, "pellune")
    cameras = [
        staging.stage(session.scene, reader(file).shapes(file, silent), things, packs, "/Eye", (24, 16)).camera
        for things in (session.scene.own, session.plan.target_things)
    ]
    for camera in cameras:
        assert np.linalg.norm(camera[kw.C_X : kw.C_X + 3]) / np.linalg.norm(
            camera[kw.C_Y : kw.C_Y + 3]
        ) == pytest.approx(24 / 16 * 2)
