"""What Mitsuba's plugins look like, from their documentation (3.9) and the papers that it names.

A rough coat over a matt base leaves to it what it does not reflect, on the way in and out. The principled BSDF adds its lobes without
taking from one another, as Burley 2012 does; its coat has a GGX lobe in place of the long-tailed one, which is said.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import partial
from typing import Any

from durvan.dialects import layers
from durvan.dialects.look import Inputs, Lamp, Lobe, Sampling, Surface, View, in_pixels
from durvan.dialects.mitsuba.functions import named_eta, named_k
from durvan.dialects.mitsuba.plastic import coat
from durvan.dialects.shared.looks import fibre, height, outputs, relief_of
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup
from durvan.optics.lobes import layout

NAMES = ("out", "", "", "", "", "outgrey")
FACETS = {"ggx": layout.GGX, "beckmann": layout.BECKMANN}
WRAPS = {"repeat": "periodic", "clamp": "clamp", "mirror": "mirror"}
_TRACE = 1e-4  # of a lobe that is there for what it covers
FILM = 36.0  # the width of a film, in millimetres, by which a field of view is told


def surface(kind: str, get: Inputs) -> Surface:
    """Every BSDF that has lobes of its own, and two side by side."""
    word = kind.removeprefix("mitsuba.")
    if word == "blendbsdf":
        return layers.over(get.surface("first") or Surface(), get.surface("second") or Surface(), get("weight"))
    if word == "twosided":
        made = get.surface("front") or Surface()
        made.back = get.surface("back")
        return made
    if word == "hair":
        return _hair(get)
    if word not in _SURFACES:
        get.tell(f"Mitsuba's {word} has no look here; a plain grey is shown")
        return Surface([Lobe(layout.DIFFUSE, 0.18)])
    made = _SURFACES[word](get)
    if word == "null":  # nothing can be put on it
        return made
    made.opacity = get("opacity")
    if made.back is not None:
        made.back.opacity = made.opacity
    made.glow = get("radiance")
    made.glow_whole = made.glow_bare = made.glow_front = True  # a mask takes nothing of what is emitted
    made.relief, made.soft_relief = relief_of(get, "normal"), True
    if not get.flag("both_sides"):
        made.notes.append("its back is black in Mitsuba, and like its front here")
    return made


def _index(get: Inputs) -> Field:
    return get("int_ior") / get("ext_ior")


def _alphas(get: Inputs) -> tuple[Field, Field]:
    along, across = get("alpha"), get("alpha_v")
    return along, along if across.is_always(-1.0) else across


def _facets(get: Inputs) -> int:
    return FACETS[get.word("distribution")]


def _diffuse(get: Inputs) -> Surface:
    return Surface([Lobe(layout.DIFFUSE, get("reflectance"))])


def _metal(get: Inputs, rough: bool) -> Surface:
    """A metal by its index; "none" reflects everything from every side."""
    alphas = _alphas(get) if rough else (ex.field(0.0), ex.field(0.0))
    facets = _facets(get) if rough else layout.GGX
    material = get.word("material")
    weight = get("specular_reflectance")
    if material == "none":
        return Surface([Lobe(layout.REFLECT, weight, *alphas, facets=facets, fresnel=layout.CONSTANT)])
    eta, k = (get("eta"), get("k")) if not material else (ex.field(named_eta(material)), ex.field(named_k(material)))
    return Surface(
        [Lobe(layout.REFLECT, weight, *alphas, facets=facets, fresnel=layout.CONDUCTOR, first=eta, second=k)]
    )


def _glass(get: Inputs, rough: bool) -> Surface:
    alphas = _alphas(get) if rough else (ex.field(0.0), ex.field(0.0))
    facets = _facets(get) if rough else layout.GGX
    index = _index(get)
    made = Surface(
        [
            Lobe(layout.REFLECT, get("specular_reflectance"), *alphas, facets=facets, fresnel=layout.DIELECTRIC, first=index),
            Lobe(layout.REFRACT, get("specular_transmittance"), *alphas, facets=facets, fresnel=layout.DIELECTRIC, first=index),
        ]
    )  # fmt: skip
    made.murk = get("absorption")
    return made


def _sheet(get: Inputs) -> Surface:
    index = _index(get)
    return Surface(
        [
            Lobe(layout.REFLECT, get("specular_reflectance"), fresnel=layout.WALL, first=index),
            Lobe(layout.STRAIGHT, get("specular_transmittance"), fresnel=layout.WALL, first=index),
        ]
    )


def _plastic(get: Inputs, rough: bool) -> Surface:
    """A coat that leaves to its base what it does not reflect, both ways, and the base's light what does not stay inside. What facets of
    a rough one throw at one another is lost.
    """
    alpha = get.number("alpha") if rough else 0.0
    facets = _facets(get) if rough else layout.GGX
    index = get.number("int_ior") / get.number("ext_ior")
    shine = get("specular_reflectance")

    def coated(weight: Field | float, **more: Any) -> Lobe:
        return Lobe(layout.REFLECT, weight, alpha, facets=facets, fresnel=layout.DIELECTRIC, first=index, **more)

    if shine.is_always(1.0):
        tops = [coated(1.0, cover=layout.RECIPROCAL)]
    else:  # what it takes from its base is the same whatever of that it gives back
        tops = [coated(_TRACE, cover=layout.RECIPROCAL, within=_TRACE), coated(shine)]
    shows, inside = coat(alpha, index, facets)
    base = get("diffuse_reflectance")
    if get.flag("nonlinear"):
        base = base * (1.0 - inside) / (1.0 - base * inside)
    return Surface([*tops, Lobe(layout.DIFFUSE, base * shows, under=tops[0])])


def _stretched(get: Inputs) -> tuple[Field, Field]:
    """Alpha along and across (Burley 2012, 5.4)."""
    alpha = get("roughness") * get("roughness")
    aspect = ex.each("root", 1.0 - 0.9 * get("anisotropic"))
    return ex.most(alpha / aspect, 0.001), ex.most(alpha * aspect, 0.001)


def _principled(get: Inputs) -> Surface:
    metal, clear = get("metallic"), get("spec_trans")
    alphas, base = _stretched(get), get("base_color")
    index = get("eta")
    if get.number("specular") >= 0.0:
        root = ex.each("root", get("specular") * 0.08)
        index = (1.0 + root) / (1.0 - root)
    faced = ((index - 1.0) / (index + 1.0)) * ((index - 1.0) / (index + 1.0))
    tint, solid = get("spec_tint"), 1.0 - metal
    made = Surface()
    made.lobes.append(Lobe(layout.REFLECT, solid * (1.0 - tint), *alphas, fresnel=layout.DIELECTRIC, first=index))
    made.lobes.append(Lobe(layout.REFLECT, metal, *alphas, fresnel=layout.SCHLICK, first=base, second=1.0))
    if not tint.is_always(0.0):
        made.lobes.append(
            Lobe(layout.REFLECT, solid * tint, *alphas, fresnel=layout.SCHLICK, first=_hue(base) * faced, second=1.0)
        )
    made.lobes.append(
        Lobe(layout.REFRACT, solid * clear * ex.each("root", base), *alphas, fresnel=layout.DIELECTRIC, first=index)
    )
    matt = solid * (1.0 - clear)
    made.lobes.append(Lobe(layout.DIFFUSE, base * matt, get("roughness"), facets=layout.BURLEY))
    _sheen(made, get, solid, base)
    _coat(made, get)
    if not get("flatness").is_always(0.0):
        made.notes.append("the flat look of a matt base is not shown")
    made.murk = get("absorption")
    if not clear.is_always(0.0):  # from inside there is the boundary alone (measured on the plugin)
        inside = partial(Lobe, alpha=alphas[0], alpha_across=alphas[1], fresnel=layout.DIELECTRIC, first=index)
        passing = solid * clear
        lobes = [inside(layout.REFLECT, passing), inside(layout.REFRACT, passing * ex.each("root", base))]
        made.back = Surface(lobes, murk=made.murk)
    return made


def _hue(base: Field) -> Field:
    """A colour of luminance 1."""
    return base / ex.most(ex.luminance(base), 1e-6)


def _sheen(made: Surface, get: Inputs, share: Field, base: Field) -> None:
    sheen = get("sheen")
    if not sheen.is_always(0.0):
        colour = ex.mix(1.0, _hue(base), get("sheen_tint"))
        made.lobes.append(Lobe(layout.SHEEN, sheen * share * colour, 0.3, facets=layout.BURLEY))


def _coat(made: Surface, get: Inputs) -> None:
    coat = get("clearcoat")
    if coat.is_always(0.0):
        return
    alpha = ex.mix(0.1, 0.001, get("clearcoat_gloss"))
    made.lobes.append(Lobe(layout.REFLECT, 0.25 * coat, alpha, fresnel=layout.SCHLICK, first=0.04, second=1.0))
    made.notes.append("the coat's long-tailed highlight is shown with a shorter tail")


def _thin(get: Inputs) -> Surface:
    """A sheet: half of what scatters goes to either side at 1. It reflects as much as it lets pass clear (measured on the plugin)."""
    base, index = get("base_color"), get("eta")
    alphas, clear = _stretched(get), get("spec_trans")
    through = get("diff_trans") * 0.5
    made = Surface([Lobe(layout.REFLECT, clear, *alphas, fresnel=layout.DIELECTRIC, first=index)])
    made.lobes.append(Lobe(layout.STRAIGHT, clear * base, *alphas, fresnel=layout.DIELECTRIC, first=index))
    made.lobes.append(
        Lobe(layout.DIFFUSE, base * (1.0 - clear) * (1.0 - through), get("roughness"), facets=layout.BURLEY)
    )
    made.lobes.append(Lobe(layout.THROUGH, base * (1.0 - clear) * through))
    _sheen(made, get, ex.field(1.0), base)
    return made


def _hair(get: Inputs) -> Surface:
    absorbed = get("absorption")
    if absorbed.is_always(0.0):
        absorbed = get("eumelanin") * ex.field((0.419, 0.697, 1.37)) + get("pheomelanin") * ex.field((0.187, 0.4, 1.05))
    along, around = get("longitudinal_roughness"), get("azimuthal_roughness")
    if get.number("scale_tilt") != 0.0:
        get.tell("the tilt of a fibre's scales is not shown")
    return fibre(2.0 * absorbed, 2.0 * absorbed, along, around, along, get.number("int_ior") / get.number("ext_ior"))


_SURFACES: dict[str, Callable[[Inputs], Surface]] = {
    "diffuse": _diffuse, "conductor": partial(_metal, rough=False), "roughconductor": partial(_metal, rough=True),
    "dielectric": partial(_glass, rough=False), "roughdielectric": partial(_glass, rough=True), "thindielectric": _sheet,
    "plastic": partial(_plastic, rough=False), "roughplastic": partial(_plastic, rough=True), "principled": _principled,
    "principledthin": _thin, "null": lambda get: Surface([Lobe(layout.STRAIGHT, 1.0, fresnel=layout.SCHLICK, first=0.0, second=0.0)]),
}  # fmt: skip


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """Textures and relief."""
    match kind.removeprefix("mitsuba."):
        case "bitmap":
            decode: str | float = 1.0 if get.flag("raw") else "auto"
            file = get.facts.find(get.word("filename"))
            if decode == "auto":
                decode = 1.0 if file.lower().endswith((".exr", ".hdr", ".pfm")) else "srgb"
            wrap = WRAPS[get.word("wrap_mode")]
            return outputs(ex.picture(Lookup(file, decode, wrap, wrap), _place(get)), NAMES)
        case "checkerboard":
            place = _place(get) * 2.0
            odd = ex.each("floor", place[0]) + ex.each("floor", place[1])
            odd = odd - 2.0 * ex.each("floor", odd / 2.0)
            return outputs(ex.mix(get("color0"), get("color1"), odd), NAMES)
        case "mesh_attribute":
            name = get.word("name").removeprefix("vertex_").removeprefix("face_")
            return outputs(ex.more(name, 3) * get("scale"), NAMES)
        case "normalmap":
            _tell_hard(get)
            normal = get("normalmap") * 2.0 - 1.0
            return {"out": ex.join(normal[0], normal[1], normal[2])}
        case "bumpmap":
            _tell_hard(get)
            return {"out": height(get("height") * get("scale"))}
    return None


def _tell_hard(get: Inputs) -> None:
    if not (get.flag("flip_invalid_normals") and get.flag("use_shadowing_function")):
        get.tell("steep relief is shown as Mitsuba shows it by default, shadowed softly and never bent away")


def _place(get: Inputs) -> Field:
    """UVs with v downwards, scaled, turned and shifted."""
    scale, offset, angle = get.numbers("scale"), get.numbers("offset"), math.radians(get.number("rotate"))
    uv = ex.uv()
    u, v = uv[0] * scale[0], (1.0 - uv[1]) * scale[1]
    c, s = math.cos(angle), math.sin(angle)
    return ex.join(u * c + v * s + offset[0], 1.0 - (v * c - u * s + offset[1]))


def light(kind: str, get: Inputs) -> Lamp | None:
    """Emitters; those of shapes have the shape's size."""
    word = kind.removeprefix("mitsuba.")
    if word in ("point", "spot"):
        r, g, b = get.numbers("intensity")
        if word == "point":
            return Lamp("point", (r, g, b))
        return Lamp(
            "point", (r, g, b), inner=get.number("beam_width"), outer=get.number("cutoff_angle"), profile="linear"
        )
    if word == "directional":
        r, g, b = get.numbers("irradiance")
        return Lamp("far", (r, g, b))
    if word == "envmap":
        scale = get.number("scale")
        return Lamp(
            "dome",
            (scale, scale, scale),
            picture=Lookup(get.facts.find(get.word("filename")), "auto"),
            turn=get.number("turn"),
            own_axes=False,
        )
    if word not in ("constant", "area_rectangle", "area_disk", "area_sphere", "area_cylinder"):
        return None
    r, g, b = get.numbers("radiance")
    if word == "constant":
        return Lamp("dome", (r, g, b), own_axes=False)
    if word == "area_rectangle":
        file = get.word("picture")
        return Lamp(
            "rect",
            (r, g, b),
            (get.number("width"), get.number("height")),
            picture=Lookup(get.facts.find(file), "auto") if file else None,
        )
    if word == "area_cylinder":
        return Lamp("cylinder", (r, g, b), (get.number("radius"), get.number("length")))
    return Lamp("disk" if word == "area_disk" else "sphere", (r, g, b), (max(get.number("radius"), 1e-6), 0.0))


