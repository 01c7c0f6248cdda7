"""Rendering for Proof: soon something, in steps, a part, stopped and gone on with, kept on disk; and what a picture is made from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.job.session import Session, start
from durvan.crossing.looks import prover as prover_module
from durvan.crossing.looks import questions
from durvan.crossing.looks.prover import Prover
from durvan.crossing.looks.sittings import Sitting, sitting
from durvan.dialects.registry import Registry
from durvan.engine import gathering, staging
from durvan.engine.gathering import Gathering
from durvan.errors import PictureError
from durvan.formats.table import reader
from durvan.progress import silent
from durvan.proof import writing
from durvan.proof.history import History, Kept
from durvan.proof.picture import Picture
from durvan.proof.reading import open_picture
from making import LIT_WALL

pytestmark = pytest.mark.usefixtures("kernels")
SIZE = (32, 18)
WIDE = "(-200, -200, -100), (200, -200, -100), (200, 200, -100), (-200, 200, -100)"
LAMP = """    def SphereLight "Lamp"
    {
        float orvik:gain = 50
        float inputs:radius = 5
        double3 xformOp:translate = (40, 30, -40)
        uniform token[] xformOpOrder = ["xformOp:translate"]
    }
    def Camera"""
SCENE = LIT_WALL.replace("    def Camera", LAMP).replace(
    "(-50, -30, -100), (50, -30, -100), (50, 30, -100), (-50, 30, -100)", WIDE
)


class Bench:
    """A prover over a small scene, what it says, and when it is to stop."""

    def __init__(self, session: Session, registry: Registry, folder: Path) -> None:
        self.session, self.registry, self.folder = session, registry, folder
        file = Path(session.scene.file)
        self.shapes = reader(file).shapes(file, silent)
        self.said: list[object] = []
        self.staged = 0
        self.stopping: Callable[[], bool] = lambda: False
        self.prover = Prover(self._stage, self.said.append, lambda: self.stopping())

    def _stage(self, asked: Sitting, question: questions.Prove) -> staging.Staged:
        self.staged += 1
        return staging.stage(
            self.session.scene,
            self.shapes,
            list(asked.things),
            self.registry,
            question.camera,
            question.size,
            asked.unseen,
        )

    def sitting(self, side: str) -> Sitting:
        plan, scene = self.session.plan, self.session.scene
        return sitting(
            scene,
            side,
            scene.own if side == "source" else plan.target_things,
            self.session.camera,
            self.session.now.view.used_by,
        )

    def question(self, samples: int, sides: tuple[str, ...] = ("source", "target"), **more) -> questions.Prove:
        return questions.Prove(self.session.camera, tuple(map(self.sitting, sides)), SIZE, samples, self.folder, **more)

    def of(self, kind: type) -> list:
        return [one for one in self.said if isinstance(one, kind)]


@pytest.fixture
def bench(tmp_path: Path, packs: Registry) -> Bench:
    file = tmp_path / "scene.usda"
    file.write_text(SCENE)
    return Bench(start(file, packs, "pellune"), packs, tmp_path / "kept")


def test_something_is_there_soon_and_all_of_it_is_kept(bench: Bench) -> None:
    assert bench.prover.prove(bench.question(4))
    shown = bench.of(questions.Proving)
    assert [(one.side, one.samples, one.picture.shape) for one in shown[:2]] == [
        ("source", 0, (8, 8, 3)),
        ("target", 0, (8, 8, 3)),
    ]
    assert shown[2].picture.shape == (18, 32, 3) and shown[2].picture.dtype == np.float16
    assert {one.side: one.samples for one in shown} == {"source": 4, "target": 4}
    kept = bench.of(questions.Proved)
    assert [(one.side, one.done) for one in kept] == [("source", True), ("target", True)]
    history = History(bench.folder)
    source, target = history.entries()
    assert (source.side, source.samples, source.width, source.height, source.engine) == ("source", 4, 32, 18, "preview")
    assert (
        source.noise > 0.0 and source.seconds > 0.0 and source.camera == bench.session.camera and target.changed == ()
    )
    assert set(source.made) >= {"/W/Paint", "/W/Sky", "/W/Lamp", "/W/Eye"} and source.made != target.made
    seen = open_picture(history.path_of(target)).picture
    assert set(seen.lights) == {"/W/Sky", "/W/Lamp"} and seen.variance is not None
    assert seen.materials is not None and "/W/Paint" in seen.materials.names and seen.objects is not None
    assert sum(read() for read in seen.lights.values()) == pytest.approx(seen.rgb, rel=1e-3, abs=1e-4)


def test_what_was_stopped_is_kept_and_gone_on_with(bench: Bench) -> None:
    steps = iter([False] * 40)
    bench.stopping = lambda: next(steps, True)
    assert not bench.prover.prove(bench.question(64))
    bench.stopping = lambda: False
    bench.prover.end()
    part = History(bench.folder).entries()
    done = {one.side: one.samples for one in part}
    assert part and all(0 < samples < 64 for samples in done.values())
    assert not any(one.done for one in bench.of(questions.Proved))
    staged = bench.staged
    assert bench.prover.prove(bench.question(64))
    assert bench.staged <= max(staged, 2)  # nothing is begun anew
    again = History(bench.folder).entries()
    assert {one.samples for one in again} == {64} and {one.id for one in part} <= {one.id for one in again}


def test_the_same_samples_whether_stopped_or_not(bench: Bench, tmp_path: Path, packs: Registry) -> None:
    assert bench.prover.prove(bench.question(8, ("source",)))
    other = Bench(bench.session, packs, tmp_path / "other")
    for samples in (1, 3, 8):
        assert other.prover.prove(other.question(samples, ("source",)))
    one, two = (
        open_picture(History(each.folder).path_of(History(each.folder).entries()[-1])).picture.rgb
        for each in (bench, other)
    )
    assert one == pytest.approx(two, rel=1e-5)
    assert len(History(other.folder).entries()) == 1  # the same picture, further


def test_a_changed_target_is_another_picture_and_says_what_changed(bench: Bench) -> None:
    assert bench.prover.prove(bench.question(2))
    bench.session.put("/W/Paint", "finish", "rough", 0.9)
    bench.session.renew()
    assert bench.prover.prove(bench.question(2, ("target",)))
    targets = [one for one in History(bench.folder).entries() if one.side == "target"]
    assert len(targets) == 2 and targets[1].changed == ("/W/Paint",)


def test_a_part_gets_the_samples_and_the_rest_stays(bench: Bench) -> None:
    assert bench.prover.prove(bench.question(2, ("source",)))
    before = bench.prover.sides["source"].film.rgb()
    part = (0.5, 0.0, 1.0, 0.5)
    assert bench.prover.prove(bench.question(8, ("source",), part=part))
    film = bench.prover.sides["source"].film
    assert (film.rgb()[:, :15] == before[:, :15]).all() and (film.rgb()[:9, 16:] != before[:9, 16:]).any()
    counts = film.counts()
    assert counts[0, 31] == 8 and counts[17, 0] == 2
    entry = History(bench.folder).entries()[-1]
    assert entry.part == part and entry.samples == 8


def test_a_part_of_nothing_leaves_the_rest_without_numbers(bench: Bench) -> None:
    assert bench.prover.prove(bench.question(2, ("source",), part=(0.0, 0.0, 0.5, 1.0)))
    history = History(bench.folder)
    opened = open_picture(history.path_of(history.entries()[0]))
    assert any("rendered in part: 50 %" in remark for remark in opened.remarks)
    assert np.isnan(opened.picture.rgb[:, 16:]).all() and np.isfinite(opened.picture.rgb[:, :16]).all()


def test_a_full_disk_is_told_and_the_render_stays(bench: Bench, monkeypatch: pytest.MonkeyPatch) -> None:
    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(prover_module.writing, "save", full)
    with pytest.raises(PictureError, match="No space left"):
        bench.prover.prove(bench.question(2, ("source",)))
    assert bench.prover.sides["source"].film.samples == 2 and History(bench.folder).entries() == []
    monkeypatch.undo()
    assert bench.prover.prove(bench.question(2, ("source",))) and len(History(bench.folder).entries()) == 1


def test_what_a_stand_in_says_has_its_thing_and_grade(bench: Bench) -> None:
    staged = bench._stage(bench.sitting("source"), bench.question(1))
    staged = replace(
        staged,
        notes=[
            "Lamp: its picture cannot be read; it is an even white",
            "plain words",
            "Lamp: has no size",
            "Lamp: has no size",
        ],
    )
    assert prover_module._messages(staged) == [
        ("error", "Lamp", "its picture cannot be read; it is an even white"), ("warning", "", "plain words"), ("warning", "Lamp", "has no size"),
    ]  # fmt: skip


# what a picture is made from


def test_fingerprints_are_of_what_shows(bench: Bench) -> None:
    one = bench.sitting("target")
    assert one.made == bench.sitting("target").made and "/W/Wall" not in one.made
    bench.session.put("/W/Paint", "finish", "rough", 0.7)
    bench.session.renew()
    two = bench.sitting("target")
    assert {path for path in one.made if one.made[path] != two.made[path]} == {"/W/Paint"}
    assert two.made == bench.sitting("target").made
    hidden = sitting(bench.session.scene, "target", one.things, bench.session.camera, {}, ("/W/Wall",))
    assert set(hidden.made) - set(one.made) == {"hidden objects"}


def again(bench: Bench, text: str) -> Sitting:
    """The source's side where its file says something else."""
    file = Path(bench.session.scene.file)
    file.write_text(text)
    return Bench(start(file, bench.registry, "pellune"), bench.registry, bench.folder).sitting("source")


