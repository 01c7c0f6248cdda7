"""USD layers as text, written straight: for large networks several times as fast as authoring them spec by spec.

The same layer always gives the same bytes. Nothing here opens or checks a stage.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator
from dataclasses import dataclass, field
from itertools import islice
from pathlib import Path

from durvan.scene.graph import Value

TYPES = {
    "float": "float", "int": "int", "bool": "bool", "color": "color3f", "vector2": "float2", "vector3": "float3",
    "vector4": "float4", "file": "asset", "token": "token", "string": "string", "normal": "normal3f", "int2": "int2",
    "paths": "rel",
}  # fmt: skip


@dataclass(slots=True)
class Spec:
    """A prim of a layer: `specifier` is "def" or "over", lines are its properties as they stand in the text."""

    name: str
    specifier: str = "over"
    type: str = ""
    metadata: list[str] = field(default_factory=list)
    lines: list[str] = field(default_factory=list)
    children: dict[str, Spec] = field(default_factory=dict)

    def child(self, name: str) -> Spec:
        """A child by its name, made when it is not there."""
        found = self.children.get(name)
        if found is None:
            found = self.children[name] = Spec(name)
        return found


@dataclass(slots=True)
class Layer:
    """A whole layer: its metadata lines and its root prims."""

    metadata: list[str] = field(default_factory=list)
    root: Spec = field(default_factory=lambda: Spec(""))

    def prim(self, path: str) -> Spec:
        """The prim at an absolute path, its parents made on the way."""
        spec = self.root
        for name in path.strip("/").split("/"):
            spec = spec.child(name)
        return spec

    def pieces(self) -> Iterator[str]:
        """The layer as usda, piece by piece."""
        yield "#usda 1.0\n"
        if self.metadata:
            yield "(\n" + "".join(f"    {line}\n" for line in self.metadata) + ")\n"
        yield from _written(self.root)

    def text(self) -> str:
        """The layer as usda."""
        return "".join(self.pieces())

    def write(self, file: Path) -> None:
        """Write the layer to a file. Goes in small steps, so that other threads get their turns."""
        pieces = self.pieces()
        with file.open("w", encoding="utf-8") as stream:
            while some := "".join(islice(pieces, 4000)):
                stream.write(some)

    def release(self) -> None:
        """Take the layer apart bit by bit; let go of at once, a large one holds every thread up."""
        waiting = [self.root]
        while waiting:
            spec = waiting.pop()
            while spec.children:
                waiting.append(spec.children.popitem()[1])


def _written(root: Spec) -> Iterator[str]:
    stack: list[tuple[Spec, int, bool]] = [(spec, 0, False) for spec in reversed(root.children.values())]
    while stack:
        spec, depth, closing = stack.pop()
        pad = "    " * depth
        if closing:
            yield f"{pad}}}\n"
            continue
        head = f"{spec.specifier} {spec.type} " if spec.type else f"{spec.specifier} "
        meta = f" (\n{pad}    " + f"\n{pad}    ".join(spec.metadata) + f"\n{pad})" if spec.metadata else ""
        yield f'\n{pad}{head}"{spec.name}"{meta}\n{pad}{{\n'
        inner = pad + "    "
        for line in spec.lines:
            yield f"{inner}{line}\n"
        stack.append((spec, depth, True))
        stack.extend((child, depth + 1, False) for child in reversed(spec.children.values()))


def quoted(text: str) -> str:
    """A text as a usda string."""
    out = text.replace("\\", "\\\\").replace('"', '\\"').replace("\n", "\\n").replace("\r", "\\r").replace("\t", "\\t")
    return f'"{out}"'


def asset(path: str) -> str:
    """A path as a usda asset."""
    clean = path.replace("\n", "").replace("\r", "")
    return f"@@@{clean}@@@" if "@" in clean else f"@{clean}@"


_numbers: dict[float, str] = {}
_pack = struct.Struct("f").pack


def number(value: float) -> str:
    """A number in the fewest digits that single precision tells apart; USD keeps these as floats."""
    known = _numbers.get(value)
    if known is not None:
        return known
    text = f"{value:.6g}"
    try:
        if _pack(float(text)) != _pack(value):
            text = f"{value:.9g}"
    except OverflowError:
        text = repr(value)
    if len(_numbers) < 200_000:
        _numbers[value] = text
    return text


def literal(kind: str, value: Value) -> str:
    """A value as it stands in usda, for a type that a property has."""
    if kind == "file":
        return asset(str(value))
    if kind == "paths":
        return "[" + ", ".join(f"<{path}>" for path in str(value).split()) + "]"
    if kind in ("token", "string"):
        return quoted(str(value))
    if isinstance(value, bool):
        return "1" if value else "0"
    if isinstance(value, tuple):
        return "(" + ", ".join(str(round(part)) if kind == "int2" else number(part) for part in value) + ")"
    if isinstance(value, str):
        return quoted(value)
    return number(value) if isinstance(value, float) else str(value)
