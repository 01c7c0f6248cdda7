"""The document: one crossing with all its choices, and what was learnt that must outlive the session."""

from __future__ import annotations

from pathlib import Path
from typing import Literal

from pydantic import Field

from durvan.crossing.translation.choices import Choices, Chosen
from durvan.files.resolve import Known
from durvan.files.roots import Root

VERSION = 6


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

    def source_path(self, file: Path) -> Path:
        """Where the source is, seen from where the .durvan file lies."""
        return (file.absolute().parent / self.source).resolve()

    def linked(self) -> dict[str, str]:
        """What a person put in the place of written paths."""
        return {link.written: link.to for link in self.links}
