"""A glTF material as nodes: its factors on a surface, each texture a node of its own that feeds a parameter.

What a parameter is called, where it stands in the file and which channel of its picture counts is one table, for reading and for
writing. What the table does not know stays on the surface as text, so that nothing is lost unseen.
"""

from __future__ import annotations

import json
import math
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import groupby
from typing import Any

from durvan.formats.gltf.lenient import extended, extension
from durvan.scene.graph import Graph, Link, Node, Problem, Value

SURFACE, UNLIT, TEXTURE, NORMAL, CORNERS = "gltf.material", "gltf.unlit", "gltf.texture", "gltf.normal", "gltf.corners"
WRAPS = {10497: "repeat", 33071: "clamp", 33648: "mirror"}
FILTERS = {
    9728: "nearest",
    9729: "linear",
    9984: "nearest_nearest",
    9985: "linear_nearest",
    9986: "nearest_linear",
    9987: "linear_linear",
}
MODES = ("OPAQUE", "MASK", "BLEND")


@dataclass(frozen=True)
class Place:
    """Where a parameter stands: the object ("" the material itself, "pbrMetallicRoughness", an extension), the factor's key and
    the texture's, which channels of the picture count ("rgb", "r", …), and whether the picture is a colour.
    """

    parameter: str
    home: str
    factor: str
    texture: str
    channels: str
    colour: bool = False
    usual: Any = 1.0


PBR = "pbrMetallicRoughness"
_X = "KHR_materials_"
ANISOTROPY = f"{_X}anisotropy"
PLACES: tuple[Place, ...] = (
    Place("base_color", PBR, "baseColorFactor", "baseColorTexture", "rgb", True, (1.0, 1.0, 1.0)),
    Place("alpha", PBR, "baseColorFactor", "baseColorTexture", "a", True),
    Place("metallic", PBR, "metallicFactor", "metallicRoughnessTexture", "b"),
    Place("roughness", PBR, "roughnessFactor", "metallicRoughnessTexture", "g"),
    Place("emissive", "", "emissiveFactor", "emissiveTexture", "rgb", True, (0.0, 0.0, 0.0)),
    Place("emissive_strength", f"{_X}emissive_strength", "emissiveStrength", "", ""),
    Place("clearcoat", f"{_X}clearcoat", "clearcoatFactor", "clearcoatTexture", "r", False, 0.0),
    Place("clearcoat_roughness", f"{_X}clearcoat", "clearcoatRoughnessFactor", "clearcoatRoughnessTexture", "g", False, 0.0),
    Place("transmission", f"{_X}transmission", "transmissionFactor", "transmissionTexture", "r", False, 0.0),
    Place("thickness", f"{_X}volume", "thicknessFactor", "thicknessTexture", "g", False, 0.0),
    Place("attenuation_distance", f"{_X}volume", "attenuationDistance", "", "", False, 0.0),
    Place("attenuation_color", f"{_X}volume", "attenuationColor", "", "rgb", True, (1.0, 1.0, 1.0)),
    Place("ior", f"{_X}ior", "ior", "", "", False, 1.5),
    Place("specular", f"{_X}specular", "specularFactor", "specularTexture", "a"),
    Place("specular_color", f"{_X}specular", "specularColorFactor", "specularColorTexture", "rgb", True, (1.0, 1.0, 1.0)),
    Place("sheen_color", f"{_X}sheen", "sheenColorFactor", "sheenColorTexture", "rgb", True, (0.0, 0.0, 0.0)),
    Place("sheen_roughness", f"{_X}sheen", "sheenRoughnessFactor", "sheenRoughnessTexture", "a", False, 0.0),
    Place("iridescence", f"{_X}iridescence", "iridescenceFactor", "iridescenceTexture", "r", False, 0.0),
    Place("iridescence_ior", f"{_X}iridescence", "iridescenceIor", "", "", False, 1.3),
    Place("anisotropy_strength", ANISOTROPY, "anisotropyStrength", "", "", False, 0.0),
    Place("anisotropy_rotation", ANISOTROPY, "anisotropyRotation", "", "", False, 0.0),
    Place("dispersion", f"{_X}dispersion", "dispersion", "", "", False, 0.0),
    Place("diffuse_transmission", f"{_X}diffuse_transmission", "diffuseTransmissionFactor", "diffuseTransmissionTexture", "a", False, 0.0),
    Place("diffuse_transmission_color", f"{_X}diffuse_transmission", "diffuseTransmissionColorFactor", "diffuseTransmissionColorTexture", "rgb", True, (1.0, 1.0, 1.0)),
)  # fmt: skip
BY_PARAMETER = {one.parameter: one for one in PLACES}
_BY_HOME = {home: tuple(places) for home, places in groupby(PLACES, lambda one: one.home)}
# Read by code of their own; what else stands in a material is kept as text.
_OWN = {"name", "alphaMode", "alphaCutoff", "doubleSided", "normalTexture", "occlusionTexture", PBR, "emissiveFactor", "emissiveTexture",
        "extensions"}  # fmt: skip
