"""Findings about light, from small scenes: each is raised by its cause, not without it, and is settled by its remedy."""

from __future__ import annotations

import math
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from durvan.cli import light
from durvan.crossing.document.changes import OfferSun
from durvan.crossing.findings.model import Finding
from durvan.crossing.job.session import Session, start
from durvan.dialects.registry import Registry
from durvan.engine import renderer, staging
from durvan.formats.table import reader
from durvan.optics import sun
from durvan.progress import silent

pytestmark = pytest.mark.usefixtures("kernels")
HEAD = """#usda 1.0
(
    metersPerUnit = 1
    upAxis = "Y"
)
def Camera "Eye"
{
    custom float orvik:focal = 30
    double3 xformOp:translate = (0, 0.4, 1.4)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
def Material "Grey"
{
    token outputs:orvik:surface.connect = </Grey/finish.outputs:out>
    def Shader "finish"
    {
        uniform token info:id = "orvik.finish"
        color3f inputs:base_tint = (0.5, 0.5, 0.5)
        color3f inputs:mirror_tint = (0, 0, 0)
        %s
        token outputs:out
    }
}
"""
QUAD = """def Mesh "{name}" (prepend apiSchemas = ["MaterialBindingAPI"])
{{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [{points}]
    uniform token subdivisionScheme = "none"
    rel material:binding = </{material}>
}}
"""


def quad(name: str, *corners: tuple[float, float, float], material: str = "Grey") -> str:
    return QUAD.format(name=name, points=", ".join(map(str, corners)), material=material)


FLOOR = quad("Floor", (-1.5, 0, 1.5), (1.5, 0, 1.5), (1.5, 0, -1.5), (-1.5, 0, -1.5))
BALL = """def SphereLight "%s"
{
    custom float orvik:radius = 0.05
    custom token orvik:measure = "lumen"
    custom float orvik:gain = 800
    %s
    double3 xformOp:translate = (%s)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
"""
DOME = 'def DomeLight "%s"\n{\n    custom float orvik:gain = 2\n    custom bool orvik:on = %s\n}\n'


def opened(folder: Path, packs: Registry, body: str, finish: str = "", target: str = "pellune") -> Session:
    """A scene, carried and measured."""
    file = folder / "scene.usda"
    file.write_text(HEAD % finish + FLOOR + body, encoding="utf-8")
    session = start(file, packs, target)
    measured(session)
    return session


def measured(session: Session) -> None:
    session.lit(light.measure(session, silent))
    session.renew()


def found(session: Session, code: str) -> list[Finding]:
    return [finding for finding in session.findings if finding.code == code]


def taken(session: Session, finding: Finding, place: int = 0) -> None:
    """Take a remedy, and measure again."""
    assert not session.apply([finding.remedies[place]])
    session.renew()
    measured(session)


def test_surroundings_that_count_twice(packs: Registry, tmp_path: Path) -> None:
    session = opened(tmp_path, packs, DOME % ("Sky", "true") + DOME % ("Forgotten", "true"))
    (finding,) = found(session, "environment-twice")
    assert finding.thing == "/Forgotten" and "Sky, Forgotten" in finding.cause
    taken(session, finding)
    assert not found(session, "environment-twice")
    session.undo()
    session.renew()
    assert len(found(session, "environment-twice")) == 1
    one_off = opened(tmp_path, packs, DOME % ("Sky", "true") + DOME % ("Forgotten", "false"))
    assert not found(one_off, "environment-twice")


def test_a_sun_is_offered_where_nothing_casts_a_shadow(packs: Registry, tmp_path: Path) -> None:
    """From where a person says; nothing is added unasked."""
    session = opened(tmp_path, packs, DOME % ("Sky", "true"))
    assert not session.document.added
    (finding,) = found(session, "no-shadows")
    session.do("From the west", OfferSun(place=(270.0, 30.0)))
    session.renew()
    (finding,) = found(session, "no-shadows")
    taken(session, finding)
    (added,) = session.document.added
    assert added.prim == "DistantLight" and dict(added.values)["angle"] == 6.0
    assert added.place[8:11] == pytest.approx(sun.towards(270.0, 30.0), abs=1e-9)
    assert added.place[8] < -0.8 and not found(session, "no-shadows")
    lit = next(part for part in session.light.parts if part.path == added.path)  # type: ignore[union-attr]
    floor = next(n for n, probe in enumerate(session.light.probes) if probe.normal[1] > 0.9)  # type: ignore[union-attr]
    lux = float(dict(added.values)["intensity"])  # type: ignore[arg-type]
    assert session.light.lux(lit, floor, "target") == pytest.approx(lux * math.sin(math.radians(30.0)), rel=0.01)  # type: ignore[union-attr]
    assert session.light.lux(lit, floor, "source") == 0.0  # type: ignore[union-attr]


