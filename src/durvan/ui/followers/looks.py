"""What everything looks like, as the rendering process says it: swatches, drifts, renders, kept for the views."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import singledispatchmethod

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QBuffer, QObject, Qt, QTimer, Signal
from PySide6.QtGui import QImage, QPainter

from durvan.crossing.job.session import Session
from durvan.crossing.light.asking import stops_of
from durvan.crossing.looks import questions
from durvan.crossing.looks.client import Renderer
from durvan.crossing.looks.keys import LookKey
from durvan.crossing.looks.pairs import Pair, pair, unfitted
from durvan.crossing.looks.questions import Fitted
from durvan.crossing.translation.lighting import Handling
from durvan.crossing.translation.result import Translation
from durvan.errors import MisuseError
from durvan.record.page import Gallery
from durvan.scene.drift import Drift
from durvan.scene.given import Given
from durvan.scene.model import Kind, Scene, Thing
from durvan.ui.shared.state import State

MOST = 300  # materials that are measured by themselves; any other is when it is looked at
VIEW, LARGE = (288, 162), (960, 540)
FIRST_SAMPLES = 8  # of the camera's view, before drifts are measured
VIEW_SAMPLES = 64
UNKNOWN = 6.0  # the drift that one is taken for of which not all is known
_TOGETHER = 400  # milliseconds between two tellings of many small news


def image(picture: NDArray[np.uint8]) -> QImage:
    """Bytes [height, width, 3] as an image of its own."""
    held = np.ascontiguousarray(picture)
    height, width, _ = held.shape
    return QImage(held.data, width, height, 3 * width, QImage.Format.Format_RGB888).copy()


def beside(pictures: list[QImage]) -> QImage:
    """Pictures of one size side by side."""
    width, height = pictures[0].width(), pictures[0].height()
    made = QImage(width * len(pictures), height, QImage.Format.Format_RGB888)
    painter = QPainter(made)
    for place, picture in enumerate(pictures):
        painter.drawImage(place * width, 0, picture)
    painter.end()
    return made


def _png(picture: QImage) -> bytes:
    held = QBuffer()
    held.open(QBuffer.OpenModeFlag.WriteOnly)
    picture.save(held, b"PNG")
    return bytes(held.data().data())


@dataclass
class Closely:
    """A swatch pair as the views draw it: three lightings of source, target and difference."""

    source: list[QImage]
    target: list[QImage]
    difference: list[QImage]
    drift: Drift
    polar: NDArray[np.float64]
    done: bool


class Looks(QObject):
    """Asks for looks as the crossing changes, and keeps what comes back."""

    seen = Signal(str)
    opened_up = Signal(str)
    loaded = Signal()  # the rendering process is given the scene anew
    rendered = Signal(str)
    prepared = Signal(str)
    balanced = Signal(object)
    marked = Signal()
    settled = Signal(object)
    proving = Signal(object)
    proved = Signal(object)
    troubled = Signal(object)
    _answer = Signal(object)

    def __init__(self, state: State, parent: QObject | None = None, rendering: bool = True) -> None:
        super().__init__(parent)
        self.state = state
        self.renderer = Renderer(self._answer.emit)
        self.closely: dict[str, Closely] = {}
        self.small: dict[str, tuple[QImage, QImage]] = {}
        self.inside: dict[tuple[str, str], dict[str, Given]] = {}
        self.shares: dict[str, float] = {}
        self.where: tuple[tuple[str, ...], NDArray[np.int32]] | None = None
        self.mark = ""
        self.trying = ""
        self.size = VIEW
        self.views: dict[str, tuple[QImage, int, int, tuple[str, ...]]] = {}
        self.preparing = ""
        self.fitting = 0
        self.trouble = ""
        self.renderer_ready = rendering
        self.left = 0
        self._keys: dict[str, LookKey] = {}
        self._files: dict[str, tuple[str, object]] = {}
        self._news: dict[LookKey, Drift] = {}
        self._lit = ""
        self._mixed = questions.Mix({})
        self._asked = self._tried = ""
        self._told = QTimer(self)
        self._told.setSingleShot(True)
        self._told.setInterval(_TOGETHER)
        self._told.timeout.connect(self._tell)
        self._answer.connect(self._take, Qt.ConnectionType.QueuedConnection)
        if not rendering:
            self.trouble = "Nothing is rendered."
            return
        state.opened.connect(self._opened)
        state.renewed.connect(self._renewed)
        state.selected.connect(self._look)
        state.fit_wanted.connect(self.fit)

    def close(self) -> None:
        """End the rendering process."""
        self._told.stop()
        self.renderer.close()

    def gallery(self) -> Gallery:
        """What has been seen so far, for a record."""
        made = {thing: (_png(pair[0]), _png(pair[1])) for thing, pair in self.small.items()}
        made.update(
            (thing, (_png(beside(one.source)), _png(beside(one.target)))) for thing, one in self.closely.items()
        )
        views = tuple(_png(self.views[side][0]) for side in ("source", "target") if side in self.views)
        camera = self._camera().rpartition("/")[2]
        return Gallery(made, views, camera) if len(views) == 2 else Gallery(made)

    # asking

    def _opened(self) -> None:
        session = self.state.session
        if session is None:
            return
        for kept in (self.closely, self.small, self.inside, self.shares, self.views, self._keys, self._news):
            kept.clear()
        self._asked = self.trying = self.trouble = self._lit = ""
        self._mixed = questions.Mix({})
        self._files = _files_of(session.scene)
        self.renderer.ask(questions.Load(session.scene, session.registry.user))
        self.renderer.ask(questions.LookAtShapes())
        self.renderer.ask(questions.Recognise())
        camera = self._camera()
        self.where = None
        if camera:
            self.renderer.ask(questions.Cover(camera, self.size))
        self.loaded.emit()

    def _camera(self) -> str:
        session = self.state.session
        return session.camera if session is not None else ""

    def _pairs(self, most: int | None) -> list[Pair]:
        """The materials that are carried, those that cover most of the camera's picture first."""
        session = self.state.session
        if session is None:
            return []
        found = [t for t in session.scene.of(Kind.MATERIAL) if t.id in session.plan.translations]
        found.sort(key=lambda thing: -self.shares.get(thing.id, 0.0))
        return [pair(thing, session.plan.translations[thing.id], session.now.view.used_by) for thing in found[:most]]

    def _renewed(self) -> None:
        session = self.state.session
        if session is None:
            return
        if self._files != _files_of(session.scene):  # other pictures: both sides look different now
            self._opened()
        pairs = self._pairs(MOST)
        fresh = [one for one in pairs if self._keys.get(one.thing.id) != one.key]
        self._keys.update((one.thing.id, one.key) for one in fresh)
        self._light(bool(fresh))
        if not fresh:
            return
        known = session.evidence.drifts
        unmeasured = [one for one in pairs if (found := known.get(one.key)) is None or found.guessed]
        self.left = len(unmeasured)
        self.renderer.ask(
            questions.GuessAll([one for one in self._pairs(None) if one.key not in session.evidence.drifts])
        )
        self.renderer.ask(questions.MeasureAll(unmeasured))
        self._asked = ""
        self._look()

    def _light(self, others: bool) -> None:
        """Have the camera's view rendered and the light measured, where they are other than they were; trims only mix them."""
        session = self.state.session
        if session is None or not session.camera:
            return
        wanted = session.light_wanted()
        asked = f"{wanted.key} {wanted.picked}"
        if others or wanted.key not in self._lit:
            corrected, target = session.plan.corrected, list(wanted.target)
            self.renderer.ask(
                questions.Render(wanted.camera, target, corrected, self.size, FIRST_SAMPLES, wanted.unseen)
            )
            self.renderer.ask(questions.Refine(VIEW_SAMPLES))
        if asked != self._lit:
            self._lit = asked
            self.renderer.ask(questions.Balance(wanted))
        self.mix(stops_of(session.plan))

    def mix(self, stops: Mapping[str, Handling], alone: str = "") -> None:
        """Show the camera's view with other trims, or by one light alone; nothing is rendered anew for it where lights are few."""
        factors = {(path, part): done.factor(part) for path, done in stops.items() for part in ("", "sky")}
        wanted = questions.Mix({key: k for key, k in factors.items() if k != 1.0}, alone)
        if wanted != self._mixed:
            self._mixed = wanted
            self.renderer.ask(wanted)
            self.renderer.ask(questions.Refine(VIEW_SAMPLES))

    def _look(self) -> None:
        session, thing = self.state.session, self.state.thing()
        if session is None or thing is None or thing.kind is not Kind.MATERIAL:
            return
        translation = session.plan.translations.get(thing.id)
        if translation is None:
            return
        both = pair(thing, translation, session.now.view.used_by)
        asked = f"{thing.id} {both.key}"
        if self.trying and self._tried == thing.id:  # until it is let go, what is tried is shown
            return
        if asked != self._asked:
            self._asked, self.trying = asked, ""
            self.renderer.ask(questions.LookInside(both))
            self.renderer.ask(questions.LookAt(both))

    def try_on(self, thing: Thing | None, translation: Translation | None = None) -> None:
        """Show a material as something would have it, in all views; without one, as it stands again."""
        session = self.state.session
        if thing is None or translation is None or session is None:
            if self.trying:
                self._asked = self.trying = ""
                self._look()
            return
        both = pair(thing, translation, session.now.view.used_by)
        if both.key != self.trying:
            self.trying, self._tried, self._asked = both.key, thing.id, ""
            self.renderer.ask(questions.LookAt(both))

    def taken(self) -> None:
        """What is tried was put in: what stands is shown from now on."""
        self.trying = ""

    def fit(self, names: list[str]) -> None:
        """Have materials fitted, from what a person's choices come to without a fit."""
        session = self.state.session
        if session is None:
            return
        pairs = unfitted(session.plan, session.registry, names, session.now.view.used_by)
        self.fitting = len(pairs)
        self.renderer.ask(questions.FitAll(pairs))
        self.state.looked.emit()

    # answers

    def _take(self, answer: object) -> None:
        """The slot: an answer is taken by its kind, whichever question it belongs to."""
        self._taken(answer)

    @singledispatchmethod
    def _taken(self, answer: object) -> None:
        raise MisuseError(f"Nobody takes answers like {type(answer).__name__}.")

    @_taken.register
    def _(self, answer: questions.Measured) -> None:
        self.small[answer.thing] = (image(answer.source), image(answer.target))
        self.left = answer.left
        self._learn(answer.key, answer.drift)

    @_taken.register
    def _(self, answer: questions.Guessed) -> None:
        for key, drift in answer.drifts.items():
            self._learn(key, drift)

    @_taken.register
    def _(self, answer: questions.Seen) -> None:
        self.closely[answer.thing] = Closely(
            [image(p) for p in answer.source], [image(p) for p in answer.target], [image(p) for p in answer.difference],
            answer.drift, answer.polar, answer.done,
        )  # fmt: skip
        if answer.done:
            self._learn(answer.key, answer.drift)
        self.seen.emit(answer.thing)

    @_taken.register
    def _(self, answer: questions.Inside) -> None:
        kept = self.inside.setdefault((answer.thing, answer.side), {})
        kept.update(answer.given)
        self.opened_up.emit(answer.thing)

    @_taken.register
    def _(self, answer: questions.Worn) -> None:
        self._renew_if(lambda session: session.worn(answer.bodies))

    @_taken.register
    def _(self, answer: questions.Recognised) -> None:
        self._renew_if(lambda session: session.recognised(answer.traits))

    def _renew_if(self, take: Callable[[Session], None]) -> None:
        """Take something in, and work out what follows if it is news."""
        session = self.state.session
        if session is None:
            return
        before = session.revision
        take(session)
        if session.revision != before:
            self.state.renew()

    @_taken.register
    def _(self, answer: questions.Covered) -> None:
        self.shares = answer.shares
        if answer.where is not None:
            self.where = answer.materials, answer.where
        self.state.looked.emit()
        self.marked.emit()

    @_taken.register
    def _(self, answer: questions.Balanced) -> None:
        session = self.state.session
        if session is not None:
            session.lit(answer.report)
            self.balanced.emit(answer)
            self.state.catch_up()

    @_taken.register
    def _(self, answer: questions.Rendered) -> None:
        self.views[answer.side] = (image(answer.picture), answer.samples, answer.of, answer.notes)
        self.rendered.emit(answer.side)

    @_taken.register
    def _(self, answer: questions.Preparing) -> None:
        self.preparing = answer.text
        self.prepared.emit(answer.text)

    @_taken.register
    def _(self, answer: Fitted) -> None:
        self.fitting = 0
        session = self.state.session
        if session is not None and answer.change is not None:
            session.measured(answer.drifts)
            self.state.change("Fit", answer.change)
        else:
            self.trouble = "No fit lowers the drift."
        self.state.looked.emit()

    @_taken.register
    def _(self, answer: questions.Trouble) -> None:
        self.fitting = 0
        self.trouble = answer.text
        self.prepared.emit(answer.text)
        self.troubled.emit(answer)

    @_taken.register
    def _(self, answer: questions.Settled) -> None:
        self.settled.emit(answer)

    @_taken.register
    def _(self, answer: questions.Proving) -> None:
        self.proving.emit(answer)

    @_taken.register
    def _(self, answer: questions.Proved) -> None:
        self.proved.emit(answer)

    # finding things in the camera's view

    def enlarge(self, large: bool) -> None:
        """Have the camera's view rendered larger, or as small as before."""
        size = LARGE if large else VIEW
        if size == self.size:
            return
        self.size, self._lit = size, ""
        camera = self._camera()
        if camera:
            self.renderer.ask(questions.Cover(camera, size))
            self._light(True)

    def mark_as(self, how: str) -> None:
        """Mark the chosen material in the camera's view: "loud", "apart" (everything else is grey), or no more; the same twice is no more."""
        self.mark = "" if how == self.mark else how
        self.marked.emit()

    def pixels_of(self, thing: str) -> NDArray[np.bool_] | None:
        """Where a material stands in the camera's view [height, width]; None where nobody knows."""
        if self.where is None or thing not in self.where[0]:
            return None
        return np.asarray(self.where[1] == self.where[0].index(thing))

    def unknown(self) -> NDArray[np.bool_] | None:
        """Where materials stand whose look is not all known; None where there are none."""
        session = self.state.session
        if session is None or self.where is None:
            return None
        numbers = [
            number
            for number, path in enumerate(self.where[0])
            if path and (found := session.drift(path)) is not None and found.caveats
        ]
        return np.isin(self.where[1], numbers) if numbers else None

    def thing_at(self, across: float, down: float) -> str:
        """The material at a place of the camera's view, from 0 to 1; empty for none."""
        if self.where is None or not (0.0 <= across < 1.0 and 0.0 <= down < 1.0):
            return ""
        names, where = self.where
        number = int(where[int(down * where.shape[0]), int(across * where.shape[1])])
        return names[number] if number >= 0 else ""

    def _learn(self, key: LookKey, drift: Drift) -> None:
        """Keep a drift, and tell of many small news together."""
        self._news[key] = drift
        if not self._told.isActive():
            self._told.start()

    def _tell(self) -> None:
        session = self.state.session
        if session is not None and self._news:
            news, self._news = self._news, {}
            session.measured(news)
            self.state.catch_up()

    def weight(self, thing: str) -> float:
        """How much a material shows: its drift times the share of the picture it covers (a thousandth at least)."""
        session = self.state.session
        found = session.drift(thing) if session is not None else None
        if found is None:
            return 0.0
        share = max(self.shares.get(thing, 0.0), 0.001)
        # what is not known may be anything: it stands among what a person has to look at
        return max(found.mean, UNKNOWN if found.caveats else 0.0) * share


def _files_of(scene: Scene) -> dict[str, tuple[str, object]]:
    """Which file every picture is read from now, and which state of it."""
    return {file.written: (file.first, (file.size, file.changed)) for file in scene.pictures.values()}
