"""Films that are bound by their height, white balances that a target lacks, and pictures that are bent twice."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.crossing.document.changes import PutNote
from durvan.crossing.findings.model import Finding
from durvan.crossing.job.session import Session, start
from durvan.crossing.translation.choices import Note
from durvan.dialects.registry import Registry
from durvan.engine import renderer, staging
from durvan.engine.kernels import world as kw
from durvan.formats.table import reader
from durvan.optics.frame import WAYS, frame_aspect, frame_width
from durvan.progress import silent

SCENE = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Camera "Eye"
{
    %(camera)s
    double3 xformOp:translate = (0, 1, 6)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
def Mesh "Wall" (prepend apiSchemas = ["MaterialBindingAPI"])
{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(-40, -40, 0), (40, -40, 0), (40, 40, 0), (-40, 40, 0)]
    uniform token subdivisionScheme = "none"
    rel material:binding = </Grey>
}
def Material "Grey"
{
    %(material)s
}
%(light)s
def RenderSettings "Settings"
{
    int2 resolution = (%(size)s)
    %(settings)s
}
"""
GREY = {
    "pellune": ("pellune:surface", "pellune.surface", "color"),
    "openpbr": ("mtlx:surface", "ND_open_pbr_surface_surfaceshader", "base_color"),
}
LAMP = {
    "pellune": 'def SphereLight "Lamp"\n{\n    custom float pellune:power = 90000\n    custom token pellune:unit = "lumen"\n'
    '    custom float pellune:radius = 0.1\n    double3 xformOp:translate = (0, 2, 4)\n    uniform token[] xformOpOrder = ["xformOp:translate"]\n}\n',
    "openpbr": 'def SphereLight "Lamp"\n{\n    float inputs:intensity = 90000\n    double3 xformOp:translate = (0, 2, 4)\n'
    '    uniform token[] xformOpOrder = ["xformOp:translate"]\n}\n',
}
USD_EYE = "float horizontalAperture = %g\n    float verticalAperture = %g\n    float focalLength = 0.3\n    float exposure = -6"


def scene(folder: Path, dialect: str, camera: str, settings: str = "", size: str = "48, 16") -> Path:
    output, kind, port = GREY[dialect]
    grey = f'token outputs:{output}.connect = </Grey/s.outputs:out>\n    def Shader "s"\n    {{\n        uniform token info:id = "{kind}"\n'
    grey += f"        color3f inputs:{port} = (0.18, 0.18, 0.18)\n        token outputs:out\n    }}"
    file = folder / "camera.usda"
    said = {"camera": camera, "material": grey, "light": LAMP[dialect], "settings": settings, "size": size}
    file.write_text(SCENE % said, encoding="utf-8")
    return file


def staged(session: Session, file: Path, side: str, size: tuple[int, int]) -> staging.Staged:
    things = session.plan.target_things if side == "target" else session.scene.own
    return staging.stage(session.scene, reader(file).shapes(file, silent), things, session.registry, "/Eye", size)


def found(session: Session, code: str) -> list[Finding]:
    return [finding for finding in session.findings if finding.code == code]


@given(st.floats(1, 100), st.floats(1, 100), st.floats(0.2, 5), st.sampled_from(WAYS))
def test_a_frame_never_shows_what_its_way_forbids(width: float, height: float, aspect: float, way: str) -> None:
    """Expanding shows the whole film, cropping nothing beside it, the others keep the side that they are called by."""
    seen = frame_width(width, height, aspect, way)
    tall = seen / frame_aspect(width, height, aspect, way)
    near = 1e-9 * max(width, height)
    if way == "expandAperture":
        assert seen >= width - near and tall >= height - near and min(seen - width, tall - height) <= 1e-9 * seen
    elif way == "cropAperture":
        assert seen <= width + near and tall <= height + near
    else:
        kept = {"adjustApertureWidth": tall - height, "adjustApertureHeight": seen - width}
        assert abs(kept.get(way, tall - height + seen - width)) <= 1e-9 * max(seen, tall)
    assert seen == frame_width(width, height, aspect, WAYS.index(way))


@pytest.mark.parametrize("target", ["pellune", "orvik", "preview"])
@pytest.mark.parametrize("way", WAYS[:4])
@pytest.mark.parametrize("film", [(36.0, 24.0), (36.0, 9.0)])
def test_a_frame_is_the_same_whichever_axis_binds(
    packs: Registry, tmp_path: Path, target: str, way: str, film: tuple[float, float]
) -> None:
    """USD's film against a picture of 3 to 1, to dialects whose width binds and to one whose both do."""
    eye = USD_EYE % (film[0] / 100.0, film[1] / 100.0)
    file = scene(tmp_path, "openpbr", eye, f'uniform token aspectRatioConformPolicy = "{way}"')
    session = start(file, packs, target)
    one, two = (staged(session, file, side, (48, 16)).camera for side in ("source", "target"))
    wide = frame_width(*film, 3.0, way)
    assert np.linalg.norm(one[kw.C_X : kw.C_X + 3]) == pytest.approx(0.5 * wide / 30.0, rel=1e-6)
    assert two[kw.C_X : kw.C_Z] == pytest.approx(one[kw.C_X : kw.C_Z], rel=1e-5, abs=1e-9)
    told = found(session, "frame-axis")
    assert len(told) == (target != "preview" and abs(wide - film[0]) > 1e-6)
    for finding in told:
        assert finding.level.word == "note" and f"{wide:.4g} mm" in finding.consequence


