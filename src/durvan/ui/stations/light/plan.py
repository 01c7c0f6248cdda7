"""The plan: the scene from above to scale, with its lights, their cones, the camera's frame, and probes that can be dragged."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QWidget

from durvan.crossing.light.ground import Ground, Lamp, from_above
from durvan.scene.probe import Probe
from durvan.ui.kit.theme import ACCENT, BOOTH, INK, SLIP, SMALL, SOFT, font

_NEAR = 11.0  # pixels within which a hand means something


class Plan(QWidget):
    """The drawing. `probed` tells of a probe that was chosen, `moved` of one that was dragged (its number, plan metres),
    `chosen` of a light.
    """

    probed = Signal(int)
    moved = Signal(int, float, float)
    chosen = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setMinimumSize(220, 160)
        self.setMouseTracking(True)
        self.setAccessibleName("plan of the scene")
        self.ground: Ground | None = None
        self.probes: tuple[Probe, ...] = ()
        self.up_axis = "Y"
        self.probe = 0
        self.selected = ""
        self.paper: QImage | None = None
        self._held: int | None = None
        self._at: tuple[float, float] | None = None

    def show_ground(self, ground: Ground | None, probes: tuple[Probe, ...], up_axis: str) -> None:
        """Show a plan with its probes."""
        if ground is not self.ground:
            self.paper = _paper(ground) if ground is not None else None
        self.ground, self.probes, self.up_axis = ground, probes, up_axis
        self.update()

    # where things are

    def _box(self) -> QRectF:
        side = min(self.width(), self.height()) - 8.0
        wide = self.width() - 8.0
        return QRectF((self.width() - wide) / 2.0, (self.height() - side) / 2.0, wide, side)

    def scale(self) -> float:
        """Pixels a metre."""
        if self.ground is None:
            return 1.0
        return self._box().height() / max(self.ground.high[1] - self.ground.low[1], 1e-9)

    def point(self, place: tuple[float, float]) -> QPointF:
        """Plan metres as a point of the widget."""
        assert self.ground is not None
        middle = self._box().center()
        x = middle.x() + (place[0] - (self.ground.low[0] + self.ground.high[0]) / 2.0) * self.scale()
        y = middle.y() + (place[1] - (self.ground.low[1] + self.ground.high[1]) / 2.0) * self.scale()
        return QPointF(x, y)

    def metres(self, point: QPointF) -> tuple[float, float]:
        """A point of the widget as plan metres."""
        assert self.ground is not None
        middle, k = self._box().center(), self.scale()
        return (
            (point.x() - middle.x()) / k + (self.ground.low[0] + self.ground.high[0]) / 2.0,
            (point.y() - middle.y()) / k + (self.ground.low[1] + self.ground.high[1]) / 2.0,
        )

    def where(self, number: int) -> tuple[float, float]:
        """Where a probe is, in plan metres; that of one that is dragged, where the hand is."""
        if number == self._held and self._at is not None:
            return self._at
        return from_above(self.probes[number].place, self.up_axis)

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), BOOTH)
        if self.ground is None or self.paper is None:
            p.setPen(INK)
            p.setFont(font(SMALL))
            p.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, "The plan is being drawn.")
            return
        low, high = self.point(self.ground.low), self.point(self.ground.high)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.drawImage(QRectF(low, high), self.paper)
        self._eye(p)
        for lamp in self.ground.lamps:
            self._lamp(p, lamp, lamp.path == self.selected)
        self._probes(p)
        self._ruler(p)

    def _eye(self, p: QPainter) -> None:
        assert self.ground is not None
        eye = self.ground.eye
        at = self.point(eye.place)
        far = 2.0 * (self.ground.high[0] - self.ground.low[0])
        ends = [
            QPointF(at.x() + far * way[0] * self.scale(), at.y() + far * way[1] * self.scale())
            for way in (eye.left, eye.right)
        ]
        p.setPen(QPen(INK, 1.2))
        p.drawLine(at, ends[0])
        p.drawLine(at, ends[1])
        for distance, pen in (
            (eye.near, QPen(INK, 1.0, Qt.PenStyle.DashLine)),
            (eye.focus, QPen(SOFT, 1.0, Qt.PenStyle.DotLine)),
        ):
            if distance > 0.0:
                a, b = (
                    QPointF(at.x() + distance * way[0] * self.scale(), at.y() + distance * way[1] * self.scale())
                    for way in (eye.left, eye.right)
                )
                p.setPen(pen)
                p.drawLine(a, b)
        p.setPen(QPen(INK, 1.2))
        p.setBrush(INK)
        p.drawRect(QRectF(at.x() - 4.0, at.y() - 3.0, 8.0, 6.0))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _lamp(self, p: QPainter, lamp: Lamp, chosen: bool) -> None:
        ink = ACCENT if chosen else INK
        at = self.point(lamp.place)
        k = self.scale()
        if lamp.far:
            self._far(p, lamp, ink)
            return
        wide = QPointF(lamp.right[0] * k, lamp.right[1] * k)
        p.setPen(QPen(ink, 2.4 if chosen else 1.6))
        if math.hypot(lamp.way[0], lamp.way[1]) > 0.2:
            p.drawLine(at - wide, at + wide)
            self._beam(p, at, lamp, ink)
        elif lamp.long and math.hypot(wide.x(), wide.y()) > 3.0:
            p.setPen(QPen(ink, 4.0))
            p.drawLine(at - wide, at + wide)
            p.setPen(QPen(ACCENT if chosen else SLIP, 1.6))
            p.drawLine(at - wide, at + wide)
        else:
            r = max(math.hypot(wide.x(), wide.y()), 3.5)
            p.setBrush(SLIP if not chosen else ACCENT)
            p.drawEllipse(at, r, r)
            p.setBrush(Qt.BrushStyle.NoBrush)

    def _beam(self, p: QPainter, at: QPointF, lamp: Lamp, ink: QColor) -> None:
        """Which way it shines: its cone where it has one, else a short stroke."""
        heading = math.atan2(lamp.way[1], lamp.way[0])
        p.setPen(QPen(ink, 1.0))
        if lamp.cone < 90.0:
            reach = 46.0
            for side in (-1.0, 1.0):
                a = heading + side * math.radians(lamp.cone)
                p.drawLine(at, QPointF(at.x() + reach * math.cos(a), at.y() + reach * math.sin(a)))
        else:
            p.drawLine(at, QPointF(at.x() + 14.0 * math.cos(heading), at.y() + 14.0 * math.sin(heading)))

    def _far(self, p: QPainter, lamp: Lamp, ink: QColor) -> None:
        """A far light comes in from the edge, as three parallel strokes."""
        length = math.hypot(lamp.way[0], lamp.way[1])
        if length < 1e-3:
            return
        way = QPointF(lamp.way[0] / length, lamp.way[1] / length)
        box = self._box().adjusted(18, 18, -18, -18)
        middle = box.center()
        reach = 0.46 * min(box.width(), box.height())
        start = middle - way * reach
        side = QPointF(-way.y(), way.x())
        p.setPen(QPen(ink, 1.4))
        for n in (-1, 0, 1):
            a = start + side * (n * 7.0)
            p.drawLine(a, a + way * 26.0)
        tip = start + way * 32.0
        p.setBrush(ink)
        p.drawPolygon(QPolygonF([tip, tip - way * 7.0 + side * 4.0, tip - way * 7.0 - side * 4.0]))
        p.setBrush(Qt.BrushStyle.NoBrush)

    def _probes(self, p: QPainter) -> None:
        p.setFont(font(SMALL, bold=True))
        for number, probe in enumerate(self.probes):
            at = self.point(self.where(number))
            now = number == self.probe
            p.setPen(QPen(ACCENT if now else INK, 2.0 if now else 1.2))
            size = 6.0 if now else 4.0
            p.drawLine(at - QPointF(size, 0), at + QPointF(size, 0))
            p.drawLine(at - QPointF(0, size), at + QPointF(0, size))
            if now:
                p.drawEllipse(at, 8.0, 8.0)
                p.drawText(at + QPointF(11.0, 4.0), probe.name)

    def _ruler(self, p: QPainter) -> None:
        """A length to judge by: one, two or five of some power of ten, about a fifth of the width."""
        wanted = self._box().width() / 5.0 / self.scale()
        power = 10.0 ** math.floor(math.log10(max(wanted, 1e-6)))
        length = max(step * power for step in (1.0, 2.0, 5.0) if step * power <= wanted * 1.0001)
        y, x = self.height() - 12.0, 12.0
        p.setPen(QPen(INK, 1.4))
        p.drawLine(QPointF(x, y), QPointF(x + length * self.scale(), y))
        for end in (x, x + length * self.scale()):
            p.drawLine(QPointF(end, y - 3), QPointF(end, y + 3))
        p.setFont(font(SMALL))
        p.drawText(
            QPointF(x + length * self.scale() + 7.0, y + 4.0),
            f"{length:g} m" if length >= 1.0 else f"{100 * length:g} cm",
        )

    # hands

    def _probe_at(self, point: QPointF) -> int | None:
        near = [(math.hypot(*(self.point(self.where(n)) - point).toTuple()), n) for n in range(len(self.probes))]
        best = min(near, default=(1e9, 0))
        return best[1] if best[0] < _NEAR else None

    def _lamp_at(self, point: QPointF) -> str:
        assert self.ground is not None
        near = [
            (math.hypot(*(self.point(lamp.place) - point).toTuple()), lamp.path)
            for lamp in self.ground.lamps if not lamp.far
        ]  # fmt: skip
        best = min(near, default=(1e9, ""))
        return best[1] if best[0] < _NEAR else ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.ground is None or event.button() != Qt.MouseButton.LeftButton:
            return
        number = self._probe_at(event.position())
        if number is not None:
            self._held = number
            self.probed.emit(number)
            return
        path = self._lamp_at(event.position())
        if path:
            self.chosen.emit(path)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self.ground is None:
            return
        if self._held is not None:
            self._at = self.metres(event.position())
            self.update()
        near = self._probe_at(event.position()) is not None or bool(self._lamp_at(event.position()))
        self.setCursor(Qt.CursorShape.PointingHandCursor if near else Qt.CursorShape.ArrowCursor)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        held, at = self._held, self._at
        self._held = self._at = None
        if held is not None and at is not None:
            self.moved.emit(held, at[0], at[1])


def _paper(ground: Ground) -> QImage:
    """The edges as ink on the booth's grey."""
    dark = ground.picture.astype(np.float64) / 255.0
    grey = np.clip(150.0 - 92.0 * dark, 0, 255).astype(np.uint8)
    side = grey.shape[0]
    held = np.ascontiguousarray(grey)
    return QImage(held.data, side, side, side, QImage.Format.Format_Grayscale8).copy()
