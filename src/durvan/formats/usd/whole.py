"""Write a stage of its own for a scene that comes from a file of another format: what stands there, and what it wears."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Gf, Sdf, Tf, Usd, UsdGeom, UsdShade, Vt

from durvan.errors import SceneFileError
from durvan.formats.naming import Taken, unique
from durvan.formats.usd.words import said
from durvan.scene.assembly import FIRST_UVS, Assembly, Body
from durvan.scene.raw import SEEN_BY_CAMERA
from durvan.scene.shapes import Mesh
from durvan.scene.written import Form, Written

Floats = NDArray[np.float64]


def put_body(text: Path, written: Written) -> None:
    """Put bodies, and the prims that hold materials and lights, into a layer that lies on disk. Raises SceneFileError."""
    try:
        layer = Sdf.Layer.OpenAsAnonymous(str(text))
        stage = Usd.Stage.Open(layer)
        _define(stage, written)
        if written.body is not None:
            _Bodies(stage, written).put(written.body)
        done = layer.Export(str(text))
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"cannot be written: {said(problem)}", file=text) from problem
    if not done:
        raise SceneFileError("cannot be written.", file=text)


def _define(stage: Any, written: Written) -> None:
    """Materials are defined here, and so is what they stand in."""
    for path, thing in written.things.items():
        if thing.form is Form.MATERIAL:
            UsdShade.Material.Define(stage, path)
            parent = Sdf.Path(path).GetParentPath()
            while parent != Sdf.Path.absoluteRootPath:
                if not stage.GetPrimAtPath(parent).GetTypeName():
                    stage.DefinePrim(parent, "Scope")
                parent = parent.GetParentPath()
        elif thing.form is Form.SCENE:
            for parent in Sdf.Path(path).GetParentPath().GetPrefixes():
                if not stage.GetPrimAtPath(parent).GetTypeName():
                    stage.DefinePrim(parent, "Xform")


class _Bodies:
    def __init__(self, stage: Any, written: Written) -> None:
        self.stage, self.written = stage, written
        self.first: dict[int, str] = {}
        self.space = written.told.get("target", "")
        self.paths: dict[str, str] = {}
        self.taken = Taken()
        self.over: set[str] = set()  # what something else stands below

    def put(self, body: Assembly) -> None:
        """Every body as a prim; a form that several bodies show is there once, and referenced."""
        uses = np.bincount([one.form for one in body.bodies if one.form >= 0], minlength=max(len(body.forms), 1))
        self._arrange(body)
        for one in body.bodies:
            prim = UsdGeom.Xform.Define(self.stage, self.paths[one.path])
            if not np.array_equal(one.matrix, np.eye(4)):
                prim.AddTransformOp().Set(Gf.Matrix4d(*[float(part) for part in one.matrix.reshape(-1)]))
            if one.hidden:
                prim.MakeInvisible()
            if one.form >= 0:
                self._show(one, body, uses[one.form] > 1)
        if body.bodies and not self.stage.HasDefaultPrim():
            first = Sdf.Path(self.paths[body.bodies[0].path])
            self.stage.SetDefaultPrim(self.stage.GetPrimAtPath(first.GetPrefixes()[0]))

    def _arrange(self, body: Assembly) -> None:
        """Give every body a prim of its own: where a light or a camera stands already, what it also shows stands beside it."""
        standing = {path for path, thing in self.written.things.items() if thing.form is Form.SCENE}
        self.taken = Taken(*standing, *(one.path for one in body.bodies))
        for one in body.bodies:
            above = body.bodies[one.parent].path if one.parent >= 0 else ""
            path = self.paths.get(above, "") + one.path.removeprefix(above)
            self.paths[one.path] = unique(f"{path}_with", self.taken) if one.path in standing else path
        ends = [*standing, *self.paths.values()]
        self.over = {str(above) for path in ends for above in Sdf.Path(path).GetParentPath().GetPrefixes()}

    def _show(self, one: Body, body: Assembly, shared: bool) -> None:
        mesh = body.forms[one.form]
        place = self.paths[one.path]
        if not shared:
            self._mesh(unique(f"{place}/shape", self.taken), mesh, body.materials, one.unseen)
            return
        home = self.first.get(one.form)
        if home is None:
            home = self.first[one.form] = f"/Forms/form_{one.form}"
            self.stage.CreateClassPrim("/Forms")
            UsdGeom.Xform.Define(self.stage, home)
            self._mesh(f"{home}/shape", mesh, body.materials, one.unseen)
        if place in self.over:  # nothing can stand below an instance
            place = UsdGeom.Xform.Define(self.stage, unique(f"{place}/shown", self.taken)).GetPath()
        prim = self.stage.GetPrimAtPath(place)
        prim.GetReferences().AddInternalReference(home)
        prim.SetInstanceable(True)

    def _mesh(self, path: str, mesh: Mesh, materials: list[str], unseen: bool) -> None:
        made = UsdGeom.Mesh.Define(self.stage, path)
        made.CreatePointsAttr(_three(mesh.points))
        made.CreateFaceVertexCountsAttr(Vt.IntArray.FromNumpy(np.full(len(mesh.triangles), 3, dtype=np.int32)))
        made.CreateFaceVertexIndicesAttr(
            Vt.IntArray.FromNumpy(np.ascontiguousarray(mesh.triangles.reshape(-1), dtype=np.int32))
        )
        made.CreateSubdivisionSchemeAttr("none")
        made.CreateDoubleSidedAttr(True)
        if len(mesh.points):
            ends = np.stack([mesh.points.min(axis=0), mesh.points.max(axis=0)])
            made.CreateExtentAttr(_three(ends))
        if mesh.normals is not None:
            made.CreateNormalsAttr(_three(mesh.normals.reshape(-1, 3)))
            made.SetNormalsInterpolation("faceVarying")
        carried: Mapping[str, Floats] = {**({FIRST_UVS: mesh.uvs} if mesh.uvs is not None else {}), **mesh.more}
        for name, values in carried.items():
            self._primvar(made, name, values)
        if unseen and self.space:
            made.GetPrim().CreateAttribute(f"{self.space}{SEEN_BY_CAMERA}", Sdf.ValueTypeNames.Bool).Set(False)
        self._bind(made.GetPrim(), mesh, materials)

    @staticmethod
    def _primvar(made: Any, name: str, values: Floats) -> None:
        width = values.shape[-1]
        types = {2: "texCoord2f[]", 3: "color3f[]", 4: "color4f[]", 1: "float[]"}
        if width not in types:
            return
        of = Sdf.ValueTypeNames.Find(types[width])
        primvar = UsdGeom.PrimvarsAPI(made).CreatePrimvar(name, of, "faceVarying")
        flat = np.ascontiguousarray(values.reshape(-1, width), dtype=np.float32)
        kinds = {2: Vt.Vec2fArray, 3: Vt.Vec3fArray, 4: Vt.Vec4fArray}
        primvar.Set(kinds[width].FromNumpy(flat) if width > 1 else Vt.FloatArray.FromNumpy(flat[:, 0].copy()))

    def _bind(self, prim: Any, mesh: Mesh, materials: list[str]) -> None:
        worn = [int(one) for one in np.unique(mesh.material)]
        if len(worn) == 1:
            self._wear(prim, materials[worn[0]])
            return
        for number in worn:
            if materials[number]:
                faces = np.nonzero(mesh.material == number)[0].astype(np.int32)
                subset = UsdGeom.Subset.Define(self.stage, prim.GetPath().AppendChild(f"faces_{number}"))
                subset.CreateElementTypeAttr("face")
                subset.CreateFamilyNameAttr("materialBind")
                subset.CreateIndicesAttr(Vt.IntArray.FromNumpy(faces))
                self._wear(subset.GetPrim(), materials[number])

    def _wear(self, prim: Any, material: str) -> None:
        place = self.written.merged.get(material, material)
        if place in self.written.things:
            UsdShade.MaterialBindingAPI.Apply(prim).Bind(UsdShade.Material(self.stage.GetPrimAtPath(place)))


def _three(values: Floats) -> Any:
    return Vt.Vec3fArray.FromNumpy(np.ascontiguousarray(values, dtype=np.float32))
