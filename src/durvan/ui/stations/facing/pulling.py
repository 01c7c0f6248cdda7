"""A band's end that a hand pulls to another parameter: the target's end to where it goes, the source's to where it comes from."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QObject, QPointF

from durvan.crossing.document.changes import Change, GiveTo, PutNote
from durvan.crossing.translation.choices import Note, Redirect
from durvan.crossing.translation.taking import Place, as_taken, parameter_of, takers
from durvan.ui.shared.state import State
from durvan.ui.stations.facing.layout import Band, Line, Slip
from durvan.ui.stations.facing.pages import Pages
from durvan.ui.stations.facing.walking import Spot

_FAR = 6.0  # how far a band's end is pulled before it comes off
_EDGE, _STEP = 24.0, 12  # near the window's edges the pages go along


@dataclass(frozen=True)
class Held:
    """The end that is pulled: of which side, where the band ends in the target, its other end, and where it was taken."""

    side: str
    place: Place
    rest: Spot
    at: QPointF


class Pulling(QObject):
    """Sees to ends that are pulled; `do` does what comes of it, by name."""

    def __init__(self, state: State, pages: Pages, do: Callable[[str, Change], None]) -> None:
        super().__init__(pages)
        self.state, self.pages, self.do = state, pages, do
        self.held: Held | None = None
        self.offered: dict[Spot, Change] = {}
        self.opened: Spot | None = None
        pages.taken.connect(self._take)
        pages.pulled.connect(self._pull)
        pages.dropped.connect(self._drop)

    def giving(self, place: Place, to: Place) -> GiveTo:
        """The change that gives what stands in one place of the target to another."""
        thing = self.pages.of
        return GiveTo(
            redirect=Redirect(thing=thing, node=place[0], parameter=place[1], to_node=to[0], to_parameter=to[1])
        )

    def _take(self, band: Band, side: str, at: QPointF) -> None:
        if band.right is None:
            return
        place = band.right[0].node.id, band.right[1].parameter
        rest = Spot("target", *place)
        if side == "target" and band.left is not None:
            rest = Spot("source", band.left[0].node.id, band.left[1].parameter)
        self.held = Held(side, place, rest, at)

    def _pull(self, at: QPointF) -> None:
        held = self.held
        if held is None:
            return
        if self.pages.painting.offers is None:
            if (at - held.at).manhattanLength() < _FAR:
                return
            self._offer(held)
        room, bar = self.pages.viewport().height(), self.pages.verticalScrollBar()
        if at.y() > room - _EDGE or at.y() < _EDGE:
            bar.setValue(bar.value() + (_STEP if at.y() > _EDGE else -_STEP))
        self.pages.show_pull(at, held.rest)

    def _offer(self, held: Held) -> None:
        """Find out where the end may go, and list what that needs."""
        spot = Spot("target", *held.place)
        if held.side == "target" and ("target", held.place[0]) not in self.pages.folds[self.pages.of].listed:
            self.opened = spot
            self.pages.list_defaults(spot, True)
        found = self.to(held.place) if held.side == "target" else self.sources(held.place)
        self.offered = found
        self.pages.painting.offers = held.side, set(found)

    def to(self, place: Place, only: str = "") -> dict[Spot, Change]:
        """Where in the target what stands in a place may go, each with the change; to one node `only`, where that is said."""
        target = self.pages.target()
        if target is None:
            return {}
        return {Spot("target", *to): self.giving(place, to) for to in takers(*target, place, only)}

    def sources(self, place: Place) -> dict[Spot, Change]:
        """The values of the source that may come into a place of the target, each with the change."""
        lines = self.pages.drawn.source.lines()
        found = {Spot("source", slip.node.id, line.parameter): self._from(slip, line, place) for slip, line in lines}
        return {spot: change for spot, change in found.items() if change is not None}

    def _from(self, slip: Slip, line: Line, place: Place) -> Change | None:
        """What brings a value of the source into a place: what became of it goes there, or, of what became nothing, the value itself."""
        session, thing, target = self.state.session, self.state.thing(), self.pages.target()
        if session is None or thing is None or target is None:
            return None
        graph, pack = target
        came = line.row.targets if line.row is not None else ()
        for other in came:
            if other != place and place in takers(graph, pack, other):
                return self.giving(other, place)
        own = self.state.registry.packs.get(thing.dialect)
        given = own.parameter(slip.node.kind, line.parameter) if own is not None else None
        to = parameter_of(graph, pack, *place)
        if came or given is None or to is None or line.linked or line.value is None:
            return None
        taken = as_taken(line.value, given, to, session.scene.metres_per_unit)
        if taken is None:
            return None
        return PutNote(note=Note(thing=thing.id, node=place[0], parameter=place[1], value=taken))

    def _drop(self, at: QPointF) -> None:
        held, offered, opened = self.held, self.offered, self.opened
        self.held, self.offered, self.opened = None, {}, None
        self.pages.painting.offers = None
        self.pages.show_pull(None)
        spot = self.pages.room.spot_at(at)
        if opened is not None:
            self.pages.list_defaults(opened, False)
        change = offered.get(spot) if spot is not None else None
        if held is None or spot is None or change is None:
            return
        ends = (held.place[1], spot.parameter) if held.side == "target" else (spot.parameter, held.place[1])
        self.do(f"Give {ends[0]} to {ends[1]}", change)
