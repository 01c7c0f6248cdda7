"""What a hand rewires in the target: values that go to another parameter, nodes that give way to another type."""

from __future__ import annotations

import math
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from durvan.crossing.document.changes import Forget, GiveTo, PutNote, SwapNode, applied
from durvan.crossing.document.document import Document
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import start
from durvan.crossing.translation.bakery import WAITS_FOR_SHAPES
from durvan.crossing.translation.choices import Note, Redirect, Swap
from durvan.crossing.translation.making import Making
from durvan.crossing.translation.result import Inputs, Translation
from durvan.crossing.translation.rows import By
from durvan.crossing.translation.swapping import PICTURE, equivalents
from durvan.crossing.translation.taking import as_taken, can_take, parameter_of
from durvan.crossing.translation.translate import made
from durvan.dialects.registry import registry
from durvan.engine import staging
from durvan.scene.fate import Fate
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Scene, Thing
from durvan.scene.vocabulary import Parameter
from making import Spec, material, small, write

THING = "/Set/Paint"
PACKS = registry()
PELLUNE, OPENPBR = PACKS.get("pellune"), PACKS.get("openpbr")


def carried(
    thing: Thing, *rewired: Redirect | Swap, target: str = "pellune", notes: tuple[Note, ...] = ()
) -> Translation:
    making = Making(
        ground=PACKS.ground, painted=frozenset(o.node for o in rewired if isinstance(o, Swap) and o.kind == PICTURE)
    )
    return made(
        Inputs(thing, PACKS.get("orvik"), PACKS.get(target), 0.01, notes=notes, making=making, rewired=rewired)
    )  # fmt: skip


def give(parameter: str, to: str, node: str = "surface", to_node: str = "surface") -> Redirect:
    return Redirect(thing=THING, node=node, parameter=parameter, to_node=to_node, to_parameter=to)


def swap(kind: str, node: str) -> Swap:
    return Swap(thing=THING, node=node, kind=kind)


def finish(links: dict[str, tuple[str, str]] | None = None, more: Spec | None = None, **values: object) -> Thing:
    return material("orvik", {"surface": ("orvik.finish", values, links or {}), **(more or {})})  # type: ignore[dict-item]


MAPPED: Spec = {"p": ("orvik.picture", {"file": "a.png"}, {})}


def test_a_value_goes_to_another_parameter_and_its_row_says_so() -> None:
    before = carried(finish(polish=0.7, polish_curve="trowbridge")).graph.nodes["surface"]
    done = carried(finish(polish=0.7, polish_curve="trowbridge"), give("rough", "lacquer_rough"))
    node = done.graph.nodes["surface"]
    assert "rough" not in node.values and node.values["lacquer_rough"] == before.values["rough"]
    row = next(row for row in done.rows if row.parameter == "polish")
    assert row.targets == (("surface", "lacquer_rough"),) and row.by is By.HAND and row.fate is Fate.FITTED
    assert "lacquer_rough" in row.reason and row.target_values[0][0] == before.values["rough"]
    assert not done.unmet


def test_what_goes_elsewhere_follows_the_source() -> None:
    for polish in (0.2, 0.9):
        done = carried(finish(polish=polish, polish_curve="trowbridge"), give("rough", "lacquer_rough"))
        plain = carried(finish(polish=polish, polish_curve="trowbridge"))
        assert done.graph.nodes["surface"].values["lacquer_rough"] == plain.graph.nodes["surface"].values["rough"]


def test_a_map_goes_with_its_link_and_what_had_the_place_is_lost() -> None:
    thing = finish({"base_tint": ("p", "colour")}, MAPPED, polish=0.5)
    link = carried(thing).graph.nodes["surface"].links["color"]
    done = carried(thing, give("color", "rough"))
    node = done.graph.nodes["surface"]
    assert node.links["rough"] == link and "color" not in node.links and "rough" not in node.values
    lost = next(row for row in done.rows if row.parameter == "polish")
    assert lost.fate is Fate.LOST and lost.targets == () and "by hand" in lost.reason


