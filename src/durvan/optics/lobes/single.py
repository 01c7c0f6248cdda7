"""One lobe: what light it sends from one direction to another, and with what probability it would have been drawn."""

from __future__ import annotations

import math

from durvan.optics.jit import inner, small
from durvan.optics.lobes import diffuse, facets, fresnel
from durvan.optics.lobes.layout import (
    ALPHA_X,
    ALPHA_Y,
    BLINN,
    BURLEY,
    DEEP_DIFFUSE,
    DIFFUSE,
    FACETS,
    FIBRE,
    FIRST,
    FULL,
    KIND,
    MIRROR,
    REFLECT,
    REFRACT,
    SHEEN,
    STRAIGHT,
    THROUGH,
    TURN,
    WEIGHT,
)
from durvan.optics.lobes.strands import strand
from durvan.optics.lobes.tables import Array, Tables, given_back, schlick_parts, sheen_scale

Colour = tuple[float, float, float]


@small
def is_mirror(rec: Array, b: int) -> bool:
    """Whether a lobe has one direction only."""
    kind = int(rec[b + KIND])
    if kind == REFLECT or kind == STRAIGHT:
        return rec[b + ALPHA_X] < MIRROR and rec[b + ALPHA_Y] < MIRROR
    if kind == REFRACT:
        return (rec[b + ALPHA_X] < MIRROR and rec[b + ALPHA_Y] < MIRROR) or rec[b + FIRST] == 1.0
    return False


@small
def turned(rec: Array, b: int, x: float, y: float) -> tuple[float, float]:
    """A direction in the frame that a lobe is turned to about the normal."""
    angle = rec[b + TURN]
    if angle == 0.0 or rec[b + ALPHA_X] == rec[b + ALPHA_Y]:
        return x, y
    c, s = math.cos(angle), math.sin(angle)
    return c * x + s * y, c * y - s * x


@inner
def _given_back(rec: Array, b: int, o: float, tables: Tables) -> Colour:
    if rec[b + FULL] == 0.0:
        return 1.0, 1.0, 1.0
    first, second = schlick_parts(tables, int(rec[b + FACETS]), math.sqrt(rec[b + ALPHA_X] * rec[b + ALPHA_Y]), o)
    return given_back(rec, b, first + second, fresnel.facing(rec, b))


