"""A tree of boxes over triangles and solid shapes: built by the surface-area heuristic in bins, walked with a stack."""

from __future__ import annotations

import math

import numpy as np

from durvan.engine.kernels.slabs import corners, slabs
from durvan.engine.kernels.world import (
    A_BLOCKS,
    A_BOXES,
    A_CHILDREN,
    A_CORNER,
    A_LEAVES,
    A_MATERIAL,
    A_OWNER,
    A_SHAPES,
    A_SOLIDS,
    F4,
    F8,
    I4,
    M_PLAIN,
    MATERIAL,
    N_NODES,
    O_MATERIAL,
    OWNER,
    S_KIND,
    S_LIGHT,
    S_ORIGIN,
    S_SIZE,
    S_X,
    S_Y,
    S_Z,
    SHAPE,
    World,
)
from durvan.optics.jit import beyond, entry, inner, lowest_bit
from durvan.optics.light_shapes import CYLINDER, DISK, RECT, SPHERE

BINS = 16
LEAF = 8
FAR_AWAY = 1e30
DEEPEST = 512  # places on the stack of a walk; behind them lies room for eight numbers
EVERYTHING, PAST_LIGHTS, ANY = range(3)


@entry
def build(low: F4, high: F4, order: I4, boxes: F4, children: I4) -> int:
    """Build the tree over n boxes; `low`, `high` [n, 3] in, `order` [n] and the nodes out. Gives how many nodes.

    Binned surface-area heuristic (Wald 2007), 16 bins, up to 8 primitives a leaf.
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
        if size <= LEAF:
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


@entry
def widen(boxes: F4, children: I4, wide: F4, kids: I4) -> int:
    """Join the nodes of a tree eight to one: `wide` [n, 48] least x, y, z and largest x, y, z of eight, `kids` [n, 8].

    A node takes its children's children in, the largest first. Gives how many nodes there are.
    """
    waiting = np.empty((boxes.shape[0] + 8, 2), dtype=np.int32)  # a node of the tree, and the wide one it becomes
    waiting[0, 0], waiting[0, 1] = 0, 0
    depth, made = 1, 1
    who = np.empty((8, 2), dtype=np.int32)  # a node and a side of it
    while depth > 0:
        depth -= 1
        node, to = waiting[depth, 0], waiting[depth, 1]
        who[0, 0], who[0, 1], who[1, 0], who[1, 1] = node, 0, node, 1
        count = 2
        while count < 8:
            best, chosen = -1.0, -1
            for k in range(count):
                n, side = who[k, 0], 6 * who[k, 1]
                if children[n, who[k, 1]] >= 0:
                    x = boxes[n, side + 3] - boxes[n, side]
                    y = boxes[n, side + 4] - boxes[n, side + 1]
                    z = boxes[n, side + 5] - boxes[n, side + 2]
                    if x * y + y * z + z * x > best:
                        best, chosen = x * y + y * z + z * x, k
            if chosen < 0:
                break
            opened = children[who[chosen, 0], who[chosen, 1]]
            who[chosen, 0], who[chosen, 1] = opened, 0
            who[count, 0], who[count, 1] = opened, 1
            count += 1
        for k in range(8):
            for a in range(3):
                wide[to, 8 * a + k], wide[to, 24 + 8 * a + k] = FAR_AWAY, -FAR_AWAY
            kids[to, k] = -1
        for k in range(count):
            n, side = who[k, 0], who[k, 1]
            for a in range(3):
                wide[to, 8 * a + k] = boxes[n, 6 * side + a]
                wide[to, 24 + 8 * a + k] = boxes[n, 6 * side + 3 + a]
            child = children[n, side]
            if child >= 0:
                kids[to, k] = made
                waiting[depth, 0], waiting[depth, 1] = child, made
                depth += 1
                made += 1
            else:
                kids[to, k] = child
    return made


@entry
def settle(kids: I4, order: I4, corner: F4, moved: I4, solids: I4, leaves: I4, blocks: F4) -> int:
    """Number the leaves, put their triangles side by side, and have `kids` name them: −1 − leaf.

    `moved` [triangles] gets the order in which triangles are to lie; `leaves` [n, 4] first triangle and how many, first
    solid (in `solids`) and how many; `blocks` [n, 72] the corners of up to eight triangles, row by row.
    """
    count = corner.shape[0]
    triangle = solid = leaf = 0
    for node in range(kids.shape[0]):
        for k in range(8):
            packed = -1 - kids[node, k]
            if packed <= 0:
                continue
            leaves[leaf, 0], leaves[leaf, 1], leaves[leaf, 2], leaves[leaf, 3] = triangle, 0, solid, 0
            for c in range(72):
                blocks[leaf, c] = 0.0
            for place in range(packed >> 4, (packed >> 4) + (packed & 15)):
                p = order[place]
                if p < count:
                    for c in range(9):
                        blocks[leaf, 8 * c + leaves[leaf, 1]] = corner[p, c]
                    moved[triangle] = p
                    triangle += 1
                    leaves[leaf, 1] += 1
                else:
                    solids[solid] = p - count
                    solid += 1
                    leaves[leaf, 3] += 1
            kids[node, k] = -1 - leaf
            leaf += 1
    return leaf


@inner
def _shape(
    w: World, s: int, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float
) -> float:
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
    w: World,
    ox: float,
    oy: float,
    oz: float,
    dx: float,
    dy: float,
    dz: float,
    near: float,
    far: float,
    mode: int,
    stack: I4,
    depths: F8,
) -> tuple[float, int, float, float]:
    """The first thing on a ray: distance, primitive (−1 − shape; or −FAR for nothing), barycentrics of 2nd and 3rd corner.

    With PAST_LIGHTS it passes shapes that are lights; with ANY it also ends at anything solid, be it the nearest or not.
    """
    nothing = -(1 << 30)
    best, prim, b1, b2 = far, nothing, 0.0, 0.0
    if w.i4[N_NODES] == 0:
        return best, prim, b1, b2
    # boxes are padded, so that single precision is enough for them
    ix = np.float32(1.0 / dx if abs(dx) > 1e-18 else (1e18 if dx >= 0.0 else -1e18))
    iy = np.float32(1.0 / dy if abs(dy) > 1e-18 else (1e18 if dy >= 0.0 else -1e18))
    iz = np.float32(1.0 / dz if abs(dz) > 1e-18 else (1e18 if dz >= 0.0 else -1e18))
    x0, y0, z0 = (24 if ix < 0.0 else 0), (32 if iy < 0.0 else 8), (40 if iz < 0.0 else 16)
    rx, ry, rz = np.float32(ox), np.float32(oy), np.float32(oz)
    start = np.float32(near * 0.999999)
    boxes, children = w.i4[A_BOXES], w.i4[A_CHILDREN]
    ex, ey, ez = np.float32(dx), np.float32(dy), np.float32(dz)
    slack = np.float32(1e-4 * max(1.0, max(abs(ox), max(abs(oy), abs(oz)))))
    triangles, owners, blocks = w.i4[A_CORNER], w.i4[A_OWNER], w.i4[A_BLOCKS]
    leaves, solids = w.i4[A_LEAVES], w.i4[A_SOLIDS]
    entered = beyond(depths, DEEPEST)
    top = 0
    node = 0
    while True:
        if node >= 0:
            mask = slabs(
                beyond(w.f4, boxes + node * 48), x0, y0, z0, 24 - x0, 40 - y0, 56 - z0, rx, ry, rz, ix, iy, iz,
                start, np.float32(best), entered,
            )  # fmt: skip
            first = top
            while mask != 0:
                k = lowest_bit(mask)
                mask &= mask - 1
                t = entered[k]
                # the farthest lies lowest, so that the nearest is taken first
                place = top
                while mode != ANY and place > first and depths[place - 1] < t:
                    depths[place], stack[place] = depths[place - 1], stack[place - 1]
                    place -= 1
                depths[place], stack[place] = t, w.i4[children + node * 8 + k]
                top += 1
        else:
            leaf = leaves - 4 * (node + 1)
            first = w.i4[leaf]
            mask = corners(
                beyond(w.f4, blocks - 72 * (node + 1)), rx, ry, rz, ex, ey, ez, start - slack, np.float32(best) + slack
            )
            while mask != 0:
                p = first + lowest_bit(mask)
                mask &= mask - 1
                c = triangles + p * 9
                e1x, e1y, e1z, e2x, e2y, e2z = (
                    w.f4[c + 3],
                    w.f4[c + 4],
                    w.f4[c + 5],
                    w.f4[c + 6],
                    w.f4[c + 7],
                    w.f4[c + 8],
                )
                hx, hy, hz = dy * e2z - dz * e2y, dz * e2x - dx * e2z, dx * e2y - dy * e2x
                det = e1x * hx + e1y * hy + e1z * hz
                if det == 0.0:
                    continue
                inverse = 1.0 / det
                tx, ty, tz = ox - w.f4[c], oy - w.f4[c + 1], oz - w.f4[c + 2]
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
                    if (
                        mode == ANY
                        and w.i4[w.i4[A_MATERIAL] + w.i4[owners + OWNER * p + O_MATERIAL] * MATERIAL + M_PLAIN] == 1
                    ):
                        return best, prim, b1, b2  # whatever it is, nothing comes past it
            for k in range(w.i4[leaf + 2], w.i4[leaf + 2] + w.i4[leaf + 3]):
                s = w.i4[solids + k]
                if mode != EVERYTHING and w.f8[w.i4[A_SHAPES] + s * SHAPE + S_LIGHT] >= 0.0:
                    continue
                t = _shape(w, s, ox, oy, oz, dx, dy, dz, near, best)
                if t > 0.0:
                    best, prim, b1, b2 = t, -1 - s, 0.0, 0.0
        while top > 0 and depths[top - 1] >= best:
            top -= 1
        if top == 0:
            return best, prim, b1, b2
        top -= 1
        node = stack[top]
