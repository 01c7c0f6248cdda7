"""Paths of light from the camera: the next thing, its surface, a look at one light, the next direction.

Next-event estimation and scattered rays share the light by the balance of their probabilities (Veach 1997, 9.2); weak
paths are ended at random. Numbers come from a lattice over the samples of a pixel (Kronecker, with square roots of
primes), turned by a hash of pixel and seed, so that any sample can be computed again by itself.
"""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels import lights
from durvan.engine.kernels.programs import height, resolve
from durvan.engine.kernels.rays import CUT_OUT, LIGHTS, NOTHING, THINGS, in_the_way, nearest
from durvan.engine.kernels.world import (
    A_FAR,
    A_LIGHT,
    A_LIGHTINGS,
    A_MATERIAL,
    A_SHAPES,
    A_TRIANGLE,
    AREA,
    AXIS_X,
    AXIS_Z,
    C_FAR,
    C_FOCUS,
    C_LENS,
    C_NEAR,
    C_ORIGIN,
    C_RIGHT,
    C_SHIFT,
    C_UP,
    C_X,
    C_Y,
    C_Z,
    CHANCE,
    COS_DISC,
    F4,
    F8,
    GROUP,
    I4,
    KIND,
    LIGHT,
    LIGHTING,
    M_FRAME,
    M_PLAIN,
    MATERIAL,
    N_CUT_OUTS,
    N_FAR,
    N_LIGHTINGS,
    ORIGIN,
    RADIANCE,
    S_LIGHT,
    S_MATERIAL,
    S_ORIGIN,
    S_SIZE,
    S_X,
    S_Y,
    S_Z,
    SHADOWS,
    SHAPE,
    SIZE,
    T_CORNER,
    T_FLAT,
    T_LIGHT,
    T_MATERIAL,
    T_NORMAL,
    T_OBJECT,
    T_SMOOTH,
    T_UV,
    TRIANGLE_SIZE,
    U1,
    World,
    bare,
)
from durvan.optics.jit import address, beyond, entry, inner, small
from durvan.optics.light_shapes import CYLINDER, DISK, FAR, GLOW, RECT, SPHERE
from durvan.optics.lobes import stack
from durvan.optics.lobes.layout import (
    COUNT,
    DEEP,
    DEEP_WALK,
    HEADER,
    LOBE,
    MURK,
    NORMAL,
    OPACITY,
    REACH,
    RECORD,
    RELIEF,
)
from durvan.optics.lobes.layout import GLOW as REC_GLOW
from durvan.optics.lobes.layout import KIND as LOBE_KIND
from durvan.optics.lobes.turns import turn

MOST_CUTS = 64  # surfaces that are not there, one behind the other
WALK_STEPS = 256
PRIMES = np.array(
    [2, 3, 5, 7, 11, 13, 17, 19, 23, 29, 31, 37, 41, 43, 47, 53, 59, 61, 67, 71, 73, 79, 83, 89, 97, 101, 103, 107, 109,
     113, 127, 131, 137, 139, 149, 151, 157, 163, 167, 173, 179, 181, 191, 193, 197, 199, 211, 223], dtype=np.float64,
)  # fmt: skip
STEPS = np.sqrt(PRIMES) % 1.0
LATTICE = len(PRIMES)  # dimensions that have one
EACH = 8  # numbers that a bounce uses
ROOM = 120  # what stands before the records in the room of a call
AWAY = 2e-6  # how far from a surface a ray starts, for each metre of its place: some thirty steps of single precision


@small
def mixed(x: np.uint64) -> np.uint64:
    """A hash of 64 bits (Stafford's mix 13 of splitmix)."""
    x = (x ^ (x >> np.uint64(30))) * np.uint64(0xBF58476D1CE4E5B9)
    x = (x ^ (x >> np.uint64(27))) * np.uint64(0x94D049BB133111EB)
    return x ^ (x >> np.uint64(31))


