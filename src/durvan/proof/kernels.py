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


@entry
def wild(values: Pixels, largest: float, first: int, end: int, found: NDArray[np.int64]) -> None:
    """How many numbers of rows `first` to `end` [h, w, c] are none, or not between −largest and largest: added to `found` [1]."""
    count = 0
    for v in range(first, end):
        for u in range(values.shape[1]):
            for c in range(values.shape[2]):
                if not abs(values[v, u, c]) < largest:
                    count += 1
    found[0] += count


@entry
def wild_pixels(values: Pixels, first: int, end: int, found: NDArray[np.int64]) -> None:
    """How many pixels of rows `first` to `end` [h, w, 3] are not finite in all channels: added to `found` [1]."""
    count = 0
    for v in range(first, end):
        for u in range(values.shape[1]):
            total = (
                (values[v, u, 0] - values[v, u, 0])
                + (values[v, u, 1] - values[v, u, 1])
                + (values[v, u, 2] - values[v, u, 2])
            )
            if total != 0.0:
                count += 1
    found[0] += count


@entry
def lit(
    parts: NDArray[np.float64], factors: NDArray[np.float64], rest: NDArray[np.float64], ours: NDArray[np.float64],
    place: NDArray[np.int64], first: int, end: int, total: NDArray[np.float64], share: NDArray[np.float64],
) -> None:  # fmt: skip
    """Blocks `first` to `end` with their lights changed: the sum [n, 3] of `parts` [lights, n, 3] by `factors` [lights, 3] and of the `rest`
    [n, 3], none below 0, and the `share` of each light in it [lights, n, 3]: of both sides' mean where `place` says which of `ours` is the
    other's (−1: none).
    """
    lights = len(parts)
    for c in range(3):
        for i in range(first, end):
            total[i, c] = rest[i, c]
        for k in range(lights):
            for i in range(first, end):
                total[i, c] += parts[k, i, c] * factors[k, c]
        for i in range(first, end):
            total[i, c] = max(total[i, c], 0.0)
    for k in range(lights):
        at = place[k]
        for i in range(first, end):
            for c in range(3):
                found = parts[k, i, c] * factors[k, c] / max(total[i, c], 1e-12)
                share[k, i, c] = 0.5 * (found + ours[at, i, c]) if at >= 0 else found


@entry
def add_rows(
    places: NDArray[np.int64], rows: NDArray[np.float64], q: NDArray[np.float64], left: NDArray[np.float64], weight: NDArray[np.float64],
    seen: NDArray[np.int32], inner: int, first: int, end: int, gram: NDArray[np.float64], right: NDArray[np.float64],
) -> None:  # fmt: skip
    """Add blocks `first` to `end` to normal equations [3, size, size] and [3, size], of which the upper half is filled.

    `rows` [p, n, 3] is what each of p unknowns does, which stand at `places` [p, n], in rising order (or [p, 1]: one after the other, the same for all), and `q`
    [n, 3] what the material does that is `seen` [n] (−1: none), whose unknown stands `inner` places on; what is `left` [n, 3] counts by `weight`.
    """
    many = len(rows)
    same = places.shape[1] == 1
    here = np.empty((3, many))
    for i in range(first, end):
        at = 0 if same else i
        material = inner + seen[i] if seen[i] >= 0 else -1
        for a in range(many):
            for c in range(3):
                here[c, a] = rows[a, i, c]
        for c in range(3):
            for a in range(many):
                heavy = here[c, a] * weight[i]
                x = places[a, at]
                if same:
                    into = gram[c, x, x : x + many - a]
                    for b in range(many - a):
                        into[b] += heavy * here[c, a + b]
                else:
                    for b in range(a, many):
                        gram[c, x, places[b, at]] += heavy * here[c, b]
                right[c, x] += heavy * left[i, c]
                if material >= 0:
                    gram[c, x, material] += heavy * q[i, c]
            if material >= 0:
                heavy = q[i, c] * weight[i]
                gram[c, material, material] += heavy * q[i, c]
                right[c, material] += heavy * left[i, c]


@entry
def sources(motion: NDArray[np.float64], nearness: Pixels, first: int, end: int, out: Pixels) -> None:
    """Which place of a source each pixel of a target shows (see `standing.Stance`): columns and rows [h, w, 2], NaN for none.

    `nearness` [h, w] of the source, or one number for all of it. A place is found by going back and forth between both.
    """
    height, width = out.shape[:2]
    everywhere = nearness.shape[0] == 1
    a, e, b, c, p, q = motion[0], motion[1], motion[2], motion[3], motion[4], motion[5]
    d, g, f = motion[6], motion[7], motion[8]
    for row in range(first, end):
        for column in range(width):
            u, v = float(column), float(row)
            off = 1e9
            for _ in range(12):
                i, j = math.floor(v + 0.5), math.floor(u + 0.5)
                i, j = min(max(i, 0), height - 1), min(max(j, 0), width - 1)
                w = nearness[0, 0] if everywhere else nearness[i, j]
                x, y = u + 0.5 - 0.5 * width, v + 0.5 - 0.5 * height
                skew = p * x + q * y
                to_u = u + a + b * x - c * y + x * skew + w * (d + f * x)
                to_v = v + e + c * x + b * y + y * skew + w * (g + f * y)
                off = abs(to_u - column) + abs(to_v - row)
                if off < 0.01:
                    break
                u += column - to_u
                v += row - to_v
            if off > 0.5:
                u = v = math.nan
            out[row, column, 0] = u
            out[row, column, 1] = v


@entry
def taken(values: Pixels, at: Pixels, first: int, end: int, out: Pixels) -> None:
    """Values [h, w, c] at places `at` [rows, columns, 2], between pixels in straight lines, to rows `first` to `end`; NaN beyond the edges."""
    height, width, channels = values.shape
    for row in range(first, end):
        for column in range(out.shape[1]):
            x, y = at[row, column, 0], at[row, column, 1]
            if not (x > -0.5 and x < width - 0.5 and y > -0.5 and y < height - 0.5):
                for k in range(channels):
                    out[row, column, k] = math.nan
                continue
            j, i = math.floor(x), math.floor(y)
            p, q = x - j, y - i
            j0, i0 = max(j, 0), max(i, 0)
            j1, i1 = min(j + 1, width - 1), min(i + 1, height - 1)
            for k in range(channels):
                upper = (1.0 - p) * values[i0, j0, k] + p * values[i0, j1, k]
                lower = (1.0 - p) * values[i1, j0, k] + p * values[i1, j1, k]
                out[row, column, k] = (1.0 - q) * upper + q * lower
