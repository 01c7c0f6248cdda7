"""What a dialect pack's files say: the documents, checked as they are read.

A pack is a Python package or folder with `pack.yaml` (identity and conventions), `vocabulary.yaml` (node types)
and `mapping.yaml` (to and from the common ground). Formulas are written as `durvan.graph.formula` reads them.
"""

from __future__ import annotations

from typing import Any, Literal

from pydantic import ConfigDict, Field, field_validator, model_validator

from durvan.dialects.said import Declared
from durvan.scene.vocabulary import Strict

FateWord = Literal["kept", "recast", "fitted", "lost", "held"]
Effect = Literal["", "none"]


class Document(Strict):
    """A part of a pack."""

    model_config = ConfigDict(extra="forbid", frozen=True, populate_by_name=True)


class Conventions(Document):
    """What a dialect means by its numbers; shown to people, and used where a formula names it."""

    length: str
    up_axis: str
    working_colour: str
    normal_green: Literal["up", "down"]
    roughness: str
    picture_decoding: str
    angles: str
    light: str
    exposure: str


class FitCase(Document):
    """Which parameters may be moved to bring a look nearer to another one; the first case that holds counts.

    Nearly interchangeable ones (a weight and an index) do not stand in one case together.
    """

    given: dict[str, tuple[float, float]] = Field(
        default_factory=dict, description="parameters and where they must lie"
    )
    facing: bool = Field(default=False, description="only where the other look changes with the facing ratio")
    vary: tuple[str, ...]


class Identity(Document):
    """`pack.yaml`: who the dialect is and how its things are written into USD."""

    name: str
    title: str
    version: str
    summary: str
    prefix: str = Field(description="what its shader ids start with")
    namespace: str = Field(description="of its attributes on lights, cameras and settings; empty: USD's own")
    context: str = Field(description="its render context; empty: the universal one")
    any_output: bool = Field(default=False, description="its nodes may be read from under any output name")
    strict: bool = Field(
        default=False, description="it refuses values outside their ranges, so they are written at their ends"
    )
    plain: bool = Field(default=False, description="it takes lights, cameras and settings that say no dialect's words")
    common_ground: bool = Field(default=False, description="its nodes are the common ground's own words")
    extends: str = Field(default="", description="a pack that this one is, but for what differs")
    claims: tuple[str, ...] = Field(
        default=(), description="what ids of its files start with, besides the prefix of its words"
    )
    shares: tuple[str, ...] = Field(default=(), description="parts that several packs have in common")
    conventions: Conventions
    formats: tuple[str, ...] = Field(
        default=("USD",), description="of files that can hold its words; the first where the source is another"
    )
    abilities: dict[str, bool | int | str] = Field(default_factory=dict)
    fit: dict[str, tuple[FitCase, ...]] = Field(default_factory=dict, description="by node type")


class ChainRole(Document):
    """One node of the chain that a node type stands for in the common ground."""

    name: str = Field(alias="as")
    category: str
    into: str = Field(default="in", description="the port that leads on to the next node of the chain")
    optional: bool = False
    reads: tuple[str, ...] = Field(
        default=("out",),
        description="which outputs of the next node it may read; one that is not `out` is what is read of ours",
    )
    when: str = Field(default="", description="on its own ports: whether a node found there can be this one")


class DeclaredFinding(Document):
    """A finding that a pack raises by itself; {thing} in its texts is the thing's name, {sure} how sure a reading is."""

    code: str
    level: Literal["stop", "look", "note"]
    title: str
    cause: str
    consequence: str
    offers: tuple[str, ...] = Field(default=(), description="other readings of the node that a person may choose")

    def declared(self) -> Declared:
        """As rows and readings carry it."""
        return Declared(self.code, self.level, self.title, self.cause, self.consequence, self.offers)


class Unsaid(Document):
    """Why a word of the common ground has no counterpart; those of one `topic` are told together."""

    because: str
    topic: str = ""
    effect: Effect = ""
    told_by: str = ""
    finding: DeclaredFinding | None = None


