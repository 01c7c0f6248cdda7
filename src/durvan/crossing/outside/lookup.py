"""What is outside the scene, seen from a crossing: its links and roots, and what the plan has to know of the files."""

from __future__ import annotations

import math
import os
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import lru_cache
from pathlib import Path

from durvan.errors import ProfileError
from durvan.files import facts
from durvan.files.copies import copy_path, is_current
from durvan.files.index import Shelf
from durvan.files.inventory import take
from durvan.files.resolve import Known, Resolver
from durvan.files.roots import Root
from durvan.formats import pictures, profiles
from durvan.progress import Report, silent
from durvan.scene.model import FileKind, Kind, OutsideFile, Scene
from durvan.scene.places import anchor_of


@dataclass
class Outlook:
    """How a crossing looks for files: roots in their order, what a person put in the place of a written path, and
    what is remembered of files that were there once."""

    roots: tuple[Root, ...] = ()
    links: Mapping[str, str] = field(default_factory=dict)
    known: Mapping[str, Known] = field(default_factory=dict)
    shelf: Shelf = field(default_factory=Shelf)


def folders_of(scene: Scene) -> tuple[str, ...]:
    """The scene's own folders: those of every file that it is composed of, and of what it was carried from here."""
    own = [anchor_of(layer) for layer in scene.layers] + [str(Path(scene.file).absolute().parent), *scene.came_from]
    return tuple(dict.fromkeys(os.path.realpath(folder) for folder in own))


def resolver(scene: Scene, outlook: Outlook, report: Report = silent) -> Resolver:
    """The resolver of one scene."""
    return Resolver(folders_of(scene), outlook.roots, outlook.shelf, outlook.links, outlook.known, report=report)


@dataclass(frozen=True)
class Disk:
    """What the disk said at one time: every file outside, what formulas have to know of a thing's pictures, and which
    prepared copy the target reads in a picture's place (by written path)."""

    files: Mapping[str, OutsideFile] = field(default_factory=dict)
    facts: Mapping[str, Mapping[str, float]] = field(default_factory=dict)
    copies: Mapping[str, str] = field(default_factory=dict)


def look(
    scene: Scene, outlook: Outlook | None = None, copies: str = "", before: Disk | None = None, report: Report = silent
) -> Disk:
    """Look every file of a scene up; `before` itself when nothing is other than it was then.

    `copies` says where tiled copies are: empty for none, "beside" the originals, or a folder.
    """
    files = take(scene.references, resolver(scene, outlook or Outlook(), report), report)
    if before is not None and files == before.files:
        files, facts_ = dict(before.files), before.facts
    else:
        facts_ = _facts(scene, files)
    made = {file.written: copy for file in files.values() if (copy := _copy(file, copies))}
    found = Disk(files, facts_, made)
    return before if before is not None and found == before else found


def _copy(file: OutsideFile, copies: str) -> str:
    """The prepared copy that is read in a picture's place; empty when the original is."""
    if not copies or not file.first:
        return ""
    place = copy_path(file.resolved, copies)
    made = [copy_path(member, copies) for member in file.members] or [place]
    originals = file.members or (file.first,)
    return place if all(is_current(copy, one) for copy, one in zip(made, originals, strict=True)) else ""


def seen(scene: Scene, disk: Disk, before: tuple[Scene, Disk] | None = None) -> Scene:
    """A scene with the files that the disk has. Things of which the disk says what it said `before` are the same ones."""
    things = dict(scene.things)
    for name, more in disk.facts.items():
        if before is not None and before[1].facts.get(name) == more and name in before[0].things:
            things[name] = before[0].things[name]
        else:
            things[name] = replace(things[name], context={**things[name].context, **more})
    return replace(scene, files=dict(disk.files), things=things)


@lru_cache(maxsize=256)
def _lux(path: str, stamp: object) -> float:
    del stamp  # it is in the key: a picture that was changed is read again
    return pictures.map_lux(path)


@lru_cache(maxsize=256)
def _lumens(path: str, stamp: object) -> float:
    del stamp
    try:
        return profiles.lumens(profiles.read(path))
    except ProfileError:
        return 0.0


def _facts(scene: Scene, files: Mapping[str, OutsideFile]) -> dict[str, dict[str, float]]:
    """What formulas may know of files, by thing: channels of every picture, the light on level ground that one of surroundings
    stands for (lux), the mean of one on a light, the flux of a profile (lumen).
    """
    out: dict[str, dict[str, float]] = {}
    pictured = set()
    for file in files.values():
        for name, node, _ in file.users:
            thing = scene.things[name]
            pictured.add(name)
            if file.channels:
                out.setdefault(name, {})[f"{node}:channels"] = float(file.channels)
            if thing.kind is not Kind.LIGHT:
                continue
            if file.kind is FileKind.PROFILE and file.first:
                out.setdefault(name, {})["profile_lumen"] = _lumens(file.first, facts.stamp(file.first))
            elif file.width:
                lit = out.setdefault(name, {})
                lit["map_lux"] = _lux(file.first, facts.stamp(file.first))
                lit["map_mean"] = pictures.mean_luminance(file.first)
    for thing in scene.of(Kind.LIGHT):
        if thing.root is not None and thing.id not in pictured:
            bare = out.setdefault(thing.id, {})
            bare["map_lux"] = math.pi  # a dome without a picture is white: π lux a nit
            bare.setdefault("map_mean", 1.0)
    return out
