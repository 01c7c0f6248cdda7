"""What lobes leave to those that lie under them, and what a stack of them is as a whole.

A lobe that covers leaves to those below 1 − coverage × (what it reflects towards the eye), as OpenPBR's albedo scaling
has it, or the same from both directions and normalised (Kelemen & Szirmay-Kalos 2001), and dims them by what it absorbs.
"""

from __future__ import annotations

import math

from durvan.optics.jit import inner, small
from durvan.optics.lobes.layout import (
    ABSORB,
    ALPHA_X,
    AMOUNT,
    BARE,
    BURLEY,
    COUNT,
    COVER,
    DIELECTRIC,
    DIFFUSE,
    FACETS,
    FILM,
    FIRST,
    FRESNEL,
    HEADER,
    INSIDE,
    KIND,
    LOBE,
    PARENT,
    RECIPROCAL,
    REFLECT,
    REFRACT,
    STRAIGHT,
    WALL,
    WEIGHT,
    WITHIN,
)
from durvan.optics.lobes.single import Colour, is_mirror
from durvan.optics.lobes.tables import Array, Tables, lobe_albedo, mean_albedo


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
    plain = rec[HEADER + ALPHA_X] <= 0.0 and rec[HEADER + FACETS] != BURLEY
    return rec[COUNT] == 1.0 and rec[HEADER + KIND] == DIFFUSE and plain


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
