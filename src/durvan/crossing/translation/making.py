"""How a person wants a material made, and what is known of it that helps."""

from __future__ import annotations

from dataclasses import dataclass

from durvan.dialects.pack import Pack
from durvan.scene.bodies import Body

NEEDED, NEVER, TO_MAPS = "where needed", "never", "to maps"


@dataclass(frozen=True)
class Making:
    """The ways that were chosen for a material: what is baked, whether what is cut out is to be a `stencil`, whether a flat pane is
    simplified, whether `procedurals` are baked even where the target has their like, how many `layers` there may be (0: as many as
    the target takes), and whether what the target cannot say stays as a `remnant`; `painted` are nodes of the target that give way to a picture. And what is known of it: what wears it, or that nothing can (`formless`), whether the target's file can give it another back (`backs`), its pictures
    (path as written, width, height, depth), and the common ground with its looks.
    """

    how: str = NEEDED
    stencil: bool = False
    body: Body | None = None
    pictures: tuple[tuple[str, int, int, str], ...] = ()
    ground: Pack | None = None
    pane: bool = False
    procedurals: bool = False
    layers: int = 0
    remnants: bool = False
    painted: frozenset[str] = frozenset()
    formless: bool = False
    backs: bool = False


AS_USUAL = Making()
