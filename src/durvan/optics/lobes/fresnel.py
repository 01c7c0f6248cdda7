"""Reflection at a boundary, as compiled functions."""

from __future__ import annotations

import math

from durvan.optics.jit import inner, small
from durvan.optics.lobes.layout import (
    CONDUCTOR,
    CONSTANT,
    DIELECTRIC,
    FILM,
    FILM_INDEX,
    FIRST,
    FRESNEL,
    SCHLICK,
    SECOND,
    WALL,
)


@small
def dielectric(cosine: float, index: float) -> float:
    """Unpolarised reflectance; `index` is that of the far side over the near one (Born & Wolf 1999, 1.5.2)."""
    c = min(max(cosine, 0.0), 1.0)
    g2 = index * index - 1.0 + c * c
    if g2 <= 0.0:
        return 1.0
    if index == 1.0:
        return 0.0
    g = math.sqrt(g2)
    a = (g - c) / (g + c)
    b = (c * (g + c) - 1.0) / (c * (g - c) + 1.0)
    return 0.5 * a * a * (1.0 + b * b)


@inner
def conductor(cosine: float, n: float, k: float) -> float:
    """Unpolarised reflectance of a conductor with index n − ik, from air (Born & Wolf 1999, 14.2)."""
    c = min(max(cosine, 0.0), 1.0)
    c2 = c * c
    s2 = 1.0 - c2
    t0 = n * n - k * k - s2
    a2b2 = math.sqrt(t0 * t0 + 4.0 * n * n * k * k)
    t1 = a2b2 + c2
    a = math.sqrt(max(0.5 * (a2b2 + t0), 0.0))
    t2 = 2.0 * a * c
    rs = (t1 - t2) / (t1 + t2) if t1 + t2 > 0.0 else 1.0
    t3 = c2 * a2b2 + s2 * s2
    t4 = t2 * s2
    rp = rs * (t3 - t4) / (t3 + t4) if t3 + t4 > 0.0 else rs
    return 0.5 * (rs + rp)


@small
def edge_tinted(cosine: float, f0: float, tint: float) -> float:
    """Schlick's law pulled to `tint` times itself at 82° (Kutz, Hašan & Edmondson 2021)."""
    c = min(max(cosine, 0.0), 1.0)
    m = 1.0 - c
    m2 = m * m
    value = f0 + (1.0 - f0) * m2 * m2 * m
    if tint != 1.0:
        p = 6.0 / 7.0
        p5 = p * p * p * p * p
        pull = (f0 + (1.0 - f0) * p5) * (1.0 - tint) / (p5 * p / 7.0)
        value -= pull * c * m2 * m2 * m2
    return max(value, 0.0)


@small
def wall(cosine: float, index: float) -> float:
    """Reflectance of a thin wall: both faces, with all the bounces between them (Stokes 1862)."""
    r = dielectric(cosine, index)
    return 2.0 * r / (1.0 + r)


@inner
def _colour_of(path: float, shift: float) -> tuple[float, float, float]:
    """Interference as X, Y, Z of equal energy: the Fourier transform of the observer (Belcour & Barla 2017, sec. 4)."""
    phase = 2.0 * math.pi * path * 1e-9
    p2 = phase * phase
    root = math.sqrt(2.0 * math.pi)
    x = 5.4856e-13 * root * math.sqrt(4.3278e9) * math.cos(1.6810e6 * phase + shift) * math.exp(-4.3278e9 * p2)
    y = 4.4201e-13 * root * math.sqrt(9.3046e9) * math.cos(1.7953e6 * phase + shift) * math.exp(-9.3046e9 * p2)
    z = 5.2481e-13 * root * math.sqrt(6.6121e9) * math.cos(2.2084e6 * phase + shift) * math.exp(-6.6121e9 * p2)
    x += 9.7470e-14 * root * math.sqrt(4.5282e9) * math.cos(2.2399e6 * phase + shift) * math.exp(-4.5282e9 * p2)
    return x / 1.0685e-7, y / 1.0685e-7, z / 1.0685e-7


@inner
def _amplitudes(cosine: float, n1: float, n2: float) -> tuple[float, float, float]:
    """Reflection amplitudes of both polarisations, and the cosine beyond; ±1 where everything is reflected."""
    s2 = (n1 / n2) * (n1 / n2) * (1.0 - cosine * cosine)
    if s2 >= 1.0:
        return 1.0, 1.0, 0.0
    beyond = math.sqrt(1.0 - s2)
    rs = (n1 * cosine - n2 * beyond) / (n1 * cosine + n2 * beyond)
    rp = (n2 * cosine - n1 * beyond) / (n2 * cosine + n1 * beyond)
    return rs, rp, beyond


