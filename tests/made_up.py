"""Materials made up at random from any dialect's own vocabulary, whatever it has; for tests and for the tables of flags."""

from __future__ import annotations

import math
import random
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from durvan.dialects.pack import Pack
from durvan.formats import pictures
from durvan.scene.graph import Graph, Link, Node, Value
from durvan.scene.model import Kind, Thing
from durvan.scene.vocabulary import NodeType, Parameter

COLOURS = ("color", "vector3")


@dataclass
class Maker:
    """Makes materials of one dialect. `wild` draws from the whole range of every parameter, else mostly from where people
    work; `pictures` are files to read, by what they hold ("colour", "data"); no pictures, no picture nodes.
    """

    pack: Pack
    seed: int
    wild: bool = False
    networks: float = 0.0  # how many parameters are fed by a node
    pictures: dict[str, list[str]] = field(default_factory=dict)
    layers: float = 0.2  # how many are layers of several surfaces

    def __post_init__(self) -> None:
        self.rng = random.Random(f"{self.pack.name} {self.seed}")

    def material(self, number: int = 0) -> Thing:
        """A material; a few parameters of its surface differ from their defaults."""
        surfaces = {
            n: kind
            for n, kind in self.pack.vocabulary.types.items()
            if kind.role == "surface" and n in self.pack.compiled
        }
        layered = [name for name, kind in surfaces.items() if _takes_surfaces(kind)]
        self.plain = [name for name in surfaces if name not in layered]
        self.inner = self.plain[:1]
        if len(layered) > 2:  # surfaces are built up of others
            self.inner = [name for name in surfaces if name != "skarn.strand"]
        graph = Graph()
        mixes = self.layers and layered and self.rng.random() < (0.8 if len(layered) > 2 else self.layers)
        self._surface(graph, "surface", self.rng.choice(layered if mixes else self.plain))
        graph.outputs["surface"] = Link("surface")
        return Thing(f"/Made/M{number}", f"M{number}", Kind.MATERIAL, graph, self.pack.name)

    def _surface(self, graph: Graph, node: str, name: str) -> None:
        root = Node(node, name, {}, {})
        graph.add(root)
        share = self.rng.choice((0.06, 0.15, 0.4, 0.7))
        few = 0
        for port, parameter in self.pack.vocabulary.types[name].parameters.items():
            if parameter.type in ("normal", "file", "string"):
                continue
            if parameter.type == "surface":
                if few < 2 or self.rng.random() < 0.3:
                    inner = self.inner if node.count("_") < 3 else [name for name in self.inner if name in self.plain]
                    self._surface(graph, f"{node}_{port}", self.rng.choice(inner))
                    root.links[port] = Link(f"{node}_{port}")
                few += 1
                continue
            if self.rng.random() < self.networks and parameter.type in ("float", *COLOURS) and not parameter.steady:
                link = self._fed(graph, parameter, port, 0)
                if link is not None:
                    root.links[port] = link
                    continue
            if self.rng.random() < share:
                root.values[port] = self.value(parameter)

    def value(self, parameter: Parameter) -> Value:
        """A value for a parameter."""
        r = self.rng
        if parameter.type == "bool":
            return r.random() < 0.5
        if parameter.type == "token":
            return r.choice(parameter.choices)
        if parameter.type in COLOURS:
            grey = self._number(parameter)
            return (grey,) * 3 if r.random() < 0.3 else tuple(self._number(parameter) for _ in range(3))
        if parameter.type == "int":
            low, high = parameter.range or (0, 4)
            return r.randint(int(low), int(min(high, low + 8)))
        if parameter.type in ("vector2", "vector4"):
            return tuple(r.uniform(-2.0, 2.0) for _ in range(2 if parameter.type == "vector2" else 4))
        return self._number(parameter)

    def _number(self, parameter: Parameter) -> float:
        r = self.rng
        low, high = parameter.range or (0.0, 1.0)
        ends = r.random()
        if ends < (0.3 if self.wild else 0.12):
            return float(r.choice((low, high)))
        if high - low <= 4.0:
            return r.uniform(low, high)
        if low == 1.0:  # an index
            if self.wild:
                return math.exp(r.uniform(0.0, math.log(high)))
            return r.uniform(1.1, 2.4) if r.random() < 0.9 else r.uniform(2.4, 30.0)
        usual = parameter.default if isinstance(parameter.default, int | float) and parameter.default else 0.1
        if self.wild:
            usual = math.exp(r.uniform(math.log(1e-4), math.log(max(high, 1.0))))
        return min(max(float(usual) * math.exp(r.uniform(-2.0, 2.0)), low), high)

    def _fed(self, graph: Graph, parameter: Parameter, port: str, deep: int) -> Link | None:
        """A node that may feed a parameter, put into the graph; None when the dialect has none."""
        wanted = ("color", "vector3") if parameter.type in COLOURS else ("float",)
        choices = [
            (name, output)
            for name, kind in self.pack.vocabulary.types.items()
            if kind.role == "node" and name in self.pack.compiled and (self.pictures or not _reads(kind))
            for output, gives in kind.outputs.items()
            if gives in wanted
        ]
        if not choices:
            return None
        name, output = self.rng.choice(sorted(choices))
        kind = self.pack.vocabulary.types[name]
        node = Node(f"{port}{deep}{len(graph.nodes)}", name, {}, {})
        for inner, its in kind.parameters.items():
            if its.type == "file":
                node.values[inner] = self.rng.choice(self.pictures["colour" if wanted[0] == "color" else "data"])
            elif its.type in ("normal", "string"):
                continue
            elif (
                deep < 2
                and its.range is None
                and its.type in (*COLOURS, "float")
                and not its.steady
                and self.rng.random() < 0.7
            ):
                link = self._fed(graph, its, inner, deep + 1)
                if link is not None:
                    node.links[inner] = link
            elif self.rng.random() < 0.4:
                node.values[inner] = self.value(its)
        graph.add(node)
        return Link(node.id, output)


def _takes_surfaces(kind: NodeType) -> bool:
    return any(parameter.type == "surface" for parameter in kind.parameters.values())


def _reads(kind: NodeType) -> bool:
    return any(parameter.type == "file" for parameter in kind.parameters.values())


def maps(folder: Path) -> dict[str, list[str]]:
    """A few pictures to read."""
    rng = np.random.default_rng(11)
    smooth = rng.uniform(0.05, 0.95, (6, 6, 3)).repeat(8, axis=0).repeat(8, axis=1)
    grey = smooth[..., :1].repeat(3, axis=2)
    out: dict[str, list[str]] = {}
    for kind, values in (("colour", smooth), ("data", grey)):
        file = folder / f"{kind}.png"
        pictures.save(file, values.astype(np.float32))
        out[kind] = [str(file)]
    return out
