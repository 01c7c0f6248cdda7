"""How values, names and things are put in words for the window."""

from __future__ import annotations

import math
from dataclasses import dataclass

from durvan.crossing.findings.networks import remaining
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.scene.graph import Value
from durvan.scene.vocabulary import COMPONENTS, Parameter

__all__ = [
    "FAMILY_NAMES", "NotRead", "bytes_in_words", "count", "parameter_tip", "plain", "read", "remaining", "source_value", "spoken", "target_value", "value",
]  # fmt: skip


# Families by another name than their own, as people read them.
FAMILY_NAMES = {"base": "base colour", "depth": "below the surface", "camera": "cameras", "glow": "glow"}


def value(said: Value | None, digits: int = 4, parts: int = 3) -> str:
    """A value in few digits: `digits` for a number, `parts` for each of a colour's."""
    if said is None:
        return ""
    if isinstance(said, bool):
        return "on" if said else "off"
    if isinstance(said, tuple):
        return " ".join(_number(part, parts) for part in said)
    if isinstance(said, float):
        return _number(said, digits)
    text = str(said)
    return text.rsplit("/", 1)[-1][-400:] if "/" in text else text[:400]


def _number(said: float, digits: int) -> str:
    if said == 0:
        return "0"
    text = f"{said:.{digits}g}"
    return f"{said:.0f}" if "e+" in text and abs(said) < 1e12 else text


def source_value(row: Row) -> str:
    """The source's side of a row."""
    return "map" if row.linked else value(row.value)


def target_value(said: Value | None) -> str:
    """The target's side: what is not a number there comes from a map."""
    return "map" if said is None else value(said)


def spoken(name: str) -> str:
    """A thing's name with spaces where its writer used case or underscores: LensFrameBrass → Lens frame brass."""
    out = []
    for place, letter in enumerate(name.replace("_", " ")):
        before = name[place - 1] if place else ""
        if letter.isupper() and before.islower():
            out.append(" ")
            out.append(letter.lower() if not name[place : place + 2].isupper() else letter)
        else:
            out.append(letter)
    text = "".join(out).strip()
    return text[:1].upper() + text[1:] if text else name


def bytes_in_words(size: int) -> str:
    """A file's size as people say it, in thousands: 812 kB, 3.4 MB."""
    for unit, scale in (("GB", 1e9), ("MB", 1e6)):
        if size >= scale:
            return f"{size / scale:.3g} {unit}"
    return f"{max(1, round(size / 1000))} kB" if size else ""


def count(number: int, word: str) -> str:
    """A number with its noun: 1 light, 2 lights."""
    return f"{number} {word}" if number == 1 or word == "settings" else f"{number} {word}s"


def parameter_tip(pack: Pack | None, kind: str, name: str, row: Row | None) -> str:
    """What a parameter means, its unit, range and default, and the formula in use."""
    parameter = pack.parameter(kind, name) if pack is not None else None
    if pack is None or parameter is None:
        return f"{kind}.{name}\nNo dialect says what it means."
    parts = [f"{pack.title} · {kind.rpartition('.')[2]} · {name}", parameter.meaning]
    facts = []
    if parameter.unit:
        facts.append(f"unit {parameter.unit}")
    if parameter.range is not None:
        facts.append(f"{parameter.range[0]:g} to {parameter.range[1]:g}")
    if parameter.choices:
        facts.append(", ".join(parameter.choices))
    if parameter.default is not None and parameter.default != "":
        facts.append(f"default {value(parameter.default)}")
    if facts:
        parts.append(" · ".join(facts))
    if row is not None and row.formula:
        parts.append(row.formula)
    return "\n".join(parts)


def plain(said: Value | None) -> str:
    """A value as it is typed: six digits, channels with spaces between them."""
    if isinstance(said, bool):
        return "on" if said else "off"
    if isinstance(said, tuple):
        return " ".join(f"{part:.6g}" for part in said)
    return f"{said:.6g}" if isinstance(said, float) else "" if said is None else str(said)


@dataclass(frozen=True)
class NotRead:
    """Why what was typed is no value of a parameter."""

    why: str


def read(text: str, parameter: Parameter) -> Value | NotRead:
    """What was typed, as a value of a parameter."""
    said = text.strip().lower()
    if parameter.type == "bool":
        if said not in ("on", "off"):
            return NotRead("It is on or off.")
        return said == "on"
    if parameter.type in ("token", "string"):
        found: Value = text.strip()
    else:
        try:
            numbers = [float(part) for part in said.replace(",", " ").split()]
        except ValueError:
            return NotRead(f"“{text.strip()[:40]}” is no number.")
        wanted = COMPONENTS.get(parameter.type, 1)
        if len(numbers) == 1 and wanted > 1:
            numbers = numbers * wanted
        if len(numbers) != wanted or not all(map(math.isfinite, numbers)):
            return NotRead(f"It takes {count(wanted, 'number')}.")
        found = tuple(numbers) if wanted > 1 else int(numbers[0]) if parameter.type == "int" else numbers[0]
    problem = parameter.wrong(found)
    if problem:
        return NotRead(f"{problem[:1].upper()}{problem[1:]}.")
    if parameter.outside(found) and parameter.range is not None:
        return NotRead(f"It lies between {parameter.range[0]:g} and {parameter.range[1]:g}.")
    return found
