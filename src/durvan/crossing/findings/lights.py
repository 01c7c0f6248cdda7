"""Findings about lights."""

from __future__ import annotations

import re
from collections.abc import Iterator

from durvan.crossing.document.changes import LeaveOut
from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.crossing.findings.view import View
from durvan.scene.model import Kind, Thing

_SETUP = re.compile(r"(?i)(^|[_\s-])(setup|temp|test|helper|preview|wip|blocking)([_\s-]|$|\d)|(?i:setup)")


def setup(view: View, thing: Thing) -> Iterator[Finding]:
    """A light that is there for setting up, by its name."""
    if thing.kind is not Kind.LIGHT or not _SETUP.search(thing.name):
        return
    on = "on" if _shines(view, thing) else "off"
    remedy = Remedy("Leave it out", "Leave all {count} out", LeaveOut(thing=thing.id))
    yield Finding(
        "setup-light", Level.LOOK, "A light that is there for setting up, by its name", f"{thing.name} is {on}",
        "it may light what should stay dark", thing.id, "", "Survey", (("switched", on),), (remedy,),
    )  # fmt: skip


def _shines(view: View, thing: Thing) -> bool:
    """Whether a light is switched on, by what its dialect calls its switch; one without a switch is."""
    pack, root = view.source(thing), thing.root
    name = pack.playing(root.kind, "switch") if pack is not None and root is not None else None
    if pack is None or root is None or name is None:
        return True
    parameter = pack.parameter(root.kind, name)
    return bool(root.values.get(name, parameter.default if parameter is not None else True))


def none(view: View) -> Iterator[Finding]:
    """A scene without any light."""
    things = view.scene.things.values()
    if things and not any(thing.kind is Kind.LIGHT for thing in things):
        yield Finding(
            "no-light", Level.LOOK, "There is no light at all", "the scene holds no light", "the picture will be black",
            "", "", "Survey",
        )  # fmt: skip
