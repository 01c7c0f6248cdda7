"""How long it takes to say why two large pictures differ: a pair of 3840 × 2160 pixels with 20 lights and 60 materials, of which two lights, a
material and the exposure are otherwise; and how much memory that takes. Passes are made up as they are asked for, as a file would give them.
"""

from __future__ import annotations

import resource
import time
from collections.abc import Callable
from functools import partial
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from durvan.proof.aligning import shift_between
from durvan.proof.causes.analysis import analyse
from durvan.proof.causes.cells import cells_of
from durvan.proof.causes.saying import lines
from durvan.proof.picture import Ids, Picture

WIDTH, HEIGHT, LIGHTS, MATERIALS, SAMPLES = 3840, 2160, 20, 60, 64
Pixels = NDArray[np.float32]
MAKING = [0.0]
Result = TypeVar("Result")


def materials() -> NDArray[np.int32]:
    """Sixty patches."""
    v, u = np.mgrid[0:HEIGHT, 0:WIDTH]
    return ((v * 6 // HEIGHT) * 10 + u * 10 // WIDTH).astype(np.int32)


def light(number: int, factor: float, where: NDArray[np.int32], colours: Pixels, seed: int) -> Pixels:
    """What a light puts on everything, with noise; how long that takes is kept, to be taken off."""
    start = time.perf_counter()
    made = _light(number, factor, where, colours, seed)
    MAKING[0] += time.perf_counter() - start
    return made


def _light(number: int, factor: float, where: NDArray[np.int32], colours: Pixels, seed: int) -> Pixels:
    r = np.random.default_rng(1000 * seed + number)
    v, u = np.linspace(0.0, 1.0, HEIGHT, dtype=np.float32), np.linspace(0.0, 1.8, WIDTH, dtype=np.float32)
    at = np.random.default_rng(number).random(2)
    fall = 0.02 / (0.05 + (v[:, None] - at[1]) ** 2 + (u[None, :] - 1.8 * at[0]) ** 2)
    grey = (fall * (1.0 + r.standard_normal((HEIGHT, WIDTH), dtype=np.float32) / np.sqrt(SAMPLES))).astype(np.float32)
    return np.maximum(colours[where] * grey[..., None], 0.0) * np.float32(factor)


def picture(seed: int, factors: dict[int, float], tint: dict[int, float], gain: float) -> Picture:
    """One side."""
    where = materials()
    colours = np.random.default_rng(5).uniform(0.1, 0.8, (MATERIALS, 3)).astype(np.float32)
    for number, by in tint.items():
        colours[number] *= by
    passes = {f"light{n}": partial(light, n, factors.get(n, 1.0) * gain, where, colours, seed) for n in range(LIGHTS)}
    whole, variance = np.zeros((HEIGHT, WIDTH, 3), np.float32), np.zeros((HEIGHT, WIDTH), np.float32)
    for read in passes.values():
        one = read()
        whole += one
        variance += one.mean(axis=2) ** 2 / SAMPLES
    return Picture(whole, passes, Ids(where, tuple(f"material{n}" for n in range(MATERIALS))), None, variance)


def took(work: Callable[[], Result]) -> tuple[float, Result]:
    """Seconds, without those for making up passes, and what came of it."""
    MAKING[0] = 0.0
    start = time.perf_counter()
    found = work()
    return time.perf_counter() - start - MAKING[0], found


def main() -> None:
    """Measure and print."""
    source = picture(1, {}, {}, 1.0)
    target = picture(2, {3: 0.5, 11: 2.0}, {27: 0.5}, 1.3)
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    for _ in range(2):  # kernels are compiled the first time
        shifting, _ = took(lambda: shift_between(source.rgb, target.rgb))
        blocks, _ = took(lambda: cells_of(source, target))
        whole, found = took(lambda: analyse(source, target))
    print(f"laid on each other         {shifting:6.2f} s")
    print(f"in blocks                  {blocks:6.2f} s, passes aside")
    print(f"the whole analysis         {whole:6.2f} s, passes aside; 5 s are wanted")
    print(
        f"memory                     {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:6.2f} GB at most, {before:.2f} GB of it before"
    )
    print("\n".join(lines(found)))


if __name__ == "__main__":
    main()
