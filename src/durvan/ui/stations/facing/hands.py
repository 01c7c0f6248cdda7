"""What a hand does on the pages: sets a value where it stands, gives it elsewhere, swaps a node; each shown before it is done."""

from __future__ import annotations

from functools import partial

from PySide6.QtCore import QObject, QPoint
from PySide6.QtGui import QAction
from PySide6.QtWidgets import QMenu

from durvan.crossing.document.changes import Change, PutNote, SwapNode
from durvan.crossing.translation.choices import Note, Swap
from durvan.crossing.translation.swapping import PICTURE, equivalents
from durvan.crossing.translation.taking import Place
from durvan.scene.graph import Value
from durvan.scene.model import Kind
from durvan.ui.followers.looks import Looks
from durvan.ui.shared.state import State
from durvan.ui.stations.facing import walking
from durvan.ui.stations.facing.editors import Editor
from durvan.ui.stations.facing.layout import Line, Slip
from durvan.ui.stations.facing.pages import Pages
from durvan.ui.stations.facing.pulling import Pulling
from durvan.ui.stations.facing.walking import Spot


class Hands(QObject):
    """Sees to the pages' wishes."""

    def __init__(self, state: State, looks: Looks, pages: Pages) -> None:
        super().__init__(pages)
        self.state, self.looks, self.pages = state, looks, pages
        self.editor: Editor | None = None
        self.spot: Spot | None = None
        self.pulling = Pulling(state, pages, self._do)
        pages.entered.connect(self.edit)
        pages.asked.connect(self.ask)
        pages.freed.connect(self.take_back)
        for bar in (pages.verticalScrollBar(), pages.horizontalScrollBar()):
            bar.valueChanged.connect(lambda _: self._follow())
        for signal in (state.renewed, state.filtered, state.selected):
            signal.connect(self._stay)

    def _try_on(self, *changes: Change) -> None:
        """Show the material as it would be."""
        session, thing = self.state.session, self.state.thing()
        if session is not None and thing is not None and thing.kind is Kind.MATERIAL and changes:
            self.looks.try_on(thing, session.would(thing, *changes))

    # setting a value

    def edit(self, spot: Spot) -> None:
        """Open a control over a line of the target; of the source's, over what became of it."""
        self.close()
        if spot.side == "source":
            there = walking.across(self.pages.drawn, spot)
            here = walking.find(self.pages.drawn, spot)
            row = here[1].row if here is not None and here[1] is not None else None
            if there is None or there.side != "target" or row is None or not row.targets:
                return
            spot = there
        self.pages.choose(spot)
        target, found = self.pages.target(), walking.find(self.pages.drawn, spot)
        if target is None or found is None or found[1] is None:
            return
        slip, line = found[0], found[1]
        parameter = target[1].parameter(slip.node.kind, line.parameter)
        if parameter is None or parameter.type in ("surface", "normal"):
            return
        said = "in the place of its map" if line.linked else "by hand" if self._by_hand(spot) else ""
        editor = Editor(self.pages.viewport(), line.parameter, line.value, parameter, said)
        editor.tried.connect(lambda value: self._try_on(PutNote(note=self._note(spot, value))))
        editor.put.connect(lambda value: self._put(spot, value))
        editor.left.connect(self._leave)
        self.editor, self.spot = editor, spot
        self._follow()
        editor.show()
        editor.raise_()
        editor.begin()

    def _note(self, spot: Spot, value: Value) -> Note:
        return Note(thing=self.pages.of, node=spot.node, parameter=spot.parameter, value=value)

    def _by_hand(self, spot: Spot) -> bool:
        session = self.state.session
        return session is not None and session.by_hand(self.pages.of, spot.node, spot.parameter)

    def _put(self, spot: Spot, value: Value) -> None:
        self.close()
        self.looks.taken()
        self.state.put(self.pages.of, spot.node, spot.parameter, value)
        self.pages.setFocus()

    def _leave(self) -> None:
        self.close()
        self.looks.try_on(None)
        self.pages.setFocus()

    def close(self) -> None:
        """Take the control away."""
        editor, self.editor = self.editor, None
        if editor is not None:
            editor.ended = True
            editor.hide()
            editor.deleteLater()

    def _follow(self) -> None:
        """Keep the control at its line."""
        found = walking.find(self.pages.drawn, self.pages.at)
        if self.editor is None or found is None:
            return
        place, room = self.pages.room.place(*found), self.pages.viewport().rect()
        self.editor.adjustSize()
        size = self.editor.sizeHint()
        y = (
            place.bottom() + 2
            if place.bottom() + 2 + size.height() <= room.height()
            else place.top() - 2 - size.height()
        )
        x = min(max(place.left(), 4.0), room.width() - size.width() - 4.0)
        self.editor.move(round(x), round(max(y, 4.0)))

    def _stay(self) -> None:
        """While something is set, what is looked at may be worked out anew; the control goes only where its line does."""
        if self.editor is None:
            return
        if self.pages.at != self.spot or walking.find(self.pages.drawn, self.spot) is None:
            self._leave()
        else:
            self._follow()

    def take_back(self, spot: Spot) -> None:
        """What a hand set, gave elsewhere or swapped is as the rules have it again."""
        if spot.side == "target":
            self.looks.taken()
            self.state.take_back(self.pages.of, spot.node, spot.parameter)

    def _can_go_back(self, spot: Spot) -> bool:
        session, place = self.state.session, (self.pages.of, spot.node, spot.parameter)
        return session is not None and (session.by_hand(*place) or session.rewiring_back(*place) is not None)

    # giving it to another parameter

    def _give(self, spot: Spot, to: Place) -> None:
        self._do(f"Give {spot.parameter} to {to[1]}", self.pulling.giving((spot.node, spot.parameter), to))

    def _do(self, name: str, change: Change) -> None:
        """Do something that may have been tried."""
        self.looks.taken()
        self.state.change(name, change)

    # another type of node

    def _swapped(self, spot: Spot) -> bool:
        session = self.state.session
        swaps = session.document.swaps if session is not None else ()
        return any((one.thing, one.node) == (self.pages.of, spot.node) for one in swaps)

    def _swapping(self, spot: Spot, kind: str) -> SwapNode:
        return SwapNode(swap=Swap(thing=self.pages.of, node=spot.node, kind=kind))

    def _swap(self, spot: Spot, kind: str) -> None:
        self.looks.taken()
        name = "a picture" if kind == PICTURE else kind.rpartition(".")[2]
        self.state.change(
            f"Swap {spot.node} for {name}" if kind else f"Swap {spot.node} back", self._swapping(spot, kind)
        )

    def kinds(self, spot: Spot) -> list[str]:
        """What a node of the target could be swapped for."""
        target = self.pages.target()
        node = target[0].nodes.get(spot.node) if target is not None else None
        return equivalents(node, target[1]) if target is not None and node is not None else []

    # a menu of all of that

    def menu(self, spot: Spot) -> QMenu:
        """All that can be done about a spot. What would be another look is tried while it is pointed at."""
        made = QMenu(self.pages)
        found = walking.find(self.pages.drawn, spot)
        if found is None:
            return made
        slip, line = found
        if spot.side == "target" and line is not None:
            self._of_value(made, spot, line)
        if spot.side == "target":
            self._of_node(made, spot, slip)
        if made.actions():
            made.addSeparator()
        if slip.folds or slip.hidden:
            made.addAction(f"{'Unfold' if slip.hidden else 'Fold'} what feeds it\tSpace", lambda: self.pages.fold(spot))
        if slip.more:
            text = "Hide values at their defaults\tD" if slip.listed else "List values at their defaults\tD"
            made.addAction(text, lambda: self.pages.list_defaults(spot))
        return made

    def _of_value(self, made: QMenu, spot: Spot, line: Line) -> None:
        if self.pages.target() is None:
            return
        made.addAction("Set it…\tEnter", lambda: self.edit(spot))
        place = (spot.node, spot.parameter)
        places = self.pulling.to(place, spot.node) if not line.default else {}
        if places:
            give = made.addMenu("Give it to")
            for to, change in places.items():
                act = give.addAction(to.parameter, partial(self._give, spot, (to.node, to.parameter)))
                self._shown(act, change)
            give.aboutToHide.connect(lambda: self.looks.try_on(None))
        if self._can_go_back(spot):
            made.addAction("Take it back\tDelete", lambda: self.take_back(spot))

    def _of_node(self, made: QMenu, spot: Spot, slip: Slip) -> None:
        kinds = self.kinds(spot)
        if kinds:
            swap = made.addMenu(f"Swap {slip.title} for")
            for kind in kinds:
                text = "a picture of what it gives" if kind == PICTURE else kind.rpartition(".")[2]
                act = swap.addAction(text, partial(self._swap, spot, kind))
                self._shown(act, self._swapping(spot, kind))
            swap.aboutToHide.connect(lambda: self.looks.try_on(None))
        if self._swapped(spot):
            made.addAction("Swap it back", lambda: self._swap(spot, ""))

    def _shown(self, action: QAction, change: Change) -> None:
        action.hovered.connect(lambda: self._try_on(change))

    def ask(self, spot: Spot, place: QPoint) -> None:
        """Show the menu about a spot."""
        made = self.menu(spot)
        made.aboutToHide.connect(made.deleteLater)
        made.popup(place)
