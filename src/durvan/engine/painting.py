"""Bakes as files: painted once, and kept beside the swatches, by the network, its size, and the pictures and shapes that it is made from."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Facts
from durvan.dialects.pack import Pack
from durvan.engine.brushes import Brush, Plain, Seen, brush_for
from durvan.engine.canvas import Floats, Meshes, Painted, Worn
from durvan.engine.costs import NOTE, Cost, Declared, Sources, declared, folder
from durvan.errors import RenderingError
from durvan.formats import pictures
from durvan.graph.expression import UDIM, Lookup, Pixels, look_up, tiled
from durvan.optics.difference import ciede2000, cielab
from durvan.optics.spread import spread
from durvan.optics.tone import srgb
from durvan.replacing import replacing
from durvan.scene.baking import COLOUR, Bake
from durvan.scene.shapes import print_of


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
    """The path of a baked picture (with "<UDIM>" where it has tiles), painted where it is not there yet from what there is now.

    Raises RenderingError when it cannot be painted or kept, or would be made from something that it is not known by.
    """
    made_from = declared(bake, Sources(facts.find, facts.metres_per_unit))
    place = folder(bake, made_from)
    note = place / NOTE
    if note.is_file() and all((place / name).is_file() for name in _names(bake)):
        return str(place / bake.name)
    brush = brush_for(bake, ground, facts, _of_declared(bake, made_from, pixels), OfDeclared(bake, worn))
    costs: list[Cost] = []
    try:
        place.mkdir(parents=True, exist_ok=True)
        for name, number in _names(bake).items():
            tile = divmod(number - 1001, 10)[::-1] if number else (0, 0)
            picture, seen = brush.picture(tile)
            save(place / name, picture, bake)
            found = cost(bake, brush, picture, tile, seen)
            costs += [found] if found is not None else []
        said = [float(np.mean([one.mean for one in costs])), costs[0].unit] if costs else None
        with replacing(note) as part:
            part.write_text(json.dumps({"from": made_from.stamps, "cost": said}), encoding="utf-8")
    except OSError as problem:
        raise RenderingError(f"{bake.name} cannot be kept: {problem}.") from problem
    return str(place / bake.name)


def _of_declared(bake: Bake, made_from: Declared, pixels: Pixels) -> Pixels:
    """Pixels of the pictures alone that a bake is known by."""

    def read(lookup: Lookup) -> NDArray[np.float32] | None:
        if lookup.file and not any(tiled(lookup.file, one) for one in made_from.pictures):
            raise RenderingError(f"{bake.name} would be made from {lookup.file}, by which it is not known.")
        return pixels(lookup)

    return read


class OfDeclared:
    """The meshes alone that a bake is known by, while they are what they were."""

    def __init__(self, bake: Bake, worn: Worn) -> None:
        self.bake, self.worn = bake, worn

    def by(self, thing: str) -> Meshes:
        """Meshes and which of their triangles wear it. Raises RenderingError."""
        if not self.bake.by_place or thing != self.bake.thing:
            raise RenderingError(f"{self.bake.name} would be made from shapes, by which it is not known.")
        found = self.worn.by(thing)
        if self.bake.shapes and print_of(found) != self.bake.shapes:
            raise RenderingError(
                f"{self.bake.name} was planned for other shapes than there are now; read the scene again."
            )
        return found


def _names(bake: Bake) -> dict[str, int]:
    """The files of a bake, and the number of the tile that each is; 0 for one without tiles."""
    if not bake.tiles:
        return {bake.name: 0}
    return {bake.name.replace(UDIM, str(number)): number for number in bake.tiles}


def save(file: Path, picture: Painted, bake: Bake) -> None:
    """Write a baked picture with its colour space in the header: 8 bits for what lies between 0 and 1, half floats for anything else.
    Raises OSError.
    """
    if file.suffix == ".png":
        values = srgb(np.clip(picture, 0.0, 1.0)) if bake.space == COLOUR else np.clip(picture, 0.0, 1.0)
        pictures.save(file, np.asarray(values, dtype=np.float32), space="sRGB" if bake.space == COLOUR else "raw")
    else:
        pictures.save(file, picture, space="lin_rec709" if bake.space == COLOUR else "raw")
