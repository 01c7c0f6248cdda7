"""The crossing strip: both dialects, and between them every fate with its mark, as long as it is common."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import QEvent, QRectF, QSize, Qt
from PySide6.QtGui import QHelpEvent, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PySide6.QtWidgets import QSizePolicy, QToolTip, QWidget

from durvan.scene.fate import SHOWN, Fate
from durvan.ui.kit import marks
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, BODY, BRIGHT, INK, INKS, RULE, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.shared.state import State

_SIDE = 176
_LEAST = 88


class Strip(QWidget):
    """A click on a part, or left and right and Enter, shows only that fate in every view."""

    def __init__(self, state: State) -> None:
        super().__init__()
        self.state = state
        self.setFixedHeight(48)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMouseTracking(True)
        self.setAccessibleName("Fates of the crossing")
        self.at: int | None = None
        for signal in (state.renewed, state.filtered, state.opened):
            signal.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(1280, 48)

    def counts(self) -> dict[Fate, int]:
        """The counts that are shown."""
        session = self.state.session
        if session is None:
            return dict.fromkeys(SHOWN, 0)
        return session.plan.ledger.counts()

    def parts(self) -> list[tuple[Fate, QRectF, int]]:
        """Each fate's rectangle; lengths follow the counts, none is shorter than its words."""
        counts = self.counts()
        room = self.width() - 2 * _SIDE - _LEAST * len(SHOWN)
        total = sum(counts.values()) or 1
        left, out = float(_SIDE), []
        for fate in SHOWN:
            wide = _LEAST + max(room, 0) * counts[fate] / total
            out.append((fate, QRectF(left, 0.0, wide, float(self.height())), counts[fate]))
            left += wide
        return out

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.fillRect(self.rect(), BRIGHT)
        session = self.state.session
        if session is not None:
            self._ends(painter)
            for place, (fate, box, count) in enumerate(self.parts()):
                self._part(painter, place, fate, box, count)
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(0, self.height() - 1, self.width(), self.height() - 1)

    def _ends(self, painter: QPainter) -> None:
        session = self.state.session
        assert session is not None  # asked by paintEvent
        names = self.state.registry.packs
        source = names[session.scene.dialect].title if session.scene.dialect in names else "no dialect"
        target = names[session.plan.choices.target].title
        beside = session.document.placement == "beside"
        where = (
            f"a {session.plan.format} file"
            if not session.plan.stands_over
            else "beside the original"
            if beside
            else "alone"
        )
        left, right = Qt.AlignmentFlag.AlignLeft, Qt.AlignmentFlag.AlignRight
        wide = _SIDE - 26
        for text, soft, align, x in (
            (source, Path(session.scene.file).name, left, 16), (target, where, right, self.width() - 16 - wide),
        ):  # fmt: skip
            painter.setPen(INK)
            painter.setFont(font(BODY, bold=True))
            metrics = painter.fontMetrics()
            painter.drawText(QRectF(x, 6, wide, 19), align, metrics.elidedText(text, Qt.TextElideMode.ElideRight, wide))
            painter.setPen(SOFT)
            painter.setFont(font(SMALL))
            metrics = painter.fontMetrics()
            painter.drawText(
                QRectF(x, 24, wide, 18), align, metrics.elidedText(soft, Qt.TextElideMode.ElideMiddle, wide)
            )

    def _part(self, painter: QPainter, place: int, fate: Fate, box: QRectF, count: int) -> None:
        chosen = self.state.fate is fate
        if chosen:
            painter.fillRect(box.adjusted(2, 1, -2, -2), ACCENT_WASH)
        dim = count == 0 or (self.state.fate is not None and not chosen)
        ink = STRONG_RULE if dim else INKS[fate]
        marks.draw(painter, fate, box.left() + 8, box.right() - 8, 16.0, ink=ink)
        painter.setPen(ink)
        painter.setFont(font(SMALL))
        painter.drawText(box.adjusted(8, 24, -8, 0), Qt.AlignmentFlag.AlignLeft, fate.word)
        painter.setFont(font(SMALL, bold=True))
        painter.drawText(box.adjusted(8, 24, -8, 0), Qt.AlignmentFlag.AlignRight, str(count))
        painter.setPen(QPen(RULE, 1))
        painter.drawLine(int(box.left()), 8, int(box.left()), self.height() - 9)
        if place == len(SHOWN) - 1:
            painter.drawLine(int(box.right()), 8, int(box.right()), self.height() - 9)
        if self.hasFocus() and self.at == place:
            painter.setPen(QPen(ACCENT, 2))
            painter.drawRect(box.adjusted(3, 2, -3, -3))

    def _fate_at(self, x: float) -> Fate | None:
        return next((fate for fate, box, _ in self.parts() if box.left() <= x < box.right()), None)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        fate = self._fate_at(event.position().x())
        if fate is not None and self.state.session is not None:
            self.at = SHOWN.index(fate)
            self.state.filter(fate)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()))
        if step is not None:
            self.at = ((self.at if self.at is not None else -step) + step) % len(SHOWN)
            self.update()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and self.at is not None:
            self.state.filter(SHOWN[self.at])
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip:
            fate = self._fate_at(event.x())
            if fate is not None:
                QToolTip.showText(
                    event.globalPos(),
                    f"{fate.word}: {fate.meaning}\nA click shows only these, everywhere.",
                    self,
                )
                return True
        return super().event(event)
