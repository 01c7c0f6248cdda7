"""Read back what was written and hold it against what was meant, value by value."""

from __future__ import annotations

from collections.abc import Collection
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats.usd_open import reads
from durvan.formats.usda_text import Layer, Spec, asset, quoted


def check(file: Path, meant: Layer, beside: bool, removed: Collection[str] = ()) -> int:
    """How many properties were found as meant. Raises SceneFileError at the first that is not."""
    layer = reads(file)
    if beside and not layer.subLayerPaths:
        raise SceneFileError("lost its link to the source.", file=file)
    count = 0
    stack: list[tuple[str, Spec]] = [(f"/{name}", spec) for name, spec in meant.root.children.items()]
    while stack:
        path, spec = stack.pop()
        prim = layer.GetPrimAtPath(path)
        if prim is None and path in removed:
            continue
        if prim is None:
            raise SceneFileError("a prim that was written is not there.", file=file, inside=path)
        count += _properties(file, path, spec, prim)
        stack.extend((f"{path}/{name}", child) for name, child in spec.children.items())
    return count


def _properties(file: Path, path: str, spec: Spec, prim: Any) -> int:
    if not spec.lines:
        return 0
    properties = dict(prim.properties.items())  # as pairs: walking over the specs themselves is far slower
    for line in spec.lines:
        head, _, said = line.partition(" = ")
        name = head.rsplit(" ", 1)[-1]
        linked = name.endswith(".connect")
        found = properties.get(name.removesuffix(".connect"))
        if found is None:
            raise SceneFileError("a value that was written is not there.", file=file, inside=f"{path}.{name}")
        if linked:
            if not found.HasInfo("connectionPaths"):
                raise SceneFileError("a link that was written is not there.", file=file, inside=f"{path}.{name}")
        elif said and not same_value(said, found.default):
            raise SceneFileError(f"reads {found.default}, was meant to be {said}.", file=file, inside=f"{path}.{name}")
    return len(spec.lines)


def same_value(said: str, found: Any) -> bool:
    """Whether a default of a layer is what a line of text says, to single precision."""
    first = said[0]
    if first == '"':
        return isinstance(found, str) and quoted(found) == said
    if first == "@":
        return found is not None and asset(found.path) == said.split(" (\n")[0]
    if found is None:
        return False
    if first == "[":
        return found is not None and [quoted(str(part)) for part in found] == said[1:-1].split(", ")
    if first == "(":
        parts = [float(part) for part in said[1:-1].split(",")]
        return all(abs(parts[i] - found[i]) <= 1e-6 * max(1.0, abs(parts[i])) for i in range(len(parts)))
    return abs(float(said) - float(found)) <= 1e-6 * max(1.0, abs(float(said)))
