"""Materials with another back: where a document of MaterialX says it, where others do, and where nothing can."""

from pathlib import Path

import pytest

import making
from durvan.crossing.job.session import Session
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.rows import Row
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Node
from durvan.scene.model import Kind, Scene
from wild.crossing import carried

RED, BLUE = (0.8, 0.1, 0.1), (0.1, 0.1, 0.8)
DOCUMENT = """<materialx version="1.39" colorspace="lin_rec709">
  <open_pbr_surface name="F" type="surfaceshader"><input name="base_color" type="color3" value="0.8, 0.1, 0.1"/></open_pbr_surface>
  <open_pbr_surface name="B" type="surfaceshader"><input name="base_color" type="color3" value="0.1, 0.1, 0.8"/></open_pbr_surface>
  <surfacematerial name="M" type="material">
    <input name="surfaceshader" type="surfaceshader" nodename="F"/>
    <input name="backsurfaceshader" type="surfaceshader" nodename="B"/>
  </surfacematerial>
</materialx>"""
TINTS = ("base_color", "base_tint", "diffuse_reflectance", "reflectance")


def side(graph: Graph, port: str) -> Node:
    """The surface on a side of a graph's root."""
    root = graph.root
    assert root is not None and set(root.links) == {"front", "back"}
    return graph.nodes[root.links[port].node]


def redder(node: Node) -> bool:
    """Whether a surface is red, and not blue."""
    (colour,) = (node.values[tint] for tint in TINTS if tint in node.values)
    assert isinstance(colour, tuple) and max(colour) > 3.0 * min(colour)
    return colour[0] > colour[2]


def rows_of(session: Session) -> list[Row]:
    """All rows of the ledger."""
    return [row for done in session.plan.translations.values() for row in done.rows]


def only(scene: Scene) -> Graph:
    """The graph of the material that is looked at."""
    (thing,) = (one for one in scene.things.values() if one.kind is Kind.MATERIAL and one.name == "M")
    return thing.graph


@pytest.mark.parametrize(
    ("target", "ending"), [("openpbr", "mtlx"), ("standard", "mtlx"), ("mitsuba", "xml"), ("orvik", "usda")]
)
def test_both_sides_of_a_document_come_through(packs: Registry, tmp_path: Path, target: str, ending: str) -> None:
    """Written, and opened again, each side is what it was."""
    file = making.write(tmp_path, DOCUMENT, "sides.mtlx")
    session, again = carried(file, packs, target, tmp_path / f"out.{ending}")
    graph = only(again)
    assert redder(side(graph, "front")) and not redder(side(graph, "back"))
    assert not any(row.fate is Fate.LOST for row in rows_of(session))


@pytest.mark.parametrize("target", ["openpbr", "standard", "preview", "pellune", "skarn"])
def test_on_a_stage_the_front_stands_for_both_and_the_rest_is_told(
    packs: Registry, tmp_path: Path, target: str
) -> None:
    """A material of a stage has no word for a back, in the same dialect either."""
    file = making.write(tmp_path, DOCUMENT, "sides.mtlx")
    session, again = carried(file, packs, target, tmp_path / "out.usda")
    graph = only(again)
    assert (
        graph.root is not None
        and "back" not in graph.root.links
        and not any(name.rpartition("/")[2].startswith("B") for name in graph.nodes)
    )
    (lost,) = [row.reason for row in rows_of(session) if (row.node, row.parameter) == ("sides", "back")]
    assert lost.rstrip(".").endswith("both sides") or "on both sides;" in lost


def test_a_back_without_a_front_leaves_the_front_dark(packs: Registry, tmp_path: Path) -> None:
    """It is carried as it is said."""
    text = DOCUMENT.replace('<input name="surfaceshader" type="surfaceshader" nodename="F"/>', "")
    _, again = carried(making.write(tmp_path, text, "back.mtlx"), packs, "standard", tmp_path / "out.mtlx")
    root = only(again).root
    assert root is not None and list(root.links) == ["back"]


@pytest.mark.parametrize("target", ["openpbr", "mitsuba"])
def test_a_back_within_layers_is_brought_outside(packs: Registry, target: str) -> None:
    """A pile over a two-sided finish is a pile on either side; the words of both lead there."""
    nodes: making.Spec = {
        "a": ("orvik.finish", {"base_tint": RED}, {}), "b": ("orvik.finish", {"base_tint": BLUE}, {}),
        "top": ("orvik.finish", {"base_tint": (0.9, 0.9, 0.9)}, {}),
        "two": ("orvik.two_sided", {}, {"front": ("a", "out"), "back": ("b", "out")}),
        "surface": ("orvik.pile", {"mask_1": 0.25}, {"finish_1": ("top", "out"), "base": ("two", "out")}),
    }  # fmt: skip
    there = packs.get(target)
    done = translate(making.material("orvik", nodes), packs.get("orvik"), there, 1.0, making=Making(backs=True))
    under, amount = ("under", "amount") if target == "openpbr" else ("first", "weight")
    front, back = (side(done.graph, port) for port in ("front", "back"))
    assert front.values[amount] == back.values[amount] == 0.25
    assert redder(done.graph.nodes[front.links[under].node])
    assert not redder(done.graph.nodes[back.links[under].node])
    rows = {row.parameter: row for row in done.rows if row.node == "two"}
    assert rows["back"].targets == ((back.id, under),) and rows["front"].targets == ((front.id, under),)


def test_layers_of_surfaces_are_in_the_words_of_those_surfaces(packs: Registry, tmp_path: Path) -> None:
    """A blend is a word of every dialect of MaterialX's; what it blends says whose it is."""
    surfaces = "".join(
        f'<standard_surface name="{n}" type="surfaceshader"><input name="base" type="float" value="0.{n[1]}"/></standard_surface>'
        for n in ("S1", "S2")
    )
    blend = """<mix name="X" type="surfaceshader"><input name="fg" type="surfaceshader" nodename="S1"/>
      <input name="bg" type="surfaceshader" nodename="S2"/><input name="mix" type="float" value="0.5"/></mix>
      <surfacematerial name="M" type="material"><input name="surfaceshader" type="surfaceshader" nodename="X"/></surfacematerial>"""
    text = f'<materialx version="1.39">{surfaces}{blend}</materialx>'
    session, again = carried(making.write(tmp_path, text, "blend.mtlx"), packs, "openpbr", tmp_path / "out.mtlx")
    assert session.scene.dialect == "standard"
    assert sorted(
        node.values["base_weight"] for node in only(again).nodes.values() if node.values.get("base_weight")
    ) == [0.1, 0.2]
    assert not [row for row in rows_of(session) if row.fate >= Fate.LOST]
