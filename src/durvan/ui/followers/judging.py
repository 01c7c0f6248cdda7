"""Both sides really rendered, beside the event loop: pictures as they come, a stop, a limit of time, and what was said."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

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


@dataclass(frozen=True)
class _Run:
    session: Session
    wish: Wish
    camera: str


class Judging(QObject):
    """Renders when it is asked to; what comes back belongs to the crossing as it stood then."""

    changed = Signal()
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
        self.job: Job | None = None
        self._of: object = None  # the document that was rendered
        self._came.connect(self._take, QUEUED)
        self._ended.connect(self._side, QUEUED)
        state.opened.connect(self.forget)
        state.renewed.connect(self.changed)

    @property
    def running(self) -> bool:
        """Whether something is being rendered."""
        return self.job is not None

    @property
    def side(self) -> str:
        """The side that is rendered, while something is: the source comes first."""
        return "target" if "source" in self.found or "source" in self.trouble else "source"

    @property
    def stale(self) -> bool:
        """Whether the crossing is another one now than the one that was rendered."""
        session = self.state.session
        return bool(self.pictures) and session is not None and session.document is not self._of

    def start(self, wish: Wish) -> None:
        """Render both sides, one after the other, as the crossing stands."""
        session = self.state.session
        if session is None or self.running or not session.camera:
            return
        self.pictures, self.found, self.trouble = {}, {}, {}
        self._of = session.document
        run = _Run(session, wish, session.camera)
        self.job = job = Job("Rendering with Mitsuba", lambda report: self._work(run, report), self)
        job.progressed.connect(self._progress, QUEUED)
        for signal in (job.finished, job.failed):
            signal.connect(lambda _: self._over(), QUEUED)
        job.stopped.connect(self._over, QUEUED)
        self.doing = "Writing for Mitsuba"
        self.changed.emit()
        job.start()

    def stop(self) -> None:
        """End it; what there is stays."""
        if self.job is not None:
            self.job.stop()

    def close(self) -> None:
        """End it for good."""
        job, self.job = self.job, None
        if job is not None:
            job.stop()
            job.wait(10.0)

    def forget(self) -> None:
        """Another scene: nothing of the one before is shown."""
        self.stop()
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

    def _work(self, run: _Run, report: Report) -> None:
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
        if self.job is not None:
            self.pictures[side] = (image(picture), samples, max(self.of, samples))  # type: ignore[arg-type] # bytes, as they were sent
            self.changed.emit()

    def _side(self, side: str, came: object) -> None:
        if isinstance(came, Judged):
            self.found[side] = came
            self.pictures[side] = (image(bytes_of(developed(came.picture, came.response))), came.samples, came.samples)
        else:
            self.trouble[side] = str(came)
        self.changed.emit()

    def _progress(self, step: Step) -> None:
        if step.doing:
            self.doing, self.done, self.of = step.doing, step.done, step.of
            self.changed.emit()

    def _over(self) -> None:
        if self.job is None:
            return
        self.job, self.doing, self.done = None, "", 0
        session = self.state.session
        said = [message for one in self.found.values() for message in one.messages]
        if session is not None and self.found:
            before = session.revision
            session.heard(said)
            if session.revision != before:
                self.state.renew()
        self.changed.emit()
