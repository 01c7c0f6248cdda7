"""Which dialects there are: packs found as entry points and in the user's own folder, in that order.

A pack that is broken is reported and skipped; it never takes the others with it.
"""

from __future__ import annotations

import logging
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import cache
from importlib import import_module, metadata, resources
from importlib.resources.abc import Traversable
from pathlib import Path
from types import ModuleType

import platformdirs

from durvan.dialects.extending import documents, read_document
from durvan.dialects.look import checked
from durvan.dialects.pack import Below, Code, Pack, checked_functions, checked_hooks, load
from durvan.errors import PackError
from durvan.scene.vocabulary import Vocabulary

GROUP = "durvan.dialects"
SHARED = "durvan.dialects.shared"
BUILT_IN = ("orvik", "pellune", "skarn", "openpbr", "standard", "gltfpbr", "previewmtlx", "gltf", "mitsuba", "preview")
log = logging.getLogger(__name__)


@dataclass
class Registry:
    """The packs by name, and what went wrong with those that are not here."""

    packs: dict[str, Pack] = field(default_factory=dict)
    left_out: list[tuple[str, str]] = field(default_factory=list)  # those that are broken: name, and what is wrong
    user: Path | None = None  # the user's folder that was read; another process reads the same

    @property
    def broken(self) -> list[str]:
        """What is wrong with those that are not here."""
        return [what for _, what in self.left_out]

    def get(self, name: str) -> Pack:
        """A pack by its name. Raises PackError with the names that there are."""
        pack = self.packs.get(name.lower())
        if pack is None:
            raise PackError(f"'{name}' is not a dialect.", advice=f"There are {', '.join(sorted(self.packs))}.")
        return pack

    @property
    def plain(self) -> Pack | None:
        """The pack for lights, cameras and settings that are in no dialect's own words."""
        return next((pack for pack in self.packs.values() if pack.identity.plain), None)

    @property
    def ground(self) -> Pack | None:
        """The dialect whose words are the common ground's own."""
        return next((pack for pack in self.packs.values() if pack.identity.common_ground), None)

    def owner(self, shader_id: str) -> Pack | None:
        """The pack whose word a shader id is: by the exact id, else one that carries it, one that knows it, one that claims it."""
        return next(iter(self.owners(shader_id)), None)

    def owners(self, shader_id: str) -> list[Pack]:
        """Every pack whose word an id is as much as any other's."""
        packs = list(self.packs.values())
        found = [pack for pack in packs if shader_id in pack.ids]
        if found:
            return found
        kinds = [(pack, kind) for pack in packs if (kind := pack.kind_of(shader_id)) is not None]
        return (
            [pack for pack, kind in kinds if kind in pack.compiled]
            or [pack for pack, _ in kinds]
            or [pack for pack in packs if shader_id.startswith(pack.claimed)]
        )


def shared_part(name: str) -> Traversable:
    """The folder of a part that packs share."""
    return resources.files(SHARED) / name


def _part(module: str, part: str) -> ModuleType | None:
    if (resources.files(module) / f"{part}.py").is_file():
        return import_module(f"{module}.{part}")
    return None


def _code(module: str) -> Code:
    """The code of a pack that is a Python package, where it has some. Raises PackError, and whatever the code raises."""
    hooks, looks, functions = (_part(module, name) for name in ("hooks", "looks", "functions"))
    if hooks is None:
        hooks = _shared_hooks(module)
    return Code(
        checked_hooks(hooks, module) if hooks is not None else None,
        checked(looks, module) if looks is not None else None,
        checked_functions(functions, module) if functions is not None else {},
    )


def _shared_hooks(module: str) -> ModuleType | None:
    """The hooks of the last part that a pack shares which has some."""
    shares = read_document(resources.files(module), "pack.yaml").get("shares") or ()
    there = (_part(f"{SHARED}.{name}", "hooks") for name in reversed(shares) if shared_part(str(name)).is_dir())
    return next((hooks for hooks in there if hooks is not None), None)


def user_folder() -> Path:
    """Where a user's own packs lie, one folder each."""
    return Path(platformdirs.user_data_dir("durvan")) / "dialects"


@dataclass(frozen=True)
class Found:
    """A pack that is somewhere: by a Python package (with code), or a folder of a user's (data only, so that opening it
    runs nothing)."""

    name: str
    module: str = ""
    folder: Path | None = None

    def load(self, parent: Callable[[str], Below]) -> Pack:
        """Load it; `parent` finds what it may extend. Raises PackError, and whatever its code raises. What comes along is known to
        compile, and is when it is first used.
        """
        comes_along = self.folder is None and self.module.startswith(f"{__package__}.")
        return load(self.place, shared_part, self.code(), parent, compile_now=not comes_along)

    @property
    def place(self) -> Traversable | Path:
        """Where its documents lie."""
        return self.folder if self.folder is not None else resources.files(self.module)

    def code(self) -> Code:
        """Its code; none of a user's folder. Raises whatever it raises."""
        return Code() if self.folder is not None else _code(self.module)

    def below(self, folder: Callable[[str], Traversable | Path], parent: Callable[[str], Below]) -> Below:
        """As what another pack extends: with what it extends itself."""
        found = documents(self.place, folder)
        said = found["pack.yaml"]
        extends, prefix = str(said.get("extends", "")), str(said.get("prefix", ""))
        try:
            words = Vocabulary.model_validate(found.get("vocabulary.yaml", {"types": {}})).settled()
        except ValueError as problem:
            raise PackError(f"'{self.name}', which it extends, is broken: {problem}") from problem

        def code() -> Code:
            own = self.code()
            return parent(extends).under(own, prefix) if extends else own

        return Below(self.place, prefix, words, code)


def everything(user: Path | None = None) -> list[Found]:
    """Every pack: the built-in ones, those of other packages, a user's own; a name is taken by the first of it."""
    found = {name: Found(name, f"durvan.dialects.{name}") for name in BUILT_IN}
    for point in sorted(metadata.entry_points(group=GROUP), key=lambda point: point.name):
        found.setdefault(point.name, Found(point.name, point.value))
    user = user or user_folder()
    if user.is_dir():
        for folder in sorted(user.iterdir()):
            if (folder / "pack.yaml").is_file():
                found.setdefault(folder.name, Found(folder.name, folder=folder))
    return list(found.values())


def parents(user: Path | None = None) -> Callable[[str], Below]:
    """What finds a pack to extend by its name, among all that there are."""
    there = {one.name: one for one in everything(user)}

    def find(name: str) -> Found:
        if name not in there:
            raise PackError(f"extends '{name}', which is not here.", advice=f"There are {', '.join(sorted(there))}.")
        return there[name]

    def parent(name: str) -> Below:
        return find(name).below(lambda other: find(other).place, parent)

    return parent


def read(user: Path | None = None) -> Registry:
    """Load every pack that can be found. One that is broken is reported, with what broke it in the log."""
    registry = Registry(user=user)
    parent = parents(user)
    for one in everything(user):
        try:
            pack = one.load(parent)
        except PackError as problem:
            registry.left_out.append((one.name, str(problem)))
            log.warning("dialect pack %s is left out: %s", one.name, problem)
        except Exception as problem:
            registry.left_out.append((one.name, f"{one.name}: {type(problem).__name__}: {problem}"))
            log.exception("dialect pack %s is left out", one.name)
        else:
            registry.packs[pack.name] = pack
    return registry


@cache
def registry() -> Registry:
    """The packs of this installation, loaded once."""
    return read()
