"""Write what is meant as a Mitsuba scene: a new file with its meshes beside it, or the source's own with other values in it."""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import numpy as np

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.mitsuba.changing import Changer
from durvan.formats.mitsuba.document import Document
from durvan.formats.mitsuba.elements import put, thing
from durvan.formats.mitsuba.geometry import Geometry, Worn
from durvan.formats.mitsuba.materials import BsdfWriter, networks
from durvan.formats.mitsuba.reading import Reader
from durvan.formats.mitsuba.standing import integrator, light, sensor, values_of
from durvan.formats.mitsuba.words import PREFIX
from durvan.formats.naming import clean, unique
from durvan.progress import silent
from durvan.scene.assembly import Assembly, Floats
from durvan.scene.graph import Value
from durvan.scene.written import Form, Property, ReadBack, Written, WrittenThing

VERSION = "3.0.0"
_MARK = "Durvan "
_AROUND = ("mitsuba.constant", "mitsuba.envmap")
_SENSORS = ("mitsuba.perspective", "mitsuba.thinlens", "mitsuba.orthographic")


def write(written: Written, file: Path) -> None:
    """Write a scene, and its meshes beside it. Raises SceneFileError and OSError."""
    home = Path(written.home or file)
    if written.base:
        changer = Changer(written, home)
        changer.run()
        root, said = changer.root, {}
    else:
        whole = _Whole(written, home)
        whole.run()
        root, said = whole.root, {"paths": whole.paths, "absent": whole.absent}
    _tell(root, {"told": dict(written.told), **said})
    file.write_bytes(xml.to_bytes(root))


def _tell(root: Any, said: Mapping[str, Any]) -> None:
    """Say in a comment how a file was made; Mitsuba takes no properties that it does not know."""
    for one in list(root):
        if not xml.is_element(one) and str(one.text).startswith(_MARK):
            root.remove(one)
    root.insert(0, xml.comment(_MARK + json.dumps(said, sort_keys=True).replace("-", "\\u002d")))


def _said(file: Path) -> dict[str, Any]:
    for one in xml.parse(file, comments=True):
        if not xml.is_element(one) and str(one.text).startswith(_MARK):
            try:
                found = json.loads(str(one.text).removeprefix(_MARK))
            except ValueError:
                return {}
            return found if isinstance(found, dict) else {}
    return {}


class _Whole:
    """A scene of its own. `paths` are the ids of what is in it, by path."""

    def __init__(self, written: Written, home: Path) -> None:
        self.written, self.home = written, home
        self.root = xml.element("scene", version=VERSION)
        self.paths: dict[str, str] = {}
        self.ids: set[str] = set()
        self.worn: dict[str, Worn] = {}
        self.absent: list[str] = []
        self.body = written.body or _empty(written)

    def run(self) -> None:
        """Put everything into it."""
        things = self.written.things
        scene = {path: one for path, one in things.items() if one.form is Form.SCENE and not one.off}
        settings: dict[str, Value] = {}
        for one in scene.values():
            if one.word.startswith(PREFIX) and one.word not in _SENSORS and not _is_light(one):
                settings |= values_of(one)
        materials = self._materials()
        through = any(made.inside is not None for made, _ in materials)
        integrator(self.root, settings, through)
        upright = self.body.upright()
        for path, one in scene.items():
            if one.word in _SENSORS:
                sensor(self.root, self._id(path), one, _place(one, upright), settings)
        for made, element in materials:
            self.root.append(element)
            if made.inside is not None:
                self._medium(made)
        lights = [(path, one) for path, one in scene.items() if _is_light(one)]
        dark = self._dark() if any(one.word.startswith("mitsuba.area_") for _, one in lights) else ""
        around = [path for path, one in lights if one.word in _AROUND]
        for path in around[1:]:  # Mitsuba opens no scene with two
            self.absent.append(path)
            self.written.remarks.append(f"{path}: Mitsuba takes one environment; it is left out.")
        for path, one in lights:
            if path in self.absent:
                continue
            light(self.root, self._id(path), one, _place(one, upright), dark, self._is_there)
        geometry = Geometry(self.root, self.worn, self.home.parent / f"{self.home.stem}_meshes", ids=self.ids)
        geometry.put(self.body)
        self.written.remarks.extend([*geometry.remarks, *self.body.lost])

    def _id(self, path: str) -> str:
        found = self.paths[path] = unique(clean(path.rsplit("/", 1)[-1], "thing"), self.ids)
        return found

    def _is_there(self, path: str) -> bool:
        return os.path.isfile(os.path.join(self.home.absolute().parent, path))

    def _materials(self) -> list[tuple[BsdfWriter, Any]]:
        out = []
        for path, nodes, root in networks(self.written):
            made = BsdfWriter(nodes, self._id(path), self._is_there)
            out.append((made, made.run(root)))
            self.worn[path] = Worn(made.id, made.glow)
            self.absent += [*made.absent, *made.idle]
            self.written.remarks.extend(
                f"{path}: the picture {file} is nowhere; a grey stands in its place." for file in made.absent.values()
            )
        for gone, into in self.written.merged.items():
            if into in self.worn:
                self.worn[gone] = self.worn[into]
        return out

    def _medium(self, made: BsdfWriter) -> None:
        """A medium that only absorbs, for the inside of what wears a material."""
        assert made.inside is not None
        id_ = unique(f"{made.id}_inside", self.ids)
        medium = thing(self.root, "medium", "homogeneous", id_)
        put(medium, "albedo", (0.0, 0.0, 0.0))
        most = max(made.inside)
        put(medium, "sigma_t", tuple(part / most for part in made.inside))  # colours are within 1 there
        put(medium, "scale", most)
        for worn in self.worn.values():
            if worn.id == made.id:
                worn.inside = id_

    def _dark(self) -> str:
        id_ = unique("dark", self.ids)
        put(thing(self.root, "bsdf", "diffuse", id_), "reflectance", (0.0, 0.0, 0.0))
        return id_


