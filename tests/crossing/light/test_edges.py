"""Lights at the edge of what they can be: a sun without a width, cones wider than half of all directions."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from durvan.crossing.translation.lighting import AS_IT_IS, Handling
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.translate import translate
from durvan.dialects.look import resolve
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.optics.colour import REC709_LUMINANCE, white_balance
from durvan.optics.lobes import layout
from durvan.scene.bodies import Body
from durvan.scene.fate import Fate
from durvan.scene.model import Scene, Thing
from making import material, single

BODY = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))
TARGETS = ("orvik", "pellune", "skarn", "openpbr", "gltf", "mitsuba")


def lamp(packs: Registry, thing: Thing):
    (found,) = staging.lamps_of(thing, packs.packs[thing.dialect], staging.facts_of(Scene("", thing.dialect)))
    return found


def carried(packs: Registry, thing: Thing, target: str):
    done = translate(thing, packs.packs[thing.dialect], packs.packs[target], 0.01)
    return done, lamp(packs, replace(thing, graph=done.graph, dialect=target))


@pytest.mark.parametrize("target", TARGETS)
@pytest.mark.parametrize(
    ("angle", "normalize"), [(0.0, False), (0.0, True), (0.53, False), (10.0, True), (180.0, False)]
)
def test_a_sun_gives_as_much_whatever_its_width(packs: Registry, target: str, angle: float, normalize: bool) -> None:
    thing = single(
        "openpbr", "usd.DistantLight", {"angle": angle, "normalize": normalize, "intensity": 7000.0, "exposure": 0.5}
    )
    before = lamp(packs, thing)
    _, after = carried(packs, thing, target)
    assert np.dot(before.radiance, REC709_LUMINANCE) > 0.0
    assert after.radiance == pytest.approx(before.radiance, rel=1e-4)


@pytest.mark.parametrize("target", ["pellune", "skarn", "openpbr"])
@pytest.mark.parametrize("measure", ["lumen", "watt", "nit"])
@pytest.mark.parametrize(("cone", "penumbra"), [(180.0, 90.0), (160.0, 40.0), (120.0, 80.0), (60.0, 5.0)])
def test_a_wide_cone_is_as_bright_ahead_and_said(
    packs: Registry, target: str, measure: str, cone: float, penumbra: float
) -> None:
    values = {"gain": 900.0, "measure": measure, "cone_angle": cone, "penumbra": penumbra, "radius": 2.0}
    thing = single("orvik", "orvik.cone", values)
    before = lamp(packs, thing)
    done, after = carried(packs, thing, target)
    assert after.radiance == pytest.approx(before.radiance, rel=1e-3)
    wide = 0.5 * cone + penumbra >= 90.0
    codes = {row.why.finding.code for row in done.rows if row.why.finding is not None}
    assert ("wide-cone" in codes) == wide
    rows = [row for row in done.rows if row.parameter in ("cone_angle", "penumbra")]
    assert all((row.fate is Fate.FITTED) == wide for row in rows)
    middle = 0.5 * (before.inner + before.outer)
    assert 0.5 * (after.inner + after.outer) == pytest.approx(min(middle, 89.985), abs=0.6)


SIZED = {
    "usd.RectLight": {"width": 100.0, "height": 50.0}, "usd.DiskLight": {"radius": 30.0}, "usd.SphereLight": {"radius": 20.0},
    "usd.CylinderLight": {"radius": 10.0, "length": 80.0},
}  # fmt: skip
AREA = {
    "usd.RectLight": 5000.0,
    "usd.DiskLight": np.pi * 900.0,
    "usd.SphereLight": 4.0 * np.pi * 400.0,
    "usd.CylinderLight": 2.0 * np.pi * 10.0 * 80.0,
}


@pytest.mark.parametrize("kind", SIZED)
@pytest.mark.parametrize("unit", [0.01, 1.0, 0.0254])
def test_normalize_divides_by_the_area_in_the_stages_unit(packs: Registry, kind: str, unit: float) -> None:
    """UsdLux's words: the world-space surface area. The numbers say the same on a stage of any unit; see decision 0070."""
    thing = single("openpbr", kind, {**SIZED[kind], "normalize": True, "intensity": 3e6})
    facts = staging.facts_of(Scene("", "openpbr", unit))
    (found,) = staging.lamps_of(thing, packs.packs["openpbr"], facts)
    assert found.radiance == pytest.approx((3e6 / AREA[kind],) * 3, rel=1e-6)
    for target in ("pellune", "orvik", "skarn"):
        done = translate(thing, packs.packs["openpbr"], packs.packs[target], unit)
        (other,) = staging.lamps_of(replace(thing, graph=done.graph, dialect=target), packs.packs[target], facts)
        assert other.radiance == pytest.approx(found.radiance, rel=1e-5), target
        back = translate(
            replace(thing, graph=done.graph, dialect=target), packs.packs[target], packs.packs["openpbr"], unit
        )
        (again,) = staging.lamps_of(replace(thing, graph=back.graph), packs.packs["openpbr"], facts)
        assert again.radiance == pytest.approx(found.radiance, rel=1e-5), target


