"""What Pellune's words look like, from the dialect's own definition.

Metal, clear body and dielectric lie side by side; a lacquer lies over them and a nap over all. Every facet lobe gives
back what is lost between facets. The nap is as rough as cloth is (0.5); the dialect has no word for it.
"""

from __future__ import annotations

import math

from durvan.dialects import layers
from durvan.dialects.look import Fog, Inputs, Lamp, Lobe, Sampling, Surface, View, in_pixels
from durvan.dialects.shared.looks import (
    ball,
    exposure_scale,
    fibre,
    height,
    measured,
    outputs,
    relief_of,
    tinted,
    unshown,
    uvs,
)
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics.colour import black_body, white_balance
from durvan.optics.light_shapes import SHAPES
from durvan.optics.lobes import layout
from durvan.optics.photometry import cone_flux_factor
from durvan.optics.pigments import BLACK, RED

NAP_ROUGHNESS = 0.5
LACQUER_INDEX = 1.5
COLOUR = ("color", "r", "g", "b", "a", "grey")


def surface(kind: str, get: Inputs) -> Surface:
    """Surfaces, and one over another."""
    if kind == "pellune.over":
        return layers.over(get.surface("under") or Surface(), get.surface("upper") or Surface(), get("amount"))
    if kind == "pellune.fibre":
        amount = -1.0 * ex.each("log", ex.most(1.0 - get("melanin"), 1e-4))
        pigment = ex.mix(ex.field(BLACK), ex.field(RED), get("redness"))
        return fibre(amount * pigment, amount * pigment, get("rough"), get("rough"), get("rough"))
    return _surface(get)


def _surface(get: Inputs) -> Surface:
    metal, clear, scatter = get("metal"), get("clear"), get("scatter")
    rough, color = get("rough"), get("color")
    alpha = rough * rough
    along, across, turn = (
        alpha * (1.0 + get("stretch")),
        alpha * (1.0 - get("stretch")),
        get("stretch_turn") * (2.0 * math.pi),
    )
    nap = Lobe(layout.SHEEN, get("nap") * get("nap_color"), NAP_ROUGHNESS, cover=layout.SCALED)
    lacquer_rough = get("lacquer_rough")
    lacquer = Lobe(
        layout.REFLECT, get("lacquer"), lacquer_rough * lacquer_rough, fresnel=layout.DIELECTRIC,
        first=LACQUER_INDEX, under=nap, cover=layout.SCALED,
    )  # fmt: skip
    metal_lobe = Lobe(
        layout.REFLECT, metal, along, across, turn, fresnel=layout.SCHLICK, first=color, second=get("edge_color"), under=lacquer,
        full=True,
    )  # fmt: skip
    matt = (1.0 - metal) * (1.0 - clear)
    shine = Lobe(
        layout.REFLECT, matt, along, across, turn, fresnel=layout.SCHLICK, first=get("facing_reflect"), under=lacquer,
        cover=layout.SCALED, full=True, within=matt,
    )  # fmt: skip
    made = Surface([nap, lacquer, metal_lobe])
    if not matt.is_always(0.0):
        made.lobes.append(shine)
        solid = not clear.is_always(0.0) and not get.flag("thin")
        leaf = ex.field(0.0) if solid else get("leaf")  # a body lets nothing through scattered, only a sheet does
        base = matt * (1.0 - scatter)
        made.lobes.append(Lobe(layout.DIFFUSE, color * base * (1.0 - leaf), under=shine))
        made.lobes.append(Lobe(layout.THROUGH, get("leaf_color") * base * leaf, under=shine))
        made.lobes.append(Lobe(layout.DEEP_DIFFUSE, get("scatter_color") * matt * scatter, under=shine))
    _body(made, get, (1.0 - metal) * clear, (along, across, turn), lacquer)
    made.reach, made.deep = get("scatter_radius"), get("scatter_color")
    made.opacity = get("coverage")
    made.glow = get("emit_nits") * get("emit_color")
    made.relief = relief_of(get, "normal")
    made.moved = (get("displace") - get("displace_centre")) * get("displace_height") if _displaces(get) else 0.0
    return made