def test_what_cannot_be_given_is_left_and_said() -> None:
    thing = finish({"base_tint": ("p", "colour")}, MAPPED, polish=0.5)
    plain = carried(thing)
    for wrong in (give("color", "no_such"), give("color", "thin"), give("color", "input", to_node="gone")):
        done = carried(thing, wrong)
        assert [why.topic for why in done.unmet] == ["redirect"]
        assert done.graph.nodes["surface"].links == plain.graph.nodes["surface"].links
    fed = finish(
        {"base_tint": ("c", "colour")},
        {"c": ("orvik.correct", {"gain": (0.5, 0.5, 0.5)}, {"input": ("p", "colour")}), **MAPPED},
    )
    name = next(node.id for node in carried(fed).graph.nodes.values() if node.kind == "pellune.adjust")
    done = carried(fed, give("color", "shift", to_node=name))
    assert "feed itself" in done.unmet[0].said and not done.graph.order()[1]
    assert carried(thing, give("nap", "lacquer")).unmet == ()  # nothing stands there: nothing goes


def test_a_hands_value_goes_along_and_one_that_is_set_later_stands() -> None:
    note = Note(thing=THING, node="surface", parameter="rough", value=0.33)
    later = Note(thing=THING, node="surface", parameter="lacquer_rough", value=0.9)
    thing = finish(polish=0.7, polish_curve="trowbridge")
    done = carried(thing, give("rough", "lacquer_rough"), notes=(note,))
    assert (
        done.graph.nodes["surface"].values["lacquer_rough"] == 0.33
        and "rough" not in done.graph.nodes["surface"].values
    )
    done = carried(thing, give("rough", "lacquer_rough"), notes=(note, later))
    assert done.graph.nodes["surface"].values["lacquer_rough"] == 0.9


def _numbers() -> st.SearchStrategy[Parameter]:
    return st.builds(
        Parameter, type=st.sampled_from(["float", "int", "color", "vector2", "vector3"]), meaning=st.just("x"),
        unit=st.sampled_from(["", "m", "cm", "deg", "turn", "nit"]),
        range=st.sampled_from([None, (0.0, 1.0), (-10.0, 1e6)]),
    )  # fmt: skip


@settings(max_examples=200, deadline=None)
@given(_numbers(), _numbers(), st.lists(st.floats(-1e5, 1e5), min_size=4, max_size=4))
def test_whatever_is_taken_can_stand(one: Parameter, two: Parameter, parts: list[float]) -> None:
    wide = {"color": 3, "vector3": 3, "vector2": 2}.get(one.type, 1)
    value = tuple(parts[:wide]) if wide > 1 else int(parts[0]) if one.type == "int" else parts[0]
    taken = as_taken(value, one, two, 0.01)
    assert can_take(two, one) and taken is not None and not two.wrong(taken) and not two.outside(taken)
    assert all(math.isfinite(part) for part in (taken if isinstance(taken, tuple) else (taken,)))


def test_units_and_channels_are_changed_and_words_only_go_to_the_same() -> None:
    metres, scene = Parameter(type="float", unit="m", meaning="x"), Parameter(type="float", unit="cm", meaning="x")
    assert as_taken(0.5, metres, scene, 0.01) == pytest.approx(50.0)
    colour, number = Parameter(type="color", meaning="x"), Parameter(type="float", meaning="x")
    assert (
        as_taken((0.2, 0.2, 0.2), colour, number, 1.0) == pytest.approx(0.2)
        and as_taken(0.3, number, colour, 1.0) == (0.3,) * 3
    )
    file, flag = Parameter(type="file", meaning="x"), Parameter(type="bool", meaning="x", default=False)
    assert as_taken("a.png", file, file, 1.0) == "a.png" and as_taken("a.png", file, number, 1.0) is None
    assert as_taken(True, flag, flag, 1.0) is True and as_taken(0.5, number, flag, 1.0) is None
    few = Parameter(type="token", choices=("a", "b"), default="a", meaning="x")
    many = Parameter(type="token", choices=("a", "b", "c"), default="a", meaning="x")
    assert can_take(many, few) and not can_take(few, many)


def test_given_on_from_where_it_went_and_back_home() -> None:
    bare = Document(source="a.usda", target="pellune")
    once = applied(bare, [GiveTo(redirect=give("rough", "nap"))])
    twice = applied(once, [GiveTo(redirect=give("nap", "lacquer"))])
    assert [(one.parameter, one.to_parameter) for one in twice.redirects] == [("rough", "lacquer")]
    assert applied(twice, [GiveTo(redirect=give("lacquer", "rough"))]).redirects == ()
    assert applied(twice, [Forget(thing=THING)]).redirects == ()
    # what came into a place goes on; what had stood there stays where it was given
    crossed = applied(bare, [GiveTo(redirect=give("rough", "nap")), GiveTo(redirect=give("lacquer", "rough"))])
    onward = applied(crossed, [GiveTo(redirect=give("rough", "stretch"))])
    assert {(r.parameter, r.to_parameter) for r in onward.redirects} == {("rough", "nap"), ("lacquer", "stretch")}
    swapped = applied(bare, [SwapNode(swap=swap("mtlx.add", "x")), SwapNode(swap=swap("mtlx.min", "x"))])
    assert [one.kind for one in swapped.swaps] == ["mtlx.min"]
    assert applied(swapped, [SwapNode(swap=swap("", "x"))]).swaps == ()


