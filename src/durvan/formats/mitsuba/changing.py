"""Put other values into a scene's own file; everything else of it stays, known or not."""

from __future__ import annotations

import os
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.mitsuba.document import Document, Thing
from durvan.formats.mitsuba.elements import put, stand
from durvan.formats.mitsuba.materials import BsdfWriter, networks, placement
from durvan.formats.mitsuba.reading import Reader
from durvan.progress import silent
from durvan.scene.graph import Value
from durvan.scene.written import Form, Property, Written, WrittenThing

_PLACED = ("scale", "rotate", "offset")
_OTHER = {"alpha": ("alpha", "alpha_u"), "absorption": ("sigma_a",)}


class Changer:
    """Changes the tree of one source. `root` is its element."""

    def __init__(self, written: Written, home: Path) -> None:
        self.written = written
        source = Path(written.base)
        self.document = Document(source, comments=True)
        self.root = self.document.scene.element
        self.reader = Reader(self.document)
        self.raw = self.reader.run(silent)
        self.things = {one.path: one for one in self.raw.things}
        self._moved(source, home)

    def _moved(self, source: Path, home: Path) -> None:
        """Files that the source names are named from the new place."""
        for one in self.root.iter():
            if not xml.is_element(one):
                continue
            is_file = one.tag == "string" and one.get("name") == "filename"
            key = "filename" if one.tag == "include" else "value"
            name = one.get(key, "") if is_file or one.tag == "include" else ""
            if name and "://" not in name and not os.path.isabs(name) and "$" not in name:
                whole = os.path.normpath(os.path.join(source.absolute().parent, name))
                one.set(key, os.path.relpath(whole, home.absolute().parent).replace(os.sep, "/"))

    def run(self) -> None:
        """Everything that is meant."""
        for path, one in self.written.things.items():
            if one.form is Form.CHANGES:
                self._change(path, one)
            elif one.form is Form.MATERIAL:
                self._material(path)
            elif one.form in (Form.PROPERTIES, Form.SCENE):
                self._standing(path, one)

    def _refuse(self, path: str, why: str) -> SceneFileError:
        return SceneFileError(f"{why}.", file=self.written.base, inside=path)

    def _own(self, one: Thing, path: str) -> Any:
        """The element of a thing, where it is of this file and no other."""
        if one.element.getroottree().getroot() is not self.root:
            raise self._refuse(path, "stands in a file that is included, which is not changed")
        return one.element

    def _change(self, path: str, one: WrittenThing) -> None:
        found = self.reader.origins.get(path)
        if not found:
            raise self._refuse(path, "is there no more")
        around = {outer.type: outer for outer in found[1:]}
        placed: dict[str, Value] = {}
        for port, said in one.properties.items():
            if said.value is None:
                continue
            if port in _PLACED and found[0].type in ("bitmap", "checkerboard"):
                placed[port] = said.value
            elif port == "opacity" and "mask" in around:
                self._set(self._own(around["mask"], path), port, said)
            elif port == "radiance":
                self._emitters(path, said)
            elif port in ("opacity", "both_sides", "absorption") and found[0].type != "hair":
                raise self._refuse(
                    path, f"has no place for {port}: what is around a BSDF is not changed in a file that was read"
                )
            else:
                self._set(self._own(found[0], path), port, said)
        if placed:
            element = self._own(found[0], path)
            node = self._node(path)
            for child in [c for c in element if c.tag == "transform" and c.get("name") == "to_uv"]:
                element.remove(child)
            stand(element, placement({**node, **placed}), "to_uv")

    def _node(self, path: str) -> Mapping[str, Value]:
        home, _, name = path.rpartition("/")
        return self.things[home].graph.nodes[name].values

    @staticmethod
    def _set(element: Any, port: str, said: Property) -> None:
        names = _OTHER.get(port, (port,))
        before = [
            c
            for c in element
            if xml.is_element(c) and c.get("name") in (port, *names) and c.tag not in ("texture", "ref", "bsdf")
        ]
        name = before[0].get("name") if before else port
        for child in before:
            element.remove(child)
        assert said.value is not None
        put(element, name, said.value, said.type)

    def _emitters(self, path: str, said: Property) -> None:
        """What shapes give off that wear a material."""
        material = path.rpartition("/")[0]
        for row in self.reader.rows:
            if row.material == material:
                for emitter in row.thing.of("emitter"):
                    self._set(self._own(emitter, row.path), "radiance", said)

    def _material(self, path: str) -> None:
        """Another network in a material's place."""
        found = self.things.get(path)
        mine = [(nodes, root) for of, nodes, root in networks(self.written) if of == path]
        if found is None or not mine:
            raise self._refuse(path, "is there no more")
        origin = self.reader.outermost[path]
        before = self._own(origin, path)
        made = BsdfWriter(mine[0][0], origin.id or found.name)
        element = made.run(mine[0][1])
        if before.get("name"):
            element.set("name", before.get("name"))
        if not origin.id:
            element.attrib.pop("id", None)
        before.getparent().replace(before, element)

    def _standing(self, path: str, one: WrittenThing) -> None:
        found = self.reader.standing.get(path)
        if found is None:
            return
        for port, said in one.properties.items():
            name = port.rpartition(":")[2]
            if said.value is None:
                continue
            holder = next((t for t in found if name in t.values), found[0])
            self._set(self._own(holder, path), name, said)
