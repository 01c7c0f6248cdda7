"""How Facing's slips and bands are drawn. A slip is drawn once as a picture and kept, so that going about is quick."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QImage, QPainter, QPen, QPixmap

from durvan.scene.fate import Fate
from durvan.ui.kit import marks, words
from durvan.ui.kit.theme import (
    ACCENT,
    ACCENT_WASH,
    BODY,
    BOOTH,
    INK,
    RULE,
    SLIP,
    SLIP_HEAD,
    SMALL,
    SOFT,
    STRONG_RULE,
    font,
)
from durvan.ui.kit.words import count
from durvan.ui.stations.facing.layout import FOOT, HEAD, ROW, Band, Line, Slip

NEAR, FAR = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
MIDDLE = Qt.AlignmentFlag.AlignVCenter
THUMB = FOOT - 8
LEGIBLE = 0.5  # nearer than this, lines are lettered
_KEPT = 96_000_000  # bytes of pictures of slips


@dataclass(frozen=True)
class Gives:
    """What a node gives: a small picture, and it in words."""

    picture: QImage
    said: str = ""


class Press:
    """Draws slips, and keeps what it drew."""

    def __init__(self) -> None:
        self.kept: OrderedDict[int, tuple[Slip, float, QPixmap]] = OrderedDict()
        self.bytes = 0
        self.gives: dict[tuple[str, str], Gives] = {}

    def forget(self) -> None:
        """Everything is to be drawn again."""
        self.kept.clear()
        self.bytes = 0

    def slip(self, painter: QPainter, slip: Slip, at: QPointF, zoom: float, dots: float, hurried: bool) -> None:
        """Draw a slip with its upper left corner at a place of the window; what is `hurried` may be stretched for now."""
        found = self.kept.get(id(slip))
        if found is None or (found[1] != zoom * dots and not hurried):
            found = slip, zoom * dots, self._drawn(slip, zoom, dots)
            self._keep(found)
        painter.drawPixmap(QRectF(at.x(), at.y(), slip.width * zoom, slip.height * zoom), found[2], _whole(found[2]))

    def _keep(self, made: tuple[Slip, float, QPixmap]) -> None:
        """Keep a picture, and let the oldest go where they take too much."""
        before = self.kept.pop(id(made[0]), None)
        self.kept[id(made[0])] = made
        self.bytes += _bytes(made[2]) - (_bytes(before[2]) if before is not None else 0)
        while self.bytes > _KEPT and len(self.kept) > 1:
            self.bytes -= _bytes(self.kept.popitem(last=False)[1][2])

    def _drawn(self, slip: Slip, zoom: float, dots: float) -> QPixmap:
        made = QPixmap(max(round(slip.width * zoom * dots), 1), max(round(slip.height * zoom * dots), 1))
        made.fill(SLIP)
        painter = QPainter(made)
        painter.scale(made.width() / slip.width, made.height() / slip.height)
        _head(painter, slip, zoom)
        for number, line in enumerate(slip.lines):
            draw_line(painter, slip, line, number, zoom=zoom)
        if slip.foot:
            _foot(painter, slip, self.gives.get((slip.side, slip.node.id)), zoom)
        painter.end()
        return made


def _bytes(picture: QPixmap) -> int:
    return 4 * picture.width() * picture.height()


def _whole(picture: QPixmap) -> QRectF:
    return QRectF(0.0, 0.0, picture.width(), picture.height())


def _sides(slip: Slip) -> tuple[Qt.AlignmentFlag, Qt.AlignmentFlag]:
    """Where names and where values stand: values towards the gutter."""
    return (NEAR, FAR) if slip.side == "source" else (FAR, NEAR)


def _head(painter: QPainter, slip: Slip, zoom: float) -> None:
    head = QRectF(0.0, 0.0, slip.width, HEAD)
    painter.fillRect(head, SLIP_HEAD)
    near, far = _sides(slip)
    painter.setPen(INK)
    painter.setFont(font(BODY, bold=True))
    inner = head.adjusted(8, 0, -8, 0)
    painter.drawText(inner, near | MIDDLE, slip.title)
    if zoom < LEGIBLE:
        return
    wide = painter.fontMetrics().horizontalAdvance(slip.title)
    painter.setPen(SOFT)
    painter.setFont(font(SMALL))
    note = _elided(painter, slip.note, int(inner.width() - wide - 10))
    if note != slip.title:
        painter.drawText(inner, far | MIDDLE, note)


def _elided(painter: QPainter, text: str, room: int) -> str:
    return painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideMiddle, max(room, 0))


def draw_line(
    painter: QPainter, slip: Slip, line: Line, number: int, ground: QColor | None = None, zoom: float = 1.0
) -> None:  # fmt: skip
    """Draw one parameter at its place on a slip that stands at the origin; on a `ground` of its own where it is marked."""
    box = QRectF(0.0, HEAD + ROW * number, slip.width, ROW)
    if ground is not None:
        painter.fillRect(box, ground)
    painter.setPen(QPen(RULE, 1))
    painter.drawLine(box.bottomLeft(), box.bottomRight())
    near, far = _sides(slip)
    inner = box.adjusted(8, 0, -8, 0)
    # Slips away from the gutter have no band, so that their lines carry the mark themselves.
    if slip.column > 0 and line.row is not None:
        x = inner.right() - 22 if slip.side == "source" else inner.left()
        marks.draw(painter, line.row.fate, x, x + 22, box.center().y())
        inner = inner.adjusted(0, 0, -28, 0) if slip.side == "source" else inner.adjusted(28, 0, 0, 0)
    if zoom < LEGIBLE:
        return
    painter.setFont(font(SMALL))
    painter.setPen(SOFT if line.default else INK)
    name = line.parameter[:80]
    painter.drawText(inner, near | MIDDLE, name)
    _value(painter, slip, line, inner, painter.fontMetrics().horizontalAdvance(name) + 10, far)


def _value(
    painter: QPainter, slip: Slip, line: Line, inner: QRectF, used: int, far: Qt.AlignmentFlag
) -> None:  # fmt: skip
    """The value with its unit, as far as there is room beside the name."""
    unit = "" if line.linked else line.unit
    unit_wide = painter.fontMetrics().horizontalAdvance(unit) + 3 if unit else 0
    painter.setFont(font(SMALL, bold=not line.default))
    text = _elided(painter, said_of(line), max(int(inner.width() - used - unit_wide), 12))
    rest = inner
    if slip.side == "source":
        painter.drawText(inner.adjusted(0, 0, -unit_wide, 0), far | MIDDLE, text)
    else:
        painter.drawText(inner, far | MIDDLE, text)
        rest = inner.adjusted(painter.fontMetrics().horizontalAdvance(text) + 3, 0, 0, 0)
    if unit:
        painter.setPen(SOFT)
        painter.setFont(font(SMALL))
        painter.drawText(rest, far | MIDDLE, unit)


def said_of(line: Line) -> str:
    """A line's value in words."""
    return "map" if line.linked else words.value(line.value, 4, 2)[:120]


