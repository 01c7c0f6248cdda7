"""Fate marks: told by line first and ink second, the same in bands, strips, tables and lists."""

from __future__ import annotations

import math

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from durvan.scene.fate import Fate
from durvan.ui.kit.theme import INKS


def draw(
    painter: QPainter, fate: Fate, left: float, right: float, y: float, width: float = 1.4, ink: QColor | None = None,
    toward: float | None = None,
) -> None:  # fmt: skip
    """Draw a fate's line from `left` to `right` at height `y`; with `toward` it ends at another height (a band)."""
    painter.save()
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    pen = QPen(ink or INKS[fate], width)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    painter.setPen(pen)
    painter.setBrush(Qt.BrushStyle.NoBrush)
    end = y if toward is None else toward
    _DRAWN[fate](painter, left, right, y, end, pen)
    painter.restore()


def way(left: float, right: float, y: float, end: float, lift: float = 0.0) -> QPainterPath:
    path = QPainterPath(QPointF(left, y + lift))
    if y == end:
        path.lineTo(right, end + lift)
    else:
        third = (right - left) * 0.42
        path.cubicTo(QPointF(left + third, y + lift), QPointF(right - third, end + lift), QPointF(right, end + lift))
    return path


def _kept(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    p.drawPath(way(left, right, y, end))


def _recast(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    p.drawPath(way(left, right, y, end, -2.0))
    p.drawPath(way(left, right, y, end, 2.0))


def _fitted(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    path = way(left, right, y, end)
    length = path.length()
    wave = QPainterPath(path.pointAtPercent(0.0))
    steps = max(int(length / 1.5), 2)
    for step in range(1, steps + 1):
        part = step / steps
        point = path.pointAtPercent(part)
        wave.lineTo(point.x(), point.y() + 3.0 * math.sin(part * length / 11.0 * 2.0 * math.pi))
    p.drawPath(wave)


def _baked(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    path = way(left, right, y, end)
    count = max(int(path.length() / 8.0), 1)
    for step in range(count + 1):
        point = path.pointAtPercent(step / count)
        p.fillRect(QRectF(point.x() - 2.0, point.y() - 2.0, 4.0, 4.0), pen.color())


def _added(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    start = max(left, right - 34.0) if right - left > 60.0 else left + 5.0
    p.drawPath(way(start, right, end, end))
    p.drawLine(QPointF(start, end - 4.5), QPointF(start, end + 4.5))
    p.drawLine(QPointF(start - 4.5, end), QPointF(start + 4.5, end))


def _lost(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    stop = left + (right - left) * 0.62 if right - left < 60.0 else left + 46.0
    p.drawPath(way(left, stop, y, y))
    p.drawLine(QPointF(stop, y - 4.5), QPointF(stop, y + 4.5))


def _held(p: QPainter, left: float, right: float, y: float, end: float, pen: QPen) -> None:
    path = way(left, right, y, end)
    middle = path.pointAtPercent(0.5)
    gap = 4.5
    length = path.length()
    if length <= 2.0 * gap:  # no room for more than a ring
        p.drawEllipse(middle, min(gap, length / 2.0), min(gap, length / 2.0))
        return
    for first, last in ((0.0, 0.5 - gap / length), (0.5 + gap / length, 1.0)):
        part = QPainterPath(path.pointAtPercent(first))
        for step in range(1, 13):
            part.lineTo(path.pointAtPercent(min(max(first + (last - first) * step / 12.0, 0.0), 1.0)))
        p.drawPath(part)
    p.drawEllipse(middle, gap, gap)


_DRAWN = {
    Fate.KEPT: _kept, Fate.RECAST: _recast, Fate.FITTED: _fitted, Fate.BAKED: _baked, Fate.ADDED: _added,
    Fate.LOST: _lost, Fate.HELD: _held,
}  # fmt: skip
