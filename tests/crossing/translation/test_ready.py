"""Ready values: where they come from, in every target's words, onto a material whole or in part, and a person's own."""

from __future__ import annotations

from pathlib import Path

import pytest

from durvan.crossing.looks.recognition import of_material
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.ready import Part, notes_of, values_in
from durvan.crossing.translation.result import in_target
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.engine import staging
from durvan.errors import PackError
from durvan.scene import ready
from durvan.scene.bodies import Body
from durvan.scene.model import Scene
from durvan.scene.traits import MaterialKind
from making import material
from ready_spectra import METALS, colour, of_metal, reflected

SOLID = Body(1, 0.06, 0.05, 0.1, 1.0, False, 1.0, 1.0, 0.0, (1001,))
BY_NAME = {one.name: one for one in ready.ours()}


def test_every_number_of_a_metal_is_what_the_measured_spectrum_comes_to() -> None:
    metals = [one for one in ready.ours() if one.kind is MaterialKind.METAL]
    assert {one.name for one in metals} == set(METALS)
    for one in metals:
        found = of_metal(METALS[one.name])
        assert one.values["base_color"] == pytest.approx(found["faced"], abs=1e-4)
        assert dict(one.facts)["n"] == " ".join(f"{part:g}" for part in found["n"])
        tint, faced = one.values["specular_color"], found["faced"]
        for channel in range(3):  # the edge at 82° is the measured one, where a tint can be as bright
            rise = faced[channel] + (1.0 - faced[channel]) * (6.0 / 7.0) ** 5
            assert tint[channel] * rise == pytest.approx(found["at_82"][channel], abs=2e-3) or tint[channel] == 1.0


def test_reflectance_and_colour_are_right_where_they_are_known() -> None:
    import numpy as np

    nothing = np.zeros(81)
    assert reflected(nothing + 1.5, nothing, 1.0) == pytest.approx(nothing + 0.04)  # glass when faced
    assert reflected(nothing + 1.5, nothing, 1e-6) == pytest.approx(nothing + 1.0, abs=1e-4)
    assert colour(nothing + 0.5) == pytest.approx([0.5] * 3)  # grey is grey


def test_each_has_a_source_and_can_be_searched() -> None:
    assert len(ready.ours()) >= 50 and all(one.source for one in ready.ours())
    assert [one.name for one in ready.ours() if one.matches("GOLD metal")] == ["gold"]
    assert {one.name for one in ready.ours() if one.matches("liquid")} >= {"water", "glycerol"}


@pytest.mark.parametrize("target", ["orvik", "pellune", "openpbr", "preview"])
def test_every_target_has_words_for_a_metal_a_glass_and_a_matt_one(packs: Registry, target: str) -> None:
    for name in ("copper", "window glass", "brick"):
        found = values_in(BY_NAME[name], packs.packs[target], 0.01)
        assert found is not None and found[1]


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize(
    ("name", "kind"), [("gold", MaterialKind.METAL), ("dense flint", MaterialKind.SOLID_GLASS), ("water", MaterialKind.LIQUID), ("brick", MaterialKind.FLAT)],
)  # fmt: skip
@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_what_it_is_put_onto_looks_like_it(packs: Registry, name: str, kind: MaterialKind, target: str) -> None:
    thing = material("orvik", {"surface": ("orvik.finish", {"base_tint": (0.1, 0.5, 0.2), "polish": 0.3}, {})})
    scene = Scene("none.usda", "orvik", 0.01, things={thing.id: thing})
    before = plan(scene, packs, Choices(target=target)).translations[thing.id]
    notes = notes_of(BY_NAME[name], before, packs.packs[target], 0.01)
    after = plan(scene, packs, Choices(target=target, notes=notes)).translations[thing.id]
    found = of_material(in_target(thing, after), packs, staging.facts_of(scene), SOLID)
    assert found.kind is kind, found.told


def textured(packs: Registry):
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("p", "colour")}),
        "p": ("orvik.picture", {"file": "a.png"}, {}),
    }
    thing = material("orvik", nodes)
    return translate(thing, packs.packs["orvik"], packs.packs["pellune"], 0.01, making=Making())


def test_maps_are_kept_or_given_up_as_is_chosen(packs: Registry) -> None:
    done, pack = textured(packs), packs.packs["pellune"]
    kept = {note.parameter for note in notes_of(BY_NAME["gold"], done, pack, 0.01)}
    given_up = {note.parameter for note in notes_of(BY_NAME["gold"], done, pack, 0.01, keep_maps=False)}
    assert "color" not in kept and "metal" in kept and given_up == kept | {"color"}


def test_a_word_that_shapes_the_reflection_is_put_on_too(packs: Registry) -> None:
    thing = material("pellune", {"surface": ("pellune.surface", {"rough": 0.4}, {})})
    pack = packs.packs["orvik"]
    done = translate(thing, packs.packs["pellune"], pack, 0.01, making=Making())
    node = done.graph.nodes[done.graph.outputs["surface"].node]
    node.values["polish_curve"] = "beckmann"
    said = {note.parameter: note.value for note in notes_of(BY_NAME["gold"], done, pack, 0.01)}
    found = values_in(BY_NAME["gold"], pack, 0.01)
    assert found is not None and said["polish_curve"] == found[1]["polish_curve"] == "trowbridge"


def test_only_a_part_is_taken(packs: Registry) -> None:
    done, pack = textured(packs), packs.packs["pellune"]
    for part in (Part.REFLECTION, Part.TRANSPARENCY):
        notes = notes_of(BY_NAME["dense flint"], done, pack, 0.01, part)
        kind = pack.type("pellune.surface")
        assert notes and {kind.family_of(note.parameter) for note in notes} == {part.value}


def test_a_persons_own_are_kept_read_and_replaced(tmp_path: Path) -> None:
    file = tmp_path / "own" / "ready.yaml"
    ready.keep(file, "door blue", MaterialKind.PAINTED, {"base_color": (0.1, 0.2, 0.5), "coat_weight": 1.0}, "the door")
    ready.keep(file, "door blue", MaterialKind.PAINTED, {"base_color": (0.1, 0.2, 0.6)}, "the door")
    mine = [one for one in ready.library(file) if one.own]
    assert [(one.name, one.kind, one.source) for one in mine] == [("door blue", MaterialKind.PAINTED, "the door")]
    assert mine[0].values == {"base_color": (0.1, 0.2, 0.6)}
    assert ready.library(tmp_path / "none.yaml") == ready.ours()


@pytest.mark.parametrize(
    ("text", "told"),
    [("own: [", "cannot be read"), ("own: {a: {values: {base_color: blue}}}", "own.a.values"), ("metal: {}", "metal"),
     ("clear: {x: {kind: liquid, index: 0, source: s}}", "clear.x.index")],
)  # fmt: skip
def test_a_bad_file_says_where(tmp_path: Path, text: str, told: str) -> None:
    file = tmp_path / "ready.yaml"
    file.write_text(text)
    with pytest.raises(PackError, match=told):
        ready.library(file)
