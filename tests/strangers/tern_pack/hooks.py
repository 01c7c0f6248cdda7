"""What Tern's files say otherwise than its vocabulary: an older paint went by another name."""

from __future__ import annotations

from durvan.scene.graph import Graph

OLD = "tern.oldPaint"


def kind_of(shader_id: str) -> str | None:
    """An old paint is a paint."""
    return "tern.paint" if shader_id == OLD else None


def folds(shader_id: str) -> bool:
    """Nothing is folded."""
    return False


def fold(graph: Graph) -> None:
    """Nothing is folded."""


def before_reading(graph: Graph, metres_per_unit: float) -> None:
    """Nothing is put otherwise."""


def in_file_units(graph: Graph, metres_per_unit: float) -> None:
    """Nothing is measured in space."""


def after_writing(graph: Graph, metres_per_unit: float) -> None:
    """Nothing is put otherwise."""
