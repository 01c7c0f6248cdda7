"""How much a facet lobe reflects in all: albedos towards a direction and on average, worked out once and looked up.

For laws of the form F0·A + B (Schlick) the two parts A and B are kept; for dielectrics the albedo by index. Both
are of the very lobes in `facets`, integrated with their own sampling. Cosines and √α run evenly from 0 to 1, indices n
by (n − 1)/(n + 1) from −1 to 1, so that any index has its place.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import entry, inner, kernel_folder, small
from durvan.optics.lobes import diffuse, facets, fresnel
from durvan.optics.lobes.layout import (
    ALPHA_X,
    ALPHA_Y,
    CONDUCTOR,
    CONSTANT,
    DIELECTRIC,
    FACETS,
    FILM,
    FIRST,
    FRESNEL,
    FULL,
    KIND,
    REFLECT,
    SECOND,
    SHEEN,
    WALL,
)
from durvan.replacing import replacing

COSINES, ALPHAS, INDICES = 24, 24, 41  # an index of exactly 1 is among them: below it everything may be reflected
Array = NDArray[np.float64]


# All tables lie in one flat array, one after the other:
PARTS = 0  # [3 shapes, α, cosine, 2]
PARTS_MEAN = PARTS + 3 * ALPHAS * COSINES * 2  # [3, α, 2]
GLASS = PARTS_MEAN + 3 * ALPHAS * 2  # [3, index, α, cosine]
GLASS_MEAN = GLASS + 3 * INDICES * ALPHAS * COSINES  # [3, index, α]
FUZZ = GLASS_MEAN + 3 * INDICES * ALPHAS  # [roughness, cosine]
FUZZ_MEAN = FUZZ + ALPHAS * COSINES  # [roughness]
ALL = FUZZ_MEAN + ALPHAS
Tables = Array


@inner
def _parts(shape: int, o: float, alpha: float, index: float, count: int) -> tuple[float, float, float]:
    """A, B of Schlick's law and the albedo for one index, towards a cosine; by `count` samples of a lattice."""
    x, z = math.sqrt(max(1.0 - o * o, 0.0)), o
    a = b = g = 0.0
    for n in range(count):
        u = (n + 0.5) / count
        v = (n * 0.6180339887498949) % 1.0
        hx, hy, hz = facets.sample(shape, x, 0.0, z, alpha, alpha, u, v)
        c = x * hx + z * hz
        if c <= 0.0:
            continue
        ix, iy, iz = 2.0 * c * hx - x, 2.0 * c * hy, 2.0 * c * hz - z
        if iz <= 0.0:
            continue
        both = facets.seen_both(shape, x, 0.0, z, ix, iy, iz, hx, hy, hz, alpha, alpha)
        if shape == 0:
            weight = both / max(facets.seen(shape, x, 0.0, z, alpha, alpha), 1e-12)
        else:
            weight = both * c / (z * hz)
        m5 = (1.0 - c) ** 5
        a += weight * (1.0 - m5)
        b += weight * m5
        g += weight * fresnel.dielectric(c, index)
    return a / count, b / count, g / count


@inner
def _sheen(o: float, roughness: float, count: int) -> float:
    x = math.sqrt(max(1.0 - o * o, 0.0))
    total = 0.0
    for n in range(count):
        i = (n + 0.5) / count
        s = math.sqrt(1.0 - i * i)
        for m in range(count):
            phi = math.pi * (m + 0.5) / count
            hx, hy, hz = x + s * math.cos(phi), s * math.sin(phi), o + i
            length = math.sqrt(hx * hx + hy * hy + hz * hz)
            total += diffuse.sheen(roughness, hz / length, o, i) * i
    return 2.0 * math.pi * total / (count * count)


