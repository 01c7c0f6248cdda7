"""Accessors as arrays: every kind of number, interleaved, normalised, sparse; nothing is read past an end."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.errors import SceneFileError
from durvan.formats.gltf.container import Asset

_KINDS: dict[int, Any] = {
    5120: np.int8, 5121: np.uint8, 5122: np.int16, 5123: np.uint16, 5125: np.uint32, 5126: np.float32,
}  # fmt: skip
_PARTS = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
_MOST = 400_000_000  # numbers of one accessor


def array(asset: Asset, index: object, inside: str) -> NDArray[Any]:
    """An accessor's numbers [count, parts]; normalised whole numbers as floats. Raises SceneFileError with the place."""
    said = asset.one("accessors", index, inside)
    inside = f"/accessors/{index}"
    code, parts, count = said.get("componentType"), _PARTS.get(str(said.get("type"))), said.get("count")
    kind = _KINDS.get(code) if isinstance(code, int) else None
    if kind is None or parts is None:
        raise SceneFileError(
            f"has numbers of the type {said.get('componentType')!r}, {said.get('type')!r}.",
            file=asset.file,
            inside=inside,
        )
    if not isinstance(count, int) or isinstance(count, bool) or count < 0 or count * parts > _MOST:
        raise SceneFileError(f"has an accessor of {count!r} entries.", file=asset.file, inside=inside)
    if "bufferView" in said:
        out = _read(
            asset, said["bufferView"], said.get("byteOffset", 0), kind, parts, count, inside, str(said.get("type"))
        )
    else:
        out = np.zeros((count, parts), dtype=kind)
    if "sparse" in said:
        out = _sparse(asset, said["sparse"], out, kind, parts, count, inside)
    if said.get("normalized") and not np.issubdtype(out.dtype, np.floating):
        most = np.iinfo(out.dtype).max
        return np.asarray(np.maximum(out.astype(np.float64) / most, -1.0))
    return out


def _read(
    asset: Asset, view: object, offset: object, kind: Any, parts: int, count: int, inside: str, shape: str = ""
) -> NDArray[Any]:
    data, start, length, stride = asset.view(view, inside)
    size = np.dtype(kind).itemsize
    if not isinstance(offset, int) or isinstance(offset, bool) or offset < 0:
        raise SceneFileError(f"begins at {offset!r}.", file=asset.file, inside=inside)
    rows, padded = _padding(shape, size)
    row = padded or parts * size
    step = stride or row
    if step < row:
        raise SceneFileError(f"has entries of {row} bytes every {step}.", file=asset.file, inside=inside)
    if count and offset + step * (count - 1) + row > length:
        raise SceneFileError(
            f"asks for {count} entries up to byte {offset + step * (count - 1) + row} of a view of {length}.",
            file=asset.file,
            inside=inside,
        )
    if not count:
        return np.zeros((0, parts), dtype=kind)
    raw = np.ndarray((count, row), dtype=np.uint8, buffer=data, offset=start + offset, strides=(step, 1))
    if padded and padded != parts * size:  # columns of small matrices begin at multiples of four bytes
        column = padded // rows
        raw = raw.reshape(count, rows, column)[:, :, : rows * size]
    return np.asarray(np.ascontiguousarray(raw).reshape(count, -1).view(kind).reshape(count, parts))


def _padding(shape: str, size: int) -> tuple[int, int]:
    """Rows of a matrix, and the bytes of one of it, where its columns are padded; 0 for what is none."""
    rows = {"MAT2": 2, "MAT3": 3, "MAT4": 4}.get(shape, 0)
    return rows, rows * (-(-rows * size // 4) * 4) if rows else 0


def _sparse(asset: Asset, said: Any, out: NDArray[Any], kind: Any, parts: int, count: int, inside: str) -> NDArray[Any]:
    """Put single entries in the place of others."""
    inside = f"{inside}/sparse"
    few = said.get("count") if isinstance(said, dict) else None
    if not isinstance(few, int) or few < 0 or few > count:
        raise SceneFileError(f"replaces {few!r} of {count} entries.", file=asset.file, inside=inside)
    where, what = said.get("indices", {}), said.get("values", {})
    of = _KINDS.get(where.get("componentType", 0))
    if of not in (np.uint8, np.uint16, np.uint32):
        raise SceneFileError("has places that are no whole numbers.", file=asset.file, inside=f"{inside}/indices")
    places = _read(asset, where.get("bufferView"), where.get("byteOffset", 0), of, 1, few, f"{inside}/indices")[:, 0]
    values = _read(asset, what.get("bufferView"), what.get("byteOffset", 0), kind, parts, few, f"{inside}/values")
    if few and int(places.max()) >= count:
        raise SceneFileError(
            f"replaces entry {int(places.max())} of {count}.", file=asset.file, inside=f"{inside}/indices"
        )
    out = out.copy()
    out[places] = values
    return out
