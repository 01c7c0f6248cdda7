"""Lights: which one is asked, a place on it, what it sends from there, and how likely that was."""

from __future__ import annotations

import math

from durvan.engine.kernels.programs import put_more, resolve
from durvan.engine.kernels.world import (
    A_DOME,
    A_DOME_SUMS,
    A_LIGHT,
    A_LIGHT_SUM,
    A_LIGHTINGS,
    A_LISTS,
    A_PROFILES,
    A_TRIANGLE,
    AREA,
    AXIS_X,
    AXIS_Y,
    AXIS_Z,
    COS_DISC,
    D_COLUMNS,
    D_HEIGHT,
    D_PICTURE,
    D_ROWS,
    D_WIDTH,
    DECAY,
    F8,
    FOCUS,
    FRONT,
    I_AT,
    I_HEIGHT,
    I_WIDTH,
    INNER,
    KIND,
    LIGHT,
    ORIGIN,
    OUTER,
    PROFILE,
    RADIANCE,
    REACH,
    SIZE,
    START,
    T_CORNER,
    T_FLAT,
    T_MATERIAL,
    T_UV,
    TABLE,
    TRIANGLE,
    TRIANGLE_SIZE,
    WHOLE,
    World,
)
from durvan.optics.jit import beyond, inner, small
from durvan.optics.light_shapes import CYLINDER, DISK, DOME, FAR, GLOW, POINT, RECT, SPHERE
from durvan.optics.lobes.layout import GLOW as REC_GLOW
from durvan.optics.lobes.layout import OPACITY
from durvan.optics.lobes.turns import turn

INFINITE = 1e20
EVEN = 1.0 / (4.0 * math.pi)  # the probability of a direction of a sky that is the same everywhere


@inner
def pick(w: World, lighting: int, u: float) -> int:
    """A light of a lighting by its chance."""
    first, end = w.i4[w.i4[A_LIGHTINGS] + 2 * lighting], w.i4[w.i4[A_LIGHTINGS] + 2 * lighting + 1]
    return first + _search(w.f8, w.i4[A_LIGHT_SUM] + first + lighting, end - first, u)


@inner
def shaped(w: World, light: int, dx: float, dy: float, dz: float) -> float:
    """What the cone, the focus and the profile of a light leave of it in a direction away from it."""
    measured = 1.0
    if w.f8[light + TABLE] > 0.0:
        measured = _measured(w, light, dx, dy, dz)
    if w.f8[light + OUTER] >= math.pi and w.f8[light + FOCUS] == 0.0:
        return measured
    c = -(dx * w.f8[light + AXIS_Z] + dy * w.f8[light + AXIS_Z + 1] + dz * w.f8[light + AXIS_Z + 2])
    value = 1.0
    if w.f8[light + OUTER] < math.pi:
        angle = math.acos(min(max(c, -1.0), 1.0))
        if angle >= w.f8[light + OUTER]:
            return 0.0
        if angle > w.f8[light + INNER]:
            t = (angle - w.f8[light + INNER]) / max(w.f8[light + OUTER] - w.f8[light + INNER], 1e-9)
            value = 1.0 - t if w.f8[light + PROFILE] == 1.0 else 1.0 - t * t * (3.0 - 2.0 * t)
    if w.f8[light + FOCUS] > 0.0:
        value *= abs(c) ** w.f8[light + FOCUS]
    return value * measured


@inner
def _measured(w: World, light: int, dx: float, dy: float, dz: float) -> float:
    """The factor of a light's profile in a direction away from it: straight between angles and between planes."""
    x = dx * w.f8[light + AXIS_X] + dy * w.f8[light + AXIS_X + 1] + dz * w.f8[light + AXIS_X + 2]
    y = dx * w.f8[light + AXIS_Y] + dy * w.f8[light + AXIS_Y + 1] + dz * w.f8[light + AXIS_Y + 2]
    z = dx * w.f8[light + AXIS_Z] + dy * w.f8[light + AXIS_Z + 1] + dz * w.f8[light + AXIS_Z + 2]
    first = w.i4[A_PROFILES] + int(w.f8[light + TABLE]) - 1
    planes, angles = int(w.f8[first]), int(w.f8[first + 1])
    gammas = first + 2
    gamma = math.degrees(math.atan2(math.sqrt(x * x + y * y), -z))
    column = min(_search(w.f8, gammas, angles, gamma), angles - 2)
    v = (gamma - w.f8[gammas + column]) / max(w.f8[gammas + column + 1] - w.f8[gammas + column], 1e-12)
    v = min(max(v, 0.0), 1.0)
    row, u = 0, 0.0
    if planes > 2:
        turned = gammas + angles
        plane = math.degrees(math.atan2(y, x)) % 360.0
        row = min(_search(w.f8, turned, planes, plane), planes - 2)
        u = (plane - w.f8[turned + row]) / max(w.f8[turned + row + 1] - w.f8[turned + row], 1e-12)
        u = min(max(u, 0.0), 1.0)
    low = gammas + angles + planes + row * angles + column
    high = low + angles
    return (1.0 - u) * ((1.0 - v) * w.f8[low] + v * w.f8[low + 1]) + u * ((1.0 - v) * w.f8[high] + v * w.f8[high + 1])


