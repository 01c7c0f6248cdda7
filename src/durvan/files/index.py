"""An index of the names under a root: built once, kept on disk, and brought up to date folder by folder.

A folder's time of change moves whenever a name in it comes, goes or changes, so only the folders have to be asked
again, not the files. What cannot be read is left out and told.
"""

from __future__ import annotations

import hashlib
import os
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

from durvan.files import kept
from durvan.files.roots import Root
from durvan.progress import Report, Step, silent

_MAGIC = b"durvan index 1"
_MOST_FILES = 5_000_000
_MOST_FOLDERS = 300_000
_NO_DISKS = frozenset(
    ("proc", "sysfs", "devtmpfs", "devpts", "cgroup", "cgroup2", "securityfs", "debugfs", "tracefs", "pstore", "bpf", "mqueue",
     "hugetlbfs", "configfs", "fusectl", "binfmt_misc", "autofs", "rpc_pipefs", "nsfs", "efivarfs", "selinuxfs")
)  # fmt: skip
_TICK = 100_000_000  # nanoseconds in which two changes of a folder can bear the same time


@dataclass(slots=True)
class _Folder:
    changed: int
    files: tuple[str, ...]
    folders: tuple[str, ...]
    real: tuple[int, int]


@dataclass(slots=True)
class Index:
    """The files of one root. `folders` are by their path below it ("" the root itself).

    `unread` are folders that cannot be read, `led_out` links that lead out of the root: they are not followed.
    """

    root: Root
    folders: dict[str, _Folder] = field(default_factory=dict)
    by_name: dict[str, list[tuple[str, str]]] = field(default_factory=dict)
    gone: bool = False
    unread: list[str] = field(default_factory=list)
    led_out: list[str] = field(default_factory=list)
    _stale: bool = True

    @property
    def count(self) -> int:
        """How many files it holds."""
        return sum(len(folder.files) for folder in self.folders.values())

    def find(self, name: str) -> list[str]:
        """Full paths of the files of that name, whatever the case of its letters; those in the same case come first."""
        if self._stale:
            self._fill()
        found = self.by_name.get(name.casefold(), [])
        base = self.root.folder
        ordered = sorted(found, key=lambda place: (place[1] != name, place[0])) if len(found) > 1 else found
        return [os.path.join(base, folder, file) for folder, file in ordered]

    def names(self) -> Iterator[tuple[str, tuple[str, ...]]]:
        """Every folder's full path with the names of its files."""
        for place, folder in self.folders.items():
            yield os.path.join(self.root.folder, place) if place else self.root.folder, folder.files

    def _fill(self) -> None:
        by_name: dict[str, list[tuple[str, str]]] = {}
        for place, folder in self.folders.items():
            for name in folder.files:
                key = name.casefold()
                held = by_name.get(key)
                if held is None:
                    by_name[key] = [(place, name)]
                else:
                    held.append((place, name))
        self.by_name = by_name
        self._stale = False

    def renew(self, report: Report = silent) -> bool:
        """Bring it up to date; whether anything changed. Folders that cannot be read are kept in `unread`.

        A root that is gone, or goes while it is read, leaves what was known and sets `gone`.
        """
        base = self.root.folder
        self.gone = not self.root.exists
        if self.gone:
            return False
        self.unread, self.led_out = [], []
        inside = os.path.realpath(base)
        fresh: dict[str, _Folder] = {}
        seen: set[tuple[int, int]] = set()
        changed, count, waiting = False, 0, [""]
        unreal = _unreal()
        while waiting:
            place = waiting.pop()
            path = os.path.join(base, place) if place else base
            try:
                said = os.stat(path)
            except OSError:
                self._lost(place)
                continue
            real = (said.st_dev, said.st_ino)
            if real in seen:  # a link that leads back to where we have been
                continue
            seen.add(real)
            known = self.folders.get(place)
            if known is None or known.changed != said.st_mtime_ns or known.real != real:
                known = self._scan(path, place, _settled(said.st_mtime_ns), real, inside)
                changed = True
                if known is None:
                    continue
            fresh[place] = known
            count += len(known.files)
            if len(fresh) % 50 == 0:
                report(Step(f"Indexing {Path(base).name}", count))
            if self.root.deep and count < _MOST_FILES and len(fresh) < _MOST_FOLDERS:
                below = (os.path.join(place, name) if place else name for name in reversed(known.folders))
                waiting.extend(name for name in below if os.path.join(base, name) not in unreal)
        if not self.root.exists:
            self.gone = True
            return False
        if changed or fresh.keys() != self.folders.keys():
            changed = True
            self.folders, self._stale = fresh, True
        return changed

    def _lost(self, place: str) -> None:
        self.unread.append(place)

    def _scan(self, path: str, place: str, changed: int, real: tuple[int, int], inside: str) -> _Folder | None:
        files, folders = [], []
        try:
            with os.scandir(path) as found:
                for entry in found:
                    try:
                        if entry.is_symlink() and not within(os.path.realpath(entry.path), inside):
                            self.led_out.append(os.path.join(place, entry.name))
                        elif entry.is_dir():
                            folders.append(entry.name)
                        elif entry.is_file():
                            files.append(entry.name)
                    except OSError:  # a link that leads nowhere, or round in a circle
                        continue
        except OSError:
            self._lost(place)
            return None
        return _Folder(changed, tuple(sorted(files)), tuple(sorted(folders)), real)


