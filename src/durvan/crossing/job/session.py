"""One crossing while it is worked on: the scene, the choices with undo and redo, the plan, the findings.

Commands are data: a name and the document before and after. Nothing here knows of any interface.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from itertools import takewhile
from pathlib import Path
from typing import TypeVar

from pydantic import BaseModel

from durvan.crossing.exchange.carry import Carried, carry
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.findings import Finding, Group, Level, Remedy, decoding, grouped, look_over
from durvan.crossing.findings.looks import drifted
from durvan.crossing.job import document as files
from durvan.crossing.job.document import Accepted, Document, Note, Override, Place, Reading, Relink, Remembered, Turn
from durvan.crossing.outside.lookup import Outlook, settle
from durvan.crossing.outside.uses import PictureUse, uses_of
from durvan.crossing.translation.plan import Plan, plan
from durvan.dialects.registry import Registry
from durvan.errors import CrossingFileError, MisuseError
from durvan.files import roots as root_files
from durvan.files.audit import Verdict
from durvan.files.facts import checksum as file_checksum
from durvan.files.index import Shelf
from durvan.files.resolve import Known
from durvan.files.roots import Root
from durvan.progress import Report, Step, silent
from durvan.scene.drift import Drift
from durvan.scene.graph import Value
from durvan.scene.model import FileState, Oddity, OutsideFile, Scene

_REMEMBERED_BYTES = 64_000_000  # of a larger file the checksum is not worth the wait when saving
Entry = TypeVar("Entry", bound=BaseModel)


@dataclass(frozen=True)
class Command:
    """One step that can be undone."""

    name: str
    before: Document
    after: Document


@dataclass
class Session:
    """The state of a crossing. `plan` and `findings` follow from the document; `renew` works them out again."""

    registry: Registry
    scene: Scene
    document: Document
    file: Path | None = None
    plan: Plan | None = None
    findings: list[Finding] = field(default_factory=list)
    groups: list[Group] = field(default_factory=list)
    by_station: dict[str, int] = field(default_factory=dict)
    done: list[Command] = field(default_factory=list)
    undone: list[Command] = field(default_factory=list)
    carried: Carried | None = None
    drifts: dict[str, Drift] = field(default_factory=dict)
    user_roots: tuple[Root, ...] = ()
    shelf: Shelf = field(default_factory=Shelf)
    verdicts: dict[str, Verdict] = field(default_factory=dict)
    uses: dict[str, list[PictureUse]] = field(default_factory=dict)
    _saved: Document | None = None
    _reasons: tuple[list[Accepted], dict[tuple[str, str], str]] = field(default_factory=lambda: ([], {}))

    # doing and undoing

    def do(self, name: str, **changes: object) -> None:
        """Change the document by a named, undoable command."""
        after = self.document.model_copy(update=changes)
        if after == self.document:
            return
        self.done.append(Command(name, self.document, after))
        self.undone.clear()
        self.document = after

    def undo(self) -> str:
        """Take the last command back; gives its name, empty when there is none."""
        if not self.done:
            return ""
        command = self.done.pop()
        self.undone.append(command)
        self.document = self._with_memory(command.before)
        return command.name

    def redo(self) -> str:
        """Do the last command again that was taken back; gives its name."""
        if not self.undone:
            return ""
        command = self.undone.pop()
        self.done.append(command)
        self.document = self._with_memory(command.after)
        return command.name

    def _with_memory(self, document: Document) -> Document:
        """A former document with what was learnt since: undoing forgets no file and no place."""
        return document.model_copy(update={"remembered": self.document.remembered, "source": self.document.source})

    @property
    def changed(self) -> bool:
        """Whether there is something that is not saved."""
        return self.document != self._saved if self._saved is not None else bool(self.done)

    def apply(self, remedies: list[Remedy]) -> None:
        """Take remedies, all as one command. A fit is no change of its own: it is worked out first, then `put_fits`."""
        values = {(v.thing, v.node, v.parameter): v for v in self.document.values}
        readings = {(r.thing, r.node): r for r in self.document.readings}
        left_out, links = list(self.document.left_out), self.links()
        turned, roots = list(self.document.turned), list(self.document.roots)
        for remedy in remedies:
            kind, thing, *rest = remedy.change
            if kind == "value":
                node, parameter, value = rest
                values[str(thing), str(node), str(parameter)] = Override(
                    thing=str(thing), node=str(node), parameter=str(parameter), value=value
                )
            elif kind == "reading":
                node, case = rest
                readings[str(thing), str(node)] = Reading(thing=str(thing), node=str(node), case=str(case))
            elif kind == "turn green":
                turned.append(Turn(thing=str(thing), node=str(rest[0])))
            elif kind == "link":
                links[str(thing)] = str(rest[0])
            elif kind == "allow":
                roots.append(Place(folder=str(thing), deep=False))
            elif kind == "leave out" and str(thing) not in left_out:
                left_out.append(str(thing))
        name = remedies[0].all_label if len(remedies) > 1 else remedies[0].label
        self.do(
            name, values=list(values.values()), readings=list(readings.values()), left_out=left_out,
            turned=_apart(turned), links=[Relink(written=w, to=to) for w, to in links.items()],
            roots=_apart(roots),
        )  # fmt: skip

    def put(self, thing: str, node: str, parameter: str, value: Value | None) -> None:
        """Put a value into the target by hand; None takes the hand's value away again."""
        place = (thing, node, parameter)
        kept = [n for n in self.document.notes if (n.thing, n.node, n.parameter, n.by) != (*place, "hand")]
        if value is not None:
            kept.append(Note(thing=thing, node=node, parameter=parameter, value=value))
        self.do(f"Set {parameter}" if value is not None else f"Take {parameter} back", notes=kept)

    def put_fits(self, fits: dict[str, list[Note]]) -> None:
        """Put fitted values into the target, in place of former fits of the same things; all as one command."""
        kept = [n for n in self.document.notes if n.by != "fit" or n.thing not in fits]
        self.do("Fit", notes=[*kept, *(note for notes in fits.values() for note in notes)])

    def drop_fit(self, thing: str) -> None:
        """Take a fit away again."""
        self.do("Take the fit back", notes=[n for n in self.document.notes if (n.thing, n.by) != (thing, "fit")])

    def measured(self, drifts: dict[str, Drift]) -> None:
        """Take drifts in that were measured, and raise what findings there are of them."""
        self.drifts.update(drifts)
        if self.plan is None:
            return
        others = [finding for finding in self.findings if finding.code != "drift"]
        over = drifted(self.plan, self.drifts, self.document.drift_limit)
        # everything else stands as it stood; the sort is steady
        self._found(sorted([*others, *over], key=lambda finding: (finding.level, finding.code)))

    def _look(self) -> None:
        assert self.plan is not None
        limit = self.document.drift_limit
        self._found(look_over(self.plan, self.registry, self.drifts, limit, self.verdicts, self.uses))

    def _found(self, findings: list[Finding]) -> None:
        self.findings = findings
        self.groups = grouped(self.findings)
        self.by_station = dict(Counter(finding.station for finding in self.findings))

    def accept(self, findings: list[Finding], reason: str) -> None:
        """Accept findings with a reason, all as one command."""
        if not reason.strip():
            raise MisuseError("a finding is accepted with a reason.")
        kept = {a.key: a for a in self.document.accepted}
        for finding in findings:
            kept[finding.key] = Accepted(key=finding.key, reason=reason.strip(), fingerprint=finding.fingerprint)
        self.do("Accept", accepted=list(kept.values()))

    def reopen(self, findings: list[Finding]) -> None:
        """Take back that findings were accepted."""
        keys = {finding.key for finding in findings}
        self.do("Reopen", accepted=[a for a in self.document.accepted if a.key not in keys])

    # files outside

    def outlook(self) -> Outlook:
        """How this crossing looks for files: its own roots first, then the person's."""
        return Outlook((*self.roots(), *self.user_roots), self.links(), self.known(), self.shelf)

    def roots(self) -> tuple[Root, ...]:
        """The roots of this crossing."""
        return tuple(Root(place.folder, place.deep, place.on) for place in self.document.roots)

    def links(self) -> dict[str, str]:
        """What a person put in the place of written paths."""
        return {link.written: link.to for link in self.document.links}

    def known(self) -> dict[str, Known]:
        """What is remembered of files from when they were last there."""
        return {r.written: Known(r.sha256, r.size, r.width, r.height) for r in self.document.remembered}

    def set_roots(self, roots: Iterable[Root], name: str = "Choose the roots") -> None:
        """Put other roots in the place of this crossing's."""
        self.do(name, roots=[Place(folder=root.folder, deep=root.deep, on=root.on) for root in roots])

    def relink(self, changes: Mapping[str, str], name: str = "") -> None:
        """Put other paths in the place of written ones, all as one command; an empty one takes a link away."""
        links = {**self.links(), **changes}
        kept = [Relink(written=written, to=to) for written, to in links.items() if to and to != written]
        many = f"{len(changes)} files" if len(changes) != 1 else next(iter(changes)).rsplit("/", 1)[-1]
        self.do(name or f"Relink {many}", links=kept)

    def used(self, file: OutsideFile) -> list[PictureUse]:
        """Every use of a picture."""
        return [
            use
            for name in dict.fromkeys(user[0] for user in file.users)
            for use in self.uses.get(name, ())
            if use.written == file.written
        ]

    def settle(self, report: Report = silent) -> bool:
        """Look the files up again, as the disk is now; whether anything is other than it was."""
        return settle(self.scene, self.outlook(), report)

    def audited(self, verdicts: Mapping[str, Verdict]) -> None:
        """Take in what pictures were found to be, and raise what findings there are of them."""
        self.verdicts.update(verdicts)
        if self.plan is None:
            return
        known = [file for file in self.scene.files.values() if file.first in verdicts]
        things = {user[0] for file in known for user in file.users} & set(self.plan.translations)
        others = [f for f in self.findings if f.code not in decoding.CODES or f.thing not in things]
        files = {file.written: file for file in self.scene.files.values()}
        for name in things:
            thing = self.scene.things[name]
            source = self.registry.packs.get(thing.dialect)
            others.extend(decoding.of(thing, source, self.plan, files, self.verdicts, self.uses.get(name, ())))
        self._found(sorted(others, key=lambda finding: (finding.level, finding.code, finding.thing, finding.path)))

    # what follows

    def renew(self, report: Report = silent) -> None:
        """Work out the plan and the findings from the document."""
        self.settle(report)
        if not self.uses:
            report(Step("Looking at how pictures are used"))
            self.uses = uses_of(self.scene, self.registry)
        before = self.plan
        self.plan = plan(self.scene, self.registry, self.document.choices(), report)
        if before is not None:
            before.release()
        self._look()

    def accepted(self, finding: Finding) -> str:
        """Why a finding was accepted; empty when it is open, also because its evidence has changed since."""
        if not self.document.accepted:
            return ""
        if self._reasons[0] is not self.document.accepted:
            self._reasons = (self.document.accepted, {(a.key, a.fingerprint): a.reason for a in self.document.accepted})
        return self._reasons[1].get((finding.key, finding.fingerprint), "")

    def open_findings(self) -> list[Finding]:
        """Findings that are neither settled nor accepted."""
        if not self.document.accepted:
            return self.findings
        return [finding for finding in self.findings if not self.accepted(finding)]

    def open_groups(self) -> list[Group]:
        """Open findings by kind, worst first."""
        return grouped(self.open_findings()) if self.document.accepted else self.groups

    def open_at(self, station: str) -> int:
        """How many open findings one station is about."""
        if not self.document.accepted:
            return self.by_station.get(station, 0)
        return sum(1 for finding in self.open_findings() if finding.station == station)

    def stops(self) -> list[Finding]:
        """Open findings that forbid delivery; they come first, as findings are in order."""
        stops = list(takewhile(lambda finding: finding.level is Level.STOP, self.findings))
        return [finding for finding in stops if not self.accepted(finding)]

    def carry(self, out: Path, report: Report = silent) -> Carried:
        """Write the target's file."""
        if self.plan is None:
            self.renew(report)
        assert self.plan is not None
        self.carried = carry(self.plan, self.registry, out, report)
        return self.carried

    # files

    def _remembered(self) -> list[Remembered]:
        """What is known of the files that are there, and of those that are not any more."""
        now = {entry.written: entry for entry in self.document.remembered}
        for file in self.scene.pictures.values():
            if file.state is FileState.IN_PLACE and file.size and not file.members:
                old = now.get(file.written)
                digest = file_checksum(file.first) if file.size <= _REMEMBERED_BYTES else old.sha256 if old else ""
                now[file.written] = Remembered(
                    written=file.written, size=file.size, width=file.width, height=file.height, sha256=digest
                )
        return list(now.values())

    def save(self, file: Path) -> None:
        """Save the crossing."""
        source = Path(self.scene.file).absolute()
        written = Path(_relative(source, file.absolute().parent)).as_posix()
        self.document = self.document.model_copy(update={"source": written, "remembered": self._remembered()})
        files.save(self.document, file)
        self.file = file
        self._saved = self.document