def _is_light(one: WrittenThing) -> bool:
    word = one.word.removeprefix(PREFIX)
    return word.startswith("area_") or word in ("point", "spot", "directional", "constant", "envmap")


def _empty(written: Written) -> Assembly:
    unit = written.metadata.get("metersPerUnit", 1.0)
    return Assembly(up_axis=written.up_axis, metres_per_unit=float(unit) if isinstance(unit, int | float) else 1.0)


def _place(one: WrittenThing, upright: Floats) -> Floats:
    return np.array(one.matrix).reshape(4, 4) @ upright if one.matrix else np.eye(4)


# reading back


class MitsubaReadBack:
    """A file that was written, asked what it says."""

    over = ""

    def __init__(self, file: Path) -> None:
        self.raw = Reader(Document(file)).run(silent)
        said = _said(file)
        paths, self.absent = said.get("paths", {}), set(said.get("absent", ()))
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
        if wanted.word not in _SENSORS and not _is_light(wanted):
            return wanted
        if path in self.absent:
            return wanted
        found = self.things.get(path)
        return self._standing(found, wanted) if found is not None else None

    def _node(self, node: Any, wanted: WrittenThing) -> WrittenThing:
        out = WrittenThing(wanted.form, node.kind if wanted.word else "", outputs=dict(wanted.outputs))
        for name, one in wanted.properties.items():
            if one.link is not None:
                if name in node.links or one.link[0] in self.absent:
                    out.properties[name] = one
            elif name in node.values:
                value = node.values[name]
                if isinstance(one.value, float) and isinstance(value, tuple) and len(set(value)) == 1:
                    value = value[0]
                out.properties[name] = Property(one.type, value, one.link, one.fixed, one.space)
            elif _says_nothing(name, one, node):
                out.properties[name] = one
        return out

    @staticmethod
    def _standing(found: Any, wanted: WrittenThing) -> WrittenThing:
        out = WrittenThing(wanted.form, wanted.word, {}, yaw=wanted.yaw, towards=wanted.towards, matrix=wanted.matrix)
        for name, one in wanted.properties.items():
            value = found.attributes.get(f"mitsuba:{name.rpartition(':')[2]}")
            out.properties[name] = Property(
                one.type, one.value if value is None else value, one.link, one.fixed, one.space
            )
        return out


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
        return True  # it stands on the shapes that wear the material, and nothing may
    if name == "both_sides":
        return one.value is True or node.values.get("both_sides") is None
    return one.value in idle.get(name, ()) or name in ("eumelanin", "pheomelanin")


def read_back(file: Path) -> ReadBack:
    """A file that was written. Raises SceneFileError."""
    return MitsubaReadBack(file)


def carried_before(file: Path) -> dict[str, str]:
    """What a file says of how it was made; nothing of any other."""
    if not file.is_file():
        return {}
    try:
        said = _said(file).get("told", {})
    except SceneFileError:
        return {}
    return {str(name): str(value) for name, value in said.items()} if isinstance(said, dict) else {}


# paths of other files


def _naming(root: Any) -> list[Any]:
    """The elements that name files."""
    return [
        one for one in root.iter()
        if xml.is_element(one) and ((one.tag == "string" and one.get("name") == "filename") or one.tag == "include")
    ]  # fmt: skip


def _key(one: Any) -> str:
    return "filename" if one.tag == "include" else "value"


def rewrite(source: Path, out: Path, put_: Callable[[str], str]) -> int:
    """Write a copy with other paths of files in it; how many were changed. Raises SceneFileError."""
    root = xml.parse(source, comments=True)
    changed = 0
    for one in _naming(root):
        before = one.get(_key(one), "")
        after = put_(before)
        if after != before:
            one.set(_key(one), after)
            changed += 1
    out.write_bytes(xml.to_bytes(root))
    return changed


def paths_in(file: Path) -> list[str]:
    """Every path of another file that a file names."""
    return list(dict.fromkeys(one.get(_key(one), "") for one in _naming(xml.parse(file, comments=True))))
