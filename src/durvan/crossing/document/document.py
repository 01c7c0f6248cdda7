"""The document: one crossing with all its choices, and what was learnt that must outlive the session."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import Literal

from pydantic import Field

from durvan.crossing.translation.choices import Choices, Chosen, Note, Redirect, SettingsSet, Swap, Trim
from durvan.errors import CrossingFileError
from durvan.files.resolve import Known
from durvan.files.roots import Root

VERSION = 8


class Accepted(Chosen):
    """A finding that a person accepted: why, and the evidence it had then."""

    key: str
    reason: str
    fingerprint: str


class Relink(Chosen):
    """A path that a person put in the place of what the scene says: full, or counted from the source's folder."""

    written: str
    to: str


class PickedProbe(Chosen):
    """A place where light is measured, in metres; `normal` (0, 0, 0) is from all sides."""

    name: str
    place: tuple[float, float, float]
    normal: tuple[float, float, float] = (0.0, 0.0, 0.0)


class PinState(StrEnum):
    """How a note on a place stands."""

    OPEN = "open"
    SETTLED = "settled"
    ACCEPTED = "accepted"


class Pin(Chosen):
    """A note on a place of a picture: where, from 0 to 1 across and down, in which camera's; what it says, how it stands, and which material,
    and whose light most of all, is there.
    """

    number: int
    camera: str = ""
    across: float = Field(ge=0.0, le=1.0)
    down: float = Field(ge=0.0, le=1.0)
    text: str = Field(default="", max_length=4000)
    state: PinState = PinState.OPEN
    material: str = ""
    light: str = ""


class Basis(Chosen):
    """What a thing of the source was when it was decided about: its network in few letters."""

    thing: str
    print: str


class ForTarget(Chosen):
    """What was decided for a target while another one is chosen; it waits until that is chosen again."""

    target: str
    notes: tuple[Note, ...] = ()
    redirects: tuple[Redirect, ...] = ()
    swaps: tuple[Swap, ...] = ()
    trims: tuple[Trim, ...] = ()
    balanced: float = 0.0
    sets: tuple[SettingsSet, ...] = ()
    in_use: str = ""


_OF_TARGET = tuple(name for name in ForTarget.model_fields if name != "target")


class Document(Choices):
    """What a .durvan file holds: the choices, and where they came from."""

    format: Literal["durvan crossing"] = "durvan crossing"
    version: int = VERSION
    source: str
    source_sha256: str = ""
    source_dialect: str = ""
    written: str = ""
    accepted: tuple[Accepted, ...] = ()
    links: tuple[Relink, ...] = ()
    roots: tuple[Root, ...] = ()
    remembered: tuple[Known, ...] = ()
    drift_limit: float = Field(default=3.0, ge=0.0, le=100.0, allow_inf_nan=False)

    light_limit: float = Field(default=0.5, ge=0.0, le=20.0, allow_inf_nan=False)
    camera: str = ""
    probes: tuple[PickedProbe, ...] = ()
    pins: tuple[Pin, ...] = ()
    bases: tuple[Basis, ...] = ()
    apart: tuple[ForTarget, ...] = ()

    def to(self, target: str) -> Document:
        """The same for another target: what was decided in the words of the one before waits, and what waits for this one holds again."""
        if target == self.target:
            return self
        here = ForTarget(target=self.target, **{name: getattr(self, name) for name in _OF_TARGET})
        waits = {one.target: one for one in self.apart}
        there = waits.pop(target, ForTarget(target=target))
        if here != ForTarget(target=self.target):
            waits[self.target] = here
        update = {name: getattr(there, name) for name in _OF_TARGET}
        return self.model_copy(update={"target": target, "apart": tuple(waits.values()), **update})

    def source_path(self, file: Path) -> Path:
        """Where the source is, seen from where the .durvan file lies."""
        try:
            return (file.absolute().parent / self.source).resolve()
        except RuntimeError as problem:  # links in a circle
            raise CrossingFileError(
                "its source leads nowhere, by links in a circle.", file=file, inside="source"
            ) from problem

    def linked(self) -> dict[str, str]:
        """What a person put in the place of written paths."""
        return {link.written: link.to for link in self.links}
