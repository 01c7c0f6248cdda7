"""A surface's lobes asked from Python, for many directions at once."""

from __future__ import annotations

import math

import numpy as np

from durvan.optics.jit import address, entry
from durvan.optics.lobes import fresnel
from durvan.optics.lobes.covers import cover
from durvan.optics.lobes.layout import (
    ALPHA_X,
    ALPHA_Y,
    COUNT,
    FACETS,
    FIBRE,
    FIRST,
    HEADER,
    KIND,
    LOBE,
    MOST,
    NONE,
    REFRACT,
    STRAIGHT,
    THROUGH,
    WEIGHT,
)
from durvan.optics.lobes.stack import evaluate, sample, shares
from durvan.optics.lobes.strands import strand_albedo
from durvan.optics.lobes.tables import Array, Tables, glass, lobe_albedo


@entry
def evaluate_many(rec: Array, o: Array, i: Array, tables: Tables, value: Array, pdf: Array) -> None:
    """Evaluate one record for n pairs of directions: `o`, `i` [n, 3] in, `value` [n, 3] and `pdf` [n] out."""
    room = np.empty(MOST)
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
            elif kind == FIBRE:
                er, eg, eb = strand_albedo(record, b, math.sqrt(max(1.0 - o * o, 0.0)))
            out[n, side] += rec[b + WEIGHT] * kr * er
            out[n, side + 1] += rec[b + WEIGHT + 1] * kg * eg
            out[n, side + 2] += rec[b + WEIGHT + 2] * kb * eb


@entry
def sample_many(
    rec: Array, o: Array, u: Array, tables: Tables, i: Array, weight: Array, pdf: Array, chosen: Array
) -> None:
    """Sample one record n times: `o`, `u` [n, 3] in; `i`, `weight` [n, 3], `pdf` [n] and the lobes [n] out."""
    room = np.empty(MOST)
    chances, rec, tables = address(room), address(rec), address(tables)
    for n in range(o.shape[0]):
        shares(rec, o[n, 2], tables, chances)
        s = sample(rec, o[n, 0], o[n, 1], o[n, 2], u[n, 0], u[n, 1], u[n, 2], tables, chances)
        i[n, 0], i[n, 1], i[n, 2] = s[0], s[1], s[2]
        weight[n, 0], weight[n, 1], weight[n, 2] = s[3], s[4], s[5]
        pdf[n] = s[6]
        chosen[n] = s[8]
    room[0] = 0.0
