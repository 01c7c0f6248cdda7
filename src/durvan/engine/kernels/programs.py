"""Materials' programs: what `durvan.graph.expression` works out over arrays, one point at a time."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.world import (
    A_BASE,
    A_BORDER,
    A_CODE,
    A_MATERIAL,
    A_MORE,
    A_MORE_KIND,
    A_OUT,
    A_PICTURE,
    A_PIXELS,
    A_START,
    A_TILES,
    F8,
    I4,
    M_BUMP,
    M_BUMP_COUNT,
    M_BUMP_OUT,
    M_BUMP_START,
    M_BUMP_START_COUNT,
    M_CODE,
    M_CODE_COUNT,
    M_FIXED,
    M_LOBES,
    M_OUT,
    M_OUT_COUNT,
    M_START,
    M_START_COUNT,
    MATERIAL,
    N_MORE,
    P_HEIGHT,
    P_OFFSET,
    P_TILES,
    P_WIDTH,
    P_WRAP_U,
    P_WRAP_V,
    PICTURE_SIZE,
    World,
    bare,
)
from durvan.graph.expression import POINT, POINT_SIZE, TILE_COLUMNS, TILE_ROWS
from durvan.graph.noise import FAR
from durvan.graph.program import CHANNEL_BIT, OPERATIONS, START_BIT, STYLE_BIT
from durvan.optics.jit import address, beyond, entry, inner, small
from durvan.optics.lobes import layout
from durvan.optics.lobes.layout import BEYOND, RECORD

(
    ADD, SUBTRACT, MULTIPLY, DIVIDE, POWER, LEAST, MOST, BELOW, FLOOR, ROOT, EXP, LOG, ABSOLUTE, PICTURE, NOISE, SINE, COSINE,
    ANGLE, PLANE_NOISE, CELLS, SCATTERED,
) = range(len(OPERATIONS))  # fmt: skip

KNOWN = len(POINT)
FACED = 0.75  # how far what is painted faces an eye that is nowhere

set_walking = inner(layout.set_walking)


@small
def _turn(x: int, by: int) -> int:
    return ((x << by) | (x >> (32 - by))) & 0xFFFFFFFF


@small
def _final(a: int, b: int, c: int) -> int:
    mask = 0xFFFFFFFF
    c = ((c ^ b) - _turn(b, 14)) & mask
    a = ((a ^ c) - _turn(c, 11)) & mask
    b = ((b ^ a) - _turn(a, 25)) & mask
    c = ((c ^ b) - _turn(b, 16)) & mask
    a = ((a ^ c) - _turn(c, 4)) & mask
    b = ((b ^ a) - _turn(a, 14)) & mask
    return ((c ^ b) - _turn(b, 24)) & mask


@small
def _hash(x: int, y: int, z: int) -> int:
    """Bits for three whole numbers, as `durvan.graph.noise` has them."""
    mask = 0xFFFFFFFF
    first = 0xDEADBEEF + 12 + 13
    return _final((x + first) & mask, (y + first) & mask, (z + first) & mask)


@small
def _plane_hash(x: int, y: int) -> int:
    mask = 0xFFFFFFFF
    first = 0xDEADBEEF + 8 + 13
    return _final((x + first) & mask, (y + first) & mask, first & mask)


@inner
def _hash_of_four(x: int, y: int, z: int, n: int) -> int:
    mask = 0xFFFFFFFF
    first = 0xDEADBEEF + 16 + 13
    a, b, c = (x + first) & mask, (y + first) & mask, (z + first) & mask
    a = ((a - c) & mask) ^ _turn(c, 4)
    c = (c + b) & mask
    b = ((b - a) & mask) ^ _turn(a, 6)
    a = (a + c) & mask
    c = ((c - b) & mask) ^ _turn(b, 8)
    b = (b + a) & mask
    a = ((a - c) & mask) ^ _turn(c, 16)
    c = (c + b) & mask
    b = ((b - a) & mask) ^ _turn(a, 19)
    a = (a + c) & mask
    c = ((c - b) & mask) ^ _turn(b, 4)
    b = (b + a) & mask
    return _final((a + n) & mask, b, c)


@small
def _of_channel(h: int, channel: int) -> int:
    return h if channel == 0 else (h >> (8 * (channel - 1))) & 0xFF


@small
def _gradient(h: int, x: float, y: float, z: float) -> float:
    h = h & 15
    u = x if h < 8 else y
    v = y if h < 4 else (x if h == 12 or h == 14 else z)
    return (-u if h & 1 else u) + (-v if h & 2 else v)


@small
def _plane_gradient(h: int, x: float, y: float) -> float:
    h = h & 7
    u = x if h < 4 else y
    v = 2.0 * (y if h < 4 else x)
    return (-u if h & 1 else u) + (-v if h & 2 else v)


@small
def _fade(t: float) -> float:
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


@small
def gradient_noise(x: float, y: float, z: float, channel: int) -> float:
    """One octave (Perlin 2002), as `durvan.graph.noise` has it."""
    x0, y0, z0 = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = x - x0, y - y0, z - z0
    ix, iy, iz = int(x0), int(y0), int(z0)
    su, sv, sw = _fade(fx), _fade(fy), _fade(fz)
    total = 0.0
    for dz in range(2):
        for dy in range(2):
            for dx in range(2):
                weight = (su if dx else 1.0 - su) * (sv if dy else 1.0 - sv) * (sw if dz else 1.0 - sw)
                h = _of_channel(_hash(ix + dx, iy + dy, iz + dz), channel)
                total += weight * _gradient(h, fx - dx, fy - dy, fz - dz)
    return total * 0.9820


@inner
def plane_gradient_noise(x: float, y: float, channel: int) -> float:
    """One octave over a plane."""
    x0, y0 = math.floor(x), math.floor(y)
    fx, fy = x - x0, y - y0
    ix, iy = int(x0), int(y0)
    su, sv = _fade(fx), _fade(fy)
    total = 0.0
    for dy in range(2):
        for dx in range(2):
            weight = (su if dx else 1.0 - su) * (sv if dy else 1.0 - sv)
            h = _of_channel(_plane_hash(ix + dx, iy + dy), channel)
            total += weight * _plane_gradient(h, fx - dx, fy - dy)
    return total * 0.6616


@inner
def cell_noise(size: int, x: float, y: float, z: float) -> float:
    """A number for each square (size 2) or cube (3)."""
    if not (abs(x) < FAR and abs(y) < FAR and (size == 2 or abs(z) < FAR)):
        x = y = z = 0.0
    ix, iy = int(math.floor(x)), int(math.floor(y))
    h = _plane_hash(ix, iy) if size == 2 else _hash(ix, iy, int(math.floor(z)))
    return h / 4294967295.0


@inner
def scattered_points(size: int, style: int, jitter: float, x: float, y: float, z: float) -> float:
    """How far the nearest of many points is, one scattered in each cell (Worley 1996); of style 1, a number for each."""
    if size == 2:
        z = 0.0
    if not (abs(x) < FAR and abs(y) < FAR and abs(z) < FAR):
        x = y = z = 0.0
    x0, y0, z0 = math.floor(x), math.floor(y), math.floor(z)
    fx, fy, fz = x - x0, y - y0, z - z0
    best, bx, by, bz = 1e6, 0.0, 0.0, 0.0
    deep = 1 if size == 3 else 0
    for dx in range(-1, 2):
        for dy in range(-1, 2):
            for dz in range(-deep, deep + 1):
                cx, cy, cz = int(x0) + dx, int(y0) + dy, int(z0) + dz
                pz = 0.0
                if size == 3:
                    hx, hy = _hash_of_four(cx, cy, cz, 0), _hash_of_four(cx, cy, cz, 1)
                    pz = dz + (_hash_of_four(cx, cy, cz, 2) / 4294967295.0 - 0.5) * jitter + 0.5 - fz
                else:
                    hx, hy = _hash(cx, cy, 0), _hash(cx, cy, 1)
                px = dx + (hx / 4294967295.0 - 0.5) * jitter + 0.5 - fx
                py = dy + (hy / 4294967295.0 - 0.5) * jitter + 0.5 - fy
                square = px * px + py * py + pz * pz
                if square < best:
                    best, bx, by, bz = square, px, py, pz
    if style == 1:
        return cell_noise(size, bx + x, by + y, bz + z)
    return math.sqrt(best)


@inner
def _wrapped(place: int, size: int, mode: int) -> int:
    """A column or row after wrapping; −1 for outside."""
    if mode == 0:
        return place % size
    if mode == 1:
        turned = place % (2 * size)
        return turned if turned < size else 2 * size - 1 - turned
    if mode == 3 and (place < 0 or place >= size):
        return -1
    return min(max(place, 0), size - 1)


@inner
def look_up(w: World, number: int, u: float, v: float, to: F8, at: int) -> None:
    """A picture's four channels, bilinear, into four registers."""
    info = w.i4[A_PICTURE] + number * PICTURE_SIZE
    tiles = w.i4[info + P_TILES]
    if tiles > 0:
        found = -1
        if 0.0 <= u < TILE_COLUMNS and 0.0 <= v < TILE_ROWS:
            found = w.i4[w.i4[A_TILES] + tiles - 1 + int(v) * TILE_COLUMNS + int(u)]
        if found < 0:
            for c in range(4):
                to[at + c] = w.f8[w.i4[A_BORDER] + number * 4 + c]
            return
        u, v = u - math.floor(u), v - math.floor(v)
        number = found
        info = w.i4[A_PICTURE] + number * PICTURE_SIZE
    width, height = w.i4[info + P_WIDTH], w.i4[info + P_HEIGHT]
    if not (abs(u) < 1e9 and abs(v) < 1e9):
        u = v = 0.0
    x, y = u * width - 0.5, (1.0 - v) * height - 0.5
    x0, y0 = math.floor(x), math.floor(y)
    fx, fy = x - x0, y - y0
    for c in range(4):
        to[at + c] = 0.0
    for dx in range(2):
        column = _wrapped(int(x0) + dx, width, w.i4[info + P_WRAP_U])
        for dy in range(2):
            weight = (fx if dx else 1.0 - fx) * (fy if dy else 1.0 - fy)
            row = _wrapped(int(y0) + dy, height, w.i4[info + P_WRAP_V])
            if column < 0 or row < 0:
                for c in range(4):
                    to[at + c] += weight * w.f8[w.i4[A_BORDER] + number * 4 + c]
            else:
                place = w.i4[info + P_OFFSET] + 4 * (row * width + column)
                for c in range(4):
                    to[at + c] += weight * w.f4[w.i4[A_PIXELS] + place + c]


