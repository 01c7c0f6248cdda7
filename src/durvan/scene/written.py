"""What a writer is given, and what is read back: things with typed properties, each a value or a link.

A file format renders it; nothing here knows of one. Two of these are compared to see whether what was written reads as it
was meant.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from pathlib import Path
from typing import Protocol

from durvan.scene.assembly import Assembly
from durvan.scene.graph import Value, same

SINGLE = 1e-6  # what single precision, in which files keep numbers, leaves of them


def type_for(kind: str, value: Value | None) -> str:
    """The type that a parameter of some kind has in a file; of "any", that of the value."""
    if kind == "surface":
        return "token"
    if kind != "any":
        return kind
    if isinstance(value, tuple):
        return {2: "vector2", 3: "color", 4: "vector4"}.get(len(value), "float")
    if isinstance(value, bool):
        return "bool"
    if isinstance(value, str):
        return "string"
    return "int" if isinstance(value, int) else "float" if value is not None else "color"


class Form(StrEnum):
    """What a thing is in the file."""

    MATERIAL = "material"
    NODE = "node"
    PROPERTIES = "properties"  # of something that the source has: a light, a camera, settings
    SCENE = "scene"  # a property of the scene that stands by itself
    CHANGES = "changes"  # only what differs from the source, on a node of it


@dataclass(slots=True)
class Property:
    """A value and a link, one or both, with the type that they have ("float", "color", "file", …).

    `link` is the path of a node and its output. `fixed` never varies over time; `space` is a picture's colour space.
    """

    type: str
    value: Value | None = None
    link: tuple[str, str] | None = None
    fixed: bool = False
    space: str = ""


@dataclass(slots=True)
class WrittenThing:
    """A thing of the file. `word` is what it is called: a node's shader id, a scene property's prim type.

    `outputs` are a node's, by name, with their types; `ends` a material's outputs, as node and its output. `yaw` turns a
    dome about the up axis, in degrees; `towards` is where a far light stands in the sky, azimuth and elevation; `matrix` is where anything else
    stands: 16 numbers of a world matrix, row vectors, in the stage's unit; `free` are instances that have to be made unique for it; what is
    `off` stands there, and nothing uses it.
    """

    form: Form
    word: str = ""
    properties: dict[str, Property] = field(default_factory=dict)
    outputs: dict[str, str] = field(default_factory=dict)
    ends: dict[str, tuple[str, str]] = field(default_factory=dict)
    yaw: float | None = None
    towards: tuple[float, float] | None = None
    matrix: tuple[float, ...] = ()
    free: str = ""
    off: bool = False


@dataclass
class Replaced:
    """What becomes of the source's words in a file of the target alone.

    `materials`: path → names of what stays of a material; `stripped`: path → attribute namespace that goes; `removed`:
    things that go, because the target says them elsewhere; `off`: what stands there switched off.
    """

    materials: dict[str, list[str]] = field(default_factory=dict)
    stripped: dict[str, str] = field(default_factory=dict)
    removed: list[str] = field(default_factory=list)
    off: list[str] = field(default_factory=list)


class Lying(Protocol):
    """What a writer asks of the files beside a target: `target` is where that will be in the end."""

    @property
    def target(self) -> Path:
        """Where the target will be."""

    def named(self, group: str, key: str, wish: str, ending: str) -> str:
        """The path, as the target names it, of a file that nobody else has: `key` tells it from all others of a group."""

    def place(self, name: str) -> Path:
        """Where a file of such a path is to be written now. Raises OSError."""

    def find(self, path: str) -> str:
        """Where a file is now that the target names by a path."""


@dataclass
class Written:
    """A whole file: its things by path, parents before children.

    It stands over the file `over` (as the new one names it); with `replaced` it holds that file's contents itself. Of a format whose
    files stand over no others, `base` is the file of the same format that it is made from, "" for none; `worn` says who wears each
    material, and `body` is what there is besides, where it comes from a file of another format; `merged` are materials in whose place
    another one is worn; `beside` knows where the file will be in the end and what lies beside it, `remarks` are what a writer has to say of it.
    `made` are files that are made for it: their names beside it, and what they are. `stands` says at which paths of it each thing of the
    source stands, `names` what a format calls some of these paths. `metadata` is the source's, `told` what is said of how it was made. `up_axis` is "Y" or "Z". What
    else stands in the file `kept_from` stays.
    """

    things: dict[str, WrittenThing] = field(default_factory=dict)
    over: str = ""
    replaced: Replaced | None = None
    metadata: Mapping[str, Value] = field(default_factory=dict)
    told: Mapping[str, str] = field(default_factory=dict)
    made: dict[str, str] = field(default_factory=dict)
    up_axis: str = "Y"
    kept_from: str = ""
    base: str = ""
    worn: Mapping[str, list[str]] = field(default_factory=dict)
    body: Assembly | None = None
    merged: Mapping[str, str] = field(default_factory=dict)
    beside: Lying | None = None
    remarks: list[str] = field(default_factory=list)
    stands: dict[str, list[str]] = field(default_factory=dict)
    names: dict[str, str] = field(default_factory=dict)

    def thing(self, path: str, form: Form, word: str = "") -> WrittenThing:
        """The thing at a path, made when it is not there."""
        found = self.things.get(path)
        if found is None:
            found = self.things[path] = WrittenThing(form, word)
        return found

    def says(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What stands at a path; here it is known, whatever is wanted of it."""
        return self.things.get(path)

    def release(self) -> None:
        """Take it apart bit by bit; let go of at once, a large one holds every thread up."""
        while self.things:
            self.things.popitem()


