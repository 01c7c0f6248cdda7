"""A pack's mapping, compiled: conditions and formulas ready to call, chains ready to match, rules with their words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from typing import Any

from durvan.dialects.contract import Case, ChainRole, Entry, Mapping
from durvan.dialects.said import NO_CAUSE, Cause, Declared, Step, Why
from durvan.errors import FormulaError, PackError
from durvan.graph.formula import Formula, Language, Source, wrap
from durvan.scene.fate import Fate
from durvan.scene.graph import Value
from durvan.scene.vocabulary import NodeType, common_ground, unit_factor


@dataclass(slots=True, frozen=True)
class Term:
    """One name in a formula: where its value comes from.

    `source` is "value" (a parameter or port), "mapped" or "given" (a question about one), "output" (the one that is read),
    or "context".
    """

    source: str
    role: str
    name: str
    default: Any


@dataclass(slots=True, eq=False)
class Ready:
    """A formula with its terms looked up.

    `straight` fetches the terms' values itself, given one mapping for each of `asked`, the roles with the ports that are
    read of them; it serves where none of those is linked. None where terms lie elsewhere. It is compiled when it is first
    called: a pack has many, and a scene needs few of them.
    """

    formula: Formula
    terms: tuple[Term, ...]
    asked: tuple[tuple[str, frozenset[str]], ...] = ()
    straight: Callable[..., Any] | None = None

    @property
    def text(self) -> str:
        """How people read it."""
        return self.formula.pretty


@dataclass(slots=True)
class CompiledEntry:
    """One correspondence, in both directions. `ours` are parameter names, `common` pairs of role and port.

    What follows from that is worked out once: what it `reads` (and `reads_back`); whether it is `steady`, always the same
    where none of that was set, and `leaves` something even then; the fate and the why that its rows are given, and whether
    that `alters` them, so that they are more than scaled; `stem` is a short name for what its formulas grow.
    """

    entry: Entry
    rule: str
    ours: tuple[str, ...]
    common: tuple[tuple[str, str], ...]
    inward: tuple[tuple[tuple[str, str], Ready | None], ...]
    outward: tuple[tuple[str, Ready | None], ...]
    when: Ready | None
    when_back: Ready | None
    measure: Ready | None
    fate_in: Fate
    fate_out: Fate
    text_in: str
    text_out: str
    units: tuple[str, str]
    why: Why
    step_in: Step
    step_out: Step
    reads: frozenset[str] = frozenset()
    reads_back: frozenset[tuple[str, str]] = frozenset()
    leaves_in: bool = False
    leaves_out: bool = False
    note_in: Fate = Fate.KEPT
    why_out: Why = NO_CAUSE
    alters_in: bool = False
    alters_out: bool = False
    stem: str = ""
    steady_in: bool = True
    steady_out: bool = True
    idle: dict[float, tuple[list[tuple[str, str, Value]], bool]] = field(default_factory=dict)
    idle_back: dict[float, tuple[bool, bool]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        terms = [
            term for ready in (self.when, *(r for _, r in self.inward)) if ready is not None for term in ready.terms
        ]
        self.reads = frozenset((*self.ours, *(term.name for term in terms)))
        back = [
            term
            for ready in (self.when_back, *(r for _, r in self.outward))
            if ready is not None
            for term in ready.terms
        ]
        self.reads_back = frozenset((*self.common, *((term.role, term.name) for term in back)))
        measured = any(term.source == "context" for term in (*terms, *back))
        self.steady_in = not measured
        self.steady_out = not measured and all(role != "start" for role, _ in self.reads_back)
        self.stem = self.ours[0] if self.ours else self.common[0][1] if self.common else ""
        self._remains()

    def _remains(self) -> None:
        entry, idle = self.entry, self.why.cause is Cause.IDLE
        # what cannot be said at all is only missed where a condition says that its default is
        unsaid = bool(entry.lost or entry.held) and self.when is None
        self.leaves_in = self.fate_in > Fate.ADDED and not idle and not unsaid
        self.leaves_out = self.fate_out > Fate.ADDED and not idle
        self.note_in = Fate.RECAST if entry.decides and not entry.fate else self.fate_in
        by_formula = bool(self.text_in) and (self.units == ("", "") or bool(entry.to_common))
        in_units = bool(self.text_in) and self.fate_in is Fate.RECAST
        self.alters_in = by_formula or (self.note_in is not Fate.KEPT and not in_units)
        self.why_out = self.why if self.fate_out > Fate.RECAST or entry.told_by else NO_CAUSE
        simple = self.fate_out is Fate.RECAST and not entry.to_ours
        self.alters_out = self.fate_out is not Fate.KEPT and not simple

    def factor(self, metres_per_unit: float) -> float:
        """What a one-for-one value is multiplied by on its way in."""
        if self.units[0] == self.units[1]:
            return 1.0
        return unit_factor(self.units[0], self.units[1], metres_per_unit) or 1.0


@dataclass(slots=True)
class CompiledCase:
    """One reading of a type, compiled."""

    name: str
    when: Ready | None
    when_back: Ready | None
    because: str
    sure: Ready | None
    finding: Declared | None
    entries: tuple[CompiledEntry, ...]
    going_in: tuple[CompiledEntry, ...] = ()
    going_out: tuple[CompiledEntry, ...] = ()

    def __post_init__(self) -> None:
        self.going_in = tuple(entry for entry in self.entries if entry.entry.only != "out")
        self.going_out = tuple(entry for entry in self.entries if entry.outward)


@dataclass(slots=True)
class CompiledType:
    """A node type's mapping, compiled."""

    kind: str
    type: NodeType
    main: str
    chain: tuple[ChainRole, ...]
    conditions: dict[str, Ready]
    outputs: dict[str, str]
    outputs_back: dict[str, str]
    when_back: Ready | None
    cases: tuple[CompiledCase, ...]
    stand_ins: frozenset[str] = frozenset()
    roles: dict[str, str] = field(default_factory=dict)
    worth: dict[str, Ready] = field(default_factory=dict)
    beside: tuple[ChainRole, ...] = ()
    into: dict[str, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self.into = {role.name: role.into for role in (*self.chain, *self.beside)}

    @property
    def needed(self) -> int:
        """How many nodes of its chain there have to be."""
        return sum(not role.optional for role in self.chain)


class Compiler:
    """Compiles one type map; remembers where it is, for messages."""

    def __init__(self, pack: str, kind: str, node_type: NodeType, mapping: Mapping, language: Language) -> None:
        self.language = language
        self.where = kind
        self.pack = pack
        self.kind = kind
        self.type = node_type
        self.map = type_map = mapping.types[kind]
        self.entries = mapping.entries(kind)
        self.chain = type_map.chain or (ChainRole.model_validate({"as": "main", "category": type_map.category}),)
        self.common = common_ground()
        for role in (*self.chain, *type_map.beside):
            if role.category not in self.common.types:
                raise self.fail(f"the common ground has no '{role.category}'.")
        self.main = next(role.name for role in self.chain if role.category == type_map.category)
        self.roles = {role.name: role.category for role in (*self.chain, *type_map.beside)}

    def fail(self, message: str) -> PackError:
        return PackError(message, file=f"{self.pack}/mapping.yaml", inside=self.where)

    def port(self, text: str) -> tuple[str, str]:
        role, _, port = text.rpartition(".")
        role = role or self.main
        if role == "start":
            return role, port
        if role not in self.roles:
            raise self.fail(f"'{text}' names the role '{role}', which is none of {', '.join(self.roles)}.")
        if port not in self.common.types[self.roles[role]].parameters:
            raise self.fail(f"the common ground's {self.roles[role]} has no port '{port}'.")
        return role, port

    def _term_in(self, name: str) -> Term:
        question, _, asked = name.rpartition(":")
        asked = asked.rstrip("_")
        if question:
            if asked not in self.type.parameters:
                raise self.fail(f"{question}({asked}): {self.kind} has no such parameter.")
            return Term(question, "", asked, None)
        if asked in self.type.parameters:
            return Term("value", "", asked, wrap(self.type.parameters[asked].default))
        return Term("context", "", asked, 0.0)

    def _term_out(self, name: str) -> Term:
        question, _, asked = name.rpartition(":")
        head = asked.rpartition(".")[0] or self.main
        tail = asked.rpartition(".")[2].rstrip("_")  # `in` is a word of formulas, so the port is written `in_`
        if head == "start":
            return Term(question or "value", "start", tail, None)
        parameters = self.common.types[self.roles[head]].parameters if head in self.roles else {}
        if tail in parameters:
            return Term(question or "value", head, tail, wrap(parameters[tail].default))
        if question or "." in asked:
            raise self.fail(f"'{name}' is no port of the common ground.")
        return Term("context", "", asked, 0.0)

    def _term_of(self, role: ChainRole, name: str) -> Term:
        question, _, asked = name.rpartition(":")
        port = asked.rstrip("_")
        parameter = self.common.types[role.category].parameters.get(port)
        if parameter is None:
            raise self.fail(f"the common ground's {role.category} has no port '{port}'.")
        return Term(question or "value", role.name, port, wrap(parameter.default))

    def _term_of_output(self, name: str) -> Term:
        return Term("output", "", name, None) if name == "it" else self._term_in(name)

    def _output(self, text: str) -> str:
        role = text.rpartition(".")[0]
        if role and role not in self.roles:
            raise self.fail(f"the output '{text}' names the role '{role}', which is none of {', '.join(self.roles)}.")
        return text

    def ready(self, text: str, inward: bool) -> Ready | None:
        return self._ready(text, self._term_in if inward else self._term_out)

    def _ready(self, text: str, term: Callable[[str], Term]) -> Ready | None:
        if not text:
            return None
        try:
            compiled = self.language.formula(text)
        except FormulaError as problem:
            raise self.fail(problem.what) from problem
        return self._with_terms(compiled, tuple(term(name) for name in compiled.names))

    def _with_terms(self, compiled: Formula, terms: tuple[Term, ...]) -> Ready:
        """Most formulas read parameters alone; these fetch them themselves."""
        roles = list(dict.fromkeys(term.role for term in terms)) or [""]
        if "start" in roles or any(term.source in ("context", "output") for term in terms):
            return Ready(compiled, terms)
        asked = tuple((role, frozenset(term.name for term in terms if term.role == role)) for role in roles)
        sources = tuple(
            Source(roles.index(t.role), t.name, t.default, "" if t.source == "value" else t.source) for t in terms
        )
        ready = Ready(compiled, terms, asked)

        def first(*getters: Callable[..., Any]) -> Any:
            ready.straight = self.language.straight(compiled, sources, len(roles))
            return ready.straight(*getters)

        ready.straight = first
        return ready

    def entry(self, entry: Entry, case: str) -> CompiledEntry:
        label = "/".join(entry.ours) or "/".join(entry.common)
        self.where = f"{self.kind}/{label}"
        for name in entry.ours:
            if name not in self.type.parameters:
                raise self.fail(f"{self.kind} has no parameter '{name}'.")
        common = tuple(self.port(text) for text in entry.common)
        inward = self._inward(entry, common)
        outward = self._outward(entry)
        units = self._units(entry, common)
        exact_in, text_in = self._how(entry, units, [r for _, r in inward])
        exact_out, text_out = self._how(entry, (units[1], units[0]), [r for _, r in outward])
        forced = Fate[entry.fate.upper()] if entry.fate else None
        forced_back = Fate[entry.fate_back.upper()] if entry.fate_back else None
        silent = Fate.LOST if entry.lost else Fate.HELD if entry.held else None
        rule = f"{self.kind}/{label}" + (f" ({case})" if case else "")
        return CompiledEntry(
            entry=entry, rule=rule, ours=entry.ours, common=common, inward=inward, outward=outward,
            when=self.ready(entry.when, True), when_back=self.ready(entry.when_back, False),
            measure=self.ready(entry.measure, entry.only != "out"),
            fate_in=silent if silent is not None else forced if forced is not None else exact_in,
            fate_out=silent if silent is not None else forced_back if forced_back is not None else exact_out,
            text_in=text_in, text_out=text_out, units=units, why=self._why(entry, rule),
            step_in=Step(rule, case, text_in), step_out=Step(rule, case, text_out, True),
        )  # fmt: skip

    def _why(self, entry: Entry, rule: str) -> Why:
        said = entry.because or entry.lost or entry.held or entry.decides
        cause = Cause.IDLE if entry.effect == "none" else Cause.RULE
        finding = entry.finding.declared() if entry.finding is not None else None
        return Why(cause, said, entry.topic or rule, entry.told_by, finding)

    def _inward(
        self, entry: Entry, common: tuple[tuple[str, str], ...]
    ) -> tuple[tuple[tuple[str, str], Ready | None], ...]:
        if entry.only == "out" or entry.lost or entry.held or entry.decides:
            return ()
        if not entry.to_common:
            return () if len(entry.ours) != 1 or len(common) != 1 else ((common[0], None),)
        return tuple((self.port(to), self.ready(text, True)) for to, text in entry.to_common.items())

    def _outward(self, entry: Entry) -> tuple[tuple[str, Ready | None], ...]:
        if entry.only == "in" or entry.lost or entry.held:
            return ()
        if not entry.to_ours:
            return () if len(entry.ours) != 1 or len(entry.common) != 1 else ((entry.ours[0], None),)
        for name in entry.to_ours:
            if name not in self.type.parameters:
                raise self.fail(f"{self.kind} has no parameter '{name}'.")
        return tuple((name, self.ready(text, False)) for name, text in entry.to_ours.items())

    def _units(self, entry: Entry, common: tuple[tuple[str, str], ...]) -> tuple[str, str]:
        if len(entry.ours) != 1 or len(common) != 1 or common[0][0] == "start":
            return "", ""
        role, port = common[0]
        here = self.type.parameters[entry.ours[0]].unit
        there = self.common.types[self.roles[role]].parameters[port].unit
        if not entry.to_common and not entry.to_ours and unit_factor(here, there, 0.01) is None:
            raise self.fail(f"'{here}' cannot become '{there}' without a formula.")
        return here, there

    def _how(self, entry: Entry, units: tuple[str, str], formulas: list[Ready | None]) -> tuple[Fate, str]:
        written = [ready for ready in formulas if ready is not None]
        if any(ready.formula.text not in (*entry.ours, *entry.common) for ready in written):
            return Fate.RECAST, "; ".join(dict.fromkeys(ready.text for ready in written if ready.formula.names))
        factor = unit_factor(units[0], units[1], 0.01)
        if not written and factor is not None and units[0] != units[1]:
            scale = "the stage's unit" if "scene" in units else f"{factor:g}"
            return Fate.RECAST, f"{units[0]} → {units[1]}, × {scale}"
        return Fate.KEPT, ""

    def compiled(self) -> CompiledType:
        cases = self.map.cases or (Case(case="", entries=()),)
        ready_cases = []
        for case in cases:
            self.where = f"{self.kind}/{case.case}"
            entries = tuple(self.entry(e, case.case) for e in (*case.entries, *self.entries))
            ready_cases.append(
                CompiledCase(
                    case.case,
                    self.ready(case.when, True),
                    self.ready(case.when_back, False),
                    case.because,
                    self.ready(case.sure, True),
                    case.finding.declared() if case.finding is not None else None,
                    entries,
                )
            )
        conditions = {}
        for role in (*self.chain, *self.map.beside):
            self.where = f"{self.kind}/{role.name}"
            condition = self._ready(role.when, partial(self._term_of, role))
            if condition is not None:
                conditions[role.name] = condition
        self.where = self.kind
        back: dict[str, str] = dict(self.map.outputs_back)
        outputs = {ours: self._output(theirs) for ours, theirs in self.map.outputs.items()}
        for ours, theirs in outputs.items():
            back.setdefault(theirs.rpartition(".")[2], ours)
        worth = {
            ours: ready for ours, text in self.map.worth.items() if (ready := self._ready(text, self._term_of_output))
        }
        return CompiledType(
            self.kind, self.type, self.main, self.chain, conditions, outputs, back,
            self.ready(self.map.when_back, False), tuple(ready_cases), frozenset(self.map.outputs_back), self.roles, worth,
            self.map.beside,
        )  # fmt: skip