@inner
def run(w: World, first: int, count: int, registers: F8) -> None:
    """Run a program over a file of registers."""
    for line in range(first, first + count):
        op, to = w.i4[w.i4[A_CODE] + line * 6 + 0], w.i4[w.i4[A_CODE] + line * 6 + 1]
        a = registers[w.i4[w.i4[A_CODE] + line * 6 + 2]]
        b = registers[w.i4[w.i4[A_CODE] + line * 6 + 3]]
        if op == ADD:
            registers[to] = a + b
        elif op == SUBTRACT:
            registers[to] = a - b
        elif op == MULTIPLY:
            registers[to] = a * b
        elif op == DIVIDE:
            registers[to] = a / b if b != 0.0 else 0.0
        elif op == POWER:
            registers[to] = max(a, 0.0) ** b
        elif op == LEAST:
            registers[to] = min(a, b)
        elif op == MOST:
            registers[to] = max(a, b)
        elif op == BELOW:
            registers[to] = 1.0 if a < b else 0.0
        elif op == FLOOR:
            registers[to] = math.floor(a)
        elif op == ROOT:
            registers[to] = math.sqrt(max(a, 0.0))
        elif op == EXP:
            registers[to] = math.exp(min(a, 80.0))
        elif op == LOG:
            registers[to] = math.log(max(a, 1e-30))
        elif op == ABSOLUTE:
            registers[to] = abs(a)
        elif op == PICTURE:
            look_up(w, w.i4[w.i4[A_CODE] + line * 6 + 5], a, b, registers, to)
        elif op == SINE:
            registers[to] = math.sin(a)
        elif op == COSINE:
            registers[to] = math.cos(a)
        elif op == ANGLE:
            registers[to] = math.atan2(a, b)
        else:
            z = registers[w.i4[w.i4[A_CODE] + line * 6 + 4]]
            packed = w.i4[w.i4[A_CODE] + line * 6 + 5]
            more = packed >> START_BIT
            one = registers[more] if op != CELLS else 0.0
            two = registers[more + 1] if op == NOISE or op == PLANE_NOISE else 0.0
            registers[to] = noise_at(op, packed, a, b, z, one, two)


