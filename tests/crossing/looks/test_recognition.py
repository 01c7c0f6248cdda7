"""What a material is, by its look and by what wears it, whatever it is called; and what does not go together in it."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.findings.recognised import CODES
from durvan.crossing.findings.rules import look_over
from durvan.crossing.findings.view import View
from durvan.crossing.looks.recognition import recognise
from durvan.crossing.outside.uses import uses_of
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import Registry
from durvan.formats import pictures
from durvan.scene.bodies import Body
from durvan.scene.graph import Value
from durvan.scene.model import Scene, Thing
from durvan.scene.traits import MaterialKind as K
from making import material

pytestmark = pytest.mark.usefixtures("kernels")
SOLID = Body(1, 0.06, 0.05, 0.1, 1.0, False, 1.0, 1.0, 0.0, (1001,))
SHEET = replace(SOLID, closed=0.0, thickness=0.001)
LOCKS = replace(SOLID, strands=True)


def finish(dialect: str = "orvik", links=None, more=None, **values) -> Thing:
    kind = {"orvik": "orvik.finish", "pellune": "pellune.surface"}[dialect]
    return material(dialect, {"surface": (kind, values, links or {}), **(more or {})}, name="Thing")


def facing(port: str, front, edge, **values) -> Thing:
    return finish(
        links={port: ("f", "colour")}, more={"f": ("orvik.facing", {"front": front, "edge": edge}, {})}, **values
    )


MADE = [
    ("silver", finish(mirror_tint=(0.9, 0.88, 0.85), edge_rise=False, base_tint=(0.0, 0.0, 0.0), polish=0.9), SOLID, K.METAL),
    ("dark metal", finish("pellune", metal=1.0, color=(0.3, 0.31, 0.33), rough=0.4), SOLID, K.METAL),
    ("gold", finish("pellune", metal=1.0, color=(1.0, 0.77, 0.34), rough=0.2), SHEET, K.METAL),
    ("chalk", finish(base_tint=(0.8, 0.8, 0.8), mirror_tint=(0.0, 0.0, 0.0)), SOLID, K.FLAT),
    ("slab", finish("pellune", color=(0.4, 0.4, 0.4), facing_reflect=0.0), SOLID, K.FLAT),
    ("toy", finish("pellune", color=(0.7, 0.1, 0.1), rough=0.25), SOLID, K.PLASTIC),
    ("tile", finish("pellune", color=(0.7, 0.7, 0.75), rough=0.03), SOLID, K.GLAZED),
    ("ball of glass", finish(base_tint=(0.0, 0.0, 0.0), pass_tint=(1.0, 1.0, 1.0), mirror_tint=(1.0, 1.0, 1.0), mirror_index=1.5),
     SOLID, K.SOLID_GLASS),
    ("lens", finish("pellune", color=(0.0, 0.0, 0.0), clear=1.0, ior=1.6, rough=0.0), SOLID, K.SOLID_GLASS),
    ("bubble", finish("pellune", color=(0.0, 0.0, 0.0), clear=1.0, ior=1.5, rough=0.0, thin=True), SHEET, K.THIN_GLASS),
    ("pane", finish(base_tint=(0.0, 0.0, 0.0), pass_tint=(0.9, 0.9, 0.9), bend_light=False, shell=True), SHEET, K.THIN_GLASS),
    ("water", finish("pellune", color=(0.0, 0.0, 0.0), clear=1.0, ior=1.333, rough=0.0), SOLID, K.LIQUID),
    ("velvet", finish("pellune", color=(0.2, 0.05, 0.05), nap=0.8, facing_reflect=0.0), SHEET, K.CLOTH),
    ("faked velvet", facing("base_tint", (0.1, 0.02, 0.02), (0.6, 0.3, 0.3), mirror_tint=(0.0, 0.0, 0.0)), SHEET, K.CLOTH),
    ("candle", finish("pellune", scatter=1.0, scatter_color=(0.9, 0.8, 0.6), scatter_radius=(0.004, 0.002, 0.001), rough=0.3), SOLID, K.WAX),
    ("leaf", finish("pellune", color=(0.1, 0.3, 0.05), leaf=0.5, leaf_color=(0.3, 0.6, 0.1), thin=True), SHEET, K.FOLIAGE),
    ("lampshade", finish(base_tint=(0.5, 0.4, 0.3), through_tint=(0.3, 0.25, 0.2), mirror_tint=(0.0, 0.0, 0.0)), SHEET, K.FOLIAGE),
    ("filament", finish("pellune", color=(0.0, 0.0, 0.0), emit_nits=3000.0), SOLID, K.GLOW),
    ("hair", material("orvik", {"surface": ("orvik.fibre", {}, {})}, name="Thing"), LOCKS, K.FIBRE),
    ("wool", finish("pellune", color=(0.5, 0.4, 0.3), rough=0.6), LOCKS, K.FIBRE),
]  # fmt: skip


def scene_of(thing: Thing) -> Scene:
    return Scene("none.usda", thing.dialect, 0.01, things={thing.id: thing})


@pytest.mark.parametrize(("thing", "body", "kind"), [one[1:] for one in MADE], ids=[one[0] for one in MADE])
def test_a_kind_is_told_by_the_look_and_the_body(packs: Registry, thing: Thing, body: Body, kind: K) -> None:
    traits = recognise(scene_of(thing), packs, {thing.id: body})[thing.id]
    assert traits.kind is kind, (traits.told, traits.because)
    assert 0.3 < traits.sure <= 1.0 and traits.because


def test_glass_on_a_sheet_and_glass_of_which_nothing_is_known_are_less_sure(packs: Registry) -> None:
    lens = MADE[8][1]
    sure = [
        recognise(scene_of(lens), packs, {lens.id: one} if one is not None else {})[lens.id].sure
        for one in (SOLID, None, SHEET)
    ]
    assert sure[0] > sure[1] > sure[2]


def test_a_name_tells_nothing(packs: Registry) -> None:
    called = replace(MADE[0][1], name="WindowGlass")
    assert recognise(scene_of(called), packs, {called.id: SOLID})[called.id].kind is K.METAL


def codes(packs: Registry, thing: Thing, body: Body | None) -> list[str]:
    scene = scene_of(thing)
    bodies = {thing.id: body} if body is not None else {}
    planned = plan(
        scene, packs, Choices(target="pellune" if thing.dialect == "orvik" else "orvik"),
        bodies=bodies, traits=recognise(scene, packs, bodies),
    )  # fmt: skip
    return [one.code for one in look_over(View(planned, packs, uses_of(scene, packs))) if one.code in CODES]


def bumpy(centimetres: float) -> Thing:
    more = {"b": ("orvik.bump", {"depth": centimetres}, {"map": ("n", "grey")}), "n": ("orvik.chequer", {}, {})}
    return finish(links={"relief": ("b", "relief")}, more=more, mirror_tint=(0.04, 0.04, 0.04))


TROUBLED = [
    ("milk", finish(base_tint=(0.9, 0.9, 0.9), pass_tint=(0.3, 0.3, 0.3)), SOLID, ["bright-glass"]),
    ("a pane that bends", MADE[8][1], SHEET, ["glass-on-sheet"]),
    ("a ball that does not", MADE[9][1], SOLID, ["thin-on-solid"]),
    ("a ghost", finish("pellune", coverage=0.0), SOLID, ["vanishes"]),
    ("bumps by the metre", bumpy(300.0), SOLID, ["relief-scale"]),
    ("bumps by the atom", bumpy(1e-6), SOLID, ["relief-scale"]),
    ("bumps that fit", bumpy(0.1), SOLID, []),
    ("wax by the metre", finish("pellune", scatter=1.0, scatter_radius=(1000.0, 500.0, 250.0)), SOLID, ["reach-scale"]),
    ("wax by the atom", finish("pellune", scatter=1.0, scatter_radius=(1e-6, 5e-7, 2e-7)), SOLID, ["reach-scale"]),
    ("a sheen by hand", MADE[13][1], SHEET, ["facing-mix"]),
    ("a Fresnel by hand", facing("mirror_tint", (0.05, 0.05, 0.05), (1.0, 1.0, 1.0), edge_rise=False), SOLID, ["facing-mix"]),
]  # fmt: skip


@pytest.mark.parametrize(("thing", "body", "wanted"), [one[1:] for one in TROUBLED], ids=[one[0] for one in TROUBLED])
def test_what_does_not_go_together_is_found(packs: Registry, thing: Thing, body: Body, wanted: list[str]) -> None:
    assert codes(packs, thing, body) == wanted


@pytest.mark.parametrize(("thing", "body"), [one[1:3] for one in MADE if one[0] != "faked velvet"],
                         ids=[one[0] for one in MADE if one[0] != "faked velvet"])  # fmt: skip
def test_nothing_is_found_where_all_goes_together(packs: Registry, thing: Thing, body: Body) -> None:
    assert codes(packs, thing, body) == []


def test_a_mask_that_is_white_all_over_cuts_nothing_out(packs: Registry, tmp_path: Path) -> None:
    found = {}
    for name, low in (("white", 1.0), ("cut", 0.0)):
        picture = np.ones((8, 8, 3), np.float32)
        picture[:4] = low
        pictures.save(tmp_path / f"{name}.png", picture)
        more = {"m": ("orvik.picture", {"file": str(tmp_path / f"{name}.png")}, {})}
        found[name] = codes(packs, finish(links={"cutout": ("m", "grey")}, more=more), SHEET)
    assert found == {"white": ["mask-without-effect"], "cut": []}


def test_shapes_that_nobody_knows_raise_nothing(packs: Registry) -> None:
    assert codes(packs, MADE[8][1], None) == []


@pytest.mark.parametrize(
    ("dialect", "port", "values", "wanted"),
    [
        ("orvik", "mirror_tint", {"edge_rise": False, "base_tint": (0.08, 0.08, 0.08)}, ["painted-reflection"]),
        ("pellune", "metal", {"color": (0.8, 0.6, 0.4)}, []),
    ],
)
def test_a_reflection_that_a_picture_paints_is_found_and_metal_by_a_mask_is_none(
    packs: Registry, tmp_path: Path, dialect: str, port: str, values: dict[str, Value], wanted: list[str]
) -> None:
    stripes = np.tile(np.repeat(np.array([0.02, 0.9], np.float32), 8), 2)
    pictures.save(tmp_path / "a.png", np.broadcast_to(stripes[None, :, None], (8, 32, 3)).astype(np.float32))
    reads = {
        "orvik": ("orvik.picture", {"decode_gamma": 1.0}, "grey"),
        "pellune": ("pellune.image", {"role": "data"}, "grey"),
    }
    kind, said, output = reads[dialect]
    thing = material(
        dialect,
        {
            "surface": (f"{dialect}.{'finish' if dialect == 'orvik' else 'surface'}", values, {port: ("p", output)}),
            "p": (kind, {**said, "file": str(tmp_path / "a.png")}, {}),
        },
    )
    assert codes(packs, thing, SOLID) == wanted
