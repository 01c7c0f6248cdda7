"""A furnace for looks: whether a surface gives back more light than it gets, over the ranges of its parameters."""

from __future__ import annotations

import random
from dataclasses import dataclass

import numpy as np

from durvan.dialects.conformance import samples
from durvan.dialects.look import Facts, Looks, trace
from durvan.dialects.pack import Pack
from durvan.errors import DurvanError
from durvan.optics.lobes import layout, many
from durvan.optics.lobes.tables import tables
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.vocabulary import NodeType

MOST = 1.02  # of what the tables between their nodes may be wrong
_COSINES = np.cos(np.radians([0.0, 30.0, 60.0, 80.0]))
_TRIES = 24


@dataclass(frozen=True)
class Hot:
    """A surface that gives back `most` times what it gets, at so many degrees from its normal, with some values; or `said`, why its
    look cannot be worked out."""

    kind: str
    most: float = 0.0
    degrees: float = 0.0
    values: tuple[tuple[str, Value], ...] = ()
    said: str = ""


def surfaces(pack: Pack) -> list[Hot]:
    """The worst of every surface of a pack that is not one of others; none for those that conserve energy."""
    found = []
    for kind, node_type in pack.vocabulary.types.items():
        alone = not any(one.type == "surface" for one in node_type.parameters.values())
        if node_type.role == "surface" and alone and not node_type.abstract and pack.looks is not None:
            worst = _worst(pack, pack.looks, kind, node_type)
            if worst is not None:
                found.append(worst)
    return found


def _worst(pack: Pack, looks: Looks, kind: str, node_type: NodeType) -> Hot | None:
    chance = random.Random(kind)
    worst: Hot | None = None
    for number in range(_TRIES):
        values = {} if number == 0 else _some(node_type, chance)
        graph = Graph({"surface": Node("surface", kind, values)}, {"surface": Link("surface")})
        try:
            rec = trace(graph, pack.vocabulary, looks, Facts()).base
        except (DurvanError, ArithmeticError, ValueError, TypeError) as problem:
            return Hot(kind, said=str(problem))
        if any(int(rec[layout.HEADER + n * layout.LOBE]) == layout.FIBRE for n in range(int(rec[layout.COUNT]))):
            continue  # a fibre gives light to all sides, and loses none of it by its own law
        out = np.zeros((len(_COSINES), 6))
        many.albedos(rec, _COSINES, tables(), out)
        both = np.max(out[:, :3] + out[:, 3:], axis=1)
        where = int(np.argmax(both))
        if both[where] > max(MOST, worst.most if worst is not None else 0.0):
            degrees = float(np.degrees(np.arccos(_COSINES[where])))
            worst = Hot(kind, float(both[where]), round(degrees), tuple(values.items()))
    return worst


def _some(kind: NodeType, chance: random.Random) -> dict[str, Value]:
    """Values for some parameters, from all of their ranges."""
    return {
        name: chance.choice(samples(one))
        for name, one in kind.parameters.items()
        if one.type not in ("normal", "file", "string", "surface", "paths", "any") and chance.random() < 0.5
    }
