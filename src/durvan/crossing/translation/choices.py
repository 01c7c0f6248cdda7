"""Choices: all that a person decides about what becomes of a scene. A plan depends on these, the scene and the packs.

These are the very entries that a .durvan file holds.
"""

from __future__ import annotations

from enum import StrEnum

from pydantic import BaseModel, ConfigDict

from durvan.crossing.translation.rows import By


class Placement(StrEnum):
    """Where the target's networks go."""

    BESIDE = "beside"
    ALONE = "alone"


class Chosen(BaseModel):
    """An entry of the document: a value that never changes, and that knows no other word."""

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)


class Override(Chosen):
    """A value that a person put in the place of the source's."""

    thing: str
    node: str
    parameter: str
    value: float | bool | str


class Reading(Chosen):
    """A case that a person chose for a node."""

    thing: str
    node: str
    case: str


class Turn(Chosen):
    """A picture whose green points the other way than its reader takes it."""

    thing: str
    node: str


class Note(Chosen):
    """A value that stands in the target in place of what the rules gave: by hand, or by a fit.

    `over` is what the rules gave then: where they give something else now, a fit does not count any more.
    `before` and `after` are the drift of the whole look that a fit was kept for.
    """

    thing: str
    node: str
    parameter: str
    value: bool | float | str | tuple[float, ...]
    by: By = By.HAND
    over: bool | float | str | tuple[float, ...] | None = None
    before: float = 0.0
    after: float = 0.0


class Choices(BaseModel):
    """What a plan depends on.

    `scope` is "everything", kinds joined by commas, or paths and names joined by commas. `values` replace what the
    source says; `readings` choose a case of a node's mapping; `left_out` are things that stay behind; `notes` are values
    put into the target; `turned` are pictures whose green is turned round. `copies` says where the tiled copies of
    pictures are that the target should read: empty for none, "beside" the originals, or a folder.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    target: str
    scope: str = "everything"
    placement: Placement = Placement.BESIDE
    values: tuple[Override, ...] = ()
    readings: tuple[Reading, ...] = ()
    left_out: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()
    turned: tuple[Turn, ...] = ()
    copies: str = ""
