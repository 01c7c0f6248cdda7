"""Find a file that a scene names: where it says, in another case of letters, or by a root; and how sure that is."""

from __future__ import annotations

import os
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field

from pydantic import ConfigDict

from durvan.files import facts, paths
from durvan.files.index import Index, Shelf, within
from durvan.files.roots import Root
from durvan.formats import embedded
from durvan.progress import Report, silent
from durvan.scene.model import Candidate, FileState

_TILES = [str(number) for number in range(1001, 1100)]


@dataclass(frozen=True, slots=True)
class Found:
    """Where a file is, or may be. `path` is empty when it is nowhere; `why` says how it was found, in a few words."""

    state: FileState
    path: str = ""
    root: str = ""
    why: str = ""
    candidates: tuple[Candidate, ...] = ()


@dataclass(frozen=True, slots=True)
class Known:
    """What a file was when it was last there: its size in bytes, resolution and checksum, where known. That tells it
    from others of its name when it is not there any more."""

    __pydantic_config__ = ConfigDict(extra="forbid")  # it stands in .durvan files as it is

    written: str
    size: int = 0
    width: int = 0
    height: int = 0
    sha256: str = ""


@dataclass
class Resolver:
    """Finds files for one scene.

    `folders` are the scene's own: what lies outside of them and of every root in use is not read, unless the scene
    names it by a full path. `links` are what a person put in the place of a written path.
    """

    folders: tuple[str, ...]
    roots: tuple[Root, ...] = ()
    shelf: Shelf = field(default_factory=Shelf)
    links: Mapping[str, str] = field(default_factory=dict)
    known: Mapping[str, Known] = field(default_factory=dict)
    environment: Mapping[str, str] = field(default_factory=lambda: os.environ)
    home: str = field(default_factory=lambda: os.path.expanduser("~"))
    report: Report = silent
    _listed: dict[str, tuple[str, ...]] = field(default_factory=dict)
    _real: dict[str, str] = field(default_factory=dict)

    def find(self, written: str, anchor: str, resolved: str = "") -> Found:
        """Find one written path; `anchor` is the folder that relative ones count from, `resolved` where the scene's
        own library found it. A path within a package is in place when the package is."""
        link = self.links.get(written)
        said = link if link is not None else written
        if link is None and embedded.is_kept(resolved):
            return Found(FileState.IN_PLACE, resolved, why="within the scene's file")
        if resolved and link is None and "[" in resolved:
            return Found(FileState.IN_PLACE, resolved, why="in a package")
        if not said or "\0" in said or len(said) > paths.LONGEST:
            return Found(FileState.ABSENT, why="that is no path")
        understood = paths.understand(said, self.environment, self.home)
        trusted = understood.absolute or link is not None  # a full path says where it leads; a link a person has chosen
        for place in self._places(said, understood, anchor, resolved if link is None else ""):
            found = self._there(place, trusted)
            if found is not None:
                return found
        found = self._other_case(understood, anchor, trusted)
        if found is not None:
            return found
        found = self._by_root(written if link is None else said, understood)
        if found is not None:
            return found
        why = f"{', '.join(understood.unknown)} is not set" if understood.unknown else ""
        return Found(FileState.ABSENT, self._place(understood, anchor), why=why)

    # where the scene says

    def _places(self, said: str, understood: paths.Understood, anchor: str, resolved: str) -> list[str]:
        places = [resolved] if resolved else []
        if said != understood.text:  # on this system a file may really be called that
            places.append(os.path.join(anchor, said))
        places.append(self._place(understood, anchor))
        return [place for place in dict.fromkeys(places) if place]

    def _place(self, understood: paths.Understood, anchor: str) -> str:
        if understood.foreign:  # a drive letter is no folder here; a share may be mounted under its own name
            return ""
        return os.path.normpath(os.path.join(anchor, understood.text)) if understood.text else ""

    def _there(self, place: str, trusted: bool) -> Found | None:
        if not self._exists(place):
            return None
        if not trusted and not self.allowed(place):
            return Found(FileState.OUTSIDE, place, why="it lies outside of the scene's folders and of every root")
        return Found(FileState.IN_PLACE, place)

    def allowed(self, place: str) -> bool:
        """Whether a file may be read: it lies, links followed, in a folder of the scene or in a root that is in use."""
        folder, name = os.path.split(place)
        real = self._real_of(folder)
        if os.path.islink(place):
            real = os.path.dirname(os.path.realpath(os.path.join(folder, name)))
        fences = [self._real_of(fence) for fence in self.folders]
        deep = [self._real_of(root.folder) for root in self.roots if root.on and root.deep]
        flat = [self._real_of(root.folder) for root in self.roots if root.on and not root.deep]
        return any(within(real, fence) for fence in (*fences, *deep)) or real in flat

    def _real_of(self, folder: str) -> str:
        known = self._real.get(folder)
        if known is None:
            known = self._real[folder] = os.path.realpath(folder)
        return known

    def _exists(self, place: str) -> bool:
        if paths.is_series(place):
            folder, name = os.path.split(place)
            return bool(paths.members(name, self.listing(folder)))
        try:
            return os.path.isfile(place)
        except ValueError:
            return False

    def listing(self, folder: str) -> tuple[str, ...]:
        """The names in a folder; none when it cannot be read. Kept for as long as this resolver lives."""
        known = self._listed.get(folder)
        if known is None:
            try:
                known = tuple(os.listdir(folder))
            except (OSError, ValueError):
                known = ()
            self._listed[folder] = known
        return known

    def _other_case(self, understood: paths.Understood, anchor: str, trusted: bool) -> Found | None:
        """Follow a path part by part, taking a name in another case where only that is there."""
        if understood.foreign or not understood.parts:
            return None
        at = "/" if understood.absolute else anchor
        for count, part in enumerate(understood.text.split("/")):
            last = count == understood.text.count("/")
            if part in ("", "."):
                continue
            if part == "..":
                at = os.path.dirname(at)
                continue
            if last and paths.is_series(part):
                break
            step = os.path.join(at, part)
            if not os.path.lexists(step):
                alike = sorted(name for name in self.listing(at) if name.casefold() == part.casefold())
                if not alike:
                    return None
                if len(alike) > 1 and last:
                    many = tuple(self._candidate(os.path.join(at, name), understood) for name in alike)
                    return Found(FileState.SEVERAL, many[0].path, why="several differ in letter case", candidates=many)
                step = os.path.join(at, alike[0])
            at = step
        if not self._exists(at):
            return None
        if not trusted and not self.allowed(at):
            return Found(FileState.OUTSIDE, at, why="it lies outside of the scene's folders and of every root")
        return Found(FileState.LETTER_CASE, at, why=f"it is called {paths.shown(os.path.basename(at))} on the disk")

    # by a root

    def _by_root(self, written: str, understood: paths.Understood) -> Found | None:
        name = understood.name
        if not name:
            return None
        for root in self.roots:
            if not root.on:
                continue
            index = self.shelf.get(root, self.report)
            places = _series(index, name) if paths.is_series(name) else index.find(name)
            if places:
                return self._choice(written, understood, root, places)
        return None

    def _choice(self, written: str, understood: paths.Understood, root: Root, places: list[str]) -> Found:
        if len(places) == 1:
            return Found(FileState.BY_A_ROOT, places[0], root.folder, "found by its name")
        candidates = ranked(
            (self._candidate(place, understood) for place in places), self.known.get(written), understood.name
        )
        first = candidates[0]
        if not paths.is_series(first.path) and facts.same_bytes(places):
            return Found(FileState.BY_A_ROOT, first.path, root.folder, f"{len(places)} hold the same", candidates)
        return Found(FileState.SEVERAL, first.path, root.folder, first.why, candidates)

    def _candidate(self, place: str, understood: paths.Understood) -> Candidate:
        told = facts.facts(place)
        shared = paths.shared_tail(understood.parts, paths.parts_of(place))
        return Candidate(place, shared, told.size if told else 0, told.width if told else 0, told.height if told else 0)


