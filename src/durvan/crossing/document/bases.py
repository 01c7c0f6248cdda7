"""What things were when they were decided about, so that a decision whose thing is another one now is told."""

from __future__ import annotations

from durvan.crossing.document.decided import decisions, is_path
from durvan.crossing.document.document import Basis, Document
from durvan.scene.fingerprint import fingerprint
from durvan.scene.model import Scene, Thing


def print_of(thing: Thing) -> str:
    """A thing of a scene in few letters, whatever its nodes are called; worked out once, as a scene's things do not change."""
    if not thing.basis:
        thing.basis = f"{thing.dialect}:{fingerprint(thing.graph)[:24]}"
    return thing.basis


def based(document: Document, scene: Scene) -> Document:
    """A document that knows of everything that it has decisions about what that was when the first of them was taken."""
    about = dict.fromkeys(one.about for one in decisions(document) if is_path(one.about))
    known = {one.thing: one for one in document.bases}
    bases = tuple(
        known.get(path) or Basis(thing=path, print=print_of(scene.things[path]))
        for path in about
        if path in known or path in scene.things
    )
    return document if bases == document.bases else document.model_copy(update={"bases": bases})


def others(document: Document, scene: Scene) -> frozenset[str]:
    """The things that are not what they were when they were decided about."""
    return frozenset(
        one.thing
        for one in document.bases
        if one.thing in scene.things and print_of(scene.things[one.thing]) != one.print
    )
