"""BSDFs with what wraps them, and the textures that feed them, as networks of raw things."""

from __future__ import annotations

import json
import math
from collections import Counter

import numpy as np
from numpy.typing import NDArray

from durvan.formats.mitsuba.document import Document, Thing
from durvan.formats.mitsuba.words import GREY, INDICES, PREFIX, WRAPPERS
from durvan.identity import Namer, clean
from durvan.scene.graph import Graph, Link, Node, Problem, Value
from durvan.scene.model import Kind, Oddity
from durvan.scene.raw import RawPicture, RawScene, RawThing

Floats = NDArray[np.float64]
MATERIALS = "/Materials"
_CONSTANT = {"srgb": "color", "uniform": "value", "rawconstant": "value"}


class NetworkReader:
    """Reads the BSDFs of one document, and keeps what is read."""

    def __init__(self, document: Document) -> None:
        self.document = document
        self.scene = document.scene
        self.raw = RawScene(
            document.file, 1.0, "Y", None, "", tuple(document.files), {"metersPerUnit": 1.0, "upAxis": "Y"}, "",
            oddities=list(document.oddities),
        )  # fmt: skip
        self.folder = document.folder
        self.taken: dict[str, Namer] = {}
        self.unnamed: Counter[str] = Counter()
        self.known: dict[int, str] = {}
        self.materials: dict[str, RawThing] = {}
        self.textures: dict[tuple[int, int], str] = {}
        self.origins: dict[str, list[Thing]] = {}  # of nodes: what they are read from, and what is around that
        self.outermost: dict[str, Thing] = {}
        self.thing = RawThing("", "", Kind.MATERIAL, "")
        self.graph = Graph()

    def _odd(self, code: str, line: int, detail: str, thing: str = "") -> None:
        self.raw.oddities.append(Oddity(code, thing, f"line {line}", detail))

    def _path(self, home: str, one: Thing, kind: str = "") -> str:
        """A path for an object, by its id or its name; what has none goes by its kind, numbered."""
        name = one.id or one.name
        if not name:
            kind = kind or one.type
            self.unnamed[kind] += 1
            name = f"{kind}_{self.unnamed[kind]}"
        return self._named_path(home, clean(name, kind or one.type))

    def _named_path(self, home: str, name: str) -> str:
        return f"{home}/{self.taken.setdefault(home, Namer(exact=True)).numbered(name)}"

    # materials

    def _material(self, one: Thing) -> str:
        """The path of a BSDF's material, read once however often it is worn."""
        key = id(one.inside)
        known = self.known.get(key)
        if known is not None:
            return known
        path = self.known[key] = self._path(MATERIALS, one, "bsdf")
        self.outermost[path] = one
        thing = self.thing = RawThing(path, one.id or path.rsplit("/", 1)[-1], Kind.MATERIAL, f"{PREFIX}{one.type}")
        self.graph = thing.graph = Graph()
        root = self._bsdf(one, "surface", 0)
        thing.contexts[""] = {"surface": Link(root.id)}
        self.materials[path] = thing
        self.raw.things.append(thing)
        return path

    def _bsdf(self, one: Thing, name: str, depth: int) -> Node:
        """A BSDF with what wraps it as one node; two that stand side by side, or back to back, are nodes that it is fed by."""
        wrapped: list[Thing] = []
        inner = one
        while inner.type in WRAPPERS and depth < 32:
            nested = [two for two in inner.inside if two.tag == "bsdf"]
            if inner.type == "twosided" and len(nested) == 2:
                return self._two(inner, nested, name, "twosided", ("front", "back"), wrapped, depth)
            if not nested:
                break
            wrapped.append(inner)
            inner = nested[0]
            depth += 1
        if inner.type == "blendbsdf":
            nested = [two for two in inner.inside if two.tag == "bsdf"]
            if len(nested) == 2:
                return self._two(inner, nested, name, "blendbsdf", ("first", "second"), wrapped, depth)
        if inner.type in WRAPPERS:
            self._odd(
                "wrapped", inner.line, f"a {inner.type} has no BSDF inside; a matt grey is read.", self.thing.path
            )
            return self._node(inner, name, f"{PREFIX}diffuse")
        node = self._node(inner, name, f"{PREFIX}{inner.type}")
        self._plain(inner, node)
        self._wrap(wrapped, inner, node)
        return node

    def _two(
        self,
        one: Thing,
        nested: list[Thing],
        name: str,
        kind: str,
        ports: tuple[str, str],
        wrapped: list[Thing],
        depth: int,
    ) -> Node:
        node = self._node(one, name, PREFIX + kind)
        for port, two in zip(ports, nested, strict=True):
            node.links[port] = Link(self._bsdf(two, f"{name}_{port}", depth + 1).id)
        for key, value in one.values.items():
            node.values[key] = value
        for two in one.inside:
            if two.tag == "texture":
                self._texture(node, two.name or "weight", two)
        for outer in wrapped:
            if outer.type != "twosided":
                self._odd("wrapped", outer.line, f"a {outer.type} around two BSDFs is not carried.", self.thing.path)
                node.values[f"{outer.type}"] = json.dumps(outer.values)
        return node

    def _node(self, one: Thing, name: str, kind: str) -> Node:
        """A new node; it goes by its own id within that of its material, where it has one."""
        own = one.id.removeprefix(f"{self.thing.name}.")
        if own and own != one.id and own not in self.graph.nodes:
            name = own
        node = self.graph.add(Node(name, kind, source=f"{self.thing.path}/{name}"))
        self.origins[node.source] = [one]
        if one.problems:
            node.problems = {port: Problem(said[0].upper() + said[1:] + ".") for port, said in one.problems.items()}
        return node

    def _plain(self, one: Thing, node: Node) -> None:
        """A BSDF's own properties, and the textures that feed them."""
        for name, value in one.values.items():
            port, found = self._named(one, name, value)
            if found is not None:
                node.values[port] = found
        for inner in one.inside:
            if inner.tag == "texture":
                self._texture(node, "alpha" if inner.name == "alpha_u" else inner.name, inner)
            elif inner.tag not in ("bsdf",):
                node.values[f"{inner.tag}.{inner.name}"] = json.dumps({"type": inner.type, **inner.values})

    def _named(self, one: Thing, name: str, value: Value) -> tuple[str, Value | None]:
        """A property by its name here: indices by materials as numbers, two names for one alpha as one."""
        if name in ("int_ior", "ext_ior", "eta") and isinstance(value, str):
            index = INDICES.get(value.lower())
            if index is None:
                self._odd(
                    "wrong-value", one.line, f"'{value[:60]}' is no material whose index is known.", self.thing.path
                )
            return name, index
        if name == "alpha_u":
            return "alpha", value
        if name == "flip_normals":
            return name, value
        if one.type in ("principled", "principledthin") and isinstance(value, tuple) and name != "base_color":
            return name, sum(value) / len(value)
        if name in ("sigma_a",) and one.type == "hair":
            return "absorption", value
        return name, value

    def _wrap(self, wrapped: list[Thing], inner: Thing, node: Node) -> None:
        clear = inner.type in ("dielectric", "roughdielectric", "thindielectric", "principledthin", "hair", "null") or (
            (inner.type == "principled" and bool(inner.values.get("spec_trans")))
            or any(two.name == "spec_trans" for two in inner.inside)
        )
        if not clear and not any(one.type == "twosided" for one in wrapped):
            node.values["both_sides"] = False
        self.origins[node.source] += wrapped
        for one in wrapped:
            if one.type == "mask":
                if "opacity" in one.values:
                    value = one.values["opacity"]
                    node.values["opacity"] = sum(value) / len(value) if isinstance(value, tuple) else value
                for two in one.of("texture"):
                    self._texture(node, "opacity", two)
            elif one.type in ("normalmap", "bumpmap"):
                self._relief(one, node)
            for port, said in one.problems.items():
                node.problems = {**(node.problems or {}), port: Problem(said[0].upper() + said[1:] + ".")}

    def _relief(self, one: Thing, node: Node) -> None:
        if "normal" in node.links:
            self._odd(
                "wrapped", one.line, "one relief over another is not carried; the outer one counts.", self.thing.path
            )
            return
        relief = self._node(one, f"{node.id}_{one.type}", f"{PREFIX}{one.type}")
        port = "normalmap" if one.type == "normalmap" else "height"
        for two in one.of("texture"):
            self._texture(relief, port, two)
        for name, value in one.values.items():
            relief.values[name] = value
        node.links["normal"] = Link(relief.id)

    # textures

    def _texture(self, node: Node, port: str, one: Thing) -> None:
        """Feed a port with a texture; one that is the same everywhere is a value."""
        if one.type in _CONSTANT:
            value = one.values.get(_CONSTANT[one.type], one.values.get("value"))
            if value is not None:
                node.values[port] = value
            return
        output = "outgrey" if port in GREY else "out"
        known = self.textures.get((id(self.graph), id(one.inside)))
        if known is not None:
            node.links[port] = Link(known, output)
            return
        made = self._node(one, f"{node.id}_{port}", f"{PREFIX}{one.type}")
        self.textures[(id(self.graph), id(one.inside))] = made.id
        for name, value in one.values.items():
            if name == "filename" and isinstance(value, str):
                made.values[name] = value
                self.raw.pictures.append(RawPicture(value, "", self.thing.path, made.id, "filename", self.folder))
            elif one.type == "bitmap" and name == "wrap_mode" and value not in ("repeat", "mirror", "clamp"):
                made.problems = {
                    **(made.problems or {}),
                    name: Problem(f"Expected repeat, mirror or clamp, found '{value}'."),
                }
            else:
                made.values[name] = value
        if "to_uv" in one.matrices:
            self._placement(made, one.matrices["to_uv"])
        for inner in one.of("texture"):
            self._texture(made, inner.name, inner)
        node.links[port] = Link(made.id, output)

    def _placement(self, node: Node, matrix: Floats) -> None:
        """A transform of UVs as a scale, a turn and a shift."""
        a = matrix[:2, :2].T
        sx, sy = float(np.hypot(*a[:, 0])), float(np.hypot(*a[:, 1]))
        if sx < 1e-9 or sy < 1e-9 or abs(float(a[:, 0] @ a[:, 1])) > 1e-5 * sx * sy:
            node.problems = {
                **(node.problems or {}),
                "to_uv": Problem("A sheared transform of UVs; what of it is a scale and a turn counts."),
            }
        if float(np.linalg.det(a)) < 0.0:
            sy = -sy
        angle = -math.degrees(math.atan2(a[1, 0], a[0, 0]))
        if (sx, sy) != (1.0, 1.0):
            node.values["scale"] = (sx, sy)
        if abs(angle) > 1e-9:
            node.values["rotate"] = angle
        if matrix[3, :2].any():
            node.values["offset"] = (float(matrix[3, 0]), float(matrix[3, 1]))
