"""Changes: what a person does to a crossing, as values. Each makes another document of one; none knows of a window.

A remedy holds a change, or a request: work of the core that ends in a change. To add a kind, write a class with a `tag` of
its own and put it into `Change`.
"""

from __future__ import annotations

from collections.abc import Iterable
from functools import reduce
from typing import Annotated, Literal

from pydantic import Field

from durvan.crossing.document.document import Accepted, Document, Relink
from durvan.crossing.translation.choices import Chosen, Note, Override, Placement, Reading, Turn
from durvan.crossing.translation.rows import By
from durvan.files.roots import Root


class SetValue(Chosen):
    """Put a value in the place of the source's."""

    tag: Literal["value"] = "value"
    entry: Override

    def apply(self, document: Document) -> Document:
        place = (self.entry.thing, self.entry.node, self.entry.parameter)
        kept = [v for v in document.values if (v.thing, v.node, v.parameter) != place]
        return document.model_copy(update={"values": (*kept, self.entry)})


class ReadAs(Chosen):
    """Read a node by another case."""

    tag: Literal["reading"] = "reading"
    entry: Reading

    def apply(self, document: Document) -> Document:
        place = (self.entry.thing, self.entry.node)
        kept = [r for r in document.readings if (r.thing, r.node) != place]
        return document.model_copy(update={"readings": (*kept, self.entry)})


class TurnGreen(Chosen):
    """Turn the green of a picture round."""

    tag: Literal["turn green"] = "turn green"
    entry: Turn

    def apply(self, document: Document) -> Document:
        if self.entry in document.turned:
            return document
        return document.model_copy(update={"turned": (*document.turned, self.entry)})


class PutLinks(Chosen):
    """Put other paths in the place of written ones; an empty one, or the written one itself, takes a link away."""

    tag: Literal["links"] = "links"
    links: tuple[Relink, ...]

    def apply(self, document: Document) -> Document:
        links = {**document.linked(), **{link.written: link.to for link in self.links}}
        kept = tuple(Relink(written=written, to=to) for written, to in links.items() if to and to != written)
        return document.model_copy(update={"links": kept})


class SetRoots(Chosen):
    """Put other roots in the place of the crossing's."""

    tag: Literal["roots"] = "roots"
    roots: tuple[Root, ...]

    def apply(self, document: Document) -> Document:
        return document.model_copy(update={"roots": self.roots})


class AllowFolder(Chosen):
    """Look in a folder, and in none below it."""

    tag: Literal["allow"] = "allow"
    folder: str

    def apply(self, document: Document) -> Document:
        root = Root(self.folder, deep=False)
        if root in document.roots:
            return document
        return document.model_copy(update={"roots": (*document.roots, root)})


class LeaveOut(Chosen):
    """Leave a thing behind."""

    tag: Literal["leave out"] = "leave out"
    thing: str

    def apply(self, document: Document) -> Document:
        if self.thing in document.left_out:
            return document
        return document.model_copy(update={"left_out": (*document.left_out, self.thing)})


class PutNote(Chosen):
    """Put a value into the target by hand."""

    tag: Literal["note"] = "note"
    note: Note

    def apply(self, document: Document) -> Document:
        taken = TakeNote(thing=self.note.thing, node=self.note.node, parameter=self.note.parameter).apply(document)
        return taken.model_copy(update={"notes": (*taken.notes, self.note)})


class TakeNote(Chosen):
    """Take a value by hand away again."""

    tag: Literal["take note"] = "take note"
    thing: str
    node: str
    parameter: str

    def apply(self, document: Document) -> Document:
        place = (self.thing, self.node, self.parameter, By.HAND)
        kept = tuple(n for n in document.notes if (n.thing, n.node, n.parameter, n.by) != place)
        return document.model_copy(update={"notes": kept})


class PutFits(Chosen):
    """Put fitted values into the target, in place of former fits of the same things."""

    tag: Literal["fits"] = "fits"
    notes: tuple[Note, ...]

    def apply(self, document: Document) -> Document:
        things = {note.thing for note in self.notes}
        kept = [n for n in document.notes if n.by != By.FIT or n.thing not in things]
        return document.model_copy(update={"notes": (*kept, *self.notes)})


class TakeFit(Chosen):
    """Take the fit of a thing away again."""

    tag: Literal["take fit"] = "take fit"
    thing: str

    def apply(self, document: Document) -> Document:
        kept = tuple(n for n in document.notes if (n.thing, n.by) != (self.thing, By.FIT))
        return document.model_copy(update={"notes": kept})


class Accept(Chosen):
    """Accept findings with a reason."""

    tag: Literal["accept"] = "accept"
    entries: tuple[Accepted, ...]

    def apply(self, document: Document) -> Document:
        kept = {**{a.key: a for a in document.accepted}, **{a.key: a for a in self.entries}}
        return document.model_copy(update={"accepted": tuple(kept.values())})


class Reopen(Chosen):
    """Take back that findings were accepted."""

    tag: Literal["reopen"] = "reopen"
    keys: tuple[str, ...]

    def apply(self, document: Document) -> Document:
        kept = tuple(a for a in document.accepted if a.key not in self.keys)
        return document.model_copy(update={"accepted": kept})


class Choose(Chosen):
    """Choose what the whole crossing goes by; what is None stays."""

    tag: Literal["choose"] = "choose"
    target: str | None = None
    scope: str | None = None
    placement: Placement | None = None
    source_dialect: str | None = None
    copies: str | None = None
    drift_limit: float | None = Field(default=None, ge=0.0, le=100.0, allow_inf_nan=False)

    def apply(self, document: Document) -> Document:
        said = self.model_dump(exclude={"tag"}, exclude_none=True)
        return document.model_copy(update=said)


Change = Annotated[
    SetValue | ReadAs | TurnGreen | PutLinks | SetRoots | AllowFolder | LeaveOut | PutNote | TakeNote | PutFits | TakeFit
    | Accept | Reopen | Choose,
    Field(discriminator="tag"),
]  # fmt: skip


class Fit(Chosen):
    """A request: move a thing's values in the target until it looks like the source's; ends in `PutFits`."""

    tag: Literal["fit"] = "fit"
    thing: str


Request = Fit


def applied(document: Document, changes: Iterable[Change]) -> Document:
    """A document after some changes, one after the other."""
    return reduce(lambda one, change: change.apply(one), changes, document)
