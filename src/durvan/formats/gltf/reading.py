"""Read a glTF file into raw things: materials, lights, cameras, and the pictures that they name; shapes are left for whoever asks."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import embedded
from durvan.formats.gltf.container import Asset, is_address, read_asset
from durvan.formats.gltf.lenient import extended, extension, listed, table
from durvan.formats.gltf.materials import FILTERS, WRAPS, MaterialReader
from durvan.formats.gltf.paths import NodePaths, material_paths, parents
from durvan.formats.gltf.transforms import Floats, local
from durvan.progress import Report, Step, silent
from durvan.scene.graph import Link, Node, Problem, Value
from durvan.scene.model import Kind, Oddity
from durvan.scene.raw import RawPicture, RawReference, RawScene, RawThing
from durvan.scene.wearers import Wearer, Wearers

LIGHTS = "KHR_lights_punctual"
SPACE = "gltf"
_LIGHT = {
    "color": "color", "intensity": "intensity", "range": "range", "innerConeAngle": "inner_cone", "outerConeAngle": "outer_cone",
}  # fmt: skip
_CAMERA = {
    "yfov": "yfov", "aspectRatio": "aspect_ratio", "znear": "near", "zfar": "far", "xmag": "width", "ymag": "height",
}  # fmt: skip
_KINDS = {"point": "gltf.point", "spot": "gltf.spot", "directional": "gltf.directional"}
_SAMPLED = (
    ("wrapS", "wrap_s", WRAPS),
    ("wrapT", "wrap_t", WRAPS),
    ("magFilter", "mag_filter", FILTERS),
    ("minFilter", "min_filter", FILTERS),
)


class Reader:
    """Reads one file. Use `read_gltf`."""

    def __init__(self, asset: Asset) -> None:
        self.asset = asset
        self.begun: set[str] = set()
        self.raw = RawScene(
            asset.file, 1.0, "Y", None, "", (str(asset.file),), {"metersPerUnit": 1.0, "upAxis": "Y"}, self._title()
        )
        self.folder = str(Path(asset.file).absolute().parent)
        self.nodes = asset.many("nodes")
        self.materials = asset.many("materials")
        self.above, self.order = parents(self.nodes)
        self.paths = NodePaths(self.nodes, self.above, self.order)
        self.material_paths = material_paths(self.materials)
        self.others: set[int] = set()  # nodes with children, and cameras
        self.world: dict[int, Floats] = {}
        self.images: dict[int, tuple[str, str]] = {}
        for remark in asset.remarks:
            self._odd("composition", "/", remark)

    def _title(self) -> str:
        scenes, first = self.asset.many("scenes"), self.asset.document.get("scene", 0)
        named = scenes[first].get("name") if isinstance(first, int) and 0 <= first < len(scenes) else ""
        return named if isinstance(named, str) else ""

    def run(self, report: Report) -> RawScene:
        report(Step("Reading the file"))
        coloured = self._wearers()
        for place, said in enumerate(self.materials):
            if place % 200 == 0:
                report(Step("Reading materials", place, len(self.materials)))
            self._material(place, said, coloured.get(place, False))
        lamps = self._lamps()
        nodes = self.nodes
        others = self.others
        for place in self.order if lamps else [place for place in self.order if place in others] if others else ():
            node = nodes[place]
            if "children" in node and not self._has_its_children(place, node["children"]):
                self._odd(
                    "dangling",
                    self.paths[place],
                    "has children that are none, or stand elsewhere too; they are not taken.",
                )
            if "camera" in node:
                self._camera(place, node)
            if lamps and extended(node, LIGHTS):
                self._light(place, node, lamps)
        self._others()
        return self.raw

    def _has_its_children(self, place: int, said: object) -> bool:
        """Whether all that a node calls its children stand below it."""
        if not isinstance(said, list) or not set(map(type, said)) <= {int}:
            return False
        if said and not (min(said) >= 0 and max(said) < len(self.nodes)):
            return False
        return {self.above[one] for one in said} <= {place}

    def _odd(self, code: str, path: str, detail: str, thing: str = "") -> None:
        self.raw.oddities.append(Oddity(code, thing, path, detail))

    # who wears what

    def _wearers(self) -> dict[int, bool]:
        """Who wears each material; which of them are worn with colours at the corners."""
        coloured: dict[int, bool] = {}
        meshes: dict[str, list[int]] = {}  # that wear a material: one as often as it does
        for place, mesh in enumerate(self.asset.many("meshes")):
            primitives = mesh.get("primitives")
            for number, one in enumerate(primitives if isinstance(primitives, list) else ()):
                material = one.get("material") if isinstance(one, dict) else None
                if material is None:
                    continue
                if not isinstance(material, int) or not 0 <= material < len(self.materials):
                    self._odd(
                        "dangling",
                        f"/meshes/{place}/primitives/{number}",
                        f"wears material {material!r}, which is none.",
                    )
                    continue
                meshes.setdefault(self.material_paths[material], []).append(place)
                attributes = one.get("attributes")
                if isinstance(attributes, dict) and "COLOR_0" in attributes:
                    coloured[material] = True
        shown = self._walked()
        for path, worn_by in meshes.items():
            places = [place for mesh in worn_by for place in shown[mesh]]
            if places:
                self.raw.worn[path] = Wearers(len(places), partial(_told, self.paths, places))
        return coloured

    def _walked(self) -> list[list[int]]:
        """The nodes that show each mesh; which are more than that is found out on the same walk, for there may be very many."""
        shown: list[list[int]] = [[] for _ in self.asset.many("meshes")]
        count = len(shown)
        for place, node in enumerate(self.nodes):
            if "children" in node or "camera" in node:
                self.others.add(place)
            if "mesh" not in node:
                continue
            index = node["mesh"]
            if isinstance(index, int) and 0 <= index < count:
                shown[index].append(place)
            elif index is not None:
                self._odd("dangling", self.paths[place], f"shows mesh {index!r}, which is none.")
        self.raw.meshes += sum(map(len, shown))
        return shown

    # materials

    def _material(self, place: int, said: dict[str, Any], tinted: bool) -> None:
        path = self.material_paths[place]
        name = said.get("name")
        thing = RawThing(
            path, name if isinstance(name, str) and name else path.rsplit("/", 1)[-1], Kind.MATERIAL, "gltf.material"
        )
        thing.contexts[""] = {"surface": Link("surface")}
        thing.graph = MaterialReader(said, lambda node, texture: self._texture(path, node, texture)).run(
            "COLOR_0" if tinted else ""
        )
        for node in thing.graph.nodes.values():
            node.source = f"{path}/{node.id}"
        self.raw.things.append(thing)

    def _texture(self, thing: str, node: Node, said: dict[str, Any]) -> None:
        """Put a texture's picture and sampler on a node."""
        inside = f"{thing}/{node.id}"
        try:
            texture = self.asset.one("textures", said.get("index"), inside)
            sampler = self.asset.one("samplers", texture["sampler"], inside) if "sampler" in texture else {}
            source = self._source(texture)
            if source is None:
                raise SceneFileError("names a texture without a picture.", file=self.asset.file, inside=inside)
            written, resolved = self._image(source, inside)
        except SceneFileError as problem:
            node.problems = {"file": Problem(problem.what[0].upper() + problem.what[1:], link=True)}
            self._odd("dangling", inside, problem.what, thing)
            return
        for key, port, words in _SAMPLED:
            if key in sampler:
                said = sampler[key]
                node.values[port] = words.get(said, str(said)) if isinstance(said, int) else str(said)
        node.values["file"] = written
        self.raw.pictures.append(RawPicture(written, resolved, thing, node.id, "file", self.folder))

    @staticmethod
    def _source(texture: dict[str, Any]) -> Any:
        """The number of a texture's picture; of several forms of it the plain one."""
        if "source" in texture:
            return texture["source"]
        extensions = texture.get("extensions")
        for one in extensions.values() if isinstance(extensions, dict) else ():
            if isinstance(one, dict) and "source" in one:
                return one["source"]
        return None

    def _image(self, index: object, inside: str) -> tuple[str, str]:
        """How a picture's path is written, and where it is, when it lies within the file."""
        said = self.asset.one("images", index, inside)
        assert isinstance(index, int)
        known = self.images.get(index)
        if known is not None:
            return known
        uri = said.get("uri")
        if isinstance(uri, str) and not uri.startswith("data:"):
            from urllib.parse import unquote

            found = (uri if is_address(uri) else unquote(uri), "")
        else:
            data = self._embedded(said, f"/images/{index}")
            ending = embedded.ending_of(data) or {"image/jpeg": ".jpg", "image/png": ".png"}.get(
                str(said.get("mimeType")), ""
            )
            found = (f"{Path(self.asset.file).name}[image_{index}{ending}]", embedded.keep(data, ending))
        self.images[index] = found
        return found

    def _embedded(self, said: dict[str, Any], inside: str) -> bytes:
        if isinstance(said.get("uri"), str):
            return self.asset.bytes_of(said["uri"], inside)
        data, start, length, _ = self.asset.view(said.get("bufferView"), inside)
        return data[start : start + length]

    # lights and cameras

    def _lamps(self) -> list[dict[str, Any]]:
        lights = listed(extension(self.asset.document, LIGHTS).get("lights"))
        return [table(one) for one in lights]

    def _stands(self, place: int) -> Floats:
        """Where a node stands in the world."""
        known = self.world.get(place)
        if known is None:
            chain = [place]
            while self.above[chain[-1]] != -1 and self.above[chain[-1]] not in self.world:
                chain.append(self.above[chain[-1]])
            for here in reversed(chain):
                parent = self.world.get(self.above[here])
                own = local(self.nodes[here])
                self.world[here] = own @ parent if parent is not None else own
            known = self.world[place]
        return known

    def _begin(self, place: int, name: object, kind: Kind, prim: str) -> RawThing:
        path = self.paths[place] if self.paths[place] not in self.begun else f"{self.paths[place]}_light"
        self.begun.add(path)
        thing = RawThing(path, name if isinstance(name, str) and name else path.rsplit("/", 1)[-1], kind, prim)
        matrix = self._stands(place)
        thing.stands = tuple(float(part) for part in matrix.reshape(-1))
        thing.context["metres_per_unit"] = 1.0
        look = -matrix[2, :3] / max(float(math.sqrt(matrix[2, :3] @ matrix[2, :3])), 1e-12)
        for axis, letter in enumerate("xyz"):
            thing.context[f"eye_{letter}"], thing.context[f"look_{letter}"] = float(matrix[3, axis]), float(look[axis])
        self.raw.things.append(thing)
        return thing

    def _put(self, thing: RawThing, said: dict[str, Any], names: dict[str, str], passed: tuple[str, ...]) -> None:
        """Put an object's numbers among a thing's attributes; what has no name here goes along as text."""
        for key, value in said.items():
            if key in passed:
                continue
            port = f"{SPACE}:{names.get(key, key)}"
            found = _plain(value) if key in names else json.dumps(value)
            if found is None:
                thing.problems[port] = Problem(f"Expected finite numbers, found {json.dumps(value)[:60]}.")
            else:
                thing.attributes[port] = found

    def _light(self, place: int, node: dict[str, Any], lamps: list[dict[str, Any]]) -> None:
        said = node["extensions"][LIGHTS]
        index = said.get("light") if isinstance(said, dict) else None
        if not isinstance(index, int) or not 0 <= index < len(lamps):
            self._odd("dangling", self.paths[place], f"is light {index!r}, and there are {len(lamps)}.")
            return
        lamp = lamps[index]
        prim = _KINDS.get(str(lamp.get("type")), "")
        thing = self._begin(place, lamp.get("name") or node.get("name"), Kind.LIGHT, prim or f"gltf.{lamp.get('type')}")
        self._put(thing, lamp, _LIGHT, ("type", "name", "spot"))
        if isinstance(lamp.get("spot"), dict):
            self._put(thing, lamp["spot"], _LIGHT, ())

    def _camera(self, place: int, node: dict[str, Any]) -> None:
        try:
            said = self.asset.one("cameras", node.get("camera"), self.paths[place])
        except SceneFileError as problem:
            self._odd("dangling", self.paths[place], problem.what)
            return
        thing = self._begin(place, said.get("name") or node.get("name"), Kind.CAMERA, "gltf.camera")
        kind = said.get("type")
        thing.attributes[f"{SPACE}:projection"] = kind if isinstance(kind, str) else "perspective"
        for part in ("perspective", "orthographic"):
            if isinstance(said.get(part), dict):
                self._put(thing, said[part], _CAMERA, ())
        self._put(thing, said, _CAMERA, ("type", "name", "perspective", "orthographic"))
        aspect = thing.attributes.get(f"{SPACE}:aspect_ratio")
        if isinstance(aspect, float) and aspect > 0.0:
            thing.context["frame_aspect"] = aspect

    # what is besides

    def _others(self) -> None:
        """Buffers beside the file, and what is not carried: motion, variants, extensions that nobody knows."""
        document = self.asset.document
        for one in self.asset.many("buffers"):
            uri = one.get("uri")
            if isinstance(uri, str) and not uri.startswith("data:"):
                self.raw.references.append(RawReference(uri, "", self.folder, Path(self.asset.file).name, "geometry"))
        motions = self.asset.many("animations")
        if motions:
            self._odd(
                "animated",
                "/animations",
                f"{len(motions)} animations are not carried; things stand as they do without them.",
            )
        variants = listed(extension(document, "KHR_materials_variants").get("variants"))
        names = [str(one.get("name", "")) for one in variants if isinstance(one, dict)]
        if names:
            self._odd("variants", "/extensions/KHR_materials_variants",
                      f"It has variants of materials ({', '.join(names)[:200]}); what is worn without one is carried.")  # fmt: skip


def _plain(value: Any) -> Value | None:
    if isinstance(value, str):
        return value
    numbers = value if isinstance(value, list) else [value]
    if not numbers or not all(
        isinstance(n, int | float) and not isinstance(n, bool) and math.isfinite(n) for n in numbers
    ):
        return None
    return tuple(float(n) for n in value) if isinstance(value, list) else float(value)


def _told(paths: NodePaths, places: list[int]) -> Iterator[Wearer]:
    """What wears a material: nodes, in their order."""
    return (Wearer(paths[place], "material", False) for place in sorted(places))


def read_gltf(file: Path, report: Report = silent) -> RawScene:
    """Everything in a file that is carried, in its order. Raises SceneFileError with the place."""
    return Reader(read_asset(file)).run(report)