@small
def decayed(w: World, light: int, distance: float) -> float:
    """The factor by which a light of another decay differs from the inverse square, at a distance in metres: they are as
    strong where the other one starts, and nearer than that it stays so. Past its reach there is none.
    """
    if 0.0 < w.f8[light + REACH] < distance:
        return 0.0
    if w.f8[light + DECAY] == 2.0:
        return 1.0
    start = w.f8[light + START]
    k = distance / start
    return k * k if w.f8[light + DECAY] == 0.0 or k < 1.0 else k


@small
def is_listed(w: World, light: int, which: int, thing: int) -> bool:
    """Whether a list of a light (`LIT` or `BARS`) holds an object; one that there is not holds everything."""
    first = int(w.f8[light + which])
    if first < 0 or thing < 0:
        return True
    return (w.i4[w.i4[A_LISTS] + first + (thing >> 5)] >> (thing & 31)) & 1 != 0


@inner
def pictured(w: World, light: int, u: float, v: float) -> tuple[float, float, float]:
    """The picture on a panel at a place from 0 to 1 along +X and +Y in the light's axes. It stands upright to who looks at
    the side that shines: its left lies at +X and its top at +Y, as UsdLux has it.
    """
    width, height = int(w.f8[light + I_WIDTH]), int(w.f8[light + I_HEIGHT])
    fx, fy = (1.0 - u) * width - 0.5, (1.0 - v) * height - 0.5
    x0, y0 = int(math.floor(fx)), int(math.floor(fy))
    fx, fy = fx - x0, fy - y0
    r = g = b = 0.0
    first = w.i4[A_DOME] + int(w.f8[light + I_AT])
    for corner in range(4):
        across, down = corner & 1, corner >> 1
        k = (fx if across else 1.0 - fx) * (fy if down else 1.0 - fy)
        texel = first + 3 * (min(max(y0 + down, 0), height - 1) * width + min(max(x0 + across, 0), width - 1))
        r += k * w.f4[texel]
        g += k * w.f4[texel + 1]
        b += k * w.f4[texel + 2]
    return r, g, b


@inner
def _search(sums: F8, first: int, count: int, u: float) -> int:
    """Where in a row of summed chances a number falls."""
    low, high = 0, count
    while high - low > 1:
        middle = (low + high) >> 1
        if sums[first + middle] <= u:
            low = middle
        else:
            high = middle
    return low


@inner
def dome_light(w: World, light: int, x: float, y: float, z: float) -> tuple[float, float, float, float]:
    """What a dome sends from a direction, and the probability that `sample` goes there.

    Latitude–longitude as UsdLux has it: the middle of the picture lies at +Z, its left half towards +X.
    """
    height, width = int(w.f8[light + D_HEIGHT]), int(w.f8[light + D_WIDTH])
    if height * width == 1:
        first = w.i4[A_DOME] + int(w.f8[light + D_PICTURE])
        return w.f4[first], w.f4[first + 1], w.f4[first + 2], EVEN
    lx = x * w.f8[light + AXIS_X] + y * w.f8[light + AXIS_X + 1] + z * w.f8[light + AXIS_X + 2]
    ly = x * w.f8[light + AXIS_Y] + y * w.f8[light + AXIS_Y + 1] + z * w.f8[light + AXIS_Y + 2]
    lz = x * w.f8[light + AXIS_Z] + y * w.f8[light + AXIS_Z + 1] + z * w.f8[light + AXIS_Z + 2]
    theta = math.acos(min(max(ly, -1.0), 1.0))
    u = (0.5 - math.atan2(lx, lz) / (2.0 * math.pi)) % 1.0
    return dome_at(w, light, u * width, theta / math.pi * height, math.sin(theta))


