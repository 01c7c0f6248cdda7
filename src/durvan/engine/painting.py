"""Paint a part of a network into a picture over UVs: over all cores, on the charts of what wears it where it depends on places.

What was painted is kept beside the swatches, by the network, its size, and the pictures and shapes that it is made from.
"""

from __future__ import annotations

import json
import os
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import platformdirs
from numpy.typing import NDArray
from scipy import ndimage

from durvan.dialects.look import Facts, Record, Tracer
from durvan.dialects.pack import Pack
from durvan.engine.build import Ball, build
from durvan.engine.kernels import programs
from durvan.errors import RenderingError
from durvan.formats import pictures
from durvan.formats.table import reader
from durvan.graph.expression import (
    POINT,
    POINT_SIZE,
    UDIM,
    Field,
    Lane,
    Lookup,
    Pixels,
    evaluate,
    look_up,
    order,
)
from durvan.optics.difference import ciede2000, cielab
from durvan.optics.lobes import layout
from durvan.optics.spread import spread
from durvan.optics.tone import srgb
from durvan.progress import silent
from durvan.replacing import replacing
from durvan.scene.baking import COLOUR, Bake
from durvan.scene.graph import Graph, Node
from durvan.scene.model import Scene
from durvan.scene.shapes import Mesh, Shapes, charts

Floats = NDArray[np.float64]
Painted = NDArray[np.float32]
PADDING = 16  # pixels past the edges of charts
_SCHEME = "1"
_ASKED = 2000  # places at which a picture is held against what it stands for


class Worn:
    """The meshes that wear a material, read when they are first asked for."""

    def __init__(self, scene: Scene, shapes: Callable[[], Shapes] | None) -> None:
        self.scene, self._shapes = scene, shapes
        self._kept: Shapes | None = None

    def by(self, thing: str) -> list[tuple[Mesh, NDArray[np.bool_]]]:
        """Meshes and which of their triangles wear it."""
        if self._kept is None:
            file = Path(self.scene.file)
            self._kept = self._shapes() if self._shapes is not None else reader(file).shapes(file, silent)
        kept = self._kept
        if thing not in kept.materials:
            return []
        number = kept.materials.index(thing)
        return [(mesh, mesh.material == number) for mesh in kept.meshes if (mesh.material == number).any()]


@dataclass(frozen=True)
class Cost:
    """How far a picture is from what it stands for: the mean CIEDE2000 of a colour, the mean difference of data."""

    mean: float
    colour: bool


def folder() -> Path:
    """Where what was painted is kept."""
    return Path(os.environ.get("DURVAN_SWATCHES") or platformdirs.user_cache_path("durvan") / "swatches") / "baked"


def field_of(bake: Bake, ground: Pack, facts: Facts) -> Field:
    """What is painted, as a field of three lanes. Raises RenderingError for a network that gives nothing."""
    assert ground.looks is not None  # the common ground's own
    nodes = {
        name: Node(name, ground.identity.prefix + node.kind, node.values, node.links, node.source)
        for name, node in bake.graph.nodes.items()
    }
    graph = Graph(nodes, dict(bake.graph.outputs))
    metres = Facts(1.0, facts.find, facts.profile, facts.mean)  # on the common ground lengths are metres
    found = Tracer(graph, ground.vocabulary, ground.looks, metres).field(bake.link)
    if found is None:
        raise RenderingError(f"{bake.name}: nothing is known of what is to be painted.")
    return Field(found.lanes[:3]) if len(found) >= 3 else Field(found.lanes[:1] * 3)


