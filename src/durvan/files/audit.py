"""What a picture is by its own pixels: a map of normals and which way its green points, grey, clipped, and so on.

Nothing here knows what the picture is used for; that what it is and how it is read do not agree is a finding.
How often these tests are right is measured on pictures made for it: see docs/decode-audit.md.
"""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from durvan.errors import PictureError
from durvan.files import facts
from durvan.files.sample import Sample, sample

Floats = NDArray[np.float32]
VERSION = 1  # of the tests; raised when one of them says something else of a picture
NORMAL_SHARE = 0.90  # of pixels that are unit vectors pointing outwards, from which a picture is taken for normals
GREEN_RATIO = 1.35  # of the curls of the two readings, from which one of them is believed
CLIPPED = 2e-5  # share of pixels at the very top from which a picture of light counts as clipped
_UNIT = 0.06  # how far from 1 the length of a normal may be, with 8 bits and smaller pictures of itself
_ENDS = 0.02
_FEW = 6  # pixels that a small sun may have at its brightest without being cut off


@dataclass(frozen=True, slots=True)
class Verdict:
    """What the pixels of a picture say.

    `unit` is the share of unit vectors pointing outwards, `green` "up", "down" or "" and `curl` the ratio of the two
    readings' curl (over 1 speaks for up); `levels` counts different values; `alpha` is "", "opaque", "straight",
    "multiplied in" or "either"; `top` is the share of pixels at the brightest value `peak`; `gaps` is the share of
    8-bit values that are skipped in the bright half and in the dark half.
    """

    path: str
    depth: str = ""
    normal: bool = False
    unit: float = 0.0
    mean: tuple[float, ...] = ()
    green: str = ""
    curl: float = 1.0
    grey: bool = False
    constant: bool = False
    levels: int = 0
    alpha: str = ""
    top: float = 0.0
    peak: float = 0.0
    gaps: tuple[float, float] = (0.0, 0.0)
    linear: bool = False
    problem: str = ""

    @property
    def clipped(self) -> bool:
        """Whether a picture of light seems to be cut off at its brightest."""
        return self.top > CLIPPED and self.peak > 0.0


def judge(path: str, stop: Callable[[], bool] = lambda: False) -> Verdict:
    """Look at a picture's pixels. Never raises for a bad picture: `problem` says what is wrong with it."""
    try:
        return of_sample(path, sample(path, stop))
    except PictureError as problem:
        broken(path, problem.what)
        return Verdict(path, problem=problem.what)


def broken(path: str, problem: str) -> None:
    """From now on a file counts as one that cannot be read, until it is changed."""
    told = facts.facts(path)
    if told is not None and not told.problem:
        facts.remember(path, replace(told, problem=problem.rstrip(".")))


def of_sample(path: str, seen: Sample) -> Verdict:
    """The verdict of patches that were read already."""
    pixels = seen.pixels
    finite = np.isfinite(pixels).all(axis=1)
    pixels = pixels[finite]
    if not len(pixels):
        return Verdict(path, seen.depth, problem="holds no number that is one")
    eight = seen.depth == "uint8"
    low, high = pixels.min(axis=0), pixels.max(axis=0)
    constant = bool((high - low).max() < 1e-6)
    unit, normal = _normals(pixels)
    green, curl = _green(seen) if normal and not constant else ("", 1.0)
    grey = pixels.shape[1] == 1 or bool(np.abs(pixels - pixels[:, :1]).max() < (1.5 / 255 if eight else 1e-3))
    gaps = _gaps(pixels) if eight and not grey and not normal else (0.0, 0.0)
    whole = seen.depth in ("uint8", "uint16")
    peak = float(pixels.max())
    at_top = int((pixels.max(axis=1) >= peak * 0.9995).sum())
    top = at_top / len(pixels) if not constant and at_top >= _FEW else 0.0
    many = 256 if eight else 65536 if seen.depth == "uint16" else 0
    first = pixels[:, 0]
    levels = len(np.unique(np.round(first * (many - 1)) if many else first))
    return Verdict(
        path, seen.depth, normal, unit, tuple(float(part) for part in pixels.mean(axis=0)), green, curl, grey, constant,
        levels, _alpha(seen), top, peak, gaps, gaps[0] > max(0.18, gaps[1] + 0.1) if whole else peak > 1.0,
    )  # fmt: skip


