"""A fibre as a lobe, one place at a time: what `durvan.optics.fibres` says over arrays (d'Eon et al. 2011, Chiang et al. 2016).

In the frame of a hit x runs along the fibre and z is the normal of its round surface, which says where across the fibre the eye
looks. Light of a fibre leaves it to all sides, so directions may point below the surface.
"""

from __future__ import annotations

import math

from durvan.optics.jit import inner
from durvan.optics.lobes import fresnel
from durvan.optics.lobes.layout import ALPHA_X, ALPHA_Y, FIRST, SECOND, TURN, WEIGHT
from durvan.optics.lobes.tables import Array

MOST_PARTS = 4  # reflected, through, once reflected inside, and what is left of more
Colour = tuple[float, float, float]


@inner
def _longest(v: float) -> float:
    b = min(max(v, 0.02), 1.0)
    return (0.726 * b + 0.812 * b * b + 3.7 * b**20) ** 2


@inner
def _variance(rec: Array, b: int, part: int) -> float:
    """Of a longitudinal lobe: the first by the roughness of the surface, the others by that of what was inside."""
    if part == 0:
        return _longest(rec[b + ALPHA_X])
    return (0.25 if part == 1 else 4.0) * _longest(rec[b + TURN])


@inner
def _spread(around: float) -> float:
    b = min(max(around, 0.02), 1.0)
    return math.sqrt(math.pi / 8.0) * (0.265 * b + 1.194 * b * b + 5.372 * b**22)


@inner
def _bessel(x: float) -> float:
    """I₀(x)·e^(−x) (Abramowitz & Stegun 1964, 9.8.1 and 9.8.2; within 2e-7)."""
    if x < 3.75:
        t = (x / 3.75) ** 2
        y = 1.0 + t * (
            3.5156229 + t * (3.0899424 + t * (1.2067492 + t * (0.2659732 + t * (0.0360768 + t * 0.0045813))))
        )
        return y * math.exp(-x)
    t = 3.75 / x
    y = 0.39894228 + t * (
        0.01328592
        + t
        * (
            0.00225319
            + t
            * (
                -0.00157565
                + t * (0.00916281 + t * (-0.02057706 + t * (0.02635537 + t * (-0.01647633 + t * 0.00392377))))
            )
        )
    )
    return y / math.sqrt(x)


@inner
def _longitudinal(so: float, si: float, v: float) -> float:
    co, ci = math.sqrt(max(1.0 - so * so, 0.0)), math.sqrt(max(1.0 - si * si, 0.0))
    a, b = ci * co / v, si * so / v
    return _bessel(a) * math.exp(a - b - 1.0 / v) / (v * (1.0 - math.exp(-2.0 / v)))


@inner
def _logistic(x: float, scale: float) -> float:
    near = math.exp(-abs(x) / scale)
    return near / (scale * (1.0 + near) ** 2) / math.tanh(math.pi / (2.0 * scale))


@inner
def _attenuation(rec: Array, b: int, so: float, h: float, channel: int) -> tuple[float, float, float, float]:
    """What each part leaves of a channel."""
    index = rec[b + SECOND]
    co = math.sqrt(max(1.0 - so * so, 1e-12))
    st = so / index
    seen = math.sqrt(max(index * index - so * so, 1e-12)) / co
    sine = min(max(h / seen, -1.0), 1.0)
    length = 2.0 * math.sqrt(max(1.0 - sine * sine, 0.0)) / math.sqrt(max(1.0 - st * st, 1e-12))
    passed = math.exp(-min(rec[b + FIRST + channel] * length, 80.0))
    f = fresnel.dielectric(co * math.sqrt(max(1.0 - h * h, 0.0)), index)
    through = (1.0 - f) ** 2 * passed
    inside = through * passed * f
    return f, through, inside, inside * passed * f / max(1.0 - passed * f, 1e-9)


@inner
def _turned(part: int, h: float, so: float, index: float) -> float:
    """Net turn about the fibre of a path with so many inner segments (Marschner et al. 2003, eq. 4)."""
    co = math.sqrt(max(1.0 - so * so, 1e-12))
    seen = math.sqrt(max(index * index - so * so, 1e-12)) / co
    inner_angle = math.asin(min(max(h / seen, -1.0), 1.0))
    return 2.0 * part * inner_angle - 2.0 * math.asin(min(max(h, -1.0), 1.0)) + part * math.pi


@inner
def _across(oy: float, oz: float) -> float:
    """Where across the fibre the eye looks, from −1 to 1."""
    length = math.sqrt(oy * oy + oz * oz)
    return -oy / length if length > 1e-9 else 0.0


