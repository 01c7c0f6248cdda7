"""How long it takes to say why two large pictures differ: a pair of 3840 × 2160 pixels with 20 lights and 60 materials, of which two lights, a
material and the exposure are otherwise; and how much memory that takes. Light passes are read from files, as they are in earnest, but lie there
as plain numbers: what decoding takes is not in it. Last, all difference pictures and the analysis at once, as the window has them.
"""

from __future__ import annotations

import mmap
import resource
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from durvan.proof import warm
from durvan.proof.aligning import shift_between
from durvan.proof.causes.analysis import Analysis, analyse
from durvan.proof.causes.cells import cells_of
from durvan.proof.causes.saying import lines
from durvan.proof.looking import ways
from durvan.proof.looking.pair import Look, Pair
from durvan.proof.picture import Ids, Picture

WIDTH, HEIGHT, LIGHTS, MATERIALS, SAMPLES = 3840, 2160, 20, 60, 64
Pixels = NDArray[np.float32]
Result = TypeVar("Result")


def materials() -> NDArray[np.int32]:
    """Sixty patches."""
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH]
    return ((v * 6 // HEIGHT) * 10 + u * 10 // WIDTH).astype(np.int32)


def light(file: Path) -> Pixels:
    """A light's pass, as it lies in a file."""
    with file.open("rb") as source:
        held = mmap.mmap(source.fileno(), 0, mmap.MAP_SHARED | mmap.MAP_POPULATE, mmap.PROT_READ)
    return np.frombuffer(held, np.float32).reshape(HEIGHT, WIDTH, 3)


def _light(number: int, factor: float, where: NDArray[np.int32], colours: Pixels, seed: int) -> Pixels:
    r = np.random.default_rng(1000 * seed + number)
    v, u = np.linspace(0.0, 1.0, HEIGHT, dtype=np.float32), np.linspace(0.0, 1.8, WIDTH, dtype=np.float32)
    at = np.random.default_rng(number).random(2)
    fall = 0.02 / (0.05 + (v[:, None] - at[1]) ** 2 + (u[None, :] - 1.8 * at[0]) ** 2)
    grey = (fall * (1.0 + r.standard_normal((HEIGHT, WIDTH), dtype=np.float32) / np.sqrt(SAMPLES))).astype(np.float32)
    return np.maximum(colours[where] * grey[..., None], 0.0) * np.float32(factor)


def picture(folder: Path, seed: int, factors: dict[int, float], tint: dict[int, float], gain: float) -> Picture:
    """One side."""
    where = materials()
    colours = np.random.default_rng(5).uniform(0.1, 0.8, (MATERIALS, 3)).astype(np.float32)
    for number, by in tint.items():
        colours[number] *= by
    whole, variance = np.zeros((HEIGHT, WIDTH, 3), np.float32), np.zeros((HEIGHT, WIDTH), np.float32)
    passes = {}
    for n in range(LIGHTS):
        one, file = _light(n, factors.get(n, 1.0) * gain, where, colours, seed), folder / f"{seed} {n}.raw"
        whole += one
        variance += one.mean(axis=2) ** 2 / SAMPLES
        one.tofile(file)
        passes[f"light{n}"] = partial(light, file)
    return Picture(whole, passes, Ids(where, tuple(f"material{n}" for n in range(MATERIALS))), None, variance)


def took(work: Callable[[], Result]) -> tuple[float, Result]:
    """Seconds, and what came of it."""
    start = time.perf_counter()
    found = work()
    return time.perf_counter() - start, found


def everything(source: Picture, target: Picture) -> tuple[Analysis, Pair]:
    """All difference pictures, and the analysis beside them, as the window has them."""
    pair = Pair(source, target)

    def maps() -> None:
        for way in (ways.COLOUR, ways.STOPS, ways.FLIP, ways.CHROMA, ways.HUE):
            pair.between(way, Look())

    with ThreadPoolExecutor(1) as pool:
        others = pool.submit(maps)
        found = analyse(source, target)
        others.result()
    return found, pair


def main() -> None:
    """Measure and print."""
    with TemporaryDirectory() as folder:
        measure(Path(folder))


def measure(folder: Path) -> None:
    """Measure a pair whose passes lie in a folder."""
    warm.ensure()
    source = picture(folder, 1, {}, {}, 1.0)
    target = picture(folder, 2, {3: 0.5, 11: 2.0}, {27: 0.5}, 1.3)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    shifting, _ = took(lambda: shift_between(source.rgb, target.rgb))
    blocks, _ = took(lambda: cells_of(source, target))
    whole, found = took(lambda: analyse(source, target))
    both, _ = took(lambda: everything(source, target))
    print(f"laid on each other         {shifting:6.2f} s")
    print(f"in blocks                  {blocks:6.2f} s")
    print(f"the whole analysis         {whole:6.2f} s")
    print(f"with all difference pictures{both:5.2f} s; 5 s are wanted")
    print(
        f"memory                     {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:6.2f} GB at most, {before:.2f} GB of it before"
    )
    print("\n".join(lines(found)))


if __name__ == "__main__":
    main()
