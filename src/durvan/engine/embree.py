"""The tree of rays: Embree 4, from the wheel that carries it, called by address from inside the compiled kernels.

Python only builds: triangles that are solid, triangles with cut-outs, and bodies (balls and lights) whose shape the
kernels know. Each kind is a geometry with a mask of its own, so that a ray passes what it does not ask for.
"""

from __future__ import annotations

import ctypes
import platform
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from importlib import metadata

import numpy as np
from numpy.typing import NDArray

from durvan.engine.kernels import bodies
from durvan.errors import RenderingError
from durvan.optics.jit import callback

_TRIANGLES, _OWN = 0, 120  # RTC_GEOMETRY_TYPE_TRIANGLE, …_USER
_INDEX, _VERTEX = 0, 1
_FLOAT3, _UINT3 = 0x9003, 0x5003
_FASTEST = b"tri_accel=bvh8.triangle4"  # quicker than what the library chooses; it may not know the word
_POINTER, _SIZE = ctypes.c_void_p, ctypes.c_size_t
_WORD = ctypes.c_uint
_SIGNATURES: dict[str, tuple[object, list[object]]] = {
    "rtcNewDevice": (_POINTER, [ctypes.c_char_p]),
    "rtcGetDeviceError": (ctypes.c_int, [_POINTER]),
    "rtcNewScene": (_POINTER, [_POINTER]),
    "rtcReleaseScene": (None, [_POINTER]),
    "rtcCommitScene": (None, [_POINTER]),
    "rtcNewGeometry": (_POINTER, [_POINTER, ctypes.c_int]),
    "rtcReleaseGeometry": (None, [_POINTER]),
    "rtcCommitGeometry": (None, [_POINTER]),
    "rtcAttachGeometryByID": (None, [_POINTER, _POINTER, _WORD]),
    "rtcSetGeometryMask": (None, [_POINTER, _WORD]),
    "rtcSetSharedGeometryBuffer": (
        None, [_POINTER, ctypes.c_int, _WORD, ctypes.c_int, _POINTER, _SIZE, _SIZE, _SIZE],
    ),
    "rtcSetGeometryUserPrimitiveCount": (None, [_POINTER, _WORD]),
    "rtcSetGeometryUserData": (None, [_POINTER, _POINTER]),
    "rtcSetGeometryIntersectFilterFunction": (None, [_POINTER, _POINTER]),
    "rtcSetGeometryOccludedFilterFunction": (None, [_POINTER, _POINTER]),
    "rtcSetGeometryBoundsFunction": (None, [_POINTER, _POINTER, _POINTER]),
    "rtcSetGeometryIntersectFunction": (None, [_POINTER, _POINTER]),
    "rtcSetGeometryOccludedFunction": (None, [_POINTER, _POINTER]),
}  # fmt: skip


@cache
def _library() -> ctypes.CDLL:
    """The library that came with the wheel; its name carries a hash. Raises RenderingError where there is none."""
    try:
        files = metadata.distribution("embreex").files or []
    except metadata.PackageNotFoundError as problem:
        raise RenderingError(
            f"the part that traces rays (embreex) is not installed; there is none for {platform.machine()} processors "
            "unless it is x86_64."
        ) from problem
    libraries = sorted(
        (f for f in files if "libembree" in f.name or "libtbb" in f.name), key=lambda f: "tbb" not in f.name
    )
    if not libraries:
        raise RenderingError("the part that traces rays (embreex) carries no library of Embree's.")
    for file in libraries:  # the threads' library first: the other one looks for it
        found = ctypes.CDLL(str(file.locate()))
    for name, (gives, takes) in _SIGNATURES.items():
        function = getattr(found, name)
        function.restype, function.argtypes = gives, takes
    return found


@cache
def _device() -> int:
    """One device for the whole process."""
    library = _library()
    for words in (_FASTEST, None):
        device = library.rtcNewDevice(words)
        if device and library.rtcGetDeviceError(device) == 0:
            return int(device)
    raise RenderingError("Embree gives no device on this machine.")