_OWN_EXTENSIONS = {"iridescenceThicknessMinimum", "iridescenceThicknessMaximum", "iridescenceThicknessTexture", "anisotropyTexture",
                   "clearcoatNormalTexture"}  # fmt: skip
TRANSFORM = "KHR_texture_transform"
Texture = Callable[[Node, dict[str, Any]], None]


class MaterialReader:
    """Reads one material into a graph. `texture` puts what a texture is (its file, its edges) on a node."""

    def __init__(self, said: dict[str, Any], texture: Texture) -> None:
        self.said, self.texture = said, texture
        self.graph = Graph()
        self.surface = Node("surface", SURFACE)
        self.problems: dict[str, Problem] = {}

    def run(self, tinted: str = "") -> Graph:
        """The network; with `tinted` the colours of the mesh's corners under that name are multiplied into the base."""
        self.graph.add(self.surface)
        self.graph.outputs["surface"] = Link("surface")
        for name, places in _BY_HOME.items():
            home = self._home(name)
            for place in places if home else ():
                self._parameter(place, home)
        self._modes()
        self._relief()
        self._iridescence()
        self._extras()
        if tinted:
            self._corners(tinted)
        self.surface.problems = self.problems or None
        return self.graph

    def _home(self, name: str) -> dict[str, Any]:
        if not name:
            return self.said
        holder = self.said if name == PBR else self.said.get("extensions")
        found = holder.get(name) if isinstance(holder, dict) else None
        return found if isinstance(found, dict) else {}

    def _value(self, port: str, value: Any, size: int) -> Value | None:
        """A number or a colour; what is neither is told."""
        numbers = value if isinstance(value, list) else [value]
        good = all(isinstance(n, int | float) and not isinstance(n, bool) and math.isfinite(n) for n in numbers)
        if not good or (isinstance(value, list) and len(value) != size) or (size > 1 and not isinstance(value, list)):
            self.problems[port] = Problem(f"Expected {size} finite numbers, found {json.dumps(value)[:60]}.")
            return None
        return tuple(float(n) for n in value) if size > 1 else float(numbers[0])

    def _parameter(self, place: Place, home: dict[str, Any]) -> None:
        port = place.parameter
        factor: Value | None = None
        if place.factor in home:
            size = 4 if place.factor == "baseColorFactor" else 3 if place.channels == "rgb" else 1
            factor = self._value(port, home[place.factor], size)
            if isinstance(factor, tuple) and len(factor) == 4:
                factor = factor[3] if port == "alpha" else factor[:3]
        texture = home.get(place.texture) if place.texture else None
        if port == "alpha" and self.said.get("alphaMode", "OPAQUE") == "OPAQUE":
            texture = None
            if factor == 1.0:
                factor = None
        if not isinstance(texture, dict):
            if factor is not None:
                self.surface.values[port] = factor
            return
        node = self._texture_node(f"{port}_texture", TEXTURE, texture)
        if factor is not None:
            node.values["factor"] = (*factor, 1.0) if isinstance(factor, tuple) else (float(factor),) * 4
        elif place.usual != 1.0 and place.usual != (1.0, 1.0, 1.0):
            usual = place.usual if isinstance(place.usual, tuple) else (place.usual,) * 3
            node.values["factor"] = (*usual, 1.0 if isinstance(place.usual, tuple) else place.usual)
        node.values["decode"] = "srgb" if place.colour else "linear"
        self.surface.links[port] = Link(node.id, "rgb" if place.channels == "rgb" else place.channels)

    def _texture_node(self, name: str, kind: str, said: dict[str, Any]) -> Node:
        node = self.graph.add(Node(name, kind))
        index = said.get("texCoord", 0)
        moved = extension(said, TRANSFORM)
        if isinstance(moved, dict):
            index = moved.get("texCoord", index)
            for key, port, size in (("offset", "offset", 2), ("scale", "scale", 2), ("rotation", "rotation", 1)):
                if key in moved and (value := self._value(f"{name}.{port}", moved[key], size)) is not None:
                    node.values[port] = value
        if isinstance(index, int) and index:
            node.values["uv_set"] = f"st{index}"
        others = {k: v for k, v in said.items() if k not in ("index", "texCoord", "scale", "strength", "extensions")}
        others |= (
            {f"extensions.{k}": v for k, v in (said.get("extensions") or {}).items() if k != TRANSFORM}
            if isinstance(said.get("extensions"), dict)
            else {}
        )
        for key, value in others.items():
            node.values[key] = json.dumps(value)
        self.texture(node, said)
        return node

    def _modes(self) -> None:
        said = self.said
        mode = said.get("alphaMode")
        if mode in MODES:
            self.surface.values["alpha_mode"] = MODES.index(mode)
        elif mode is not None:
            self.problems["alpha_mode"] = Problem(f"Expected one of {', '.join(MODES)}, found {json.dumps(mode)[:40]}.")
        if "alphaCutoff" in said and (value := self._value("alpha_cutoff", said["alphaCutoff"], 1)) is not None:
            self.surface.values["alpha_cutoff"] = value
        if isinstance(said.get("doubleSided"), bool):
            self.surface.values["double_sided"] = said["doubleSided"]
        if extended(said, "KHR_materials_unlit"):
            self.surface.kind = UNLIT

    def _relief(self) -> None:
        coat = self._home(f"{_X}clearcoat").get("clearcoatNormalTexture")
        for port, said in (("normal", self.said.get("normalTexture")), ("clearcoat_normal", coat)):
            if isinstance(said, dict):
                node = self._texture_node(f"{port}_texture", NORMAL, said)
                if "scale" in said and (value := self._value(f"{port}.scale", said["scale"], 1)) is not None:
                    node.values["strength"] = value
                self.surface.links[port] = Link(node.id, "normal")
        shadow = self.said.get("occlusionTexture")
        if isinstance(shadow, dict):
            node = self._texture_node("occlusion_texture", TEXTURE, shadow)
            node.values["decode"] = "linear"
            if "strength" in shadow and (value := self._value("occlusion.strength", shadow["strength"], 1)) is not None:
                node.values["strength"] = value
            self.surface.links["occlusion"] = Link(node.id, "r")

    def _iridescence(self) -> None:
        """The film's thickness: the picture lies between two ends; without one the upper end counts."""
        said = self._home(f"{_X}iridescence")
        low, high = said.get("iridescenceThicknessMinimum", 100.0), said.get("iridescenceThicknessMaximum", 400.0)
        if not said:
            self._anisotropy()
            return
        low_, high_ = self._value("iridescence_thickness", low, 1), self._value("iridescence_thickness", high, 1)
        texture = said.get("iridescenceThicknessTexture")
        if isinstance(texture, dict) and isinstance(low_, float) and isinstance(high_, float):
            node = self._texture_node("iridescence_thickness_texture", TEXTURE, texture)
            node.values |= {"decode": "linear", "factor": (high_ - low_,) * 4, "shift": low_}
            self.surface.links["iridescence_thickness"] = Link(node.id, "g")
        elif high_ is not None:
            self.surface.values["iridescence_thickness"] = high_
        self._anisotropy()

    def _anisotropy(self) -> None:
        """Its picture turns and weakens the stretch from place to place; only the strength, in blue, is read as one."""
        texture = self._home(ANISOTROPY).get("anisotropyTexture")
        if isinstance(texture, dict):
            node = self._texture_node("anisotropy_texture", TEXTURE, texture)
            node.values["decode"] = "linear"
            strength = self.surface.values.pop("anisotropy_strength", 0.0)
            if isinstance(strength, float):
                node.values["factor"] = (strength,) * 4
            self.surface.links["anisotropy_strength"] = Link(node.id, "b")
            self.surface.values["anisotropy_directions"] = "the picture's red and green"

    def _extras(self) -> None:
        """What the table does not know: extensions, extras, keys of nobody."""
        for key, value in self.said.items():
            if key not in _OWN:
                self.surface.values[key] = json.dumps(value)
        extensions = self.said.get("extensions")
        for name, value in extensions.items() if isinstance(extensions, dict) else ():
            if name not in _BY_HOME and name != "KHR_materials_unlit":
                self.surface.values[f"extensions.{name}"] = json.dumps(value)
            elif isinstance(value, dict):
                known = {x for one in PLACES if one.home == name for x in (one.factor, one.texture)} | _OWN_EXTENSIONS
                for key, inner in value.items():
                    if key not in known:
                        self.surface.values[f"extensions.{name}.{key}"] = json.dumps(inner)

    def _corners(self, name: str) -> None:
        """Colours of the mesh's corners, which are multiplied into the base."""
        node = self.graph.add(Node("corner_colours", CORNERS, {"name": name}))
        if "base_color" in self.surface.links:
            node.links["input"] = self.surface.links["base_color"]
        else:
            node.values["input"] = self.surface.values.pop("base_color", (1.0, 1.0, 1.0))
        self.surface.links["base_color"] = Link(node.id, "rgb")


def textures_of(said: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """Every texture that a material names, wherever it stands."""
    waiting: list[Any] = [said]
    while waiting:
        here = waiting.pop()
        if isinstance(here, dict):
            for key, value in here.items():
                if key.endswith("Texture") and isinstance(value, dict) and "index" in value:
                    yield value
                waiting.append(value)
        elif isinstance(here, list):
            waiting.extend(here)
