"""The sun's place against the published algorithm's case and a second library; the clear sky against another renderer's."""

from __future__ import annotations

import datetime
import math
import random

import ephem
import numpy as np
import pytest
from astral import Observer
from astral.sun import azimuth as astral_azimuth
from astral.sun import elevation as astral_elevation

from durvan.optics import sky, sun
from durvan.optics.colour import luminance
from durvan.optics.photometry import latlong_illuminance


def test_the_sun_stands_where_the_published_case_has_it() -> None:
    """Reda and Andreas 2004, table A5.1: zenith 50.11162° with the air's refraction at 820 hPa and 11 °C, azimuth 194.34024°."""
    when = sun.moment("2003-10-17", 12.5 + 30.0 / 3600.0, -7.0)
    assert when == datetime.datetime(2003, 10, 17, 19, 30, 30)
    azimuth, elevation = sun.position(when, 39.742476, -105.1786)
    assert azimuth == pytest.approx(194.34024, abs=0.01)
    assert elevation == pytest.approx(39.872046, abs=0.01)  # before the refraction, as the paper has it
    observer = ephem.Observer()
    observer.lat, observer.lon, observer.elevation = math.radians(39.742476), math.radians(-105.1786), 1830.14
    observer.pressure, observer.temp, observer.date = 820.0, 11.0, ephem.Date(when)
    assert 90.0 - math.degrees(float(ephem.Sun(observer).alt)) == pytest.approx(50.11162, abs=0.01)


def test_a_second_library_agrees_on_five_hundred_places_and_times() -> None:
    rng = random.Random(7)
    worst = 0.0
    for _ in range(500):
        when = datetime.datetime(1990, 1, 1) + datetime.timedelta(minutes=rng.randrange(60 * 24 * 365 * 45))
        latitude, longitude = rng.uniform(-65.0, 65.0), rng.uniform(-180.0, 180.0)
        azimuth, elevation = sun.position(when, latitude, longitude)
        observer, utc = Observer(latitude, longitude, 0.0), when.replace(tzinfo=datetime.UTC)
        other = astral_azimuth(observer, utc), astral_elevation(observer, utc, with_refraction=False)
        one, two = sun.towards(azimuth, elevation), sun.towards(*other)
        worst = max(worst, math.degrees(math.acos(min(1.0, sum(a * b for a, b in zip(one, two, strict=True))))))
    assert worst < 0.05, f"{worst:.4f}° apart"


@pytest.mark.parametrize(
    ("day", "hour", "zone"), [("2026-02-31", 12.0, 0.0), ("midsummer", 12.0, 0.0), ("2026-06-21", 99.0, 0.0), ("", 1.0, 0.0), ("0001-01-01", 1.0, 0.0), ("2026-06-21", math.nan, 0.0), ("2026-06-21", 12.0, 80.0)]
)  # fmt: skip
def test_days_and_hours_that_there_are_not(day, hour, zone) -> None:
    with pytest.raises(sun.NoSuchDayError):
        sun.moment(day, hour, zone)


@pytest.mark.parametrize("up", ["Y", "Z"])
def test_directions_go_there_and_back(up) -> None:
    rng = random.Random(3)
    for _ in range(50):
        azimuth, elevation = rng.uniform(0.0, 360.0), rng.uniform(-89.0, 89.0)
        back = sun.place_in_sky(sun.towards(azimuth, elevation, up), up)
        assert back == (pytest.approx(azimuth, abs=1e-9), pytest.approx(elevation, abs=1e-9))
    assert sun.towards(0.0, 0.0, "Y") == pytest.approx((0.0, 0.0, -1.0)) and sun.towards(
        0.0, 0.0, "Z"
    ) == pytest.approx((0.0, 1.0, 0.0))
    assert 0.52 < sun.diameter(datetime.datetime(2026, 7, 4)) < sun.diameter(datetime.datetime(2026, 1, 4)) < 0.55


def test_the_sky_is_that_of_the_outside_judge() -> None:
    """The same published model in Mitsuba, whose unit is a luminous efficacy and a normalisation away."""
    mi = pytest.importorskip("mitsuba")
    mi.set_variant("scalar_rgb")
    nit = 683.002 * 106.75
    for elevation, turbidity, ground in ((50.0, 3.0, 0.0), (12.0, 5.5, 0.3), (80.0, 2.0, 1.0)):
        e = math.radians(elevation)
        place = np.array([math.cos(e), 0.0, math.sin(e)])
        judge = mi.load_dict(
            {
                "type": "sunsky",
                "sun_direction": place.tolist(),
                "turbidity": turbidity,
                "albedo": ground,
                "sun_scale": 0.0,
            }
        )
        for way in ([0.0, 0.0, 1.0], [0.3, 0.5, 0.8], [-0.9, 0.1, 0.2]):
            d = np.array(way) / np.linalg.norm(way)
            hit = mi.SurfaceInteraction3f()
            hit.wi = mi.Vector3f(*(-d).tolist())
            there = np.array(judge.eval(hit)) * nit
            here = sky.sky(elevation, turbidity, ground)(np.array(d[2]), np.array(d @ place))
            assert here == pytest.approx(there, rel=0.01)


def test_daylight_in_numbers() -> None:
    """A clear noon is some 80 klx on level ground, the sky a fifth of it; a low sun is red and weak, one below is none."""
    direct, diffuse = sky.daylight_lux(50.0, 3.0, 0.2)
    assert 60_000.0 < direct < 75_000.0 and 15_000.0 < diffuse < 20_000.0
    assert sky.daylight_lux(-1.0, 3.0, 0.2) == (0.0, 0.0)
    high, low = sky.sun_lux(60.0, 3.0), sky.sun_lux(3.0, 3.0)
    assert luminance(low) < 0.2 * luminance(high) and low[0] / low[2] > 3.0 * high[0] / high[2]
    assert sky.sky(40.0, 0.0, 0.2) == sky.sky(40.0, 1.0, 0.2)  # what lies outside is held


def test_the_picture_holds_the_light_of_the_model() -> None:
    made = sky.picture(120.0, 35.0, 4.0, 0.3)
    assert made.shape == (256, 512, 3) and np.isfinite(made).all()
    assert latlong_illuminance(made) == pytest.approx(sky.daylight_lux(35.0, 4.0, 0.3)[1], rel=2e-3)
    brightest = np.unravel_index(made[:100].sum(axis=-1).argmax(), (100, 512))  # the horizon is bright by itself
    direction = sky.directions(512, 256)[brightest]
    assert float(direction @ np.array(sun.towards(120.0, 35.0))) > math.cos(math.radians(10.0))
    name = sky.name_of(120.0, 35.0, 4.0, 0.3)
    assert sky.of_name(name) is not None and (sky.of_name(name) == made).all()
    assert sky.of_name("clear-sky:noon") is None and sky.of_name("a.exr") is None
