"""What a stage looks like to a renderer: triangles in metres, what they are made of, and where lights and cameras stand."""

from __future__ import annotations

import math
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray
from pxr import Gf, Tf, Usd, UsdGeom, UsdShade

from durvan.formats.usd.curves import strands
from durvan.formats.usd.opening import metres_per_unit, open_stage, up_axis
from durvan.formats.usd.words import said
from durvan.progress import Report, Step, silent
from durvan.scene.raw import SEEN_BY_CAMERA
from durvan.scene.shapes import Mesh, Shapes

Floats = NDArray[np.float64]
Triangles = NDArray[np.int32]
Places = NDArray[np.int64]
_MOST = 20_000_000  # triangles; more than that is left out, and said
_ROUND = 48  # sides of a round solid
_PARTS = {  # of what meshes carry for their corners
    "texCoord2f[]": 2, "float2[]": 2, "color3f[]": 3, "float3[]": 3, "color4f[]": 4, "float[]": 1,
}  # fmt: skip


class ShapeReader:
    """Reads the meshes of one stage. Use `read_shapes`."""

    def __init__(self, stage: Usd.Stage, report: Report) -> None:
        self.stage, self.report = stage, report
        self.unit, _ = metres_per_unit(stage)
        self.shapes = Shapes(up_axis=up_axis(stage))
        self.time = Usd.TimeCode.EarliestTime()
        self.cache = UsdGeom.XformCache(self.time)
        self.bindings = UsdShade.MaterialBindingAPI
        self.number: dict[str, int] = {"": 0}
        self.count = 0

    def run(self) -> Shapes:
        everything = Usd.PrimRange.Stage(self.stage, Usd.TraverseInstanceProxies())
        walk = iter(everything)
        for seen, prim in enumerate(walk, 1):
            if seen % 200 == 0:
                self.report(Step("Reading shapes", seen))
            try:
                if self._prim(prim):
                    walk.PruneChildren()
            except (Tf.ErrorException, RuntimeError, ValueError) as problem:
                self.shapes.notes.append(f"{prim.GetPath()}: {said(problem, 160)}")
        return self.shapes

    def _prim(self, prim: Usd.Prim) -> bool:
        if prim.IsA(UsdGeom.Imageable):
            image = UsdGeom.Imageable(prim)
            if image.GetVisibilityAttr().Get(self.time) == "invisible":
                return True
            if image.GetPurposeAttr().Get() in ("guide", "proxy"):
                return True
        if prim.IsA(UsdGeom.PointInstancer):
            self._instancer(UsdGeom.PointInstancer(prim))
            return True
        name = str(prim.GetTypeName())
        if name.endswith("Light") or name in ("Camera", "Scope", "DomeLight_1"):
            self.shapes.places[str(prim.GetPath())] = self._matrix(prim)
        for mesh in self._meshes(prim):
            self._add(prim, mesh, self._matrix(prim))
        return False

    def _matrix(self, prim: Usd.Prim) -> Floats:
        return _metres(self.cache.GetLocalToWorldTransform(prim), self.unit)

    def _add(self, prim: Usd.Prim, mesh: Mesh, matrix: Floats) -> None:
        if self.count + len(mesh.triangles) > _MOST:
            self.shapes.notes.append(f"{prim.GetPath()}: left out, there are more than {_MOST} triangles")
            return
        self.count += len(mesh.triangles)
        scaled = matrix.copy()
        scaled[:3, :] *= self.unit  # points are in the stage's unit, the matrix's shift is in metres already
        mesh.points = mesh.points @ scaled[:3, :3] + scaled[3, :3]
        if mesh.normals is not None:
            turned = mesh.normals @ np.linalg.pinv(matrix[:3, :3]).T
            mesh.normals = turned / np.maximum(np.linalg.norm(turned, axis=-1, keepdims=True), 1e-20)
        if np.linalg.det(matrix[:3, :3]) < 0.0:
            mesh.triangles = mesh.triangles[:, ::-1]
            mesh.normals = mesh.normals[:, ::-1] if mesh.normals is not None else None
            mesh.uvs = mesh.uvs[:, ::-1] if mesh.uvs is not None else None
            mesh.more = {name: values[:, ::-1] for name, values in mesh.more.items()}
        self.shapes.meshes.append(mesh)

    def _material(self, prim: Usd.Prim) -> int:
        found, _ = self.bindings(prim).ComputeBoundMaterial()
        path = str(found.GetPath()) if found else ""
        if path not in self.number:
            self.number[path] = len(self.shapes.materials)
            self.shapes.materials.append(path)
        return self.number[path]

    def _meshes(self, prim: Usd.Prim) -> Iterator[Mesh]:
        if prim.IsA(UsdGeom.Mesh):
            mesh = self._mesh(UsdGeom.Mesh(prim))
        elif prim.IsA(UsdGeom.BasisCurves):
            tubes = strands(prim, self.time, self.shapes.notes)
            if tubes is None:
                return
            mesh = tubes
            mesh.material[:] = self._material(prim)
        elif prim.IsA(UsdGeom.Gprim):
            solid = _solid(prim, self.time)
            if solid is None:
                return
            mesh = solid
            mesh.material[:] = self._material(prim)
        else:
            return
        if len(mesh.triangles):
            mesh.unseen = any(
                str(a.GetName()).endswith(SEEN_BY_CAMERA) and a.Get(self.time) is False
                for a in prim.GetAuthoredAttributes()
            )
            yield mesh

    def _mesh(self, mesh: UsdGeom.Mesh) -> Mesh:
        prim = mesh.GetPrim()
        points = np.asarray(mesh.GetPointsAttr().Get(self.time) or [], dtype=np.float64).reshape(-1, 3)
        counts = np.asarray(mesh.GetFaceVertexCountsAttr().Get(self.time) or [], dtype=np.int64)
        corners = np.asarray(mesh.GetFaceVertexIndicesAttr().Get(self.time) or [], dtype=np.int64)
        path = str(prim.GetPath())
        if counts.sum() != len(corners) or (len(corners) and (corners.min() < 0 or corners.max() >= len(points))):
            self.shapes.notes.append(f"{path}: its faces do not fit its points; it is left out")
            corners, counts = corners[:0], counts[:0]
        fans, faces = _fans(counts)
        triangles = corners[fans].astype(np.int32)
        good = np.isfinite(points[triangles]).all(axis=(1, 2)) if len(triangles) else np.zeros(0, dtype=bool)
        if len(triangles) and not good.all():
            self.shapes.notes.append(f"{path}: {int((~good).sum())} triangles have points that are no numbers")
            triangles, fans, faces = triangles[good], fans[good], faces[good]
        normals = self._normals(mesh, points, triangles, fans, faces)
        uvs = self._uvs(prim, triangles, fans, faces)
        more = self._more(prim, triangles, fans, faces)
        if str(mesh.GetOrientationAttr().Get()) == "leftHanded":
            triangles = triangles[:, ::-1]
            normals = normals[:, ::-1] if normals is not None else None
            uvs = uvs[:, ::-1] if uvs is not None else None
            more = {name: values[:, ::-1] for name, values in more.items()}
        material = np.full(len(triangles), self._material(prim), dtype=np.int32)
        for subset in UsdShade.MaterialBindingAPI(prim).GetMaterialBindSubsets():
            mine = np.zeros(len(counts), dtype=bool)
            wanted = np.asarray(subset.GetIndicesAttr().Get(self.time) or [], dtype=np.int64)
            mine[wanted[(wanted >= 0) & (wanted < len(counts))]] = True
            material[mine[faces]] = self._material(subset.GetPrim())
        return Mesh(path, points, triangles, normals, uvs, material, more=more)

    def _more(self, prim: Usd.Prim, triangles: Triangles, fans: Places, faces: Places) -> dict[str, Floats]:
        """What else a mesh carries for its corners: sets of UVs and colours, by name."""
        out: dict[str, Floats] = {}
        for primvar in UsdGeom.PrimvarsAPI(prim).GetPrimvarsWithValues():
            parts = _PARTS.get(str(primvar.GetTypeName()))
            if parts is None:
                continue
            values = primvar.ComputeFlattened(self.time)
            found = self._at_corners(values, str(primvar.GetInterpolation()), triangles, fans, faces, parts)
            if found is not None:
                out[str(primvar.GetPrimvarName())] = found
        return out

    def _at_corners(
        self, values: Any, interpolation: str, triangles: Triangles, fans: Places, faces: Places, width: int
    ) -> Floats | None:
        if values is None:
            return None
        table = np.asarray(values, dtype=np.float64).reshape(-1, width)
        where: dict[str, NDArray[Any]] = {
            "vertex": triangles,
            "varying": triangles,
            "faceVarying": fans,
            "uniform": faces[:, None].repeat(3, 1),
        }
        index = where.get(interpolation, np.zeros_like(triangles))
        if not len(table) or (index.size and index.max() >= len(table)):
            return None
        return np.asarray(table[index])

    def _normals(
        self, mesh: UsdGeom.Mesh, points: Floats, triangles: Triangles, fans: Places, faces: Places
    ) -> Floats | None:
        primvar = UsdGeom.PrimvarsAPI(mesh).GetPrimvar("normals")
        if primvar and primvar.HasAuthoredValue():
            values, how = primvar.ComputeFlattened(self.time), str(primvar.GetInterpolation())
        else:
            values, how = mesh.GetNormalsAttr().Get(self.time), str(mesh.GetNormalsInterpolation())
        found = self._at_corners(values, how, triangles, fans, faces, 3) if values is not None else None
        if found is not None and np.isfinite(found).all():
            return np.asarray(found / np.maximum(np.linalg.norm(found, axis=-1, keepdims=True), 1e-20))
        if str(mesh.GetSubdivisionSchemeAttr().Get()) == "none" or not len(triangles):
            return None
        # a subdivided surface is smooth: the mean of the faces around each point, by their area
        a, b, c = (points[triangles[:, corner]] for corner in range(3))
        flat = np.cross(b - a, c - a)
        total = np.zeros_like(points)
        for corner in range(3):
            np.add.at(total, triangles[:, corner], flat)
        total /= np.maximum(np.linalg.norm(total, axis=-1, keepdims=True), 1e-20)
        return np.asarray(total[triangles])

    def _uvs(self, prim: Usd.Prim, triangles: Triangles, fans: Places, faces: Places) -> Floats | None:
        primvars = UsdGeom.PrimvarsAPI(prim)
        names = ["st", "UVMap", "uv", "map1"]
        chosen = next((primvars.GetPrimvar(name) for name in names if primvars.GetPrimvar(name).HasValue()), None)
        if chosen is None:
            found = [p for p in primvars.GetPrimvarsWithValues() if "texCoord2" in str(p.GetTypeName())]
            chosen = found[0] if found else None
        if chosen is None:
            return None
        values = chosen.ComputeFlattened(self.time)
        return self._at_corners(values, str(chosen.GetInterpolation()), triangles, fans, faces, 2)

    def _instancer(self, instancer: UsdGeom.PointInstancer) -> None:
        """Every copy as triangles of its own."""
        try:
            matrices = instancer.ComputeInstanceTransformsAtTime(self.time, self.time)
        except (Tf.ErrorException, RuntimeError) as problem:
            self.shapes.notes.append(f"{instancer.GetPath()}: {said(problem, 120)}")
            return
        which = instancer.GetProtoIndicesAttr().Get(self.time) or []
        targets = instancer.GetPrototypesRel().GetForwardedTargets()
        place = self.cache.GetLocalToWorldTransform(instancer.GetPrim())
        for index, matrix in zip(which, matrices or [], strict=False):
            root = self.stage.GetPrimAtPath(targets[index]) if 0 <= index < len(targets) else None
            if not root:
                continue
            undo = self.cache.GetLocalToWorldTransform(root.GetParent()).GetInverse()
            for prim in Usd.PrimRange(root, Usd.TraverseInstanceProxies()):
                own = self.cache.GetLocalToWorldTransform(prim) * undo
                # ComputeInstanceTransforms has the prototype's own transform in it already
                rest = own * self.cache.GetLocalTransformation(root)[0].GetInverse() if root != prim else Gf.Matrix4d(1)
                for mesh in self._meshes(prim):
                    self._add(prim, mesh, _metres(rest * matrix * place, self.unit))


