"""Proof's pictures: what is rendered for it and what was kept; which two of them are compared."""

from __future__ import annotations

import math
import time
from collections.abc import Mapping
from dataclasses import dataclass, replace
from pathlib import Path

from PySide6.QtCore import QObject, Signal

from durvan.crossing.job.judging import Judged
from durvan.crossing.job.session import Session
from durvan.crossing.looks import questions
from durvan.crossing.looks.sittings import SIDES, Sitting, sitting
from durvan.engine import staging
from durvan.engine.engines import Engine
from durvan.errors import DurvanError
from durvan.proof import history as histories
from durvan.proof import writing
from durvan.proof.causes.noise import noise_of
from durvan.proof.history import History, Kept
from durvan.ui.followers.comparing import Comparing, Wanted
from durvan.ui.followers.judging import Judging, Run, Wish
from durvan.ui.followers.looks import Looks
from durvan.ui.shared.errands import Errands
from durvan.ui.shared.state import State

OUTSIDE = "file"
_MOST_SAMPLES = 4096
_LONGEST = 8192  # pixels of a side that is rendered for Proof
_ALIKE = 1.2  # times the variance, up to which both are alike


@dataclass(frozen=True)
class Setting:
    """How to render: its word, size and samples a pixel, what it is for."""

    name: str
    size: tuple[int, int]
    samples: int
    meaning: str


SETTINGS = (
    Setting("quick", (480, 270), 16, "Soon there, and noisy: for a first look."),
    Setting("usual", (960, 540), 64, "For looking closely."),
    Setting(
        "final",
        (1920, 1080),
        256,
        "For the sign-off: as large and with as many samples as the target's own settings say; takes its time.",
    ),
)


@dataclass(frozen=True)
class _Given:
    """What a real renderer was given, where what comes of it is kept, and by which camera it is seen."""

    history: History
    camera: str
    sittings: Mapping[str, Sitting]


@dataclass(frozen=True)
class _Left:
    """What was not done yet when another scene was opened."""

    asked: questions.Prove | None
    unseen: Mapping[str, Sitting]


