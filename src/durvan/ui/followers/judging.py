"""Both sides really rendered, beside the event loop: pictures as they come, a stop, a limit of time, and what was said."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from PySide6.QtCore import QObject, Signal
from PySide6.QtGui import QImage

from durvan.crossing.job.judging import Floats, Judged, judge
from durvan.crossing.job.session import Session
from durvan.errors import DurvanError
from durvan.optics.tone import bytes_of, developed
from durvan.progress import Report, Step
from durvan.ui.followers.looks import LARGE, image
from durvan.ui.shared.state import State
from durvan.ui.shared.work import QUEUED, Job

SIDES = ("source", "target")


@dataclass(frozen=True)
class Wish:
    """How to render: samples a pixel, after how many seconds a side is stopped, how large, and whether every light by itself."""

    samples: int = 64
    limit: float = 600.0
    size: tuple[int, int] = LARGE
    by_lights: bool = False


@dataclass(frozen=True, eq=False)
class Run:
    """What is rendered: the crossing as it stood when it was asked for, and whose."""

    session: Session
    wish: Wish
    camera: str
    of: Session

    @property
    def name(self) -> str:
        """Its scene's file."""
        return Path(self.session.scene.file).name


class Judging(QObject):
    """Renders when it is asked to; what comes back belongs to the crossing as it stood then, whatever is open by now."""

    changed = Signal()
    asked = Signal(object)  # a run that is to come
    late = Signal(object, str, object)  # a side of a run of another scene than the one that is open
    _came = Signal(str, object, int)
    _ended = Signal(str, object)

    def __init__(self, state: State, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state = state
        self.pictures: dict[str, tuple[QImage, int, int]] = {}
        self.found: dict[str, Judged] = {}
        self.trouble: dict[str, str] = {}
        self.doing = ""
        self.done, self.of = 0, 0
        self.side = SIDES[0]  # that is rendered, while one is: the source comes first
        self.job: Job | None = None
        self.run: Run | None = None  # the last that began
        self._next: Run | None = None
        self._of: object = None  # the document that was rendered
        self._came.connect(self._take, QUEUED)
        self._ended.connect(self._ended_side, QUEUED)
        state.opened.connect(self.forget)
        state.renewed.connect(self.changed)

    @property
    def running(self) -> bool:
        """Whether something is being rendered."""
        return self.job is not None

    @property
    def here(self) -> bool:
        """Whether what is rendered, or waits for its turn, is of the scene that is open."""
        run = self._next or self.run
        return self.running and run is not None and run.of is self.state.session

    @property
    def elsewhere(self) -> bool:
        """Whether another scene than the one that is open is rendered."""
        return self.running and not self._is_shown

    @property
    def stale(self) -> bool:
        """Whether the crossing is another one now than the one that was rendered."""
        session = self.state.session
        return bool(self.pictures) and session is not None and session.document is not self._of

    def start(self, wish: Wish) -> None:
        """Render both sides, one after the other, as the crossing stands; after what is rendered of another scene, where something is."""
        session = self.state.session
        if session is None or self.here or not session.camera:
            return
        self.pictures, self.found, self.trouble = {}, {}, {}
        self._of = session.document
        run = Run(session.snapshot(), wish, session.camera, session)
        self.asked.emit(run)
        if self.run is not None and self.elsewhere:
            self._next, self.doing = run, f"Waiting until {self.run.name} is rendered"
            self.changed.emit()
        else:
            self._begin(run)

    def _begin(self, run: Run) -> None:
        self.run, self.side = run, SIDES[0]
        self.job = job = Job("Rendering with Mitsuba", lambda report: self._work(run, report), self)
        job.progressed.connect(self._progress, QUEUED)
        for signal in (job.finished, job.failed):
            signal.connect(lambda _: self._over(), QUEUED)
        job.stopped.connect(self._over, QUEUED)
        self.doing = "Writing for Mitsuba"
        self.changed.emit()
        job.start()

    def stop(self) -> None:
        """End it; what there is stays. What waits for another scene's end waits no more, and that goes on."""
        if self._next is not None:
            self._next = None
            self.changed.emit()
        elif self.job is not None:
            self.job.stop()

    def stop_other(self) -> None:
        """End what is rendered of another scene than the one that is open."""
        if self.elsewhere and self.job is not None:
            self.job.stop()

    def close(self) -> None:
        """End it for good."""
        self._next = None
        job, self.job = self.job, None
        if job is not None:
            job.stop()
            job.wait(10.0)

    def forget(self) -> None:
        """Another scene: nothing of the one before is shown. What is rendered of it goes on, and is kept with it."""
        self._next = None
        self.pictures, self.found, self.trouble = {}, {}, {}
        self.changed.emit()

    def left_out(self) -> dict[str, list[str]]:
        """What has no counterpart and shows, of both sides, by thing."""
        together: dict[str, list[str]] = {}
        for side in SIDES:
            for name, why in self.found[side].left_out.items() if side in self.found else ():
                together[name] = list(dict.fromkeys((*together.get(name, ()), *why)))
        return together

    # in the job's thread

    def _work(self, run: Run, report: Report) -> None:
        for side in SIDES:
            try:
                made = judge(
                    run.session, side == "target", run.camera, run.wish.samples, run.wish.size, run.wish.limit, report, self._seen(side),
                    run.wish.by_lights,
                )  # fmt: skip
            except DurvanError as problem:
                report(Step(""))  # raises where it was stopped
                self._ended.emit(side, problem)
            else:
                self._ended.emit(side, made)

    def _seen(self, side: str) -> Callable[[Floats, int, str], None]:
        return lambda picture, samples, response: self._came.emit(side, bytes_of(developed(picture, response)), samples)

    # in the event loop

    def _take(self, side: str, picture: object, samples: int) -> None:
        if self.here:
            self.pictures[side] = (image(picture), samples, max(self.of, samples))  # type: ignore[arg-type] # bytes, as they were sent
            self.changed.emit()

    def _ended_side(self, side: str, came: object) -> None:
        self.side = SIDES[-1]
        if not self._is_shown:
            if isinstance(came, Judged):
                self.late.emit(self.run, side, came)
        elif isinstance(came, Judged):
            self.found[side] = came
            self.pictures[side] = (image(bytes_of(developed(came.picture, came.response))), came.samples, came.samples)
        else:
            self.trouble[side] = str(came)
        self.changed.emit()

    @property
    def _is_shown(self) -> bool:
        """Whether what comes now is of the scene that is open."""
        return self.run is not None and self.run.of is self.state.session

    def _progress(self, step: Step) -> None:
        if step.doing and self._next is None and self.run is not None:
            of = "" if self._is_shown else f"{self.run.name}: "
            self.doing, self.done, self.of = of + step.doing, step.done, step.of
            self.changed.emit()

    def _over(self) -> None:
        if self.job is None:
            return
        self.job, self.doing, self.done = None, "", 0
        session = self.state.session
        said = [message for one in self.found.values() for message in one.messages]
        if session is not None and self._is_shown and self.found:
            before = session.revision
            session.heard(said)
            if session.revision != before:
                self.state.renew()
        following, self._next = self._next, None
        if following is not None:
            self._begin(following)
        self.changed.emit()