@inner
def noise_at(op: int, packed: int, x: float, y: float, z: float, one: float, two: float) -> float:
    """One of the noises; how it is asked for is packed as `durvan.graph.program` says. `one` and `two` are the numbers more: steps in
    frequency and in strength, or how far points are scattered.
    """
    if op == CELLS:
        return cell_noise(packed, x, y, z)
    if op == SCATTERED:
        return scattered_points(packed & 31, (packed >> STYLE_BIT) & 1, one, x, y, z)
    lacunarity, diminish = one, two
    channel = (packed >> CHANNEL_BIT) & 7
    total, amplitude = 0.0, 1.0
    for _ in range(packed & 31):
        if abs(x) < FAR and abs(y) < FAR and (op == PLANE_NOISE or abs(z) < FAR):
            total += amplitude * (
                plane_gradient_noise(x, y, channel) if op == PLANE_NOISE else gradient_noise(x, y, z, channel)
            )
        amplitude *= diminish
        x, y, z = x * lacunarity, y * lacunarity, z * lacunarity
    return total


@inner
def put_more(w: World, prim: int, b1: float, b2: float, point: F8) -> None:
    """What a mesh carries besides, at a place in a triangle; of a body what stands in for it."""
    count = w.i4[N_MORE]
    for k in range(count):
        if prim >= 0:
            at = w.i4[A_MORE] + prim * 3 * count + k
            value = (1.0 - b1 - b2) * w.f4[at] + b1 * w.f4[at + count] + b2 * w.f4[at + 2 * count]
        else:
            row = w.i4[A_MORE_KIND] + 2 * k
            kind = int(w.f8[row])
            value = point[kind - 1] if kind > 0 else w.f8[row + 1]
        point[KNOWN + k] = value


