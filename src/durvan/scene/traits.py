"""What a material is, as far as its look, its network and its shapes tell; and the numbers that this goes by."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class MaterialKind(StrEnum):
    """What a material can be."""

    METAL = "bare metal"
    PAINTED = "painted"
    GLAZED = "glazed"
    PLASTIC = "plastic"
    SOLID_GLASS = "solid glass"
    THIN_GLASS = "thin glass"
    LIQUID = "liquid"
    CLOTH = "cloth"
    WAX = "wax or skin"
    FOLIAGE = "foliage"
    FIBRE = "fibre"
    GLOW = "glow"
    FLAT = "flat"
    UNKNOWN = "unknown"


KIND_WORDS = frozenset(kind.value for kind in MaterialKind)


@dataclass(frozen=True)
class Traits:
    """What a material was recognised as, how `sure` that is (0 to 1), and why; with what it goes by: parts of white light that it
    scatters, reflects when faced and lets through, all that it gives back of what it gets (`most`, of the largest channel), how
    solid it is (least, mean, most), the height of its relief and how far light goes below its surface in metres, its glow in nit;
    whether light is bent (`bends`), what of it depends on how it is faced, whether it is cut out by a map (`masked`), by how much
    more it scatters when seen aside, and between what its reflection when faced is painted with a picture (least, most), if it is;
    how far its surface is moved at most, in metres.
    """

    kind: MaterialKind = MaterialKind.UNKNOWN
    sure: float = 0.0
    because: str = ""
    matt: float = 0.0
    faced: float = 0.0
    clear: float = 0.0
    most: float = 0.0
    opacity: tuple[float, float, float] = (1.0, 1.0, 1.0)
    relief: float = 0.0
    reach: float = 0.0
    glow: float = 0.0
    bends: bool = False
    facing: str = ""
    masked: bool = False
    aside: float = 0.0
    painted: tuple[float, float] = (0.0, 0.0)
    moved: float = 0.0

    @property
    def told(self) -> str:
        """The kind and how sure it is, as people read it."""
        return f"{self.kind.value}, {100 * self.sure:.0f} % sure"
