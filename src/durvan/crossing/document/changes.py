"""Changes: what a person does to a crossing, as values. Each makes another document of one; none knows of a window.

A remedy holds a change, or a request: work of the core that ends in a change. To add a kind, write a class with a `tag` of
its own and put it into `Change`.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import reduce
from itertools import groupby
from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from durvan.crossing.document.decided import Decided, given_to, without
from durvan.crossing.document.document import Accepted, Document, PickedProbe, Pin, Relink
from durvan.crossing.translation.choices import (
    AddedLight,
    Advance,
    Chosen,
    KindSaid,
    Merged,
    Note,
    Override,
    Placement,
    Policy,
    PolicyMatter,
    Reading,
    Redirect,
    SettingsSet,
    SkyPlace,
    Swap,
    Tinting,
    Trim,
    Turn,
)
from durvan.crossing.translation.rows import By
from durvan.files.roots import Root
from durvan.scene.traits import MaterialKind

_NAMED = ("left_out", "kept_off", "let_shine")


class AtOnce(Chosen):
    """A change of which a remedy may make thousands: many are done as quickly as one."""

    def apply(self, document: Document) -> Document:
        return self.apply_all(document, [self])

    @staticmethod
    def apply_all(document: Document, many: Sequence[Any]) -> Document:
        """The document after many changes of this kind, one after the other."""
        raise NotImplementedError


class SetValue(AtOnce):
    """Put a value in the place of the source's."""

    tag: Literal["value"] = "value"
    entry: Override

    @staticmethod
    def apply_all(document: Document, many: Sequence[SetValue]) -> Document:
        entries = _latest((v.thing, v.node, v.parameter, v) for v in (*document.values, *(one.entry for one in many)))
        return document.model_copy(update={"values": entries})


class ReadAs(AtOnce):
    """Read a node by another case."""

    tag: Literal["reading"] = "reading"
    entry: Reading

    @staticmethod
    def apply_all(document: Document, many: Sequence[ReadAs]) -> Document:
        entries = _latest((r.thing, r.node, r) for r in (*document.readings, *(one.entry for one in many)))
        return document.model_copy(update={"readings": entries})


class TurnGreen(AtOnce):
    """Turn the green of a picture round."""

    tag: Literal["turn green"] = "turn green"
    entry: Turn

    @staticmethod
    def apply_all(document: Document, many: Sequence[TurnGreen]) -> Document:
        turned = dict.fromkeys((*document.turned, *(one.entry for one in many)))
        return document.model_copy(update={"turned": tuple(turned)})


class PutLinks(AtOnce):
    """Put other paths in the place of written ones; an empty one, or the written one itself, takes a link away."""

    tag: Literal["links"] = "links"
    links: tuple[Relink, ...]

    @staticmethod
    def apply_all(document: Document, many: Sequence[PutLinks]) -> Document:
        links = dict(document.linked())
        for one in many:
            for written, to in {link.written: link.to for link in one.links}.items():  # of one path the last one counts
                if to and to != written:
                    links[written] = to
                else:
                    links.pop(written, None)
        kept = tuple(Relink(written=written, to=to) for written, to in links.items())
        return document.model_copy(update={"links": kept})


class SetRoots(Chosen):
    """Put other roots in the place of the crossing's."""

    tag: Literal["roots"] = "roots"
    roots: tuple[Root, ...]

    def apply(self, document: Document) -> Document:
        return document.model_copy(update={"roots": self.roots})


class AllowFolder(AtOnce):
    """Look in a folder, and in none below it."""

    tag: Literal["allow"] = "allow"
    folder: str

    @staticmethod
    def apply_all(document: Document, many: Sequence[AllowFolder]) -> Document:
        roots = dict.fromkeys((*document.roots, *(Root(one.folder, deep=False) for one in many)))
        return document.model_copy(update={"roots": tuple(roots)})


class LeaveOut(AtOnce):
    """Leave a thing behind."""

    tag: Literal["leave out"] = "leave out"
    thing: str

    @staticmethod
    def apply_all(document: Document, many: Sequence[LeaveOut]) -> Document:
        left = dict.fromkeys((*document.left_out, *(one.thing for one in many)))
        return document.model_copy(update={"left_out": tuple(left)})


class Merge(AtOnce):
    """Have one material worn in the place of another one that is the same; an empty `into` takes that back."""

    tag: Literal["merge"] = "merge"
    thing: str
    into: str

    @staticmethod
    def apply_all(document: Document, many: Sequence[Merge]) -> Document:
        into = {one.thing: one.into for one in document.merged}
        for change in many:
            into.pop(change.thing, None)
            if change.into:
                into[change.thing] = change.into
        merged = tuple(Merged(thing=thing, into=other) for thing, other in into.items())
        return document.model_copy(update={"merged": merged})


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


