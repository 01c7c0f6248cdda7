"""Looks of the packs: energy, units, and the independent check of every mapping that claims to be exact."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import lobes as made
from durvan.crossing.translation.translate import translate
from durvan.dialects.look import Facts, checked, resolve, single, trace
from durvan.dialects.registry import Registry
from durvan.errors import PackError
from durvan.graph import expression as ex
from durvan.optics.lobes import layout as L
from durvan.optics.lobes import many
from durvan.optics.lobes.tables import tables
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind, Thing

pytestmark = pytest.mark.usefixtures("kernels")
FACTS = Facts(0.01)
PIXELS = np.random.default_rng(5).random((16, 16, 4)).astype(np.float32)


def material(kind: str, values: dict, dialect: str, links=None, **nodes) -> Thing:
    graph = Graph(outputs={"surface": Link("top")})
    graph.add(Node("top", kind, values, {port: Link(*link) for port, link in (links or {}).items()}))
    for name, (node_kind, node_values, node_links) in nodes.items():
        graph.add(Node(name, node_kind, node_values, {p: Link(*link) for p, link in node_links.items()}))
    return Thing("/m", "m", Kind.MATERIAL, graph, dialect, used_by=1)


def look(packs: Registry, thing: Thing):
    pack = packs.get(thing.dialect)
    return trace(thing.graph, pack.vocabulary, pack.looks, FACTS)


def in_dialect(packs: Registry, thing: Thing, target: str) -> Thing:
    done = translate(thing, packs.get(thing.dialect), packs.get(target), 0.01)
    return replace(thing, graph=done.graph, dialect=target)


def values_of(packs: Registry, dialect: str, kind: str, draw) -> dict:
    """A value of the range for every number, colour, word and switch of a surface."""
    out = {}
    for name, parameter in packs.get(dialect).vocabulary.types[kind].parameters.items():
        low, high = parameter.range or (0.0, 1.0)
        high = min(high, 3.0 if "index" in name or "ior" in name else 1.0)
        number = st.floats(min(max(low, 0.0), high), high)
        if parameter.type == "float":
            out[name] = draw(number)
        elif parameter.type == "color":
            out[name] = draw(st.tuples(number, number, number))
        elif parameter.type == "bool":
            out[name] = draw(st.booleans())
        elif parameter.type == "token":
            out[name] = draw(st.sampled_from(parameter.choices))
    return out


SURFACES = [
    ("orvik", "orvik.finish"), ("pellune", "pellune.surface"), ("openpbr", "mtlx.open_pbr_surface"),
    ("preview", "preview.surface"), ("standard", "mtlx.standard_surface"), ("gltfpbr", "mtlx.gltf_pbr"),
    ("previewmtlx", "mtlx.UsdPreviewSurface"),
]  # fmt: skip


@pytest.mark.parametrize(("dialect", "kind"), SURFACES)
@given(data=st.data())
@settings(
    max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow]
)
def test_no_look_gives_more_than_it_gets(packs: Registry, dialect: str, kind: str, data) -> None:
    """White furnace by albedos, any values of the ranges: what is reflected and let through is at most everything."""
    found = look(packs, material(kind, values_of(packs, dialect, kind, data.draw), dialect))
    out = np.zeros((4, 6))
    many.albedos(found.base, np.cos(np.radians([5.0, 40.0, 65.0, 80.0])), tables(), out)
    assert np.isfinite(found.base).all()
    assert (
        out[:, :3] + out[:, 3:]
    ).max() <= 1.06  # facets that give back what they lost are good to a few parts in 100


@pytest.mark.parametrize(("dialect", "kind"), SURFACES)
def test_the_defaults_have_a_look(packs: Registry, dialect: str, kind: str) -> None:
    found = look(packs, material(kind, {}, dialect))
    assert found.base[L.COUNT] >= 1 and found.base[L.OPACITY] == 1.0 and not found.varies and not found.notes


def test_orvik_lobes_are_what_its_polish_says(packs: Registry) -> None:
    for curve, alpha, facets in (
        ("blinn", math.sqrt(2 / (1000 + 2)), L.BLINN),
        ("beckmann", 0.0625, L.BECKMANN),
        ("trowbridge", 0.0625, L.GGX),
    ):
        found = look(
            packs,
            material("orvik.finish", {"mirror_tint": (1.0, 1.0, 1.0), "polish": 0.75, "polish_curve": curve}, "orvik"),
        ).base
        b = L.HEADER + L.LOBE  # behind the matt base, by the order of kinds
        assert found[b] == L.REFLECT and found[b + L.FACETS] == facets
        assert found[b + L.ALPHA_X] == pytest.approx(alpha) and found[b + L.FIRST] == 1.6


def test_glass_murk_and_glow_in_units(packs: Registry) -> None:
    glass = look(
        packs,
        material(
            "orvik.finish", {"pass_tint": (1.0, 1.0, 1.0), "murk_tint": (0.5, 1.0, 1.0), "murk_depth": 5.0}, "orvik"
        ),
    ).base
    assert glass[L.MURK : L.MURK + 3] == pytest.approx([-math.log(0.5) / 0.05, 0.0, 0.0])
    glow = look(
        packs, material("orvik.finish", {"glow_gain": 2.0, "glow_tint": (1.0, 0.5, 0.0), "glow_lights": False}, "orvik")
    )
    assert glow.base[L.GLOW : L.GLOW + 3] == pytest.approx([358.0, 179.0, 0.0]) and not glow.glow_lights
    lit = look(packs, material("pellune.surface", {"emit_nits": 30.0}, "pellune"))
    assert lit.base[L.GLOW : L.GLOW + 3] == pytest.approx([30.0] * 3) and lit.glow_lights


picture = st.fixed_dictionaries(
    {
        "file": st.just("a.png"), "repeats": st.tuples(st.floats(0.3, 4.0), st.floats(0.3, 4.0)),
        "shift": st.tuples(st.floats(-1, 1), st.floats(-1, 1)), "turn": st.floats(-180, 180), "mirror": st.booleans(),
        "gain": st.floats(0.2, 1.0), "invert": st.booleans(), "decode_gamma": st.sampled_from([1.0, 2.2]),
    }
)  # fmt: skip


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
@given(values=picture, gain=st.floats(0.2, 1.0), power=st.floats(0.5, 2.0))
@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_a_carried_map_has_the_same_value_everywhere(
    packs: Registry, target: str, values: dict, gain: float, power: float
) -> None:
    """The mapping of pictures, placement and corrections against both dialects' own looks."""
    thing = material(
        "orvik.finish", {}, "orvik", {"base_tint": ("c", "colour")},
        c=("orvik.correct", {"gain": (gain, gain, 1.0), "power": power}, {"input": ("p", "colour")}),
        p=("orvik.picture", values, {}),
    )  # fmt: skip
    rng = np.random.default_rng(1)
    places = {name: rng.random(30) * 2 - 0.5 for name in ex.POINT}
    tints = []
    for one in (thing, in_dialect(packs, thing, target)):
        rec = resolve(look(packs, one), places, lambda _: PIXELS)
        kinds = [int(rec[0, L.HEADER + n * L.LOBE]) for n in range(int(rec[0, L.COUNT]))]
        b = L.HEADER + kinds.index(L.DIFFUSE) * L.LOBE + L.WEIGHT
        tints.append(rec[:, b : b + 3])
    assert tints[1] == pytest.approx(tints[0], abs=2e-3)


