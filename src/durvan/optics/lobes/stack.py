"""A surface's lobes together: what they send from one direction to another, and a direction drawn by them."""

from __future__ import annotations

import math

from durvan.optics.jit import inner, small
from durvan.optics.lobes import facets, fresnel
from durvan.optics.lobes.covers import cover, from_inside, is_clear, is_matt
from durvan.optics.lobes.layout import (
    ALPHA_X,
    ALPHA_Y,
    COUNT,
    DEEP_DIFFUSE,
    DEEP_WALK,
    DIFFUSE,
    FACETS,
    FIBRE,
    FIRST,
    HEADER,
    KIND,
    LOBE,
    NONE,
    REFLECT,
    REFRACT,
    SHEEN,
    STRAIGHT,
    THROUGH,
    TURN,
    WEIGHT,
)
from durvan.optics.lobes.single import is_mirror, lobe, turned
from durvan.optics.lobes.strands import drawn
from durvan.optics.lobes.tables import Array, Tables, glass, lobe_albedo
from durvan.optics.lobes.turns import turn

Sample = tuple[float, float, float, float, float, float, float, bool, int]


@inner
def shares(rec: Array, oz: float, tables: Tables, out: Array) -> float:
    """How likely each lobe is to be sampled, written to `out`, summing to 1; gives what they reflect together
    (of one lobe alone its weight).
    """
    count = int(rec[COUNT])
    if count == 1:
        out[0] = 1.0
        return max(rec[HEADER + WEIGHT], max(rec[HEADER + WEIGHT + 1], rec[HEADER + WEIGHT + 2]))
    if is_clear(rec):  # by what each reflects or lets through; they have their colours for themselves
        other = HEADER + LOBE + WEIGHT
        inside = from_inside(rec, oz)
        out[0] = fresnel.law(rec, HEADER, abs(oz), inside)[0]
        out[1] = 1.0 - out[0]
        most = max(rec[HEADER + WEIGHT], max(rec[HEADER + WEIGHT + 1], rec[HEADER + WEIGHT + 2]))
        return max(most, max(rec[other], max(rec[other + 1], rec[other + 2])))
    total = 0.0
    o = max(abs(oz), 1e-4)
    inside = from_inside(rec, oz)
    for n in range(count):
        b = HEADER + n * LOBE
        kind = int(rec[b + KIND])
        value = 0.0
        if kind != NONE:
            kr, kg, kb = cover(rec, b, o, o, tables, False, inside)
            er, eg, eb = 1.0, 1.0, 1.0
            if kind == REFLECT or kind == SHEEN:
                er, eg, eb = lobe_albedo(rec, b, o, tables, inside)
            elif kind == REFRACT:
                k = rec[b + FIRST]
                alpha = math.sqrt(rec[b + ALPHA_X] * rec[b + ALPHA_Y])
                er = eg = eb = 1.0 - glass(tables, int(rec[b + FACETS]), alpha, o, 1.0 / k if inside else k)
            elif kind == STRAIGHT:
                er, eg, eb = fresnel.law(rec, b, o, False)
                er, eg, eb = 1.0 - er, 1.0 - eg, 1.0 - eb
            value = max(
                0.2126 * rec[b + WEIGHT] * kr * er
                + 0.7152 * rec[b + WEIGHT + 1] * kg * eg
                + 0.0722 * rec[b + WEIGHT + 2] * kb * eb,
                0.0,
            )
        out[n] = value
        total += value
    if total > 0.0:
        for n in range(count):
            out[n] /= total
    return total


@inner
def spreads(rec: Array, chances: Array) -> bool:
    """Whether any lobe that counts scatters to more than one direction; where none does, no light need be asked."""
    for n in range(int(rec[COUNT])):
        b = HEADER + n * LOBE
        if chances[n] > 0.0 and not is_mirror(rec, b) and int(rec[b + KIND]) != DEEP_WALK:
            return True
    return False


