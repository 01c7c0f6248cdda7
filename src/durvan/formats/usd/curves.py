"""Curves of a stage as thin tubes: their points along each span, and how wide they are there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from pxr import Usd, UsdGeom

from durvan.formats.spans import smooth
from durvan.scene.shapes import Mesh
from durvan.scene.tubes import tubes

Floats = NDArray[np.float64]


def strands(prim: Usd.Prim, time: Usd.TimeCode, notes: list[str]) -> Mesh | None:
    """All curves of a prim as one mesh in its own space and unit; None where there are none."""
    curves = UsdGeom.BasisCurves(prim)
    points = np.asarray(curves.GetPointsAttr().Get(time) or [], dtype=np.float64).reshape(-1, 3)
    counts = np.asarray(curves.GetCurveVertexCountsAttr().Get(time) or [], dtype=np.int64)
    path = str(prim.GetPath())
    if counts.sum() != len(points) or (counts < 0).any():
        notes.append(f"{path}: its curves do not fit its points; it is left out")
        return None
    cubic = str(curves.GetTypeAttr().Get()) == "cubic"
    basis = str(curves.GetBasisAttr().Get())
    if str(curves.GetWrapAttr().Get()) == "periodic":
        notes.append(f"{path}: closed curves are shown open")
    widths = _widths(curves, counts, len(points), time)
    lines, sizes = [], []
    first = 0
    for count in counts:
        line, width = points[first : first + count], widths[first : first + count]
        first += count
        if cubic:
            line, width = smooth(line, width, basis)
        if len(line) > 1 and np.isfinite(line).all():
            lines.append(line)
            sizes.append(width)
    return tubes(path, lines, sizes) if lines else None


def _widths(curves: UsdGeom.BasisCurves, counts: NDArray[np.int64], points: int, time: Usd.TimeCode) -> Floats:
    """The diameter at every point."""
    given = np.asarray(curves.GetWidthsAttr().Get(time) or [], dtype=np.float64)
    if len(given) == points:
        return given
    if len(given) == len(counts):
        return np.repeat(given, counts)
    if len(given) == 0:
        return np.full(points, 1.0)
    # two or more for each curve: laid evenly along it
    each = len(given) // max(len(counts), 1)
    if each > 1 and each * len(counts) == len(given):
        rows = given.reshape(len(counts), each)
        steps = [
            np.interp(np.linspace(0, each - 1, n), np.arange(each), row) for n, row in zip(counts, rows, strict=True)
        ]
        return np.concatenate(steps) if steps else np.zeros(0)
    return np.full(points, float(given.mean()))
