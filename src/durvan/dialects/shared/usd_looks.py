"""What plain USD lights, cameras and settings look like, by UsdLux's and UsdGeomCamera's own definitions (26.11)."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

from durvan.dialects.look import Inputs, Lamp, Lists, Sampling, View, in_pixels
from durvan.dialects.shared.looks import ball, paths, tinted, unshown
from durvan.graph.expression import Lookup
from durvan.optics.colour import usd_black_body
from durvan.optics.light_shapes import BY_PRIM
from durvan.optics.profile import Globe, mean_candela

_WITHOUT_AREA = ("DistantLight", "DomeLight", "DomeLight_1", "PortalLight")


def light(kind: str, get: Inputs) -> Lamp | None:
    """L = intensity · 2^exposure / size factor · colour · temperature (UsdLux, LightAPI); the size factor of what has an area is that in world
    space, in the stage's unit.
    """
    shape = kind.partition(".")[2]
    if shape == "PortalLight":
        return None
    strength = get.number("intensity") * 2.0 ** min(max(get.number("exposure"), -60.0), 60.0)
    if get.flag("normalize") and shape not in _WITHOUT_AREA:
        strength *= (
            get.facts.metres_per_unit**2
        )  # it is divided by the area in the stage's own unit, the lamp by square metres
    radiance = tinted(strength, get.numbers("color"), None)
    if get.flag("enableColorTemperature"):
        warm = usd_black_body(get.number("colorTemperature"))
        radiance = (radiance[0] * warm[0], radiance[1] * warm[1], radiance[2] * warm[2])
    shadows = get.flag("shadow")
    lists = _lists(get)
    if shape == "MeshLight":
        return Lamp("mesh", radiance, total=get.flag("normalize"), shadows=shadows, lists=lists)
    if shape in ("DomeLight", "DomeLight_1"):
        return Lamp("dome", radiance, picture=_picture(get), turn=get.number("turn"), own_axes=False)
    if shape == "DistantLight":
        half = math.radians(min(get.number("angle"), 180.0) / 2.0)
        factor = 1.0 if get.flag("normalize") or half <= 0.0 else math.pi * math.sin(half) ** 2
        lux = (radiance[0] * factor, radiance[1] * factor, radiance[2] * factor)
        return Lamp("far", lux, (2.0 * math.degrees(half), 0.0), shadows=shadows, lists=lists)
    return _shaped(shape, get, radiance, shadows, lists)


def _lists(get: Inputs) -> Lists:
    """Its collections: a list counts where the light does not shine on everything."""
    lit = None if get.flag("light_root") else paths(get.word("light_in"))
    bars = None if get.flag("shadow_root") else paths(get.word("shadow_in"))
    return Lists(lit, paths(get.word("light_out")), bars, paths(get.word("shadow_out")))


def _shaped(shape: str, get: Inputs, radiance: tuple[float, float, float], shadows: bool, lists: Lists) -> Lamp | None:
    unit = get.facts.metres_per_unit
    row = BY_PRIM.get(shape)
    if row is None:
        return None
    if "width" in get.kind.parameters:
        size = (get.number("width") * unit, get.number("height") * unit)
    else:
        length = get.number("length") * unit if "length" in get.kind.parameters else 0.0
        size = (max(get.number("radius") * unit, 1e-6), length)
    total = get.flag("normalize")
    scale = 1.0 / max(row.area(size), 1e-12) if total else 1.0
    outer = get.number("cone_angle")
    whole = outer >= 90.0 and row.name in ("sphere", "cylinder")
    inner = outer * (1.0 - get.number("cone_softness"))
    more: dict[str, Any] = {
        "inner": 180.0 if whole else inner, "outer": 180.0 if whole else max(outer, 0.01), "focus": get.number("focus"),
        "shadows": shadows, "lists": lists,
    }  # fmt: skip
    file = get.word("ies_file")
    globe = get.facts.profile(get.facts.find(file)) if file else None
    if file:
        more["profile_of"], more["notes"] = _shaping(globe, get.flag("ies_normalize"), file)
    if row.name == "rect" and get.word("texture"):
        more["picture"] = _picture(get)
    if row.name == "sphere":  # of a surface four times the disc that it shows
        return ball(
            size[0], lambda disc: tinted(1.0 / (4.0 * disc) if total else 1.0, radiance, None), total, **more
        )  # fmt: skip
    return Lamp(row.name, tinted(scale, radiance, None), size, total=total, **more)


def _shaping(globe: Globe | None, normalize: bool, file: str) -> tuple[Globe | None, tuple[str, ...]]:
    """What a profile multiplies by: its candela, or those over their mean, so that the flux stays."""
    if globe is None or globe.lumens <= 0.0:
        why = "cannot be read" if globe is None else "gives no light"
        return None, (f"its profile '{file}' {why}; it shines evenly",)
    return (replace(globe, candela=globe.candela / mean_candela(globe)) if normalize else globe), ()


def _picture(get: Inputs) -> Lookup | None:
    file = get.word("texture")
    return Lookup(get.facts.find(file), "auto") if file else None


def camera(kind: str, get: Inputs) -> View:
    """Film and focal length stand in tenths of the stage's unit; the exposure scale is UsdGeomCamera's."""
    tenth = get.facts.metres_per_unit * 100.0  # a tenth of a unit, in millimetres
    stop = get.number("exposure_fStop")
    scale = (
        get.number("exposure_responsivity") * get.number("exposure_time") * get.number("exposure_iso") / 100.0
        * 2.0 ** min(max(get.number("exposure"), -60.0), 60.0) / max(stop * stop, 1e-9)
    )  # fmt: skip
    unit = get.facts.metres_per_unit
    return View(
        get.number("horizontalAperture") * tenth, get.number("focalLength") * tenth,
        (get.number("horizontalApertureOffset") * tenth, get.number("verticalApertureOffset") * tenth),
        get.number("fStop"), get.number("focusDistance") * unit, scale=scale, film_height=get.number("verticalAperture") * tenth,
        notes=("is orthographic, and shown in perspective",) if get.word("projection") == "orthographic" else (),
    )  # fmt: skip


def settings(kind: str, get: Inputs) -> Sampling:
    """USD says nothing of how a picture is sampled, but of its pixels and of films of another aspect."""
    return Sampling(
        pixel_aspect=get.number("pixelAspectRatio"), fits=get.word("aspectRatioConformPolicy"),
        notes=unshown(get.numbers("region")), size=in_pixels(get.numbers("resolution")),
    )  # fmt: skip