@entry
def _compute(
    parts: Array, parts_mean: Array, glass: Array, glass_mean: Array, sheen: Array, sheen_mean: Array, count: int
) -> None:
    alphas, cosines, indices = parts.shape[1], parts.shape[2], glass.shape[1]
    for shape in range(3):
        for j in range(alphas):
            alpha = max((j / (alphas - 1.0)) ** 2, 1e-3)
            for k in range(cosines):
                o = max(k / (cosines - 1.0), 0.004)
                a, b, _ = _parts(shape, o, alpha, 1.5, 2 * count)
                parts[shape, j, k, 0] = a
                parts[shape, j, k, 1] = b
                for n in range(indices):
                    root = min(max(2.0 * n / (indices - 1.0) - 1.0, -0.9999), 0.9999)
                    index = (1.0 + root) / (1.0 - root)
                    glass[shape, n, j, k] = _parts(shape, o, alpha, index, count)[2]
    for j in range(alphas):
        for k in range(cosines):
            sheen[j, k] = _sheen(max(k / (cosines - 1.0), 0.004), j / (alphas - 1.0), 48)
    # averages over the hemisphere: 2∫E(μ)μ dμ by Simpson between the nodes
    for j in range(alphas):
        sheen_mean[j] = 0.0
        for shape in range(3):
            parts_mean[shape, j, 0] = parts_mean[shape, j, 1] = 0.0
            for n in range(indices):
                glass_mean[shape, n, j] = 0.0
        for k in range(cosines - 1):
            m0, m1 = k / (cosines - 1.0), (k + 1) / (cosines - 1.0)
            w0 = (m1 - m0) * (2.0 * m0 + m1) / 3.0
            w1 = (m1 - m0) * (m0 + 2.0 * m1) / 3.0
            sheen_mean[j] += w0 * min(sheen[j, k], 1.0) + w1 * min(sheen[j, k + 1], 1.0)
            for shape in range(3):
                for c in range(2):
                    parts_mean[shape, j, c] += w0 * parts[shape, j, k, c] + w1 * parts[shape, j, k + 1, c]
                for n in range(indices):
                    glass_mean[shape, n, j] += w0 * glass[shape, n, j, k] + w1 * glass[shape, n, j, k + 1]


def empty() -> Tables:
    """Tables with nothing in them, for compiling against."""
    return np.zeros(ALL)


_loaded: list[Tables] = []


def tables() -> Tables:
    """The tables; from the kernels' folder, or worked out (a few seconds) and put there."""
    if not _loaded:
        file = kernel_folder() / "albedo.npy"
        try:
            kept = np.load(file)
        except (OSError, ValueError, EOFError):
            kept = None
        if kept is None or kept.shape != (ALL,):
            kept = _worked_out(512)
            with replacing(file) as part:
                np.save(part, kept)
        _loaded.append(kept)
    return _loaded[0]


def _worked_out(count: int) -> Tables:
    made = (
        np.zeros((3, ALPHAS, COSINES, 2)), np.zeros((3, ALPHAS, 2)), np.zeros((3, INDICES, ALPHAS, COSINES)),
        np.zeros((3, INDICES, ALPHAS)), np.zeros((ALPHAS, COSINES)), np.zeros(ALPHAS),
    )  # fmt: skip
    _compute(*made, count)
    return np.concatenate([part.reshape(-1) for part in made])


@small
def _between(value: float, count: int) -> tuple[int, float]:
    place = min(max(value, 0.0), 1.0) * (count - 1.0)
    low = min(int(place), count - 2)
    return low, place - low


@small
def _index_place(index: float) -> float:
    return index / (index + 1.0)


@inner
def schlick_parts(tables: Tables, shape: int, alpha: float, cosine: float) -> tuple[float, float]:
    """A and B: a lobe of Schlick's law reflects F0·(A + B) + (1 − F0)·B, which is F0·A + B."""
    j, a = _between(math.sqrt(alpha), ALPHAS)
    k, c = _between(cosine, COSINES)
    p = PARTS + ((shape * ALPHAS + j) * COSINES + k) * 2
    q = p + 2 * COSINES
    first = (1 - a) * ((1 - c) * tables[p] + c * tables[p + 2]) + a * ((1 - c) * tables[q] + c * tables[q + 2])
    second = (1 - a) * ((1 - c) * tables[p + 1] + c * tables[p + 3]) + a * ((1 - c) * tables[q + 1] + c * tables[q + 3])
    return first, second


@inner
def glass(tables: Tables, shape: int, alpha: float, cosine: float, index: float) -> float:
    """What a dielectric's facets reflect towards a cosine; exact at the limit of a mirror."""
    if alpha < 0.003:
        return fresnel.dielectric(cosine, index)
    n, f = _between(_index_place(index), INDICES)
    j, a = _between(math.sqrt(alpha), ALPHAS)
    k, c = _between(cosine, COSINES)
    total = 0.0
    for dn in range(2):
        p = GLASS + ((shape * INDICES + n + dn) * ALPHAS + j) * COSINES + k
        q = p + COSINES
        row = (1 - a) * ((1 - c) * tables[p] + c * tables[p + 1]) + a * ((1 - c) * tables[q] + c * tables[q + 1])
        total += (f if dn else 1.0 - f) * row
    return total


@inner
def glass_mean(tables: Tables, shape: int, alpha: float, index: float) -> float:
    """The same on average over the hemisphere."""
    n, f = _between(_index_place(index), INDICES)
    j, a = _between(math.sqrt(alpha), ALPHAS)
    p = GLASS_MEAN + (shape * INDICES + n) * ALPHAS + j
    q = p + ALPHAS
    return (1 - f) * ((1 - a) * tables[p] + a * tables[p + 1]) + f * ((1 - a) * tables[q] + a * tables[q + 1])


