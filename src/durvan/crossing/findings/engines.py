"""Findings of what a real renderer said when it rendered a side of the crossing."""

from __future__ import annotations

from collections.abc import Iterator

from durvan.crossing.findings.model import Finding, Level
from durvan.crossing.findings.view import View
from durvan.scene.said import Grade

CODES = ("renderer-said",)


def said(view: View) -> Iterator[Finding]:
    """Every warning and error, once."""
    for message in view.messages:
        if message.grade is Grade.NOTE:
            continue
        level = Level.STOP if message.grade is Grade.ERROR else Level.LOOK
        often = f", {message.count} times" if message.count > 1 else ""
        yield Finding(
            "renderer-said", level, "Something that Mitsuba says", message.text[:400],
            "what it renders may not be what is meant", "", message.text[:60], "Light",
            (("it says", message.text[:200]), ("as", f"{message.grade.value}{often}")), topic=message.text[:80],
        )  # fmt: skip
