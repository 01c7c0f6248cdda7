"""What baked pictures cost, as it was found when they were painted; to be read without a renderer."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass
from glob import escape
from pathlib import Path

import platformdirs

from durvan import __version__
from durvan.optics.profile import name_of, of_name
from durvan.scene.baking import Bake
from durvan.scene.model import FileKind, OutsideFile, Scene

NOTE = "made.json"
UDIM = "<UDIM>"
_SCHEME = "3"


@dataclass(frozen=True)
class Cost:
    """How far a picture is from what it stands for: the mean CIEDE2000 of a colour, the mean difference of data, the mean angle of
    normals in degrees.
    """

    mean: float
    unit: str = ""

    @property
    def number(self) -> str:
        """The number as people read it."""
        return f"{self.mean:.2f}" if self.unit else f"{self.mean:.2g}"


@dataclass(frozen=True)
class Sources:
    """Where a scene's files are (a picture of tiles by a path with "<UDIM>" in it), and how many metres its unit is."""

    find: Callable[[str], str]
    metres_per_unit: float


def sources_of(scene: Scene) -> Sources:
    """Those of a scene, with its files as they were when they were last looked at."""
    wanted = [*scene.pictures.values(), *(file for file in scene.files.values() if file.kind is FileKind.PROFILE)]
    where = {file.written: _pattern(file) if file.members else file.first for file in wanted}

    def find(path: str) -> str:
        file, factor = of_name(path)
        return name_of(where.get(file, file), factor)

    return Sources(find, scene.metres_per_unit)


def _pattern(file: OutsideFile) -> str:
    """The path of a picture of tiles, with what stands for the number of a tile in it; empty for another series."""
    folder, _, name = file.first.replace("\\", "/").rpartition("/")
    number = next(
        (
            name[k : k + 4]
            for k in range(len(name) - 3)
            if name[k : k + 4].isdecimal() and 1001 <= int(name[k : k + 4]) <= 2000
        ),
        "",
    )
    return f"{folder}/{name.replace(number, UDIM, 1)}" if number and UDIM in file.written.upper() else ""


@dataclass(frozen=True)
class Declared:
    """All that a baked picture is made from besides its network, whose key says what it says: the pictures that it names, as they are now,
    the unit, and the renderer's way of painting. What wears the thing is in the key, too.
    """

    pictures: tuple[str, ...]
    stamps: tuple[str, ...]

    def digest(self) -> str:
        """In few letters."""
        return hashlib.sha256("\n".join(self.stamps).encode("utf-8", "surrogatepass")).hexdigest()[:20]


def declared(bake: Bake, sources: Sources) -> Declared:
    """What a bake is made from. A brush that asks for more is refused."""
    named = {str(node.values.get("file", "")) for node in bake.graph.nodes.values() if node.kind == "image"} - {""}
    found = tuple(sorted(sources.find(name) for name in named))
    said = [f"scheme {_SCHEME}", f"version {__version__}", f"unit {sources.metres_per_unit!r}"]
    return Declared(found, (*said, *(stamp for file in found for stamp in _stamps(file))))


def _stamps(file: str) -> list[str]:
    """A picture as it is now: every tile of one that has them."""
    place = Path(file)
    tiles = sorted(map(str, place.parent.glob(escape(place.name).replace(UDIM, "[0-9][0-9][0-9][0-9]")))) if UDIM in place.name else [file]  # fmt: skip
    said = []
    for one in tiles:
        stamp = ""
        with suppress(OSError, ValueError):
            stat = Path(one).stat()
            stamp = f"{stat.st_size} {stat.st_mtime_ns}"
        said.append(f"{one} {stamp}")
    return said


def folder(bake: Bake, made_from: Declared) -> Path:
    """Where a bake is kept once it is painted."""
    kept = Path(os.environ.get("DURVAN_SWATCHES") or platformdirs.user_cache_path("durvan") / "swatches")
    return kept / "baked" / bake.key[:2] / bake.key / made_from.digest()


def cost_of(bake: Bake, sources: Sources) -> Cost | None:
    """What a baked picture cost; None of one that was not painted yet from what there is now, or where it cannot be told."""
    with suppress(OSError, ValueError, KeyError, TypeError):
        mean, unit = json.loads((folder(bake, declared(bake, sources)) / NOTE).read_text(encoding="utf-8"))["cost"]
        return Cost(float(mean), str(unit))
    return None
