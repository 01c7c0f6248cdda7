"""Paths of light from the camera: the next thing, its surface, a look at one light, the next direction.

Weak paths are ended at random.
"""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels import lights
from durvan.engine.kernels.arrivals import arrive, from_afar, glow_seen, lit, look_at_light, look_from_fog
from durvan.engine.kernels.below import walk
from durvan.engine.kernels.fog import scattered, scatters_at
from durvan.engine.kernels.lattice import number
from durvan.engine.kernels.rays import LIGHTS, NOTHING, THINGS, nearest
from durvan.engine.kernels.surfaces import (
    H_NG,
    H_NS,
    H_P,
    H_T1,
    H_T2,
    MOST_CUTS,
    frame,
    lift,
    past,
    prepare,
    relief_shadow,
    surface_at,
)
from durvan.engine.kernels.world import (
    A_FOG,
    A_LIGHT,
    A_MATERIAL,
    A_SHAPES,
    A_TRIANGLE,
    F8,
    F_ALBEDO,
    LIGHT,
    LIGHTING,
    M_PLAIN,
    M_STRAND,
    MATERIAL,
    N_FOG,
    N_LIGHTINGS,
    S_LIGHT,
    SEEN,
    SHAPE,
    T_LIGHT,
    T_OBJECT,
    T_UNSEEN,
    TRIANGLE_SIZE,
    WHOLE,
    World,
)
from durvan.optics.jit import inner
from durvan.optics.lobes import stack
from durvan.optics.lobes.layout import COUNT, DEEP, DEEP_WALK, HEADER, LOBE, MURK, OPACITY, STRAIGHT
from durvan.optics.lobes.layout import GLOW as REC_GLOW
from durvan.optics.lobes.layout import KIND as LOBE_KIND
from durvan.optics.lobes.turns import turn

EACH = 8  # numbers that a bounce uses
FOG_AT = 20000  # where those of the fog begin