@inner
def put_starts(key: np.uint64, starts: F8) -> None:
    """Where the lattice of a pixel starts in each dimension."""
    for dimension in range(LATTICE):
        h = mixed(key + np.uint64(dimension) * np.uint64(0x9E3779B97F4A7C15))
        starts[dimension] = np.float64(h >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@small
def number(key: np.uint64, starts: F8, index: int, dimension: int) -> float:
    """The number in [0, 1) of a sample in a dimension."""
    if dimension < LATTICE:
        value = starts[dimension] + index * STEPS[dimension]
        return value - math.floor(value)
    h = mixed(
        key + np.uint64(dimension) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(index) * np.uint64(0xD1B54A32D192ED03)
    )
    return np.float64(h >> np.uint64(11)) * (1.0 / 9007199254740992.0)


@small
def frame(x: float, y: float, z: float) -> tuple[float, float, float, float, float, float]:
    """Two directions at right angles to one (Duff et al. 2017)."""
    sign = 1.0 if z >= 0.0 else -1.0
    a = -1.0 / (sign + z)
    b = x * y * a
    return 1.0 + sign * x * x * a, sign * b, -sign * x, b, sign + y * y * a, -y


# a hit, as an array
H_T, H_P, H_NG, H_NS, H_T1, H_T2, H_UV, H_DU, H_DV, H_SIZE = 0, 1, 4, 7, 10, 13, 16, 18, 19, 20


@small
def _smooth(at: F4, b0: float, b1: float, b2: float, gx: float, gy: float, gz: float) -> tuple[float, float, float]:
    """The normal between those of a triangle's corners."""
    nx = b0 * at[T_NORMAL] + b1 * at[T_NORMAL + 3] + b2 * at[T_NORMAL + 6]
    ny = b0 * at[T_NORMAL + 1] + b1 * at[T_NORMAL + 4] + b2 * at[T_NORMAL + 7]
    nz = b0 * at[T_NORMAL + 2] + b1 * at[T_NORMAL + 5] + b2 * at[T_NORMAL + 8]
    k = math.sqrt(nx * nx + ny * ny + nz * nz)
    if k < 1e-9:
        return gx, gy, gz
    return nx / k, ny / k, nz / k


@inner
def surface_at(
    w: World,
    prim: int,
    b1: float,
    b2: float,
    t: float,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    hit: F8,
) -> int:
    """Place, normals, tangents and UVs of a hit; gives its material."""
    if prim >= 0:
        at = beyond(w.f4, w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE)
        b0 = 1.0 - b1 - b2
        px = at[T_CORNER] + b1 * at[T_CORNER + 3] + b2 * at[T_CORNER + 6]
        py = at[T_CORNER + 1] + b1 * at[T_CORNER + 4] + b2 * at[T_CORNER + 7]
        pz = at[T_CORNER + 2] + b1 * at[T_CORNER + 5] + b2 * at[T_CORNER + 8]
        gx, gy, gz = np.float64(at[T_FLAT]), np.float64(at[T_FLAT + 1]), np.float64(at[T_FLAT + 2])
        if at[T_SMOOTH] == 0.0:
            nx, ny, nz = gx, gy, gz
        else:
            nx, ny, nz = _smooth(at, b0, b1, b2, gx, gy, gz)
            if gx * nx + gy * ny + gz * nz < 0.0:  # authored normals say which side is out
                gx, gy, gz = -gx, -gy, -gz
        u = b0 * at[T_UV] + b1 * at[T_UV + 2] + b2 * at[T_UV + 4]
        v = b0 * at[T_UV + 1] + b1 * at[T_UV + 3] + b2 * at[T_UV + 5]
        material = int(at[T_MATERIAL])
        if w.i4[w.i4[A_MATERIAL] + material * MATERIAL + M_FRAME] == 0:
            tx, ty, tz, bx, by, bz = frame(nx, ny, nz)
            hit[H_T] = t
            hit[H_P], hit[H_P + 1], hit[H_P + 2] = px, py, pz
            hit[H_NG], hit[H_NG + 1], hit[H_NG + 2] = gx, gy, gz
            hit[H_NS], hit[H_NS + 1], hit[H_NS + 2] = nx, ny, nz
            hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2] = tx, ty, tz
            hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2] = bx, by, bz
            hit[H_UV], hit[H_UV + 1] = u, v
            hit[H_DU], hit[H_DV] = 1.0, 1.0
            return material
        u1, v1 = np.float64(at[T_UV + 2]) - at[T_UV], np.float64(at[T_UV + 3]) - at[T_UV + 1]
        u2, v2 = np.float64(at[T_UV + 4]) - at[T_UV], np.float64(at[T_UV + 5]) - at[T_UV + 1]
        det = u1 * v2 - u2 * v1
        if abs(det) > 1e-16:
            c = beyond(at, T_CORNER)
            tx, ty, tz = (v2 * c[3] - v1 * c[6]) / det, (v2 * c[4] - v1 * c[7]) / det, (v2 * c[5] - v1 * c[8]) / det
            bx, by, bz = (u1 * c[6] - u2 * c[3]) / det, (u1 * c[7] - u2 * c[4]) / det, (u1 * c[8] - u2 * c[5]) / det
        else:
            tx, ty, tz, bx, by, bz = frame(nx, ny, nz)
    else:
        q = w.i4[A_SHAPES] + (-1 - prim) * SHAPE
        px, py, pz = ox + t * dx, oy + t * dy, oz + t * dz
        material = int(w.f8[q + S_MATERIAL])
        gx, gy, gz = (
            (px - w.f8[q + S_ORIGIN]) / w.f8[q + S_SIZE],
            (py - w.f8[q + S_ORIGIN + 1]) / w.f8[q + S_SIZE],
            (pz - w.f8[q + S_ORIGIN + 2]) / w.f8[q + S_SIZE],
        )
        k = 1.0 / math.sqrt(gx * gx + gy * gy + gz * gz)
        gx, gy, gz = gx * k, gy * k, gz * k
        # back onto the ball exactly, so that the next ray starts where this one ended
        px, py, pz = (
            w.f8[q + S_ORIGIN] + gx * w.f8[q + S_SIZE],
            w.f8[q + S_ORIGIN + 1] + gy * w.f8[q + S_SIZE],
            w.f8[q + S_ORIGIN + 2] + gz * w.f8[q + S_SIZE],
        )
        nx, ny, nz = gx, gy, gz
        lx = gx * w.f8[q + S_X] + gy * w.f8[q + S_X + 1] + gz * w.f8[q + S_X + 2]
        ly = gx * w.f8[q + S_Y] + gy * w.f8[q + S_Y + 1] + gz * w.f8[q + S_Y + 2]
        lz = gx * w.f8[q + S_Z] + gy * w.f8[q + S_Z + 1] + gz * w.f8[q + S_Z + 2]
        u = 0.5 + math.atan2(lx, lz) / (2.0 * math.pi)
        v = 1.0 - math.acos(min(max(ly, -1.0), 1.0)) / math.pi
        k = 2.0 * math.pi * w.f8[q + S_SIZE]
        tx = k * (lz * w.f8[q + S_X] - lx * w.f8[q + S_Z])
        ty = k * (lz * w.f8[q + S_X + 1] - lx * w.f8[q + S_Z + 1])
        tz = k * (lz * w.f8[q + S_X + 2] - lx * w.f8[q + S_Z + 2])
        if tx * tx + ty * ty + tz * tz < 1e-18:
            tx, ty, tz, _, _, _ = frame(nx, ny, nz)
        bx, by, bz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
        k = math.pi * w.f8[q + S_SIZE] / max(math.sqrt(bx * bx + by * by + bz * bz), 1e-12)
        bx, by, bz = bx * k, by * k, bz * k
    du = math.sqrt(tx * tx + ty * ty + tz * tz)
    dv = math.sqrt(bx * bx + by * by + bz * bz)
    # the tangent at right angles to the normal; the other one keeps the side on which v grows
    k = tx * nx + ty * ny + tz * nz
    tx, ty, tz = tx - k * nx, ty - k * ny, tz - k * nz
    k = math.sqrt(tx * tx + ty * ty + tz * tz)
    if k < 1e-12:
        tx, ty, tz, _, _, _ = frame(nx, ny, nz)
    else:
        tx, ty, tz = tx / k, ty / k, tz / k
    cx, cy, cz = ny * tz - nz * ty, nz * tx - nx * tz, nx * ty - ny * tx
    if cx * bx + cy * by + cz * bz < 0.0:
        cx, cy, cz = -cx, -cy, -cz
    hit[H_T] = t
    hit[H_P], hit[H_P + 1], hit[H_P + 2] = px, py, pz
    hit[H_NG], hit[H_NG + 1], hit[H_NG + 2] = gx, gy, gz
    hit[H_NS], hit[H_NS + 1], hit[H_NS + 2] = nx, ny, nz
    hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2] = tx, ty, tz
    hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2] = cx, cy, cz
    hit[H_UV], hit[H_UV + 1] = u, v
    hit[H_DU], hit[H_DV] = max(du, 1e-9), max(dv, 1e-9)
    return material


