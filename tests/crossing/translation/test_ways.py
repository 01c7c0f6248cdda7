"""The ways of making a material: panes, procedurals, layers, remnants; and equal materials that become one."""

from __future__ import annotations

from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pxr import Usd, UsdShade

from durvan.crossing.document.changes import Merge, SetPolicy
from durvan.crossing.document.document import Document
from durvan.crossing.job.session import Session, start
from durvan.crossing.translation.choices import Choices, Merged, Placement
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.plan import merged_of
from durvan.crossing.translation.policies import EVERYTHING, Matter
from durvan.crossing.translation.result import Translation
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.scene.bodies import Body
from durvan.scene.fate import Fate
from durvan.scene.fingerprint import fingerprint
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Thing
from making import Spec, material, write

SHEET = Body(1, 1.0, 0.5, 0.004, 0.0, False, 1.0, 1.0, 0.0, (1001,))
SOLID = Body(1, 1.0, 0.5, 0.4, 1.0, False, 1.0, 1.0, 0.0, (1001,))
GLASS = {"pass_tint": (1.0, 1.0, 1.0), "base_tint": (0.0, 0.0, 0.0), "murk_tint": (0.25, 0.5, 1.0), "murk_depth": 0.8}


def carried(packs: Registry, thing: Thing, target: str, making: Making) -> Translation:
    return translate(thing, packs.packs[thing.dialect], packs.packs[target], 0.01, making=making)


def finish(**values: object) -> Thing:
    return material("orvik", {"surface": ("orvik.finish", values, {})})  # type: ignore[dict-item] # values of any kind


def test_a_flat_pane_lets_light_pass_straight_in_the_colour_of_its_thickness(packs: Registry) -> None:
    done = carried(packs, finish(**GLASS), "openpbr", Making(body=SHEET, pane=True))
    values = done.graph.nodes["surface"].values
    assert values["geometry_thin_walled"] is True and values.get("transmission_depth", 0.0) == 0.0
    depth = 0.8 * 0.01  # written in centimetres
    assert values["transmission_color"] == pytest.approx(tuple(part ** (0.004 / depth) for part in (0.25, 0.5, 1.0)))
    assert any(row.fate is Fate.FITTED and "flat pane" in row.reason for row in done.rows) and not done.unmet


def test_only_what_is_flat_is_simplified_and_only_what_is_clear(packs: Registry) -> None:
    done = carried(packs, finish(**GLASS), "openpbr", Making(body=SOLID, pane=True))
    assert [why.topic for why in done.unmet] == ["pane:unmet"] and "encloses a volume" in done.unmet[0].said
    assert "geometry_thin_walled" not in done.graph.nodes["surface"].values
    assert [why.topic for why in carried(packs, finish(**GLASS), "openpbr", Making(pane=True)).unmet] == ["bake:shapes"]
    assert not carried(packs, finish(), "openpbr", Making(body=SOLID, pane=True)).unmet


CHEQUERED: Spec = {
    "surface": ("orvik.finish", {}, {"base_tint": ("c", "colour")}), "c": ("orvik.noise", {"size": 3.0}, {}),
}  # fmt: skip


def test_a_procedural_goes_as_itself_or_is_baked_as_chosen(packs: Registry) -> None:
    thing = material("orvik", CHEQUERED)
    itself = carried(packs, thing, "pellune", Making(body=SHEET))
    assert not itself.bakes and any("noise" in node.kind for node in itself.graph.nodes.values())
    baked = carried(packs, thing, "pellune", Making(body=SHEET, procedurals=True))
    assert len(baked.bakes) == 1 and not any("noise" in node.kind for node in baked.graph.nodes.values())


def pile(count: int) -> Thing:
    nodes: Spec = {f"f{n}": ("orvik.finish", {"base_tint": (0.1 * n, 0.2, 0.3)}, {}) for n in range(count + 1)}
    links = {"base": ("f0", "out")} | {f"finish_{n}": (f"f{n}", "out") for n in range(1, count + 1)}
    masks: dict[str, object] = {f"mask_{n}": 0.5 for n in range(1, count + 1)}
    nodes["surface"] = ("orvik.pile", masks, links)  # type: ignore[assignment] # numbers
    return material("orvik", nodes)


@pytest.mark.parametrize(("layers", "wanted"), [(2, 2), (1, 1)])
def test_layers_become_as_few_as_chosen(packs: Registry, layers: int, wanted: int) -> None:
    done = carried(packs, pile(4), "pellune", Making(layers=layers))
    assert sum(node.kind == "pellune.surface" for node in done.graph.nodes.values()) == wanted


SCENE = """#usda 1.0
(
    defaultPrim = "W"
    metersPerUnit = 1
)
def Xform "W"
{
    def Mesh "a" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        rel material:binding = </W/One>
    }
    def Mesh "b" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        rel material:binding = </W/Two>
        def GeomSubset "part" ( prepend apiSchemas = ["MaterialBindingAPI"] )
        {
            rel material:binding:full = </W/Two>
        }
    }
    def Material "One"
    {
        token outputs:orvik:surface.connect = </W/One/finish.outputs:out>
        def Shader "finish"
        {
            uniform token info:id = "orvik.finish"
            float inputs:polish = 0.4
            color3f inputs:base_tint.connect = </W/One/odd.outputs:colour>
            token outputs:out
        }
        def Shader "odd"
        {
            uniform token info:id = "addon.swirl"
            float inputs:twist = 3
            color3f outputs:colour
        }
    }
    def Material "Two"
    {
        token outputs:orvik:surface.connect = </W/Two/shiny.outputs:out>
        def Shader "shiny"
        {
            uniform token info:id = "orvik.finish"
            color3f inputs:base_tint.connect = </W/Two/x.outputs:colour>
            float inputs:polish = 0.4
            token outputs:out
        }
        def Shader "x"
        {
            uniform token info:id = "addon.swirl"
            float inputs:twist = 3
            color3f outputs:colour
        }
    }
}
"""


