"""What Orvik's words look like, from the dialect's own definition.

A finish is a matt base under a mirror that takes from the base what it reflects towards the eye. Light that is
lost between facets stays lost: the dialect is older than the cure for it. What passes takes the place of the base.
"""

from __future__ import annotations

import math

from durvan.dialects import layers
from durvan.dialects.look import Fog, Inputs, Lamp, Lists, Lobe, Numbers, Sampling, Surface, View, in_pixels
from durvan.dialects.shared.looks import (
    ball,
    daylight,
    exposure_scale,
    fibre,
    height,
    hsv_adjusted,
    laid,
    measured,
    outputs,
    paths,
    relief_of,
    tinted,
    turned,
    unshown,
    uvs,
)
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics import sun
from durvan.optics.light_shapes import SHAPES
from durvan.optics.lobes import layout
from durvan.optics.photometry import cone_flux_factor

FINISHES = 9  # that a pile takes, the uppermost first
NITS = 179.0  # of a plain gain of 1
LUMEN_A_WATT = 179.0
TOTALS = ("lumen", "watt")  # measures of all of a light, whatever its size
CURVES = {"blinn": layout.BLINN, "beckmann": layout.BECKMANN, "trowbridge": layout.GGX}
COLOUR = ("colour", "red", "green", "blue", "", "grey")


def _alpha(polish: Field, curve: str) -> Field:
    if curve == "blinn":
        return ex.each("root", 2.0 / (ex.field(10.0) ** (4.0 * polish) + 2.0))
    return (1.0 - polish) * (1.0 - polish)


def surface(kind: str, get: Inputs) -> Surface:
    """Finishes, piles of them, and surfaces with a back of their own."""
    if kind == "orvik.pile":
        return _pile(get)
    if kind == "orvik.fibre":
        root, tip = (_absorbed(get(name)) for name in ("root_tint", "tip_tint"))
        return fibre(root, tip, 1.0 - get("first_polish"), AROUND, 1.0 - get("second_polish"))
    if kind == "orvik.two_sided":
        return layers.two_sided(get.surface("front"), get.surface("back"))
    return _finish(get)


def _given(get: Inputs, name: str) -> Surface:
    """The surface that feeds an input; without one it is a black that nothing comes back from."""
    return get.surface(name) or Surface()


AROUND = 0.3  # roughness of fibres around themselves, for which the dialect has no word


def _absorbed(tint: Field) -> Field:
    """What fibres absorb that have a tint when many of them scatter into each other (Chiang et al. 2016, eq. 9)."""
    b = AROUND
    scale = 5.969 - 0.215 * b + 2.532 * b**2 - 10.73 * b**3 + 5.574 * b**4 + 0.245 * b**5
    part = ex.each("log", ex.most(tint, 1e-6)) / scale
    return part * part


def _pile(get: Inputs) -> Surface:
    """Finishes from the base upwards, each laid over what is below it, or added to it, by its mask."""
    made = _given(get, "base")
    for number in range(FINISHES, 0, -1):
        finish = get.surface(f"finish_{number}")
        if finish is not None:
            how = layers.added if get.word(f"mode_{number}") == "add" else layers.over
            made = how(made, finish, get(f"mask_{number}"))
    return made


def _drawn_out(alpha: Field, grain: Field) -> tuple[Field, Field]:
    """Alpha along and across the tangent: the grain takes nine tenths of the width away and keeps the product."""
    if grain.is_always(0.0):
        return alpha, alpha
    ratio = ex.each("root", 1.0 - 0.9 * grain)
    return alpha / ratio, alpha * ratio


