"""The camera's view of both sides, side by side, as it is with the trims that stand or are being tried."""

from __future__ import annotations

from PySide6.QtCore import QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent
from PySide6.QtWidgets import QSizePolicy, QWidget

from durvan.ui.followers.looks import Looks
from durvan.ui.kit.theme import BOOTH, INK, SMALL, SOFT, font

_HEAD, _GAP = 20, 12


class BothViews(QWidget):
    """Painted by hand: both pictures at one size, on the booth's grey."""

    def __init__(self, looks: Looks) -> None:
        super().__init__()
        self.looks = looks
        self.titles = ("source", "target")
        self.alone = ""
        self.setMinimumSize(300, 130)
        rule = self.sizePolicy()
        rule.setHeightForWidth(True)
        rule.setVerticalPolicy(QSizePolicy.Policy.Preferred)
        self.setSizePolicy(rule)
        self.setAccessibleName("the camera's view of both sides")
        looks.rendered.connect(lambda _: self.update())
        looks.prepared.connect(lambda _: self.update())

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return _HEAD + 8 + round((width - 3 * _GAP) / 2.0 * 9.0 / 16.0)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), BOOTH)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        wide = (self.width() - 3.0 * _GAP) / 2.0
        for number, side in enumerate(("source", "target")):
            x = _GAP + number * (wide + _GAP)
            found = self.looks.views.get(side)
            p.setFont(font(SMALL, bold=True))
            p.setPen(INK)
            p.drawText(QRectF(x, 2, wide, _HEAD - 2), Qt.AlignmentFlag.AlignVCenter, self.titles[number])
            if found is None:
                p.setPen(SOFT)
                said = self.looks.trouble or self.looks.preparing or "Rendering…"
                p.drawText(QRectF(x, _HEAD, wide, self.height() - _HEAD), Qt.AlignmentFlag.AlignCenter, said)
                continue
            picture, samples, of, _ = found
            told = f"by {self.alone} alone" if self.alone else "" if samples >= of else f"{samples} of {of}"
            p.setFont(font(SMALL))
            p.setPen(SOFT)
            p.drawText(QRectF(x, 2, wide, _HEAD - 2), Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, told)
            k = min(wide / picture.width(), (self.height() - _HEAD - 8.0) / picture.height())
            w, h = picture.width() * k, picture.height() * k
            p.drawImage(QRectF(x + (wide - w) / 2.0, _HEAD, w, h), picture)
