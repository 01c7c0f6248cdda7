"""Repair the scenes themselves, many at once: a dry run first, then new copies beside them, or in place with a backup."""

from __future__ import annotations

import os
import shutil
from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path

from durvan.errors import DurvanError, SceneFileError
from durvan.files import paths, repair
from durvan.files.facts import SCENES
from durvan.files.inventory import kind_of, take
from durvan.files.resolve import Resolver
from durvan.formats.table import reader
from durvan.progress import Report, Step, silent
from durvan.replacing import replacing
from durvan.scene.model import FileState, OutsideFile, Reference

BACKUP = ".before-relink"
COPY = "_relinked"
_MOST_SCENES = 100_000


@dataclass(slots=True)
class SceneRepair:
    """One scene file: its outside files, what would be written in their place, and what came of it."""

    file: Path
    files: list[OutsideFile] = field(default_factory=list)
    links: dict[str, str] = field(default_factory=dict)
    problem: str = ""
    written: Path | None = None
    backup: Path | None = None

    @property
    def left(self) -> list[OutsideFile]:
        """Files that stay unsettled."""
        return [one for one in self.files if one.written not in self.links and one.state not in repair.SETTLED]

    @property
    def ambiguous(self) -> list[OutsideFile]:
        """Files of which there are several, and nothing says which is meant."""
        return [one for one in self.left if one.state is FileState.SEVERAL]


def scenes_in(places: Iterable[Path]) -> list[Path]:
    """Scene files among files and folders, folders with all that is below them; copies and backups of ours left out.

    Packages (.usdz) are left out too: they hold their files themselves. Links to folders are not followed.
    """
    out: dict[Path, None] = {}
    for place in places:
        if place.is_file():
            out[place] = None
            continue
        for folder, _, names in os.walk(place):
            for name in sorted(names):
                file = Path(folder, name)
                ours = file.stem.endswith(COPY) or BACKUP in name or name.startswith(".")
                if file.suffix.lower() in SCENES[:3] and not ours and file.is_file():
                    out[file] = None
                if len(out) >= _MOST_SCENES:
                    return list(out)
    return list(out)


def dry_run(
    scenes: Iterable[Path],
    resolver: Resolver,
    substitutions: Iterable[repair.Substitution] = (),
    within: Iterable[Path] = (),
    report: Report = silent,
) -> list[SceneRepair]:
    """What a repair would change in each scene. Substitutions come first, then what the roots find, then candidates
    that something speaks for. A scene that cannot be read is told, and the others go on. `within` are the folders that a
    person named: scenes may reach anything in them."""
    wanted, rules = list(scenes), list(substitutions)
    named = tuple(str(folder.absolute()) for folder in within)
    out = []
    for count, file in enumerate(wanted):
        report(Step("Looking at scenes", count, len(wanted)))
        out.append(_look(file, resolver, rules, named))
    return out


def _look(file: Path, resolver: Resolver, rules: list[repair.Substitution], within: tuple[str, ...]) -> SceneRepair:
    one = SceneRepair(file)
    folder = str(file.absolute().parent)
    own = replace(resolver, folders=(folder, *within), links={}, _listed={}, _real={})
    try:
        named = reader(file).paths_in(file)
    except (DurvanError, OSError) as problem:
        one.problem = problem.what if isinstance(problem, DurvanError) else str(problem)
        return one
    references = [Reference(written, folder, path=file.name, kind=kind_of(written)) for written in named]
    one.files = list(take(references, own).values())
    for rule in rules:
        open_ = [f for f in one.files if f.written not in one.links]
        one.links.update(repair.preview("", open_, rule, own).links())
    open_ = [f for f in one.files if f.written not in one.links]
    for preview in (repair.by_roots(open_, full=False), repair.chosen(open_, full=False)):
        one.links.update(preview.links())
    return one


def write(repairs: Iterable[SceneRepair], in_place: bool = False, report: Report = silent) -> list[SceneRepair]:
    """Write what a dry run found: a copy beside each scene (`_relinked`), or the scene itself, its bytes kept in a
    backup. Every file is opened again before it takes its place; a scene that fails stays as it is and is told."""
    wanted = [one for one in repairs if one.links and not one.problem]
    for count, one in enumerate(wanted):
        report(Step("Writing scenes", count, len(wanted)))
        try:
            _write(one, in_place)
        except (DurvanError, OSError) as problem:
            one.problem = problem.what if isinstance(problem, DurvanError) else f"{problem.strerror or problem}"
    return wanted


def _write(one: SceneRepair, in_place: bool) -> None:
    source = one.file
    if source.is_symlink() and in_place:
        raise SceneFileError("is a link to another file; repair that one.", file=source)
    out = source if in_place else source.with_name(f"{source.stem}{COPY}{source.suffix}")
    with replacing(out, mode=source.stat().st_mode & 0o777) as fresh:
        reader(source).rewrite(source, fresh, lambda written: one.links.get(written, written))
        if in_place:
            one.backup = _backup(source)
    one.written = out


def _backup(file: Path) -> Path:
    number, place = 1, file.with_name(f"{file.name}{BACKUP}")
    while place.exists():
        number += 1
        place = file.with_name(f"{file.name}{BACKUP}{number}")
    shutil.copy2(file, place)
    return place


def told(one: SceneRepair) -> str:
    """A scene's repair in one line."""
    if one.problem:
        return one.problem
    parts = [f"{len(one.links)} of {len(one.files)} paths change"]
    if one.left:
        parts.append(f"{len(one.left)} stay open")
    if one.ambiguous:
        parts.append(f"{len(one.ambiguous)} of them with several candidates")
    return ", ".join(parts) + (f" → {paths.shown(str(one.written))}" if one.written else "")
