"""The two pages: both go outward from the gutter and are scrolled in step, nearer and farther together."""

from __future__ import annotations

from dataclasses import replace

from PySide6.QtCore import QEvent, QPoint, QPointF, Qt, QTimer, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QAbstractScrollArea, QToolTip

from durvan.crossing.translation.rows import Row
from durvan.dialects.pack import Pack
from durvan.scene.graph import Graph
from durvan.scene.model import Kind
from durvan.ui.kit import words
from durvan.ui.kit.theme import BODY, BOOTH, INK, font
from durvan.ui.shared.state import Selection, State
from durvan.ui.stations.facing import layout as geometry
from durvan.ui.stations.facing import walking
from durvan.ui.stations.facing.drawing import more_box
from durvan.ui.stations.facing.folding import MOST, OPEN, Folds
from durvan.ui.stations.facing.layout import GUTTER, ROW, Band, Drawn, Line, Slip
from durvan.ui.stations.facing.painter import PagePainter
from durvan.ui.stations.facing.room import Room
from durvan.ui.stations.facing.walking import Spot

NEAREST = (0.15, 2.5)  # how far the pages may go away, and come near
_HURRY = 140  # milliseconds after which stretched pictures are drawn afresh
_GRASP = 22.0  # how near to its end a band is taken by it


