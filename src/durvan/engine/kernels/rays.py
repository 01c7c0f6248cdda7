"""Rays: what they meet first, and whether anything stands in their way. Embree is called by address."""

from __future__ import annotations

from typing import Any

import llvmlite.ir as ir
import numpy as np
from numba import types
from numba.core import cgutils
from numba.extending import intrinsic

from durvan.engine.kernels.bodies import R_FAR, R_GEOMETRY, R_PRIMITIVE, R_U, R_V, R_X, RAY_WORDS
from durvan.engine.kernels.world import A_FIRST, World
from durvan.optics.jit import inner

# What a ray asks for; the bodies of each lighting's lights have a bit of their own, from LIGHTS upwards
SOLID, CUT_OUT, LIGHTS = 1, 2, 4
THINGS = SOLID | CUT_OUT
NOTHING = -(1 << 30)
# The tree's geometries: triangles, balls (each the solid ones, then those with cut-outs), and of each lighting its panels
# and its other bodies
BALLS, PANELS = 2, 4
_NONE = 0xFFFFFFFF
_SINGLE, _WORD, _LONG = ir.FloatType(), ir.IntType(32), ir.IntType(64)


def _put(builder: Any, ray: Any, place: int, value: Any) -> None:
    slot = builder.gep(ray, [ir.Constant(_WORD, 0), ir.Constant(_WORD, place)])
    if value.type == _SINGLE:
        slot = builder.bitcast(slot, _SINGLE.as_pointer())
    builder.store(value, slot)


def _get(builder: Any, ray: Any, place: int, kind: Any) -> Any:
    slot = builder.gep(ray, [ir.Constant(_WORD, 0), ir.Constant(_WORD, place)])
    return builder.load(builder.bitcast(slot, kind.as_pointer()))


def _shot(context: Any, builder: Any, arguments: Any) -> Any:
    """Lay a ray on the stack and have a function look along it; gives the ray."""
    function, scene, x, y, z, near, dx, dy, dz, far, mask, light = arguments
    ray = cgutils.alloca_once(builder, ir.ArrayType(_WORD, RAY_WORDS))
    ray.align = 64
    values = [x, y, z, near, dx, dy, dz, ir.Constant(_SINGLE, 0.0), far, mask, light, ir.Constant(_WORD, 0)]
    for place, value in enumerate(values, R_X):
        _put(builder, ray, place, builder.trunc(value, _WORD) if value.type == _LONG else value)
    _put(builder, ray, R_GEOMETRY, ir.Constant(_WORD, _NONE))
    pointer = ir.IntType(8).as_pointer()
    kind = ir.FunctionType(ir.VoidType(), [pointer, pointer, pointer])
    builder.call(
        builder.inttoptr(function, kind.as_pointer()),
        [builder.inttoptr(scene, pointer), builder.bitcast(ray, pointer), ir.Constant(pointer, None)],
    )
    return ray


_GIVEN = (types.int64, types.int64, *[types.float32] * 8, types.int64, types.int64)


@intrinsic  # type: ignore[untyped-decorator] # the compiler's own
def _closest(
    _context: Any, look: Any, scene: Any, x: Any, y: Any, z: Any, near: Any, dx: Any, dy: Any, dz: Any, far: Any,
    mask: Any, light: Any,
) -> Any:  # fmt: skip
    """Distance, geometry (−1: none), primitive and both barycentrics of what a ray meets first."""
    kinds = (types.float32, types.int32, types.int32, types.float32, types.float32)

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        ray = _shot(context, builder, arguments)
        places = (R_FAR, R_GEOMETRY, R_PRIMITIVE, R_U, R_V)
        found = [
            _get(builder, ray, place, _SINGLE if kind is types.float32 else _WORD)
            for place, kind in zip(places, kinds, strict=True)
        ]
        return context.make_tuple(builder, signature.return_type, found)

    return types.Tuple(kinds)(*_GIVEN), code


@intrinsic  # type: ignore[untyped-decorator] # the compiler's own
def _stopped(
    _context: Any, look: Any, scene: Any, x: Any, y: Any, z: Any, near: Any, dx: Any, dy: Any, dz: Any, far: Any,
    mask: Any, light: Any,
) -> Any:  # fmt: skip
    """Whether anything stands in a ray's way."""

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        ray = _shot(context, builder, arguments)
        return builder.fcmp_ordered("<", _get(builder, ray, R_FAR, _SINGLE), ir.Constant(_SINGLE, 0.0))

    return types.boolean(*_GIVEN), code


@inner
def nearest(
    w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, near: float, far: float, mask: int
) -> tuple[float, int, float, float]:
    """The first thing on a ray: distance, primitive (−1 − body; or NOTHING), barycentrics of 2nd and 3rd corner."""
    t, geometry, primitive, u, v = _closest(
        w.meet, w.scene, np.float32(ox), np.float32(oy), np.float32(oz), np.float32(near), np.float32(dx),
        np.float32(dy), np.float32(dz), np.float32(far), mask, 0,
    )  # fmt: skip
    if geometry < 0:
        return far, NOTHING, 0.0, 0.0
    first = w.i4[w.i4[A_FIRST] + geometry]
    if geometry < BALLS:
        return np.float64(t), first + primitive, np.float64(u), np.float64(v)
    if geometry >= PANELS and geometry & 1 == 0:  # two triangles each
        primitive = primitive >> 1
    return np.float64(t), -1 - first - primitive, 0.0, 0.0


@inner
def in_the_way(
    w: World, ox: float, oy: float, oz: float, dx: float, dy: float, dz: float, far: float, lighting: int, light: int
) -> bool:
    """Whether something solid, or the body of another light of its lighting than `light`, stands within a distance."""
    return _stopped(
        w.block, w.scene, np.float32(ox), np.float32(oy), np.float32(oz), np.float32(0.0), np.float32(dx),
        np.float32(dy), np.float32(dz), np.float32(far), SOLID | (LIGHTS << lighting), light + 1,
    )  # fmt: skip
