"""The check of a folder's pack: every message names the file, the line and what to do."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from typer.testing import CliRunner

from durvan.cli.main import app
from durvan.dialects.checking import check_folder
from durvan.dialects.registry import BUILT_IN, shared_part

PACK = """name: tern
title: Tern
version: "1"
summary: Gloss in percent.
prefix: tern.
namespace: tern
context: tern
conventions:
  length: metre
  up_axis: Y
  working_colour: linear Rec.709
  normal_green: up
  roughness: percent
  picture_decoding: by a word
  angles: degrees
  light: nit
  exposure: none
"""
WORDS = """types:
  tern.paint:
    role: surface
    meaning: Paint.
    family: base
    outputs: {out: surface}
    parameters:
      hue: {type: color, default: [0.5, 0.5, 0.5], range: [0, 1], meaning: Colour.}
      gloss: {type: float, default: 50, range: [0, 100], unit: "%", meaning: Gloss.}
"""
WAYS = """types:
  tern.paint:
    category: open_pbr_surface
    entries:
      - {ours: hue, common: base_color}
      - {ours: gloss, common: specular_roughness, to_common: 1 - gloss / 100, to_ours: 100 - 100 * specular_roughness}
"""


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    for name, text in (("pack.yaml", PACK), ("vocabulary.yaml", WORDS), ("mapping.yaml", WAYS)):
        (tmp_path / name).write_text(text, encoding="utf-8")
    return tmp_path


def test_a_pack_that_conforms_has_nothing_to_be_told(folder) -> None:
    assert check_folder(folder, shared_part) == []


@pytest.mark.parametrize(
    ("file", "before", "after", "line", "said", "advice"),
    [
        ("pack.yaml", "title: Tern\n", "", 1, "Field required", "Add it."),
        ("pack.yaml", "summary:", "sumary:", 4, "not permitted", "how it is spelt"),
        ("vocabulary.yaml", "type: float", "type: number", 9, "", ""),
        ("vocabulary.yaml", "range: [0, 100]", "range: [0, 40]", 9, "outside its range", "Widen the range"),
        ("vocabulary.yaml", "meaning: Colour.}", "meaning: Colour: much: more}", 8, "no YAML", "quotation marks"),
        ("mapping.yaml", "      - {ours: hue, common: base_color}\n", "", 2, "neither mapped nor declared", "lost:"),
        ("mapping.yaml", "100 - 100 * specular_roughness", "100 - 90 * specular_roughness", 6, "comes back as", "fate: fitted"),
        ("mapping.yaml", "1 - gloss / 100", "1 - glos / 100", 6, "glos", ""),
        ("mapping.yaml", "1 - gloss / 100", "1 - (gloss / 100", 6, "", ""),
        ("mapping.yaml", "common: base_color", "common: base_colour", 5, "base_colour", ""),
        ("mapping.yaml", "tern.paint:\n", "tern.pant:\n", 0, "tern.pant", ""),
    ],
)  # fmt: skip
def test_every_message_names_file_line_and_what_to_do(folder, file, before, after, line, said, advice) -> None:
    text = (folder / file).read_text()
    assert before in text
    (folder / file).write_text(text.replace(before, after, 1))
    found = check_folder(folder, shared_part)
    assert found and all(one.advice for one in found)
    (first, *_) = [one for one in found if said in one.what + one.place and advice in one.advice]
    assert Path(first.file).name == file
    assert first.line == line or line == 0, str(first)
    assert f"{file}:{first.line}" in str(first) or not first.line


def test_what_is_missing_or_no_text_is_told(folder) -> None:
    (folder / "mapping.yaml").unlink()
    (folder / "vocabulary.yaml").write_bytes(b"\xff\xfe\x00")
    assert [Path(one.file).name for one in check_folder(folder)] == ["vocabulary.yaml", "mapping.yaml"]


def test_code_in_a_folder_never_runs(folder) -> None:
    (folder / "looks.py").write_text("raise SystemExit('it ran')")
    (folder / "functions.py").write_text("raise SystemExit('it ran')")
    assert check_folder(folder, shared_part) == []


def test_the_command_says_it_and_its_status(folder) -> None:
    run = CliRunner().invoke
    good = run(app, ["dialect", "check", str(folder)])
    assert good.exit_code == 0 and "It conforms" in good.output
    (folder / "mapping.yaml").write_text(WAYS.replace("      - {ours: hue, common: base_color}\n", ""))
    bad = run(app, ["dialect", "check", str(folder), "--json"])
    (one,) = json.loads(bad.output)["problems"]
    assert bad.exit_code == 2 and one["line"] == 2 and one["place"] == "tern.paint.hue"
    assert run(app, ["dialect", "check", str(folder / "nowhere")]).exit_code != 0


def test_the_packs_that_come_along_conform(packs) -> None:
    from durvan.dialects.conformance import problems

    assert {name: problems(packs.get(name)) for name in BUILT_IN} == {name: [] for name in BUILT_IN}