class Pages(QAbstractScrollArea):
    """The two pages. What a hand wants of them is told by signals."""

    taken = Signal(object, str, object)  # a band's end: the band, of which side, and where in the window
    pulled = Signal(object)  # where it is pulled to
    dropped = Signal(object)
    asked = Signal(object, object)  # a menu about a spot, at a place of the screen
    entered = Signal(object)  # a spot that is to be set
    freed = Signal(object)  # a spot that is to be as the rules have it

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.room = Room()
        self.painting = PagePainter(self.room)
        self.of = ""
        self.at: Spot | None = None
        self.words = ""
        self.folds: dict[str, Folds] = {}
        self._shown: tuple[object, ...] = ()
        self._held: QPointF | None = None
        self._grasped = False
        self._calm = QTimer(self)
        self._calm.setSingleShot(True)
        self._calm.setInterval(_HURRY)
        self._calm.timeout.connect(self.refresh)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.viewport().setMouseTracking(True)
        self.setAccessibleName("Source and target networks, facing each other")
        self.verticalScrollBar().setSingleStep(ROW)
        self.horizontalScrollBar().setSingleStep(ROW)
        for signal in (state.renewed, state.filtered):
            signal.connect(self.renew)
        state.selected.connect(self._selected)

    def refresh(self) -> None:
        """Draw them again."""
        self.viewport().update()

    @property
    def zoom(self) -> float:
        """How large they are shown."""
        return self.room.zoom

    @property
    def drawn(self) -> Drawn:
        """What stands on them."""
        return self.room.drawn

    def show_drawn(self, drawn: Drawn) -> None:
        """Show something else on them."""
        self.room.show(drawn)
        self.painting.forget()
        self._measure()
        self.refresh()

    # what is shown

    def _selected(self) -> None:
        chosen = self.state.selection
        if chosen.thing != self.of:
            self.at = None
            self.renew()
        here = walking.find(self.drawn, self.at)
        if chosen.row is not None and (here is None or here[1] is None or here[1].row is not chosen.row):
            self.at = walking.spot_of(self.drawn, chosen.row)
            self._unfold_to(chosen.row)
        self.refresh()

    def graphs(self) -> tuple[Graph, Graph]:
        """Both sides' networks, as they stand."""
        session, thing = self.state.session, self.state.thing()
        if session is None or thing is None:
            return Graph(), Graph()
        translation = session.plan.translations.get(thing.id)
        return thing.graph, translation.graph if translation is not None else Graph()

    def target(self) -> tuple[Graph, Pack] | None:
        """The target's network, and the dialect that it is in."""
        session = self.state.session
        if session is None or self.of not in session.plan.translations:
            return None
        return session.plan.translations[self.of].graph, self.state.registry.packs[session.plan.choices.target]

    def renew(self) -> None:
        """Lay the pages out again."""
        session, thing = self.state.session, self.state.thing()
        other = self.of != self.state.selection.thing
        self.of = self.state.selection.thing
        drawn = Drawn()
        shown: tuple[object, ...] = ()
        if session is not None and thing is not None:
            translation = session.plan.translations.get(thing.id)
            packs = self.state.registry.packs
            shown = (thing, translation, self.state.fate, self.folds.get(thing.id))
            if len(self._shown) == 4 and all(one is two for one, two in zip(shown, self._shown, strict=True)):
                return  # much is worked out anew that changes nothing here
            source, target = self.graphs()
            rows = translation.rows if translation is not None else []
            ends = (packs.get(thing.dialect), packs[session.plan.choices.target])
            folds = self.folds.setdefault(thing.id, Folds.of(source, target))
            pictured = thing.kind is Kind.MATERIAL
            drawn = geometry.lay_out(source, target, rows, ends, self.state.fate, folds, pictured)
            shown = (*shown[:3], folds)
        self._shown = shown
        self.show_drawn(drawn)
        if other:
            self.verticalScrollBar().setValue(0)
            self.horizontalScrollBar().setValue(0)
        self.painting.marked = {id(row) for row in self.found()}

    # folding

    def fold(self, spot: Spot | None) -> None:
        """Fold what feeds a node into it, or unfold it."""
        found = walking.find(self.drawn, spot)
        if found is None or not (found[0].folds or found[0].hidden):
            return
        slip = found[0]
        folds = self.folds[self.of].turned(slip.side, slip.node.id)
        if slip.node.id not in folds.side(slip.side) and slip.hidden > OPEN:  # what comes out is folded in its turn
            graph = self.graphs()[0 if slip.side == "source" else 1]
            folds = folds.nearer(graph, slip.side, slip.node.id)
        self._fold_as(folds)

    def fold_all(self, fold: bool) -> None:
        """Fold both networks as far as can be, or unfold them (as many nodes as are ever shown)."""
        source, target = self.graphs()
        listed = self.folds.get(self.of, Folds()).listed
        made = Folds.closed(source, target) if fold else Folds.of(source, target, MOST)
        self._fold_as(replace(made, listed=listed))

    def list_defaults(self, spot: Spot | None, on: bool | None = None) -> None:
        """List a node's values at their defaults, or no more."""
        if spot is not None and self.of in self.folds:
            self._fold_as(self.folds[self.of].listing(spot.side, spot.node, on))

    def _fold_as(self, folds: Folds) -> None:
        if self.of and folds != self.folds.get(self.of):
            self.folds[self.of] = folds
            self.renew()

    def _unfold_to(self, row: Row) -> None:
        """Unfold what a row is folded into, where neither of its ends is shown."""
        if self.at is not None or self.of not in self.folds or self.state.fate is not None:
            return
        source, target = self.graphs()
        folds = self.folds[self.of]
        for side, graph, names in (("source", source, [row.node]), ("target", target, [n for n, _ in row.targets])):
            for name in names:
                if name in graph.nodes:
                    folds = folds.opened_to(graph, side, name)
        self._fold_as(folds)
        self.at = walking.spot_of(self.drawn, row)

    # going about

    def _measure(self) -> None:
        """Set how far there is to go, and look again."""
        room, size = self.room, self.viewport().size()
        room.width, room.height = float(size.width()), float(size.height())
        down, across = self.verticalScrollBar(), self.horizontalScrollBar()
        down.setRange(0, max(round(self.drawn.height * room.zoom) - size.height(), 0))
        down.setPageStep(size.height())
        half = size.width() / 2.0 - room.edge
        across.setRange(0, max(round(self.drawn.extent * room.zoom - half), 0))
        across.setPageStep(max(round(half), 1))
        self._look()

    def _look(self) -> None:
        """Look from where the bars stand; what is smaller than the window stands in its upper middle."""
        room = self.room
        room.reach = self.horizontalScrollBar().value() / room.zoom
        spare = room.height - self.drawn.height * room.zoom
        room.top = -spare / 3.0 / room.zoom if spare > 0 else self.verticalScrollBar().value() / room.zoom

    def scrollContentsBy(self, dx: int, dy: int) -> None:
        self._look()
        self.refresh()

    def zoom_to(self, zoom: float, at: QPointF | None = None) -> None:
        """Show the pages larger or smaller; what is under a point stays there."""
        before, after = self.room.zoom, min(max(zoom, NEAREST[0]), NEAREST[1])
        if after == before:
            return
        point = at or QPointF(self.room.width / 2.0, 0.0)
        aside = abs(point.x() - self.room.width / 2.0)
        u, y = self.room.reach + aside / before - GUTTER / 2.0, self.room.top + point.y() / before
        self.room.zoom = after
        self._calm.start()
        self._measure()
        self.verticalScrollBar().setValue(round(y * after - point.y()))
        if aside > GUTTER / 2.0 * before:
            self.horizontalScrollBar().setValue(round((u + GUTTER / 2.0) * after - aside))
        self._look()
        self.refresh()

    def show_all(self) -> None:
        """As much of both networks as can be, no larger than they are."""
        size = self.viewport().size()
        wide = (size.width() / 2.0) / max(self.drawn.extent + GUTTER / 2.0, 1.0)
        self.zoom_to(min(1.0, wide, size.height() / max(self.drawn.height, 1.0)))

    def bring(self, slip: Slip, line: Line | None) -> None:
        """Have a line in view, pulling both pages as far as that needs."""
        place, page = self.room.place(slip, line), self.room.clip(slip.side)
        down, across = self.verticalScrollBar(), self.horizontalScrollBar()
        if place.top() < 8:
            down.setValue(down.value() + round(place.top() - 40))
        elif place.bottom() > page.height() - 8:
            down.setValue(down.value() + round(place.bottom() - page.height() + 40))
        source = slip.side == "source"
        outer = place.left() if source else page.right() - place.right()
        inner = page.right() - place.right() if source else place.left() - page.left()
        if inner < 0:
            across.setValue(across.value() + round(inner))
        elif outer < 8:
            across.setValue(across.value() + round(min(8 - outer, max(inner, 0.0))))

    def show_row(self, row: Row | None) -> None:
        """Have a row's line in view."""
        found = walking.find(self.drawn, self.at)
        if found is None or found[1] is None or found[1].row is not row:
            found = walking.find(self.drawn, walking.spot_of(self.drawn, row))
        if found is not None:
            self.bring(*found)

    def choose(self, spot: Spot | None) -> None:
        """Go to a spot: it is selected, and in view."""
        found = walking.find(self.drawn, spot)
        if found is None:
            return
        self.at = spot
        row = found[1].row if found[1] is not None else None
        self.state.select(Selection(self.of, row))
        self.at = spot
        self.bring(*found)
        self.refresh()

    # finding by words

    def found(self) -> list[Row]:
        """The rows that the words find: of a node or a parameter of that name, or of such a value."""
        said = self.words.lower().split()
        rows: dict[int, Row] = {}
        for slip, line in self.lines() if said else ():
            if line.row is not None and all(word in _text(slip, line) for word in said):
                rows[id(line.row)] = line.row
        return list(rows.values())

    def search(self, text: str) -> None:
        """Mark what some words find; to find in what is folded, it is unfolded."""
        self.words = text
        if text.strip() and self.of in self.folds and any(slip.hidden for slip in self.drawn.slips):
            self.fold_all(False)
        self.painting.marked = {id(row) for row in self.found()}
        self.refresh()

    def go_to_found(self) -> None:
        """Go to the next row that the words find."""
        rows, now = self.found(), self.state.selection.row
        if rows:
            place = rows.index(now) + 1 if now in rows else 0
            self.choose(walking.spot_of(self.drawn, rows[place % len(rows)]))

    def lines(self) -> list[tuple[Slip, Line]]:
        """Every line that is shown, source page first."""
        return [one for page in self.drawn.pages for one in page.lines()]

    # painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self.viewport())
        painter.fillRect(self.viewport().rect(), BOOTH)
        if self.drawn.slips:
            dots, hurried = self.devicePixelRatioF(), self._calm.isActive()
            self.painting.paint(painter, self.at, self.state.selection.row, dots, hurried)
            return
        painter.setFont(font(BODY))
        painter.setPen(INK)
        text = (
            "Nothing to face: it holds no network." if self.of else "Select a material, a light or a camera in Survey."
        )
        painter.drawText(self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, text)

    def show_pull(self, at: QPointF | None, rest: Spot | None = None) -> None:
        """Show a band's end as a hand pulls it, and where the other one stays; None when it is let go."""
        self.painting.pull = (at, rest) if at is not None and rest is not None else None
        self.refresh()

    # the mouse

    def row_at(self, x: float, y: float) -> Row | None:
        """The row under a point: of a line on a slip, or of the band that is nearest in the gutter."""
        found = walking.find(self.drawn, self.room.spot_at(QPointF(x, y)))
        if found is not None:
            return found[1].row if found[1] is not None else None
        band = self._band_at(QPointF(x, y))
        return band.row if band is not None else None

    def _band_at(self, at: QPointF) -> Band | None:
        return self.room.band_at(at, self.state.selection.row)

    def _end_at(self, band: Band | None, at: QPointF) -> str:
        """The side of the end of a band by which a point takes it; empty for none."""
        if band is None or band.right is None:
            return ""
        middle, near = self.room.width / 2.0, _GRASP * self.zoom
        if middle + self.room.edge - at.x() <= near:
            return "target"
        return "source" if band.left is not None and at.x() - middle + self.room.edge <= near else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        at = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._held = event.globalPosition()
            self.viewport().setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        if event.button() == Qt.MouseButton.RightButton:
            spot = self.room.spot_at(at)
            if spot is not None:
                self.choose(spot)
                self.asked.emit(spot, event.globalPosition().toPoint())
            return
        band, tab = self._band_at(at), self.room.tab_at(at)
        if tab is not None:
            self.fold(Spot(tab.side, tab.node.id))
        elif band is not None:
            self.at = None
            self.state.select(Selection(self.of, band.row))
            end = self._end_at(band, at)
            if end:
                self._grasped = True
                self.taken.emit(band, end, at)
        else:
            self._pressed(at)

    def _pressed(self, at: QPointF) -> None:
        slip, spot = self.room.slip_at(at), self.room.spot_at(at)
        if spot is not None:
            self.choose(spot)
        elif slip is not None and slip.more and self.room.inside(slip, more_box(slip)).contains(at):
            self.list_defaults(Spot(slip.side, slip.node.id))
        elif slip is None:
            self.at = None
            self.state.select(Selection(self.of))

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """With the middle button held, the pages are pulled along, each outward as far as the other."""
        at = event.position()
        if self._grasped:
            self.pulled.emit(at)
        elif self._held is not None:
            by = self._held - event.globalPosition()
            self._held = event.globalPosition()
            outward = -by.x() if at.x() < self.room.width / 2.0 else by.x()
            across, down = self.horizontalScrollBar(), self.verticalScrollBar()
            across.setValue(across.value() + round(outward))
            down.setValue(down.value() + round(by.y()))
        else:
            grasp = self._end_at(self._band_at(at), at)
            self.viewport().setCursor(Qt.CursorShape.OpenHandCursor if grasp else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._grasped:
            self._grasped = False
            self.dropped.emit(event.position())
        self._held = None
        self.viewport().unsetCursor()

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        """Twice on a line sets its value in the target; twice on a head folds."""
        spot = self.room.spot_at(event.position())
        if spot is not None and spot.parameter:
            self.entered.emit(spot)
        elif spot is not None:
            self.fold(spot)

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl the pages come nearer or go away; else they are scrolled, with Shift outward."""
        turned = event.angleDelta()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom_to(self.zoom * 1.15 ** (turned.y() / 120.0), event.position())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier or abs(turned.x()) > abs(turned.y()):
            across = self.horizontalScrollBar()
            across.setValue(across.value() - round((turned.x() or turned.y()) * 0.6))
        else:
            down = self.verticalScrollBar()
            down.setValue(down.value() - round(turned.y() * 0.6))
        event.accept()

    # keys

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Arrows go over the pages; Enter sets a value, Space folds, D lists defaults, Delete takes back what a hand did."""
        key, source = Qt.Key(event.key()), self.at is None or self.at.side == "source"
        if key in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self.choose(walking.down(self.drawn, self.at, 1 if key == Qt.Key.Key_Down else -1))
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            out = (key == Qt.Key.Key_Left) == source
            self.choose((walking.outward if out else walking.inward)(self.drawn, self.at))
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.at is not None:
            self.entered.emit(self.at)
        elif key == Qt.Key.Key_Space:
            self.fold(self.at)
        elif key == Qt.Key.Key_D and not event.modifiers():
            self.list_defaults(self.at)
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and self.at is not None:
            self.freed.emit(self.at)
        else:
            super().keyPressEvent(event)

    def ask_at(self) -> None:
        """Ask for the menu about the spot that is chosen."""
        found = walking.find(self.drawn, self.at)
        if found is not None:
            place = self.room.place(*found).bottomLeft().toPoint() + QPoint(8, 0)
            self.asked.emit(self.at, self.viewport().mapToGlobal(place))

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        """The key for menus asks about what is chosen; the mouse's button has done so already."""
        if event.reason() == QContextMenuEvent.Reason.Keyboard:
            self.ask_at()

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._measure()
        super().resizeEvent(event)

    def viewportEvent(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            text = self.tip(event.pos().toPointF())
            if text:
                QToolTip.showText(event.globalPos(), text, self)
            return True
        return super().viewportEvent(event)

    def tip(self, at: QPointF) -> str:
        """What is said of a point: of a line what it means, of a band what became of it and why."""
        session, thing = self.state.session, self.state.thing()
        if session is None or thing is None:
            return ""
        found = walking.find(self.drawn, self.room.spot_at(at))
        if found is None:
            band = self._band_at(at)
            return f"{band.row.fate.word}: {band.row.reason or band.row.fate.meaning}" if band is not None else ""
        slip, line = found
        pack = self.state.registry.packs.get(thing.dialect if slip.side == "source" else session.plan.choices.target)
        if line is not None:
            return words.parameter_tip(pack, slip.node.kind, line.parameter, line.row)
        kind = pack.type(slip.node.kind) if pack is not None else None
        said = f"{slip.node.kind.rpartition('.')[2]} · {slip.node.id}"
        return f"{said}\n{kind.meaning}" if kind is not None else said


def _text(slip: Slip, line: Line) -> str:
    return f"{slip.title} {slip.note} {line.parameter} {words.value(line.value, 4, 2)[:120]}".lower()
