"""What is drawn over and beside Proof's pictures: a scale's legend, pins, a render in short."""

from __future__ import annotations

from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPen

from durvan.crossing.document.document import Pin, PinState
from durvan.proof.history import Kept
from durvan.proof.looking.tones import Scale
from durvan.ui.kit.theme import BRIGHT, INK, SLIP, SMALL, SOFT, font

_PIN = 9.0  # half a slip's width


def in_short(entry: Kept) -> str:
    """A render's samples and noise."""
    said = [f"{entry.samples} samples"] if entry.samples else []
    if entry.noise:
        said.append(f"noise {entry.noise:.2f} stops")
    return ", ".join(said)


def draw_legend(p: QPainter, box: QRectF, scale: Scale) -> None:
    """The scale at the lower left: colours with their ends in its unit."""
    wide, high = 180.0, 8.0
    ground = QRectF(box.left() + 8, box.bottom() - 38, wide + 24, 32)
    p.fillRect(ground, BRIGHT)
    left, top = ground.left() + 12, ground.top() + 5
    table = scale.table(int(wide))
    for n, (r, g, b) in enumerate(table.tolist()):
        p.fillRect(QRectF(left + n, top, 1.0, high), QColor(r, g, b))
    p.setFont(font(SMALL))
    p.setPen(INK)
    row = QRectF(left, top + high, wide, 18)
    low, high_end = (f"{value:+g}" if scale.low < 0.0 else f"{value:g}" for value in (scale.low, scale.high))
    p.drawText(row, Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter, low.replace("-", "−"))
    p.drawText(row, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter, high_end)
    p.setPen(SOFT)
    p.drawText(
        row,
        Qt.AlignmentFlag.AlignCenter,
        f"target, {scale.unit}" if scale.low < 0.0 and not scale.steps else scale.unit,
    )


def draw_pin(p: QPainter, at: QPointF, pin: Pin) -> None:
    """A pin: its number in a slip with a point on its place; open ones in ink, settled ones hollow, accepted ones with a bar."""
    slip = QRectF(at.x() + 4, at.y() - 22, 2 * _PIN, 16)
    p.setRenderHint(QPainter.RenderHint.Antialiasing)
    p.setPen(QPen(SLIP, 3.0))
    p.drawLine(at, slip.bottomLeft())
    p.setPen(QPen(INK, 1.2))
    p.drawLine(at, slip.bottomLeft())
    p.setBrush(INK if pin.state is PinState.OPEN else SLIP)
    p.drawRect(slip)
    p.setPen(SLIP if pin.state is PinState.OPEN else INK)
    p.setFont(font(SMALL, bold=True))
    p.drawText(slip, Qt.AlignmentFlag.AlignCenter, str(pin.number))
    if pin.state is PinState.ACCEPTED:
        p.drawLine(slip.bottomLeft() + QPointF(3, -2), slip.bottomRight() + QPointF(-3, -2))
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
