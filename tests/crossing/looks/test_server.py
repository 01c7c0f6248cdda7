"""The queue of the process that renders: what comes first, what makes room, what is gone on with, what falls away."""

from __future__ import annotations

import threading
from dataclasses import dataclass
from pathlib import Path
from pipes import Pipe

import pytest

from durvan.crossing.job.session import start
from durvan.crossing.looks import questions, server
from durvan.crossing.looks.pairs import pair
from durvan.crossing.looks.server import ASKED, Asked, Server
from durvan.errors import MisuseError, PictureError
from durvan.scene.model import Kind, Scene
from durvan.scene.traits import MaterialKind


@dataclass(frozen=True)
class Slow:
    """A question of no urgency that is worked at bit by bit."""

    number: int


@dataclass(frozen=True)
class Quick:
    """An urgent one."""

    number: int


@dataclass(frozen=True)
class Bad:
    """One that fails."""

    known: bool


class Desk:
    """A server with questions whose work the test lets go on step by step."""

    def __init__(self, monkeypatch: pytest.MonkeyPatch) -> None:
        self.log: list[object] = []
        self.begun, self.go_on = threading.Semaphore(0), threading.Semaphore(0)
        monkeypatch.setitem(ASKED, Slow, Asked(5, "slow", self.slow))
        monkeypatch.setitem(ASKED, Quick, Asked(1, "quick", self.quick))
        monkeypatch.setitem(ASKED, Bad, Asked(1, "bad", self.bad))
        self.asked, self.answers = Pipe(), Pipe()
        self.server = Server(self.asked, self.answers)  # type: ignore[arg-type] # all that it needs of a connection
        self.server.scene, self.server.appearance = Scene("/x", ""), object()  # type: ignore[assignment] # something
        self.threads = [threading.Thread(target=work) for work in (self.server.listen, self.server.run)]
        for thread in self.threads:
            thread.start()

    def slow(self, one: Server, question: Slow) -> bool:
        self.log.append(("begun", question.number))
        self.begun.release()
        assert self.go_on.acquire(timeout=20.0)
        if one.stop():
            self.log.append(("made room", question.number))
            return False
        self.log.append(("done", question.number))
        return True

    def quick(self, one: Server, question: Quick) -> bool:
        self.log.append(("quick", question.number))
        self.begun.release()
        return True

    def bad(self, one: Server, question: Bad) -> bool:
        if question.known:
            raise MisuseError("that makes no sense.")
        raise ZeroDivisionError("by nought")

    def wait(self) -> None:
        assert self.begun.acquire(timeout=20.0)

    def queued(self, count: int) -> None:
        """Wait until the server has taken so many questions in."""
        for _ in range(2000):
            if self.server.count >= count:
                return
            threading.Event().wait(0.005)
        raise AssertionError("it was never taken in")

    def logged(self, what: object) -> None:
        """Wait until something has happened."""
        for _ in range(2000):
            if what in self.log:
                return
            threading.Event().wait(0.005)
        raise AssertionError(f"{what} never happened")

    def close(self) -> None:
        self.go_on.release(20)
        self.asked.end()
        for thread in self.threads:
            thread.join(20.0)
            assert not thread.is_alive()


@pytest.fixture
def desk(monkeypatch: pytest.MonkeyPatch):
    made = Desk(monkeypatch)
    yield made
    made.close()


def test_what_is_urgent_interrupts_and_what_was_begun_is_gone_on_with(desk: Desk) -> None:
    desk.asked.put(Slow(1))
    desk.wait()
    desk.asked.put(Quick(1))
    desk.queued(2)
    desk.go_on.release()
    desk.wait()  # the quick one
    desk.wait()  # the slow one again
    desk.go_on.release()
    desk.logged(("done", 1))
    desk.asked.put(Quick(2))
    desk.wait()
    assert desk.log == [("begun", 1), ("made room", 1), ("quick", 1), ("begun", 1), ("done", 1), ("quick", 2)]


def test_a_newer_question_takes_the_place_of_one_in_its_lane(desk: Desk) -> None:
    desk.asked.put(Slow(1))
    desk.wait()
    desk.asked.put(Slow(2))
    desk.asked.put(Slow(3))
    desk.queued(3)
    desk.go_on.release()
    desk.wait()
    desk.go_on.release()
    desk.logged(("done", 3))
    desk.asked.put(Quick(1))
    desk.wait()
    # the first was dropped where it stood, the second never begun
    assert desk.log == [("begun", 1), ("made room", 1), ("begun", 3), ("done", 3), ("quick", 1)]


def test_another_scene_ends_every_question(desk: Desk, monkeypatch) -> None:
    loaded = threading.Event()
    monkeypatch.setitem(
        ASKED, questions.Load, Asked(0, "scene", lambda one, question: bool(loaded.set()) or True, ends_all=True)
    )
    desk.asked.put(Slow(1))
    desk.wait()
    desk.asked.put(questions.Load(Scene("/y", "")))
    desk.queued(2)
    desk.go_on.release()
    assert loaded.wait(20.0)
    desk.asked.put(Quick(1))
    desk.wait()
    assert desk.log == [("begun", 1), ("made room", 1), ("quick", 1)]


def test_a_failure_is_told_with_its_trace_and_the_rest_goes_on(desk: Desk) -> None:
    desk.asked.put(Bad(True))
    desk.asked.put(Quick(1))
    desk.wait()
    desk.asked.put(Bad(False))
    first, second = desk.answers.recv(), desk.answers.recv()
    assert isinstance(first, questions.Trouble) and first.text == "that makes no sense." and first.trace == ""
    assert isinstance(second, questions.Trouble) and second.text == "ZeroDivisionError: by nought"
    assert "in bad" in second.trace and "Traceback" in second.trace  # nobody has to guess where
    desk.asked.put(Quick(2))
    desk.wait()
    assert desk.log == [("quick", 1), ("quick", 2)]


