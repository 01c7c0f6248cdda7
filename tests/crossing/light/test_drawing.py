"""The plan from above, and the server that measures, mixes and shows one light alone; with the boat house."""

from __future__ import annotations

import math
from pathlib import Path
from pipes import Pipe

import numpy as np
import pytest

from durvan.crossing.document.changes import SetTrims
from durvan.crossing.job.session import Session, start
from durvan.crossing.light.asking import stops_of
from durvan.crossing.light.drawing import ground
from durvan.crossing.light.ground import from_above
from durvan.crossing.light.measuring import staged
from durvan.crossing.looks import questions, server
from durvan.crossing.translation.choices import Trim
from durvan.dialects.registry import Registry
from durvan.formats.table import reader
from durvan.progress import silent
from durvan.scene.model import Kind

SCENE = Path(__file__).parents[3] / "demo" / "boathouse" / "boathouse.usda"
LAMP = "/BoatHouse/Lights/RidgeTube"
pytestmark = pytest.mark.usefixtures("kernels")


@pytest.fixture(scope="module")
def session(packs: Registry) -> Session:
    """The boat house to Pellune; not to be left changed."""
    return start(SCENE, packs, "pellune")


def test_the_plan_is_to_scale(session: Session) -> None:
    """Square; every light that stands somewhere is on it where it stands, and so is the camera with its frame."""
    shapes = reader(SCENE).shapes(SCENE, silent)
    sides = staged(session.scene, shapes, session.light_wanted(), session.registry)
    plan = ground(shapes, sides)
    wide, tall = (high - low for low, high in zip(plan.low, plan.high, strict=True))
    assert wide == pytest.approx(tall) and plan.picture.shape[0] == plan.picture.shape[1] and plan.picture.max() == 255
    things = session.scene.things
    for lamp in plan.lamps:
        thing = things.get(lamp.path)
        if thing is not None and thing.kind is Kind.LIGHT and len(thing.stands) == 16 and not lamp.far:
            assert lamp.place == pytest.approx(from_above(np.array(thing.stands[12:15]), shapes.up_axis), abs=1e-5)
    by_path = {lamp.path: lamp for lamp in plan.lamps}
    assert by_path[LAMP].long and math.hypot(*by_path[LAMP].right) > 0.2  # a tube is drawn with its length
    assert "/BoatHouse/Looks/LanternGhost" in by_path  # what glows stands in it, too
    camera = things[session.camera]
    assert plan.eye.place == pytest.approx(from_above(np.array(camera.stands[12:15]), shapes.up_axis), abs=1e-5)
    way = np.array(from_above(-np.array(camera.stands[8:11]), shapes.up_axis))
    left, right = (np.array(one) / np.linalg.norm(one) for one in (plan.eye.left, plan.eye.right))
    across = left[0] * right[1] - left[1] * right[0]
    assert abs(across) > 0.1 and float((left + right) @ way) > 0.0  # it looks between both sides of its frame
    assert from_above((1.0, 2.0, 3.0), "Y") == (1.0, 3.0) and from_above((1.0, 2.0, 3.0), "Z") == (1.0, -2.0)


def shown(answers: Pipe) -> dict[str, np.ndarray]:
    """The last picture of each side, 0 to 1."""
    last = {one.side: one.picture for one in answers.items if isinstance(one, questions.Rendered)}
    answers.items.clear()
    return {side: np.asarray(picture, dtype=float)[..., :3] / 255.0 for side, picture in last.items()}


def test_the_server_measures_and_mixes(session: Session) -> None:
    """A trim changes the target's picture alone, without rendering anew; one light alone is darker on both sides; all as it was after."""
    answers = Pipe()
    one = server.Server(Pipe(), answers)  # type: ignore[arg-type] # all that it needs of a connection
    wanted = session.light_wanted()
    one.now = server._Job(questions.Balance(wanted), 1)
    assert one._answer(questions.Load(session.scene, session.registry.user))
    assert one._answer(questions.Balance(wanted))
    (balanced,) = [item for item in answers.items if isinstance(item, questions.Balanced)]
    assert balanced.report.key == wanted.key and balanced.seconds > 0.0 and len(balanced.report.parts) >= 8
    answers.items.clear()
    asked = questions.Render(wanted.camera, list(wanted.target), session.plan.corrected, (48, 30), 8, wanted.unseen)
    assert one._answer(asked)
    first = shown(answers)
    samples = one.films["target"].film.samples
    session.do("Trim", SetTrims(trims=(Trim(subject="everything", stops=-3.0),)))
    session.renew()
    factors = {(path, part): done.factor(part) for path, done in stops_of(session.plan).items() for part in ("", "sky")}
    assert one._answer(questions.Mix(factors))
    trimmed = shown(answers)
    assert one.films["target"].film.samples == samples  # nothing was rendered for it
    assert trimmed["target"].mean() < 0.7 * first["target"].mean()
    assert trimmed["source"] == pytest.approx(first["source"])
    assert one._answer(questions.Mix({}, LAMP))
    alone = shown(answers)
    assert 0.0 < alone["source"].mean() < first["source"].mean()
    assert (
        alone["target"].mean() < 0.05 * first["target"].mean()
    )  # the wall before the camera, which the tube does not light
    assert one._answer(questions.Mix({}))
    again = shown(answers)
    assert all(again[side] == pytest.approx(first[side]) for side in ("source", "target"))
    session.undo()
    session.renew()
