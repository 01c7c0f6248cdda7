"""What a finding is, and how equal ones are grouped."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from dataclasses import dataclass, field
from enum import IntEnum


class Level(IntEnum):
    """How much a finding matters."""

    STOP = 0
    LOOK = 1
    NOTE = 2

    @property
    def word(self) -> str:
        """As people read it."""
        return self.name.lower()


@dataclass(frozen=True, slots=True)
class Remedy:
    """An undoable action that settles a finding: a change to the choices of a crossing.

    `change` is ("value", thing, node, parameter, value), ("reading", thing, node, case), ("leave out", thing),
    ("fit", thing), ("link", written path, path in its place), ("allow", folder) or ("turn green", thing, node).
    `label` is for one, `all_label` for a whole group; `bulk` says whether a whole group may be settled at once.
    """

    label: str
    all_label: str
    change: tuple[str | float | bool, ...]
    bulk: bool = True


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that a person should know; `file` is the written path that it is about, if it is about one."""

    code: str
    level: Level
    title: str
    cause: str
    consequence: str
    thing: str
    path: str = ""
    station: str = "Survey"
    evidence: tuple[tuple[str, str], ...] = ()
    remedies: tuple[Remedy, ...] = ()
    file: str = ""

    @property
    def key(self) -> str:
        """The same over later runs, as long as it is about the same thing."""
        return f"{self.code}|{self.thing}|{self.path}"

    @property
    def fingerprint(self) -> str:
        """Changes when the evidence does."""
        text = "|".join(f"{name}={value}" for name, value in self.evidence) + self.cause
        return hashlib.sha256(text.encode()).hexdigest()[:16]


@dataclass(slots=True)
class Group:
    """Findings of one kind."""

    code: str
    level: Level
    title: str
    findings: list[Finding] = field(default_factory=list)

    @property
    def consequence(self) -> str:
        """What the first of them will do to the picture."""
        return self.findings[0].consequence


def grouped(findings: Iterable[Finding]) -> list[Group]:
    """Findings by code and title, worst first, then the largest group first."""
    groups: dict[tuple[str, str], Group] = {}
    for finding in findings:
        key = (finding.code, finding.title)
        if key not in groups:
            groups[key] = Group(finding.code, finding.level, finding.title)
        groups[key].findings.append(finding)
    return sorted(groups.values(), key=lambda group: (group.level, -len(group.findings), group.title))
