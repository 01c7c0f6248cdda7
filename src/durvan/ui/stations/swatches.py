"""The swatch pair of a material: source and target side by side under three lightings, the difference, the lobes."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, QSize, Qt
from PySide6.QtGui import (
    QBrush,
    QColor,
    QDragEnterEvent,
    QDragMoveEvent,
    QDropEvent,
    QImage,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QPolygonF,
    QResizeEvent,
)
from PySide6.QtWidgets import QSizePolicy, QWidget

from durvan.scene.model import Kind
from durvan.ui.followers.looks import Closely, Looks
from durvan.ui.kit.drops import is_ready_values
from durvan.ui.kit.theme import ACCENT, BODY, BOOTH, BRIGHT, INK, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.shared.state import Selection, State

LOUD, VEIL = QColor(255, 0, 150), QColor(158, 158, 158, 232)  # what is looked for, and what is put over the rest
SIDE = 96
GAP = 18
HEAD = 20
LIGHTINGS = ("booth", "overcast", "raking")
FOOT = 30
STEP, LARGEST = 24, 240  # they grow with the room, by steps
_POLAR = 1.75  # how wide the lobes are, in sides


class Swatches(QWidget):
    """Painted by hand, so that both sides touch: a difference is seen at the seam."""

    def __init__(self, state: State, looks: Looks) -> None:
        super().__init__()
        self.state, self.looks = state, looks
        self.side = SIDE
        self.setFixedHeight(HEAD + SIDE + FOOT)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setAccessibleName("Source and target swatches under three lightings, their difference and their lobes")
        self.setToolTip(
            "The same ball over the same tile in both dialects, by each one's own look.\n"
            "Left of each seam the source, right of it the target; an 18 % grey patch lands on 18 %.\n"
            "Difference: CIEDE2000, mid grey for none, white for 10 and more.\n"
            "Lobes: light answered in the plane of the view at 45°; a plain line for the source, dashes for the target."
        )
        for signal in (state.selected, state.renewed, state.looked):
            signal.connect(self._changed)
        looks.seen.connect(lambda _: self.update())
        looks.prepared.connect(lambda _: self.update())
        self._changed()

    def sizeHint(self) -> QSize:
        return QSize(900, HEAD + self.side + FOOT)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        room = (self.width() - 16 - 4 * GAP) / (7.0 + _POLAR)
        side = min(max(int(room) // STEP * STEP, SIDE), LARGEST)
        if side != self.side:
            self.side = side
            self.setFixedHeight(HEAD + side + FOOT)

    @property
    def polar(self) -> float:
        """How wide the lobes are drawn."""
        return _POLAR * self.side

    def _changed(self) -> None:
        thing = self.state.thing()
        self.setVisible(thing is not None and thing.kind is Kind.MATERIAL)
        self.update()

    def shown(self) -> Closely | None:
        """What is drawn: the pair of the material that is looked at."""
        thing = self.state.thing()
        return self.looks.closely.get(thing.id) if thing is not None else None

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), BOOTH)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        found = self.shown()
        width = 3 * (2 * self.side + GAP) + self.side + GAP + self.polar
        x = max((self.width() - width) / 2.0, 8.0)
        if found is None:
            painter.setFont(font(BODY))
            painter.setPen(INK)
            text = self.looks.trouble or self.looks.preparing or "Rendering both sides…"
            painter.drawText(self.rect(), Qt.AlignmentFlag.AlignCenter, text)
            return
        for place, name in enumerate(LIGHTINGS):
            self._pair(painter, x, name, found.source[place], found.target[place], found.drift.by_lighting[place])
            x += 2 * self.side + GAP
        worst = LIGHTINGS.index(found.drift.lighting) if found.drift.lighting in LIGHTINGS else 0
        self._label(painter, x, self.side, "difference")
        painter.drawImage(QRectF(x, HEAD, self.side, self.side), found.difference[worst])
        self._foot(painter, x, self.side, LIGHTINGS[worst])
        x += self.side + GAP
        if x + 100 < self.width():
            self._polar(painter, x, found.polar)

    def _label(self, painter: QPainter, x: float, width: float, text: str) -> None:
        painter.setFont(font(SMALL))
        painter.setPen(INK)
        painter.drawText(
            QRectF(x, 2, width, HEAD - 2), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text
        )

    def _foot(self, painter: QPainter, x: float, width: float, text: str) -> None:
        painter.setFont(font(SMALL))
        painter.setPen(INK)
        box = QRectF(x, HEAD + self.side + 2, width, 20)
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, text)

    def _pair(self, painter: QPainter, x: float, name: str, source: QImage, target: QImage, drift: float) -> None:
        self._label(painter, x, 2 * self.side, name)
        painter.drawImage(QRectF(x, HEAD, self.side, self.side), source)
        painter.drawImage(QRectF(x + self.side, HEAD, self.side, self.side), target)
        painter.setPen(QPen(INK, 1))
        for y in (HEAD - 3, HEAD + self.side):
            painter.drawLine(QPointF(x + self.side, y), QPointF(x + self.side, y + 3))
        titles = self._titles()
        self._foot(painter, x, self.side, titles[0])
        self._foot(painter, x + self.side + 2, self.side, titles[1])
        painter.setFont(font(SMALL, bold=True))
        painter.drawText(
            QRectF(x, 2, 2 * self.side, HEAD - 2),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            f"{drift:.1f}",
        )

    def _titles(self) -> tuple[str, str]:
        session, thing = self.state.session, self.state.thing()
        packs = self.state.registry.packs
        if session is None or thing is None or thing.dialect not in packs:
            return "source", "target"
        return packs[thing.dialect].title, packs[session.plan.choices.target].title

    def _polar(self, painter: QPainter, x: float, curves: np.ndarray) -> None:
        """Both sides' answers over the half circle; lengths by the cube root, as lightness goes."""
        self._label(painter, x, self.polar, "lobes at 45°")
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle, radius = QPointF(x + self.polar / 2, HEAD + self.side), self.polar / 2.0
        painter.setPen(QPen(STRONG_RULE, 1))
        painter.drawLine(QPointF(x, middle.y()), QPointF(x + self.polar, middle.y()))
        painter.drawLine(middle, middle + QPointF(-radius * 0.7071, -radius * 0.7071))
        top = max(float(np.max(curves)), 1e-6)
        for curve, style, ink in ((curves[0], Qt.PenStyle.SolidLine, INK), (curves[1], Qt.PenStyle.DashLine, ACCENT)):
            line = QPolygonF()
            for degree, value in zip(range(-90, 91), curve, strict=True):
                far = radius * (max(float(value), 0.0) / top) ** (1.0 / 3.0)
                angle = math.radians(degree)
                line.append(middle + QPointF(far * math.sin(angle), -far * math.cos(angle)))
            painter.setPen(QPen(ink, 1.5, style))
            painter.drawPolyline(line)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        painter.setPen(SOFT)
        self._foot(
            painter, x, self.polar, f"peak {_short(float(np.max(curves[0])))}, {_short(float(np.max(curves[1])))} sr⁻¹"
        )


