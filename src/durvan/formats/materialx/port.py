"""MaterialX documents as a format: what the table of formats asks for."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from durvan.errors import SceneFileError
from durvan.formats import xml
from durvan.formats.materialx.document import Tree
from durvan.formats.materialx.reading import paths_of, read_document
from durvan.formats.materialx.writing import carried_before, read_back, write
from durvan.progress import Report, silent
from durvan.scene.assembly import Assembly
from durvan.scene.raw import RawScene
from durvan.scene.shapes import Shapes

__all__ = ["assembly", "carried_before", "paths_in", "read", "read_back", "rewrite", "shapes", "write"]


def read(file: Path, report: Report = silent) -> RawScene:
    """Everything in a document that is carried. Raises SceneFileError with the line."""
    return read_document(file, report)


def shapes(file: Path, report: Report = silent) -> Shapes:
    """A document has no shapes; its materials stand on the swatch."""
    del file, report
    return Shapes()


def assembly(file: Path, report: Report = silent) -> Assembly:
    """Nothing stands in a document."""
    del file, report
    return Assembly()


def paths_in(file: Path) -> list[str]:
    """Every path of a picture that a document names, with the prefixes of its own place left out."""
    return list(dict.fromkeys(path for _, path in paths_of(Tree(file))))


def rewrite(source: Path, out: Path, put: Callable[[str], str]) -> int:
    """Write a copy with other paths in it; how many were changed. Raises SceneFileError."""
    tree = Tree(source, comments=True)
    changed = 0
    for one, path in paths_of(tree):
        new = put(path)
        if new != path:
            one.set("value", new)
            changed += 1
    out.write_bytes(xml.to_bytes(tree.root))
    if paths_in(out) != list(dict.fromkeys(put(path) for path in paths_in(source))):
        raise SceneFileError("does not read back as it was meant.", file=out)
    return changed