@inner
def path(
    w: World,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    near: float,
    far: float,
    key: np.uint64,
    starts: F8,
    index: int,
    bounces: int,
    out: F8,
    registers: F8,
    point: F8,
    room: F8,
    other: F8,
    hit: F8,
    spare: F8,
    chances: F8,
) -> None:
    """Follow one path; the light it finds is added to `out` [groups, 3]. After the last bounce only light that comes
    straight from a light still counts. What passes a clear sheet straight on is no bounce: looks at lights pass it too, and
    share the light with it. Lightings share the path: each has its own look at one of its lights, and ends where a body of its
    own stands in the way.
    """
    tr = tg = tb = 1.0
    pdf = 0.0  # of the ray by scattering; 0: it could come from nowhere else
    px, py, pz = ox, oy, oz
    bounce = 0
    passed = 0  # of the bounces, those that were none
    cuts = 0
    lightings = w.i4[N_LIGHTINGS]
    alive = (1 << lightings) - 1
    while True:
        t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, far, THINGS | LIGHTS * alive)
        if w.i4[N_FOG] != 0:
            s = scatters_at(
                w,
                ox,
                oy,
                oz,
                dx,
                dy,
                dz,
                near,
                t if prim != NOTHING else far,
                number(key, starts, index, FOG_AT + 8 * bounce + cuts),
            )
            if s >= 0.0:
                if bounce - passed > bounces:
                    return
                fog, base = w.i4[A_FOG], FOG_AT + 4000 + 8 * bounce
                px, py, pz = ox + s * dx, oy + s * dy, oz + s * dz
                tr, tg, tb = tr * w.f8[fog + F_ALBEDO], tg * w.f8[fog + F_ALBEDO + 1], tb * w.f8[fog + F_ALBEDO + 2]
                for lighting in range(lightings):
                    if (alive >> lighting) & 1 != 0 and lit(w, lighting):
                        look_from_fog(
                            w, lighting, px, py, pz, dx, dy, dz, tr, tg, tb, key, starts, index, base, registers, point, other,
                            spare, out,
                        )  # fmt: skip
                dx, dy, dz, pdf = scattered(
                    w, dx, dy, dz, number(key, starts, index, base + 4), number(key, starts, index, base + 5)
                )
                if bounce > 3:
                    keep = min(max(tr, max(tg, tb)), 0.95)
                    if keep <= 0.0 or number(key, starts, index, base + 7) >= keep:
                        return
                    tr, tg, tb = tr / keep, tg / keep, tb / keep
                ox, oy, oz = px, py, pz
                near, far = 0.0, lights.INFINITE
                cuts = 0
                bounce += 1
                continue
        if prim == NOTHING:
            from_afar(w, alive, dx, dy, dz, tr, tg, tb, pdf, out)
            return
        if prim < 0 and w.f8[w.i4[A_SHAPES] + (-1 - prim) * SHAPE + S_LIGHT] >= 0.0:
            l = int(w.f8[w.i4[A_SHAPES] + (-1 - prim) * SHAPE + S_LIGHT])
            if bounce == 0 and w.f8[w.i4[A_LIGHT] + l * LIGHT + SEEN] == 0.0:
                near = past(t)
                continue
            x, y, z = px - ox, py - oy, pz - oz  # the probability is seen from where the ray was scattered
            arrive(w, l, px, py, pz, dx, dy, dz, t + math.sqrt(x * x + y * y + z * z), tr, tg, tb, pdf, out)
            alive &= ~(1 << int(w.f8[w.i4[A_LIGHT] + l * LIGHT + LIGHTING]))
            if alive == 0:
                return
            near = past(t)
            continue
        if bounce == 0 and prim >= 0 and w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_UNSEEN] == 1.0:
            near = past(t)
            continue
        m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
        glowing = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_LIGHT]) if prim >= 0 else -1
        if glowing >= 0 and bounce == 0 and w.f8[w.i4[A_LIGHT] + glowing * LIGHT + SEEN] == 0.0:
            near = past(t)
            continue
        strand = w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_STRAND] == 1
        if strand and dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2] > 0.0:
            near = past(t)
            continue
        if (
            bounce - passed > bounces
            and pdf > 0.0
            and glowing < 0
            and w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_PLAIN] == 1
        ):
            return
        rec = prepare(w, m, hit, dx, dy, dz, point, registers, room)
        base = 4 + bounce * EACH
        thing = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_OBJECT]) if prim >= 0 else -1
        gx, gy, gz = hit[H_NG], hit[H_NG + 1], hit[H_NG + 2]
        out_there = -(dx * gx + dy * gy + dz * gz)
        # what lights as a whole does so however much of it is cut out; to the camera it may be what is left of it
        shone = (
            glowing >= 0
            and rec[OPACITY] < 1.0
            and w.f8[w.i4[A_LIGHT] + glowing * LIGHT + WHOLE] > (1.0 if bounce == 0 else 0.0)
        )
        if shone:
            x, y, z = hit[H_P] - px, hit[H_P + 1] - py, hit[H_P + 2] - pz
            glow_seen(w, alive, glowing, rec, x * x + y * y + z * z, out_there, tr, tg, tb, pdf, out)
        if (
            rec[OPACITY] < 1.0
            and number(key, starts, index, base if cuts == 0 else 4000 + MOST_CUTS * bounce + cuts) >= rec[OPACITY]
        ):
            near = past(t)
            cuts += 1
            if cuts > MOST_CUTS:
                return
            continue
        if out_there < 0.0 and rec[MURK] + rec[MURK + 1] + rec[MURK + 2] > 0.0:
            tr *= math.exp(-min(rec[MURK] * t, 80.0))
            tg *= math.exp(-min(rec[MURK + 1] * t, 80.0))
            tb *= math.exp(-min(rec[MURK + 2] * t, 80.0))
        if not shone and (glowing >= 0 or rec[REC_GLOW] + rec[REC_GLOW + 1] + rec[REC_GLOW + 2] > 0.0):
            x, y, z = hit[H_P] - px, hit[H_P + 1] - py, hit[H_P + 2] - pz
            glow_seen(w, alive, glowing, rec, x * x + y * y + z * z, out_there, tr, tg, tb, pdf, out)
        done = bounce - passed > bounces
        if int(rec[COUNT]) == 0 or (done and not stack.lets_straight(rec)):
            return
        lx = -(dx * hit[H_T1] + dy * hit[H_T1 + 1] + dz * hit[H_T1 + 2])
        ly = -(dx * hit[H_T2] + dy * hit[H_T2 + 1] + dz * hit[H_T2 + 2])
        lz = -(dx * hit[H_NS] + dy * hit[H_NS + 1] + dz * hit[H_NS + 2])
        if lz * out_there <= 0.0:  # the smooth normal looks away where the surface does not
            hit[H_NS], hit[H_NS + 1], hit[H_NS + 2] = gx, gy, gz
            x1, y1, z1, x2, y2, z2 = frame(gx, gy, gz)
            hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2] = x1, y1, z1
            hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2] = x2, y2, z2
            lx, ly, lz = -(dx * x1 + dy * y1 + dz * z1), -(dx * x2 + dy * y2 + dz * z2), out_there
        if stack.shares(rec, lz, w.tables, chances) <= 0.0:
            return
        spreads = not done and stack.spreads(rec, chances)
        for lighting in range(lightings if spreads else 0):
            if (alive >> lighting) & 1 == 0 or not lit(w, lighting):
                continue
            look_at_light(
                w, lighting, hit, thing, rec, lx, ly, lz, tr, tg, tb, key, starts, index, base, chances, registers, point, other, spare,
                False, out,
            )  # fmt: skip
        ix, iy, iz, wr, wg, wb, p, mirror, chosen = stack.sample(
            rec, lx, ly, lz, number(key, starts, index, base + 4), number(key, starts, index, base + 5), number(key, starts, index, base + 6),
            w.tables, chances,
        )  # fmt: skip
        on = chosen >= 0 and mirror and int(rec[HEADER + chosen * LOBE + LOBE_KIND]) == STRAIGHT
        if chosen < 0 or (done and not on):
            return
        nx = ix * hit[H_T1] + iy * hit[H_T2] + iz * hit[H_NS]
        ny = ix * hit[H_T1 + 1] + iy * hit[H_T2 + 1] + iz * hit[H_NS + 1]
        nz = ix * hit[H_T1 + 2] + iy * hit[H_T2 + 2] + iz * hit[H_NS + 2]
        side = nx * gx + ny * gy + nz * gz
        if side * iz <= 0.0:
            return
        left = relief_shadow(rec, nx, ny, nz)
        tr, tg, tb = tr * wr * left, tg * wg * left, tb * wb * left
        if not on:
            pdf = 0.0 if mirror else p
        if rec[HEADER + chosen * LOBE + LOBE_KIND] == DEEP_WALK:
            come, kr, kg, kb = walk(w, hit, rec, nx, ny, nz, key, starts, index, bounce, spare)
            if not come:
                return
            tr, tg, tb = (
                tr * kr / max(rec[DEEP], 1e-3), tg * kg / max(rec[DEEP + 1], 1e-3), tb * kb / max(rec[DEEP + 2], 1e-3),
            )  # fmt: skip
            for lighting in range(lightings):
                if (alive >> lighting) & 1 == 0 or not lit(w, lighting):
                    continue
                look_at_light(
                    w, lighting, hit, thing, rec, 0.0, 0.0, 1.0, tr, tg, tb, key, starts, index, 600 + base, chances, registers, point, other,
                    spare, True, out,
                )  # fmt: skip
            a = math.sqrt(number(key, starts, index, 604 + base))
            e, f = turn(number(key, starts, index, 605 + base))
            e, f, g2 = a * e, a * f, math.sqrt(max(1.0 - a * a, 1e-9))
            nx = e * hit[H_T1] + f * hit[H_T2] + g2 * hit[H_NS]
            ny = e * hit[H_T1 + 1] + f * hit[H_T2 + 1] + g2 * hit[H_NS + 1]
            nz = e * hit[H_T1 + 2] + f * hit[H_T2 + 2] + g2 * hit[H_NS + 2]
            pdf = g2 / math.pi
            gx, gy, gz = hit[H_NG], hit[H_NG + 1], hit[H_NG + 2]
            side = nx * gx + ny * gy + nz * gz
            if side <= 0.0:
                return
        if bounce > 3:
            keep = min(max(tr, max(tg, tb)), 0.95)
            if keep <= 0.0 or number(key, starts, index, base + 7) >= keep:
                return
            tr, tg, tb = tr / keep, tg / keep, tb / keep
        e = lift(hit[H_P], hit[H_P + 1], hit[H_P + 2])
        s = e if side > 0.0 else -e
        ox, oy, oz = hit[H_P] + s * gx, hit[H_P + 1] + s * gy, hit[H_P + 2] + s * gz
        if on:
            passed += 1
        else:
            px, py, pz = hit[H_P], hit[H_P + 1], hit[H_P + 2]
        dx, dy, dz = nx, ny, nz
        near, far = 0.0, lights.INFINITE
        cuts = 0
        bounce += 1