def _normals(pixels: Floats) -> tuple[float, bool]:
    """The share of unit vectors pointing outwards, and whether that makes it a map of normals."""
    if pixels.shape[1] < 3:
        return 0.0, False
    signed = float(pixels.min()) < -0.05  # stored as they are, in −1 to 1
    vectors = pixels[:, :3] if signed else pixels[:, :3] * 2.0 - 1.0
    length = np.linalg.norm(vectors, axis=1)
    outwards = vectors[:, 2] > -0.02
    unit = float(((np.abs(length - 1.0) < _UNIT) & outwards).mean())
    mean = vectors.mean(axis=0)
    upright = mean[2] > 0.4 and abs(mean[0]) < 0.35 and abs(mean[1]) < 0.35
    return unit, bool(upright and (unit >= NORMAL_SHARE or _nearly_normals(vectors, length, outwards)))


def _nearly_normals(vectors: Floats, length: Floats, outwards: NDArray[np.bool_]) -> bool:
    """Normals that were blurred, or squeezed by JPEG: shorter, but blue still falls where red and green tell a slope."""
    if float(((length > 0.6) & (length < 1.15) & outwards).mean()) < 0.93:
        return False
    flat = np.sqrt(np.maximum(0.0, 1.0 - vectors[:, 0] ** 2 - vectors[:, 1] ** 2))
    spread = float(flat.std()) * float(vectors[:, 2].std())
    if spread < 1e-5:
        return False
    together = float(((flat - flat.mean()) * (vectors[:, 2] - vectors[:, 2].mean())).mean()) / spread
    return together > 0.75


def _green(seen: Sample) -> tuple[str, float]:
    """Which way green points: slopes of a real surface have no curl, and with a wrong sign they have.

    With x to the right and r down the lines, p = −nx/nz is ∂h/∂x; q = −ny/nz is −∂h/∂r when green points up and ∂h/∂r
    when it points down. So ∂p/∂r + ∂q/∂x vanishes for up and ∂p/∂r − ∂q/∂x for down.
    """
    up = down = 0.0
    for patch in seen.colours:
        for smooth in (1, 2):
            a, b = _curls(_smoothed(patch, smooth))
            up, down = up + a, down + b
    if up <= 0.0 and down <= 0.0:
        return "", 1.0
    ratio = float((down + 1e-12) / (up + 1e-12))
    if max(ratio, 1.0 / max(ratio, 1e-12)) < GREEN_RATIO:
        return "", ratio
    return ("up" if ratio > 1.0 else "down"), ratio


def _curls(patch: Floats) -> tuple[float, float]:
    if min(patch.shape[:2]) < 8:
        return 0.0, 0.0
    n = patch if float(patch.min()) < -0.05 else patch * 2.0 - 1.0
    nz = np.maximum(n[..., 2], 0.15)
    p, q = -n[..., 0] / nz, -n[..., 1] / nz
    # central differences in both ways, at the same places
    dp = (p[2:, 1:-1] - p[:-2, 1:-1]) * 0.5
    dq = (q[1:-1, 2:] - q[1:-1, :-2]) * 0.5
    plain = (np.abs(p) < 4.0) & (np.abs(q) < 4.0)
    good = plain[1:-1, 1:-1]
    # Edges where a surface folds over say nothing and weigh much: the steepest hundredth is left out.
    size = np.maximum(np.abs(dp), np.abs(dq))
    good &= size <= np.quantile(size, 0.99)
    return float(((dp + dq)[good] ** 2).sum()), float(((dp - dq)[good] ** 2).sum())


def _smoothed(patch: Floats, times: int) -> Floats:
    """Small tents over the steps that eight bits leave."""
    for _ in range(times):
        patch = (patch[:-2] + 2 * patch[1:-1] + patch[2:]) * np.float32(0.25)
        patch = (patch[:, :-2] + 2 * patch[:, 1:-1] + patch[:, 2:]) * np.float32(0.25)
        if min(patch.shape[:2]) < 12:
            break
    return patch


