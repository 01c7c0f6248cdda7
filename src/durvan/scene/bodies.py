"""What a material is worn by: how large it is, whether it is closed or a sheet, and whether its UVs can carry a picture."""

from __future__ import annotations

from dataclasses import dataclass

USABLE = 0.98  # share of triangles that have UVs with an area
ONCE = 0.06  # share of the UVs that may be used twice for a picture that is made from places


@dataclass(frozen=True)
class Body:
    """All that wears a material, taken together. `area` in square metres; `size` is half the longest side of the median object's box in
    metres, `thickness` its shortest side; `closed` the share of its area on meshes that enclose a volume; `strands` says that
    it is curves; `print` is equal only for the same triangles in the same places with the same UVs; `with_uvs` the share of its triangles that have UVs, `uv_area` what they cover in all, `twice` how much of that
    lies over each other, `tiles` the squares of UVs that are used, as UDIM numbers.
    """

    objects: int = 0
    area: float = 0.0
    size: float = 0.0
    thickness: float = 0.0
    closed: float = 0.0
    strands: bool = False
    with_uvs: float = 0.0
    uv_area: float = 0.0
    twice: float = 0.0
    tiles: tuple[int, ...] = ()
    print: str = ""

    @property
    def has_uvs(self) -> bool:
        """Whether a picture can be laid on it."""
        return self.with_uvs >= USABLE and self.uv_area > 0.0 and not self.strands

    @property
    def unwrapped(self) -> bool:
        """Whether each place of it has a place of its own in the UVs, so that a picture can hold what is there."""
        return self.has_uvs and self.twice <= ONCE

    @property
    def metres_per_uv(self) -> float:
        """How long a unit of UVs is on it, about; 0 where nobody can say."""
        return (self.area / self.uv_area) ** 0.5 if self.uv_area > 0.0 else 0.0

    @property
    def is_sheet(self) -> bool:
        """Whether it is mostly open, and thin like a sheet."""
        return self.area > 0.0 and self.closed < 0.5

    @property
    def is_solid(self) -> bool:
        """Whether it encloses a volume."""
        return self.closed >= 0.5
