"""What is asked of the process that renders, and what it answers. Plain data; nothing here renders.

How urgent each question is, and by what it is answered, stands in one table in `server`. A new question is a class here
and an entry there.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.crossing.document.changes import PutFits
from durvan.crossing.light.asking import Wanted
from durvan.crossing.light.ground import Ground
from durvan.crossing.light.report import LightReport
from durvan.crossing.looks.keys import LookKey
from durvan.crossing.looks.pairs import Pair
from durvan.crossing.looks.sittings import Sitting
from durvan.crossing.looks.trials import Subject, Tried, Work
from durvan.scene.bodies import Body
from durvan.scene.drift import Drift
from durvan.scene.given import Given
from durvan.scene.model import Scene, Thing
from durvan.scene.traits import Traits

Bytes = NDArray[np.uint8]


@dataclass(frozen=True)
class Load:
    """From now on, this scene, with the packs of this installation and of a user's folder."""

    scene: Scene
    user_packs: Path | None = None


@dataclass(frozen=True)
class LookAt:
    """One material, seen closely and first of all."""

    pair: Pair


@dataclass(frozen=True)
class LookInside:
    """What each node of a material gives, on both sides."""

    pair: Pair


@dataclass(frozen=True)
class MeasureAll:
    """The drift of many materials, one after the other, in this order."""

    pairs: list[Pair]


@dataclass(frozen=True)
class GuessAll:
    """First guesses at the drifts of many materials."""

    pairs: list[Pair]


@dataclass(frozen=True)
class FitAll:
    """Fit materials; the translations are what the rules give, without a fit."""

    pairs: list[Pair]


@dataclass(frozen=True)
class Settle:
    """Try all that may help, and say of each thing what does; an empty work ends what is under way."""

    work: Work
    bodies: Mapping[str, Body] = field(default_factory=dict)
    traits: Mapping[str, Traits] = field(default_factory=dict)
    left: list[Subject | None] = field(default_factory=list)

    def __post_init__(self) -> None:
        self.left.extend(reversed(self.work.things))


@dataclass(frozen=True)
class Try(Settle):
    """The same of a few things, to know what their remedies do; when nothing else is wanted."""


@dataclass(frozen=True)
class Render:
    """The camera's view of both sides; the target's things stand in its own words, `meant` are those of the source that a
    person has corrected. `unseen` are the objects that the target hides from its cameras."""

    camera: str
    target: list[Thing]
    meant: list[Thing]
    size: tuple[int, int]
    samples: int
    unseen: tuple[str, ...] = ()


@dataclass(frozen=True)
class Refine:
    """Go on with the camera's view to so many samples, when nothing else is wanted."""

    samples: int


@dataclass(frozen=True)
class Cover:
    """How much of the camera's picture each material covers, and where; looked at in a picture of a size."""

    camera: str
    size: tuple[int, int] = (320, 180)


@dataclass(frozen=True)
class LookAtShapes:
    """What wears each material."""


@dataclass(frozen=True)
class Worn:
    """What wears each material, by its path."""

    bodies: dict[str, Body]


@dataclass(frozen=True)
class Recognise:
    """What each material is, by its look and by what wears it."""


@dataclass(frozen=True)
class Recognised:
    """What each material is, by its path."""

    traits: dict[str, Traits]


@dataclass(frozen=True)
class Balance:
    """The light of both sides at probes."""

    wanted: Wanted


@dataclass(frozen=True)
class Balanced:
    """What the lights give, and the scene from above; `seconds` is how long it took to measure once both sides were ready."""

    report: LightReport
    ground: Ground
    seconds: float


@dataclass(frozen=True)
class Mix:
    """Show the camera's view with other strengths of the target's lights (factors by path and part, 1 where nothing is said), or
    by one light alone (its path).
    """

    factors: Mapping[tuple[str, str], float]
    alone: str = ""


