"""Nothing is decided by sentences: with every sentence of every pack written otherwise, the same findings come."""

from __future__ import annotations

import itertools
from pathlib import Path
from typing import Any

import pytest
import yaml

from durvan.crossing.job.session import Session, start
from durvan.dialects import registry as found
from durvan.dialects.pack import load
from durvan.dialects.registry import BUILT_IN, Registry
from durvan.scene.model import Kind

SENTENCES = {"because", "lost", "held", "decides", "meaning", "measured", "title", "cause", "consequence", "summary"}
SOURCE = Path(found.__file__).parent


def rewritten(data: Any, numbers: itertools.count, key: str = "") -> Any:
    """The same document with other sentences, each another one. Words that name things stay."""
    if isinstance(data, dict):
        if key == "no_word_for":
            return {k: rewritten(v, numbers, "because" if isinstance(v, str) else "") for k, v in data.items()}
        return {k: rewritten(v, numbers, str(k)) for k, v in data.items()}
    if isinstance(data, list):
        return [rewritten(one, numbers) for one in data]
    if isinstance(data, str) and key in SENTENCES and data:
        kept = " ".join(mark for mark in ("{thing}", "{sure}") if mark in data)
        return f"Qux {next(numbers)} blarg. {kept}".strip()
    return data


@pytest.fixture(scope="module")
def otherwise(tmp_path_factory: pytest.TempPathFactory) -> Registry:
    """The built-in packs with every sentence written otherwise; their code is their own."""
    place, numbers, out = tmp_path_factory.mktemp("otherwise"), itertools.count(), Registry()
    shared = [file.parent for file in sorted((SOURCE / "shared").glob("*/vocabulary.yaml"))]
    for folder in [*(SOURCE / name for name in BUILT_IN), *shared]:
        target = place / folder.relative_to(SOURCE)
        target.mkdir(parents=True)
        for file in folder.glob("*.yaml"):
            data = rewritten(yaml.safe_load(file.read_text(encoding="utf-8")), numbers)
            (target / file.name).write_text(yaml.safe_dump(data, sort_keys=False, allow_unicode=True), encoding="utf-8")
    for name in BUILT_IN:
        code = found._code(f"durvan.dialects.{name}")
        out.packs[name] = load(place / name, lambda part: place / "shared" / part, code)
    assert next(numbers) > 300  # so many sentences there are
    return out


def told(session: Session) -> list[tuple[object, ...]]:
    return sorted((f.code, f.level, f.thing, f.path, f.topic, f.station, len(f.remedies)) for f in session.findings)


def groups(session: Session) -> list[tuple[object, ...]]:
    return sorted((*group.key, group.level, group.count) for group in session.now.findings.by_key.values())


@pytest.mark.parametrize("target", ["pellune", "openpbr", "preview", "orvik"])
def test_the_same_findings_come_from_other_sentences(lamproom: Path, packs, otherwise, target: str) -> None:
    one, two = start(lamproom, packs, target), start(lamproom, otherwise, target)
    assert told(one) == told(two) and groups(one) == groups(two)
    assert len(told(one)) >= (7 if target == "orvik" else 25)
    rows = [(r.fate, r.why.cause, r.why.told_by, r.share, [s.rule for s in r.steps]) for r in one.plan.ledger]
    assert rows == [(r.fate, r.why.cause, r.why.told_by, r.share, [s.rule for s in r.steps]) for r in two.plan.ledger]
    if target != "orvik":  # and there were sentences to be rewritten
        assert {r.reason for r in one.plan.ledger if r.reason} != {r.reason for r in two.plan.ledger if r.reason}


@pytest.mark.parametrize("source", ["pellune", "openpbr", "preview"])
def test_findings_from_sources_of_other_dialects(lamproom: Path, packs, otherwise, tmp_path: Path, source: str) -> None:
    """What the demo becomes in another dialect, opened as a scene of that, raises findings of its own."""
    start(lamproom, packs, source).carry(tmp_path / "there.usda")
    for target in {"orvik", "pellune"} - {source}:
        one = start(tmp_path / "there.usda", packs, target, source=source)
        two = start(tmp_path / "there.usda", otherwise, target, source=source)
        assert one.scene.dialect == source and sum(t.dialect == source for t in one.scene.of(Kind.MATERIAL)) == 31
        assert told(one) == told(two) and groups(one) == groups(two)
        codes = {finding.code for finding in one.findings}
        assert {"unbound", "alike", "picture-absent"} & codes and not {"faked-metal", "fresnel-off"} & codes
        assert all(finding.cause and finding.consequence and finding.title for finding in one.findings)
        assert not [f for f in one.findings if f.code == "pack-fault"]
