"""Facing: the source's network and the target's, mirrored over a gutter, with a band for every value that crossed."""

from __future__ import annotations

from PySide6.QtCore import QEvent, QPointF, QRectF, QSize, Qt
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent, QWheelEvent
from PySide6.QtWidgets import QHBoxLayout, QLineEdit, QScrollArea, QSizePolicy, QToolTip, QWidget

from durvan.crossing.translation.ledger import worst
from durvan.crossing.translation.rows import Row
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph
from durvan.ui.kit import marks, words
from durvan.ui.kit.parts import Choice, column, small, title
from durvan.ui.kit.theme import (
    ACCENT,
    ACCENT_WASH,
    BODY,
    BOOTH,
    INK,
    PANEL,
    RULE,
    SLIP,
    SLIP_HEAD,
    SMALL,
    SOFT,
    STRONG_RULE,
    font,
)
from durvan.ui.kit.words import count, spoken
from durvan.ui.shared.state import Selection, State
from durvan.ui.stations.facing import layout as geometry
from durvan.ui.stations.station import Action, Bench, View
from durvan.ui.stations.swatches import Swatches

NEAREST = (0.35, 2.5)  # how far the pages may go away, and come near


def _worst(rows: list[Row]) -> list[Row]:
    """Rows that a person has to look at, those that need it most first."""
    return sorted((row for row in rows if row.fate >= Fate.FITTED), key=lambda row: -row.fate)


