"""Ready values: physically sensible materials on the common ground, each with where its numbers come from; ours, and a person's own."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cache
from importlib import resources
from pathlib import Path
from typing import Any

import yaml
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from durvan.errors import PackError
from durvan.replacing import replacing
from durvan.scene.graph import Value
from durvan.scene.traits import MaterialKind

_FALL = (6.0 / 7.0) ** 5  # of Schlick's rise at 82°, whose cosine is a seventh
_OURS = (
    "Mitsuba 3's data/ior/{symbol}, 380 to 780 nm under equal energy, CIE 1931 by Wyman et al. 2013, to linear Rec.709"
)
Colour = tuple[float, float, float]


class _Entry(BaseModel):
    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class _Metal(_Entry):
    symbol: str
    faced: Colour
    at_82: Colour
    n: Colour
    k: Colour


class _Clear(_Entry):
    kind: MaterialKind
    index: float = Field(ge=1.0, le=10.0)
    source: str


class _Matt(_Entry):
    albedo: float = Field(ge=0.0, le=1.0)
    source: str


class _Own(_Entry):
    kind: MaterialKind = MaterialKind.UNKNOWN
    values: dict[str, float | bool | tuple[float, ...]]
    source: str = ""


class _Library(_Entry):
    metals: dict[str, _Metal] = {}
    clear: dict[str, _Clear] = {}
    matt: dict[str, _Matt] = {}
    own: dict[str, _Own] = {}


@dataclass(frozen=True)
class Ready:
    """One entry: its values on the common ground's surface, what it is, where its numbers come from; `facts` are those beside."""

    name: str
    kind: MaterialKind
    values: dict[str, Value]
    source: str
    facts: tuple[tuple[str, str], ...] = field(default=())
    own: bool = False

    def matches(self, words: str) -> bool:
        """Whether every word is in its name or its kind."""
        said = f"{self.name} {self.kind.value}".lower()
        return all(word in said for word in words.lower().split())


@cache
def ours() -> tuple[Ready, ...]:
    """The values that ship with Durvan."""
    text = (resources.files("durvan.scene") / "ready.yaml").read_text(encoding="utf-8")
    return tuple(_entries(_Library.model_validate(yaml.load(text, Loader=yaml.CSafeLoader))))


def library(own: Path | None = None) -> tuple[Ready, ...]:
    """Ours and a person's own. Raises PackError with the place in a file that cannot be read."""
    if own is None or not own.is_file():
        return ours()
    return (*ours(), *_entries(_read(own)))


def keep(own: Path, name: str, kind: MaterialKind, values: dict[str, Value], source: str = "") -> None:
    """Put values of a person's own into a file, in place of others of that name. Raises PackError and OSError."""
    known = _read(own) if own.is_file() else _Library()
    plain = {port: value for port, value in values.items() if not isinstance(value, str)}
    entry = _Own(kind=kind, values=plain, source=source)
    fresh = known.model_copy(update={"own": {**known.own, name: entry}})
    said = fresh.model_dump(mode="json", exclude_defaults=True)
    with replacing(own, make_folder=True) as part:
        part.write_text(yaml.safe_dump(said, sort_keys=False, allow_unicode=True), encoding="utf-8")


def _read(file: Path) -> _Library:
    try:
        said: Any = yaml.load(file.read_text(encoding="utf-8"), Loader=yaml.CSafeLoader)
        return _Library.model_validate(said or {})
    except (OSError, yaml.YAMLError, UnicodeDecodeError) as problem:
        raise PackError(f"cannot be read: {str(problem).splitlines()[0]}", file=str(file)) from problem
    except ValidationError as problem:
        first = problem.errors()[0]
        raise PackError(f"{'.'.join(map(str, first['loc']))}: {first['msg']}", file=str(file)) from problem


def _entries(found: _Library) -> Iterable[Ready]:
    for name, metal in found.metals.items():
        yield _metal(name, metal)
    for name, clear in found.clear.items():
        values: dict[str, Value] = {
            "base_color": (0.0, 0.0, 0.0), "transmission_weight": 1.0, "specular_ior": clear.index, "specular_roughness": 0.0,
        }  # fmt: skip
        if clear.kind is MaterialKind.THIN_GLASS:
            values["geometry_thin_walled"] = True
        yield Ready(name, clear.kind, values, clear.source, (("index", f"{clear.index:g}"),))
    for name, matt in found.matt.items():
        grey = (matt.albedo,) * 3
        yield Ready(
            name,
            MaterialKind.FLAT,
            {"base_color": grey, "specular_weight": 0.0},
            matt.source,
            (("albedo", f"{matt.albedo:g}"),),
        )
    for name, mine in found.own.items():
        yield Ready(name, mine.kind, dict(mine.values), mine.source, (), True)


def _metal(name: str, metal: _Metal) -> Ready:
    """A metal by what it reflects when faced, and by the tint that brings Schlick's rise at 82° to what was measured."""
    edge = tuple(
        min(far / (near + (1.0 - near) * _FALL), 1.0) for near, far in zip(metal.faced, metal.at_82, strict=True)
    )
    values: dict[str, Value] = {
        "base_color": metal.faced, "specular_color": tuple(round(part, 4) for part in edge), "base_metalness": 1.0,
        "specular_roughness": 0.2,
    }  # fmt: skip
    facts = (("n", " ".join(f"{part:g}" for part in metal.n)), ("k", " ".join(f"{part:g}" for part in metal.k)))
    return Ready(name, MaterialKind.METAL, values, _OURS.format(symbol=metal.symbol), facts)


@cache
def metals() -> dict[str, tuple[Colour, Colour]]:
    """The complex indices of our metals in linear Rec.709, by their symbols: real and imaginary parts."""
    text = (resources.files("durvan.scene") / "ready.yaml").read_text(encoding="utf-8")
    found = _Library.model_validate(yaml.load(text, Loader=yaml.CSafeLoader))
    return {one.symbol: (one.n, one.k) for one in found.metals.values()}
