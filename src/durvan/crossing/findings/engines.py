"""Findings of what renderers said when they rendered a side of the crossing: a real one, and those that stand in for one."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.findings.view import View
from durvan.scene.said import SOURCE, STAND_IN, Grade, Message

CODES = ("renderer-said", "stand-in-said")


def said(view: View) -> Iterator[Finding]:
    """Every warning and error, once."""
    for message in view.messages:
        if message.by.startswith(STAND_IN):
            yield _of_stand_in(view, message)
        elif message.grade is not Grade.NOTE:
            yield _of_renderer(message)


def _of_renderer(message: Message) -> Finding:
    level = Level.STOP if message.grade is Grade.ERROR else Level.LOOK
    often = f", {message.count} times" if message.count > 1 else ""
    return Finding(
        "renderer-said", level, f"Something that {message.by} says", message.text[:400],
        "what it renders may not be what is meant", "", message.text[:60], "Light",
        (("it says", message.text[:200]), ("as", f"{message.grade.value}{often}")), topic=message.text[:80],
    )  # fmt: skip


def _of_stand_in(view: View, message: Message) -> Finding:
    """What such a renderer would say of the target is to be looked at; of the source it is told."""
    dialect = message.by.removeprefix(STAND_IN).removeprefix(SOURCE)
    pack = view.registry.packs.get(dialect)
    of_source = message.by.startswith(STAND_IN + SOURCE)
    level = Level.LOOK if message.grade is Grade.ERROR and not of_source else Level.NOTE
    who = f"{pack.title if pack is not None else dialect}'s stand-in"
    return Finding(
        "stand-in-said", level, f"Something that {who} says of the {'source' if of_source else 'target'}", message.text[:400],
        "the render may not be what is meant", message.thing, f"{message.by} {message.text[:60]}", "Proof",
        (("it says", message.text[:200]), ("as", message.grade.value)), topic=f"{message.by} {message.text[:60]}",
    )  # fmt: skip