@inner
def strand(
    rec: Array, b: int, ox: float, oy: float, oz: float, ix: float, iy: float, iz: float
) -> tuple[float, float, float, float]:
    """What a fibre sends from one direction to another, three channels without the cosine to its surface, and the probability."""
    h = _across(oy, oz)
    phi = math.atan2(iz, iy) - math.atan2(oz, oy)
    spread = _spread(rec[b + ALPHA_Y])
    r0, r1, r2, r3 = _attenuation(rec, b, ox, h, 0)
    g0, g1, g2, g3 = _attenuation(rec, b, ox, h, 1)
    b0, b1, b2, b3 = _attenuation(rec, b, ox, h, 2)
    whole = max(r0 + g0 + b0 + r1 + g1 + b1 + r2 + g2 + b2 + r3 + g3 + b3, 1e-12)
    red = green = blue = pdf = 0.0
    for part in range(MOST_PARTS):
        kr = r0 if part == 0 else (r1 if part == 1 else (r2 if part == 2 else r3))
        kg = g0 if part == 0 else (g1 if part == 1 else (g2 if part == 2 else g3))
        kb = b0 if part == 0 else (b1 if part == 1 else (b2 if part == 2 else b3))
        density = _longitudinal(ox, ix, _variance(rec, b, part))
        if part == MOST_PARTS - 1:
            density /= 2.0 * math.pi
        else:
            turn = phi - _turned(part, h, ox, rec[b + SECOND])
            turn -= 2.0 * math.pi * math.floor((turn + math.pi) / (2.0 * math.pi))
            density *= _logistic(turn, spread)
        red, green, blue = red + kr * density, green + kg * density, blue + kb * density
        pdf += (kr + kg + kb) / whole * density
    k = 1.0 / max(abs(iz), 1e-6)
    return rec[b + WEIGHT] * red * k, rec[b + WEIGHT + 1] * green * k, rec[b + WEIGHT + 2] * blue * k, pdf


@inner
def drawn(
    rec: Array, b: int, ox: float, oy: float, oz: float, chosen: float, u: float, v: float
) -> tuple[float, float, float]:
    """A direction to the light by three numbers; the first chooses the part and is used again."""
    h = _across(oy, oz)
    r0, r1, r2, r3 = _attenuation(rec, b, ox, h, 0)
    g0, g1, g2, g3 = _attenuation(rec, b, ox, h, 1)
    b0, b1, b2, b3 = _attenuation(rec, b, ox, h, 2)
    s0, s1, s2, s3 = r0 + g0 + b0, r1 + g1 + b1, r2 + g2 + b2, r3 + g3 + b3
    rest = chosen * max(s0 + s1 + s2 + s3, 1e-12)
    part = 0
    size = s0
    if rest >= s0:
        part, rest, size = 1, rest - s0, s1
        if rest >= s1:
            part, rest, size = 2, rest - s1, s2
            if rest >= s2:
                part, rest, size = 3, rest - s2, s3
    again = min(max(rest / max(size, 1e-12), 0.0), 0.999999)
    variance = _variance(rec, b, part)
    cosine = 1.0 + variance * math.log(max(u, 1e-5) + (1.0 - u) * math.exp(-2.0 / variance))
    sine = math.sqrt(max(1.0 - cosine * cosine, 0.0))
    si = -cosine * ox + sine * math.cos(2.0 * math.pi * v) * math.sqrt(max(1.0 - ox * ox, 0.0))
    si = min(max(si, -1.0), 1.0)
    if part == MOST_PARTS - 1:
        net = 2.0 * math.pi * again
    else:
        spread = _spread(rec[b + ALPHA_Y])
        edge = 1.0 / (1.0 + math.exp(math.pi / spread))
        level = min(max(edge + again * (1.0 - 2.0 * edge), 1e-12), 1.0 - 1e-12)
        net = _turned(part, h, ox, rec[b + SECOND]) - spread * math.log(1.0 / level - 1.0)
    phi = math.atan2(oz, oy) + net
    ci = math.sqrt(max(1.0 - si * si, 0.0))
    return si, ci * math.cos(phi), ci * math.sin(phi)


@inner
def strand_albedo(rec: Array, b: int, ox: float) -> Colour:
    """What a fibre sends in all towards a direction at a sine to its normal plane, the mean over its width."""
    r = g = bl = 0.0
    for k in range(8):
        h = -1.0 + (k + 0.5) / 4.0
        x0, x1, x2, x3 = _attenuation(rec, b, ox, h, 0)
        r += x0 + x1 + x2 + x3
        x0, x1, x2, x3 = _attenuation(rec, b, ox, h, 1)
        g += x0 + x1 + x2 + x3
        x0, x1, x2, x3 = _attenuation(rec, b, ox, h, 2)
        bl += x0 + x1 + x2 + x3
    return r / 8.0, g / 8.0, bl / 8.0
