"""What is being tried to settle the crossing, what came of it so far, and letting it stand."""

from __future__ import annotations

from collections.abc import Collection

from PySide6.QtCore import QObject, Signal

from durvan.crossing.document.document import Document
from durvan.crossing.findings import Finding
from durvan.crossing.job.settling import measurable, take, work_of
from durvan.crossing.looks import questions
from durvan.crossing.looks.trials import Proposal, Tried, Work
from durvan.ui.followers.looks import Looks
from durvan.ui.shared.state import State


def _chosen(document: Document) -> Document:
    """A document as far as it is about choices: where it is saved, and what it remembers of files, is no other crossing."""
    return document.model_copy(update={"remembered": (), "written": "", "source": ""})


class Settling(QObject):
    """Asks for trials, keeps what comes back, and puts in what a person agrees to."""

    told = Signal()

    def __init__(self, state: State, looks: Looks, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.state, self.looks = state, looks
        self.tried: list[Tried] = []
        self.document: Document | None = None
        self.left = self.of = 0
        self.running = False
        self._asked = self.trying = ""
        looks.settled.connect(self._take)
        state.opened.connect(self._forget)
        state.selected.connect(self._look)
        state.looked.connect(self._look)

    def start(self) -> None:
        """Try everything that is open; what was stopped is gone on with where it was."""
        session = self.state.session
        if session is None or self.running:
            return
        known = {one.about for one in self.tried} if self.document is not None and not self.stale else set()
        if not known:
            self.tried = []
        self.document = session.document
        self.state.run("Looking for what to try", lambda _: work_of(session), lambda work: self._ask(work, known))

    def _ask(self, work: Work, known: Collection[str]) -> None:
        session = self.state.session
        if session is None:
            return
        subjects = tuple(one for one in work.subjects if one.pair.thing.id not in known)
        again = Work(work.document, subjects, work.lights, work.matches)
        self.left = len(again.things)
        self.of = self.left + len(self.tried)
        self.running = bool(again.things)
        if self.running:
            self.looks.renderer.ask(questions.Settle(again, session.evidence.bodies, session.evidence.traits))
        self.told.emit()

    def stop(self) -> None:
        """Try no more for now; what came of it stays."""
        session = self.state.session
        if session is not None and self.running:
            self.running = False
            self.looks.renderer.ask(questions.Settle(Work(session.document)))
            self.told.emit()

    @property
    def stale(self) -> bool:
        """Whether the crossing is another one than what was tried on."""
        session = self.state.session
        return session is not None and self.document is not None and _chosen(session.document) != _chosen(self.document)

    def proposals(self) -> list[Proposal]:
        """What measurably helps, what helps most first; the light last."""
        found = [one.proposal for one in self.tried if one.proposal is not None]
        return sorted(found, key=lambda one: (one.effect.unit, one.effect.after - one.effect.before))

    def take(self, chosen: list[Proposal]) -> None:
        """Let some of it stand, as one command."""
        session = self.state.session
        if session is None or self.stale or not chosen:
            return
        take(session, chosen)
        gone = {one.about for one in chosen}
        self.tried = [one for one in self.tried if one.about not in gone]
        self.document = session.document
        self.state.renew()
        self.told.emit()

    # one finding's remedies

    def _look(self) -> None:
        """What a finding's remedies do is found out when it is looked at, where it can be measured."""
        finding, session = self.state.selection.finding, self.state.session
        if (
            finding is None
            or session is None
            or self.state.working
            or not self.looks.renderer_ready
            or not any(map(measurable, finding.remedies))
        ):
            return
        asked = f"{finding.key} {session.revision}"
        if asked != self._asked:
            self._asked = asked
            self._try(finding)

    def _try(self, finding: Finding) -> None:
        session = self.state.session
        if session is None:
            return
        work = work_of(session, {finding.thing})
        self.trying = finding.key if work.things else ""
        if work.things:
            self.looks.renderer.ask(questions.Try(work, session.evidence.bodies, session.evidence.traits))

    # answers

    def _take(self, answer: questions.Settled) -> None:
        session = self.state.session
        if session is None:
            return
        session.tried(answer.tried.effects)
        if not answer.all_of and not answer.left:
            self.trying = ""
        if answer.all_of and self.running:
            self.tried = [one for one in self.tried if one.about != answer.tried.about] + [answer.tried]
            self.left = answer.left
            self.running = answer.left > 0
        self.told.emit()

    def _forget(self) -> None:
        self.tried, self.document, self._asked, self.trying = [], None, "", ""
        self.left = self.of = 0
        self.running = False
        self.told.emit()
