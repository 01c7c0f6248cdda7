"""Files of meshes and curves beside a scene: PLY, OBJ, Mitsuba's own serialized meshes, and lists of curve points."""

from __future__ import annotations

import io
import struct
import zlib
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.errors import SceneFileError
from durvan.formats import corners
from durvan.formats.corners import indexed
from durvan.formats.spans import smooth
from durvan.regular import why_not
from durvan.scene.shapes import Mesh
from durvan.scene.tubes import tubes

Floats = NDArray[np.float64]
LARGEST = 4_000_000_000  # bytes
_MOST = 200_000_000  # bytes of a serialized mesh, unpacked


def model(kind: str, file: Path, path: str, flat: bool, flipped: bool, index: int = 0) -> Mesh:
    """What a file holds, as one mesh with v upwards. Without normals of its own it is smooth unless `flat`. `flipped` says that the
    file's v runs upwards. Raises SceneFileError.
    """
    reason = why_not(file, LARGEST)
    if reason:
        raise SceneFileError(f"{reason}.", file=str(file)[:300])
    try:
        if kind in ("linearcurve", "bsplinecurve"):
            return _curves(file, path, kind == "bsplinecurve")
        made = {"ply": _ply, "obj": _obj, "serialized": _serialized}[kind](file, path, index)
    except SceneFileError:
        raise
    except (
        OSError,
        ValueError,
        TypeError,
        IndexError,
        KeyError,
        MemoryError,
        AttributeError,
        struct.error,
        zlib.error,
    ) as problem:
        raise SceneFileError(f"cannot be read as {kind}: {str(problem)[:160]}.", file=file) from problem
    if made.uvs is not None and not flipped:
        made.uvs = made.uvs * np.array([1.0, -1.0]) + np.array([0.0, 1.0])
    if flat:
        made.normals = None
    elif made.normals is None:
        made.normals = corners.smooth(made.points, made.triangles)
    return made


def _table(rows: Any, names: tuple[str, ...]) -> Floats | None:
    known = rows.dtype.names or ()
    return np.stack([rows[name].astype(np.float64) for name in names], axis=1) if set(names) <= set(known) else None


def _ply(file: Path, path: str, index: int) -> Mesh:
    """Vertices and faces; what else stands at a vertex goes on by its name, as colours of three parts where it is so."""
    from plyfile import PlyData, PlyParseError

    del index
    try:
        data = PlyData.read(str(file), mmap=False, known_list_len={"face": {"vertex_indices": 3, "vertex_index": 3}})
    except PlyParseError:
        try:
            data = PlyData.read(str(file), mmap=False)
        except PlyParseError as problem:
            raise SceneFileError(f"cannot be read as ply: {str(problem)[:160]}.", file=file) from problem
    rows = data["vertex"].data
    points = _table(rows, ("x", "y", "z"))
    if points is None:
        raise SceneFileError("has no places of its vertices.", file=file)
    uvs = next(
        (found for found in (_table(rows, pair) for pair in (("u", "v"), ("s", "t"))) if found is not None), None
    )
    return indexed(path, points, _faces(data, file), _table(rows, ("nx", "ny", "nz")), uvs, _carried(rows))


def _carried(rows: Any) -> dict[str, Floats]:
    """Colours of vertices, by their names: r, g and b, or numbered parts of a name."""
    names = rows.dtype.names or ()
    stems = [name.removesuffix("_2") for name in names if name.endswith("_2")]
    found = {"color": _table(rows, ("r", "g", "b"))} | {s: _table(rows, (f"{s}_0", f"{s}_1", f"{s}_2")) for s in stems}
    return {name: values for name, values in found.items() if values is not None}


def _faces(data: Any, file: Path) -> NDArray[np.int32]:
    """Triangles of a PLY's faces; those with more corners as fans."""
    if "face" not in data:
        return np.zeros((0, 3), dtype=np.int32)
    face = data["face"].data
    name = next((name for name in ("vertex_indices", "vertex_index") if name in (face.dtype.names or ())), "")
    if not name:
        raise SceneFileError("has faces without corners.", file=file)
    rows = face[name]
    if rows.dtype != object:
        return np.asarray(rows, dtype=np.int64).reshape(len(rows), -1)[:, :3].astype(np.int32)
    fans = [np.stack([np.full(len(one) - 2, one[0]), one[1:-1], one[2:]], axis=1) for one in rows if len(one) >= 3]
    return np.concatenate(fans).astype(np.int32) if fans else np.zeros((0, 3), dtype=np.int32)


