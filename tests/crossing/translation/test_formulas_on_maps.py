"""A formula on a map acts on the map: by a node, by a picture, or not at all; never is the raw map linked in its place."""

from __future__ import annotations

import numpy as np
import pytest

from durvan.crossing.looks.appearance import Appearance
from durvan.crossing.translation.making import AS_USUAL, Making
from durvan.crossing.translation.translate import translate
from durvan.dialects.registry import Registry
from durvan.formats import pictures
from durvan.scene.bodies import Body
from durvan.scene.fate import Fate
from durvan.scene.model import Scene, Thing
from making import material

UNWRAPPED = Body(1, 1.0, 0.5, 0.1, 0.0, False, 1.0, 1.0, 0.0, (1001,))
WITHOUT_UVS = Body(1, 1.0, 0.5, 0.1)
# a material's port, which means another number in the target, and what else is set
DRIVEN = {
    "mask": ("orvik", "cutout", {}),
    "polish": ("orvik", "polish", {"mirror_tint": (0.8, 0.8, 0.8), "edge_rise": False, "polish_curve": "trowbridge"}),
    "rough": ("pellune", "rough", {"metal": 1.0, "color": (0.8, 0.8, 0.8)}),
}
ROOT = {"orvik": "orvik.finish", "pellune": "pellune.surface"}
READ = {"orvik": ("orvik.picture", {"decode_gamma": 1.0}), "pellune": ("pellune.image", {"role": "data"})}
PAIRS = [
    (name, target)
    for name, (dialect, *_) in DRIVEN.items()
    for target in ("pellune", "skarn", "preview", "openpbr", "gltf", "orvik")
    if target != dialect
]


@pytest.fixture(scope="module")
def ramp(tmp_path_factory: pytest.TempPathFactory) -> str:
    """A picture from 0.2 to 0.7."""
    file = tmp_path_factory.mktemp("maps") / "ramp.png"
    pictures.save(file, np.linspace(0.2, 0.7, 64, dtype=np.float32)[None, :, None].repeat(64, 0).repeat(3, 2))
    return str(file)


def driven(name: str, ramp: str) -> Thing:
    dialect, port, values = DRIVEN[name]
    kind, reading = READ[dialect]
    nodes = {"surface": (ROOT[dialect], values, {port: ("c", "grey")}), "c": (kind, {"file": ramp, **reading}, {})}
    return material(dialect, nodes)


def carried(packs: Registry, thing: Thing, target: str, ramp: str, body: Body | None, how: str = AS_USUAL.how):
    making = Making(how, body=body, pictures=((ramp, 64, 64, "uint8"),))
    return translate(thing, packs.packs[thing.dialect], packs.packs[target], 0.01, making=making)


def drift(packs: Registry, thing: Thing, done) -> float:
    found = Appearance(Scene("none.usda", thing.dialect, 0.01, things={thing.id: thing}), packs).drift(thing, done)
    assert found is not None and not found.caveats
    return found.mean


@pytest.mark.usefixtures("kernels")
@pytest.mark.parametrize(("name", "target"), PAIRS)
def test_a_map_is_carried_as_well_as_its_numbers(packs: Registry, ramp: str, name: str, target: str) -> None:
    thing = driven(name, ramp)
    done = carried(packs, thing, target, ramp, UNWRAPPED)
    row = next(row for row in done.rows if row.parameter == DRIVEN[name][1])
    assert row.fate is not Fate.HELD
    alone = []
    for value in (0.2, 0.45, 0.7):
        even = material(
            thing.dialect, {"surface": (ROOT[thing.dialect], DRIVEN[name][2] | {DRIVEN[name][1]: value}, {})}
        )
        alone.append(drift(packs, even, carried(packs, even, target, ramp, UNWRAPPED)))
    assert drift(packs, thing, done) < max(alone) + 0.4


@pytest.mark.parametrize(("name", "target"), PAIRS)
@pytest.mark.parametrize("how", ["never", AS_USUAL.how])
def test_where_nothing_can_be_baked_the_raw_map_is_not_linked(
    packs: Registry, ramp: str, name: str, target: str, how: str
) -> None:
    """Either the target says the formula by nodes, or a number stands there and the row is held or lost."""
    thing = driven(name, ramp)
    met = carried(packs, thing, target, ramp, UNWRAPPED)
    done = carried(packs, thing, target, ramp, UNWRAPPED if how == "never" else WITHOUT_UVS, how)
    row = next(row for row in done.rows if row.parameter == DRIVEN[name][1])
    assert not done.bakes
    linked = {(node.id, port) for node in done.graph.nodes.values() for port in node.links}
    if met.bakes:  # it takes a picture to say it
        assert row.fate in (Fate.HELD, Fate.LOST) and row.reason and linked.isdisjoint(row.targets)
    else:
        assert done.graph.nodes.keys() == met.graph.nodes.keys() and not linked.isdisjoint(row.targets)


def test_what_a_formula_grows_while_a_thing_is_written_is_baked_with_its_use(packs: Registry, ramp: str) -> None:
    """The grown node is no node that the network had at first: what feeds what is asked again."""
    (bake,) = carried(packs, driven("mask", ramp), "skarn", ramp, UNWRAPPED).bakes
    assert (bake.name, bake.space, bake.size) == ("Paint_hole_raw.png", "raw", 64)
