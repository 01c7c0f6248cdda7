"""Bodies and meshes as glTF's nodes, meshes and accessors, in one buffer."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.formats.corners import of_length_one, welded
from durvan.formats.gltf.tangents import tangents
from durvan.identity import leaf
from durvan.scene.assembly import FIRST_UVS, Assembly
from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]
_FLOAT, _SHORT, _INT = 5126, 5123, 5125
_VERTICES, _ELEMENTS = 34962, 34963


class Geometry:
    """Puts an assembly into a document; `data` is the buffer. `numbers` are the materials by their paths, `tinted` those whose base is
    multiplied by colours of the mesh's corners, with the name of those, `stretched` those whose highlights are drawn out along a mesh's tangents.
    """

    def __init__(self, numbers: dict[str, int], tinted: dict[str, str]) -> None:
        self.numbers, self.tinted = numbers, tinted
        self.stretched: set[str] = set()
        self.data = bytearray()
        self.views: list[dict[str, Any]] = []
        self.accessors: list[dict[str, Any]] = []
        self.meshes: list[dict[str, Any]] = []
        self.nodes: list[dict[str, Any]] = []
        self.roots: list[int] = []
        self.uv_names: list[str] = []
        self.remarks: list[str] = []

    def learn(self, body: Assembly) -> None:
        """The names of all sets of UVs besides the first, in an order that stays."""
        found = {name for form in body.forms for name, values in form.more.items() if values.shape[-1] == 2}
        self.uv_names = sorted(found - {FIRST_UVS})

    def uv_number(self, name: str) -> int:
        """The number of a set of UVs; 0 for one that nothing carries."""
        return self.uv_names.index(name) + 1 if name in self.uv_names else 0

    def put(self, body: Assembly) -> None:
        """Every body as a node, every form as a mesh."""
        known: dict[int, int | None] = {}
        hidden = body.hidden()
        root = self._upright(body)
        places: list[int] = []
        for one, gone in zip(body.bodies, hidden, strict=True):
            if gone:
                places.append(-1)
                continue
            inner, outer = self._standing(one.matrix, one.name)
            if one.form >= 0:
                if one.form not in known:
                    known[one.form] = self._mesh(body.forms[one.form], body.materials)
                if known[one.form] is not None:
                    self.nodes[inner]["mesh"] = known[one.form]
            self._under(places[one.parent] if one.parent >= 0 else root, outer)
            places.append(inner)
        if any(hidden):
            self.remarks.append(f"{sum(hidden)} hidden objects are left out.")
        if any(one.unseen for one in body.bodies):
            self.remarks.append("What is hidden from cameras alone is seen in glTF.")

    def _upright(self, body: Assembly) -> int:
        """A node that turns the scene's axes and unit into glTF's; −1 where they are that already."""
        matrix = body.upright()
        if np.allclose(matrix, np.eye(4)):
            return -1
        inner, outer = self._standing(matrix, "upright")
        self._under(-1, outer)
        return inner

    def _under(self, parent: int, node: int) -> None:
        if parent < 0:
            self.roots.append(node)
        else:
            self.nodes[parent].setdefault("children", []).append(node)

    def _standing(self, matrix: Floats, name: str) -> tuple[int, int]:
        """A node that stands as a matrix says: its number, and that of the outermost of two where it is sheared."""
        parts = apart(matrix)
        number = len(self.nodes)
        if parts is not None:
            self.nodes.append({"name": name, **said_of(*parts)})
            return number, number
        u, s, v = np.linalg.svd(matrix[:3, :3])
        s = s * np.array([1.0, 1.0, np.linalg.det(u) * np.linalg.det(v)])
        u, v = u @ np.diag([1.0, 1.0, np.linalg.det(u)]), np.diag([1.0, 1.0, np.linalg.det(v)]) @ v
        self.nodes.append({"name": name, **said_of(np.zeros(3), u, np.ones(3))})
        self.nodes.append({"name": f"{name}_sheared", **said_of(matrix[3, :3], v, s), "children": [number]})
        return number, number + 1

    # meshes

    def _mesh(self, form: Mesh, materials: list[str]) -> int | None:
        primitives = []
        for worn in np.unique(form.material):
            mine = form.material == worn
            if mine.any():
                primitives.append(self._primitive(form, mine, materials[int(worn)]))
        if not primitives:
            return None
        self.meshes.append({"name": leaf(form.path) or "mesh", "primitives": primitives})
        return len(self.meshes) - 1

    def _primitive(self, form: Mesh, mine: NDArray[np.bool_], material: str) -> dict[str, Any]:
        triangles = form.triangles[mine]
        corners = form.points[triangles]
        columns: list[tuple[str, Floats]] = [("POSITION", corners.reshape(-1, 3))]
        if form.normals is not None or material in self.stretched:
            given = form.normals[mine] if form.normals is not None else np.zeros_like(corners)
            normals = of_length_one(given, corners)
            columns.append(("NORMAL", normals.reshape(-1, 3)))
            if material in self.stretched:
                uvs = form.uvs if form.uvs is not None else form.more.get(FIRST_UVS)
                columns.append(("TANGENT", tangents(corners, normals, uvs[mine] if uvs is not None else None)))
        columns += self._carried(form, mine, material)
        flat, index = welded([values for _, values in columns])
        attributes: dict[str, int] = {}
        at = 0
        for name, values in columns:
            width = values.shape[1]
            attributes[name] = self._accessor(flat[:, at : at + width], name == "POSITION")
            at += width
        out: dict[str, Any] = {"attributes": attributes, "indices": self._indices(index)}
        number = self.numbers.get(material)
        if number is not None:
            out["material"] = number
        return out

    def _carried(self, form: Mesh, mine: NDArray[np.bool_], material: str) -> list[tuple[str, Floats]]:
        """Sets of UVs, one after the other as glTF wants them, and colours."""
        out: list[tuple[str, Floats]] = []
        first = form.uvs if form.uvs is not None else form.more.get(FIRST_UVS)
        needed = [n for n, name in enumerate(self.uv_names, 1) if name in form.more]
        if first is None and needed:
            first = np.zeros((len(form.triangles), 3, 2))
        if first is not None:
            out.append(("TEXCOORD_0", _down(first[mine])))
            for number in range(1, max(needed, default=0) + 1):
                out.append((f"TEXCOORD_{number}", _down(form.more.get(self.uv_names[number - 1], first)[mine])))
        tinted = self.tinted.get(material)
        for name, values in form.more.items():
            if values.shape[-1] in (3, 4):
                named = "COLOR_0" if name == tinted else f"_{''.join(c if c.isalnum() else '_' for c in name.upper())}"
                out.append((named, values[mine].reshape(-1, values.shape[-1])))
        return out

    def _accessor(self, values: NDArray[np.float32], ends: bool) -> int:
        said: dict[str, Any] = {
            "bufferView": self._view(np.ascontiguousarray(values, dtype="<f4").tobytes(), _VERTICES), "componentType": _FLOAT,
            "count": len(values), "type": {1: "SCALAR", 2: "VEC2", 3: "VEC3", 4: "VEC4"}[values.shape[1]],
        }  # fmt: skip
        if ends:
            said |= {"min": values.min(axis=0).astype(float).tolist(), "max": values.max(axis=0).astype(float).tolist()}
        self.accessors.append(said)
        return len(self.accessors) - 1

    def _indices(self, index: NDArray[np.int64]) -> int:
        short = int(index.max(initial=0)) < 65535
        data = index.astype("<u2" if short else "<u4").tobytes()
        self.accessors.append(
            {
                "bufferView": self._view(data, _ELEMENTS),
                "componentType": _SHORT if short else _INT,
                "count": len(index),
                "type": "SCALAR",
            }
        )
        return len(self.accessors) - 1

    def _view(self, data: bytes, target: int) -> int:
        self.data.extend(b"\0" * (-len(self.data) % 4))
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data), "target": target})
        self.data.extend(data)
        return len(self.views) - 1

    def embed(self, data: bytes) -> int:
        """The number of a buffer view that holds a picture's file."""
        self.data.extend(b"\0" * (-len(self.data) % 4))
        self.views.append({"buffer": 0, "byteOffset": len(self.data), "byteLength": len(data)})
        self.data.extend(data)
        return len(self.views) - 1


