"""Drift: how different one material looks in two dialects, as one number with a known uncertainty."""

from __future__ import annotations

import json
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path

import numpy as np

from durvan.dialects.look import Record
from durvan.engine.estimate import Distance, carried_on, distance
from durvan.engine.swatch_scene import LIGHTINGS
from durvan.engine.swatches import (
    ALL,
    DEEP,
    FEW,
    FEWEST,
    LEVELS,
    Maker,
    Swatch,
    fingerprint,
    places,
)
from durvan.replacing import replacing
from durvan.scene.drift import Drift

SURE = 0.12  # noise at which a drift is settled; the promise is 0.15, or a twentieth of a drift over 3
PART = 0.04
_NONE = Drift(0.0, 0.0, 0.0, LIGHTINGS[0], (0.0, 0.0, 0.0), 1)  # of a look against itself


def compare(source: Maker, target: Maker, level: int, many: int = FEW) -> Distance | None:
    """How far two swatches are apart at a level that both have passed at so many places; None of another level. Of a look
    against itself it is exactly 0.
    """
    if source.key == target.key:
        return Distance(np.zeros(len(LIGHTINGS)), 0.0, 0.0, 0.0)
    if many == FEW or level <= DEEP:
        return _distance(source, target, level, many)
    near, few, later = (_distance(source, target, *at) for at in ((DEEP, many), (DEEP, FEW), (level, FEW)))
    return carried_on(near, few, later) if near and few and later else later


def guess(source: Maker, target: Maker) -> Drift:
    """A first guess at the drift, from a few pixels of each."""
    if source.key == target.key:
        return _NONE
    one, two = (maker.guess().astype(np.float64) for maker in (source, target))
    return _told(distance(one, two, places(FEWEST).lattice), 0)


def _distance(source: Maker, target: Maker, level: int, many: int) -> Distance | None:
    one, two = source.parts(level, many), target.parts(level, many)
    if one is None or two is None:
        return None
    if len(one) != len(two):  # the level before it is known of one alone
        one, two = (0.5 * (parts[:2] + parts[2:]) if len(parts) == 4 else parts for parts in (one, two))
    return distance(one.astype(np.float64), two.astype(np.float64), places(many).lattice)


def _told(found: Distance, level: int) -> Drift:
    by = [float(part) for part in found.by_lighting]
    return Drift(found.mean, found.worst, found.noise, LIGHTINGS[int(np.argmax(by))], (by[0], by[1], by[2]), level)


def _limit(mean: float) -> float:
    return max(SURE, PART * mean)


def _wants_places(found: Distance) -> bool:
    """Whether it is for want of places, more than of samples, that a drift is not settled."""
    return found.noise > _limit(found.mean) and found.of_places > found.of_samples


def measure(
    source: Maker,
    target: Maker,
    watch: Callable[[Swatch, Swatch, Drift], None] | None = None,
    stop: Callable[[], bool] = lambda: False,
) -> Drift | None:
    """Go on with both swatches until their drift is settled, with more samples or at more places, whichever is wanting;
    None when stopped. `watch` sees every level; where nobody watches, nothing is computed but those places.
    """
    many, told = FEW, None
    for level in LEVELS:
        while True:
            if not all(maker.to(level, stop, None if watch else many) for maker in (source, target)):
                return None
            found = compare(source, target, level, many)
            if found is None or level < 2 or level > DEEP or many == ALL or not _wants_places(found):
                break
            many += 1
        if found is None:  # from a cache that does not have this level
            continue
        told = _told(found, level)
        if watch is not None:
            watch(source.swatch(), target.swatch(), told)
        if level >= 2 and found.noise <= _limit(found.mean):
            break
    for maker in (source, target):
        maker.keep()
    return told


def _note(folder: Path, source: str, target: str) -> Path:
    return folder / "drift" / source[:2] / f"{source[:32]}-{target[:32]}.json"


def remembered(folder: Path | None, source: str, target: str) -> Drift | None:
    """A drift that was measured before between two looks, by their keys."""
    if source == target:
        return _NONE
    if folder is None:
        return None
    try:
        data = json.loads(_note(folder, source, target).read_text(encoding="utf-8"))
        return Drift(**{**data, "by_lighting": tuple(data["by_lighting"]), "caveats": ()})
    except (OSError, ValueError, TypeError, KeyError):
        return None


def remember(folder: Path | None, source: str, target: str, found: Drift) -> None:
    """Keep a drift for later; a full disk costs no more than that."""
    if folder is None:
        return
    note = _note(folder, source, target)
    with suppress(OSError), replacing(note, make_folder=True) as part:
        part.write_text(json.dumps(asdict(found)), encoding="utf-8")


class Makers:
    """Swatches that are being made, the latest ones at hand, so that what was stopped is gone on with."""

    def __init__(self, folder: Path | None = None, most: int = 96) -> None:
        self.folder, self.most = folder, most
        self._made: dict[str, Maker] = {}

    def of(self, look: Record) -> Maker:
        """The maker of a look's swatch."""
        key = fingerprint(look)
        found = self._made.pop(key, None) or Maker(look, self.folder)
        self._made[key] = found
        while len(self._made) > self.most:
            self._made.pop(next(iter(self._made)))
        return found


def between(
    source: Record,
    target: Record,
    makers: Makers,
    stop: Callable[[], bool] = lambda: False,
    watch: Callable[[Swatch, Swatch, Drift], None] | None = None,
) -> Drift | None:
    """The drift between two looks, from before where it is known and nobody watches; None when stopped."""
    a, b = fingerprint(source), fingerprint(target)
    known = remembered(makers.folder, a, b)
    if known is not None and watch is None:
        return known
    found = measure(makers.of(source), makers.of(target), watch, stop)
    if found is None or known is not None:
        return None if found is None else known  # more samples were at hand now; the number stays what it was
    remember(makers.folder, a, b, found)
    return found
