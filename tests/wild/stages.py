"""USD stages made up at random: meshes, shapes, curves, instances, lights and cameras in any place, with the ends of their ranges."""

from __future__ import annotations

import random
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pxr import Gf, Sdf, Usd, UsdGeom, UsdLux, UsdShade, Vt

KINDS = (
    "UsdPreviewSurface",
    "ND_standard_surface_surfaceshader",
    "ND_gltf_pbr_surfaceshader",
    "ND_UsdPreviewSurface_surfaceshader",
    "nobodys.thing",
)
LIGHTS = (
    UsdLux.RectLight,
    UsdLux.DiskLight,
    UsdLux.SphereLight,
    UsdLux.DomeLight,
    UsdLux.DistantLight,
    UsdLux.CylinderLight,
    UsdLux.PortalLight,
)
SOLIDS = (UsdGeom.Cube, UsdGeom.Sphere, UsdGeom.Cylinder, UsdGeom.Cone, UsdGeom.Capsule, UsdGeom.Plane)
TYPES = Sdf.ValueTypeNames


@dataclass
class Stage:
    """One stage while it is made."""

    seed: int
    file: Path
    materials: list[Any] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.r = random.Random(f"usd {self.seed}")
        self.stage = Usd.Stage.CreateNew(str(self.file))

    def make(self) -> None:
        """All of it, saved."""
        UsdGeom.SetStageUpAxis(self.stage, self.r.choice("YZ"))
        UsdGeom.SetStageMetersPerUnit(self.stage, self.r.choice([1.0, 0.01, 0.0254]))
        self.stage.SetDefaultPrim(UsdGeom.Xform.Define(self.stage, "/W").GetPrim())
        self.materials = [self._material(number) for number in range(self.r.randint(0, 4))]
        UsdGeom.Xform.Define(self.stage, "/Kept")
        self._mesh("/Kept/m")
        self._tree("/W", 2)
        self.stage.GetRootLayer().Save()

    def _material(self, number: int) -> Any:
        made = UsdShade.Material.Define(self.stage, f"/W/Looks/M{number}")
        kind = self.r.choice(KINDS)
        plain = kind == "UsdPreviewSurface"
        inner = (
            UsdShade.NodeGraph.Define(self.stage, made.GetPath().AppendChild("G")) if self.r.random() < 0.5 else made
        )
        shader = UsdShade.Shader.Define(self.stage, inner.GetPath().AppendChild("S"))
        shader.CreateIdAttr(kind)
        end = shader.CreateOutput("surface" if plain else "out", TYPES.Token)
        colour = shader.CreateInput("diffuseColor" if "Preview" in kind else "base_color", TYPES.Color3f)
        if inner is not made:
            outer = inner.CreateOutput("surface", TYPES.Token)
            outer.ConnectToSource(end)
            end = outer
            tint = inner.CreateInput("tint", TYPES.Color3f)
            tint.Set(Gf.Vec3f(self.r.random(), 0.5, 0.2))
            colour.ConnectToSource(tint)
        elif plain and self.r.random() < 0.6:
            picture = UsdShade.Shader.Define(self.stage, made.GetPath().AppendChild("T"))
            picture.CreateIdAttr("UsdUVTexture")
            picture.CreateInput("file", TYPES.Asset).Set(
                self.r.choice(["a.png", "tex/<UDIM>.exr", "../b.jpg", "x.usdz[c.png]"])
            )
            colour.ConnectToSource(picture.CreateOutput("rgb", TYPES.Color3f))
        made.CreateSurfaceOutput("" if plain else "mtlx").ConnectToSource(end)
        return made

    def _place(self, schema: Any) -> None:
        """Some moves; of which a stage takes each kind once."""
        moved = UsdGeom.Xformable(schema)
        moves: tuple[Callable[[], Any], ...] = (
            lambda: moved.AddTranslateOp().Set(Gf.Vec3d(self.r.uniform(-5, 5), 1, 2)),
            lambda: moved.AddRotateXYZOp().Set(Gf.Vec3f(self.r.uniform(0, 360), 20, 10)),
            lambda: moved.AddScaleOp().Set(Gf.Vec3f(self.r.choice([1, 2, -1, 0.5, 0]), 1, 1)),
            lambda: moved.AddTransformOp().Set(
                Gf.Matrix4d(1, 0.2, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, self.r.random(), 0, 0, 1)
            ),
        )
        for make in self.r.sample(moves, self.r.randint(0, 3)):
            make()
        if self.r.random() < 0.1:
            UsdGeom.Imageable(schema).MakeInvisible()

    def _wear(self, prim: Any) -> None:
        if self.materials and self.r.random() < 0.7:
            UsdShade.MaterialBindingAPI.Apply(prim).Bind(self.r.choice(self.materials))

    def _mesh(self, path: str) -> None:
        r, made = self.r, UsdGeom.Mesh.Define(self.stage, path)
        sides, faces = r.choice([3, 4, 5]), r.randint(0, 4)
        count = max(sides, sides * faces)
        made.CreatePointsAttr([Gf.Vec3f(*(r.uniform(-1, 1) for _ in range(3))) for _ in range(count)])
        made.CreateFaceVertexCountsAttr([sides] * faces)
        made.CreateFaceVertexIndicesAttr([r.randrange(count + (r.random() < 0.01)) for _ in range(sides * faces)])
        made.CreateSubdivisionSchemeAttr(r.choice(["none", "catmullClark", "loop", "bilinear"]))
        made.CreateOrientationAttr(r.choice(["leftHanded", "rightHanded"]))
        many = {"vertex": count, "varying": count, "faceVarying": sides * faces, "constant": 1, "uniform": faces}
        how = r.choice(list(many))
        uvs = UsdGeom.PrimvarsAPI(made).CreatePrimvar("st", TYPES.TexCoord2fArray, how)
        uvs.Set([Gf.Vec2f(r.random(), r.random()) for _ in range(many[how])])
        if faces > 1 and r.random() < 0.4:
            part = UsdGeom.Subset.CreateGeomSubset(made, "part", "face", Vt.IntArray([0]), "materialBind")
            self._wear(part.GetPrim())
        self._wear(made.GetPrim())
        self._place(made)

    def _tree(self, path: str, depth: int) -> None:
        for number in range(self.r.randint(1, 4)):
            below = f"{path}/{self.r.choice(['a', 'shape', 'shown', 'Group'])}{number}"
            share = self.r.random()
            if share < 0.35:
                self._mesh(below)
            elif share < 0.5:
                solid = self.r.choice(SOLIDS).Define(self.stage, below)
                self._place(solid)
                self._wear(solid.GetPrim())
            elif share < 0.65:
                self._place(self.r.choice(LIGHTS).Define(self.stage, below))
                if depth and self.r.random() < 0.3:
                    self._tree(below, depth - 1)
            elif share < 0.72:
                self._place(UsdGeom.Camera.Define(self.stage, below))
            elif share < 0.8:
                many = UsdGeom.PointInstancer.Define(self.stage, below)
                self._mesh(f"{below}/proto")
                many.CreatePrototypesRel().SetTargets([f"{below}/proto"])
                many.CreateProtoIndicesAttr([0, 0])
                many.CreatePositionsAttr([Gf.Vec3f(0), Gf.Vec3f(3, 0, 0)])
            else:
                held = UsdGeom.Xform.Define(self.stage, below)
                self._place(held)
                if share < 0.9:
                    held.GetPrim().GetReferences().AddInternalReference("/Kept")
                    held.GetPrim().SetInstanceable(self.r.random() < 0.7)
                elif depth:
                    self._tree(below, depth - 1)


def stage(seed: int, file: Path) -> None:
    """Write a stage."""
    Stage(seed, file).make()
