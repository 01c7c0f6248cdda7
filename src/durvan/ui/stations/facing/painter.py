"""Paints both pages as a room shows them: links, slips, bands, and what is chosen, marked or pulled."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from durvan.crossing.translation.rows import Row
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, INK
from durvan.ui.stations.facing import walking
from durvan.ui.stations.facing.drawing import (
    LEGIBLE,
    Gives,
    Press,
    draw_band,
    draw_drift,
    draw_line,
    draw_tab,
    draw_way,
    overlay,
)
from durvan.ui.stations.facing.layout import GUTTER, HEAD, ROW, Band, Page, Slip
from durvan.ui.stations.facing.room import Room
from durvan.ui.stations.facing.walking import Spot

VEIL = QColor(211, 211, 211, 190)


class PagePainter:
    """`marked` are the rows that are searched for, `offers` the side and the spots to which a band's end may go while it is pulled,
    `pull` where that is, and where its other end stays."""

    def __init__(self, room: Room) -> None:
        self.room = room
        self.press = Press()
        self.marked: set[int] = set()
        self.offers: tuple[str, set[Spot]] | None = None
        self.pull: tuple[QPointF, Spot] | None = None
        self._at: Spot | None = None
        self._row: Row | None = None

    def forget(self) -> None:
        """What was drawn is out of date."""
        self.press.forget()

    def show_gives(self, gives: dict[tuple[str, str], Gives]) -> None:
        """Show what nodes give."""
        self.press.gives = gives
        self.press.forget()

    def paint(self, painter: QPainter, at: Spot | None, row: Row | None, dots: float, hurried: bool) -> None:
        """Paint everything; what is `hurried` may be stretched for now."""
        self._at, self._row = at, row
        for page in self.room.drawn.pages:
            painter.setClipRect(self.room.clip(page.side))
            self._links(painter, page)
        painter.setClipping(False)
        self._far(painter)
        for page in self.room.drawn.pages:
            painter.setClipRect(self.room.clip(page.side))
            for slip in self.room.seen(page.side):
                self._slip(painter, slip, dots, hurried)
        painter.setClipping(False)
        self._bands(painter)
        if self.pull is not None:
            self._pulled(painter, *self.pull)

    def _links(self, painter: QPainter, page: Page) -> None:
        painter.save()
        painter.setTransform(self.room.outward(page.side), True)
        pen = QPen(INK, 1)
        pen.setCosmetic(True)
        painter.setPen(pen)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(self.room.links[page.side])
        painter.restore()

    def _slip(self, painter: QPainter, slip: Slip, dots: float, hurried: bool) -> None:
        room = self.room
        at = room.box(slip).topLeft()
        self.press.slip(painter, slip, at, room.zoom, dots, hurried)
        tab = bool(slip.hidden) or (slip.folds and room.zoom >= LEGIBLE)
        if not tab and self._at is None and self._row is None and not self.marked and self.offers is None:
            return
        painter.save()
        painter.translate(at)
        painter.scale(room.zoom, room.zoom)
        self._special(painter, slip)
        if tab:
            draw_tab(painter, slip, room.zoom)
        painter.restore()

    def _special(self, painter: QPainter, slip: Slip) -> None:
        """What is chosen, marked or offered on a slip that stands at the origin."""
        here = (
            self._at if self._at is not None and (self._at.side, self._at.node) == (slip.side, slip.node.id) else None
        )
        if here is not None and not here.parameter:
            painter.setPen(QPen(ACCENT, 2))
            painter.drawRect(QRectF(1.0, 1.0, slip.width - 2.0, HEAD - 2.0))
        if self.offers is not None and slip.side == self.offers[0]:
            self._offered(painter, slip, self.offers[1])
        if here is None and self._row is None and not self.marked:
            return
        for line in slip.lines:
            is_at = here is not None and line.parameter == here.parameter
            chosen = is_at or (line.row is not None and line.row is self._row)
            marked = line.row is not None and id(line.row) in self.marked
            if chosen or marked:
                overlay(painter, slip, line, chosen, marked)

    def _offered(self, painter: QPainter, slip: Slip, offers: set[Spot]) -> None:
        """Veil the lines that cannot take what is pulled, and mark the one that it is over."""
        over = self.room.spot_at(self.pull[0]) if self.pull is not None else None
        for number, line in enumerate(slip.lines):
            spot = Spot(slip.side, line.node, line.parameter)
            if spot not in offers:
                painter.fillRect(QRectF(0.0, HEAD + ROW * number, slip.width, ROW), VEIL)
            elif over == spot:
                draw_line(painter, slip, line, number, ACCENT_WASH)

    # bands

    def _bands(self, painter: QPainter) -> None:
        room = self.room
        low, high = room.top - 20.0, room.top + room.height / room.zoom + 20.0
        painter.save()
        painter.translate(room.width / 2.0, -room.top * room.zoom)
        painter.scale(room.zoom, room.zoom)
        fitted: list[Band] = []
        for one in sorted(room.drawn.bands, key=lambda band: band.row is self._row):
            chosen = one.row is self._row
            if (one.main or chosen) and room.at_gutter(one):
                heights = [end[1].y for end in (one.left, one.right) if end is not None]
                if max(heights) > low and min(heights) < high:
                    draw_band(painter, *self._ends(one), chosen)
                    fitted += [one] if one.row.drift is not None and one.left is not None else []
        if fitted:  # the drift is that of the whole: said once, with what is chosen or with the first
            told = fitted[-1] if fitted[-1].row is self._row else fitted[0]
            draw_drift(painter, *self._ends(told))
        painter.restore()

    def _ends(self, band: Band) -> tuple[Band, float, float]:
        """A band as it is drawn, and between where: one whose end is farther out over there has only its start."""
        room = self.room
        left, right = band.left, band.right
        if right is not None and right[0].column != room.front(room.drawn.target):
            right = None
        start = -GUTTER / 2.0 - (left[0].u - room.reach if left is not None else 0.0)
        end = GUTTER / 2.0 + (right[0].u - room.reach if right is not None else 0.0)
        return Band(band.row, left, right, band.main), start, end

    def _far(self, painter: QPainter) -> None:
        """The way of the chosen row between slips that are not both at the gutter, behind everything."""
        room = self.room
        fronts = [room.front(page) for page in room.drawn.pages]
        for band in room.drawn.bands if self._row is not None else ():
            if band.row is self._row and band.left is not None and band.right is not None:
                if [band.left[0].column, band.right[0].column] == fronts:
                    continue
                start = QPointF(room.x_of("source", band.left[0].u), room.y_of(band.left[1].y))
                end = QPointF(room.x_of("target", band.right[0].u), room.y_of(band.right[1].y))
                draw_way(painter, start, end)

    def _pulled(self, painter: QPainter, to: QPointF, rest: Spot) -> None:
        """A band's end that a hand pulls, from where the other one stays."""
        found = walking.find(self.room.drawn, rest)
        if found is not None:
            start = QPointF(self.room.x_of(rest.side, found[0].u), self.room.place(*found).center().y())
            draw_way(painter, start, to)