@pytest.fixture
def session(packs: Registry, tmp_path: Path) -> Session:
    return start(write(tmp_path, SCENE), packs, "pellune", "orvik")


@pytest.mark.parametrize("placement", ["beside", "alone"])
def test_remnants_stand_in_the_target_switched_off(
    session: Session, tmp_path: Path, placement: str, packs: Registry
) -> None:
    session.put_choices("Place", {"placement": Placement(placement)})
    session.do("Keep", SetPolicy(subject="/W/One", what=Matter.REMNANTS.value, how="kept"))
    session.renew()
    session.carry(tmp_path / "out.usda")
    stage = Usd.Stage.Open(str(tmp_path / "out.usda"))
    left = stage.GetPrimAtPath("/W/One/pellune_network/remnants/odd")
    assert left and not left.IsActive()
    shader = UsdShade.Shader(left)
    assert shader.GetIdAttr().Get() == "addon.swirl" and shader.GetInput("twist").Get() == 3.0
    assert not stage.GetPrimAtPath("/W/Two/pellune_network/remnants")
    again = start(tmp_path / "out.usda", packs, "orvik", "pellune")
    assert not any(
        "remnants" in node.source for thing in again.scene.things.values() for node in thing.graph.nodes.values()
    )


@pytest.mark.parametrize("placement", ["beside", "alone"])
def test_equal_materials_become_one_by_their_finding_and_come_back(
    session: Session, tmp_path: Path, placement: str
) -> None:
    session.put_choices("Place", {"placement": Placement(placement)})
    session.renew()
    (found,) = [one for one in session.open_findings() if one.code == "alike"]
    assert session.apply(list(found.remedies)) == []
    session.renew()
    assert list(session.plan.translations) == ["/W/One"] and session.plan.merged == {"/W/Two": "/W/One"}
    assert not [one for one in session.open_findings() if one.code == "alike"]
    session.carry(tmp_path / "out.usda")
    stage = Usd.Stage.Open(str(tmp_path / "out.usda"))
    for path in ("/W/a", "/W/b"):
        bound, _ = UsdShade.MaterialBindingAPI(stage.GetPrimAtPath(path)).ComputeBoundMaterial()
        assert str(bound.GetPath()) == "/W/One"
    part = stage.GetPrimAtPath("/W/b/part").GetRelationship("material:binding:full")
    assert [str(path) for path in part.GetTargets()] == ["/W/One"]
    assert bool(stage.GetPrimAtPath("/W/Two")) is (placement == "beside")
    session.undo()
    session.renew()
    assert len(session.plan.translations) == 2


@settings(max_examples=60)
@given(
    st.dictionaries(st.sampled_from("abcdef"), st.sampled_from("abcdefz"), max_size=6),
    st.sets(st.sampled_from("abcdef")),
)
def test_what_gives_way_gives_way_to_something_that_is_carried_and_stays(into: dict[str, str], there: set[str]) -> None:
    choices = Choices(target="pellune", merged=tuple(Merged(thing=a, into=b) for a, b in into.items()))
    found = merged_of(choices, there)
    assert set(found) <= there and set(found.values()) <= there - set(found)


def test_a_merging_is_taken_back() -> None:
    document = Document(source="a.usda", source_sha256="0" * 64, target="pellune")
    merged = Merge(thing="/b", into="/a").apply(document)
    assert [(one.thing, one.into) for one in merged.merged] == [("/b", "/a")]
    assert Merge(thing="/b", into="").apply(merged).merged == ()


def test_what_is_merged_stands_in_the_record(session: Session) -> None:
    from durvan.record.build import taken

    session.do("Merge", Merge(thing="/W/Two", into="/W/One"), SetPolicy(subject=EVERYTHING, what="layers", how="one"))
    said = taken(session)
    assert said == ["everything: layers: one", "Two: One, which is the same, is worn in its place"]


@given(st.permutations(["a", "b", "c"]), st.sampled_from(["x", "y"]))
def test_a_fingerprint_knows_neither_names_nor_order(order: list[str], file: str) -> None:
    kinds = {
        "a": ("mix", {}, {"bg": "b", "fg": "c"}),
        "b": ("image", {"file": file}, {}),
        "c": ("image", {"file": "z"}, {}),
    }

    def made(names: dict[str, str], turned: bool) -> Graph:
        graph = Graph(outputs={"surface": Link(names["a"])})
        for name in order if turned else sorted(order):
            kind, values, links = kinds[name]
            pairs = sorted(links.items(), reverse=turned)
            graph.add(Node(names[name], kind, dict(values), {p: Link(names[to]) for p, to in pairs}))
        return graph

    one, two = made({"a": "a", "b": "b", "c": "c"}, False), made({"a": "q", "b": "r", "c": "s"}, True)
    assert fingerprint(one) == fingerprint(two)
    other = made({"a": "a", "b": "b", "c": "c"}, False)
    other.nodes["a"].links["bg"], other.nodes["a"].links["fg"] = (
        other.nodes["a"].links["fg"],
        other.nodes["a"].links["bg"],
    )
    assert fingerprint(other) != fingerprint(one)
    assert fingerprint(one, lambda text: "the same") == fingerprint(other, lambda text: "the same")