def _down(uvs: Floats) -> Floats:
    """UVs with v running down, as glTF has them."""
    flat = uvs.reshape(-1, 2).copy()
    flat[:, 1] = 1.0 - flat[:, 1]
    return flat


def apart(matrix: Floats) -> tuple[Floats, Floats, Floats] | None:
    """A matrix for row vectors as a shift, a turn [3, 3] and a scale; None where it shears."""
    rows = matrix[:3, :3]
    scale = np.linalg.norm(rows, axis=1)
    if (scale < 1e-12).any():
        return (matrix[3, :3], np.eye(3), scale) if np.allclose(rows, np.diag(scale)) else None
    turn = rows / scale[:, None]
    if not np.allclose(turn @ turn.T, np.eye(3), atol=1e-5):
        return None
    if np.linalg.det(turn) < 0.0:
        scale = scale * np.array([-1.0, 1.0, 1.0])
        turn = turn * np.array([[-1.0], [1.0], [1.0]])
    return matrix[3, :3], turn, scale


def said_of(shift: Floats, turn: Floats, scale: Floats) -> dict[str, Any]:
    """A shift, a turn and a scale as a node says them; what says nothing is left out."""
    out: dict[str, Any] = {}
    if not np.allclose(shift, 0.0, atol=0.0):
        out["translation"] = [float(part) for part in shift]
    quaternion = quaternion_of(turn)
    if not np.allclose(quaternion, (0.0, 0.0, 0.0, 1.0), atol=1e-12):
        out["rotation"] = [float(part) for part in quaternion]
    if not np.allclose(scale, 1.0, rtol=0.0, atol=1e-12):
        out["scale"] = [float(part) for part in scale]
    return out


def quaternion_of(turn: Floats) -> Floats:
    """A turn [3, 3] for row vectors as a quaternion (x, y, z, w) of length 1 (Shepperd 1978)."""
    m = turn.T
    values = np.array([m[0, 0], m[1, 1], m[2, 2], m.trace()])
    which = int(values.argmax())
    q = np.empty(4)
    if which == 3:
        q[3] = 1.0 + values[3]
        q[0], q[1], q[2] = m[2, 1] - m[1, 2], m[0, 2] - m[2, 0], m[1, 0] - m[0, 1]
    else:
        i, j, k = which, (which + 1) % 3, (which + 2) % 3
        q[i] = 1.0 + 2.0 * m[i, i] - m.trace()
        q[j], q[k], q[3] = m[j, i] + m[i, j], m[k, i] + m[i, k], m[k, j] - m[j, k]
    return np.asarray(q / np.linalg.norm(q))
