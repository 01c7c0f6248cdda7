"""Drift: how different one material looks in two dialects, as one number with a known uncertainty."""

from __future__ import annotations

import json
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
SURE = 0.12  # noise at which a drift is settled; the promise is 0.15
WORST = 0.05


def _lighting_means(
    one: NDArray[np.float32], two: NDArray[np.float32], mask: NDArray[np.bool_]
) -> tuple[Floats, Floats]:
    """Mean and worst of each exposure, of each lighting [2 exposures, 3 lightings], on pixels two by two."""
    inside = halved(mask.astype(np.float64)[..., None])[..., 0] > 0.99
    means, worsts = np.zeros((2, len(LIGHTINGS))), np.zeros((2, len(LIGHTINGS)))
    for k, exposure in enumerate(EXPOSURES):
        for place in range(len(LIGHTINGS)):
            a, b = (np.clip(halved(p[place]) * exposure, 0.0, 1.0)[inside] for p in (one, two))
            apart = ciede2000(cielab(a), cielab(b))
            means[k, place] = apart.mean()
            count = max(1, round(apart.size * WORST))
            worsts[k, place] = np.partition(apart, apart.size - count)[-count:].mean()
    return means, worsts


def halved(picture: NDArray[np.floating]) -> Floats:
    """A picture [height, width, channels] at half its size, by the means of four pixels."""
    height, width, channels = picture.shape
    return np.asarray(picture.astype(np.float64).reshape(height // 2, 2, width // 2, 2, channels).mean(axis=(1, 3)))


def compare(source: Swatch, target: Swatch) -> Drift:
    """The drift between two swatches of the same number of samples. Of a swatch against itself it is exactly 0."""
    means, worsts = _lighting_means(source.pictures, target.pictures, source.mask)
    per_exposure = means.mean(axis=1)
    k = int(np.argmax(per_exposure))
    if source.key == target.key:
        return Drift(0.0, 0.0, 0.0, LIGHTINGS[0], (0.0, 0.0, 0.0), source.samples)
    halves = [_lighting_means(source.halves[h], target.halves[h], source.mask)[0].mean(axis=1)[k] for h in range(2)]
    # noise only ever adds to a distance: what halving the samples adds is what is still in the whole
    shift = max(float(np.mean(halves)) - float(per_exposure[k]), 0.0)
    noise = float(np.hypot(0.5 * abs(halves[0] - halves[1]), shift))
    by = tuple(float(v) for v in means[k])
    worst = float(worsts.mean(axis=1).max())
    return Drift(
        float(per_exposure[k]), worst, noise, LIGHTINGS[int(np.argmax(means[k]))], (by[0], by[1], by[2]), source.samples
    )


def measure(
    source: Maker,
    target: Maker,
    watch: Callable[[Swatch, Swatch, Drift], None] = lambda a, b, c: None,
    stop: Callable[[], bool] = lambda: False,
) -> Drift | None:
    """Go on with both swatches until their drift is settled; None when stopped. `watch` sees every level."""
    found: Drift | None = None
    first = min(max(source.samples, target.samples, LEVELS[0]), LEVELS[-1])
    for level in LEVELS:
        if level < first:
            continue
        if not (source.to(level, stop) and target.to(level, stop)):
            return None
        if source.samples != target.samples:  # one was gone on with further before
            continue
        a, b = source.swatch(), target.swatch()
        found = compare(a, b)
        watch(a, b, found)
        if found.noise <= (SURE if level >= 4 else SURE / 3.0) and level >= 2:
            break
    for maker in (source, target):
        maker.keep()
    return found


def _note(folder: Path, source: str, target: str) -> Path:
    return folder / "drift" / source[:2] / f"{source[:32]}-{target[:32]}.json"


def remembered(folder: Path | None, source: str, target: str) -> Drift | None:
    """A drift that was measured before between two looks, by their keys."""
    if source == target:
        return Drift(0.0, 0.0, 0.0, LIGHTINGS[0], (0.0, 0.0, 0.0), 0)
    if folder is None:
        return None
    try:
        data = json.loads(_note(folder, source, target).read_text(encoding="utf-8"))
        return Drift(**{**data, "by_lighting": tuple(data["by_lighting"])})
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
    found = measure(makers.of(source), makers.of(target), watch or (lambda one, two, drift: None), stop)
    if found is None or known is not None:
        return None if found is None else known  # more samples were at hand now; the number stays what it was
    remember(makers.folder, a, b, found)
    return found
