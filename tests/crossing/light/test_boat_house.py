"""The boat house at noon, where everything about its light goes wrong at once: every cause is named, and the remedies mend it."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from durvan.cli import light
from durvan.crossing.document.changes import Match
from durvan.crossing.findings import Finding
from durvan.crossing.job.session import Session, start
from durvan.dialects.registry import Registry
from durvan.engine import renderer, staging
from durvan.formats.table import reader
from durvan.progress import silent
from durvan.scene.shapes import Shapes

SCENE = Path(__file__).parents[3] / "demo" / "boathouse" / "boathouse.usda"
LUMINANCE = np.array([0.2126, 0.7152, 0.0722])
CAMERAS = ("/BoatHouse/Cameras/SlipCamera", "/BoatHouse/Cameras/BenchCamera")
pytestmark = pytest.mark.usefixtures("kernels")


@pytest.fixture(scope="module")
def shapes() -> Shapes:
    return reader(SCENE).shapes(SCENE, silent)


@pytest.fixture(scope="module")
def measured(packs: Registry) -> Session:
    """The crossing to Pellune with its light measured; not to be changed."""
    session = start(SCENE, packs, "pellune")
    light.measure(session, silent)
    return session


def mean(session: Session, shapes: Shapes, camera: str, side: str) -> np.ndarray:
    """The mean picture value of a render, before any response [3]; bright spots are held to eight times white."""
    target = side == "target"
    things = session.plan.target_things if target else session.scene.own
    unseen = session.plan.choices.unseen if target else ()
    staged = staging.stage(session.scene, shapes, things, session.registry, camera, (96, 60), unseen)
    film = staged.film()
    renderer.expose(staged.built, staged.camera, film, 96, 6, 30.0 / staged.view.scale)
    return np.clip(staged.exposed(film.picture), 0.0, 8.0).reshape(-1, 3).mean(axis=0)


def named(session: Session) -> set[tuple[str, str]]:
    return {(f.code, (f.thing or f.path).rpartition("/")[2]) for f in session.findings if f.station == "Light"}


def test_every_cause_is_named_and_nothing_else(measured: Session) -> None:
    assert named(measured) == {
        ("near-clip", "SlipCamera"), ("camera-outside", "SlipCamera"), ("environment-twice", "ForgottenDome"),
        ("hidden-emitter", "LanternGhost"), ("unlit-flame", "CandleFlame"), ("light-list", "HullLight"), ("budget", "HullLight"),
        ("exposure-moved", "SlipCamera"), ("exposure-moved", "BenchCamera"), ("burnt-in", "Settings"), ("setup-light", "setup_fill"), ("portal", "GatePortal"),
    }  # fmt: skip
    others = {(f.code, f.thing.rpartition("/")[2]) for f in measured.findings}
    assert ("north", "Noon") in others
    assert "kelvin" not in {code for code, _ in others}  # Pellune knows temperatures


def found(session: Session, code: str) -> Finding:
    return next(one for one in session.findings if one.code == code)


def test_findings_carry_their_numbers(measured: Session) -> None:
    clip = dict(found(measured, "near-clip").evidence)
    assert clip["near clip"] == "2.62 m" and float(clip["of the picture"].split()[0]) > 90.0 and "FrontWall" in clip
    ghost = found(measured, "hidden-emitter")
    emitter = measured.light.emitters[0]
    area = 4.0 * math.pi * 0.09**2
    assert emitter.area == pytest.approx(area, rel=0.03) and emitter.opacity == pytest.approx(0.002)
    assert float(dict(ghost.evidence)["flux"].split()[0]) == pytest.approx(
        2.0 * math.pi * area * 260.0 * 179.0 * 0.8066, rel=0.03
    )
    assert "lights everything" in found(measured, "budget").cause
    assert found(measured, "near-clip").remedies[0].label == "Hide it from the cameras"


def test_the_remedies_bring_the_picture_within_a_third_of_a_stop(
    packs: Registry, shapes: Shapes, tmp_path: Path
) -> None:
    session = start(SCENE, packs, "pellune")
    light.measure(session, silent)
    before = [mean(session, shapes, camera, side) @ LUMINANCE for camera in CAMERAS for side in ("source", "target")]
    assert abs(math.log2(before[1] / before[0])) > 1.0  # the wall stands in the way
    steps = len(session.done)
    requests = session.apply([one.remedies[0] for one in session.open_findings() if one.remedies])
    session.renew()
    light.measure(session, silent)
    things = [thing for request in requests if isinstance(request.does, Match) for thing in request.does.things]
    assert set(things) == {"/BoatHouse/Lights/HullLight"}
    trims = session.matching(things)
    session.do("Match", trims)
    session.renew()
    for camera in CAMERAS:
        one, two = (mean(session, shapes, camera, side) for side in ("source", "target"))
        apart = math.log2(float(two @ LUMINANCE) / float(one @ LUMINANCE))
        assert abs(apart) < 1.0 / 3.0, (camera, apart)
        assert two / one == pytest.approx(np.ones(3), abs=0.04), camera
    left = {code for code, _ in named(session)}
    assert left <= {"light-list", "budget", "exposure-moved", "burnt-in"}
    session.carry(tmp_path / "mended.usda")
    while len(session.done) > steps:
        session.undo()
    session.renew()
    light.measure(session, silent)
    assert named(session) >= {("near-clip", "SlipCamera"), ("unlit-flame", "CandleFlame")}


def test_what_was_mended_stands_in_the_file(packs: Registry, shapes: Shapes, tmp_path: Path) -> None:
    """Written, opened again in Pellune's own words, and rendered: the same light as was planned."""
    session = start(SCENE, packs, "pellune", placement="alone")
    light.measure(session, silent)
    session.apply([one.remedies[0] for one in session.open_findings() if one.remedies])
    session.renew()
    session.carry(tmp_path / "mended.usda")
    again = start(tmp_path / "mended.usda", packs, "orvik", source="pellune")
    other = reader(tmp_path / "mended.usda").shapes(tmp_path / "mended.usda", silent)
    assert [mesh.path for mesh in other.meshes if mesh.unseen] == ["/BoatHouse/Set/FrontWall"]
    assert {thing.name for thing in again.scene.own} >= {"pellune_LanternGhost_light", "pellune_CandleFlame_light"}
    meant = mean(session, shapes, CAMERAS[1], "target")
    assert mean(again, other, CAMERAS[1], "source") == pytest.approx(meant, rel=0.03)
