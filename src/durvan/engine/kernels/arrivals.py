"""Light that arrives at a path: of lights looked at, of bodies and surfaces that shine and were met, and from afar.

Looks at lights and scattered rays share the light by the balance of their probabilities (Veach 1997, 9.2).
"""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels import lights
from durvan.engine.kernels.fog import let_through, phase
from durvan.engine.kernels.lattice import number
from durvan.engine.kernels.surfaces import H_NG, H_NS, H_P, H_T1, H_T2, clear_way, lift, relief_shadow
from durvan.engine.kernels.world import (
    A_FAR,
    A_FOG,
    A_LIGHT,
    A_LIGHTINGS,
    AREA,
    ASKED,
    AXIS_X,
    AXIS_Y,
    AXIS_Z,
    CHANCE,
    COS_DISC,
    F8,
    F_FORWARD,
    FRONT,
    GROUP,
    I_WIDTH,
    KIND,
    LIGHT,
    LIGHTING,
    LIT,
    N_FAR,
    N_LIGHTINGS,
    ORIGIN,
    OWN,
    RADIANCE,
    SHADOWS,
    SIZE,
    World,
)
from durvan.optics.jit import inner, small
from durvan.optics.light_shapes import CYLINDER, DISK, FAR, RECT, SPHERE
from durvan.optics.lobes import stack
from durvan.optics.lobes.layout import GLOW as REC_GLOW


@inner
def emitted(
    w: World, l: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float, t: float
) -> tuple[float, float, float, float]:
    """What a solid light sends along a ray that met it, and the probability per steradian of looking there."""
    light = w.i4[A_LIGHT] + l * LIGHT
    kind = int(w.f8[light + KIND])
    r = g = b = 1.0
    if kind == RECT or kind == DISK:
        cosine = dx * w.f8[light + AXIS_Z] + dy * w.f8[light + AXIS_Z + 1] + dz * w.f8[light + AXIS_Z + 2]
        if cosine <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
        if w.f8[light + I_WIDTH] > 0.0:
            r, g, b = _picture_met(w, light, px + t * dx, py + t * dy, pz + t * dz)
    elif kind == SPHERE:
        # only its outside shines: a ray that comes out of it has met it already
        x, y, z = (
            px + t * dx - w.f8[light + ORIGIN],
            py + t * dy - w.f8[light + ORIGIN + 1],
            pz + t * dz - w.f8[light + ORIGIN + 2],
        )
        cosine = -(x * dx + y * dy + z * dz) / w.f8[light + SIZE]
        if cosine <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
    else:
        cosine = 1.0
        if kind == CYLINDER:
            qx, qy, qz = (
                px + t * dx - w.f8[light + ORIGIN],
                py + t * dy - w.f8[light + ORIGIN + 1],
                pz + t * dz - w.f8[light + ORIGIN + 2],
            )
            along = qx * w.f8[light + AXIS_X] + qy * w.f8[light + AXIS_X + 1] + qz * w.f8[light + AXIS_X + 2]
            qx, qy, qz = (
                qx - along * w.f8[light + AXIS_X],
                qy - along * w.f8[light + AXIS_X + 1],
                qz - along * w.f8[light + AXIS_X + 2],
            )
            cosine = -(qx * dx + qy * dy + qz * dz) / max(w.f8[light + SIZE], 1e-12)
            if cosine <= 0.0:
                return 0.0, 0.0, 0.0, 0.0
    k = lights.shaped(w, light, -dx, -dy, -dz) * lights.decayed(w, light, t)
    pdf = lights.area_pdf(w, light, px, py, pz, dx, dy, dz, t, cosine)
    return w.f8[light + RADIANCE] * k * r, w.f8[light + RADIANCE + 1] * k * g, w.f8[light + RADIANCE + 2] * k * b, pdf


@inner
def _picture_met(w: World, light: int, x: float, y: float, z: float) -> tuple[float, float, float]:
    """The picture on a panel where it was met."""
    x, y, z = x - w.f8[light + ORIGIN], y - w.f8[light + ORIGIN + 1], z - w.f8[light + ORIGIN + 2]
    u = x * w.f8[light + AXIS_X] + y * w.f8[light + AXIS_X + 1] + z * w.f8[light + AXIS_X + 2]
    v = x * w.f8[light + AXIS_Y] + y * w.f8[light + AXIS_Y + 1] + z * w.f8[light + AXIS_Y + 2]
    return lights.pictured(w, light, u / w.f8[light + SIZE] + 0.5, v / w.f8[light + SIZE + 1] + 0.5)


