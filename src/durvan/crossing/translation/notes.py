"""Values that a person or a fit puts into the target, in place of what the rules gave."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from durvan.crossing.translation.choices import Note
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import By, Row
from durvan.dialects.pack import Pack
from durvan.dialects.said import Cause, Step, Why
from durvan.scene.fate import Fate
from durvan.scene.graph import same


def holds(note: Note, translation: Translation) -> bool:
    """Whether a note still means what it meant: what is fitted over other values than now no longer fits."""
    node = translation.graph.nodes.get(note.node)
    if node is None:
        return False
    return note.by is By.HAND or same(node.values.get(note.parameter), note.over, 1e-6, 1.0)


def write_in(translation: Translation, notes: list[Note], target: Pack) -> None:
    """Put notes into a translation's graph, and say so in its rows. Fits stand or fall together."""
    fits = [note for note in notes if note.by is By.FIT]
    good = all(holds(note, translation) for note in fits)
    # a hand's value goes over a fit's
    for note in ([*fits] if good else []) + [note for note in notes if note.by is By.HAND]:
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
        if note.by is By.HAND:
            node.links = {port: link for port, link in node.links.items() if port != note.parameter}
        _tell(translation, note, target)


def _tell(translation: Translation, note: Note, target: Pack) -> None:
    place = (note.node, note.parameter)
    why = (
        Why(Cause.HAND, "Set by hand.")
        if note.by is By.HAND
        else Why(
            Cause.FIT,
            f"Fitted on the lobes; the drift of the whole look goes from {note.before:.2f} to {note.after:.2f}.",
        )
    )
    found = [row for row in translation.rows if place in row.targets]
    for row in found:
        at = row.targets.index(place)
        values = list(row.target_values)
        values[at] = (note.value, values[at][1])
        row.target_values = tuple(values)
        row.by = note.by
        if note.by is By.FIT:
            row.drift = (note.before, note.after)
        if row.fate < Fate.LOST:
            row.fate = Fate.FITTED
            row.measure, row.measured = None, ""
            row.why = why
    if not found:
        node = translation.graph.nodes[note.node]
        kind = target.type(node.kind)
        unit = kind.parameters[note.parameter].unit if kind is not None else ""
        family = kind.family_of(note.parameter) if kind is not None else "base"
        translation.rows.append(
            Row(
                translation.thing, "", note.parameter, family, None, "", False, Fate.ADDED, why, (Step(f"by {note.by}"),),
                targets=(place,), target_values=((note.value, unit),), by=note.by,
                drift=(note.before, note.after) if note.by is By.FIT else None,
            )
        )  # fmt: skip


def copied(notes: Iterable[Note], source: Translation, others: Iterable[Translation]) -> tuple[Note, ...]:
    """A hand's values of one target for others that are built like it: into the surface that takes the place of its surface, and into
    nodes of the same name and kind; where that parameter is a number there as well.
    """
    out = []
    for other in others:
        for note in notes:
            node = _counterpart(note.node, source, other)
            if node is not None and note.by is By.HAND and note.parameter not in other.graph.nodes[node].links:
                out.append(note.model_copy(update={"thing": other.thing, "node": node}))
    return tuple(out)


def _counterpart(name: str, source: Translation, other: Translation) -> str | None:
    """The node of another target that plays the part of one; None where there is none of its kind."""
    surface, theirs = (one.graph.outputs.get("surface") for one in (source, other))
    there = theirs.node if surface is not None and theirs is not None and surface.node == name else name
    kind = source.graph.nodes[name].kind if name in source.graph.nodes else ""
    return there if there in other.graph.nodes and other.graph.nodes[there].kind == kind else None
