"""What glTF's material looks like, from its specification (2.0, appendix B) and those of the ratified extensions.

A coat of index 1.5 lies over sheen, and that over a metal beside a dielectric. A facet gives back what is lost between facets, as the
specification leaves it to renderers. Dispersion is left out, and said.
"""

from __future__ import annotations

from durvan.dialects.look import Inputs, Lobe, Surface
from durvan.dialects.shared.looks import passing, relief_of
from durvan.graph import expression as ex
from durvan.graph.expression import Field
from durvan.optics.lobes import layout

COAT_INDEX = 1.5
MASK, BLEND = 1, 2  # modes of alpha


def surface(get: Inputs, turn: Field) -> Surface:
    """The material by its inputs; `turn` is that of the highlight, counter-clockwise, in radians."""
    coat = _coat(get)
    sheen = _sheen(get, coat)
    metal, clear = get("metallic"), get("transmission")
    alphas = _alphas(get)
    film = get("iridescence") * get("iridescence_thickness")
    root = (get("ior") - 1.0) / (get("ior") + 1.0)
    faced = ex.least(root * root * get("specular_color"), 1.0)
    color = get("base_color")
    made = Surface([coat, sheen])
    made.lobes.append(
        Lobe(
            layout.REFLECT, metal, *alphas, turn, fresnel=layout.SCHLICK, first=color, second=1.0, under=sheen, film=film,
            film_index=get("iridescence_ior"), full=True,
        )
    )  # fmt: skip
    solid = 1.0 - metal
    shine = Lobe(
        layout.REFLECT, get("specular") * solid, *alphas, turn, fresnel=layout.SCHLICK, first=faced, second=1.0, under=sheen,
        cover=layout.SCALED, film=film, film_index=get("iridescence_ior"), full=True, within=solid,
    )  # fmt: skip
    made.lobes.append(shine)
    matt = color * solid * (1.0 - clear)
    through = _through(get)
    made.lobes.append(Lobe(layout.DIFFUSE, matt * (1.0 - through[0]), under=shine))
    made.lobes.append(Lobe(layout.THROUGH, solid * (1.0 - clear) * through[0] * through[1], under=shine))
    _body(made, get, solid * clear, alphas, turn, shine)
    made.opacity = _opacity(get)
    made.glow = get("emissive") * get("emissive_strength")
    made.relief = relief_of(get, "normal")
    return made


def _through(get: Inputs) -> tuple[Field, Field]:
    """How much of the matt base lets light through, and its colour (KHR_materials_diffuse_transmission), where there is a word for it."""
    if "diffuse_transmission" not in get.kind.parameters:
        return ex.field(0.0), ex.field(1.0)
    return get("diffuse_transmission"), get("diffuse_transmission_color")


def _coat(get: Inputs) -> Lobe:
    rough = get("clearcoat_roughness")
    return Lobe(
        layout.REFLECT,
        get("clearcoat"),
        rough * rough,
        fresnel=layout.DIELECTRIC,
        first=COAT_INDEX,
        cover=layout.SCALED,
    )


def _sheen(get: Inputs, coat: Lobe) -> Lobe:
    rough = get("sheen_roughness")
    return Lobe(layout.SHEEN, get("sheen_color"), rough * rough, under=coat, cover=layout.SCALED)


def _alphas(get: Inputs) -> tuple[Field, Field]:
    """Alpha along and across the tangent (KHR_materials_anisotropy)."""
    alpha, strength = get("roughness") * get("roughness"), get("anisotropy_strength")
    return ex.mix(alpha, 1.0, strength * strength), alpha


def _opacity(get: Inputs) -> Field:
    mode = int(get.number("alpha_mode"))
    if mode == MASK:
        return 1.0 - ex.below(get("alpha"), get("alpha_cutoff"))
    return get("alpha") if mode == BLEND else ex.field(1.0)


def _body(made: Surface, get: Inputs, share: Field, alphas: tuple[Field, Field], turn: Field, shine: Lobe) -> None:
    """What passes, tinted by the base: straight through a sheet, bent where the body has a thickness (KHR_materials_volume). A sheet reflects as
    one face does (KHR_materials_transmission), so that passes what its reflection leaves.
    """
    if share.is_always(0.0):
        return
    thin = get("thickness").is_always(0.0)
    distance = get("attenuation_distance") * get.facts.metres_per_unit
    tint = ex.colour(share * get("base_color"))
    if thin:
        made.lobes.append(
            Lobe(
                layout.STRAIGHT, tint, *alphas, turn, fresnel=shine.fresnel, first=shine.first, second=shine.second, film=shine.film,
                film_index=shine.film_index, under=shine.under,
            )
        )  # fmt: skip
    else:
        index = get("ior").constant
        # near an index of 1 what it reflects at its edge (Schlick) is far more than the boundary's own law has
        of_index = (
            ex.field(shine.film).is_always(0.0)
            and get("specular_color").is_always(1.0)
            and index is not None
            and index[0] >= 1.2
        )
        made.lobes.append(passing(tint, alphas, turn, get("ior"), shine, of_index))
    if not thin and not distance.is_always(0.0):
        made.murk = -1.0 * ex.each("log", ex.most(get("attenuation_color"), 1e-6)) / ex.most(distance, 1e-9)
    if not get("dispersion").is_always(0.0):
        made.notes.append("dispersion is not shown")
