"""Names that a glTF file gives, as paths: unique, valid everywhere, the same for the same file."""

from __future__ import annotations

from typing import Any

from durvan.formats.naming import Taken, clean, unique

MATERIALS, SCENE = "/Materials", "/Scene"


def material_paths(materials: list[dict[str, Any]]) -> list[str]:
    """The path of each material."""
    taken = Taken()
    return [f"{MATERIALS}/{unique(clean(one.get('name'), f'material_{n}'), taken)}" for n, one in enumerate(materials)]


def parents(nodes: list[dict[str, Any]]) -> tuple[list[int], list[int]]:
    """Each node's parent (−1 for none), and an order with parents before children. A node in a circle, or with two parents, is
    cut loose there.
    """
    count = len(nodes)
    above = [-1] * count
    below = [(place, node["children"]) for place, node in enumerate(nodes) if "children" in node]
    for place, children in below:
        if isinstance(children, list):
            for child in children:
                if isinstance(child, int) and 0 <= child < count and child != place and above[child] == -1:
                    above[child] = place
    if not below:
        return above, list(range(count))
    order: list[int] = []
    state = bytearray(count)
    for start, parent in enumerate(above):
        if state[start]:
            continue
        if parent == -1 or state[parent]:  # most stand below what was met already
            state[start] = 1
            order.append(start)
            continue
        chain = []
        here = start
        while here != -1 and not state[here]:
            state[here] = 1
            chain.append(here)
            here = above[here]
        if here != -1 and here in chain:  # a circle
            above[chain[-1]] = -1
        order.extend(reversed(chain))
    return above, order


def node_paths(nodes: list[dict[str, Any]], above: list[int], order: list[int]) -> list[str]:
    """The path of each node, below its parent's."""
    out = [""] * len(nodes)
    taken: dict[int, Taken] = {}
    siblings = Taken()
    parent, home = -2, ""
    for place in order:
        if above[place] != parent:
            parent = above[place]
            siblings = taken.setdefault(parent, Taken("shape"))
            home = f"{out[parent] if parent != -1 else SCENE}/"
        name = nodes[place].get("name")
        if not (isinstance(name, str) and name.isascii() and name.isidentifier() and len(name) < 120):
            name = clean(name, f"node_{place}")
        name = name if name not in siblings else unique(name, siblings)
        siblings.add(name)
        out[place] = home + name
    return out
