"""Which dialects there are: packs found as entry points and in the user's own folder, in that order.

A pack that is broken is reported and skipped; it never takes the others with it.
"""

from __future__ import annotations

import logging
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module, metadata, resources
from importlib.resources.abc import Traversable
from pathlib import Path
from types import ModuleType

import platformdirs

from durvan.dialects.look import Looks, checked
from durvan.dialects.pack import Pack, load
from durvan.errors import PackError

GROUP = "durvan.dialects"
BUILT_IN = ("orvik", "pellune", "openpbr", "preview")
log = logging.getLogger(__name__)


@dataclass
class Registry:
    """The packs by name, and what went wrong with those that are not here."""

    packs: dict[str, Pack] = field(default_factory=dict)
    broken: list[str] = field(default_factory=list)
    user: Path | None = None  # the user's folder that was read; another process reads the same

    def get(self, name: str) -> Pack:
        """A pack by its name. Raises PackError with the names that there are."""
        pack = self.packs.get(name.lower())
        if pack is None:
            raise PackError(f"'{name}' is not a dialect.", advice=f"There are {', '.join(sorted(self.packs))}.")
        return pack

    def owner(self, shader_id: str) -> Pack | None:
        """The pack whose word a shader id is: by the exact id, else by its prefix."""
        for pack in self.packs.values():
            if shader_id in pack.ids:
                return pack
        for pack in self.packs.values():
            if pack.kind_of(shader_id) is not None:
                return pack
        for pack in self.packs.values():
            if pack.identity.prefix and shader_id.startswith(pack.identity.prefix):
                return pack
        return None


def _shared(name: str) -> Traversable:
    return resources.files("durvan.dialects") / "shared" / name


def _code(name: str, part: str) -> ModuleType | None:
    """A built-in pack's code, where it has some; a user's folder is data only, so that opening it runs nothing."""
    if name in BUILT_IN and (resources.files(f"durvan.dialects.{name}") / f"{part}.py").is_file():
        return import_module(f"durvan.dialects.{name}.{part}")
    return None


def _looks(name: str) -> Looks | None:
    module = _code(name, "looks")
    return checked(module, name) if module is not None else None


def user_folder() -> Path:
    """Where a user's own packs lie, one folder each."""
    return Path(platformdirs.user_data_dir("durvan")) / "dialects"


def _folders(user: Path) -> list[tuple[str, Traversable | Path]]:
    found: dict[str, Traversable | Path] = {}
    for name in BUILT_IN:
        found[name] = resources.files(f"durvan.dialects.{name}")
    for point in sorted(metadata.entry_points(group=GROUP), key=lambda point: point.name):
        if point.name not in found:
            found[point.name] = resources.files(point.value)
    if user.is_dir():
        for folder in sorted(user.iterdir()):
            if (folder / "pack.yaml").is_file():
                found[folder.name] = folder
    return list(found.items())


def read(user: Path | None = None) -> Registry:
    """Load every pack that can be found."""
    registry = Registry(user=user)
    for name, folder in _folders(user or user_folder()):
        try:
            pack = load(folder, _shared, _code(name, "hooks"), _looks(name))
        except (PackError, ModuleNotFoundError) as problem:
            registry.broken.append(str(problem))
            log.warning("dialect pack %s is left out: %s", name, problem)
            continue
        registry.packs[pack.name] = pack
    return registry


@cache
def registry() -> Registry:
    """The packs of this installation, loaded once."""
    return read()
