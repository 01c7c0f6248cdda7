"""One crossing while it is worked on: the document with undo and redo, and the outcome that stands.

The session is owned by one thread. Work for other threads is a function of values (`work`); what it gives is taken in by
the owner (`take`), unless something later has been taken in meanwhile. Nothing here knows of any interface.
"""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from durvan.crossing.document import store
from durvan.crossing.document.bases import based
from durvan.crossing.document.changes import (
    Accept,
    Change,
    Choose,
    GiveTo,
    PutLinks,
    PutNote,
    PutNotes,
    Reopen,
    SetSettings,
    SetTrims,
    SwapNode,
    TakeNote,
    applied,
)
from durvan.crossing.document.document import Accepted, Document, Relink
from durvan.crossing.exchange.carry import Carried, carry
from durvan.crossing.exchange.intake import open_scene, stamps
from durvan.crossing.findings import Finding, Findings, Group, Level, Remedy
from durvan.crossing.job.outcome import Evidence, Outcome, work_out
from durvan.crossing.light.asking import Known as KnownLight
from durvan.crossing.light.asking import Wanted, stops_of, wanted
from durvan.crossing.light.match import match
from durvan.crossing.light.report import LightReport
from durvan.crossing.looks.keys import LookKey
from durvan.crossing.looks.recognition import recognise
from durvan.crossing.looks.trials import Effects
from durvan.crossing.outside.lookup import Outlook, folders_of, look
from durvan.crossing.outside.uses import PictureUse
from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES
from durvan.crossing.translation.choices import Note, SettingsSet, Swap, stands_for
from durvan.crossing.translation.formats import format_for
from durvan.crossing.translation.notes import copied
from durvan.crossing.translation.plan import Plan, plan_one
from durvan.crossing.translation.policies import KIND, Kinds
from durvan.crossing.translation.quick import quick
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.rows import By, Row
from durvan.dialects.registry import Registry
from durvan.engine.bodies import bodies as bodies_of
from durvan.engine.costs import Cost, cost_of, sources_of
from durvan.errors import CrossingFileError, MisuseError
from durvan.files import carried
from durvan.files import roots as root_files
from durvan.files.audit import Verdict
from durvan.files.facts import Stamp, checksum
from durvan.files.index import Shelf
from durvan.files.resolve import Known
from durvan.files.roots import Root
from durvan.formats.table import format_of, reader, write_endings
from durvan.progress import Report, Step, silent
from durvan.scene.bodies import Body
from durvan.scene.drift import Drift
from durvan.scene.graph import Value
from durvan.scene.model import FileState, Kind, Oddity, OutsideFile, Scene, Thing
from durvan.scene.probe import Probe
from durvan.scene.said import SOURCE, STAND_IN, Grade, Message
from durvan.scene.traits import KIND_WORDS, MaterialKind, Traits

_REMEMBERED_BYTES = 64_000_000  # of a larger file the checksum is not worth the wait when saving
_LOOKED_FOR_BY = ("links", "roots", "copies")  # what of a document says where files are looked for
Work = Callable[[Report], Outcome]


@dataclass(frozen=True)
class Command:
    """One step that can be undone."""

    name: str
    before: Document
    after: Document


