"""What each light puts on a probe: every light by itself, with whatever stands in between."""

from __future__ import annotations

from durvan.engine.kernels import lights
from durvan.engine.kernels.fog import let_through
from durvan.engine.kernels.rays import NOTHING, THINGS, nearest
from durvan.engine.kernels.surfaces import clear_way, lift
from durvan.engine.kernels.world import A_LIGHT, F8, I4, LIGHT, LIT, SHADOWS, World, bare
from durvan.optics.jit import address, beyond, entry
from durvan.optics.lobes.layout import RECORD

# The steps of a low-discrepancy sequence in three dimensions (Roberts 2018): powers of the root of x⁴ = x + 1
STEP_1, STEP_2, STEP_3 = 0.8191725133961645, 0.6710436067037893, 0.5497004779019703
P_AT, P_NORMAL, P_THING, PROBE = (
    0,
    3,
    6,
    7,
)  # a probe: its place, its normal (0: from all sides), the object it is on (−1)
ROOM = 120


@entry
def illuminate(
    w: World, probes: F8, first: int, end: int, spans: I4, members: I4, sums: F8, counts: I4, room: F8, out: F8
) -> None:
    """Add to `out` [probes, groups, 3] what the groups from `first` to `end` put on each probe, in lux.

    A group's lights are `members` from `spans[g]` to `spans[g + 1]`, chosen by the chances summed in `sums` (of each group
    from 0 to 1, one more than its lights: they begin at `spans[g] + g`); `counts[g]` looks are taken. `room` as for `render`.
    """
    w = bare(w)
    point, hit = address(room), beyond(address(room), 8)
    rec, other = beyond(address(room), ROOM), beyond(address(room), ROOM + RECORD)
    registers = beyond(address(room), ROOM + 2 * RECORD)
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
            for s in range(taken):
                a, b, c = (0.5 + s * STEP_1) % 1.0, (0.5 + s * STEP_2) % 1.0, (0.5 + s * STEP_3) % 1.0
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
                    k *= clear_way(w, qx, qy, qz, dx, dy, dz, d * 0.99999 - 2.0 * e, 0, l, registers, point, rec, hit)
                if k <= 0.0:
                    continue
                k *= let_through(w, px, py, pz, dx, dy, dz, min(d, 1e19)) / (pdf * chance * taken)
                r1, g1, b1 = r1 + k * r, g1 + k * gr, b1 + k * bl
            out[p, g, 0] += r1
            out[p, g, 1] += g1
            out[p, g, 2] += b1


@entry
def distances(w: World, probes: F8, directions: F8, out: F8) -> None:
    """How far it is from each probe to the next thing in some directions [n, 3], in metres; −1 for nothing."""
    w = bare(w)
    for p in range(probes.shape[0]):
        px, py, pz = probes[p, P_AT], probes[p, P_AT + 1], probes[p, P_AT + 2]
        for n in range(directions.shape[0]):
            t, prim, _, _ = nearest(
                w, px, py, pz, directions[n, 0], directions[n, 1], directions[n, 2], 0.0, lights.INFINITE, THINGS
            )
            out[p, n] = t if prim != NOTHING else -1.0
