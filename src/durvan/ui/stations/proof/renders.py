"""The strip of every render that was kept: a row for each side, the newest first, with how long each took as a line, and what all take of the disk."""

from __future__ import annotations

import time
from collections.abc import Callable

from PySide6.QtCore import QPoint, QRectF, QSize, Qt, Signal
from PySide6.QtGui import (
    QContextMenuEvent,
    QHelpEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PySide6.QtWidgets import QInputDialog, QMenu, QSizePolicy, QToolTip, QWidget

from durvan.crossing.looks.sittings import SIDES
from durvan.engine.engines import Engine
from durvan.proof.history import Kept
from durvan.ui.followers.proving import OUTSIDE, Proofs
from durvan.ui.kit.theme import ACCENT, ACCENT_WASH, BRIGHT, INK, RULE, SLIP, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.kit.words import bytes_in_words, spoken

ROW, CELL, HEAD, DISK = 25, 96, 66, 84
ENGINES = {Engine.PREVIEW.value: "stand-in", Engine.MITSUBA.value: "Mitsuba", OUTSIDE: "file"}


def seconds_in_words(seconds: float) -> str:
    """How long something took."""
    if seconds < 1.0:
        return "under 1 s"
    if seconds < 90.0:
        return f"{seconds:.0f} s"
    return f"{seconds / 60.0:.0f} min" if seconds < 5400.0 else f"{seconds / 3600.0:.1f} h"


def title_of(one: Kept) -> str:
    """What a cell says: its name, else who made it and how."""
    if one.name:
        return one.name
    if one.file:
        return one.file.rpartition("/")[2]
    return f"{one.samples} samples"


def told(one: Kept, names: Callable[[str], str]) -> str:
    """All there is to say of one, in lines."""
    lines = [f"{one.side}, {ENGINES.get(one.engine, one.engine)}" + (f": {one.name}" if one.name else "")]
    lines.append(time.strftime("%d %b %Y, %H:%M", time.localtime(one.when)))
    if one.file:
        lines.append(one.file)
    if one.samples:
        size = f"{one.width} × {one.height}, " if one.width else ""
        lines.append(f"{size}{one.samples} samples a pixel, {seconds_in_words(one.seconds)}")
    if one.noise:
        lines.append(f"noise {one.noise:.3f} stops")
    if one.camera:
        lines.append(
            f"camera {one.camera.rpartition('/')[2]}" + (f", settings “{one.settings}”" if one.settings else "")
        )
    if one.changed:
        listed = ", ".join(names(path) for path in one.changed[:6])
        more = f" and {len(one.changed) - 6} more" if len(one.changed) > 6 else ""
        lines.append(f"changed since the one before: {listed}{more}")
    elif one.made:
        lines.append("made from the same as the one before, or the first")
    if one.bytes:
        lines.append(f"{bytes_in_words(one.bytes)} on the disk" + (", kept" if one.safe else ""))
    return "\n".join(lines)


class Renders(QWidget):
    """Both rows. A press puts a render on its side; with Ctrl onto the other one, so that any two can be compared."""

    chosen = Signal(str, str)

    def __init__(self, proofs: Proofs) -> None:
        super().__init__()
        self.proofs = proofs
        self.names: Callable[[str], str] = lambda path: spoken(path.rpartition("/")[2])
        self.offset = 0
        self.current = ""
        self._cells: list[tuple[QRectF, Kept]] = []
        self.setFixedHeight(2 * ROW + 7)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Every render that was kept")
        proofs.changed.connect(self.update)
        proofs.comparing.shown.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, self.height())

    def of_side(self, side: str) -> list[Kept]:
        """What is kept of a side, the newest first."""
        return [one for one in reversed(self.proofs.entries) if one.side == side]

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), BRIGHT)
        p.setPen(QPen(RULE, 1))
        p.drawLine(0, 0, self.width(), 0)
        self._cells = []
        for row, side in enumerate(SIDES):
            y = 4.0 + row * ROW
            p.setFont(font(SMALL, bold=True))
            p.setPen(INK)
            p.drawText(QRectF(14, y, HEAD - 14, ROW), Qt.AlignmentFlag.AlignVCenter, side)
            entries = self.of_side(side)[self.offset :]
            p.save()
            p.setClipRect(QRectF(HEAD, 0, self.width() - HEAD - DISK, self.height()))
            x = float(HEAD)
            longest = max((one.seconds for one in entries), default=0.0)
            for one in entries:
                if x > self.width():
                    break
                box = QRectF(x, y + 1, CELL, ROW - 3)
                self._cell(p, box, one, longest)
                self._cells.append((box, one))
                x += CELL + 4
            p.restore()
            if not entries:
                p.setFont(font(SMALL))
                p.setPen(SOFT)
                p.drawText(QRectF(HEAD, y, 300, ROW), Qt.AlignmentFlag.AlignVCenter, "nothing kept yet")
        self._disk(p)
        if self.hasFocus():
            p.setPen(QPen(ACCENT, 2))
            p.drawRect(self.rect().adjusted(1, 1, -1, -1))

    def _disk(self, p: QPainter) -> None:
        """What is on the disk, and what may be."""
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        right = Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight
        for row, text in enumerate(self.disk()):
            p.drawText(QRectF(self.width() - DISK, 4.0 + row * ROW, DISK - 12, ROW), right, text)

    def disk(self) -> tuple[str, ...]:
        """What all renders take of the disk, and the bound; nothing where there are none."""
        history, taken = self.proofs.history, sum(one.bytes for one in self.proofs.entries)
        if history is None or not taken:
            return ()
        return bytes_in_words(taken), f"of {bytes_in_words(history.most_bytes)}"

    def _cell(self, p: QPainter, box: QRectF, one: Kept, longest: float) -> None:
        """A render: its words, how long it took as a line below (against the longest), and whether it is shown."""
        shown = one.id in self.proofs.chosen.values() and not self.proofs.live
        p.fillRect(box, ACCENT_WASH if shown else SLIP)
        p.setPen(QPen(ACCENT if shown else RULE, 2 if shown else 1))
        p.drawLine(box.topLeft(), box.topRight())
        if one.id == self.current and self.hasFocus():
            p.drawRect(box.adjusted(1, 1, -1, -1))
        p.setFont(font(SMALL, bold=bool(one.name)))
        p.setPen(INK)
        metrics = p.fontMetrics()
        p.drawText(
            box.adjusted(5, 0, -4, -3), Qt.AlignmentFlag.AlignVCenter,
            metrics.elidedText(title_of(one), Qt.TextElideMode.ElideRight, int(box.width() - (26 if one.safe else 10))),
        )  # fmt: skip
        if one.safe:
            p.setPen(SOFT)
            p.drawText(box.adjusted(0, 0, -5, -3), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, "⊢")
        if longest > 0.0 and one.seconds > 0.0:
            p.setPen(QPen(STRONG_RULE, 3.0, Qt.PenStyle.SolidLine, Qt.PenCapStyle.FlatCap))
            wide = (box.width() - 10) * one.seconds / longest
            p.drawLine(
                int(box.left() + 5), int(box.bottom() - 2), int(box.left() + 5 + max(wide, 1.0)), int(box.bottom() - 2)
            )

    # hands

    def at(self, where: QPoint) -> Kept | None:
        """The render under a place."""
        return next((one for box, one in self._cells if box.contains(where.toPointF())), None)

    def event(self, event: object) -> bool:
        if isinstance(event, QHelpEvent):
            one = self.at(event.pos())
            said = (
                told(one, self.names)
                if one is not None
                else "A press shows a render on its side, with Ctrl on the other side; the menu keeps, names and drops."
            )
            QToolTip.showText(event.globalPos(), said, self)
            return True
        return super().event(event)  # type: ignore[arg-type]

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus()
        one = self.at(event.position().toPoint())
        if one is not None and event.button() is Qt.MouseButton.LeftButton:
            self.current = one.id
            self._put(one, bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))

    def _put(self, one: Kept, other: bool) -> None:
        side = one.side if not other else "source" if one.side == "target" else "target"
        self.chosen.emit(side, one.id)

    def wheelEvent(self, event: QWheelEvent) -> None:
        most = max((len(self.of_side(side)) for side in SIDES), default=1) - 1
        self.offset = min(max(self.offset - (1 if event.angleDelta().y() > 0 else -1), 0), max(most, 0))
        self.update()
        event.accept()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        one = self.at(event.pos())
        if one is not None:
            self.menu(one).popup(event.globalPos())

    def menu(self, one: Kept) -> QMenu:
        """What can be done with a render."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        other = "source" if one.side == "target" else "target"
        menu.addAction(f"Show as the {one.side}", lambda: self._put(one, False))
        menu.addAction(f"Show as the {other}", lambda: self._put(one, True))
        menu.addSeparator()
        menu.addAction("Let it go by itself" if one.held else "Keep it", lambda: self.proofs.keep(one.id, not one.held))
        menu.addAction("Name it…", lambda: self.ask_name(one))
        menu.addSeparator()
        menu.addAction("Drop it", lambda: self.proofs.drop([one.id]))
        return menu

    def ask_name(self, one: Kept) -> None:
        """Ask for a name; named ones never go by themselves."""
        text, good = QInputDialog.getText(self, "Name a render", "Name (empty for none)", text=one.name)
        if good:
            self.proofs.call(one.id, text)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        cells = [one for _, one in self._cells]
        now = next((n for n, one in enumerate(cells) if one.id == self.current), -1)
        key = Qt.Key(event.key())
        if key in (Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Down) and cells:
            self._walk(key, cells, now)
        elif now >= 0 and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._put(cells[now], bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier))
        elif now >= 0 and key is Qt.Key.Key_K:
            self.proofs.keep(cells[now].id, not cells[now].held)
        elif now >= 0 and key is Qt.Key.Key_F2:
            self.ask_name(cells[now])
        elif now >= 0 and key is Qt.Key.Key_Delete:
            self.proofs.drop([cells[now].id])
        else:
            super().keyPressEvent(event)

    def _walk(self, key: Qt.Key, cells: list[Kept], now: int) -> None:
        if now < 0:
            self.current = cells[0].id
        elif key in (Qt.Key.Key_Left, Qt.Key.Key_Right):
            row = [one for one in cells if one.side == cells[now].side]
            at = row.index(cells[now]) + (1 if key is Qt.Key.Key_Right else -1)
            self.current = row[min(max(at, 0), len(row) - 1)].id
        else:
            side = "source" if key is Qt.Key.Key_Up else "target"
            row = [one for one in cells if one.side == side]
            if row:
                self.current = row[0].id
        self.update()