def glowing(packs: Registry, linked: bool) -> Thing:
    """A surface that glows by a map, or by a number as bright as its mean."""
    values = {"glow_gain": 5.0, "glow_lights": True} | ({} if linked else {"glow_tint": (0.5, 0.5, 0.5)})
    return material(
        "orvik",
        {
            "surface": ("orvik.finish", values, {"glow_tint": ("c", "colour")} if linked else {}),
            "c": ("orvik.chequer", {"first": (0.6, 0.5, 0.4), "second": (0.4, 0.5, 0.6)}, {}),
        },
    )


def glowing_by_its_strength(packs: Registry, linked: bool) -> Thing:
    """The same in Pellune's words, where a map drives the nits themselves."""
    nodes = {
        "surface": (
            "pellune.surface",
            {} if linked else {"emit_nits": 60.0},
            {"emit_nits": ("g", "grey")} if linked else {},
        ),
        "g": ("pellune.adjust", {"gain": (100.0,) * 3, "shift": (10.0,) * 3}, {"input": ("r", "color")}),
        "r": ("pellune.ramp", {}, {}),
    }
    return material("pellune", nodes)


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize("made", [glowing, glowing_by_its_strength])
@pytest.mark.parametrize("target", ["skarn", "openpbr"])
@pytest.mark.parametrize("what", ["trim", "white balance"])
def test_what_is_done_to_a_light_is_done_to_the_map_of_a_glow(packs: Registry, made, target: str, what: str) -> None:
    """Whatever of a glow a map drives, its light is what the same number would give."""
    handling = Handling(stops=3.0) if what == "trim" else Handling(white=3200.0)

    def glow(thing: Thing, light: Handling) -> np.ndarray:
        done = translate(
            thing, packs.packs[thing.dialect], packs.packs[target], 0.01, light=light, making=Making(body=BODY)
        )
        carried_ = replace(thing, graph=done.graph, dialect=target, bakes=done.bakes)
        look = staging.look_closely(carried_, packs.packs[target], staging.facts_of(Scene("", target), packs), packs)
        points = {
            "u": np.array([0.06, 0.3, 0.56, 0.81] * 8 + [0.06]),
            "v": np.array([0.06, 0.31, 0.57, 0.82, 0.2] * 6 + [0.4] * 3)[::-1],
        }
        return resolve(look, {**{n: np.zeros(33) for n in "xyz"}, **points}, staging.pixels)[
            :, layout.GLOW : layout.GLOW + 3
        ]

    for linked in (True, False):
        bare, handled = glow(made(packs, linked), AS_IT_IS), glow(made(packs, linked), handling)
        factor = 8.0 if what == "trim" else np.array(white_balance(3200.0))
        assert bare.min() > 0.0
        assert handled == pytest.approx(bare * factor, rel=0.03), linked
