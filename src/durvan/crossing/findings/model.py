"""What a finding is, and how equal ones stand together."""

from __future__ import annotations

import hashlib
import re
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass, field
from enum import IntEnum
from functools import cached_property

from durvan.crossing.document.changes import Change, Request

COUNT = "{count}"
_NUMBERS = re.compile(r"\d+(?:[.,]\d+)*")


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
    """An undoable action that settles a finding: a change of the crossing, or a request whose work ends in one.

    `label` is for one, `for_all` for a whole group, with {count} for how many; `bulk` says whether a whole group may be
    settled at once.
    """

    label: str
    for_all: str
    does: Change | Request
    bulk: bool = True

    def all_label(self, count: int | None = None) -> str:
        """The label for a whole group, with or without how many there are."""
        return " ".join(self.for_all.replace(COUNT, "" if count is None else str(count)).split())

    @property
    def is_request(self) -> bool:
        """Whether work has to be done before there is a change."""
        return isinstance(self.does, Request)


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing that a person should know; `file` is the written path that it is about, if it is about one.

    Findings of one code and one `topic` stand together.
    """

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
    topic: str = ""

    @property
    def key(self) -> str:
        """The same over later runs, as long as it is about the same thing."""
        return f"{self.code}|{self.thing}|{self.path}"

    @property
    def fingerprint(self) -> str:
        """Changes when the evidence does, or a number in the cause; words may be put otherwise."""
        said = [value for _, value in self.evidence] + _NUMBERS.findall(self.cause)
        return hashlib.sha256("|".join(said).encode()).hexdigest()[:16]

    @property
    def worded(self) -> str:
        """The same as it was until version 7 of crossings, with every word."""
        text = "|".join(f"{name}={value}" for name, value in self.evidence) + self.cause
        return hashlib.sha256(text.encode()).hexdigest()[:16]

    def agreed(self, fingerprint: str | None) -> bool:
        """Whether it is what was accepted, by the fingerprint that it had then."""
        return fingerprint is not None and fingerprint in (self.fingerprint, self.worded)


def _place(finding: Finding) -> tuple[int, str, str]:
    return finding.level, finding.thing, finding.path


GroupKey = tuple[str, str]
PartKey = tuple[int, str]  # which rule, and about which thing ("" for the scene as a whole)


@dataclass(frozen=True)
class Group:
    """Findings of one code and topic, in the order of things and places."""

    code: str
    topic: str
    parts: Mapping[PartKey, tuple[Finding, ...]]

    @cached_property
    def findings(self) -> list[Finding]:
        """All of them, each once."""
        every = {(f.thing, f.path): f for part in self.parts.values() for f in part}
        return [every[place] for place in sorted(every)]

    @cached_property
    def first(self) -> Finding:
        """One that the group is told by: among the worst, the first."""
        return min(self._every(), key=_place)

    def _every(self) -> Iterator[Finding]:
        for part in self.parts.values():
            yield from part

    @property
    def key(self) -> GroupKey:
        """The same over later runs."""
        return self.code, self.topic

    @property
    def level(self) -> Level:
        """That of its worst."""
        return self.first.level

    @property
    def title(self) -> str:
        """What its findings are, in a few words."""
        return self.first.title

    @property
    def consequence(self) -> str:
        """What the first of them will do to the picture."""
        return self.first.consequence

    @cached_property
    def remedies(self) -> list[Remedy]:
        """What settles each of them that can be settled together with the others."""
        return [f.remedies[0] for f in self._every() if f.remedies and f.remedies[0].bulk]

    @cached_property
    def count(self) -> int:
        """How many there are."""
        return sum(len(part) for part in self.parts.values())

    def learn(self, old: Group, changed: list[PartKey]) -> None:
        """Take over what the group knew of itself before some of its parts changed, so far as it still holds."""
        first = old.__dict__.get("first")
        gone = [f for place in changed for f in old.parts.get(place, ())]
        come = [f for place in changed for f in self.parts.get(place, ())]
        if first is not None and all(f is not first for f in gone):
            self.__dict__["first"] = min([first, *come], key=_place)
        if "count" in old.__dict__:
            self.__dict__["count"] = old.count - len(gone) + len(come)

    def without(self, accepted: Mapping[str, str]) -> Group | None:
        """The group without findings that were accepted with the evidence that they have (fingerprints by key); None when
        nothing is left."""
        kept = {
            place: left
            for place, part in self.parts.items()
            if (left := tuple(f for f in part if not f.agreed(accepted.get(f.key))))
        }
        return Group(self.code, self.topic, kept) if kept else None


def _order(group: Group) -> tuple[int, int, str, str, str]:
    return group.level, -group.count, group.title, group.code, group.topic


@dataclass(frozen=True)
class Findings:
    """All findings of a crossing: by the rule and thing that they came from, and in groups.

    Never changed: `updated` gives another one, and shares what stays.
    """

    parts: Mapping[PartKey, tuple[Finding, ...]] = field(default_factory=dict)
    by_key: Mapping[GroupKey, Group] = field(default_factory=dict)

    def updated(self, fresh: Mapping[PartKey, tuple[Finding, ...]]) -> Findings:
        """With other findings in some parts; a part without any goes."""
        parts, opened = dict(self.parts), {}

        def part_of(key: GroupKey) -> dict[PartKey, tuple[Finding, ...]]:
            if key not in opened:
                opened[key] = dict(self.by_key[key].parts) if key in self.by_key else {}
            return opened[key]

        for place, found in fresh.items():
            for old in parts.pop(place, ()):
                part_of((old.code, old.topic)).pop(place, None)
            if not found:
                continue
            parts[place] = found
            by_group: dict[GroupKey, list[Finding]] = {}
            for one in found:
                by_group.setdefault((one.code, one.topic), []).append(one)
            for key, many in by_group.items():
                once = {(one.thing, one.path): one for one in reversed(many)}  # the first of those that are equal
                part_of(key)[place] = tuple(reversed(once.values()))
        groups = {key: group for key, group in self.by_key.items() if key not in opened}
        for key, inside in opened.items():
            if inside:
                groups[key] = Group(*key, inside)
                was = self.by_key.get(key)
                if was is not None:
                    groups[key].learn(was, [place for place in fresh if place in was.parts or place in inside])
        return Findings(parts, groups)

    @cached_property
    def groups(self) -> list[Group]:
        """Worst first, then the largest group first."""
        return sorted(self.by_key.values(), key=_order)

    def __iter__(self) -> Iterator[Finding]:
        for group in sorted(self.by_key.values(), key=lambda group: (group.level, group.code, group.topic)):
            yield from group.findings

    def __len__(self) -> int:
        return sum(group.count for group in self.by_key.values())

    @cached_property
    def by_station(self) -> Counter[str]:
        """How many there are about each station."""
        out: Counter[str] = Counter()
        for group in self.by_key.values():
            out[group.first.station] += group.count
        return out

    def without(self, accepted: Mapping[str, str]) -> Findings:
        """Without findings that were accepted with the evidence that they have (fingerprints by key)."""
        if not accepted:
            return self
        codes = {key.split("|", 1)[0] for key in accepted}
        groups: dict[GroupKey, Group] = {}
        for place, group in self.by_key.items():
            left = group.without(accepted) if group.code in codes else group
            if left is not None:
                groups[place] = left
        return Findings({}, groups)


def grouped(findings: Iterable[Finding]) -> list[Group]:
    """Some findings in groups, worst first."""
    inside: dict[GroupKey, list[Finding]] = {}
    for one in findings:
        inside.setdefault((one.code, one.topic), []).append(one)
    return sorted((Group(*key, {(0, ""): tuple(many)}) for key, many in inside.items()), key=_order)
