"""Microfacet distributions: density, masking, sampling. GGX by visible normals, Beckmann and Blinn by all normals."""

from __future__ import annotations

import math

from durvan.optics.jit import inner, small
from durvan.optics.lobes.layout import BECKMANN, BLINN, GGX
from durvan.optics.lobes.turns import turn


@small
def exponent(alpha: float) -> float:
    """The Blinn exponent of an alpha: 2/α² − 2 (Walter et al. 2007, section 5.2)."""
    return max(2.0 / (alpha * alpha) - 2.0, 0.0)


@inner
def density(shape: int, x: float, y: float, z: float, ax: float, ay: float) -> float:
    """Facet normals per steradian (Walter et al. 2007, eqs. 25, 30, 33; anisotropic as by Heitz 2014)."""
    if z <= 0.0:
        return 0.0
    z2 = z * z
    if shape == GGX:
        e = (x / ax) ** 2 + (y / ay) ** 2 + z2
        return 1.0 / (math.pi * ax * ay * e * e)
    if shape == BECKMANN:
        e = ((x / ax) ** 2 + (y / ay) ** 2) / z2
        return math.exp(-e) / (math.pi * ax * ay * z2 * z2)
    s2 = 1.0 - z2
    nx, ny = exponent(ax), exponent(ay)
    n = nx if s2 < 1e-14 else (nx * x * x + ny * y * y) / s2
    return math.sqrt((nx + 2.0) * (ny + 2.0)) / (2.0 * math.pi) * z**n


@inner
def _lambda(shape: int, x: float, y: float, z: float, ax: float, ay: float) -> float:
    """Smith's Λ of GGX and Beckmann (Heitz 2014, eqs. 66 and 72)."""
    z2 = z * z
    if z2 >= 1.0:
        return 0.0
    a2 = ((x * ax) ** 2 + (y * ay) ** 2) / z2
    if shape == GGX:
        return 0.5 * (math.sqrt(1.0 + a2) - 1.0)
    if a2 <= 1e-12:
        return 0.0
    a = 1.0 / math.sqrt(a2)
    return 0.5 * (math.erf(a) - 1.0) + math.exp(-a * a) / (2.0 * a * math.sqrt(math.pi))


@small
def seen(shape: int, x: float, y: float, z: float, ax: float, ay: float) -> float:
    """Share of facets that are seen from a direction: Smith's G1."""
    return 1.0 / (1.0 + _lambda(shape, x, y, abs(z), ax, ay)) if z != 0.0 else 0.0


@small
def groove(ox: float, oy: float, oz: float, hx: float, hy: float, hz: float) -> float:
    """Share of grooves' facets that is seen (Torrance & Sparrow 1967); right for any distribution of normals."""
    c = abs(ox * hx + oy * hy + oz * hz)
    return min(1.0, 2.0 * hz * abs(oz) / max(c, 1e-12))


@inner
def seen_both(
    shape: int,
    ox: float,
    oy: float,
    oz: float,
    ix: float,
    iy: float,
    iz: float,
    hx: float,
    hy: float,
    hz: float,
    ax: float,
    ay: float,
) -> float:
    """Share that is seen from both directions on one side: height-correlated Smith (Heitz 2014, eq. 99); Blinn, for which
    Smith has no closed form, takes the grooves that Blinn (1977) took.
    """
    if oz == 0.0 or iz == 0.0:
        return 0.0
    if shape == BLINN:
        return min(groove(ox, oy, oz, hx, hy, hz), groove(ix, iy, iz, hx, hy, hz))
    return 1.0 / (1.0 + _lambda(shape, ox, oy, abs(oz), ax, ay) + _lambda(shape, ix, iy, abs(iz), ax, ay))


@small
def normal_density(
    shape: int, ox: float, oy: float, oz: float, hx: float, hy: float, hz: float, ax: float, ay: float
) -> float:
    """Probability per steradian of the normals that `sample` gives, for a view from above."""
    d = density(shape, hx, hy, hz, ax, ay)
    if shape == GGX:
        cosine = max(ox * hx + oy * hy + oz * hz, 0.0)
        return seen(shape, ox, oy, oz, ax, ay) * cosine * d / max(oz, 1e-12)
    return d * hz


@inner
def sample(
    shape: int, ox: float, oy: float, oz: float, ax: float, ay: float, u: float, v: float
) -> tuple[float, float, float]:
    """A facet normal: for GGX one of those seen (Heitz 2018), else any, by its projected area."""
    if shape == GGX:
        x, y, z = ax * ox, ay * oy, oz
        length = math.sqrt(x * x + y * y + z * z)
        x, y, z = x / length, y / length, z / length
        flat = x * x + y * y
        if flat > 1e-20:
            inverse = 1.0 / math.sqrt(flat)
            t1x, t1y = -y * inverse, x * inverse
        else:
            t1x, t1y = 1.0, 0.0
        t2x, t2y, t2z = -z * t1y, z * t1x, x * t1y - y * t1x
        r = math.sqrt(u)
        c, si = turn(v)
        p1 = r * c
        p2 = r * si
        s = 0.5 * (1.0 + z)
        p2 = (1.0 - s) * math.sqrt(max(1.0 - p1 * p1, 0.0)) + s * p2
        p3 = math.sqrt(max(1.0 - p1 * p1 - p2 * p2, 0.0))
        hx = ax * (p1 * t1x + p2 * t2x + p3 * x)
        hy = ay * (p1 * t1y + p2 * t2y + p3 * y)
        hz = max(p2 * t2z + p3 * z, 1e-9)
        length = math.sqrt(hx * hx + hy * hy + hz * hz)
        return hx / length, hy / length, hz / length
    c, s = turn(v)
    if shape == BECKMANN:
        # a Gaussian of slopes: scale the isotropic one along each axis
        slope = math.sqrt(-math.log(max(1.0 - u, 1e-30)))
        hx, hy = slope * ax * c, slope * ay * s
        length = math.sqrt(hx * hx + hy * hy + 1.0)
        return hx / length, hy / length, 1.0 / length
    nx, ny = exponent(ax), exponent(ay)
    if ax != ay:
        # tan φ = √((nx+2)/(ny+2)) tan 2πv, kept in its quadrant (Ashikhmin & Shirley 2000, eq. 9)
        c, s = c * math.sqrt(ny + 2.0), s * math.sqrt(nx + 2.0)
        length = math.sqrt(c * c + s * s)
        c, s = c / length, s / length
    n = nx * c * c + ny * s * s
    hz = max(1.0 - u, 1e-30) ** (1.0 / (n + 2.0))
    sine = math.sqrt(max(1.0 - hz * hz, 0.0))
    return sine * c, sine * s, hz


__all__ = ["BECKMANN", "BLINN", "GGX", "density", "exponent", "groove", "normal_density", "sample", "seen", "seen_both"]