def _displaces(get: Inputs) -> bool:
    return get.linked("displace") or get.number("displace") != 0.0


def _body(made: Surface, get: Inputs, share: Field, alphas: tuple[Field, Field, Field], lacquer: Lobe) -> None:
    if share.is_always(0.0):
        return
    thin, index = get.flag("thin"), get("ior")
    distance = get("clear_distance")
    at_once = distance.is_always(0.0) or thin
    tint = share * get("clear_color") if at_once else ex.colour(share)
    law = layout.WALL if thin else layout.DIELECTRIC
    made.lobes.append(Lobe(layout.REFLECT, share, *alphas, fresnel=law, first=index, under=lacquer))
    made.lobes.append(
        Lobe(layout.STRAIGHT if thin else layout.REFRACT, tint, *alphas, fresnel=law, first=index, under=lacquer)
    )
    if not at_once:
        made.murk = -1.0 * ex.each("log", ex.most(get("clear_color"), 1e-6)) / ex.most(distance, 1e-9)


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """Images, arithmetic, ramps, noise and relief."""
    match kind.removeprefix("pellune."):
        case "image":
            return outputs(_image(get), COLOUR)
        case "adjust":
            return outputs((get("input") * get("gain") + get("shift")) ** get("power"), COLOUR)
        case "ramp":
            along = ex.point("v" if get.flag("upward") else "u")
            return outputs(ex.mix(get("begin"), get("end"), ex.clamp(along)), COLOUR)
        case "noise":
            place = ex.join(ex.point("x"), ex.point("y"), ex.point("z")) * get("frequency")
            return outputs(ex.mix(get("dark"), get("light"), ex.noise(place, int(get.number("layers")))), COLOUR)
        case "stencil":
            return {"out": 1.0 - ex.below(get("mask"), 0.5)}
        case "corner":
            return outputs(ex.more(get.word("name"), 3, get.numbers("otherwise")), COLOUR)
        case "bump":
            return {"normal": height(get("input") * get("height"))}
        case "normal":
            normal, amount = get("input") * 2.0 - 1.0, get("amount")
            return {"normal": ex.join(normal[0] * amount, normal[1] * amount, normal[2])}
    return None


def _image(get: Inputs) -> Field:
    row_u, row_v = get("row_u"), get("row_v")
    place = uvs(get, "uv_set")
    u, v = place[0], place[1]
    place = ex.join(row_u[0] * u + row_u[1] * v + row_u[2], row_v[0] * u + row_v[1] * v + row_v[2])
    edges = get.word("edges")
    decode = "srgb" if get.word("role") == "colour" else 1.0
    return ex.picture(Lookup(get.facts.find(get.word("file")), decode, edges, edges), place)


def light(kind: str, get: Inputs) -> Lamp | None:
    """Panels, discs, tubes, orbs, beams, profiles, meshes, the sun and the surroundings; all cast shadows, light everything and
    weaken with the square.
    """
    if not get.flag("enabled"):
        return None
    tint = get.numbers("tint")
    if kind == "pellune.surroundings":
        file = get.word("file")
        picture = Lookup(get.facts.find(file), "auto") if file else None
        lux = get.number("lux")
        return Lamp(
            "dome", tinted(1.0, tint, None), picture=picture, turn=-get.number("heading"), lux=lux, own_axes=False
        )
    tint = _at_temperature(tint, get.number("kelvin"))
    if kind == "pellune.sun":
        return Lamp("far", tinted(get.number("lux"), tint, None), (get.number("diameter"), 0.0))
    unit = get.facts.metres_per_unit
    seen = get.flag("visible")
    if kind == "pellune.profile":
        by_lumen = get.word("scaling") == "lumen"
        colour = (tint[0], tint[1], tint[2])
        return measured(
            get, get.word("file"), get.number("radius") * unit, get.number("power") if by_lumen else 0.0, colour,
            get.number("factor"), seen=seen,
        )  # fmt: skip
    power, lumen = get.number("power"), get.word("unit") == "lumen"
    if kind == "pellune.mesh":
        return Lamp("mesh", tinted(power / math.pi if lumen else power, tint, None), total=lumen, seen=seen)
    if kind in ("pellune.panel", "pellune.disc", "pellune.tube"):
        return _with_body(kind, get, unit, tint, seen)
    inner = outer = 180.0
    steradians = 4.0 * math.pi
    if kind == "pellune.beam":
        inner, outer = min(get.number("inner"), get.number("outer")), get.number("outer")
        steradians = cone_flux_factor(outer, inner)
    return ball(
        get.number("radius") * unit, lambda disc: tinted(power / (disc * steradians) if lumen else power, tint, None),
        lumen, inner=inner, outer=outer, seen=seen,
    )  # fmt: skip


