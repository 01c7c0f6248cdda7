"""What is done for every pixel. Nothing is called from other files, so that the compiler's own cache knows what has changed."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import entry

Pixels = NDArray[np.float32]


@entry
def block_means(values: Pixels, side: int, first: int, end: int, out: Pixels, counts: Pixels) -> None:
    """Means over blocks of `side` × `side` pixels: `values` [h, w, c] to rows `first` to `end` of `out` [h / side, w / side, c].

    A pixel with a number that is none or not finite counts in no channel; `counts` has how many did.
    """
    channels = values.shape[2]
    for row in range(first, end):
        for column in range(out.shape[1]):
            number = 0
            x = y = z = 0.0
            for v in range(row * side, row * side + side):
                for u in range(column * side, column * side + side):
                    a = values[v, u, 0]
                    b = values[v, u, 1] if channels > 1 else a
                    c = values[v, u, 2] if channels > 2 else a
                    if (a - a) + (b - b) + (c - c) == 0.0:
                        number += 1
                        x += a
                        y += b
                        z += c
            counts[row, column] = number
            share = 1.0 / number if number > 0 else 0.0
            out[row, column, 0] = x * share
            if channels > 1:
                out[row, column, 1] = y * share
            if channels > 2:
                out[row, column, 2] = z * share


@entry
def block_ids(
    numbers: NDArray[np.int32], side: int, first: int, end: int, out: NDArray[np.int32], purity: Pixels
) -> None:
    """The number that most pixels of each block show, −1 for none, and the share of the block that does."""
    seen = np.empty(side * side, dtype=np.int32)
    for row in range(first, end):
        for column in range(out.shape[1]):
            at = 0
            for v in range(row * side, row * side + side):
                for u in range(column * side, column * side + side):
                    seen[at] = numbers[v, u]
                    at += 1
            seen.sort()
            best, most, run = -1, 0, 0
            for n in range(at):
                run = run + 1 if n > 0 and seen[n] == seen[n - 1] else 1
                if run > most:
                    most, best = run, seen[n]
            out[row, column] = best
            purity[row, column] = most / at


@entry
def apart(one: Pixels, two: Pixels, floor: float, most: float, first: int, end: int, sums: NDArray[np.float64]) -> None:
    """Sums over rows `first` to `end` of two pictures [h, w, 3]: the squares of how many stops they are apart, each at most `most`,
    and how many numbers those are. Whatever is not finite counts on neither side.
    """
    total, count = 0.0, 0
    for v in range(first, end):
        for u in range(one.shape[1]):
            good = True
            for c in range(3):
                if not (math.isfinite(one[v, u, c]) and math.isfinite(two[v, u, c])):
                    good = False
            if good:
                for c in range(3):
                    stops = math.log2((max(one[v, u, c], 0.0) + floor) / (max(two[v, u, c], 0.0) + floor))
                    total += min(stops * stops, most * most)
                count += 3
    sums[0] += total
    sums[1] += count
