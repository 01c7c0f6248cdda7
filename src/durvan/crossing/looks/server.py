"""The process that renders for the window: takes questions, answers the most urgent first, and can be interrupted."""

from __future__ import annotations

import os
import threading
import time
import traceback
from collections.abc import Callable
from dataclasses import dataclass, replace
from multiprocessing.connection import Connection
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.apart import ends
from durvan.crossing.light import measuring, sights
from durvan.crossing.light.asking import Wanted
from durvan.crossing.light.drawing import ground
from durvan.crossing.light.ground import Ground
from durvan.crossing.light.report import LightReport
from durvan.crossing.looks import questions
from durvan.crossing.looks.appearance import Appearance, caveats
from durvan.crossing.looks.fitting import fit_all
from durvan.crossing.looks.keys import LookKey
from durvan.crossing.looks.layered import Layered
from durvan.crossing.looks.light_trying import LightTrier
from durvan.crossing.looks.prover import Prover
from durvan.crossing.looks.sittings import Sitting
from durvan.crossing.looks.trials import Subject, Tried
from durvan.crossing.looks.trying import Memory, Trier
from durvan.crossing.translation.result import as_meant, in_target
from durvan.dialects.look import Record, resolve
from durvan.dialects.registry import Registry, read
from durvan.engine import compiling, drift, giving, renderer, staging, swatch_scene, swatches
from durvan.engine.bodies import bodies
from durvan.errors import DurvanError, Stopped
from durvan.formats.table import reader
from durvan.optics.colour import REC709_LUMINANCE
from durvan.optics.difference import ciede2000, cielab
from durvan.optics.lobes import many
from durvan.optics.lobes.tables import tables
from durvan.optics.tone import bytes_of, developed, srgb
from durvan.progress import Step, silent
from durvan.scene.bodies import Body
from durvan.scene.drift import Drift
from durvan.scene.model import Kind, Scene, Thing
from durvan.scene.shapes import Shapes

SHOWN_SAMPLES = 16
_TOGETHER = 40  # guesses that are told at once
_VIEW = "the camera's view"
_PREVIEW_CLAMP = 30.0  # times white


@dataclass
class _Job:
    question: Any
    number: int

    @property
    def urgency(self) -> tuple[int, int]:
        return ASKED[type(self.question)].urgency, self.number