@inner
def lobe(
    rec: Array, b: int, ox: float, oy: float, oz: float, ix: float, iy: float, iz: float, tables: Tables, inside: bool
) -> tuple[float, float, float, float]:
    """One lobe that is no mirror: its value, three channels, weighted but not covered, and its probability."""
    kind = int(rec[b + KIND])
    if kind == FIBRE:
        return strand(rec, b, ox, oy, oz, ix, iy, iz)
    if oz < 0.0:
        oz, iz = -oz, -iz
    if oz < 1e-6:
        return 0.0, 0.0, 0.0, 0.0
    wr, wg, wb = rec[b + WEIGHT], rec[b + WEIGHT + 1], rec[b + WEIGHT + 2]
    if kind == DIFFUSE or kind == DEEP_DIFFUSE:
        if iz <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        rough = rec[b + ALPHA_X] if kind == DIFFUSE else 0.0
        dot = ox * ix + oy * iy + oz * iz
        pdf = iz / math.pi
        if kind == DIFFUSE and int(rec[b + FACETS]) == BURLEY:
            f = diffuse.burley(rough, dot, oz, iz)
            return wr * f, wg * f, wb * f, pdf
        if rough <= 0.0:
            return wr / math.pi, wg / math.pi, wb / math.pi, pdf
        return (
            diffuse.oren_nayar(wr, rough, dot, oz, iz),
            diffuse.oren_nayar(wg, rough, dot, oz, iz),
            diffuse.oren_nayar(wb, rough, dot, oz, iz),
            pdf,
        )
    if kind == THROUGH:
        if iz >= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        return wr / math.pi, wg / math.pi, wb / math.pi, -iz / math.pi
    if kind == SHEEN:
        if iz <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        if int(rec[b + FACETS]) == BURLEY:
            f = diffuse.burley_sheen(ox * ix + oy * iy + oz * iz)
            return wr * f, wg * f, wb * f, 1.0 / (2.0 * math.pi)
        hz = (oz + iz) / max(math.sqrt((ox + ix) ** 2 + (oy + iy) ** 2 + (oz + iz) ** 2), 1e-12)
        f = diffuse.sheen(rec[b + ALPHA_X], hz, oz, iz) * sheen_scale(tables, rec[b + ALPHA_X], oz, iz)
        return wr * f, wg * f, wb * f, 1.0 / (2.0 * math.pi)
    shape = int(rec[b + FACETS])
    ax, ay = max(rec[b + ALPHA_X], 1e-4), max(rec[b + ALPHA_Y], 1e-4)
    ox, oy = turned(rec, b, ox, oy)
    ix, iy = turned(rec, b, ix, iy)
    if kind == REFLECT or kind == STRAIGHT:
        if kind == STRAIGHT:
            iz = -iz
        if iz <= 1e-6:
            return 0.0, 0.0, 0.0, 0.0
        hx, hy, hz = ox + ix, oy + iy, oz + iz
        length = math.sqrt(hx * hx + hy * hy + hz * hz)
        if length < 1e-9:
            return 0.0, 0.0, 0.0, 0.0
        hx, hy, hz = hx / length, hy / length, hz / length
        c = ox * hx + oy * hy + oz * hz
        d = facets.density(shape, hx, hy, hz, ax, ay)
        f = d * facets.seen_both(shape, ox, oy, oz, ix, iy, iz, hx, hy, hz, ax, ay) / (4.0 * oz * iz)
        pdf = facets.normal_density(shape, ox, oy, oz, hx, hy, hz, ax, ay) / max(4.0 * c, 1e-9)
        r, g, bl = fresnel.law(rec, b, c, inside)
        if kind == STRAIGHT:
            return wr * f * (1.0 - r), wg * f * (1.0 - g), wb * f * (1.0 - bl), pdf
        if rec[b + FULL] != 0.0:
            mr, mg, mb = _given_back(rec, b, oz, tables)
            r, g, bl = r * mr, g * mg, bl * mb
        return wr * f * r, wg * f * g, wb * f * bl, pdf
    if kind == REFRACT:
        if iz >= -1e-6:
            return 0.0, 0.0, 0.0, 0.0
        n = 1.0 / rec[b + FIRST] if inside else rec[b + FIRST]
        hx, hy, hz = ox + n * ix, oy + n * iy, oz + n * iz
        length = math.sqrt(hx * hx + hy * hy + hz * hz)
        if length < 1e-9:
            return 0.0, 0.0, 0.0, 0.0
        if hz < 0.0:
            length = -length
        hx, hy, hz = hx / length, hy / length, hz / length
        co = ox * hx + oy * hy + oz * hz
        ci = ix * hx + iy * hy + iz * hz
        if co <= 0.0 or ci >= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        bend = co + n * ci
        bend2 = bend * bend
        if bend2 < 1e-12:
            return 0.0, 0.0, 0.0, 0.0
        d = facets.density(shape, hx, hy, hz, ax, ay)
        # both sides are seen independently of each other (Walter et al. 2007, eqs. 21 and 23)
        if shape == BLINN:
            both = facets.groove(ox, oy, oz, hx, hy, hz) * facets.groove(ix, iy, iz, hx, hy, hz)
        else:
            both = facets.seen(shape, ox, oy, oz, ax, ay) * facets.seen(shape, ix, iy, iz, ax, ay)
        t = 1.0 - fresnel.dielectric(co, n)
        # radiance is squeezed by n² on the way in; 1/n² undoes it, as we follow it from the eye
        f = t * d * both * co * -ci / (bend2 * oz * -iz)
        pdf = facets.normal_density(shape, ox, oy, oz, hx, hy, hz, ax, ay) * n * n * -ci / bend2
        return wr * f, wg * f, wb * f, pdf
    return 0.0, 0.0, 0.0, 0.0