def _finish(get: Inputs) -> Surface:
    tint, index = get("mirror_tint"), get("mirror_index")
    passing, bends, shell = get("pass_tint"), get.flag("bend_light"), get.flag("shell")
    rises = get.flag("edge_rise")
    curve = get.word("polish_curve")
    shape = CURVES.get(curve, layout.BLINN)
    share = ex.largest(passing)
    shell = shell and not share.is_always(0.0)  # what nothing passes through has one face alone
    solid = not share.is_always(0.0) and bends and not shell
    how = layout.CONSTANT if not rises else layout.WALL if shell else layout.DIELECTRIC
    first: Field = index
    if rises and not solid and not shell and not share.is_always(0.0):
        how = layout.SCHLICK  # nothing bends, so nothing is trapped inside either
        root = (index - 1.0) / (index + 1.0)
        first = root * root
    along, across = _drawn_out(_alpha(get("polish"), curve), get("grain"))
    mirror = Lobe(
        layout.REFLECT, tint, along, across, get("grain_turn") * (math.pi / 180.0), facets=shape, fresnel=how, first=first,
        cover=layout.SCALED,
    )  # fmt: skip
    deep, leaf = get("deep_amount"), ex.field(0.0) if solid else get("through_tint")
    matt = (1.0 - share) * (1.0 - deep)
    made = Surface([mirror, Lobe(layout.DIFFUSE, get("base_tint") * matt * (1.0 - ex.largest(leaf)), under=mirror)])
    made.lobes.append(Lobe(layout.THROUGH, leaf * matt, under=mirror))
    made.lobes.append(Lobe(layout.DEEP_DIFFUSE, get("deep_tint") * deep * (1.0 - share), under=mirror))
    made.reach, made.deep = get("deep_reach") * 0.01, get("deep_tint")
    through = _passing(get, passing, solid, shell, shape, curve)
    # what is reflected beyond what the body does, or from a rougher or smoother face than it has, is not let through
    if not rises or _more(index, get("pass_index")) or not _alike(mirror.alpha, through.alpha):
        through.under = mirror
    made.lobes.append(through)
    if solid:
        made.murk = -1.0 * ex.each("log", ex.most(get("murk_tint"), 1e-6)) / ex.most(get("murk_depth") * 0.01, 1e-9)
    made.opacity = get("cutout")
    made.glow = get("glow_tint") * get("glow_gain") * NITS
    made.glow_lights = get.flag("glow_lights")
    made.glow_whole = True  # a glow lights as if nothing of it were cut out
    made.relief = relief_of(get, "relief")
    return made


def _more(one: Field, two: Field) -> bool:
    """Whether a number is larger than another one, where both are known."""
    a, b = one.constant, two.constant
    return a is not None and b is not None and a[0] > b[0] + 1e-6


def _alike(one: Numbers, two: Numbers) -> bool:
    """Whether two numbers are known to be the same."""
    a, b = ex.field(one).constant, ex.field(two).constant
    return a is not None and b is not None and abs(a[0] - b[0]) < 1e-9


def _passing(get: Inputs, passing: Field, solid: bool, shell: bool, shape: int, curve: str) -> Lobe:
    index, alpha = get("pass_index"), _alpha(get("pass_polish"), curve)
    if solid:
        return Lobe(layout.REFRACT, passing, alpha, facets=shape, fresnel=layout.DIELECTRIC, first=index)
    if shell:
        return Lobe(layout.STRAIGHT, passing, alpha, facets=shape, fresnel=layout.WALL, first=index)
    root = (index - 1.0) / (index + 1.0)
    return Lobe(layout.STRAIGHT, passing, alpha, facets=shape, fresnel=layout.SCHLICK, first=root * root)


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """Pictures, corrections, procedurals, relief, and how far a surface is moved."""
    match kind.removeprefix("orvik."):
        case "picture":
            return outputs(_picture(get), ("colour", "red", "green", "blue", "alpha", "grey"))
        case "correct":
            colour = _hued(get)
            colour = colour * get("gain") + get("shift")
            return outputs(colour ** get("power"), COLOUR)
        case "ramp":
            along = ex.point("v" if get.word("along") == "v" else "u")
            return outputs(ex.mix(get("first"), get("second"), ex.clamp(along)), COLOUR)
        case "noise":
            scale = 100.0 / ex.most(get("size"), 1e-4)
            place = ex.join(ex.point("x"), ex.point("y"), ex.point("z")) * scale
            return outputs(ex.mix(get("low"), get("high"), ex.noise(place, int(get.number("octaves")))), COLOUR)
        case "facing":
            return outputs(ex.mix(get("edge"), get("front"), ex.point("facing") ** get("hold")), COLOUR)
        case "chequer":
            place = uvs(get, "uv_set") * get("repeats")
            odd = ex.each("floor", place[0]) + ex.each("floor", place[1])
            odd = odd - 2.0 * ex.each("floor", odd / 2.0)
            return outputs(ex.mix(get("first"), get("second"), ex.below(0.5, odd)), COLOUR)
        case "crevice":
            open_ = get.openness(get.number("reach") * 0.01)
            return outputs(ex.mix(get("deep"), get("open"), open_ ** get("hold")), COLOUR)
        case "blend":
            return outputs(_blended(get), COLOUR)
        case "corner_colour":
            return outputs(ex.more(get.word("set"), 3, get.numbers("otherwise")), COLOUR)
        case "rounded":
            get.round_edges(get.number("radius") * 0.01)
            return {"relief": get("relief") if get.linked("relief") else ex.field((0.0, 0.0, 1.0))}
        case "displace":
            return {"out": (get("map") - get("middle")) * get("height") * 0.01}
        case "bump":
            return {"relief": height(get("map") * get("depth") * 0.01)}
        case "normal_map":
            normal = get("map") * 2.0 - 1.0
            strength = get("strength")
            return {"relief": ex.join(normal[0] * strength, -1.0 * normal[1] * strength, normal[2])}
    return None


