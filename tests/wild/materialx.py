"""MaterialX documents made up from the definitions of the standard libraries: any node may feed any input of its type."""

from __future__ import annotations

import random
from dataclasses import dataclass, field
from xml.sax.saxutils import quoteattr

from durvan.formats.materialx.definitions import SIZES, Definition, definitions

SURFACES = (
    "standard_surface",
    "open_pbr_surface",
    "gltf_pbr",
    "UsdPreviewSurface",
    "surface_unlit",
    "mix",
    "surface",
)
SPACES = ("", "srgb_texture", "lin_rec709", "acescg", "g22_rec709", "lin_ap1", "adobergb", "raw", "nobodys")
FILES = (
    "tex/a.png",
    "tex/<UDIM>.exr",
    "b.jpg",
    "../up/c.tif",
    "",
    "https://example.invalid/z.png",
    "tex/ünï.png",
    "/abs/d.png",
)
TEXTS = ("", "x", "UV0", "periodic", "clamp", "linear", "st")


def number(r: random.Random) -> float:
    """Mostly what people write, at times what nobody does."""
    share = r.random()
    if share < 0.8:
        return round(r.uniform(0.0, 1.0), 4)
    return round(r.uniform(-3.0, 10.0), 3) if share < 0.95 else r.choice([0.0, -1.0, 1e-9, 1e9, 1e38])


def value(r: random.Random, type_: str) -> str | None:
    """A value of a type, as documents write it; None where there is no such value."""
    if type_ == "float" or type_ in SIZES:
        return ", ".join(repr(number(r)) for _ in range(SIZES.get(type_, 1)))
    simple = {"integer": ("0", "1", "2", "-1", "7"), "boolean": ("true", "false"), "filename": FILES, "string": TEXTS}
    return r.choice(simple[type_]) if type_ in simple else None


@dataclass
class Document:
    """One document while it is made. `text` is the whole."""

    seed: int
    parts: list[str] = field(default_factory=list)
    count: int = 0

    def __post_init__(self) -> None:
        self.r = random.Random(f"mtlx {self.seed}")
        self.by_type: dict[str, list[tuple[Definition, str]]] = {}
        for one in definitions().values():
            for output, type_ in one.outputs.items():
                self.by_type.setdefault(type_, []).append((one, output))

    def text(self) -> str:
        """A document of one to four materials."""
        for number_ in range(self.r.randint(1, 4)):
            self._material(number_)
        version = self.r.choice(["1.39", "1.39", "1.38", "1.37"])
        head = f'<materialx version="{version}" colorspace="{self.r.choice(SPACES)}">'
        return "\n".join(['<?xml version="1.0"?>', head, *self.parts, "</materialx>\n"])

    def _material(self, number_: int) -> None:
        wanted = self.r.choice(SURFACES)
        surfaces = [one for one, _ in self.by_type["surfaceshader"] if one.category == wanted]
        kind = self.r.choice(surfaces)
        graph = self._graph(number_, kind) if self.r.random() < 0.5 else ("", "")
        name = self._node(kind, self.r.randint(0, 3), self.parts, {graph[0]: graph[1]} if graph[0] else {})
        if self.r.random() < 0.85:
            end = f'<input name="surfaceshader" type="surfaceshader" nodename="{name}"/>'
            if self.r.random() < 0.2:
                back = self._node(self.r.choice(surfaces), 1, self.parts, {})
                end += f'<input name="backsurfaceshader" type="surfaceshader" nodename="{back}"/>'
            self.parts.append(f'<surfacematerial name="M{number_}" type="material">{end}</surfacematerial>')
            if self.r.random() < 0.3:
                self.parts.append(
                    f'<look name="L{number_}"><materialassign name="a{number_}" material="M{number_}" geom="/a, /b"/></look>'
                )

    def _graph(self, number_: int, kind: Definition) -> tuple[str, str]:
        """A node graph with an input of its own, and which input of a surface it feeds: the name, and what that says."""
        ports = [(port, of) for port, of in kind.inputs.items() if of in ("color3", "float", "vector3")]
        if not ports:
            return "", ""
        port, of = self.r.choice(ports)
        inside: list[str] = []
        one, output = self.r.choice(self.by_type[of])
        name = self._node(one, 2, inside)
        multi = f' output="{output}"' if len(one.outputs) > 1 else ""
        said = f'<input name="shared" type="{of}" value="{value(self.r, of)}"/>'
        where = f'colorspace="{self.r.choice(SPACES)}" fileprefix="{self.r.choice(["", "pre/", "../x/"])}"'
        end = f'<output name="out" type="{of}" nodename="{name}"{multi}/>'
        self.parts.append(f'<nodegraph name="NG{number_}" {where}>{said}{"".join(inside)}{end}</nodegraph>')
        return port, f'<input name="{port}" type="{of}" nodegraph="NG{number_}" output="out"/>'

    def _node(self, kind: Definition, depth: int, home: list[str], fixed: dict[str, str] | None = None) -> str:
        """A node of a kind with what feeds it, put into `home` before it is named; `fixed` says inputs that are said already."""
        name = f"{kind.category}_{self.count}"
        self.count += 1
        at = len(home)
        home.append("")
        inputs = [(fixed or {}).get(port) or self._input(port, of, depth, home) for port, of in kind.inputs.items()]
        type_ = "multioutput" if len(kind.outputs) > 1 else kind.type
        named = f' nodedef="{kind.name}"' if self.r.random() < 0.1 else ""
        home[at] = f'<{kind.category} name="{name}" type="{type_}"{named}>{"".join(inputs)}</{kind.category}>'
        return name

    def _input(self, port: str, of: str, depth: int, home: list[str]) -> str:
        share = self.r.random()
        shader = of in ("BSDF", "EDF", "VDF", "surfaceshader")
        if depth > 0 and of in self.by_type and share < (0.8 if shader else 0.3):
            one, output = self.r.choice(self.by_type[of])
            multi = f' output="{output}"' if len(one.outputs) > 1 else ""
            name = self._node(one, depth - 1, home)
            return f'<input name="{port}" type="{of}" nodename="{name}"{multi}/>'
        said = value(self.r, of) if share < 0.75 else None
        if said is None:
            return ""
        space = (
            f' colorspace="{self.r.choice(SPACES)}"' if of in ("color3", "color4", "filename") and share < 0.15 else ""
        )
        return f'<input name="{port}" type="{of}" value={quoteattr(said)}{space}/>'


def document(seed: int) -> str:
    """The text of a document."""
    return Document(seed).text()
