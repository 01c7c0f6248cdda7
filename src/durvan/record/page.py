"""The record as one self-contained web page: no script, no outside file, fit for print."""

from __future__ import annotations

import base64
import errno
import os
from collections.abc import Mapping
from contextlib import ExitStack
from dataclasses import dataclass, field
from functools import cache
from pathlib import Path
from typing import Any

from jinja2 import Environment, PackageLoader, StrictUndefined, Template

from durvan.errors import DurvanError
from durvan.replacing import replacing
from durvan.scene.fate import SHOWN

_MOST_ROWS = 20_000


@cache
def _template() -> Template:
    environment = Environment(
        loader=PackageLoader("durvan.record", "."), autoescape=True, undefined=StrictUndefined, trim_blocks=True,
        lstrip_blocks=True,
    )  # fmt: skip
    environment.filters["shown"] = shown
    environment.filters["named"] = _named
    return environment.get_template("page.html")


def _named(path: str) -> str:
    return path.rsplit("/", 1)[-1]


def shown(value: object) -> str:
    """A value as people read it: numbers in at most five digits."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "on" if value else "off"
    if isinstance(value, float):
        return f"{value:.5g}"
    if isinstance(value, list | tuple):
        return " ".join(shown(part) for part in value)
    text = str(value)
    return text if len(text) <= 120 else f"{text[:117]}…"


def write(texts: dict[Path, str]) -> None:
    """Write a page and its data, all of them whole, or leave what was there. Raises DurvanError."""
    file = next(iter(texts))
    try:
        with ExitStack() as waiting:
            for file in texts:
                if file.is_dir():
                    raise IsADirectoryError(errno.EISDIR, os.strerror(errno.EISDIR), str(file))
            for file, text in texts.items():
                waiting.enter_context(replacing(file)).write_text(text, encoding="utf-8")
    except OSError as problem:
        raise DurvanError(f"cannot be written: {problem.strerror}.", file=file) from problem


@dataclass(frozen=True)
class Gallery:
    """Pictures as PNG: `swatches` by material, of the source and of the target, lightings side by side; `views` of the
    source and of the target through `camera`, empty where there is none.
    """

    swatches: Mapping[str, tuple[bytes, bytes]] = field(default_factory=dict)
    views: tuple[bytes, ...] = ()
    camera: str = ""


def page(data: dict[str, Any], shown_with: Gallery | None = None) -> str:
    """A record's data (from `durvan.record.build.record`) as HTML, with its pictures in it; every text of the scene is
    escaped.
    """
    full = data["rows"] <= _MOST_ROWS
    pictured = shown_with or Gallery()
    return _template().render(
        r=data, fates=[fate.word for fate in SHOWN], full=full, camera=pictured.camera,
        swatches={thing: tuple(map(inside, pair)) for thing, pair in pictured.swatches.items()},
        views=tuple(map(inside, pictured.views)),
    )  # fmt: skip


def inside(picture: bytes) -> str:
    """A picture as an address that holds all of it."""
    return "data:image/png;base64," + base64.b64encode(picture).decode("ascii")
