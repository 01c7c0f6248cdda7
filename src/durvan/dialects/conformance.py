"""The conformance check: what must hold of any pack, built-in or a stranger's. Gives sentences; empty means it holds.

- every parameter is mapped, decides something, or is declared without equivalent;
- formulas that claim to be exact undo each other over the parameter's range;
- defaults lie in their ranges.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass
from typing import Any

from durvan.dialects.compiled import CompiledCase, CompiledEntry, CompiledType, Ready
from durvan.dialects.pack import Pack
from durvan.errors import FormulaError
from durvan.graph.formula import plain, wrap
from durvan.scene.fate import Fate
from durvan.scene.vocabulary import COMPONENTS, Parameter, common_ground

TOLERANCE = 1e-6
FACTS = frozenset({
    "metres_per_unit", "backs", "area", "frame_aspect", "frame_fit", "map_lux", "map_mean", "profile_lumen", "channels", "eye_x", "eye_y", "eye_z",
    "look_x", "look_y", "look_z",
})  # fmt: skip
_SAMPLES = (0.0, 0.11, 0.37, 0.5, 0.83, 1.0)


@dataclass(frozen=True)
class Problem:
    """What is wrong with a parameter of a type (or with a type), and what to do; `in_vocabulary` says in which file. `rule` names the
    correspondence that it is about."""

    kind: str
    name: str
    what: str
    advice: str
    in_vocabulary: bool = False
    rule: str = ""

    def __str__(self) -> str:
        return f"{self.rule or (f'{self.kind}.{self.name}' if self.name else self.kind)}: {self.what}"


def check(pack: Pack) -> list[str]:
    """Everything that is wrong with a pack, each with its place."""
    return [str(one) for one in problems(pack)]


def problems(pack: Pack) -> list[Problem]:
    """The same as values."""
    found: list[Problem] = []
    for kind, node_type in pack.vocabulary.types.items():
        compiled = pack.compiled.get(kind)
        if compiled is None:
            if not pack.mapping.no_word_for.get(kind):
                advice = "Map it under `types`, or say under `no_word_for` why it has no equivalent."
                found.append(Problem(kind, "", "not mapped, and not declared without equivalent", advice))
            continue
        for name, parameter in node_type.parameters.items():
            if parameter.default is not None and parameter.outside(parameter.default):
                what = f"the default {parameter.default} lies outside its range"
                found.append(Problem(kind, name, what, "Widen the range, or correct the default.", in_vocabulary=True))
            if not _mentioned(compiled, name):
                advice = "Add a correspondence with it in `ours`, or one with `lost:` that says why it goes nowhere."
                found.append(Problem(kind, name, "neither mapped nor declared without equivalent", advice))
        found.extend(_inverses(kind, compiled))
        found.extend(_forms(kind, compiled))
        found.extend(_unknown_names(kind, compiled))
    return found


def _unknown_names(kind: str, compiled: CompiledType) -> list[Problem]:
    """Names in formulas that are neither a parameter of either side nor a fact of the scene: most likely spelt wrongly."""
    found = []
    for case in compiled.cases:
        for entry in case.entries:
            ready = (
                entry.when,
                entry.when_back,
                entry.measure,
                *(r for _, r in entry.inward),
                *(r for _, r in entry.outward),
            )
            names = {term.name for one in ready if one is not None for term in one.terms if term.source == "context"}
            for name in sorted(names - FACTS):
                what = f"its formula reads '{name}', which is no parameter here and no fact of the scene"
                advice = f"Correct how it is spelt; facts are {', '.join(sorted(FACTS))}."
                found.append(Problem(kind, entry.ours[0] if entry.ours else "", what, advice, rule=entry.rule))
    return found


def _forms(kind: str, compiled: CompiledType) -> list[Problem]:
    """Formulas that give a colour, or a text, where a port takes a number."""
    found = []
    for case in compiled.cases:
        for entry in case.entries:
            for (role, port), ready in entry.inward:
                if ready is None or role == "start" or not ready.formula.names:
                    continue
                wrong = _misfit(compiled, entry, ready, common_ground().types[compiled.roles[role]].parameters[port])
                if wrong:
                    advice = "Have the formula give what the port takes: mean(), luminance() or largest() make a number of a colour."
                    name = entry.ours[0] if entry.ours else ""
                    found.append(
                        Problem(kind, name, f"gives {port} what cannot stand there: {wrong}", advice, rule=entry.rule)
                    )
    return found


def _misfit(compiled: CompiledType, entry: CompiledEntry, ready: Ready, wanted: Parameter) -> str:
    """Why what a formula gives cannot stand where it goes, for the first values at which it acts; empty where it can."""
    parameters = compiled.type.parameters
    names = [name for name in entry.ours if name in parameters]
    columns = [samples(parameters[name]) for name in names]
    for values in itertools.islice(itertools.product(*columns), 60):
        given = dict(zip(names, values, strict=True))
        try:
            if entry.when is not None and not _work(entry.when, given, parameters, {}):
                continue
            result = plain(_work(ready, given, parameters, {}))
        except (FormulaError, ArithmeticError):
            continue  # outside what it is defined for
        return wanted.wrong(result) if wanted.type in ("float", "int") and isinstance(result, tuple | str) else ""
    return ""


def _mentioned(compiled: CompiledType, name: str) -> bool:
    return any(name in entry.ours or name in entry.entry.to_ours for case in compiled.cases for entry in case.entries)


def samples(parameter: Parameter) -> list[Any]:
    """Values over a parameter's range to try formulas with."""
    if parameter.type == "token":
        return list(parameter.choices)
    if parameter.type == "bool":
        return [False, True]
    if parameter.type in ("file", "string"):
        return ["a.png"]
    low, high = parameter.range or (0.0, 4.0)
    high = min(high, max(low, 0.0) + 100.0)
    numbers = [low + (high - low) * part for part in _SAMPLES]
    if parameter.type == "int":
        return sorted({round(number) for number in numbers})
    size = COMPONENTS.get(parameter.type)
    if size is None:
        return numbers
    return [tuple(numbers[(place + k) % len(numbers)] for k in range(size)) for place in range(len(numbers))]


