"""Formulas that fetch their own values: every one of every pack comes to what it comes to when it is handed them."""

from __future__ import annotations

from collections.abc import Iterator
from random import Random

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from durvan.dialects.compiled import Ready, Term
from durvan.dialects.pack import Pack
from durvan.errors import FormulaError
from durvan.graph.formula import Vec, formula, wrap
from durvan.scene.graph import Value

NAMES = ("orvik", "pellune", "openpbr", "preview")


def formulas(pack: Pack) -> Iterator[Ready]:
    """Every formula of a pack that reads parameters alone."""
    for kind in pack.compiled.values():
        found = [kind.when_back, *kind.conditions.values(), *kind.worth.values()]
        for case in kind.cases:
            found += [case.when, case.when_back, case.sure]
            for entry in case.entries:
                found += [entry.when, entry.when_back, entry.measure]
                found += [ready for _, ready in (*entry.inward, *entry.outward)]
        yield from (ready for ready in found if ready is not None and ready.straight is not None)


def some_value(term: Term, chance: Random) -> Value:
    """A value such as a term may have, and now and then one of another form, as formulas put them."""
    default = term.default
    if isinstance(default, str):
        return chance.choice([default, "another", "r"])
    if isinstance(default, bool):
        return chance.random() < 0.5
    if isinstance(default, tuple) or chance.random() < 0.1:
        size = len(default) if isinstance(default, tuple) else 3
        return tuple(chance.choice([0.0, 1.0, chance.uniform(-1.0, 3.0)]) for _ in range(size))
    return chance.choice([0.0, 1.0, -1.0, 1e30, chance.uniform(-2.0, 8.0)])


def outcome(call: object, *arguments: object) -> object:
    try:
        found = call(*arguments)
    except FormulaError as problem:
        return str(problem)
    return tuple(map(repr, found)) if isinstance(found, tuple) else repr(found)


@pytest.mark.parametrize("name", NAMES)
@settings(max_examples=12, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(seed=st.integers(0, 2**32))
def test_every_formula_comes_to_the_same_both_ways(packs, name, seed) -> None:
    count, chance = 0, Random(seed)
    for ready in formulas(packs.get(name)):
        values: dict[str, dict[str, Value]] = {role: {} for role, _ in ready.asked}
        for term in ready.terms:
            if chance.random() < 0.6:
                values[term.role][term.name] = some_value(term, chance)
        handed = []
        for term in ready.terms:
            here = values[term.role]
            if term.source == "value":
                handed.append(wrap(here.get(term.name, term.default)))
            else:
                handed.append(term.source == "given" and term.name in here)
        straight = outcome(ready.straight, *[values[role].get for role, _ in ready.asked])
        assert straight == outcome(ready.formula, *handed), ready.formula.text
        count += 1
    assert count > 10


def test_what_is_measured_or_starts_a_chain_is_handed_over(packs) -> None:
    for name in NAMES:
        for kind in packs.get(name).compiled.values():
            for entry in (entry for case in kind.cases for entry in case.entries):
                for _, ready in entry.outward:
                    if ready is not None and any(t.role == "start" or t.source == "context" for t in ready.terms):
                        assert ready.straight is None


def test_a_straight_formula_says_what_is_wrong_with_what() -> None:
    from durvan.graph.formula import Language, Source

    straight = Language().straight(formula("1 / rough"), (Source(0, "rough", 0.5),), 1)
    assert straight({}.get) == 2.0
    assert straight({"rough": (1.0, 2.0, 4.0)}.get) == Vec((1.0, 0.5, 0.25))
    with pytest.raises(FormulaError, match=r"'1 / rough' cannot be worked out for rough = 0\.0"):
        straight({"rough": 0.0}.get)
