"""Findings about networks and about what the file itself holds: oddities of reading, and rows that were held or lost."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.translation.ledger import Row
from durvan.crossing.translation.plan import Plan
from durvan.dialects.pack import Pack
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Oddity, Scene

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
    "light-lists": (Level.LOOK, "A light with a list of what it lights", "where the target has no lists it lights everything", "Survey"),
    "invisible-light": (Level.NOTE, "A light that is hidden on the stage", "it may shine in the target all the same", "Survey"),
    "stray-shader": (Level.NOTE, "A shader outside any material", "nothing uses it", "Survey"),
    "composition": (Level.LOOK, "Part of the scene could not be composed", "what it should bring in is not there", "Survey"),
    "stage-unit": (Level.NOTE, "The unit of length is stored wrongly", "sizes depend on it", "Survey"),
}  # fmt: skip


def oddities(scene: Scene, carried: set[str]) -> Iterator[Finding]:
    """What the reader met, for the things in scope and for the file as a whole."""
    for odd in scene.oddities:
        known = _ODD.get(odd.code)
        if known is None or (odd.thing and odd.thing not in carried):
            continue
        level, title, consequence, station = known
        yield Finding(
            odd.code, level, title, f"{odd.detail[:400]}", consequence, odd.thing, odd.path, station,
            _evidence(odd, scene),
        )  # fmt: skip
    for thing in scene.of(Kind.MATERIAL):
        if thing.id in carried and thing.graph.order()[1]:
            name, port = thing.graph.order()[1][0]
            level, title, consequence, station = _ODD["cycle"]
            yield Finding(
                "cycle",
                level,
                title,
                f"{name}.{port} closes a circle.",
                consequence,
                thing.id,
                f"{name}.{port}",
                station,
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


def rows(plan: Plan, target: Pack) -> Iterator[Finding]:
    """Rows that were held or lost in a way that shows, a group for each reason."""
    for row in plan.ledger:
        if row.fate not in (Fate.HELD, Fate.LOST) or _found_already(row, plan, target):
            continue
        where = f"{row.node}.{row.parameter}"
        said = _short(where)
        evidence = (("rule", row.rule), ("value", "map" if row.linked else str(row.value)))
        if row.fate is Fate.HELD:
            yield Finding(
                "held", Level.LOOK, _sentence(row.reason), f"{said} is not decided",
                "it stays as the target has it until you decide", row.thing, where, "Facing", evidence,
            )  # fmt: skip
        elif "Nothing uses" in row.reason:
            yield Finding(
                "unused-node", Level.NOTE, "A node that nothing uses", f"{_short(row.node)} feeds nothing",
                "it is left behind", row.thing, row.node, "Facing",
            )  # fmt: skip
        elif "is not a parameter of" in row.reason:
            yield Finding(
                "unknown-value", Level.NOTE, "Values that their node type does not know", _short(row.reason),
                "they had no meaning before either", row.thing, where, "Facing", evidence,
            )  # fmt: skip
        else:
            quiet = row.family == "sampling" or (row.measure is not None and row.measure < 0.01)
            yield Finding(
                "lost", Level.NOTE if quiet else Level.LOOK, _sentence(row.reason),
                f"{said} has no equivalent in {target.title}", _effect(row), row.thing, where, "Facing", evidence,
            )  # fmt: skip


def _found_already(row: Row, plan: Plan, target: Pack) -> bool:
    """Whether a finding with a better sentence says the same: unknown nodes, portals, clips, reflections."""
    thing = plan.scene.things[row.thing]
    return (
        "no effect" in row.reason
        or "add-on" in row.reason
        or "No dialect" in row.reason
        or row.reason.startswith("What feeds it")
        or thing.prim_type == "PortalLight"
        or (thing.kind is Kind.CAMERA and row.reason == target.mapping.no_word_for.get("Camera.clip_near"))
        or "Reflection without Fresnel" in row.reason
    )


def _short(text: str) -> str:
    """A name that may be endless, fit to be read."""
    return text if len(text) <= 160 else f"{text[:120]}… ({len(text)} characters)"


def _sentence(reason: str) -> str:
    first = reason.split(". ")[0].rstrip(".")
    return first if len(first) <= 90 else f"{first[:87]}…"


def _effect(row: Row) -> str:
    if row.measure is None:
        return _EFFECTS.get(row.family, "it will be missing from the picture")
    return f"{amount(row.measure, row.measured)} {row.measured}"


def amount(measure: float, measured: str) -> str:
    """A measure as people read it: shares of light in percent, other numbers as they are."""
    if "of diffuse light" in measured or "of the highlight" in measured or "of light" in measured:
        return f"{100 * measure:.1f} %"
    return f"{measure:.3g}"
