"""Programs over many points at once: each instruction runs over a block of points, so that what it is is asked once for all.

Registers lie one after another, `BLOCK` numbers each; some more at the end are room for what a picture gives, and for a place.
"""

from __future__ import annotations

import math

from durvan.engine.kernels.programs import (
    ABSOLUTE,
    ADD,
    ANGLE,
    BELOW,
    CELLS,
    COSINE,
    DIVIDE,
    EXP,
    FACED,
    FLOOR,
    LEAST,
    LOG,
    MOST,
    MULTIPLY,
    NOISE,
    PICTURE,
    PLANE_NOISE,
    POWER,
    ROOT,
    SCATTERED,
    SINE,
    SUBTRACT,
    gradient_noise,
    look_up,
    noise_at,
)
from durvan.engine.kernels.world import (
    A_BASE,
    A_CODE,
    A_MATERIAL,
    A_OUT,
    A_START,
    F4,
    F8,
    M_CODE,
    M_CODE_COUNT,
    M_OUT,
    M_OUT_COUNT,
    M_START,
    M_START_COUNT,
    MATERIAL,
    World,
    bare,
)
from durvan.graph.noise import FAR
from durvan.graph.program import CHANNEL_BIT, START_BIT
from durvan.optics.jit import address, beyond, entry, inner
from durvan.optics.lobes.layout import BEYOND, GLOW, RECORD

BLOCK = 128
SPARE = 4 + 3 * BLOCK


def room(registers: int) -> int:
    """How many numbers a block of points needs."""
    return registers * BLOCK + SPARE


@inner
def _plain(op: int, a: F8, b: F8, to: F8, n: int) -> None:
    """What is worked out of two numbers; the commonest stand apart, so that they run over several points at a time."""
    if op == ADD:
        for k in range(n):
            to[k] = a[k] + b[k]
    elif op == SUBTRACT:
        for k in range(n):
            to[k] = a[k] - b[k]
    elif op == MULTIPLY:
        for k in range(n):
            to[k] = a[k] * b[k]
    elif op == DIVIDE:
        for k in range(n):
            to[k] = a[k] / b[k] if b[k] != 0.0 else 0.0
    elif op == LEAST:
        for k in range(n):
            to[k] = min(a[k], b[k])
    elif op == MOST:
        for k in range(n):
            to[k] = max(a[k], b[k])
    elif op == BELOW:
        for k in range(n):
            to[k] = 1.0 if a[k] < b[k] else 0.0
    elif op == POWER:
        for k in range(n):
            to[k] = max(a[k], 0.0) ** b[k]
    elif op == ANGLE:
        for k in range(n):
            to[k] = math.atan2(a[k], b[k])


@inner
def _of_one(op: int, a: F8, to: F8, n: int) -> None:
    """What is worked out of one number."""
    if op == FLOOR:
        for k in range(n):
            to[k] = math.floor(a[k])
    elif op == ROOT:
        for k in range(n):
            to[k] = math.sqrt(max(a[k], 0.0))
    elif op == EXP:
        for k in range(n):
            to[k] = math.exp(min(a[k], 80.0))
    elif op == LOG:
        for k in range(n):
            to[k] = math.log(max(a[k], 1e-30))
    elif op == ABSOLUTE:
        for k in range(n):
            to[k] = abs(a[k])
    elif op == SINE:
        for k in range(n):
            to[k] = math.sin(a[k])
    elif op == COSINE:
        for k in range(n):
            to[k] = math.cos(a[k])


@inner
def _noise(packed: int, registers: F8, x: F8, y: F8, z: F8, to: F8, spare: F8, n: int) -> None:
    first, channel = packed >> START_BIT, (packed >> CHANNEL_BIT) & 7
    lacunarity, diminish = registers[first * BLOCK], registers[(first + 1) * BLOCK]
    a, b, c = spare, beyond(spare, BLOCK), beyond(spare, 2 * BLOCK)
    most = 0.0
    for k in range(n):
        a[k], b[k], c[k], to[k] = x[k], y[k], z[k], 0.0
        far = abs(x[k]) + abs(y[k]) + abs(z[k])
        most = (
            far if most == most and not far <= most else most
        )  # what is no number counts as far, whatever comes after it
    amplitude = 1.0
    for _ in range(packed & 31):
        if most < FAR:
            for k in range(n):
                to[k] += amplitude * gradient_noise(a[k], b[k], c[k], channel)
        else:
            _add_near(amplitude, channel, a, b, c, to, n)
        for k in range(n):
            a[k], b[k], c[k] = a[k] * lacunarity, b[k] * lacunarity, c[k] * lacunarity
        amplitude *= diminish
        most *= abs(lacunarity)


