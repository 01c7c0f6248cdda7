"""Which format of file a target is written in, and what becomes of what that cannot hold."""

from __future__ import annotations

from pathlib import Path

from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Why
from durvan.formats.table import Format, format_of, named
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph
from durvan.scene.model import Kind, Scene, Thing

_MANY = {Kind.MATERIAL: "materials", Kind.LIGHT: "lights", Kind.CAMERA: "cameras", Kind.SETTINGS: "settings"}


def format_for(scene: Scene, target: Pack, choices: Choices) -> Format:
    """The format that a target is written in: as it was chosen; else the dialect's first where that is its own, or where the source's
    cannot hold its words; else the source's. Raises MisuseError for a format that is none.
    """
    if choices.written_as:
        return named(choices.written_as)
    source, home = format_of(Path(scene.file)), named(target.identity.formats[0])
    return source if home.any_words and holds_words(source, target) else home


def holds_words(wanted: Format, pack: Pack) -> bool:
    """Whether a format can hold a dialect's words."""
    return wanted.any_words or wanted.name in pack.identity.formats


def has_backs(pack: Pack, wanted: Format) -> bool:
    """Whether a material can have another back: by the dialect's words, or by the format that they stand in, which its pack names."""
    said = pack.identity.abilities.get("two_sided", False)
    return said == wanted.name if isinstance(said, str) else bool(said)


def why_left(kind: Kind, wanted: Format) -> str:
    """Why things of a kind stay behind in a format; empty where it holds them."""
    if kind in wanted.holds:
        return ""
    held = " and ".join(_MANY[one] for one in Kind if one in wanted.holds)
    return f"A {wanted.name} file holds {held} alone."


def left_behind(thing: Thing, source: Pack | None, target: Pack, why: str) -> Translation:
    """A thing that the target's file cannot hold: every value of it is lost, and says so."""
    reason = Why(Cause.NO_WORD, why, "format")
    rows = [
        Row(
            thing.id, node.id, port, kind.family_of(port) if kind is not None else "geometry", node.values.get(port), "",
            port in node.links, Fate.LOST, reason,
        )
        for node in thing.graph.nodes.values()
        for kind in (source.type(node.kind) if source is not None else None,)
        for port in node.ports()
    ]  # fmt: skip
    if not rows:
        rows = [Row(thing.id, "", thing.kind.value, "geometry", thing.name, "", False, Fate.LOST, reason)]
    return Translation(thing.id, thing.dialect, target.name, Graph(), rows)
