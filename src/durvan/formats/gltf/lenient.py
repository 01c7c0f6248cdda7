"""Parts of a document as what they should be; anything else counts as nothing."""

from __future__ import annotations

from typing import Any


def listed(value: object) -> list[Any]:
    """A list."""
    return value if isinstance(value, list) else []


def table(value: object) -> dict[str, Any]:
    """An object."""
    return value if isinstance(value, dict) else {}


def extended(said: dict[str, Any], name: str) -> bool:
    """Whether an object has an extension."""
    return name in table(said.get("extensions"))


def extension(said: dict[str, Any], name: str) -> dict[str, Any]:
    """An object's extension; nothing where it has none."""
    return table(table(said.get("extensions")).get(name))


def inner(holder: dict[str, Any], name: str) -> dict[str, Any]:
    """An object within another, made where there is none."""
    found = holder.get(name)
    if not isinstance(found, dict):
        found = holder[name] = {}
    return found
