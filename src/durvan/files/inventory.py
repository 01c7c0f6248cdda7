"""The inventory: every file that a scene names, once, with what it is, where it is, and who uses it."""

from __future__ import annotations

import os
from collections import defaultdict
from collections.abc import Iterable

from durvan.files import facts, paths
from durvan.files.resolve import Found, Resolver
from durvan.formats import pictures
from durvan.progress import Report, Step, silent
from durvan.scene.model import FileKind, FileState, OutsideFile, Reference

_PICTURES = (".png", ".jpg", ".jpeg", ".tif", ".tiff", ".exr", ".tx", ".tga", ".bmp", ".hdr", ".psd", ".webp", ".dpx")
_LOOKED_INTO = (FileKind.PICTURE, FileKind.SURROUNDINGS, FileKind.PROFILE)
_TWIN_BYTES = 256_000_000


def kind_of(written: str, role: str = "", light: bool = False) -> FileKind:
    """What a file is for: by its ending, by the role of what names it (picture, profile, geometry, layer), and by whether a light does."""
    suffix = paths.ending(written.rstrip("]"))
    if suffix in facts.SCENES or role == "layer":
        return FileKind.LAYER
    if suffix in facts.CACHES or role == "geometry":
        return FileKind.GEOMETRY
    if suffix in facts.CONFIGS:
        return FileKind.COLOUR_CONFIG
    if suffix in facts.PROFILES or role == "profile":
        return FileKind.PROFILE
    if light:
        return FileKind.SURROUNDINGS
    return FileKind.PICTURE if suffix in _PICTURES or role else FileKind.OTHER


def take(references: Iterable[Reference], resolver: Resolver, report: Report = silent) -> dict[str, OutsideFile]:
    """Look every named file up. The same file under the same words is one entry; keys are where it is, else the words."""
    gathered: dict[tuple[str, str, str], list[Reference]] = defaultdict(list)
    for reference in references:
        if reference.written:
            gathered[reference.written, reference.anchor, reference.resolved].append(reference)
    out: dict[str, OutsideFile] = {}
    merged: dict[tuple[str, str], OutsideFile] = {}
    for count, ((written, anchor, resolved), users) in enumerate(gathered.items()):
        if count % 100 == 0:
            report(Step("Looking for files", count, len(gathered)))
        found = resolver.find(written, anchor, resolved)
        one = merged.get((written, found.path))
        if one is None:
            one = merged[written, found.path] = _entry(written, anchor, found, users[0].kind, resolver)
            out[_key(out, found.path or written)] = one
        for user in users:
            if user.thing:
                one.users.append((user.thing, user.node, user.port))
            one.sites.append(user.path or f"{user.thing}/{user.node}".rstrip("/"))
    _measure(list(out.values()))
    _tiles(list(out.values()))
    _twins(list(out.values()))
    return out


def _key(taken: dict[str, OutsideFile], wanted: str) -> str:
    key, number = wanted, 2
    while key in taken:  # the same file under other words is another entry
        key, number = f"{wanted} ({number})", number + 1
    return key


def _entry(written: str, anchor: str, found: Found, kind: FileKind, resolver: Resolver) -> OutsideFile:
    one = OutsideFile(written, found.path, found.state, kind=kind, anchor=anchor)
    one.linked = resolver.links.get(written, "")
    one.root, one.why, one.candidates = found.root, found.why, found.candidates
    folder, name = os.path.split(found.path)
    if found.path and paths.is_series(name) and found.state not in (FileState.ABSENT, FileState.OUTSIDE):
        present = paths.members(name, resolver.listing(folder))
        one.members = tuple(os.path.join(folder, other) for other in present.values())
        one.missing = paths.holes(name, present)
    return one


def _measure(files: list[OutsideFile]) -> None:
    wanted = [path for one in files if one.first for path in (one.members or (one.first,))]
    told = facts.facts_of_all(path for path in wanted if "[" not in path)
    for path in wanted:
        if "[" in path:
            with pictures.on_disk(path) as file:  # what lies in a package is taken out for as long as it is looked at
                packed = facts.facts(file) if file else None
            if packed is not None:
                told[path] = packed
    for one in files:
        said = told.get(one.first)
        if said is None:
            continue
        one.width, one.height, one.channels, one.depth = said.width, said.height, said.channels, said.depth
        one.tile, one.mips, one.format, one.decode = said.tile, said.mips, said.format, said.decode
        one.stamp = (one.first, said.size, said.changed)
        one.size = sum(told[path].size for path in one.members if path in told) or said.size
        one.changed = max((told[path].changed for path in one.members if path in told), default=said.changed)
        bad = next(
            (path for path in (one.members or (one.first,)) if path in told and _is_bad(told[path], one.kind)), ""
        )
        if bad:
            one.state, one.why = FileState.UNREADABLE, told[bad].problem
            if one.members:
                one.why = f"{os.path.basename(bad)} {one.why}"
        elif one.state is FileState.IN_PLACE and said.prepared:
            newer = newer_source(one.first, said)
            if newer:
                one.state, one.why = FileState.OUTDATED, f"{os.path.basename(newer)} beside it is newer"
                one.newer = newer


def _is_bad(told: facts.Facts, kind: FileKind) -> bool:
    """Whether a file cannot be what it is for; what is no picture need not be readable as one."""
    return bool(told.problem) and (kind in _LOOKED_INTO or not told.size)


def _tiles(files: list[OutsideFile]) -> None:
    """What one thing reads in tiles should all have the same ones: a tile that others have is missing."""
    by_thing: dict[str, list[OutsideFile]] = defaultdict(list)
    for one in files:
        if one.members and paths.series_kind(os.path.basename(one.resolved)) == "tile":
            for thing in dict.fromkeys(user[0] for user in one.users):
                by_thing[thing].append(one)
    for alike in by_thing.values():
        tiles = {one.resolved: _numbers(one) for one in alike}
        every = set().union(*tiles.values())
        for one in alike:
            one.missing = tuple(sorted({*one.missing, *(every - tiles[one.resolved])}))


def _numbers(file: OutsideFile) -> set[str]:
    names = [os.path.basename(member) for member in file.members]
    return set(paths.members(os.path.basename(file.resolved), names))


def _twins(files: list[OutsideFile]) -> None:
    """Pictures that hold the same bytes under two names; only those of equal size are read for it."""
    sizes: dict[int, list[OutsideFile]] = defaultdict(list)
    for one in files:
        if one.kind is FileKind.PICTURE and one.first and not one.members and 0 < one.size <= _TWIN_BYTES:
            sizes[one.size].append(one)
    for alike in sizes.values():
        sums: dict[str, OutsideFile] = {}
        for one in alike if len({file.first for file in alike}) > 1 else ():
            other = sums.setdefault(facts.checksum(one.first), one)
            if other.first != one.first:
                one.same_as = other.first


def newer_source(path: str, told: facts.Facts) -> str:
    """The picture that a tiled copy was made from, when it was changed after the copy; empty when none is known."""
    folder, name = os.path.split(path)
    stem = name.partition(".")[0] if name.count(".") > 1 else os.path.splitext(name)[0]
    names = [told.made_from] if told.made_from else [f"{stem}{suffix}" for suffix in _PICTURES]
    for other in names:
        place = os.path.join(folder, os.path.basename(other))
        if place == path:
            continue
        said = facts.facts(place)
        if said is not None and said.picture and not said.prepared and said.changed > told.changed:
            return place
    return ""
