"""The command line as a user meets it: output, JSON, exit status, no traceback."""

from __future__ import annotations

import json
import subprocess
import sys
from html.parser import HTMLParser

import pytest

from durvan.cli.main import app
from making import small, write


def durvan(*arguments: object) -> subprocess.CompletedProcess[str]:
    code = "from durvan.cli.main import run; run()"
    return subprocess.run(
        [sys.executable, "-c", code, *map(str, arguments)], capture_output=True, text=True, check=False
    )


def test_survey_tells_and_ends_with_one_when_something_stops(call, lamproom) -> None:
    status, out, _ = call("survey", lamproom, "--to", "pellune")
    assert status == 1
    assert "31 materials, 9 lights, 2 cameras, 1 settings" in out and "A picture is nowhere to be found" in out


def test_survey_as_json_is_whole(call, lamproom) -> None:
    status, out, _ = call("survey", lamproom, "--to", "pellune", "--json")
    data = json.loads(out)
    assert status == 1 and data["rows"] == sum(data["fates"].values()) == sum(len(t["rows"]) for t in data["ledger"])
    assert data["open"]["stop"] == 2 and {g["level"] for g in data["findings"]} == {"stop", "look", "note"}
    things = {one["name"]: one for one in data["ledger"]}
    assert {name: things[name]["recognised"]["kind"] for name in ("PedestalBrass", "LensGlass", "WindowPane", "CandleWax")} == {
        "PedestalBrass": "bare metal", "LensGlass": "solid glass", "WindowPane": "thin glass", "CandleWax": "wax or skin",
    }  # fmt: skip
    assert not any(one.get("recognised", {}).get("said") for one in things.values())
    assert [one["file"] for one in things["TableOak"]["baked"]] == ["TableOak_base_color_linear.exr"]
    codes = {one["code"]: one for one in data["findings"]}
    assert [one["thing"].rpartition("/")[2] for one in codes["facing-mix"]["findings"]] == ["Oilskin"]


def test_a_clean_scene_ends_with_zero(call, tmp_path) -> None:
    status, out, _ = call("carry", write(tmp_path, small()), "--to", "pellune", "--out", tmp_path / "o.usda")
    assert status == 0 and "values read back as meant" in out and (tmp_path / "o.usda").is_file()


def test_carry_saves_a_crossing_that_survey_opens(call, lamproom, tmp_path) -> None:
    saved = tmp_path / "room.durvan"
    call("carry", lamproom, "--to", "pellune", "--out", tmp_path / "o.usdc", "--scope", "lights", "--save", saved)
    status, out, _ = call("survey", saved, "--json")
    assert status == 0 and json.loads(out)["scope"] == "lights"


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (("survey", "gone.usda"), "no such file"),
        (("survey", "{scene}", "--to", "nobody"), "not a dialect"),
        (("survey", "{scene}", "--from", "nobody"), "not a dialect"),
        (("survey", "{scene}", "--scope", "kitchen"), "kitchen"),
        (("carry", "{scene}", "--out", "{scene}"), "never written"),
        (("carry", "{scene}", "--out", "/nowhere/at/all.usda"), "does not exist"),
        (("record", "{scene}", "--out", "x.txt"), ".html"),
        (("carry", "{scene}"), "--out"),
        (("fly",), "fly"),
    ],
)
def test_misuse_ends_with_two_and_one_sentence(call, lamproom, arguments, said) -> None:
    status, _, err = call(*[str(lamproom) if a == "{scene}" else a for a in arguments])
    assert status == 2 and said in err and "Traceback" not in err


def test_broken_input_from_outside_never_shows_a_traceback(tmp_path) -> None:
    done = durvan("survey", write(tmp_path, "#usda 1.0\ndef (", "broken.usda"))
    assert done.returncode == 2 and "broken.usda" in done.stderr and "Traceback" not in done.stderr


class Page(HTMLParser):
    def __init__(self) -> None:
        super().__init__()
        self.tags: list[str] = []
        self.outside: list[str] = []

    def handle_starttag(self, tag, attrs) -> None:
        self.tags.append(tag)
        self.outside += [value for name, value in attrs if name in ("src", "href") and value]


def test_the_record_is_a_page_by_itself_and_json(call, lamproom, tmp_path) -> None:
    status, _, _ = call("record", lamproom, "--to", "pellune", "--out", tmp_path / "r.html", "--no-pictures")
    page = Page()
    page.feed((tmp_path / "r.html").read_text())
    data = json.loads((tmp_path / "r.json").read_text())
    assert status == 1 and not page.outside and "script" not in page.tags
    assert page.tags.count("details") == len(data["ledger"]) == 43


def test_the_record_escapes_what_the_scene_says(call, tmp_path) -> None:
    evil = "<script>alert(1)</script>"
    file = write(tmp_path, small(f'string inputs:glow_gain = "{evil}"'))
    call("record", file, "--to", "pellune", "--out", tmp_path / "r.html", "--no-pictures")
    assert evil not in (tmp_path / "r.html").read_text()


def test_dialects_lists_and_checks(call) -> None:
    status, out, _ = call("dialects", "--check", "--json")
    rows = json.loads(out)["dialects"]
    assert status == 0 and {row["name"] for row in rows} >= {"orvik", "pellune", "openpbr", "preview"}
    assert all(row["problems"] == [] for row in rows)


def test_version_and_help(call) -> None:
    assert call("--version")[1].startswith("durvan ")
    assert all(name in call("--help")[1] for name in ("survey", "carry", "record", "dialects"))
    assert app.info.name == "durvan"


def test_a_record_that_cannot_be_written_is_told_and_leaves_nothing_half(lamproom, tmp_path) -> None:
    (tmp_path / "page.html").mkdir()
    done = durvan("record", str(lamproom), "--no-pictures", "--out", str(tmp_path / "page.html"))
    assert done.returncode == 2 and "cannot be written" in done.stderr and "Traceback" not in done.stderr
    (tmp_path / "old.html").write_text("old")
    (tmp_path / "old.json").mkdir()
    done = durvan("record", str(lamproom), "--no-pictures", "--out", str(tmp_path / "old.html"))
    assert done.returncode == 2 and "old.json" in done.stderr
    assert sorted(file.name for file in tmp_path.iterdir()) == ["old.html", "old.json", "page.html"]


def test_a_target_that_is_a_link_to_itself_is_told(call, lamproom, tmp_path) -> None:
    out = tmp_path / "loop.usda"
    out.symlink_to(out)
    status, _, said = call("carry", lamproom, "--to", "pellune", "--out", out)
    assert status == 2 and "leads nowhere" in said
    assert out.is_symlink() and list(tmp_path.iterdir()) == [out]