@small
def add(out: F8, group: int, r: float, g: float, b: float) -> None:
    """Add light to a group of the sample; what is no number is left out. `out` begins with how many groups there are."""
    if r + g + b < 1e30:
        k = 1 + 3 * min(group, int(out[0]) - 1)
        out[k] += r
        out[k + 1] += g
        out[k + 2] += b


@small
def share(p: float, q: float) -> float:
    """The part of the one who found it with probability p, where another would with q."""
    return p / (p + q) if p + q > 0.0 else 0.0


@inner
def look_at_light(
    w: World,
    lighting: int,
    hit: F8,
    thing: int,
    rec: F8,
    ox: float,
    oy: float,
    oz: float,
    tr: float,
    tg: float,
    tb: float,
    key: np.uint64,
    starts: F8,
    index: int,
    base: int,
    chances: F8,
    registers: F8,
    point: F8,
    other: F8,
    spare: F8,
    lambert: bool,
    out: F8,
) -> None:
    """Light that comes straight from one light of a lighting, scattered towards the eye (`o` in the tangent frame)."""
    l = lights.pick(w, lighting, number(key, starts, index, base + 1))
    row = w.i4[A_LIGHT] + l * LIGHT
    chance = w.f8[row + CHANCE]
    if not lights.is_listed(w, row, LIT, thing):
        return
    px, py, pz = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    dx, dy, dz, d, r, g, b, pdf, only = lights.sample(
        w,
        l,
        px,
        py,
        pz,
        number(key, starts, index, base + 2),
        number(key, starts, index, base + 3),
        registers,
        point,
        other,
    )
    if pdf <= 0.0 or chance <= 0.0 or r + g + b <= 0.0:
        return
    ix = dx * hit[H_T1] + dy * hit[H_T1 + 1] + dz * hit[H_T1 + 2]
    iy = dx * hit[H_T2] + dy * hit[H_T2 + 1] + dz * hit[H_T2 + 2]
    iz = dx * hit[H_NS] + dy * hit[H_NS + 1] + dz * hit[H_NS + 2]
    ng = dx * hit[H_NG] + dy * hit[H_NG + 1] + dz * hit[H_NG + 2]
    if ng * iz <= 0.0:
        return
    if lambert:
        if iz <= 0.0:
            return
        fr = fg = fb = 1.0 / math.pi
        p = iz / math.pi
    else:
        fr, fg, fb, p = stack.evaluate(rec, ox, oy, oz, ix, iy, iz, w.tables, chances)
    if fr + fg + fb <= 0.0:
        return
    k = abs(iz) * (1.0 if lambert else relief_shadow(rec, dx, dy, dz)) / (pdf * chance)
    if not only and w.f8[row + ASKED] == 0.0:
        k *= share(pdf * chance, p)
    k *= let_through(w, px, py, pz, dx, dy, dz, d)
    if w.f8[row + SHADOWS] != 0.0:
        e = lift(px, py, pz)
        s = e if ng > 0.0 else -e
        lr, lg, lb = clear_way(
            w, px + s * hit[H_NG], py + s * hit[H_NG + 1], pz + s * hit[H_NG + 2], dx, dy, dz,
            d * 0.99999 - 2.0 * e, lighting, l, registers, point, other, spare,
        )  # fmt: skip
        r, g, b = r * lr, g * lg, b * lb
        if r + g + b <= 0.0:
            return
    add(out, int(w.f8[row + GROUP]), tr * fr * k * r, tg * fg * k * g, tb * fb * k * b)


@inner
def look_from_fog(
    w: World, lighting: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float, tr: float, tg: float, tb: float,
    key: np.uint64, starts: F8, index: int, base: int, registers: F8, point: F8, other: F8, spare: F8, out: F8,
) -> None:  # fmt: skip
    """Light that comes straight from one light of a lighting to a place in the fog, scattered against the ray `d`."""
    l = lights.pick(w, lighting, number(key, starts, index, base + 1))
    row = w.i4[A_LIGHT] + l * LIGHT
    chance = w.f8[row + CHANCE]
    x, y, z, d, r, g, b, pdf, only = lights.sample(
        w,
        l,
        px,
        py,
        pz,
        number(key, starts, index, base + 2),
        number(key, starts, index, base + 3),
        registers,
        point,
        other,
    )
    if pdf <= 0.0 or chance <= 0.0 or r + g + b <= 0.0:
        return
    p = phase(w.f8[w.i4[A_FOG] + F_FORWARD], dx * x + dy * y + dz * z)
    k = p / (pdf * chance) * let_through(w, px, py, pz, x, y, z, d)
    if not only and w.f8[row + ASKED] == 0.0:
        k *= share(pdf * chance, p)
    if w.f8[row + SHADOWS] != 0.0:
        lr, lg, lb = clear_way(w, px, py, pz, x, y, z, d * 0.99999, lighting, l, registers, point, other, spare)
        r, g, b = r * lr, g * lg, b * lb
    add(out, int(w.f8[row + GROUP]), tr * k * r, tg * k * g, tb * k * b)


