"""By cause: the whole difference as one bar, its parts as long as what each owns, and the worst few in sentences beside it."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QWidget

from durvan.proof.causes.analysis import CAMERA, NOISE, VIEW, Analysis, Cause
from durvan.proof.causes.model import EXPOSURE, LIGHT, MATERIAL, RESPONSE, WHITE
from durvan.proof.causes.saying import told
from durvan.ui.followers.proving import Proofs
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, BRIGHT, INK, PANEL, RULE, SLIP, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.kit.words import spoken

BAR, ROW = 22, 19
_PATH = re.compile(r"(?<![^\s:])/[^\s,;:)]+")
_UP = QPointF(0.0, 2.0)
_LEAST = 3.0  # points that a part is at least


@dataclass(frozen=True)
class Part:
    """A part of the bar: what stands in it, its share, and which cause it is (None: noise, or what nothing explains)."""

    name: str
    share: float
    cause: int | None = None


def name_of(cause: Cause, names: Callable[[str], str]) -> str:
    """A cause in a word or two."""
    return {
        EXPOSURE: "exposure", WHITE: "white balance", RESPONSE: "response", CAMERA: "camera", VIEW: "what is seen", NOISE: "noise",
    }.get(cause.kind) or _of_thing(cause.name, names)  # fmt: skip


def _of_thing(name: str, names: Callable[[str], str]) -> str:
    kind, found, path = name.partition(":")
    return f"glow of {names(path)}" if found and kind == "glow" else names(name)


def parts_of(analysis: Analysis, names: Callable[[str], str]) -> list[Part]:
    """The bar's parts: causes, the largest first, then noise, then what nothing explains."""
    out = [Part(name_of(one, names), one.share, n) for n, one in enumerate(analysis.causes) if one.kind != NOISE]
    noise = next((n for n, one in enumerate(analysis.causes) if one.kind == NOISE), None)
    return [*out, Part("noise", analysis.noise, noise), Part("unexplained", analysis.unexplained)]


def sentence(cause: Cause, names: Callable[[str], str]) -> str:
    """A cause in a sentence, by the names that people use."""
    text = _PATH.sub(lambda found: names(found.group()), told(cause)).replace("the light glow:", "the glow of ")
    return text[:1].upper() + text[1:]


