"""A glTF file that was written, asked what it says, to be held against what was meant."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from durvan.formats.gltf.container import read_asset
from durvan.formats.gltf.lenient import extended, table
from durvan.formats.gltf.materials import SURFACE, MaterialReader
from durvan.formats.gltf.packing import number, three
from durvan.formats.gltf.paths import material_paths, node_paths, parents
from durvan.formats.gltf.reading import LIGHTS, read_gltf
from durvan.formats.gltf.words import EXTRAS, WORDS_OF_LIGHTS
from durvan.formats.places import stands_as_meant
from durvan.scene.graph import Value
from durvan.scene.raw import RawThing
from durvan.scene.written import Form, Property, ReadBack, WrittenThing

_NOT_SAID = (
    "projection",
    "aspect_ratio",
    "far",
    "range",
    "width",
    "height",
    "yfov",
    "inner_cone",
    "outer_cone",
    "near",
)  # left out where they say nothing
_HELD_DOWN = ("outer_cone", "inner_cone")  # a cone is at most half of all directions, the inner one smaller


class GltfReadBack:
    """A file that was written, asked what it says. Nodes of textures are taken by the channels that they became."""

    over = ""

    def __init__(self, file: Path) -> None:
        self.asset = read_asset(file)
        materials = self.asset.many("materials")
        paths = material_paths(materials)
        self.materials = dict(zip(paths, materials, strict=True))
        self.materials |= {_path_of(one): one for one in materials if _path_of(one)}
        nodes = self.asset.many("nodes")
        above, order = parents(nodes)
        self.nodes = dict(zip(node_paths(nodes, above, order), nodes, strict=True))
        self.paths = {id(one): path for path, one in self.nodes.items()}
        self.nodes |= {_path_of(one): one for one in nodes if _path_of(one)}
        self.things = {one.path: one for one in read_gltf(file).things}
        extras = self.asset.document["asset"].get("extras")
        upright = table(table(extras).get(EXTRAS)).get("upright")
        self.upright = np.array(upright or np.eye(4), dtype=np.float64).reshape(4, 4)

    def says(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What the file says of what is wanted of a thing."""
        if wanted.form is Form.MATERIAL:
            return wanted if path in self.materials else None
        if wanted.form is Form.SCENE:
            return self._standing(path, wanted)
        if wanted.form is Form.NODE and wanted.word.startswith(SURFACE):
            said = self.materials.get(path.rsplit("/", 2)[0])
            return self._surface(said, wanted) if said is not None else None
        return wanted

    def _surface(self, said: dict[str, Any], wanted: WrittenThing) -> WrittenThing:
        graph = MaterialReader(said, lambda node, texture: None).run()
        surface = graph.nodes["surface"]
        thing = WrittenThing(wanted.form, surface.kind, outputs=dict(wanted.outputs))
        opaque = not number(surface.values.get("alpha_mode", 0))
        for name, one in wanted.properties.items():
            if (name == "alpha" and opaque) or (
                one.link is not None and (name in surface.links or name == "base_color" or name in _missing_of(said))
            ):  # nothing looks at it, so no reader says it
                thing.properties[name] = one
            elif name in surface.values:
                value = surface.values[name]
                like = one.value
                thing.properties[name] = Property(
                    one.type, int(value) if isinstance(like, int) and isinstance(value, float) else value
                )
            elif name in surface.links or _says_nothing(name, one, surface.values):
                thing.properties[name] = one
        return thing

    def _standing(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        if wanted.word not in (*WORDS_OF_LIGHTS, "gltf.camera"):
            return wanted
        node = self.nodes.get(path)
        if node is None:
            return None
        is_light = extended(node, LIGHTS)
        if is_light != (wanted.word in WORDS_OF_LIGHTS) or ("camera" in node) == is_light:
            return None
        found = self.things[self.paths[id(node)]]
        out = replace(wanted, properties={}, matrix=tuple(found.stands), towards=None)
        if stands_as_meant(wanted, self.upright, np.array(found.stands).reshape(4, 4), wanted.word != "gltf.point"):
            out.matrix, out.towards = wanted.matrix, wanted.towards
        out.properties = self._numbers(found, wanted)
        return out

    @staticmethod
    def _numbers(found: RawThing, wanted: WrittenThing) -> dict[str, Property]:
        """What a light or a camera says. A colour brighter than white is written as a stronger light of a paler one: their product counts."""
        said = {name.rpartition(":")[2]: value for name, value in found.attributes.items()}
        meant = {name.rpartition(":")[2]: one.value for name, one in wanted.properties.items() if one.value is not None}
        shines, shone = (
            np.array(three(some.get("color", 1.0))) * number(some.get("intensity", 1.0)) for some in (meant, said)
        )
        if np.allclose(shines, shone, rtol=1e-6, atol=1e-9):
            said |= {name: meant[name] for name in ("color", "intensity") if name in meant}
        out = {}
        for name, one in wanted.properties.items():
            port = name.rpartition(":")[2]
            value = said.get(port, one.value if port in _NOT_SAID else None)
            if port in _HELD_DOWN and value is not None and number(meant.get(port, 0.0)) >= number(value):
                value = one.value
            out[name] = replace(one, value=value)
        return out


def _says_nothing(name: str, one: Property, values: Mapping[str, Value]) -> bool:
    """Whether a value is left out of a file because it says nothing there."""
    if name in ("thickness", "attenuation_color", "attenuation_distance"):
        return (
            "transmission" not in values
            or number(one.value if one.value is not None else 0.0) == 0.0
            or name != "attenuation_distance"
        )
    return name in (
        "alpha_mode",
        "alpha_cutoff",
        "double_sided",
        "alpha",
        "iridescence_thickness",
        "iridescence_ior",
        "anisotropy_directions",
        "occlusion",
    )


def _missing_of(said: dict[str, Any]) -> Mapping[str, str]:
    extras = said.get("extras")
    own = extras.get(EXTRAS) if isinstance(extras, dict) else None
    found = own.get("missing", {}) if isinstance(own, dict) else {}
    return found if isinstance(found, dict) else {}


def _path_of(said: dict[str, Any]) -> str:
    extras = said.get("extras")
    own = extras.get(EXTRAS) if isinstance(extras, dict) else None
    return str(own.get("path", "")) if isinstance(own, dict) else ""


def read_back(file: Path) -> ReadBack:
    """A file that was written. Raises SceneFileError."""
    return GltfReadBack(file)
