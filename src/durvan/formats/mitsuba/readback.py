"""A Mitsuba scene that was written, asked what it says, to be held against what was meant."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Any

import numpy as np

from durvan.formats.mitsuba.document import Document
from durvan.formats.mitsuba.materials import number
from durvan.formats.mitsuba.reading import Reader
from durvan.formats.mitsuba.standing import is_light
from durvan.formats.mitsuba.told import said_of
from durvan.formats.mitsuba.words import AROUND, SENSORS
from durvan.formats.places import stands_as_meant
from durvan.progress import silent
from durvan.scene.graph import Value
from durvan.scene.raw import YAW, RawThing
from durvan.scene.written import Form, Property, ReadBack, WrittenThing

_ROUND = (
    "mitsuba.point",
    "mitsuba.area_sphere",
    "mitsuba.area_cylinder",
)  # which way they are turned does not show, or is by their ends


class MitsubaReadBack:
    """A file that was written, asked what it says."""

    over = ""

    def __init__(self, file: Path) -> None:
        self.raw = Reader(Document(file)).run(silent)
        said = said_of(file)
        paths, self.absent = said.get("paths", {}), set(said.get("absent", ()))
        self.upright = np.array(said.get("upright") or np.eye(4), dtype=np.float64).reshape(4, 4)
        self.folder = os.path.dirname(os.path.abspath(file))
        by_name = {one.name: one for one in self.raw.things}
        self.things = {one.path: one for one in self.raw.things}
        self.things |= {str(path): by_name[id_] for path, id_ in paths.items() if id_ in by_name}

    def says(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What the file says of what is wanted of a thing."""
        if wanted.form is Form.MATERIAL:
            return wanted if path in self.things else None
        if wanted.form in (Form.NODE, Form.CHANGES):
            home, _, name = path.rpartition("/")
            thing_ = self.things.get(home) or self.things.get(home.rpartition("/")[0])
            if thing_ is None or wanted.off:
                return wanted if wanted.off else None
            if path in self.absent:
                return wanted
            node = thing_.graph.nodes.get(name)
            if node is None:  # what stands outermost goes by the material's own id
                alike = [one for one in thing_.graph.nodes.values() if one.kind == wanted.word]
                node = alike[0] if alike else None
            return self._node(node, wanted) if node is not None else None
        if wanted.word not in SENSORS and not is_light(wanted):
            return wanted
        if path in self.absent:
            return wanted
        found = self.things.get(path)
        return self._standing(found, wanted) if found is not None else None

    def _node(self, node: Any, wanted: WrittenThing) -> WrittenThing:
        out = WrittenThing(wanted.form, node.kind if wanted.word else "", outputs=dict(wanted.outputs))
        for name, one in wanted.properties.items():
            if one.link is not None:
                if name in node.links or one.link[0] in self.absent or name == "radiance":
                    out.properties[name] = one
            elif name in node.values:
                value = node.values[name]
                if isinstance(one.value, float) and isinstance(value, tuple) and len(set(value)) == 1:
                    value = value[0]
                if name == "rotate" and abs((number(value) - number(one.value) + 180.0) % 360.0 - 180.0) < 1e-6:
                    value = one.value  # a whole turn more
                out.properties[name] = Property(one.type, value, one.link, one.fixed, one.space)
            elif _says_nothing(name, one, node):
                out.properties[name] = one
        return out

    def _standing(self, found: RawThing, wanted: WrittenThing) -> WrittenThing:
        """A light or a camera: what it says, and whether it stands where it was meant to."""
        even = found.prim_type == "mitsuba.constant"  # which stands in where a picture is nowhere, and cannot be turned
        yaw = wanted.yaw if wanted.yaw is None or even else found.attributes.get(YAW, 0.0)
        out = WrittenThing(wanted.form, wanted.word, {}, yaw=float(str(yaw)) if yaw is not None else None)
        stands = np.array(found.stands).reshape(4, 4) if found.stands else np.eye(4)
        placed = bool(found.stands) and wanted.word not in AROUND
        near = wanted.word != "mitsuba.directional"  # where what shines from afar stands, says nothing
        if not placed or stands_as_meant(wanted, self.upright, stands, wanted.word not in _ROUND, near):
            out.matrix, out.towards = wanted.matrix, wanted.towards
        else:
            out.matrix = tuple(float(part) for part in stands.reshape(-1))
        for name, one in wanted.properties.items():
            port = name.rpartition(":")[2]
            value = found.attributes.get(f"mitsuba:{port}")
            if value is None and self._is_left_out(port, one, found):
                value = one.value
            if value is not None:
                out.properties[name] = Property(one.type, value, one.link, one.fixed, one.space)
        return out

    def _is_left_out(self, port: str, one: Property, found: RawThing) -> bool:
        """Whether a property says nothing, or stands elsewhere: a picture that is nowhere, a colour that a picture has the place of."""
        if port in ("picture", "filename", "texture"):
            return not one.value or not os.path.isfile(os.path.join(self.folder, str(one.value)))
        if port == "radiance":
            return "mitsuba:picture" in found.attributes
        return port in ("principal_point_offset_x", "principal_point_offset_y", "turn") and number(one.value) == 0.0


def _says_nothing(name: str, one: Property, node: Any) -> bool:
    """Whether a value is left out of a file because it says nothing there, or another one counts."""
    if name in ("eta", "k"):
        return "material" in node.values or "specular" in node.values
    idle: dict[str, tuple[Value, ...]] = {
        "opacity": (1.0,), "both_sides": (True,), "radiance": ((0.0, 0.0, 0.0), 0.0), "absorption": ((0.0, 0.0, 0.0), 0.0),
        "material": ("",), "alpha_v": (-1.0,), "specular": (-1.0,), "spec_trans": (0.0,), "format": ("",), "texture": ("",),
        "scale": ((1.0, 1.0), 1.0), "offset": ((0.0, 0.0),), "rotate": (0.0,), "normalmap": ((0.5, 0.5, 1.0),), "height": (0.0,),
    }  # fmt: skip
    if name in ("radiance", "absorption"):
        return True  # it stands on the shapes that wear the material, and none may
    if name == "both_sides":
        return one.value is True or node.values.get("both_sides") is None
    return one.value in idle.get(name, ()) or name in ("eumelanin", "pheomelanin")


def read_back(file: Path) -> ReadBack:
    """A file that was written. Raises SceneFileError."""
    return MitsubaReadBack(file)