def _metres(matrix: Gf.Matrix4d, unit: float) -> Floats:
    """A matrix whose shift is in metres; scale and turn stay."""
    found = np.array([[matrix[row][column] for column in range(4)] for row in range(4)], dtype=np.float64)
    found[3, :3] *= unit
    return np.nan_to_num(found)


def _fans(counts: Places) -> tuple[Places, Places]:
    """Faces cut into triangles from their first corner: places in the list of corners [t, 3], and the faces [t]."""
    starts = np.concatenate([[0], np.cumsum(counts)[:-1]]) if len(counts) else np.zeros(0, dtype=np.int64)
    pieces = np.maximum(counts - 2, 0)
    faces = np.repeat(np.arange(len(counts)), pieces)
    first = np.repeat(starts, pieces)
    within = np.arange(len(faces)) - np.repeat(np.cumsum(pieces) - pieces, pieces)
    corners = np.stack([first, first + within + 1, first + within + 2], axis=1)
    return corners.astype(np.int64), faces.astype(np.int64)


def _solid(prim: Usd.Prim, time: Usd.TimeCode) -> Mesh | None:
    """USD's own solids as meshes; None for curves, points and what else is no surface."""
    kind = str(prim.GetTypeName())

    def get(name: str, otherwise: float) -> float:
        value = prim.GetAttribute(name).Get(time)
        return float(value) if value is not None and math.isfinite(float(value)) else otherwise

    if kind == "Cube":
        return _box(str(prim.GetPath()), get("size", 2.0) / 2.0)
    if kind == "Plane":
        return _plane(str(prim.GetPath()), get("width", 2.0), get("length", 2.0), str(prim.GetAttribute("axis").Get()))
    radius, height = get("radius", 1.0), get("height", 2.0)
    v = np.linspace(0.0, 1.0, 25)
    if kind == "Sphere":
        profile = np.stack([radius * np.sin(math.pi * v), -radius * np.cos(math.pi * v)], axis=1)
        return _turned(str(prim.GetPath()), profile, "Z", True)
    half = height / 2.0
    if kind in ("Cylinder", "Cone"):
        top = 0.0 if kind == "Cone" else radius
        profile = np.array([[0.0, -half], [radius, -half], [radius, -half], [top, half], [top, half], [0.0, half]])
        return _turned(str(prim.GetPath()), profile, str(prim.GetAttribute("axis").Get()), False)
    if kind == "Capsule":
        low = np.stack([radius * np.sin(math.pi * v[:13]), -half - radius * np.cos(math.pi * v[:13])], axis=1)
        high = np.stack([radius * np.sin(math.pi * v[12:]), half - radius * np.cos(math.pi * v[12:])], axis=1)
        return _turned(str(prim.GetPath()), np.concatenate([low, high]), str(prim.GetAttribute("axis").Get()), True)
    return None


