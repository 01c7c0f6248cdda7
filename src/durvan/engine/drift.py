"""Drift: how different one material looks in two dialects, as one number with a known uncertainty."""

from __future__ import annotations

import json
import math
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Record
from durvan.engine.swatches import LEVELS, LIGHTINGS, Maker, Swatch, fingerprint
from durvan.optics.difference import ciede2000, cielab
from durvan.replacing import replacing
from durvan.scene.drift import Drift

Floats = NDArray[np.float64]
EXPOSURES = (1.0, 0.125)  # as it is, and three stops under so that highlights count
GLOWING = 0.7  # where the brightest thing lands when a picture is exposed for what glows
SURE = 0.12  # noise at which a drift is settled; the promise is 0.15, or a twentieth of a drift over 3
PART = 0.04
WORST = 0.05


def _exposures(one: Floats, two: Floats) -> tuple[float, ...]:
    """What two looks are compared at; where one glows over all that these show, it is exposed for as well."""
    bright = max(float(np.percentile(picture.max(axis=-1), 95.0)) for picture in (one, two))
    return EXPOSURES if bright * EXPOSURES[-1] <= 1.0 else (*EXPOSURES, GLOWING / bright)


def _lighting_means(one: Floats, two: Floats, exposures: tuple[float, ...]) -> tuple[Floats, Floats]:
    """Mean and worst of each exposure, of each lighting [exposures, 3 lightings]; pictures [3 lightings, pixels, 3]."""
    means, worsts = np.zeros((len(exposures), len(LIGHTINGS))), np.zeros((len(exposures), len(LIGHTINGS)))
    for k, exposure in enumerate(exposures):
        a, b = (cielab(np.clip(picture * exposure, 0.0, 1.0)) for picture in (one, two))
        apart = ciede2000(a, b)
        means[k] = apart.mean(axis=1)
        count = max(1, round(apart.shape[1] * WORST))
        worsts[k] = np.partition(apart, apart.shape[1] - count, axis=1)[:, -count:].mean(axis=1)
    return means, worsts


def compare(source: Maker, target: Maker, level: int) -> Drift:
    """The drift between two swatches at a level that both have passed. Of a look against itself it is exactly 0.

    Noise adds to a distance, the less the more samples there are. How fast that falls, over the level before, the halves
    and the whole, says what is still in the whole; it is taken off, and half of it stays as what is not sure.
    """
    if source.key == target.key:
        return Drift(0.0, 0.0, 0.0, LIGHTINGS[0], (0.0, 0.0, 0.0), level)
    before = None
    if level // 2 in source.levels and level // 2 in target.levels:
        before = source.levels[level // 2], target.levels[level // 2]
    return _apart(source.levels[level], target.levels[level], before, level)


def guess(source: Maker, target: Maker) -> Drift:
    """A first guess at the drift, from a few pixels of each."""
    if source.key == target.key:
        return Drift(0.0, 0.0, 0.0, LIGHTINGS[0], (0.0, 0.0, 0.0), 1)
    return _apart(source.guess(), target.guess(), None, 0)


def _apart(
    one: NDArray[np.float32], two: NDArray[np.float32], before: tuple[NDArray[np.float32], NDArray[np.float32]] | None,
    level: int,
) -> Drift:  # fmt: skip
    """The drift between pixels in two halves each [2 halves, 3 lightings, pixels, 3]; `before` at half the samples."""
    small = [pixels.astype(np.float64) for pixels in (one, two)]
    whole = [0.5 * (both[0] + both[1]) for both in small]
    exposures = _exposures(*whole)
    means, worsts = _lighting_means(whole[0], whole[1], exposures)
    per_exposure = means.mean(axis=1)
    k = int(np.argmax(per_exposure))
    chosen = exposures[k : k + 1]
    halves = _of_halves(small[0], small[1], chosen)
    steps = halves.mean(axis=0) - means[k]
    fall = 1.0
    if before is not None and steps.mean() > 1e-6:
        earlier = _of_halves(before[0].astype(np.float64), before[1].astype(np.float64), chosen)
        # between 2 for noise that is small beside the distance, and √2 where there is hardly anything but noise
        fall = min(max((earlier - halves).mean() / steps.mean(), math.sqrt(2.0)), 2.0) - 1.0
    over = np.maximum(steps, 0.0) / fall
    noise = float(np.hypot(0.5 * abs(halves[0].mean() - halves[1].mean()), 0.5 * over.mean()))
    by = np.maximum(means[k] - over, 0.0)
    worst = float(worsts.mean(axis=1).max())
    return Drift(
        float(by.mean()), worst, noise, LIGHTINGS[int(np.argmax(by))], (float(by[0]), float(by[1]), float(by[2])), level
    )


def _of_halves(one: Floats, two: Floats, exposure: tuple[float, ...]) -> Floats:
    """The means of each half by lightings [2, 3]."""
    return np.array([_lighting_means(one[half], two[half], exposure)[0][0] for half in range(2)])


def _sure(found: Drift) -> bool:
    """Whether a drift is settled; a little less trust in what few samples say of themselves."""
    few = found.samples < 4
    return found.noise <= max(SURE, PART * found.mean) / (3.0 if few else 1.0)


def measure(
    source: Maker,
    target: Maker,
    watch: Callable[[Swatch, Swatch, Drift], None] | None = None,
    stop: Callable[[], bool] = lambda: False,
) -> Drift | None:
    """Go on with both swatches until their drift is settled; None when stopped. `watch` sees every level; where nobody
    watches, nothing is computed but the material.
    """
    seen = watch is not None
    found: Drift | None = None
    for level in LEVELS:
        if not (source.to(level, stop, seen) and target.to(level, stop, seen)):
            return None
        if level not in source.levels or level not in target.levels:  # from a cache that does not have it
            continue
        found = compare(source, target, level)
        if watch is not None:
            watch(source.swatch(), target.swatch(), found)
        if level >= 2 and _sure(found):
            break
    for maker in (source, target):
        maker.keep()
    return found


def _note(folder: Path, source: str, target: str) -> Path:
    return folder / "drift" / source[:2] / f"{source[:32]}-{target[:32]}.json"


def remembered(folder: Path | None, source: str, target: str) -> Drift | None:
    """A drift that was measured before between two looks, by their keys."""
    if source == target:
        return Drift(0.0, 0.0, 0.0, LIGHTINGS[0], (0.0, 0.0, 0.0), 1)
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
