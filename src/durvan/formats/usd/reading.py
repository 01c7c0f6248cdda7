"""Read a stage into raw things: networks of shaders by their ids, and bags of attributes; no meaning is given yet."""

from __future__ import annotations

import math
import struct
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from pxr import Gf, Sdf, Tf, Usd, UsdGeom, UsdLux, UsdRender, UsdShade

from durvan.formats.usd.assets import named_by, sites
from durvan.formats.usd.framing import framing
from durvan.formats.usd.opening import Opened, asked, layers, metres_per_unit, stage_metadata, up_axis
from durvan.formats.usd.words import said
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Link, Node, Problem, Value
from durvan.scene.model import Kind, Oddity, Solid
from durvan.scene.places import anchor_of
from durvan.scene.raw import NO_ID, VISIBILITY, YAW, RawPicture, RawReference, RawScene, RawThing
from durvan.scene.wearers import Wearer

_SIZES = {
    getattr(Gf, f"Vec{size}{letter}"): size for size in (2, 3, 4) for letter in "fdhi"
}  # the vectors that a parameter can be
_HOPS = 256
_PROFILES = "inputs:shaping:ies"  # UsdLux's own attributes for light profiles
_MOST_BOXES = 20_000
_FIRST = Usd.TimeCode.EarliestTime()


_single = struct.Struct("f")
_pack, _unpack = _single.pack, _single.unpack


class _Shortest(dict[float, float]):
    """The numbers that were meant, by the values that were read; a file has most of its numbers many times."""

    def __missing__(self, value: float) -> float:
        rounded = float(f"{value:.7g}")
        try:
            meant = rounded if _unpack(_pack(rounded))[0] == value else value
        except OverflowError:
            meant = value
        if len(self) < 200_000:
            self[value] = meant
        return meant


_short = _Shortest()


def shortest(value: float) -> float:
    """The number that was meant by a value in single precision: 2.2 for 2.2000000477; doubles stay as they are."""
    return _short[value]


