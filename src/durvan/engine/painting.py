"""Bakes as files: painted once, and kept beside the swatches, by the network, its size, and the pictures and shapes that it is made from."""

from __future__ import annotations

import json
from collections.abc import Sequence
from contextlib import suppress
from pathlib import Path

import numpy as np

from durvan.dialects.look import Facts
from durvan.dialects.pack import Pack
from durvan.engine.brushes import Brush, Plain, Seen, brush_for
from durvan.engine.canvas import Floats, Painted, Worn
from durvan.engine.costs import NOTE, Cost, folder
from durvan.errors import RenderingError
from durvan.formats import pictures
from durvan.graph.expression import UDIM, Lane, Lookup, Pixels, look_up, order
from durvan.optics.difference import ciede2000, cielab
from durvan.optics.spread import spread
from durvan.optics.tone import srgb
from durvan.replacing import replacing
from durvan.scene.baking import COLOUR, Bake

_SCHEME = "2"


def cost(bake: Bake, brush: Brush, picture: Painted, tile: tuple[int, int], seen: Seen | None) -> Cost | None:
    """How far a picture is from what it stands for, over its square or where things lie; None where that cannot be told."""
    if seen is None and not bake.by_place:
        uv = np.stack(spread(Plain.ASKED), axis=1) + np.array(tile)
        seen = Seen(uv, np.zeros((len(uv), 3)))
    meant = brush.meant(seen) if seen is not None else None
    if meant is None or seen is None:
        return None
    four = np.concatenate([picture, np.ones((*picture.shape[:2], 1), np.float32)], axis=-1)
    found = look_up(four, seen.uv[:, 0], seen.uv[:, 1], Lookup(""))[:, :3]
    if bake.relief is not None:
        return Cost(float(_angles(meant, found).mean()), "°")
    if bake.space == COLOUR:
        lab = [cielab(np.clip(one, 0.0, 1.0)) for one in (meant, found)]
        return Cost(float(ciede2000(*lab).mean()), "ΔE00")
    return Cost(float(np.abs(meant - found).mean()))


def _angles(one: Floats, two: Floats) -> Floats:
    """Degrees between normals from 0 to 1."""
    first, second = (2.0 * found - 1.0 for found in (one, two))
    long = np.linalg.norm(first, axis=1) * np.linalg.norm(second, axis=1)
    return np.asarray(np.degrees(np.arccos(np.clip((first * second).sum(axis=1) / np.maximum(long, 1e-9), -1.0, 1.0))))


def painted(bake: Bake, ground: Pack, facts: Facts, pixels: Pixels, worn: Worn) -> str:
    """The path of a baked picture (with "<UDIM>" where it has tiles), painted where it is not there yet or out of date.

    Raises RenderingError when it cannot be painted or kept.
    """
    place = folder(bake)
    brush = brush_for(bake, ground, facts, pixels, worn)
    made_from = _made_from(brush.lanes())
    note = place / NOTE
    with suppress(OSError, ValueError, KeyError):
        known = json.loads(note.read_text(encoding="utf-8"))
        if known["from"] == made_from and all((place / name).is_file() for name in _names(bake)):
            return str(place / bake.name)
    place.mkdir(parents=True, exist_ok=True)
    costs: list[Cost] = []
    try:
        for name, number in _names(bake).items():
            tile = divmod(number - 1001, 10)[::-1] if number else (0, 0)
            picture, seen = brush.picture(tile)
            save(place / name, picture, bake)
            found = cost(bake, brush, picture, tile, seen)
            costs += [found] if found is not None else []
        said = [float(np.mean([one.mean for one in costs])), costs[0].unit] if costs else None
        with replacing(note) as part:
            part.write_text(json.dumps({"from": made_from, "cost": said}), encoding="utf-8")
    except OSError as problem:
        raise RenderingError(f"{bake.name} cannot be kept: {problem}.") from problem
    return str(place / bake.name)


def _names(bake: Bake) -> dict[str, int]:
    """The files of a bake, and the number of the tile that each is; 0 for one without tiles."""
    if not bake.tiles:
        return {bake.name: 0}
    return {bake.name.replace(UDIM, str(number)): number for number in bake.tiles}


def _made_from(lanes: Sequence[Lane]) -> list[str]:
    """What a picture is made from besides the network: the state of the pictures that it reads, and how it is painted."""
    found = {lane.data.file for lane in order(list(lanes)) if _is_picture(lane) and isinstance(lane.data, Lookup)}
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