def paint(
    what: Field, size: int, pixels: Pixels, tile: tuple[int, int] = (0, 0), places: Floats | None = None
) -> Painted:
    """A square picture [size, size, 3] of a field over UVs, the top row first, over all cores; `places` [size, size, 3] in
    metres where it depends on them.
    """
    lanes = {layout.GLOW + n: lane for n, lane in enumerate(what.lanes) if lane.value is None}
    base = np.zeros(layout.RECORD)
    for n, lane in enumerate(what.lanes):
        base[layout.GLOW + n] = lane.value or 0.0
    built = build([], [Record(base, lanes, False, [])], [], pixels, (Ball((0.0, 0.0, 0.0), 1.0, 0),))
    out = np.zeros((size, size, 3), dtype=np.float32)
    where = np.zeros((0, 0, 3)) if places is None else places
    workers = os.cpu_count() or 1
    rows = max(1, min(64, size // (4 * workers) or 1))

    def some(first: int) -> None:
        room = np.zeros(POINT_SIZE + layout.RECORD + built.registers)
        programs.paint(
            built.world, 0, size, first, min(first + rows, size), float(tile[0]), float(tile[1]), where, out, room
        )

    with ThreadPoolExecutor(workers) as pool:
        list(pool.map(some, range(0, size, rows)))
    return np.nan_to_num(out, nan=0.0, posinf=6e4, neginf=-6e4)


def padded(picture: Painted, mask: NDArray[np.bool_]) -> Painted:
    """A picture whose charts (`mask`) go on past their edges, so that no border bleeds in; the rest has their mean."""
    if mask.all() or not mask.any():
        return picture
    away, nearest = ndimage.distance_transform_edt(~mask, return_indices=True)
    out = picture.copy()
    near = (away > 0) & (away <= PADDING)
    out[near] = picture[nearest[0][near], nearest[1][near]]
    out[away > PADDING] = picture[mask].mean(axis=0)
    return out


def cost(
    what: Field, bake: Bake, picture: Painted, pixels: Pixels, tile: tuple[int, int], seen: Sequence[Floats]
) -> Cost:
    """How far a picture is from what it stands for, over its square or (`seen`: UVs and places [n, …]) on what wears it."""
    if seen:
        uv, place = seen[0], seen[1]
    else:
        uv, place = np.stack(spread(_ASKED), axis=1) + np.array(tile), np.zeros((_ASKED, 3))
    points = {name: np.zeros(len(uv)) for name in POINT}
    points |= {"u": uv[:, 0], "v": uv[:, 1], "x": place[:, 0], "y": place[:, 1], "z": place[:, 2]}
    points["open"], points["facing"] = np.ones(len(uv)), np.full(len(uv), programs.FACED)
    meant = evaluate([what], points, pixels)[0]
    four = np.concatenate([picture, np.ones((*picture.shape[:2], 1), np.float32)], axis=-1)
    found = look_up(four, uv[:, 0], uv[:, 1], Lookup(""))[:, :3]
    if bake.space == COLOUR:
        return Cost(float(ciede2000(*(cielab(np.clip(one, 0.0, 1.0)) for one in (meant, found))).mean()), True)
    return Cost(float(np.abs(meant - found).mean()), False)


def painted(bake: Bake, ground: Pack, facts: Facts, pixels: Pixels, worn: Worn) -> str:
    """The path of a baked picture (with "<UDIM>" where it has tiles), painted where it is not there yet or out of date.

    Raises RenderingError when it cannot be painted or kept.
    """
    place = folder() / bake.key[:2] / bake.key
    what = field_of(bake, ground, facts)
    made_from = _made_from(what)
    note = place / "made.json"
    with suppress(OSError, ValueError, KeyError):
        known = json.loads(note.read_text(encoding="utf-8"))
        if known["from"] == made_from and all((place / name).is_file() for name in _names(bake)):
            return str(place / bake.name)
    place.mkdir(parents=True, exist_ok=True)
    costs = []
    try:
        for name, number in _names(bake).items():
            tile = divmod(number - 1001, 10)[::-1] if number else (0, 0)
            picture, seen = _one(bake, what, pixels, worn, tile)
            save(place / name, picture, bake)
            costs.append(cost(what, bake, picture, pixels, tile, seen).mean)
        with replacing(note) as part:
            part.write_text(json.dumps({"from": made_from, "cost": float(np.mean(costs))}), encoding="utf-8")
    except OSError as problem:
        raise RenderingError(f"{bake.name} cannot be kept: {problem}.") from problem
    return str(place / bake.name)


def cost_of(bake: Bake) -> float | None:
    """What a baked picture cost, as far as it was painted: see `Cost`."""
    with suppress(OSError, ValueError, KeyError, TypeError):
        note = folder() / bake.key[:2] / bake.key / "made.json"
        return float(json.loads(note.read_text(encoding="utf-8"))["cost"])
    return None


def _one(
    bake: Bake, what: Field, pixels: Pixels, worn: Worn, tile: tuple[int, int]
) -> tuple[Painted, Sequence[Floats]]:
    if not bake.by_place:
        return paint(what, bake.size, pixels, tile), ()
    places, mask = charts(worn.by(bake.thing), bake.size, tile)
    picture = padded(paint(what, bake.size, pixels, tile, places), mask)
    row, column = np.nonzero(mask)
    some = np.linspace(0, len(row) - 1, min(_ASKED, len(row))).astype(np.int64) if len(row) else np.zeros(0, np.int64)
    if not len(some):
        return picture, ()
    uv = np.stack([(column[some] + 0.5) / bake.size, 1.0 - (row[some] + 0.5) / bake.size], axis=1) + np.array(tile)
    return picture, (uv, places[row[some], column[some]])


def _names(bake: Bake) -> dict[str, int]:
    """The files of a bake, and the number of the tile that each is; 0 for one without tiles."""
    if not bake.tiles:
        return {bake.name: 0}
    return {bake.name.replace(UDIM, str(number)): number for number in bake.tiles}


def _made_from(what: Field) -> list[str]:
    """What a picture is made from besides the network: the state of the pictures that it reads, and how it is painted."""
    found = {lane.data.file for lane in order(list(what.lanes)) if _is_picture(lane) and isinstance(lane.data, Lookup)}
    said = [f"scheme {_SCHEME}"]
    for file in sorted(found):
        stamp = ""
        with suppress(OSError, ValueError):
            stat = Path(file).stat()
            stamp = f"{stat.st_size} {stat.st_mtime_ns}"
        said.append(f"{file} {stamp}")
    return said


def _is_picture(lane: Lane) -> bool:
    return lane.op == "picture"


def save(file: Path, picture: Painted, bake: Bake) -> None:
    """Write a baked picture with its colour space in the header: 8 bits for what lies between 0 and 1, half floats for anything else.
    Raises OSError.
    """
    if file.suffix == ".png":
        values = srgb(np.clip(picture, 0.0, 1.0)) if bake.space == COLOUR else np.clip(picture, 0.0, 1.0)
        pictures.save(file, np.asarray(values, dtype=np.float32), space="sRGB" if bake.space == COLOUR else "raw")
    else:
        pictures.save(file, picture, space="lin_rec709" if bake.space == COLOUR else "raw")
