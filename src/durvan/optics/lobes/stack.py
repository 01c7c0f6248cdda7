"""A surface's lobes together: what lies on top takes light from what lies under it.

A lobe that covers leaves to those below 1 − coverage × (what it reflects towards the eye), as OpenPBR's albedo scaling
has it, or the same from both directions and normalised (Kelemen & Szirmay-Kalos 2001), and dims them by what it absorbs.
"""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from durvan.optics.jit import address, entry, inner, small
from durvan.optics.lobes import diffuse, facets, fresnel
from durvan.optics.lobes.layout import (
    ABSORB,
    ALPHA_X,
    ALPHA_Y,
    AMOUNT,
    BARE,
    BLINN,
    COUNT,
    COVER,
    DEEP_DIFFUSE,
    DEEP_WALK,
    DIELECTRIC,
    DIFFUSE,
    FACETS,
    FILM,
    FIRST,
    FRESNEL,
    FULL,
    HEADER,
    INSIDE,
    KIND,
    LOBE,
    MIRROR,
    NONE,
    PARENT,
    RECIPROCAL,
    REFLECT,
    REFRACT,
    SHEEN,
    STRAIGHT,
    THROUGH,
    TURN,
    WALL,
    WEIGHT,
    WITHIN,
)
from durvan.optics.lobes.tables import (
    Tables,
    given_back,
    glass,
    lobe_albedo,
    mean_albedo,
    schlick_parts,
    sheen_scale,
)
from durvan.optics.lobes.turns import turn

Array = NDArray[np.float64]
Colour = tuple[float, float, float]
Sample = tuple[float, float, float, float, float, float, float, bool, int]


@small
def is_mirror(rec: Array, b: int) -> bool:
    """Whether a lobe has one direction only."""
    kind = int(rec[b + KIND])
    if kind == REFLECT or kind == STRAIGHT:
        return rec[b + ALPHA_X] < MIRROR and rec[b + ALPHA_Y] < MIRROR
    if kind == REFRACT:
        return (rec[b + ALPHA_X] < MIRROR and rec[b + ALPHA_Y] < MIRROR) or rec[b + FIRST] == 1.0
    return False


@inner
def from_inside(rec: Array, oz: float) -> bool:
    """Whether an eye on the lower side is inside a body: it is where light gets in. Else it sees a back like the front."""
    if oz >= 0.0 or rec[INSIDE] == 0.0:
        return False
    for n in range(int(rec[COUNT])):
        b = HEADER + n * LOBE
        if int(rec[b + KIND]) == REFRACT and rec[b + WEIGHT] + rec[b + WEIGHT + 1] + rec[b + WEIGHT + 2] > 0.0:
            return True
    return False


@small
def is_matt(rec: Array) -> bool:
    """Whether it is one even matt lobe and nothing else, which needs no more than its colour."""
    return rec[COUNT] == 1.0 and rec[HEADER + KIND] == DIFFUSE and rec[HEADER + ALPHA_X] <= 0.0


@small
def is_clear(rec: Array) -> bool:
    """Whether it is a clear body or pane and nothing else: a mirror, and one that lets through, with nothing over them."""
    if rec[COUNT] != 2.0 or rec[HEADER + KIND] != REFLECT:
        return False
    other = HEADER + LOBE
    body = rec[other + KIND] == REFRACT and rec[HEADER + FRESNEL] == DIELECTRIC
    pane = rec[other + KIND] == STRAIGHT and rec[HEADER + FRESNEL] == WALL
    return (
        (body or pane)
        and rec[HEADER + PARENT] < 0.0
        and rec[other + PARENT] < 0.0
        and rec[HEADER + FILM] <= 0.0
        and is_mirror(rec, HEADER)
        and is_mirror(rec, other)
    )


@inner
def cover(rec: Array, b: int, o: float, i: float, tables: Tables, both: bool, inside: bool) -> Colour:
    """What the lobes over lobe `b` leave to it, three channels; `both` also counts the way to the light. Seen from
    inside they take what they reflect there.
    """
    r = g = bl = 1.0
    p = int(rec[b + PARENT])
    guard = 0
    while p >= 0 and guard < 8:
        guard += 1
        q = HEADER + p * LOBE
        how = int(rec[q + COVER])
        if how != BARE:
            amount = rec[q + AMOUNT]
            alone = 1.0 / max(rec[q + WITHIN], 1e-6)
            wr, wg, wb = rec[q + WEIGHT] * alone, rec[q + WEIGHT + 1] * alone, rec[q + WEIGHT + 2] * alone
            er, eg, eb = lobe_albedo(rec, q, o, tables, inside)
            kr = max(1.0 - wr * er, 0.0)
            kg = max(1.0 - wg * eg, 0.0)
            kb = max(1.0 - wb * eb, 0.0)
            if how == RECIPROCAL and both and not inside:
                fr, fg, fb = lobe_albedo(rec, q, i, tables, False)
                mean = mean_albedo(rec, q, tables)
                kr *= max(1.0 - wr * fr, 0.0) / max(1.0 - wr * mean, 1e-6)
                kg *= max(1.0 - wg * fg, 0.0) / max(1.0 - wg * mean, 1e-6)
                kb *= max(1.0 - wb * fb, 0.0) / max(1.0 - wb * mean, 1e-6)
            ar, ag, ab = rec[q + ABSORB], rec[q + ABSORB + 1], rec[q + ABSORB + 2]
            if ar != 1.0 or ag != 1.0 or ab != 1.0:
                n = rec[q + FIRST] if int(rec[q + FRESNEL]) == DIELECTRIC else 1.5
                way = 0.5 / math.sqrt(1.0 - (1.0 - o * o) / (n * n))
                way += 0.5 / math.sqrt(1.0 - (1.0 - i * i) / (n * n)) if both else 0.5
                share = amount
                kr *= 1.0 - share + share * max(ar, 1e-6) ** way
                kg *= 1.0 - share + share * max(ag, 1e-6) ** way
                kb *= 1.0 - share + share * max(ab, 1e-6) ** way
            r, g, bl = r * kr, g * kg, bl * kb
        p = int(rec[q + PARENT])
    return r, g, bl