def test_other_shapes_and_other_wearers_are_not_the_very_same(bench: Bench) -> None:
    before, text = bench.sitting("source").made, Path(bench.session.scene.file).read_text()
    nearer = again(bench, text.replace("-100)", "-90)")).made
    assert {name for name in before if nearer[name] != before[name]} == {"shapes"}
    bare = again(bench, text.replace("rel material:binding = </W/Paint>", "")).made
    assert {name for name in before if bare[name] != before[name]} == {"shapes", "/W/Paint"}


def test_another_version_of_a_dialect_is_not_the_very_same(bench: Bench) -> None:
    scene, things = bench.session.scene, bench.session.scene.own

    def made(packs: dict) -> dict:
        return dict(sitting(scene, "source", things, bench.session.camera, {}, packs=packs).made)

    packs = dict(bench.registry.packs)
    pack = packs[scene.dialect]
    newer = replace(pack, identity=pack.identity.model_copy(update={"version": "99"}))
    one, two = made(packs), made({**packs, scene.dialect: newer})
    assert {name for name in one if one[name] != two[name]} == {"dialects and renderer"}


def test_a_sun_and_its_sky_are_one_light(bench: Bench, tmp_path: Path, packs: Registry) -> None:
    file = tmp_path / "day.usda"
    file.write_text(
        SCENE.replace(
            'def DomeLight "Sky"',
            'def DistantLight "Sun"\n    {\n        float orvik:gain = 2\n    }\n    def DomeLight "Sky"',
        )
    )
    other = Bench(start(file, packs, "pellune"), packs, tmp_path / "day")
    film = Gathering(other._stage(other.sitting("source"), other.question(1)))
    assert sorted(film.names) == ["/W/Lamp", "/W/Sky", "/W/Sun"]
    doubled = other._stage(other.sitting("source"), other.question(1))
    doubled.built.paths[1] = doubled.built.paths[0]
    joined = Gathering(doubled)
    for one in (film, joined):
        assert one.add(4)
    assert len(joined.names) == 2 and len(set(joined.names)) == 2
    assert sum(read() for read in joined.picture().lights.values()) == pytest.approx(joined.rgb(), rel=1e-4, abs=1e-5)
    assert joined.rgb() == pytest.approx(film.rgb(), rel=1e-4, abs=1e-5)