@inner
def dome_at(w: World, light: int, x1: float, y1: float, sine: float) -> tuple[float, float, float, float]:
    """The same by the place in the picture, in pixels from the left and from the zenith."""
    height, width = int(w.f8[light + D_HEIGHT]), int(w.f8[light + D_WIDTH])
    row, column = min(int(y1), height - 1), min(int(x1), width - 1)
    rows = w.i4[A_DOME_SUMS] + int(w.f8[light + D_ROWS])
    line = w.i4[A_DOME_SUMS] + int(w.f8[light + D_COLUMNS]) + row * (width + 1) + column
    chance = (w.f8[rows + row + 1] - w.f8[rows + row]) * (w.f8[line + 1] - w.f8[line])
    pdf = chance * width * height / (2.0 * math.pi * math.pi * max(sine, 1e-6))
    # between the middles of four pixels; round the seam, not over the poles
    fx, fy = x1 - 0.5, y1 - 0.5
    x0, y0 = int(math.floor(fx)), int(math.floor(fy))
    fx, fy = fx - x0, fy - y0
    r = g = b = 0.0
    first = w.i4[A_DOME] + int(w.f8[light + D_PICTURE])
    for corner in range(4):
        across, down = corner & 1, corner >> 1
        k = (fx if across else 1.0 - fx) * (fy if down else 1.0 - fy)
        texel = first + 3 * (min(max(y0 + down, 0), height - 1) * width + (x0 + across) % width)
        r += k * w.f4[texel]
        g += k * w.f4[texel + 1]
        b += k * w.f4[texel + 2]
    return r, g, b, pdf


@inner
def _sample_dome(w: World, light: int, u: float, v: float) -> tuple[float, float, float, float, float, float]:
    """A direction by a dome's chances, and its place in the picture and the sine of its angle from the zenith."""
    height, width = int(w.f8[light + D_HEIGHT]), int(w.f8[light + D_WIDTH])
    rows = w.i4[A_DOME_SUMS] + int(w.f8[light + D_ROWS])
    row = _search(w.f8, rows, height, v)
    span = max(w.f8[rows + row + 1] - w.f8[rows + row], 1e-300)
    fv = min((v - w.f8[rows + row]) / span, 0.999999)
    line = w.i4[A_DOME_SUMS] + int(w.f8[light + D_COLUMNS]) + row * (width + 1)
    column = _search(w.f8, line, width, u)
    span = max(w.f8[line + column + 1] - w.f8[line + column], 1e-300)
    fu = min((u - w.f8[line + column]) / span, 0.999999)
    up, s = turn(0.5 * (row + fv) / height)
    c, across = turn(0.5 - (column + fu) / width)
    x, y, z = s * across, up, s * c
    return (
        w.f8[light + AXIS_X] * x + w.f8[light + AXIS_Y] * y + w.f8[light + AXIS_Z] * z,
        w.f8[light + AXIS_X + 1] * x + w.f8[light + AXIS_Y + 1] * y + w.f8[light + AXIS_Z + 1] * z,
        w.f8[light + AXIS_X + 2] * x + w.f8[light + AXIS_Y + 2] * y + w.f8[light + AXIS_Z + 2] * z,
        column + fu,
        row + fv,
        s,
    )


@inner
def area_pdf(
    w: World,
    light: int,
    px: float,
    py: float,
    pz: float,
    dx: float,
    dy: float,
    dz: float,
    distance: float,
    cosine: float,
) -> float:
    """Probability per steradian of a place on a light that a ray met, seen from p; `cosine` at the light."""
    kind = int(w.f8[light + KIND])
    if kind == SPHERE:
        x, y, z = px - w.f8[light + ORIGIN], py - w.f8[light + ORIGIN + 1], pz - w.f8[light + ORIGIN + 2]
        d2 = x * x + y * y + z * z
        r2 = w.f8[light + SIZE] * w.f8[light + SIZE]
        if d2 <= r2 * 1.0001:
            return 0.0
        s2 = r2 / d2
        # 1 − cos of the cone, without cancellation for small ones
        return 1.0 / (2.0 * math.pi * (s2 / (1.0 + math.sqrt(1.0 - s2))))
    return distance * distance / (max(abs(cosine), 1e-6) * w.f8[light + AREA])