def test_what_can_be_taken_back_is_what_a_hand_did(tmp_path: Path) -> None:
    session = start(write(tmp_path, small()), PACKS, "pellune")
    thing = next(iter(session.plan.translations))
    surface = session.plan.translations[thing].graph.root.id
    assert session.rewiring_back(thing, surface, "rough") is None and not session.by_hand(thing, surface, "rough")
    session.put(thing, surface, "rough", 0.5)
    assert session.by_hand(thing, surface, "rough")
    one = Redirect(thing=thing, node=surface, parameter="rough", to_node=surface, to_parameter="nap")
    session.do("Give", GiveTo(redirect=one))
    session.do("Back", session.rewiring_back(thing, surface, "nap"))
    assert session.document.redirects == ()
    session.do("Swap", SwapNode(swap=Swap(thing=thing, node="x", kind="pellune.bump")))
    session.do("Back", session.rewiring_back(thing, "x", ""))
    assert session.document.swaps == ()


# nodes of another type


ADJUSTED: Spec = {
    "c": ("orvik.correct", {"gain": (0.5, 0.5, 0.5), "shift": (0.1, 0.1, 0.1)}, {"input": ("p", "colour")}), **MAPPED,
}  # fmt: skip


def arithmetic(done: Translation) -> Node:
    return next(n for n in done.graph.nodes.values() if n.kind in ("mtlx.multiply", "mtlx.remap", "mtlx.add"))


def test_a_node_gives_way_to_its_like_with_all_that_both_have() -> None:
    thing = finish({"base_tint": ("c", "colour")}, ADJUSTED)
    plain = carried(thing, target="openpbr")
    old = arithmetic(plain)
    others = equivalents(old, OPENPBR)
    assert others[-1] == PICTURE and old.kind not in others and "mtlx.image" not in others
    kind = others[0]
    done = carried(thing, swap(kind, old.id), target="openpbr")
    node = done.graph.nodes[old.id]
    assert node.kind == kind and set(node.links.values()) == set(old.links.values()) and not done.unmet
    users = [n for n in done.graph.nodes.values() if any(link.node == old.id for link in n.links.values())]
    outputs = OPENPBR.type(kind).outputs
    assert users and all(link.output in outputs for n in users for link in n.links.values() if link.node == old.id)
    told = [row for row in done.rows if any(place[0] == old.id for place in row.targets)]
    assert told and all(row.by is By.HAND and "swapped" in row.reason for row in told)
    gone = [row for row in done.rows if row.fate is Fate.LOST and "swapped by hand" in row.reason]
    held = {place for row in plain.rows for place in row.targets if place[0] == old.id}
    assert len(held) <= len(told) + len(gone)


def test_siblings_take_each_others_places_by_name_and_by_place() -> None:
    add = Node("n", "mtlx.add", {"in2": (0.1, 0.1, 0.1)}, {"in1": Link("p", "out")})
    assert {"mtlx.multiply", "mtlx.max", "mtlx.subtract"} <= set(equivalents(add, OPENPBR))
    ramp = Node("n", "mtlx.ramplr", {"valuel": (0.1, 0.1, 0.1), "valuer": (0.9, 0.9, 0.9)})
    assert "mtlx.ramptb" in equivalents(ramp, OPENPBR)
    bump = Node("n", "pellune.bump", {"height": 0.1}, {"input": Link("p", "grey")})
    assert equivalents(bump, PELLUNE) == ["pellune.normal"]
    picture = Node("n", "pellune.image", {"file": "a.png"})
    assert equivalents(picture, PELLUNE) == [] and equivalents(Node("n", "pellune.surface"), PELLUNE) == []
    assert equivalents(Node("n", "unheard.of"), PELLUNE) == []


def test_what_cannot_be_swapped_is_left_and_said() -> None:
    thing = finish({"base_tint": ("c", "colour")}, ADJUSTED)
    name = arithmetic(carried(thing, target="openpbr")).id
    for wrong in (swap("mtlx.image", name), swap("mtlx.add", "gone"), swap("no.such", name)):
        done = carried(thing, wrong, target="openpbr")
        assert [why.topic for why in done.unmet] == ["swap"]
        assert arithmetic(done).id == name


