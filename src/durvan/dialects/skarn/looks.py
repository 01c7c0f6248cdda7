"""What Skarn's words look like, from the dialect's own definition.

Lobes lie on and beside each other. What a lobe that lies on others does not give back comes to them; a lobe that light does not
pass hides them. Colours are ACEScg; indices and absorption are physical. Facet lobes give back what is lost between facets.
"""

from __future__ import annotations

import math
from dataclasses import replace

from durvan.dialects import layers
from durvan.dialects.look import Inputs, Lamp, Lobe, Sampling, Surface, View, in_pixels
from durvan.dialects.shared.looks import ball, daylight, height, measured, outputs, relief_of, tinted, turned, uvs
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics.colour import ACESCG_TO_REC709, REC709_TO_ACESCG, Matrix3, transformed
from durvan.optics.light_shapes import SHAPES
from durvan.optics.lobes import layout

COLOUR = ("color", "r", "g", "b", "a", "grey")
FILM = 36.0  # mm, of which a field of view is told


def surface(kind: str, get: Inputs) -> Surface:
    """Lobes, and what puts them together."""
    match kind.removeprefix("skarn."):
        case "stack":
            return layers.stacked(get.surface("lower"), get.surface("upper"))
        case "blend":
            return layers.over(get.surface("first") or _nothing(), get.surface("second") or _nothing(), get("amount"))
        case "cut":
            made = replace(get.surface("under") or _nothing())
            made.opacity = ex.field(made.opacity) * (1.0 - get("hole"))
            return made
        case "relief":
            made = replace(get.surface("under") or _nothing())
            made.relief = made.relief or relief_of(get, "normal")
            return made
        case "glow":
            return Surface(glow=ex.field(2.0) ** get("stops") * _shown(get("color")), glow_lights=False)
        case "strand":
            lobe = Lobe(
                layout.FIBRE,
                1.0,
                get("width_r"),
                get("around"),
                get("width_tt"),
                first=get("absorb"),
                second=get("ior"),
            )
            return Surface([lobe])
    return _lobe(kind.removeprefix("skarn."), get)


def _nothing() -> Surface:
    """What is not there: light passes as if there were no surface."""
    return Surface(opacity=0.0)


def _lobe(word: str, get: Inputs) -> Surface:
    """One lobe."""
    match word:
        case "matt":
            return Surface([Lobe(layout.DIFFUSE, _shown(get("color")))])
        case "passing":
            return Surface([Lobe(layout.THROUGH, _shown(get("color")))])
        case "scatter":
            color = _shown(get("color"))
            return Surface(
                [Lobe(layout.DEEP_DIFFUSE, color)], reach=get("reach") * get.facts.metres_per_unit, deep=color
            )
        case "velvet":
            fuzz = get("weight") * _shown(get("color"))
            return Surface([Lobe(layout.SHEEN, fuzz, get("spread"), cover=layout.SCALED)])
        case "coat":
            left = ex.each("exp", get("absorb") * get("thickness") * -2.0)
            weight = get("weight")
            coat = Lobe(layout.REFLECT, weight, get("alpha"), fresnel=layout.DIELECTRIC, first=get("ior"), cover=layout.SCALED,
                        amount=weight, absorb=left)  # fmt: skip
            return Surface([coat])
        case "dielectric":
            weight = get("weight") * _shown(get("tint"))
            return Surface([_mirror(get, weight, layout.DIELECTRIC, get("ior"), cover=layout.SCALED)])
        case "metal":
            return Surface([_metal(get)])
    return _clear(get, thin=word == "sheet")


def _mirror(
    get: Inputs, weight: Field, law: int, first: Field, second: Field | float = 1.0, cover: int = layout.BARE
) -> Lobe:
    alpha = get("alpha")
    return Lobe(
        layout.REFLECT, weight, alpha, alpha * get("aspect"), get("turn") * (math.pi / 180.0), fresnel=law, first=first, second=second,
        cover=cover, film=get("film"), film_index=get("film_ior"), full=True,
    )  # fmt: skip


def _metal(get: Inputs) -> Lobe:
    one = ex.field((1.0, 1.0, 1.0))
    if get.word("by") == "index":
        return _mirror(get, one, layout.CONDUCTOR, get("n"), get("k"))
    return _mirror(get, one, layout.SCHLICK, _shown(get("facing")), _shown(get("edge")))


