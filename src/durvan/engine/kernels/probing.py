"""What each light puts on a probe: every light by itself, with whatever stands in between."""

from __future__ import annotations

import math

from durvan.engine.kernels import lights
from durvan.engine.kernels.fog import let_through
from durvan.engine.kernels.rays import NOTHING, THINGS, in_the_way, nearest
from durvan.engine.kernels.surfaces import H_NG, MOST_CUTS, lift, look_of_side, past, surface_at
from durvan.engine.kernels.world import (
    A_FAR,
    A_LIGHT,
    A_TRIANGLE,
    BARS,
    F8,
    I4,
    LIGHT,
    LIT,
    N_CUT_OUTS,
    N_FAR,
    R_HIT,
    R_OTHER,
    R_POINT,
    R_RECORD,
    R_REGISTERS,
    SHADOWS,
    T_FLAT,
    T_OBJECT,
    TRIANGLE_SIZE,
    World,
    bare,
)
from durvan.engine.kernels.world import KIND as KIND_OF
from durvan.optics.jit import address, beyond, entry, inner
from durvan.optics.light_shapes import DOME
from durvan.optics.lobes import fresnel
from durvan.optics.lobes.layout import COUNT, HEADER, KIND, LOBE, MURK, OPACITY, REFRACT, STRAIGHT, WEIGHT

# The steps of low-discrepancy sequences in three and in two dimensions (Roberts 2018): powers of the roots of x⁴ = x + 1 and x³ = x + 1
STEP_1, STEP_2, STEP_3 = 0.8191725133961645, 0.6710436067037893, 0.5497004779019703
FLAT_1, FLAT_2 = 0.7548776662466927, 0.5698402909980532
P_AT, P_NORMAL, P_THING, PROBE = (
    0,
    3,
    6,
    7,
)  # a probe: its place, its normal (0: from all sides), the object it is on (−1)


@inner
def passed(
    w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, distance: float, light: int, registers: F8,
    point: F8, room: F8, hit: F8,
) -> tuple[float, float, float]:  # fmt: skip
    """How much of a light comes straight along a way: none past what is solid, a part through cut-outs, thin walls and clear
    bodies. Bodies are taken as if they did not bend light, which a probe behind a window or in a glass case asks for.
    """
    row = w.i4[A_LIGHT] + light * LIGHT
    plain = w.f8[row + BARS] < 0.0 and w.i4[N_CUT_OUTS] == 0
    if plain and not in_the_way(w, ox, oy, oz, dx, dy, dz, distance, 0, light):
        return 1.0, 1.0, 1.0
    r = g = b = 1.0
    near, entered = 0.0, 0.0
    for _ in range(MOST_CUTS):
        t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, distance, THINGS)
        if prim == NOTHING:
            return r, g, b
        near = past(t)
        thing = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_OBJECT]) if prim >= 0 else -1
        if not lights.is_listed(w, row, BARS, thing):
            continue
        m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
        rec = look_of_side(w, m, hit, dx, dy, dz, point, registers, room)
        cosine = dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2]
        inside = cosine > 0.0
        cr = cg = cb = 0.0
        for n in range(int(rec[COUNT])):
            lobe = HEADER + n * LOBE
            kind = int(rec[lobe + KIND])
            if kind == STRAIGHT or kind == REFRACT:
                fr, fg, fb = fresnel.law(rec, lobe, abs(cosine), False)
                wr, wg, wb = rec[lobe + WEIGHT], rec[lobe + WEIGHT + 1], rec[lobe + WEIGHT + 2]
                if inside and kind == REFRACT:  # its colour was taken away where the light went in
                    wr = wg = wb = 1.0 if wr + wg + wb > 0.0 else 0.0
                cr, cg, cb = cr + wr * (1.0 - fr), cg + wg * (1.0 - fg), cb + wb * (1.0 - fb)
        if inside:
            way = t - entered
            cr *= math.exp(-min(rec[MURK] * way, 80.0))
            cg *= math.exp(-min(rec[MURK + 1] * way, 80.0))
            cb *= math.exp(-min(rec[MURK + 2] * way, 80.0))
        else:
            entered = t
        solid = min(max(rec[OPACITY], 0.0), 1.0)
        r, g, b = r * (1.0 - solid + solid * cr), g * (1.0 - solid + solid * cg), b * (1.0 - solid + solid * cb)
        if r + g + b < 1e-4:
            return 0.0, 0.0, 0.0
    return 0.0, 0.0, 0.0


