"""What glTF's words look like, from its specification (2.0) and those of the ratified extensions."""

from __future__ import annotations

import math

from durvan.dialects.look import Inputs, Lamp, Sampling, Surface, View
from durvan.dialects.shared import gltf_looks
from durvan.dialects.shared.looks import tinted, uvs
from durvan.graph import expression as ex
from durvan.graph.expression import Field, Lookup

WRAPS = {"repeat": "periodic", "clamp": "clamp", "mirror": "mirror"}
HEIGHT = 24.0  # of the film, in millimetres, by which a field of view is told


def surface(kind: str, get: Inputs) -> Surface:
    """The material, or one that only shows its colour."""
    if kind == "gltf.unlit":
        mode = int(get.number("alpha_mode"))
        opacity = (
            get("alpha") if mode == 2 else 1.0 - ex.below(get("alpha"), get("alpha_cutoff")) if mode else ex.field(1.0)
        )
        return Surface([], opacity=opacity, glow=get("base_color"))
    return gltf_looks.surface(get, get("anisotropy_rotation"))


def node(kind: str, get: Inputs) -> dict[str, Field] | None:
    """Textures, normal maps, and colours of the mesh."""
    word = kind.removeprefix("gltf.")
    if word == "corners":
        tinted_ = ex.colour(get("input")) * ex.more(get.word("name"), 3, 1.0)
        return {"rgb": tinted_, "r": tinted_[0], "g": tinted_[1], "b": tinted_[2]}
    if word not in ("texture", "normal"):
        return None
    four = ex.picture(
        Lookup(get.facts.find(get.word("file")), "srgb" if get.word("decode") == "srgb" else 1.0, WRAPS[get.word("wrap_s")], WRAPS[get.word("wrap_t")]),
        _place(get),
    )  # fmt: skip
    if word == "normal":
        normal, strength = four * 2.0 - 1.0, get("strength")
        return {"normal": ex.join(normal[0] * strength, normal[1] * strength, normal[2])}
    four = four * get("factor") + get("shift")
    return {"rgb": ex.join(four[0], four[1], four[2]), "r": four[0], "g": four[1], "b": four[2], "a": four[3]}


def _place(get: Inputs) -> Field:
    """KHR_texture_transform: scaled, turned, shifted, with v running down."""
    uv = uvs(get, "uv_set")
    scale, offset, angle = get.numbers("scale"), get.numbers("offset"), get.number("rotation")
    u, v = uv[0] * scale[0], (1.0 - uv[1]) * scale[1]
    c, s = math.cos(angle), math.sin(angle)
    return ex.join(u * c + v * s + offset[0], 1.0 - (v * c - u * s + offset[1]))


def light(kind: str, get: Inputs) -> Lamp | None:
    """Points, spots and suns (KHR_lights_punctual)."""
    strength = tinted(get.number("intensity"), get.numbers("color"), None)
    if kind == "gltf.directional":
        return Lamp("far", strength)
    reach = get.number("range")
    if kind == "gltf.spot":
        outer = math.degrees(get.number("outer_cone"))
        return Lamp(
            "point", strength, inner=min(math.degrees(get.number("inner_cone")), outer), outer=outer, reach=reach
        )
    return Lamp("point", strength, reach=reach)


def camera(kind: str, get: Inputs) -> View:
    """A camera by its field of view; its picture value is the luminance."""
    del kind
    aspect = get.number("aspect_ratio") or 16.0 / 9.0
    focal = HEIGHT / 2.0 / math.tan(get.number("yfov") / 2.0)
    notes = ("an orthographic camera is shown in perspective",) if get.word("projection") == "orthographic" else ()
    return View(HEIGHT * aspect, focal, near=get.number("near"), far=get.number("far"), notes=notes, film_height=HEIGHT)


def settings(kind: str, get: Inputs) -> Sampling:
    """glTF says nothing of how a picture is made."""
    del kind, get
    return Sampling()
