"""What windows onto pictures show, kept from one painting to the next: a picture that was only moved is moved, and what comes into sight is added."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from PySide6.QtGui import QImage, QPainter

from durvan.proof.looking.lens import Frame, Screen

Make = Callable[[Frame, tuple[int, int]], Screen]
_NEAR = 1e-3  # of a pixel, that a move may be off a whole one


def image(screen: Screen) -> QImage:
    """Pixels for a screen as an image of its own."""
    height, width = screen.shape
    return QImage(screen.data, width, height, 4 * width, QImage.Format.Format_RGB32).copy()


@dataclass
class _Shot:
    key: Any
    frame: Frame
    size: tuple[int, int]
    image: QImage


class Shots:
    """The last one of each place (source, target, …)."""

    def __init__(self) -> None:
        self._kept: dict[str, _Shot] = {}
        self.made = 0  # pixels that were worked out, for whoever measures

    def get(self, place: str, key: Any, frame: Frame, size: tuple[int, int], make: Make) -> QImage:
        """The image of a place; `key` is all that it depends on besides the frame and the size."""
        old = self._kept.get(place)
        if old is not None and old.key == key and old.size == size:
            if old.frame == frame:
                return old.image
            moved = self._moved(old, frame, make)
            if moved is not None:
                self._kept[place] = _Shot(key, frame, size, moved)
                return moved
        fresh = image(make(frame, size))
        self.made += size[0] * size[1]
        self._kept[place] = _Shot(key, frame, size, fresh)
        return fresh

    def _moved(self, old: _Shot, frame: Frame, make: Make) -> QImage | None:
        """The old image moved, with its edges added; None where it was not moved by whole pixels of the screen."""
        if old.frame.zoom != frame.zoom:
            return None
        right, down = (old.frame.left - frame.left) * frame.zoom, (old.frame.top - frame.top) * frame.zoom
        x, y = round(right), round(down)
        width, height = old.size
        if max(abs(right - x), abs(down - y)) > _NEAR or abs(x) >= width // 2 or abs(y) >= height // 2:
            return None
        made = QImage(width, height, QImage.Format.Format_RGB32)
        painter = QPainter(made)
        painter.drawImage(x, y, old.image)
        for left, top, wide, high in (
            (0 if x > 0 else width + x, 0, abs(x), height),
            (0, 0 if y > 0 else height + y, width, abs(y)),
        ):
            if wide and high:
                part = Frame(frame.left + left / frame.zoom, frame.top + top / frame.zoom, frame.zoom)
                painter.drawImage(left, top, image(make(part, (wide, high))))
                self.made += wide * high
        painter.end()
        return made