@inner
def resolve(w: World, m: int, point: F8, registers: F8, room: F8) -> F8:
    """The record of material `m` at a point (`POINT`, and what meshes carry besides): where it lies, or in `room` when it varies."""
    info = w.i4[A_MATERIAL] + m * MATERIAL
    base = w.i4[A_BASE] + m * RECORD
    if w.i4[info + M_FIXED] == 1:
        return beyond(w.f8, base)
    rec = room
    for k in range(w.i4[info + M_LOBES]):
        rec[k] = w.f8[base + k]
    for k in range(w.i4[info + M_START_COUNT]):
        registers[k] = w.f8[w.i4[A_START] + w.i4[info + M_START] + k]
    for k in range(KNOWN + w.i4[N_MORE]):
        registers[k] = point[k]
    run(w, w.i4[info + M_CODE], w.i4[info + M_CODE_COUNT], registers)
    for k in range(w.i4[info + M_OUT], w.i4[info + M_OUT] + w.i4[info + M_OUT_COUNT]):
        value = registers[w.i4[w.i4[A_OUT] + k * 2 + 1]]
        place = w.i4[w.i4[A_OUT] + k * 2 + 0]
        if abs(value) < BEYOND:
            rec[place] = value
    set_walking(rec)
    return rec


@inner
def height(w: World, m: int, point: F8, registers: F8) -> float:
    """The height of a bump at a place, in metres."""
    info = w.i4[A_MATERIAL] + m * MATERIAL
    for k in range(w.i4[info + M_BUMP_START_COUNT]):
        registers[k] = w.f8[w.i4[A_START] + w.i4[info + M_BUMP_START] + k]
    for k in range(KNOWN + w.i4[N_MORE]):
        registers[k] = point[k]
    run(w, w.i4[info + M_BUMP], w.i4[info + M_BUMP_COUNT], registers)
    return registers[w.i4[info + M_BUMP_OUT]]


@entry
def resolve_many(w: World, m: int, points: F8, records: F8, size: int) -> None:
    """The record of one material at n points [n, POINT_SIZE], into [n, RECORD]."""
    w = bare(w)
    registers = np.empty(size)
    width = records.shape[1]
    for n in range(points.shape[0]):
        to = beyond(address(records), width * n)
        rec = resolve(w, m, beyond(address(points), POINT_SIZE * n), address(registers), to)
        for k in range(w.i4[w.i4[A_MATERIAL] + m * MATERIAL + M_LOBES]):
            to[k] = rec[k]
    registers[0] = 0.0


__all__ = ["I4", "gradient_noise", "height", "put_more", "resolve", "resolve_many", "run"]
