"""What the demo scenes are built with: a stage in a made-up dialect's words, with its shapes in a layer of their own."""

from __future__ import annotations

from typing import Any

from pxr import Gf, Sdf, Usd, UsdGeom, UsdRender, UsdShade, Vt

from lamproom_shapes import Shape

KINDS = {
    "float": Sdf.ValueTypeNames.Float, "int": Sdf.ValueTypeNames.Int, "bool": Sdf.ValueTypeNames.Bool,
    "color": Sdf.ValueTypeNames.Color3f, "vector2": Sdf.ValueTypeNames.Float2, "file": Sdf.ValueTypeNames.Asset,
    "token": Sdf.ValueTypeNames.Token, "normal": Sdf.ValueTypeNames.Normal3f,
}  # fmt: skip
NORMAL_PORTS = {"relief", "normal"}
COLOR_PORTS = {
    "base_tint",
    "mirror_tint",
    "pass_tint",
    "input",
    "map",
    "glow_tint",
    "deep_tint",
    "front",
    "edge",
    "fibre",
    "through_tint",
    "ground",
    "map_1",
    "map_2",
    "color",
    "facing",
    "rim",
    "absorb",
    "low",
    "high",
}
FILE_PORTS = {"file"}
PLACE_PORTS = {"place", "from"}
PORTS = ((NORMAL_PORTS, KINDS["normal"]), (COLOR_PORTS, KINDS["color"]), (PLACE_PORTS, KINDS["vector2"]))
OUTPUTS = {
    "relief": KINDS["normal"], "colour": KINDS["color"], "out": KINDS["token"], "normal": KINDS["normal"], "color": KINDS["color"],
    "place": KINDS["vector2"],
}  # fmt: skip


def sdf_type(port: str, value: Any) -> Any:
    """The USD type of a value, by what it is."""
    if port in FILE_PORTS:
        return KINDS["file"]
    if isinstance(value, bool):
        return KINDS["bool"]
    if isinstance(value, int):
        return KINDS["int"]
    if isinstance(value, float):
        return KINDS["float"]
    if isinstance(value, str):
        return KINDS["token"]
    return KINDS["vector2"] if len(value) == 2 else KINDS["color"]