def _with_body(kind: str, get: Inputs, unit: float, tint: tuple[float, ...], seen: bool) -> Lamp:
    """Panels, discs and tubes. A flat one is half as strong at its spread; the lumen of one with a picture are those of all
    of it.
    """
    power, lumen = get.number("power"), get.word("unit") == "lumen"
    focus, mean, picture, flux = 0.0, 1.0, None, math.pi
    if kind == "pellune.tube":
        shape, size = SHAPES["cylinder"], (get.number("radius") * unit, get.number("length") * unit)
    elif kind == "pellune.disc":
        shape, size = SHAPES["disk"], (get.number("radius") * unit, 0.0)
    else:
        shape, size = SHAPES["rect"], (get.number("width") * unit, get.number("height") * unit)
        file = get.word("image")
        if file:
            picture = Lookup(get.facts.find(file), "auto")
            mean = get.facts.mean(picture.file)
    if kind != "pellune.tube":
        focus = math.log(0.5) / math.log(math.cos(math.radians(get.number("spread")))) - 1.0
        flux = 2.0 * math.pi / (focus + 2.0)
    nits = power / max(flux * shape.area(size) * mean, 1e-12) if lumen else power
    return Lamp(
        shape.name, tinted(nits, tint, None), size, focus=max(focus, 0.0), picture=picture, total=lumen, seen=seen
    )


def _at_temperature(tint: tuple[float, ...], kelvin: float) -> tuple[float, ...]:
    """Tint times kelvin; temperatures are relative to 6500 K, which is white here."""
    here, day = black_body(kelvin), black_body(6500.0)
    return tuple(part * a / b for part, a, b in zip(tint, here, day, strict=True))


def camera(kind: str, get: Inputs) -> View:
    """pellune.camera."""
    shift = get.numbers("lens_shift")
    n = get.number("f_stop")
    return View(
        get.number("sensor_width"), get.number("focal_length"), (shift[0], shift[1]),
        n if get.flag("depth_of_field") else 0.0, get.number("focus_distance"),
        scale=exposure_scale(n, get.number("shutter_time"), get.number("iso"), get.number("compensation")),
        white=white_balance(get.number("white_balance")), fog=_medium(get),
    )  # fmt: skip


def _medium(get: Inputs) -> Fog | None:
    density, albedo = get.number("medium_density"), get.numbers("medium_albedo")
    return Fog(density, (albedo[0], albedo[1], albedo[2]), get.number("medium_anisotropy")) if density > 0.0 else None


def settings(kind: str, get: Inputs) -> Sampling:
    """pellune.settings."""
    paths = max(int(get.number(name)) for name in ("diffuse_paths", "mirror_paths", "clear_paths"))
    left, top, width, height = get.numbers("crop")
    notes = unshown((left, 1.0 - top - height, left + width, 1.0 - top), get.number("time_limit"))
    return Sampling(
        int(get.number("samples")),
        paths,
        notes=notes,
        pixel_aspect=get.number("pixel_aspect"),
        size=in_pixels(get.numbers("size")),
    )
