"""How the pair is looked at: the way, how both sides stand to each other, exposures, the view, the part in sight. Shared by every window."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace

from PySide6.QtCore import QObject, Signal

from durvan.errors import DurvanError
from durvan.formats import views
from durvan.formats.views import ColourView
from durvan.proof.looking import tones, ways
from durvan.proof.looking.lens import Cube, Frame, Toned
from durvan.proof.looking.pair import LUMINANCE, Look
from durvan.proof.looking.ways import BY_NAME, WAYS, Way

BESIDE, SPLIT, ONE = "beside", "split", "swap"
ARRANGEMENTS = (
    (BESIDE, "Source and target side by side (B)."),
    (SPLIT, "Both in one frame with a line between; drag the line, or its ends to turn it (L)."),
    (ONE, "One in the other's place; the same key again swaps them (S)."),
)
DISPLAY, BENT = "sRGB", "as its camera bends it"
STEP = 0.25  # stops that a key changes exposure by
CHANNELS = ("red", "green", "blue", "luminance")


@dataclass(frozen=True)
class Line:
    """The line between both in a split: through a place of the picture (0 to 1), turned by some degrees from upright."""

    across: float = 0.5
    down: float = 0.5
    angle: float = 0.0

    def side_of(self, x: float, y: float, width: float, height: float) -> float:
        """How far a place lies to the target's side, in the same units as the size."""
        turn = math.radians(self.angle)
        return (x - self.across * width) * math.cos(turn) + (y - self.down * height) * math.sin(turn)


class Showing(QObject):
    """The state; whoever draws listens to `changed`."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.way: Way = BY_NAME[ways.PICTURE]
        self.arrangement = BESIDE
        self.second = True  # of one alone: whether it is the target
        self.exposures = (0.0, 0.0)
        self.together = True
        self.look = Look()
        self.clipped = False
        self.mended = False
        self.line = Line()
        self.frame: Frame | None = None  # None: all of it
        self.view = DISPLAY
        self.views: dict[str, ColourView] = {}
        self.trouble = ""
        self.region: tuple[int, int, int, int] | None = None
        self._tables: dict[tuple[float, str], Toned] = {}
        self._cubes: dict[str, Cube] = {}

    def names_of_views(self) -> list[str]:
        """All views: the plain display, the response that is burnt in, and those of the config."""
        if not self.views:
            for config in dict.fromkeys((views.own_config(), views.BUILT_IN)):
                if config:
                    self._read(config)
        return [DISPLAY, BENT, *self.views]

    def _read(self, config: str) -> None:
        try:
            self.views.update({one.name: one for one in views.views_of(config)})
        except DurvanError as problem:
            self.trouble = str(problem)

    def toned(self, side: int, response: str) -> Toned:
        """How a side's values become the display's."""
        stops = self.exposures[side]
        key = (stops, f"{self.view} {response if self.view == BENT else ''}")
        if key not in self._tables:
            if len(self._tables) > 64:
                self._tables.clear()
            self._tables[key] = self._made(stops, response)
        return self._tables[key]

    def _made(self, stops: float, response: str) -> Toned:
        plain = Toned(tones.display_table(stops, response if self.view == BENT else ""), 2.0**stops)
        wanted = self.views.get(self.view)
        if wanted is None:
            return plain
        try:
            if self.view not in self._cubes:
                self._cubes[self.view] = Cube.of(views.cube(wanted), views.axis(tones.values()))
        except DurvanError as problem:
            self.trouble = str(problem)
            return plain
        return replace(plain, cube=self._cubes[self.view].exposed(views.axis(tones.values() * 2.0**stops)))

    # changing it

    def tell(self) -> None:
        """Something is otherwise."""
        self.changed.emit()

    def go(self, way: str) -> None:
        """Look in another way."""
        self.way = BY_NAME[way]
        self.tell()

    def next_way(self, by: int = 1) -> None:
        """Look in the next way."""
        self.go(WAYS[(WAYS.index(self.way) + by) % len(WAYS)].name)

    def arrange(self, arrangement: str) -> None:
        """Have both stand otherwise; the same of one alone swaps."""
        if arrangement == ONE and self.arrangement == ONE:
            self.second = not self.second
        self.arrangement = arrangement
        if self.way.between:
            self.way = BY_NAME[ways.PICTURE]
        self.tell()

    def expose(self, stops: float, side: int | None = None) -> None:
        """Show both brighter by some stops, or one of them."""
        now = [
            round(min(max(one + stops * (side is None or side == n), -12.0), 12.0), 3)
            for n, one in enumerate(self.exposures)
        ]
        self.set_exposures(now[0], now[1])

    def set_exposures(self, source: float, target: float) -> None:
        """Show both at exposures, in stops."""
        self.exposures = (source, target)
        self.look = replace(self.look, exposures=self.exposures)
        self.tell()

    def by_channel(self, channel: int = LUMINANCE) -> None:
        """Tell stops of a channel, or of luminance."""
        self.look = replace(self.look, channel=channel)
        self.tell()

    def beyond_noise(self, on: bool) -> None:
        """Take off what noise explains."""
        self.look = replace(self.look, beyond_noise=on)
        self.tell()

    def show_view(self, name: str) -> None:
        """Show by another view."""
        self.view = name
        self.tell()

    def put(self, **what: object) -> None:
        """Change something else of it."""
        for name, value in what.items():
            setattr(self, name, value)
        self.tell()

    def forget(self) -> None:
        """Another pair: all of it is in sight, and nothing is measured."""
        self.frame, self.region, self.mended = None, None, False
        self.tell()