@small
def _turned(rec: Array, b: int, x: float, y: float) -> tuple[float, float]:
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
        hz = (oz + iz) / max(math.sqrt((ox + ix) ** 2 + (oy + iy) ** 2 + (oz + iz) ** 2), 1e-12)
        f = diffuse.sheen(rec[b + ALPHA_X], hz, oz, iz) * sheen_scale(tables, rec[b + ALPHA_X], oz, iz)
        return wr * f, wg * f, wb * f, 1.0 / (2.0 * math.pi)
    shape = int(rec[b + FACETS])
    ax, ay = max(rec[b + ALPHA_X], 1e-4), max(rec[b + ALPHA_Y], 1e-4)
    ox, oy = _turned(rec, b, ox, oy)
    ix, iy = _turned(rec, b, ix, iy)
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
    if kind == DIFFUSE or kind == DEEP_DIFFUSE or kind == THROUGH:
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
        tx, ty = _turned(rec, b, ox, oy)
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


@entry
def evaluate_many(rec: Array, o: Array, i: Array, tables: Tables, value: Array, pdf: Array) -> None:
    """Evaluate one record for n pairs of directions: `o`, `i` [n, 3] in, `value` [n, 3] and `pdf` [n] out."""
    room = np.empty(8)
    chances, rec, tables = address(room), address(rec), address(tables)
    for n in range(o.shape[0]):
        shares(rec, o[n, 2], tables, chances)
        value[n, 0], value[n, 1], value[n, 2], pdf[n] = evaluate(
            rec, o[n, 0], o[n, 1], o[n, 2], i[n, 0], i[n, 1], i[n, 2], tables, chances
        )
    room[0] = 0.0  # so that what `chances` points to lives until here


@entry
def albedos(rec: Array, cosines: Array, tables: Tables, out: Array) -> None:
    """What a record reflects and lets pass towards n cosines, mirrors too: `out` [n, 6], three channels of each."""
    record, table = address(rec), address(tables)
    for n in range(cosines.shape[0]):
        o = cosines[n]
        for c in range(6):
            out[n, c] = 0.0
        for k in range(int(rec[COUNT])):
            b = HEADER + k * LOBE
            kind = int(rec[b + KIND])
            if kind == NONE:
                continue
            kr, kg, kb = cover(record, b, o, o, table, False, False)
            er, eg, eb = lobe_albedo(record, b, o, table, False)
            side = 0
            if kind == REFRACT:
                side = 3
                alpha = math.sqrt(rec[b + ALPHA_X] * rec[b + ALPHA_Y])
                er = eg = eb = 1.0 - glass(table, int(rec[b + FACETS]), alpha, o, rec[b + FIRST])
            elif kind == STRAIGHT:
                side = 3
                er, eg, eb = fresnel.law(record, b, o, False)
                er, eg, eb = 1.0 - er, 1.0 - eg, 1.0 - eb
            elif kind == THROUGH:
                side = 3
            out[n, side] += rec[b + WEIGHT] * kr * er
            out[n, side + 1] += rec[b + WEIGHT + 1] * kg * eg
            out[n, side + 2] += rec[b + WEIGHT + 2] * kb * eb


@entry
def sample_many(
    rec: Array, o: Array, u: Array, tables: Tables, i: Array, weight: Array, pdf: Array, chosen: Array
) -> None:
    """Sample one record n times: `o`, `u` [n, 3] in; `i`, `weight` [n, 3], `pdf` [n] and the lobes [n] out."""
    room = np.empty(8)
    chances, rec, tables = address(room), address(rec), address(tables)
    for n in range(o.shape[0]):
        shares(rec, o[n, 2], tables, chances)
        s = sample(rec, o[n, 0], o[n, 1], o[n, 2], u[n, 0], u[n, 1], u[n, 2], tables, chances)
        i[n, 0], i[n, 1], i[n, 2] = s[0], s[1], s[2]
        weight[n, 0], weight[n, 1], weight[n, 2] = s[3], s[4], s[5]
        pdf[n] = s[6]
        chosen[n] = s[8]
    room[0] = 0.0


__all__ = [
    "RECIPROCAL",
    "albedos",
    "cover",
    "evaluate",
    "evaluate_many",
    "is_mirror",
    "lobe",
    "sample",
    "sample_many",
    "shares",
    "spreads",
]