MAPS = 4  # that a blend lays over its ground, the uppermost first


def _blended(get: Inputs) -> Field:
    """Maps over a ground, from the lowest upwards, each by its mode and its share."""
    made = get("ground")
    for number in range(MAPS, 0, -1):
        top, share = get(f"map_{number}"), get(f"share_{number}")
        made = ex.mix(made, laid(made, top, get.word(f"mode_{number}")), share)
    return made


def _hued(get: Inputs) -> Field:
    """The input, its hue and saturation changed where they are set."""
    turn, saturation = get("hue_turn"), get("saturation")
    if turn.is_always(0.0) and saturation.is_always(1.0):
        return get("input")
    return hsv_adjusted(get("input"), turn / 360.0, saturation, 1.0)


def _picture(get: Inputs) -> Field:
    repeats, shift = get("repeats"), get("shift")
    # it is the picture that turns and moves, so the place that is looked up goes the other way
    place = turned(uvs(get, "uv_set") * repeats, -get.number("turn")) - shift
    wrap = "mirror" if get.flag("mirror") else "periodic"
    gamma = get.number("decode_gamma")
    lookup = Lookup(get.facts.find(get.word("file")), "srgb" if abs(gamma - 2.2) < 1e-6 else gamma, wrap, wrap)
    four = ex.picture(lookup, place)
    three = ex.join(four[0], four[1], four[2])
    if get.flag("invert"):
        three = 1.0 - three
    return ex.join(three * get("gain"), four[3])


def light(kind: str, get: Inputs) -> Lamp | tuple[Lamp, ...] | None:
    """Panels, discs, tubes, bulbs, cones, measured lamps, glowing meshes, far lights, domes, and the sun with its sky.

    Portals guide rays and give no light of their own.
    """
    if kind == "orvik.portal" or not get.flag("on"):
        return None
    if kind == "orvik.dome":
        # the picture turns with `spin` about the up axis; the prim's own turn does not count
        tint = tinted(get.number("gain") * NITS, get.numbers("tint"), None)
        return Lamp("dome", tint, picture=_sky(get), turn=get.number("spin"), own_axes=False)
    if kind == "orvik.daylight":
        return _daylight(get)
    kelvin = get.number("kelvin") if get.flag("use_kelvin") else None
    colour = tinted(1.0, (1.0, 1.0, 1.0) if kelvin is not None else get.numbers("tint"), kelvin)
    whom = {"shadows": get.flag("shadows"), "lists": _lists(get)}
    if kind == "orvik.far":
        return Lamp("far", tinted(get.number("gain") * 1000.0, colour, None), (get.number("disc"), 0.0), **whom)  # type: ignore[arg-type]
    more = {**whom, "seen": get.flag("seen"), "reach": get.number("reach") * 0.01}
    unit = get.facts.metres_per_unit
    if kind == "orvik.measured":
        return measured(get, get.word("file"), get.number("radius") * unit, get.number("lumen"), colour, **more)  # type: ignore[arg-type]
    gain, measure = get.number("gain"), get.word("measure")
    more["total"] = measure in TOTALS
    if kind == "orvik.glowing":  # of one square metre; it is spread over those that the mesh has
        return Lamp("mesh", tinted(_nits(gain, measure, math.pi), colour, None), **more)  # type: ignore[arg-type]
    if kind in ("orvik.area", "orvik.round", "orvik.tube"):
        return _with_body(kind, get, unit, colour, more)
    more["decay"] = {"inverse_square": 2, "inverse": 1, "none": 0}.get(get.word("decay"), 2)
    more["start"] = get.number("decay_start") * 0.01
    steradians = 4.0 * math.pi
    if kind == "orvik.cone":
        inner = 0.5 * get.number("cone_angle")
        outer = max(min(inner + get.number("penumbra"), 180.0), 0.01)
        steradians = cone_flux_factor(outer, inner)
        more.update(inner=inner, outer=outer)
    # lumen are those inside the cone: a ball shows πr² to every side, times its profile
    return ball(
        get.number("radius") * unit,
        lambda disc: tinted(_nits(gain, measure, disc * steradians), colour, None),
        **more,  # type: ignore[arg-type]
    )


