"""What Evidence says of a light besides its values: its light at each probe, its profile as a polar plot, its sun over the day."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QPainter, QPaintEvent, QPen, QPolygonF
from PySide6.QtWidgets import QVBoxLayout, QWidget

from durvan.crossing.light.report import LightReport
from durvan.errors import ProfileError
from durvan.formats import profiles
from durvan.optics import sun
from durvan.optics.profile import Profile, beam_angle, curve, tilt_of, whole
from durvan.scene.model import FileKind, FileState, Kind, Scene, Thing
from durvan.ui.kit.parts import label, small, table_of
from durvan.ui.kit.theme import ACCENT, BOOTH, INK, PANEL, SMALL, SOFT, STRONG_RULE, font
from durvan.ui.shared.state import Selection
from durvan.ui.stations.light.bars import figures, short
from durvan.ui.stations.station import Bench, Explained

Curve = tuple[NDArray[np.float64], NDArray[np.float64]]


class LightEvidence(Explained):
    """Adds to what there is to know of a light."""

    def __init__(self, bench: Bench) -> None:
        self.state = bench.state

    def about(self, selection: Selection) -> bool:
        return False

    def fill(self, down: QVBoxLayout, selection: Selection) -> None:
        """Nothing by itself."""

    def more(self, down: QVBoxLayout, thing: Thing) -> None:
        """Its light at the probes, and what can be drawn of it."""
        session = self.state.session
        if session is None:
            return
        if session.light is not None:
            _at_probes(down, session.light, thing.id)
        if thing.kind is not Kind.LIGHT:
            return
        profile = _profile(session.scene, thing)
        if profile is not None:
            down.addSpacing(6)
            down.addWidget(label("Profile", bold=True))
            down.addWidget(Polar(profile))
            told = [
                ("flux", f"{profiles.lumens(profile):.4g}", "lm"), ("beam", f"{beam_angle(profile):.0f}", "deg"),
                ("type", profile.kind, ""), ("planes", str(len(profile.horizontal)), ""),
            ]  # fmt: skip
            if profile.lumens > 0.0:
                told.insert(1, ("its lamps", f"{profile.lumens:.4g}", "lm"))
            told += _tilted(profile, thing, session.scene.up_axis)
            down.addWidget(table_of(told))
            for note in profile.notes:
                down.addWidget(small(f"{note}.", wrap=True))
        day = _day(thing)
        if day is not None:
            down.addSpacing(6)
            down.addWidget(label("Sun", bold=True))
            down.addWidget(DayDial(*day))
            down.addWidget(
                table_of([("stands at", f"{day[0][0] % 360.0:.1f}", "deg"), ("height", f"{day[0][1]:.1f}", "deg")])
            )


def _at_probes(down: QVBoxLayout, report: LightReport, path: str) -> None:
    parts = [part for part in report.parts if part.path == path]
    if not parts:
        return
    down.addSpacing(6)
    down.addWidget(label("At the probes", bold=True))
    rows = []
    for place, probe in enumerate(report.probes):
        one = sum(report.lux(part, place, "source") for part in parts)
        two = sum(report.lux(part, place, "target") for part in parts)
        if max(one, two) > 0.0:
            apart = math.log2(two / one) if one > 0.0 and two > 0.0 else math.inf if one <= 0.0 else -math.inf
            rows.append((probe.name, f"{figures(one)} → {figures(two)}", f"lx {short(apart)}"))
    down.addWidget(table_of(rows) if rows else small("It reaches none of them."))


def _profile(scene: Scene, thing: Thing) -> Profile | None:
    """The profile that a light names, where it can be read."""
    for file in scene.files.values():
        if file.kind is FileKind.PROFILE and file.first and any(user[0] == thing.id for user in file.users):
            try:
                return profiles.read(file.first) if file.state is not FileState.UNREADABLE else None
            except ProfileError:
                return None
    return None


def _tilted(profile: Profile, thing: Thing, up_axis: str) -> list[tuple[str, str, str]]:
    """How far a lamp is tilted from straight down, and what it gives then, where its profile says."""
    if not profile.tilt or profile.lamp_stays or len(thing.stands) != 16:
        return []
    degrees = tilt_of(thing.stands[8:11], up_axis)
    return [
        ("tilted by", f"{degrees:.0f}", "deg"),
        ("so it gives", f"{100.0 * whole(profile).tilt_factor(degrees):.0f}", "%"),
    ]


def _day(thing: Thing) -> tuple[tuple[float, float], list[tuple[float, float, float]]] | None:
    """Where a sun by date and place stands now, and over its day: hour, azimuth and elevation; None for other lights."""
    root = thing.root
    if root is None or "latitude" not in root.values or "date" not in root.values:
        return None
    v = root.values

    def number(name: str, otherwise: float = 0.0) -> float:
        found = v.get(name, otherwise)
        return float(found) if isinstance(found, int | float) else otherwise

    place = (number("zone"), number("latitude"), number("longitude"))
    try:
        now = sun.where(str(v["date"]), number("time", 12.0), *place)
        way = [(h / 4.0, *sun.where(str(v["date"]), h / 4.0, *place)) for h in range(97)]
    except sun.NoSuchDayError:
        return None
    return now, way


class Polar(QWidget):
    """Candela over the vertical angle, in the first plane and the one a quarter turn on; the lamp in the middle shines down."""

    def __init__(self, profile: Profile) -> None:
        super().__init__()
        self.setFixedHeight(170)
        self.curves: list[Curve] = [curve(profile, 0.0), curve(profile, 90.0)]
        self.top = max(float(self.curves[0][1].max()), float(self.curves[1][1].max()), 1e-9)
        self.setToolTip(
            "Luminous intensity by angle from straight down: a plain line in the plane of 0°, dashes in that of 90°."
        )

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), PANEL)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        radius = 72.0
        whole = any(float(c[1][np.abs(c[0]) > 92.0].max()) > 0.02 * self.top for c in self.curves)
        middle = QPointF(self.width() / 2.0, self.height() / 2.0 if whole else 22.0)
        radius = radius if whole else 128.0
        p.setPen(QPen(STRONG_RULE, 1))
        for share in (0.5, 1.0):
            box = QRectF(
                middle.x() - share * radius, middle.y() - share * radius, 2 * share * radius, 2 * share * radius
            )
            p.drawArc(box, (0 if whole else 180) * 16, (360 if whole else 180) * 16)
        for angle in (-60, -30, 0, 30, 60):
            a = math.radians(angle)
            p.drawLine(middle, middle + QPointF(radius * math.sin(a), radius * math.cos(a)))
        for (angles, candela), style, ink in zip(
            self.curves, (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine), (INK, ACCENT), strict=True
        ):
            line = QPolygonF()
            for angle, value in zip(angles, candela, strict=True):
                a, r = math.radians(float(angle)), radius * float(value) / self.top
                line.append(middle + QPointF(r * math.sin(a), r * math.cos(a)))
            p.setPen(QPen(ink, 1.6, style))
            p.drawPolyline(line)
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        p.drawText(QRectF(0, self.height() - 18, self.width(), 18), Qt.AlignmentFlag.AlignRight, f"{self.top:.4g} cd")


class DayDial(QWidget):
    """The sky from above, north up: the sun's way over the day from rise to set, and where it stands."""

    def __init__(self, now: tuple[float, float], way: list[tuple[float, float, float]]) -> None:
        super().__init__()
        self.setFixedHeight(150)
        self.now, self.way = now, way
        self.setToolTip(
            "The sky from above, north up; its rim is the horizon. The line is the sun's way over this day."
        )

    def _point(self, azimuth: float, elevation: float) -> QPointF:
        r = 62.0 * (90.0 - elevation) / 90.0
        a = math.radians(azimuth)
        return QPointF(self.width() / 2.0 + r * math.sin(a), self.height() / 2.0 - r * math.cos(a))

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.fillRect(self.rect(), PANEL)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        middle = QPointF(self.width() / 2.0, self.height() / 2.0)
        p.setPen(QPen(STRONG_RULE, 1))
        p.setBrush(BOOTH)
        p.drawEllipse(middle, 62.0, 62.0)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawEllipse(middle, 31.0, 31.0)
        p.setFont(font(SMALL))
        p.setPen(SOFT)
        for name, azimuth in (("N", 0.0), ("E", 90.0), ("S", 180.0), ("W", 270.0)):
            at = self._point(azimuth, -11.0)
            p.drawText(QRectF(at.x() - 10, at.y() - 8, 20, 16), Qt.AlignmentFlag.AlignCenter, name)
        line = QPolygonF([self._point(a, e) for _, a, e in self.way if e >= 0.0])
        p.setPen(QPen(INK, 1.4))
        p.drawPolyline(line)
        for hour, azimuth, elevation in self.way:
            if elevation >= 0.0 and hour % 3.0 == 0.0:
                at = self._point(azimuth, elevation)
                p.drawEllipse(at, 1.6, 1.6)
        up = self.now[1] >= 0.0
        p.setPen(QPen(ACCENT, 2.0))
        p.setBrush(ACCENT if up else Qt.BrushStyle.NoBrush)
        p.drawEllipse(self._point(self.now[0], max(self.now[1], -4.0)), 5.0, 5.0)
