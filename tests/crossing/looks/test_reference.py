"""What a target is measured against, and what a drift owns up to not having measured."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.looks.keys import look_key
from durvan.crossing.translation.choices import Choices, Override, Turn
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.formats import pictures
from durvan.scene.model import Scene, Thing
from making import material

PAINT = {"mirror_tint": (1.0, 1.0, 1.0), "mirror_index": 1.5, "polish": 0.6, "polish_curve": "trowbridge"}
pytestmark = pytest.mark.usefixtures("kernels")


def picture(folder: Path, name: str = "map.png") -> str:
    rng = np.random.default_rng(3)
    pictures.save(folder / name, rng.uniform(0.2, 0.8, (16, 16, 3)).astype(np.float32))
    return str(folder / name)


def planned(packs: Registry, thing: Thing, target: str = "pellune", **choices):
    scene = Scene("made.usda", thing.dialect, things={thing.id: thing}, metres_per_unit=0.01)
    seen = Appearance(scene, packs)
    return seen, plan(scene, packs, Choices(target=target, **choices)).translations[thing.id]


def test_a_corrected_decoding_is_what_the_target_is_measured_against(packs: Registry, tmp_path: Path) -> None:
    nodes = {
        "surface": ("orvik.finish", dict(PAINT), {"base_tint": ("map", "colour")}),
        "map": ("orvik.picture", {"file": picture(tmp_path)}, {}),
    }
    thing = material("orvik", nodes)
    data = Override(thing=thing.id, node="map", parameter="decode_gamma", value=1.0)
    seen, plain = planned(packs, thing)
    _, corrected = planned(packs, thing, values=(data,))
    assert plain.meant is None and corrected.meant is not None
    assert corrected.meant.graph.nodes["map"].values["decode_gamma"] == 1.0
    assert "decode_gamma" not in thing.graph.nodes["map"].values  # the source stays as it is
    found = seen.drift(thing, corrected)
    assert found.mean < 0.3 and not found.caveats
    uncorrected = replace(corrected, meant=None, looks="")
    assert seen.drift(thing, uncorrected).mean > 2.0
    assert seen.improve(thing, corrected) is None  # nothing pulls it back
    assert len({look_key(thing, one, ()) for one in (plain, corrected, uncorrected)}) == 3


def test_a_green_turned_round_is_turned_in_what_it_is_measured_against(packs: Registry, tmp_path: Path) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"relief": ("bend", "relief")}),
        "bend": ("orvik.normal_map", {}, {"map": ("map", "colour")}),
        "map": ("orvik.picture", {"file": picture(tmp_path), "decode_gamma": 1.0}, {}),
    }
    thing = material("orvik", nodes)
    seen, turned = planned(packs, thing, turned=(Turn(thing=thing.id, node="map"),))
    one, two = seen.source(thing, turned), seen.target(thing, turned)
    _, plain = planned(packs, thing)
    points = {name: np.linspace(0.1, 0.9, 7) for name in ("u", "v", "x", "y", "z", "facing")}
    normals = [staging_normals(look, points) for look in (one, two, seen.source(thing, plain))]
    assert normals[0] == pytest.approx(normals[1], abs=1e-6)
    assert normals[0][:, 1] == pytest.approx(-normals[2][:, 1], abs=1e-6)
    assert np.abs(normals[0][:, 1]).max() > 0.1


def staging_normals(look, points: dict[str, np.ndarray]) -> np.ndarray:
    from durvan.dialects.look import resolve
    from durvan.optics.lobes import layout as L

    return resolve(look, points, staging.pixels)[:, L.NORMAL : L.NORMAL + 3]


def test_a_drift_says_what_it_did_not_measure(packs: Registry, tmp_path: Path) -> None:
    def caveats(values=None, links=None, dialect: str = "orvik", root: str = "orvik.finish", **nodes) -> str:
        spec = {"surface": (root, values or {}, links or {}), **nodes}
        seen, done = planned(packs, material(dialect, spec), "preview" if dialect != "preview" else "pellune")
        found = seen.drift(material(dialect, spec), done)
        assert found.grade == "" if found.caveats else found.grade
        return "; ".join(found.caveats)

    there = picture(tmp_path)
    assert caveats({"base_tint": (0.2, 0.3, 0.4)}) == ""
    fed = {"base_tint": ("map", "colour")}
    assert caveats({}, fed, map=("orvik.picture", {"file": there}, {})) == ""
    assert "gone.png cannot be read" in caveats({}, fed, map=("orvik.picture", {"file": "/no/gone.png"}, {}))
    assert "no tile of a.<UDIM>.png" in caveats({}, fed, map=("orvik.picture", {"file": "/no/a.<UDIM>.png"}, {}))
    assert caveats({}, fed, map=("orvik.picture", {"file": there, "uv_set": "second"}, {})) == ""
    assert "not known" in caveats({}, fed, map=("orvik.marble", {}, {}))
    again = {"input": ("map", "colour")}
    assert "circle" in caveats(
        {}, fed, map=("orvik.correct", {}, {"input": ("two", "colour")}), two=("orvik.correct", {}, again)
    )
    clear = {"transmission_weight": 1.0, "transmission_dispersion_scale": 1.0}
    assert "dispersion" in caveats(clear, {}, "openpbr", "mtlx.open_pbr_surface")


def test_what_cannot_be_measured_is_not_fitted(packs: Registry) -> None:
    nodes = {
        "surface": (
            "orvik.finish",
            {"mirror_tint": (0.8, 0.8, 0.8), "mirror_index": 9.0},
            {"base_tint": ("map", "colour")},
        ),
        "map": ("orvik.marble", {}, {}),
    }
    thing = material("orvik", nodes)
    seen, done = planned(packs, thing)
    assert seen.drift(thing, done).mean > 0.5  # there would be something to fit
    assert seen.improve(thing, done) is None


def test_glow_is_compared_by_exposing_for_it(packs: Registry) -> None:
    def glowing(nits: float, base: tuple[float, float, float] = (0.2, 0.2, 0.2)):
        values = {"emit_nits": nits, "color": base}
        thing = material("pellune", {"surface": ("pellune.surface", values, {})})
        seen, done = planned(packs, thing, "openpbr")
        return seen.source(thing, done)

    from durvan.engine import drift

    def apart(one, two) -> float:
        return drift.between(one, two, drift.Makers(None)).mean

    assert apart(glowing(1000.0), glowing(10000.0)) > 5.0
    assert apart(glowing(1000.0), glowing(1050.0)) > 0.1
    assert apart(glowing(20.0, (0.8, 0.02, 0.02)), glowing(20.0, (0.02, 0.02, 0.8))) > 0.3
    assert apart(glowing(1000.0), glowing(1000.0)) == 0.0


@pytest.mark.parametrize("metres", [0.01, 1.0, 0.0254])
def test_places_are_the_same_in_every_unit(packs: Registry, metres: float) -> None:
    """Noise in space, carried to MaterialX and back, is the same noise wherever the stage's unit lies."""
    from durvan.crossing.translation.translate import translate
    from durvan.dialects.look import Facts, resolve
    from durvan.optics.lobes import layout as L

    nodes = {
        "surface": ("pellune.surface", {}, {"rough": ("n", "grey")}), "n": ("pellune.noise", {"frequency": 7.0}, {}),
    }  # fmt: skip
    thing = material("pellune", nodes)
    points = {name: np.linspace(-0.4, 0.7, 9) * k for k, name in enumerate(("u", "v", "x", "y", "z", "facing"), 1)}
    facts = Facts(metres)

    def values(one: Thing) -> np.ndarray:
        look = staging.look_of(one, packs.get(one.dialect), facts)
        return resolve(look, points, staging.pixels)[:, L.HEADER + L.LOBE + L.ALPHA_X]

    there = translate(thing, packs.get("pellune"), packs.get("openpbr"), metres)
    carried = replace(thing, graph=there.graph, dialect="openpbr")
    back = translate(carried, packs.get("openpbr"), packs.get("pellune"), metres)
    first = values(thing)
    assert np.ptp(first) > 0.01
    assert values(carried) == pytest.approx(first, rel=1e-6)
    assert values(replace(thing, graph=back.graph)) == pytest.approx(first, rel=1e-6)


