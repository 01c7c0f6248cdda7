"""Tiled copies of pictures: what is made of which, how, where it belongs, and whether it is still of use."""

from __future__ import annotations

import hashlib
import os
from dataclasses import dataclass
from enum import StrEnum

from durvan.files import facts

_LIGHT = (".exr", ".hdr")


class Use(StrEnum):
    """What a picture is used as; decides how its smaller copies are filtered."""

    COLOUR = "colour"
    DATA = "data"
    NORMAL = "normal"
    HEIGHT = "height"
    MASK = "mask"
    SURROUNDINGS = "surroundings"


@dataclass(frozen=True, slots=True)
class Settings:
    """How copies of one kind are made.

    `filter` is "box" (the mean of four) or "tent" (sixteen, weighted 1 3 3 1); `depth` "same", "uint8", "uint16",
    "half" or "float"; `compression` "zip", "none", or of EXR also "dwaa"; `wrap` "periodic", "clamp", "mirror" or "black".
    """

    filter: str = "box"
    depth: str = "same"
    compression: str = "zip"
    wrap: str = "periodic"

    @property
    def key(self) -> str:
        """The settings in one word."""
        return f"{self.filter}-{self.depth}-{self.compression}-{self.wrap}"


CHOICES = {
    "filter": ("box", "tent"), "depth": ("same", "uint8", "uint16", "half", "float"),
    "compression": ("zip", "none", "dwaa"), "wrap": ("periodic", "clamp", "mirror", "black"),
}  # fmt: skip
DEFAULTS = {
    Use.COLOUR: Settings(), Use.DATA: Settings(), Use.NORMAL: Settings(), Use.HEIGHT: Settings(filter="tent"),
    Use.MASK: Settings(), Use.SURROUNDINGS: Settings(wrap="periodic"),
}  # fmt: skip


@dataclass(frozen=True, slots=True)
class Task:
    """One copy to make."""

    original: str
    copy: str
    use: Use
    settings: Settings

    @property
    def current(self) -> bool:
        """Whether the copy is there, was made of the original as it is now, and in this way."""
        return is_current(self.copy, self.original, f"{self.use} {self.settings.key}")


def copy_path(original: str, where: str) -> str:
    """Where the copy of a picture belongs: beside it ("beside") or in a folder, under its name with another ending.

    In a folder, each folder that originals come from has its own, so that two of one name stay two.
    """
    folder, name = os.path.split(original)
    stem, suffix = os.path.splitext(name)
    fresh = f"{stem}.tiled{'.exr' if suffix.lower() in _LIGHT else '.tif'}"
    if where == "beside":
        return os.path.join(folder, fresh)
    mark = hashlib.sha256(os.fsencode(folder)).hexdigest()[:6]
    return os.path.join(where, f"{os.path.basename(folder)}-{mark}", fresh)


def is_current(copy: str, original: str, way: str = "") -> bool:
    """Whether a copy was made of a picture as it is now; with `way` also made in that way."""
    told, key = facts.facts(copy), facts.stamp(original)
    if told is None or key is None or not told.prepared:
        return False
    return told.made_as == made_as(key, way) if way else told.made_as.startswith(made_as(key, ""))


def made_as(key: facts.Stamp, way: str) -> str:
    """What a copy says of how it was made: its original's size and time of change, and the way."""
    return f"{key[1]} {key[2]} {way}"