def test_lamps_cast_shadows_unless_they_are_told_not_to(packs: Registry, tmp_path: Path) -> None:
    for switch, wanted in (("true", 0), ("false", 1)):
        session = opened(tmp_path, packs, BALL % ("Lamp", f"custom bool orvik:shadows = {switch}", "0, 1.5, 0"))
        assert len(found(session, "no-shadows")) == wanted, switch


def test_a_sun_for_a_scene_without_light_comes_from_behind_the_camera(packs: Registry, tmp_path: Path) -> None:
    """And makes a white card in its light about white."""
    session = opened(tmp_path, packs, "")
    (finding,) = found(session, "no-light")
    taken(session, finding)
    (added,) = session.document.added
    azimuth, height = sun.place_in_sky(added.place[8:11])  # type: ignore[arg-type]
    assert height == pytest.approx(45.0) and 90.0 < azimuth < 270.0  # the camera looks north
    assert not found(session, "no-light")
    session.undo()
    session.renew()
    assert len(found(session, "no-light")) == 1 and not session.document.added


def test_temperatures_for_a_target_without_them(packs: Registry, tmp_path: Path) -> None:
    """Pellune as it would be without kelvin: all lights are coloured unless a person says otherwise."""
    pack = packs.get("pellune")
    lacking = replace(
        pack, identity=pack.identity.model_copy(update={"abilities": {**pack.identity.abilities, "kelvin": False}})
    )
    other = Registry(packs={**packs.packs, "pellune": lacking}, user=packs.user)
    warm = BALL % ("Warm", "custom bool orvik:use_kelvin = 1\n    custom float orvik:kelvin = 2700", "0, 1.5, 0")
    session = opened(tmp_path, other, warm)
    (finding,) = found(session, "kelvin")
    assert finding.level.word == "note" and [one.label for one in finding.remedies] == [
        "Only white lights",
        "Leave temperatures out",
    ]

    def chroma() -> float:
        report = session.light
        assert report is not None
        part = next(part for part in report.parts if part.path == "/Warm")
        return float(part.target[0, 0] / part.target[0, 2] / (part.source[0, 0] / part.source[0, 2]))

    assert chroma() == pytest.approx(1.0, abs=0.002)
    taken(session, finding, 1)
    (after,) = found(session, "kelvin")
    assert after.level.word == "look" and "left out" in after.cause and chroma() < 0.5
    assert not found(opened(tmp_path, packs, warm), "kelvin")  # who knows temperatures is told nothing


def test_a_flame_without_a_light_gets_one(packs: Registry, tmp_path: Path) -> None:
    flame = quad("CandleFlame", (-0.02, 0.3, 0), (0.02, 0.3, 0), (0.02, 0.4, 0), (-0.02, 0.4, 0))
    session = opened(tmp_path, packs, flame + BALL % ("Far", "", "0, 1.5, -1.2"))
    (finding,) = found(session, "unlit-flame")
    taken(session, finding)
    (added,) = session.document.added
    assert added.prim == "SphereLight" and added.place[12:15] == pytest.approx((0.0, 0.35, 0.0))
    assert dict(added.values)["intensity"] == pytest.approx(12.6 / math.pi) and not found(session, "unlit-flame")
    near = opened(tmp_path, packs, flame + BALL % ("Near", "", "0, 0.5, 0.1"))
    assert not found(near, "unlit-flame")


@pytest.mark.parametrize(
    "name",
    ["Inflamed", "Lampshade", "Firewall", "bulbous", "box_lamp_brass", "CandleStick", "torch_bracket_L", "LampRoom"],
)
def test_names_that_only_hold_the_word_are_left_alone(packs: Registry, tmp_path: Path, name: str) -> None:
    thing = quad(name, (-0.02, 0.3, 0), (0.02, 0.3, 0), (0.02, 0.4, 0), (-0.02, 0.4, 0))
    session = opened(tmp_path, packs, thing + BALL % ("Far", "", "0, 1.5, -1.2"))
    assert found(session, "unlit-flame") == []


