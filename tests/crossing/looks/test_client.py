"""The process that renders may end; who asks is told over what, and the next question starts it anew."""

from __future__ import annotations

import os
import queue
import signal
from collections.abc import Iterator
from pathlib import Path

import pytest

from durvan.crossing.job.session import Session, start
from durvan.crossing.looks import questions
from durvan.crossing.looks.client import Renderer
from durvan.crossing.looks.pairs import pair
from durvan.dialects.registry import Registry
from generated import generate

pytestmark = pytest.mark.usefixtures("kernels")


@pytest.fixture
def session(packs: Registry, tmp_path: Path) -> Session:
    return start(generate(tmp_path / "scene.usda", 3), packs, "pellune")


@pytest.fixture
def asked() -> Iterator[tuple[Renderer, queue.Queue[object]]]:
    answers: queue.Queue[object] = queue.Queue()
    renderer = Renderer(answers.put)
    yield renderer, answers
    renderer.close()


def until(answers: queue.Queue[object], kind: type) -> object:
    while True:
        answer = answers.get(timeout=120.0)
        if isinstance(answer, kind):
            return answer


@pytest.mark.slow
def test_one_that_ends_is_told_and_started_anew(session: Session, asked) -> None:
    renderer, answers = asked
    pairs = [pair(session.scene.things[name], done, {}) for name, done in session.plan.translations.items()]
    renderer.ask(questions.Load(session.scene))
    renderer.ask(questions.MeasureAll(list(pairs)))
    until(answers, questions.Measured)
    os.kill(renderer.apart.process.pid, signal.SIGSEGV)
    told = until(answers, questions.Trouble)
    names = [thing.name for thing in session.scene.things.values()]
    assert any(f"ended over {name};" in told.text for name in names), told.text
    renderer.ask(questions.LookAt(pairs[0]))
    seen = until(answers, questions.Seen)
    assert seen.thing == pairs[0].thing.id


def test_one_that_ends_before_anything_names_nothing(asked) -> None:
    renderer, answers = asked
    renderer._start()
    os.kill(renderer.apart.process.pid, signal.SIGKILL)
    assert "process ended; what is seen" in until(answers, questions.Trouble).text


def test_closing_tells_nothing(asked) -> None:
    renderer, answers = asked
    renderer._start()
    renderer.close()
    assert answers.empty() and renderer.apart is None
    renderer.ask(object())
    assert renderer.apart is None
