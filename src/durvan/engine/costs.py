"""What baked pictures cost, as it was found when they were painted; to be read without a renderer."""

from __future__ import annotations

import json
import os
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path

import platformdirs

from durvan.scene.baking import Bake

NOTE = "made.json"


@dataclass(frozen=True)
class Cost:
    """How far a picture is from what it stands for: the mean CIEDE2000 of a colour, the mean difference of data, the mean angle of
    normals in degrees.
    """

    mean: float
    unit: str = ""

    @property
    def number(self) -> str:
        """The number as people read it."""
        return f"{self.mean:.2f}" if self.unit else f"{self.mean:.2g}"


def folder(bake: Bake) -> Path:
    """Where a bake is kept once it is painted."""
    kept = Path(os.environ.get("DURVAN_SWATCHES") or platformdirs.user_cache_path("durvan") / "swatches")
    return kept / "baked" / bake.key[:2] / bake.key


def cost_of(bake: Bake) -> Cost | None:
    """What a baked picture cost; None of one that was not painted yet, or where it cannot be told."""
    with suppress(OSError, ValueError, KeyError, TypeError):
        mean, unit = json.loads((folder(bake) / NOTE).read_text(encoding="utf-8"))["cost"]
        return Cost(float(mean), str(unit))
    return None