def _with_body(
    kind: str, get: Inputs, unit: float, colour: tuple[float, float, float], more: dict[str, object]
) -> Lamp:
    """Panels, discs and tubes: flat ones give 2π/(beam + 2) lumen a nit and square metre, a tube π."""
    gain, measure = get.number("gain"), get.word("measure")
    flux = math.pi
    if kind == "orvik.tube":
        size = (get.number("radius") * unit, get.number("length") * unit)
        shape = SHAPES["cylinder"]
    elif kind == "orvik.round":
        size, shape = (get.number("radius") * unit, 0.0), SHAPES["disk"]
    else:
        size, shape = (get.number("width") * unit, get.number("height") * unit), SHAPES["rect"]
        more["picture"] = _picture_on(get)
    if kind != "orvik.tube":
        beam = get.number("beam")
        flux, more["focus"] = 2.0 * math.pi / (beam + 2.0), beam
    nits = _nits(gain, measure, flux * shape.area(size))
    return Lamp(shape.name, tinted(nits, colour, None), size, **more)  # type: ignore[arg-type]


def _picture_on(get: Inputs) -> Lookup | None:
    file = get.word("picture")
    return Lookup(get.facts.find(file), "auto") if file else None


def _lists(get: Inputs) -> Lists:
    include = paths(get.word("include"))
    return Lists(include or None, paths(get.word("exclude")), None, paths(get.word("no_shadow_of")))


def _daylight(get: Inputs) -> tuple[Lamp, ...]:
    """By date, time and place through the ephemeris, or by direction."""
    if get.word("by") == "direction":
        azimuth, elevation = get.number("azimuth"), get.number("elevation")
    else:
        place = [get.number(name) for name in ("time", "zone", "latitude", "longitude")]
        try:
            azimuth, elevation = sun.where(get.word("date"), *place)
        except sun.NoSuchDayError as problem:
            return (Lamp("far", (0.0, 0.0, 0.0), notes=(f"{problem} There is neither sun nor sky.",)),)
        azimuth += get.number("north")
    return daylight(
        azimuth, elevation, get.number("haze"), get.number("ground"), get.number("sun_gain"), get.number("sky_gain"),
        get.number("disc"), get.numbers("tint"), get.flag("shadows"),
    )  # fmt: skip


def _nits(gain: float, measure: str, flux_factor: float) -> float:
    """Luminance from a gain; `flux_factor` is the flux in lumen of one nit."""
    if measure == "nit":
        return gain
    if measure in ("lumen", "watt"):
        return gain * (LUMEN_A_WATT if measure == "watt" else 1.0) / max(flux_factor, 1e-12)
    return gain * NITS


def _sky(get: Inputs) -> Lookup | None:
    file = get.word("file")
    return Lookup(get.facts.find(file), "auto") if file else None


def camera(kind: str, get: Inputs) -> View:
    """orvik.camera; a scene that exposes as a whole has one gain, by which 179 nit become that picture value."""
    n = get.number("f_number")
    scale = exposure_scale(n, 1.0 / max(get.number("shutter"), 1e-9), get.number("speed"))
    if get.word("exposure_by") == "scene":
        scale = get.number("scene_gain") / NITS
    fog = None
    if get.flag("fog"):
        tint = get.numbers("fog_tint")
        fog = Fog(100.0 / get.number("fog_distance"), (tint[0], tint[1], tint[2]))
    return View(
        get.number("film_width"), get.number("focal"), (get.number("shift_right"), get.number("shift_up")),
        n if get.flag("blur") else 0.0, get.number("focus") * 0.01,
        get.number("near_clip") * 0.01, get.number("far_clip") * 0.01, scale, fog=fog,
        vignetting=get.number("vignetting"),
    )  # fmt: skip


def settings(kind: str, get: Inputs) -> Sampling:
    """orvik.settings; the grid is squared."""
    side = max(1, int(get.number("grid_most")))
    response = get.word("response")
    return Sampling(
        side * side, int(get.number("bounces")) if get.flag("indirect") else 0, get.number("clamp"),
        get.flag("indirect"), "" if response == "none" else response, unshown(region=get.numbers("region")),
        get.number("pixel_aspect"), size=in_pixels(get.numbers("size"), get.number("percent")),
    )  # fmt: skip