def test_a_width_that_binds_is_written_with_its_height(packs: Registry, tmp_path: Path) -> None:
    """So that USD's own rule finds the same frame, also for a high picture."""
    file = scene(tmp_path, "pellune", "custom float pellune:sensor_width = 36", size="16, 48")
    session = start(file, packs, "openpbr")
    camera = session.plan.translations["/Eye"].graph.root
    assert camera is not None
    assert camera.values["horizontalAperture"] == pytest.approx(0.36)  # tenths of a metre
    assert camera.values["verticalAperture"] == pytest.approx(0.36 * 3.0)
    one, two = (staged(session, file, side, (16, 48)).camera for side in ("source", "target"))
    assert two[kw.C_X : kw.C_Z] == pytest.approx(one[kw.C_X : kw.C_Z], rel=1e-5, abs=1e-9)


def picture(session: Session, file: Path, side: str) -> np.ndarray:
    """The mean colour of the wall in the picture."""
    made = staged(session, file, side, (24, 8))
    film = made.film()
    renderer.expose(made.built, made.camera, film, 32, 2)
    return made.exposed(film.picture).mean(axis=(0, 1))


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("target", ["orvik", "openpbr"])
def test_a_white_balance_goes_onto_the_lights(packs: Registry, tmp_path: Path, target: str) -> None:
    """The target is warm without it, and like the source in every channel with the remedy; undone, it is warm again."""
    file = scene(tmp_path, "pellune", "custom float pellune:white_balance = 9500")
    session = start(file, packs, target)
    one, two = picture(session, file, "source"), picture(session, file, "target")
    assert one[0] / one[2] > 1.3 * two[0] / two[2]  # white of 9,500 K makes white light orange
    (finding,) = found(session, "white-balance")
    assert dict(finding.evidence)["white"] == "9500 K" and "colder" in finding.consequence
    assert not session.apply([finding.remedies[0]])
    session.renew()
    assert not found(session, "white-balance")
    assert picture(session, file, "target") == pytest.approx(one, rel=0.02)
    row = next(row for row in session.plan.translations["/Lamp"].rows if "balance" in row.why.said)
    assert row.by.value == "hand"
    session.undo()
    session.renew()
    assert len(found(session, "white-balance")) == 1
    assert picture(session, file, "target") == pytest.approx(two, rel=0.02)


def settings_note(session: Session, parameter: str, value: str) -> PutNote:
    root = session.plan.translations["/Settings"].graph.root
    assert root is not None
    return PutNote(note=Note(thing="/Settings", node=root.id, parameter=parameter, value=value))


def test_a_response_and_a_view_bend_a_picture_twice(packs: Registry, tmp_path: Path) -> None:
    """A view that is chosen while the source's pictures have their response burnt in; without the view there is no such finding."""
    file = scene(tmp_path, "pellune", "custom float pellune:iso = 100", 'custom string pellune:view = "Filmic"')
    session = start(file, packs, "orvik")
    assert not found(session, "bent-twice")
    (left,) = found(session, "view-left")
    assert "'Filmic'" in left.cause
    session.do("Burn it in", settings_note(session, "response", "shoulder"))
    session.renew()
    (finding,) = found(session, "bent-twice")
    assert finding.path == "response" and dict(finding.evidence) == {"response": "shoulder", "view": "Filmic"}
    assert not session.apply([finding.remedies[0]])
    session.renew()
    assert not found(session, "bent-twice")
    root = session.plan.translations["/Settings"].graph.root
    assert root is not None and root.values["response"] == "none"


def test_a_reference_that_has_its_response_is_told_when_a_view_is_chosen(packs: Registry, tmp_path: Path) -> None:
    file = tmp_path / "burnt.usda"
    file.write_text(
        '#usda 1.0\ndef Camera "Eye"\n{\n    custom float orvik:focal = 40\n}\n'
        'def RenderSettings "Settings"\n{\n    custom token orvik:response = "gamma"\n}\n'
    )
    session = start(file, packs, "pellune")
    assert len(found(session, "burnt-in")) == 1 and not found(session, "bent-twice")
    session.do("Look at it by a view", settings_note(session, "view", "Filmic"))
    session.renew()
    (finding,) = found(session, "bent-twice")
    assert "reference" in finding.consequence
    assert not session.apply([finding.remedies[0]])
    session.renew()
    assert not found(session, "bent-twice") and math.isfinite(session.document.light_limit)


