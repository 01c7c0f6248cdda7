"""Every file format that scenes are read from and written to, by the file's ending.

A format is a plain module with the functions that `Port` lists. To add one: write the module, and put an entry here.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from pathlib import Path
from typing import Protocol, cast

from durvan.errors import MisuseError, SceneFileError
from durvan.progress import Report
from durvan.regular import why_not
from durvan.scene.assembly import Assembly
from durvan.scene.model import Kind
from durvan.scene.raw import RawScene
from durvan.scene.shapes import Shapes
from durvan.scene.written import ReadBack, Written


class Port(Protocol):
    """What a format's module has. Each raises SceneFileError with the file and the place inside it."""

    def read(self, file: Path, report: Report) -> RawScene:
        """Everything in a file that is carried, in the file's order."""

    def shapes(self, file: Path, report: Report) -> Shapes:
        """What a file looks like to a renderer: triangles, and where lights and cameras stand."""

    def assembly(self, file: Path, report: Report) -> Assembly:
        """What stands in a file besides materials, for a file of another format."""

    def write(self, written: Written, file: Path) -> None:
        """Write a file. The same input gives the same bytes."""

    def carried_before(self, file: Path) -> dict[str, str]:
        """What a file says of how it was carried: "source", "target", "version"; nothing of any other file."""

    def read_back(self, file: Path) -> ReadBack:
        """A file that was written, opened past any copy in memory, to be asked what it says."""

    def paths_in(self, file: Path) -> list[str]:
        """Every path of another file that this one names, each once, in order."""

    def rewrite(self, source: Path, out: Path, put: Callable[[str], str]) -> int:
        """Write a copy with other paths of files in it, checked; how many were changed."""


@dataclass(frozen=True)
class Format:
    """A format: its name, the endings that are read, those that are written (the first one by default), its module.

    `holds` are the kinds of things that it has words for, `forms` whether it holds shapes, `stands_over` whether a file of it can say
    only what differs from another one, `any_words` whether it holds every dialect's words, or those alone that name it.
    """

    name: str
    reads: tuple[str, ...]
    writes: tuple[str, ...]
    module: str
    holds: frozenset[Kind] = frozenset(Kind)
    forms: bool = True
    stands_over: bool = True
    any_words: bool = True

    def port(self) -> Port:
        """Its module."""
        return cast(Port, import_module(self.module))


FORMATS: list[Format] = [
    Format("USD", (".usda", ".usdc", ".usd", ".usdz"), (".usda", ".usdc", ".usd"), "durvan.formats.usd.port"),
    Format(
        "MaterialX", (".mtlx",), (".mtlx",), "durvan.formats.materialx.port", frozenset({Kind.MATERIAL}), forms=False,
        stands_over=False, any_words=False,
    ),
    Format(
        "glTF", (".gltf", ".glb"), (".glb", ".gltf"), "durvan.formats.gltf.port",
        frozenset({Kind.MATERIAL, Kind.LIGHT, Kind.CAMERA}), stands_over=False, any_words=False,
    ),
    Format("Mitsuba", (".xml",), (".xml",), "durvan.formats.mitsuba.port", stands_over=False, any_words=False),
]  # fmt: skip


def named(name: str) -> Format:
    """A format by its name. Raises MisuseError with the names that there are."""
    for one in FORMATS:
        if one.name.lower() == name.lower():
            return one
    raise MisuseError(f"'{name}' is not a format.", advice=f"There are {', '.join(one.name for one in FORMATS)}.")


def read_endings() -> tuple[str, ...]:
    """Endings of files that can be read."""
    return tuple(ending for one in FORMATS for ending in one.reads)


def write_endings() -> tuple[str, ...]:
    """Endings of files that can be written."""
    return tuple(ending for one in FORMATS for ending in one.writes)


def format_of(file: Path) -> Format:
    """The format of a file by its ending; of one that is none, the first. Nothing is opened."""
    return next((one for one in FORMATS if file.suffix.lower() in (*one.reads, *one.writes)), FORMATS[0])


def reader(file: Path) -> Port:
    """What reads a file. Raises SceneFileError when its ending is none that is known, or there is no such file."""
    for one in FORMATS:
        if file.suffix.lower() in one.reads:
            return one.port()
    reason = why_not(file)
    if reason:
        raise SceneFileError(f"{reason}.", file=str(file)[:300])
    raise SceneFileError(f"is not a scene; Durvan opens {', '.join(read_endings())}.", file=file)


def writer(file: Path) -> Port:
    """What writes a file. Raises MisuseError when its ending is none that is known."""
    for one in FORMATS:
        if file.suffix.lower() in one.writes:
            return one.port()
    raise MisuseError(f"a target is written as {', '.join(write_endings())}.", file=file)
