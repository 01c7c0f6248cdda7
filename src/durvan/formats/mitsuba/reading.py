"""Read a Mitsuba scene into raw things: who wears what, emitters, sensors, and how a picture is made."""

from __future__ import annotations

import json
import math
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.formats.mitsuba.document import Document, Thing
from durvan.formats.mitsuba.networks import NetworkReader
from durvan.formats.mitsuba.words import HALF_TURN, PREFIX, SHAPES_WITH_LIGHT
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Problem, Value
from durvan.scene.model import Kind
from durvan.scene.raw import YAW, RawPicture, RawReference, RawScene, RawThing
from durvan.scene.wearers import Wearer

Floats = NDArray[np.float64]
SPACE = "mitsuba"
SCENE = "/Scene"

UPRIGHT = np.diag([1.0, -1.0])  # of a picture on a rectangle, whose v runs upwards
FILES = ("obj", "ply", "serialized", "linearcurve", "bsplinecurve", "sdfgrid", "ellipsoids", "ellipsoidsmesh")
_FILM = {"width": 768.0, "height": 576.0}  # pixels, where nothing is said
_POINTED = ("point", "spot", "projector", "directional", "directionalarea")


@dataclass(frozen=True)
class ShapeRow:
    """A shape, an instance or what merges some: its path, that of what it stands in, what it wears, and whether it is a light here."""

    thing: Thing
    path: str
    home: str
    material: str = ""
    lit: bool = False


