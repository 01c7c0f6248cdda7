"""Fields as pictures over UVs: painted over all cores, on the charts of what wears a material where it depends on places."""

from __future__ import annotations

import os
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from threading import Lock
from typing import TypeVar

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Record
from durvan.engine.build import Ball, build
from durvan.engine.kernels import blocks
from durvan.formats.table import reader
from durvan.graph.expression import Field, Pixels, without_meshes
from durvan.optics.lobes import layout
from durvan.progress import silent
from durvan.scene.model import Scene
from durvan.scene.shapes import Mesh, Shapes

Floats = NDArray[np.float64]
Painted = NDArray[np.float32]
Meshes = list[tuple[Mesh, NDArray[np.bool_]]]  # and which of their triangles count
Numbers = TypeVar("Numbers", Painted, Floats)
PADDING = 16  # pixels past the edges of charts


class Worn:
    """The meshes that wear a material, read when they are first asked for."""

    def __init__(self, scene: Scene, shapes: Callable[[], Shapes] | None) -> None:
        self.scene, self._shapes = scene, shapes
        self._kept: Shapes | None = None
        self._reading = Lock()  # several pictures are painted at a time

    def by(self, thing: str) -> Meshes:
        """Meshes and which of their triangles wear it."""
        with self._reading:
            if self._kept is None:
                file = Path(self.scene.file)
                self._kept = self._shapes() if self._shapes is not None else reader(file).shapes(file, silent)
            kept = self._kept
        if thing not in kept.materials:
            return []
        number = kept.materials.index(thing)
        return [(mesh, mesh.material == number) for mesh in kept.meshes if (mesh.material == number).any()]


def paint(
    what: Field, size: int, pixels: Pixels, tile: tuple[int, int] = (0, 0), places: Floats | None = None, edge: int = 0
) -> Painted:
    """A square picture [size, size, 3] of a field over UVs, the top row first, over all cores; with so many pixels more on every
    side as `edge` says. `places` [size, size, 3] (with the edge) in metres where it depends on them.
    """
    there = without_meshes(what.lanes)
    lanes = {layout.GLOW + n: lane for n, lane in enumerate(there) if lane.value is None}
    base = np.zeros(layout.RECORD)
    for n, lane in enumerate(there):
        base[layout.GLOW + n] = lane.value or 0.0
    built = build([], [Record(base, lanes, False, [])], [], pixels, (Ball((0.0, 0.0, 0.0), 1.0, 0),))
    whole = size + 2 * edge
    out = np.zeros((whole, whole, 3), dtype=np.float32)
    left, top = tile[0] - edge / size, tile[1] + edge / size
    where = np.zeros((0, 0, 3)) if places is None else places
    workers = os.cpu_count() or 1
    rows = max(1, min(64, whole // (4 * workers) or 1))

    def some(first: int) -> None:
        end = min(first + rows, whole)
        room = np.zeros(blocks.room(built.registers))
        blocks.paint(built.world, 0, size, first, end, left, top, where, out, room)

    with ThreadPoolExecutor(workers) as pool:
        list(pool.map(some, range(0, whole, rows)))
    return np.nan_to_num(out, copy=False, nan=0.0, posinf=6e4, neginf=-6e4)


def padded(picture: Numbers, mask: NDArray[np.bool_]) -> Numbers:
    """A picture whose charts (`mask`) go on past their edges, so that no border bleeds in; the rest has their mean."""
    if mask.all() or not mask.any():
        return picture
    from scipy import ndimage  # a third of a second, which opening a scene need not wait for

    away, nearest = ndimage.distance_transform_edt(~mask, return_indices=True)
    out = picture.copy()
    near = (away > 0) & (away <= PADDING)
    out[near] = picture[nearest[0][near], nearest[1][near]]
    out[away > PADDING] = picture[mask].mean(axis=0)
    return out