@small
def put_point(hit: F8, dx: float, dy: float, dz: float, point: F8) -> None:
    """What a material's program may know of a hit."""
    point[0], point[1] = hit[H_UV], hit[H_UV + 1]
    point[2], point[3], point[4] = hit[H_P], hit[H_P + 1], hit[H_P + 2]
    point[5] = min(abs(dx * hit[H_NS] + dy * hit[H_NS + 1] + dz * hit[H_NS + 2]), 1.0)


@inner
def relieve(w: World, m: int, hit: F8, rec: F8, point: F8, registers: F8, dx: float, dy: float, dz: float) -> None:
    """Turn the shading normal by a normal map or a bump; a normal that the eye would see from behind is left out."""
    nx, ny, nz = hit[H_NS], hit[H_NS + 1], hit[H_NS + 2]
    tx, ty, tz = hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2]
    bx, by, bz = hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2]
    if rec[RELIEF] == 1.0:
        a, b, c = rec[NORMAL], rec[NORMAL + 1], max(rec[NORMAL + 2], 1e-3)
        x, y, z = a * tx + b * bx + c * nx, a * ty + b * by + c * ny, a * tz + b * bz + c * nz
    else:
        e = max(min(hit[H_DU], hit[H_DV]) / 2048.0, 1e-6)
        u, v = hit[H_UV], hit[H_UV + 1]
        px, py, pz, facing = point[2], point[3], point[4], point[5]
        h = height(w, m, u, v, px, py, pz, facing, registers)
        hu = height(w, m, u + e / hit[H_DU], v, px + e * tx, py + e * ty, pz + e * tz, facing, registers)
        hv = height(w, m, u, v + e / hit[H_DV], px + e * bx, py + e * by, pz + e * bz, facing, registers)
        gu, gv = (hu - h) / e, (hv - h) / e
        if not (abs(gu) < 1e6 and abs(gv) < 1e6):
            return
        x, y, z = nx - gu * tx - gv * bx, ny - gu * ty - gv * by, nz - gu * tz - gv * bz
    k = math.sqrt(x * x + y * y + z * z)
    if k < 1e-12 or not k < 1e12:
        return
    x, y, z = x / k, y / k, z / k
    before = dx * nx + dy * ny + dz * nz
    after = dx * x + dy * y + dz * z
    if before * after <= 0.0 or abs(after) < 1e-3:
        return
    hit[H_NS], hit[H_NS + 1], hit[H_NS + 2] = x, y, z
    k = tx * x + ty * y + tz * z
    tx, ty, tz = tx - k * x, ty - k * y, tz - k * z
    k = math.sqrt(tx * tx + ty * ty + tz * tz)
    if k < 1e-9:
        tx, ty, tz, bx, by, bz = frame(x, y, z)
    else:
        tx, ty, tz = tx / k, ty / k, tz / k
        cx, cy, cz = y * tz - z * ty, z * tx - x * tz, x * ty - y * tx
        sign = 1.0 if cx * bx + cy * by + cz * bz >= 0.0 else -1.0
        bx, by, bz = cx * sign, cy * sign, cz * sign
    hit[H_T1], hit[H_T1 + 1], hit[H_T1 + 2] = tx, ty, tz
    hit[H_T2], hit[H_T2 + 1], hit[H_T2 + 2] = bx, by, bz