@inner
def _add_near(amplitude: float, channel: int, a: F8, b: F8, c: F8, to: F8, n: int) -> None:
    """An octave where some places are too far away for one."""
    for k in range(n):
        if abs(a[k]) < FAR and abs(b[k]) < FAR and abs(c[k]) < FAR:
            to[k] += amplitude * gradient_noise(a[k], b[k], c[k], channel)


@inner
def _other_noise(op: int, packed: int, registers: F8, x: F8, y: F8, z: F8, to: F8, n: int) -> None:
    """Noises that are rarer, point by point."""
    first = packed >> START_BIT
    for k in range(n):
        # what a noise is scattered by may vary; steps of octaves are known, and the same for the whole block
        one = registers[first * BLOCK + (k if op == SCATTERED else 0)] if op != CELLS else 0.0
        two = registers[(first + 1) * BLOCK] if op == PLANE_NOISE else 0.0
        to[k] = noise_at(op, packed, x[k], y[k], z[k], one, two)


@inner
def _picture(w: World, number: int, u: F8, v: F8, to: F8, spare: F8, n: int) -> None:
    for k in range(n):
        look_up(w, number, u[k], v[k], spare, 0)
        for c in range(4):
            to[c * BLOCK + k] = spare[c]


@inner
def run_block(w: World, first: int, count: int, registers: F8, spare: F8, n: int) -> None:
    """Run a program over `n` points of a block."""
    for line in range(first, first + count):
        at = w.i4[A_CODE] + line * 6
        op, more = w.i4[at], w.i4[at + 5]
        to = beyond(registers, w.i4[at + 1] * BLOCK)
        a, b = beyond(registers, w.i4[at + 2] * BLOCK), beyond(registers, w.i4[at + 3] * BLOCK)
        if op == PICTURE:
            _picture(w, more, a, b, to, spare, n)
        elif op == NOISE:
            _noise(more, registers, a, b, beyond(registers, w.i4[at + 4] * BLOCK), to, spare, n)
        elif op == PLANE_NOISE or op == CELLS or op == SCATTERED:
            _other_noise(op, more, registers, a, b, beyond(registers, w.i4[at + 4] * BLOCK), to, n)
        elif op >= FLOOR and op != ANGLE:
            _of_one(op, a, to, n)
        else:
            _plain(op, a, b, to, n)


@inner
def _put_known(w: World, m: int, registers: F8) -> None:
    """The known numbers of a program, once for every point of a block."""
    info = w.i4[A_MATERIAL] + m * MATERIAL
    for r in range(w.i4[info + M_START_COUNT]):
        value = w.f8[w.i4[A_START] + w.i4[info + M_START] + r]
        for k in range(BLOCK):
            registers[r * BLOCK + k] = value


@entry
def paint(
    w: World, m: int, size: int, first: int, end: int, u0: float, v0: float, places: F8, out: F4, some: F8
) -> None:
    """The glow of a material at the middle of each pixel of the rows `first` to `end` of a picture over UVs, `size` pixels to a unit,
    whose left edge is at `u0` and whose top is at `v0` + 1: `out` [height, width, 3]. `places` [height, width, 3] are the places in
    metres, [0, 0, 0] for none. `some` is room for a block (`room`).
    """
    w = bare(w)
    info = w.i4[A_MATERIAL] + m * MATERIAL
    registers = address(some)
    spare = beyond(registers, some.shape[0] - SPARE)
    placed = places.shape[0] > 0
    for row in range(first, end):
        for begin in range(0, out.shape[1], BLOCK):
            n = min(BLOCK, out.shape[1] - begin)
            _put_known(w, m, registers)
            for k in range(n):
                registers[k] = u0 + (begin + k + 0.5) / size
                registers[BLOCK + k] = v0 + 1.0 - (row + 0.5) / size
                registers[5 * BLOCK + k], registers[6 * BLOCK + k], registers[7 * BLOCK + k] = FACED, 1.0, 0.5
                for c in range(3):
                    if placed:
                        registers[(2 + c) * BLOCK + k] = places[row, begin + k, c]
            run_block(w, w.i4[info + M_CODE], w.i4[info + M_CODE_COUNT], registers, spare, n)
            for c in range(3):
                value = w.f8[w.i4[A_BASE] + m * RECORD + GLOW + c]
                for k in range(n):
                    out[row, begin + k, c] = value
            for o in range(w.i4[info + M_OUT], w.i4[info + M_OUT] + w.i4[info + M_OUT_COUNT]):
                c = w.i4[w.i4[A_OUT] + o * 2] - GLOW
                found = beyond(registers, w.i4[w.i4[A_OUT] + o * 2 + 1] * BLOCK)
                for k in range(n):
                    if 0 <= c < 3 and abs(found[k]) < BEYOND:
                        out[row, begin + k, c] = found[k]
    some[0] = 0.0