@entry
def illuminate(
    w: World, probes: F8, first: int, end: int, spans: I4, members: I4, sums: F8, counts: I4, room: F8, out: F8
) -> None:
    """Add to `out` [probes, groups, 3] what the groups from `first` to `end` put on each probe, in lux.

    A group's lights are `members` from `spans[g]` to `spans[g + 1]`, chosen by the chances summed in `sums` (of each group
    from 0 to 1, one more than its lights: they begin at `spans[g] + g`); `counts[g]` looks are taken. `room` as for `render`.
    """
    w = bare(w)
    point, hit = beyond(address(room), R_POINT), beyond(address(room), R_HIT)
    rec, other = beyond(address(room), R_RECORD), beyond(address(room), R_OTHER)
    registers = beyond(address(room), R_REGISTERS)
    for g in range(first, end):
        start, many, base = spans[g], spans[g + 1] - spans[g], spans[g] + g
        if many == 0:
            continue
        for p in range(probes.shape[0]):
            px, py, pz = probes[p, P_AT], probes[p, P_AT + 1], probes[p, P_AT + 2]
            nx, ny, nz = probes[p, P_NORMAL], probes[p, P_NORMAL + 1], probes[p, P_NORMAL + 2]
            thing = int(probes[p, P_THING])
            flat = nx * nx + ny * ny + nz * nz > 0.0
            e = lift(px, py, pz)
            qx, qy, qz = px + e * nx, py + e * ny, pz + e * nz
            r1 = g1 = b1 = 0.0
            taken = counts[g]
            one, two = (FLAT_1, FLAT_2) if many == 1 else (STEP_1, STEP_2)
            for s in range(taken):
                a, b, c = (0.5 + s * one) % 1.0, (0.5 + s * two) % 1.0, (0.5 + s * STEP_3) % 1.0
                low, high = 0, many
                while high - low > 1:
                    middle = (low + high) >> 1
                    if sums[base + middle] <= c:
                        low = middle
                    else:
                        high = middle
                chance = sums[base + low + 1] - sums[base + low]
                l = members[start + low]
                row = w.i4[A_LIGHT] + l * LIGHT
                if chance <= 0.0 or not lights.is_listed(w, row, LIT, thing):
                    continue
                dx, dy, dz, d, r, gr, bl, pdf, _ = lights.sample(w, l, px, py, pz, a, b, registers, point, other)
                if pdf <= 0.0 or r + gr + bl <= 0.0:
                    continue
                k = dx * nx + dy * ny + dz * nz if flat else 0.25
                if k <= 0.0:
                    continue
                if w.f8[row + SHADOWS] != 0.0:
                    r2, g2, b2 = passed(w, qx, qy, qz, dx, dy, dz, d * 0.99999 - 2.0 * e, l, registers, point, rec, hit)
                    r, gr, bl = r * r2, gr * g2, bl * b2
                k *= let_through(w, px, py, pz, dx, dy, dz, min(d, 1e19)) / (pdf * chance * taken)
                r1, g1, b1 = r1 + k * r, g1 + k * gr, b1 + k * bl
            out[p, g, 0] += r1
            out[p, g, 1] += g1
            out[p, g, 2] += b1


@entry
def surroundings(w: World, probe: F8, directions: F8, room: F8, out: F8) -> None:
    """What domes send a place from some directions [n, 3], past what stands in between: luminance in nit [n]. `room` as for `render`."""
    w = bare(w)
    point, hit = beyond(address(room), R_POINT), beyond(address(room), R_HIT)
    other, registers = beyond(address(room), R_RECORD), beyond(address(room), R_REGISTERS)
    px, py, pz = probe[P_AT], probe[P_AT + 1], probe[P_AT + 2]
    for n in range(directions.shape[0]):
        dx, dy, dz = directions[n, 0], directions[n, 1], directions[n, 2]
        out[n] = 0.0
        for k in range(w.i4[N_FAR]):
            l = w.i4[w.i4[A_FAR] + k]
            light = w.i4[A_LIGHT] + l * LIGHT
            if int(w.f8[light + KIND_OF]) != DOME:
                continue
            r, g, b, _ = lights.dome_light(w, light, dx, dy, dz)
            tr, tg, tb = passed(w, px, py, pz, dx, dy, dz, lights.INFINITE, l, registers, point, other, hit)
            out[n] += 0.2126 * r * tr + 0.7152 * g * tg + 0.0722 * b * tb


@entry
def distances(w: World, probes: F8, directions: F8, out: F8) -> None:
    """How far it is from each probe to the next thing in some directions [n, 3], in metres: below 0 where its back is met, 0 for
    nothing.
    """
    w = bare(w)
    for p in range(probes.shape[0]):
        px, py, pz = probes[p, P_AT], probes[p, P_AT + 1], probes[p, P_AT + 2]
        for n in range(directions.shape[0]):
            t, prim, _, _ = nearest(
                w, px, py, pz, directions[n, 0], directions[n, 1], directions[n, 2], 0.0, lights.INFINITE, THINGS
            )
            out[p, n] = 0.0
            if prim >= 0:
                at = beyond(w.f4, w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE)
                facing = (
                    directions[n, 0] * at[T_FLAT]
                    + directions[n, 1] * at[T_FLAT + 1]
                    + directions[n, 2] * at[T_FLAT + 2]
                )
                out[p, n] = t if facing < 0.0 else -t
            elif prim != NOTHING:
                out[p, n] = t