@small
def lift(x: float, y: float, z: float) -> float:
    """How far from a surface at a place a ray starts, so that it does not meet it again."""
    return AWAY * max(1.0, max(abs(x), max(abs(y), abs(z))))


@small
def past(t: float) -> float:
    """Where a ray goes on that passed something at a distance."""
    return t + 2.0 * AWAY * max(1.0, t)


@inner
def clear_way(
    w: World,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    distance: float,
    lighting: int,
    light: int,
    registers: F8,
    point: F8,
    room: F8,
    hit: F8,
) -> float:
    """How much of a light comes along a way: 1, 0, or what cut-outs leave."""
    if in_the_way(w, ox, oy, oz, dx, dy, dz, distance, lighting, light):
        return 0.0
    if w.i4[N_CUT_OUTS] == 0:
        return 1.0
    left = 1.0
    near = 0.0
    for _ in range(MOST_CUTS):
        t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, distance, CUT_OUT)
        if prim == NOTHING:
            return left
        m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
        put_point(hit, dx, dy, dz, point)
        rec = resolve(w, m, point, registers, room)
        left *= 1.0 - min(max(rec[OPACITY], 0.0), 1.0)
        if left < 1e-4:
            return 0.0
        near = past(t)
    return 0.0


@inner
def emitted(
    w: World, l: int, px: float, py: float, pz: float, dx: float, dy: float, dz: float, t: float
) -> tuple[float, float, float, float]:
    """What a solid light sends along a ray that met it, and the probability per steradian of looking there."""
    light = w.i4[A_LIGHT] + l * LIGHT
    kind = int(w.f8[light + KIND])
    if kind == RECT or kind == DISK:
        cosine = dx * w.f8[light + AXIS_Z] + dy * w.f8[light + AXIS_Z + 1] + dz * w.f8[light + AXIS_Z + 2]
        if cosine <= 0.0:
            return 0.0, 0.0, 0.0, 0.0
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
    return w.f8[light + RADIANCE] * k, w.f8[light + RADIANCE + 1] * k, w.f8[light + RADIANCE + 2] * k, pdf


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
    chance = w.f8[w.i4[A_LIGHT] + l * LIGHT + CHANCE]
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
    k = abs(iz) / (pdf * chance)
    if w.f8[w.i4[A_LIGHT] + l * LIGHT + SHADOWS] != 0.0:
        if not only:
            k *= share(pdf * chance, p)
        e = lift(px, py, pz)
        s = e if ng > 0.0 else -e
        left = clear_way(
            w, px + s * hit[H_NG], py + s * hit[H_NG + 1], pz + s * hit[H_NG + 2], dx, dy, dz,
            d * 0.99999 - 2.0 * e, lighting, l, registers, point, other, spare,
        )  # fmt: skip
        if left <= 0.0:
            return
        k *= left
    add(out, int(w.f8[w.i4[A_LIGHT] + l * LIGHT + GROUP]), tr * fr * k * r, tg * fg * k * g, tb * fb * k * b)


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


