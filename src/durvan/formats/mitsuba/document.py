"""A Mitsuba scene file as objects with properties: included files, parameters, aliases and references put in their places."""

from __future__ import annotations

import math
import os
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.mitsuba.words import OBJECTS, PROPERTIES
from durvan.scene.graph import Value
from durvan.scene.model import Oddity

Floats = NDArray[np.float64]
OLDEST = (2, 0)
_MOST_FILES, _DEEP = 256, 64
_PARAMETER = re.compile(r"\$([A-Za-z_][A-Za-z0-9_]*)")


@dataclass(eq=False)
class Thing:
    """An object of a scene: its tag and plugin, properties by name, and the objects in it. `name` is what its parent calls it."""

    tag: str
    type: str
    id: str
    name: str
    line: int
    element: Any
    values: dict[str, Value] = field(default_factory=dict)
    matrices: dict[str, Floats] = field(default_factory=dict)
    inside: list[Thing] = field(default_factory=list)
    problems: dict[str, str] = field(default_factory=dict)

    def of(self, tag: str) -> Iterator[Thing]:
        """The objects of a tag in it."""
        return (one for one in self.inside if one.tag == tag)

    def named(self, name: str) -> Thing | None:
        """The object in it that goes by a name."""
        return next((one for one in self.inside if one.name == name), None)