def _clear(get: Inputs, thin: bool) -> Surface:
    """A clear body, or a sheet: both faces of it reflect and let light pass."""
    alpha, index, tint = get("alpha"), get("ior"), _shown(get("tint"))
    law = layout.WALL if thin else layout.DIELECTRIC
    kind = layout.STRAIGHT if thin else layout.REFRACT
    made = Surface(
        [Lobe(layout.REFLECT, 1.0, alpha, fresnel=law, first=index), Lobe(kind, tint, alpha, fresnel=law, first=index)]
    )
    if not thin:
        made.murk = get("absorb") / get.facts.metres_per_unit
    return made


# colours


def _shown(colour: Field) -> Field:
    """A part of light in the working space as the renderer's engine takes it, which knows linear Rec.709 alone: what lies outside of
    that is shown at its edge.
    """
    return ex.clamp(_through(colour, ACESCG_TO_REC709))


def _working(three: Field) -> Field:
    """What a picture gives, in the working space."""
    return _through(three, REC709_TO_ACESCG)


def _through(colour: Field, matrix: Matrix3) -> Field:
    if len(colour) == 1:
        return ex.colour(colour)
    if colour.constant is not None:
        return ex.field(transformed(colour.constant[:3], matrix))
    return ex.join(*(row[0] * colour[0] + row[1] * colour[1] + row[2] * colour[2] for row in matrix))


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """Pictures, places, procedural maps and relief."""
    match kind.removeprefix("skarn."):
        case "picture":
            return _picture(get)
        case "place":
            repeats, shift = get("repeats"), get("shift")
            place = _at(get, "from")
            moved = turned(ex.join(place[0] * repeats[0], place[1] * repeats[1]), -get.number("turn"))
            return {"place": ex.join(moved[0] - shift[0], moved[1] - shift[1])}
        case "uvs":
            return {"place": uvs(get, "name")}
        case "ramp":
            return outputs(ex.mix(get("left"), get("right"), ex.clamp(_at(get, "place")[0])), COLOUR)
        case "chequer":
            squares, place = get("squares"), _at(get, "place")
            cells = ex.each("floor", place[0] * squares[0]) + ex.each("floor", place[1] * squares[1])
            odd = cells - 2.0 * ex.each("floor", cells * 0.5)
            return outputs(ex.mix(get("even"), get("odd"), odd), COLOUR)
        case "noise":
            place = ex.join(ex.point("x"), ex.point("y"), ex.point("z")) / (get("size") * get.facts.metres_per_unit)
            return outputs(ex.mix(get("low"), get("high"), ex.noise(place, int(get.number("octaves")))), COLOUR)
        case "facing":
            return outputs(ex.mix(get("rim"), get("front"), ex.point("facing")), COLOUR)
        case "rounded":
            get.round_edges(get.number("radius") * get.facts.metres_per_unit)
            return {"normal": get("normal") if get.linked("normal") else ex.field((0.0, 0.0, 1.0))}
        case "bump":
            return {"normal": height(get("height") * get("scale") * get.facts.metres_per_unit)}
        case "normal":
            normal, amount = get("map") * 2.0 - 1.0, get("scale")
            return {"normal": ex.join(normal[0] * amount, normal[1] * amount, normal[2])}
        case "displace":
            return {"displacement": get("height") * get("scale") * get.facts.metres_per_unit}
    return None


def _at(get: Inputs, name: str) -> Field:
    return get(name) if get.linked(name) else ex.uv()


def _picture(get: Inputs) -> dict[str, Field]:
    """A picture in the working space; what is read raw is taken for that."""
    space, edges = get.word("space"), get.word("edges")
    found = ex.picture(
        Lookup(get.facts.find(get.word("file")), "srgb" if space == "srgb_texture" else 1.0, edges, edges),
        _at(get, "place"),
    )
    three, solid = ex.join(found[0], found[1], found[2]), found[3] if len(found) > 3 else ex.field(1.0)
    if space in ("srgb_texture", "lin_rec709"):
        changed = _working(three)
        return {**outputs(ex.join(changed[0], changed[1], changed[2], solid), COLOUR), "grey": ex.grey(three)}
    if space not in ("raw", "acescg", ""):
        get.tell(f"the colour space '{space}' is not known; the picture is read as it is")
    return outputs(ex.join(three[0], three[1], three[2], solid), COLOUR)


