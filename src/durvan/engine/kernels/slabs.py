"""Eight boxes or eight triangles against one ray at once: the innermost steps of the tree, for the processor's vectors."""

from __future__ import annotations

from typing import Any

import llvmlite.ir as ir
import numba
from numba.extending import intrinsic

WIDE = 8
_SINGLE = ir.FloatType()
_VECTOR = ir.VectorType(_SINGLE, WIDE)
_DOUBLES = ir.VectorType(ir.DoubleType(), WIDE)
_WIDER = 1.000001  # room for rounding at the far side (Ize 2013)


def _all(builder: Any, value: Any) -> Any:
    """One number in every place of a vector."""
    one = builder.insert_element(ir.Constant(_VECTOR, ir.Undefined), value, ir.Constant(ir.IntType(32), 0))
    zeros = ir.Constant(ir.VectorType(ir.IntType(32), WIDE), None)
    return builder.shuffle_vector(one, ir.Constant(_VECTOR, ir.Undefined), zeros)


def _plane(builder: Any, boxes: Any, place: Any, origin: Any, inverse: Any) -> Any:
    """Distances to eight planes of one kind."""
    start = builder.bitcast(builder.gep(boxes, [place]), _VECTOR.as_pointer())
    planes = builder.load(start)
    planes.align = 4
    return builder.fmul(builder.fsub(planes, _all(builder, origin)), _all(builder, inverse))


def _larger(builder: Any, a: Any, b: Any) -> Any:
    return builder.select(builder.fcmp_ordered(">", a, b), a, b)


def _smaller(builder: Any, a: Any, b: Any) -> Any:
    return builder.select(builder.fcmp_ordered("<", a, b), a, b)


@intrinsic  # type: ignore[untyped-decorator] # the compiler's own
def slabs(
    _context: Any, boxes: Any, x0: Any, y0: Any, z0: Any, x1: Any, y1: Any, z1: Any, ox: Any, oy: Any, oz: Any,
    ix: Any, iy: Any, iz: Any, near: Any, far: Any, out: Any,
) -> Any:  # fmt: skip
    """Which of eight boxes a ray meets, as bits; where it enters each goes to `out`.

    `boxes` points to a node: eight least x, y, z, then eight largest. `x0` … `z1` are the places of the planes that the
    ray meets first and last; `ox` … its origin and `ix` … one over its direction, in single precision.
    """
    whole, single = numba.types.intp, numba.types.float32

    def code(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        node, ax, ay, az, bx, by, bz, px, py, pz, qx, qy, qz, least, most, kept = arguments
        enter = _larger(
            builder,
            _larger(builder, _plane(builder, node, ax, px, qx), _plane(builder, node, ay, py, qy)),
            _larger(builder, _plane(builder, node, az, pz, qz), _all(builder, least)),
        )
        leave = _smaller(
            builder,
            _smaller(builder, _plane(builder, node, bx, px, qx), _plane(builder, node, by, py, qy)),
            _smaller(builder, _plane(builder, node, bz, pz, qz), _all(builder, most)),
        )
        leave = builder.fmul(leave, _all(builder, ir.Constant(_SINGLE, _WIDER)))
        hits = builder.fcmp_ordered("<=", enter, leave)
        place = builder.bitcast(kept, _DOUBLES.as_pointer())
        builder.store(builder.fpext(enter, _DOUBLES), place).align = 8
        return builder.zext(builder.bitcast(hits, ir.IntType(WIDE)), ir.IntType(64))

    signature = numba.types.int64(boxes, *([whole] * 6), *([single] * 8), out)
    return signature, code


def _cross(builder: Any, a: Any, b: Any) -> Any:
    def part(i: int, j: int) -> Any:
        return builder.fsub(builder.fmul(a[i], b[j]), builder.fmul(a[j], b[i]))

    return part(1, 2), part(2, 0), part(0, 1)


def _dot(builder: Any, a: Any, b: Any) -> Any:
    products = [builder.fmul(x, y) for x, y in zip(a, b, strict=True)]
    return builder.fadd(builder.fadd(products[0], products[1]), products[2])


@intrinsic  # type: ignore[untyped-decorator] # the compiler's own
def corners(
    _context: Any, block: Any, ox: Any, oy: Any, oz: Any, dx: Any, dy: Any, dz: Any, near: Any, far: Any
) -> Any:
    """Which of eight triangles a ray may meet between two distances, as bits; a little generous, so that a test in double
    precision has the last word. `block` holds nine rows of eight: a corner and two edges (Möller & Trumbore 1997).
    """
    single = numba.types.float32

    def code(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        start, px, py, pz, qx, qy, qz, least, most = arguments
        rows = []
        for row in range(9):
            place = builder.gep(start, [ir.Constant(ir.IntType(64), row * WIDE)])
            rows.append(builder.load(builder.bitcast(place, _VECTOR.as_pointer())))
            rows[-1].align = 4
        a, e, f = rows[0:3], rows[3:6], rows[6:9]
        d = [_all(builder, part) for part in (qx, qy, qz)]
        h = _cross(builder, d, f)
        inverse = builder.fdiv(_all(builder, ir.Constant(_SINGLE, 1.0)), _dot(builder, e, h))
        t = [builder.fsub(_all(builder, part), corner) for part, corner in zip((px, py, pz), a, strict=True)]
        u = builder.fmul(_dot(builder, t, h), inverse)
        q = _cross(builder, t, e)
        v = builder.fmul(_dot(builder, d, q), inverse)
        far_off = builder.fmul(_dot(builder, f, q), inverse)
        low = _all(builder, ir.Constant(_SINGLE, -1e-3))
        whole = _all(builder, ir.Constant(_SINGLE, 1.001))
        hits = builder.and_(
            builder.and_(builder.fcmp_ordered(">=", u, low), builder.fcmp_ordered(">=", v, low)),
            builder.and_(
                builder.fcmp_ordered("<=", builder.fadd(u, v), whole),
                builder.and_(
                    builder.fcmp_ordered(">=", far_off, _all(builder, least)),
                    builder.fcmp_ordered("<=", far_off, _all(builder, most)),
                ),
            ),
        )
        return builder.zext(builder.bitcast(hits, ir.IntType(WIDE)), ir.IntType(64))

    return numba.types.int64(block, *([single] * 8)), code
