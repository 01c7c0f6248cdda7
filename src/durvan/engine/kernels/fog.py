"""Fog: an even medium in a ball about the scene; how far a ray is in it, what it lets through, and where it scatters.

Density is the same for all colours, so that a way through it is found with one number and costs nothing but its albedo.
"""

from __future__ import annotations

import math

from durvan.engine.kernels.world import A_FOG, F_DENSITY, F_FORWARD, F_MIDDLE, F_RADIUS, N_FOG, World
from durvan.optics.jit import inner, small
from durvan.optics.lobes.turns import turn


@inner
def span(
    w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float
) -> tuple[float, float]:
    """Where a ray is in the fog, between two distances; the second is not past the first where it is not."""
    fog = w.i4[A_FOG]
    x, y, z = ox - w.f8[fog + F_MIDDLE], oy - w.f8[fog + F_MIDDLE + 1], oz - w.f8[fog + F_MIDDLE + 2]
    b = x * dx + y * dy + z * dz
    h = b * b - (x * x + y * y + z * z - w.f8[fog + F_RADIUS] * w.f8[fog + F_RADIUS])
    if h <= 0.0:
        return near, near
    root = math.sqrt(h)
    return max(near, -b - root), min(far, root - b)


@inner
def let_through(w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, distance: float) -> float:
    """The part of light that comes through the fog along a way; 1 where there is none."""
    if w.i4[N_FOG] == 0:
        return 1.0
    first, last = span(w, ox, oy, oz, dx, dy, dz, 0.0, distance)
    return math.exp(-min(max(last - first, 0.0) * w.f8[w.i4[A_FOG] + F_DENSITY], 80.0))


@inner
def scatters_at(
    w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float, u: float
) -> float:
    """How far along a ray the fog scatters it, by chance; −1 where it does not before `far`."""
    first, last = span(w, ox, oy, oz, dx, dy, dz, near, far)
    if last <= first:
        return -1.0
    t = first - math.log(max(1.0 - u, 1e-300)) / w.f8[w.i4[A_FOG] + F_DENSITY]
    return t if t < last else -1.0


@small
def phase(g: float, cosine: float) -> float:
    """How likely light is turned by an angle, per steradian (Henyey and Greenstein 1941)."""
    k = max(1.0 + g * g - 2.0 * g * cosine, 1e-9)
    return (1.0 - g * g) / (4.0 * math.pi * k * math.sqrt(k))


@inner
def scattered(w: World, dx: float, dy: float, dz: float, u: float, v: float) -> tuple[float, float, float, float]:
    """A direction after scattering, and its chance per steradian."""
    g = w.f8[w.i4[A_FOG] + F_FORWARD]
    if abs(g) < 1e-3:
        cosine = 1.0 - 2.0 * u
    else:
        k = (1.0 - g * g) / (1.0 - g + 2.0 * g * u)
        cosine = min(max((1.0 + g * g - k * k) / (2.0 * g), -1.0), 1.0)
    sine = math.sqrt(max(1.0 - cosine * cosine, 0.0))
    c, s = turn(v)
    sign = 1.0 if dz >= 0.0 else -1.0  # a frame about the ray (Duff et al. 2017)
    a = -1.0 / (sign + dz)
    b = dx * dy * a
    e, f = sine * c, sine * s
    x = e * (1.0 + sign * dx * dx * a) + f * b + cosine * dx
    y = e * sign * b + f * (sign + dy * dy * a) + cosine * dy
    z = -e * sign * dx - f * dy + cosine * dz
    return x, y, z, phase(g, cosine)
