"""Packs: the built-in ones conform, and broken ones are told apart and left out."""

from __future__ import annotations

from pathlib import Path

import pytest
import yaml

from durvan.dialects.conformance import check, unsaid
from durvan.dialects.pack import load
from durvan.dialects.registry import read
from durvan.errors import PackError
from durvan.scene.vocabulary import FAMILIES

NAMES = ("orvik", "pellune", "skarn", "openpbr", "standard", "gltfpbr", "previewmtlx", "preview")


@pytest.mark.parametrize("name", NAMES)
def test_built_in_packs_conform(packs, name) -> None:
    assert check(packs.get(name)) == []


@pytest.mark.parametrize("name", NAMES)
def test_every_parameter_has_a_meaning_and_a_family(packs, name) -> None:
    for kind, node_type in packs.get(name).vocabulary.types.items():
        for parameter, said in node_type.parameters.items():
            assert said.meaning.endswith("."), f"{kind}.{parameter}"
            assert node_type.family_of(parameter) in FAMILIES


def test_openpbr_says_all_of_the_common_surface(packs) -> None:
    assert [p for p in unsaid(packs.get("openpbr")) if p.startswith("open_pbr_surface")] == []


def test_an_unknown_dialect_is_told_with_those_that_there_are(packs) -> None:
    with pytest.raises(PackError, match="orvik"):
        packs.get("nobody")


PACK = {
    "name": "mini", "title": "Mini", "version": "1", "summary": "Small.", "prefix": "mini.", "namespace": "mini",
    "context": "mini",
    "conventions": {
        "length": "metre", "up_axis": "Y", "working_colour": "linear Rec.709", "normal_green": "up", "roughness": "r",
        "picture_decoding": "none", "angles": "degrees", "light": "nit", "exposure": "none",
    },
}  # fmt: skip
WORDS = {
    "types": {
        "mini.paint": {
            "role": "surface", "meaning": "Paint.", "family": "base", "outputs": {"out": "surface"},
            "parameters": {"shade": {"type": "float", "default": 0.5, "range": [0, 1], "meaning": "Shade."}},
        }
    }
}  # fmt: skip
WAYS = {
    "types": {
        "mini.paint": {
            "category": "open_pbr_surface",
            "entries": [{"ours": "shade", "common": "specular_roughness", "to_common": "1 - shade", "to_ours": "1 - specular_roughness"}],
        }
    }
}  # fmt: skip


def make(folder: Path, pack=PACK, words=WORDS, ways=WAYS) -> Path:
    folder.mkdir(parents=True, exist_ok=True)
    for name, data in (("pack", pack), ("vocabulary", words), ("mapping", ways)):
        (folder / f"{name}.yaml").write_text(yaml.safe_dump(data), encoding="utf-8")
    return folder


def changed(document, path: list, value):
    copy = yaml.safe_load(yaml.safe_dump(document))
    inner = copy
    for step in path[:-1]:
        inner = inner[step]
    inner[path[-1]] = value
    return copy


def test_a_users_pack_is_found_and_used(tmp_path) -> None:
    make(tmp_path / "mini")
    registry = read(tmp_path)
    assert check(registry.get("mini")) == []
    assert registry.owner("mini.paint").name == "mini"


ENTRY = ["types", "mini.paint", "entries", 0]
CHAIN = ["types", "mini.paint", "chain"]
PAINT = {"as": "main", "category": "open_pbr_surface"}


@pytest.mark.parametrize(
    ("part", "path", "value", "said"),
    [
        ("ways", [*ENTRY, "to_common"], "import os", "not a formula"),
        ("ways", [*ENTRY, "to_common"], "__import__('os').system('x')", "only the listed functions"),
        ("ways", [*ENTRY, "to_common"], "explode(shade)", "explode"),
        ("ways", [*ENTRY, "common"], "shininess", "no port 'shininess'"),
        ("ways", [*ENTRY, "ours"], "tone", "no parameter 'tone'"),
        ("ways", CHAIN, [{**PAINT, "when": "shininess > 0"}], "no port 'shininess'"),
        ("ways", CHAIN, [{**PAINT, "when": "import os"}], "not a formula"),
        ("ways", CHAIN, [PAINT, {"as": "more", "category": "varnish"}], "no 'varnish'"),
        ("ways", [*ENTRY, "surprise"], 1, "surprise"),
        ("words", ["types", "mini.paint", "parameters", "shade", "default"], "dark", "expected a number"),
        ("words", ["types", "mini.paint", "parameters", "shade", "type"], "number", "type"),
    ],
)
def test_a_broken_pack_says_where_it_is_broken(tmp_path, part, path, value, said) -> None:
    parts = {"words": WORDS, "ways": WAYS}
    parts[part] = changed(parts[part], path, value)
    with pytest.raises(PackError) as told:
        load(make(tmp_path / "mini", **parts))
    assert said in str(told.value) and "mini" in str(told.value)


def test_a_broken_pack_does_not_take_the_others_with_it(tmp_path) -> None:
    make(tmp_path / "mini")
    (tmp_path / "mini" / "mapping.yaml").write_text("types: [", encoding="utf-8")
    registry = read(tmp_path)
    assert "mini" not in registry.packs and len(registry.broken) == 1
    assert "mapping.yaml" in registry.broken[0]
    assert set(NAMES) <= set(registry.packs)


def test_a_wrong_inverse_and_a_forgotten_parameter_are_caught(tmp_path) -> None:
    wrong = changed(WAYS, [*ENTRY, "to_ours"], "1 - specular_roughness / 2")
    forgotten = changed(
        WORDS, ["types", "mini.paint", "parameters", "gloom"], {"type": "float", "default": 0.0, "meaning": "Gloom."}
    )
    problems = check(load(make(tmp_path / "mini", words=forgotten, ways=wrong)))
    assert any("comes back as" in problem for problem in problems)
    assert any("mini.paint.gloom: neither mapped" in problem for problem in problems)