@dataclass
class Session:
    """The state of a crossing. The outcome follows from the document; `renew` works it out again."""

    registry: Registry
    read: Scene
    document: Document
    file: Path | None = None
    outcome: Outcome | None = None
    evidence: Evidence = field(default_factory=Evidence)
    done: list[Command] = field(default_factory=list)
    undone: list[Command] = field(default_factory=list)
    carried: Carried | None = None
    user_roots: tuple[Root, ...] = ()
    shelf: Shelf = field(default_factory=Shelf)
    revision: int = 0
    read_sha: str = ""  # of the source's file, as it was read
    _saved: Document | None = None
    _carried_of: tuple[Document, Scene] | None = None  # what stood when it was carried
    _known: KnownLight = field(default_factory=KnownLight)
    _trimmed: tuple[LightReport, Plan, LightReport] | None = None  # what was measured, by which plan, with its trims
    _open: tuple[tuple[Accepted, ...], Findings, Findings] | None = None

    # what stands

    @property
    def now(self) -> Outcome:
        """The outcome that stands. Raises MisuseError before there is one."""
        if self.outcome is None:
            raise MisuseError("nothing has been worked out yet.")
        return self.outcome

    @property
    def scene(self) -> Scene:
        """The scene, with its files as they were when they were last looked at."""
        return self.outcome.scene if self.outcome is not None else self.read

    @property
    def plan(self) -> Plan:
        """The plan that stands."""
        return self.now.plan

    def snapshot(self) -> Session:
        """A crossing of the same, as it stands: what is done to the one does nothing to the other, so another thread may have it."""
        return Session(
            self.registry, self.read, self.document, self.file, self.outcome, self.evidence,
            user_roots=self.user_roots, revision=self.revision, read_sha=self.read_sha,
        )  # fmt: skip

    # doing and undoing

    def do(self, name: str, *changes: Change) -> None:
        """Change the document by a named, undoable command."""
        after = applied(self.document, changes)
        if after == self.document:
            return
        after = based(after, self.read)
        self.done.append(Command(name, self.document, after))
        self.undone.clear()
        self._put(after)

    def put_choices(self, name: str, update: Mapping[str, Any]) -> None:
        """Put other choices in the place of some, by a named, undoable command."""
        after = self.document.model_copy(update=dict(update))
        if "target" in update:
            after = self.document.to(update["target"]).model_copy(update=dict(update))
        if after != self.document:
            self.done.append(Command(name, self.document, after))
            self.undone.clear()
            self._put(after)

    def _put(self, document: Document) -> None:
        self.document = document
        self.revision += 1

    def undo(self) -> str:
        """Take the last command back; gives its name, empty when there is none."""
        if not self.done:
            return ""
        command = self.done.pop()
        self.undone.append(command)
        self._put(self._with_memory(command.before))
        return command.name

    def redo(self) -> str:
        """Do the last command again that was taken back; gives its name."""
        if not self.undone:
            return ""
        command = self.undone.pop()
        self.done.append(command)
        self._put(self._with_memory(command.after))
        return command.name

    def _with_memory(self, document: Document) -> Document:
        """A former document with what was learnt since: undoing forgets no file and no place."""
        names = ("remembered", "source", "source_sha256")
        return document.model_copy(update={name: getattr(self.document, name) for name in names})

    @property
    def changed(self) -> bool:
        """Whether there is something that is not saved."""
        return self.document != self._saved if self._saved is not None else bool(self.done)

    def apply(self, remedies: list[Remedy]) -> list[Remedy]:
        """Take remedies, all as one command; gives those that are requests, for whose work somebody has to see."""
        requests = [remedy for remedy in remedies if remedy.is_request]
        others = [remedy for remedy in remedies if not remedy.is_request]
        if others:
            name = others[0].all_label() if len(others) > 1 else others[0].label
            self.do(name, *(remedy.does for remedy in others))  # type: ignore[arg-type] # requests are apart
        return requests

    def put(self, thing: str, node: str, parameter: str, value: Value | None) -> None:
        """Put a value into the target by hand; None takes the hand's value away again. A value of the settings goes into the set
        that is in use.
        """
        chosen = self.settings_set
        if chosen is not None and thing in {one.id for one in self.scene.of(Kind.SETTINGS)}:
            place = (thing, node, parameter)
            notes = tuple(one for one in chosen.notes if (one.thing, one.node, one.parameter) != place)
            if value is not None:
                notes = (*notes, Note(thing=thing, node=node, parameter=parameter, value=value))
            self.do(f"Set {parameter} in “{chosen.name}”", SetSettings(name=chosen.name, notes=notes))
        elif value is None:
            self.do(f"Take {parameter} back", TakeNote(thing=thing, node=node, parameter=parameter))
        else:
            note = Note(thing=thing, node=node, parameter=parameter, value=value)
            self.do(f"Set {parameter}", PutNote(note=note))

    def copy_notes(self, thing: str, others: Iterable[str]) -> PutNotes | None:
        """The change that puts what a hand set on one thing into others; None where there is nothing that fits."""
        plan = self.plan
        notes = [note for note in self.document.notes if note.thing == thing and note.by is By.HAND]
        wanted = [plan.translations[name] for name in others if name in plan.translations and name != thing]
        found = copied(notes, plan.translations[thing], wanted) if notes else ()
        return PutNotes(notes=found) if found else None

    def by_hand(self, thing: str, node: str, parameter: str) -> bool:
        """Whether a hand put a value into a place of the target."""
        chosen = self.settings_set
        notes = (*self.document.notes, *(chosen.notes if chosen is not None else ()))
        place = (thing, node, parameter)
        return any((one.thing, one.node, one.parameter) == place and one.by is By.HAND for one in notes)

    def rewiring_back(self, thing: str, node: str, parameter: str) -> Change | None:
        """The change that takes back what a hand gave to a place of the target, or swapped there; None where it did neither."""
        for one in self.document.redirects:
            if (one.thing, one.to_node, one.to_parameter) == (thing, node, parameter):
                home = {"node": node, "parameter": parameter, "to_node": one.node, "to_parameter": one.parameter}
                return GiveTo(redirect=one.model_copy(update=home))
        if any((one.thing, one.node) == (thing, node) for one in self.document.swaps):
            return SwapNode(swap=Swap(thing=thing, node=node, kind=""))
        return None

    def would(self, thing: Thing, *changes: Change) -> Translation:
        """What would become of a thing by some changes; nothing is changed."""
        plan = self.plan
        return plan_one(plan.scene, self.registry, applied(self.document, changes), thing, plan.bodies, plan.traits)

    @property
    def settings_set(self) -> SettingsSet | None:
        """The set of values for the settings that is in use."""
        return next((one for one in self.document.sets if one.name == self.document.in_use), None)

    def quick_and_final(self) -> list[SetSettings]:
        """Two sets of settings to start from: as they are carried, and quick; the first is in use then."""
        target = self.registry.get(self.document.target)
        notes = [
            note
            for thing in self.scene.of(Kind.SETTINGS)
            if thing.id in self.plan.translations and (pack := self.registry.packs.get(thing.dialect)) is not None
            for note in quick(thing, pack, target, self.scene.metres_per_unit)
        ]
        return [SetSettings(name="quick", notes=tuple(notes)), SetSettings(name="final", notes=())]

    def accept(self, findings: list[Finding], reason: str) -> None:
        """Accept findings with a reason, all as one command."""
        if not reason.strip():
            raise MisuseError("a finding is accepted with a reason.")
        entries = tuple(Accepted(key=f.key, reason=reason.strip(), fingerprint=f.fingerprint) for f in findings)
        self.do("Accept", Accept(entries=entries))

    def reopen(self, findings: list[Finding]) -> None:
        """Take back that findings were accepted."""
        self.do("Reopen", Reopen(keys=tuple(finding.key for finding in findings)))

    def relink(self, links: Mapping[str, str], name: str = "") -> None:
        """Put other paths in the place of written ones, all as one command; an empty one takes a link away."""
        many = f"{len(links)} files" if len(links) != 1 else next(iter(links)).rsplit("/", 1)[-1]
        entries = tuple(Relink(written=written, to=to) for written, to in links.items())
        self.do(name or f"Relink {many}", PutLinks(links=entries))

    # what was found out

    def outlook(self) -> Outlook:
        """How this crossing looks for files: its own roots first, then the person's."""
        known = {entry.written: entry for entry in self.document.remembered}
        return Outlook((*self.document.roots, *self.user_roots), self.document.linked(), known, self.shelf)

    def _found(self, evidence: Evidence) -> None:
        self.evidence = evidence
        self.revision += 1

    def audited(self, verdicts: Mapping[Stamp, Verdict]) -> None:
        """Take in what pictures were found to be; `renew` raises what findings there are of it."""
        if verdicts:
            self._found(replace(self.evidence, verdicts={**self.evidence.verdicts, **verdicts}))

    def measured(self, drifts: Mapping[LookKey, Drift]) -> None:
        """Take in drifts that were measured; `renew` raises what findings there are of them."""
        if drifts:
            self._found(replace(self.evidence, drifts={**self.evidence.drifts, **drifts}))

    def heard(self, messages: Iterable[Message], by: str = "Mitsuba") -> None:
        """Take in what a renderer said, in place of what it said before; `renew` raises findings of it."""
        others = [one for one in self.evidence.messages if one.by != by]
        said = tuple(sorted((*others, *(replace(one, by=by) for one in messages))))
        if said != self.evidence.messages:
            self._found(replace(self.evidence, messages=said))

    def heard_of_sides(self, said: Mapping[str, Iterable[tuple[str, str, str]]]) -> None:
        """Take in what the stand-ins of both sides said, by side: grade, the name of the thing, words."""
        paths: dict[str, str] = {}
        for thing in self.scene.things.values():
            paths.setdefault(thing.name, thing.id)
        for side, messages in said.items():
            by = STAND_IN + (SOURCE + self.scene.dialect if side == "source" else self.document.target)
            self.heard([Message(Grade(grade), text, 1, by, paths.get(name, "")) for grade, name, text in messages], by)

    def tried(self, effects: Effects) -> None:
        """Take in what remedies were measured to do; nothing else follows from it."""
        self.evidence = replace(self.evidence, effects={**self.evidence.effects, **effects})

    def worn(self, bodies: Mapping[str, Body]) -> None:
        """Take in what wears each material; `renew` works out what follows."""
        if bodies != self.evidence.bodies:
            self._found(replace(self.evidence, bodies=bodies))

    def recognised(self, traits: Mapping[str, Traits]) -> None:
        """Take in what materials were recognised as; `renew` works out what follows."""
        if traits != self.evidence.traits:
            self._found(replace(self.evidence, traits=traits))

    def kind(self, thing: str) -> MaterialKind:
        """What a material is: as a person says, else as it was recognised."""
        return Kinds(self.document, self.evidence.traits).of(thing)

    def look_at_shapes(self, report: Report = silent, always: bool = False) -> None:
        """Read the shapes of the scene where something that is planned waits for them or for what materials are (or `always`), and
        work out what follows."""
        words = {word.strip() for word in self.document.scope.split(",")}
        by_kind = any(one.subject.startswith(KIND) for one in self.document.policies) or bool(words & KIND_WORDS)
        waits = by_kind or any(one.waits(WAITS_FOR_SHAPES) for one in self.plan.translations.values())
        if (waits or always) and not self.evidence.bodies:
            file = Path(self.scene.file)
            self.worn(bodies_of(reader(file).shapes(file, report)))
            self.renew(report)
        if by_kind and not self.evidence.traits:
            self.recognise(report)

    def recognise(self, report: Report = silent) -> None:
        """Find out what the materials are, and work out what follows."""
        report(Step("Looking at what materials are"))
        self.recognised(recognise(self.scene, self.registry, self.evidence.bodies))
        self.renew(report)

    def key_of(self, thing: Thing) -> LookKey:
        """What a drift of a carried material is kept by, as it stands."""
        return self.now.view.key(thing)

    def cost(self, row: Row) -> Cost | None:
        """What the pictures that a value was baked into cost, where they were painted already."""
        bakes = {bake.path: bake for bake in self.plan.translations[row.thing].bakes}
        sources = sources_of(self.scene)
        found = [
            cost_of(bakes[value], sources)
            for value, _ in row.target_values
            if isinstance(value, str) and value in bakes
        ]
        return next((one for one in found if one is not None), None)

    def drift(self, thing: str) -> Drift | None:
        """The drift of a material as it stands, where it is known."""
        if self.outcome is None or thing not in self.scene.things:
            return None
        return self.outcome.view.drift(self.scene.things[thing])

    def verdict(self, file: OutsideFile) -> Verdict | None:
        """What the pixels of a file say, where that is known."""
        return self.evidence.verdicts.get(file.stamp) if file.stamp is not None else None

    # the light

    @property
    def camera(self) -> str:
        """The camera that the crossing is looked at by: the one that was chosen, or the first; empty without any."""
        cameras = [thing.id for thing in self.scene.of(Kind.CAMERA)]
        return self.document.camera if self.document.camera in cameras else next(iter(cameras), "")

    def light_wanted(self, grid: bool = True) -> Wanted:
        """What has to be measured to know the light as it stands now."""
        return wanted(self.plan, self.registry, self.camera, self.picked, grid, self._known)

    @property
    def picked(self) -> tuple[Probe, ...]:
        """The probes that a person picked."""
        return tuple(Probe(one.name, one.place, one.normal) for one in self.document.probes)

    def lit(self, report: LightReport) -> None:
        """Take in what the lights give; `renew` raises what findings there are of it."""
        self._found(replace(self.evidence, light=report))

    @property
    def light(self) -> LightReport | None:
        """What the lights give, with the trims that stand; None where it has not been measured."""
        report = self.evidence.light
        if report is None or self.outcome is None:
            return None
        plan, kept = self.plan, self._trimmed
        if kept is None or kept[0] is not report or kept[1] is not plan:
            self._trimmed = kept = report, plan, report.trimmed(stops_of(plan))
        return kept[2]

    def matching(self, things: Iterable[str] = ()) -> SetTrims | None:
        """The trims that make the budget match, for some lights or all; None where nothing is known of the light."""
        report = self.light
        if report is None:
            return None
        own = {trim.subject: trim.stops for trim in self.document.trims}
        return SetTrims(trims=match(report, tuple(things), own, stands_for(self.document.added)))

    # what follows

    def work(self, afresh: bool = False) -> Work:
        """The work that comes to what stands next, for any thread: it depends on what is so now, and changes nothing.

        Files are looked up where the document says other things about them than before, or when `afresh`.
        """
        document, read, evidence, previous = self.document, self.read, self.evidence, self.outcome
        outlook, revision, registry = self.outlook(), self.revision, self.registry
        where = previous.document if previous is not None and previous.read is read else None
        stale = afresh or where is None or any(getattr(where, n) != getattr(document, n) for n in _LOOKED_FOR_BY)

        def run(report: Report = silent) -> Outcome:
            found = evidence
            if stale:
                before = evidence.disk if previous is not None and previous.read is read else None
                found = replace(evidence, disk=look(read, outlook, document.copies, before, report))
            return work_out(document, read, registry, found, previous, revision, report)

        return run

    def read_again(self) -> Callable[[Report], tuple[Scene, str] | None]:
        """The work that reads the source again, for any thread; None where nothing that it was read from has changed."""
        file, dialect, before, registry = Path(self.read.file), self.document.source_dialect, self.read, self.registry

        def run(report: Report = silent) -> tuple[Scene, str] | None:
            if stamps(before.stamps) == before.stamps:
                return None
            digest = checksum(str(file))
            return _opened(file, registry, dialect, report), digest

        return run

    def take_scene(self, scene: Scene, sha: str) -> None:
        """Let the source be what it is now; `renew` works out what follows. What was decided stays, and is told where it is about nothing, or
        about what is another thing."""
        self.read, self.read_sha = scene, sha
        self.evidence = replace(self.evidence, bodies={}, traits={}, light=None, effects={}, messages=())
        self.revision += 1

    def take(self, outcome: Outcome) -> bool:
        """Let an outcome stand; False when a later one stands already, and this one is of no use any more."""
        if self.outcome is not None and outcome.revision < self.outcome.revision:
            return False
        self.outcome = outcome
        self.evidence = replace(self.evidence, disk=outcome.evidence.disk)
        return True

    @property
    def behind(self) -> bool:
        """Whether the outcome that stands follows from something older than what is so now."""
        return self.outcome is None or self.outcome.revision < self.revision

    def renew(self, report: Report = silent, afresh: bool = False) -> None:
        """Work out what follows, here and now."""
        self.take(self.work(afresh)(report))

    # findings

    @property
    def findings(self) -> list[Finding]:
        """All findings, worst first."""
        return list(self.now.findings)

    def accepted(self, finding: Finding) -> str:
        """Why a finding was accepted; empty when it is open, also because its evidence has changed since."""
        for entry in self.document.accepted:
            if entry.key == finding.key and finding.agreed(entry.fingerprint):
                return entry.reason
        return ""

    @property
    def open(self) -> Findings:
        """Findings that are neither settled nor accepted, as the document has it now."""
        accepted, findings = self.document.accepted, self.now.findings
        if self._open is None or self._open[0] is not accepted or self._open[1] is not findings:
            agreed = {entry.key: entry.fingerprint for entry in accepted}
            self._open = (accepted, findings, findings.without(agreed))
        return self._open[2]

    def open_findings(self) -> list[Finding]:
        """Findings that are neither settled nor accepted."""
        return list(self.open)

    def open_groups(self) -> list[Group]:
        """Open findings by kind, worst first."""
        return self.open.groups

    def open_at(self, station: str) -> int:
        """How many open findings one station is about."""
        return self.open.by_station[station]

    def stops(self) -> list[Finding]:
        """Open findings that forbid delivery."""
        groups = [group for group in self.open.groups if group.level is Level.STOP]
        return [finding for group in groups for finding in group.findings if finding.level is Level.STOP]

    def used(self, file: OutsideFile) -> list[PictureUse]:
        """Every use of a picture."""
        return [
            use
            for name in dict.fromkeys(user[0] for user in file.users)
            for use in self.now.uses.get(name, ())
            if use.written == file.written
        ]

    # files

    def carry(self, out: Path, report: Report = silent) -> Carried:
        """Write the target's file."""
        self.write_as(out)
        if self.behind:
            self.renew(report)
        self.look_at_shapes(report)
        document = self.document
        self.carried = carry(self.plan, self.registry, out, report)
        self._carried_of = document, self.read
        carried.remember(out, folders_of(self.read))
        return self.carried

    @property
    def is_carried(self) -> bool:
        """Whether what was carried last is what stands now."""
        if self._carried_of is None:
            return False
        document, read = self._carried_of
        return read is self.read and self._with_memory(document) == self.document

    def write_as(self, out: Path) -> None:
        """Have the target in the format of a file; an undoable command where that is another one than it was."""
        wanted = format_of(out).name
        pack = self.registry.get(self.document.target)
        if out.suffix.lower() in write_endings() and format_for(self.read, pack, self.document).name != wanted:
            self.put_choices(f"Write as {wanted}", {"written_as": wanted})

    def _remembered(self) -> tuple[Known, ...]:
        """What is known of the files that are there, and of those that are not any more."""
        now = {entry.written: entry for entry in self.document.remembered}
        for file in self.scene.pictures.values():
            if file.state is FileState.IN_PLACE and file.size and not file.members:
                old = now.get(file.written)
                digest = checksum(file.first) if file.size <= _REMEMBERED_BYTES else old.sha256 if old else ""
                now[file.written] = Known(file.written, file.size, file.width, file.height, digest)
        return tuple(now.values())

    def save(self, file: Path) -> None:
        """Save the crossing."""
        source = Path(self.read.file).absolute()
        written = Path(os.path.relpath(source, file.absolute().parent)).as_posix()
        learnt = {
            "source": written,
            "remembered": self._remembered(),
            "source_sha256": self.read_sha or self.document.source_sha256,
        }
        self.document = self.document.model_copy(update=learnt)
        store.save(self.document, file)
        self.file = file
        self._saved = self.document


