"""A thing on the common ground, between the source's words and the target's."""

from __future__ import annotations

from dataclasses import dataclass, field
from itertools import islice
from typing import cast

from durvan.crossing.translation.rows import Fault, Row
from durvan.dialects.said import Step
from durvan.scene.graph import Graph, Node, Value
from durvan.scene.vocabulary import Parameter

Port = tuple[str, str]  # a node's id, and a port of it
_DEFAULT = Step("by default")


@dataclass(slots=True)
class Inward:
    """A thing on the common ground, its rows, which rows each port of each node came from, and how nodes with several
    readings were read. `grown` are nodes that formulas made; their ports know for whom. `defaults` are the parameters
    whose defaults led to ports that no row came to. `order` has the source's nodes after those that feed them, where the
    source was taken as it is."""

    graph: Graph
    rows: list[Row] = field(default_factory=list)
    origins: dict[Port, list[Row]] = field(default_factory=dict)
    readings: dict[str, str] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)
    grown: set[str] = field(default_factory=set)
    defaults: dict[Port, tuple[str, str, str, Parameter]] = field(default_factory=dict)
    order: list[str] = field(default_factory=list)

    def learn_grown(self, before: int, rows: list[Row]) -> None:
        """The nodes after the first `before` were grown for some rows, which are told when a target cannot say them."""
        for node in islice(self.graph.nodes.values(), before, None):
            self.grown.add(node.id)
            for port in node.ports():
                self.origins.setdefault((node.id, port), []).extend(rows)

    def add_default(self, thing: str, node: str, name: str, family: str, parameter: Parameter) -> Row:
        """A row for a value that nobody set."""
        default = cast("Value | None", parameter.default)
        row = Row(thing, node, name, family, default, parameter.unit, steps=(_DEFAULT,))
        self.rows.append(row)
        return row

    def of_default(self, thing: str, port: Port, beside: bool = False) -> list[Row]:
        """A row for a value that nobody set, where its default cannot be carried as it is; none where no default led here,
        or where it only matters `beside` others of its family and nobody set any.
        """
        found = self.defaults.pop(port, None)
        if found is None:
            return []
        node, name, family, parameter = found
        if beside and not any((row.node, row.family) == (node, family) for row in self.rows):
            return []
        for row in self.rows:
            if (row.node, row.parameter) == (node, name):
                return []
        row = self.add_default(thing, node, name, family, parameter)
        self.origins.setdefault(port, []).append(row)
        return [row]


def lets_light_pass(node: Node, above: float = 0.0) -> bool:
    """Whether a surface of the common ground lets light pass, by a map or by more than a part (0 to 1) of it."""
    value = node.values.get("transmission_weight", 0.0)
    return "transmission_weight" in node.links or (isinstance(value, int | float) and value > above)