class Reader(NetworkReader):
    """Reads one document. Use `read_scene`."""

    def __init__(self, document: Document) -> None:
        super().__init__(document)
        self.rows: list[ShapeRow] = []
        self.standing: dict[str, list[Thing]] = {}

    def run(self, report: Report) -> RawScene:
        report(Step("Reading the scene"))
        unseen = self._under_lights()
        for one in self.scene.of("bsdf"):
            if id(one.inside) not in unseen:
                self._material(one)
        self._shapes(report)
        for one in self.scene.of("emitter"):
            self._emitter(one)
        self._view()
        return self.raw

    def _under_lights(self) -> set[int]:
        """Black surfaces that lights alone wear, which are there to give nothing back: they are no materials of the scene."""
        shapes = [*self.scene.of("shape")]
        for one in shapes:
            shapes += one.of("shape")
        lights, others = (
            {id(bsdf.inside) for one in shapes if _is_light(one) == shines for bsdf in one.of("bsdf")}
            for shines in (True, False)
        )
        return {id(one.inside) for one in self.scene.of("bsdf") if _is_black(one)} & (lights - others)

    # shapes

    def _shapes(self, report: Report) -> None:
        for count, one in enumerate(self.scene.of("shape")):
            if count % 500 == 0:
                report(Step("Reading shapes", count))
            self._shape(one, SCENE)

    def _shape(self, one: Thing, home: str) -> None:
        """A shape; of an instance, all that its group holds. A group shows nothing by itself."""
        if one.type == "shapegroup":
            for inner in one.of("shape"):
                self._worn_by(inner)
            return
        path = self._path(home, one)
        if one.type in ("instance", "merge"):
            self.rows.append(ShapeRow(one, path, home))
            groups = [one] if one.type == "merge" else [two for two in one.of("shape") if two.type == "shapegroup"]
            for group in groups:
                for inner in group.of("shape"):
                    if inner.type not in ("instance", "shapegroup"):
                        self._shape(inner, path)
            return
        self.raw.meshes += 1
        name = one.values.get("filename")
        if one.type in FILES and isinstance(name, str):
            self.raw.references.append(RawReference(name, "", self.folder, path, "geometry"))
        emitter = next(one.of("emitter"), None)
        if emitter is not None and self._lit(one, emitter, path):
            self.rows.append(ShapeRow(one, path, home, lit=True))
            return
        material = self._worn_by(one)
        self.rows.append(ShapeRow(one, path, home, material))
        if material:
            self.raw.wear(material, Wearer(path, "bsdf", False))

    def _worn_by(self, one: Thing) -> str:
        """The material of a shape, with what else is in the shape and belongs to it."""
        bsdf = next(one.of("bsdf"), None)
        material = self._material(bsdf) if bsdf is not None else ""
        emitter = next(one.of("emitter"), None)
        if emitter is not None and material:
            self._glows(emitter, material)
        for medium in one.of("medium"):
            self._medium(medium, material)
        return material

    def _lit(self, one: Thing, emitter: Thing, path: str) -> bool:
        """Make a shape that shines a light of its own, where it is one that others have; what it wears is then not seen."""
        if not _is_light(one):
            return False
        word = SHAPES_WITH_LIGHT[one.type]
        thing = self._begin(path, emitter.id or one.id or path.rsplit("/", 1)[-1], Kind.LIGHT, PREFIX + word)
        self.standing[path] = [emitter, one]
        matrix = one.matrices.get("to_world", np.eye(4))
        sizes = np.linalg.norm(matrix[:3, :3], axis=1)
        if one.type == "rectangle":
            thing.attributes |= {f"{SPACE}:width": 2.0 * float(sizes[0]), f"{SPACE}:height": 2.0 * float(sizes[1])}
            matrix = HALF_TURN @ _turn(matrix)
        elif one.type == "disk":
            thing.attributes[f"{SPACE}:radius"] = float(sizes[0])
            matrix = HALF_TURN @ _turn(matrix)
        elif one.type == "sphere":
            middle = one.values.get("center", (0.0, 0.0, 0.0))
            radius = one.values.get("radius", 1.0)
            thing.attributes[f"{SPACE}:radius"] = float(sizes[0]) * (radius if isinstance(radius, float) else 1.0)
            place = _turn(matrix)
            place[3, :3] = np.array([*_three(middle), 1.0]) @ matrix[:, :3]
            matrix = place
        else:
            matrix = self._tube(one, thing, matrix)
        self._stand(thing, matrix)
        self._emitted(thing, emitter)
        self.raw.meshes -= 1
        return True

    @staticmethod
    def _tube(one: Thing, thing: RawThing, matrix: Floats) -> Floats:
        ends = [
            np.array([*_three(one.values.get(name, usual)), 1.0]) @ matrix[:, :3]
            for name, usual in (("p0", (0.0, 0.0, 0.0)), ("p1", (0.0, 0.0, 1.0)))
        ]
        along = ends[1] - ends[0]
        length = float(np.linalg.norm(along))
        radius = one.values.get("radius", 1.0)
        thing.attributes[f"{SPACE}:length"] = length
        thing.attributes[f"{SPACE}:radius"] = (radius if isinstance(radius, float) else 1.0) * float(
            np.linalg.norm(matrix[0, :3])
        )
        x = along / max(length, 1e-12)
        y = np.cross((0.0, 0.0, 1.0) if abs(x[2]) < 0.9 else (1.0, 0.0, 0.0), x)
        y /= np.linalg.norm(y)
        out = np.eye(4)
        out[:3, :3] = np.stack([x, y, np.cross(x, y)])
        out[3, :3] = (ends[0] + ends[1]) / 2.0
        return out

    def _glows(self, emitter: Thing, material: str) -> None:
        """What a shape gives off that is no light of its own stands with what it wears."""
        thing = self.materials[material]
        self.thing, self.graph = thing, thing.graph
        surface = next(iter(thing.graph.nodes.values()))
        if emitter.type != "area":
            self._odd("unknown-thing", emitter.line, f"a {emitter.type} emitter on a mesh is not carried.", material)
            return
        if "radiance" in emitter.values:
            surface.values["radiance"] = _colour(emitter.values["radiance"])
        for one in emitter.of("texture"):
            self._texture(surface, "radiance", one)

    def _medium(self, one: Thing, material: str) -> None:
        """A medium inside that only absorbs is read as such; any other is told."""
        surface = next(iter(self.materials[material].graph.nodes.values())) if material else None
        albedo, density = one.values.get("albedo", 0.75), one.values.get("sigma_t", 1.0)
        scale = one.values.get("scale", 1.0)
        absorbs = one.type == "homogeneous" and one.name == "interior" and not any(_three(albedo))
        if surface is not None and absorbs and "absorption" not in surface.values:
            factor = scale if isinstance(scale, float) else 1.0
            surface.values["absorption"] = tuple(part * factor for part in _three(density))
        elif surface is not None and not absorbs:
            surface.values[f"medium.{one.name}"] = json.dumps({"type": one.type, **one.values})

    # lights

    def _begin(self, path: str, name: str, kind: Kind, prim: str) -> RawThing:
        thing = RawThing(path, name, kind, prim)
        thing.context["metres_per_unit"] = 1.0
        self.raw.things.append(thing)
        return thing

    @staticmethod
    def _stand(thing: RawThing, matrix: Floats) -> None:
        thing.stands = tuple(float(part) for part in matrix.reshape(-1))
        look = -matrix[2, :3] / max(float(np.linalg.norm(matrix[2, :3])), 1e-12)
        for axis, letter in enumerate("xyz"):
            thing.context[f"eye_{letter}"], thing.context[f"look_{letter}"] = float(matrix[3, axis]), float(look[axis])

    def _emitted(self, thing: RawThing, one: Thing) -> None:
        """An emitter's properties as attributes."""
        for name, value in one.values.items():
            if name in ("intensity", "radiance", "irradiance") and isinstance(value, float | int | tuple):
                value = _colour(value)
            elif name in ("position", "direction"):
                continue
            thing.attributes[f"{SPACE}:{name}"] = value
            if name == "filename" and isinstance(value, str):
                self.raw.pictures.append(RawPicture(value, "", thing.path, "", "filename", self.folder))
        for name, said in one.problems.items():
            thing.problems[f"{SPACE}:{name}"] = Problem(said[0].upper() + said[1:] + ".")
        for inner in one.of("texture"):
            file = inner.values.get("filename")
            if inner.type == "bitmap" and isinstance(file, str):
                port = "picture" if inner.name == "radiance" else "texture"
                thing.attributes[f"{SPACE}:{port}"] = file
                if port == "picture" and not np.allclose(inner.matrices.get("to_uv", np.eye(4))[:2, :2], UPRIGHT):
                    self._odd(
                        "picture-turned",
                        inner.line,
                        "The picture on it does not stand upright; it is taken to.",
                        thing.path,
                    )
                self.raw.pictures.append(RawPicture(file, "", thing.path, "", port, self.folder))
            else:
                thing.attributes[f"{SPACE}:{inner.name}.{inner.type}"] = json.dumps(inner.values)

    def _emitter(self, one: Thing) -> None:
        path = self._path(SCENE, one)
        thing = self._begin(path, one.id or path.rsplit("/", 1)[-1], Kind.LIGHT, f"{PREFIX}{one.type}")
        self.standing[path] = [one]
        matrix = one.matrices.get("to_world", np.eye(4))
        if one.type in ("envmap", "constant", "sunsky", "timed_sunsky"):
            yaw = math.degrees(math.atan2(matrix[2, 0], matrix[2, 2]))
            if abs(yaw) > 1e-6 and one.type == "envmap":
                thing.attributes[YAW] = round(yaw, 6)
            if matrix[1, 1] < 0.999:
                self._odd("tilted-dome", one.line, "The surroundings' pole does not point up.", path)
        elif one.type in _POINTED:
            place = np.eye(4)
            if "direction" in one.values:
                place[:3, :3] = _looking(np.array(_three(one.values["direction"])))
                place = HALF_TURN @ place
            else:
                place = HALF_TURN @ _turn(matrix)
            if "position" in one.values:
                place[3, :3] = _three(one.values["position"])
            self._stand(thing, place)
        self._emitted(thing, one)

    # the view

    def _view(self) -> None:
        sensors = list(self.scene.of("sensor"))
        integrator = next(self.scene.of("integrator"), None)
        film = sampler = None
        for one in sensors:
            film = film or next(one.of("film"), None)
            sampler = sampler or next(one.of("sampler"), None)
        aspect = self._extent(film, "width") / self._extent(film, "height")
        for one in sensors:
            self._sensor(one, aspect)
        if integrator is None and film is None:
            return
        kind = integrator.type if integrator is not None else "path"
        thing = self._begin(self._named_path(SCENE, "settings"), "settings", Kind.SETTINGS, f"{PREFIX}{kind}")
        self.standing[thing.path] = [one for one in (integrator, sampler, film) if one is not None]
        for source in (integrator, sampler, film):
            for name, value in source.values.items() if source is not None else ():
                thing.attributes[f"{SPACE}:{name}"] = value

    def _extent(self, film: Thing | None, name: str) -> float:
        """How large a film is along one side, in pixels: as it says, or as films are that do not say."""
        if film is None or name not in film.values:
            return _FILM[name]
        said = film.values[name]
        if isinstance(said, int | float) and not isinstance(said, bool) and 1.0 <= said < math.inf:
            return float(said)
        self._odd("wrong-value", film.line, f"a film's {name} of {str(said)[:60]}; {_FILM[name]:g} pixels are taken.")
        return _FILM[name]

    def _sensor(self, one: Thing, aspect: float) -> None:
        path = self._path(SCENE, one)
        thing = self._begin(path, one.id or path.rsplit("/", 1)[-1], Kind.CAMERA, f"{PREFIX}{one.type}")
        self.standing[path] = [one]
        thing.context["frame_aspect"] = aspect
        self._stand(thing, HALF_TURN @ _turn(one.matrices.get("to_world", np.eye(4))))
        axis = one.values.get("fov_axis", "x")
        if one.type == "orthographic":
            size = 2.0 * float(np.linalg.norm(one.matrices.get("to_world", np.eye(4))[0, :3]))
            thing.attributes[f"{SPACE}:width"] = size
        for name, value in one.values.items():
            if name == "fov" and isinstance(value, int | float):
                value = across(float(value), str(axis), aspect)
            elif name == "focal_length" and isinstance(value, str):
                name, value = (
                    "fov",
                    across(
                        2.0
                        * math.degrees(
                            math.atan(math.hypot(36.0, 24.0) / 2.0 / max(float(value.removesuffix("mm") or 50.0), 1e-6))
                        ),
                        "diagonal",
                        aspect,
                    ),
                )
            elif name == "fov_axis":
                continue
            thing.attributes[f"{SPACE}:{name}"] = value