class Entry(Document):
    """Which parameters and which ports say the same, and by which formulas.

    `effect: none` says that nothing is lost with it; `told_by` names the finding that tells of it already; `finding` is
    one of its own. Losses of one `topic` are told together; without one, those of one entry are. `share` says that its measure is a part of 1.
    """

    ours: tuple[str, ...] = ()
    common: tuple[str, ...] = ()
    to_common: dict[str, str] = Field(default_factory=dict)
    to_ours: dict[str, str] = Field(default_factory=dict)
    when: str = ""
    when_back: str = ""
    fate: FateWord | None = None
    fate_back: FateWord | None = None
    because: str = ""
    measure: str = ""
    measured: str = ""
    share: bool = False
    topic: str = ""
    effect: Effect = ""
    told_by: str = ""
    finding: DeclaredFinding | None = None
    only: Literal["", "in", "out"] = ""
    lost: str = ""
    held: str = ""
    decides: str = ""

    @model_validator(mode="before")
    @classmethod
    def _short_forms(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        out = dict(data)
        for side in ("ours", "common"):
            if isinstance(out.get(side), str):
                out[side] = (out[side],)
        for formulas, side in (("to_common", "common"), ("to_ours", "ours")):
            if isinstance(out.get(formulas), str | int | float | bool):
                names = out.get(side, ())
                if len(names) != 1:
                    raise ValueError(f"{formulas} names no {side}; write one formula for each of {names}")
                out[formulas] = {names[0]: str(out[formulas])}
            elif isinstance(out.get(formulas), dict):
                out[formulas] = {name: str(text) for name, text in out[formulas].items()}
        return out

    @model_validator(mode="after")
    def _complete(self) -> Entry:
        if self.lost or self.held or self.decides:
            return self
        if not self.ours and not self.common:
            raise ValueError("an entry needs `ours` or `common`")
        if not self.to_common and not self.to_ours and (len(self.ours) != 1 or len(self.common) != 1):
            raise ValueError(f"{self.ours} and {self.common}: formulas are needed unless it is one for one")
        if self.measure and not self.measured:
            raise ValueError(f"{self.ours}: a measure needs `measured`, the words that go with the number")
        return self


class Case(Document):
    """One reading of a node type; the first whose condition holds is taken."""

    case: str
    when: str = ""
    when_back: str = ""
    because: str = ""
    sure: str = Field(default="", description="how sure the reading is, 0 to 1")
    finding: DeclaredFinding | None = Field(default=None, description="what is to be said where this reading is taken")
    entries: tuple[Entry, ...] = ()


class TypeMap(Document):
    """How one node type stands in the common ground. One that is like another has all that it does not say itself as that one has it."""

    category: str = ""
    like: str = Field(default="", description="another type that is read and written the same way")
    abstract: bool = Field(default=False, description="no word itself, only what others are like")
    chain: tuple[ChainRole, ...] = ()
    beside: tuple[ChainRole, ...] = Field(
        default=(),
        description="a chain that a surface stands for besides, at the material's output for displacement; made when it says something",
    )
    outputs: dict[str, str] = Field(
        default_factory=lambda: {"out": "out"},
        description="ours to an output of the chain's first node, or `role.output`",
    )
    worth: dict[str, str] = Field(
        default_factory=dict,
        description="formulas for outputs of ours that are not simply what the common ground's output is, which is `it`",
    )
    outputs_back: dict[str, str] = Field(
        default_factory=dict, description="common outputs that stand for another of ours"
    )
    when_back: str = ""
    reading_only: bool = Field(
        default=False, description="the word is read, and never written: another one says the same"
    )
    include: tuple[str, ...] = Field(default=(), description="sets of entries that several types have in common")
    entries: tuple[Entry, ...] = ()
    cases: tuple[Case, ...] = ()

    @model_validator(mode="after")
    def _chain_holds_category(self) -> TypeMap:
        if not self.category and not self.like:
            raise ValueError("it names no category of the common ground")
        if self.chain and self.category not in [role.category for role in self.chain]:
            raise ValueError(f"the chain has no node of category '{self.category}'")
        return self

    @model_validator(mode="after")
    def _offers_are_cases(self) -> TypeMap:
        names = [case.case for case in self.cases]
        for case in self.cases:
            for offered in case.finding.offers if case.finding is not None else ():
                if offered not in names:
                    raise ValueError(f"the case '{case.case}' offers '{offered}', which is none of {', '.join(names)}")
        return self


class Mapping(Document):
    """`mapping.yaml`: every node type's way to and from the common ground, and what the common ground says in vain."""

    sets: dict[str, tuple[Entry, ...]] = Field(default_factory=dict)
    types: dict[str, TypeMap] = Field(default_factory=dict)
    no_word_for: dict[str, Unsaid] = Field(
        default_factory=dict, description="common categories or category.port, and why nothing here says them"
    )

    @field_validator("no_word_for", mode="before")
    @classmethod
    def _short_reasons(cls, data: Any) -> Any:
        if not isinstance(data, dict):
            return data
        return {word: {"because": said} if isinstance(said, str) else said for word, said in data.items()}

    def settled(self) -> Mapping:
        """The same, where every type is whole that is like another one. Raises ValueError, naming a type that is like none."""
        types = {kind: self._whole(kind, ()) for kind, one in self.types.items() if not one.abstract}
        return self.model_copy(update={"types": types})

    def _whole(self, kind: str, seen: tuple[str, ...]) -> TypeMap:
        one = self.types[kind]
        if not one.like:
            return one
        if one.like not in self.types or kind in seen:
            raise ValueError(f"{kind} is like '{one.like}', which is none of {', '.join(self.types)}")
        below = self._whole(one.like, (*seen, kind))
        said = {name: getattr(one, name) for name in one.model_fields_set}
        return below.model_copy(update={**said, "entries": (*one.entries, *below.entries)})

    def missing_set(self) -> str:
        """Which type includes a set that there is not, in words; empty when there are all. Asked once parts are put together."""
        for kind, type_map in self.types.items():
            for name in type_map.include:
                if name not in self.sets:
                    return f"{kind} includes the set '{name}', which is none of {', '.join(self.sets)}"
        return ""

    def entries(self, kind: str) -> tuple[Entry, ...]:
        """A type's own entries, and those of the sets that it includes."""
        type_map = self.types[kind]
        return (*type_map.entries, *(entry for name in type_map.include for entry in self.sets[name]))
