"""The sun: where it stands at a date, a time and a place, and which way that is in a scene.

Positions by the ephemeris of libastro (VSOP87), through PyEphem; geometric, without the air's refraction.
"""

from __future__ import annotations

import datetime
import math

import ephem

DIAMETER = 0.533  # degrees, the mean over a year


class NoSuchDayError(ValueError):
    """A date or an hour that there is not."""


def moment(day: str, hour: float, zone: float = 0.0) -> datetime.datetime:
    """The universal time of a day ("2026-06-21") and an hour (0 to 24) in a zone (hours east of Greenwich).

    Raises NoSuchDayError with what is wrong.

    >>> moment("2003-10-17", 12.508333333, -7.0)
    datetime.datetime(2003, 10, 17, 19, 30, 30)
    """
    try:
        found = datetime.date.fromisoformat(day.strip())
    except ValueError as problem:
        raise NoSuchDayError(f"'{day[:40]}' is no day: {problem}.") from None
    if not 1600 <= found.year <= 2600:
        raise NoSuchDayError(f"the year {found.year} is outside of 1600 to 2600, for which the sun's place is known.")
    if not (math.isfinite(hour) and math.isfinite(zone) and -24.0 <= hour <= 48.0 and -14.0 <= zone <= 14.0):
        raise NoSuchDayError(f"{hour:g} o'clock in the zone {zone:g} is no time.")
    return datetime.datetime.combine(found, datetime.time()) + datetime.timedelta(
        seconds=round((hour - zone) * 3600.0, 3)
    )


def position(when: datetime.datetime, latitude: float, longitude: float) -> tuple[float, float]:
    """Azimuth, clockwise from true north, and elevation of the sun's middle in degrees, as seen from the ground.

    `when` is universal time without a zone; degrees north and east. Checked against the reference case of Reda and Andreas,
    "Solar position algorithm for solar radiation applications" (Solar Energy 76, 2004): see the tests.
    """
    observer = ephem.Observer()
    observer.lat, observer.lon = math.radians(latitude), math.radians(longitude)
    observer.pressure = 0.0  # no refraction
    observer.date = ephem.Date(when)
    sun = ephem.Sun(observer)
    return math.degrees(float(sun.az)), math.degrees(float(sun.alt))


def where(day: str, hour: float, zone: float, latitude: float, longitude: float) -> tuple[float, float]:
    """`position` at a `moment`. Raises NoSuchDayError."""
    return position(moment(day, hour, zone), latitude, longitude)


def diameter(when: datetime.datetime) -> float:
    """Its apparent diameter in degrees."""
    return math.degrees(2.0 * float(ephem.Sun(ephem.Date(when)).radius))


def towards(azimuth: float, elevation: float, up_axis: str = "Y") -> tuple[float, float, float]:
    """The direction to a place in the sky in a scene whose north is −Z (of one that is Z-up: +Y) and whose east is +X.

    Degrees; azimuth clockwise as seen from above.

    >>> [round(part, 6) + 0.0 for part in towards(90.0, 0.0)]
    [1.0, 0.0, 0.0]
    """
    a, e = math.radians(azimuth), math.radians(elevation)
    east, north, up = math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e)
    return (east, north, up) if up_axis == "Z" else (east, up, -north)


def place_in_sky(direction: tuple[float, float, float], up_axis: str = "Y") -> tuple[float, float]:
    """Azimuth and elevation of a direction in a scene, in degrees: what `towards` undoes."""
    x, y, z = direction
    east, north, up = (x, y, z) if up_axis == "Z" else (x, -z, y)
    return math.degrees(math.atan2(east, north)) % 360.0, math.degrees(math.atan2(up, math.hypot(east, north)))