def _short(value: float) -> str:
    return f"{value:.0f}" if value >= 100 else f"{value:.2g}" if value >= 0.01 else "0"


def _path(mask: np.ndarray, box: QRectF) -> QPainterPath:
    """The pixels of a mask [height, width] as a shape over a box: each run of a row as one piece."""
    path = QPainterPath()
    high, wide = mask.shape
    tall = box.height() / high
    edges = np.diff(np.pad(mask.astype(np.int8), ((0, 0), (1, 1))), axis=1)
    for row in np.nonzero(mask.any(axis=1))[0]:
        starts, ends = np.nonzero(edges[row] == 1)[0], np.nonzero(edges[row] == -1)[0]
        for start, end in zip(starts, ends, strict=True):
            path.addRect(
                box.left() + start * box.width() / wide,
                box.top() + row * tall,
                (end - start) * box.width() / wide,
                tall,
            )
    return path


class SidePictures(QWidget):
    """Pictures of both sides, side by side, each with its renderer's name and how far it has got."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        self.setMinimumHeight(120)
        self.boxes: list[QRectF] = []

    def shown(self, side: str) -> tuple[QImage, int, int] | None:
        """A side's picture, the samples that it has, and how many it will have; None while there is none."""
        raise NotImplementedError

    def waits(self, side: str) -> str:
        """What stands in a picture's place while there is none."""
        raise NotImplementedError

    def over(self, painter: QPainter, box: QRectF) -> None:
        """What is drawn over a picture."""

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), BOOTH)
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        gap = 8.0
        wide = (self.width() - 3 * gap) / 2.0
        high = min(wide * 9.0 / 16.0, self.height() - 30.0)
        wide = high * 16.0 / 9.0
        x = (self.width() - 2 * wide - gap) / 2.0
        y = max((self.height() - high - 22.0) / 2.0, 8.0)
        self.boxes = [QRectF(x + place * (wide + gap), y, wide, high) for place in (0, 1)]
        for place, side in enumerate(("source", "target")):
            self._side(painter, self.boxes[place], side)

    def _side(self, painter: QPainter, box: QRectF, side: str) -> None:
        found = self.shown(side)
        painter.setPen(INK)
        painter.setFont(font(SMALL))
        if found is None:
            painter.fillRect(box, STRONG_RULE)
            middle = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(box.adjusted(8, 0, -8, 0), middle, self.waits(side))
            return
        picture, samples, of = found
        painter.drawImage(box, picture)
        self.over(painter, box)
        foot = QRectF(box.left(), box.bottom(), box.width(), 20)
        painter.setPen(INK)
        painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, self._name(side))
        painter.setPen(SOFT if samples >= of else INK)
        said = f"{samples} of {of} samples" if samples < of else f"{samples} samples"
        painter.drawText(foot, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, said)

    def _name(self, side: str) -> str:
        session = self.state.session
        packs = self.state.registry.packs
        if session is None:
            return side
        name = session.scene.dialect if side == "source" else session.plan.choices.target
        return packs[name].title if name in packs else side