def more_of(slip: Slip) -> str:
    """What is said of values at their defaults."""
    return "" if not slip.more else "hide the defaults" if slip.listed else f"{slip.more} at default"


def more_box(slip: Slip) -> QRectF:
    """Where that is said, on a slip that stands at the origin; a press there lists them."""
    top = slip.height - slip.foot
    if not slip.pictured:
        return QRectF(0.0, top, slip.width, ROW)
    inset = THUMB + 14
    left = 0.0 if slip.side == "target" else inset
    return QRectF(left, top + FOOT / 2.0 - 2.0, slip.width - inset, FOOT / 2.0)


def _foot(painter: QPainter, slip: Slip, gives: Gives | None, zoom: float) -> None:
    """A small picture of what the node gives, that in words, and how many values are at their defaults."""
    near, _ = _sides(slip)
    top = slip.height - slip.foot
    if slip.pictured:
        x = 7.0 if slip.side == "source" else slip.width - 7.0 - THUMB
        box = QRectF(x, top + 4.0, THUMB, THUMB)
        painter.fillRect(box, SLIP_HEAD)
        if gives is not None:
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.drawImage(box, gives.picture)
        if zoom >= LEGIBLE:
            painter.setFont(font(SMALL))
            painter.setPen(INK)
            said = more_box(slip).translated(0.0, 4.0 - FOOT / 2.0)
            text = _elided(painter, gives.said, int(said.width() - 12)) if gives is not None else ""
            painter.drawText(said.adjusted(8, 0, -8, 0), near | MIDDLE, text)
    if zoom >= LEGIBLE:
        painter.setFont(font(SMALL))
        painter.setPen(SOFT)
        painter.drawText(more_box(slip).adjusted(8, 0, -8, 0), near | MIDDLE, more_of(slip))


