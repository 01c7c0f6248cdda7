"""Going over the pages by keys: from line to line, outward to what feeds it, inward to what it feeds, and across the gutter."""

from __future__ import annotations

from dataclasses import dataclass

from durvan.crossing.translation.rows import Row
from durvan.ui.stations.facing.layout import Drawn, Line, Page, Slip

_NONE: list[Line | None] = [None]


@dataclass(frozen=True)
class Spot:
    """A line of a slip, or (without a parameter) its head."""

    side: str
    node: str
    parameter: str = ""


def page_of(drawn: Drawn, side: str) -> Page:
    """The page of a side."""
    return drawn.source if side == "source" else drawn.target


def find(drawn: Drawn, spot: Spot | None) -> tuple[Slip, Line | None] | None:
    """The slip and the line of a spot, where they are shown."""
    slip = page_of(drawn, spot.side).slips.get(spot.node) if spot is not None else None
    if spot is None or slip is None:
        return None
    return slip, next((line for line in slip.lines if line.parameter == spot.parameter), None)


def spot_of(drawn: Drawn, row: Row | None, near: str = "source") -> Spot | None:
    """Where a row stands, on the nearer page first."""
    if row is None:
        return None
    ends = {"source": [(row.node, row.parameter)] if row.node else [], "target": list(row.targets)}
    for side in (near, "target" if near == "source" else "source"):
        for node, parameter in ends[side]:
            if page_of(drawn, side).line(node, parameter) is not None:
                return Spot(side, node, parameter)
    return None


def _of(slip: Slip, line: Line | None) -> Spot:
    return Spot(slip.side, slip.node.id, line.parameter if line is not None else "")


def _height(slip: Slip, line: Line | None) -> float:
    return line.y if line is not None else slip.y


def _nearest(page: Page, column: int, y: float) -> Spot | None:
    """The line of a column that is nearest to a height."""
    found: list[tuple[float, int, Slip, Line | None]] = [
        (abs(_height(slip, line) - y), number, slip, line)
        for number, slip in enumerate(page.slips.values()) if slip.column == column
        for line in (slip.lines or _NONE)
    ]  # fmt: skip
    best = min(found, key=lambda one: one[:2], default=None)
    return _of(best[2], best[3]) if best is not None else None


def down(drawn: Drawn, spot: Spot | None, by: int) -> Spot | None:
    """The next line down (or up, by −1), on to the next slip of the column."""
    found = find(drawn, spot)
    if found is None:
        return _nearest(drawn.source, 0, 0.0) or _nearest(drawn.target, 0, 0.0)
    slip, line = found
    own = sorted(
        (one for one in page_of(drawn, slip.side).slips.values() if one.column == slip.column), key=lambda one: one.y
    )
    stops = [(one, entry) for one in own for entry in (None, *one.lines)]
    place = next(n for n, (one, entry) in enumerate(stops) if one is slip and entry is line) + by
    return _of(*stops[place]) if 0 <= place < len(stops) else spot


def outward(drawn: Drawn, spot: Spot | None) -> Spot | None:
    """What feeds a line, or the nearest that is farther out."""
    found = find(drawn, spot)
    if found is None or spot is None:
        return down(drawn, spot, 1)
    slip, line = found
    page = page_of(drawn, slip.side)
    link = slip.node.links.get(line.parameter) if line is not None else None
    if link is not None and link.node in page.slips:
        return Spot(slip.side, link.node)
    return _nearest(page, slip.column + 1, _height(slip, line)) or spot


def inward(drawn: Drawn, spot: Spot | None) -> Spot | None:
    """What a node feeds; from the gutter's edge, the other page."""
    found = find(drawn, spot)
    if found is None or spot is None:
        return down(drawn, spot, 1)
    slip, line = found
    page = page_of(drawn, slip.side)
    for other in page.slips.values():
        for port, link in other.node.links.items():
            if link.node == slip.node.id and other is not slip and other.column <= slip.column:
                return Spot(slip.side, other.node.id, port)
    if slip.column > 0:
        return _nearest(page, slip.column - 1, _height(slip, line)) or spot
    return across(drawn, spot)


def across(drawn: Drawn, spot: Spot | None) -> Spot | None:
    """The other end of a line's band, or the nearest on the other page."""
    found = find(drawn, spot)
    if found is None or spot is None:
        return spot
    slip, line = found
    other = "target" if slip.side == "source" else "source"
    if line is not None and line.row is not None:
        there = spot_of(drawn, line.row, other)
        if there is not None and there.side == other:
            return there
    return _nearest(page_of(drawn, other), 0, _height(slip, line)) or spot