@inner
def from_afar(
    w: World, alive: int, dx: float, dy: float, dz: float, tr: float, tg: float, tb: float, pdf: float, out: F8
) -> None:
    """Add what far lights and domes send along a ray that met nothing, of the lightings that are alive."""
    for k in range(w.i4[N_FAR]):
        light = w.i4[A_LIGHT] + w.i4[w.i4[A_FAR] + k] * LIGHT
        if (alive >> int(w.f8[light + LIGHTING])) & 1 == 0:
            continue
        if int(w.f8[light + KIND]) == FAR:
            if (
                w.f8[light + COS_DISC] >= 1.0
                or dx * w.f8[light + AXIS_Z] + dy * w.f8[light + AXIS_Z + 1] + dz * w.f8[light + AXIS_Z + 2]
                < w.f8[light + COS_DISC]
            ):
                continue
            r, g, b = w.f8[light + RADIANCE], w.f8[light + RADIANCE + 1], w.f8[light + RADIANCE + 2]
            q = 1.0 / (2.0 * math.pi * (1.0 - w.f8[light + COS_DISC]))
        else:
            r, g, b, q = lights.dome_light(w, light, dx, dy, dz)
        k1 = 1.0
        if pdf > 0.0:
            k1 = share(pdf, q * w.f8[light + CHANCE]) if w.f8[light + ASKED] == 0.0 else 0.0
        add(out, int(w.f8[light + GROUP]), tr * r * k1, tg * g * k1, tb * b * k1)


@inner
def glow_seen(
    w: World, alive: int, glowing: int, rec: F8, far2: float, cosine: float, tr: float, tg: float, tb: float, pdf: float,
    out: F8,
) -> None:  # fmt: skip
    """Add what a surface sends of itself; `glowing` is its number among the lights of each lighting, −1 for a glow that
    lights nothing and is only seen: straight, or in mirrors. `far2` is how far away it was met, squared.
    """
    for lighting in range(w.i4[N_LIGHTINGS]):
        if (alive >> lighting) & 1 == 0:
            continue
        k, group = 1.0, lighting
        r, g, b = rec[REC_GLOW], rec[REC_GLOW + 1], rec[REC_GLOW + 2]
        if glowing >= 0:
            light = w.i4[A_LIGHT] + (w.i4[w.i4[A_LIGHTINGS] + 2 * lighting] + glowing) * LIGHT
            group = int(w.f8[light + GROUP])
            if w.f8[light + FRONT] == 1.0 and cosine <= 0.0:
                continue
            if w.f8[light + OWN] == 1.0:
                r, g, b = w.f8[light + RADIANCE], w.f8[light + RADIANCE + 1], w.f8[light + RADIANCE + 2]
            if pdf > 0.0 and w.f8[light + ASKED] == 1.0:
                k = 0.0
            elif pdf > 0.0:
                k = share(pdf, far2 / (max(abs(cosine), 1e-6) * w.f8[light + AREA]) * w.f8[light + CHANCE])
        elif pdf > 0.0:
            k = 0.0
        add(out, group, tr * r * k, tg * g * k, tb * b * k)


@small
def lit(w: World, lighting: int) -> bool:
    """Whether a lighting has any light."""
    at = w.i4[A_LIGHTINGS] + 2 * lighting
    return w.i4[at + 1] > w.i4[at]


@inner
def arrive(
    w: World, l: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float, t: float, tr: float, tg: float,
    tb: float, pdf: float, out: F8,
) -> None:  # fmt: skip
    """Add what the body of a light sends along a ray that met it at a distance from p."""
    r, g, b, q = emitted(w, l, px, py, pz, dx, dy, dz, t)
    light = w.i4[A_LIGHT] + l * LIGHT
    k = 1.0
    if pdf > 0.0:
        k = share(pdf, q * w.f8[light + CHANCE]) if w.f8[light + ASKED] == 0.0 else 0.0
    add(out, int(w.f8[light + GROUP]), tr * r * k, tg * g * k, tb * b * k)
