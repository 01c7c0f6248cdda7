"""What each pack is and can do, and what the check says of it: for people who look through the packs that there are."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from durvan.dialects import conformance
from durvan.dialects.checking import Told, check_folder
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Found, Registry, everything, parents, shared_part

_ROLES = (
    ("surface", "surfaces"),
    ("node", "maps"),
    ("light", "lights"),
    ("camera", "cameras"),
    ("settings", "settings"),
)
_CAN = {
    "adds": ("lays one finish on another by adding it", ""), "two_sided": ("has other backs", ""), "stencil": ("cuts out hard by a stencil", ""),
    "kelvin": ("", "knows no colour temperatures"), "near_clip": ("", "clips nothing before a camera"),
    "lit_by_glows": ("", "is not lit by what glows"), "hidden_emitters": ("is lit by meshes that nobody sees", ""),
    "hides_from_camera": ("hides things from cameras", ""), "portals": ("guides light through portals", ""),
    "light_lists": ("says who is lit by which light", ""), "silent_glow": ("has glows that light nothing", ""),
    "fresnel_off": ("reflects without Fresnel", ""),
}  # fmt: skip


@dataclass(frozen=True)
class Summary:
    """One pack, whether it could be loaded or not. `conventions` are pairs of words; `can` and `counts` are phrases."""

    name: str
    title: str
    version: str
    about: str
    origin: str
    folder: Path | None
    formats: tuple[str, ...] = ()
    counts: tuple[str, ...] = ()
    conventions: tuple[tuple[str, str], ...] = ()
    can: tuple[str, ...] = ()
    broken: str = ""


def summaries(registry: Registry) -> list[Summary]:
    """Every pack that there is, in the order in which they are looked for."""
    broken = dict(registry.left_out)
    return [_of(one, registry.packs.get(one.name), broken.get(one.name, "")) for one in everything(registry.user)]


def _of(found: Found, pack: Pack | None, broken: str) -> Summary:
    if found.folder is not None:
        origin = "in your folder"
    else:
        origin = (
            "comes with Durvan"
            if found.module.startswith("durvan.")
            else f"comes with the package {found.module.partition('.')[0]}"
        )
    if pack is None:
        return Summary(
            found.name,
            found.name.capitalize(),
            "",
            "It could not be loaded, and is left out.",
            origin,
            found.folder,
            broken=broken,
        )
    said = pack.identity
    return Summary(
        pack.name, pack.title, said.version, said.summary, origin, found.folder, said.formats, _counts(pack),
        tuple((name.replace("_", " "), str(text)) for name, text in said.conventions), _abilities(pack),
    )  # fmt: skip


def _counts(pack: Pack) -> tuple[str, ...]:
    """How many words it has of each kind."""
    roles = [kind.role for kind in pack.vocabulary.types.values()]
    counted = [
        (sum(role == wanted or (role == "environment" and wanted == "light") for role in roles), many)
        for wanted, many in _ROLES
    ]
    return tuple(
        f"{number} {many if number != 1 or many == 'settings' else many[:-1]}" for number, many in counted if number
    )


def _abilities(pack: Pack) -> tuple[str, ...]:
    said = pack.identity.abilities
    layers = int(said.get("layers", 1))
    found = [f"lays up to {layers} finishes over one another" if layers > 1 else "has one finish, and nothing over it"]
    found += [phrase for name, both in _CAN.items() if name in said and (phrase := _phrase(both, said[name]))]
    found.append(
        "has looks, so that its drift is measured" if pack.looks is not None else "has no looks: its drift has no grade"
    )
    return tuple(found)


def _phrase(both: tuple[str, str], said: bool | int | str) -> str:
    """The words for what a pack can or cannot do; what hangs on a format names it."""
    return f"{both[0]} in {said}" if isinstance(said, str) and said else both[0] if said else both[1]


def check(summary: Summary, registry: Registry) -> list[Told]:
    """What is wrong with a pack: of a user's folder with file, line and what to do, of another one as its check says it."""
    if summary.folder is not None:
        return check_folder(summary.folder, shared_part, parents(registry.user))
    pack = registry.packs.get(summary.name)
    if pack is None:
        return [Told("", 0, "", summary.broken, "")]
    return [Told("", 0, one.kind, f"{one.what}.", one.advice) for one in conformance.problems(pack)]
