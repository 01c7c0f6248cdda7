"""Rows tell the truth: what is all exact looks the same, what is not says so, and a first guess knows which drifts."""

from __future__ import annotations

import itertools
from pathlib import Path

import pytest

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.choices import Choices
from durvan.crossing.translation.plan import plan
from durvan.dialects.registry import Registry
from durvan.dialects.said import Cause
from durvan.engine import swatches
from durvan.scene.fate import Fate
from durvan.scene.model import Scene, Thing
from made_up import Maker, maps
from making import material

pytestmark = pytest.mark.usefixtures("kernels")
PAIRS = list(itertools.permutations(("orvik", "pellune", "openpbr", "preview"), 2))


def carried(packs: Registry, thing: Thing, target: str):
    scene = Scene("made.usda", thing.dialect, things={thing.id: thing}, metres_per_unit=0.01)
    return Appearance(scene, packs), plan(scene, packs, Choices(target=target)).translations[thing.id]


def is_exact(translation) -> bool:
    return all(row.fate <= Fate.ADDED or row.why.cause is Cause.IDLE for row in translation.rows)


@pytest.mark.slow
def test_what_is_all_exact_looks_the_same(packs: Registry) -> None:
    exact = 0
    for source, target in PAIRS:
        for seed in range(160):
            maker = Maker(packs.get(source), 7000 + seed)
            thing = maker.material()
            values = thing.graph.nodes["surface"].values
            for name in maker.rng.sample(list(values), max(0, len(values) - 2)):
                del values[name]
            seen, done = carried(packs, thing, target)
            if not is_exact(done):
                continue
            exact += 1
            if seen.guess(thing, done).mean > 0.2:
                found = seen.drift(thing, done)
                assert found.mean - found.noise <= 0.3, (source, target, values, found)
    assert exact >= 15  # what is exact is there to be looked at


@pytest.mark.slow
def test_what_is_set_exactly_looks_the_same_in_networks_too(packs: Registry, tmp_path: Path) -> None:
    """Two things that are set or fed by nodes and pictures, and exact: what nobody set may be fitted, as all of it is."""
    files, exact, fed = maps(tmp_path), 0, 0
    for source, target in PAIRS:
        for seed in range(30):
            maker = Maker(packs.get(source), 9000 + seed, networks=0.35, pictures=files)
            thing = few(maker)
            seen, done = carried(packs, thing, target)
            rows = [row for row in done.rows if "by default" not in row.rule]
            if not all(row.fate <= Fate.ADDED or row.why.cause is Cause.IDLE for row in rows):
                continue
            if any(row.fate > Fate.FITTED for row in done.rows if "by default" in row.rule):
                continue
            exact, fed = exact + 1, fed + bool(thing.graph.nodes["surface"].links)
            if seen.guess(thing, done).mean > 0.4:
                found = seen.drift(thing, done)
                assert found.caveats or found.mean - found.noise <= 0.6, (source, target, thing.graph, found)
    assert exact >= 30 and fed >= 20


def few(maker: Maker) -> Thing:
    """A material of which two things at most are set or fed, and no nodes are left over."""
    thing = maker.material()
    root, graph = thing.graph.nodes["surface"], thing.graph
    names = [*root.values, *root.links]
    for name in maker.rng.sample(names, max(0, len(names) - 2)):
        root.values.pop(name, None)
        root.links.pop(name, None)
    for name in set(graph.nodes) - graph.reachable():
        del graph.nodes[name]
    return thing


@pytest.mark.parametrize("source,target", PAIRS)
def test_what_is_not_in_the_target_is_not_told_as_carried(
    packs: Registry, tmp_path: Path, source: str, target: str
) -> None:
    """Of networks made up at random: every target of a row is there and reached, and what has none shares the fate of
    what it feeds.
    """
    files = maps(tmp_path)
    lost = 0
    for seed in range(25):
        thing = Maker(packs.get(source), 11_000 + seed, networks=0.3, pictures=files).material()
        _, done = carried(packs, thing, target)
        live = done.graph.reachable()
        assert live == set(done.graph.nodes)
        assert all(node in live for row in done.rows for node, _ in row.targets)
        by_node = {name: [row for row in done.rows if row.node == name] for name in thing.graph.nodes}
        for name, rows in by_node.items():
            readers = [
                row for row in done.rows
                if row.node in thing.graph.nodes and (link := thing.graph.nodes[row.node].links.get(row.parameter)) and link.node == name
            ]  # fmt: skip
            if readers and min(row.fate for row in readers) >= Fate.LOST and not any(row.targets for row in rows):
                lost += len(rows)
                assert all(row.fate >= Fate.LOST for row in rows), (name, rows)
    assert lost > 0 or (source, target) == ("orvik", "openpbr")