@given(polish=st.floats(0.0, 0.97), tint=st.floats(0.1, 0.9), index=st.floats(1.2, 2.2))
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_what_openpbr_can_say_exactly_it_answers_exactly(
    packs: Registry, polish: float, tint: float, index: float
) -> None:
    thing = material(
        "orvik.finish",
        {
            "base_tint": (tint, 0.2, 0.1),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": index,
            "polish": polish,
            "polish_curve": "trowbridge",
        },
        "orvik",
    )
    one, two = look(packs, thing).base, look(packs, in_dialect(packs, thing, "openpbr")).base
    light = made.sphere(24, 24)[0]
    light = light[light[:, 2] > 0.05]
    for angle in (5.0, 60.0):
        assert made.evaluate(two, made.eye(angle), light)[0] == pytest.approx(
            made.evaluate(one, made.eye(angle), light)[0], rel=1e-6, abs=1e-9
        )


def test_lengths_below_a_surface_are_the_same_in_every_unit(packs: Registry) -> None:
    """Murk and reach through the common ground, whose surfaces measure in the stage's unit once they are written."""
    for values in (
        {"pass_tint": (1.0, 1.0, 1.0), "murk_tint": (0.5, 0.9, 0.7), "murk_depth": 6.0, "pass_index": 1.6},
        {"deep_amount": 0.5, "deep_reach": 0.8},
    ):
        thing = material("orvik.finish", values, "orvik")
        here = look(packs, thing).base
        for target in ("openpbr", "pellune"):
            there = look(packs, in_dialect(packs, thing, target)).base
            assert there[L.MURK : L.MURK + 3] == pytest.approx(here[L.MURK : L.MURK + 3])
            if "deep_reach" in values:
                assert there[L.REACH : L.REACH + 3] == pytest.approx(here[L.REACH : L.REACH + 3])


# lights and cameras


def lamp(packs: Registry, dialect: str, kind: str, values: dict, unit: float = 0.01):
    graph = Graph(outputs={"light": Link("l")})
    graph.add(Node("l", kind, values))
    pack = packs.get(dialect)
    found = single(graph, pack.vocabulary, pack.looks, Facts(unit))
    return pack.looks.light(*found)