class ReadBack(Protocol):
    """A file that was opened again: what it stands over, and what it says, asked for thing by thing."""

    over: str

    def says(self, path: str, wanted: WrittenThing) -> WrittenThing | None:
        """What the file says of what is wanted of a thing; None where nothing stands there."""


@dataclass(frozen=True)
class Difference:
    """Where what was read is not what was meant, and how."""

    path: str
    name: str
    meant: str
    found: str


def differences(meant: Written, found: ReadBack) -> Iterator[Difference]:
    """Everything that was meant and does not stand in what was read; what is there besides is passed over."""
    if meant.replaced is None and meant.over and meant.over != found.over:
        yield Difference("/", "", f"over {meant.over or 'nothing'}", f"over {found.over or 'nothing'}")
    removed: Collection[str] = meant.replaced.removed if meant.replaced is not None else ()
    for path, thing in meant.things.items():
        there = found.says(path, thing)
        if there is None:
            if path not in removed:
                yield Difference(path, "", thing.word or thing.form.value, "nothing")
            continue
        yield from _of_thing(path, thing, there)


def _of_thing(path: str, meant: WrittenThing, found: WrittenThing) -> Iterator[Difference]:
    if meant.word and meant.word != found.word:
        yield Difference(path, "", meant.word, found.word or "nothing")
    for name, to in meant.ends.items():
        if found.ends.get(name) != to:
            yield Difference(path, name, _place(to), _place(found.ends.get(name)))
    if meant.off != found.off:
        yield Difference(path, "", "switched off" if meant.off else "in use", "in use" if meant.off else "switched off")
    for name, of in meant.outputs.items():
        if found.outputs.get(name) != of:
            yield Difference(path, name, f"an output of type {of}", found.outputs.get(name, "nothing"))
    if meant.yaw is not None and (found.yaw is None or not same(meant.yaw, found.yaw, SINGLE, 1.0)):
        yield Difference(path, "", f"turned by {meant.yaw:g}°", "not so" if found.yaw is None else f"{found.yaw:g}°")
    for what, here, there_ in (
        ("standing in the sky at", meant.towards, found.towards),
        ("standing at", meant.matrix, found.matrix),
    ):
        if here and (not there_ or not same(here, there_, SINGLE, 1.0)):
            yield Difference(path, "", f"{what} {here}", f"{there_}" if there_ else "not so")
    for name, one in meant.properties.items():
        there = found.properties.get(name)
        if there is None:
            yield Difference(path, name, _said(one), "nothing")
        elif one.type != there.type:
            yield Difference(path, name, f"of type {one.type}", f"of type {there.type}")
        elif one.link is not None and one.link != there.link:
            yield Difference(path, name, _place(one.link), _place(there.link))
        elif one.value is not None and not (
            one.value == there.value or (there.value is not None and same(one.value, there.value, SINGLE, 1.0))
        ):
            yield Difference(path, name, _said(one), _said(there))
        elif one.space and one.space != there.space:
            yield Difference(path, name, f"in {one.space}", f"in {there.space or 'none'}")


def _place(link: tuple[str, str] | None) -> str:
    return f"linked to {link[0]}.{link[1]}" if link is not None else "not linked"


def _said(one: Property) -> str:
    return str(one.value) if one.value is not None else _place(one.link)
