"""Findings about networks and about what the file itself holds: oddities of reading, and rows that were held or lost."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace

from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.findings.view import View
from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Oddity, Scene, Thing

# code → level, title, consequence, station
_ODD: dict[str, tuple[Level, str, str, str]] = {
    "unknown-node": (Level.STOP, "A node type from an add-on that is not here", "what it feeds falls back to a constant", "Facing"),
    "unknown-dialect": (Level.STOP, "A material in no dialect that is known", "it cannot be carried at all", "Survey"),
    "unknown-thing": (Level.LOOK, "A light or camera the dialect has no word for", "it stays behind", "Survey"),
    "cycle": (Level.STOP, "A network that feeds itself", "the link that closes the circle is cut", "Facing"),
    "dangling": (Level.LOOK, "A link that goes nowhere", "the value below the link is used", "Facing"),
    "many-links": (Level.NOTE, "Several links on one port", "only the first counts", "Facing"),
    "wrong-output": (Level.LOOK, "A link to an output that is not there", "the node's first output is read", "Facing"),
    "wrong-value": (Level.LOOK, "A value that cannot be one", "the default is used instead", "Facing"),
    "out-of-range": (Level.NOTE, "A value outside its range", "the target may clamp it", "Facing"),
    "no-surface": (Level.NOTE, "A material without a surface", "its objects will have no look", "Survey"),
    "unreadable-prim": (Level.LOOK, "Something in the scene that cannot be read", "it is carried as far as it could be", "Survey"),
    "source-changed": (Level.LOOK, "The source has changed since it was saved", "what was chosen may be about another scene", "Survey"),
    "tilted-dome": (Level.LOOK, "A dome that does not stand upright", "only its turn about the up axis is carried", "Survey"),
    "invisible-light": (Level.NOTE, "A light that is hidden on the stage", "it may shine in the target all the same", "Survey"),
    "stray-shader": (Level.NOTE, "A shader outside any material", "nothing uses it", "Survey"),
    "composition": (Level.LOOK, "Part of the scene could not be composed", "what it should bring in is not there", "Survey"),
    "include": (Level.LOOK, "A file that another one brings in", "what it should bring in is not there", "Survey"),
    "unused-nodes": (Level.NOTE, "Nodes that nothing uses", "they are not carried", "Facing"),
    "unknown-input": (Level.NOTE, "An input that the node does not have", "it is not carried", "Facing"),
    "colour-space": (Level.LOOK, "A colour space that is not known", "its colours are taken as they are", "Files"),
    "unknown-unit": (Level.LOOK, "A unit that a value cannot be in", "its numbers are taken as they are", "Facing"),
    "too-large": (Level.STOP, "More than is read", "the rest is left out", "Survey"),
    "variants": (Level.NOTE, "Variants of materials", "only the materials that are worn by default are carried", "Survey"),
    "animated": (Level.NOTE, "Something that moves", "it is carried as it stands at rest", "Survey"),
    "wrapped": (Level.LOOK, "Something around a surface that is not carried", "the surface is carried without it", "Facing"),
    "picture-turned": (Level.LOOK, "A picture on a light that does not stand upright", "it will stand upright", "Light"),
    "same-id": (Level.LOOK, "Several things by one name", "only one of them counts", "Survey"),
    "unknown-element": (Level.NOTE, "An element that is not known", "it is not carried", "Survey"),
    "stage-unit": (Level.NOTE, "The unit of length is stored wrongly", "sizes depend on it", "Survey"),
}  # fmt: skip


ODD_CODES = tuple(_ODD)
ROW_CODES = ("held", "lost", "unused-node", "unknown-value", "layers-merged")


def of_file(view: View) -> Iterator[Finding]:
    """What the reader met in the file as a whole."""
    for odd in view.oddities.get("", ()):
        if odd.code in _ODD:
            yield _odd(odd, view.scene)


def of_thing(view: View, thing: Thing) -> Iterator[Finding]:
    """What the reader met in one thing, and networks that feed themselves."""
    for odd in view.oddities.get(thing.id, ()):
        if odd.code in _ODD:
            yield _odd(odd, view.scene)
    closing = thing.graph.order()[1] if thing.kind is Kind.MATERIAL else []
    if closing:
        name, port = closing[0]
        said = f"{name}.{port} closes a circle."
        yield replace(_odd(Oddity("cycle", thing.id, f"{name}.{port}", said), view.scene), evidence=())


def _odd(odd: Oddity, scene: Scene) -> Finding:
    level, title, consequence, station = _ODD[odd.code]
    return Finding(
        odd.code, level, title, odd.detail[:400], consequence, odd.thing, odd.path, station, _evidence(odd, scene)
    )


def _evidence(odd: Oddity, scene: Scene) -> tuple[tuple[str, str], ...]:
    thing = scene.things.get(odd.thing)
    users = (
        ("1 object" if thing.used_by == 1 else f"{thing.used_by} objects")
        if thing is not None and thing.kind is Kind.MATERIAL
        else ""
    )
    rows = [("where", odd.path[:200]), ("what", odd.detail[:200])]
    return (*rows, ("used by", users)) if users else tuple(rows)


# What a loss does to the picture, by the family it is counted in.
_EFFECTS = {
    "reflection": "its highlight will differ", "transparency": "what is seen through it will differ",
    "procedurals": "the map will look plainer", "textures": "the map will look different",
    "lights": "the light will fall differently", "camera": "the frame may show more or less",
    "exposure": "the picture may be lighter or darker", "sampling": "noise and time will differ, the look will not",
    "relief": "the relief will look flatter", "glow": "the glow will look different",
}  # fmt: skip


# What is told by another finding already, or does nothing to the picture.
_TOLD = frozenset((Cause.IDLE, Cause.UNKNOWN_NODE, Cause.UNKNOWN_DIALECT, Cause.FEED))


def rows(view: View, thing: Thing) -> Iterator[Finding]:
    """Rows that were held or lost in a way that shows."""
    target = view.target
    every = view.translation(thing).rows
    yield from _merged(thing, target, every)
    for row in every:
        if row.fate not in (Fate.HELD, Fate.LOST) or row.why.cause in _TOLD or row.why.told_by:
            continue
        yield _row(row, target)


def _merged(thing: Thing, target: Pack, every: list[Row]) -> Iterator[Finding]:
    """A pile of more layers than the target takes."""
    said = list(dict.fromkeys(row.reason for row in every if row.why.cause is Cause.MERGED))
    if not said:
        return
    most = int(target.identity.abilities.get("layers", 1))
    takes = "one layer" if most == 1 else f"{most} layers"
    yield Finding(
        "layers-merged", Level.LOOK, "More layers than the target takes",
        f"{target.title} takes {takes} of {thing.name}; {len(said)} merged where it costs least",
        "where layers show through each other it will look different", thing.id, "", "Facing",
        tuple(("merged", one) for one in said[:6]),
    )  # fmt: skip


def _row(row: Row, target: Pack) -> Finding:
    where = f"{row.node}.{row.parameter}"
    said, topic = _short(where), row.why.topic or row.why.cause.value
    evidence = (("rule", row.rule), ("value", "map" if row.linked else str(row.value)))
    if row.fate is Fate.HELD:
        return Finding(
            "held", Level.LOOK, _sentence(row.reason), f"{said} is not decided",
            "it stays as the target has it until you decide", row.thing, where, "Facing", evidence, topic=topic,
        )  # fmt: skip
    if row.why.cause is Cause.UNUSED:
        return Finding(
            "unused-node", Level.NOTE, "A node that nothing uses", f"{_short(row.node)} feeds nothing",
            "it is left behind", row.thing, row.node, "Facing",
        )  # fmt: skip
    if row.why.cause is Cause.UNKNOWN_VALUE:
        return Finding(
            "unknown-value", Level.NOTE, "Values that their node type does not know", _short(row.reason),
            "they had no meaning before either", row.thing, where, "Facing", evidence,
        )  # fmt: skip
    quiet = row.family == "sampling" or (row.measure is not None and row.measure < 0.01)
    return Finding(
        "lost", Level.NOTE if quiet else Level.LOOK, _sentence(row.reason),
        f"{said} has no equivalent in {target.title}", _effect(row), row.thing, where, "Facing", evidence, topic=topic,
    )  # fmt: skip


def _short(text: str) -> str:
    """A name that may be endless, fit to be read."""
    return text if len(text) <= 160 else f"{text[:120]}… ({len(text)} characters)"


def _sentence(reason: str) -> str:
    first = reason.split(". ")[0].rstrip(".")
    return first if len(first) <= 90 else f"{first[:87]}…"


def _effect(row: Row) -> str:
    if row.measure is None:
        return _EFFECTS.get(row.family, "it will be missing from the picture")
    return remaining(row)


def remaining(row: Row) -> str:
    """What remains of a row, as people read it: parts of 1 in percent, other numbers as they are; empty without."""
    if row.measure is None:
        return ""
    number = f"{100 * row.measure:.1f} %" if row.share else f"{row.measure:.3g}"
    return f"{number} {row.measured}"