def draw_tab(painter: QPainter, slip: Slip, zoom: float) -> None:
    """The tab at the outer edge of a slip that stands at the origin, by which what feeds it is folded: three leaves where it is,
    one where it can be."""
    if not slip.folds and not slip.hidden:
        return
    outward, edge = (-1.0, 0.0) if slip.side == "source" else (1.0, slip.width)
    painter.setPen(QPen(INK if slip.hidden else STRONG_RULE, 1))
    for leaf in range(3 if slip.hidden else 1):
        at = edge + outward * (3.0 + 3.0 * leaf)
        painter.drawLine(QPointF(at, 6.0), QPointF(at, HEAD - 6.0))
    if slip.hidden and zoom >= LEGIBLE:
        painter.setFont(font(SMALL))
        room = QRectF(edge if outward > 0 else edge - 120.0, HEAD - 2.0, 120.0, 16.0)
        painter.setPen(INK)
        painter.drawText(
            room.adjusted(4, 0, -4, 0), (NEAR if outward > 0 else FAR) | MIDDLE, count(slip.hidden, "node")
        )


def draw_band(painter: QPainter, band: Band, left: float, right: float, chosen: bool) -> None:
    """Draw a row over the gutter, between two edges."""
    y = band.left[1].y if band.left is not None else band.right[1].y if band.right is not None else 0.0
    end = band.right[1].y if band.right is not None else y
    fate = Fate.ADDED if band.left is None else band.row.fate
    if band.right is None and band.row.fate < Fate.LOST:
        _absorbed(painter, left, y, chosen)
        return
    if chosen:
        painter.setPen(QPen(ACCENT, 2))
        if band.left is not None:
            painter.fillRect(QRectF(left - 3, y - 9, 3, 18), ACCENT)
        if band.right is not None:
            painter.fillRect(QRectF(right, end - 9, 3, 18), ACCENT)
    marks.draw(painter, fate, left + 4, right - 4, y, 2.2 if chosen else 1.4, toward=end)


def draw_drift(painter: QPainter, band: Band, left: float, right: float) -> None:
    """Say in the middle of a band what drift a fit came to."""
    ends = [end[1].y for end in (band.left, band.right) if end is not None]
    if band.row.drift is None or not ends:
        return
    painter.setFont(font(SMALL, bold=True))
    said = f"{band.row.drift[1]:.1f}"
    wide = painter.fontMetrics().horizontalAdvance(said) + 8
    box = QRectF((left + right - wide) / 2.0, sum(ends) / len(ends) - 8.0, wide, 16.0)
    painter.fillRect(box, BOOTH)
    painter.setPen(INK)
    painter.drawText(box, Qt.AlignmentFlag.AlignCenter, said)


def _absorbed(painter: QPainter, left: float, y: float, chosen: bool) -> None:
    """A value that has no line of its own over there, because another one or the default says it."""
    painter.setPen(QPen(ACCENT if chosen else INK, 2.2 if chosen else 1.2))
    painter.drawLine(QPointF(left + 4, y), QPointF(left + 18, y))
    painter.setBrush(INK)
    painter.drawEllipse(QPointF(left + 20, y), 1.8, 1.8)
    painter.setBrush(Qt.BrushStyle.NoBrush)


def draw_way(painter: QPainter, start: QPointF, end: QPointF) -> None:
    """Where the chosen row goes from one slip to another that is not at the gutter: behind everything."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    painter.setPen(QPen(ACCENT, 2, Qt.PenStyle.DashLine))
    painter.drawPath(marks.way(start.x(), end.x(), start.y(), end.y()))
    painter.restore()


def overlay(painter: QPainter, slip: Slip, line: Line, chosen: bool, marked: bool) -> None:
    """Draw what is special about a line over the kept picture of its slip, which stands at the origin."""
    number = slip.lines.index(line)
    if chosen:
        draw_line(painter, slip, line, number, ACCENT_WASH)
    elif marked:
        painter.fillRect(QRectF(0.0, HEAD + ROW * number + 1.0, 3.0, ROW - 1.0), ACCENT)