def _obj(file: Path, path: str, index: int) -> Mesh:
    """Places, UVs, normals and faces of a Wavefront file; corners that differ in any of them are points of their own."""
    del index
    said: dict[str, list[list[float]]] = {"v": [], "vt": [], "vn": []}
    corners: dict[tuple[int, int, int], int] = {}
    faces: list[tuple[int, int, int]] = []
    with file.open("r", encoding="utf-8", errors="replace") as stream:
        for line in stream:
            word, *rest = line.split() or [""]
            if word in said:
                said[word].append([float(part) for part in rest[: 2 if word == "vt" else 3]])
            elif word == "f":
                ring = [corners.setdefault(_corner(part, said), len(corners)) for part in rest]
                faces += [(ring[0], ring[n], ring[n + 1]) for n in range(1, len(ring) - 1)]
    keys = np.array(list(corners), dtype=np.int64).reshape(-1, 3)
    points, uvs, normals = (
        np.array(said[word], dtype=np.float64).reshape(-1, 2 if word == "vt" else 3)[keys[:, n]]
        if len(keys) and (keys[:, n] >= 0).all() else None
        for n, word in enumerate(said)
    )  # fmt: skip
    if points is None:
        raise SceneFileError("has no faces.", file=file)
    return indexed(path, points, np.array(faces, dtype=np.int32).reshape(-1, 3), normals, uvs)


def _corner(text: str, said: dict[str, list[list[float]]]) -> tuple[int, int, int]:
    """A corner's place, UV and normal, each counted from nought; −1 for what it does not have."""
    out = []
    for number, rows in zip((*text.split("/"), "", "")[:3], said.values(), strict=True):
        at = int(number) if number else 0
        place = at - 1 if at > 0 else len(rows) + at if at < 0 else -1
        if number and not 0 <= place < len(rows):
            raise ValueError(f"a face names {text}, which is not there")
        out.append(place)
    return out[0], out[1], out[2]


def _serialized(file: Path, path: str, index: int) -> Mesh:
    """Mitsuba's own form: packed meshes one after the other, and where each begins at the end (documentation, "serialized")."""
    data = file.read_bytes()
    mark, version = struct.unpack_from("<HH", data)
    if mark != 0x041C or version not in (3, 4):
        raise SceneFileError("is no serialized mesh of version 3 or 4.", file=file)
    count = struct.unpack_from("<I", data, len(data) - 4)[0]
    width, code = (8, "<Q") if version == 4 else (4, "<I")
    if not 0 <= index < count:
        raise SceneFileError(f"has no mesh {index}; it has {count}.", file=file)
    start = struct.unpack_from(code, data, len(data) - 4 - width * (count - index))[0]
    unpacked = zlib.decompressobj().decompress(data[start + 4 :], _MOST)
    stream = io.BytesIO(unpacked)
    flags = struct.unpack("<I", stream.read(4))[0]
    if version == 4:
        while stream.read(1) not in (b"\0", b""):
            pass
    vertices, triangles = struct.unpack("<QQ", stream.read(16))
    kind = "<f8" if flags & 0x2000 else "<f4"

    def rows(parts: int) -> Floats:
        size = vertices * parts * np.dtype(kind).itemsize
        block = stream.read(size)
        if len(block) < size:
            raise SceneFileError("ends within a mesh.", file=file)
        return np.frombuffer(block, dtype=kind).reshape(-1, parts).astype(np.float64)

    points = rows(3)
    normals = rows(3) if flags & 1 else None
    uvs = rows(2) if flags & 2 else None
    more = {"color": rows(3)} if flags & 8 else {}
    corner = "<u8" if vertices > 0xFFFFFFFF else "<u4"
    faces = np.frombuffer(stream.read(triangles * 3 * np.dtype(corner).itemsize), dtype=corner).reshape(-1, 3)
    return indexed(path, points, faces.astype(np.int32), normals, uvs, more)


def _curves(file: Path, path: str, splines: bool) -> Mesh:
    """Lines of x, y, z and a radius; an empty line ends a curve."""
    lines, sizes = [], []
    for block in file.read_text(encoding="utf-8", errors="replace").split("\n\n"):
        rows = [[float(part) for part in line.split()] for line in block.splitlines() if line.strip()]
        if not rows:
            continue
        table = np.array(rows, dtype=np.float64)
        if table.ndim != 2 or table.shape[1] != 4:
            raise SceneFileError("has a line that is not three places and a radius.", file=file)
        line, size = table[:, :3], 2.0 * table[:, 3]
        if splines:
            line, size = smooth(line, size, "bspline")
        if len(line) > 1 and np.isfinite(table).all():
            lines.append(line)
            sizes.append(size)
    if not lines:
        raise SceneFileError("has no curves.", file=file)
    return tubes(path, lines, sizes)
