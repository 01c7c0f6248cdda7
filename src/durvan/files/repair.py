"""Repair many paths at once: proposals that say, before anything is changed, what each change would find."""

from __future__ import annotations

import fnmatch
import os
import re
from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from durvan.errors import MisuseError
from durvan.files import paths
from durvan.files.resolve import Found, Resolver
from durvan.scene.model import FileState, OutsideFile

Rewrite = Callable[[str], str]
SETTLED = (FileState.IN_PLACE,)


@dataclass(frozen=True, slots=True)
class Change:
    """One path: as it is written now, what would stand in its place, and how it would be found before and after."""

    written: str
    to: str
    before: FileState
    after: FileState
    path: str = ""
    why: str = ""

    @property
    def resolves(self) -> bool:
        """Whether the file is found where the new path says, and was not before."""
        return self.after in SETTLED and self.before not in SETTLED

    @property
    def worsens(self) -> bool:
        """Whether a file that is found where the scene says would not be any more."""
        return self.before in SETTLED and self.after not in SETTLED


@dataclass(slots=True)
class Preview:
    """What a repair would do; nothing is changed by making one."""

    name: str
    changes: list[Change] = field(default_factory=list)

    @property
    def resolved(self) -> list[Change]:
        """Those that would be found where the new path says."""
        return [change for change in self.changes if change.resolves]

    @property
    def ambiguous(self) -> list[Change]:
        """Those that would still leave several to choose from."""
        return [change for change in self.changes if change.after is FileState.SEVERAL]

    @property
    def worse(self) -> list[Change]:
        """Those that are found now and would not be any more."""
        return [change for change in self.changes if change.worsens]

    def counts(self) -> Counter[FileState]:
        """How many would be in which state."""
        return Counter(change.after for change in self.changes)

    def links(self, everything: bool = False) -> dict[str, str]:
        """What to put in the place of what: only what is found by it, or everything that it touches and does not worsen."""
        wanted = self.changes if everything else self.resolved
        return {change.written: change.to for change in wanted if not change.worsens}


@dataclass(frozen=True, slots=True)
class Substitution:
    """An old beginning of paths and the new one."""

    old: str
    new: str

    def __call__(self, written: str) -> str:
        """A path with the new beginning; as it is when it does not begin with the old one, letter case apart."""
        text, old = paths.understand(written).text, paths.understand(self.old).text
        if not old:
            return written
        begun = text.casefold().startswith(old.casefold())
        whole = old.endswith("/") or len(text) == len(old) or text[len(old) : len(old) + 1] == "/"
        if not begun or not whole:
            return written
        rest = text[len(old) :]
        return f"{self.new.rstrip('/')}/{rest.lstrip('/')}" if rest else self.new


def learnt(written: str, pointed: str) -> Substitution:
    """The substitution that one file teaches: written there, found here. Raises MisuseError when their names differ
    so that nothing can be learnt."""
    text = paths.understand(written).text
    old, new = text.split("/"), pointed.split("/")
    shared = 0
    while shared < min(len(old), len(new)) and old[-1 - shared].casefold() == new[-1 - shared].casefold():
        shared += 1
    if not shared:
        raise MisuseError(
            f"nothing can be learnt from {paths.shown(pointed)} for {paths.shown(written)}: their names have nothing in common.",
            advice="Point at the file of the same name.",
        )
    return Substitution("/".join(old[: len(old) - shared]), "/".join(new[: len(new) - shared]) or "/")


def stripped(count: int) -> Rewrite:
    """Take so many folders off the front of a path; what is left counts from the scene."""

    def rewrite(written: str) -> str:
        parts = paths.understand(written).parts
        return written if count <= 0 or count >= len(parts) else "/".join(parts[count:])

    return rewrite


def dead_part(written: Iterable[str]) -> int:
    """How many folders all of these begin with in common: the part that leads nowhere any more."""
    all_parts = [paths.understand(one).parts[:-1] for one in written]
    shared = 0
    while all_parts and all(
        len(p) > shared and p[shared].casefold() == all_parts[0][shared].casefold() for p in all_parts
    ):
        shared += 1
    return shared