@pytest.mark.parametrize("name", ["box_lamp", "Lamp_01", "candleFlame_L", "OilLanterns", "BULB", "night_torch_mesh"])
def test_names_that_end_in_the_word_are_flames(packs: Registry, tmp_path: Path, name: str) -> None:
    thing = quad(name, (-0.02, 0.3, 0), (0.02, 0.3, 0), (0.02, 0.4, 0), (-0.02, 0.4, 0))
    session = opened(tmp_path, packs, thing + BALL % ("Far", "", "0, 1.5, -1.2"))
    assert [finding.path for finding in found(session, "unlit-flame")] == [f"/{name}"]


def test_each_of_many_flames_gets_a_light_of_its_own(packs: Registry, tmp_path: Path) -> None:
    """They are called alike, below parents of their own; one press gives every one of them a light where it stands."""
    text = ""
    for number in range(5):
        x = -2.4 + 1.2 * number
        flame = quad("Flame", (x - 0.02, 0.3, 0), (x + 0.02, 0.3, 0), (x + 0.02, 0.4, 0), (x - 0.02, 0.4, 0))
        text += f'def Xform "Stick{number}"\n{{\n{flame}\n}}\n'
    session = opened(tmp_path, packs, text + BALL % ("Far", "", "0, 1.5, -1.2"))
    findings = found(session, "unlit-flame")
    assert len(findings) == 5
    assert not session.apply([finding.remedies[0] for finding in findings])
    session.renew()
    added = session.document.added
    assert len({light.path for light in added}) == len(added) == 5 and not found(session, "unlit-flame")
    assert {round(light.place[12], 2) for light in added} == {-2.4, -1.2, 0.0, 1.2, 2.4}


def test_a_glow_that_cannot_light_is_told_with_its_flux(packs: Registry, tmp_path: Path) -> None:
    """For a target in which no glow lights: a panel of the same flux takes its work, and gives the same at the floor."""
    pack = packs.get("pellune")
    lacking = replace(
        pack,
        identity=pack.identity.model_copy(update={"abilities": {**pack.identity.abilities, "lit_by_glows": False}}),
    )
    other = Registry(packs={**packs.packs, "pellune": lacking}, user=packs.user)
    glow = (
        HEAD.split('def Material "Grey"')[1].replace("/Grey/", "/Glow/")
        % "color3f inputs:glow_tint = (1, 1, 1)\n        float inputs:glow_gain = 20\n        bool inputs:glow_lights = 1"
    )
    panel = quad("Panel", (-0.3, 1.5, -0.3), (0.3, 1.5, -0.3), (0.3, 1.5, 0.3), (-0.3, 1.5, 0.3), material="Glow")
    session = opened(tmp_path, other, 'def Material "Glow"' + glow + panel)
    (finding,) = found(session, "silent-glow")
    lumens = 2.0 * math.pi * 20.0 * 179.0 * 0.36  # of both sides
    assert float(dict(finding.evidence)["flux"].split()[0]) == pytest.approx(lumens, rel=0.01)
    assert len(finding.remedies) == 1 and not found(
        opened(tmp_path, packs, 'def Material "Glow"' + glow + panel), "silent-glow"
    )
    before = session.light
    assert before is not None
    place = next(n for n, probe in enumerate(before.probes) if probe.normal[1] > 0.9)
    source = next(before.lux(part, place, "source") for part in before.parts if part.path == "/Glow")
    assert not session.apply(list(finding.remedies))
    assert len(session.document.added) == 2  # back to back, by one press
    session.renew()
    measured(session)
    report = session.light
    assert report is not None and not found(session, "silent-glow")
    given = sum(report.lux(part, place, "target") for part in report.parts if part.path.startswith("/Glow_light"))
    assert given == pytest.approx(source, rel=0.03)


ROOM = (
    quad("Left", (-1, 0, 1.5), (-1, 2, 1.5), (-1, 2, -1), (-1, 0, -1)), quad("Right", (1, 0, 1.5), (1, 2, 1.5), (1, 2, -1), (1, 0, -1)),
    quad("Back", (-1, 0, -1), (1, 0, -1), (1, 2, -1), (-1, 2, -1)), quad("Front", (-1, 0, 1.5), (1, 0, 1.5), (1, 2, 1.5), (-1, 2, 1.5)),
    quad("TopLeft", (-1, 2, 1.5), (-0.5, 2, 1.5), (-0.5, 2, -1), (-1, 2, -1)), quad("TopRight", (0.5, 2, 1.5), (1, 2, 1.5), (1, 2, -1), (0.5, 2, -1)),
    quad("TopBack", (-0.5, 2, -0.5), (0.5, 2, -0.5), (0.5, 2, -1), (-0.5, 2, -1)), quad("TopFront", (-0.5, 2, 1.5), (0.5, 2, 1.5), (0.5, 2, 0.5), (-0.5, 2, 0.5)),
)  # fmt: skip
PORTAL = """def PortalLight "Hatch"
{
    float inputs:width = %g
    float inputs:height = 1
    matrix4d xformOp:transform = ( (1,0,0,0), (0,0,-1,0), (0,1,0,0), (%g,2,0,1) )
    uniform token[] xformOpOrder = ["xformOp:transform"]
}
"""