class Server:
    """Answers questions one at a time; a more urgent one interrupts, and what was interrupted is gone on with."""

    def __init__(self, source: Connection, sink: Connection) -> None:
        self.source, self.sink = source, sink
        self.jobs: list[_Job] = []
        self.wake = threading.Condition()
        self.now: _Job | None = None
        self.dropped: set[int] = set()
        self.gone = False
        self.count = 0
        self.scene: Scene | None = None
        self.registry = Registry()
        self.appearance: Appearance | None = None
        self.shapes: Shapes | None = None
        self.worn: dict[str, Body] | None = None
        self.view: questions.Render | None = None
        self.films: dict[str, Layered] = {}
        self.sides: sights.Sides | None = None
        self.mix = questions.Mix({})
        self.plan: tuple[str, Ground] | None = None
        self.trials = Memory()
        self.lights: dict[str, LightReport] = {}
        self.prover = Prover(self._staged_for, self.say, self.stop)

    def listen(self) -> None:
        """Take questions in until the other side is gone. A newer question takes the place of an older one in its lane."""
        while True:
            try:
                question = self.source.recv()
            except (OSError, EOFError):
                with self.wake:
                    self.gone = True
                    self.wake.notify()
                return
            with self.wake:
                self.count += 1
                said = ASKED[type(question)]
                kinds = tuple(kind for kind, other in ASKED.items() if said.ends_all or other.lane == said.lane)
                self.jobs = [job for job in self.jobs if not isinstance(job.question, kinds)]
                if self.now is not None and isinstance(self.now.question, kinds):
                    self.dropped.add(self.now.number)
                self.jobs.append(_Job(question, self.count))
                self.wake.notify()

    def stop(self) -> bool:
        """Whether what is being done should make room."""
        now = self.now
        if self.gone or now is None or now.number in self.dropped:
            return True
        return any(job.urgency[0] < now.urgency[0] for job in self.jobs)

    def run(self) -> None:
        """Answer until nobody asks any more."""
        while True:
            with self.wake:
                self.now = None
                while not self.jobs and not self.gone:
                    self.wake.wait()
                if self.gone:
                    return
                job = min(self.jobs, key=lambda job: job.urgency)
                self.jobs.remove(job)
                self.now = job
            try:
                done = self._answer(job.question)
            except DurvanError as problem:
                self.say(questions.Trouble(type(job.question).__name__, str(problem)))
                continue
            except Exception as problem:  # noqa: BLE001 - one bad material must not take the others' pictures away
                said = f"{type(problem).__name__}: {problem}"
                self.say(questions.Trouble(type(job.question).__name__, said, traceback.format_exc()))
                continue
            with self.wake:
                if not done and job.number not in self.dropped and not self.gone:
                    self.jobs.append(job)

    def say(self, answer: object) -> None:
        """Answer."""
        try:
            self.sink.send(answer)
        except OSError:
            self.gone = True

    def _answer(self, question: Any) -> bool:
        if (self.scene is None or self.appearance is None) and not isinstance(question, questions.Load):
            return True
        return ASKED[type(question)].answer(self, question)

    def _load(self, question: questions.Load) -> bool:
        try:
            self.prover.end()  # what was being rendered is kept with the scene that it is of
        except DurvanError as problem:
            self.say(questions.Trouble(questions.EndProof.__name__, str(problem)))
        self.scene, self.registry = question.scene, read(question.user_packs)
        self.appearance = Appearance(question.scene, self.registry, swatches.cache_folder(), self._shapes)
        self.shapes = self.worn = None
        self.trials, self.lights = Memory(), {}
        self.films, self.view, self.sides, self.mix, self.plan = {}, None, None, questions.Mix({}), None
        self.prover = Prover(self._staged_for, self.say, self.stop)
        return True

    # swatches

    def _look_at(self, question: questions.LookAt) -> bool:
        assert self.appearance is not None
        thing = question.pair.thing
        self.say(questions.Working(thing.name))
        one = self.appearance.source(thing, question.pair.translation)
        two = self.appearance.target(thing, question.pair.translation)
        polar = np.array([polar_curve(one), polar_curve(two)])
        a, b = self.appearance.makers.of(one), self.appearance.makers.of(two)
        unmeasured = caveats(one, two)

        def show(first: swatches.Swatch, second: swatches.Swatch, found: Drift, done: bool = False) -> None:
            self.say(
                questions.Seen(
                    thing.id, question.pair.key, bytes_of(srgb(first.pictures)), bytes_of(srgb(second.pictures)),
                    difference_picture(first, second), replace(found, caveats=unmeasured), polar, done,
                )
            )  # fmt: skip

        found = drift.between(one, two, self.appearance.makers, self.stop, show)
        if found is None:
            return False
        show(a.swatch(), b.swatch(), found, True)
        level = max(SHOWN_SAMPLES, a.samples, b.samples)
        if not (a.to(level, self.stop) and b.to(level, self.stop)):
            return False
        a.keep()
        b.keep()
        show(a.swatch(), b.swatch(), found, True)
        return True

    def _look_inside(self, question: questions.LookInside) -> bool:
        """What nodes give; what is a surface by itself takes longer and comes after."""
        assert self.appearance is not None
        pair, facts = question.pair, self.appearance.facts
        self.say(questions.Working(pair.thing.name))
        meant = as_meant(pair.thing, pair.translation)
        sides = {"source": meant, "target": in_target(pair.thing, pair.translation)}
        packs = {side: self.registry.packs.get(thing.dialect) for side, thing in sides.items()}
        for side, thing in sides.items():
            found = giving.given(thing, packs[side], facts, self.registry.ground)
            self.say(questions.Inside(thing.id, pair.key, side, found))
        for side, thing in sides.items():
            for name, one in giving.surfaces(thing, packs[side], facts, self.stop):
                self.say(questions.Inside(thing.id, pair.key, side, {name: one}))
        return not self.stop()

    def _measure_all(self, question: questions.MeasureAll) -> bool:
        assert self.appearance is not None
        while question.pairs:
            pair = question.pairs[0]
            thing, translation = pair.thing, pair.translation
            self.say(questions.Working(thing.name))
            found = self.appearance.drift(thing, translation, self.stop)
            if found is None:
                return False
            one = self.appearance.makers.of(self.appearance.source(thing, translation))
            two = self.appearance.makers.of(self.appearance.target(thing, translation))
            if not (one.to(4, self.stop) and two.to(4, self.stop)):
                return False
            small = [bytes_of(srgb(swatches.halved(maker.swatch().pictures[0]))) for maker in (one, two)]
            question.pairs.pop(0)
            self.say(questions.Measured(thing.id, pair.key, found, small[0], small[1], len(question.pairs)))
        return True

    def _guess_all(self, question: questions.GuessAll) -> bool:
        assert self.appearance is not None
        found: dict[LookKey, Drift] = {}
        while question.pairs and not self.stop():
            pair = question.pairs.pop(0)
            self.say(questions.Working(pair.thing.name))
            found[pair.key] = self.appearance.guess(pair.thing, pair.translation)
            if len(found) >= _TOGETHER:
                self.say(questions.Guessed(found))
                found = {}
        if found:
            self.say(questions.Guessed(found))
        return not question.pairs

    def _fit_all(self, question: questions.FitAll) -> bool:
        assert self.appearance is not None
        self.say(questions.Working("fits"))
        found = fit_all(self.appearance, question.pairs, self.stop)
        if found is None:
            return False
        self.say(found)
        return True

    def _settle(self, question: questions.Settle) -> bool:
        """Try one thing after the other; what is stopped is begun again with the thing that it was at."""
        assert self.appearance is not None and self.scene is not None
        all_of = type(question) is questions.Settle
        try:
            while question.left:
                place = len(question.left) - 1
                self.say(questions.Settled(self._try(question, question.left[place]), place, all_of))
                question.left.pop()
        except Stopped:
            return False
        return True

    def _try(self, question: questions.Settle, what: Subject | None) -> Tried:
        """Try a material, or (None) the light."""
        assert self.appearance is not None and self.scene is not None
        if what is None:
            self.say(questions.Working("the light"))
            trier = LightTrier(self.scene, self.registry, self._measured, self.lights)
            return trier.tried(question.work.lights, question.work.matches)
        self.say(questions.Working(what.pair.thing.name))
        document, bodies, traits = question.work.document, question.bodies, question.traits
        return Trier(self.appearance, document, bodies, traits, self.trials, self.stop).tried(what)

    def _measured(self, wanted: Wanted) -> LightReport | None:
        """The light as somebody would have it."""
        assert self.scene is not None
        sides = measuring.staged(self.scene, self._shapes(), wanted, self.registry)
        up = self._shapes().up_axis
        return None if self.stop() else measuring.measure(self.scene, sides, wanted, self.registry, up, self.stop)

    # the camera's view

    def _shapes(self) -> Shapes:
        assert self.scene is not None
        if self.shapes is None:
            self.shapes = reader(Path(self.scene.file)).shapes(Path(self.scene.file), silent)
        return self.shapes

    def _look_at_shapes(self, question: questions.LookAtShapes) -> bool:
        self.say(questions.Working("shapes"))
        self.say(questions.Worn(self._worn()))
        return True

    def _recognise(self, question: questions.Recognise) -> bool:
        """What the materials are; to be gone on with where it is stopped, as what is known is kept."""
        assert self.scene is not None and self.appearance is not None
        found = self.appearance.traits(self.scene.of(Kind.MATERIAL), self._worn(), self.stop)
        if found is not None:
            self.say(questions.Recognised(found))
        return found is not None

    def _worn(self) -> dict[str, Body]:
        if self.worn is None:
            self.worn = bodies(self._shapes())
        return self.worn

    def _staged(
        self, side: str, things: list[Thing], camera: str, size: tuple[int, int], unseen: tuple[str, ...] = ()
    ) -> staging.Staged:
        assert self.scene is not None
        return staging.stage(self.scene, self._shapes(), things, self.registry, camera, size, unseen)

    def _cover(self, question: questions.Cover) -> bool:
        assert self.scene is not None
        self.say(questions.Working(_VIEW))
        staged = self._staged("source", self.scene.own, question.camera, question.size)
        seen = renderer.first_things(staged.built, staged.camera, *question.size)
        shares = {staged.materials[m]: share for m, share in seen.coverage().items() if staged.materials[m]}
        self.say(questions.Covered(shares, tuple(staged.materials), seen.material))
        return True

    def _render(self, question: questions.Render) -> bool:
        """Both sides as far as asked; what was interrupted is gone on with."""
        assert self.scene is not None
        if question is not self.view:
            meant = {thing.id: thing for thing in question.meant}
            source = [meant.get(thing.id, thing) for thing in self.scene.own]
            sides = (("source", source), ("target", question.target))
            self.films = {}
            for side, things in sides:
                unseen = question.unseen if side == "target" else ()
                staged = self._staged(side, things, question.camera, question.size, unseen)
                self.films[side] = Layered(staged, self._wanted_factors(side, staged))
            self.view = question
        return self._go_on(question.samples)

    def _refine(self, question: questions.Refine) -> bool:
        return self._go_on(question.samples)

    def _go_on(self, samples: int) -> bool:
        self.say(questions.Working(_VIEW))
        level = 1
        while level <= samples:
            for side, layered in self.films.items():
                staged, film = layered.staged, layered.film
                if film.samples >= level:
                    continue
                white = max(staged.view.scale, 1e-12)
                clamp = _PREVIEW_CLAMP / white
                if staged.sampling.clamp > 0.0:
                    clamp = min(clamp, staged.sampling.clamp / white)
                more, bounces = level - film.samples, min(staged.sampling.bounces, swatches.BOUNCES)
                if not renderer.expose(staged.built, staged.camera, film, more, bounces, clamp, self.stop):
                    return False
                self._show(side, samples)
            level *= 2
        return True

    def _show(self, side: str, samples: int) -> None:
        """Say what a side looks like so far, with what its lights are mixed to."""
        layered = self.films[side]
        staged, film = layered.staged, layered.film
        picture = layered.mixed(self._wanted_factors(side, staged))
        shown = developed(staged.exposed(picture), staged.sampling.response)
        self.say(questions.Rendered(side, bytes_of(shown), film.samples, samples, tuple(staged.notes)))

    def _wanted_factors(self, side: str, staged: staging.Staged) -> NDArray[np.float64]:
        """The factor on each group: trims of the target's lights, or 0 for all but the one that is looked at alone."""
        keys = measuring.keys_of(staged)
        alone = self.mix.alone
        trims = self.mix.factors if side == "target" else {}
        return np.array([trims.get(key, 1.0) * float(not alone or key[0] == alone) for key in keys])

    def _mix(self, question: questions.Mix) -> bool:
        self.mix = question
        for side, layered in self.films.items():
            factors = self._wanted_factors(side, layered.staged)
            if not layered.fits(factors):  # begun anew: a first picture comes soon, the rest with what refines it
                self.films[side] = Layered(layered.staged, factors)
                continue
            if layered.film.samples:
                self._show(side, layered.film.samples)
        return self._go_on(1) if any(not one.film.samples for one in self.films.values()) else True

    # Proof

    def _staged_for(self, asked: Sitting, question: questions.Prove | questions.See) -> staging.Staged:
        return self._staged(asked.side, list(asked.things), question.camera, question.size, asked.unseen)

    def _prove(self, question: questions.Prove) -> bool:
        self.say(questions.Working("the renders for Proof"))
        return self.prover.prove(question)

    def _see(self, question: questions.See) -> bool:
        return self.prover.see(question)

    def _end_proof(self, question: questions.EndProof) -> bool:
        del question
        self.prover.end()
        return True

    # the light

    def _balance(self, question: questions.Balance) -> bool:
        assert self.scene is not None
        self.say(questions.Working("the light"))
        wanted = question.wanted
        if self.sides is None or self.sides.key != wanted.key:
            self.sides = measuring.staged(self.scene, self._shapes(), wanted, self.registry)
        if self.stop():
            return False
        started = time.monotonic()
        report = measuring.measure(self.scene, self.sides, wanted, self.registry, self._shapes().up_axis, self.stop)
        if report is None:
            return False
        seconds = time.monotonic() - started
        if self.plan is None or self.plan[0] != wanted.key:
            self.plan = wanted.key, ground(self._shapes(), self.sides)
        self.say(questions.Balanced(report, self.plan[1], seconds))
        return True