# lights


def light(kind: str, get: Inputs) -> Lamp | tuple[Lamp, ...] | None:
    """Panels, discs, tubes, balls, spots, measured lamps, meshes, domes, the sun, the sky; portals do nothing."""
    word = kind.removeprefix("skarn.")
    if word == "portal" or not get.flag("shines"):
        return None
    tint = tuple(max(part, 0.0) for part in transformed(get.numbers("tint"), ACESCG_TO_REC709))
    if word == "sky":
        return daylight(
            get.number("azimuth"), get.number("elevation"), get.number("turbidity"), get.number("ground"), 2.0 ** get.number("sun_stops"),
            2.0 ** get.number("sky_stops"), get.number("sun_size"), tint, True,
        )  # fmt: skip
    strength = 2.0 ** get.number("stops")
    if word == "sun":
        return Lamp("far", tinted(strength, tint, None), (get.number("size"), 0.0))
    if word == "dome":
        file = get.word("picture")
        picture = Lookup(get.facts.find(file), "auto") if file else None
        return Lamp("dome", tinted(strength, tint, None), picture=picture, turn=get.number("turn"), own_axes=False)
    return _near(word, get, strength, tint)


def _near(word: str, get: Inputs, strength: float, tint: tuple[float, ...]) -> Lamp:
    """Lights of some size: as bright as their stops say, or as bright as these make all of their area."""
    unit, whole = get.facts.metres_per_unit, not get.flag("per_area")
    reach = get.number("reach") * unit
    if word == "mesh":
        return Lamp("mesh", tinted(strength, tint, None), total=whole, reach=reach)
    if word in ("ball", "spot", "measured"):
        return _round(word, get, strength, tint, whole, reach)
    name = {"panel": "rect", "disc": "disk", "tube": "cylinder"}[word]
    first, second = {"panel": ("width", "height"), "disc": ("radius", ""), "tube": ("radius", "length")}[word]
    size = (get.number(first) * unit, get.number(second) * unit if second else 0.0)
    picture = Lookup(get.facts.find(get.word("picture")), "auto") if word == "panel" and get.word("picture") else None
    nits = strength / max(SHAPES[name].area(size), 1e-12) if whole else strength
    return Lamp(name, tinted(nits, tint, None), size, picture=picture, total=whole, reach=reach)


def _round(word: str, get: Inputs, strength: float, tint: tuple[float, ...], whole: bool, reach: float) -> Lamp:
    radius = get.number("radius") * get.facts.metres_per_unit
    if word == "measured":  # the mean candela of its shape is that of an even ball of these stops
        disc = math.pi * max(radius, 1e-6) ** 2
        candela = strength / 4.0 if whole else strength * disc
        colour = (tint[0], tint[1], tint[2])
        return measured(get, get.word("file"), radius, candela * 4.0 * math.pi, colour, reach=reach)
    outer = get.number("cone") if word == "spot" else 180.0
    inner = outer * (1.0 - get.number("soft")) if word == "spot" else 180.0
    return ball(
        radius, lambda disc: tinted(strength / (4.0 * disc) if whole else strength, tint, None), whole, inner=inner, outer=outer, reach=reach
    )  # fmt: skip


def camera(kind: str, get: Inputs) -> View:
    """skarn.camera."""
    half = math.radians(get.number("fov")) / 2.0
    focal, radius = FILM / 2.0 / math.tan(half), get.number("lens_radius")
    return View(
        FILM, focal, f_number=focal / (2.0 * radius) if radius > 0.0 else 0.0, focus=get.number("focus") * get.facts.metres_per_unit,
        scale=2.0 ** get.number("exposure"),
    )  # fmt: skip


def settings(kind: str, get: Inputs) -> Sampling:
    """skarn.settings."""
    bounces = max(int(get.number(name)) for name in ("matt_paths", "mirror_paths", "glass_paths"))
    notes = ("clamp what has bounced; here nothing is clamped",) if get.number("clamp") > 0.0 else ()
    return Sampling(
        int(get.number("samples")),
        bounces,
        notes=notes,
        pixel_aspect=get.number("pixel_aspect"),
        size=in_pixels(get.numbers("size")),
    )