class PutNotes(Chosen):
    """Put several values into targets by hand."""

    tag: Literal["notes"] = "notes"
    notes: tuple[Note, ...]

    def apply(self, document: Document) -> Document:
        places = {(note.thing, note.node, note.parameter) for note in self.notes}
        kept = tuple(n for n in document.notes if n.by is By.FIT or (n.thing, n.node, n.parameter) not in places)
        return document.model_copy(update={"notes": (*kept, *self.notes)})


class GiveTo(Chosen):
    """Give what the target has in one place to another parameter; back in its own place, it is as the rules have it. What was given
    somewhere already goes on from there.
    """

    tag: Literal["give to"] = "give to"
    redirect: Redirect

    def apply(self, document: Document) -> Document:
        one = self.redirect
        here = (one.thing, one.node, one.parameter)
        came = next((r for r in document.redirects if (r.thing, r.to_node, r.to_parameter) == here), None)
        if came is not None:
            one = one.model_copy(update={"node": came.node, "parameter": came.parameter})
        start = (one.thing, one.node, one.parameter)
        others = tuple(r for r in document.redirects if (r.thing, r.node, r.parameter) != start)
        home = start == (one.thing, one.to_node, one.to_parameter)
        return document.model_copy(update={"redirects": others if home else (*others, one)})


class SwapNode(Chosen):
    """Put a node of another type in the place of one of the target; an empty kind takes that back."""

    tag: Literal["swap"] = "swap"
    swap: Swap

    def apply(self, document: Document) -> Document:
        place = (self.swap.thing, self.swap.node)
        kept = tuple(one for one in document.swaps if (one.thing, one.node) != place)
        return document.model_copy(update={"swaps": (*kept, self.swap) if self.swap.kind else kept})


class Forget(Chosen):
    """Take back all that was chosen about one thing, so that it is carried as the rules have it."""

    tag: Literal["forget"] = "forget"
    thing: str

    def apply(self, document: Document) -> Document:
        def others(entries: tuple[Any, ...]) -> tuple[Any, ...]:
            return tuple(
                one for one in entries if self.thing not in (getattr(one, "thing", ""), getattr(one, "subject", ""))
            )

        names = (
            "values",
            "readings",
            "turned",
            "notes",
            "kinds",
            "policies",
            "merged",
            "trims",
            "tints",
            "advances",
            "redirects",
            "swaps",
        )
        kept = {name: others(getattr(document, name)) for name in names}
        left = {name: tuple(one for one in getattr(document, name) if one != self.thing) for name in _NAMED}
        return document.model_copy(update={**kept, **left})


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


class SetTrims(Chosen):
    """Put stops on lights of the target; 0 takes a trim away. Of one subject the last one counts."""

    tag: Literal["trims"] = "trims"
    trims: tuple[Trim, ...]

    def apply(self, document: Document) -> Document:
        kept = {trim.subject: trim for trim in (*document.trims, *self.trims)}
        return document.model_copy(update={"trims": tuple(trim for trim in kept.values() if trim.stops != 0.0)})


class SetTint(Chosen):
    """Force lights of the target to a colour, or (`tint` None) leave what was forced by `subject`."""

    tag: Literal["tint"] = "tint"
    subject: str
    tint: Tinting | None = None

    def apply(self, document: Document) -> Document:
        about = {self.subject} | ({self.tint.subject} if self.tint is not None else set())
        kept = tuple(one for one in document.tints if one.subject not in about)
        return document.model_copy(update={"tints": (*kept, self.tint) if self.tint is not None else kept})


class SetProbes(Chosen):
    """Put other probes in the place of those that were picked."""

    tag: Literal["probes"] = "probes"
    probes: tuple[PickedProbe, ...]

    def apply(self, document: Document) -> Document:
        return document.model_copy(update={"probes": self.probes})


class PutPin(AtOnce):
    """Put a note on a place of the picture, or another one in the place of that with its number."""

    tag: Literal["pin"] = "pin"
    pin: Pin

    @staticmethod
    def apply_all(document: Document, many: Sequence[PutPin]) -> Document:
        kept = {pin.number: pin for pin in (*document.pins, *(one.pin for one in many))}
        return document.model_copy(update={"pins": tuple(kept[number] for number in sorted(kept))})


class TakePin(Chosen):
    """Take a note away."""

    tag: Literal["take pin"] = "take pin"
    number: int

    def apply(self, document: Document) -> Document:
        return document.model_copy(update={"pins": tuple(pin for pin in document.pins if pin.number != self.number)})