def test_flux_is_luminance_through_every_shape(packs: Registry) -> None:
    panel = lamp(packs, "orvik", "orvik.area", {"gain": 1000.0, "measure": "lumen", "width": 50.0, "height": 20.0})
    assert panel.size == (0.5, 0.2) and panel.radiance[1] == pytest.approx(1000.0 / (math.pi * 0.1))
    assert lamp(packs, "orvik", "orvik.area", {"gain": 2.0}).radiance[0] == pytest.approx(358.0)
    watt = lamp(packs, "orvik", "orvik.bulb", {"gain": 10.0, "measure": "watt", "radius": 5.0})
    assert watt.radiance[0] == pytest.approx(1790.0 / (4.0 * math.pi**2 * 0.05**2))
    cone = lamp(
        packs,
        "orvik",
        "orvik.cone",
        {"gain": 800.0, "measure": "lumen", "radius": 1.0, "cone_angle": 48.0, "penumbra": 6.0},
    )
    beam = lamp(
        packs,
        "pellune",
        "pellune.beam",
        {"power": 800.0, "unit": "lumen", "radius": 0.01, "inner": 24.0, "outer": 30.0},
        1.0,
    )
    assert (cone.inner, cone.outer) == (24.0, 30.0) == (beam.inner, beam.outer)
    assert cone.radiance == pytest.approx(beam.radiance)
    assert (
        lamp(packs, "orvik", "orvik.area", {"on": False}) is None and lamp(packs, "orvik", "orvik.portal", {}) is None
    )


def test_usd_lights_follow_usdlux(packs: Registry) -> None:
    rect = lamp(
        packs,
        "preview",
        "usd.RectLight",
        {"intensity": 8.0, "exposure": 1.0, "normalize": True, "width": 200.0, "height": 50.0},
    )
    assert rect.radiance[0] == pytest.approx(16.0 / (200.0 * 50.0))  # of the stage's units, which are centimetres here
    far = lamp(packs, "preview", "usd.DistantLight", {"intensity": 3.0, "angle": 60.0})
    assert far.radiance[0] == pytest.approx(3.0 * math.pi * math.sin(math.radians(30.0)) ** 2)
    warm = lamp(packs, "preview", "usd.SphereLight", {"enableColorTemperature": True, "colorTemperature": 3000.0})
    assert warm.radiance[0] > 2.0 * warm.radiance[2]


def test_cameras_expose_by_their_own_words(packs: Registry) -> None:
    def view(dialect: str, kind: str, values: dict):
        graph = Graph(outputs={"camera": Link("c")})
        graph.add(Node("c", kind, values))
        pack = packs.get(dialect)
        return pack.looks.camera(*single(graph, pack.vocabulary, pack.looks, FACTS))

    one = view(
        "orvik", "orvik.camera", {"f_number": 4.0, "shutter": 60.0, "speed": 200.0, "blur": True, "near_clip": 150.0}
    )
    assert one.scale == pytest.approx(1.0 / (1.2 * 16.0 * 60.0 / 2.0)) and one.f_number == 4.0 and one.near == 1.5
    two = view("pellune", "pellune.camera", {"f_stop": 4.0, "shutter_time": 1 / 60, "iso": 200.0})
    assert two.scale == pytest.approx(one.scale) and two.f_number == 0.0 and two.white == pytest.approx((1, 1, 1))
    usd = view("preview", "usd.Camera", {"exposure_fStop": 2.0, "exposure_time": 0.5, "exposure_iso": 400.0})
    assert usd.scale == pytest.approx(0.5 * 4.0 / 4.0)


def test_a_module_that_is_no_look_is_refused() -> None:
    with pytest.raises(PackError, match="no function surface"):
        checked(math, "odd")


def test_what_is_unknown_is_said_and_the_rest_shows(packs: Registry) -> None:
    thing = material(
        "orvik.finish", {"base_tint": (0.3, 0.2, 0.1)}, "orvik", {"base_tint": ("k", "colour"), "polish": ("k", "grey")},
        k=("orvik.kelp", {}, {}),
    )  # fmt: skip
    found = look(packs, thing)
    assert any("orvik.kelp is not known" in note for note in found.notes)
    assert found.base[L.HEADER + L.WEIGHT] == pytest.approx(0.3)
    nothing = look(packs, Thing("/m", "m", Kind.MATERIAL, Graph(), "orvik"))
    assert "plain grey" in nothing.notes[0]


def test_a_cycle_ends(packs: Registry) -> None:
    thing = material(
        "orvik.finish", {}, "orvik", {"base_tint": ("a", "colour")},
        a=("orvik.correct", {}, {"input": ("b", "colour")}), b=("orvik.correct", {"gain": (0.5, 0.5, 0.5)}, {"input": ("a", "colour")}),
    )  # fmt: skip
    assert look(packs, thing).base[L.COUNT] >= 0