class Room:
    """The scene while it is built: looks and lights in one layer, shapes in another."""

    def __init__(
        self,
        root: str,
        title: str,
        shapes: str,
        places: dict[str, str] | None = None,
        gammas: dict[str, float] | None = None,
        dialect: str = "orvik",
    ) -> None:
        self.root, self.dialect = root, dialect
        self.places, self.gammas = places or {}, gammas or {}
        self.stage = Usd.Stage.CreateInMemory(load=Usd.Stage.LoadNone)
        self.shapes = Usd.Stage.CreateInMemory()
        for stage in (self.stage, self.shapes):
            UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
            UsdGeom.SetStageMetersPerUnit(stage, 0.01)
            stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, root).GetPrim())
        self.stage.GetRootLayer().customLayerData = {"title": title}
        self.stage.GetDefaultPrim().GetPayloads().AddPayload(shapes)
        UsdGeom.Scope.Define(self.stage, f"{root}/Looks")
        UsdGeom.Scope.Define(self.stage, f"{self.root}/Lights")

    def material(
        self, name: str, finish: dict[str, Any], root: str = "finish", moved: str = "", **nodes: dict[str, Any]
    ) -> None:
        """A material: its finish and the nodes that feed it. A value "@node.output" is a link. It ends in the node `root`; the node
        `moved` moves its surface.
        """
        made = {
            "finish": ("orvik.finish", finish),
            **{key: (f"orvik.{d.pop('node')}", d) for key, d in nodes.items()},
        }
        self._network(name, made, root, moved)

    def lobes(self, name: str, root: str, moved: str = "", **nodes: dict[str, Any]) -> None:
        """A material of a dialect whose surfaces are nodes like others; it ends in the node `root`."""
        made = {key: (f"{self.dialect}.{d.pop('node')}", d) for key, d in nodes.items()}
        self._network(name, made, root, moved)

    def _network(self, name: str, made: dict[str, tuple[str, dict[str, Any]]], root: str, moved: str) -> None:
        path = f"{self.root}/Looks/{name}"
        material = UsdShade.Material.Define(self.stage, path)
        shaders = {}
        for key, (kind, _) in made.items():
            shader = UsdShade.Shader.Define(self.stage, f"{path}/{key}")
            shader.CreateIdAttr(kind)
            shaders[key] = shader
        for key, (_, values) in made.items():
            for port, value in self.told(values).items():
                if isinstance(value, str) and value.startswith("@"):
                    source, output = value[1:].split(".")
                    out_type = OUTPUTS.get(output, KINDS["float"])
                    of = next((kind for ports, kind in PORTS if port in ports), KINDS["float"])
                    of = KINDS["token"] if output == "out" else of
                    shaders[key].CreateInput(port, of).ConnectToSource(shaders[source].CreateOutput(output, out_type))
                else:
                    shaders[key].CreateInput(port, sdf_type(port, value)).Set(value)
        surface = shaders[root].CreateOutput("out", KINDS["token"])
        material.CreateSurfaceOutput(self.dialect).ConnectToSource(surface)
        if moved:
            material.CreateDisplacementOutput(self.dialect).ConnectToSource(
                shaders[moved].CreateOutput("displacement" if self.dialect == "skarn" else "out", KINDS["token"])
            )

    def told(self, values: dict[str, Any]) -> dict[str, Any]:
        """Values with a picture's path, and its decoding, as this variant of the scene has them."""
        name = str(values.get("file", "")).rsplit("/", 1)[-1]
        out = dict(values)
        if name in self.places:
            out["file"] = self.places[name]
        if name in self.gammas and "decode_gamma" in out:
            out["decode_gamma"] = self.gammas[name]
        return out

    def mesh(self, name: str, shape: Shape, look: str) -> None:
        """A mesh with its material."""
        path = f"{self.root}/Set/{name}"
        mesh = UsdGeom.Mesh.Define(self.shapes, path)
        mesh.CreatePointsAttr(Vt.Vec3fArray([Gf.Vec3f(*(round(x, 4) for x in p)) for p in shape.points]))
        mesh.CreateFaceVertexCountsAttr([len(face) for face in shape.faces])
        mesh.CreateFaceVertexIndicesAttr([corner for face in shape.faces for corner in face])
        mesh.CreateSubdivisionSchemeAttr(UsdGeom.Tokens.none)
        low = [min(p[k] for p in shape.points) for k in range(3)]
        high = [max(p[k] for p in shape.points) for k in range(3)]
        mesh.CreateExtentAttr([Gf.Vec3f(*low), Gf.Vec3f(*high)])
        uv = UsdGeom.PrimvarsAPI(mesh).CreatePrimvar("st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex)
        uv.Set(Vt.Vec2fArray([Gf.Vec2f(*(round(x, 5) for x in p)) for p in shape.uvs]))
        over = self.stage.OverridePrim(path)
        UsdShade.MaterialBindingAPI.Apply(over).Bind(
            UsdShade.Material(self.stage.GetPrimAtPath(f"{self.root}/Looks/{look}"))
        )

    def curves(self, name: str, lines: list[list[tuple[float, float, float]]], width: float, look: str) -> None:
        """Straight pieces of fibre, all as wide, in centimetres."""
        path = f"{self.root}/Set/{name}"
        made = UsdGeom.BasisCurves.Define(self.shapes, path)
        made.CreateTypeAttr(UsdGeom.Tokens.linear)
        points = [Gf.Vec3f(*(round(x, 4) for x in p)) for line in lines for p in line]
        made.CreatePointsAttr(Vt.Vec3fArray(points))
        made.CreateCurveVertexCountsAttr([len(line) for line in lines])
        made.CreateWidthsAttr([width])
        made.SetWidthsInterpolation(UsdGeom.Tokens.constant)
        made.CreateExtentAttr(UsdGeom.Curves.ComputeExtent(Vt.Vec3fArray(points), [width]))
        over = self.stage.OverridePrim(path)
        UsdShade.MaterialBindingAPI.Apply(over).Bind(
            UsdShade.Material(self.stage.GetPrimAtPath(f"{self.root}/Looks/{look}"))
        )

    def light(
        self,
        shape: Any,
        name: str,
        at: tuple[float, float, float],
        turn: tuple[float, float, float],
        **values: Any,
    ) -> Any:
        """A light with Orvik's attributes; width, height and radius are USD's own."""
        light = shape.Define(self.stage, f"{self.root}/Lights/{name}")
        xform = UsdGeom.XformCommonAPI(light)
        xform.SetTranslate(at)
        xform.SetRotate(turn)
        prim = light.GetPrim()
        for key, value in self.told(values).items():
            if key in ("width", "height", "radius", "length"):
                prim.CreateAttribute(f"inputs:{key}", Sdf.ValueTypeNames.Float).Set(value)
            else:
                custom = sdf_type(key, value)
                prim.CreateAttribute(f"{self.dialect}:{key}", custom).Set(value)
        return light

    def camera(
        self, name: str, at: tuple[float, float, float], turn: tuple[float, float, float], **values: Any
    ) -> None:
        """A camera with Orvik's attributes and USD's own."""
        camera = UsdGeom.Camera.Define(self.stage, f"{self.root}/Cameras/{name}")
        xform = UsdGeom.XformCommonAPI(camera)
        xform.SetTranslate(at)
        xform.SetRotate(turn)
        # USD counts film and lens in tenths of a unit, which are millimetres here.
        if "film_width" in values:
            camera.CreateHorizontalApertureAttr(values["film_width"])
            camera.CreateVerticalApertureAttr(values["film_width"] * 10 / 16)
            camera.CreateFocalLengthAttr(values["focal"])
        camera.CreateClippingRangeAttr(Gf.Vec2f(values.get("near_clip", 1.0), 100000.0))
        for key, value in values.items():
            camera.GetPrim().CreateAttribute(f"{self.dialect}:{key}", sdf_type(key, value)).Set(value)

    def settings(self, camera: str, **values: Any) -> None:
        """Render settings."""
        settings = UsdRender.Settings.Define(self.stage, "/Render/Settings")
        settings.CreateResolutionAttr(Gf.Vec2i(1280, 800))
        settings.CreateCameraRel().SetTargets([Sdf.Path(f"{self.root}/Cameras/{camera}")])
        for key, value in values.items():
            settings.GetPrim().CreateAttribute(f"{self.dialect}:{key}", sdf_type(key, value)).Set(value)


def picture(file: str, gamma: float = 1.0, **more: Any) -> dict[str, Any]:
    """A picture node."""
    return {"node": "picture", "file": f"./textures/{file}", "decode_gamma": gamma, **more}
