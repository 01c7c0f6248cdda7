"""All that was decided in a crossing, as one list: what each is about, and in which words people read it.

The lists of a document are walked here and nowhere else, so that what is told of decisions (one about nothing, one whose thing is another now,
the record) leaves none out.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any

from durvan.crossing.document.document import Document
from durvan.crossing.translation.choices import Choices, Chosen
from durvan.crossing.translation.rows import By
from durvan.identity import leaf


@dataclass(frozen=True)
class Decided:
    """One decision: the list that it stands in, its entry there, the path of the thing that it is about, and a node of it: of the
    source's network, or (`in_target`) of the target's. `words` say what was decided.
    """

    of: str
    entry: Any
    about: str
    words: str
    node: str = ""
    in_target: bool = False


@dataclass(frozen=True)
class _List:
    """One list of a document: the attribute that names the thing, that which names a node, and how an entry reads."""

    thing: str
    words: Callable[[Any], str]
    node: str = ""
    in_target: bool = False


def _number(value: object) -> str:
    if isinstance(value, tuple):
        return " ".join(f"{part:.4g}" for part in value)
    return f"{value:.4g}" if isinstance(value, float) else str(value)


def _note(entry: Any) -> str:
    place = f"{entry.node}.{entry.parameter}"
    if entry.by is By.FIT:
        return f"{place} is fitted, which took the drift from {entry.before:.2f} to {entry.after:.2f}"
    return f"{place} is set by hand, to {_number(entry.value)}"


_LISTS: Mapping[str, _List] = {
    "values": _List("thing", lambda e: f"{e.node}.{e.parameter} is taken for {_number(e.value)}", "node"),
    "readings": _List("thing", lambda e: f"{e.node} is read as {e.case}", "node"),
    "turned": _List("thing", lambda e: f"the green of {e.node} is turned round", "node"),
    "notes": _List("thing", _note, "node", True),
    "redirects": _List("thing", lambda e: f"what {e.parameter} had goes to {e.to_parameter}", "node", True),
    "swaps": _List("thing", lambda e: f"{e.node} gives way to {e.kind}", "node", True),
    "trims": _List("subject", lambda e: f"trimmed by {e.stops:+.2f} stops"),
    "tints": _List("subject", lambda e: f"forced to {e.kelvin:g} K" + (" where it is white" if e.only_white else "")),
    "advances": _List("thing", lambda e: f"moved forward by {e.metres:g} m"),
    "kinds": _List("thing", lambda e: f"it is said to be {e.kind.value}"),
    "policies": _List("subject", lambda e: f"{e.what}: {e.how}"),
    "merged": _List("thing", lambda e: f"{leaf(e.into)}, which is the same, is worn in its place"),
    "left_out": _List("", lambda e: "left behind"),
    "kept_off": _List("", lambda e: "kept, but switched off"),
    "let_shine": _List("", lambda e: "shines, whatever it is called"),
    "unseen": _List("", lambda e: "hidden from cameras"),
    "added": _List("instead_of", lambda e: f"the light {e.path} was added"),
}  # fmt: skip
OF_THINGS = tuple(name for name in _LISTS if name != "unseen")


def decisions(document: Choices) -> Iterator[Decided]:
    """Every decision that a document holds for the target that it has now, list by list."""
    for name, how in _LISTS.items():
        for entry in getattr(document, name):
            about = getattr(entry, how.thing) if how.thing else entry
            node = getattr(entry, how.node) if how.node else ""
            yield Decided(name, entry, about, how.words(entry), node, how.in_target)
    for chosen in document.sets:
        for note in chosen.notes:
            words = f"{note.parameter} is {_number(note.value)} in “{chosen.name}”"
            yield Decided("sets", note, note.thing, words, note.node, True)


def is_path(subject: str) -> bool:
    """Whether a decision is about one thing, and not about everything or all of a kind."""
    return subject.startswith("/")


def without(document: Document, gone: Callable[[Decided], bool]) -> Document:
    """A document without some decisions."""
    dropped: dict[str, list[Any]] = {}
    for one in decisions(document):
        if gone(one):
            dropped.setdefault(one.of, []).append(one.entry)
    update: dict[str, Any] = {
        name: tuple(entry for entry in getattr(document, name) if entry not in entries)
        for name, entries in dropped.items()
        if name != "sets"
    }
    if "sets" in dropped:
        update["sets"] = tuple(
            one.model_copy(update={"notes": tuple(note for note in one.notes if note not in dropped["sets"])})
            for one in document.sets
        )
    return document.model_copy(update=update)


def given_to(document: Document, old: str, new: str) -> Document:
    """A document in which all that was decided about one thing is about another one; what was decided about that one stays first."""

    def moved(how: _List, entry: Any) -> Any:
        if not how.thing:
            return new if entry == old else entry
        update = {name: new for name in (how.thing, "into") if getattr(entry, name, None) == old}
        return entry.model_copy(update=update) if update and isinstance(entry, Chosen) else entry

    update: dict[str, Any] = {}
    for name, how in _LISTS.items():
        before = getattr(document, name)
        after = tuple(dict.fromkeys(moved(how, entry) for entry in before))
        if after != before:
            update[name] = after
    sets = tuple(
        one.model_copy(
            update={"notes": tuple(n.model_copy(update={"thing": new}) if n.thing == old else n for n in one.notes)}
        )
        for one in document.sets
    )
    if sets != document.sets:
        update["sets"] = sets
    return document.model_copy(update=update)