@inner
def prepare(w: World, m: int, hit: F8, dx: float, dy: float, dz: float, point: F8, registers: F8, room: F8) -> F8:
    """Everything about the surface that a ray met: its record, and in `hit` its relief."""
    put_point(hit, dx, dy, dz, point)
    rec = resolve(w, m, point, registers, room)
    if rec[RELIEF] != 0.0:
        relieve(w, m, hit, rec, point, registers, dx, dy, dz)
    return rec


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
            k1 = share(pdf, q * w.f8[light + CHANCE]) if w.f8[light + SHADOWS] != 0.0 else 0.0
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
        if glowing >= 0:
            light = w.i4[A_LIGHT] + (w.i4[w.i4[A_LIGHTINGS] + 2 * lighting] + glowing) * LIGHT
            group = int(w.f8[light + GROUP])
            if pdf > 0.0:
                k = share(pdf, far2 / (max(abs(cosine), 1e-6) * w.f8[light + AREA]) * w.f8[light + CHANCE])
        elif pdf > 0.0:
            k = 0.0
        add(out, group, tr * rec[REC_GLOW] * k, tg * rec[REC_GLOW + 1] * k, tb * rec[REC_GLOW + 2] * k)


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
        k = share(pdf, q * w.f8[light + CHANCE]) if w.f8[light + SHADOWS] != 0.0 else 0.0
    add(out, int(w.f8[light + GROUP]), tr * r * k, tg * g * k, tb * b * k)


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
    straight from a light still counts. Lightings share the path: each has its own look at one of its lights, and ends
    where a body of its own stands in the way.
    """
    tr = tg = tb = 1.0
    pdf = 0.0  # of the ray by scattering; 0: it could come from nowhere else
    px, py, pz = ox, oy, oz
    bounce = 0
    cuts = 0
    lightings = w.i4[N_LIGHTINGS]
    alive = (1 << lightings) - 1
    while True:
        t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, far, THINGS | LIGHTS * alive)
        if prim == NOTHING:
            from_afar(w, alive, dx, dy, dz, tr, tg, tb, pdf, out)
            return
        if prim < 0 and w.f8[w.i4[A_SHAPES] + (-1 - prim) * SHAPE + S_LIGHT] >= 0.0:
            l = int(w.f8[w.i4[A_SHAPES] + (-1 - prim) * SHAPE + S_LIGHT])
            x, y, z = px - ox, py - oy, pz - oz  # the probability is seen from where the ray was scattered
            arrive(w, l, px, py, pz, dx, dy, dz, t + math.sqrt(x * x + y * y + z * z), tr, tg, tb, pdf, out)
            alive &= ~(1 << int(w.f8[w.i4[A_LIGHT] + l * LIGHT + LIGHTING]))
            if alive == 0:
                return
            near = past(t)
            continue
        m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
        glowing = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_LIGHT]) if prim >= 0 else -1
        if bounce > bounces and pdf > 0.0 and glowing < 0 and w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_PLAIN] == 1:
            return
        rec = prepare(w, m, hit, dx, dy, dz, point, registers, room)
        base = 4 + bounce * EACH
        if (
            rec[OPACITY] < 1.0
            and number(key, starts, index, base if cuts == 0 else 4000 + MOST_CUTS * bounce + cuts) >= rec[OPACITY]
        ):
            near = past(t)
            cuts += 1
            if cuts > MOST_CUTS:
                return
            continue
        gx, gy, gz = hit[H_NG], hit[H_NG + 1], hit[H_NG + 2]
        out_there = -(dx * gx + dy * gy + dz * gz)
        if out_there < 0.0 and rec[MURK] + rec[MURK + 1] + rec[MURK + 2] > 0.0:
            tr *= math.exp(-min(rec[MURK] * t, 80.0))
            tg *= math.exp(-min(rec[MURK + 1] * t, 80.0))
            tb *= math.exp(-min(rec[MURK + 2] * t, 80.0))
        if rec[REC_GLOW] + rec[REC_GLOW + 1] + rec[REC_GLOW + 2] > 0.0:
            x, y, z = hit[H_P] - px, hit[H_P + 1] - py, hit[H_P + 2] - pz
            glow_seen(w, alive, glowing, rec, x * x + y * y + z * z, out_there, tr, tg, tb, pdf, out)
        if bounce > bounces or int(rec[COUNT]) == 0:
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
        spreads = stack.spreads(rec, chances)
        for lighting in range(lightings if spreads else 0):
            if (alive >> lighting) & 1 == 0 or not lit(w, lighting):
                continue
            look_at_light(
                w, lighting, hit, rec, lx, ly, lz, tr, tg, tb, key, starts, index, base, chances, registers, point, other, spare,
                False, out,
            )  # fmt: skip
        ix, iy, iz, wr, wg, wb, p, mirror, chosen = stack.sample(
            rec, lx, ly, lz, number(key, starts, index, base + 4), number(key, starts, index, base + 5), number(key, starts, index, base + 6),
            w.tables, chances,
        )  # fmt: skip
        if chosen < 0:
            return
        nx = ix * hit[H_T1] + iy * hit[H_T2] + iz * hit[H_NS]
        ny = ix * hit[H_T1 + 1] + iy * hit[H_T2 + 1] + iz * hit[H_NS + 1]
        nz = ix * hit[H_T1 + 2] + iy * hit[H_T2 + 2] + iz * hit[H_NS + 2]
        side = nx * gx + ny * gy + nz * gz
        if side * iz <= 0.0:
            return
        tr, tg, tb = tr * wr, tg * wg, tb * wb
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
                    w, lighting, hit, rec, 0.0, 0.0, 1.0, tr, tg, tb, key, starts, index, 600 + base, chances, registers, point, other,
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
        px, py, pz = hit[H_P], hit[H_P + 1], hit[H_P + 2]
        ox, oy, oz = px + s * gx, py + s * gy, pz + s * gz
        dx, dy, dz = nx, ny, nz
        near, far = 0.0, lights.INFINITE
        cuts = 0
        bounce += 1


@inner
def camera_ray(
    cam: F8, x: float, y: float, u: float, v: float
) -> tuple[float, float, float, float, float, float, float]:
    """A ray through a place in the picture (−1 to 1, right and up): origin, direction, and its length for a metre ahead."""
    a, b = x + cam[C_SHIFT], y + cam[C_SHIFT + 1]
    dx = cam[C_Z] + a * cam[C_X] + b * cam[C_Y]
    dy = cam[C_Z + 1] + a * cam[C_X + 1] + b * cam[C_Y + 1]
    dz = cam[C_Z + 2] + a * cam[C_X + 2] + b * cam[C_Y + 2]
    ox, oy, oz = cam[C_ORIGIN], cam[C_ORIGIN + 1], cam[C_ORIGIN + 2]
    if cam[C_LENS] > 0.0:
        radius = cam[C_LENS] * math.sqrt(u)
        lx, ly = turn(v)
        lx, ly = radius * lx, radius * ly
        qx, qy, qz = ox + dx * cam[C_FOCUS], oy + dy * cam[C_FOCUS], oz + dz * cam[C_FOCUS]
        ox += lx * cam[C_RIGHT] + ly * cam[C_UP]
        oy += lx * cam[C_RIGHT + 1] + ly * cam[C_UP + 1]
        oz += lx * cam[C_RIGHT + 2] + ly * cam[C_UP + 2]
        dx, dy, dz = (qx - ox) / cam[C_FOCUS], (qy - oy) / cam[C_FOCUS], (qz - oz) / cam[C_FOCUS]
    length = math.sqrt(dx * dx + dy * dy + dz * dz)
    return ox, oy, oz, dx / length, dy / length, dz / length, length


def scratch(registers: int) -> F8:
    """Room for one call of a kernel, for a world whose programs need some registers."""
    return np.zeros(ROOM + 2 * RECORD + registers)


@entry
def render(
    w: World,
    cam: F8,
    width: int,
    height_: int,
    x0: int,
    x1: int,
    y0: int,
    y1: int,
    first: int,
    count: int,
    seed: int,
    bounces: int,
    clamps: F8,
    room: F8,
    where: U1,
    film: F8,
    square: F8,
) -> None:
    """Add samples `first` to `first + count` of a tile to `film` [height, width, groups, 3], where `where` [height, width]
    is not 0; `square` [height, width] gets the squares of their luminances. `clamps` [1] is the most that a sample may
    add (0: anything); of several lightings [groups] that of each. `room` is as `scratch` makes it, for this call alone.
    """
    w = bare(w)
    cam = address(cam)
    every = address(room)
    point, hit, spare, chances, starts = (
        every,
        beyond(every, 8),
        beyond(every, 30),
        beyond(every, 52),
        beyond(every, 64),
    )
    rec, other, registers = beyond(every, ROOM), beyond(every, ROOM + RECORD), beyond(every, ROOM + 2 * RECORD)
    groups = film.shape[2]
    kept = np.zeros(3 * groups + 1)
    kept[0] = groups
    out = address(kept)
    single = clamps.shape[0] == 1
    for y in range(y0, y1):
        for x in range(x0, x1):
            if where[y, x] == 0:
                continue
            key = mixed(
                np.uint64(seed) * np.uint64(0x9E3779B97F4A7C15) + np.uint64(y) * np.uint64(1 << 24) + np.uint64(x)
            )
            put_starts(key, starts)
            for index in range(first, first + count):
                sx = (x + number(key, starts, index, 0)) / width * 2.0 - 1.0
                sy = 1.0 - (y + number(key, starts, index, 1)) / height_ * 2.0
                u, v = number(key, starts, index, 2), number(key, starts, index, 3)
                ox, oy, oz, dx, dy, dz, length = camera_ray(cam, sx, sy, u, v)
                far = cam[C_FAR] * length if cam[C_FAR] > 0.0 else lights.INFINITE
                for k in range(groups):
                    out[1 + 3 * k] = out[2 + 3 * k] = out[3 + 3 * k] = 0.0
                path(
                    w, ox, oy, oz, dx, dy, dz, cam[C_NEAR] * length, far, key, starts, index, bounces, out, registers,
                    point, rec, other, hit, spare, chances,
                )  # fmt: skip
                most = 0.0
                for k in range(groups):
                    most += max(out[1 + 3 * k], max(out[2 + 3 * k], out[3 + 3 * k]))
                total = 0.0
                for k in range(groups):
                    limit = clamps[0] if single else clamps[k]
                    one = most if single else max(out[1 + 3 * k], max(out[2 + 3 * k], out[3 + 3 * k]))
                    scale = limit / one if 0.0 < limit < one else 1.0
                    for c in range(3):
                        film[y, x, k, c] += scale * out[1 + 3 * k + c]
                    total += scale * (0.2126 * out[1 + 3 * k] + 0.7152 * out[2 + 3 * k] + 0.0722 * out[3 + 3 * k])
                square[y, x] += total * total
    kept[0] = groups  # here, so that what `out` points to lives until now


@entry
def first_things(
    w: World, cam: F8, width: int, height_: int, room: F8, material: I4, thing: I4, depth: F8, normal: F8
) -> None:
    """What stands in the middle of each pixel: material and object (−1 for nothing), depth in metres, world normal."""
    w = bare(w)
    cam = address(cam)
    point, hit = address(room), beyond(address(room), 8)
    kept, registers = beyond(address(room), ROOM), beyond(address(room), ROOM + 2 * RECORD)
    for y in range(height_):
        for x in range(width):
            sx, sy = (x + 0.5) / width * 2.0 - 1.0, 1.0 - (y + 0.5) / height_ * 2.0
            ox, oy, oz, dx, dy, dz, length = camera_ray(cam, sx, sy, 0.0, 0.0)
            near = cam[C_NEAR] * length
            far = cam[C_FAR] * length if cam[C_FAR] > 0.0 else lights.INFINITE
            material[y, x], thing[y, x], depth[y, x] = -1, -1, 0.0
            for c in range(3):
                normal[y, x, c] = 0.0
            for _ in range(MOST_CUTS):
                t, prim, b1, b2 = nearest(w, ox, oy, oz, dx, dy, dz, near, far, THINGS)
                if prim == NOTHING:
                    break
                m = surface_at(w, prim, b1, b2, t, ox, oy, oz, dx, dy, dz, hit)
                rec = prepare(w, m, hit, dx, dy, dz, point, registers, kept)
                if rec[OPACITY] < 0.5:
                    near = past(t)
                    continue
                material[y, x] = m
                thing[y, x] = int(w.f4[w.i4[A_TRIANGLE] + prim * TRIANGLE_SIZE + T_OBJECT]) if prim >= 0 else -1
                depth[y, x] = t / length
                for c in range(3):
                    normal[y, x, c] = hit[H_NS + c]
                break


__all__ = ["GLOW", "S_X", "S_Y", "S_Z", "first_things", "number", "path", "render"]