class Document:
    """Reads one scene file. `files` are all that it is made of; `ids` its objects by their ids."""

    def __init__(self, file: Path, *, comments: bool = False) -> None:
        self.file, self.comments = file, comments
        self.folder = os.path.realpath(os.path.dirname(os.path.abspath(file)))
        self.files: list[str] = []
        self.oddities: list[Oddity] = []
        self.parameters: dict[str, str] = {}
        self.ids: dict[str, Thing] = {}
        self.waiting: list[tuple[Thing, str, str, int, int]] = []
        root = self._root(file)
        self.version = self._version(root)
        self.scene = Thing("scene", "scene", "", "", root.sourceline, root)
        self._read(root, self.scene, file, (os.path.realpath(file),), 0)
        self._refer()

    def _root(self, file: Path) -> Any:
        root = xml.parse(file, comments=self.comments)
        if root.tag not in ("scene", *OBJECTS):
            raise SceneFileError(
                f"is no Mitsuba scene: its root is <{str(root.tag)[:60]}>.", file=file, inside=f"line {root.sourceline}"
            )
        self.files.append(str(file))
        return root

    def _version(self, root: Any) -> tuple[int, ...]:
        said = root.get("version", "")
        try:
            found = tuple(int(part) for part in said.split(".")[:3])
        except ValueError:
            found = ()
        if not found:
            raise SceneFileError(
                f"says no version that can be read: '{said[:40]}'.", file=self.file, inside=f"line {root.sourceline}"
            )
        if found < OLDEST:
            raise SceneFileError(
                f"is of version {said[:20]}; Durvan reads 2.0 and newer. Mitsuba itself brings older ones up to date.", file=self.file,
                inside=f"line {root.sourceline}",
            )  # fmt: skip
        return found

    def _odd(self, code: str, element: Any, said: str) -> None:
        self.oddities.append(Oddity(code, "", f"line {element.sourceline}", said))

    # elements

    def _read(self, element: Any, thing: Thing, file: Path, including: tuple[str, ...], depth: int) -> None:
        if depth > _DEEP:
            raise SceneFileError(f"is nested more than {_DEEP} deep.", file=file, inside=f"line {element.sourceline}")
        for child in element:
            if not xml.is_element(child):
                continue
            tag = child.tag
            if tag in OBJECTS:
                self._object(child, thing, file, including, depth)
            elif tag in PROPERTIES:
                self._property(child, thing, file, including, depth)
            else:
                self._odd("unknown-element", child, f"<{str(tag)[:60]}> is nothing that a scene has.")

    def _object(self, child: Any, thing: Thing, file: Path, including: tuple[str, ...], depth: int) -> None:
        made = Thing(
            str(child.tag),
            self._text(child, "type"),
            self._text(child, "id"),
            self._text(child, "name"),
            child.sourceline,
            child,
        )
        if made.id:
            if made.id in self.ids:
                self._odd("same-id", child, f"'{made.id[:80]}' is the id of several objects; the last one counts.")
            self.ids[made.id] = made
        thing.inside.append(made)
        self._read(child, made, file, including, depth + 1)

    def _property(self, child: Any, thing: Thing, file: Path, including: tuple[str, ...], depth: int) -> None:
        tag, name = child.tag, self._text(child, "name")
        if tag == "default":
            self.parameters.setdefault(name, self._text(child, "value"))
        elif tag == "include":
            self._include(child, thing, file, including, depth)
        elif tag == "ref":
            self.waiting.append((thing, self._text(child, "id"), name, child.sourceline, len(thing.inside)))
        elif tag == "alias":
            found = self.ids.get(self._text(child, "id"))
            if found is not None:
                self.ids[self._text(child, "as")] = found
        elif tag == "transform":
            thing.matrices[name] = self._transform(child)
        elif tag != "path":
            self._value(child, thing, name)

    def _text(self, element: Any, name: str) -> str:
        """An attribute, with parameters put in."""
        said = str(element.get(name, ""))
        if "$" not in said:
            return said
        return _PARAMETER.sub(lambda found: self.parameters.get(found.group(1), found.group(0)), said)

    def _include(self, child: Any, thing: Thing, file: Path, including: tuple[str, ...], depth: int) -> None:
        """Read another file's objects in its place; only one of the scene's folder and below."""
        name = self._text(child, "filename")
        path = os.path.realpath(os.path.join(os.path.dirname(file), name))
        why = ""
        if "://" in name:
            why = "an address of a network is never read"
        elif os.path.commonpath([path, self.folder]) != self.folder:
            why = "it lies outside the scene's folder, which is not read"
        elif path in including:
            why = "it includes itself; left out there"
        elif len(self.files) >= _MOST_FILES:
            why = f"more than {_MOST_FILES} files are included"
        elif not os.path.isfile(path):
            why = "there is no such file"
        if why:
            self._odd("include", child, f"{name[:200]}: {why}.")
            return
        root = self._root(Path(path))
        if root.tag == "scene":
            self._read(root, thing, Path(path), (*including, path), depth + 1)
        else:
            self._object(root, thing, Path(path), (*including, path), depth + 1)

    def _refer(self) -> None:
        """Put what is referred to in the places of the references, in the order of the file."""
        for thing, id_, name, line, at in reversed(self.waiting):
            found = self.ids.get(id_)
            if found is None:
                self.oddities.append(
                    Oddity("dangling", "", f"line {line}", f"refers to '{id_[:80]}', which is nothing.")
                )
                thing.problems[name or "ref"] = f"refers to '{id_[:80]}', which is nothing"
                continue
            if found is thing or self._holds(found, thing):
                self.oddities.append(
                    Oddity("dangling", "", f"line {line}", f"'{id_[:80]}' refers to itself; it is cut there.")
                )
                continue
            copy = Thing(
                found.tag,
                found.type,
                found.id,
                name or found.name,
                found.line,
                found.element,
                found.values,
                found.matrices,
                found.inside,
                found.problems,
            )
            thing.inside.insert(at, copy)

    @staticmethod
    def _holds(outer: Thing, inner: Thing) -> bool:
        waiting, seen = list(outer.inside), set()
        while waiting:
            here = waiting.pop()
            if here is inner or here.inside is inner.inside:
                return True
            if id(here.inside) not in seen:
                seen.add(id(here.inside))
                waiting += here.inside
        return False

    # values

    def _value(self, child: Any, thing: Thing, name: str) -> None:
        text = self._text(child, "value")
        try:
            thing.values[name] = self._plain(child, text)
        except ValueError as problem:
            thing.problems[name] = f"{problem} in line {child.sourceline}"

    def _plain(self, child: Any, text: str) -> Value:
        match child.tag:
            case "float":
                return _number(text)
            case "integer":
                return int(_number(text))
            case "boolean":
                if text not in ("true", "false"):
                    raise ValueError(f"expected true or false, found '{text[:40]}'")
                return text == "true"
            case "string":
                return text
            case "rgb":
                return _rgb(text)
            case "spectrum":
                if ":" in text:
                    raise ValueError("a spectrum by wavelengths is not read; colours of three channels are")
                return (_number(text),) * 3
        if text:
            return _three(text)
        return tuple(_number(self._text(child, axis) or "0") for axis in "xyz")

    # transforms

    def _transform(self, element: Any) -> Floats:
        """A transform as a matrix for row vectors, its parts one after the other."""
        out = np.eye(4)
        for one in element:
            if not xml.is_element(one):
                continue
            try:
                out = out @ self._step(one)
            except ValueError as problem:
                self._odd("wrong-value", one, f"a transform that cannot be read: {problem}.")
        if not np.isfinite(out).all():
            self._odd("wrong-value", element, "a transform with numbers that are none.")
            return np.eye(4)
        return out

    def _axis(self, one: Any, usual: float) -> Floats:
        if one.get("value") is not None:
            found = _three(self._text(one, "value"))
            return np.array(found if len(found) == 3 else (found[0],) * 3)
        return np.array([_number(self._text(one, axis) or str(usual)) for axis in "xyz"])

    def _step(self, one: Any) -> Floats:
        out = np.eye(4)
        match one.tag:
            case "translate":
                out[3, :3] = self._axis(one, 0.0)
            case "scale":
                out[:3, :3] = np.diag(self._axis(one, 1.0))
            case "rotate":
                axis = self._axis(one, 0.0)
                axis = axis / max(float(np.linalg.norm(axis)), 1e-12)
                angle = math.radians(_number(self._text(one, "angle") or "0"))
                x, y, z = axis
                cross = np.array([[0, -z, y], [z, 0, -x], [-y, x, 0]])
                turn = np.eye(3) + math.sin(angle) * cross + (1 - math.cos(angle)) * (cross @ cross)
                out[:3, :3] = turn.T
            case "lookat":
                origin, target, up = (
                    np.array(_three(self._text(one, name) or usual))
                    for name, usual in (("origin", "0,0,0"), ("target", "0,0,1"), ("up", "0,1,0"))
                )
                ahead = target - origin
                ahead = ahead / max(float(np.linalg.norm(ahead)), 1e-12)
                left = np.cross(up, ahead)
                if float(np.linalg.norm(left)) < 1e-9:
                    left = np.cross((1.0, 0.0, 0.0) if abs(ahead[0]) < 0.9 else (0.0, 1.0, 0.0), ahead)
                left = left / np.linalg.norm(left)
                out[:3, :3] = np.stack([left, np.cross(ahead, left), ahead])
                out[3, :3] = origin
            case "matrix":
                numbers = [_number(part) for part in self._text(one, "value").replace(",", " ").split()]
                if len(numbers) == 16:
                    return np.array(numbers).reshape(4, 4).T
                if len(numbers) == 9:
                    out[:3, :3] = np.array(numbers).reshape(3, 3).T
                    return out
                raise ValueError(f"a matrix of {len(numbers)} numbers")
            case _:
                raise ValueError(f"<{str(one.tag)[:40]}> is no part of a transform")
        return out


def _number(text: str) -> float:
    try:
        value = float(text)
    except ValueError:
        raise ValueError(f"expected a number, found '{text[:40]}'") from None
    if not math.isfinite(value):
        raise ValueError(f"not a finite number: {text[:40]}")
    return value


def _three(text: str) -> tuple[float, ...]:
    parts = text.replace(",", " ").split()
    numbers = tuple(_number(part) for part in parts)
    if len(numbers) not in (1, 2, 3):
        raise ValueError(f"expected three numbers, found '{text[:60]}'")
    return numbers * 3 if len(numbers) == 1 else numbers


def _rgb(text: str) -> tuple[float, ...]:
    """A colour; of eight bits by a number sign it is sRGB."""
    if text.startswith("#"):
        digits = text[1:]
        if len(digits) not in (6, 8) or any(c not in "0123456789abcdefABCDEF" for c in digits):
            raise ValueError(f"expected a colour, found '{text[:40]}'")
        parts = [int(digits[n : n + 2], 16) / 255.0 for n in (0, 2, 4)]
        return tuple(part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    found = _three(text)
    if len(found) != 3:
        raise ValueError(f"expected three numbers, found '{text[:60]}'")
    return found