@dataclass(frozen=True)
class Asked:
    """How a question is taken: the lower its urgency, the sooner; a newer one takes the place of those in its lane, or of
    all; `answer` says whether it is done."""

    urgency: int
    lane: str
    answer: Callable[[Server, Any], bool]
    ends_all: bool = False


ASKED: dict[type, Asked] = {
    questions.Load: Asked(0, "scene", Server._load, ends_all=True),
    questions.Mix: Asked(1, "mix", Server._mix),
    questions.LookInside: Asked(2, "inside", Server._look_inside),
    questions.LookAt: Asked(3, "closely", Server._look_at),
    questions.FitAll: Asked(4, "fits", Server._fit_all),
    questions.LookAtShapes: Asked(5, "shapes", Server._look_at_shapes),
    questions.Balance: Asked(6, "light", Server._balance),
    questions.Cover: Asked(7, "cover", Server._cover),
    questions.Render: Asked(8, "render", Server._render),
    questions.EndProof: Asked(9, "proof", Server._end_proof),
    questions.See: Asked(10, "see", Server._see),
    questions.Prove: Asked(11, "proof", Server._prove),
    questions.GuessAll: Asked(12, "guesses", Server._guess_all),
    questions.Settle: Asked(13, "settle", Server._settle),
    questions.Recognise: Asked(14, "kinds", Server._recognise),
    questions.MeasureAll: Asked(15, "drifts", Server._measure_all),
    questions.Try: Asked(16, "try", Server._settle),
    questions.Refine: Asked(17, "refine", Server._refine),
}


