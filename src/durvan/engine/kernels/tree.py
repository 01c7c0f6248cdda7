"""A tree of boxes over triangles and solid shapes: built by the surface-area heuristic in bins, walked with a stack."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.world import (
    A_BOXES,
    A_CHILDREN,
    A_CORNER,
    A_PRIMS,
    A_SHAPES,
    CYLINDER,
    DISK,
    F4,
    F8,
    I4,
    N_NODES,
    RECT,
    SHAPE,
    SPHERE,
    S_KIND,
    S_ORIGIN,
    S_SIZE,
    S_X,
    S_Y,
    S_Z,
    World,
)
from durvan.optics.jit import entry, inner

BINS = 16
LEAF = 4
FAR_AWAY = 1e30


@entry
def build(low: F4, high: F4, order: I4, boxes: F4, children: I4) -> int:
    """Build the tree over n boxes; `low`, `high` [n, 3] in, `order` [n] and the nodes out. Gives how many nodes.

    Binned surface-area heuristic (Wald 2007), 16 bins, up to 4 primitives a leaf.
    """
    n = low.shape[0]
    for k in range(n):
        order[k] = k
    if n == 0:
        return 0
    stack = np.empty((128, 4), dtype=np.int64)  # first, end, parent, side
    stack[0, 0], stack[0, 1], stack[0, 2], stack[0, 3] = 0, n, -1, 0
    depth = 1
    nodes = 0
    count = np.zeros(BINS, dtype=np.int64)
    blow = np.empty((BINS, 3))
    bhigh = np.empty((BINS, 3))
    right_area = np.empty(BINS)
    clow = np.empty(3)
    chigh = np.empty(3)
    box = np.empty(6)
    while depth > 0:
        depth -= 1
        first, end, parent, side = stack[depth, 0], stack[depth, 1], stack[depth, 2], stack[depth, 3]
        for a in range(3):
            box[a], box[3 + a] = FAR_AWAY, -FAR_AWAY
            clow[a], chigh[a] = FAR_AWAY, -FAR_AWAY
        for k in range(first, end):
            p = order[k]
            for a in range(3):
                box[a] = min(box[a], low[p, a])
                box[3 + a] = max(box[3 + a], high[p, a])
                c = 0.5 * (low[p, a] + high[p, a])
                clow[a] = min(clow[a], c)
                chigh[a] = max(chigh[a], c)
        if parent >= 0:
            for a in range(6):
                boxes[parent, 6 * side + a] = box[a]
        size = end - first
        axis, split = -1, 0
        if size > LEAF:
            best = FAR_AWAY
            for a in range(3):
                span = chigh[a] - clow[a]
                if span < 1e-12:
                    continue
                scale = BINS / span
                for b in range(BINS):
                    count[b] = 0
                    for c3 in range(3):
                        blow[b, c3], bhigh[b, c3] = FAR_AWAY, -FAR_AWAY
                for k in range(first, end):
                    p = order[k]
                    b = min(int((0.5 * (low[p, a] + high[p, a]) - clow[a]) * scale), BINS - 1)
                    count[b] += 1
                    for c3 in range(3):
                        blow[b, c3] = min(blow[b, c3], low[p, c3])
                        bhigh[b, c3] = max(bhigh[b, c3], high[p, c3])
                lx = ly = lz = FAR_AWAY
                hx = hy = hz = -FAR_AWAY
                total = 0
                for b in range(BINS - 1, 0, -1):
                    lx, ly, lz = min(lx, blow[b, 0]), min(ly, blow[b, 1]), min(lz, blow[b, 2])
                    hx, hy, hz = max(hx, bhigh[b, 0]), max(hy, bhigh[b, 1]), max(hz, bhigh[b, 2])
                    total += count[b]
                    x, y, z = max(hx - lx, 0.0), max(hy - ly, 0.0), max(hz - lz, 0.0)
                    right_area[b] = total * (x * y + y * z + z * x)
                lx = ly = lz = FAR_AWAY
                hx = hy = hz = -FAR_AWAY
                total = 0
                for b in range(BINS - 1):
                    lx, ly, lz = min(lx, blow[b, 0]), min(ly, blow[b, 1]), min(lz, blow[b, 2])
                    hx, hy, hz = max(hx, bhigh[b, 0]), max(hy, bhigh[b, 1]), max(hz, bhigh[b, 2])
                    total += count[b]
                    if total == 0 or total == size:
                        continue
                    x, y, z = max(hx - lx, 0.0), max(hy - ly, 0.0), max(hz - lz, 0.0)
                    cost = total * (x * y + y * z + z * x) + right_area[b + 1]
                    if cost < best:
                        best, axis, split = cost, a, b
        if size <= LEAF or (axis < 0 and size <= 15):
            leaf = -1 - (first * 16 + size)
            if parent >= 0:
                children[parent, side] = leaf
            else:  # a tree of one leaf still has a node over it
                children[0, 0] = leaf
                children[0, 1] = -1
                for a in range(6):
                    boxes[0, a] = box[a]
                    boxes[0, 6 + a] = FAR_AWAY if a < 3 else -FAR_AWAY
                nodes = 1
            continue
        middle = first
        if axis < 0 or depth > 100:  # all in one place, or a tree that grows too deep: cut the list in half
            middle = (first + end) // 2
        else:
            scale = BINS / (chigh[axis] - clow[axis])
            last = end - 1
            while middle <= last:
                p = order[middle]
                if min(int((0.5 * (low[p, axis] + high[p, axis]) - clow[axis]) * scale), BINS - 1) <= split:
                    middle += 1
                else:
                    order[middle] = order[last]
                    order[last] = p
                    last -= 1
        node = nodes
        nodes += 1
        if parent >= 0:
            children[parent, side] = node
        # the larger part waits, so that the stack stays as deep as the logarithm
        big = 0 if middle - first > end - middle else 1
        for turn in range(2):
            which = big if turn == 0 else 1 - big
            stack[depth, 0] = first if which == 0 else middle
            stack[depth, 1] = middle if which == 0 else end
            stack[depth, 2], stack[depth, 3] = node, which
            depth += 1
    return nodes


@inner
def _shape(w: World, s: int, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float) -> float:
    """Distance to a solid shape, or −1."""
    q = w.i4[A_SHAPES] + s * SHAPE
    x, y, z = ox - w.f8[q + S_ORIGIN], oy - w.f8[q + S_ORIGIN + 1], oz - w.f8[q + S_ORIGIN + 2]
    kind = int(w.f8[q + S_KIND])
    if kind == SPHERE:
        r = w.f8[q + S_SIZE]
        b = x * dx + y * dy + z * dz
        px, py, pz = x - b * dx, y - b * dy, z - b * dz
        h = r * r - (px * px + py * py + pz * pz)
        if h < 0.0:
            return -1.0
        root = math.sqrt(h)
        t = -b - root
        if near < t < far:
            return t
        t = -b + root
        return t if near < t < far else -1.0
    lx = x * w.f8[q + S_X] + y * w.f8[q + S_X + 1] + z * w.f8[q + S_X + 2]
    ly = x * w.f8[q + S_Y] + y * w.f8[q + S_Y + 1] + z * w.f8[q + S_Y + 2]
    lz = x * w.f8[q + S_Z] + y * w.f8[q + S_Z + 1] + z * w.f8[q + S_Z + 2]
    ex = dx * w.f8[q + S_X] + dy * w.f8[q + S_X + 1] + dz * w.f8[q + S_X + 2]
    ey = dx * w.f8[q + S_Y] + dy * w.f8[q + S_Y + 1] + dz * w.f8[q + S_Y + 2]
    ez = dx * w.f8[q + S_Z] + dy * w.f8[q + S_Z + 1] + dz * w.f8[q + S_Z + 2]
    if kind == RECT or kind == DISK:
        if ez == 0.0:
            return -1.0
        t = -lz / ez
        if not near < t < far:
            return -1.0
        hx, hy = lx + t * ex, ly + t * ey
        if kind == RECT:
            return t if abs(hx) <= 0.5 * w.f8[q + S_SIZE] and abs(hy) <= 0.5 * w.f8[q + S_SIZE + 1] else -1.0
        return t if hx * hx + hy * hy <= w.f8[q + S_SIZE] * w.f8[q + S_SIZE] else -1.0
    if kind == CYLINDER:
        a = ey * ey + ez * ez
        if a < 1e-20:
            return -1.0
        b = ly * ey + lz * ez
        c = ly * ly + lz * lz - w.f8[q + S_SIZE] * w.f8[q + S_SIZE]
        h = b * b - a * c
        if h < 0.0:
            return -1.0
        root = math.sqrt(h)
        for turn in range(2):
            t = (-b - root) / a if turn == 0 else (-b + root) / a
            if near < t < far and abs(lx + t * ex) <= 0.5 * w.f8[q + S_SIZE + 1]:
                return t
    return -1.0


@inner
def nearest(
    w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float,
    shadow: bool, stack: I4, depths: F8,
) -> tuple[float, int, float, float]:
    """The first thing on a ray: distance, primitive (−1 − shape; or −FAR for nothing), barycentrics of 2nd and 3rd corner.

    A `shadow` ray passes shapes that are lights.
    """
    nothing = -(1 << 30)
    best, prim, b1, b2 = far, nothing, 0.0, 0.0
    if w.i4[N_NODES] == 0:
        return best, prim, b1, b2
    ix = 1.0 / dx if abs(dx) > 1e-18 else (1e18 if dx >= 0.0 else -1e18)
    iy = 1.0 / dy if abs(dy) > 1e-18 else (1e18 if dy >= 0.0 else -1e18)
    iz = 1.0 / dz if abs(dz) > 1e-18 else (1e18 if dz >= 0.0 else -1e18)
    sx, sy, sz = (3 if ix < 0.0 else 0), (3 if iy < 0.0 else 0), (3 if iz < 0.0 else 0)
    top = 0
    node = 0
    while True:
        if node >= 0:
            box = w.i4[A_BOXES] + node * 12
            # both children: entry and exit by slabs, widened a little for rounding (Ize 2013)
            n0 = max(max((w.f4[box + sx] - ox) * ix, (w.f4[box + 1 + sy] - oy) * iy), max((w.f4[box + 2 + sz] - oz) * iz, near))
            f0 = min(min((w.f4[box + 3 - sx] - ox) * ix, (w.f4[box + 4 - sy] - oy) * iy), (w.f4[box + 5 - sz] - oz) * iz) * 1.0000004
            n1 = max(max((w.f4[box + 6 + sx] - ox) * ix, (w.f4[box + 7 + sy] - oy) * iy), max((w.f4[box + 8 + sz] - oz) * iz, near))
            f1 = min(min((w.f4[box + 9 - sx] - ox) * ix, (w.f4[box + 10 - sy] - oy) * iy), (w.f4[box + 11 - sz] - oz) * iz) * 1.0000004
            hit0 = n0 <= f0 and n0 < best
            hit1 = n1 <= f1 and n1 < best
            left, right = w.i4[w.i4[A_CHILDREN] + node * 2 + 0], w.i4[w.i4[A_CHILDREN] + node * 2 + 1]
            if hit0 and hit1:
                if n0 <= n1:
                    stack[top], depths[top] = right, n1
                    node = left
                else:
                    stack[top], depths[top] = left, n0
                    node = right
                top += 1
                continue
            if hit0:
                node = left
                continue
            if hit1:
                node = right
                continue
        else:
            packed = -1 - node
            first, count = packed >> 4, packed & 15
            for k in range(first, first + count):
                p = w.i4[w.i4[A_PRIMS] + k]
                if p >= 0:
                    c = w.i4[A_CORNER] + p * 9
                    ax, ay, az = w.f4[c + 0], w.f4[c + 1], w.f4[c + 2]
                    e1x, e1y, e1z, e2x, e2y, e2z = w.f4[c + 3], w.f4[c + 4], w.f4[c + 5], w.f4[c + 6], w.f4[c + 7], w.f4[c + 8]
                    hx, hy, hz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
                    det = e1x * hx + e1y * hy + e1z * hz
                    if det == 0.0:
                        continue
                    inverse = 1.0 / det
                    tx, ty, tz = ox - ax, oy - ay, oz - az
                    u = (tx * hx + ty * hy + tz * hz) * inverse
                    if u < 0.0 or u > 1.0:
                        continue
                    qx, qy, qz = ty * e1z - tz * e1y, tz * e1x - tx * e1z, tx * e1y - ty * e1x
                    v = (dx * qx + dy * qy + dz * qz) * inverse
                    if v < 0.0 or u + v > 1.0:
                        continue
                    t = (e2x * qx + e2y * qy + e2z * qz) * inverse
                    if near < t < best:
                        best, prim, b1, b2 = t, p, u, v
                else:
                    s = -1 - p
                    if shadow and w.f8[w.i4[A_SHAPES] + s * SHAPE + 1] >= 0.0:
                        continue
                    t = _shape(w, s, ox, oy, oz, dx, dy, dz, near, best)
                    if t > 0.0:
                        best, prim, b1, b2 = t, p, 0.0, 0.0
        while top > 0 and depths[top - 1] >= best:
            top -= 1
        if top == 0:
            return best, prim, b1, b2
        top -= 1
        node = stack[top]