# its noise


def gathered(bench: Bench, samples: int) -> Gathering:
    film = Gathering(bench._stage(bench.sitting("source"), bench.question(1)))
    while film.samples < samples:
        assert film.add(1)
    return film


def test_noise_falls_with_samples_and_is_somebodys(bench: Bench) -> None:
    assert gathered(bench, 1).variance() is None and gathered(bench, 1).noise() == 0.0
    few, many = gathered(bench, 4), gathered(bench, 64)
    assert many.noise() < 0.5 * few.noise()
    shares = many.dearest()
    assert set(shares) == {"light:/W/Sky", "light:/W/Lamp", "reflection", "depth of field"}
    assert (
        shares["light:/W/Sky"] + shares["light:/W/Lamp"] == pytest.approx(1.0)
        and shares["reflection"] == shares["depth of field"] == 0.0
    )


def test_many_lights_share_layers_by_what_a_film_weighs() -> None:
    assert gathering.layers_for(9, 960, 540) == 9
    assert gathering.layers_for(100, 480, 270) == 32
    assert 4 <= gathering.layers_for(100, 1920, 1080) < 32
    assert gathering.layers_for(100, 30_000, 30_000) == 4


def test_a_name_that_was_given_meanwhile_stays(bench: Bench) -> None:
    assert bench.prover.prove(bench.question(2, ("source",)))
    history = History(bench.folder)
    history.put(replace(history.entries()[0], name="as agreed", held=True))
    assert bench.prover.prove(bench.question(4, ("source",)))
    (entry,) = history.entries()
    assert (entry.samples, entry.name, entry.held) == (4, "as agreed", True)