class StageReader:
    """Reads one opened stage. Use `read_stage`."""

    def __init__(self, opened: Opened, report: Report) -> None:
        self.stage = opened.stage
        self.report = report
        unit, odd = metres_per_unit(opened.stage)
        frames = None
        if asked(self.stage.HasAuthoredTimeCodeRange, False):
            frames = asked(lambda: (self.stage.GetStartTimeCode(), self.stage.GetEndTimeCode()), None)
        default = asked(self.stage.GetDefaultPrim, None)
        self.raw = RawScene(
            opened.file,
            unit,
            up_axis(self.stage),
            frames,
            str(default.GetPath()) if default else "",
            layers(self.stage),
        )
        self.folder = str(opened.file.absolute().parent)
        self.raw.metadata = stage_metadata(self.stage, unit, self.raw.up_axis)
        self.raw.title = str(asked(lambda: self.stage.GetRootLayer().customLayerData.get("title", ""), ""))
        if odd:
            self.raw.oddities.append(Oddity("stage-unit", "", "/", odd))
        for remark in dict.fromkeys(opened.remarks):
            self.raw.oddities.append(Oddity("composition", "", "/", remark))
        # Asking every attribute whether it is animated is dear, and most stages hold no time samples at all.
        self.animated = any(layer.ListAllTimeSamples() for layer in self.stage.GetUsedLayers())
        self.time = _FIRST if self.animated else Usd.TimeCode.Default()
        self.prototypes: dict[str, RawThing] = {}
        self.shaders: dict[Any, str] = {}
        self.thing = RawThing("", "", Kind.MATERIAL, "")
        self.stem = 0

    def run(self) -> RawScene:
        for seen, prim in enumerate(self._prims(), 1):
            if seen % 500 == 0:
                self.report(Step("Reading the stage", seen))
            try:
                self._prim(prim)
            except (Tf.ErrorException, RuntimeError) as problem:
                # The library refuses one prim; the rest of the scene is as good as before.
                self._odd("unreadable-prim", str(prim.GetPath()), said(problem, 200))
        cameras = [thing for thing in self.raw.things if thing.kind is Kind.CAMERA]
        if cameras:
            self._solids()
            aspect, fit = framing(self.stage)
            for thing in cameras:
                thing.context.update(frame_aspect=aspect, frame_fit=fit)
        self._others({picture.written for picture in self.raw.pictures})
        return self.raw

    def _others(self, known: set[str]) -> None:
        """Files that no material and no light names: layers, payloads, caches, clips."""
        more = [one for one in named_by(self.raw.layers) if one.composed or one.written not in known]
        unplaced: dict[str, set[str]] = {}
        for one in more:
            if not one.composed:
                unplaced.setdefault(one.layer, set()).add(one.written)
        places = {layer: sites(layer, wanted) for layer, wanted in unplaced.items()}
        for one in more:
            site = places.get(one.layer, {}).get(one.written, "") or Path(one.layer).name
            self.raw.references.append(RawReference(one.written, one.resolved, anchor_of(one.layer), site))

    def _solids(self) -> None:
        """The boxes of all meshes, for what a camera may look through; past many thousands that is not worth it."""
        if self.raw.meshes > _MOST_BOXES:
            return
        boxes = UsdGeom.BBoxCache(self.time, [UsdGeom.Tokens.default_, UsdGeom.Tokens.render], useExtentsHint=True)
        for prim in Usd.PrimRange.Stage(self.stage, Usd.TraverseInstanceProxies()):
            if prim.GetTypeName() == "Mesh":
                try:
                    box = boxes.ComputeWorldBound(prim).ComputeAlignedRange()
                except (Tf.ErrorException, RuntimeError):
                    continue
                if not box.IsEmpty():
                    low, high = box.GetMin(), box.GetMax()
                    self.raw.solids.append(
                        Solid(str(prim.GetPath()), (low[0], low[1], low[2]), (high[0], high[1], high[2]))
                    )

    def _prims(self) -> Iterator[Any]:
        walk = iter(Usd.PrimRange.Stage(self.stage, Usd.TraverseInstanceProxies()))
        for prim in walk:
            yield prim
            if prim.GetTypeName() == "Material":
                walk.PruneChildren()

    def _prim(self, prim: Any) -> None:
        kind = prim.GetTypeName()
        if kind == "Material":
            self._material(prim)
            return  # what a material is bound to wears nothing
        if kind == "Mesh":
            self.raw.meshes += 1
            if prim.HasAPI(UsdLux.MeshLightAPI) or any(
                str(n).endswith(":kind") for n in prim.GetAuthoredPropertyNames()
            ):
                self._bag(prim, Kind.LIGHT)
        elif kind == "Shader":
            self.raw.oddities.append(
                Oddity(
                    "stray-shader",
                    "",
                    str(prim.GetPath()),
                    "A shader outside any material; nothing can use it.",
                )
            )
        elif kind == "Camera":
            self._bag(prim, Kind.CAMERA)
        elif prim.IsA(UsdRender.SettingsBase):
            self._bag(prim, Kind.SETTINGS)
        elif (
            prim.IsA(UsdLux.BoundableLightBase)
            or prim.IsA(UsdLux.NonboundableLightBase)
            or (kind == "Scope" and any(str(a.GetName()).endswith(":kind") for a in prim.GetAuthoredAttributes()))
        ):
            self._bag(prim, Kind.LIGHT)
        self._bindings(prim)

    def _bindings(self, prim: Any) -> None:
        for relation in prim.GetAuthoredRelationships():
            name = relation.GetName()
            if not name.startswith("material:binding"):
                continue
            targets = relation.GetTargets()
            free = len(targets) == 1 and not prim.IsInstanceProxy()  # of a collection's, one of two is the material
            for target in targets:
                self.raw.wear(str(target), Wearer(str(prim.GetPath()), name, free))

    def _odd(self, code: str, path: str, detail: str) -> None:
        self.raw.oddities.append(Oddity(code, "", path, detail))

    def _begin(self, prim: Any, kind: Kind) -> RawThing | None:
        thing = RawThing(str(prim.GetPath()), prim.GetName(), kind, str(prim.GetTypeName()))
        if prim.IsInstanceProxy():
            key = str(prim.GetPrimInPrototype().GetPath())
            first = self.prototypes.get(key)
            if first is not None:
                first.twins.append(thing.path)
                return None
            self.prototypes[key] = thing
            parent = prim
            while parent and not parent.IsInstance():
                parent = parent.GetParent()
            thing.instance = str(parent.GetPath()) if parent else ""
        self.raw.things.append(thing)
        self.thing, self.stem = thing, len(thing.path) + 1
        return thing

    # values

    def _value(self, attribute: Any, node: str, port: str, problems: dict[str, Problem]) -> Value | None:
        try:
            raw = attribute.Get(self.time) if self.animated else attribute.Get()
        except (Tf.ErrorException, RuntimeError, TypeError) as problem:
            problems[port] = Problem(f"The value cannot be read: {said(problem, 200)}")
            return None
        if isinstance(raw, Sdf.AssetPath):
            return self._picture(raw, attribute, node, port)
        return self._plain(raw, node, port, problems)

    def _picture(self, raw: Any, attribute: Any, node: str, port: str) -> str:
        written, resolved = str(raw.path), str(raw.resolvedPath)
        anchor = self.folder
        if len(self.raw.layers) > 1 and not written.startswith("/"):  # a path counts from the layer that says it
            stack = attribute.GetPropertyStack(self.time)
            anchor = anchor_of(stack[0].layer.realPath) if stack and stack[0].layer.realPath else anchor
        role = "profile" if port.startswith(_PROFILES) else ""
        self.raw.pictures.append(RawPicture(written, resolved, self.thing.path, node, port, anchor, role))
        return written

    def _plain(self, raw: Any, node: str, port: str, problems: dict[str, Problem]) -> Value | None:
        if isinstance(raw, float):
            if not math.isfinite(raw):
                problems[port] = Problem(f"Not a finite number: {raw}.")
                return None
            return _short[raw]
        if raw is None or isinstance(raw, bool | int | str):
            plain: Value | None = raw
            return plain
        size = _SIZES.get(type(raw))
        if size is None:
            problems[port] = Problem(f"A value of type {type(raw).__name__} is not one that a parameter can have.")
            return None
        # Vectors of the library are slow to iterate over and quick to index.
        if size == 3:
            x, y, z = raw[0], raw[1], raw[2]
            if math.isfinite(x + y + z):
                return _short[x], _short[y], _short[z]
        parts = tuple(raw[place] for place in range(size))
        if not all(map(math.isfinite, parts)):
            problems[port] = Problem(f"Not a finite number in {parts}.")
            return None
        return tuple(map(shortest, parts))

    # materials

    def _material(self, prim: Any) -> None:
        thing = self._begin(prim, Kind.MATERIAL)
        if thing is None:
            return
        waiting = []
        self.shaders = {}
        for child in Usd.PrimRange(prim, Usd.TraverseInstanceProxies()):
            if child.GetTypeName() == "Shader":
                place = child.GetPath()
                path = str(place)
                waiting.append((child, path))
                self.shaders[place] = self._id(path)
        for output in UsdShade.Material(prim).GetOutputs():
            if not output.GetAttr().HasAuthoredConnections():
                continue
            full = str(output.GetBaseName())
            context, _, terminal = full.rpartition(":")
            link = self._follow(output.GetAttr(), "", full, {}, waiting)
            if isinstance(link, Link):
                thing.contexts.setdefault(context, {})[terminal] = link
        done = set()
        while waiting:
            shader, path = waiting.pop(0) if len(waiting) < 64 else waiting.pop()
            if path not in done:
                done.add(path)
                self._shader(shader, path, waiting)
        thing.graph.nodes = dict(sorted(thing.graph.nodes.items()))

    def _id(self, path: str) -> str:
        root = self.thing.path
        return path[self.stem :] if path.startswith(root + "/") else path

    def _shader(self, prim: Any, path: str, waiting: list[tuple[Any, str]]) -> None:
        name = self._id(path)
        node = Node(name, NO_ID, source=path)
        problems: dict[str, Problem] = {}
        animated: list[str] = []
        space = ""
        for full, attribute in _properties(prim):
            if full.startswith("inputs:"):
                port = full[7:]
                if attribute.__class__ is not Usd.Attribute:
                    problems[port] = Problem("It is a relationship; a parameter has a value or a link.")
                    continue
                if attribute.HasAuthoredConnections():
                    found = self._follow(attribute, name, port, problems, waiting)
                    if isinstance(found, Link):
                        node.links[port] = found
                    elif found is not None:
                        node.values[port] = found
                        continue
                value = self._value(attribute, name, port, problems)
                if value is not None:
                    node.values[port] = value
                    if port == "file" and attribute.HasColorSpace():
                        space = str(attribute.GetColorSpace())
                    if self.animated and attribute.ValueMightBeTimeVarying():
                        animated.append(port)
            elif full == "info:id":
                found_id = attribute.Get()
                node.kind = str(found_id) if found_id else NO_ID
        if space and node.kind.startswith("ND_"):  # MaterialX keeps a picture's colour space with its path
            node.values["colorspace"] = space
        node.animated = tuple(animated)
        node.problems = problems or None
        self.thing.graph.nodes[name] = node

    def _follow(
        self, attribute: Any, node: str, port: str, problems: dict[str, Problem], waiting: list[tuple[Any, str]]
    ) -> Link | Value | None:
        """What a connected attribute gets its value from, through containers: a shader's output, or a constant."""
        thing = self.thing.path
        for _ in range(_HOPS):
            paths = attribute.GetConnections()
            if len(paths) > 1:
                self.raw.oddities.append(
                    Oddity("many-links", thing, f"{node}.{port}", "Several links; the first counts.")
                )
            if not paths:
                return self._value(attribute, node, port, problems)
            path = paths[0]
            place = path.GetPrimPath()
            name = path.name
            known = self.shaders.get(place)
            if known is not None and name.startswith("outputs:"):
                return Link(known, name[8:])
            prim = self.stage.GetPrimAtPath(place)
            if not prim or not path.IsPropertyPath():
                problems[port] = Problem(f"The link goes nowhere: {str(path)[:300]}.", link=True)
                self.raw.oddities.append(
                    Oddity("dangling", thing, f"{node}.{port}", f"Nothing stands at {str(path)[:300]}.")
                )
                return None
            if prim.GetTypeName() == "Shader" and name.startswith("outputs:"):
                target = str(prim.GetPath())
                if not target.startswith(thing + "/"):
                    waiting.append((prim, target))
                return Link(self._id(target), name[8:])
            following = prim.GetAttribute(name)
            if not following:
                problems[port] = Problem(f"The link goes nowhere: {str(path)[:300]}.", link=True)
                self.raw.oddities.append(
                    Oddity("dangling", thing, f"{node}.{port}", f"Nothing stands at {str(path)[:300]}.")
                )
                return None
            attribute = following
        problems[port] = Problem("The link goes round in a circle of containers.", link=True)
        self.raw.oddities.append(Oddity("cycle", thing, f"{node}.{port}", "A circle of connected containers."))
        return None

    # everything else

    def _transform(self, prim: Any, thing: RawThing) -> Any:
        """To the world and the stage's unit; None, and an oddity, when it is broken."""
        try:
            return UsdGeom.Xformable(prim).ComputeLocalToWorldTransform(self.time)
        except (Tf.ErrorException, RuntimeError):
            self._odd("unreadable-prim", thing.path, "Its transform is broken, so where it stands cannot be told.")
            return None

    def _turn(self, prim: Any, thing: RawThing) -> None:
        """How far a dome is turned about the stage's up axis, under the name "(yaw)"; a tilt is told."""
        matrix = self._transform(prim, thing)
        if matrix is None:
            return
        pole, way = _direction(matrix, 0.0, 1.0, 0.0), _direction(matrix, 0.0, 0.0, 1.0)
        upright = pole[1] if self.raw.up_axis == "Y" else pole[2]
        if upright < math.cos(math.radians(1.0)):
            self.raw.oddities.append(Oddity("tilted-dome", thing.path, "", "The dome's pole does not point up."))
        yaw = math.degrees(math.atan2(way[0], way[2] if self.raw.up_axis == "Y" else -way[1]))
        if abs(yaw) > 1e-4:
            thing.attributes[YAW] = shortest(round(yaw, 6))

    def _pose(self, prim: Any, thing: RawThing) -> None:
        """Where a camera or a light stands and where it looks, in the world and the stage's unit."""
        matrix = self._transform(prim, thing)
        if matrix is None:
            return
        unit = self.raw.metres_per_unit
        rows = [[float(matrix[row][column]) for column in range(4)] for row in range(4)]
        rows[3][:3] = [part * unit for part in rows[3][:3]]
        if all(math.isfinite(part) for row in rows for part in row):
            thing.stands = tuple(part for row in rows for part in row)
        eye, look = matrix.ExtractTranslation(), _direction(matrix, 0.0, 0.0, -1.0)
        for place, axis in enumerate("xyz"):
            thing.context[f"eye_{axis}"] = eye[place]
            thing.context[f"look_{axis}"] = look[place]

    def _bag(self, prim: Any, kind: Kind) -> None:
        thing = self._begin(prim, kind)
        if thing is None:
            return
        animated = []
        for attribute in prim.GetAuthoredAttributes():
            name = attribute.GetName()
            if name.startswith(("xformOp", "primvars:", "points", "faceVertex", "extent", "normals", "userProperties")):
                continue
            value = self._value(attribute, "", name, thing.problems)
            if value is not None:
                thing.attributes[name] = value
                if self.animated and attribute.ValueMightBeTimeVarying():
                    animated.append(name)
        thing.animated = tuple(animated)
        thing.context["metres_per_unit"] = self.raw.metres_per_unit
        if kind is Kind.CAMERA or (kind is Kind.LIGHT and prim.IsA(UsdGeom.Xformable)):
            self._pose(prim, thing)
        if thing.prim_type.startswith("DomeLight"):
            self._turn(prim, thing)
        if kind is Kind.LIGHT:
            for relation in prim.GetAuthoredRelationships():
                if relation.HasAuthoredTargets() and not relation.GetName().startswith("material:binding"):
                    thing.attributes[relation.GetName()] = " ".join(map(str, relation.GetForwardedTargets()))
            imageable = UsdGeom.Imageable(prim)
            if imageable and imageable.ComputeVisibility(_FIRST) == "invisible":
                thing.attributes[VISIBILITY] = "invisible"


def _properties(prim: Any) -> Iterator[tuple[str, Any]]:
    """A prim's own properties with their names; they come in the same order, and one by itself is slow to tell its name."""
    names, properties = prim.GetAuthoredPropertyNames(), prim.GetAuthoredProperties()
    if len(names) != len(properties):
        properties = [prim.GetProperty(name) for name in names]
    return zip(names, properties, strict=True)


def _direction(matrix: Any, x: float, y: float, z: float) -> Any:
    return matrix.TransformDir(Gf.Vec3d(x, y, z)).GetNormalized()


def read_stage(opened: Opened, report: Report = silent) -> RawScene:
    """Everything on the stage that is carried, in the stage's order."""
    return StageReader(opened, report).run()