@pytest.mark.parametrize("channels,fate", [(1.0, Fate.RECAST), (3.0, Fate.FITTED)])
def test_red_stands_for_grey_only_in_a_grey_picture(packs: Registry, channels: float, fate: Fate) -> None:
    nodes = {
        "surface": ("orvik.finish", {"polish_curve": "trowbridge"}, {"polish": ("map", "grey")}),
        "map": ("orvik.picture", {"file": "a.png", "decode_gamma": 1.0}, {}),
    }  # fmt: skip
    thing = material("orvik", nodes)
    thing.context["map:channels"] = channels
    _, done = carried(packs, thing, "preview")
    row = next(row for row in done.rows if row.parameter == "polish")
    assert row.fate is fate and ("its r is read" in row.reason) is (fate is Fate.FITTED)


@pytest.mark.parametrize("target", ["pellune", "openpbr", "preview"])
def test_solidity_is_read_past_what_changes_colours(packs: Registry, target: str) -> None:
    """A gain on a picture's colours is none on its solidity; it stays where solidity alone is read, and where it is scaled."""
    nodes = {
        "surface": ("orvik.finish", {"polish_curve": "trowbridge"}, {"polish": ("map", "alpha")}),
        "map": ("orvik.picture", {"file": "a.png", "decode_gamma": 1.0, "gain": 3.0}, {}),
    }  # fmt: skip
    _, done = carried(packs, material("orvik", nodes), target)
    rows = {(row.node, row.parameter): row for row in done.rows}
    assert rows["surface", "polish"].fate <= Fate.RECAST
    linked = next(link for node in done.graph.nodes.values() if node.id == "surface" for link in node.links.values())
    if target == "preview":  # the picture itself says one minus its solidity
        texture = done.graph.nodes[linked.node]
        assert linked.output == "a" and texture.values["scale"][3] == -1.0 and texture.values["bias"][3] == 1.0
    reads = [
        link
        for node in done.graph.nodes.values()
        for link in node.links.values()
        if link.output in ("a", "outa", "alpha")
    ]
    assert len(reads) == 1 and "image" in done.graph.nodes[reads[0].node].kind + (
        "image" if target == "preview" else ""
    )


def test_a_texture_scales_its_solidity_too(packs: Registry) -> None:
    nodes = {
        "surface": ("preview.surface", {}, {"roughness": ("map", "a")}),
        "map": ("preview.texture", {"file": "a.png", "scale": (1.0, 1.0, 1.0, -1.0), "bias": (0.0, 0.0, 0.0, 1.0)}, {}),
    }  # fmt: skip
    _, done = carried(packs, material("preview", nodes), "orvik")
    root = done.graph.nodes["surface"]
    assert root.links["polish"].output == "alpha"  # smoothness is one minus roughness: the two turns undo each other
    assert done.graph.nodes[root.links["polish"].node].values.get("gain", 1.0) == 1.0


@pytest.mark.parametrize("output,wanted", [("red", 0.6), ("green", 0.4), ("blue", 0.2), ("grey", 0.4)])
def test_a_channel_of_a_constant_is_that_channel(packs: Registry, output: str, wanted: float) -> None:
    """And what hangs on it: a condition of the mapping asks of what it comes to."""
    nodes = {
        "surface": ("orvik.finish", {"polish_curve": "trowbridge"}, {"cutout": ("made", output), "deep_amount": ("made", output)}),
        "made": ("orvik.correct", {"input": (0.6, 0.4, 0.2)}, {}),
    }  # fmt: skip
    _, done = carried(packs, material("orvik", nodes), "openpbr")
    values = done.graph.nodes["surface"].values
    assert values["geometry_opacity"] == pytest.approx(wanted) and values["subsurface_weight"] == pytest.approx(wanted)
    nodes = {
        "surface": ("pellune.surface", {}, {"lacquer": ("made", "grey")}),
        "made": ("pellune.adjust", {"input": (0.6, 0.4, 0.2)}, {}),
    }  # fmt: skip
    seen, done = carried(packs, material("pellune", nodes), "openpbr")
    assert done.graph.nodes["surface"].values["coat_darkening"] == 0.0
    assert seen.drift(material("pellune", nodes), done).mean < 0.5


def test_a_channel_stays_when_a_node_is_passed_over(packs: Registry) -> None:
    """A correction that changes nothing is left out; what it hands on is still the channel that it read."""
    nodes = {
        "surface": ("pellune.surface", {}, {"rough": ("same", "r")}),
        "same": ("pellune.adjust", {}, {"input": ("map", "b")}),
        "map": ("pellune.image", {"file": "a.png"}, {}),
    }  # fmt: skip
    _, done = carried(packs, material("pellune", nodes), "openpbr")
    assert done.graph.nodes["surface"].links["specular_roughness"].output == "outb"


def test_noise_goes_on_beyond_both_of_its_colours(packs: Registry) -> None:
    """Noise is about zero: where it is below, a mixture of two colours lies beyond the first, on both sides alike."""
    nodes = {
        "surface": ("orvik.finish", {}, {"base_tint": ("noise", "colour")}),
        "noise": ("orvik.noise", {"low": (0.5, 0.5, 0.1), "size": 2.0}, {}),
    }  # fmt: skip
    thing = material("orvik", nodes)
    seen, done = carried(packs, thing, "openpbr")
    assert seen.drift(thing, done).mean < 0.1