class Pages(QWidget):
    """The two pages. Up and down go from row to row; Ctrl and the wheel bring them nearer, the middle button pulls them along."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.drawn = geometry.Drawn()
        self.shift = 0.0
        self.zoom = 1.0
        self.words = ""
        self._held: QPointF | None = None
        self._marked: set[int] = set()
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Source and target networks, facing each other")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        for signal in (state.renewed, state.filtered):
            signal.connect(self.renew)
        state.selected.connect(self._selected)
        self.of = ""

    def _selected(self) -> None:
        if self.state.selection.thing != self.of:
            self.renew()
        self.update()

    def renew(self) -> None:
        """Lay the pages out again."""
        session, thing = self.state.session, self.state.thing()
        self.of = self.state.selection.thing
        if session is None or thing is None:
            self.drawn = geometry.Drawn()
        else:
            translation = session.plan.translations.get(thing.id)
            packs = self.state.registry.packs
            target = translation.graph if translation is not None else Graph()
            rows = translation.rows if translation is not None else []
            ends = (packs.get(thing.dialect), packs[session.plan.choices.target])
            self.drawn = geometry.lay_out(thing.graph, target, rows, ends, self.state.fate)
        self._measure()

    def _measure(self) -> None:
        wide, tall = self.drawn.width * self.zoom, self.drawn.height * self.zoom
        self.setMinimumSize(QSize(int(wide), int(tall) + 8))
        self._centre()
        self.update()

    def _centre(self) -> None:
        self.shift = max((self.width() / self.zoom - self.drawn.width) / 2.0, 0.0)

    # going about

    def zoom_to(self, zoom: float, at: QPointF | None = None) -> None:
        """Show the pages larger or smaller; what is under a point stays there."""
        before, self.zoom = self.zoom, min(max(zoom, NEAREST[0]), NEAREST[1])
        self._measure()
        area = self._area()
        if area is not None and at is not None and self.zoom != before:
            for bar, place in ((area.horizontalScrollBar(), at.x()), (area.verticalScrollBar(), at.y())):
                bar.setValue(round(bar.value() + place * (self.zoom / before - 1.0)))

    def _area(self) -> QScrollArea | None:
        parent = self.parentWidget()
        area = parent.parentWidget() if parent is not None else None
        return area if isinstance(area, QScrollArea) else None

    def wheelEvent(self, event: QWheelEvent) -> None:
        """With Ctrl the pages come nearer or go away; else they are scrolled."""
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.zoom_to(self.zoom * 1.15 ** (event.angleDelta().y() / 120.0), event.position())
            event.accept()
        else:
            super().wheelEvent(event)

    def show_row(self, row: Row | None) -> None:
        """Have a row's line in view."""
        area = self._area()
        found = (
            next(((slip, line) for slip, line in self.lines() if line.row is row), None) if row is not None else None
        )
        if area is not None and found is not None:
            slip, line = found
            x, y = (slip.x + slip.width / 2.0 + self.shift) * self.zoom, line.y * self.zoom
            area.ensureVisible(int(x), int(y), int(slip.width * self.zoom / 2.0), 60)

    def found(self) -> list[Row]:
        """The rows that the words find: of a node or a parameter of that name, or of such a value."""
        said = self.words.lower().split()
        rows: dict[int, Row] = {}
        for slip, line in self.lines() if said else ():
            if line.row is not None and all(word in self._text(slip, line) for word in said):
                rows[id(line.row)] = line.row
        return list(rows.values())

    @staticmethod
    def _text(slip: geometry.Slip, line: geometry.Line) -> str:
        return f"{slip.title} {slip.note} {line.parameter} {words.value(line.value, 4, 2)[:120]}".lower()

    def search(self, text: str) -> None:
        """Mark what some words find."""
        self.words = text
        self.update()

    def go_to_found(self) -> None:
        """Go to the next row that the words find."""
        rows, now = self.found(), self.state.selection.row
        if rows:
            place = rows.index(now) + 1 if now in rows else 0
            self.state.select(Selection(self.of, rows[place % len(rows)]))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._centre()
        super().resizeEvent(event)

    # painting

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), BOOTH)
        if not self.drawn.slips:
            painter.setFont(font(BODY))
            painter.setPen(INK)
            text = (
                "Select a material, a light or a camera in Survey."
                if not self.of
                else "Nothing to face: it holds no network."
            )
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        painter.scale(self.zoom, self.zoom)
        painter.translate(self.shift, 0.0)
        painter.setPen(QPen(INK, 1))
        # Only what is looked at: a network may be thousands of slips long.
        top, bottom = event.rect().top() / self.zoom - 40.0, event.rect().bottom() / self.zoom + 40.0
        self._marked = {id(row) for row in self.found()}
        for wire in self.drawn.wires:
            heights = [y for _, y in wire.points]
            if max(heights) < top or min(heights) > bottom:
                continue
            for (x0, y0), (x1, y1) in zip(wire.points, wire.points[1:], strict=False):
                painter.drawLine(QPointF(x0, y0), QPointF(x1, y1))
        for slip in self.drawn.slips:
            if slip.y + slip.height >= top and slip.y <= bottom:
                self._slip(painter, slip)
        chosen = self.state.selection.row
        for band in self.drawn.bands:
            if band.row is not chosen and band.main:
                self._band(painter, band, False)
        for band in self.drawn.bands:
            if band.row is chosen:
                self._band(painter, band, True)

    def _band(self, painter: QPainter, band: geometry.Band, chosen: bool) -> None:
        left, right = self.drawn.left_edge, self.drawn.right_edge
        y = band.left if band.left is not None else band.right
        if y is None:
            return
        end = band.right if band.right is not None else y
        fate = Fate.ADDED if band.left is None else band.row.fate
        if band.right is None and band.row.fate < Fate.LOST:
            self._absorbed(painter, left, y, chosen)
            return
        if chosen:
            pen = QPen(ACCENT, 2)
            painter.setPen(pen)
            if band.left is not None:
                painter.fillRect(QRectF(left - 3, y - 9, 3, 18), ACCENT)
            if band.right is not None:
                painter.fillRect(QRectF(right, end - 9, 3, 18), ACCENT)
        marks.draw(painter, fate, left + 4, right - 4, y, 2.2 if chosen else 1.4, toward=end)

    def _absorbed(self, painter: QPainter, left: float, y: float, chosen: bool) -> None:
        """A value that has no line of its own over there, because another one or the default says it."""
        painter.setPen(QPen(ACCENT if chosen else INK, 2.2 if chosen else 1.2))
        painter.drawLine(QPointF(left + 4, y), QPointF(left + 18, y))
        painter.setBrush(INK)
        painter.drawEllipse(QPointF(left + 20, y), 1.8, 1.8)
        painter.setBrush(Qt.BrushStyle.NoBrush)

    def _slip(self, painter: QPainter, slip: geometry.Slip) -> None:
        box = QRectF(slip.x, slip.y, slip.width, slip.height)
        painter.fillRect(box, SLIP)
        head = QRectF(slip.x, slip.y, slip.width, geometry.HEAD)
        painter.fillRect(head, SLIP_HEAD)
        source = slip.side == "source"
        near, far = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        if not source:
            near, far = far, near
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setPen(INK)
        painter.setFont(font(BODY, bold=True))
        inner = head.adjusted(8, 0, -8, 0)
        painter.drawText(inner, near | middle, slip.title)
        wide = painter.fontMetrics().horizontalAdvance(slip.title)
        painter.setPen(SOFT)
        painter.setFont(font(SMALL))
        room = int(inner.width() - wide - 10)
        note = painter.fontMetrics().elidedText(slip.note, Qt.TextElideMode.ElideMiddle, max(room, 0))
        if note != slip.title:
            painter.drawText(inner, far | middle, note)
        for line in slip.lines:
            self._line(painter, slip, line, near, far)

    def _line(
        self,
        painter: QPainter,
        slip: geometry.Slip,
        line: geometry.Line,
        near: Qt.AlignmentFlag,
        far: Qt.AlignmentFlag,
    ) -> None:
        box = QRectF(slip.x, line.y - geometry.ROW / 2, slip.width, geometry.ROW)
        if line.row is not None and line.row is self.state.selection.row:
            painter.fillRect(box, ACCENT_WASH)
        elif id(line.row) in self._marked:
            painter.fillRect(QRectF(box.left(), box.top() + 1.0, 3.0, box.height() - 1.0), ACCENT)
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(box.bottomLeft(), box.bottomRight())
        inner = box.adjusted(8, 0, -8, 0)
        # Slips away from the gutter have no band, so that their rows carry the mark themselves.
        if slip.depth > 0 and line.row is not None:
            x = inner.right() - 22 if slip.side == "source" else inner.left()
            marks.draw(painter, line.row.fate, x, x + 22, line.y)
            inner = inner.adjusted(0, 0, -28, 0) if slip.side == "source" else inner.adjusted(28, 0, 0, 0)
        middle = Qt.AlignmentFlag.AlignVCenter
        painter.setFont(font(SMALL))
        painter.setPen(INK)
        name = line.parameter[:80]
        painter.drawText(inner, near | middle, name)
        used = painter.fontMetrics().horizontalAdvance(name) + 10
        unit = line.unit
        unit_wide = painter.fontMetrics().horizontalAdvance(unit) + 3 if unit and not line.linked else 0
        said = "map" if line.linked else words.value(line.value, 4, 2)[:120]
        bold = font(SMALL, bold=True)
        painter.setFont(bold)
        room = int(inner.width() - used - unit_wide)
        text = painter.fontMetrics().elidedText(said, Qt.TextElideMode.ElideMiddle, max(room, 12))
        if slip.side == "source":
            painter.drawText(inner.adjusted(0, 0, -unit_wide, 0), far | middle, text)
            rest = inner
        else:
            painter.drawText(inner, far | middle, text)
            wide = painter.fontMetrics().horizontalAdvance(text)
            rest = inner.adjusted(wide + 3, 0, 0, 0)
        if unit_wide:
            painter.setPen(SOFT)
            painter.setFont(font(SMALL))
            painter.drawText(rest, far | middle, unit)

    # finding and choosing rows

    def lines(self) -> list[tuple[geometry.Slip, geometry.Line]]:
        """Every line that is shown, source page first, from top to bottom."""
        return [(slip, line) for slip in self.drawn.slips for line in slip.lines]

    def row_at(self, x: float, y: float) -> Row | None:
        """The row under a point: of a line on a slip, or of the band that is nearest in the gutter."""
        x, y = x / self.zoom - self.shift, y / self.zoom
        for slip, line in self.lines():
            if slip.x <= x <= slip.x + slip.width and abs(line.y - y) <= geometry.ROW / 2:
                return line.row
        if self.drawn.left_edge <= x <= self.drawn.right_edge:
            part = (x - self.drawn.left_edge) / geometry.GUTTER
            near = [(abs(self._height(band, part) - y), band.row) for band in self.drawn.bands if band.main]
            best = min(near, key=lambda found: found[0], default=None)
            if best is not None and best[0] <= 12:
                return best[1]
        return None

    def _height(self, band: geometry.Band, part: float) -> float:
        left = band.left if band.left is not None else band.right
        right = band.right if band.right is not None else band.left
        ease = part * part * (3 - 2 * part)
        return (left or 0.0) * (1 - ease) + (right or 0.0) * ease

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        """With the middle button held, the pages are pulled along."""
        area = self._area()
        if self._held is not None and area is not None:
            by = self._held - event.globalPosition()
            self._held = event.globalPosition()
            area.horizontalScrollBar().setValue(area.horizontalScrollBar().value() + round(by.x()))
            area.verticalScrollBar().setValue(area.verticalScrollBar().value() + round(by.y()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None
        self.unsetCursor()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if event.button() == Qt.MouseButton.MiddleButton:
            self._held = event.globalPosition()
            self.setCursor(Qt.CursorShape.ClosedHandCursor)
            return
        row = self.row_at(event.position().x(), event.position().y())
        self.state.select(Selection(self.of, row))

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(Qt.Key(event.key()))
        rows: list[Row] = []
        for _, line in self.lines():
            if line.row is not None and line.row not in rows:
                rows.append(line.row)
        if step is None or not rows:
            super().keyPressEvent(event)
            return
        now = self.state.selection.row
        place = rows.index(now) + step if now in rows else 0
        self.state.select(Selection(self.of, rows[place % len(rows)]))
        self.show_row(self.state.selection.row)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            text = self._tip(event.x() / self.zoom - self.shift, event.y() / self.zoom)
            if text:
                QToolTip.showText(event.globalPos(), text, self)
                return True
        return super().event(event)

    def _tip(self, x: float, y: float) -> str:
        session, thing = self.state.session, self.state.thing()
        if session is None or thing is None:
            return ""
        packs = self.state.registry.packs
        for slip, line in self.lines():
            if slip.x <= x <= slip.x + slip.width and abs(line.y - y) <= geometry.ROW / 2:
                pack = packs.get(thing.dialect) if slip.side == "source" else packs[session.plan.choices.target]
                return words.parameter_tip(pack, slip.node.kind, line.parameter, line.row)
        return ""


class Facing(View):
    """The station: which thing, and its two pages."""

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        state, looks = bench.state, bench.looks
        self.state = state
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
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.pages = Pages(state)
        self.area.setWidget(self.pages)
        self.search.textChanged.connect(self.pages.search)
        self.search.returnPressed.connect(self._next_found)
        down.addWidget(self.area, 1)
        for signal in (state.renewed, state.filtered, state.selected, state.looked):
            signal.connect(self._fill)

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
