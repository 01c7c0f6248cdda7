"""Findings about lights."""

from __future__ import annotations

import re
from collections.abc import Iterator

from durvan.crossing.findings.model import Finding, Level, Remedy
from durvan.dialects.pack import Pack
from durvan.scene.model import Thing

_SETUP = re.compile(r"(?i)(^|[_\s-])(setup|temp|test|helper|preview|wip|blocking)([_\s-]|$|\d)|(?i:setup)")


def of(thing: Thing, target: Pack) -> Iterator[Finding]:
    """What is worth knowing of one light."""
    root = thing.root
    name = thing.name
    if thing.prim_type == "PortalLight" and not target.identity.abilities.get("portals", True):
        yield Finding(
            "portal", Level.NOTE, "A portal that is no longer needed",
            f"{name} guides the surroundings; {target.title} finds them by itself", "nothing changes but the noise",
            thing.id, "", "Survey", (("light", name),),
        )  # fmt: skip
    if _SETUP.search(name):
        on = "on" if root is None or root.values.get("on", True) else "off"
        remedy = Remedy("Leave it out", "Leave all out", ("leave out", thing.id))
        yield Finding(
            "setup-light", Level.LOOK, "A light that is there for setting up, by its name",
            f"{name} is {on}", "it may light what should stay dark", thing.id, "", "Survey", (("switched", on),), (remedy,),
        )  # fmt: skip


def none() -> Iterator[Finding]:
    """A scene without any light."""
    yield Finding(
        "no-light", Level.LOOK, "There is no light at all", "the scene holds no light", "the picture will be black", "",
        "", "Survey",
    )  # fmt: skip