def test_another_part_with_as_many_samples_is_kept_anew(bench: Bench) -> None:
    assert bench.prover.prove(bench.question(2, ("source",)))
    for part in ((0.0, 0.0, 0.5, 1.0), (0.5, 0.0, 1.0, 1.0)):
        assert bench.prover.prove(bench.question(6, ("source",), part=part))
    (entry,) = History(bench.folder).entries()
    assert entry.part == (0.5, 0.0, 1.0, 1.0)


def test_pictures_of_another_renderer_get_ids_and_depths(bench: Bench) -> None:
    """By what the same camera sees of the same side; what is not there any more is passed over, and a stop is gone on with."""
    history = History(bench.folder)
    history.room()
    asked = bench.sitting("source")
    rgb = np.random.default_rng(1).random((SIZE[1], SIZE[0], 3)).astype(np.float32)
    entry = Kept("m1", "source", "mitsuba", 1.0, 2.0, 12, *SIZE, made=dict(asked.made))
    writing.save(Picture(rgb, variance=rgb[..., 0]), history.path_of(entry))
    history.put(entry)
    question = questions.See(bench.session.camera, (("gone", asked), ("m1", asked)), SIZE, bench.folder)
    bench.stopping = lambda: True
    assert not bench.prover.see(question)
    bench.stopping = lambda: False
    assert bench.prover.see(question)
    assert bench.of(questions.Proved) == [questions.Proved("source", "m1", True)]
    found = open_picture(history.path_of(entry)).picture
    assert np.array_equal(found.rgb, rgb) and found.variance is not None and not found.lights
    assert found.materials is not None and "/W/Paint" in found.materials.names and found.objects is not None
    assert found.depth is not None and float(found.depth()[9, 16, 0]) == pytest.approx(
        1.0, rel=1e-3
    )  # the wall, a metre away
    (again,) = history.entries()
    assert (
        again.made == dict(asked.made) and again.samples == 12 and again.bytes == history.path_of(entry).stat().st_size
    )


@pytest.mark.parametrize(("name", "left"), [("the good one", ["the good one"]), (None, [])])
def test_what_a_person_does_while_it_is_looked_at_stays(bench: Bench, monkeypatch, name, left) -> None:
    """A name that is given then, and that it is dropped."""
    history, asked = History(bench.folder), bench.sitting("source")
    history.room()
    entry = Kept("m1", "source", "mitsuba", 1.0, 2.0, 12, *SIZE)
    writing.save(Picture(np.ones((SIZE[1], SIZE[0], 3), np.float32)), history.path_of(entry))
    kept, stage = history.put(entry), bench.prover.stage

    def staged(*words):
        history.drop([kept.id]) if name is None else history.put(replace(kept, name=name))
        return stage(*words)

    monkeypatch.setattr(bench.prover, "stage", staged)
    assert bench.prover.see(questions.See(bench.session.camera, (("m1", asked),), SIZE, bench.folder))
    assert [one.name for one in history.entries()] == left and history.path_of(kept).is_file() == bool(left)