def test_a_portal_tells_what_it_would_have_done(packs: Registry, tmp_path: Path) -> None:
    """A closed room with a hatch of a square metre above: all of the sky's light comes through it, and the part of the ways that find
    it is the share of the floor's half of all directions that the hatch takes up. A portal over half of the hatch has half of the light.
    """
    room = "".join(ROOM) + DOME % ("Sky", "true")
    session = opened(tmp_path, packs, room + PORTAL % (1.0, 0.0))
    report = session.light
    assert report is not None
    (opening,) = report.openings
    assert opening.path == "/Hatch" and opening.share == pytest.approx(1.0, abs=1e-6)
    (finding,) = found(session, "portal")
    assert "100 % of the surroundings' light" in finding.cause and finding.level.word == "note"
    from durvan.crossing.light.portals import openings
    from durvan.crossing.light.report import Portal
    from durvan.scene.probe import Probe

    shapes = reader(Path(session.scene.file)).shapes(Path(session.scene.file), silent)
    side = staging.stage(session.scene, shapes, session.scene.own, packs, "/Eye", (16, 16))
    floor = Probe("floor", (0.0, 0.0, 0.0), (0.0, 1.0, 0.0))
    place = (1.0, 0.0, 0.0, 0.0, 0.0, 0.0, -1.0, 0.0, 0.0, 1.0, 0.0, 0.0)
    whole = openings(side, [floor], [Portal("/Hatch", (*place, 0.0, 2.0, 0.0, 1.0), 1.0, 1.0)])[0]
    solid = 4.0 * math.atan(1.0 / (2.0 * 2.0 * math.sqrt(4.0 * 4.0 + 2.0)))
    assert whole.found == pytest.approx(solid / (2.0 * math.pi), rel=0.12) and whole.share == pytest.approx(1.0)
    half = openings(side, [floor], [Portal("/Half", (*place, 0.25, 2.0, 0.0, 1.0), 0.5, 1.0)])[0]
    assert half.share == pytest.approx(0.5, abs=0.08)
    beside = openings(side, [floor], [Portal("/Beside", (*place, 3.0, 2.0, 0.0, 1.0), 1.0, 1.0)])[0]
    assert beside.share == 0.0 and np.isfinite(beside.found)
    taken(session, finding)
    assert not found(session, "portal")
    glass = (
        HEAD.split('def Material "Grey"')[1].replace("/Grey/", "/Glass/")
        % "color3f inputs:pass_tint = (1, 1, 1)\n        bool inputs:shell = 1"
    )
    pane = quad("Pane", (-0.5, 1.9, -0.5), (0.5, 1.9, -0.5), (0.5, 1.9, 0.5), (-0.5, 1.9, 0.5), material="Glass")
    glazed = opened(tmp_path, packs, room + 'def Material "Glass"' + glass + pane + PORTAL % (1.0, 0.0))
    assert (
        glazed.light is not None and glazed.light.openings[0].share > 0.85
    )  # through the glass, but for slits beside it
    shut = pane.replace("1.9", "2.0").replace("Pane", "Lid").replace("Glass", "Grey")
    closed = opened(tmp_path, packs, room + shut + PORTAL % (1.0, 0.0))
    assert closed.light is not None and closed.light.openings[0].share == 0.0
    assert "no light" in found(closed, "portal")[0].cause
    assert not found(
        opened(tmp_path, packs, room + PORTAL % (1.0, 0.0), target="openpbr"), "portal"
    )  # it knows portals


CLIPPED = """def Camera "Back"
{
    custom float orvik:focal = 30
    custom float orvik:near_clip = 300
    double3 xformOp:translate = (0, 1, 5)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
"""


def boards(*depths: float) -> str:
    """Boards that fill the view, one behind the other, and a wall that is to be seen."""
    return "".join(
        quad(f"Board{n}", (-9, -9, z), (9, -9, z), (9, 9, z), (-9, 9, z)) for n, z in enumerate((*depths, -1.0))
    )