def _checked(doing: str) -> None:
    code = _library().rtcGetDeviceError(_device())
    if code != 0:
        raise RenderingError(f"Embree failed while {doing} (its error {code}).")


@cache
def _called(function: Callable[..., None]) -> int:
    """Where the compiled form of a function of `bodies` lies."""
    return int(callback(bodies.SIGNATURE)(function).address)


def address_of(name: str) -> int:
    """Where a function of the library lies."""
    return int(ctypes.cast(getattr(_library(), name), _POINTER).value or 0)


@dataclass
class Tree:
    """A scene of Embree's; it lives as long as this does. `scene` is its address.

    `kept` are the arrays that it reads.
    """

    scene: int
    kept: list[NDArray[np.generic]] = field(default_factory=list)

    def __del__(self) -> None:
        _library().rtcReleaseScene(self.scene)


@dataclass(frozen=True)
class Part:
    """One geometry: triangles [t, 3] by their points, or rows of `shapes` [s, SHAPE] with their `boxes` [s, 6]; rows of
    shapes with triangles are panels, two triangles each. `mask` is what a ray asks for it by.
    """

    mask: int
    triangles: NDArray[np.uint32] | None = None
    shapes: NDArray[np.float64] | None = None
    boxes: NDArray[np.float32] | None = None


def build(points: NDArray[np.float32], parts: list[Part]) -> Tree:
    """A tree over some geometries, numbered as they stand; an empty one leaves its number out. `points` [n + 1, 3] has a
    spare one at the end. Raises RenderingError with the library's error.
    """
    library, device = _library(), _device()
    tree = Tree(int(library.rtcNewScene(device)))
    tree.kept.append(points)
    for number, part in enumerate(parts):
        if part.triangles is not None and len(part.triangles):
            geometry = library.rtcNewGeometry(device, _TRIANGLES)
            tree.kept.append(part.triangles)
            library.rtcSetSharedGeometryBuffer(
                geometry, _VERTEX, 0, _FLOAT3, points.ctypes.data, 0, 12, len(points) - 1
            )
            library.rtcSetSharedGeometryBuffer(
                geometry, _INDEX, 0, _UINT3, part.triangles.ctypes.data, 0, 12, len(part.triangles)
            )
            if part.shapes is not None:
                library.rtcSetGeometryUserData(geometry, _shown(tree, part))
                library.rtcSetGeometryIntersectFilterFunction(geometry, _called(bodies.keep))
                library.rtcSetGeometryOccludedFilterFunction(geometry, _called(bodies.keep))
            _attach(tree, geometry, part.mask, number)
        elif part.triangles is None and part.shapes is not None and len(part.shapes):
            geometry = library.rtcNewGeometry(device, _OWN)
            library.rtcSetGeometryUserPrimitiveCount(geometry, len(part.shapes))
            library.rtcSetGeometryUserData(geometry, _shown(tree, part))
            library.rtcSetGeometryBoundsFunction(geometry, _called(bodies.bounds), None)
            library.rtcSetGeometryIntersectFunction(geometry, _called(bodies.meet))
            library.rtcSetGeometryOccludedFunction(geometry, _called(bodies.block))
            _attach(tree, geometry, part.mask, number)
    library.rtcCommitScene(tree.scene)
    _checked("building its tree")
    return tree


def _shown(tree: Tree, part: Part) -> int:
    """The address of the addresses of a part's shapes and boxes."""
    assert part.shapes is not None
    boxes = part.boxes if part.boxes is not None else np.zeros((0, 6), np.float32)
    where = np.array([part.shapes.ctypes.data, boxes.ctypes.data], dtype=np.int64)
    tree.kept += [part.shapes, boxes, where]
    return int(where.ctypes.data)


def _attach(tree: Tree, geometry: int, mask: int, number: int) -> None:
    library = _library()
    library.rtcSetGeometryMask(geometry, mask)
    library.rtcCommitGeometry(geometry)
    library.rtcAttachGeometryByID(tree.scene, geometry, number)
    library.rtcReleaseGeometry(geometry)
    _checked("taking shapes in")
