"""No look gives back more light than it gets: from both sides, at every angle, over the whole range of its parameters."""

from __future__ import annotations

import math

import numpy as np
import pytest

from durvan.dialects.look import Facts, Lobe, Record, Surface, record, trace
from durvan.dialects.registry import registry
from durvan.optics.lobes import layout as L
from durvan.optics.lobes import many
from durvan.optics.lobes.tables import tables
from made_up import Maker

COSINES = (1.0, 0.7, 0.35, 0.12, 0.03)
COUNT = 4096
MOST = 1.025  # of what the lattice of samples and the tables between their nodes may be wrong


@pytest.fixture(scope="module", autouse=True)
def _compiled(kernels: None) -> None:
    """Looks are asked by compiled code."""


def _lattice() -> np.ndarray:
    n = np.arange(COUNT)
    return np.stack([(n + 0.5) / COUNT, (n * 0.7548776662466927) % 1.0, (n * 0.5698402909980532) % 1.0], axis=1)


UNIT = _lattice()


def reflected(look: Record, cosine: float) -> np.ndarray:
    """What a look gives back and lets through of an even light, three channels; below 0 the cosine is from behind.

    Radiance is squeezed where light gets into a body and widened where it leaves; that is no gain.
    """
    rec = look.base
    sine = math.sqrt(1.0 - cosine * cosine)
    o = np.tile([sine, 0.0, cosine], (COUNT, 1))
    i, weight, pdf, chosen = np.zeros((COUNT, 3)), np.zeros((COUNT, 3)), np.zeros(COUNT), np.zeros(COUNT)
    many.sample_many(rec, o, UNIT, tables(), i, weight, pdf, chosen)
    weight[chosen < 0] = 0.0
    for n in range(int(rec[L.COUNT])):
        lobe = L.HEADER + n * L.LOBE
        if rec[lobe + L.KIND] == L.REFRACT:
            index = rec[lobe + L.FIRST]
            through = (i[:, 2] * cosine < 0.0) & (chosen == n)
            weight[through] *= index * index if cosine > 0.0 else 1.0 / (index * index)
    return weight.mean(axis=0)


def worst(look: Record) -> tuple[float, float]:
    """The most that it gives back, and at which cosine."""
    return max((float(reflected(look, side * c).max()), side * c) for c in COSINES for side in (1.0, -1.0))


@pytest.mark.parametrize("name", ["orvik", "pellune", "skarn", "openpbr", "preview"])
def test_looks_pass_a_furnace(name: str) -> None:
    pack = registry().packs[name]
    assert pack.looks is not None
    bad = []
    for seed in range(120):
        maker = Maker(pack, seed, wild=True)
        thing = maker.material()
        for port in [port for port, value in thing.graph.nodes["surface"].values.items() if value == "add"]:
            del thing.graph.nodes["surface"].values[port]  # what is added comes on top of all that there is
        look = trace(thing.graph, pack.vocabulary, pack.looks, Facts())
        most, where = worst(look)
        plain = thing.graph.nodes["surface"].kind == maker.plain[0]
        if not most <= (
            MOST if plain else 1.05
        ):  # at the very edge of a fibre all is steep; layers add their own parts
            bad.append((round(most, 3), where, seed, thing.graph.nodes["surface"].values))
    bad.sort(key=lambda row: -row[0])
    assert not bad, f"{len(bad)} of 120: " + "\n".join(map(str, bad[:12]))


def test_backs_of_opaque_surfaces_are_like_their_fronts() -> None:
    top = Lobe(L.REFLECT, 1.0, 0.3, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED)
    look = record(Surface([top, Lobe(L.DIFFUSE, 0.9, under=top)]))
    for cosine in COSINES:
        assert reflected(look, -cosine) == pytest.approx(reflected(look, cosine), rel=1e-6)


@pytest.mark.parametrize("index", [1.0, 1.5, 3.0, 8.0, 40.0, 100.0])
def test_a_mirror_leaves_to_its_base_what_it_does_not_reflect(index: float) -> None:
    """Over a white base nothing is gained and, where facets are smooth, nothing lost, whatever the index."""
    top = Lobe(L.REFLECT, 1.0, 0.01, fresnel=L.DIELECTRIC, first=index, cover=L.SCALED)
    look = record(Surface([top, Lobe(L.DIFFUSE, 1.0, under=top)]))
    for cosine in COSINES[:-1]:
        assert reflected(look, cosine) == pytest.approx(1.0, abs=0.03)
