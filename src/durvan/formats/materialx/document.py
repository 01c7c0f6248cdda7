"""A MaterialX document as a tree of elements: read safely, with what it includes, in the form of the newest version."""

from __future__ import annotations

import os
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.scene.model import Oddity

NEWEST = (1, 39)
_INCLUDE = "{http://www.w3.org/2001/XInclude}include"
_MOST_INCLUDED = 256


class Tree:
    """A document's root, and all that it includes put in its place. `files` are those that were read, `missing` those that were not."""

    def __init__(self, file: Path, *, comments: bool = False) -> None:
        self.file = file
        self.folder = os.path.realpath(os.path.dirname(os.path.abspath(file)))
        self.comments = comments
        self.files: list[str] = []
        self.missing: list[str] = []
        self.oddities: list[Oddity] = []
        self.root = self._read(file, ())
        self._upgrade()

    def _read(self, file: Path, including: tuple[str, ...]) -> Any:
        root = xml.parse(file, comments=self.comments)
        if root.tag != "materialx":
            raise SceneFileError(
                f"is no MaterialX document: its root is <{str(root.tag)[:60]}>.",
                file=file,
                inside=f"line {root.sourceline}",
            )
        self.files.append(str(file))
        here = (*including, os.path.realpath(file))
        for one in list(root):
            if one.tag == _INCLUDE:
                self._include(root, one, file, here)
        return root

    def _include(self, root: Any, one: Any, file: Path, including: tuple[str, ...]) -> None:
        """Put a file in the place of what includes it; only files of the document's own folder and below are read."""
        href = one.get("href", "")
        place = f"line {one.sourceline}"
        at = root.index(one)
        root.remove(one)
        path = os.path.realpath(os.path.join(os.path.dirname(file), href))
        why = self._against(href, path, including)
        if why:
            self.missing.append(href)
            self.oddities.append(Oddity("include", "", place, f"{href[:200]}: {why}"))
            return
        found = self._read(Path(path), including)
        space, prefix = found.get("colorspace", ""), found.get("fileprefix", "")
        for child in list(found):
            if space and not child.get("colorspace"):
                child.set("colorspace", space)
            if prefix and not child.get("fileprefix"):
                child.set("fileprefix", prefix)
            root.insert(at, child)
            at += 1

    def _against(self, href: str, path: str, including: tuple[str, ...]) -> str:
        if not href:
            return "nothing is named."
        if "://" in href:
            return "an address of a network is never read."
        if os.path.commonpath([path, self.folder]) != self.folder:
            return "it lies outside the document's folder, which is not read."
        if path in including:
            return "it includes itself; left out there."
        if len(self.files) >= _MOST_INCLUDED:
            return f"more than {_MOST_INCLUDED} files are included; the rest is left out."
        return "" if Path(path).is_file() else "there is no such file."

    @property
    def version(self) -> tuple[int, int]:
        """The version that the document says. Raises SceneFileError where it says none that can be read."""
        said = self.root.get("version", "")
        try:
            major, minor = (int(part) for part in said.split(".")[:2])
        except ValueError:
            raise SceneFileError(
                f"says no version that can be read: '{said[:40]}'.",
                file=self.file,
                inside=f"line {self.root.sourceline}",
            ) from None
        return major, minor

    def _upgrade(self) -> None:
        """Bring an older document to the newest form, by MaterialX's own library; a newer one is refused."""
        version = self.version
        if version > NEWEST:
            raise SceneFileError(
                f"is of version {version[0]}.{version[1]}; Durvan reads documents up to {NEWEST[0]}.{NEWEST[1]}.", file=self.file,
                inside=f"line {self.root.sourceline}",
            )  # fmt: skip
        if version == NEWEST:
            return
        import MaterialX as mx

        document = mx.createDocument()
        try:
            mx.readFromXmlString(document, xml.to_bytes(self.root).decode("utf-8"))
            text = mx.writeToXmlString(document)
        except (mx.Exception, RuntimeError) as problem:
            raise SceneFileError(f"MaterialX cannot bring it to version 1.39: {problem}.", file=self.file) from problem
        lines = {path: one.sourceline for path, one in _by_path(self.root)}
        self.root = xml.parse_bytes(text.encode("utf-8"), self.file, comments=self.comments)
        for path, one in _by_path(self.root):  # what is told of an element is told with its place in the file
            one.sourceline = lines.get(path, one.sourceline)


def _by_path(root: Any) -> Iterator[tuple[tuple[str, ...], Any]]:
    """Every element that has a name, by the names on the way to it."""
    waiting: list[tuple[tuple[str, ...], Any]] = [((), root)]
    while waiting:
        path, element = waiting.pop()
        for child in element:
            name = child.get("name") if xml.is_element(child) else None
            if name is not None:
                yield (*path, name), child
                waiting.append(((*path, name), child))
