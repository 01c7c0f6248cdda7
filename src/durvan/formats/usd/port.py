"""USD as a format: what the table of formats asks for."""

from __future__ import annotations

from pathlib import Path

from durvan.formats.usd.assembly import read_assembly
from durvan.formats.usd.assets import paths_in, rewrite
from durvan.formats.usd.opening import open_stage
from durvan.formats.usd.reading import read_stage
from durvan.formats.usd.shapes import read_shapes
from durvan.formats.usd.writing import carried_before, read_back, write
from durvan.progress import Report, silent
from durvan.scene.raw import RawScene

__all__ = ["assembly", "carried_before", "paths_in", "read", "read_back", "rewrite", "shapes", "write"]
shapes = read_shapes
assembly = read_assembly


def read(file: Path, report: Report = silent) -> RawScene:
    """Everything on a stage that is carried, in the stage's order. Raises SceneFileError with the reason."""
    return read_stage(open_stage(file), report)