@pytest.mark.parametrize(
    ("dialect", "camera", "settings", "said"),
    [
        ("pellune", "custom float pellune:iso = 100", "custom float4 pellune:crop = (0, 0, 0.5, 1)", "Settings: ask for a part of the picture"),
        ("pellune", "custom float pellune:iso = 100", "custom float pellune:time_limit = 90", "Settings: end a picture after 90 s"),
        ("openpbr", 'uniform token projection = "orthographic"', "", "Eye: is orthographic"),
        ("openpbr", "float focalLength.timeSamples = { 1: 30, 2: 60 }", "", "Eye: changes over time"),
    ],
)  # fmt: skip
def test_what_is_not_rendered_is_said(
    packs: Registry, tmp_path: Path, dialect: str, camera: str, settings: str, said: str
) -> None:
    file = scene(tmp_path, dialect, camera, settings)
    session = start(file, packs, "orvik")
    assert any(note.startswith(said) for note in staged(session, file, "source", (16, 8)).notes)
    plain = scene(tmp_path, dialect, "float fStop = 0")
    session = start(plain, packs, "orvik")
    assert not [
        note for note in staged(session, plain, "source", (16, 8)).notes if note.startswith(("Settings", "Eye"))
    ]


def with_settings(folder: Path, lines: str) -> Path:
    """A scene of Orvik's with a camera and settings."""
    file = folder / "settings.usda"
    body = f'#usda 1.0\ndef Camera "Eye"\n{{\n    custom float orvik:focal = 40\n}}\ndef RenderSettings "Settings"\n{{\n    {lines}\n}}\n'
    file.write_text(body)
    return file


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
@pytest.mark.parametrize(("response", "told"), [("none", 0), ("gamma", 1), ("shoulder", 1)])
def test_only_a_response_that_is_burnt_in_is_told(
    packs: Registry, tmp_path: Path, target: str, response: str, told: int
) -> None:
    session = start(with_settings(tmp_path, f'custom token orvik:response = "{response}"'), packs, target)
    assert len(found(session, "burnt-in")) == told
    plain = start(with_settings(tmp_path, "custom int orvik:bounces = 5"), packs, target)
    assert not found(plain, "burnt-in") and not [row for row in plain.plan.ledger if row.parameter == "response"]
    back = start(with_settings(tmp_path, f'custom token orvik:response = "{response}"'), packs, "orvik")
    assert next(row for row in back.plan.ledger if row.parameter == "response").fate.name == "KEPT"


def test_light_that_does_not_bounce_stays_so(packs: Registry, tmp_path: Path) -> None:
    """By paths that end at once, and both renderers agree; that it is so is told once."""
    session = start(
        with_settings(tmp_path, "custom bool orvik:indirect = 0\n    custom int orvik:bounces = 5"), packs, "pellune"
    )
    root = session.plan.translations["/Settings"].graph.root
    assert root is not None and [root.values[f"{kind}_paths"] for kind in ("diffuse", "mirror", "clear")] == [0, 0, 0]
    assert len(found(session, "no-bounces")) == 1
    both = [
        staging._sampling(things, packs, staging.facts_of(session.scene))
        for things in (session.scene.own, session.plan.target_things)
    ]
    assert [one.bounces for one in both] == [0, 0]
    bouncing = start(with_settings(tmp_path, "custom int orvik:bounces = 5"), packs, "pellune")
    root = bouncing.plan.translations["/Settings"].graph.root
    assert root is not None and root.values["diffuse_paths"] == 5 and not found(bouncing, "no-bounces")


@pytest.mark.parametrize(
    ("line", "edges"), [("bool orvik:indirect = 0", 2), ("int orvik:bounces = 0", 2), ("int orvik:bounces = 5", 7)]
)
def test_paths_are_as_long_where_their_edges_are_counted(
    packs: Registry, tmp_path: Path, line: str, edges: int
) -> None:
    session = start(with_settings(tmp_path, f"custom {line}"), packs, "mitsuba")
    root = session.plan.translations["/Settings"].graph.root
    assert root is not None and root.values["max_depth"] == edges
    both = [
        staging._sampling(things, packs, staging.facts_of(session.scene)).bounces
        for things in (session.scene.own, session.plan.target_things)
    ]
    assert both == [edges - 2, edges - 2]


def test_what_settings_have_no_counterpart_say_what_to_do(packs: Registry) -> None:
    """Each loss of a setting gives a reason and a way out, or is told by a finding of its own, or has no effect."""
    for name in ("orvik", "pellune", "openpbr"):
        said = {word: why for word, why in packs.get(name).unsaid.items() if word.startswith("RenderSettings")}
        assert said
        for word, why in said.items():
            assert why.told_by or why.cause.value == "no effect" or why.said.rstrip(".").count(". ") >= 1, (
                name,
                word,
                why.said,
            )
