"""Findings about files: where they are, and what of them a renderer will stumble over."""

from __future__ import annotations

import os
from collections.abc import Collection, Iterator

from durvan.crossing.document.changes import AllowFolder, PutLinks
from durvan.crossing.document.document import Relink
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.files.facts import HUGE
from durvan.files.paths import ending, shown, understand
from durvan.scene.model import FileKind, FileState, OutsideFile, Scene

# state → code, level, title, what follows of it
_STATES = {
    FileState.ABSENT: ("picture-absent", Level.STOP, "A {kind} is nowhere to be found", "it will be missing"),
    FileState.SEVERAL: ("several-candidates", Level.STOP, "Several files could be the one meant", "the wrong one may be rendered"),
    FileState.UNREADABLE: ("picture-unreadable", Level.STOP, "A {kind} cannot be read", "it will be missing"),
    FileState.OUTSIDE: ("outside", Level.STOP, "A path leads out of the scene's folders", "it is not read, so it will be missing"),
    FileState.OUTDATED: ("outdated-copy", Level.LOOK, "A tiled copy is older than its source", "an older picture is rendered"),
    FileState.LETTER_CASE: (
        "letter-case", Level.LOOK, "A name differs in its letters' case only", "it is found on some machines and not on others",
    ),
    FileState.BY_A_ROOT: (
        "by-a-root", Level.LOOK, "Reached by a root only, not where the scene says", "another file of that name may be rendered",
    ),
}  # fmt: skip
KIND = "{kind}"
CODES = (
    *(said[0] for said in _STATES.values()), *(f"{kind.value.replace(' ', '-')}-absent" for kind in FileKind),
    "profile-malformed", "tiles-missing", "mislabelled", "huge-untiled", "full-path", "same-twice",
)  # fmt: skip
_ENDINGS = {
    "png": (".png",), "jpeg": (".jpg", ".jpeg"), "tiff": (".tif", ".tiff", ".tx", ".env"), "openexr": (".exr", ".tx"),
    "hdr": (".hdr", ".rgbe", ".pic"), "bmp": (".bmp", ".dib"), "targa": (".tga", ".tpic"),
}  # fmt: skip


def of(view: View) -> Iterator[Finding]:
    """What is worth knowing of every file that a carried thing uses, or that the scene is composed of."""
    scene, carried = view.scene, view.plan.translations
    for file in scene.files.values():
        users = [user for user in file.users if user[0] in carried]
        if file.users and not users:
            continue
        yield from _state(file, users, scene)
        yield from _form(file, users, scene)
    yield from _twins(scene, carried)


def _about(file: OutsideFile, users: list[tuple[str, str, str]], scene: Scene) -> tuple[str, str, str]:
    """The thing and the place in it that a finding is about, and who uses the file in words."""
    if not users:
        return "", file.written, f"named by {shown(file.sites[0])}" if file.sites else ""
    thing, node, port = users[0]
    others = len({user[0] for user in users}) - 1
    who = scene.things[thing].name + (f" and {others} more" if others else "")
    return thing, f"{node}.{port}", f"used by {who}"


def _finding(
    code: str, level: Level, title: str, cause: str, consequence: str, file: OutsideFile,
    users: list[tuple[str, str, str]], scene: Scene, evidence: tuple[tuple[str, str], ...],
    remedies: tuple[Remedy, ...] = (), topic: str = "",
) -> Finding:  # fmt: skip
    thing, path, _ = _about(file, users, scene)
    return Finding(
        code, level, title, cause, consequence, thing, path, "Files", evidence, remedies, file.written, topic
    )


def _state(file: OutsideFile, users: list[tuple[str, str, str]], scene: Scene) -> Iterator[Finding]:
    known = _STATES.get(file.state)
    if known is None:
        return
    code, level, title, consequence = known
    if file.state is FileState.ABSENT and file.kind not in (FileKind.PICTURE, FileKind.SURROUNDINGS):
        code = f"{file.kind.value.replace(' ', '-')}-absent"
        level = Level.LOOK if file.kind is FileKind.OTHER else level
    if file.state is FileState.UNREADABLE and file.kind is FileKind.PROFILE:
        code = "profile-malformed"
    who = _about(file, users, scene)[2]
    why = f" ({shown(file.why)})" if file.why else ""
    evidence = [("the scene says", shown(file.written))]
    if file.linked:
        evidence.append(("put in its place", shown(file.linked)))
    if file.resolved:
        evidence.append(("looked at" if file.state is FileState.ABSENT else "found at", shown(file.resolved)))
    if file.root:
        evidence.append(("root", shown(file.root)))
    if file.why:
        evidence.append(("because", shown(file.why)))
    for number, one in enumerate(file.candidates[:4], 1):
        size = f"{one.width}×{one.height}, " if one.width else ""
        evidence.append(
            (f"candidate {number}", f"{shown(one.path)} ({size}{one.size} bytes{', ' + one.why if one.why else ''})")
        )
    yield _finding(
        code, level, title.format(kind=file.kind.value), f"{shown(file.written)}{why}, {who}".rstrip(", "), consequence, file,
        users, scene, tuple(evidence), _remedies(file), file.kind.value if KIND in title else "",
    )  # fmt: skip