def dead_beginning(written: Iterable[str]) -> str:
    """The folder that most of the paths that lead nowhere begin with, as it is written; empty when they share none."""
    groups: dict[str, list[str]] = {}
    for one in written:
        understood = paths.understand(one)
        if len(understood.parts) > 1:
            groups.setdefault("/".join(understood.text.split("/")[:2]), []).append(one)
    if not groups:
        return ""
    most = max(groups.values(), key=len)
    text, shared = paths.understand(most[0]).text, dead_part(most)
    tail = paths.understand(most[0]).parts[shared:]
    return text[: len(text) - len("/".join(tail)) - 1] if shared else ""


def renamed(old: str, new: str) -> Rewrite:
    """Rename by a pattern: * stands for any letters, ? for one; each * of `new` takes what the same * of `old` stood for.

    Raises MisuseError when `new` has more of them than `old`.
    """
    if new.count("*") > old.count("*"):
        raise MisuseError(f"'{new}' has more * than '{old}', so nothing says what they stand for.")
    pieces = [re.escape(piece).replace(r"\?", ".") for piece in old.split("*")]
    pattern = re.compile("(.*)".join(pieces), re.IGNORECASE)

    def rewrite(written: str) -> str:
        text = paths.understand(written).text
        folder, name = text.rpartition("/")[::2]
        found = pattern.fullmatch(name)
        if found is None:
            return written
        fresh = new
        for group in found.groups()[: new.count("*")]:
            fresh = fresh.replace("*", group.replace("*", "\0"), 1)
        fresh = fresh.replace("\0", "*")
        return f"{folder}/{fresh}" if folder else fresh

    return rewrite


def preview(
    name: str, files: Iterable[OutsideFile], rewrite: Rewrite, resolver: Resolver, pattern: str = ""
) -> Preview:
    """What rewriting paths would find. `pattern` takes only paths like it (with * and ?); unchanged ones are left out."""
    out = Preview(name)
    for file in files:
        if pattern and not fnmatch.fnmatch(file.written.casefold(), pattern.casefold()):
            continue
        said = file.linked or file.written
        to = rewrite(said)
        if to != said:
            out.changes.append(_change(file, to, _looked(file, to, resolver)))
    return out


def by_roots(files: Iterable[OutsideFile], full: bool = True) -> Preview:
    """Write down where roots, or another case of letters, have found files: the scene then says it by itself."""
    out = Preview("Take what the roots found")
    for file in files:
        if file.state in (FileState.BY_A_ROOT, FileState.LETTER_CASE) and file.resolved:
            to = file.resolved if full else _near(file.resolved, file.anchor)
            out.changes.append(Change(file.written, to, file.state, FileState.IN_PLACE, file.resolved, file.why))
    return out


def chosen(files: Iterable[OutsideFile], full: bool = True) -> Preview:
    """Take the likeliest of several candidates, where something speaks for it; by full paths, or as seen from the scene."""
    out = Preview("Take the likeliest candidates")
    for file in files:
        if file.state is not FileState.SEVERAL or not file.candidates:
            continue
        best = file.candidates[0]
        # Without a word for it, and with another as near as it is, a choice would be a guess.
        equal = (
            len(file.candidates) > 1 and file.candidates[1].why == best.why and file.candidates[1].shared == best.shared
        )
        after = FileState.IN_PLACE if best.why and not equal else FileState.SEVERAL
        place = best.path if full else _near(best.path, file.anchor)
        to = place if after is FileState.IN_PLACE else file.linked or file.written
        out.changes.append(
            Change(file.written, to, file.state, after, best.path, best.why or "nothing tells them apart")
        )
    return out


def relative(files: Iterable[OutsideFile]) -> Preview:
    """Write full paths as they are seen from the scene's folder."""
    out = Preview("Make paths relative")
    for file in files:
        said = file.linked or file.written
        if paths.understand(said).absolute and file.first and file.state is FileState.IN_PLACE:
            near = _near(file.resolved, file.anchor)
            out.changes.append(Change(file.written, near, file.state, FileState.IN_PLACE, file.resolved))
    return out


def _near(path: str, folder: str) -> str:
    near = os.path.relpath(path, folder).replace(os.sep, "/")
    return near if near.startswith("../") else f"./{near}"


def _looked(file: OutsideFile, to: str, resolver: Resolver) -> Found:
    trial = Resolver(
        resolver.folders, resolver.roots, resolver.shelf, {file.written: to}, resolver.known, resolver.environment,
        resolver.home, resolver.report, resolver._listed, resolver._real,
    )  # fmt: skip
    return trial.find(file.written, file.anchor)


def _change(file: OutsideFile, to: str, found: Found) -> Change:
    return Change(file.written, to, file.state, found.state, found.path, found.why)