def test_every_question_has_an_entry_of_its_own() -> None:
    every = set(questions.Question.__args__)
    assert set(ASKED) == every and len({one.urgency for one in ASKED.values()}) == len(every)
    assert [one.lane for one in ASKED.values() if one.ends_all] == ["scene"]


@pytest.mark.parametrize("full", [False, True])
def test_another_scene_has_what_was_being_rendered_kept(packs, lamproom: Path, monkeypatch, full: bool) -> None:
    """A disk that is full keeps no other scene from being loaded, and is told."""
    answers, kept = Pipe(), []
    one = server.Server(Pipe(), answers)  # type: ignore[arg-type] # all that it needs of a connection

    def end() -> None:
        kept.append(True)
        if full:
            raise PictureError("the disk is full.")

    monkeypatch.setattr(one.prover, "end", end)
    session = start(lamproom, packs, "pellune")
    assert one._answer(questions.Load(session.scene, packs.user))
    assert kept == [True] and one.scene is session.scene
    assert [one.about for one in answers.items] == (["EndProof"] if full else [])


@pytest.mark.usefixtures("kernels")
def test_a_real_server_measures_and_fits_with_keys(lamproom: Path, packs, tmp_path: Path) -> None:
    """Without the process: the server's own answers to a material, keyed by both its looks."""
    session = start(lamproom, packs, "pellune")
    thing = session.scene.things["/LampRoom/Looks/DialGlass"]
    both = pair(thing, session.plan.translations[thing.id], session.now.view.used_by)
    answers = Pipe()
    one = server.Server(Pipe(), answers)  # type: ignore[arg-type] # all that it needs of a connection
    one.now = server._Job(questions.FitAll([both]), 1)
    assert one._answer(questions.MeasureAll([both]))  # before a scene is loaded nothing is said
    assert answers.items == []
    assert one._answer(questions.Load(session.scene, packs.user))
    assert one._answer(questions.MeasureAll([both])) and one._answer(questions.FitAll([both]))
    at, measured, fits, fitted = answers.items
    assert at == questions.Working(thing.name) and isinstance(fits, questions.Working)
    assert isinstance(measured, questions.Measured) and measured.key == both.key == session.key_of(thing)
    assert isinstance(fitted, questions.Fitted) and fitted.change is not None and fitted.tried == 1
    session.measured({measured.key: measured.drift})
    session.do("Fit", fitted.change)
    session.measured(fitted.drifts)
    session.renew()
    # the drift of what the fit comes to is known before anybody measures it
    assert session.drift(thing.id).mean < 0.8 * fitted.before[thing.id].mean == 0.8 * measured.drift.mean


@pytest.mark.usefixtures("kernels")
def test_a_real_server_says_what_wears_materials_and_then_what_they_are(lamproom: Path, packs) -> None:
    session = start(lamproom, packs, "pellune")
    answers = Pipe()
    one = server.Server(Pipe(), answers)  # type: ignore[arg-type] # all that it needs of a connection
    one.now = server._Job(questions.Recognise(), 1)
    for question in (questions.Load(session.scene, packs.user), questions.LookAtShapes(), questions.Recognise()):
        assert one._answer(question)
    at, worn, found = answers.items
    assert at == questions.Working("shapes")
    assert isinstance(worn, questions.Worn) and isinstance(found, questions.Recognised)
    glass = "/LampRoom/Looks/LensGlass"
    assert worn.bodies[glass].is_solid and found.traits[glass].kind is MaterialKind.SOLID_GLASS
    assert found.traits.keys() == {thing.id for thing in session.scene.of(Kind.MATERIAL)}


@pytest.mark.usefixtures("kernels")
def test_a_real_server_says_what_the_nodes_of_both_sides_give(packs) -> None:
    """Values first, then, by themselves, the layers that are surfaces; on both sides."""
    session = start(Path(__file__).parents[3] / "demo" / "oilstore" / "oilstore.usda", packs, "pellune")
    thing = session.scene.things["/OilStore/Looks/Drum"]
    both = pair(thing, session.plan.translations[thing.id], session.now.view.used_by)
    answers = Pipe()
    one = server.Server(Pipe(), answers)  # type: ignore[arg-type] # all that it needs of a connection
    one.now = server._Job(questions.LookInside(both), 1)
    assert one._answer(questions.Load(session.scene, packs.user)) and one._answer(questions.LookInside(both))
    told = [item for item in answers.items if isinstance(item, questions.Inside)]
    assert [item.side for item in told[:2]] == ["source", "target"]
    assert all(item.thing == thing.id and item.key == both.key for item in told)
    for side, graph in (("source", thing.graph), ("target", both.translation.graph)):
        found = {name: given for item in told if item.side == side for name, given in item.given.items()}
        root = graph.outputs["surface"].node
        assert set(found) == set(graph.nodes) - {root}
        assert all(given.picture.shape == (36, 36, 3) for given in found.values())
        assert {given.what for given in found.values()} >= {"surface", "color"}
    one.dropped.add(1)  # something else is looked at by now
    answers.items.clear()
    assert not one._answer(questions.LookInside(both))
    assert not [item for item in answers.items if isinstance(item, questions.Inside) and "finish" in item.given]
