"""Large networks made up for tests and benchmarks: trees, networks that can be drawn without a crossing, and any."""

from __future__ import annotations

import random
from collections.abc import Mapping

from durvan.scene.graph import Graph, Link, Node

Feeders = dict[str, list[str]]


def tree(count: int, rng: random.Random, fan: int = 4) -> Feeders:
    """Every node but the first feeds one of those shortly before it; none is fed by more than `fan`."""
    feeders: Feeders = {f"n{number}": [] for number in range(count)}
    for number in range(1, count):
        open_ = [n for n in range(max(0, number - 30), number) if len(feeders[f"n{n}"]) < fan]
        feeders[f"n{rng.choice(open_)}"].append(f"n{number}")
    return feeders


def plane(count: int, rng: random.Random) -> Feeders:
    """A network with shared nodes that can be drawn in columns without a crossing: from each column to the next links go down a
    stair. Its nodes are named in no order."""
    columns, feeders = [["n0"]], {"n0": []}
    while len(feeders) < count:
        wide = min(count - len(feeders), max(1, round(len(columns[-1]) * rng.uniform(0.6, 1.9)) + rng.choice([0, 1])))
        fresh = [f"n{len(feeders) + k}" for k in range(wide)]
        feeders.update({name: [] for name in fresh})
        near, a, b = columns[-1], 0, 0
        feeders[near[0]].append(fresh[0])
        while a < len(near) - 1 or b < wide - 1:
            behind = (a + 1) / len(near) - (b + 1) / wide + rng.uniform(-0.2, 0.2) / len(near)
            more_a = a < len(near) - 1 and (b == wide - 1 or behind <= 0.0 or rng.random() < 0.2)
            more_b = b < wide - 1 and (a == len(near) - 1 or behind > 0.0)
            a, b = a + more_a, b + more_b
            feeders[near[a]].append(fresh[b])
        columns.append(fresh)
    names = list(feeders)
    rng.shuffle(names)
    return {name: feeders[name] for name in names}


def any_way(count: int, rng: random.Random) -> Feeders:
    """Every node is fed by some of those that come soon after it, and feeds one at least."""
    feeders: Feeders = {f"n{number}": [] for number in range(count)}
    for number in range(1, count):
        for near in {rng.randrange(max(0, number - 12), number) for _ in range(rng.choice([1, 1, 1, 2]))}:
            feeders[f"n{near}"].append(f"n{number}")
    return feeders


def network(feeders: Mapping[str, list[str]], first: str = "n0") -> Graph:
    """A network of Orvik's words with that shape: blends and corrections below a finish, pictures at its ends."""
    slots = tuple(f"{what}_{number}" for number in range(1, 5) for what in ("map", "share"))
    graph = Graph(outputs={"surface": Link("surface")})
    graph.add(Node("surface", "orvik.finish", {"polish": 0.7}, {"base_tint": Link(first, "colour")}))
    for name, own in feeders.items():
        if len(own) == 0:
            node = Node(name, "orvik.picture", {"file": f"{name}.png", "repeats": (2.0, 1.0)})
        elif len(own) == 1:
            node = Node(name, "orvik.correct", {"gain": (0.5, 0.5, 0.5)}, {"input": Link(own[0], "colour")})
        else:
            links = {slots[k]: Link(feeder, "colour") for k, feeder in enumerate(own[: len(slots)])}
            node = Node(name, "orvik.blend", {"ground": (0.2, 0.2, 0.2)}, links)
        graph.add(node)
    return graph


def scene_text(graph: Graph) -> str:
    """A stage with one material of such a network."""
    out = ['#usda 1.0\n(\n    defaultPrim = "W"\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\ndef Xform "W"\n{\n']
    out.append('def Material "Large"\n{\ntoken outputs:orvik:surface.connect = </W/Large/surface.outputs:out>\n')
    for node in graph.nodes.values():
        out.append(f'def Shader "{node.id}"\n{{\nuniform token info:id = "{node.kind}"\n')
        for port, link in node.links.items():
            out.append(f"color3f inputs:{port}.connect = </W/Large/{link.node}.outputs:{link.output}>\n")
        for port, value in node.values.items():
            out.append(f"{_typed(port, value)}\n")
        out.append("token outputs:out\ncolor3f outputs:colour\n}\n")
    out.append("}\n}\n")
    return "".join(out)


def _typed(port: str, value: object) -> str:
    if isinstance(value, str):
        return f"asset inputs:{port} = @{value}@"
    if isinstance(value, tuple):
        kind = "color3f" if len(value) == 3 else "float2"
        return f"{kind} inputs:{port} = ({', '.join(map(str, value))})"
    return f"float inputs:{port} = {value}"
