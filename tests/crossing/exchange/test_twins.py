"""Things whose paths end alike stay two in every format: their pictures, meshes, cameras, lights and materials."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.job.expressing import express
from durvan.crossing.job.judging import judge
from durvan.crossing.job.session import Session, start
from durvan.dialects.registry import Registry
from durvan.formats import pictures
from durvan.formats.table import reader
from durvan.scene.model import Kind
from twins import FOCAL, TINTS, twins

pytestmark = pytest.mark.usefixtures("kernels")
TARGETS = [("pellune", ".usda"), ("preview", ".usda"), ("gltf", ".gltf"), ("gltf", ".glb"), ("mitsuba", ".xml")]


def opened(folder: Path, packs: Registry, target: str, rooms=("North", "South")) -> Session:
    session = start(twins(folder / "in", rooms), packs, target)
    session.look_at_shapes()
    return session


def pictured(file: Path, packs: Registry, dialect: str) -> dict[str, tuple[float, ...]]:
    """The mean colour of the picture that each material of a written file reads, by the material's path."""
    session = start(file, packs, source=dialect)
    found = {}
    for one in [one for one in session.scene.pictures.values() if one.users]:
        assert one.first, one.written
        mean = tuple(np.round(pictures.pixels(one.first, "srgb")[..., :3].mean(axis=(0, 1)), 2))
        found |= {user[0]: mean for user in one.users}
    return found


@pytest.mark.parametrize(("target", "ending"), TARGETS)
def test_materials_that_end_alike_have_pictures_of_their_own(
    tmp_path: Path, packs: Registry, target: str, ending: str
) -> None:
    session = opened(tmp_path, packs, target)
    (tmp_path / "out").mkdir()
    file = session.carry(tmp_path / "out" / f"made{ending}").file
    found = pictured(file, packs, target)
    assert len(found) == 2
    assert sorted(map(np.argmax, found.values())) == [0, 2]
    for path, colour in found.items():
        rooms = [room for room in TINTS if room in path] or TINTS  # not every format keeps places
        assert any(colour == pytest.approx(TINTS[room], abs=0.03) for room in rooms)


def test_names_stay_whatever_else_is_carried(tmp_path: Path, packs: Registry) -> None:
    """Both at once, or one after the other into the same file: the same names."""
    whole = opened(tmp_path, packs, "pellune")
    whole.carry(tmp_path / "whole.usda")
    names = {name.partition("_maps/")[2] for name in whole.carried.files} - {""}
    assert len(names) == 2
    for scope in ("/North/Looks/Paint", "/South/Looks/Paint"):
        part = start(tmp_path / "in" / "twins.usda", packs, "pellune", scope=scope)
        part.look_at_shapes()
        part.carry(tmp_path / "part.usda")
    assert {name.partition("_maps/")[2] for name in part.carried.files} - {""} == names


@pytest.mark.parametrize("target", ["mitsuba", "pellune"])
@pytest.mark.parametrize("side", [False, True])
def test_each_camera_sees_its_own_room(tmp_path: Path, packs: Registry, target: str, side: bool) -> None:
    session = opened(tmp_path, packs, target)
    (tmp_path / "judged").mkdir()
    made = express(session, side, tmp_path / "judged")
    cameras = [one for one in reader(made.file).read(made.file, lambda _: None).things if one.kind is Kind.CAMERA]
    fovs = {}
    for room in FOCAL:
        eye = session.scene.things[f"/{room}/Eye"]
        fovs[room] = float(cameras[made.camera(eye)].attributes["mitsuba:fov"])
    assert fovs["North"] > 1.5 * fovs["South"]
    lights = [made.thing(name) for name in made.called["/South/Lamp"]]
    assert lights == ["/South/Lamp"] and set(made.called["/South/Lamp"]).isdisjoint(made.called["/North/Lamp"])


def test_the_light_of_each_lamp_goes_by_its_own_path(tmp_path: Path, packs: Registry) -> None:
    session = opened(tmp_path, packs, "mitsuba")
    found = judge(session, False, "/South/Eye", 8, (16, 12), 120.0, by_lights=True)
    means = {path: float(light.mean()) for path, light in found.lights.items()}
    assert set(means) == {"/North/Lamp", "/South/Lamp"} and means["/South/Lamp"] > 5.0 * means["/North/Lamp"]
