"""Facing: the source's network and the target's, mirrored over a gutter, with a band for every value that crossed."""

from __future__ import annotations

from PySide6.QtGui import QDragEnterEvent, QDropEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from durvan.crossing.translation.ledger import worst
from durvan.crossing.translation.rows import Row
from durvan.scene.fate import Fate
from durvan.scene.given import Given
from durvan.scene.model import Kind
from durvan.ui.followers.looks import image
from durvan.ui.kit.drops import is_ready_values
from durvan.ui.kit.parts import Choice, column, small, title
from durvan.ui.kit.theme import BOOTH, PANEL, STRONG_RULE
from durvan.ui.kit.words import count, spoken, value
from durvan.ui.shared.state import Selection
from durvan.ui.stations.facing.drawing import Gives
from durvan.ui.stations.facing.hands import Hands
from durvan.ui.stations.facing.pages import Pages
from durvan.ui.stations.station import Action, Bench, View
from durvan.ui.stations.swatches import Swatches


def _worst(rows: list[Row]) -> list[Row]:
    """Rows that a person has to look at, those that need it most first."""
    return sorted((row for row in rows if row.fate >= Fate.FITTED), key=lambda row: -row.fate)


def said_of(given: Given) -> str:
    """What a node gives, in words: its least and largest value over the square."""
    if given.what in ("surface", "normal", "place"):
        return {"surface": "by itself", "normal": "slopes", "place": "where to look"}[given.what]
    low, high, unit = given.low, given.high, ""
    if given.what == "height":
        low, high, unit = 1000.0 * low, 1000.0 * high, " mm"
    if high - low <= 1e-6 * max(abs(high), 1.0):
        return f"{value(high, 3)}{unit} all over"
    return f"{value(low, 2)} to {value(high, 2)}{unit}"


