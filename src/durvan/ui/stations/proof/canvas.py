"""Both pictures, drawn: beside each other, split by a line, one in the other's place, or what is between them; with pins, a region, and what is
under the pointer.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, QTimer, Signal
from PySide6.QtGui import (
    QDragEnterEvent,
    QDropEvent,
    QImage,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
    QWheelEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from durvan.crossing.document.document import Pin
from durvan.proof.looking import lens, ways
from durvan.proof.looking.lens import Frame, Levels
from durvan.ui.followers.proving import Proofs
from durvan.ui.kit.theme import ACCENT, BOOTH, INK, SLIP, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.stations.proof.over import draw_legend, draw_pin, in_short
from durvan.ui.stations.proof.shots import Shots
from durvan.ui.stations.proof.showing import BESIDE, ONE, SPLIT, STEP, Line, Showing

_GAP = 8
_HEAD = 20  # over the pictures, for their names
_OUTSIDE = 0xFF000000 | (BOOTH.red() << 16) | (BOOTH.green() << 8) | BOOTH.blue()
_FAST, _ZOOM = 1.25, 1.0015  # a key's step, and a wheel's unit
_MOST, _LEAST = 64.0, 0.02
_NEAR, _GRIP = 7.0, 60.0  # points: how near the line a press has to be; how far from its middle its turning ends lie
_CALM, _LARGE = (
    140,
    700_000,
)  # milliseconds after zooming until all is drawn; pixels on the screen from which it is not at once

KEYS = (
    ("B, L, S", "beside, split, swap"), ("W, Shift+W", "next way, the one before"), ("F, D", "whole picture, dot for dot"),
    ("+, −, arrows", "nearer, farther, move"), (", and .", "darker, brighter; with Shift the target alone"), ("0", "exposures as they are"),
    ("C, X", "mark what is clipped; without noise"), ("M", "without the chosen cause"), ("N", "note under the pointer"),
    ("R", "region: the part in sight"), ("Return", "choose the material under the pointer"), ("H", "the picture alone, and all again"), ("Esc", "no region, no cause"),
)  # fmt: skip


@dataclass(frozen=True)
class Place:
    """A place of the picture in pixels, and the side that it was pointed at on (0 source, 1 target)."""

    x: int
    y: int
    side: int


class Canvas(QWidget):
    """Draws the pair as `Showing` says; a press picks, a drag moves, a wheel goes nearer."""

    pointed = Signal(object)  # a Place, or None
    picked = Signal(object)
    measured = Signal()
    noted = Signal(object)
    dropped = Signal(str, str)
    bared = Signal()

    def __init__(self, proofs: Proofs, showing: Showing) -> None:
        super().__init__()
        self.proofs, self.showing = proofs, showing
        self.shots = Shots()
        self.pins: tuple[Pin, ...] = ()
        self.titles = ("source", "target")
        self.place: Place | None = None
        self._pressed: tuple[QPointF, Frame | None, str] | None = None
        self._corner: Place | None = None
        self._coarse = 1  # how many screen pixels wide a pixel is drawn while one zooms in a large window
        self._calm = QTimer(self)
        self._calm.setSingleShot(True)
        self._calm.setInterval(_CALM)
        self._calm.timeout.connect(self._sharpen)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumSize(240, 160)
        self.setAccessibleName("Both pictures, or what is between them")
        showing.changed.connect(self.update)
        proofs.comparing.shown.connect(self._another)
        for signal in (proofs.comparing.mapped, proofs.comparing.explained):
            signal.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(900, 500)

    def _another(self) -> None:
        self.update()

    # where things are

    def boxes(self) -> list[tuple[int, QRectF]]:
        """The boxes that pictures are shown in, each with its side."""
        width, height = float(self.width()), float(self.height())
        tall = max(height - _HEAD - _GAP, 1.0)
        if self._beside():
            wide = (width - 3 * _GAP) / 2.0
            return [(0, QRectF(_GAP, _HEAD, wide, tall)), (1, QRectF(2 * _GAP + wide, _HEAD, wide, tall))]
        side = int(self.showing.second) if self.showing.arrangement == ONE else 1
        return [(side, QRectF(_GAP, _HEAD, width - 2 * _GAP, tall))]

    def _beside(self) -> bool:
        return self.showing.arrangement == BESIDE and not self.showing.way.between

    def frame(self) -> Frame:
        """The part in sight, in screen pixels."""
        pair = self.proofs.comparing.pair
        box = self.boxes()[0][1]
        size = self._pixels(box)
        if self.showing.frame is None and pair is not None:
            return Frame.fitting(pair.size, size)
        return self.showing.frame or Frame(0.0, 0.0, 1.0)

    def _pixels(self, box: QRectF) -> tuple[int, int]:
        ratio = self.devicePixelRatioF()
        return max(1, round(box.width() * ratio)), max(1, round(box.height() * ratio))

    def place_at(self, where: QPointF) -> Place | None:
        """The picture's pixel under a place of the widget; None where there is none."""
        pair = self.proofs.comparing.pair
        if pair is None:
            return None
        ratio, frame = self.devicePixelRatioF(), self.frame()
        for side, box in self.boxes():
            if box.contains(where):
                x, y = frame.at((where.x() - box.left()) * ratio, (where.y() - box.top()) * ratio)
                if 0.0 <= x < pair.size[0] and 0.0 <= y < pair.size[1]:
                    if self._split() and self.showing.line.side_of(x, y, *pair.size) < 0.0:
                        side = 0
                    return Place(int(x), int(y), side)
        return None

    def point_of(self, x: float, y: float, box: QRectF) -> QPointF:
        """Where a place of the picture is drawn in a box."""
        ratio, frame = self.devicePixelRatioF(), self.frame()
        return QPointF(
            box.left() + (x - frame.left) * frame.zoom / ratio, box.top() + (y - frame.top) * frame.zoom / ratio
        )

    def _split(self) -> bool:
        return self.showing.arrangement == SPLIT and not self.showing.way.between

    # drawing

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), BOOTH)
        pair = self.proofs.comparing.pair
        if pair is None:
            self._nothing(p)
            return
        if self.showing.way.between:
            self._between(p, self.boxes()[0][1])
        elif self._split():
            self._halves(p, self.boxes()[0][1])
        else:
            for side, box in self.boxes():
                self._one(p, side, box)
        for side, box in self.boxes():
            self._over(p, side, box)

    def _nothing(self, p: QPainter) -> None:
        p.setFont(font())
        p.setPen(INK)
        said = self.proofs.trouble or ("Reading…" if self.proofs.comparing.reading or self.proofs.running else "")
        said = (
            said
            or self.proofs.looks.trouble
            or "Render both sides, or drop a picture of each here: left the source, right the target."
        )
        p.drawText(self.rect().adjusted(40, 0, -40, 0), Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap, said)

    def shot(self, side: int, box: QRectF) -> QImage:
        """What a side's box shows."""
        pair, showing = self.proofs.comparing.pair, self.showing
        assert pair is not None
        size, way, frame = self._pixels(box), showing.way, self.frame()
        if self._coarse > 1:
            size = (max(1, size[0] // self._coarse), max(1, size[1] // self._coarse))
            frame = replace(frame, zoom=frame.zoom / self._coarse)
        if way.name == ways.PICTURE:
            levels = pair.pictures()[side]
            mended = self.proofs.comparing.mended if side == 1 and showing.mended else None
            shown = mended or levels
            toned = showing.toned(side, pair.response)
            key = (id(shown.levels[0]), showing.exposures[side], showing.view, showing.clipped)
            return self.shots.get(
                f"picture {side}", key, frame, size, lambda f, s: lens.picture(shown, f, s, toned, _OUTSIDE, showing.clipped)
            )  # fmt: skip
        return self._mapped(side, frame, size)

    def _mapped(self, side: int, frame: Frame, size: tuple[int, int]) -> QImage:
        pair, showing = self.proofs.comparing.pair, self.showing
        assert pair is not None
        way, scale = showing.way, showing.way.scale
        assert scale is not None
        if not self.proofs.comparing.want(way.name, showing.look):
            return self._waiting(size)
        levels = self.levels(side)
        stops = way.name == ways.EXPOSURE
        gain = showing.exposures[side] if stops else 0.0
        reach = (scale.low - gain, scale.high - gain)
        return self.shots.get(
            f"map {side}", (way.name, id(levels.levels[0]), reach), frame, size,
            lambda f, s: lens.measured(levels, f, s, scale.table(), reach, _OUTSIDE, stops),
        )  # fmt: skip

    def levels(self, side: int) -> Levels:
        """What is measured of a side, or between both, by the way of looking."""
        pair, way = self.proofs.comparing.pair, self.showing.way.name
        assert pair is not None
        if way == ways.CAUSE:
            assert self.proofs.comparing.effect is not None
            return self.proofs.comparing.effect
        if way == ways.EXPOSURE:
            return pair.luminances()[side]
        if way == ways.NOISE:
            return pair.noises()[side]
        return pair.between(way, self.showing.look)

    def _waiting(self, size: tuple[int, int]) -> QImage:
        made = QImage(size[0], size[1], QImage.Format.Format_RGB32)
        made.fill(BOOTH)
        p = QPainter(made)
        p.setFont(font())
        p.setPen(INK)
        cause = self.showing.way.name == ways.CAUSE
        said = "Choose a cause below." if cause and self.proofs.comparing.cause is None else "Working it out…"
        if cause and self.proofs.comparing.cause is not None and not self.proofs.comparing.errands.busy:
            said = "Nothing is known that would take this cause away."
        p.drawText(made.rect(), Qt.AlignmentFlag.AlignCenter, said)
        p.end()
        return made

    def _draw(self, p: QPainter, box: QRectF, shot: QImage) -> None:
        shot.setDevicePixelRatio(self.devicePixelRatioF() / self._coarse)
        p.drawImage(box.topLeft(), shot)

    def _sharpen(self) -> None:
        self._coarse = 1
        self.update()

    def _hurry(self) -> None:
        """Draw coarsely until the hand rests, where there is much to draw."""
        size = self._pixels(QRectF(self.rect()))
        self._coarse = 2 if size[0] * size[1] > _LARGE else 1
        self._calm.start()

    def _one(self, p: QPainter, side: int, box: QRectF) -> None:
        self._draw(p, box, self.shot(side, box))
        self._title(p, box, side)

    def _title(self, p: QPainter, box: QRectF, side: int, right: bool = False) -> None:
        p.setFont(font(SMALL, bold=True))
        p.setPen(INK)
        head = QRectF(box.left(), 0, box.width(), _HEAD)
        align = Qt.AlignmentFlag.AlignVCenter | (Qt.AlignmentFlag.AlignRight if right else Qt.AlignmentFlag.AlignLeft)
        name = self.titles[side]
        if side == 1 and self.showing.mended and self.proofs.comparing.mended is not None:
            name += ", without the chosen cause"
        p.drawText(head, align, name)
        entry = self.proofs.entry(("source", "target")[side])
        if entry is not None and not self.proofs.live and not right and self._beside():
            p.setFont(font(SMALL))
            p.setPen(SOFT)
            p.drawText(head, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, in_short(entry))

    def _halves(self, p: QPainter, box: QRectF) -> None:
        pair, line = self.proofs.comparing.pair, self.showing.line
        assert pair is not None
        self._draw(p, box, self.shot(0, box))
        a, b = self._line_points(box)
        along = b - a
        across = QPointF(-along.y(), along.x())
        length = math.hypot(across.x(), across.y()) or 1.0
        turn = math.radians(line.angle)
        if across.x() * math.cos(turn) + across.y() * math.sin(turn) < 0.0:
            across = QPointF(-across.x(), -across.y())
        far = across * (4.0 * (box.width() + box.height()) / length)
        half = QPainterPath()
        half.addPolygon(QPolygonF([a, b, b + far, a + far]))
        p.save()
        inside = QPainterPath()
        inside.addRect(box)
        p.setClipPath(half.intersected(inside))
        self._draw(p, box, self.shot(1, box))
        p.restore()
        p.save()
        p.setClipRect(box)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        for ink, wide in ((SLIP, 3.0), (INK, 1.0)):
            p.setPen(QPen(ink, wide))
            p.drawLine(a, b)
        p.setBrush(SLIP)
        p.setPen(QPen(INK, 1.2))
        for end in self._grips(box):
            p.drawRect(QRectF(end.x() - 4, end.y() - 4, 8, 8))
        p.restore()
        self._title(p, box, 0)
        self._title(p, box, 1, right=True)

    def _middle(self, box: QRectF) -> QPointF:
        pair, line = self.proofs.comparing.pair, self.showing.line
        assert pair is not None
        return self.point_of(line.across * pair.size[0], line.down * pair.size[1], box)

    def _line_points(self, box: QRectF) -> tuple[QPointF, QPointF]:
        """Two places far out on the line."""
        turn = math.radians(self.showing.line.angle)
        far = 4.0 * (box.width() + box.height())
        along = QPointF(-math.sin(turn) * far, math.cos(turn) * far)
        middle = self._middle(box)
        return middle - along, middle + along

    def _grips(self, box: QRectF) -> tuple[QPointF, QPointF]:
        turn = math.radians(self.showing.line.angle)
        along = QPointF(-math.sin(turn) * _GRIP, math.cos(turn) * _GRIP)
        middle = self._middle(box)
        return middle - along, middle + along

    def _between(self, p: QPainter, box: QRectF) -> None:
        scale = self.showing.way.scale
        assert scale is not None
        self._draw(p, box, self.shot(1, box))
        p.setFont(font(SMALL, bold=True))
        p.setPen(INK)
        head = QRectF(box.left(), 0, box.width(), _HEAD)
        name = self.showing.way.name
        if name == ways.STOPS and self.showing.look.channel < 3:
            name += f" of {('red', 'green', 'blue')[self.showing.look.channel]}"
        if self.showing.look.beyond_noise and name != ways.CAUSE:
            name += ", without noise"
        p.drawText(head, Qt.AlignmentFlag.AlignVCenter, name)

    def _over(self, p: QPainter, side: int, box: QRectF) -> None:
        """Scale, region, the part that is rendered, and pins."""
        p.save()
        p.setClipRect(box)
        scale = self.showing.way.scale
        if scale is not None:
            draw_legend(p, box, scale)
        for part, ink in ((self._part_box(), STRONG_RULE), (self.showing.region, ACCENT)):
            if part is not None:
                a, b = self.point_of(part[0], part[1], box), self.point_of(part[2], part[3], box)
                p.setPen(QPen(SLIP, 3))
                p.setBrush(Qt.BrushStyle.NoBrush)
                p.drawRect(QRectF(a, b))
                p.setPen(QPen(ink, 1))
                p.drawRect(QRectF(a, b))
        pair = self.proofs.comparing.pair
        assert pair is not None
        for pin in self.pins:
            draw_pin(p, self.point_of(pin.across * pair.size[0], pin.down * pair.size[1], box), pin)
        p.restore()

    def _part_box(self) -> tuple[int, int, int, int] | None:
        part, pair = self.proofs.part, self.proofs.comparing.pair
        if part is None or pair is None:
            return None
        w, h = pair.size
        return int(part[0] * w), int(part[1] * h), math.ceil(part[2] * w), math.ceil(part[3] * h)

    # hands

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.update()

    def wheelEvent(self, event: QWheelEvent) -> None:
        delta = event.angleDelta().y() or event.pixelDelta().y()
        self._zoom(_ZOOM**delta, event.position())
        event.accept()

    def _zoom(self, factor: float, where: QPointF | None = None) -> None:
        if self.proofs.comparing.pair is None:
            return
        box = self._box_at(where) if where is not None else self.boxes()[0][1]
        at = where if where is not None else box.center()
        self._hurry()
        frame, ratio = self.frame(), self.devicePixelRatioF()
        zoom = min(max(frame.zoom * factor, _LEAST), _MOST)
        self.showing.put(frame=frame.about((at.x() - box.left()) * ratio, (at.y() - box.top()) * ratio, zoom))

    def _box_at(self, where: QPointF) -> QRectF:
        return next((box for _, box in self.boxes() if box.contains(where)), self.boxes()[0][1])

    def _dot_for_dot(self) -> None:
        box = self.boxes()[0][1]
        frame, (width, height) = self.frame(), self._pixels(box)
        made = frame.about(width / 2.0, height / 2.0, 1.0)
        self.showing.put(frame=Frame(float(round(made.left)), float(round(made.top)), 1.0))

    def _move(self, x: float, y: float) -> None:
        if self.proofs.comparing.pair is not None:
            self.showing.put(frame=self.frame().moved(x, y))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        what = "move"
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            what = "region"
            self._corner = self.place_at(event.position())
        elif self._split() and self.proofs.comparing.pair is not None:
            what = self._grip_at(event.position()) or what
        self._pressed = (event.position(), self.showing.frame and self.frame(), what)
        self._from = self.frame()

    def _grip_at(self, where: QPointF) -> str:
        box = self.boxes()[0][1]
        if any((where - end).manhattanLength() < 2 * _NEAR for end in self._grips(box)):
            return "turn"
        a, b = self._line_points(box)
        along = b - a
        length = math.hypot(along.x(), along.y()) or 1.0
        far = abs((where.x() - a.x()) * along.y() - (where.y() - a.y()) * along.x()) / length
        return "line" if far < _NEAR else ""

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        where = event.position()
        self._point(self.place_at(where))
        if self._pressed is None:
            if self._split() and self.proofs.comparing.pair is not None:
                shape = {"turn": Qt.CursorShape.SizeAllCursor, "line": Qt.CursorShape.SplitHCursor}
                self.setCursor(shape.get(self._grip_at(where), Qt.CursorShape.CrossCursor))
            else:
                self.setCursor(Qt.CursorShape.CrossCursor)
            return
        start, _, what = self._pressed
        moved = where - start
        if what == "move" and moved.manhattanLength() >= 4 and self.proofs.comparing.pair is not None:
            ratio = self.devicePixelRatioF()
            self.showing.put(frame=self._from.moved(round(moved.x() * ratio), round(moved.y() * ratio)))
        elif what == "region":
            self._stretch(self.place_at(where))
        elif what in ("line", "turn"):
            self._pull(where, what)

    def _stretch(self, other: Place | None) -> None:
        if self._corner is not None and other is not None:
            a, b = self._corner, other
            region = (min(a.x, b.x), min(a.y, b.y), max(a.x, b.x) + 1, max(a.y, b.y) + 1)
            self.showing.put(region=region)

    def _pull(self, where: QPointF, what: str) -> None:
        pair, line = self.proofs.comparing.pair, self.showing.line
        assert pair is not None
        box, ratio = self.boxes()[0][1], self.devicePixelRatioF()
        if what == "line":
            x, y = self.frame().at((where.x() - box.left()) * ratio, (where.y() - box.top()) * ratio)
            across, down = min(max(x / pair.size[0], 0.0), 1.0), min(max(y / pair.size[1], 0.0), 1.0)
            self.showing.put(line=replace(line, across=across, down=down))
            return
        off = where - self._middle(box)
        angle = math.degrees(math.atan2(-off.x(), off.y()))
        near = round(angle / 15.0) * 15.0
        angle = near if abs(angle - near) < 2.0 else angle
        other = (angle - line.angle + 90.0) % 180.0 - 90.0  # either end may be pulled: the sides stay as they are
        self.showing.put(line=Line(line.across, line.down, (line.angle + other + 180.0) % 360.0 - 180.0))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        pressed, self._pressed = self._pressed, None
        if pressed is None:
            return
        if pressed[2] == "region":
            self.measured.emit()
        elif pressed[2] == "move" and (event.position() - pressed[0]).manhattanLength() < 4:
            place = self.place_at(event.position())
            if place is not None:
                self.picked.emit(place)

    def leaveEvent(self, event: object) -> None:
        self._point(None)

    def _point(self, place: Place | None) -> None:
        if place != self.place:
            self.place = place
            self.pointed.emit(place)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self._key(event):
            super().keyPressEvent(event)

    def _key(self, event: QKeyEvent) -> bool:
        """Do what a key stands for; whether it stands for anything."""
        showing, shift = self.showing, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        if event.modifiers() & (Qt.KeyboardModifier.ControlModifier | Qt.KeyboardModifier.AltModifier):
            return False
        key, far = event.key(), 64
        side = 1 if shift else None
        does = {
            Qt.Key.Key_B: lambda: showing.arrange(BESIDE), Qt.Key.Key_L: lambda: showing.arrange(SPLIT), Qt.Key.Key_S: lambda: showing.arrange(ONE),
            Qt.Key.Key_W: lambda: showing.next_way(-1 if shift else 1), Qt.Key.Key_F: lambda: showing.put(frame=None),
            Qt.Key.Key_D: self._dot_for_dot, Qt.Key.Key_Plus: lambda: self._zoom(_FAST), Qt.Key.Key_Equal: lambda: self._zoom(_FAST),
            Qt.Key.Key_Minus: lambda: self._zoom(1.0 / _FAST), Qt.Key.Key_Left: lambda: self._move(far, 0), Qt.Key.Key_Right: lambda: self._move(-far, 0),
            Qt.Key.Key_Up: lambda: self._move(0, far), Qt.Key.Key_Down: lambda: self._move(0, -far),
            Qt.Key.Key_Comma: lambda: showing.expose(-STEP, side), Qt.Key.Key_Period: lambda: showing.expose(STEP, side),
            Qt.Key.Key_Semicolon: lambda: showing.expose(-STEP, 1), Qt.Key.Key_Colon: lambda: showing.expose(STEP, 1),
            Qt.Key.Key_Less: lambda: showing.expose(-STEP, 1), Qt.Key.Key_Greater: lambda: showing.expose(STEP, 1),
            Qt.Key.Key_0: lambda: showing.set_exposures(0.0, 0.0), Qt.Key.Key_C: lambda: showing.put(clipped=not showing.clipped),
            Qt.Key.Key_X: lambda: showing.beyond_noise(not showing.look.beyond_noise), Qt.Key.Key_M: lambda: showing.put(mended=not showing.mended),
            Qt.Key.Key_N: lambda: self.noted.emit(self._here()), Qt.Key.Key_R: self._region_in_sight,
            Qt.Key.Key_Return: lambda: self.picked.emit(self._here()), Qt.Key.Key_Enter: lambda: self.picked.emit(self._here()),
            Qt.Key.Key_H: self.bared.emit,
            Qt.Key.Key_Escape: self._let_go,
        }.get(Qt.Key(key))  # fmt: skip
        if does is None or (self.proofs.comparing.pair is None and key != Qt.Key.Key_Escape):
            return False
        does()
        return True

    def _here(self) -> Place | None:
        """The place under the pointer, or in the middle of what is in sight."""
        return self.place or self.place_at(self.boxes()[-1][1].center())

    def _region_in_sight(self) -> None:
        pair, box, frame = self.proofs.comparing.pair, self.boxes()[0][1], self.frame()
        assert pair is not None
        width, height = self._pixels(box)
        a, b = frame.at(0.0, 0.0), frame.at(width, height)
        w, h = pair.size
        self.showing.put(
            region=(max(0, int(a[0])), max(0, int(a[1])), min(w, math.ceil(b[0])), min(h, math.ceil(b[1])))
        )
        self.measured.emit()

    def _let_go(self) -> None:
        self.proofs.comparing.look_at_cause(None)
        self.showing.put(region=None, mended=False)
        self.measured.emit()

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if any(url.isLocalFile() for url in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent) -> None:
        """A picture onto the left half is the source's, onto the right half the target's; of two the first is the source's."""
        files = [url.toLocalFile() for url in event.mimeData().urls() if url.isLocalFile()]
        first = "source" if event.position().x() < self.width() / 2.0 or len(files) > 1 else "target"
        for file, side in zip(files, (first, "target"), strict=False):
            self.dropped.emit(side, file)
