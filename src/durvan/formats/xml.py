"""XML from outside, read safely: no document types, no entities, nothing from elsewhere."""

from __future__ import annotations

import re
from pathlib import Path
from typing import Any

from lxml import etree

from durvan.errors import SceneFileError
from durvan.regular import why_not

LARGEST = 1_000_000_000  # bytes
_NAMES_TOKENS = re.compile(
    rb'"[^"<>&]*(?:<[A-Za-z0-9_]+>[^"<>&]*)+"'
)  # a path with "<UDIM>" in it, as people write it by hand


def parse(file: Path, *, comments: bool = False) -> Any:
    """The root element of a file; every element knows its line (`sourceline`). Raises SceneFileError, with the line where there is one.

    A file that declares a document type is refused: it could define entities.
    """
    reason = why_not(file, LARGEST)
    if reason:
        raise SceneFileError(f"{reason}.", file=str(file)[:300])
    try:
        data = Path(file).read_bytes()
    except OSError as problem:
        raise SceneFileError(f"cannot be read: {problem.strerror}.", file=file) from problem
    if not data.strip():
        raise SceneFileError("is empty.", file=file)
    return parse_bytes(data, file, comments=comments)


def parse_bytes(data: bytes, file: Path, *, comments: bool = False) -> Any:
    """The same of what was read already."""
    try:
        root = _root(data, comments)
    except etree.XMLSyntaxError as problem:
        line = problem.lineno or 0
        said = (problem.msg or "it is no XML").split("\n")[0].removesuffix(f", line {line}, column {problem.offset}")
        raise SceneFileError(f"is not well-formed XML: {said}.", file=file, inside=f"line {line}") from problem
    except ValueError as problem:
        raise SceneFileError(f"is not XML: {problem}.", file=file) from problem
    if root.getroottree().docinfo.doctype:
        raise SceneFileError("declares a document type; files with one are not read.", file=file)
    return root


def _root(data: bytes, comments: bool) -> Any:
    """The root; tokens of paths that stand bare in values, which are no XML, are taken as they are meant."""

    def parsed(text: bytes) -> Any:
        parser = etree.XMLParser(
            resolve_entities=False, no_network=True, load_dtd=False, dtd_validation=False, remove_comments=not comments,
            remove_pis=True, huge_tree=False,
        )  # fmt: skip
        return etree.fromstring(text, parser)

    try:
        return parsed(data)
    except etree.XMLSyntaxError as problem:
        mended = _NAMES_TOKENS.sub(lambda found: found.group().replace(b"<", b"&lt;").replace(b">", b"&gt;"), data)
        if mended == data:
            raise
        try:
            return parsed(mended)
        except etree.XMLSyntaxError:
            raise problem from None


def to_bytes(root: Any) -> bytes:
    """A tree as text in UTF-8, two spaces a level; the same tree gives the same bytes."""
    etree.indent(root, space="  ")
    text: bytes = etree.tostring(root, xml_declaration=True, encoding="UTF-8")
    return text + b"\n"


def element(tag: str, parent: Any | None = None, **attributes: str) -> Any:
    """A new element, put at the end of its parent where there is one."""
    return etree.Element(tag, attributes) if parent is None else etree.SubElement(parent, tag, attributes)


def comment(text: str) -> Any:
    """A comment."""
    return etree.Comment(text)


def is_element(one: Any) -> bool:
    """Whether a child is an element, not a comment."""
    return isinstance(one.tag, str)