def test_a_shell_that_nothing_passes_has_no_effect(packs: Registry) -> None:
    one = material("orvik", {"surface": ("orvik.finish", {"mirror_tint": (0.9, 0.5, 0.5), "shell": True}, {})})
    two = material("orvik", {"surface": ("orvik.finish", {"mirror_tint": (0.9, 0.5, 0.5)}, {})})
    seen, done = carried(packs, one, "openpbr")
    row = next(row for row in done.rows if row.parameter == "shell")
    assert row.why.cause is Cause.IDLE
    assert swatches.fingerprint(seen.source(one, done)) == swatches.fingerprint(seen.source(two, done))


def test_maps_cannot_be_channels_of_one_value(packs: Registry) -> None:
    """A border colour that is fed by a map has no counterpart in a texture; it is said, not a fault."""
    nodes = {
        "surface": ("mtlx.open_pbr_surface", {}, {"base_color": ("map", "out")}),
        "map": ("mtlx.image", {"file": "a.png"}, {"default": ("other", "out")}),
        "other": ("mtlx.ramplr", {"valuel": (0.1, 0.2, 0.3)}, {}),
    }  # fmt: skip
    _, done = carried(packs, material("openpbr", nodes), "preview")
    assert next(row for row in done.rows if row.parameter == "default").fate >= Fate.HELD


@pytest.mark.parametrize("dialect", ["pellune", "openpbr"])
@pytest.mark.parametrize("share", [1.0, 0.6])
def test_tinted_glass_keeps_its_base_covered(packs: Registry, dialect: str, share: float) -> None:
    """Orvik's base is what the colour of the passage leaves over; a dark tint must not uncover it."""
    if dialect == "pellune":
        values = {"clear": share, "clear_color": (0.2, 0.5, 0.3), "color": (0.8, 0.2, 0.2)}
        thing = material("pellune", {"surface": ("pellune.surface", values, {})})
    else:
        values = {"transmission_weight": share, "transmission_color": (0.2, 0.5, 0.3), "base_color": (0.8, 0.2, 0.2)}
        thing = material("openpbr", {"surface": ("mtlx.open_pbr_surface", values, {})})
    seen, done = carried(packs, thing, "orvik")
    found = seen.drift(thing, done)
    assert found.mean < (0.3 if share == 1.0 else 1.5)


def test_defaults_that_are_not_met_have_a_row(packs: Registry) -> None:
    thing = material("preview", {"surface": ("preview.surface", {}, {})})
    _, done = carried(packs, thing, "openpbr")
    rows = {row.parameter: row for row in done.rows if row.node == "surface"}
    assert rows["ior"].fate is Fate.FITTED and rows["ior"].measure is not None and rows["ior"].value == 1.5
    assert "by default" in rows["ior"].rule
    thing = material("openpbr", {"surface": ("mtlx.open_pbr_surface", {}, {})})
    _, done = carried(packs, thing, "pellune")
    assert any(row.parameter == "specular_ior" and row.fate is Fate.FITTED for row in done.rows)


def test_who_is_served_by_a_grown_node_is_told_when_it_cannot_be_said(packs: Registry) -> None:
    nodes = {
        "surface": ("orvik.finish", {"mirror_tint": (0.9, 0.9, 0.9), "polish_curve": "trowbridge"}, {"mirror_index": ("map", "grey")}),
        "map": ("orvik.picture", {"file": "a.png", "decode_gamma": 1.0}, {}),
    }  # fmt: skip
    thing = material("orvik", nodes)
    _, done = carried(packs, thing, "pellune")
    row = next(row for row in done.rows if row.parameter == "mirror_index")
    assert row.fate >= Fate.FITTED and row.reason


def test_a_value_that_the_target_holds_back_is_not_exact(packs: Registry) -> None:
    thing = material("preview", {"surface": ("preview.surface", {"emissiveColor": (1e9, 0.5, 0.5)}, {})})
    _, done = carried(packs, thing, "orvik")
    row = next(row for row in done.rows if row.parameter == "emissiveColor")
    assert row.fate is Fate.FITTED and "holds" in row.reason


def test_a_guess_is_near_what_is_measured(packs: Registry) -> None:
    apart = []
    for number, (source, target) in enumerate(PAIRS):
        thing = Maker(packs.get(source), 300 + number).material()
        thing.graph.nodes["surface"].values = {
            name: value for name, value in thing.graph.nodes["surface"].values.items() if "catter" not in name and "deep" not in name
        }  # fmt: skip
        seen, done = carried(packs, thing, target)
        guess, found = seen.guess(thing, done), seen.drift(thing, done)
        assert guess.guessed and not found.guessed
        apart.append((guess.mean, found.mean))
    assert all(abs(guess - drift) <= max(0.9, 0.35 * drift) for guess, drift in apart), apart
    assert max(drift for _, drift in apart) > 2.0 > 0.5 > min(drift for _, drift in apart)