def across(fov: float, axis: str, aspect: float) -> float:
    """A field of view along some axis as that along the picture's width, in degrees."""
    half = math.tan(math.radians(min(fov, 179.0)) / 2.0)
    if axis == "y" or (axis == "smaller" and aspect > 1.0) or (axis == "larger" and aspect < 1.0):
        half *= aspect
    elif axis == "diagonal":
        half *= aspect / math.hypot(aspect, 1.0)
    return 2.0 * math.degrees(math.atan(half))


def _turn(matrix: Floats) -> Floats:
    """A matrix without its scales."""
    out = np.eye(4)
    out[:3, :3] = matrix[:3, :3] / np.maximum(np.linalg.norm(matrix[:3, :3], axis=1, keepdims=True), 1e-12)
    out[3, :3] = matrix[3, :3]
    return out


def _looking(ahead: Floats) -> Floats:
    """Axes [3, 3] of which the third looks along a direction."""
    ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-12)
    left = np.cross((0.0, 1.0, 0.0) if abs(ahead[1]) < 0.99 else (1.0, 0.0, 0.0), ahead)
    left /= np.linalg.norm(left)
    return np.stack([left, np.cross(ahead, left), ahead])


def _is_light(shape: Thing) -> bool:
    emitter = next(shape.of("emitter"), None)
    return emitter is not None and emitter.type == "area" and shape.type in SHAPES_WITH_LIGHT


def _is_black(bsdf: Thing) -> bool:
    said = bsdf.values.get("reflectance", 0.5)
    return bsdf.type == "diffuse" and not bsdf.inside and not isinstance(said, str) and not any(_three(said))


def _three(value: Any) -> tuple[float, float, float]:
    if isinstance(value, tuple) and len(value) == 3:
        return value
    if isinstance(value, int | float):
        return (float(value),) * 3
    return 0.0, 0.0, 0.0


def _colour(value: Value) -> tuple[float, ...]:
    return value if isinstance(value, tuple) else (float(value),) * 3 if not isinstance(value, str) else (0.0,) * 3


def read_scene(file: Path, report: Report = silent) -> RawScene:
    """Everything in a scene file that is carried, in its order. Raises SceneFileError with the line."""
    return Reader(Document(file)).run(report)