def _turned(path: str, profile: Floats, axis: str, smooth: bool) -> Mesh:
    """A profile (radius, height) turned about an axis."""
    rows, sides = len(profile), _ROUND
    angle = np.linspace(0.0, 2.0 * math.pi, sides + 1)
    ring = np.stack([np.cos(angle), np.sin(angle)], axis=1)
    points = np.empty((rows, sides + 1, 3))
    points[..., 0] = profile[:, None, 0] * ring[None, :, 0]
    points[..., 1] = profile[:, None, 0] * ring[None, :, 1]
    points[..., 2] = profile[:, None, 1]
    uv = np.stack(np.meshgrid(angle / (2.0 * math.pi), np.linspace(0.0, 1.0, rows)), axis=-1)
    number = np.arange(rows * (sides + 1)).reshape(rows, sides + 1)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
    triangles = np.concatenate([np.stack([a, b, c], -1).reshape(-1, 3), np.stack([a, c, d], -1).reshape(-1, 3)])
    flat = points.reshape(-1, 3)
    slope = np.gradient(profile, axis=0)
    if not smooth:
        slope = np.repeat(profile[1::2] - profile[::2], 2, axis=0)
    out = np.empty_like(points)
    out[..., 0] = slope[:, None, 1] * ring[None, :, 0]
    out[..., 1] = slope[:, None, 1] * ring[None, :, 1]
    out[..., 2] = -slope[:, None, 0]
    normals = out.reshape(-1, 3)
    normals = normals / np.maximum(np.linalg.norm(normals, axis=1, keepdims=True), 1e-20)
    if axis in ("X", "Y"):
        order = [2, 0, 1] if axis == "X" else [1, 2, 0]
        flat, normals = flat[:, order], normals[:, order]
    area = np.linalg.norm(
        np.cross(flat[triangles[:, 1]] - flat[triangles[:, 0]], flat[triangles[:, 2]] - flat[triangles[:, 0]]), axis=1
    )
    triangles = triangles[area > 1e-20].astype(np.int32)
    return Mesh(
        path, flat, triangles, normals[triangles], uv.reshape(-1, 2)[triangles], np.zeros(len(triangles), np.int32)
    )