def test_a_node_gives_way_to_a_picture_of_what_it_gives() -> None:
    thing = finish({"base_tint": ("n", "colour")}, {"n": ("orvik.ramp", {"first": (0.9, 0.1, 0.1)}, {})})
    plain = carried(thing)
    node = next(n for n in plain.graph.nodes.values() if n.kind == "pellune.ramp")
    done = carried(thing, swap(PICTURE, node.id))
    kinds = {n.id: n.kind for n in done.graph.nodes.values()}
    assert kinds[node.id] == "pellune.image" and "pellune.ramp" not in kinds.values() and len(done.bakes) == 1
    assert any(row.fate is Fate.BAKED for row in done.rows)
    noise = finish({"base_tint": ("n", "colour")}, {"n": ("orvik.noise", {"size": 2.0}, {})})
    assert carried(noise, swap(PICTURE, "n")).waits(WAITS_FOR_SHAPES)  # it lies on places, which nobody has looked at
    gone = carried(thing, swap(PICTURE, "gone"))
    assert [why.topic for why in gone.unmet] == ["swap"] and "no such node" in gone.unmet[0].said


def test_the_picture_shows_what_the_node_gave(kernels: None, tmp_path: Path) -> None:
    scene = Scene("a.usda", "orvik", 0.01)
    thing = finish({"base_tint": ("r", "colour")}, {"r": ("orvik.ramp", {}, {})})
    plain = carried(thing)
    name = next(n.id for n in plain.graph.nodes.values() if n.kind == "pellune.ramp")
    done = carried(thing, swap(PICTURE, name))
    facts = staging.facts_of(scene, PACKS, lambda: None)  # type: ignore[arg-type, return-value] # asked for by nothing here
    path = facts.paint(done.bakes[0])
    assert Path(path).is_file()


# in a crossing


def test_a_crossing_keeps_both_and_says_what_became_impossible(tmp_path: Path) -> None:
    file = write(tmp_path, small())
    session = start(file, PACKS, "pellune")
    thing = next(iter(session.plan.translations))
    surface = session.plan.translations[thing].graph.root.id
    one = Redirect(thing=thing, node=surface, parameter="rough", to_node=surface, to_parameter="lacquer_rough")
    before = session.would(session.scene.things[thing]).graph.nodes[surface].values["rough"]
    trial = session.would(session.scene.things[thing], GiveTo(redirect=one))
    assert trial.graph.nodes[surface].values["lacquer_rough"] == before
    assert session.document.redirects == ()
    session.do("Give", GiveTo(redirect=one))
    session.renew()
    assert session.plan.translations[thing].graph.nodes[surface].values["lacquer_rough"] == before
    session.save(tmp_path / "a.durvan")
    again = start(tmp_path / "a.durvan", PACKS)
    assert again.document.redirects == (one,)
    assert again.plan.translations[thing].graph.nodes[surface].values["lacquer_rough"] == before
    session.undo()
    session.renew()
    assert "lacquer_rough" not in session.plan.translations[thing].graph.nodes[surface].values
    session.do("Swap", SwapNode(swap=Swap(thing=thing, node="gone", kind="pellune.bump")))
    session.renew()
    assert [f.code for f in session.findings if f.code == "not-as-chosen"] == ["not-as-chosen"]


def test_what_was_rewired_is_written(tmp_path: Path) -> None:
    session = start(write(tmp_path, small()), PACKS, "pellune")
    thing = next(iter(session.plan.translations))
    surface = session.plan.translations[thing].graph.root.id
    one = Redirect(thing=thing, node=surface, parameter="rough", to_node=surface, to_parameter="lacquer_rough")
    session.do(
        "Give", GiveTo(redirect=one), PutNote(note=Note(thing=thing, node=surface, parameter="lacquer", value=0.5))
    )
    session.renew()
    out = tmp_path / "out.usda"
    session.carry(out)
    back = open_scene(out, PACKS, "pellune")
    values = next(
        t for t in back.things.values() if t.id == thing or t.name == session.scene.things[thing].name
    ).graph.root.values
    wanted = session.plan.translations[thing].graph.nodes[surface].values
    assert values["lacquer_rough"] == pytest.approx(wanted["lacquer_rough"]) and values["lacquer"] == 0.5
    assert "rough" not in values


def test_parameters_of_what_is_not_there() -> None:
    assert parameter_of(Graph(), PELLUNE, "x", "rough") is None
