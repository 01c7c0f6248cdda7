"""Texts that other libraries give: they may hold bytes that are none of any encoding, and be endless."""

from __future__ import annotations

from collections.abc import Callable

_READ = 20_000  # characters of a text that are looked at at all


def text_of(get: Callable[[], object]) -> str:
    """A text that a library gives when it is asked; what is no UTF-8 in it is shown as such."""
    try:
        return str(get())[:_READ]
    except UnicodeDecodeError as problem:
        return bytes(problem.object)[:_READ].decode("utf-8", "replace")
