"""Compiled functions: where their machine code is kept, and by what it is known.

Numba's own cache notices a change in the file that a function stands in, but not one in another module, in a
global array, or in the flags. So every set of kernels has a folder of its own, named by a hash of all that matters.
"""

from __future__ import annotations

import hashlib
import os
import platform
from collections.abc import Callable
from functools import cache
from importlib import metadata
from pathlib import Path
from typing import Any, TypeVar

import llvmlite.binding as llvm
import numba
import platformdirs
from numba.extending import intrinsic

Function = TypeVar("Function", bound=Callable[..., Any])
FLAGS: dict[str, Any] = {"nogil": True, "error_model": "numpy", "fastmath": {"contract"}}
FOLDER_VARIABLE = "DURVAN_KERNELS"
_SOURCES = ("optics/jit.py", "optics/lobes", "engine/kernels", "graph/program.py")


def sources() -> list[Path]:
    """Every file that kernels are made from, in a fixed order."""
    package = Path(__file__).parent.parent
    found: list[Path] = []
    for name in _SOURCES:
        place = package / name
        found.extend([place] if place.is_file() else sorted(place.rglob("*.py")))
    return found


def fingerprint_of(files: list[Path]) -> str:
    """A hash of the files' text, the flags, the versions of the compiler and the processor."""
    digest = hashlib.sha256()
    for file in files:
        digest.update(file.name.encode() + b"\0" + file.read_bytes() + b"\0")
    features = sorted(name for name, on in llvm.get_host_cpu_features().items() if on)
    flags = sorted((name, sorted(value) if isinstance(value, set) else value) for name, value in FLAGS.items())
    parts = (
        repr(flags), numba.__version__, llvm.llvm_version_info, metadata.version("numpy"),
        platform.python_version(), llvm.get_host_cpu_name(), features,
    )  # fmt: skip
    digest.update(repr(parts).encode())
    return digest.hexdigest()[:24]


@cache
def fingerprint() -> str:
    """The hash of the kernels as they stand."""
    return fingerprint_of(sources())


def kernel_folder() -> Path:
    """Where compiled kernels of this fingerprint are kept; made when it is not there.

    `DURVAN_KERNELS` puts it elsewhere than in the user's cache folder.
    """
    root = os.environ.get(FOLDER_VARIABLE) or str(platformdirs.user_cache_path("durvan") / "kernels")
    folder = Path(root) / fingerprint()
    folder.mkdir(parents=True, exist_ok=True)
    return folder


def mark_of(files: list[Path], name: str = "ready") -> Path:
    """The file that says that the kernels of some sources are compiled. The compiler's cache knows a source by its place, size and time, and
    compiles anew for others.
    """
    said = "".join(f"{file}|{(stat := file.stat()).st_size}|{stat.st_mtime}\n" for file in files)
    return kernel_folder() / f"{name}-{hashlib.sha256(os.fsencode(said)).hexdigest()[:16]}"


numba.config.CACHE_DIR = str(kernel_folder())  # read when a function is decorated, so it is set before any is


def inner(function: Function) -> Function:
    """A function that only kernels call; compiled into them."""
    return numba.njit(**FLAGS)(function)  # type: ignore[no-any-return]


def small(function: Function) -> Function:
    """A function so small that a call would cost more than its work; it is put where it is called."""
    return numba.njit(forceinline=True, **FLAGS)(function)  # type: ignore[no-any-return]


def entry(function: Function) -> Function:
    """A function that Python calls; its machine code is kept on disk."""
    return numba.njit(cache=True, **FLAGS)(function)  # type: ignore[no-any-return]


def callback(signature: Any) -> Callable[[Function], Any]:
    """A function that foreign code calls by its `address`; its machine code is kept on disk."""
    return numba.cfunc(signature, nopython=True, cache=True, error_model="numpy", fastmath=FLAGS["fastmath"])  # type: ignore[no-any-return]


@intrinsic  # type: ignore[untyped-decorator] # the compiler's own
def address(_context: Any, array: Any) -> Any:
    """Where an array's numbers lie, as a bare pointer that can be indexed; whoever calls keeps the array alive.

    Arrays that are handed on are counted, atomically, and carry their shape along: two threads then wait for each other,
    and every call moves seven words instead of one.
    """

    def code(context: Any, builder: Any, signature: Any, arguments: Any) -> Any:
        return context.make_array(signature.args[0])(context, builder, arguments[0]).data

    return numba.types.CPointer(array.dtype)(array), code


@intrinsic  # type: ignore[untyped-decorator] # the compiler's own
def beyond(_context: Any, pointer: Any, count: Any) -> Any:
    """A pointer moved on by some numbers."""

    def code(_target: Any, builder: Any, _signature: Any, arguments: Any) -> Any:
        return builder.gep(arguments[0], [arguments[1]])

    return pointer(pointer, numba.types.intp), code
