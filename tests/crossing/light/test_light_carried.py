"""Suns with their skies, trims, policies, added lights and moved cameras in the plan and in what is written."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.document.changes import AddLight, Choose, KeepOff, MoveForward, SetSettings, SetTint, SetTrims
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import Session, start
from durvan.crossing.light.asking import stops_of
from durvan.crossing.translation.choices import AddedLight, Advance, Note, Tinting, Trim
from durvan.dialects.look import Facts
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.formats import pictures
from durvan.formats.table import reader
from durvan.optics import sky, sun
from durvan.optics.colour import luminance
from durvan.scene.fate import Fate
from durvan.scene.model import Kind

HEAD = '#usda 1.0\n(\n    metersPerUnit = 0.01\n    upAxis = "{up}"\n)\n'
LIGHTS = """
def DomeLight "Day"
{
    uniform token orvik:kind = "daylight"
    string orvik:date = "2026-06-21"
    float orvik:time = 11.5
    float orvik:latitude = 57.3
    float orvik:longitude = -6.5
    float orvik:north = 30
    float orvik:sky_gain = 1.5
}
def RectLight "Panel"
{
    float orvik:gain = 2000
    token orvik:measure = "lumen"
    float inputs:width = 50
    float inputs:height = 50
    matrix4d xformOp:transform = ( (1,0,0,0), (0,1,0,0), (0,0,1,0), (0,0,300,1) )
    uniform token[] xformOpOrder = ["xformOp:transform"]
}
def SphereLight "setup_bulb"
{
    float orvik:gain = 3
    bool orvik:use_kelvin = 1
    float orvik:kelvin = 2700
}
def Camera "Eye"
{
    float orvik:film_width = 36
    float orvik:focal = 40
    float orvik:focus = 400
    float orvik:near_clip = 100
    matrix4d xformOp:transform = ( (1,0,0,0), (0,1,0,0), (0,0,1,0), (0,10,500,1) )
    uniform token[] xformOpOrder = ["xformOp:transform"]
}
def RenderSettings "Settings"
{
    token orvik:exposure_by = "scene"
    float orvik:scene_gain = 3
    bool orvik:fog = 1
    float orvik:fog_distance = 2000
    color3f orvik:fog_tint = (0.9, 0.8, 0.7)
    int orvik:grid_most = 12
}
"""


def scene(folder: Path, up: str = "Y", more: str = "") -> Path:
    file = folder / f"light{up}.usda"
    file.write_text(HEAD.format(up=up) + LIGHTS + more)
    return file


@pytest.fixture
def session(tmp_path: Path, packs: Registry) -> Session:
    return start(scene(tmp_path), packs, "pellune")


def lamps(session_or_scene, things, packs: Registry):
    facts = staging.facts_of(session_or_scene)
    return {t.id: staging.lamps_of(t, packs.packs.get(t.dialect), facts) for t in things if t.kind is Kind.LIGHT}


@pytest.mark.parametrize("up", ["Y", "Z"])
@pytest.mark.parametrize("target", ["pellune", "preview", "openpbr"])
def test_a_sun_with_its_sky_becomes_both(tmp_path: Path, packs: Registry, up: str, target: str) -> None:
    """Written, opened again, and looked at: the sun where it stood and as bright, the sky as a picture of the same light."""
    session = start(scene(tmp_path, up), packs, target)
    source = lamps(session.scene, session.scene.own, packs)["/Day"]
    session.carry(tmp_path / "out.usda")
    azimuth, elevation = sun.where("2026-06-21", 11.5, 0.0, 57.3, -6.5)
    again = open_scene(tmp_path / "out.usda", packs, target)
    shapes = reader(tmp_path / "out.usda").shapes(tmp_path / "out.usda", lambda _: None)
    again.files.update(session.scene.files)
    again.file = str(tmp_path / "out.usda")
    things = {
        t.id: t
        for t in again.things.values()
        if (t.kind is Kind.LIGHT and t.dialect == target) or "usd." in t.root.kind
    }
    suns = [t for t in things.values() if t.prim_type == "DistantLight"]
    assert len(suns) == 1
    facts = Facts(0.01, lambda path: str(tmp_path / path))
    pack = packs.get(suns[0].dialect)
    (found,) = staging.lamps_of(suns[0], pack, facts)
    assert found.radiance == pytest.approx(source[0].radiance, rel=1e-4)
    back = shapes.places[suns[0].id][2, :3]
    assert back == pytest.approx(np.array(sun.towards(azimuth + 30.0, elevation, up)), abs=1e-5)
    domes = [t for t in things.values() if t.prim_type in ("DomeLight", "Scope")]
    assert len(domes) == 1
    (dome,) = staging.lamps_of(domes[0], packs.get(domes[0].dialect), facts)
    lux = pictures.map_lux(dome.picture.file)
    given = dome.lux if dome.lux is not None else lux * luminance(dome.radiance)
    assert given == pytest.approx(1.5 * sky.daylight_lux(elevation, 3.0, 0.2)[1], rel=3e-3)
    assert Path(dome.picture.file).is_file() and dome.turn == pytest.approx(0.0, abs=1e-4)


def test_every_value_of_a_sun_has_its_fate(session: Session) -> None:
    rows = {row.parameter: row for row in session.plan.translations["/Day"].rows}
    assert {
        name: rows[name].fate for name in ("date", "time", "latitude", "longitude", "north", "sky_gain")
    } == dict.fromkeys(("date", "time", "latitude", "longitude", "north", "sky_gain"), Fate.RECAST)
    assert "north" in {finding.code for finding in session.findings if finding.thing == "/Day"}
    assert all(row.targets for row in rows.values() if row.parameter in ("time", "sky_gain"))


@pytest.mark.parametrize(("date", "lit"), [("2026-02-31", False), ("noon", False), ("2026-12-21", True)])
def test_days_that_are_none_are_held_and_dark(tmp_path: Path, packs: Registry, date: str, lit: bool) -> None:
    file = tmp_path / "d.usda"
    file.write_text(HEAD.format(up="Y") + LIGHTS.replace("2026-06-21", date))
    session = start(file, packs, "pellune")
    rows = {row.parameter: row for row in session.plan.translations["/Day"].rows}
    assert (rows["date"].fate is Fate.HELD) != lit
    made = lamps(session.scene, session.scene.own, packs)["/Day"]
    assert (sum(made[0].radiance) > 0.0) == lit and all(math.isfinite(part) for part in made[0].radiance)
    assert lit or "no day" in " ".join(made[0].notes)
    session.carry(tmp_path / "out.usda")


def test_a_sun_below_the_horizon_is_night(tmp_path: Path, packs: Registry) -> None:
    file = tmp_path / "d.usda"
    file.write_text(HEAD.format(up="Y") + LIGHTS.replace("orvik:time = 11.5", "orvik:time = 0.5"))
    session = start(file, packs, "pellune")
    (night,) = lamps(session.scene, session.scene.own, packs)["/Day"]
    assert night.radiance == (0.0, 0.0, 0.0) and "below the horizon" in night.notes[0]
    target = lamps(session.scene, session.plan.target_things, packs)["/Day"]
    assert luminance(target[0].radiance) == 0.0 and target[1].lux < 1e-6


def test_trims_scale_the_target_and_say_so(session: Session, packs: Registry) -> None:
    before = lamps(session.scene, session.plan.target_things, packs)
    session.do(
        "Trim",
        SetTrims(
            trims=(
                Trim(subject="everything", stops=1.0),
                Trim(subject="environment", stops=-2.0),
                Trim(subject="/Panel", stops=0.5),
                Trim(subject="kind:DistantLight", stops=0.25),
            )
        ),
    )
    session.renew()
    after = lamps(session.scene, session.plan.target_things, packs)
    assert after["/Panel"][0].radiance == pytest.approx([part * 2.0**1.5 for part in before["/Panel"][0].radiance])
    assert after["/Day"][0].radiance == pytest.approx([part * 2.0**1.25 for part in before["/Day"][0].radiance])
    assert after["/Day"][1].lux == pytest.approx(before["/Day"][1].lux * 0.5)
    row = next(row for row in session.plan.translations["/Panel"].rows if row.parameter == "gain")
    assert row.by == "hand" and "+1.50 stops" in row.reason and row.fate is Fate.FITTED
    assert stops_of(session.plan)["/Panel"].stops == 1.5
    bare = {t.id: t for t in session.light_wanted().target}
    again = lamps(session.scene, bare.values(), packs)
    assert again["/Panel"][0].radiance == pytest.approx(before["/Panel"][0].radiance)
    session.undo()
    session.renew()
    assert lamps(session.scene, session.plan.target_things, packs)["/Panel"] == before["/Panel"]


def test_trims_outlive_a_saved_crossing(session: Session, packs: Registry, tmp_path: Path) -> None:
    session.do("Trim", SetTrims(trims=(Trim(subject="/Panel", stops=0.5),)))
    session.save(tmp_path / "a.durvan")
    again = start(tmp_path / "a.durvan", packs)
    assert again.document.trims == (Trim(subject="/Panel", stops=0.5),)
    assert stops_of(again.plan)["/Panel"].stops == 0.5


def test_colours_are_forced_on_all_or_on_white_ones(session: Session, packs: Registry) -> None:
    for only_white, warm in ((False, True), (True, False)):
        tint = Tinting(subject="everything", kelvin=4000.0, only_white=only_white)
        session.do("Force", SetTint(subject="everything", tint=tint))
        session.renew()
        found = lamps(session.scene, session.plan.target_things, packs)
        panel, bulb = found["/Panel"][0].radiance, found["/setup_bulb"]
        assert panel[0] > 1.3 * panel[2]  # the panel was white
        assert bulb == []  # it is kept off
        row = next(r for r in session.plan.translations["/setup_bulb"].rows if r.parameter == "kelvin")
        assert ("4000 K" in row.reason) == warm
    session.do("Leave", SetTint(subject="everything"))
    session.renew()
    panel = lamps(session.scene, session.plan.target_things, packs)["/Panel"][0].radiance
    assert panel[0] == pytest.approx(panel[2])


def test_a_setup_light_is_kept_off_unless_it_may_shine(session: Session, packs: Registry) -> None:
    finding = next(f for f in session.findings if f.code == "setup-light")
    assert "switched off" in finding.cause
    assert lamps(session.scene, session.plan.target_things, packs)["/setup_bulb"] == []
    row = next(r for r in session.plan.translations["/setup_bulb"].rows if "setting up" in r.reason)
    assert not row.by
    shine = next(remedy for remedy in finding.remedies if "shine" in remedy.label)
    session.apply([shine])
    session.renew()
    assert lamps(session.scene, session.plan.target_things, packs)["/setup_bulb"] != []
    assert "setup-light" not in {f.code for f in session.findings}
    session.do("Keep", KeepOff(thing="/Panel"))
    session.do("Name", Choose(setup_names=("Panel",)))
    session.renew()
    assert lamps(session.scene, session.plan.target_things, packs)["/Panel"] == []


ADDED = AddedLight(
    path="/lantern", prim="SphereLight", place=(1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 1.0, 0.0, 0.5, 1.0, 2.0, 1.0),
    values=(("intensity", 100.0 / math.pi), ("normalize", True), ("radius", 0.05), ("seen", False), ("nonsense", 1.0)),
)  # fmt: skip


@pytest.mark.parametrize("target", ["pellune", "preview", "orvik"])
def test_an_added_light_stands_in_the_target_alone(tmp_path: Path, packs: Registry, target: str) -> None:
    session = start(scene(tmp_path), packs, target)
    session.do("Add", AddLight(light=ADDED))
    session.renew()
    thing = session.scene.things["/lantern"]
    assert thing.place and "/lantern" not in {one.id for one in session.scene.own}
    rows = session.plan.translations["/lantern"].rows
    assert rows and all(row.fate in (Fate.ADDED, Fate.LOST) for row in rows)
    session.carry(tmp_path / "out.usda")
    file = tmp_path / "out.usda"
    again = open_scene(file, packs, target)
    name = f"/{target}_lantern"
    found = again.things[name]
    (lamp,) = staging.lamps_of(found, packs.get(found.dialect), Facts(0.01))
    assert luminance(lamp.radiance) * 4.0 * math.pi**2 * 0.05**2 == pytest.approx(100.0, rel=1e-4)
    place = reader(file).shapes(file, lambda _: None).places[name]
    assert place[3, :3] == pytest.approx([0.5, 1.0, 2.0])
    session.undo()
    session.renew()
    assert "/lantern" not in session.plan.translations


@pytest.mark.parametrize("target", ["pellune", "preview"])
def test_a_camera_moves_forward_and_keeps_its_subject(tmp_path: Path, packs: Registry, target: str) -> None:
    session = start(scene(tmp_path), packs, target)
    session.do("Move", MoveForward(thing="/Eye", advance=Advance(thing="/Eye", metres=1.0, subject=4.0)))
    session.renew()
    facts = staging.facts_of(session.scene)
    before = staging.view_of(session.scene.things["/Eye"], packs.get("orvik"), facts)
    eye = next(t for t in session.plan.target_things if t.id == "/Eye")
    after = staging.view_of(eye, packs.get(target), facts)
    assert after.focal == pytest.approx(before.focal * 3.0 / 4.0, rel=1e-6) and after.focus == pytest.approx(3.0)
    assert eye.stands[12:15] == pytest.approx((0.0, 0.1, 4.0))
    session.carry(tmp_path / "out.usda")
    file = tmp_path / "out.usda"
    assert reader(file).shapes(file, lambda _: None).places["/Eye"][3, :3] == pytest.approx([0.0, 0.1, 4.0])
    assert "near-clip" not in {f.code for f in session.findings}
    row = next(r for r in session.plan.translations["/Eye"].rows if r.parameter == "focal")
    assert "further forward" in row.reason


def test_what_the_scene_says_for_its_cameras(session: Session, packs: Registry, tmp_path: Path) -> None:
    """One gain and one fog of the scene go over to the camera with the same picture; and back they stand on the settings."""
    facts = staging.facts_of(session.scene)
    eye = session.scene.things["/Eye"]
    before = staging.view_of(eye, packs.get("orvik"), facts)
    assert (
        before.scale == pytest.approx(3.0 / 179.0)
        and before.fog is not None
        and before.fog.density == pytest.approx(0.05)
    )
    target = next(t for t in session.plan.target_things if t.id == "/Eye")
    after = staging.view_of(target, packs.get("pellune"), facts)
    assert after.scale == pytest.approx(before.scale, rel=1e-6) and after.fog == before.fog
    assert "exposure-moved" in {f.code for f in session.findings}
    session.carry(tmp_path / "there.usda")
    back = start(tmp_path / "there.usda", packs, "orvik", source="pellune")
    back.carry(tmp_path / "back.usda")
    text = (tmp_path / "back.usda").read_text()
    settings = text[text.index('"Settings"') :]
    assert "orvik:fog_distance = 2000" in settings and "orvik:fog_distance" not in text[: text.index('"Settings"')]
    again = open_scene(tmp_path / "back.usda", packs, "orvik")
    view = staging.view_of(again.things["/Eye"], packs.get("orvik"), Facts(0.01))
    assert view.scale == pytest.approx(before.scale, rel=1e-5)
    assert not [row for row in session.plan.translations["/Settings"].rows if row.parameter in ("fog", "scene_gain")]


def test_sets_of_settings_are_switched(session: Session) -> None:
    quick = Note(thing="/Settings", node="Settings", parameter="samples", value=16)
    final = quick.model_copy(update={"value": 900})
    session.do("Quick", SetSettings(name="quick", notes=(quick,)))
    session.do("Final", SetSettings(name="final", notes=(final,)))
    for name, samples in (("quick", 16), ("final", 900)):
        session.do("Use", SetSettings(name=name))
        session.renew()
        assert next(iter(session.plan.translations["/Settings"].graph.nodes.values())).values["samples"] == samples
        assert session.document.in_use == name and len(session.document.sets) == 2
    session.do("Use none", SetSettings(name=""))
    session.renew()
    assert next(iter(session.plan.translations["/Settings"].graph.nodes.values())).values["samples"] == 144
