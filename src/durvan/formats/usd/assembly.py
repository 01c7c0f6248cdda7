"""What stands on a stage besides materials, for a file of another format: its hierarchy, and every mesh once."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import numpy as np
from pxr import Gf, Tf, Usd, UsdGeom

from durvan.formats.usd.opening import open_stage
from durvan.formats.usd.shapes import ShapeReader
from durvan.formats.usd.words import said
from durvan.progress import Report, Step, silent
from durvan.scene.assembly import Assembly, Body, Floats
from durvan.scene.shapes import Mesh

_PASSED = ("Material", "Shader", "NodeGraph", "GeomSubset")
_MOST_COPIES = 1_000_000


class AssemblyReader(ShapeReader):
    """Reads one stage's bodies. Use `read_assembly`."""

    def __init__(self, stage: Usd.Stage, report: Report) -> None:
        super().__init__(stage, report)
        self.out = Assembly(up_axis=self.shapes.up_axis, metres_per_unit=self.unit)
        self.known: dict[tuple[str, tuple[int, ...]], int] = {}
        self.places: dict[str, int] = {}

    def read(self) -> Assembly:
        """All bodies, and the forms that they show."""
        walk = iter(Usd.PrimRange.Stage(self.stage, Usd.TraverseInstanceProxies()))
        for seen, prim in enumerate(walk, 1):
            if seen % 500 == 0:
                self.report(Step("Reading shapes", seen))
            try:
                goes_on = self._body(prim)
            except (Tf.ErrorException, RuntimeError, ValueError) as problem:
                self.shapes.notes.append(f"{prim.GetPath()}: {said(problem, 160)}")
                goes_on = False
            if not goes_on:
                walk.PruneChildren()
        self.out.materials = self.shapes.materials
        self.out.lost = self.shapes.notes
        return self.out.without_idle()

    def _body(self, prim: Any) -> bool:
        """Put a prim among the bodies; whether what is below it is to be looked at."""
        if str(prim.GetTypeName()) in _PASSED or prim.IsAbstract():
            return False
        body = Body(str(prim.GetPath()), prim.GetName(), self.places.get(str(prim.GetPath().GetParentPath()), -1))
        if prim.IsA(UsdGeom.Imageable):
            image = UsdGeom.Imageable(prim)
            if image.GetPurposeAttr().Get() in ("guide", "proxy"):
                return False
            body.hidden = image.GetVisibilityAttr().Get(self.time) == "invisible"
        local, resets = self.cache.GetLocalTransformation(prim)
        body.matrix = matrix_of(local)
        if resets:
            body.parent = -1
        self.places[body.path] = len(self.out.bodies)
        self.out.bodies.append(body)
        if prim.IsA(UsdGeom.PointInstancer):
            self._copies(UsdGeom.PointInstancer(prim), self.places[body.path])
            return False
        for mesh in self._meshes(prim):
            body.form, body.unseen = self._form(prim, mesh), mesh.unseen
        return True

    def _form(self, prim: Any, mesh: Mesh) -> int:
        """The place of a mesh among the forms; those of instances are one, where they wear the same."""
        key = str(prim.GetPrimInPrototype().GetPath()) if prim.IsInstanceProxy() else mesh.path
        wears = tuple(int(one) for one in np.unique(mesh.material))
        found = self.known.get((key, wears))
        if found is None:
            found = self.known[key, wears] = len(self.out.forms)
            self.out.forms.append(mesh)
        return found

    def _copies(self, instancer: Any, parent: int) -> None:
        """Every copy that an instancer makes as bodies of its own, which show the same forms."""
        matrices = instancer.ComputeInstanceTransformsAtTime(self.time, self.time) or []
        which = instancer.GetProtoIndicesAttr().Get(self.time) or []
        targets = instancer.GetPrototypesRel().GetForwardedTargets()
        path = str(instancer.GetPath())
        if len(matrices) > _MOST_COPIES:
            self.shapes.notes.append(f"{path}: more than {_MOST_COPIES} copies; it is left out")
            return
        for number, (index, matrix) in enumerate(zip(which, matrices, strict=False)):
            root = self.stage.GetPrimAtPath(targets[index]) if 0 <= index < len(targets) else None
            if not root:
                continue
            at: dict[str, int] = {}
            for prim in Usd.PrimRange(root, Usd.TraverseInstanceProxies()):
                inner = str(prim.GetPath())
                above = at.get(str(prim.GetPath().GetParentPath()), parent)
                local = matrix if prim == root else self.cache.GetLocalTransformation(prim)[0]
                name = f"{prim.GetName()}_{number}" if prim == root else prim.GetName()
                body = Body(f"{self.out.bodies[above].path}/{name}", name, above, matrix_of(local))
                at[inner] = len(self.out.bodies)
                self.out.bodies.append(body)
                for mesh in self._meshes(prim):
                    body.form, body.unseen = self._form(prim, mesh), mesh.unseen


def matrix_of(matrix: Gf.Matrix4d) -> Floats:
    """A matrix as an array."""
    return np.nan_to_num(np.array([[matrix[r][c] for c in range(4)] for r in range(4)], dtype=np.float64))


def read_assembly(file: Path, report: Report = silent) -> Assembly:
    """What stands on a stage. Raises SceneFileError when it cannot be opened."""
    return AssemblyReader(open_stage(file).stage, report).read()