class AddLight(AtOnce):
    """Put a light into the target that the source does not have, or several (`more`) that do one's work together."""

    tag: Literal["add light"] = "add light"
    light: AddedLight
    more: tuple[AddedLight, ...] = ()

    @staticmethod
    def apply_all(document: Document, many: Sequence[AddLight]) -> Document:
        fresh = (light for one in many for light in (one.light, *one.more))
        kept = {light.path: light for light in (*document.added, *fresh)}
        return document.model_copy(update={"added": tuple(kept.values())})


class TakeLight(Chosen):
    """Take an added light away again."""

    tag: Literal["take light"] = "take light"
    path: str

    def apply(self, document: Document) -> Document:
        return document.model_copy(update={"added": tuple(one for one in document.added if one.path != self.path)})


class KeepOff(AtOnce):
    """Carry a light, but switched off; or (`off` false) as it was, whatever it is called."""

    tag: Literal["keep off"] = "keep off"
    thing: str
    off: bool = True

    @staticmethod
    def apply_all(document: Document, many: Sequence[KeepOff]) -> Document:
        kept, shine = dict.fromkeys(document.kept_off), dict.fromkeys(document.let_shine)
        for one in many:
            to, of = (kept, shine) if one.off else (shine, kept)
            to[one.thing] = None
            of.pop(one.thing, None)
        return document.model_copy(update={"kept_off": tuple(kept), "let_shine": tuple(shine)})


class HideFromCameras(AtOnce):
    """Hide objects from the target's cameras; they light, shade and are mirrored as before. `hidden` false shows them again."""

    tag: Literal["hide"] = "hide"
    objects: tuple[str, ...]
    hidden: bool = True

    @staticmethod
    def apply_all(document: Document, many: Sequence[HideFromCameras]) -> Document:
        kept = dict.fromkeys(document.unseen)
        for one in many:
            for path in one.objects:
                if one.hidden:
                    kept[path] = None
                else:
                    kept.pop(path, None)
        return document.model_copy(update={"unseen": tuple(kept)})


class MoveForward(Chosen):
    """Move a camera of the target forward; of one camera the last one counts, and none takes it back."""

    tag: Literal["forward"] = "forward"
    thing: str
    advance: Advance | None = None

    def apply(self, document: Document) -> Document:
        about = {self.thing} | ({self.advance.thing} if self.advance is not None else set())
        kept = tuple(one for one in document.advances if one.thing not in about)
        return document.model_copy(update={"advances": (*kept, self.advance) if self.advance is not None else kept})


class SetSettings(Chosen):
    """Put a named set of values for the target's settings, or use one that there is; `notes` None leaves the set alone, and without a name none
    is used."""

    tag: Literal["settings set"] = "settings set"
    name: str = Field(max_length=60)
    notes: tuple[Note, ...] | None = None

    @model_validator(mode="after")
    def _named(self) -> SetSettings:
        if self.notes is not None and not self.name:
            raise ValueError("a set has a name")
        return self

    def apply(self, document: Document) -> Document:
        sets = {one.name: one for one in document.sets}
        if self.notes is not None:
            sets[self.name] = SettingsSet(name=self.name, notes=self.notes)
        return document.model_copy(update={"sets": tuple(sets.values()), "in_use": self.name})


class NameSettings(Chosen):
    """Give a named set of values another name."""

    tag: Literal["name settings"] = "name settings"
    name: str
    to: str = Field(min_length=1, max_length=60)

    def apply(self, document: Document) -> Document:
        if any(one.name == self.to for one in document.sets):
            return document
        sets = tuple(
            one.model_copy(update={"name": self.to}) if one.name == self.name else one for one in document.sets
        )
        in_use = self.to if document.in_use == self.name else document.in_use
        return document.model_copy(update={"sets": sets, "in_use": in_use})


class DropSettings(Chosen):
    """Take a named set of values away; none is in use where it was."""

    tag: Literal["drop settings"] = "drop settings"
    name: str

    def apply(self, document: Document) -> Document:
        kept = tuple(one for one in document.sets if one.name != self.name)
        in_use = "" if document.in_use == self.name else document.in_use
        return document.model_copy(update={"sets": kept, "in_use": in_use})


class OfferSun(Chosen):
    """Say from where suns are offered: azimuth and height in degrees, or None for where the strongest light stands."""

    tag: Literal["offer sun"] = "offer sun"
    place: SkyPlace | None = None

    def apply(self, document: Document) -> Document:
        return document.model_copy(update={"sun_from": self.place})


class SayKind(AtOnce):
    """Say what a material is; None lets what was recognised count again."""

    tag: Literal["kind"] = "kind"
    thing: str
    kind: MaterialKind | None

    @staticmethod
    def apply_all(document: Document, many: Sequence[SayKind]) -> Document:
        said = {one.thing: one for one in document.kinds}
        for change in many:
            said.pop(change.thing, None)
            if change.kind is not None:
                said[change.thing] = KindSaid(thing=change.thing, kind=change.kind)
        return document.model_copy(update={"kinds": tuple(said.values())})