def _plane(path: str, width: float, length: float, axis: str) -> Mesh:
    w, h = width / 2.0, length / 2.0
    points = np.array([[-w, -h, 0.0], [w, -h, 0.0], [w, h, 0.0], [-w, h, 0.0]])
    if axis in ("X", "Y"):
        points = points[:, [2, 0, 1] if axis == "X" else [1, 2, 0]]
    triangles = np.array([[0, 1, 2], [0, 2, 3]], dtype=np.int32)
    uv = np.array([[0.0, 0.0], [1.0, 0.0], [1.0, 1.0], [0.0, 1.0]])
    return Mesh(path, points, triangles, None, uv[triangles], np.zeros(2, dtype=np.int32))


def _box(path: str, half: float) -> Mesh:
    points: list[Floats] = []
    triangles: list[list[int]] = []
    uvs: list[Floats] = []
    square = np.array([[-1.0, -1.0], [1.0, -1.0], [1.0, 1.0], [-1.0, 1.0]])
    for axis in range(3):
        for sign in (-1.0, 1.0):
            corners = np.empty((4, 3))
            corners[:, axis] = sign
            corners[:, (axis + 1) % 3] = square[:, 0] * sign
            corners[:, (axis + 2) % 3] = square[:, 1]
            start = len(points) * 4
            points.append(corners * half)
            triangles += [[start, start + 1, start + 2], [start, start + 2, start + 3]]
            uvs.append((square + 1.0) / 2.0)
    table = np.array(triangles, dtype=np.int32)
    return Mesh(path, np.concatenate(points), table, None, np.concatenate(uvs)[table], np.zeros(len(table), np.int32))


def read_shapes(file: Path, report: Report = silent) -> Shapes:
    """Everything that has a surface, in metres. What is wrong with one prim is noted, the rest is as good as before.

    Raises SceneFileError when the file cannot be opened.
    """
    return ShapeReader(open_stage(file).stage, report).run()


__all__ = ["Mesh", "ShapeReader", "Shapes", "read_shapes"]
