"""Choices: all that a person decides about what becomes of a scene. A plan depends on these, the scene and the packs.

These are the very entries that a .durvan file holds.
"""

from __future__ import annotations

from collections.abc import Iterable
from enum import StrEnum
from typing import Annotated, Literal

from pydantic import BaseModel, ConfigDict, Field

from durvan.crossing.translation.rows import By
from durvan.scene.traits import MaterialKind


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


class KindSaid(Chosen):
    """What a person says that a material is, in place of what was recognised."""

    thing: str
    kind: MaterialKind


PolicyMatter = Literal["bake", "see-through", "panes", "procedurals", "layers", "remnants"]


class Merged(Chosen):
    """A material that is the same as another one, which is worn in its place."""

    thing: str
    into: str


class Policy(Chosen):
    """A way in which something is done: of everything ("everything"), a kind of material ("kind:" and its word), or one thing. What
    there is to choose stands in `policies.WAYS`.
    """

    subject: str
    what: PolicyMatter
    how: str


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


class Redirect(Chosen):
    """What the target has in one place is given to another parameter by hand; the former place has its default then."""

    thing: str
    node: str
    parameter: str
    to_node: str
    to_parameter: str


class Swap(Chosen):
    """A node of the target gives way to one of another type, or (`kind` "picture") to a picture of what it gives."""

    thing: str
    node: str
    kind: str


class Trim(Chosen):
    """Stops on lights of the target. `subject` is "everything", "environment", "kind:" and a word of the common ground
    ("kind:glow" for materials), or a thing.
    """

    subject: str
    stops: float = Field(ge=-30.0, le=30.0)


class Tinting(Chosen):
    """Lights of the target are forced to the colour of a temperature: all that `subject` names ("everything", a thing), or only
    those of them that are white.
    """

    subject: str
    kelvin: float = Field(ge=1000.0, le=25000.0)
    only_white: bool = False


class Advance(Chosen):
    """A camera that goes forward along its axis, by so many metres; what is `subject` metres ahead keeps its size in the frame."""

    thing: str
    metres: float = Field(gt=0.0, le=1e6)
    subject: float = Field(gt=0.0, le=1e9)


SETUP_NAMES = ("setup", "temp", "test", "helper", "wip", "blocking")


class AddedLight(Chosen):
    """A light of the target that the source does not have, in the common ground's words: its prim type, its values, and where it
    stands (a world matrix of 16 numbers, row vectors, metres). `instead_of` is the thing whose work it takes; `path` is where it is put.
    """

    path: str = Field(pattern=r"^/[A-Za-z_][A-Za-z0-9_]*$")
    prim: str
    values: tuple[tuple[str, bool | float | str | tuple[float, ...]], ...] = ()
    place: tuple[float, ...] = Field(min_length=16, max_length=16)
    instead_of: str = ""
    why: str = ""


SkyPlace = tuple[Annotated[float, Field(ge=0.0, le=360.0)], Annotated[float, Field(ge=-90.0, le=90.0)]]


def stands_for(added: Iterable[AddedLight]) -> dict[str, str]:
    """The added lights that do another one's work, by path, and whose."""
    return {light.path: light.instead_of for light in added if light.instead_of}


class SettingsSet(Chosen):
    """A named set of values for the target's settings, as a quick one and a final one."""

    name: str = Field(min_length=1, max_length=60)
    notes: tuple[Note, ...] = ()


class Choices(BaseModel):
    """What a plan depends on.

    `scope` is "everything", kinds joined by commas, or paths and names joined by commas. `values` replace what the
    source says; `written_as` is the format of the target's file ("" for the source's); `readings` choose a case of a node's mapping; `left_out` are things that stay behind; `notes` are values
    put into the target; `turned` are pictures whose green is turned round. `copies` says where the tiled copies of
    pictures are that the target should read: empty for none, "beside" the originals, or a folder. `trims` and `tints` act on
    the target's lights, `added` are lights that only the target has, `kept_off` are lights that are carried switched off, as are
    those with one of the `setup_names` in their names, except the ones that are `let_shine`. `kelvin` says which lights get the
    colour of their temperature where the target knows none. `advances` move cameras forward, `unseen` are objects that the target hides from its cameras.
    `balanced` is the white balance, in kelvin, that the target's light has in it because its cameras have none (0: none). `sun_from` is where suns
    are offered: azimuth (clockwise from north, which is −Z, or +Y where Z is up) and height in degrees. `sets` are values for the settings of which one set, `in_use`, holds.
    `kinds` are what a person says that materials are, `policies` the ways in which things are done. `merged` are
    materials in whose place an equal one is worn. `redirects` give what the target has in one place to another, `swaps` put nodes of
    another type in the place of some.
    """

    model_config = ConfigDict(extra="forbid", frozen=True, allow_inf_nan=False)

    target: str
    scope: str = "everything"
    placement: Placement = Placement.BESIDE
    written_as: str = ""
    values: tuple[Override, ...] = ()
    readings: tuple[Reading, ...] = ()
    left_out: tuple[str, ...] = ()
    notes: tuple[Note, ...] = ()
    turned: tuple[Turn, ...] = ()
    copies: str = ""
    trims: tuple[Trim, ...] = ()
    tints: tuple[Tinting, ...] = ()
    added: tuple[AddedLight, ...] = ()
    kept_off: tuple[str, ...] = ()
    let_shine: tuple[str, ...] = ()
    setup_names: tuple[str, ...] = SETUP_NAMES
    kelvin: Literal["all", "white", "leave"] = "all"
    advances: tuple[Advance, ...] = ()
    unseen: tuple[str, ...] = ()
    balanced: float = Field(default=0.0, ge=0.0, le=25000.0)
    sun_from: SkyPlace | None = None
    sets: tuple[SettingsSet, ...] = ()
    in_use: str = ""
    kinds: tuple[KindSaid, ...] = ()
    policies: tuple[Policy, ...] = ()
    merged: tuple[Merged, ...] = ()
    redirects: tuple[Redirect, ...] = ()
    swaps: tuple[Swap, ...] = ()
