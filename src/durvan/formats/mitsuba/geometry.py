"""Bodies as Mitsuba's shapes: every form a PLY file beside the scene, and what stands in several places instances of a group."""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from plyfile import PlyData, PlyElement

from durvan.formats.corners import of_length_one, welded
from durvan.formats.mitsuba.elements import put, refer, stand, thing
from durvan.identity import Namer, clean, leaf
from durvan.scene.assembly import FIRST_UVS, Assembly, Body, Floats, turn_round
from durvan.scene.shapes import Mesh
from durvan.scene.written import Lying

_MIRRORED = np.diag([-1.0, 1.0, 1.0, 1.0])


@dataclass
class Worn:
    """What a shape takes on that wears a material: its id, what it gives off, and the id of a medium inside it."""

    id: str
    glow: Any | None = None
    inside: str = ""
    shone: bool = False

    def shine(self) -> Any:
        """What it gives off, for one more shape; textures of it stand in the file once."""
        made: Any = copy.deepcopy(self.glow)
        if self.shone:
            for inner in [one for one in made if one.get("id")]:
                made.remove(inner)
                refer(made, inner.get("id"), inner.get("name", ""))
        self.shone = True
        return made


@dataclass
class _Part:
    """A file of one material."""

    name: str
    file: str
    flat: bool
    material: str


@dataclass
class Geometry:
    """Puts an assembly into a scene. `worn` says what materials are there, by path; files are written where they lie `beside` it; no shape has an id that is given away."""

    root: Any
    worn: Mapping[str, Worn]
    beside: Lying
    ids: Namer
    remarks: list[str] = field(default_factory=list)
    written: dict[tuple[int, bool], list[_Part]] = field(default_factory=dict)
    groups: dict[tuple[int, bool], str] = field(default_factory=dict)

    def put(self, body: Assembly) -> None:
        """Every body that shows something."""
        self.ids.know((f"body {one.path}", clean(one.name, "shape")) for one in body.bodies)
        upright = body.upright()
        hidden = body.hidden()
        shown = [
            (one, world @ upright)
            for one, world, gone in zip(body.bodies, body.world(), hidden, strict=True)
            if one.form >= 0 and not gone
        ]
        keys = [(one.form, bool(np.linalg.det(matrix[:3, :3]) < 0.0)) for one, matrix in shown]
        often = Counter(keys)
        for (one, matrix), key in zip(shown, keys, strict=True):
            if key not in self.written:
                self.written[key] = self._files(body, *key)
            matrix = _MIRRORED @ matrix if key[1] else matrix
            if often[key] > 1 and not any(self._glows(part) for part in self.written[key]):
                self._instance(one, key, matrix)
            else:
                self._direct(one, key, matrix)
        if any(hidden):
            self.remarks.append(f"{sum(hidden)} hidden objects are left out.")
        if any(one.unseen for one in body.bodies):
            self.remarks.append("What is hidden from cameras alone is seen in Mitsuba.")

    def _glows(self, part: _Part) -> bool:
        return part.material in self.worn and self.worn[part.material].glow is not None

    def _id(self, body: Body, number: int = 0) -> str:
        """The id of a body's shape; of one of several that it is made of."""
        wish = clean(body.name, "shape")
        return self.ids.name(f"body {body.path}", wish) if not number else self.ids.numbered(f"{wish}_{number + 1}")

    def _direct(self, body: Body, key: tuple[int, bool], matrix: Floats) -> None:
        for number, part in enumerate(self.written[key]):
            self._shape(self.root, part, matrix, self._id(body, number))

    def _instance(self, body: Body, key: tuple[int, bool], matrix: Floats) -> None:
        if key not in self.groups:
            self.groups[key] = self.ids.numbered(f"{self.written[key][0].name}_group" if self.written[key] else "group")
            group = thing(self.root, "shape", "shapegroup", self.groups[key])
            for part in self.written[key]:
                self._shape(group, part, np.eye(4), "")
        if self.written[key]:
            made = thing(self.root, "shape", "instance", self._id(body))
            stand(made, matrix)
            refer(made, self.groups[key])

    def _shape(self, parent: Any, part: _Part, matrix: Floats, id_: str) -> None:
        made = thing(parent, "shape", "ply", id_)
        put(made, "filename", part.file)
        put(made, "flip_tex_coords", True)
        if part.flat:
            put(made, "face_normals", True)
        stand(made, matrix)
        worn = self.worn.get(part.material)
        if worn is None:
            return
        refer(made, worn.id)
        if worn.glow is not None:
            made.append(worn.shine())
        if worn.inside:
            refer(made, worn.inside, "interior")

    # files

    def _files(self, body: Assembly, number: int, mirrored: bool) -> list[_Part]:
        form = body.forms[number]
        if mirrored:
            form = replace(form, points=form.points @ _MIRRORED[:3, :3], more=dict(form.more))
            if form.normals is not None:
                form.normals = form.normals @ _MIRRORED[:3, :3]
            turn_round(form)
        out = []
        for which in np.unique(form.material):
            mine = form.material == which
            worn = body.materials[int(which)]
            wish = clean(leaf(form.path), f"mesh{number}")
            name = self.beside.named("meshes", f"{number} {mirrored} {form.path} {worn}", wish, ".ply")
            write_ply(form, mine, self.beside.place(name))
            out.append(_Part(wish, name, form.normals is None, worn))
        return out


def write_ply(form: Mesh, mine: NDArray[np.bool_], file: Path) -> None:
    """Some triangles of a mesh, in little-endian PLY: places, normals where it is smooth, UVs with v upwards, colours."""
    triangles = form.triangles[mine]
    corners = form.points[triangles]
    columns: list[tuple[tuple[str, ...], Floats]] = [(("x", "y", "z"), corners.reshape(-1, 3))]
    if form.normals is not None:
        columns.append((("nx", "ny", "nz"), of_length_one(form.normals[mine], corners).reshape(-1, 3)))
    uvs = form.uvs if form.uvs is not None else form.more.get(FIRST_UVS)
    if uvs is not None:
        columns.append((("u", "v"), uvs[mine].reshape(-1, 2)))
    for name, values in form.more.items():
        if values.shape[-1] in (3, 4):
            plain = "".join(c if c.isalnum() else "_" for c in name)
            columns.append((tuple(f"{plain}_{n}" for n in range(3)), values[mine][..., :3].reshape(-1, 3)))
    table, index = welded([values for _, values in columns])
    names = [name for group, _ in columns for name in group]
    vertices = np.zeros(len(table), dtype=[(name, "<f4") for name in names])
    for n, name in enumerate(names):
        vertices[name] = table[:, n]
    faces = np.zeros(len(triangles), dtype=[("vertex_indices", "<i4", (3,))])
    faces["vertex_indices"] = index.reshape(-1, 3)
    data = PlyData([PlyElement.describe(vertices, "vertex"), PlyElement.describe(faces, "face")], byte_order="<")
    data.write(str(file))
