"""What looks of several packs need: conventions that they share, as functions over fields and numbers."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

from durvan.dialects.look import Inputs, Lamp, Lobe, Surface
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics import sky
from durvan.optics.colour import black_body
from durvan.optics.lobes import layout

SATURATION = 1.2  # picture value 1 stands at 1.2·2^EV100 nit (ISO 12232, saturation-based speed; CIPA DC-004)


def exposure_scale(f_number: float, seconds: float, iso: float, stops: float = 0.0) -> float:
    """Picture value for a nit: 1/(1.2·2^EV100), EV100 = log2(N²/t·100/S)."""
    light = f_number * f_number / max(seconds, 1e-12) * 100.0 / max(iso, 1e-9)
    return float(2.0**stops / (SATURATION * light))


def tinted(strength: float, tint: tuple[float, ...], kelvin: float | None) -> tuple[float, float, float]:
    """A strength in some unit as three channels: times a tint, times the colour of a temperature."""
    r, g, b = black_body(kelvin) if kelvin is not None else (1.0, 1.0, 1.0)
    three = tint if len(tint) == 3 else (1.0, 1.0, 1.0)
    return (
        ex.finite(strength * three[0] * r),
        ex.finite(strength * three[1] * g),
        ex.finite(strength * three[2] * b),
    )


def paths(said: str) -> tuple[str, ...]:
    """The paths of a list."""
    return tuple(said.split())


def measured(
    get: Inputs,
    file: str,
    radius: float,
    lumens: float,
    colour: tuple[float, float, float],
    factor: float = 1.0,
    **more: Any,
) -> Lamp:
    """A lamp with a profile: of so many lumens, or (0) as it was measured times a factor. One that names no profile has one
    candela to all sides in its place; of one that cannot be read it shines evenly, with its lumens or 1000. The look says so.
    """
    globe = get.facts.profile(get.facts.find(file)) if file else None
    notes = tuple(more.pop("notes", ()))
    if globe is None or globe.lumens <= 0.0:
        why = "cannot be read" if globe is None else "gives no light"
        notes = (
            *notes,
            f"its profile '{file}' {why}; it shines evenly" if file else "it has no profile; it shines evenly",
        )
        globe = None
        candela = factor if not file and lumens <= 0.0 else (lumens or 1000.0) / (4.0 * math.pi)
    else:
        candela = lumens / globe.lumens if lumens > 0.0 else factor
    size = max(radius, 0.0)
    if size < SMALLEST_BALL:
        return Lamp("point", tinted(candela, colour, None), profile_of=globe, notes=notes, **more)
    nits = candela / (math.pi * size * size)
    return Lamp("sphere", tinted(nits, colour, None), (size, 0.0), profile_of=globe, notes=notes, total=True, **more)


def daylight(
    azimuth: float, elevation: float, haze: float, ground: float, sun_gain: float, sky_gain: float, disc: float,
    tint: tuple[float, ...], shadows: bool,
) -> tuple[Lamp, ...]:  # fmt: skip
    """The sun and its sky as two lamps, by the clear sky of `durvan.optics.sky`; below the horizon there is neither."""
    if elevation < 0.0:
        note = f"the sun stands {-elevation:.1f}° below the horizon, so there is neither sun nor sky"
        return (Lamp("far", (0.0, 0.0, 0.0), notes=(note,)),)
    r, g, b = sky.sun_lux(elevation, haze)
    lux = (r * sun_gain * tint[0], g * sun_gain * tint[1], b * sun_gain * tint[2])
    picture = Lookup(sky.name_of(azimuth, elevation, haze, ground), 1.0)
    return (
        Lamp("far", lux, (disc, 0.0), shadows=shadows, towards=(azimuth, elevation)),
        Lamp("dome", tinted(sky_gain, tint, None), picture=picture, own_axes=False),
    )


SMALLEST_BALL = 1e-4  # metres of radius; a light that is smaller is a point


def ball(radius: float, nits: Callable[[float], tuple[float, float, float]], total: bool, **more: Any) -> Lamp:
    """A light that is a ball: `nits` of the disc that it shows to any side, in square metres. A tiny one whose light is
    stated as a `total` is a point of as many candela; a tiny one of some luminance gives next to nothing.
    """
    disc = math.pi * max(radius, SMALLEST_BALL) ** 2
    r, g, b = nits(disc)
    if radius < SMALLEST_BALL and total:
        return Lamp("point", (r * disc, g * disc, b * disc), **more)
    return Lamp("sphere", (r, g, b), (max(radius, 1e-6), 0.0), total=total, **more)


def passing(
    tint: Field, alphas: tuple[Field, Field], turn: Field, index: Field, shine: Lobe, alike: bool
) -> Lobe:  # fmt: skip
    """What is bent into a body below a highlight. Where the highlight reflects by the same index and roughness (`alike`), what passes is all that it
    leaves; by another law (a film, a tint) it lies under it, and is made up for what the boundary's own law takes when faced, so that never
    more comes out than goes in.
    """
    if alike:
        return Lobe(layout.REFRACT, tint, *alphas, turn, fresnel=layout.DIELECTRIC, first=index, under=shine.under)
    root = (index - 1.0) / (index + 1.0)
    whole = ex.least(1.0 / ex.most(1.0 - root * root, 0.05), 1.06)
    return Lobe(layout.REFRACT, tint * whole, *alphas, turn, fresnel=layout.DIELECTRIC, first=index, under=shine)


def unshown(region: tuple[float, ...] = (0.0, 0.0, 1.0, 1.0), time_limit: float = 0.0) -> tuple[str, ...]:
    """What settings ask for and a preview does not do: a part of the picture alone (left, bottom, right, top), an end by the clock
    (seconds, 0 for none).
    """
    notes = []
    if region != (0.0, 0.0, 1.0, 1.0):
        notes.append("ask for a part of the picture; all of it is shown")
    if time_limit > 0.0:
        notes.append(f"end a picture after {time_limit:g} s; here its samples end it")
    return tuple(notes)


def outputs(four: Field, names: tuple[str, str, str, str, str, str]) -> dict[str, Field]:
    """A colour's outputs under a dialect's names: colour, three channels, solidity, grey."""
    three = ex.join(four[0], four[1], four[2]) if len(four) >= 3 else ex.colour(four)
    alpha = four[3] if len(four) > 3 else ex.field(1.0)
    values = (three, three[0], three[1], three[2], alpha, ex.grey(three))
    return {name: value for name, value in zip(names, values, strict=True) if name}


FIRST_UVS = ("", "st", "UV0", "uv")  # what the first set of UVs goes by


def uvs(get: Inputs, word: str) -> Field:
    """The set of UVs that is named; a mesh without it has its first one there."""
    name = get.word(word)
    return ex.uv() if name in FIRST_UVS else ex.more(name, 2, uv=True)


def relief_of(get: Inputs, name: str) -> tuple[str, Field] | None:
    """What feeds an input for relief: a height comes as (height, 0, 0) with the mark −2 in the last lane; a normal points outwards.
    None where it leaves the surface as it is.
    """
    if not get.linked(name):
        return None
    found = get(name)
    if found.constant == (0.0, 0.0, 1.0):
        return None
    return ("height", found[0]) if found[2].constant == (-2.0,) else ("normal", found)


def height(metres: Field) -> Field:
    """A height, as inputs for relief take it."""
    return ex.join(metres, 0.0, -2.0)


FIBRE_INDEX = 1.55  # of keratin


def fibre(
    root: Field, tip: Field, along: Field, around: Field | float, inside: Field, index: float = FIBRE_INDEX
) -> Surface:
    """A fibre by what it absorbs at its root and at its tip."""
    absorbed = ex.mix(root, tip, ex.point("along"))
    return Surface([Lobe(layout.FIBRE, 1.0, along, around, inside, first=absorbed, second=index)])


def laid(below: Field, top: Field, mode: str) -> Field:
    """A map laid over another one, channel by channel: over, added, multiplied, as a screen, the lighter or darker of both, or their
    difference.
    """
    match mode:
        case "add":
            return below + top
        case "multiply":
            return below * top
        case "screen":
            return 1.0 - (1.0 - below) * (1.0 - top)
        case "lighter":
            return ex.most(below, top)
        case "darker":
            return ex.least(below, top)
        case "difference":
            return ex.each("absolute", below - top)
    return top


def turned(place: Field, degrees: float) -> Field:
    """A place turned counter-clockwise about the origin."""
    c, s = math.cos(math.radians(degrees)), math.sin(math.radians(degrees))
    return ex.join(place[0] * c - place[1] * s, place[0] * s + place[1] * c)


def hsv_adjusted(three: Field, turn: Field | float, saturation: Field | float, value: Field | float) -> Field:
    """Hue turned (1 is all the way round), saturation and value multiplied (Smith 1978), as fields."""
    r, g, b = three[0], three[1], three[2]
    top, low = ex.largest(three), ex.least(ex.least(r, g), b)
    span = top - low
    safe = ex.most(span, 1e-9)
    red = ex.below(top - r, 1e-12)
    green = ex.below(top - g, 1e-12)
    sector = ex.choose(red, (g - b) / safe, ex.choose(green, (b - r) / safe + 2.0, (r - g) / safe + 4.0))
    hue = sector / 6.0 + turn
    hue = (hue - ex.each("floor", hue)) * 6.0
    part = ex.clamp((span / ex.most(top, 1e-9)) * saturation)
    top = top * value

    def channel(shift: float) -> Field:
        place = hue + shift
        place = place - 6.0 * ex.each("floor", place / 6.0)
        ramp = ex.clamp(ex.least(place, 4.0 - place))
        return top - top * part * ramp

    return ex.join(channel(5.0), channel(3.0), channel(1.0))