class SetPolicy(Chosen):
    """Choose a way for everything, a kind or one thing; an empty one takes the choice away."""

    tag: Literal["policy"] = "policy"
    subject: str
    what: PolicyMatter
    how: str

    def apply(self, document: Document) -> Document:
        kept = tuple(p for p in document.policies if (p.what, p.subject) != (self.what, self.subject))
        if self.how:
            kept = (*kept, Policy(subject=self.subject, what=self.what, how=self.how))
        return document.model_copy(update={"policies": kept})


class Choose(Chosen):
    """Choose what the whole crossing goes by; what is None stays."""

    tag: Literal["choose"] = "choose"
    target: str | None = None
    scope: str | None = None
    placement: Placement | None = None
    source_dialect: str | None = None
    copies: str | None = None
    drift_limit: float | None = Field(default=None, ge=0.0, le=100.0, allow_inf_nan=False)
    light_limit: float | None = Field(default=None, ge=0.0, le=20.0, allow_inf_nan=False)
    camera: str | None = None
    kelvin: Literal["all", "white", "leave"] | None = None
    setup_names: tuple[str, ...] | None = None
    balanced: float | None = Field(default=None, ge=0.0, le=25000.0, allow_inf_nan=False)

    def apply(self, document: Document) -> Document:
        said = self.model_dump(exclude={"tag"}, exclude_none=True)
        return document.to(said.pop("target", document.target)).model_copy(update=said)


class Drop(AtOnce):
    """Take back all that was decided about a thing, or (with a node) about that node of it on a side."""

    tag: Literal["drop"] = "drop"
    thing: str
    node: str = ""
    in_target: bool = False

    @staticmethod
    def apply_all(document: Document, many: Sequence[Drop]) -> Document:
        gone = {(one.thing, one.node, one.in_target if one.node else False) for one in many}

        def is_gone(one: Decided) -> bool:
            return (one.about, "", False) in gone or (one.about, one.node, one.in_target) in gone

        return without(document, is_gone)


class GiveAll(Chosen):
    """Have all that was decided about a thing be about another one: it was renamed, or stands elsewhere."""

    tag: Literal["give all"] = "give all"
    thing: str
    to: str

    def apply(self, document: Document) -> Document:
        moved = given_to(document, self.thing, self.to)
        return moved.model_copy(
            update={"bases": tuple(one for one in moved.bases if one.thing not in (self.thing, self.to))}
        )


class KeepAll(AtOnce):
    """Let what was decided about a thing hold as it is now."""

    tag: Literal["keep all"] = "keep all"
    thing: str

    @staticmethod
    def apply_all(document: Document, many: Sequence[KeepAll]) -> Document:
        things = {one.thing for one in many}
        return document.model_copy(update={"bases": tuple(one for one in document.bases if one.thing not in things)})


Change = Annotated[
    SetValue | ReadAs | TurnGreen | PutLinks | SetRoots | AllowFolder | LeaveOut | PutNote | TakeNote | PutFits | TakeFit
    | Accept | Reopen | Choose | SetTrims | SetTint | SetProbes | PutPin | TakePin | AddLight | TakeLight | KeepOff | HideFromCameras | MoveForward | SetSettings
    | NameSettings | DropSettings | OfferSun | SayKind | SetPolicy | Merge | PutNotes | GiveTo | SwapNode | Forget | Drop | GiveAll | KeepAll,
    Field(discriminator="tag"),
]  # fmt: skip


class Fit(Chosen):
    """A request: move a thing's values in the target until it looks like the source's; ends in `PutFits`."""

    tag: Literal["fit"] = "fit"
    thing: str


class Match(Chosen):
    """A request: trim lights until the budget matches; ends in `SetTrims`. Empty is all of them."""

    tag: Literal["match"] = "match"
    things: tuple[str, ...] = ()


Request = Fit | Match


def applied(document: Document, changes: Iterable[Change]) -> Document:
    """A document after some changes, one after the other; those of a kind that stand together are done at once, as a
    remedy may settle thousands of findings."""
    for kind, alike in groupby(changes, type):
        many = list(alike)
        document = kind.apply_all(document, many) if issubclass(kind, AtOnce) else reduce(_then, many, document)
    return document


def _then(document: Document, change: Change) -> Document:
    return change.apply(document)


def _latest(placed: Iterable[tuple[Any, ...]]) -> tuple[Any, ...]:
    """Entries, each behind the place that it is about: the last of each place, in the order in which those were put."""
    out: dict[tuple[Any, ...], Any] = {}
    for *place, entry in placed:
        out.pop(tuple(place), None)
        out[tuple(place)] = entry
    return tuple(out.values())