def ranked(candidates: Iterable[Candidate], known: Known | None, name: str) -> tuple[Candidate, ...]:
    """Candidates, the likeliest first, each with what speaks for it: the same checksum, else the same size and
    resolution, else the nearest folder (most parts of the path shared from the end, then the shortest path)."""
    out = []
    for one in candidates:
        why, order = "", 3
        if known is not None and known.sha256 and facts.checksum(one.path) == known.sha256:
            why, order = "the same checksum", 0
        elif (
            known is not None
            and known.size
            and (one.size, one.width, one.height) == (known.size, known.width, known.height)
        ):
            why, order = "the same size and resolution", 1
        elif one.shared > 1:
            why, order = f"{one.shared} parts of the path agree", 2
        out.append(
            (order, -one.shared, os.path.basename(one.path) != name, len(one.path), one.path, one.with_reason(why))
        )
    return tuple(entry[-1] for entry in sorted(out, key=lambda entry: entry[:-1]))


def _series(index: Index, name: str) -> list[str]:
    """Series of a root that go by a name with a token in it, as paths with the token."""
    folders: dict[str, None] = {}
    if paths.series_kind(name) == "tile" and "<udim>" in name.lower():
        for tile in _TILES[:30]:
            for place in index.find(paths.member(name, tile)):
                folders[os.path.dirname(place)] = None
    if not folders:
        for folder, names in index.names():
            if paths.members(name, names):
                folders[folder] = None
    return [os.path.join(folder, name) for folder in folders]
