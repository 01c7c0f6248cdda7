"""What nodes give, as small pictures: of both dialects' own looks."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from durvan.crossing.translation.making import Making
from durvan.crossing.translation.result import in_target
from durvan.crossing.translation.translate import translate
from durvan.dialects.look import Facts
from durvan.dialects.registry import registry
from durvan.engine import staging
from durvan.engine.giving import SIDE, given, surfaces
from durvan.formats import pictures
from durvan.scene.bodies import Body
from durvan.scene.graph import Link
from durvan.scene.model import Scene, Thing
from making import Spec, material

PACKS = registry()
ORVIK, PELLUNE = PACKS.get("orvik"), PACKS.get("pellune")


def of(nodes: Spec, dialect: str = "orvik") -> Thing:
    return material(dialect, nodes)


def test_each_node_gives_what_the_dialect_makes_of_it(tmp_path) -> None:
    file = tmp_path / "halves.png"
    halves = np.zeros((8, 8, 3), np.float32)
    halves[:, 4:] = (1.0, 0.0, 0.0)  # the right half is red
    pictures.save(file, halves, space="sRGB")
    thing = of(
        {
            "surface": ("orvik.finish", {}, {"base_tint": ("c", "colour"), "relief": ("b", "relief")}),
            "c": ("orvik.correct", {"gain": (0.5, 0.5, 0.5)}, {"input": ("p", "colour")}),
            "p": ("orvik.picture", {"file": str(file), "decode_gamma": 2.2}, {}),
            "b": ("orvik.bump", {"depth": 0.5}, {"map": ("p", "red")}),
        }
    )
    found = given(thing, ORVIK, Facts(0.01))
    assert set(found) == {"c", "p", "b"}
    assert all(one.picture.shape == (SIDE, SIDE, 3) and one.picture.dtype == np.uint8 for one in found.values())
    picture = found["p"].picture
    assert tuple(picture[SIDE // 2, -4]) == (255, 0, 0) and tuple(picture[SIDE // 2, 3]) == (0, 0, 0)
    assert (found["p"].low, found["p"].high) == pytest.approx((0.0, 1.0)) and found["c"].high == pytest.approx(0.5)
    assert found["b"].what == "height" and found["b"].high == pytest.approx(0.005)
    assert 180 < found["c"].picture[SIDE // 2, -4, 0] < 195  # a half, as a display shows it


def test_numbers_are_shown_as_they_are_and_slopes_as_normal_maps() -> None:
    thing = of(
        {
            "surface": ("pellune.surface", {}, {"normal": ("n", "normal"), "rough": ("g", "grey")}),
            "n": ("pellune.normal", {}, {}),
            "g": ("pellune.ramp", {"begin": (0.0, 0.0, 0.0), "end": (1.0, 1.0, 1.0)}, {}),
        },
        "pellune",
    )
    found = given(thing, PELLUNE, Facts(0.01))
    assert found["n"].what == "normal" and tuple(found["n"].picture[0, 0]) == (128, 128, 255)
    assert 0.0 <= found["g"].low < 0.05 and 0.95 < found["g"].high <= 1.0


def test_what_is_not_known_is_left_out_and_nothing_is_left_undefined() -> None:
    thing = of(
        {
            "surface": ("orvik.finish", {}, {"base_tint": ("c", "colour")}),
            "c": ("orvik.correct", {"gain": (1e30, 1e30, 1e30)}, {"input": ("k", "colour")}),
            "k": ("orvik.kelp_weave", {}, {}),
        }
    )
    thing.graph.nodes["c"].links["shift"] = Link("c", "colour")  # in a circle
    found = given(thing, ORVIK, Facts(0.01))
    assert set(found) == {"c"} and np.isfinite([found["c"].low, found["c"].high]).all()
    assert given(thing, None, Facts(0.01)) == {}


def test_layers_are_shown_by_themselves(kernels) -> None:
    thing = of(
        {
            "pile": ("orvik.pile", {"mask_1": 0.5}, {"base": ("a", "out"), "finish_1": ("b", "out")}),
            "a": ("orvik.finish", {"base_tint": (0.8, 0.0, 0.0)}, {}),
            "b": ("orvik.finish", {"base_tint": (0.0, 0.0, 0.8)}, {}),
        }
    )
    thing.graph.outputs["surface"] = Link("pile")
    found = dict(surfaces(thing, ORVIK, Facts(0.01), lambda: False))
    assert set(found) == {"a", "b"}
    red, blue = (found[name].picture.reshape(-1, 3).mean(axis=0) for name in "ab")
    assert red[0] > red[2] + 20 and blue[2] > blue[0] + 20
    assert dict(surfaces(thing, ORVIK, Facts(0.01), lambda: True)) == {}


def test_slopes_that_were_baked_of_heights_are_shown_and_those_along_the_scenes_surfaces_are_left_out() -> None:
    """Where a target takes no heights, relief is baked as normals: over UVs it is painted, of places there is no telling here."""
    ramp: Spec = {
        "surface": ("orvik.finish", {}, {"relief": ("b", "relief")}),
        "b": ("orvik.bump", {"depth": 5.0}, {"map": ("r", "grey")}),
        "r": ("orvik.ramp", {"first": (0.0, 0.0, 0.0), "second": (1.0, 1.0, 1.0)}, {}),
    }
    body = Body(1, 1.0, 0.5, 0.004, 0.0, False, 1.0, 1.0, 0.0, (1001,))
    thing = of(ramp)
    preview = PACKS.get("preview")
    done = translate(thing, ORVIK, preview, 0.01, making=Making(ground=PACKS.ground, body=body))
    (bake,) = done.bakes
    assert bake.relief is not None and not bake.by_place
    facts = staging.facts_of(Scene("a.usda", "orvik", 0.01), PACKS, lambda: None)  # type: ignore[arg-type, return-value]
    made = in_target(thing, done)
    found = given(made, preview, facts, PACKS.ground)
    (name,) = [n.id for n in done.graph.nodes.values() if n.kind == "preview.texture"]
    red, green, blue = found[name].picture.reshape(-1, 3).mean(axis=0)
    assert blue > 200 and abs(red - 128) > 3 and abs(green - 128) < 3  # it rises along u
    placed = replace(made, bakes=(replace(bake, by_place=True),))
    assert name not in given(placed, preview, facts, PACKS.ground)
