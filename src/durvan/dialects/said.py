"""What is said of a value: which rule acted, and why it has its fate. Typed, so that nothing is decided by sentences."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum


class Cause(StrEnum):
    """Why a value has its fate."""

    NONE = ""
    RULE = "a rule of a dialect"
    IDLE = "no effect"
    NO_RULE = "no rule"
    NO_WORD = "no word for it"
    UNKNOWN_NODE = "unknown node"
    UNKNOWN_DIALECT = "unknown dialect"
    UNKNOWN_VALUE = "no parameter of its node"
    UNUSED = "nothing uses its node"
    FEED = "what feeds it is not carried"
    CYCLE = "a cycle"
    ANIMATED = "animated"
    WRONG_VALUE = "no such value"
    BAD_LINK = "a link that leads nowhere"
    NOT_YET = "not carried yet"
    FORMULA = "the formula cannot act"
    FOLDED = "taken up by another"
    HAND = "set by hand"
    FIT = "fitted"
    BAKED = "baked"
    MERGED = "merged with another layer"


@dataclass(frozen=True, slots=True)
class Declared:
    """A finding that a pack declares: its words, with {thing} and {sure} for the thing's name and how sure it is.

    `offers` are other readings of the same node that a person may choose.
    """

    code: str
    level: str
    title: str
    cause: str
    consequence: str
    offers: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Why:
    """How a value came to its fate: the cause, what it is about (`topic`: equal ones are told together), and a sentence
    for people. `told_by` is the code of a finding that tells it already; `finding` what the pack itself declares of it.
    """

    cause: Cause
    said: str = ""
    topic: str = ""
    told_by: str = ""
    finding: Declared | None = None


NO_CAUSE = Why(Cause.NONE)
IDLE = Why(Cause.IDLE, "At this value it does nothing, so nothing is needed for it.")
TAKEN_UP = Why(Cause.FOLDED, "Taken up by the formula of what it feeds.")


@dataclass(frozen=True, slots=True)
class Step:
    """A rule that acted on a value, on its way in or out: which, in which case (reading) of its node, by which formula."""

    rule: str
    case: str = ""
    formula: str = ""
    outward: bool = False
