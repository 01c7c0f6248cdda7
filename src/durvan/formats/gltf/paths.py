"""Names that a glTF file gives, as paths: unique, valid everywhere, the same for the same file."""

from __future__ import annotations

import re
from typing import Any

from durvan.identity import Namer, clean

# What keeps names, one a line, from being paths as they stand: ends that are cut off, digits before, nothing; and `shape`
_ODD = re.compile(r"\n[0-9_\n]|_\n|\nshape\n")
MATERIALS, SCENE = "/Materials", "/Scene"


def material_paths(materials: list[dict[str, Any]]) -> list[str]:
    """The path of each material."""
    taken = Namer(exact=True)
    return [f"{MATERIALS}/{taken.numbered(clean(one.get('name'), f'material_{n}'))}" for n, one in enumerate(materials)]


def parents(nodes: list[dict[str, Any]]) -> tuple[list[int], list[int]]:
    """Each node's parent (−1 for none), and an order with parents before children. A node in a circle, or with two parents, is
    cut loose there.
    """
    count = len(nodes)
    above = [-1] * count
    below = [(place, node["children"]) for place, node in enumerate(nodes) if "children" in node]
    for place, children in below:
        for child in children if isinstance(children, list) else ():
            if type(child) is int and 0 <= child < count and above[child] == -1 and child != place:
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


class NodePaths:
    """The paths of a file's nodes, all made when the first is asked for."""

    def __init__(self, nodes: list[dict[str, Any]], above: list[int], order: list[int]) -> None:
        self._nodes: tuple[list[dict[str, Any]], list[int], list[int]] | None = (nodes, above, order)
        self._paths: list[str] = []

    def __getitem__(self, place: int) -> str:
        return self.all()[place]

    def all(self) -> list[str]:
        """Every node's, in their order."""
        if self._nodes is not None:
            self._paths, self._nodes = node_paths(*self._nodes), None
        return self._paths


def node_paths(nodes: list[dict[str, Any]], above: list[int], order: list[int]) -> list[str]:
    """The path of each node, below its parent's."""
    out = [""] * len(nodes)
    below: dict[int, list[int]] = {}
    for place in order:  # parents come before children, so the groups do, too
        below.setdefault(above[place], []).append(place)
    for parent, places in below.items():
        home = f"{out[parent] if parent != -1 else SCENE}/"
        names = _sibling_names([nodes[place].get("name") for place in places], places)
        for place, name in zip(places, names, strict=True):
            out[place] = home + name
    return out


def _sibling_names(said: list[Any], places: list[int]) -> list[str]:
    """The names of nodes beside each other; `shape` is what each may show."""
    if set(map(type, said)) == {str} and len(set(said)) == len(said) and max(map(len, said)) < 120:
        lines = "\n".join(said)
        letters = lines.replace("\n", "").replace("_", "")
        if (
            letters.isascii()
            and letters.isalnum()
            and lines.count("\n") == len(said) - 1
            and not _ODD.search(f"\n{lines}\n")
        ):
            return said
    taken = Namer(["shape"], exact=True)
    return [taken.numbered(clean(name, f"node_{place}")) for name, place in zip(said, places, strict=True)]
