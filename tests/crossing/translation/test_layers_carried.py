"""Piles and what goes with them, carried: layers as they are, merged where a target takes fewer, and everything beside them."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import making
from durvan.crossing.translation.result import in_target
from durvan.crossing.translation.translate import translate
from durvan.dialects.look import Facts, trace
from durvan.dialects.registry import Registry
from durvan.dialects.said import Cause
from durvan.engine import drift
from durvan.scene.fate import Fate
from durvan.scene.graph import Link

unit = st.floats(0.0, 1.0)


@pytest.fixture(scope="module")
def apart(packs: Registry, kernels: None):
    """The drift between a material and what it becomes."""
    makers = drift.Makers(None)

    def of(thing, target: str) -> float:
        source, there = packs.packs[thing.dialect], packs.packs[target]
        done = translate(thing, source, there, 0.01)
        facts = Facts(0.01)
        one = trace(source.folded(thing.graph), source.vocabulary, source.looks, facts, thing.turned)
        two = trace(there.folded(done.graph), there.vocabulary, there.looks, facts)
        assert not one.notes and not two.notes
        found = drift.between(one, two, makers)
        assert found is not None
        return found.mean

    return of


def finish(base=(0.3, 0.3, 0.3), **more):
    return ("orvik.finish", {"base_tint": base, "polish_curve": "trowbridge", **more}, {})


def pile(masks: dict[int, float], modes: dict[int, str] | None = None, extra=None, links=None):
    colours = [(0.6, 0.1, 0.05), (0.1, 0.5, 0.1), (0.1, 0.1, 0.7), (0.8, 0.7, 0.2)]
    nodes = {"base": finish((0.4, 0.4, 0.4))}
    feeds = {"base": ("base", "out")}
    values: dict = {f"mask_{n}": mask for n, mask in masks.items()}
    for n in masks:
        nodes[f"f{n}"] = finish(colours[n % 4], mirror_tint=(0.3, 0.3, 0.3))
        feeds[f"finish_{n}"] = (f"f{n}", "out")
    values.update({f"mode_{n}": mode for n, mode in (modes or {}).items()})
    nodes["surface"] = ("orvik.pile", values, {**feeds, **(links or {})})
    return making.material("orvik", {**nodes, **(extra or {})})


def kinds(done) -> list[str]:
    return [node.kind for node in done.graph.nodes.values()]


def test_two_layers_stay_two(carried, apart) -> None:
    thing = pile({1: 0.3})
    done = carried(thing, "pellune")
    assert sorted(kinds(done)) == ["pellune.over", "pellune.surface", "pellune.surface"]
    over = done.graph.root
    assert over is not None and over.values["amount"] == pytest.approx(0.3)
    assert over.links == {"under": Link("base"), "upper": Link("f1")}
    assert apart(thing, "pellune") < 0.8


def test_openpbr_takes_any_depth_and_nothing_drifts(carried, apart) -> None:
    thing = pile({1: 0.3, 2: 0.5, 4: 0.7})
    done = carried(thing, "openpbr")
    assert kinds(done).count("mtlx.layer") == 3
    assert apart(thing, "openpbr") < 0.05
    assert not any(row.why.cause is Cause.MERGED for row in done.rows)


def test_what_costs_least_is_merged_and_said(carried) -> None:
    """A layer that hardly shows goes first: the one by a hundredth, not the one by a half."""
    done = carried(pile({1: 0.01, 2: 0.5}), "pellune")
    over = done.graph.root
    assert over is not None and over.kind == "pellune.over" and over.values["amount"] == pytest.approx(0.505)
    assert over.links["upper"].node == "f2"
    merged = {(row.node, row.parameter): row for row in done.rows if row.why.cause is Cause.MERGED}
    assert ("surface", "mask_1") in merged and ("surface", "mask_2") not in merged
    assert "f1 lay on f2 by 1 %" in merged["surface", "mask_1"].reason
    assert all(row.fate is Fate.FITTED for row in merged.values())


def test_all_of_a_layer_hides_what_is_below(carried, apart) -> None:
    thing = pile({1: 0.4, 2: 1.0})
    done = carried(thing, "pellune")
    assert {node.id for node in done.graph.nodes.values() if node.kind == "pellune.surface"} >= {"f1"}
    assert apart(thing, "pellune") < 0.8


@given(unit, unit, unit)
@settings(max_examples=25, deadline=None)
def test_one_layer_is_what_matt_layers_come_to(packs: Registry, one, two, three) -> None:
    colours = [(0.4, 0.4, 0.4), (0.5, 0.2, 0.1), (0.1, 0.3, 0.6), (0.7, 0.7, 0.1)]
    nodes = {f"f{n}": finish(colours[n]) for n in range(4)}
    links = {"base": ("f0", "out"), **{f"finish_{n}": (f"f{4 - n}", "out") for n in range(1, 4)}}
    masks = {"mask_1": three, "mask_2": two, "mask_3": one}
    thing = making.material("orvik", {**nodes, "surface": ("orvik.pile", masks, links)})
    done = translate(thing, packs.packs["orvik"], packs.packs["preview"], 0.01)
    meant = colours[0]
    for share, colour in zip((one, two, three), colours[1:], strict=True):
        meant = tuple((1.0 - share) * a + share * b for a, b in zip(meant, colour, strict=True))
    root = done.graph.root
    assert root is not None and root.kind == "preview.surface"
    assert root.values.get("diffuseColor", (0.18,) * 3) == pytest.approx(meant, abs=1e-6)


def test_a_pile_in_a_pile_is_laid_out_flat(carried, apart) -> None:
    nodes = {
        "a": finish((0.5, 0.2, 0.1)), "b": finish((0.1, 0.4, 0.1)), "c": finish((0.1, 0.1, 0.6)),
        "inner": ("orvik.pile", {"mask_1": 0.25}, {"base": ("b", "out"), "finish_1": ("c", "out")}),
        "surface": ("orvik.pile", {"mask_1": 0.5}, {"base": ("a", "out"), "finish_1": ("inner", "out")}),
    }  # fmt: skip
    done = carried(making.material("orvik", nodes), "preview")
    root = done.graph.root
    assert root is not None
    meant = [0.5 * a + 0.5 * (0.75 * b + 0.25 * c) for a, b, c in ((0.5, 0.1, 0.1), (0.2, 0.4, 0.1), (0.1, 0.1, 0.6))]
    assert root.values["diffuseColor"] == pytest.approx(meant, abs=1e-6)
    assert apart(making.material("orvik", nodes), "openpbr") < 0.05


def test_what_is_added_goes_where_nothing_is_added(carried, apart) -> None:
    thing = pile({1: 0.5}, {1: "add"})
    done = carried(thing, "pellune")
    assert kinds(done) == ["pellune.surface"]
    root = done.graph.root
    assert root is not None and root.values["lacquer"] > 0.0
    assert root.values["color"] == pytest.approx((0.45, 0.65, 0.45), abs=0.15)


def test_a_mask_that_is_a_map_stays_one(carried, apart) -> None:
    noise = {"n": ("orvik.noise", {"size": 2.0}, {})}
    thing = pile({1: 1.0}, extra=noise, links={"mask_1": ("n", "grey")})
    done = carried(thing, "pellune")
    root = done.graph.root
    assert root is not None and root.links["amount"].node in done.graph.nodes
    assert apart(thing, "pellune") < 0.8


def test_two_hundred_layers_are_bounded(packs: Registry) -> None:
    nodes = {f"s{n}": ("mtlx.open_pbr_surface", {"base_color": (n / 200.0, 0.5, 0.5)}, {}) for n in range(201)}
    below = "s0"
    for n in range(1, 201):
        nodes[f"l{n}"] = ("mtlx.layer", {"amount": 0.1}, {"top": (f"s{n}", "out"), "under": (below, "out")})
        below = f"l{n}"
    thing = making.material("openpbr", nodes, root="l200")
    done = translate(thing, packs.packs["openpbr"], packs.packs["pellune"], 1.0)
    assert sorted(kinds(done)) == ["pellune.over", "pellune.surface", "pellune.surface"]
    assert all(row.targets or row.fate >= Fate.RECAST for row in done.rows)
    pack = packs.packs["openpbr"]
    look = trace(thing.graph, pack.vocabulary, pack.looks, Facts(1.0))
    assert any("weakest are left out" in note for note in look.notes)


def test_the_front_stands_for_both_sides_where_there_is_one(carried) -> None:
    nodes = {
        "a": finish((0.5, 0.2, 0.1)), "b": finish((0.1, 0.4, 0.1)),
        "surface": ("orvik.two_sided", {}, {"front": ("a", "out"), "back": ("b", "out")}),
    }  # fmt: skip
    done = carried(making.material("orvik", nodes), "pellune")
    assert done.graph.outputs["surface"] == Link("a", "out")
    lost = {row.parameter: row for row in done.rows if row.fate is Fate.LOST}
    assert "one surface for both sides" in lost["back"].reason


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_leaves_let_the_same_light_through(target: str, apart) -> None:
    leaf = making.material("orvik", {"surface": finish((0.1, 0.3, 0.05), through_tint=(0.3, 0.5, 0.05))})
    assert apart(leaf, target) < 0.5


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_drawn_out_highlights_keep_their_widths_and_their_direction(packs: Registry, target: str) -> None:
    thing = making.material(
        "orvik", {"surface": finish(mirror_tint=(0.5,) * 3, polish=0.5, grain=0.7, grain_turn=30.0)}
    )
    source, there = packs.packs["orvik"], packs.packs[target]
    done = translate(thing, source, there, 0.01)
    one = trace(thing.graph, source.vocabulary, source.looks, Facts(0.01)).base
    two = trace(done.graph, there.vocabulary, there.looks, Facts(0.01)).base
    from durvan.optics.lobes import layout as L

    def widths(rec):
        places = [L.HEADER + n * L.LOBE for n in range(int(rec[L.COUNT]))]
        at = next(place for place in places if rec[place] == L.REFLECT)
        return rec[at + L.ALPHA_X], rec[at + L.ALPHA_Y], rec[at + L.TURN]

    assert widths(two) == pytest.approx(widths(one), rel=1e-6)


@given(st.floats(0.0, 0.9), st.floats(0.01, 1.0), st.floats(-1.0, 1.0))
@settings(max_examples=40, deadline=None)
def test_stretch_returns(packs: Registry, stretch, rough, turn) -> None:
    values = {"stretch": stretch, "rough": rough, "stretch_turn": turn, "facing_reflect": 0.05}
    thing = making.material("pellune", {"surface": ("pellune.surface", values, {})})
    there = translate(thing, packs.packs["pellune"], packs.packs["openpbr"], 1.0)
    back = translate(in_target(thing, there), packs.packs["openpbr"], packs.packs["pellune"], 1.0)
    found = next(node for node in back.graph.nodes.values() if node.kind == "pellune.surface").values
    assert found.get("stretch", 0.0) == pytest.approx(stretch, abs=1e-6)
    assert found.get("rough", 0.3) == pytest.approx(rough, abs=1e-6)
    assert found.get("stretch_turn", 0.0) == pytest.approx(turn, abs=1e-6)


@pytest.mark.parametrize("target", ["pellune", "openpbr"])
def test_both_numbers_of_a_displacement_travel(target: str, apart, carried) -> None:
    nodes = {
        "surface": finish((0.5, 0.4, 0.3)), "n": ("orvik.noise", {"size": 1.5}, {}),
        "d": ("orvik.displace", {"height": 0.6, "middle": 0.5}, {"map": ("n", "grey")}),
    }  # fmt: skip
    thing = making.material("orvik", nodes)
    thing.graph.outputs["displacement"] = Link("d")
    assert apart(thing, target) < 0.3
    if target == "pellune":
        values = carried(thing, target).graph.nodes["surface"].values
        assert values["displace_height"] == pytest.approx(0.006) and values.get(
            "displace_centre", 0.5
        ) == pytest.approx(0.5)


def test_displacement_returns_from_the_material(packs: Registry) -> None:
    nodes = {
        "surface": ("pellune.surface", {"displace_height": 0.02, "displace_centre": 0.25}, {"displace": ("n", "grey")}),
        "n": ("pellune.noise", {"frequency": 30.0}, {}),
    }  # fmt: skip
    thing = making.material("pellune", nodes)
    for other, words in (("orvik", "orvik.displace"), ("preview", "preview.surface"), ("openpbr", "mtlx.displacement")):
        there = translate(thing, packs.packs["pellune"], packs.packs[other], 0.01)
        assert there.graph.nodes[there.graph.outputs["displacement"].node].kind == words
    there = translate(thing, packs.packs["pellune"], packs.packs["orvik"], 0.01)
    assert there.graph.nodes[there.graph.outputs["displacement"].node].values == {
        "height": pytest.approx(2.0),
        "middle": pytest.approx(0.25),
    }
    back = translate(in_target(thing, there), packs.packs["orvik"], packs.packs["pellune"], 0.01)
    assert list(back.graph.outputs) == ["surface"]
    values = back.graph.root.values
    assert (values["displace_height"], values["displace_centre"]) == (pytest.approx(0.02), pytest.approx(0.25))


def test_fibres_keep_their_colour_as_far_as_pigments_go(carried, apart) -> None:
    brown = making.material(
        "orvik", {"surface": ("orvik.fibre", {"root_tint": (0.2, 0.1, 0.05), "tip_tint": (0.2, 0.1, 0.05)}, {})}
    )
    done = carried(brown, "pellune")
    row = next(row for row in done.rows if row.parameter == "root_tint")
    assert row.fate is Fate.FITTED and row.measured == "of the colour apart at most"
    assert apart(brown, "pellune") < 4.0


def test_pigments_return(packs: Registry) -> None:
    values = {"melanin": 0.7, "redness": 0.4, "rough": 0.3}
    thing = making.material("pellune", {"surface": ("pellune.fibre", values, {})})
    there = translate(thing, packs.packs["pellune"], packs.packs["orvik"], 1.0)
    back = translate(in_target(thing, there), packs.packs["orvik"], packs.packs["pellune"], 1.0)
    found = back.graph.nodes["surface"].values
    assert found["melanin"] == pytest.approx(0.7) and found["redness"] == pytest.approx(0.4)


def test_a_stencil_is_a_steep_map_and_returns(packs: Registry, apart) -> None:
    nodes = {
        "surface": ("pellune.surface", {}, {"coverage": ("cut", "out")}),
        "cut": ("pellune.stencil", {}, {"mask": ("n", "grey")}), "n": ("pellune.noise", {"frequency": 40.0}, {}),
    }  # fmt: skip
    thing = making.material("pellune", nodes)
    assert apart(thing, "orvik") < 0.5
    there = translate(thing, packs.packs["pellune"], packs.packs["openpbr"], 1.0)
    back = translate(in_target(thing, there), packs.packs["openpbr"], packs.packs["pellune"], 1.0)
    assert "pellune.stencil" in kinds(back)


@pytest.mark.parametrize("mode", ["over", "add", "multiply", "screen", "lighter", "darker", "difference"])
def test_blends_come_to_the_same_in_materialx(mode: str, apart) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("b", "colour")}),
        "b": ("orvik.blend", {"ground": (0.5, 0.4, 0.2), "mode_1": mode, "share_1": 0.6}, {"map_1": ("c", "colour")}),
        "c": ("orvik.chequer", {"repeats": (6.0, 4.0), "first": (0.7, 0.3, 0.2), "second": (0.1, 0.2, 0.3)}, {}),
    }  # fmt: skip
    assert apart(making.material("orvik", nodes), "openpbr") < 0.05


def test_corner_colours_are_read_by_name(carried) -> None:
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("c", "colour")}),
        "c": ("orvik.corner_colour", {"set": "rust", "otherwise": (0.2, 0.1, 0.1)}, {}),
    }  # fmt: skip
    for target, kind, name in (("pellune", "pellune.corner", "name"), ("openpbr", "mtlx.geompropvalue_color3", "geomprop"),
                               ("preview", "preview.reader_float3", "varname")):  # fmt: skip
        done = carried(making.material("orvik", nodes), target)
        found = next(node for node in done.graph.nodes.values() if node.kind == kind)
        assert found.values[name] == "rust"
