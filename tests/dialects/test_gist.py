"""The gist of a look against the renderer's own laws: nothing is said to give back what it does not."""

from __future__ import annotations

import random

import numpy as np
import pytest

from durvan.crossing.findings.recognised import MORE
from durvan.crossing.looks.recognition import of_material
from durvan.dialects.furnace import _some
from durvan.dialects.gist import _FUZZ, gist
from durvan.dialects.look import Facts, trace
from durvan.dialects.pack import Pack
from durvan.dialects.registry import Registry
from durvan.errors import DurvanError
from durvan.optics.lobes import layout, many
from durvan.optics.lobes import tables as kept
from durvan.scene.graph import Graph, Link, Node
from durvan.scene.model import Kind, Thing

pytestmark = pytest.mark.usefixtures("kernels")
FINE = np.cos(np.radians(np.linspace(0.0, 85.0, 35)))
TRIES = 12


def made_up(pack: Pack, chance: random.Random):
    """Records of surfaces with values from all of their ranges, with their networks."""
    for kind, node_type in pack.vocabulary.types.items():
        alone = not any(one.type == "surface" for one in node_type.parameters.values())
        if node_type.role != "surface" or not alone or node_type.abstract or pack.looks is None:
            continue
        for _ in range(TRIES):
            graph = Graph({"s": Node("s", kind, _some(node_type, chance))}, {"surface": Link("s")})
            try:
                rec = trace(graph, pack.vocabulary, pack.looks, Facts()).base
            except DurvanError:
                continue  # values that the dialect refuses
            kinds = [int(rec[layout.HEADER + n * layout.LOBE]) for n in range(int(rec[layout.COUNT]))]
            if layout.FIBRE not in kinds:
                yield graph, rec


def given_back(rec) -> np.ndarray:
    out = np.zeros((len(FINE), 6))
    many.albedos(rec, FINE, kept.tables(), out)
    return out[:, :3] + out[:, 3:]


@pytest.mark.parametrize("name", ["orvik", "pellune", "skarn", "openpbr", "standard", "gltf", "preview"])
def test_more_light_out_than_in_is_said_where_it_is_so(packs: Registry, name: str) -> None:
    pack, seen = packs.packs[name], 0
    for graph, rec in made_up(pack, random.Random(name)):
        truly = float(given_back(rec).max())
        said = of_material(Thing("/m", "m", Kind.MATERIAL, graph, name), packs, Facts(), None).most
        assert said <= truly + 1e-6, (truly, said, graph.nodes["s"].values)
        assert said > MORE or truly <= MORE + 0.15  # what a surface does at its very edge is let pass
        seen += 1
    assert seen >= TRIES


@pytest.mark.parametrize("name", ["orvik", "pellune", "openpbr", "standard"])
def test_the_parts_of_a_gist_add_up_to_what_is_given_back(packs: Registry, name: str) -> None:
    """On average over the hemisphere, whatever the order of its lobes: a rough measure, that is never far off."""
    off = []
    for _, rec in made_up(packs.packs[name], random.Random(name)):
        one = gist(rec)
        said = one.matt + one.deep + one.leaf + one.mirror + one.clear + one.fuzz
        off.append(float(np.abs(said - np.average(given_back(rec), axis=0, weights=FINE)).max()))
    assert np.median(off) < 0.05 and np.quantile(off, 0.9) < 0.3


def test_a_parent_that_comes_later_takes_its_share_too(packs: Registry) -> None:
    rec = np.zeros(layout.RECORD)
    rec[layout.COUNT] = 2
    base, coat = layout.HEADER, layout.HEADER + layout.LOBE
    rec[base + layout.KIND], rec[base + layout.PARENT] = layout.DIFFUSE, 1
    rec[base + layout.WEIGHT : base + layout.WEIGHT + 3] = 0.9
    rec[coat + layout.KIND], rec[coat + layout.PARENT], rec[coat + layout.FRESNEL] = layout.REFLECT, -1, layout.CONSTANT
    rec[coat + layout.WEIGHT : coat + layout.WEIGHT + 3] = 0.6
    rec[coat + layout.WITHIN], rec[coat + layout.COVER] = 1.0, layout.SCALED
    one = gist(rec)
    assert one.matt == pytest.approx([0.36] * 3) and one.mirror == pytest.approx([0.6] * 3)


def test_the_fuzz_is_that_of_the_tables() -> None:
    table = kept.tables()
    step = np.linspace(0.0, 1.0, kept.ALPHAS)
    means = table[kept.FUZZ_MEAN : kept.FUZZ_MEAN + kept.ALPHAS]
    assert np.interp(step, *_FUZZ) == pytest.approx(means, abs=0.006)