class Proofs(QObject):
    """Renders when it is asked to, keeps what comes, and shows two of what there is."""

    changed = Signal()  # what is there, or how far it has got

    def __init__(self, state: State, looks: Looks, judging: Judging, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state, self.looks, self.judging = state, looks, judging
        self.comparing = Comparing(self)
        self.keeping = Errands("kept", self)  # apart from what is compared, which is forgotten with its scene
        self.history: History | None = None
        self.entries: list[Kept] = []
        self.chosen: dict[str, str] = {}
        self.live: dict[str, questions.Proving] = {}
        self.trouble = ""
        self.asked: questions.Prove | None = None
        self.paused = False
        self.part: tuple[float, float, float, float] | None = None
        self.follow = False  # whether the target is rendered again when the crossing changes, while somebody looks
        self.watched = False
        self._setting = SETTINGS[0]
        self._done: set[str] = set()
        self._judged: dict[str, Judged] = {}  # what was kept already
        self._given: dict[Run, _Given] = {}
        self._session: Session | None = None  # that is open
        self._left: dict[str, _Left] = {}  # by the scene's file
        self._unseen: dict[str, Sitting] = {}  # kept pictures of it of which ids and depths are looked for
        self._standing: tuple[object, dict[str, Mapping[str, str]]] | None = None
        self.comparing.failed.connect(self._failed)
        self.keeping.failed.connect(self._failed)
        self.comparing.shown.connect(self.changed)
        state.opened.connect(self._opened)
        state.renewed.connect(self._renewed)
        looks.proving.connect(self._proving)
        looks.proved.connect(self._proved)
        looks.troubled.connect(self._troubled)
        looks.prepared.connect(lambda _: self.changed.emit())
        looks.loaded.connect(self._loaded)
        judging.changed.connect(self._judging)
        judging.asked.connect(self._asked_really)
        judging.late.connect(self._late)

    def close(self) -> None:
        """End its threads; what was rendered is kept first."""
        self.comparing.close()
        self.keeping.close(done=True)

    # what there is

    def _opened(self) -> None:
        session = self.state.session
        if self.asked is not None or self._unseen:
            self._left[_file_of(self._session)] = _Left(self.asked, dict(self._unseen))
        self._session = session
        self.entries, self.chosen, self.live, self.asked = [], {}, {}, None
        self._done, self.part, self._unseen = set(), None, {}
        self.trouble, self.paused = "", False
        self.history = History(histories.folder_of(Path(session.scene.file))) if session is not None else None
        self.refresh()
        for side in SIDES:
            found = [one for one in self.entries if one.side == side]
            if found:
                self.chosen[side] = found[-1].id
        self.comparing.forget()
        self._take_up(self._left.pop(_file_of(session), None))
        self.changed.emit()

    def _take_up(self, left: _Left | None) -> None:
        """What was not done when the scene was let go of: what was being rendered waits for *Go on*, ids and depths are looked for."""
        if left is None:
            return
        self._unseen = dict(left.unseen)
        if left.asked is not None:
            self.asked, self.paused = self._as_it_stands(left.asked), True
        self._look_for_unseen()

    def _as_it_stands(self, asked: questions.Prove) -> questions.Prove:
        """What was asked for, of the crossing as it is now."""
        sides = tuple(new for one in asked.sides if (new := self.sitting_of(one.side)) is not None)
        return replace(asked, sides=sides)

    def _loaded(self) -> None:
        """The rendering process was given the scene anew, and has forgotten what it was at."""
        if self.state.session is not self._session:
            return  # another scene, of which nothing was asked yet
        if self.asked is not None:
            self.asked = self._as_it_stands(self.asked)
            if not self.paused:
                self.looks.renderer.ask(self.asked)
        self._look_for_unseen()

    def _look_for_unseen(self) -> None:
        """Have ids and depths looked for in what another renderer made: of one camera and size at a time, as a later question takes the place of
        an earlier one.
        """
        kept = [one for one in self.entries if one.id in self._unseen]
        if kept and self.history is not None:
            first = kept[0]
            these = tuple((one.id, self._unseen[one.id]) for one in kept if one.shape == first.shape)
            self.looks.renderer.ask(
                questions.See(first.camera, these, (first.width, first.height), self.history.folder)
            )

    def _renewed(self) -> None:
        """The crossing is another one; what is shown follows, where that is wanted."""
        entry = self.entry("target")
        waits = self.asked is None or self.paused
        if (
            self.follow
            and self.watched
            and (not waits or (entry is not None and bool(entry.made) and not self.stands(entry)))
        ):
            self.paused = False
            self.render(self._setting)
        self.changed.emit()

    def arrive(self) -> None:
        """The station was gone to: what was kept is shown."""
        if self.comparing.pair is None and not self.comparing.reading and len(self.chosen) == 2:
            self._load()

    def refresh(self) -> None:
        """Look at what is kept."""
        self.entries = self.history.entries() if self.history is not None else []
        if self.history is not None and self.history.damaged:
            names = ", ".join(self.history.damaged[:3])
            self.trouble = f"Some of what is said of kept renders cannot be read and is left out: {names}."

    def entry(self, side: str) -> Kept | None:
        """The kept picture that stands on a side."""
        return next((one for one in self.entries if one.id == self.chosen.get(side)), None)

    def choose(self, side: str, name: str) -> None:
        """Have a kept picture on a side."""
        self.live = {}
        self.chosen[side] = name
        self._load()

    def keep(self, name: str, held: bool) -> None:
        """Have one never go by itself, or let it."""
        self._say(name, held=held)

    def call(self, name: str, text: str) -> None:
        """Give one a name."""
        self._say(name, name=text.strip()[:80])

    def _say(self, which: str, **what: object) -> None:
        one = next((one for one in self.entries if one.id == which), None)
        if self.history is None or one is None:
            return
        try:
            self.history.put(replace(one, **what))  # type: ignore[arg-type]
        except DurvanError as problem:
            self.trouble = str(problem)
        self.refresh()
        self.changed.emit()

    def drop(self, names: list[str]) -> None:
        """Let some go, from the disk as well."""
        if self.history is None:
            return
        self.history.drop(names)
        for name in names:
            self.comparing.drop(name)
        self.refresh()
        for side in SIDES:
            if self.chosen.get(side) in names:
                others = [one.id for one in self.entries if one.side == side]
                self.chosen.pop(side)
                if others:
                    self.chosen[side] = others[-1]
        self._load()

    def add_file(self, side: str, file: Path) -> None:
        """Have a picture from elsewhere on a side; it stays where it is."""
        if self.history is None:
            return
        now = time.time()
        try:
            self.history.room()
            made = self.history.put(
                Kept(self.history.fresh_id(side, now), side, OUTSIDE, now, file=str(file.absolute()))
            )
        except DurvanError as problem:
            self._failed(problem)
            return
        self.refresh()
        self.choose(side, made.id)

    # rendering

    @property
    def running(self) -> bool:
        """Whether something is rendered for Proof now."""
        return self.judging.here or (self.asked is not None and not self.paused)

    def render(
        self, setting: Setting, engine: Engine = Engine.PREVIEW, afresh: bool = False, by_lights: bool = False
    ) -> None:
        """Render both sides as the crossing stands; a side that was rendered of the very same is taken as it was kept, unless `afresh`. Mitsuba
        renders every light by itself with `by_lights`; the stand-ins do so anyway.
        """
        session = self.state.session
        if session is None or not session.camera or self.history is None:
            return
        self.trouble, self._setting = "", setting
        setting = self.own(setting)
        if engine is Engine.MITSUBA:
            self.judging.start(Wish(setting.samples, 3600.0, setting.size, by_lights))
            self.changed.emit()
            return
        sides = []
        for side in SIDES:
            one = self.sitting_of(side)
            assert one is not None  # there is a session
            kept = self._same(one, setting, session.camera) if not afresh else None
            if kept is not None:
                self.chosen[side] = kept.id
            else:
                sides.append(one)
        if not sides:
            self._load()
            return
        in_use = session.document.in_use
        self._begin(
            questions.Prove(
                session.camera, tuple(sides), setting.size, setting.samples, self.history.folder, self.part, in_use
            )
        )

    def sitting_of(self, side: str) -> Sitting | None:
        """A side as the crossing stands, to be rendered."""
        session = self.state.session
        if session is None:
            return None
        used = session.now.view.used_by
        if side == "target":
            return sitting(
                session.scene,
                side,
                session.plan.target_things,
                session.camera,
                used,
                tuple(session.plan.choices.unseen),
                session.registry.packs,
            )
        corrected = {thing.id: thing for thing in session.plan.corrected}
        return sitting(
            session.scene, side, [corrected.get(thing.id, thing) for thing in session.scene.own], session.camera, used,
            packs=session.registry.packs,
        )  # fmt: skip

    def stands(self, entry: Kept) -> bool:
        """Whether a kept picture is of the crossing as it stands."""
        session = self.state.session
        if session is None:
            return False
        now = session.now
        if self._standing is None or self._standing[0] is not now:
            found = {side: one.made for side in SIDES if (one := self.sitting_of(side)) is not None}
            self._standing = now, found
        return self._standing[1].get(entry.side) == entry.made

    def own(self, setting: Setting) -> Setting:
        """A setting with what the target's own settings say of it: the last one is as large, with as many samples a pixel."""
        session = self.state.session
        if session is None or setting is not SETTINGS[-1]:
            return setting
        wanted = staging.sampling_of(session.scene, session.plan.target_things, session.registry)
        samples = min(max(wanted.samples, SETTINGS[0].samples), _MOST_SAMPLES)
        return replace(setting, samples=samples, size=_held(wanted.size) if all(wanted.size) else setting.size)

    def _same(self, one: Sitting, setting: Setting, camera: str) -> Kept | None:
        """A kept picture of the very same, as large and with as many samples."""
        if self.part is not None:
            return None
        fits = (
            kept for kept in reversed(self.entries)
            if (kept.side, kept.engine, kept.camera, kept.made) == (one.side, Engine.PREVIEW.value, camera, one.made)
            and (kept.width, kept.height) == setting.size and kept.samples >= setting.samples and kept.part is None
        )  # fmt: skip
        return next(fits, None)

    def same_noise(self) -> tuple[str, int, float] | None:
        """The side that is noisier than the other, the samples a pixel by which it would not be, and the seconds that takes; None where nobody
        knows, or where both are alike already.
        """
        one, two = self.entry("source"), self.entry("target")
        if one is None or two is None or not all(entry.noise > 0.0 and entry.samples for entry in (one, two)):
            return None
        worse, better = (two, one) if two.noise > one.noise else (one, two)
        ratio = (worse.noise / better.noise) ** 2
        if ratio < _ALIKE or worse.engine != Engine.PREVIEW.value:
            return None
        samples = math.ceil(worse.samples * ratio)
        return worse.side, samples, worse.seconds * samples / worse.samples

    def level_noise(self) -> None:
        """Render the noisier side until it is as noisy as the other one."""
        found = self.same_noise()
        one = self.sitting_of(found[0]) if found is not None else None
        session, kept = self.state.session, self.entry(found[0]) if found is not None else None
        if found is None or one is None or kept is None or session is None or self.history is None:
            return
        size = (kept.width, kept.height)
        self._begin(
            questions.Prove(session.camera, (one,), size, found[1], self.history.folder, None, session.document.in_use)
        )

    def _begin(self, asked: questions.Prove) -> None:
        self.asked = asked
        self.paused, self._done, self.live = False, set(), {}
        self.looks.renderer.ask(asked)
        self.changed.emit()

    def stop(self) -> None:
        """Stop, and keep what there is; it can be gone on with."""
        if self.judging.here:
            self.judging.stop()
        if self.asked is not None and not self.paused:
            self.paused = True
            self.looks.renderer.ask(questions.EndProof())
        self.changed.emit()

    def go_on(self) -> None:
        """Go on with what was stopped."""
        if self.asked is not None and self.paused:
            self.paused = False
            self._done = set()
            self.asked = replace(self.asked, part=self.part)
            self.looks.renderer.ask(self.asked)
            self.changed.emit()

    def only(self, part: tuple[float, float, float, float] | None) -> None:
        """Have samples go to a part of the picture alone, from now on; None: to all of it."""
        self.part = part
        if self.asked is not None and not self.paused:
            self.asked = replace(self.asked, part=part)
            self.looks.renderer.ask(self.asked)
        self.changed.emit()

    def progress(self) -> tuple[int, int]:
        """Samples that are done on the slower side, and how many are wanted."""
        if self.judging.here:
            return self.judging.done, self.judging.of
        if self.asked is None:
            return 0, 0
        done = [self.live[one.side].samples if one.side in self.live else 0 for one in self.asked.sides]
        return min(done, default=0), self.asked.samples

    def _proving(self, answer: questions.Proving) -> None:
        if self.asked is None:
            return
        self.live[answer.side] = answer
        self._show_live()
        self.changed.emit()

    def _proved(self, answer: questions.Proved) -> None:
        if self._unseen.pop(answer.entry, None) is not None:
            self._seen(answer.entry)
            return
        self.refresh()
        if all(one.id != answer.entry for one in self.entries):
            return  # it is kept with another scene, or was let go of
        self.chosen[answer.side] = answer.entry
        self.comparing.drop(answer.entry)
        if answer.done:
            self._done.add(answer.side)
        if self.asked is not None and {one.side for one in self.asked.sides} <= self._done:
            self.asked, self.live = None, {}
        if self.asked is None or self.paused:
            self.live = {}
            self._load()
        self._heard()
        self.changed.emit()

    def _seen(self, name: str) -> None:
        """What another renderer made has ids and depths now."""
        self.refresh()
        shapes = {one.id: one.shape for one in self.entries}
        if shapes.get(name) not in {shapes.get(left) for left in self._unseen}:
            self._look_for_unseen()
        self.comparing.drop(name)
        if name in self.chosen.values() and not self.live:
            self._load()
        self.changed.emit()

    def _heard(self) -> None:
        """What the stand-ins say of the scene becomes findings."""
        session = self.state.session
        if session is None:
            return
        newest = {one.side: one for one in self.entries if one.engine == Engine.PREVIEW.value}
        before = session.revision
        session.heard_of_sides({side: one.messages for side, one in newest.items()})
        if session.revision != before:
            self.state.renew()

    def _asked_really(self, run: Run) -> None:
        """A real renderer is given both sides as they stand."""
        if self.history is not None:
            given = {side: one for side in SIDES if (one := self.sitting_of(side)) is not None}
            under_way = {one: what for one, what in self._given.items() if one is self.judging.run}
            self._given = {
                **under_way,
                run: _Given(self.history, run.camera, given),
            }  # those that are over are let go of

    def _judging(self) -> None:
        """Both sides by a real renderer are kept, too."""
        for side, found in self.judging.found.items():
            if self._judged.get(side) is not found and self.judging.run is not None:
                self._judged[side] = found
                self._late(self.judging.run, side, found)
        if self.judging.trouble and not self.judging.running:
            self.trouble = " ".join(self.judging.trouble.values())
        self.changed.emit()

    def _late(self, run: Run, side: str, found: Judged) -> None:
        """A side of a run is there, whatever scene is open by now."""
        given = self._given.get(run)
        if given is not None:
            self._keep_judged(side, found, given)

    def _keep_judged(self, side: str, found: Judged, given: _Given) -> None:
        now, asked, history, camera = time.time(), given.sittings.get(side), given.history, given.camera
        height, width, _ = found.picture.shape
        made = dict(asked.made) if asked is not None else {}
        earlier = [
            one for one in history.entries() if (one.side, one.engine) == (side, Engine.MITSUBA.value) and one.made
        ]
        picture = found.as_picture()
        entry = Kept(
            history.fresh_id(side, now), side, Engine.MITSUBA.value, now, found.seconds, found.samples, width, height, camera=camera,
            response=found.response, messages=tuple((one.grade.value, "", one.text) for one in found.messages), noise=noise_of(picture),
            made=made, changed=histories.changed(earlier[-1].made, made) if earlier else (),
        )  # fmt: skip

        def save() -> Kept:
            history.room()
            writing.save(picture, history.path_of(entry), None, {"side": side, "engine": entry.engine, "made": made})
            return history.put(entry)

        def then(kept: Kept) -> None:
            if self.history is None or self.history.folder != history.folder:
                return  # it is found there when its scene is opened again
            self.refresh()
            self.chosen[side] = kept.id
            self._load()
            if asked is not None:
                self._unseen[kept.id] = asked
                self._look_for_unseen()

        self.keeping.ask(f"keep {entry.id}", save, then)

    # the pair

    def _load(self) -> None:
        """Have what stands on both sides compared."""
        session = self.state.session
        entries = {side: self.entry(side) for side in SIDES}
        one, two = entries["source"], entries["target"]
        first, second = one or two, two or one
        if first is None or second is None or self.history is None:
            self.comparing.nothing()
            self.changed.emit()
            return
        self.trouble = ""
        files, names = (self.history.path_of(first), self.history.path_of(second)), (first.id, second.id)
        things = frozenset(session.scene.things) if session is not None else frozenset()
        self.comparing.compare(
            Wanted(
                names,
                files,
                second.response or first.response,
                OUTSIDE in (first.engine, second.engine),
                one is None or two is None,
                things,
            )
        )
        self.changed.emit()

    def _show_live(self) -> None:
        """What is rendered now, beside what was kept of the other side."""
        if self.asked is None or not self.live or self.history is None:
            return
        others = {
            side: (one.id, self.history.path_of(one))
            for side in SIDES
            if side not in self.live and (one := self.entry(side)) is not None
        }
        rgb = {side: answer.picture for side, answer in self.live.items()}
        response = next(iter(self.live.values())).response
        self.comparing.watch(rgb, others, self.asked.size, response, lambda: bool(self.live))

    def _troubled(self, answer: questions.Trouble) -> None:
        """The rendering process cannot go on with it, or is gone: what was kept stays, and another try begins anew."""
        if self._unseen and answer.about in (questions.See.__name__, "renderer"):
            self._unseen, self.trouble = {}, f"What the camera sees cannot be told by name: {answer.text}"
            self.changed.emit()
        if self.asked is not None and answer.about in (
            type(self.asked).__name__,
            questions.EndProof.__name__,
            "renderer",
        ):
            self.asked, self.paused, self.live = None, False, {}
            self.trouble = answer.text
            self._load_again()
            self.changed.emit()

    def _load_again(self) -> None:
        told = self.trouble
        self._load()
        self.trouble = told

    def _failed(self, problem: DurvanError) -> None:
        self.trouble = str(problem)
        self.changed.emit()


def _file_of(session: Session | None) -> str:
    return str(Path(session.scene.file).absolute()) if session is not None else ""


def _held(size: tuple[int, int]) -> tuple[int, int]:
    """A size, or the largest of its shape that is rendered for Proof."""
    scale = min(1.0, _LONGEST / max(size))
    width, height = (max(1, round(part * scale)) for part in size)
    return width, height
