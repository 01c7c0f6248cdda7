"""Write what is meant as a Mitsuba scene: a new file with its meshes beside it, or the source's own with other values in it."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np

from durvan.delivery.beside import Beside
from durvan.formats import xml
from durvan.formats.mitsuba.changing import Changer
from durvan.formats.mitsuba.elements import put, thing
from durvan.formats.mitsuba.geometry import Geometry, Worn
from durvan.formats.mitsuba.materials import BsdfWriter, networks
from durvan.formats.mitsuba.standing import integrator, is_light, light, sensor, values_of
from durvan.formats.mitsuba.told import tell
from durvan.formats.mitsuba.words import AROUND, PREFIX, SENSORS
from durvan.identity import Namer, clean, leaf
from durvan.scene.assembly import Assembly, Floats
from durvan.scene.graph import Value
from durvan.scene.written import Form, Lying, Written, WrittenThing

VERSION = "3.0.0"


def write(written: Written, file: Path) -> None:
    """Write a scene, and its meshes beside it. Raises SceneFileError and OSError."""
    beside = written.beside or Beside(file)
    if written.base:
        changer = Changer(written, beside.target)
        changer.run()
        root, said = changer.root, {}
    else:
        whole = _Whole(written, beside)
        whole.run()
        root, said = whole.root, whole.said()
        written.names.update(whole.paths)
    tell(root, {"told": dict(written.told), **said})
    file.write_bytes(xml.to_bytes(root))


class _Whole:
    """A scene of its own. `paths` are the ids of what is in it, by path."""

    def __init__(self, written: Written, beside: Lying) -> None:
        self.written, self.beside = written, beside
        self.root = xml.element("scene", version=VERSION)
        self.paths: dict[str, str] = {}
        self.ids = Namer(exact=True)
        self.worn: dict[str, Worn] = {}
        self.absent: list[str] = []
        self.body = written.body or _empty(written)
        there = [(path, one) for path, one in written.things.items() if one.form in (Form.SCENE, Form.MATERIAL)]
        self.ids.know((path, clean(leaf(path), "thing")) for path, _ in there)

    def run(self) -> None:
        """Put everything into it."""
        things = self.written.things
        scene = {path: one for path, one in things.items() if one.form is Form.SCENE and not one.off}
        settings: dict[str, Value] = {}
        for one in scene.values():
            if one.word.startswith(PREFIX) and one.word not in SENSORS and not is_light(one):
                settings |= values_of(one)
        materials = self._materials()
        through = any(made.inside is not None for made, _ in materials)
        integrator(self.root, settings, through)
        upright = self.body.upright()
        for path, one in scene.items():
            if one.word in SENSORS:
                sensor(self.root, self._id(path), one, _place(one, upright), settings)
        for made, element in materials:
            self.root.append(element)
            if made.inside is not None:
                self._medium(made)
        lights = [(path, one) for path, one in scene.items() if is_light(one)]
        dark = self._dark() if any(one.word.startswith("mitsuba.area_") for _, one in lights) else ""
        around = [path for path, one in lights if one.word in AROUND]
        for path in around[1:]:  # Mitsuba opens no scene with two
            self.absent.append(path)
            self.written.remarks.append(f"{path}: Mitsuba takes one environment; it is left out.")
        for path, one in lights:
            if path in self.absent:
                continue
            light(self.root, self._id(path), one, _place(one, upright), dark, self._is_there)
        geometry = Geometry(self.root, self.worn, self.beside, Namer(self.ids.given, exact=True))
        geometry.put(self.body)
        self.written.remarks.extend([*geometry.remarks, *self.body.lost])

    def _id(self, path: str) -> str:
        found = self.paths[path] = self.ids.name(path, clean(leaf(path), "thing"))
        return found

    def said(self) -> dict[str, Any]:
        """What a comment keeps, so that the file can be held against what was meant."""
        upright = self.body.upright().reshape(-1).tolist()
        return {"paths": self.paths, "absent": self.absent, "upright": upright}

    def _is_there(self, path: str) -> bool:
        return os.path.isfile(self.beside.find(path))

    def _materials(self) -> list[tuple[BsdfWriter, Any]]:
        out = []
        worn = {self.written.merged.get(path, path) for path in self.body.worn()}
        for path, nodes, root in networks(self.written):
            made = BsdfWriter(nodes, self._id(path), self._is_there, path in worn)
            out.append((made, made.run(root)))
            self.worn[path] = Worn(made.id, made.glow)
            self.absent += [*made.absent, *made.idle]
            self.written.remarks.extend(
                f"{path}: the picture {file} is nowhere; a grey stands in its place." for file in made.absent.values()
            )
            if made.unsaid:
                said = " and ".join(dict.fromkeys(made.unsaid))
                self.written.remarks.append(
                    f"{path}: Mitsuba puts {said} on shapes, and none wears it; it is left out."
                )
        for gone, into in self.written.merged.items():
            if into in self.worn:
                self.worn[gone] = self.worn[into]
        return out

    def _medium(self, made: BsdfWriter) -> None:
        """A medium that only absorbs, for the inside of what wears a material."""
        assert made.inside is not None
        id_ = self.ids.name(f"inside {made.id}", f"{made.id}_inside")
        medium = thing(self.root, "medium", "homogeneous", id_)
        put(medium, "albedo", (0.0, 0.0, 0.0))
        most = max(made.inside)
        put(medium, "sigma_t", tuple(part / most for part in made.inside))  # colours are within 1 there
        put(medium, "scale", most)
        for worn in self.worn.values():
            if worn.id == made.id:
                worn.inside = id_

    def _dark(self) -> str:
        id_ = self.ids.name("dark", "dark")
        put(thing(self.root, "bsdf", "diffuse", id_), "reflectance", (0.0, 0.0, 0.0))
        return id_


def _empty(written: Written) -> Assembly:
    unit = written.metadata.get("metersPerUnit", 1.0)
    return Assembly(up_axis=written.up_axis, metres_per_unit=float(unit) if isinstance(unit, int | float) else 1.0)


def _place(one: WrittenThing, upright: Floats) -> Floats:
    return np.array(one.matrix).reshape(4, 4) @ upright if one.matrix else np.eye(4)


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
