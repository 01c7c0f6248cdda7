"""Put layers on disk in other forms than plain text: as crate files, and flattened with the source's words taken out."""

from __future__ import annotations

import os
from collections.abc import Collection
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pxr import Sdf, Tf, Usd, UsdUtils

from durvan.errors import SceneFileError


def _parsed(text: str, file: Path) -> Any:
    layer = Sdf.Layer.CreateAnonymous(".usda")
    try:
        if not layer.ImportFromString(text):
            raise SceneFileError("what was to be written is not a layer.", file=file)
    except Tf.ErrorException as problem:
        raise SceneFileError(f"what was to be written is not a layer: {problem}.", file=file) from problem
    return layer


def as_crate(text: str, file: Path) -> None:
    """Write a layer's text as a crate file. Raises SceneFileError."""
    if not _parsed(text, file).Export(str(file)):
        raise SceneFileError("cannot be written.", file=file)


@dataclass
class Kept:
    """What becomes of the source's words in a file of the target alone.

    `materials`: path → names of the children and properties that stay; `stripped`: path → attribute namespace that
    goes; `removed`: prims that go, because the target says them elsewhere.
    """

    materials: dict[str, set[str]] = field(default_factory=dict)
    stripped: dict[str, str] = field(default_factory=dict)
    removed: list[str] = field(default_factory=list)


def flatten(text: str, file: Path, kept: Kept) -> None:
    """Write a stage of its own: the source composed with `text` over it, without the source's networks.

    References, payloads and variants are resolved; paths of pictures lead where they led. Raises SceneFileError.
    """
    beside = file.with_name(f".{file.stem}.beside.usda")
    beside.write_text(text, encoding="utf-8")
    try:
        stage = Usd.Stage.Open(str(beside), Usd.Stage.LoadAll)
        layer = stage.Flatten(addSourceFileComment=False)
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"the scene cannot be flattened: {problem}.", file=file) from problem
    finally:
        beside.unlink(missing_ok=True)
    with Sdf.ChangeBlock():
        for path, names in kept.materials.items():
            _strip_material(layer, path, names)
        for path, space in kept.stripped.items():
            _strip_space(layer, path, space)
        for path in kept.removed:
            prim = layer.GetPrimAtPath(path)
            if prim is not None and prim.nameParent is not None:
                del prim.nameParent.nameChildren[prim.name]
    folder = str(file.absolute().parent)
    UsdUtils.ModifyAssetPaths(layer, lambda path: _near(path, folder))
    if not layer.Export(str(file)):
        raise SceneFileError("cannot be written.", file=file)


def _strip_material(layer: Any, path: str, keep: Collection[str]) -> None:
    prim = layer.GetPrimAtPath(path)
    if prim is None:
        return
    for name in [child.name for child in prim.nameChildren if child.name not in keep]:
        del prim.nameChildren[name]
    for name in [p.name for p in prim.properties if p.name.startswith("outputs:") and p.name not in keep]:
        del prim.properties[name]


def _strip_space(layer: Any, path: str, space: str) -> None:
    prim = layer.GetPrimAtPath(path)
    if prim is None:
        return
    for name in [p.name for p in prim.properties if p.name.startswith(f"{space}:")]:
        del prim.properties[name]


def _near(path: str, folder: str) -> str:
    """An absolute path as one from the file's folder, so that the whole can be moved together."""
    return os.path.relpath(path, folder).replace(os.sep, "/") if path.startswith("/") else path
