"""Where the pages' things are in the window, as it is looked at now: how near, how far down, how far out."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from PySide6.QtCore import QPointF, QRectF
from PySide6.QtGui import QPainterPath, QTransform

from durvan.ui.stations.facing.layout import GUTTER, HEAD, ROW, Band, Drawn, Line, Page, Slip
from durvan.ui.stations.facing.walking import Spot

TAB = 14.0  # how far out of a slip a press still is on its tab
_NEAR = 12.0  # how near a band a press has to be


class Room:
    """Both pages through the window. Both are pulled out as far as each other, and down as far."""

    def __init__(self) -> None:
        self.zoom, self.reach, self.top = 1.0, 0.0, 0.0
        self.width, self.height = 1.0, 1.0
        self.show(Drawn())

    def show(self, drawn: Drawn) -> None:
        """Look at other pages; what helps to find things quickly is made once."""
        self.drawn = drawn
        self._slips = {page.side: list(page.slips.values()) for page in drawn.pages}
        self._bounds = {
            side: np.array([(one.u, one.y, one.u + one.width, one.y + one.height) for one in slips]).reshape(-1, 4)
            for side, slips in self._slips.items()
        }
        self.links = {page.side: _path(page) for page in drawn.pages}

    # places

    @property
    def edge(self) -> float:
        """How far the gutter's edges are from the middle of the window."""
        return GUTTER / 2.0 * self.zoom

    def x_of(self, side: str, u: float) -> float:
        """Where in the window something is that is so far out."""
        out = self.edge + (u - self.reach) * self.zoom
        return self.width / 2.0 + (-out if side == "source" else out)

    def y_of(self, y: float) -> float:
        """Where in the window a height is."""
        return (y - self.top) * self.zoom

    def box(self, slip: Slip) -> QRectF:
        """A slip's place in the window."""
        x = self.x_of(slip.side, slip.u + slip.width if slip.side == "source" else slip.u)
        return QRectF(x, self.y_of(slip.y), slip.width * self.zoom, slip.height * self.zoom)

    def place(self, slip: Slip, line: Line | None) -> QRectF:
        """A line's place in the window, or that of a slip's head."""
        box = self.box(slip)
        if line is None:
            return QRectF(box.left(), box.top(), box.width(), HEAD * self.zoom)
        return QRectF(box.left(), self.y_of(line.y - ROW / 2.0), box.width(), ROW * self.zoom)

    def inside(self, slip: Slip, own: QRectF) -> QRectF:
        """Where something is that is stated on a slip at the origin."""
        box = self.box(slip)
        return QRectF(
            box.left() + own.left() * self.zoom, box.top() + own.top() * self.zoom, own.width() * self.zoom,
            own.height() * self.zoom,
        )  # fmt: skip

    def clip(self, side: str) -> QRectF:
        """A page's part of the window."""
        half = max(self.width / 2.0 - self.edge, 0.0)
        return QRectF(0.0 if side == "source" else self.width - half, 0.0, half, self.height)

    def outward(self, side: str) -> QTransform:
        """From places of a side (outward to the left or to the right of 0, down) to the window."""
        middle = self.width / 2.0 + (-1.0 if side == "source" else 1.0) * (self.edge - self.reach * self.zoom)
        return QTransform(self.zoom, 0.0, 0.0, self.zoom, middle, -self.top * self.zoom)

    def seen(self, side: str) -> Iterator[Slip]:
        """The slips of a side that are in the window, with a little around it."""
        b = self._bounds[side]
        if not len(b):
            return
        reach, far = self.reach - TAB / self.zoom, self.reach + (self.width / 2.0 - self.edge + TAB) / self.zoom
        low, high = self.top - 20.0 / self.zoom, self.top + (self.height + 20.0) / self.zoom
        found = np.nonzero((b[:, 2] >= reach) & (b[:, 0] <= far) & (b[:, 3] >= low) & (b[:, 1] <= high))[0]
        slips = self._slips[side]
        for place in found:
            yield slips[place]

    def front(self, page: Page) -> int:
        """The column of a page that stands at the gutter."""
        return next((n for n, u in enumerate(page.columns) if u + 1.0 >= self.reach), 0)

    # what is under a point

    def slip_at(self, at: QPointF) -> Slip | None:
        """The slip under a point of the window."""
        for page in self.drawn.pages:
            if self.clip(page.side).contains(at):
                return next((slip for slip in self.seen(page.side) if self.box(slip).contains(at)), None)
        return None

    def spot_at(self, at: QPointF) -> Spot | None:
        """The line or head under a point of the window."""
        slip = self.slip_at(at)
        if slip is None:
            return None
        line = next((line for line in slip.lines if self.place(slip, line).contains(at)), None)
        if line is None and not self.place(slip, None).contains(at):
            return None
        return Spot(slip.side, slip.node.id, line.parameter if line is not None else "")

    def band_at(self, at: QPointF, chosen: object = None) -> Band | None:
        """The band that is nearest to a point of the gutter; of those that are not always shown only the `chosen` row's."""
        middle = self.width / 2.0
        if abs(at.x() - middle) > self.edge:
            return None
        part = (at.x() - middle + self.edge) / (2.0 * self.edge)
        near = [
            (abs(self.y_of(_level(band, part)) - at.y()), band) for band in self.drawn.bands
            if (band.main or band.row is chosen) and self.at_gutter(band)
        ]  # fmt: skip
        best = min(near, key=lambda found: found[0], default=None)
        return best[1] if best is not None and best[0] <= _NEAR else None

    def at_gutter(self, band: Band) -> bool:
        """Whether a band is drawn: what it starts from stands at the gutter, or, without that, where it ends."""
        first = band.left or band.right
        page = self.drawn.source if band.left is not None else self.drawn.target
        return first is not None and first[0].column == self.front(page)

    def tab_at(self, at: QPointF) -> Slip | None:
        """The slip whose tab for folding is under a point."""
        for page in self.drawn.pages:
            for slip in self.seen(page.side) if self.clip(page.side).contains(at) else ():
                box = self.box(slip)
                outer = box.left() - TAB if slip.side == "source" else box.right()
                if (slip.folds or slip.hidden) and QRectF(outer, box.top(), TAB, (HEAD + 14) * self.zoom).contains(at):
                    return slip
        return None


def _path(page: Page) -> QPainterPath:
    """A page's links, outward to the left or to the right of 0."""
    path, sign = QPainterPath(), -1.0 if page.side == "source" else 1.0
    for wire in page.wires:
        path.moveTo(sign * wire[0][0], wire[0][1])
        for u, y in wire[1:]:
            path.lineTo(sign * u, y)
    return path


def _level(band: Band, part: float) -> float:
    """The height of a band so far across the gutter."""
    left = band.left[1].y if band.left is not None else band.right[1].y if band.right is not None else 0.0
    right = band.right[1].y if band.right is not None else left
    ease = part * part * (3 - 2 * part)
    return left * (1 - ease) + right * ease