def start(
    file: Path, registry: Registry, target: str = "", source: str = "", scope: str = "", placement: str = "",
    report: Report = silent, roots: Iterable[Root] = (), aspect: float = 0.0,
) -> Session:  # fmt: skip
    """Open a scene, or a saved crossing, and work out its plan; for pictures of an `aspect` (width over height), where that is not the scene's.

    What is left empty is as it was saved; of a scene it is everything, beside the original, to the first dialect that
    is not its own. `roots` are looked in for this time only, after the crossing's and before the person's own. Raises the
    errors of opening and planning.
    """
    wanted = {
        "target": registry.get(target).name if target else "", "source_dialect": source, "scope": scope,
        "placement": placement,
    }  # fmt: skip
    choice = Choose.model_validate({name: value for name, value in wanted.items() if value})
    if file.suffix == store.ENDING:
        session = _resumed(file, registry, choice, report)
    else:
        scene = _opened(file, registry, source, report)
        scene = framed(scene, aspect) if aspect > 0.0 else scene
        digest = checksum(str(file))
        bare = Document(source=str(file), source_sha256=digest, target=default_target(scene, registry))
        session = Session(registry, scene, choice.apply(bare), read_sha=digest)
    session.user_roots = (*roots, *root_files.of_user())
    session.renew(report)
    return session