@inner
def evaluate(
    rec: Array, ox: float, oy: float, oz: float, ix: float, iy: float, iz: float, tables: Tables, chances: Array
) -> tuple[float, float, float, float]:
    """All lobes but mirrors: the value per steradian, three channels, and the probability with `chances` of `shares`."""
    if is_matt(rec):
        if oz * iz <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        k = 1.0 / math.pi
        return rec[HEADER + WEIGHT] * k, rec[HEADER + WEIGHT + 1] * k, rec[HEADER + WEIGHT + 2] * k, abs(iz) * k
    r = g = bl = pdf = 0.0
    o, i = max(abs(oz), 1e-6), max(abs(iz), 1e-6)
    inside = from_inside(rec, oz)
    for n in range(int(rec[COUNT])):
        b = HEADER + n * LOBE
        if chances[n] <= 0.0 or is_mirror(rec, b):
            continue
        fr, fg, fb, p = lobe(rec, b, ox, oy, oz, ix, iy, iz, tables, inside)
        if fr > 0.0 or fg > 0.0 or fb > 0.0:
            kr, kg, kb = cover(rec, b, o, i, tables, True, inside)
            r, g, bl = r + fr * kr, g + fg * kg, bl + fb * kb
        pdf += chances[n] * p
    return r, g, bl, pdf


@inner
def _mirror(
    rec: Array, b: int, ox: float, oy: float, oz: float, inside: bool
) -> tuple[float, float, float, float, float, float]:
    """The one direction of a mirror lobe and what comes from there, weighted, not covered."""
    kind = int(rec[b + KIND])
    c = abs(oz)
    r, g, bl = fresnel.law(rec, b, c, inside)
    if kind == REFLECT:
        return -ox, -oy, oz, rec[b + WEIGHT] * r, rec[b + WEIGHT + 1] * g, rec[b + WEIGHT + 2] * bl
    if kind == STRAIGHT:
        return (
            -ox, -oy, -oz,
            rec[b + WEIGHT] * (1.0 - r), rec[b + WEIGHT + 1] * (1.0 - g), rec[b + WEIGHT + 2] * (1.0 - bl),
        )  # fmt: skip
    n = 1.0 / rec[b + FIRST] if inside else rec[b + FIRST]
    t = 1.0 - fresnel.dielectric(c, n)
    s2 = (1.0 - c * c) / (n * n)
    if s2 >= 1.0 or t <= 0.0:
        return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0
    z = math.sqrt(1.0 - s2)
    t /= n * n
    return (
        -ox / n,
        -oy / n,
        (z if oz < 0.0 else -z),
        rec[b + WEIGHT] * t,
        rec[b + WEIGHT + 1] * t,
        rec[b + WEIGHT + 2] * t,
    )


@small
def lets_straight(rec: Array) -> bool:
    """Whether anything may pass straight on without being scattered."""
    for n in range(int(rec[COUNT])):
        if int(rec[HEADER + n * LOBE + KIND]) == STRAIGHT and is_mirror(rec, HEADER + n * LOBE):
            return True
    return False


@inner
def straight_on(rec: Array, oz: float, tables: Tables) -> tuple[float, float, float]:
    """What passes straight on without being scattered, three channels; `oz` is the cosine of the way it goes to the normal."""
    r = g = bl = 0.0
    inside = from_inside(rec, oz)
    for n in range(int(rec[COUNT])):
        b = HEADER + n * LOBE
        if int(rec[b + KIND]) == STRAIGHT and is_mirror(rec, b):
            _, _, _, wr, wg, wb = _mirror(rec, b, 0.0, 0.0, oz, inside)
            kr, kg, kb = cover(rec, b, abs(oz), abs(oz), tables, True, inside)
            r, g, bl = r + wr * kr, g + wg * kg, bl + wb * kb
    return r, g, bl


