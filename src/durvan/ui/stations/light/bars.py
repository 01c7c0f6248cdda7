"""The light budget: one row a light, two opposed bars in stops at one probe, and how far apart they are."""

from __future__ import annotations

import math
from collections.abc import Callable

from PySide6.QtCore import QPoint, QRectF, Qt, Signal
from PySide6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QAbstractScrollArea

from durvan.crossing.findings.lights import in_stops
from durvan.crossing.light.report import DARK, LightReport, Part, titled
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, BRIGHT, INK, LEVEL_INKS, RULE, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.kit.words import spoken

ROW, HEAD = 26, 34
SPAN = 10.0  # stops that a bar shows, below the strongest light
_NAME, _KIND, _APART, _TRIM = 200, 80, 68, 54
_LONGEST = 340
_OTHER = QColor(108, 108, 108)


class Bars(QAbstractScrollArea):
    """The list. `chosen` tells of a row; `alone` of a light that is held down, and of none when it is let go."""

    chosen = Signal(str)
    alone = Signal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("bars")
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFrameShape(QAbstractScrollArea.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName("light budget")
        self.viewport().setMouseTracking(True)
        self.report: LightReport | None = None
        self.probe = 0
        self.limit = 0.5
        self.titles = ("source", "target")
        self.parts: list[Part] = []
        self.selected = ""
        self.trim_of: Callable[[Part], float] = lambda part: 0.0
        self.verticalScrollBar().valueChanged.connect(lambda _: self.viewport().update())

    # what is shown

    def show_report(self, report: LightReport | None, probe: int, sort: bool = True) -> None:
        """Show a report at one of its probes; what matters most first, unless the order is to stay."""
        self.report, self.probe = report, probe
        if report is None or not report.probes:
            self.parts = []
        elif sort or {id(part) for part in self.parts} != {id(part) for part in report.parts}:
            self.parts = report.order(probe)
        self._range()
        self.viewport().update()

    def select(self, path: str) -> None:
        """Mark a light, and bring it into view."""
        self.selected = path
        place = next((number for number, part in enumerate(self.parts) if part.path == path), -1)
        if place >= 0:
            bar, room = self.verticalScrollBar(), self._room()
            if place * ROW < bar.value():
                bar.setValue(place * ROW)
            elif (place + 1) * ROW > bar.value() + room:
                bar.setValue((place + 1) * ROW - room)
        self.viewport().update()

    def _room(self) -> int:
        return self.viewport().height() - HEAD

    def _range(self) -> None:
        self.verticalScrollBar().setRange(0, max(0, len(self.parts) * ROW - self._room()))
        self.verticalScrollBar().setPageStep(max(ROW, self._room()))
        self.verticalScrollBar().setSingleStep(ROW)

    def resizeEvent(self, event: object) -> None:
        self._range()

    # drawing

    def _columns(self) -> tuple[float, float, float]:
        """Where the bars part, and how long each may be."""
        left, right = float(self._names()), self.viewport().width() - float(_APART + _TRIM) - 8.0
        return (left + right) / 2.0, (right - left) / 2.0 - 6.0, right

    def _names(self) -> int:
        """How wide names and kinds are: names get more where there is room."""
        return max(_NAME, min(int(0.3 * self.viewport().width()), _LONGEST))

    def top(self) -> float:
        """The strongest light at the probe on either side, lux."""
        return self.report.strongest(self.probe) if self.report is not None else 1.0

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self.viewport())
        p.fillRect(self.viewport().rect(), BRIGHT)
        if self.report is None or not self.parts:
            p.setPen(SOFT)
            p.setFont(font())
            said = (
                "The light is being measured." if self.report is None else "Nothing gives light where the camera looks."
            )
            p.drawText(self.viewport().rect(), Qt.AlignmentFlag.AlignCenter, said)
            return
        top = max(self.top(), DARK)
        first = self.verticalScrollBar().value() // ROW
        shift = self.verticalScrollBar().value() - first * ROW
        for number in range(first, min(len(self.parts), first + self._room() // ROW + 2)):
            self._row(p, self.parts[number], HEAD + (number - first) * ROW - shift, top)
        self._head(p)

    def _head(self, p: QPainter) -> None:
        """The scale above the bars, with both sides' names."""
        middle, reach, right = self._columns()
        p.fillRect(0, 0, self.viewport().width(), HEAD, BRIGHT)
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        p.drawText(QRectF(14, 0, self._names() - 20, 17), Qt.AlignmentFlag.AlignVCenter, "light")
        p.drawText(QRectF(middle - reach, 0, reach - 8, 17), Qt.AlignmentFlag.AlignLeft, f"{self.titles[0]}, lx")
        p.drawText(QRectF(middle + 8, 0, reach - 8, 17), Qt.AlignmentFlag.AlignRight, f"{self.titles[1]}, lx")
        p.drawText(QRectF(right + 4, 0, _APART - 8, 17), Qt.AlignmentFlag.AlignRight, "apart")
        p.drawText(QRectF(right + _APART, 0, _TRIM - 8, 17), Qt.AlignmentFlag.AlignRight, "trim")
        step = 2 if reach > 140.0 else 4
        for stops in range(0, int(SPAN) + 1, step):
            for side in (-1.0, 1.0):
                x = middle + side * (6.0 + (reach - 6.0) * (1.0 - stops / SPAN))
                p.setPen(QPen(RULE, 1))
                p.drawLine(int(x), HEAD - 4, int(x), HEAD - 1)
                if 0 < stops < SPAN or (stops == 0 and side > 0):
                    p.setPen(SOFT)
                    p.drawText(QRectF(x - 16, 15, 32, 14), Qt.AlignmentFlag.AlignCenter, f"−{stops}" if stops else "0")
        p.setPen(QPen(RULE, 1))
        p.drawLine(0, HEAD - 1, self.viewport().width(), HEAD - 1)

    def _row(self, p: QPainter, part: Part, y: int, top: float) -> None:
        report = self.report
        assert report is not None
        middle, reach, right = self._columns()
        if part.path == self.selected:
            p.fillRect(0, y, self.viewport().width(), ROW, ACCENT_WASH)
            p.fillRect(0, y, 3, ROW, ACCENT)
        p.setFont(font(bold=part.path == self.selected))
        p.setPen(INK)
        names = self._names()
        name = p.fontMetrics().elidedText(spoken(part.name), Qt.TextElideMode.ElideRight, names - _KIND - 20)
        p.drawText(QRectF(14, y, names - _KIND - 16, ROW), Qt.AlignmentFlag.AlignVCenter, name)
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        kind = p.fontMetrics().elidedText(titled(part.what), Qt.TextElideMode.ElideRight, _KIND - 4)
        p.drawText(
            QRectF(names - _KIND, y, _KIND - 4, ROW), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, kind
        )
        apart = report.apart(part, self.probe)
        matters = apart is not None and abs(apart) > self.limit
        for side, sign in (("source", -1.0), ("target", 1.0)):
            self._bar(p, report.lux(part, self.probe, side), sign, y, middle, reach, top, matters and sign > 0.0)
        p.setPen(QPen(STRONG_RULE, 1))
        p.drawLine(int(middle), y, int(middle), y + ROW - 1)
        p.setFont(font(bold=matters))
        p.setPen(LEVEL_INKS[0] if matters else INK if apart is not None else SOFT)
        p.drawText(
            QRectF(right + 4, y, _APART - 8, ROW),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            short(apart),
        )
        trim = self.trim_of(part)
        p.setFont(font(bold=trim != 0.0))
        p.setPen(ACCENT if trim else SOFT)
        said = f"{trim:+.2f}".replace("-", "−") if trim else "·"
        p.drawText(
            QRectF(right + _APART, y, _TRIM - 8, ROW), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, said
        )
        p.setPen(QPen(QColor(205, 205, 205), 1))
        p.drawLine(0, y + ROW - 1, self.viewport().width(), y + ROW - 1)

    def _bar(
        self, p: QPainter, lux: float, sign: float, y: int, middle: float, reach: float, top: float, strong: bool
    ) -> None:
        """One side's bar: its length is how many stops it lies above the foot of the scale, its lux stand at its end."""
        room = reach - 6.0
        share = 0.0 if lux <= DARK else min(max(1.0 + math.log2(lux / top) / SPAN, 0.0), 1.0)
        long = max(room * share, 1.0 if lux > DARK else 0.0)
        x = middle + sign * 6.0
        box = QRectF(x if sign > 0 else x - long, y + 7, long, ROW - 15)
        p.fillRect(box, INK if sign > 0 else _OTHER)
        if strong:
            p.fillRect(QRectF(box.right() - 3.0, box.top(), 3.0, box.height()), LEVEL_INKS[0])
        p.setFont(font(SMALL))
        said = figures(lux)
        wide = p.fontMetrics().horizontalAdvance(said)
        inside = long > room - wide - 10.0
        at = long - wide - 6.0 if inside else long + 6.0
        left = x + at if sign > 0 else x - at - wide
        p.setPen(BRIGHT if inside else SOFT)
        p.drawText(QRectF(left, y, wide + 2.0, ROW), Qt.AlignmentFlag.AlignVCenter, said)

    # hands

    def _part_at(self, point: QPoint) -> Part | None:
        if point.y() < HEAD:
            return None
        place = (point.y() - HEAD + self.verticalScrollBar().value()) // ROW
        return self.parts[place] if 0 <= place < len(self.parts) else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        part = self._part_at(event.position().toPoint())
        if part is not None and event.button() == Qt.MouseButton.LeftButton:
            self.select(part.path)
            self.chosen.emit(part.path)
            self.alone.emit(part.path)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self.alone.emit("")

    def keyPressEvent(self, event: QKeyEvent) -> None:
        paths = [part.path for part in self.parts]
        step = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
        if step is not None and paths:
            place = paths.index(self.selected) + step if self.selected in paths else 0
            self.select(paths[min(max(place, 0), len(paths) - 1)])
            self.chosen.emit(self.selected)
        elif event.key() == Qt.Key.Key_Space and self.selected and not event.isAutoRepeat():
            self.alone.emit(self.selected)
        else:
            super().keyPressEvent(event)

    def keyReleaseEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Space and not event.isAutoRepeat():
            self.alone.emit("")

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        part = self._part_at(event.position().toPoint())
        self.viewport().setToolTip(self.tip(part) if part is not None and self.report is not None else "")

    def tip(self, part: Part) -> str:
        """What a row says in full."""
        report, probe = self.report, self.probe
        assert report is not None
        return (
            f"{part.path}\n{figures(report.lux(part, probe, 'source'))} lx in {self.titles[0]}, "
            f"{figures(report.lux(part, probe, 'target'))} lx in {self.titles[1]}: {in_stops(report.apart(part, probe))}\n"
            f"{100.0 * report.share(part, probe):.0f} % of all light at {report.probes[probe].name}\n"
            "Hold the row, or the space bar, to see the picture by this light alone."
        )


def figures(lux: float) -> str:
    """Lux in three figures."""
    if lux <= DARK:
        return "0"
    return f"{lux:.0f}" if lux >= 100.0 else f"{lux:.3g}"


def short(apart: float | None) -> str:
    """Stops apart, for a narrow column."""
    if apart is None:
        return "–"
    if math.isinf(apart):
        return "new" if apart > 0.0 else "gone"
    return f"{round(apart, 2) + 0.0:+.2f}".replace("-", "−")
