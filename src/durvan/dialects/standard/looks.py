"""What Standard Surface looks like, from its definition in MaterialX's library (1.0.1).

A coat lies over metal and dielectric; sheen lies under the dielectric's reflection, over the matt base. The coat tints what comes from
below by its colour alone, from whichever side. Scattering inside a clear body and dispersion are left out, and said.
"""

from __future__ import annotations

import math

from durvan.dialects.look import Inputs, Lobe, Surface
from durvan.dialects.shared import usd_looks
from durvan.dialects.shared.looks import passing, relief_of
from durvan.dialects.shared.materialx import looks as shared
from durvan.graph import expression as ex
from durvan.graph.expression import Field
from durvan.optics.lobes import layout

node = shared.node
light, camera, settings = usd_looks.light, usd_looks.camera, usd_looks.settings
Alphas = tuple[Field, Field]


def surface(kind: str, get: Inputs) -> Surface:
    """Standard surfaces, and what all of MaterialX's packs share."""
    return _standard(get) if kind.startswith("mtlx.standard_surface") else shared.surface(kind, get)


def _standard(get: Inputs) -> Surface:
    coat = _coat(get)
    through = ex.mix(1.0, get("coat_color"), get("coat"))
    metal, clear = get("metalness"), get("transmission")
    alphas, turn = _alphas(_roughness(get, get("specular_roughness")), get("specular_anisotropy")), _turn(get)
    film = get("thin_film_thickness")
    made = Surface([coat, _metal(get, metal * through, alphas, turn, coat, film)])
    solid = 1.0 - metal
    shine = Lobe(
        layout.REFLECT, get("specular") * get("specular_color") * solid * through, *alphas, turn, fresnel=layout.DIELECTRIC,
        first=get("specular_IOR"), under=coat, cover=layout.SCALED, film=film, film_index=get("thin_film_IOR"), within=solid,
    )  # fmt: skip
    made.lobes.append(shine)
    _matt(made, get, solid * (1.0 - clear), through, shine)
    _body(made, get, solid * clear * through, shine)
    made.opacity = ex.luminance(get("opacity"))
    seen = ex.mix(1.0, get("coat_color") * (1.0 - _faced(get("coat_IOR"))), get("coat"))
    made.glow = get("emission") * get("emission_color") * seen
    made.relief = relief_of(get, "normal")
    return made


def _faced(index: Field) -> Field:
    root = (index - 1.0) / (index + 1.0)
    return root * root


def _roughness(get: Inputs, rough: Field) -> Field:
    """What the coat's roughness adds to that of what lies under it."""
    return ex.mix(rough, 1.0, get("coat_affect_roughness") * get("coat") * get("coat_roughness"))


def _alphas(rough: Field, anisotropy: Field) -> Alphas:
    """Alpha along and across the tangent (MaterialX 1.39, roughness_anisotropy)."""
    alpha = rough * rough
    if anisotropy.is_always(0.0):
        return alpha, alpha
    aspect = ex.each("root", 1.0 - ex.least(anisotropy, 0.98))
    return ex.least(alpha / aspect, 1.0), alpha * aspect


def _turn(get: Inputs) -> Field:
    """The turn of the highlight, which goes clockwise here; of a tangent that is turned, too."""
    own = get("specular_rotation") * (-2.0 * math.pi)
    return own + get("tangent")[0] * (math.pi / 180.0) if get.linked("tangent") else own


def _coat(get: Inputs) -> Lobe:
    return Lobe(
        layout.REFLECT, get("coat"), *_alphas(get("coat_roughness"), get("coat_anisotropy")),
        get("coat_rotation") * (-2.0 * math.pi), fresnel=layout.DIELECTRIC, first=get("coat_IOR"), cover=layout.SCALED,
    )  # fmt: skip


def _metal(get: Inputs, weight: Field, alphas: Alphas, turn: Field, coat: Lobe, film: Field) -> Lobe:
    """A metal by its colour when faced and at its edge, as an index (Gulbrandsen 2014)."""
    faced = ex.least(get("base_color") * get("base"), 0.99)
    if not film.is_always(0.0):
        return Lobe(
            layout.REFLECT, weight, *alphas, turn, fresnel=layout.SCHLICK, first=faced, second=1.0, under=coat, film=film,
            film_index=get("thin_film_IOR"), full=True,
        )  # fmt: skip
    root = ex.each("root", faced)
    index = ex.mix((1.0 + root) / (1.0 - root), (1.0 - faced) / (1.0 + faced), get("specular_color") * get("specular"))
    above, below = index + 1.0, index - 1.0
    absorbed = ex.each("root", ex.most((above * above * faced - below * below) / (1.0 - faced), 0.0))
    return Lobe(
        layout.REFLECT, weight, *alphas, turn, fresnel=layout.CONDUCTOR, first=index, second=absorbed, under=coat, full=True
    )  # fmt: skip


def _matt(made: Surface, get: Inputs, share: Field, through: Field, shine: Lobe) -> None:
    """Sheen over the matt base and what scatters below it."""
    sheen = Lobe(
        layout.SHEEN, get("sheen") * get("sheen_color") * share * through, get("sheen_roughness"), under=shine, cover=layout.SCALED,
        within=share,
    )  # fmt: skip
    deepened = 1.0 + get("coat") * get("coat_affect_color")
    color, deep = get("base_color") ** deepened, get("subsurface_color") ** deepened
    scattered = get("subsurface")
    made.lobes.append(sheen)
    made.lobes.append(
        Lobe(
            layout.DIFFUSE,
            color * get("base") * share * (1.0 - scattered) * through,
            get("diffuse_roughness"),
            under=sheen,
        )
    )
    kind = layout.THROUGH if get.flag("thin_walled") else layout.DEEP_DIFFUSE
    made.lobes.append(Lobe(kind, deep * share * scattered * through, under=sheen))
    made.reach = get("subsurface_radius") * get("subsurface_scale") * get.facts.metres_per_unit
    made.deep = get("subsurface_color")


def _body(made: Surface, get: Inputs, share: Field, shine: Lobe) -> None:
    """What passes: bent, or straight through a sheet; what is not reflected is all there is."""
    if share.is_always(0.0):
        return
    rough = ex.clamp(get("specular_roughness") + get("transmission_extra_roughness"))
    alphas, turn = _alphas(_roughness(get, rough), get("specular_anisotropy")), _turn(get)
    thin = get.flag("thin_walled")
    depth = get("transmission_depth") * get.facts.metres_per_unit
    at_once = depth.is_always(0.0) or thin
    tint = ex.colour(share * get("transmission_color") if at_once else share)
    if thin:  # its definition has one face, whose reflection is that of the highlight
        made.lobes.append(
            Lobe(
                layout.STRAIGHT, tint, *alphas, turn, fresnel=layout.DIELECTRIC, first=get("specular_IOR"), film=shine.film,
                film_index=shine.film_index, under=shine.under,
            )
        )  # fmt: skip
    else:
        alike = ex.field(shine.film).is_always(0.0) and get("transmission_extra_roughness").is_always(0.0)
        made.lobes.append(passing(tint, alphas, turn, get("specular_IOR"), shine, alike))
    if not at_once:
        made.murk = -1.0 * ex.each("log", ex.most(get("transmission_color"), 1e-6)) / ex.most(depth, 1e-9)
    if not get("transmission_scatter").is_always(0.0):
        made.notes.append("scattering inside a clear body is not shown")
    if not get("transmission_dispersion").is_always(0.0):
        made.notes.append("dispersion is not shown")