@inner
def sheen_albedo(tables: Tables, roughness: float, cosine: float) -> float:
    """What the unscaled fuzz would reflect towards a cosine; may be more than 1."""
    j, a = _between(roughness, ALPHAS)
    k, c = _between(cosine, COSINES)
    p = FUZZ + j * COSINES + k
    q = p + COSINES
    return (1 - a) * ((1 - c) * tables[p] + c * tables[p + 1]) + a * ((1 - c) * tables[q] + c * tables[q + 1])


@inner
def sheen_scale(tables: Tables, roughness: float, o: float, i: float) -> float:
    """What the fuzz is multiplied by so that it never reflects more than it gets; the same both ways."""
    return 1.0 / max(max(sheen_albedo(tables, roughness, o), sheen_albedo(tables, roughness, i)), 1.0)


@inner
def given_back(rec: object, b: int, once: float, mean: tuple[float, float, float]) -> tuple[float, float, float]:
    """The factor that gives back what is lost between facets (Turquin 2019, eq. 16), where the lobe says so.

    `once` is what they reflect at once of light that they do not colour; `mean` what they reflect when faced.
    """
    if rec[b + FULL] == 0.0:
        return 1.0, 1.0, 1.0
    lost = 1.0 / max(once, 0.05) - 1.0
    r, g, bl = (1.0, 1.0, 1.0) if int(rec[b + FRESNEL]) == CONSTANT else mean
    return 1.0 + r * lost, 1.0 + g * lost, 1.0 + bl * lost


@inner
def lobe_albedo(rec: object, b: int, cosine: float, tables: Tables, inside: bool) -> tuple[float, float, float]:
    """What a lobe with a boundary reflects towards a cosine, three channels, before its weight; with what it gives back."""
    kind = int(rec[b + KIND])
    if kind == SHEEN:
        e = min(sheen_albedo(tables, rec[b + ALPHA_X], cosine), 1.0)
        return e, e, e
    if kind != REFLECT:
        return 1.0, 1.0, 1.0
    shape = int(rec[b + FACETS])
    alpha = math.sqrt(rec[b + ALPHA_X] * rec[b + ALPHA_Y])
    how = int(rec[b + FRESNEL])
    if (how == DIELECTRIC or how == WALL) and rec[b + FILM] <= 0.0 and rec[b + FULL] == 0.0:
        r = glass(tables, shape, alpha, cosine, 1.0 / rec[b + FIRST] if inside else rec[b + FIRST])
        r = r if how == DIELECTRIC else 2.0 * r / (1.0 + r)
        return r, r, r
    first, second = schlick_parts(tables, shape, alpha, cosine)
    back = given_back(rec, b, first + second, fresnel.facing(rec, b))
    if rec[b + FILM] > 0.0 and not inside and how != CONDUCTOR:
        r, g, bl = fresnel.law(rec, b, cosine, False)
        r, g, bl = r * (first + second), g * (first + second), bl * (first + second)
    elif how == DIELECTRIC or how == WALL:
        n = rec[b + FIRST]
        r = glass(tables, shape, alpha, cosine, 1.0 / n if inside else n)
        if how == WALL:
            r = 2.0 * r / (1.0 + r)
        g = bl = r
    elif how == CONSTANT:
        r = g = bl = first + second
    elif how == CONDUCTOR:
        r, g, bl = fresnel.facing(rec, b)
        r, g, bl = r * first + second, g * first + second, bl * first + second
    else:
        r = rec[b + FIRST] * first + second * min(rec[b + SECOND], 1.0)
        g = rec[b + FIRST + 1] * first + second * min(rec[b + SECOND + 1], 1.0)
        bl = rec[b + FIRST + 2] * first + second * min(rec[b + SECOND + 2], 1.0)
    return r * back[0], g * back[1], bl * back[2]


@inner
def mean_albedo(rec: object, b: int, tables: Tables) -> float:
    """What a covering lobe reflects on average over the hemisphere, grey, before its weight."""
    if int(rec[b + KIND]) == SHEEN:
        j, a = _between(rec[b + ALPHA_X], ALPHAS)
        return (1 - a) * tables[FUZZ_MEAN + j] + a * tables[FUZZ_MEAN + j + 1]
    shape = int(rec[b + FACETS])
    alpha = math.sqrt(rec[b + ALPHA_X] * rec[b + ALPHA_Y])
    if int(rec[b + FRESNEL]) == DIELECTRIC:
        return glass_mean(tables, shape, alpha, rec[b + FIRST])
    j, a = _between(math.sqrt(alpha), ALPHAS)
    p = PARTS_MEAN + (shape * ALPHAS + j) * 2
    first = (1 - a) * tables[p] + a * tables[p + 2]
    second = (1 - a) * tables[p + 1] + a * tables[p + 3]
    r, g, bl = fresnel.facing(rec, b)
    return (r + g + bl) / 3.0 * first + second
