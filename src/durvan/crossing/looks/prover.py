"""The part of the rendering process that renders for Proof: both sides in steps, soon something, kept on disk when it is done or stopped."""

from __future__ import annotations

import json
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

import numpy as np

from durvan.crossing.looks import questions
from durvan.crossing.looks.sittings import Sitting
from durvan.engine import renderer, staging
from durvan.engine.engines import Engine
from durvan.engine.gathering import Gathering
from durvan.errors import PictureError
from durvan.proof import writing
from durvan.proof.history import History, Kept, changed
from durvan.proof.reading import open_picture
from durvan.scene.said import Grade

Stage = Callable[[Sitting, questions.Prove | questions.See], staging.Staged]
Say = Callable[[object], None]
COARSE = 4  # times fewer pixels across, of what is shown first
CLAMP = 100.0  # times white: what a sample may add, where the settings do not hold it to less
_STEP = 1.5  # seconds that a step is to take
_TELL = 0.6  # seconds between two pictures
_KEEP = 60.0  # seconds after which what there is is kept, so that a crash loses little


@dataclass
class _Side:
    """A side that is being rendered: by what it is known, its film, and its entry."""

    key: str
    film: Gathering
    asked: Sitting
    kept: Kept | None = None
    told: float = 0.0
    saved: float = 0.0
    saved_as: object = None  # how many samples went where when it was kept


