"""What the window's views share: the crossing, one selection, one filter, and the job that runs."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from PySide6.QtCore import QObject, Signal

from durvan.crossing.document.changes import Change, Fit, Match, SetRoots
from durvan.crossing.exchange.carry import Carried
from durvan.crossing.findings import Finding, Remedy
from durvan.crossing.job.outcome import Outcome, let_go, what_leaves
from durvan.crossing.job.session import Session, start
from durvan.crossing.translation.rows import Row
from durvan.dialects.registry import Registry
from durvan.errors import DurvanError
from durvan.files.roots import Root
from durvan.progress import Report
from durvan.scene.fate import Fate
from durvan.scene.graph import Value
from durvan.scene.model import Scene, Thing
from durvan.ui.shared.work import QUEUED, Job

_MUCH = 1000  # parts of an outcome whose going would be felt
Work = Callable[[Report], Any]
Then = Callable[[Any], None]


@dataclass(frozen=True)
class Selection:
    """What is looked at: a thing, perhaps one of its rows; a cell of the grid; a finding; a file by its written path; something of the pictures
    in Proof, in its own words."""

    thing: str = ""
    row: Row | None = None
    cell: tuple[str, Fate] | None = None
    finding: Finding | None = None
    file: str = ""
    proof: str = ""


class State(QObject):
    """Owns the session; every view subscribes to it and none knows another."""

    opened = Signal()
    renewed = Signal()
    selected = Signal()
    filtered = Signal()
    busy = Signal(bool)
    progressed = Signal(object)
    failed = Signal(object)
    carried = Signal(object)
    stopped = Signal(str)
    station_wanted = Signal(str)
    accept_wanted = Signal(object)
    looked = Signal()
    fit_wanted = Signal(object)
    match_wanted = Signal(object)
    ready_dropped = Signal(str)  # ready values, onto a material

    def __init__(self, registry: Registry, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.registry = registry
        self.session: Session | None = None
        self.selection = Selection()
        self.fate: Fate | None = None
        self.job: Job | None = None
        self.quiet = False
        self._next: tuple[str, Work, Then] | None = None
        self._again = False
        self.first: Callable[[], str] = lambda: ""  # what to look at when a scene has just been opened

    # one job at a time

    def run(self, name: str, work: Work, then: Then, quietly: bool = False) -> bool:
        """Do something beside the event loop; False when something is running already.

        What is done `quietly` nobody asked for: it shows nothing, and what is asked for meanwhile waits for its end.
        """
        if self.job is not None:
            if not self.quiet or quietly or self._next is not None:
                return False
            self._next = (name, work, then)
            self.busy.emit(True)
            return True
        job = Job(name, work, self)
        self.job, self.quiet = job, quietly
        if not quietly:
            job.progressed.connect(self.progressed, QUEUED)
        job.finished.connect(lambda result: self._end(lambda: then(result)), QUEUED)
        job.failed.connect(lambda problem: self._end(lambda: self.failed.emit(problem)), QUEUED)
        job.stopped.connect(lambda: self._end(lambda: None if quietly else self.stopped.emit(name)), QUEUED)
        if not quietly:
            self.busy.emit(True)
        job.start()
        return True

    def _end(self, after: Callable[[], None]) -> None:
        job, self.job = self.job, None
        quiet, self.quiet = self.quiet, False
        if job is not None:
            job.wait(5.0)
            job.deleteLater()
        if not quiet:
            self.busy.emit(False)
        after()
        if self._next is not None and self.job is None:
            following, self._next = self._next, None
            self.run(*following)
        if self._again and self.job is None:
            self._again = False
            self.renew()
        elif self.job is None and self.session is not None and self.session.behind:
            self.catch_up()

    @property
    def working(self) -> bool:
        """Whether something runs that a person asked for, or waits to."""
        return (self.job is not None and not self.quiet) or self._next is not None

    @property
    def doing(self) -> str:
        """What runs that a person asked for; empty when nothing does."""
        if self._next is not None:
            return self._next[0]
        return self.job.name if self.job is not None and not self.quiet else ""

    def begin_or_stop(self) -> Session | None:
        """What a button asks that begins some work and stops what runs: the crossing to begin with, or None."""
        if self.working:
            self.stop()
            return None
        return self.session

    def stop(self) -> None:
        """Ask what runs to end; what only waits is not begun."""
        if self._next is not None:
            name, self._next = self._next[0], None
            self.busy.emit(False)
            self.stopped.emit(name)
        elif self.job is not None and not self.quiet:
            self.job.stop()

    # the crossing

    def open(self, file: Path, target: str = "") -> None:
        """Open a scene or a saved crossing."""
        self.run("Opening", lambda report: start(file, self.registry, target, report=report), self._opened)

    def _opened(self, session: Session) -> None:
        self.session = session
        self.selection = Selection()
        self.fate = None
        self.opened.emit()
        self.renewed.emit()
        self.selection = Selection(self.first())
        self.selected.emit()

    def renew(self) -> None:
        """Work out what follows again, after the document changed."""
        if self.session is not None and not self.run("Planning", self.session.work(), self._renewed):
            self._again = True

    def catch_up(self, afresh: bool = False, then: Callable[[bool], None] = lambda _: None) -> bool:
        """Work out what follows from what was found out meanwhile, without a sign of it; False when something runs.

        `afresh` looks the files up again. `then` hears whether they are other than they were.
        """
        session = self.session
        if session is None:
            return False
        disk = session.evidence.disk

        def take(outcome: Outcome) -> None:
            other = outcome.evidence.disk is not disk
            if session is self.session and self._stands(outcome):
                if other:
                    self.tell()
                else:
                    self.looked.emit()
            then(other)

        return self.run("Taking in", session.work(afresh), take, quietly=True)

    def _renewed(self, outcome: Outcome) -> None:
        if self._stands(outcome):
            self.tell()

    def _stands(self, outcome: Outcome) -> bool:
        """Let an outcome stand, and the former one go beside the event loop where there is much of it."""
        session = self.session
        if session is None:
            return False
        before = session.outcome
        if not session.take(outcome):
            return False
        leaving = what_leaves(before, outcome) if before is not None else []
        if len(leaving) > _MUCH:
            threading.Thread(target=let_go, args=(leaving,), name="letting-go", daemon=True).start()
        return True

    def tell(self) -> None:
        """Tell every view that another outcome stands."""
        selection = self.selection
        if selection.row is not None and self.session is not None:
            old = selection.row
            fresh = next(
                (
                    r
                    for r in self.rows(selection.thing)
                    if (r.node, r.parameter, r.targets) == (old.node, old.parameter, old.targets)
                ),
                None,
            )
            self.selection = replace(selection, row=fresh)
        self.renewed.emit()
        self.selected.emit()

    def change(self, name: str, *changes: Change) -> None:
        """Change the document as one command, and follow it up."""
        if self.session is not None:
            self.session.do(name, *changes)
            self.renew()

    def undo(self) -> None:
        """Take the last command back."""
        if self.session is not None and self.session.undo():
            self.renew()

    def redo(self) -> None:
        """Do it again."""
        if self.session is not None and self.session.redo():
            self.renew()

    def apply(self, remedies: list[Remedy]) -> None:
        """Take remedies; what is a request is passed on to whoever sees to its work."""
        if self.session is None:
            return
        requests = self.session.apply(remedies)
        if len(requests) < len(remedies):
            self.renew()
        if requests:
            fits = [remedy.does.thing for remedy in requests if isinstance(remedy.does, Fit)]
            if fits:
                self.fit_wanted.emit(fits)
            things = [thing for remedy in requests if isinstance(remedy.does, Match) for thing in remedy.does.things]
            if things:
                self.match_wanted.emit(things)

    def relink(self, changes: Mapping[str, str], name: str = "") -> None:
        """Put other paths in the place of written ones, all as one command."""
        if self.session is not None and changes:
            self.session.relink(changes, name)
            self.renew()

    def set_roots(self, roots: list[Root], name: str) -> None:
        """Put other roots in the place of the crossing's."""
        self.change(name, SetRoots(roots=tuple(roots)))

    def put(self, thing: str, node: str, parameter: str, value: Value | None) -> None:
        """Put a value into the target by hand, or take it away again."""
        if self.session is not None:
            self.session.put(thing, node, parameter, value)
            self.renew()

    def take_back(self, thing: str, node: str, parameter: str) -> None:
        """What a hand put into a place of the target, gave to it or swapped there is as the rules have it again."""
        if self.session is None:
            return
        if self.session.by_hand(thing, node, parameter):
            self.put(thing, node, parameter, None)
            return
        change = self.session.rewiring_back(thing, node, parameter)
        if change is not None:
            self.change(f"Take {parameter or node} back", change)

    def accept(self, findings: list[Finding], reason: str) -> None:
        """Accept findings."""
        if self.session is not None:
            self.session.accept(findings, reason)
            self.tell()

    def reopen(self, findings: list[Finding]) -> None:
        """Open accepted findings again."""
        if self.session is not None:
            self.session.reopen(findings)
            self.tell()

    def carry(self, out: Path) -> None:
        """Write the target's file."""
        session = self.session
        if session is not None:
            self.run("Carrying", lambda report: session.carry(out, report), self._carried)

    def _carried(self, done: Carried) -> None:
        """What carrying looked at, and chose, is shown as well."""
        self.tell()
        self.carried.emit(done)

    def read_again(self, then: Callable[[], None] = lambda: None) -> bool:
        """Read the source again where it has changed on the disk, and work out what follows; False when something runs."""
        session = self.session
        if session is None:
            return False

        def stand(outcome: Outcome) -> None:
            chosen = self.selection.thing
            if self._stands(outcome):
                self._opened(session)
                if chosen in session.scene.things:
                    self.select(Selection(chosen))
            then()

        def take(found: tuple[Scene, str] | None) -> None:
            if found is None or session is not self.session:
                then()
                return
            session.take_scene(*found)
            self.run("Planning", session.work(True), stand)

        return self.run("Reading again", session.read_again(), take)

    def save(self, file: Path) -> bool:
        """Save the crossing; a failure is told like any other. Small enough to be done at once."""
        if self.session is None:
            return False
        try:
            self.session.save(file)
        except DurvanError as problem:
            self.failed.emit(problem)
            return False
        self.renewed.emit()
        return True

    # what is looked at

    def select(self, selection: Selection) -> None:
        """Look at something; every view follows."""
        if selection != self.selection:
            self.selection = selection
            self.selected.emit()

    def filter(self, fate: Fate | None) -> None:
        """Show only one fate everywhere; the same once more shows all again."""
        self.fate = None if fate is self.fate else fate
        self.filtered.emit()

    def thing(self) -> Thing | None:
        """The thing that is looked at."""
        return self.session.scene.things.get(self.selection.thing) if self.session is not None else None

    def rows(self, thing: str) -> list[Row]:
        """The ledger rows of a thing."""
        if self.session is None:
            return []
        translation = self.session.plan.translations.get(thing)
        return translation.rows if translation is not None else []
