"""Both exposure ladders side by side: from the light on a grey card to its code value, with the step where they part."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QWidget

from durvan.crossing.light.ladder import Rung
from durvan.crossing.light.report import LightReport
from durvan.ui.kit.theme import INK, LEVEL_INKS, PANEL, RULE, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.stations.light.bars import short

_ROW, _HEAD = 22, 20
_MEANINGS = {
    "grey card": "Luminance of an 18 % grey card at the probe.",
    "camera": "Exposure value of the camera: how much light it takes for white.",
    "white balance": "What white balance does to a grey.",
    "picture value": "Linear value of the card in the picture; 0.18 is mid grey.",
    "response": "What the response that is burnt in does to it.",
    "code value": "What a display is sent for the card.",
}


class Rungs(QWidget):
    """The drawing: a rung a line, the source's value at the left, the target's at the right, how far they part between."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(_HEAD + 6 * _ROW + 4)
        self.setAccessibleName("exposure ladder")
        self.rungs: tuple[Rung, ...] = ()
        self.titles = ("source", "target")
        self.limit = 0.1

    def show_report(self, report: LightReport | None, probe: int) -> None:
        """Show the way from the light at a probe to the picture."""
        if report is None or not report.probes:
            self.rungs = ()
        else:
            every = report.ladder.rungs(report.sum(probe, "source"), report.sum(probe, "target"))
            self.rungs = tuple(rung for rung in every if rung.name != "white balance" or not _idle(rung))
            self.setFixedHeight(_HEAD + len(self.rungs) * _ROW + 4)
        self.setToolTip("\n".join(f"{r.name}: {_MEANINGS[r.name]}" for r in self.rungs))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), PANEL)
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        wide = self.width()
        middle = wide / 2.0
        p.drawText(QRectF(12, 0, middle - 50, _HEAD), Qt.AlignmentFlag.AlignVCenter, self.titles[0])
        p.drawText(
            QRectF(middle + 38, 0, middle - 50, _HEAD),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            self.titles[1],
        )
        p.drawText(QRectF(middle - 60, 0, 120, _HEAD), Qt.AlignmentFlag.AlignCenter, "apart, stops")
        p.setPen(QPen(RULE, 1))
        p.drawLine(12, _HEAD, wide - 12, _HEAD)
        for number, rung in enumerate(self.rungs):
            self._rung(p, rung, _HEAD + number * _ROW, middle, number == len(self.rungs) - 1)

    def _rung(self, p: QPainter, rung: Rung, y: int, middle: float, last: bool) -> None:
        wide = self.width()
        apart = rung.apart
        matters = apart is not None and abs(apart) > self.limit
        ink = LEVEL_INKS[0] if matters else INK
        p.setPen(QPen(STRONG_RULE, 1.4))
        for x in (middle - 34, middle + 34):  # the uprights
            p.drawLine(int(x), y, int(x), y + _ROW - (6 if last else 0))
        p.setPen(QPen(ink, 2.0 if matters else 1.2))
        p.drawLine(int(middle - 34), y + _ROW // 2, int(middle + 34), y + _ROW // 2)
        said = short(apart)
        p.setFont(font(SMALL, bold=matters))
        room = p.fontMetrics().horizontalAdvance(said) + 8
        p.fillRect(QRectF(middle - room / 2, y + 3, room, _ROW - 6), PANEL)
        p.setPen(ink)
        p.drawText(QRectF(middle - 34, y, 68, _ROW), Qt.AlignmentFlag.AlignCenter, said)
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        p.drawText(QRectF(12, y, 150, _ROW), Qt.AlignmentFlag.AlignVCenter, rung.name)
        unit = f" {rung.unit}" if rung.unit else ""
        for value, box, align in (
            (rung.source, QRectF(middle - 150, y, 108, _ROW), Qt.AlignmentFlag.AlignRight),
            (rung.target, QRectF(middle + 42, y, wide - middle - 54, _ROW), Qt.AlignmentFlag.AlignRight),
        ):
            _value(p, value, unit, box, align, ink)


def _idle(rung: Rung) -> bool:
    """Whether a step does nothing on either side."""
    return rung.source == rung.target == 1.0


def _value(p: QPainter, value: float, unit: str, box: QRectF, align: Qt.AlignmentFlag, ink: QColor) -> None:
    """A number in ink and its unit in a lighter one, ending at the right of a box."""
    p.setFont(font(SMALL))
    tail = p.fontMetrics().horizontalAdvance(unit)
    p.setPen(SOFT)
    p.drawText(box, Qt.AlignmentFlag.AlignVCenter | align, unit)
    p.setFont(font(SMALL, bold=True))
    p.setPen(ink)
    p.drawText(box.adjusted(0, 0, -tail, 0), Qt.AlignmentFlag.AlignVCenter | align, f"{value:.3g}")