def camera(kind: str, get: Inputs) -> View:
    """A sensor; its picture value is the radiance."""
    if kind.endswith(".orthographic"):
        return View(FILM, FILM, notes=("an orthographic camera is shown in perspective",))
    if "fov" not in get.kind.parameters:
        return View(FILM, FILM, notes=("this sensor is no camera",))
    focal = FILM / 2.0 / math.tan(math.radians(get.number("fov")) / 2.0)
    near, far = get.number("near_clip"), get.number("far_clip")
    if kind.endswith(".thinlens"):
        radius = get.number("aperture_radius")
        return View(
            FILM,
            focal,
            f_number=focal / max(2000.0 * radius, 1e-9),
            focus=get.number("focus_distance"),
            near=near,
            far=far,
        )
    shift = (-FILM * get.number("principal_point_offset_x"), FILM * get.number("principal_point_offset_y"))
    return View(FILM, focal, shift, near=near, far=far)


def settings(kind: str, get: Inputs) -> Sampling:
    """How many samples, and how long paths are: theirs are counted in edges, and light that does not bounce has two."""
    del kind
    depth = int(get.number("max_depth"))
    size = in_pixels((get.number("width"), get.number("height")))
    return Sampling(max(int(get.number("sample_count")), 1), 1000 if depth < 0 else max(depth - 2, 0), size=size)