def _remedies(file: OutsideFile) -> tuple[Remedy, ...]:
    if file.state in (FileState.BY_A_ROOT, FileState.LETTER_CASE):
        return (Remedy("Take this file", "Take all {count} of these files", _link(file, file.resolved)),)
    if file.state is FileState.OUTSIDE:
        folder = os.path.dirname(file.resolved)
        return (Remedy("Allow its folder", "Allow all {count} folders", AllowFolder(folder=folder)),)
    if file.state is FileState.OUTDATED:
        return (Remedy("Read the original", "Read all {count} originals", _link(file, file.newer)),)
    return tuple(
        Remedy(f"Take {shown(one.path)}", f"Take all {shown(one.path)}", _link(file, one.path), bulk=False)
        for one in file.candidates[:4]
    )


def _link(file: OutsideFile, to: str) -> PutLinks:
    return PutLinks(links=(Relink(written=file.written, to=to),))


def _form(file: OutsideFile, users: list[tuple[str, str, str]], scene: Scene) -> Iterator[Finding]:
    """What can be told of a file that is there."""
    if not file.first:
        return
    who = _about(file, users, scene)[2]
    if file.missing:
        yield _finding(
            "tiles-missing", Level.LOOK, "Tiles or frames are missing in between",
            f"{shown(file.written)} lacks {', '.join(file.missing[:6])}{' and more' if len(file.missing) > 6 else ''}, {who}",
            "where they belong nothing is rendered", file, users, scene,
            (("there", str(len(file.members))), ("missing", str(len(file.missing)))),
        )  # fmt: skip
    right = _ENDINGS.get(file.format)
    if right is not None and ending(file.first) not in right and ending(file.first):
        yield _finding(
            "mislabelled", Level.NOTE, "A picture whose ending names another kind",
            f"{shown(os.path.basename(file.first))} is {file.format} inside, {who}", "some renderers refuse it", file, users,
            scene, (("ending", ending(file.first)), ("really", file.format)),
        )  # fmt: skip
    if max(file.width, file.height) >= HUGE and not file.tile:
        yield _finding(
            "huge-untiled", Level.NOTE, "A huge picture without tiles",
            f"{shown(os.path.basename(file.first))} has {file.width}×{file.height} pixels, {who}",
            "a renderer reads it whole for the first pixel; a tiled copy would do", file, users, scene,
            (("resolution", f"{file.width}×{file.height}"), ("bytes", str(file.size))),
        )  # fmt: skip
    said = file.linked or file.written
    if understand(said).absolute and file.state is FileState.IN_PLACE and file.kind is not FileKind.COLOUR_CONFIG:
        folder = os.path.dirname(os.path.abspath(scene.file))
        near = os.path.relpath(file.resolved, folder)
        yield _finding(
            "full-path", Level.NOTE, "A full path, which other machines may not have",
            f"{shown(said)}, {who}", "it is not found where folders are called otherwise", file, users, scene,
            (("from the scene", shown(near)),), (Remedy("Make it relative", "Make all {count} relative", _link(file, near)),),
        )  # fmt: skip


def _twins(scene: Scene, carried: Collection[str]) -> Iterator[Finding]:
    for file in scene.files.values():
        if not file.same_as:
            continue
        users = [user for user in file.users if user[0] in carried]
        if file.users and not users:
            continue
        yield _finding(
            "same-twice", Level.NOTE, "The same picture under two names",
            f"{shown(os.path.basename(file.first))} holds the same bytes as {shown(os.path.basename(file.same_as))}",
            "it takes memory twice", file, users, scene, (("the other", shown(file.same_as)),),
        )  # fmt: skip
