"""Write a stage of its own for a scene that comes from a file of another format: what stands there, and what it wears."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Gf, Sdf, Tf, Vt

from durvan.errors import SceneFileError
from durvan.formats.usd.words import said
from durvan.identity import Namer, clean
from durvan.scene.assembly import FIRST_UVS, Assembly, Body
from durvan.scene.raw import SEEN_BY_CAMERA
from durvan.scene.shapes import Mesh
from durvan.scene.written import Form, Written

Floats = NDArray[np.float64]


def put_body(text: Path, written: Written) -> None:
    """Put bodies, and the prims that hold materials and lights, into a layer that lies on disk. Raises SceneFileError."""
    try:
        layer = Sdf.Layer.OpenAsAnonymous(str(text))
        with Sdf.ChangeBlock():
            _define(layer, written)
            if written.body is not None:
                _Bodies(layer, written).put(written.body)
        done = layer.Export(str(text))
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"cannot be written: {said(problem)}", file=text) from problem
    if not done:
        raise SceneFileError("cannot be written.", file=text)


def _define(layer: Any, written: Written) -> None:
    """Materials are defined here, and so is what they stand in."""
    for path, thing in written.things.items():
        if thing.form is Form.MATERIAL:
            _typed(layer, path, "Material")
        above = {Form.MATERIAL: "Scope", Form.SCENE: "Xform"}.get(thing.form)
        if above is not None:
            for parent in Sdf.Path(path).GetParentPath().GetPrefixes():
                _typed(layer, parent, above)


def _typed(layer: Any, path: Any, type_: str) -> Any:
    """A prim with a type, where it has none yet."""
    spec = Sdf.CreatePrimInLayer(layer, path)
    if not spec.typeName:
        spec.specifier, spec.typeName = Sdf.SpecifierDef, type_
    return spec


def _set(spec: Any, name: str, type_: Any, value: Any, *, fixed: bool = False, **said: str) -> None:
    """An attribute of a prim, with a value and what is said of it."""
    how = Sdf.VariabilityUniform if fixed else Sdf.VariabilityVarying
    made = Sdf.AttributeSpec(spec, name, type_, how)
    made.default = value
    for key, text in said.items():
        made.SetInfo(key, text)


class _Bodies:
    """Puts bodies into the layer itself, for a stage would be composed anew after each."""

    def __init__(self, layer: Any, written: Written) -> None:
        self.layer, self.written = layer, written
        self.first: dict[int, str] = {}
        self.space = written.told.get("target", "")
        self.paths: dict[str, str] = {}
        self.taken = Namer(exact=True)
        self.over: set[str] = set()  # what something else stands below

    def put(self, body: Assembly) -> None:
        """Every body as a prim; a form that several bodies show is there once, and referenced."""
        uses = np.bincount([one.form for one in body.bodies if one.form >= 0], minlength=max(len(body.forms), 1))
        self._arrange(body)
        for one in body.bodies:
            spec = _typed(self.layer, self.paths[one.path], "Xform")
            if not np.array_equal(one.matrix, np.eye(4)):
                placed = Gf.Matrix4d(*[float(part) for part in one.matrix.reshape(-1)])
                _set(spec, "xformOp:transform", Sdf.ValueTypeNames.Matrix4d, placed)
                order = Vt.TokenArray(["xformOp:transform"])
                _set(spec, "xformOpOrder", Sdf.ValueTypeNames.TokenArray, order, fixed=True)
            if one.hidden:
                _set(spec, "visibility", Sdf.ValueTypeNames.Token, "invisible")
            if one.form >= 0:
                self._show(one, body, uses[one.form] > 1)
        if body.bodies and not self.layer.defaultPrim:
            self.layer.defaultPrim = Sdf.Path(self.paths[body.bodies[0].path]).GetPrefixes()[0].name

    def _arrange(self, body: Assembly) -> None:
        """Give every body a prim of its own: where a light or a camera stands already, what it also shows stands beside it."""
        standing = {path for path, thing in self.written.things.items() if thing.form is Form.SCENE}
        self.taken = Namer([*standing, *(one.path for one in body.bodies)], exact=True)
        for one in body.bodies:
            above = body.bodies[one.parent].path if one.parent >= 0 else ""
            path = self.paths.get(above, "") + one.path.removeprefix(above)
            self.paths[one.path] = self.taken.numbered(f"{path}_with") if one.path in standing else path
        ends = [*standing, *self.paths.values()]
        self.over = {str(above) for path in ends for above in Sdf.Path(path).GetParentPath().GetPrefixes()}

    def _show(self, one: Body, body: Assembly, shared: bool) -> None:
        mesh = body.forms[one.form]
        place = self.paths[one.path]
        if not shared:
            self._mesh(self.taken.numbered(f"{place}/shape"), mesh, body.materials, one.unseen)
            return
        home = self.first.get(one.form)
        if home is None:
            home = self.first[one.form] = f"/Forms/form_{one.form}"
            Sdf.CreatePrimInLayer(self.layer, "/Forms").specifier = Sdf.SpecifierClass
            _typed(self.layer, home, "Xform")
            self._mesh(f"{home}/shape", mesh, body.materials, one.unseen)
        if place in self.over:  # nothing can stand below an instance
            place = self.taken.numbered(f"{place}/shown")
        spec = _typed(self.layer, place, "Xform")
        spec.referenceList.Prepend(Sdf.Reference("", home))
        spec.instanceable = True

    def _mesh(self, path: str, mesh: Mesh, materials: list[str], unseen: bool) -> None:
        made, types = _typed(self.layer, path, "Mesh"), Sdf.ValueTypeNames
        corners = np.ascontiguousarray(mesh.triangles.reshape(-1), dtype=np.int32)
        counts = np.full(len(mesh.triangles), 3, dtype=np.int32)
        _set(made, "points", types.Point3fArray, _three(mesh.points))
        _set(made, "faceVertexCounts", types.IntArray, Vt.IntArray.FromNumpy(counts))
        _set(made, "faceVertexIndices", types.IntArray, Vt.IntArray.FromNumpy(corners))
        _set(made, "subdivisionScheme", types.Token, "none", fixed=True)
        _set(made, "doubleSided", types.Bool, True, fixed=True)
        if len(mesh.points):
            ends = np.stack([mesh.points.min(axis=0), mesh.points.max(axis=0)])
            _set(made, "extent", types.Float3Array, _three(ends))
        if mesh.normals is not None:
            normals = _three(mesh.normals.reshape(-1, 3))
            _set(made, "normals", types.Normal3fArray, normals, interpolation="faceVarying")
        carried: Mapping[str, Floats] = {**({FIRST_UVS: mesh.uvs} if mesh.uvs is not None else {}), **mesh.more}
        for name, values in carried.items():
            _primvar(made, name, values)
        if unseen and self.space:
            _set(made, f"{self.space}{SEEN_BY_CAMERA}", types.Bool, False)
        self._bind(made, mesh, materials)

    def _bind(self, spec: Any, mesh: Mesh, materials: list[str]) -> None:
        worn = [int(one) for one in np.unique(mesh.material)]
        if len(worn) == 1:
            self._wear(spec, materials[worn[0]])
            return
        types = Sdf.ValueTypeNames
        for number in worn:
            if materials[number]:
                faces = np.nonzero(mesh.material == number)[0].astype(np.int32)
                part = _typed(self.layer, spec.path.AppendChild(f"faces_{number}"), "GeomSubset")
                _set(part, "elementType", types.Token, "face", fixed=True)
                _set(part, "familyName", types.Token, "materialBind", fixed=True)
                _set(part, "indices", types.IntArray, Vt.IntArray.FromNumpy(faces))
                self._wear(part, materials[number])

    def _wear(self, spec: Any, material: str) -> None:
        place = self.written.merged.get(material, material)
        if place in self.written.things:
            schemas = Sdf.TokenListOp()
            schemas.prependedItems = ["MaterialBindingAPI"]
            spec.SetInfo("apiSchemas", schemas)
            Sdf.RelationshipSpec(spec, "material:binding", custom=False).targetPathList.Prepend(Sdf.Path(place))


def _primvar(made: Any, name: str, values: Floats) -> None:
    """What a mesh carries for its corners, where USD has a type for it."""
    width = values.shape[-1]
    kinds = {
        1: ("float[]", Vt.FloatArray), 2: ("texCoord2f[]", Vt.Vec2fArray), 3: ("color3f[]", Vt.Vec3fArray),
        4: ("color4f[]", Vt.Vec4fArray),
    }  # fmt: skip
    if width in kinds:
        type_, of = kinds[width]
        flat = np.ascontiguousarray(values.reshape(-1, width) if width > 1 else values.reshape(-1), dtype=np.float32)
        _set(
            made,
            f"primvars:{clean(name, 'values')}",
            Sdf.ValueTypeNames.Find(type_),
            of.FromNumpy(flat),
            interpolation="faceVarying",
        )


def _three(values: Floats) -> Any:
    return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(values, dtype=np.float32))