class Prover:
    """Answers `Prove`; holds on to both films, so that what was stopped is gone on with."""

    def __init__(self, stage: Stage, say: Say, stop: Callable[[], bool]) -> None:
        self.stage, self.say, self.stop = stage, say, stop
        self.sides: dict[str, _Side] = {}
        self.begun: questions.Prove | None = None

    def prove(self, question: questions.Prove) -> bool:
        """Go on with a question; False when it was stopped and is to be gone on with."""
        History(question.folder).room()
        sides = []
        for asked in question.sides:
            side = self._side(asked, question)
            if side is None:
                return False
            sides.append(side)
        self.begun = question
        while waiting := [one for one in sides if one.film.samples < question.samples]:
            one = min(waiting, key=lambda side: side.film.samples)
            if not self._step(one, question):
                return False
        for one in sides:
            self._keep(one, question, True)
        return True

    def end(self) -> None:
        """Keep what there is of what was stopped."""
        if self.begun is None:
            return
        for one in self.sides.values():
            if one.film.samples and one.asked in self.begun.sides:
                self._keep(one, self.begun, one.film.samples >= self.begun.samples)

    def see(self, question: questions.See) -> bool:
        """Put what the camera sees first into pictures of another renderer; False when it was stopped and is to be gone on with."""
        history = History(question.folder)
        for name, asked in question.sides:
            if _entry(history, name) is None:
                continue
            if self.stop():
                return False
            film = Gathering(self.stage(asked, question))
            film.first_things()
            entry = _entry(history, name)  # as a person has it by now
            if entry is None:
                continue
            file = history.path_of(entry)
            picture = film.told(open_picture(file).picture)
            said = {
                "side": entry.side,
                "camera": entry.camera,
                "samples": entry.samples,
                "made": entry.made,
                "engine": entry.engine,
            }
            history.room()
            writing.save(picture, file, film.more(entry.samples), said)
            history.put(entry)
            self.say(questions.Proved(entry.side, entry.id, True))
        return True

    def _side(self, asked: Sitting, question: questions.Prove) -> _Side | None:
        """The side as far as it was rendered, or a fresh one, of which something coarse is shown at once; None where it was stopped."""
        key = json.dumps([asked.made, question.camera, question.size, question.settings], sort_keys=True)
        before = self.sides.get(asked.side)
        if before is not None and before.key == key:
            before.asked = asked
            before.film.look_at(question.part)
            return before
        staged = self.stage(asked, question)
        if not self._show_coarsely(asked, question, staged):
            return None
        film = Gathering(staged, question.part, CLAMP)
        self.sides[asked.side] = side = _Side(key, film, asked)
        return side

    def _show_coarsely(self, asked: Sitting, question: questions.Prove, staged: staging.Staged) -> bool:
        width, height = (max(8, size // COARSE) for size in question.size)
        small = replace(staged, width=width, height=height)
        film = renderer.Film.empty(width, height, max(1, len(staged.built.groups)))
        bounces = min(4, staged.sampling.bounces)
        clamp = CLAMP / max(staged.view.scale, 1e-12)
        if not renderer.expose(staged.built, staged.camera, film, 1, bounces, clamp, self.stop):
            return False
        self._tell(asked.side, small.exposed(film.picture), 0, question, staged)
        return True

    def _step(self, one: _Side, question: questions.Prove) -> bool:
        film = one.film
        done = film.samples
        each = film.seconds / done if done and film.seconds else 0.0
        more = 1 if not each else max(1, min(int(_STEP / each), max(done, 1)))
        start = time.monotonic()
        if not film.add(min(more, question.samples - done), self.stop):
            return False
        now = time.monotonic()
        film.seconds += now - start
        if now - one.told >= _TELL or film.samples >= question.samples:
            one.told = now
            self._tell(one.asked.side, film.rgb(), film.samples, question, film.staged)
        if now - max(one.saved, start - film.seconds) >= _KEEP:
            self._keep(one, question, False)
        return True

    def _tell(
        self, side: str, rgb: np.ndarray, samples: int, question: questions.Prove, staged: staging.Staged
    ) -> None:
        with np.errstate(over="ignore"):
            picture = np.clip(rgb, -65000.0, 65000.0).astype(np.float16)
        self.say(questions.Proving(side, picture, samples, question.samples, staged.sampling.response, question.size))

    def _keep(self, one: _Side, question: questions.Prove, done: bool) -> None:
        """Put a side into the history, in the place of what was kept of the same before."""
        film, history = one.film, History(question.folder)
        now_as = film.samples, question.part
        if one.saved_as == now_as and one.kept is not None:
            self.say(questions.Proved(one.asked.side, one.kept.id, done))
            return
        history.room()
        now, every = time.time(), history.entries()
        own = next(
            (kept for kept in every if one.kept is not None and kept.id == one.kept.id), one.kept
        )  # as a person has it
        earlier = [kept for kept in every if kept.side == one.asked.side and kept.engine == Engine.PREVIEW.value]
        before = next((kept for kept in reversed(earlier) if own is None or kept.id != own.id), None)
        entry = Kept(
            own.id if own is not None else history.fresh_id(one.asked.side, now), one.asked.side, Engine.PREVIEW.value,
            own.when if own is not None else now, film.seconds, film.samples, *question.size, noise=film.noise(),
            camera=question.camera, settings=question.settings, part=question.part, response=film.staged.sampling.response,
            made=dict(one.asked.made), changed=changed(before.made, one.asked.made) if before is not None else (),
            messages=tuple(_messages(film.staged)), name=own.name if own is not None else "",
            held=own is not None and own.held, dearest=film.dearest(),
        )  # fmt: skip
        said = {
            "side": one.asked.side,
            "camera": question.camera,
            "samples": film.samples,
            "made": entry.made,
            "settings": question.settings,
        }
        try:
            writing.save(film.picture(), history.path_of(entry), film.more(), said | {"response": entry.response})
        except OSError as problem:
            raise PictureError(f"cannot be kept: {problem.strerror}.", file=history.folder) from problem
        one.kept = history.put(entry)
        one.saved, one.saved_as = time.monotonic(), now_as
        history.bound([other.kept.id for other in self.sides.values() if other.kept is not None])
        self.say(questions.Proved(one.asked.side, one.kept.id, done))


def _entry(history: History, name: str) -> Kept | None:
    return next((one for one in history.entries() if one.id == name), None)


def _messages(staged: staging.Staged) -> list[tuple[str, str, str]]:
    """What such a renderer would say of this scene: grade, thing, words."""
    out = []
    for note in dict.fromkeys(staged.notes):
        thing, found, text = note.partition(": ")
        if not found:
            thing, text = "", note
        grade = Grade.ERROR if "cannot be read" in text or "is not known" in text else Grade.WARNING
        out.append((grade.value, thing, text))
    return out