@inner
def sample(
    w: World, number: int, px: float, py: float, pz: float, u: float, v: float, registers: F8, point: F8, rec: F8
) -> tuple[float, float, float, float, float, float, float, float, bool]:
    """A direction from p to a light, the distance, what comes from there (three channels), the probability per steradian
    (0: nothing comes), and whether there is only this one direction.
    """
    light = w.i4[A_LIGHT] + number * LIGHT
    kind = int(w.f8[light + KIND])
    r, g, b = w.f8[light + RADIANCE], w.f8[light + RADIANCE + 1], w.f8[light + RADIANCE + 2]
    if kind == DOME and w.f8[light + D_HEIGHT] * w.f8[light + D_WIDTH] == 1.0:
        dz = 1.0 - 2.0 * u
        s = math.sqrt(max(1.0 - dz * dz, 0.0))
        cosine, sine = turn(v)
        first = w.i4[A_DOME] + int(w.f8[light + D_PICTURE])
        return s * cosine, s * sine, dz, INFINITE, w.f4[first], w.f4[first + 1], w.f4[first + 2], EVEN, False
    if kind == DOME:
        dx, dy, dz, x1, y1, sine = _sample_dome(w, light, u, v)
        r, g, b, pdf = dome_at(w, light, x1, y1, sine)
        return dx, dy, dz, INFINITE, r, g, b, pdf, False
    if kind == FAR:
        zx, zy, zz = w.f8[light + AXIS_Z], w.f8[light + AXIS_Z + 1], w.f8[light + AXIS_Z + 2]
        if w.f8[light + COS_DISC] >= 1.0:
            return zx, zy, zz, INFINITE, r, g, b, 1.0, True
        c = 1.0 - u * (1.0 - w.f8[light + COS_DISC])
        s = math.sqrt(max(1.0 - c * c, 0.0))
        cosine, sine = turn(v)
        x, y = s * cosine, s * sine
        dx = x * w.f8[light + AXIS_X] + y * w.f8[light + AXIS_Y] + c * zx
        dy = x * w.f8[light + AXIS_X + 1] + y * w.f8[light + AXIS_Y + 1] + c * zy
        dz = x * w.f8[light + AXIS_X + 2] + y * w.f8[light + AXIS_Y + 2] + c * zz
        return dx, dy, dz, INFINITE, r, g, b, 1.0 / (2.0 * math.pi * (1.0 - w.f8[light + COS_DISC])), False
    if kind == POINT:
        dx, dy, dz = w.f8[light + ORIGIN] - px, w.f8[light + ORIGIN + 1] - py, w.f8[light + ORIGIN + 2] - pz
        d = math.sqrt(dx * dx + dy * dy + dz * dz)
        if d < 1e-6:
            return 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, True
        dx, dy, dz = dx / d, dy / d, dz / d
        k = shaped(w, light, -dx, -dy, -dz) * decayed(w, light, d) / (d * d)
        return dx, dy, dz, d, r * k, g * k, b * k, 1.0, True
    nx = ny = nz = 0.0
    if kind == SPHERE:
        x, y, z = w.f8[light + ORIGIN] - px, w.f8[light + ORIGIN + 1] - py, w.f8[light + ORIGIN + 2] - pz
        d2 = x * x + y * y + z * z
        radius = w.f8[light + SIZE]
        if d2 > radius * radius * 1.0001:
            d = math.sqrt(d2)
            zx, zy, zz = x / d, y / d, z / d
            s2 = radius * radius / d2
            gap = s2 / (1.0 + math.sqrt(1.0 - s2))
            c = 1.0 - u * gap
            s = math.sqrt(max(u * gap * (2.0 - u * gap), 0.0))
            cosine, sine = turn(v)
            # a frame about the axis (Duff et al. 2017)
            sign = 1.0 if zz >= 0.0 else -1.0
            k = -1.0 / (sign + zz)
            m = zx * zy * k
            ax, ay, az = 1.0 + sign * zx * zx * k, sign * m, -sign * zx
            bx, by, bz = m, sign + zy * zy * k, -zy
            e, f = s * cosine, s * sine
            dx, dy, dz = e * ax + f * bx + c * zx, e * ay + f * by + c * zy, e * az + f * bz + c * zz
            t = d * c - math.sqrt(max(radius * radius - d2 * s * s, 0.0))
            k = shaped(w, light, -dx, -dy, -dz) * decayed(w, light, t)
            return dx, dy, dz, t, r * k, g * k, b * k, 1.0 / (2.0 * math.pi * gap), False
        return 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, False  # only its outside shines
    if kind == GLOW:
        t = int(w.f8[light + TRIANGLE])
        k = math.sqrt(u)
        b1, b2 = k * (1.0 - v), k * v
        at = beyond(w.f4, w.i4[A_TRIANGLE] + t * TRIANGLE_SIZE)
        qx = at[T_CORNER] + b1 * at[T_CORNER + 3] + b2 * at[T_CORNER + 6]
        qy = at[T_CORNER + 1] + b1 * at[T_CORNER + 4] + b2 * at[T_CORNER + 7]
        qz = at[T_CORNER + 2] + b1 * at[T_CORNER + 5] + b2 * at[T_CORNER + 8]
        nx, ny, nz = at[T_FLAT], at[T_FLAT + 1], at[T_FLAT + 2]
        if w.f8[light + SIZE] == 1.0:
            b0 = 1.0 - b1 - b2
            point[0], point[1] = (
                b0 * at[T_UV] + b1 * at[T_UV + 2] + b2 * at[T_UV + 4],
                b0 * at[T_UV + 1] + b1 * at[T_UV + 3] + b2 * at[T_UV + 5],
            )
            point[2], point[3], point[4], point[5] = qx, qy, qz, 1.0
            point[6], point[7] = 1.0, point[0]
            put_more(w, t, b1, b2, point)
            rec = resolve(w, int(at[T_MATERIAL]), point, registers, rec)
            k = 1.0 if w.f8[light + WHOLE] > 0.0 else min(max(rec[OPACITY], 0.0), 1.0)
            r, g, b = k * rec[REC_GLOW], k * rec[REC_GLOW + 1], k * rec[REC_GLOW + 2]
    else:
        if kind == RECT:
            lx, ly = (u - 0.5) * w.f8[light + SIZE], (v - 0.5) * w.f8[light + SIZE + 1]
            nx, ny, nz = -w.f8[light + AXIS_Z], -w.f8[light + AXIS_Z + 1], -w.f8[light + AXIS_Z + 2]
            if w.f8[light + I_WIDTH] > 0.0:
                pr, pg, pb = pictured(w, light, u, v)
                r, g, b = r * pr, g * pg, b * pb
        elif kind == DISK:
            k = w.f8[light + SIZE] * math.sqrt(u)
            cosine, sine = turn(v)
            lx, ly = k * cosine, k * sine
            nx, ny, nz = -w.f8[light + AXIS_Z], -w.f8[light + AXIS_Z + 1], -w.f8[light + AXIS_Z + 2]
        else:
            lx = (u - 0.5) * w.f8[light + SIZE + 1]
            c, s = turn(v)
            nx = c * w.f8[light + AXIS_Y] + s * w.f8[light + AXIS_Z]
            ny = c * w.f8[light + AXIS_Y + 1] + s * w.f8[light + AXIS_Z + 1]
            nz = c * w.f8[light + AXIS_Y + 2] + s * w.f8[light + AXIS_Z + 2]
            ly = 0.0
        qx = w.f8[light + ORIGIN] + lx * w.f8[light + AXIS_X] + ly * w.f8[light + AXIS_Y]
        qy = w.f8[light + ORIGIN + 1] + lx * w.f8[light + AXIS_X + 1] + ly * w.f8[light + AXIS_Y + 1]
        qz = w.f8[light + ORIGIN + 2] + lx * w.f8[light + AXIS_X + 2] + ly * w.f8[light + AXIS_Y + 2]
        if kind == CYLINDER:
            qx, qy, qz = qx + w.f8[light + SIZE] * nx, qy + w.f8[light + SIZE] * ny, qz + w.f8[light + SIZE] * nz
    dx, dy, dz = qx - px, qy - py, qz - pz
    d = math.sqrt(dx * dx + dy * dy + dz * dz)
    if d < 1e-6:
        return 0.0, 0.0, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0, False
    dx, dy, dz = dx / d, dy / d, dz / d
    cosine = -(dx * nx + dy * ny + dz * nz)
    if (kind != GLOW or w.f8[light + FRONT] == 1.0) and cosine <= 0.0:
        return dx, dy, dz, d, 0.0, 0.0, 0.0, 0.0, False
    k = shaped(w, light, -dx, -dy, -dz) * decayed(w, light, d)
    pdf = d * d / (max(abs(cosine), 1e-6) * w.f8[light + AREA])
    return dx, dy, dz, d, r * k, g * k, b * k, pdf, False