def _inverses(kind: str, compiled: CompiledType) -> list[Problem]:
    found = []
    for case in compiled.cases:
        for entry in case.entries:
            exact = entry.fate_in <= Fate.RECAST and entry.fate_out <= Fate.RECAST
            if exact and entry.entry.to_common and entry.entry.to_ours:
                problem = _undoes(compiled, case, entry)
                if problem:
                    advice = "Correct one of the two formulas, or say `fate: fitted` and why."
                    found.append(Problem(kind, entry.ours[0], problem, advice, rule=entry.rule))
    return found


def _undoes(compiled: CompiledType, case: CompiledCase, entry: CompiledEntry) -> str:
    """What does not come back. Two values that mean the same on the common ground may stand for each other."""
    parameters = compiled.type.parameters
    names = [name for name in entry.ours if name in entry.entry.to_ours]
    columns = [samples(parameters[name]) for name in names]
    for values in itertools.islice(itertools.product(*columns), 400):
        given = dict(zip(names, values, strict=True))
        try:
            if entry.when is not None and not _work(entry.when, given, parameters, {}):
                continue
            common = _forward(case, given, parameters)
            if entry.when_back is not None and not _work(entry.when_back, {}, {}, common):
                continue
            back = {name: plain(_work(ready, {}, {}, common)) for name, ready in entry.outward if ready}
            again = _forward(case, {**given, **{name: back[name] for name in names}}, parameters)
        except (FormulaError, ArithmeticError):
            continue  # outside what the formula is defined for: such values are held when they come
        ports = [port for port, _ in entry.inward]
        if all(_near(common[port], again.get(port, common[port])) for port in ports):
            continue
        for name in names:
            if not _near(given[name], back[name]):
                return f"{name} = {given[name]} comes back as {back[name]}"
    return ""


def _forward(case: CompiledCase, given: dict[str, Any], parameters: dict[str, Parameter]) -> dict[tuple[str, str], Any]:
    """What a node with some values is on the common ground, by every entry of the case that holds."""
    common: dict[tuple[str, str], Any] = {}
    for entry in case.entries:
        if entry.when is not None and not _work(entry.when, given, parameters, {}):
            continue
        for port, ready in entry.inward:
            if ready is not None:
                common[port] = plain(_work(ready, given, parameters, {}))
            else:
                name = entry.ours[0]
                common[port] = given.get(name, parameters[name].default)
    return common


def _work(
    ready: Ready, given: dict[str, Any], parameters: dict[str, Parameter], common: dict[tuple[str, str], Any]
) -> Any:
    arguments: list[Any] = []
    for term in ready.terms:
        if term.source == "mapped":
            arguments.append(False)
        elif term.source == "given":
            arguments.append(term.name in given)
        elif term.source == "context":
            arguments.append(1.0)
        elif (term.role, term.name) in common:
            arguments.append(wrap(common[term.role, term.name]))
        elif term.name in given:
            arguments.append(wrap(given[term.name]))
        else:
            parameter = parameters.get(term.name)
            arguments.append(wrap(parameter.default) if parameter else term.default)
    return ready.formula(*arguments)


def _near(a: Any, b: Any) -> bool:
    if isinstance(a, tuple) and isinstance(b, tuple):
        return all(_near(x, y) for x, y in zip(a, b, strict=True))
    if isinstance(a, str | bool) or isinstance(b, str | bool):
        return bool(a == b)
    return bool(abs(a - b) <= TOLERANCE * max(1.0, abs(a)))


def unsaid(pack: Pack) -> list[str]:
    """Ports of the common ground that a pack's mapped categories never take up, and gives no reason for."""
    out = []
    for kind, compiled in pack.compiled.items():
        if pack.mapping.types[kind].reading_only:
            continue
        category = compiled.roles[compiled.main]
        said = {port for case in compiled.cases for entry in case.entries for role, port in entry.common}
        for port in common_ground().types[category].parameters:
            reasons = pack.mapping.no_word_for
            if port not in said and f"{category}.{port}" not in reasons and f"*.{port}" not in reasons:
                out.append(f"{category}.{port}")
    return sorted(set(out))
