"""Light below a surface that scatters: from where it enters to where it comes out."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.lattice import number
from durvan.engine.kernels.rays import NOTHING, THINGS, nearest
from durvan.engine.kernels.surfaces import H_NG, H_NS, H_P, lift, surface_at
from durvan.engine.kernels.world import F8, World
from durvan.optics.jit import beyond, inner
from durvan.optics.lobes.layout import DEEP, REACH
from durvan.optics.lobes.turns import turn

WALK_STEPS = 256


@inner
def walk(
    w: World,
    hit: F8,
    rec: F8,
    dx: float,
    dy: float,
    dz: float,
    key: np.uint64,
    starts: F8,
    index: int,
    seed: int,
    spare: F8,
) -> tuple[bool, float, float, float]:
    """Follow light below the surface until it comes out: whether it does, and what is left of it, three channels.

    It enters and leaves evenly, scatters evenly to all sides, and flies REACH metres on average between two scatterings;
    the albedo of one is that which gives DEEP in the end (van de Hulst 1980, inverted by Kulla & Conty 2017). On the way out `hit` is moved to
    the place where it leaves.
    """
    tr = tg = tb = 1.0
    s, a = spare, beyond(spare, 3)
    for c in range(3):
        x = min(max(rec[DEEP + c], 0.0), 0.999)
        short = 4.09712 + 4.20863 * x - math.sqrt(9.59217 + 41.6808 * x + 17.7126 * x * x)
        a[c] = min(max(1.0 - short * short, 0.0), 0.99999)
        s[c] = 1.0 / max(rec[REACH + c], 1e-7)
    px, py, pz = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    e = lift(px, py, pz)
    side = -1.0 if dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2] < 0.0 else 1.0
    px, py, pz = px + side * e * hit[H_NG], py + side * e * hit[H_NG + 1], pz + side * e * hit[H_NG + 2]
    at = 100_000 + seed * 2048
    for step in range(WALK_STEPS):
        # the channel whose distances are drawn goes by what is left in each
        total = tr + tg + tb
        if total <= 0.0:
            return False, 0.0, 0.0, 0.0
        cr, cg, cb = tr / total, tg / total, tb / total
        which = number(key, starts, index, at + 4 * step)
        c = 0 if which < cr else (1 if which < cr + cg else 2)
        far = -math.log(max(1.0 - number(key, starts, index, at + 4 * step + 1), 1e-12)) / s[c]
        t, prim, b1, b2 = nearest(w, px, py, pz, dx, dy, dz, 0.0, far, THINGS)
        if prim != NOTHING:
            er, eg, eb = math.exp(-s[0] * t), math.exp(-s[1] * t), math.exp(-s[2] * t)
            p = cr * er + cg * eg + cb * eb
            if p <= 0.0:
                return False, 0.0, 0.0, 0.0
            surface_at(w, prim, b1, b2, t, px, py, pz, dx, dy, dz, hit)
            if dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2] < 0.0:
                for k in range(3):  # something stands inside, or the mesh is open: it leaves to where it came from
                    hit[H_NG + k] = -hit[H_NG + k]
                    hit[H_NS + k] = -hit[H_NS + k]
            return True, tr * er / p, tg * eg / p, tb * eb / p
        er, eg, eb = s[0] * math.exp(-s[0] * far), s[1] * math.exp(-s[1] * far), s[2] * math.exp(-s[2] * far)
        p = cr * er + cg * eg + cb * eb
        if p <= 0.0:
            return False, 0.0, 0.0, 0.0
        tr, tg, tb = tr * a[0] * er / p, tg * a[1] * eg / p, tb * a[2] * eb / p
        px, py, pz = px + far * dx, py + far * dy, pz + far * dz
        z = 1.0 - 2.0 * number(key, starts, index, at + 4 * step + 2)
        r = math.sqrt(max(1.0 - z * z, 0.0))
        c2, s2 = turn(number(key, starts, index, at + 4 * step + 3))
        dx, dy, dz = r * c2, r * s2, z
        if step > 16:
            keep = min(max(tr, max(tg, tb)), 1.0)
            if number(key, starts, index, at + 1024 + step) >= keep:
                return False, 0.0, 0.0, 0.0
            tr, tg, tb = tr / keep, tg / keep, tb / keep
    return False, 0.0, 0.0, 0.0
