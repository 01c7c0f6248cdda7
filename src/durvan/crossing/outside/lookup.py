"""What is outside the scene, seen from a crossing: its links and roots, and what the plan has to know of the files."""

from __future__ import annotations

import math
import os
from dataclasses import dataclass, field
from functools import lru_cache
from pathlib import Path

from durvan.files import facts
from durvan.files.index import Shelf
from durvan.files.inventory import take
from durvan.files.resolve import Known, Resolver
from durvan.files.roots import Root
from durvan.formats import pictures
from durvan.formats.usd_assets import anchor_of
from durvan.progress import Report, silent
from durvan.scene.model import Kind, Scene


@dataclass
class Outlook:
    """How a crossing looks for files: roots in their order, what a person put in the place of a written path, and
    what is remembered of files that were there once."""

    roots: tuple[Root, ...] = ()
    links: dict[str, str] = field(default_factory=dict)
    known: dict[str, Known] = field(default_factory=dict)
    shelf: Shelf = field(default_factory=Shelf)


def folders_of(scene: Scene) -> tuple[str, ...]:
    """The scene's own folders: those of every file that it is composed of."""
    own = [anchor_of(layer) for layer in scene.layers] + [str(Path(scene.file).absolute().parent)]
    return tuple(dict.fromkeys(os.path.realpath(folder) for folder in own))


def resolver(scene: Scene, outlook: Outlook, report: Report = silent) -> Resolver:
    """The resolver of one scene."""
    return Resolver(folders_of(scene), outlook.roots, outlook.shelf, outlook.links, outlook.known, report=report)


def settle(scene: Scene, outlook: Outlook | None = None, report: Report = silent) -> bool:
    """Look every file of a scene up again, and tell its things what they have to know of them; whether anything changed."""
    before = scene.files
    scene.files = take(scene.references, resolver(scene, outlook or Outlook(), report), report)
    if scene.files == before:
        return False
    _tell(scene)
    return True


@lru_cache(maxsize=256)
def _lux(path: str, stamp: object) -> float:
    del stamp  # it is in the key: a picture that was changed is read again
    return pictures.map_lux(path)


def _tell(scene: Scene) -> None:
    """Channels of every picture, and the light on level ground that one of surroundings stands for, in lux."""
    pictured = set()
    for file in scene.files.values():
        for name, node, _ in file.users:
            thing = scene.things[name]
            pictured.add(name)
            if file.channels:
                thing.context[f"{node}:channels"] = float(file.channels)
            if thing.kind is Kind.LIGHT and file.width:
                thing.context["map_lux"] = _lux(file.first, facts.stamp(file.first))
    for thing in scene.of(Kind.LIGHT):
        if thing.root is not None and thing.id not in pictured:
            thing.context.setdefault("map_lux", math.pi)  # a dome without a picture is white: π lux a nit
