"""Ways that a person chooses: for everything, for a kind, for one; and what a stencil makes of a mask."""

from __future__ import annotations

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.crossing.document.changes import SayKind, SetPolicy
from durvan.crossing.document.document import Document
from durvan.crossing.translation.choices import Choices, KindSaid, Policy
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.plan import plan
from durvan.crossing.translation.policies import WAYS, Kinds, Matter, Policies
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.scene.fate import Fate
from durvan.scene.model import Scene
from durvan.scene.traits import MaterialKind, Traits
from making import material

GLASS = {"/Set/Pane": Traits(MaterialKind.THIN_GLASS, 0.9)}
SUBJECTS = ("/Set/Pane", "kind:thin glass", "everything")


def of(*subjects: str, matter: str = "bake") -> Choices:
    other = WAYS[Matter(matter)][1]
    return Choices(target="pellune", policies=tuple(Policy(subject=s, what=matter, how=other) for s in subjects))


@given(st.sets(st.sampled_from(SUBJECTS)), st.sampled_from(list(Matter)))
def test_any_of_one_a_kind_and_everything_counts(subjects: set[str], matter: Matter) -> None:
    choices = of(*subjects, matter=matter.value)
    found = Policies(choices, Kinds(choices, GLASS)).of("/Set/Pane", matter)
    assert found == WAYS[matter][1 if subjects else 0]


@given(st.permutations(SUBJECTS))
def test_what_says_most_counts_in_whatever_order(order: list[str]) -> None:
    ways = {"/Set/Pane": "never", "kind:thin glass": "where needed", "everything": "never"}
    choices = Choices(target="pellune", policies=tuple(Policy(subject=s, what="bake", how=ways[s]) for s in order))
    policies = Policies(choices, Kinds(choices, {**GLASS, "/Set/Sheet": GLASS["/Set/Pane"]}))
    assert policies.of("/Set/Pane", Matter.BAKE) == "never"
    assert policies.of("/Set/Sheet", Matter.BAKE) == "where needed"
    assert policies.of("/Set/Other", Matter.BAKE) == "never"


def test_what_a_person_says_counts_before_what_was_recognised() -> None:
    choices = Choices(target="pellune", kinds=(KindSaid(thing="/Set/Pane", kind=MaterialKind.LIQUID),))
    kinds = Kinds(choices, GLASS)
    assert kinds.of("/Set/Pane") is MaterialKind.LIQUID
    assert kinds.of("/Set/Nobody") is MaterialKind.UNKNOWN


def document() -> Document:
    return Document(source="a.usda", source_sha256="0" * 64, target="pellune")


def test_kinds_and_ways_are_said_changed_and_taken_back() -> None:
    said = SayKind(thing="/Set/Pane", kind=MaterialKind.WAX).apply(document())
    said = SayKind(thing="/Set/Pane", kind=MaterialKind.LIQUID).apply(said)
    assert [(one.thing, one.kind) for one in said.kinds] == [("/Set/Pane", MaterialKind.LIQUID)]
    assert SayKind(thing="/Set/Pane", kind=None).apply(said).kinds == ()
    way = SetPolicy(subject="everything", what="bake", how="never").apply(said)
    way = SetPolicy(subject="everything", what="see-through", how="stencil").apply(way)
    assert SetPolicy(subject="everything", what="bake", how="").apply(way).policies == (
        Policy(subject="everything", what="see-through", how="stencil"),
    )
    assert Document.model_validate_json(way.model_dump_json()) == way


def masked(**more):
    nodes = {
        "surface": ("orvik.finish", more, {"cutout": ("m", "grey")}),
        "m": ("orvik.noise", {"size": 3.0}, {}),
    }
    return material("orvik", nodes, name="Leaf")


def kinds_in(packs: Registry, thing, target: str, stencil: bool) -> list[str]:
    done = translate(thing, packs.packs["orvik"], packs.packs[target], 0.01, making=Making(stencil=stencil))
    return [node.kind for node in done.graph.nodes.values()]


@pytest.mark.parametrize("stencil", [False, True])
def test_a_mask_becomes_one_stencil_where_that_is_chosen(packs: Registry, stencil: bool) -> None:
    assert kinds_in(packs, masked(), "pellune", stencil).count("pellune.stencil") == int(stencil)


def test_never_where_light_passes_and_never_where_the_target_has_none(packs: Registry) -> None:
    assert "pellune.stencil" not in kinds_in(packs, masked(pass_tint=(0.5, 0.5, 0.5)), "pellune", True)
    assert kinds_in(packs, masked(), "openpbr", True) == kinds_in(packs, masked(), "openpbr", False)


def test_a_policy_reaches_the_plan_and_its_rows_and_only_what_it_is_about(packs: Registry) -> None:
    thing, other = masked(), material("orvik", {"surface": ("orvik.finish", {}, {})}, name="Wall")
    scene = Scene("none.usda", "orvik", 0.01, things={one.id: one for one in (thing, other)})
    before = plan(scene, packs, Choices(target="pellune"))
    chosen = of("/Set/Leaf", matter="see-through")
    after = plan(scene, packs, chosen, before=before)
    assert after.translations[other.id] is before.translations[other.id]
    rows = {row.parameter: row for row in after.translations[thing.id].rows}
    assert rows["cutout"].fate is Fate.FITTED and "stencil" in rows["cutout"].reason
    assert np.isclose(after.translations[thing.id].graph.nodes["surface"].values.get("coverage", 1.0), 1.0)