def difference_picture(one: swatches.Swatch, two: swatches.Swatch) -> NDArray[np.uint8]:
    """CIEDE2000 pixel by pixel in greys: mid grey is none, white is 10 and more; what is not the material is dimmed."""
    out = []
    for place in range(len(swatch_scene.LIGHTINGS)):
        a, b = (np.clip(swatches.halved(s.pictures[place]), 0.0, 1.0) for s in (one, two))
        apart = ciede2000(cielab(a), cielab(b))
        inside = swatches.halved(one.mask.astype(np.float64)[..., None])[..., 0]
        shade = 0.36 + 0.64 * np.clip(apart / 10.0, 0.0, 1.0)
        shade = np.where(inside > 0.5, shade, 0.46)
        out.append(np.repeat(np.repeat(shade, 2, axis=0), 2, axis=1))
    return bytes_of(np.repeat(np.array(out)[..., None], 3, axis=-1))


def polar_curve(look: Record) -> NDArray[np.float64]:
    """Luminance of a look's answer in the plane of a view at 45°, light from −90° to 90° [181]; mirrors have none."""
    point = {name: np.array([0.5]) for name in ("u", "v")}
    point.update({name: np.array([0.0]) for name in ("x", "y", "z")})
    point["facing"] = np.array([0.7071])
    rec = resolve(look, point, staging.pixels)[0] if look.lanes else look.base
    angle = np.radians(np.arange(-90.0, 91.0))
    light = np.stack([np.sin(angle), np.zeros(181), np.maximum(np.cos(angle), 1e-3)], axis=1)
    eye = np.tile([-0.70710678, 0.0, 0.70710678], (181, 1))
    value, pdf = np.zeros((181, 3)), np.zeros(181)
    many.evaluate_many(rec, eye, light, tables(), value, pdf)
    return np.asarray(value @ np.array(REC709_LUMINANCE) * light[:, 2])


def main() -> None:
    """Serve standard input and output."""
    source, sink = ends()
    os.nice(5)  # the window goes first
    server = Server(source, sink)

    def prepare(step: Step) -> None:
        server.say(questions.Preparing(step.doing, step.done, step.of))

    threading.Thread(target=server.listen, name="durvan-listen", daemon=True).start()
    try:
        compiling.ensure(prepare)
    except DurvanError as problem:
        server.say(questions.Trouble("renderer", str(problem)))
        return
    server.say(questions.Preparing(""))
    swatches.tidy(swatches.cache_folder())
    server.run()


if __name__ == "__main__":
    main()
