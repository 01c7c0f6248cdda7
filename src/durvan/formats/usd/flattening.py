"""Put layers on disk in other forms than plain text: as crate files, and flattened with the source's words taken out."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Collection
from dataclasses import asdict
from pathlib import Path
from typing import Any

from pxr import Sdf, Tf, Usd, UsdUtils

from durvan.apart import command, surroundings
from durvan.errors import SceneFileError
from durvan.formats.usd.opening import reads
from durvan.formats.usd.words import said
from durvan.scene.written import Replaced


def as_crate(text: Path, file: Path) -> None:
    """Write a layer that lies on disk as text as a crate file. Raises SceneFileError."""
    try:
        done = reads(text).Export(str(file))
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"cannot be written: {said(problem)}", file=file) from problem
    if not done:
        raise SceneFileError("cannot be written.", file=file)


def flatten(beside: Path, file: Path, replaced: Replaced) -> None:
    """Write a stage of its own: what `beside` composes over the source, without the source's networks.

    References, payloads and variants are resolved; paths of pictures lead where they led. The library holds every
    other thread up while it flattens, so this runs in a process of its own. Raises SceneFileError.
    """
    job = json.dumps({"beside": str(beside), "file": str(file), "replaced": asdict(replaced)}, default=list)
    done = subprocess.run(
        command("durvan.formats.usd.flattening"),
        env=surroundings(),
        input=job,
        capture_output=True,
        text=True,
        check=False,
    )
    if done.returncode:
        why = done.stderr.strip().rsplit("\n", 1)[-1] or f"the process ended with {done.returncode}"
        raise SceneFileError(f"the scene cannot be flattened: {why}", file=file)


def _flattened(beside: str, file: Path, replaced: Replaced) -> None:
    stage = Usd.Stage.Open(beside, Usd.Stage.LoadAll)
    layer = stage.Flatten(addSourceFileComment=False)
    over = Sdf.Layer.FindOrOpen(beside)
    for path in replaced.off:  # what is switched off is not composed
        Sdf.CopySpec(over, path, layer, path)
    with Sdf.ChangeBlock():
        for path, names in replaced.materials.items():
            _strip_material(layer, path, names)
        for path, space in replaced.stripped.items():
            _strip_space(layer, path, space)
        for path in replaced.removed:
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
    if not path.startswith("/"):
        return path
    near = os.path.relpath(path, folder).replace(os.sep, "/")
    return near if near.startswith(("./", "../")) else f"./{near}"


if __name__ == "__main__":
    told = json.load(sys.stdin)
    try:
        _flattened(told["beside"], Path(told["file"]), Replaced(**told["replaced"]))
    except (Tf.ErrorException, RuntimeError, SceneFileError) as problem:
        sys.exit(said(problem))