@inner
def film(cosine: float, thickness: float, index: float, r: float, g: float, b: float) -> tuple[float, float, float]:
    """Reflectance of a thin film, linear Rec.709; `thickness` in nm, on a body that reflects r, g, b when faced.

    The Airy sum over orders of interference, three orders, each order's colour integrated over the observer
    beforehand (Belcour & Barla 2017). The body is taken for a dielectric of the index that reflects as much.
    """
    c = min(max(cosine, 1e-4), 1.0)
    rs01, rp01, inside = _amplitudes(c, 1.0, index)
    path = 2.0 * index * thickness * inside
    total = [0.0, 0.0, 0.0]
    for channel in range(3):
        f0 = min((r, g, b)[channel], 0.9999)
        root = math.sqrt(max(f0, 0.0))
        body = (1.0 + root) / (1.0 - root)
        rs12, rp12, _ = _amplitudes(inside, index, body)
        out = 0.0
        for polarisation in range(2):
            a = rs01 if polarisation == 0 else rp01
            d = rs12 if polarisation == 0 else rp12
            ra, rd = a * a, d * d
            t2 = (1.0 - ra) * (1.0 - ra)
            rs = t2 * rd / (1.0 - ra * rd) if ra * rd < 1.0 else 0.0
            term = ra + rs
            cm = rs - (1.0 - ra)
            # the sign of both reflections is the phase that a round trip adds: 0 or π
            product = math.sqrt(ra * rd)
            shift = 0.0 if -a * d >= 0.0 else math.pi
            for order in range(1, 4):
                cm *= product
                x, y, z = _colour_of(order * path, order * shift)
                rgb = (
                    3.2404542 * x - 1.5371385 * y - 0.4985314 * z,
                    -0.9692660 * x + 1.8760108 * y + 0.0415560 * z,
                    0.0556434 * x - 0.2040259 * y + 1.0572252 * z,
                )
                white = (1.2048, 0.9484, 0.9087)  # what equal energy is in Rec.709; it stays white
                term += 2.0 * cm * rgb[channel] / white[channel]
            out += 0.5 * term
        total[channel] = min(max(out, 0.0), 1.0)
    return total[0], total[1], total[2]


@inner
def law(rec: object, b: int, cosine: float, inside: bool) -> tuple[float, float, float]:
    """What a lobe's boundary reflects at a cosine, three channels; `inside` turns the index round."""
    kind = int(rec[b + FRESNEL])
    if kind == CONSTANT:
        return 1.0, 1.0, 1.0
    if kind == DIELECTRIC or kind == WALL:
        n = rec[b + FIRST]
        if kind == WALL:
            f = wall(cosine, n)
            return f, f, f
        if rec[b + FILM] > 0.0 and not inside:
            f0 = ((n - 1.0) / (n + 1.0)) ** 2
            return film(cosine, rec[b + FILM], rec[b + FILM_INDEX], f0, f0, f0)
        f = dielectric(cosine, 1.0 / n if inside else n)
        return f, f, f
    if kind == CONDUCTOR:
        return (
            conductor(cosine, rec[b + FIRST], rec[b + SECOND]),
            conductor(cosine, rec[b + FIRST + 1], rec[b + SECOND + 1]),
            conductor(cosine, rec[b + FIRST + 2], rec[b + SECOND + 2]),
        )
    if kind == SCHLICK and rec[b + FILM] > 0.0:
        return film(cosine, rec[b + FILM], rec[b + FILM_INDEX], rec[b + FIRST], rec[b + FIRST + 1], rec[b + FIRST + 2])
    return (
        edge_tinted(cosine, rec[b + FIRST], rec[b + SECOND]),
        edge_tinted(cosine, rec[b + FIRST + 1], rec[b + SECOND + 1]),
        edge_tinted(cosine, rec[b + FIRST + 2], rec[b + SECOND + 2]),
    )


@inner
def facing(rec: object, b: int) -> tuple[float, float, float]:
    """What the boundary reflects when faced."""
    kind = int(rec[b + FRESNEL])
    if kind == SCHLICK:
        return rec[b + FIRST], rec[b + FIRST + 1], rec[b + FIRST + 2]
    return law(rec, b, 1.0, False)