def test_everything_in_the_way_is_hidden_or_nothing(packs: Registry, tmp_path: Path) -> None:
    """A board behind a board is in the way, too; what is a part of the picture besides is never hidden."""
    body = CLIPPED + boards(4.0, 3.0) + BALL % ("Lamp", "", "0, 1, 0.5")

    def clip(text: str) -> tuple[Session, Finding]:
        session = opened(tmp_path, packs, text.replace("CAM", ""))
        session.put_choices("Look", {"camera": "/Back"})
        session.renew()
        measured(session)
        return session, next(one for one in found(session, "near-clip") if one.thing == "/Back")

    session, finding = clip(body)
    report = session.light
    assert report is not None and report.sight.share == pytest.approx(1.0) and 0.0 < report.sight.moved < 0.5
    assert [one.path for one in report.sight.blockers] == ["/Board0", "/Board1"]
    assert [one.label for one in finding.remedies] == ["Hide it from the cameras", "Move the camera to its clip"]
    assert dict(finding.evidence)["of the picture"] == "100.0 %" and "other things after a move" in dict(
        finding.evidence
    )
    taken(session, finding)
    assert set(session.document.unseen) == {"/Board0", "/Board1"}
    shapes = reader(Path(session.scene.file)).shapes(Path(session.scene.file), silent)
    sides = [
        renderer.first_things(made.built, made.camera, 32, 18)
        for made in (
            staging.stage(session.scene, shapes, things, packs, "/Back", (32, 18), unseen)
            for things, unseen in ((session.scene.own, ()), (session.plan.target_things, session.document.unseen))
        )
    ]
    assert (sides[0].thing == sides[1].thing).all()
    through = quad(
        "Long", (0.3, 0.2, 4.4), (0.3, 0.2, -0.9), (0.3, 1.8, -0.9), (0.3, 1.8, 4.4)
    )  # begins before the clip, and goes on
    _, finding = clip(body + through)
    assert [one.label for one in finding.remedies] == ["Move the camera to its clip"]


def test_what_is_in_focus_is_a_probe_of_its_own(packs: Registry, tmp_path: Path) -> None:
    """Where the middle of the picture is not; without depth of field nothing is in focus before other things."""
    post = quad("Post", (0.3, -1, 0), (0.6, -1, 0), (0.6, 3, 0), (0.3, 3, 0))
    wall = quad("Wall", (-9, -9, -4), (9, -9, -4), (9, 9, -4), (-9, 9, -4))
    lens = "custom float orvik:focal = 30\n    custom bool orvik:blur = %s\n    custom float orvik:focus = %g\n    custom float orvik:f_number = 2"
    body = post + wall + BALL % ("Lamp", "", "0, 1.5, 1")
    for blur, focus, name in (("true", 140.0, "Post"), ("true", 540.0, ""), ("false", 140.0, ""), ("true", 300.0, "")):
        file = tmp_path / "focus.usda"
        file.write_text((HEAD % "").replace("custom float orvik:focal = 30", lens % (blur, focus)) + FLOOR + body)
        session = start(file, packs, "pellune")
        measured(session)
        report = session.light
        assert report is not None
        there = [probe for probe in report.probes if probe.name == "in focus"]
        assert [probe.thing for probe in there] == ([f"/{name}"] if name else []), (blur, focus)
        for probe in there:
            assert probe.place[2] == pytest.approx(0.0, abs=1e-3)


@pytest.mark.parametrize(("blur", "subject"), [("true", 4.2), ("false", 6.0)])
def test_a_move_keeps_what_is_in_focus_as_large_as_it_was(
    packs: Registry, tmp_path: Path, blur: str, subject: float
) -> None:
    """Or what the middle of the picture shows, where everything is sharp; and says the distance that keeps most of the frame."""
    lens = (
        f"custom float orvik:near_clip = 300\n    custom bool orvik:blur = {blur}\n    custom float orvik:focus = 420"
    )
    post = quad("Post", (0.8, -1, 0.8), (1.4, -1, 0.8), (1.4, 3, 0.8), (0.8, 3, 0.8))
    body = (
        CLIPPED.replace("custom float orvik:near_clip = 300", lens)
        + boards(4.0)
        + post
        + BALL % ("Lamp", "", "0, 1, 0.5")
    )
    session = opened(tmp_path, packs, body)
    session.put_choices("Look", {"camera": "/Back"})
    session.renew()
    measured(session)
    report = session.light
    assert report is not None and report.sight.subject == pytest.approx(subject, rel=1e-3)
    assert report.sight.kept <= report.sight.moved and report.sight.keeps > 3.0
    finding = next(one for one in found(session, "near-clip") if one.thing == "/Back")
    assert dict(finding.evidence)["subject"] == f"{subject:.3g} m"
