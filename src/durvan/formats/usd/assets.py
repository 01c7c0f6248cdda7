"""Every path of another file that a layer holds: what names it, and how to write other paths in its place."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from pxr import Ar, Sdf, Tf, UsdUtils

from durvan.errors import SceneFileError
from durvan.formats.usd.opening import reads
from durvan.formats.usd.words import said

Put = Callable[[str], str]


@dataclass(frozen=True, slots=True)
class Named:
    """A path that a layer names: as written, the layer, and whether it is composed of it; `resolved` where a layer of a
    package finds it, as what lies in a package is no file of its own."""

    written: str
    layer: str
    composed: bool = False
    resolved: str = ""


def named_by(layers: Iterable[str]) -> list[Named]:
    """Everything that files of a stage name, in the files' order; `composed` are layers, references and payloads.

    A file that the library cannot read names nothing.
    """
    out = []
    for layer in layers:
        try:
            sub, other, payloads = UsdUtils.ExtractExternalReferences(layer)
        except (Tf.ErrorException, RuntimeError):
            continue
        for written, composed in [*((one, True) for one in (*sub, *payloads)), *((one, False) for one in other)]:
            out.append(Named(written, layer, composed, _in_package(layer, written)))
    return out


def _in_package(layer_path: str, written: str) -> str:
    """Where a layer of a package finds a path; empty for any other layer, and when it is nowhere."""
    if not layer_path.split("[", 1)[0].lower().endswith(".usdz"):
        return ""
    layer = Sdf.Layer.FindOrOpen(layer_path)
    if layer is None:
        return ""
    return str(Ar.GetResolver().Resolve(Sdf.ComputeAssetPathRelativeToLayer(layer, written)))


def sites(layer_path: str, wanted: set[str]) -> dict[str, str]:
    """Which prim or property of a layer names each of some paths, the first that does."""
    layer = Sdf.Layer.FindOrOpen(layer_path)
    found: dict[str, str] = {}
    if layer is None or not wanted:
        return found

    def look(path: Any) -> None:
        if len(found) == len(wanted):
            return
        spec = layer.GetObjectAtPath(path)
        if path.IsPropertyPath():
            for written in _of_value(getattr(spec, "default", None)):
                if written in wanted:
                    found.setdefault(written, str(path))
        elif isinstance(spec, Sdf.PrimSpec):
            for items in (spec.referenceList, spec.payloadList):
                for item in items.GetAddedOrExplicitItems():
                    if item.assetPath in wanted:
                        found.setdefault(item.assetPath, str(path))

    layer.Traverse(Sdf.Path.absoluteRootPath, look)
    return found


def _of_value(value: Any) -> Iterator[str]:
    if isinstance(value, Sdf.AssetPath):
        yield value.path
    elif isinstance(value, Sdf.AssetPathArray):
        for one in value:
            yield one.path


def paths_in(file: Path) -> list[str]:
    """Every path that one layer names, each once, in order. Raises SceneFileError when it cannot be read."""
    layer = reads(file)
    found: dict[str, None] = {}

    def see(written: str) -> str:
        found[written] = None
        return written

    try:
        UsdUtils.ModifyAssetPaths(layer, see)
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"its paths cannot be read: {said(problem, 200)}", file=file) from problem
    return [written for written in found if written]


# In a text layer: a string, a comment, or a path between one or three @ signs. Only paths are touched.
_PIECES = re.compile(
    r'"""(?:\\.|[^\\])*?"""|\'\'\'(?:\\.|[^\\])*?\'\'\'|"(?:\\.|[^"\\\n])*"|\'(?:\\.|[^\'\\\n])*\'|#[^\n]*'
    r"|@@@(?P<three>(?:\\@@@|[^@]|@(?!@@))*)@@@|@(?P<one>[^@\n]*)@",
    re.DOTALL,
)


def replaced_text(text: str, put: Put) -> str:
    """A text layer (usda) with other paths in it; every other letter stays, comments too."""

    def change(found: re.Match[str]) -> str:
        three, one = found["three"], found["one"]
        if three is None and one is None:
            return found[0]
        written = three.replace("\\@@@", "@@@") if three is not None else one
        fresh = put(written)
        if fresh == written:
            return found[0]
        return f"@@@{fresh.replace('@@@', chr(92) + '@@@')}@@@" if "@" in fresh else f"@{fresh}@"

    return _PIECES.sub(change, text)


def rewrite(source: Path, out: Path, put: Put) -> int:
    """Write a copy of a layer with other paths in it; how many paths were changed. The source stays as it is.

    What was written is opened again and its paths are compared with what was meant. Raises SceneFileError and OSError.
    """
    before = paths_in(source)
    meant = [put(written) for written in before]
    if _is_text(source):
        text = source.read_bytes().decode("utf-8", "surrogateescape")
        out.write_bytes(replaced_text(text, put).encode("utf-8", "surrogateescape"))
    else:
        layer = reads(source)
        UsdUtils.ModifyAssetPaths(layer, put)
        if not layer.Export(str(out)):
            raise SceneFileError("cannot be written.", file=out)
    after = paths_in(out)
    if set(after) != set(filter(None, meant)):
        odd = sorted(set(after) ^ set(meant))
        raise SceneFileError(f"does not read back as meant: {', '.join(odd)[:200]}", file=out)
    return sum(1 for a, b in zip(before, meant, strict=True) if a != b)


def _is_text(file: Path) -> bool:
    with file.open("rb") as stream:
        return stream.read(5) == b"#usda"