def _apart(entries: list[Entry]) -> list[Entry]:
    """Each entry once, in order."""
    return list({entry.model_dump_json(): entry for entry in entries}.values())


def _relative(path: Path, folder: Path) -> str:
    import os

    return os.path.relpath(path, folder)


def start(
    file: Path, registry: Registry, target: str = "", source: str = "", scope: str = "", placement: str = "",
    report: Report = silent, roots: Iterable[Root] = (),
) -> Session:  # fmt: skip
    """Open a scene, or a saved crossing, and work out its plan.

    What is left empty is as it was saved; of a scene it is everything, beside the original, to the first dialect that
    is not its own. `roots` are looked in for this time only, after the crossing's and before the person's own. Raises the
    errors of opening and planning.
    """
    wanted = {
        "target": registry.get(target).name if target else "", "source_dialect": source, "scope": scope,
        "placement": placement,
    }  # fmt: skip
    changes = {name: value for name, value in wanted.items() if value}
    if file.suffix == files.ENDING:
        session = _resumed(file, registry, changes, report)
    else:
        scene = open_scene(file, registry, source, report)
        choices = {"target": default_target(scene, registry), **changes}
        session = Session(
            registry,
            scene,
            Document.model_validate({"source": str(file), "source_sha256": files.checksum(file), **choices}),
        )
    session.user_roots = (*roots, *root_files.of_user())
    session.renew(report)
    return session


def default_target(scene: Scene, registry: Registry) -> str:
    """The dialect that a scene is carried to until a person says another: the first that is not its own."""
    return next((name for name in registry.packs if name != scene.dialect), scene.dialect)


def _resumed(file: Path, registry: Registry, changes: dict[str, str], report: Report) -> Session:
    document = files.load(file)
    source = document.source_path(file)
    if not source.is_file():
        raise CrossingFileError(
            f"its source is not at {source}.", file=file, inside="source", advice="Put it back there, or mend the path."
        )
    scene = open_scene(source, registry, changes.get("source_dialect", document.source_dialect), report)
    if document.source_sha256 and files.checksum(source) != document.source_sha256:
        detail = f"{source.name} is not what it was when {file.name} was saved"
        scene.oddities.append(Oddity("source-changed", "", "/", detail))
    session = Session(registry, scene, document, file)
    session._saved = document
    if changes:
        session.do("Open with other choices", **changes)
    return session
