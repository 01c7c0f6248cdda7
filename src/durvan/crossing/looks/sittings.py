"""What a side of a crossing is rendered from for Proof, and by what it is known: fingerprints of each thing that it is made of."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from durvan import __version__
from durvan.crossing.looks.keys import of_graph
from durvan.dialects.pack import Pack
from durvan.scene.model import Kind, OutsideFile, Scene, Thing

SIDES = ("source", "target")
_SHOWN = (Kind.MATERIAL, Kind.LIGHT, Kind.CAMERA, Kind.SETTINGS)


@dataclass(frozen=True)
class Sitting:
    """A side that is to be rendered: its things in one dialect's words, objects that are hidden from the camera, what it is made from."""

    side: str
    things: Sequence[Thing]
    unseen: tuple[str, ...] = ()
    made: Mapping[str, str] = field(default_factory=dict)


def sitting(
    scene: Scene, side: str, things: Iterable[Thing], camera: str, used: Mapping[str, Sequence[OutsideFile]], unseen: tuple[str, ...] = (),
    packs: Mapping[str, Pack] | None = None,
) -> Sitting:  # fmt: skip
    """A side ready to be asked for; `used` are the files that things read, by path. Of cameras only the one that looks counts. How `packs` look is
    told by their versions.
    """
    every = list(things)
    made = {
        thing.id: fingerprint(thing, used.get(thing.id, ()))
        for thing in every if thing.kind in _SHOWN and (thing.kind is not Kind.CAMERA or thing.id == camera)
    }  # fmt: skip
    if unseen:
        made["hidden objects"] = _short("\n".join(sorted(unseen)))
    spoken = sorted({thing.dialect for thing in every} & (packs or {}).keys())
    said = [f"{name} {packs[name].identity.version}" for name in spoken] if packs else []
    made["dialects and renderer"] = _short("\n".join((__version__, *said)))
    made["the scene's file"] = _short(f"{scene.file} {scene.up_axis} {scene.metres_per_unit}")
    made["shapes"] = _short("\n".join(f"{file} {stamp}" for file, stamp in sorted(scene.stamps.items())))
    return Sitting(side, every, unseen, made)


def fingerprint(thing: Thing, files: Iterable[OutsideFile]) -> str:
    """A thing in few letters: equal only for one that says the same, reads the same files, stands in the same place, and is worn by the same."""
    read = sorted(f"{file.written}|{file.first}|{file.size}|{file.changed}" for file in files)
    parts = (
        thing.dialect,
        of_graph(thing.graph),
        repr(thing.place),
        repr(thing.stands),
        *sorted(thing.turned),
        *read,
        _worn(thing),
    )
    return _short("\n".join(parts))


def _worn(thing: Thing) -> str:
    """What wears a thing, which a scene says once and for all."""
    if thing.worn and not thing.wearing:
        thing.wearing = _short("\n".join(sorted(one.path for one in thing.worn)))
    return thing.wearing


def _short(text: str) -> str:
    return hashlib.sha256(text.encode("utf-8", "surrogatepass")).hexdigest()[:16]
