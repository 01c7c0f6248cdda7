"""What a drift is about: both networks and the pictures that they read. Another look has another key, so that nothing
that was measured can be taken for what it is not."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable

from durvan.crossing.translation.result import Translation, as_meant
from durvan.scene.graph import Graph
from durvan.scene.model import OutsideFile, Thing

LookKey = str


def of_graph(graph: Graph) -> str:
    """A network in words: equal only to one that says the same."""
    parts = [f"{output}>{link.node}.{link.output}" for output, link in sorted(graph.outputs.items())]
    parts += [
        f"{node.id}:{node.kind}:{sorted(node.values.items())}:{sorted((p, k.node, k.output) for p, k in node.links.items())}"
        for node in graph.nodes.values()
    ]
    return "\n".join(parts)


def of_thing(thing: Thing) -> str:
    """A thing's own network in words; worked out once, as a scene's things do not change."""
    if not thing.words:
        thing.words = "\n".join((of_graph(thing.graph), *(f"green round: {node}" for node in thing.turned)))
    return thing.words


def look_key(thing: Thing, translation: Translation, files: Iterable[OutsideFile]) -> LookKey:
    """The key of a material's two looks, with the files that it reads as they are now."""
    if not translation.looks:
        parts = (
            thing.dialect,
            of_thing(as_meant(thing, translation)),
            translation.target_dialect,
            of_graph(translation.graph),
        )
        translation.looks = hashlib.sha256("\n\n".join(parts).encode("utf-8", "surrogatepass")).hexdigest()
    read = sorted(f"{file.written}|{file.first}|{file.size}|{file.changed}" for file in files)
    if not read:
        return translation.looks
    return hashlib.sha256("\n".join((translation.looks, *read)).encode("utf-8", "surrogatepass")).hexdigest()
