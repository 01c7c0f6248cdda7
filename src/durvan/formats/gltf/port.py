"""glTF as a format: what the table of formats asks for."""

from __future__ import annotations

from pathlib import Path

from durvan.formats.gltf.meshes import read_bodies
from durvan.formats.gltf.readback import read_back
from durvan.formats.gltf.reading import read_gltf
from durvan.formats.gltf.writing import carried_before, paths_in, rewrite, write
from durvan.progress import Report, silent
from durvan.scene.assembly import Assembly
from durvan.scene.raw import RawScene
from durvan.scene.shapes import Shapes

__all__ = ["assembly", "carried_before", "paths_in", "read", "read_back", "rewrite", "shapes", "write"]
assembly = read_bodies


def read(file: Path, report: Report = silent) -> RawScene:
    """Everything in a file that is carried. Raises SceneFileError with the place."""
    return read_gltf(file, report)


def shapes(file: Path, report: Report = silent) -> Shapes:
    """What a file looks like to a renderer."""
    found: Assembly = read_bodies(file, report)
    out = found.shapes()
    return _with_places(out, file)


def _with_places(shapes_: Shapes, file: Path) -> Shapes:
    """Where lights and cameras stand."""
    import numpy as np

    for thing in read_gltf(file).things:
        if thing.stands:
            shapes_.places[thing.path] = np.array(thing.stands).reshape(4, 4)
    return shapes_