class Facing(View):
    """The station: which thing, and its two pages."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        state, looks = bench.state, bench.looks
        self.state, self.looks = state, looks
        self.given: dict[tuple[str, str], Given] = {}
        self.setObjectName("facing")
        self.setStyleSheet(f"#facing {{ background: {BOOTH.name()}; }}")
        self.named: object = None
        self.places: dict[str, int] = {}
        down = column(self, (0, 0, 0, 0), 0)
        head = QWidget()
        head.setObjectName("head")
        head.setStyleSheet(f"#head {{ background: {PANEL.name()}; border-bottom: 1px solid {STRONG_RULE.name()}; }}")
        across = QHBoxLayout(head)
        across.setContentsMargins(16, 7, 16, 7)
        across.setSpacing(10)
        self.name = title("")
        across.addWidget(self.name)
        self.about = small()
        across.addWidget(self.about, 1)
        self.choose = Choice()
        self.choose.setMinimumWidth(220)
        self.choose.setMaxVisibleItems(24)
        self.choose.setToolTip("Another thing of the scene (Page Up and Page Down go through them).")
        self.choose.setAccessibleName("thing")
        self.choose.activated.connect(lambda: state.select(Selection(str(self.choose.currentData()))))
        across.addWidget(self.choose)
        self.search = QLineEdit()
        self.search.setPlaceholderText("find a node or a value")
        self.search.setAccessibleName("find in the networks")
        self.search.setToolTip("Marks what it finds on both pages; Enter goes from one to the next (Ctrl+F).")
        self.search.setFixedWidth(170)
        across.insertWidget(2, self.search)
        down.addWidget(head)
        self.swatches = Swatches(state, looks)
        down.addWidget(self.swatches)
        self.pages = Pages(state)
        self.setAcceptDrops(True)
        self.hands = Hands(state, looks, self.pages)
        self.search.textChanged.connect(self.pages.search)
        self.search.returnPressed.connect(self._next_found)
        down.addWidget(self.pages, 1)
        for signal in (state.renewed, state.filtered, state.selected, state.looked):
            signal.connect(self._fill)
        looks.opened_up.connect(self._give)
        state.selected.connect(lambda: self._give(self.state.selection.thing))

    def _fill(self) -> None:
        session = self.state.session
        if session is None:
            return
        if not self.state.selection.thing and session.scene.things and self.state.selection.cell is None:
            self.name.setText("")
        thing = self.state.thing()
        if thing is None:
            self.name.setText("Nothing selected")
            self.about.setText("")
        else:
            rows = self.state.rows(thing.id)
            self.name.setText(spoken(thing.name))
            said = [thing.kind.value, count(len(rows), "value")]
            if thing.used_by:
                said.append(count(thing.used_by, "object"))
            fate = worst(session.plan.ledger.tally(thing.id))
            if fate is not None:
                said.append(f"worst: {fate.word}")
            drift = session.drift(thing.id)
            if drift is not None:
                said.append(f"drift {drift.told(1)}")
            if self.state.fate is not None:
                said.append(f"only {self.state.fate.word} is shown")
            self.about.setText(" · ".join(said))
        self._names()

    def _give(self, thing: str) -> None:
        """Show what nodes give on their slips."""
        if thing != self.pages.of:
            return
        found = {
            (side, name): one
            for side in ("source", "target")
            for name, one in self.looks.inside.get((thing, side), {}).items()
        }
        if found != self.given:
            self.given = found
            self.pages.painting.show_gives(
                {place: Gives(image(one.picture), said_of(one)) for place, one in found.items()}
            )
            self.pages.refresh()

    def _names(self) -> None:
        session = self.state.session
        assert session is not None  # asked by _fill
        if self.named is not session.scene:
            self.named = session.scene
            self.places = {thing.id: place for place, thing in enumerate(session.scene.things.values())}
            self.choose.clear()
            for thing in session.scene.things.values():
                self.choose.addItem(spoken(thing.name), thing.id)
        self.choose.setCurrentIndex(self.places.get(self.state.selection.thing, -1))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        """Ready values may go onto the material that is faced."""
        thing, session = self.state.thing(), self.state.session
        carried = thing is not None and session is not None and thing.id in session.plan.translations
        if carried and thing is not None and thing.kind is Kind.MATERIAL and is_ready_values(event):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        self.state.ready_dropped.emit(self.state.selection.thing)

    def arrive(self) -> None:
        """The pages are gone to."""
        self.pages.setFocus()

    def menu_entries(self) -> list[Action]:
        """Going through the things."""
        return [
            Action("Look", "Next thing", "Ctrl+PgDown", lambda: self.step(1)),
            Action("Look", "Thing before", "Ctrl+PgUp", lambda: self.step(-1)),
            Action("Look", "Next worst value", "Ctrl+J", self.next_worst),
            Action("Look", "Find in the networks", "Ctrl+F", self._find),
            Action("Look", "Nearer", "Ctrl++", lambda: self.pages.zoom_to(self.pages.zoom * 1.25)),
            Action("Look", "Farther", "Ctrl+-", lambda: self.pages.zoom_to(self.pages.zoom / 1.25)),
            Action("Look", "All of both networks", "Ctrl+9", self.pages.show_all),
            Action("Look", "Fold both networks", "Ctrl+Shift+F", lambda: self.pages.fold_all(True)),
            Action("Look", "Unfold both networks", "Ctrl+Shift+U", lambda: self.pages.fold_all(False)),
        ]

    def _find(self) -> None:
        self.state.station_wanted.emit("Facing")
        self.search.setFocus()
        self.search.selectAll()

    def _next_found(self) -> None:
        self.pages.go_to_found()
        self.pages.show_row(self.state.selection.row)

    def next_worst(self) -> None:
        """Go to the value that most needs a look: the next of this thing, then those of the next thing that has any."""
        session = self.state.session
        if session is None:
            return
        chosen = self.state.selection
        here = _worst(self.state.rows(chosen.thing))
        place = here.index(chosen.row) + 1 if chosen.row in here else 0
        thing, row = chosen.thing, here[place] if place < len(here) else None
        if row is None:
            names = [str(self.choose.itemData(n)) for n in range(self.choose.count())]
            at = names.index(thing) + 1 if thing in names else 0
            others = ((name, _worst(self.state.rows(name))) for name in (*names[at:], *names[:at]))
            thing, row = next(((name, rows[0]) for name, rows in others if rows), (thing, None))
        if row is not None:
            self.state.station_wanted.emit("Facing")
            self.state.select(Selection(thing, row))
            self.pages.show_row(row)

    def step(self, by: int) -> None:
        """Go to the next thing or the one before."""
        number = self.choose.count()
        if number:
            place = (self.choose.currentIndex() + by) % number
            self.state.select(Selection(str(self.choose.itemData(place))))