def framed(scene: Scene, aspect: float) -> Scene:
    """A scene whose cameras are carried for pictures of an aspect."""
    cameras = {
        thing.id: replace(thing, context={**thing.context, "frame_aspect": aspect}) for thing in scene.of(Kind.CAMERA)
    }
    return replace(scene, things={**scene.things, **cameras})


def default_target(scene: Scene, registry: Registry) -> str:
    """The dialect that a scene is carried to until a person says another: the first that is not its own."""
    return next((name for name in registry.packs if name != scene.dialect), scene.dialect)


def _opened(file: Path, registry: Registry, source: str, report: Report) -> Scene:
    scene = open_scene(file, registry, source, report)
    scene.came_from = carried.folders_of(file)
    return scene


def _resumed(file: Path, registry: Registry, choice: Choose, report: Report) -> Session:
    document = store.load(file)
    source = document.source_path(file)
    if not source.is_file():
        raise CrossingFileError(
            f"its source is not at {source}.", file=file, inside="source", advice="Put it back there, or mend the path."
        )
    scene = _opened(source, registry, choice.source_dialect or document.source_dialect, report)
    digest = checksum(str(source))
    if document.source_sha256 and digest != document.source_sha256:
        detail = f"{source.name} is not what it was when {file.name} was saved"
        scene.oddities.append(Oddity("source-changed", "", "/", detail))
    session = Session(registry, scene, document, file, read_sha=digest)
    session._saved = document
    session.do("Open with other choices", choice)
    return session