class Views(SidePictures):
    """The camera's view of both sides, side by side, as far as it has got."""

    def __init__(self, state: State, looks: Looks) -> None:
        super().__init__(state)
        self.looks = looks
        self.setAccessibleName("The camera's view, source and target")
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setToolTip(
            "A press chooses the material under it.\nLook, Paint it loud (Ctrl+P) and Look, Grey the rest (Ctrl+G) show where it is;"
            "\nhatched is what nobody can tell the drift of."
        )
        looks.rendered.connect(lambda _: self.update())
        looks.prepared.connect(lambda _: self.update())
        for signal in (looks.marked, state.opened, state.selected, state.looked):
            signal.connect(self.update)

    def shown(self, side: str) -> tuple[QImage, int, int] | None:
        found = self.looks.views.get(side)
        return found[:3] if found is not None else None

    def waits(self, side: str) -> str:
        session = self.state.session
        seen = session is None or bool(session.camera)
        waiting = "Rendering the camera's view…" if seen else "There is no camera to see the scene by."
        text = (self.looks.trouble or self.looks.preparing if seen else "") or waiting
        return text if side == "source" else ""

    def over(self, painter: QPainter, box: QRectF) -> None:
        self._marked(painter, box)

    def _marked(self, painter: QPainter, box: QRectF) -> None:
        """What a person looks for, and hatched what nobody can tell the drift of."""
        chosen = self.looks.pixels_of(self.state.selection.thing) if self.looks.mark else None
        if chosen is not None and self.looks.mark == "loud":
            painter.fillPath(_path(chosen, box), LOUD)
        elif chosen is not None:
            painter.fillPath(_path(~chosen, box), VEIL)
        unknown = self.looks.unknown()
        if unknown is not None:
            for ink, pattern in ((INK, Qt.BrushStyle.BDiagPattern), (BRIGHT, Qt.BrushStyle.FDiagPattern)):
                painter.fillPath(_path(unknown, box), QBrush(ink, pattern))

    def _thing_at(self, place: QPointF) -> str:
        """The material under a place; empty for none."""
        for box in self.boxes:
            if box.contains(place):
                return self.looks.thing_at(
                    (place.x() - box.left()) / box.width(), (place.y() - box.top()) / box.height()
                )
        return ""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        """The material under a press is chosen."""
        thing = self._thing_at(event.position())
        if thing:
            self.state.select(Selection(thing))

    def dragEnterEvent(self, event: QDragEnterEvent) -> None:
        if is_ready_values(event):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent) -> None:
        """Ready values may go onto what is carried."""
        thing, session = self._thing_at(event.position()), self.state.session
        event.setAccepted(session is not None and thing in session.plan.translations)

    def dropEvent(self, event: QDropEvent) -> None:
        self.state.ready_dropped.emit(self._thing_at(event.position()))