@dataclass(frozen=True)
class Prove:
    """Both sides (or one) rendered for Proof by a camera, in steps up to some samples a pixel, of a part of the picture or all of it; each is
    kept in `folder` when it is done or stopped. `settings` names the set that is in use. What was begun of the same is gone on with.
    """

    camera: str
    sides: tuple[Sitting, ...]
    size: tuple[int, int]
    samples: int
    folder: Path
    part: tuple[float, float, float, float] | None = None
    settings: str = ""


@dataclass(frozen=True)
class See:
    """What the camera sees first of sides that another renderer made pictures of: ids, depths and normals are put into what was kept of each in
    `folder`, by its entry's id.
    """

    camera: str
    sides: tuple[tuple[str, Sitting], ...]
    size: tuple[int, int]
    folder: Path


@dataclass(frozen=True)
class EndProof:
    """Stop rendering for Proof, and keep what there is."""


@dataclass(frozen=True)
class Proving:
    """How far a side has got for Proof: its picture as half floats [height, width, 3] (smaller at first), and its samples a pixel."""

    side: str
    picture: NDArray[np.float16]
    samples: int
    of: int
    response: str
    size: tuple[int, int]


@dataclass(frozen=True)
class Proved:
    """A side was kept in the history, by its entry's id; `done` says whether it has all its samples."""

    side: str
    entry: str
    done: bool


@dataclass(frozen=True)
class Preparing:
    """The renderer is being compiled, or cannot be."""

    text: str
    done: int = 0
    of: int = 0


@dataclass(frozen=True)
class Seen:
    """A swatch pair as bytes [3 lightings, side, side, 3], the difference [3, side, side, 3], and its drift.

    `polar` are both sides' answers in the plane of the view at 45°: [2, 181] of luminance, from −90° to 90°.
    """

    thing: str
    key: LookKey
    source: Bytes
    target: Bytes
    difference: Bytes
    drift: Drift
    polar: NDArray[np.float64]
    done: bool


@dataclass(frozen=True)
class Inside:
    """What nodes of one side give, by node."""

    thing: str
    key: LookKey
    side: str
    given: Mapping[str, Given]


@dataclass(frozen=True)
class Measured:
    """A material's drift, and small pictures of both sides [side, side, 3] under the booth."""

    thing: str
    key: LookKey
    drift: Drift
    source: Bytes
    target: Bytes
    left: int


@dataclass(frozen=True)
class Guessed:
    """First guesses at drifts, some at a time."""

    drifts: dict[LookKey, Drift]


@dataclass(frozen=True)
class Fitted:
    """What came of fits: the change that puts them in (None: no drift was lowered), the drifts that they come to by look
    and how large each was before by thing, and how many were tried."""

    change: PutFits | None
    drifts: Mapping[LookKey, Drift]
    before: Mapping[str, Drift]
    tried: int


@dataclass(frozen=True)
class Settled:
    """What came of trying one thing, and how many are left; `all_of` says that it belongs to a `Settle`."""

    tried: Tried
    left: int
    all_of: bool


@dataclass(frozen=True)
class Rendered:
    """A picture of one side so far, as bytes [height, width, 3]."""

    side: str
    picture: Bytes
    samples: int
    of: int
    notes: tuple[str, ...]


@dataclass(frozen=True)
class Covered:
    """The share of the picture that each material covers, by its path; and which stands at each pixel [height, width]: a place in
    `materials`, −1 for none.
    """

    shares: dict[str, float]
    materials: tuple[str, ...] = ()
    where: NDArray[np.int32] | None = None


@dataclass(frozen=True)
class Working:
    """What is worked at from now on, so that it can be told should the process end over it."""

    about: str


@dataclass(frozen=True)
class Trouble:
    """Something went wrong over there; the rest goes on. `trace` is where, for the log."""

    about: str
    text: str
    trace: str = ""


Question = (
    Load
    | LookAt
    | LookInside
    | LookAtShapes
    | Recognise
    | GuessAll
    | MeasureAll
    | FitAll
    | Settle
    | Try
    | Render
    | Refine
    | Cover
    | Balance
    | Mix
    | Prove
    | See
    | EndProof
)
Answer = Any