def test_looks_see_through_nodes_that_take_a_channel(packs: Registry) -> None:
    """What a file has between two nodes to take a channel or a grey is no node to the mapping, and none to the looks."""
    from durvan.dialects.look import Facts, resolve
    from durvan.optics.lobes import layout as L

    def roughness(link: tuple[str, str], **nodes) -> float:
        spec = {
            "surface": ("mtlx.open_pbr_surface", {}, {"specular_roughness": link}),
            "tint": ("mtlx.multiply", {"in1": (0.2, 0.5, 0.9), "in2": (1.0, 1.0, 1.0)}, {}), **nodes,
        }  # fmt: skip
        look = staging.look_of(material("openpbr", spec), packs.get("openpbr"), Facts(0.01))
        assert not look.notes
        points = {name: np.zeros(1) for name in ("u", "v", "x", "y", "z", "facing")}
        rec = resolve(look, points, staging.pixels)[0]
        return float(np.sqrt(rec[L.HEADER + L.LOBE + L.ALPHA_X]))

    taken = ("ND_separate3_color3", {}, {"in": ("tint", "out")})
    assert roughness(("one", "outg"), one=taken) == pytest.approx(0.5)
    even = ("ND_luminance_color3", {"lumacoeffs": (1 / 3, 1 / 3, 1 / 3)}, {"in": ("tint", "out")})
    assert roughness(("one", "outr"), one=even) == pytest.approx((0.2 + 0.5 + 0.9) / 3.0)
    weighed = ("ND_luminance_color3", {"lumacoeffs": (0.2, 0.7, 0.1)}, {"in": ("tint", "out")})
    assert roughness(("one", "outr"), one=weighed) == pytest.approx(0.2 * 0.2 + 0.7 * 0.5 + 0.1 * 0.9)
    drawn = ("ND_extract_color3", {"index": 2}, {"in": ("tint", "out")})
    assert roughness(("one", "out"), one=drawn) == pytest.approx(0.9)
