"""Which pictures of a crossing are to be readied for rendering, and how; and where the copies may be written."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from pathlib import Path

from durvan.crossing.outside.lookup import Outlook, resolver
from durvan.crossing.outside.uses import PictureUse
from durvan.files.copies import DEFAULTS, Settings, Task, Use, copy_path
from durvan.files.facts import facts
from durvan.scene.model import Scene

_ORDER = (Use.NORMAL, Use.HEIGHT, Use.COLOUR, Use.MASK, Use.DATA, Use.SURROUNDINGS)


@dataclass(slots=True)
class Work:
    """Tasks, and the pictures that are passed over with the reason."""

    tasks: list[Task] = field(default_factory=list)
    passed: dict[str, str] = field(default_factory=dict)


def work(
    scene: Scene, uses: Mapping[str, tuple[PictureUse, ...]], where: str = "beside", outlook: Outlook | None = None,
    settings: Mapping[Use, Settings] | None = None,
) -> Work:  # fmt: skip
    """What there is to do for a scene. A picture that is used in several ways is filtered for the most delicate of
    them; one that is a tiled copy itself, or that cannot be read, is passed over. Copies beside the originals are only
    written into the scene's own folders and roots."""
    out = Work()
    chosen = {**DEFAULTS, **(settings or {})}
    finder = resolver(scene, outlook or Outlook())
    by_file: dict[str, set[Use]] = {}
    for use in (use for many in uses.values() for use in many):
        by_file.setdefault(use.written, set()).update(use.uses or {Use.DATA})
    for file in scene.pictures.values():
        kinds = by_file.get(file.written)
        if kinds is None or not file.first:
            continue
        most = next(kind for kind in _ORDER if kind in kinds)
        for path in file.members or (file.first,):
            why = _passed(path, where == "beside" and not finder.allowed(path))
            if why:
                out.passed[path] = why
            else:
                out.tasks.append(Task(path, copy_path(path, where), most, chosen[most]))
    out.tasks = list(dict.fromkeys(out.tasks))
    return out


def of_pictures(files: Iterable[Path], use: Use, where: str = "beside") -> Work:
    """What there is to do for pictures by themselves, all used in one way."""
    out = Work()
    for file in files:
        path = str(file.absolute())
        why = _passed(path, False)
        if why:
            out.passed[path] = why
        else:
            out.tasks.append(Task(path, copy_path(path, where), use, DEFAULTS[use]))
    return out


def _passed(path: str, barred: bool) -> str:
    if "[" in path:
        return "lies in a package"
    told = facts(path)
    if told is None:
        return "is not there"
    if not told.picture:
        return told.problem or "is no picture"
    if told.prepared:
        return "is a tiled copy already"
    if barred:
        return (
            f"lies in {os.path.dirname(path)}, outside of the scene's folders and roots; choose a folder for its copy"  # noqa: PTH120 - a text
        )
    return ""