def _alpha(seen: Sample) -> str:
    """Whether alpha is multiplied into the colours: then no colour is brighter than its alpha."""
    if seen.alpha < 0:
        return ""
    stored = np.concatenate([patch.reshape(-1, patch.shape[2]) for patch in seen.patches])
    alpha, colours = stored[:, seen.alpha], stored[:, : min(3, seen.alpha)]
    partly = (alpha > _ENDS) & (alpha < 1.0 - _ENDS)
    if float((alpha < 1.0 - _ENDS).mean()) < 1e-4:
        return "opaque"
    if int(partly.sum()) < 32:
        clear = alpha <= _ENDS
        bright = clear.any() and float(colours[clear].max()) > 2 / 255
        return "straight" if bright else "either"
    brightest = colours[partly].max(axis=1)
    over = float((brightest > alpha[partly] + 1.5 / 255).mean())
    if over > 0.01:
        return "straight"
    # Multiplied-in colours follow their alpha; dark straight ones keep below it by chance.
    thick = alpha > 1.0 - _ENDS
    full = float(np.median(colours[thick].max(axis=1))) if int(thick.sum()) >= 32 else 1.0
    follows = float(np.median(brightest / alpha[partly]))
    return "multiplied in" if full > 0.2 and follows > 0.55 * full and _falls(brightest, alpha[partly]) else "either"


def _falls(bright: Floats, alpha: Floats) -> bool:
    """Whether colours darken in proportion to alpha."""
    low, high = alpha < 0.4, alpha > 0.6
    if low.sum() < 8 or high.sum() < 8:
        return True
    return float(np.median(bright[low])) < 0.75 * float(np.median(bright[high]))


def _gaps(pixels: Floats) -> tuple[float, float]:
    """The shares of 8-bit values that are skipped between others, in the bright and in the dark half.

    Values that were raised to a power in 8 bits skip many: to linear light in the bright half, to display values in the
    dark half.
    """
    out = []
    for low, high in ((80, 250), (4, 96)):
        shares = []
        for channel in range(pixels.shape[1]):
            values = np.round(pixels[:, channel] * 255).astype(int)
            counts = np.bincount(np.clip(values, 0, 255), minlength=256)[low:high]
            used = np.nonzero(counts)[0]
            if len(used) < 12 or counts.sum() < 2000:
                continue
            span = counts[used[0] : used[-1] + 1]
            # a real gap has well-filled neighbours
            full = np.median(span[span > 0])
            shares.append(float((span == 0).mean()) if full >= 12 else 0.0)
        out.append(max(shares, default=0.0))
    return out[0], out[1]


class Auditor:
    """Judges pictures in the background and keeps what it found for as long as they stay as they are."""

    def __init__(self, workers: int = 1) -> None:
        self._known: dict[facts.Stamp, Verdict] = {}
        self._lock = threading.Lock()
        self.workers = workers

    def known(self, path: str) -> Verdict | None:
        """The verdict of a picture that was judged, when it has not changed since."""
        key = facts.stamp(path)
        with self._lock:
            return self._known.get(key) if key is not None else None

    def judge(self, path: str, stop: Callable[[], bool] = lambda: False) -> Verdict | None:
        """The verdict of one picture; None when it is not there."""
        key = facts.stamp(path)
        if key is None:
            return None
        with self._lock:
            known = self._known.get(key)
        if known is None:
            known = judge(path, stop)
            with self._lock:
                self._known[key] = known
        return known

    def judge_all(
        self, paths: Iterable[str], told: Callable[[str, Verdict], None], stop: Callable[[], bool] = lambda: False
    ) -> None:
        """Judge many; `told` hears of each as it is done, from the threads that judge. Raises Stopped."""

        def one(path: str) -> None:
            if stop():
                return
            found = self.judge(path, stop)
            if found is not None:
                told(path, found)

        with ThreadPoolExecutor(self.workers, "durvan-audit") as pool:
            list(pool.map(one, dict.fromkeys(paths)))