def _unreal() -> frozenset[str]:
    """Where this machine shows itself as files, which hold nothing of a person's and may have no end."""
    try:
        with open("/proc/self/mountinfo", encoding="utf-8", errors="surrogateescape") as lines:
            rows = [line.split() for line in lines]
    except OSError:
        return frozenset()
    return frozenset(row[4] for row in rows if "-" in row and row[row.index("-") + 1] in _NO_DISKS)


def _settled(changed: int) -> int:
    """A time of change to trust; 0 when it is so recent that another change may bear the same one."""
    return changed if time.time_ns() - changed > _TICK else 0


def within(path: str, folder: str) -> bool:
    """Whether a real path is a folder or lies in it."""
    return path == folder or path.startswith(folder.rstrip("/") + "/")


def _file_of(root: Root) -> Path:
    name = hashlib.sha256(os.fsencode(root.folder) + (b"+" if root.deep else b"-")).hexdigest()[:24]
    return kept.folder("indexes") / f"{name}.index"


def store(index: Index) -> None:
    """Keep an index on disk; when that does not work it is built again next time."""
    parts = [_MAGIC, os.fsencode(index.root.folder)]
    for place, folder in index.folders.items():
        numbers = f"{folder.changed} {folder.real[0]} {folder.real[1]}".encode()
        parts += [
            os.fsencode(place),
            numbers,
            os.fsencode("/".join(folder.files)),
            os.fsencode("/".join(folder.folders)),
        ]
    kept.write(_file_of(index.root), b"\0".join(parts))


def stored(root: Root) -> Index:
    """The index as it was kept, or an empty one; either is to be renewed."""
    index = Index(root)
    try:
        parts = _file_of(root).read_bytes().split(b"\0")
        if parts[0] != _MAGIC or os.fsdecode(parts[1]) != root.folder or len(parts) % 4 != 2:
            return index
        for at in range(2, len(parts), 4):
            changed, device, inode = map(int, parts[at + 1].split())
            files, folders = os.fsdecode(parts[at + 2]), os.fsdecode(parts[at + 3])
            index.folders[os.fsdecode(parts[at])] = _Folder(
                changed,
                tuple(files.split("/")) if files else (),
                tuple(folders.split("/")) if folders else (),
                (device, inode),
            )
    except (OSError, ValueError):
        return Index(root)
    return index


class Shelf:
    """The indexes of all roots that are in use, built at the first question and brought up to date when told to."""

    def __init__(self) -> None:
        self._held: dict[tuple[str, bool], Index] = {}
        self._lock = threading.Lock()

    def get(self, root: Root, report: Report = silent) -> Index:
        """A root's index, brought up to date when it is first asked for."""
        key = (root.folder, root.deep)
        with self._lock:
            index = self._held.get(key)
            if index is None:
                index = stored(Root(root.folder, root.deep))
                if index.renew(report):
                    store(index)
                self._held[key] = index
        return index

    def renew(self, report: Report = silent) -> bool:
        """Bring all up to date; whether anything changed."""
        changed = False
        with self._lock:
            for index in self._held.values():
                was = index.gone
                if index.renew(report):
                    store(index)
                    changed = True
                changed = changed or index.gone != was
        return changed
