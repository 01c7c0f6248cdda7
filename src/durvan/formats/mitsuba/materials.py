"""Networks of Mitsuba's words as BSDFs: what stands on a surface as wrappers around it goes around it again."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from typing import Any

import numpy as np

from durvan.formats import xml
from durvan.formats.mitsuba.elements import put, refer, stand, thing
from durvan.formats.mitsuba.words import GREY, PREFIX
from durvan.scene.graph import Value
from durvan.scene.written import Form, Property, Written, WrittenThing

_APART = ("opacity", "normal", "both_sides", "radiance", "absorption")  # of a surface; written as what is around it
_CLEAR = ("dielectric", "roughdielectric", "thindielectric", "principledthin", "hair", "null")
_PLACED = ("scale", "rotate", "offset")


def number(value: Value | None, usual: float = 0.0) -> float:
    """A value as one number."""
    return float(value) if isinstance(value, int | float) else usual


def three(value: Value | None) -> tuple[float, float, float]:
    """A value as a colour."""
    if isinstance(value, tuple) and len(value) >= 3:
        return value[0], value[1], value[2]
    return (number(value),) * 3


class BsdfWriter:
    """Writes one material's network as an element with an id. `glow` and `inside` are what stands on the shapes that wear it: the
    radiance that they give off, as an element or none, and what a medium inside absorbs. Mitsuba opens no scene that names a picture which
    is nowhere: a grey stands in its place. Of what no shape is `worn` by, nothing of that can be said: `unsaid` tells what.
    """

    def __init__(
        self,
        nodes: Mapping[str, WrittenThing],
        id_: str,
        is_there: Callable[[str], bool] = lambda path: True,
        worn: bool = True,
    ) -> None:
        self.nodes, self.id, self.is_there, self.worn = nodes, id_, is_there, worn
        self.unsaid: list[str] = []
        self.dark: list[str] = []  # what would feed a glow that cannot be said
        self.absent: dict[str, str] = {}  # textures whose picture is nowhere, and its path
        self.idle: list[str] = []  # what is left out, because it does nothing
        self.known: dict[str, str] = {}
        self.glow: Any | None = None
        self.inside: tuple[float, float, float] | None = None

    def run(self, root: str) -> Any:
        """The outermost element."""
        made = self._surface(root, self.id)
        self.idle += [path for path in self._below(self.dark) if path not in self.known]
        return made

    def _below(self, start: list[str]) -> dict[str, None]:
        """What is met on the way down from some nodes, with these."""
        met: dict[str, None] = {}
        waiting = list(start)
        while waiting:
            path = waiting.pop()
            if path in self.nodes and path not in met:
                met[path] = None
                waiting += [one.link[0] for one in self.nodes[path].properties.values() if one.link is not None]
        return met

    def _name(self, path: str) -> str:
        return f"{self.id}.{path.rsplit('/', 1)[-1]}"

    def _word(self, path: str) -> str:
        return self.nodes[path].word.removeprefix(PREFIX)

    def _surface(self, path: str, id_: str) -> Any:
        word, properties = self._word(path), self.nodes[path].properties
        if word in ("blendbsdf", "twosided"):
            return self._two(path, word, properties, id_)
        parts = self._around(word, properties)
        name = self._name(path)
        outermost = id_ if id_ != name else ""
        element: Any = None
        inner: Any = None
        for tag_type, fill in parts:
            made = thing(inner, "bsdf", tag_type, outermost)
            outermost = ""
            element = made if element is None else element
            inner = made
            fill(made)
        own = thing(inner, "bsdf", word, outermost or name)
        self._properties(own, word, properties)
        self._shines(properties)
        return own if element is None else element

    def _around(self, word: str, properties: Mapping[str, Property]) -> list[tuple[str, Any]]:
        """What goes around a surface, the outermost first: a mask, both sides, a relief."""
        parts: list[tuple[str, Any]] = []
        opacity = properties.get("opacity")
        if opacity is not None and (opacity.link is not None or number(opacity.value, 1.0) < 1.0):
            parts.append(("mask", lambda made: self._port(made, "opacity", opacity)))
        if word not in _CLEAR and not _passes(word, properties) and _value(properties, "both_sides", True) is True:
            parts.append(("twosided", lambda made: None))
        normal = properties.get("normal")
        if normal is not None and normal.link is not None and normal.link[0] in self.nodes:
            relief = normal.link[0]
            if not any(one.link is not None for one in self.nodes[relief].properties.values()):
                self.idle.append(relief)  # the same everywhere: it bends nothing, and Mitsuba takes no number there
                return parts
            parts.append((self._word(relief), lambda made: self._relief(made, relief)))
        return parts

    def _relief(self, made: Any, path: str) -> None:
        made.set("id", made.get("id") or self._name(path))
        for port, one in self.nodes[path].properties.items():
            if one.link is not None:
                self._texture(made, one.link[0], port)
            elif one.value is not None and port not in ("normalmap", "height"):
                put(made, port, one.value, one.type)

    def _two(self, path: str, word: str, properties: Mapping[str, Property], id_: str) -> Any:
        made = thing(None, "bsdf", word, id_)
        for port in ("first", "second") if word == "blendbsdf" else ("front", "back"):
            one = properties.get(port)
            if one is not None and one.link is not None and one.link[0] in self.nodes:
                inner = self._surface(one.link[0], self._name(one.link[0]))
                if word == "twosided" and inner.get("type") == "twosided":
                    inner = next(child for child in inner if child.tag == "bsdf")
                made.append(inner)
            else:
                black = thing(made, "bsdf", "diffuse")
                put(black, "reflectance", (0.0, 0.0, 0.0))
        if word == "blendbsdf" and "weight" in properties:
            self._port(made, "weight", properties["weight"])
        return made

    def _properties(self, own: Any, word: str, properties: Mapping[str, Property]) -> None:
        """What a plugin takes; of names that exclude one another, the one that counts."""
        left = set(_APART) - ({"absorption"} if word == "hair" else set())
        left |= _without(word, properties)
        for port, one in properties.items():
            if port in left:
                continue
            name = port
            if word == "hair" and port == "absorption":
                name = "sigma_a"
            elif port == "alpha" and "alpha_v" in properties and "alpha_v" not in left:
                name = "alpha_u"
            self._port(own, name, one, port)

    def _port(self, own: Any, name: str, one: Property, port: str = "") -> None:
        del port
        if one.link is not None and one.link[0] in self.nodes:
            self._texture(own, one.link[0], name)
        elif one.value is not None:
            put(own, name, one.value, one.type)

    def _shines(self, properties: Mapping[str, Property]) -> None:
        glow, absorbed = properties.get("radiance"), three(_value(properties, "absorption", 0.0))
        glows = glow is not None and (glow.link is not None or any(three(glow.value)))
        if not self.worn:
            self.unsaid += ["its glow"] * glows + ["what it absorbs"] * any(absorbed)
            self.dark += [glow.link[0]] if glow is not None and glow.link is not None else []
            return
        if glow is not None and glows:
            held = xml.element("emitter", type="area")
            self._port(held, "radiance", glow)
            self.glow = held
        if any(absorbed):
            self.inside = absorbed

    # textures

    def _texture(self, parent: Any, path: str, name: str) -> None:
        """A texture where it is first used; a reference wherever else."""
        if path in self.known:
            refer(parent, self.known[path], name)
            return
        thing_ = self.nodes[path]
        file = thing_.properties.get("filename")
        if file is not None and isinstance(file.value, str) and not self.is_there(file.value):
            self.absent[path] = file.value
            parent.append(xml.comment(f" a picture that is nowhere: {file.value} ".replace("--", "- -")))
            put(parent, name, 0.5, "float" if name in GREY else "color")
            return
        id_ = self.known[path] = self._name(path)
        made = thing(parent, "texture", thing_.word.removeprefix(PREFIX), id_, name)
        for port, one in thing_.properties.items():
            if port in _PLACED and made.get("type") in ("bitmap", "checkerboard"):
                continue
            if port in ("format", "texture") and one.value == "":
                continue
            self._port(made, port, one)
        values = {port: one.value for port, one in thing_.properties.items() if one.value is not None}
        if made.get("type") in ("bitmap", "checkerboard"):
            stand(made, placement(values), "to_uv")


def placement(values: Mapping[str, Value]) -> Any:
    """A scale, a turn and a shift of UVs as a matrix [4, 4] for row vectors."""
    scale, offset = values.get("scale", (1.0, 1.0)), values.get("offset", (0.0, 0.0))
    angle = math.radians(number(values.get("rotate", 0.0)))
    sx, sy = scale if isinstance(scale, tuple) else (number(scale, 1.0),) * 2
    out = np.eye(4)
    c, s = math.cos(angle), math.sin(angle)
    turn = np.array([[c, s], [-s, c]])  # for column vectors: u c + v s, v c − u s
    out[:2, :2] = (turn @ np.diag([sx, sy])).T
    if isinstance(offset, tuple):
        out[3, :2] = offset[:2]
    return out


def networks(written: Written) -> list[tuple[str, dict[str, WrittenThing], str]]:
    """Every material's path, its nodes, and that of its surface."""
    below: dict[str, dict[str, WrittenThing]] = {}
    for path, one in written.things.items():
        if one.form is Form.NODE and not one.off:
            below.setdefault(path.rsplit("/", 2)[0], {})[path] = one
    out = []
    for path, one in written.things.items():
        if one.form is Form.MATERIAL:
            root = next((node for end, (node, _) in one.ends.items() if end.endswith("surface")), "")
            if root in below.get(path, {}):
                out.append((path, below[path], root))
    return out


def _value(properties: Mapping[str, Property], port: str, usual: Value) -> Value:
    one = properties.get(port)
    return usual if one is None or one.value is None else one.value


def _passes(word: str, properties: Mapping[str, Property]) -> bool:
    one = properties.get("spec_trans")
    return word == "principled" and one is not None and (one.link is not None or number(one.value) > 0.0)


def _without(word: str, properties: Mapping[str, Property]) -> set[str]:
    """Names that a plugin does not take beside others."""
    left: set[str] = set()
    if word in ("conductor", "roughconductor"):
        left |= {"material"} if not _value(properties, "material", "") else {"eta", "k"}
    across = properties.get("alpha_v")
    if across is not None and across.link is None and number(across.value, -1.0) < 0.0:
        left.add("alpha_v")
    if word == "principled":
        left |= {"eta"} if number(_value(properties, "specular", -1.0), -1.0) >= 0.0 else {"specular"}
        if not _passes(word, properties):
            left.add("spec_trans")
    if word == "hair":
        left |= {"eumelanin", "pheomelanin"} if any(three(_value(properties, "absorption", 0.0))) else {"absorption"}
    return left
