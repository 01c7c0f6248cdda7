"""What an unknown parameter of a surface most likely is on the common ground: by its name, type, range and unit, with how sure that is."""

from __future__ import annotations

import re
from dataclasses import dataclass

from durvan.formats.defined import Input
from durvan.scene.vocabulary import Parameter, common_ground

SURFACE = "open_pbr_surface"
ENOUGH = 45  # percent; below that nothing is proposed
# Words that mean the same in this field; the second is the common ground's.
_SAME = {
    "diffuse": "base", "albedo": "base color", "matte": "base", "metallic": "metalness", "metal": "metalness", "gloss": "roughness",
    "glossiness": "roughness", "smoothness": "roughness", "smooth": "roughness", "polish": "roughness", "rough": "roughness",
    "clearcoat": "coat", "lacquer": "coat", "varnish": "coat", "sheen": "fuzz", "velvet": "fuzz", "nap": "fuzz", "emissive": "emission",
    "emit": "emission", "glow": "emission", "scatter": "subsurface", "scattering": "subsurface", "sss": "subsurface",
    "refraction": "transmission", "refract": "transmission", "clear": "transmission", "alpha": "opacity", "cutout": "opacity",
    "coverage": "opacity", "index": "ior", "bump": "normal", "colour": "color", "tint": "color", "reflection": "specular",
    "reflectance": "specular", "mirror": "specular", "amount": "weight", "strength": "weight", "level": "weight", "factor": "weight",
    "intensity": "weight", "iridescence": "film", "anisotropic": "anisotropy", "thin": "thin walled", "radiance": "emission luminance",
}  # fmt: skip
_TURNED = {"gloss", "glossiness", "smoothness", "smooth", "polish"}  # 1 is a mirror there
# What a bare word belongs to.
_HOME = {
    "roughness": "specular", "ior": "specular", "anisotropy": "specular roughness", "metalness": "base", "opacity": "geometry",
    "normal": "geometry", "tangent": "geometry", "walled": "geometry",
}  # fmt: skip
_PARTS = re.compile(r"[A-Z]?[a-z]+|[A-Z]+(?![a-z])|\d+")


@dataclass(frozen=True)
class Proposal:
    """A port of the common ground for a parameter, the formulas to it and back ("" where it is taken as it is), how sure that is in
    percent, and by what.
    """

    port: str
    to_common: str
    to_ours: str
    sure: int
    why: str


def words_of(name: str) -> tuple[set[str], bool]:
    """A name's words as the common ground calls them, and whether it counts the other way round."""
    said = [part.lower() for part in _PARTS.findall(name)]
    found: set[str] = set()
    for word in said:
        found |= set(_SAME.get(word, word).split())
    for word, home in _HOME.items():
        if word in found and not found & {
            "base",
            "specular",
            "coat",
            "transmission",
            "subsurface",
            "fuzz",
            "geometry",
        } - {word}:
            found |= set(home.split())
    return found, bool(_TURNED & set(said))


def propose(one: Input) -> Proposal | None:
    """The likeliest port for a surface's input; None where none is likely."""
    mine, turned = words_of(one.name)
    best: Proposal | None = None
    for port, parameter in common_ground().types[SURFACE].parameters.items():
        made = _weigh(one, mine, turned, port, parameter)
        if made is not None and (best is None or made.sure > best.sure):
            best = made
    return best if best is not None and best.sure >= ENOUGH else None


def _weigh(one: Input, mine: set[str], turned: bool, port: str, parameter: Parameter) -> Proposal | None:
    theirs = (
        {same for part in port.split("_") for same in _SAME.get(part, part).split()}
        if "film" not in port
        else set(port.split("_")[1:])
    )
    wanted = mine
    if "color" not in mine and parameter.type == "color" and one.type == "color":
        wanted = mine | {"color"}
    elif len(mine) == 1 and "weight" in theirs and parameter.type == one.type == "float":
        wanted = mine | {"weight"}
    shared = wanted & theirs
    if not shared - {"color", "weight"}:
        return None
    name = len(shared) / len(wanted | theirs)
    alike = one.type == parameter.type or (one.type, parameter.type) == ("vector3", "normal")
    if not alike and {one.type, parameter.type} != {"float", "color"}:
        return None
    scale = _scale(one, parameter)
    sure = round(65 * name + (25 if alike else 0) + (10 if scale is not None else 0))
    reasons = ["name", *(["type"] if alike else []), *(["range"] if scale is not None else [])]
    factor = scale or 1.0
    to_common, to_ours = _formulas(one.name, port, factor, turned)
    return Proposal(port, to_common, to_ours, min(sure, 99), f"by {' and '.join(reasons)}")


def _scale(one: Input, parameter: Parameter) -> float | None:
    """What an input's range is of the port's; None where either has none, or they do not fit."""
    if one.unit in ("%", "percent") or (one.range == (0.0, 100.0) and parameter.range == (0.0, 1.0)):
        return 100.0
    if one.range is None or parameter.range is None:
        return None
    return 1.0 if one.range == tuple(parameter.range) else None


def _formulas(name: str, port: str, factor: float, turned: bool) -> tuple[str, str]:
    if factor == 1.0:
        return (f"1 - {name}", f"1 - {port}") if turned else ("", "")
    if turned:
        return f"1 - {name} / {factor:g}", f"{factor:g} - {factor:g} * {port}"
    return f"{name} / {factor:g}", f"{factor:g} * {port}"