class Causes(QWidget):
    """Bar and sentences; a press chooses a cause, and its word at the right goes to the place that mends it."""

    chosen = Signal(object)
    mend = Signal(int)

    def __init__(self, proofs: Proofs) -> None:
        super().__init__()
        self.proofs = proofs
        self.names: Callable[[str], str] = lambda path: spoken(path.rpartition("/")[2])
        self.shown = 1
        self.show_lines(1)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("By cause: how much of the difference each owns")
        self.setToolTip(
            "What the difference is made of. A press shows what a cause makes of the picture;\n“without it” shows the target without that, before anything is changed."
        )
        self._boxes: list[tuple[QRectF, Part]] = []
        self._rows: list[tuple[QRectF, int]] = []
        self._ways: list[tuple[QRectF, int]] = []
        proofs.comparing.explained.connect(self.update)
        proofs.comparing.shown.connect(self.update)

    def show_lines(self, lines: int) -> None:
        """Have room for so many sentences."""
        self.shown = lines
        self.setFixedHeight(BAR + 8 + lines * ROW + 4)

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), PANEL)
        p.setPen(QPen(RULE, 1))
        p.drawLine(0, 0, self.width(), 0)
        self._boxes, self._rows, self._ways = [], [], []
        analysis = self.proofs.comparing.analysis
        if analysis is None:
            p.setFont(font(SMALL))
            p.setPen(SOFT)
            p.drawText(self.rect().adjusted(14, 0, -14, 0), Qt.AlignmentFlag.AlignVCenter, self._waits())
            return
        self._bar(p, analysis)
        self._sentences(p, analysis)

    def _waits(self) -> str:
        proofs = self.proofs
        if proofs.live:
            return "By cause: when both renders are done."
        if proofs.comparing.pair is None:
            return "By cause: here stands why both pictures differ, once there are two."
        if proofs.comparing.remarks and proofs.comparing.remarks[0].startswith("Only one"):
            return proofs.comparing.remarks[0]
        return "By cause: looking for why they differ…"

    def _bar(self, p: QPainter, analysis: Analysis) -> None:
        left, wide = 14.0, self.width() - 28.0
        p.setFont(font(SMALL, bold=True))
        p.setPen(INK)
        head = f"{analysis.apart:.2f} stops apart"
        room = p.fontMetrics().horizontalAdvance(head) + 14.0
        p.drawText(QRectF(left, 5, room, BAR), Qt.AlignmentFlag.AlignVCenter, head)
        left, wide = left + room, wide - room
        parts = [one for one in parts_of(analysis, self.names) if one.share >= 0.0005]
        total = sum(one.share for one in parts) or 1.0
        widths = [max(wide * one.share / total, _LEAST) for one in parts]
        shrink = wide / sum(widths) if widths else 1.0
        x = left
        for one, width in zip(parts, widths, strict=True):
            box = QRectF(x, 5, width * shrink, BAR)
            self._part(p, box, one)
            self._boxes.append((box, one))
            x += width * shrink

    def _part(self, p: QPainter, box: QRectF, one: Part) -> None:
        chosen = one.cause is not None and one.cause == self.proofs.comparing.cause
        inside = box.adjusted(0, 0, -1.5, 0)
        if one.name == "unexplained":
            p.fillRect(inside, BRIGHT)
            p.setPen(QPen(STRONG_RULE, 1, Qt.PenStyle.DotLine))
            p.drawRect(inside.adjusted(0.5, 0.5, -0.5, -0.5))
        else:
            p.fillRect(inside, ACCENT_WASH if chosen else SLIP if one.name != "noise" else BRIGHT)
            p.setPen(QPen(ACCENT if chosen else INK, 2 if chosen else 1))
            p.drawLine(inside.topLeft(), inside.topRight())
        p.setFont(font(SMALL))
        p.setPen(INK)
        text = f"{one.name} {_percent(one.share)}"
        metrics = p.fontMetrics()
        if metrics.horizontalAdvance(text) > inside.width() - 8:
            text = (
                metrics.elidedText(one.name, Qt.TextElideMode.ElideRight, int(inside.width() - 8))
                if inside.width() > 30
                else ""
            )
        p.drawText(inside.adjusted(5, 0, -3, 0), Qt.AlignmentFlag.AlignVCenter, text)

    def _sentences(self, p: QPainter, analysis: Analysis) -> None:
        y = BAR + 8.0
        first = self._first(analysis)
        rows = list(range(first, min(first + self.shown, len(analysis.causes))))
        if not rows:
            p.setFont(font(SMALL))
            p.setPen(INK)
            p.drawText(
                QRectF(14, y, self.width() - 28, ROW),
                Qt.AlignmentFlag.AlignVCenter,
                "Nothing is otherwise than by noise.",
            )
        for n in rows:
            cause = analysis.causes[n]
            box = QRectF(14, y, self.width() - 28.0, ROW)
            chosen = n == self.proofs.comparing.cause
            if chosen:
                p.fillRect(box.adjusted(-6, 0, 6, 0), ACCENT_WASH)
            way = way_to(cause)
            p.setFont(font(SMALL, bold=True))
            room = p.fontMetrics().horizontalAdvance(way[1]) if way is not None else 0
            if way is not None:
                link = QRectF(box.right() - room, y, room, ROW)
                p.setPen(INK)
                p.drawText(link, Qt.AlignmentFlag.AlignVCenter, way[1])
                p.setPen(QPen(STRONG_RULE, 1))
                p.drawLine(link.bottomLeft() - _UP, link.bottomRight() - _UP)
                self._ways.append((link, n))
            p.setFont(font(SMALL, bold=chosen))
            p.setPen(INK)
            text = p.fontMetrics().elidedText(
                sentence(cause, self.names), Qt.TextElideMode.ElideRight, int(box.width() - room - 16)
            )
            p.drawText(box, Qt.AlignmentFlag.AlignVCenter, text)
            self._rows.append((box, n))
            y += ROW
        if self.hasFocus():
            p.setPen(QPen(ACCENT, 2))
            p.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _first(self, analysis: Analysis) -> int:
        """The first sentence that is shown: the chosen one is among them."""
        chosen = self.proofs.comparing.cause or 0
        return max(0, min(chosen - self.shown + 1 if chosen >= self.shown else 0, len(analysis.causes) - self.shown))

    # hands

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        for box, number in self._ways:
            if box.contains(event.position()):
                self.mend.emit(number)
                return
        for box, part in self._boxes:
            if box.contains(event.position()):
                self._choose(part.cause)
                return
        for box, number in self._rows:
            if box.contains(event.position()):
                self._choose(number)
                return

    def _choose(self, number: int | None) -> None:
        self.chosen.emit(None if number == self.proofs.comparing.cause else number)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        analysis = self.proofs.comparing.analysis
        count = len(analysis.causes) if analysis is not None else 0
        step = {Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Up: -1}.get(
            Qt.Key(event.key())
        )
        if step is not None and count:
            now = self.proofs.comparing.cause
            self.chosen.emit(0 if now is None else min(max(now + step, 0), count - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.proofs.comparing.cause is not None:
            self.mend.emit(self.proofs.comparing.cause)
        else:
            super().keyPressEvent(event)


def _percent(share: float) -> str:
    return f"{100.0 * share:.0f} %" if share >= 0.095 else f"{100.0 * share:.1f} %"


def way_to(cause: Cause) -> tuple[str, str] | None:
    """The station that mends a cause, and what its link says; None where none does."""
    if cause.kind in (EXPOSURE, WHITE, RESPONSE):
        return "Light", "to the exposure"
    if cause.kind == LIGHT:
        return "Light", "to the light"
    if cause.kind == MATERIAL:
        return ("Files", "to its pictures") if cause.flat else ("Facing", "to the material")
    if cause.kind in (CAMERA, VIEW):
        return "Light", "to the camera"
    return None
