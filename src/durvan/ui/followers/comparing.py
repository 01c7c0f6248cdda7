"""The pair that Proof looks at: read beside the event loop, with the maps of what is between both, the causes, and the target without one."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from functools import partial
from pathlib import Path

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QObject, Signal

from durvan.proof import warm
from durvan.proof.causes.analysis import Analysis, Cause, analyse
from durvan.proof.causes.cells import lights_at
from durvan.proof.looking import ways
from durvan.proof.looking.lens import Levels
from durvan.proof.looking.pair import Look, Pair
from durvan.proof.mending import predicted
from durvan.proof.picture import Picture, Pixels
from durvan.proof.reading import Opened, glance, open_picture
from durvan.proof.responses import straightened
from durvan.proof.sizes import of_one_size
from durvan.ui.shared.errands import Errands


@dataclass(frozen=True)
class Wanted:
    """Two files that are to be compared: their names among what is known, the files, the response that their camera bends by, whether one is
    from elsewhere (then a response is looked for), whether there is but one, and the things that ids may name.
    """

    names: tuple[str, str]
    files: tuple[Path, Path]
    response: str = ""
    outside: bool = False
    alone: bool = False
    things: frozenset[str] = frozenset()


@dataclass(frozen=True)
class _Read:
    pair: Pair
    remarks: tuple[str, ...] = ()


class Comparing(QObject):
    """Holds the pair, and works out what is asked of it."""

    shown = Signal()  # another pair
    explained = Signal()  # the causes of its difference are known, or no more
    mapped = Signal()  # something that is looked at is worked out
    failed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.errands = Errands("proof", self)
        self.thinking = Errands("causes", self)  # beside the other, as neither keeps all cores busy
        self.pair: Pair | None = None
        self.analysis: Analysis | None = None
        self.cause: int | None = None
        self.mended: Levels | None = None
        self.effect: Levels | None = None
        self.remarks: tuple[str, ...] = ()
        self.reading = False
        self._pictures: dict[str, Opened] = {}
        for errands in (self.errands, self.thinking):
            errands.failed.connect(self._failed)

    def close(self) -> None:
        """End its threads."""
        self.errands.close()
        self.thinking.close()

    def forget(self) -> None:
        """Show nothing."""
        self.errands.forget()
        self.thinking.forget()
        self._pictures = {}
        self.nothing()

    def nothing(self) -> None:
        """There is no pair."""
        self.pair, self.remarks, self.reading = None, (), False
        self._unexplained()
        self.shown.emit()
        self.explained.emit()

    def drop(self, name: str) -> None:
        """Read a picture anew when it is wanted next."""
        self._pictures.pop(name, None)

    def _unexplained(self) -> None:
        self.analysis = self.cause = self.mended = self.effect = None

    # the pair

    def compare(self, wanted: Wanted) -> None:
        """Read two files: their pixels by themselves first, then all that they know."""
        self._unexplained()
        self.reading = True
        if any(name not in self._pictures for name in wanted.names):
            self.errands.ask("glance", partial(self._read, wanted, glance), self._glanced)
        self.errands.ask(
            "pair", partial(self._read, wanted, open_picture), lambda found: self._stands(found, wanted.alone)
        )
        self.explained.emit()

    def _read(self, wanted: Wanted, look: Callable[[Path], Opened]) -> _Read:
        warm.ensure()
        known, whole = dict(self._pictures), look is open_picture
        opened = [known.get(name) or look(file) for name, file in zip(wanted.names, wanted.files, strict=True)]
        if whole:
            self._pictures = dict(zip(wanted.names, opened, strict=True))
        first, second = (Opened(found.picture, list(found.remarks)) for found in opened)
        one, two = of_one_size(first, second)
        if wanted.outside and whole:
            one, two, bent = straightened(one, two)
            if bent is not None:
                (first if bent.side == "source" else second).remarks.append(bent.told)
        pair = Pair(one, two, wanted.response)
        pair.pictures()
        said = []
        for file, found in zip(wanted.files, (first, second), strict=True):
            said += [f"{file.name} {remark}" for remark in (*found.remarks, *_strangers(found.picture, wanted.things))]
        return _Read(pair, tuple(said))

    def _glanced(self, found: _Read) -> None:
        self.pair = found.pair
        self.shown.emit()

    def _stands(self, found: _Read, alone: bool) -> None:
        self.reading = False
        self.pair, self.remarks = found.pair, found.remarks
        if alone:
            self.remarks = ("Only one side has a picture; it stands on both.", *self.remarks)
        self.shown.emit()
        if not alone:
            self.thinking.ask("causes", partial(_explain, found.pair), self._explained)

    def _explained(self, found: tuple[Pair, Analysis]) -> None:
        if found[0] is self.pair:
            self.analysis = found[1]
            self.explained.emit()

    def watch(
        self, live: Mapping[str, NDArray[np.float16]], others: Mapping[str, tuple[str, Path]], size: tuple[int, int], response: str, stands: Callable[[], bool]
    ) -> None:  # fmt: skip
        """Show what is being rendered, as far as it has got, beside what was kept of the other side (its name and file); `stands` says, when it
        is ready, whether it is still wanted.
        """
        known = dict(self._pictures)

        def work() -> _Read:
            warm.ensure()
            rgb = {side: _as_large(one.astype(np.float32), size) for side, one in live.items()}
            for side, (name, file) in others.items():
                opened = known.get(name) or glance(file)
                rgb.setdefault(side, _as_large(opened.picture.rgb, size))
            one, two = rgb.get("source"), rgb.get("target")
            both = [Picture(side) for side in (one, two) if side is not None]
            pair = Pair(both[0], both[-1], response)
            pair.pictures()
            return _Read(pair)

        self.analysis = self.cause = None
        self.errands.ask("live", work, lambda found: self._glanced(found) if stands() else None)

    # maps

    def want(self, way: str, look: Look) -> bool:
        """Whether what a way shows is there; else it is worked out beside the event loop, and `mapped` tells when it is."""
        pair = self.pair
        if pair is None:
            return False
        if way == ways.CAUSE:
            return self.effect is not None
        work: Callable[[], object]
        if way == ways.EXPOSURE:
            ready, work = pair.ready("luminances", None), pair.luminances
        elif way == ways.NOISE:
            ready, work = pair.ready("noises", None), pair.noises
        elif ways.BY_NAME[way].between:
            ready, work = pair.ready(way, look), partial(pair.between, way, look)
        else:
            return True
        if not ready:
            self.errands.ask("map", work, lambda _: self.mapped.emit())
        return ready

    def work_ahead(self, look: Look) -> None:
        """Have all maps ready before somebody looks at them."""
        pair = self.pair
        if pair is None:
            return

        def work() -> None:
            pair.luminances()
            for way in ways.WAYS:
                if way.between and way.name != ways.CAUSE and pair is self.pair:
                    pair.between(way.name, look)
            pair.noises()

        self.errands.ask("ahead", work, lambda _: self.mapped.emit())

    # causes

    def look_at_cause(self, number: int | None) -> None:
        """Choose a cause: what it makes of the picture is worked out, and the picture without it."""
        self.cause, self.mended, self.effect = number, None, None
        pair, cause = self.pair, self.chosen_cause()
        self.explained.emit()
        if pair is not None and cause is not None:
            self.errands.ask("cause", partial(_without, pair, cause), self._mended)

    def _mended(self, found: tuple[Pair, Cause, Levels, Levels] | None) -> None:
        if found is not None and found[0] is self.pair and found[1] is self.chosen_cause():
            self.mended, self.effect = found[2], found[3]
        self.explained.emit()
        self.mapped.emit()

    def chosen_cause(self) -> Cause | None:
        """The cause that is looked at."""
        if self.analysis is None or self.cause is None or self.cause >= len(self.analysis.causes):
            return None
        return self.analysis.causes[self.cause]

    def light_shares(self, x: int, y: int) -> list[tuple[str, float]]:
        """Whose light is at a pixel of the target, the most first: names and shares."""
        return lights_at(self.analysis.solved.model.cells, x, y) if self.analysis is not None else []

    def _failed(self, problem: object) -> None:
        self.reading = False
        self.failed.emit(problem)
        self.shown.emit()


def _explain(pair: Pair) -> tuple[Pair, Analysis]:
    return pair, analyse(pair.source, pair.target)


def _without(pair: Pair, cause: Cause) -> tuple[Pair, Cause, Levels, Levels] | None:
    """The target without a cause, and what the cause makes of it, in stops."""
    rgb = predicted(pair.source, pair.target, cause)
    if rgb is None:
        return None
    effect = Pair(Picture(rgb), pair.target).measured(ways.STOPS, Look())
    return pair, cause, Levels.of(rgb), Levels.of(effect)


def _strangers(picture: Picture, things: frozenset[str]) -> list[str]:
    """A remark where a picture's ids name nothing of the scene."""
    names = picture.materials.names if picture.materials is not None else ()
    if not names or not things or any(name in things for name in names):
        return []
    return [f"has ids of {len(names)} materials, none of which is one of this scene (such as {names[0]})"]


def _as_large(rgb: Pixels, size: tuple[int, int]) -> Pixels:
    """A picture at another size, each pixel as it is."""
    height, width = rgb.shape[:2]
    if (width, height) == size:
        return rgb
    rows = np.minimum((np.arange(size[1]) * height) // size[1], height - 1)
    columns = np.minimum((np.arange(size[0]) * width) // size[0], width - 1)
    return np.ascontiguousarray(rgb[np.ix_(rows, columns)])