@inner
def sample(
    rec: Array, ox: float, oy: float, oz: float, w: float, u: float, v: float, tables: Tables, chances: Array
) -> Sample:
    """A direction to the light: x, y, z, the weight (value × cosine ÷ probability) in three channels, the probability,
    whether it came from a mirror, and from which lobe (−1 when nothing comes). `chances` is as `shares` wrote it.
    """
    if is_matt(rec) and abs(oz) >= 1e-6:
        radius = math.sqrt(u)
        c, s = turn(v)
        iz = math.sqrt(max(1.0 - u, 1e-12))
        up = iz if oz > 0.0 else -iz
        k = HEADER + WEIGHT
        return radius * c, radius * s, up, rec[k], rec[k + 1], rec[k + 2], iz / math.pi, False, 0
    count = int(rec[COUNT])
    chosen = -1
    rest = w
    for n in range(count):
        if chances[n] > 0.0:
            chosen = n
            if rest < chances[n]:
                break
            rest -= chances[n]
    if chosen < 0 or abs(oz) < 1e-6:
        return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, False, -1
    b = HEADER + chosen * LOBE
    kind = int(rec[b + KIND])
    inside = from_inside(rec, oz)
    if is_mirror(rec, b):
        ix, iy, iz, r, g, bl = _mirror(rec, b, ox, oy, oz, inside)
        if iz == 0.0:
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, True, -1
        kr, kg, kb = cover(rec, b, abs(oz), abs(iz), tables, True, inside)
        p = chances[chosen]
        return ix, iy, iz, r * kr / p, g * kg / p, bl * kb / p, p, True, chosen
    side = 1.0 if oz > 0.0 else -1.0
    if kind == DEEP_WALK:
        radius = math.sqrt(u)
        c, s = turn(v)
        iz = math.sqrt(max(1.0 - u, 1e-9))
        kr, kg, kb = cover(rec, b, abs(oz), iz, tables, True, inside)
        p = chances[chosen]
        wr, wg, wb = rec[b + WEIGHT] * kr / p, rec[b + WEIGHT + 1] * kg / p, rec[b + WEIGHT + 2] * kb / p
        return radius * c, radius * s, -iz * side, wr, wg, wb, p, True, chosen
    if kind == FIBRE:
        again = min(max(rest / chances[chosen], 0.0), 0.999999)
        ix, iy, iz = drawn(rec, b, ox, oy, oz, again, u, v)
    elif kind == DIFFUSE or kind == DEEP_DIFFUSE or kind == THROUGH:
        radius = math.sqrt(u)
        c, s = turn(v)
        ix, iy = radius * c, radius * s
        iz = math.sqrt(max(1.0 - u, 0.0)) * side
        if kind == THROUGH:
            iz = -iz
    elif kind == SHEEN:
        iz = u * side
        radius = math.sqrt(max(1.0 - u * u, 0.0))
        c, s = turn(v)
        ix, iy = radius * c, radius * s
    else:
        ax, ay = max(rec[b + ALPHA_X], 1e-4), max(rec[b + ALPHA_Y], 1e-4)
        tx, ty = turned(rec, b, ox, oy)
        tz = abs(oz)
        hx, hy, hz = facets.sample(int(rec[b + FACETS]), tx, ty, tz, ax, ay, u, v)
        c = tx * hx + ty * hy + tz * hz
        if c <= 0.0:
            return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, False, -1
        if kind == REFRACT:
            n = 1.0 / rec[b + FIRST] if inside else rec[b + FIRST]
            s2 = (1.0 - c * c) / (n * n)
            if s2 >= 1.0:
                return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, False, -1
            k = c / n - math.sqrt(1.0 - s2)
            lx, ly, lz = k * hx - tx / n, k * hy - ty / n, k * hz - tz / n
            if lz >= 0.0:
                return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, False, -1
        else:
            lx, ly, lz = 2.0 * c * hx - tx, 2.0 * c * hy - ty, 2.0 * c * hz - tz
            if lz <= 0.0:
                return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, False, -1
            if kind == STRAIGHT:
                lz = -lz
        angle = rec[b + TURN]
        if angle != 0.0 and ax != ay:
            cc, ss = math.cos(angle), math.sin(angle)
            lx, ly = cc * lx - ss * ly, ss * lx + cc * ly
        ix, iy, iz = lx, ly, lz * side
    r, g, bl, pdf = evaluate(rec, ox, oy, oz, ix, iy, iz, tables, chances)
    if pdf <= 0.0:
        return 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, False, -1
    scale = abs(iz) / pdf
    return ix, iy, iz, r * scale, g * scale, bl * scale, pdf, False, chosen
