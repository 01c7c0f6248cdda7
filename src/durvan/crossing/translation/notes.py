"""Values that a person or a fit puts into the target, in place of what the rules gave."""

from __future__ import annotations

from dataclasses import dataclass, replace

from durvan.crossing.translation.ledger import Row
from durvan.crossing.translation.translate import Translation
from durvan.dialects.pack import Pack
from durvan.scene.fate import Fate
from durvan.scene.graph import Value

HAND, FIT = "hand", "fit"


@dataclass(frozen=True)
class TargetNote:
    """A value that stands in the target in place of what the rules gave: by hand, or by a fit.

    `over` is what the rules gave then: where they give something else now, a fit does not count any more.
    `before` and `after` are the drift of the whole look that a fit was kept for.
    """

    thing: str
    node: str
    parameter: str
    value: Value
    by: str = "hand"
    over: Value | None = None
    before: float = 0.0
    after: float = 0.0


def same(one: Value | None, two: Value | None) -> bool:
    """Whether two values are the same to six digits."""
    if isinstance(one, tuple) and isinstance(two, tuple):
        return len(one) == len(two) and all(same(a, b) for a, b in zip(one, two, strict=True))
    if isinstance(one, int | float) and isinstance(two, int | float) and not isinstance(one, bool):
        return abs(one - two) <= 1e-6 * max(1.0, abs(one), abs(two))
    return one == two


def holds(note: TargetNote, translation: Translation) -> bool:
    """Whether a note still means what it meant: what is fitted over other values than now no longer fits."""
    node = translation.graph.nodes.get(note.node)
    if node is None:
        return False
    return note.by == HAND or same(node.values.get(note.parameter), note.over)


def write_in(translation: Translation, notes: list[TargetNote], target: Pack) -> None:
    """Put notes into a translation's graph, and say so in its rows. Fits stand or fall together."""
    fits = [note for note in notes if note.by == FIT]
    good = all(holds(note, translation) for note in fits)
    # a hand's value goes over a fit's
    for note in ([*fits] if good else []) + [note for note in notes if note.by == HAND]:
        node = translation.graph.nodes.get(note.node)
        if node is None:
            continue
        kind = target.type(node.kind)
        parameter = kind.parameters.get(note.parameter) if kind is not None else None
        if parameter is None or parameter.wrong(note.value):
            continue
        values = {**node.values, note.parameter: note.value}
        translation.graph.nodes[note.node] = replace(node, values=values)
        node = translation.graph.nodes[note.node]
        if note.by == HAND:
            node.links = {port: link for port, link in node.links.items() if port != note.parameter}
        _tell(translation, note, target)


def _tell(translation: Translation, note: TargetNote, target: Pack) -> None:
    place = (note.node, note.parameter)
    said = (
        "Set by hand."
        if note.by == HAND
        else f"Fitted on the lobes; the drift of the whole look goes from {note.before:.2f} to {note.after:.2f}."
    )
    found = [row for row in translation.rows if place in row.targets]
    for row in found:
        at = row.targets.index(place)
        row.target_values[at] = (note.value, row.target_values[at][1])
        row.by = note.by
        row.formula = ""
        if note.by == FIT:
            row.drift = (note.before, note.after)
        if row.fate < Fate.LOST:
            row.fate = Fate.FITTED
            row.measure, row.measured = None, ""
            row.reason = said
    if not found:
        node = translation.graph.nodes[note.node]
        kind = target.type(node.kind)
        unit = kind.parameters[note.parameter].unit if kind is not None else ""
        family = kind.family_of(note.parameter) if kind is not None else "base"
        translation.rows.append(
            Row(
                translation.thing, "", note.parameter, family, None, "", False, Fate.ADDED, f"by {note.by}",
                reason=said, targets=[place], target_values=[(note.value, unit)], by=note.by,
                drift=(note.before, note.after) if note.by == FIT else None,
            )
        )  # fmt: skip
