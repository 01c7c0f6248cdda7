"""What a stranger adds without touching the rest: a dialect, a finding with a remedy, a file format, a station."""

from __future__ import annotations

import json
import os
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.document.changes import LeaveOut, SetTrims
from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.findings import Finding, Level, Need, Remedy, View, rules
from durvan.crossing.findings.rules import Rule
from durvan.crossing.job.session import start
from durvan.crossing.translation.choices import Trim
from durvan.dialects.conformance import check
from durvan.dialects.look import Lamp
from durvan.dialects.registry import Registry, read
from durvan.engine import staging
from durvan.errors import MisuseError, SceneFileError
from durvan.formats import profiles, table
from durvan.optics.profile import Profile
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Thing
from making import small, write

HERE = Path(__file__).parent
PAINT = """
import json, sys
from pathlib import Path
from durvan.cli.looks import drift
from durvan.crossing.job.session import start
from durvan.dialects.registry import registry
from durvan.progress import silent
session = start(Path(sys.argv[1]), registry(), sys.argv[2])
print(json.dumps(drift(session, False, silent)))
"""


@pytest.fixture
def tern(tmp_path: Path, monkeypatch) -> Iterator[Registry]:
    """An installation with Tern in it: its package, and the entry point by which packs are found."""
    offer(tmp_path, "tern = tern_pack")
    monkeypatch.syspath_prepend(str(HERE))
    monkeypatch.syspath_prepend(str(tmp_path))
    yield read(tmp_path / "no_user_packs")
    for name in [name for name in sys.modules if name.startswith(("tern_pack", "broken_pack"))]:
        del sys.modules[name]


def offer(folder: Path, *points: str) -> None:
    told = folder / "tern_pack-1.0.dist-info"
    told.mkdir(exist_ok=True)
    (told / "METADATA").write_text("Metadata-Version: 2.1\nName: tern-pack\nVersion: 1.0\n")
    (told / "entry_points.txt").write_text("[durvan.dialects]\n" + "\n".join(points) + "\n")


# a dialect


def test_a_pack_by_an_entry_point_has_its_code(tern: Registry) -> None:
    pack = tern.get("tern")
    assert tern.broken == [] and check(pack) == []
    assert pack.looks is not None and pack.hooks is not None and "vividness" in pack.language.functions
    assert pack.kind_of("tern.oldPaint") == "tern.paint"
    assert "vividness" not in tern.get("orvik").language.functions  # its functions are its own


def test_its_findings_and_formulas_work_as_a_source(tern: Registry, tmp_path: Path) -> None:
    text = (
        small()
        .replace("orvik.finish", "tern.oldPaint")
        .replace("orvik:", "tern:")
        .replace("outputs:out", "outputs:paint")
    )
    text = text.replace("float inputs:polish = 0.6", "float inputs:dullness = 25").replace("base_tint", "pigment")
    text = text.replace('token inputs:polish_curve = "trowbridge"', "bool inputs:signal = true")
    session = start(write(tmp_path, text), tern, "pellune")
    (found,) = [finding for finding in session.findings if finding.code == "tern-signal"]
    assert found.cause == "Paint is marked as a signal, 20 % vivid" and found.level is Level.NOTE
    row = next(row for row in session.plan.ledger if row.parameter == "dullness")
    assert row.fate is Fate.RECAST and row.target_values[0][0] == pytest.approx(0.25)
    session.apply(list(found.remedies))
    session.renew()
    assert "tern-signal" not in {finding.code for finding in session.findings}
    assert session.undo() == "Read as plain"


@pytest.mark.usefixtures("kernels")
def test_its_drift_is_measured_where_it_is_installed(tmp_path: Path) -> None:
    """As a person has it: another process, with the package on its path and nothing said to Durvan."""
    offer(tmp_path, "tern = tern_pack")
    env = {**os.environ, "PYTHONPATH": f"{HERE}{os.pathsep}{tmp_path}"}

    def drift(values: str) -> float:
        scene = write(tmp_path, small(values))
        done = subprocess.run(
            [sys.executable, "-c", PAINT, str(scene), "tern"], env=env, capture_output=True, text=True, check=False
        )
        assert done.returncode == 0, done.stderr[-2000:]
        (row,) = json.loads(done.stdout)
        return row["drift"]

    white = "color3f inputs:mirror_tint = (1, 1, 1)\n"
    assert drift(white + "float inputs:mirror_index = 1.5") < 0.5  # the same lobes, by both definitions
    assert drift(white + "float inputs:mirror_index = 2.6") > 1.5  # Tern has one index only


def test_a_broken_pack_takes_nobody_with_it(tern: Registry, tmp_path: Path) -> None:
    for name, part, code, said in (
        ("no_function", "looks", "def surface(kind, get): ...\n", "no function node, light"),
        ("no_hooks", "hooks", "def folds(word): ...\n", "no function kind_of"),
        ("no_table", "functions", "X = 1\n", "no FUNCTIONS"),
        ("raises", "looks", "raise RuntimeError('not today')\n", "RuntimeError: not today"),
        ("needs", "looks", "import nobody_has_this\n", "nobody_has_this"),
    ):
        package = tmp_path / f"broken_pack_{name}"
        package.mkdir()
        (package / "__init__.py").write_text("")
        (package / f"{part}.py").write_text(code)
        for file in ("pack.yaml", "vocabulary.yaml", "mapping.yaml"):
            (package / file).write_text((HERE / "tern_pack" / file).read_text())
        offer(tmp_path, f"x = broken_pack_{name}", "gone = no_such_package")
        found = read(tmp_path / "none")
        assert {"orvik", "pellune", "openpbr", "preview"} <= set(found.packs) and "tern" not in found.packs
        assert any(said in problem for problem in found.broken), found.broken
        assert any("no_such_package" in problem for problem in found.broken)


def test_a_users_folder_is_data_only(tmp_path: Path) -> None:
    folder = tmp_path / "packs" / "gull"
    folder.mkdir(parents=True)
    for file in ("pack.yaml", "vocabulary.yaml", "mapping.yaml"):
        text = (HERE / "tern_pack" / file).read_text().replace("tern", "gull").replace("Tern", "Gull")
        (folder / file).write_text(
            text.replace("percent(specular_roughness)", "specular_roughness * 100").replace("vividness", "spread")
        )
    (folder / "looks.py").write_text("raise SystemExit('this must not run')\n")
    found = read(tmp_path / "packs")
    assert found.broken == [] and found.get("gull").looks is None and found.user == tmp_path / "packs"


# a finding with a remedy


def test_a_finding_is_one_rule(lamproom: Path, packs, monkeypatch) -> None:
    def glaring(view: View, thing: Thing) -> Iterator[Finding]:
        gain = thing.root.values.get("gain") if thing.kind is Kind.LIGHT and thing.root is not None else None
        if isinstance(gain, float) and gain > 5.0:
            remedy = Remedy("Leave it out", "Leave all {count} out", LeaveOut(thing=thing.id))
            yield Finding(
                "glaring",
                Level.LOOK,
                "A light that glares",
                f"its gain is {gain:g}",
                "it blinds",
                thing.id,
                remedies=(remedy,),
            )

    monkeypatch.setattr(rules, "RULES", (*rules.RULES, Rule(("glaring",), "Survey", Need.TRANSLATIONS, glaring)))
    session = start(lamproom, packs, "pellune")
    group = next(group for group in session.open_groups() if group.code == "glaring")
    assert group.count >= 2 and group.remedies[0].all_label(group.count) == f"Leave all {group.count} out"
    session.apply(group.remedies)
    session.renew()
    assert "glaring" not in {finding.code for finding in session.findings}
    assert session.undo() == "Leave all out"
    session.renew()
    assert [g.count for g in session.open_groups() if g.code == "glaring"] == [group.count]


# a file format


@pytest.fixture
def plain(monkeypatch) -> None:
    monkeypatch.syspath_prepend(str(HERE))
    monkeypatch.setattr(
        table, "FORMATS", [*table.FORMATS, table.Format("Plain", (".plain",), (".plain",), "plain_format")]
    )


@pytest.mark.usefixtures("plain")
def test_a_file_format_is_one_module(packs, tmp_path: Path) -> None:
    said = {
        "path": "/Boat/Hull",
        "word": "orvik.finish",
        "output": "out",
        "values": {
            "base_tint": [0.1, 0.2, 0.3],
            "mirror_tint": [0.5, 0.5, 0.5],
            "polish": 0.75,
            "polish_curve": "trowbridge",
        },
    }
    source = tmp_path / "boat.plain"
    source.write_text(json.dumps(said) + "\n")
    session = start(source, packs, "pellune")
    assert session.scene.dialect == "orvik" and [t.name for t in session.scene.of(Kind.MATERIAL)] == ["Hull"]
    done = session.carry(tmp_path / "out.plain")
    assert done.checked > 3 and '"rough": {"type": "float", "value": 0.25' in (tmp_path / "out.plain").read_text()
    across = session.carry(tmp_path / "out.usda")  # a whole stage of its own: there is nothing that it could stand on
    assert across.checked > 3 and session.document.written_as == "USD"
    assert [thing.name for thing in open_scene(tmp_path / "out.usda", packs).of(Kind.MATERIAL)] == ["Hull"]
    assert open_scene(source, packs).file == str(source)
    source.write_text("{}\nnot json\n".removeprefix("{}\n"))
    with pytest.raises(SceneFileError, match="line 1"):
        open_scene(source, packs)


def test_an_ending_that_nobody_reads_or_writes(packs, lamproom: Path, tmp_path: Path) -> None:
    (tmp_path / "boat.plain").write_text("{}")
    with pytest.raises(SceneFileError, match=r"Durvan opens \.usda"):
        open_scene(tmp_path / "boat.plain", packs)
    with pytest.raises(MisuseError, match=r"written as \.usda"):
        start(lamproom, packs).carry(tmp_path / "out.plain")


PROFILED = """
def SphereLight "Dish"
{
    uniform token orvik:kind = "measured"
    asset orvik:file = @./dish.ies@
    float orvik:lumen = 900
    color3f orvik:tint = (1, 0.5, 0.25)
    float orvik:radius = 0
    double3 xformOp:translate = (0, 200, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
"""


@pytest.mark.usefixtures("kernels")
def test_a_profile_is_written_in_the_strength_that_a_target_needs(tern: Registry, tmp_path: Path) -> None:
    """Tern has no strength for a lamp with a profile: what 900 lumen are becomes a profile of 900 lumen beside its file."""
    angles = np.linspace(0.0, 90.0, 19)
    meant = Profile(angles, np.array([0.0]), 40.0 * np.cos(np.radians(angles))[None, :], "C", 0.0, 12.0)
    profiles.write(meant, tmp_path / "dish.ies")
    file = write(tmp_path, small() + PROFILED)
    session = start(file, tern, "tern")
    before = (tmp_path / "dish.ies").read_bytes()
    (tmp_path / "out").mkdir()

    def lamps(things: list[Thing]) -> list[Lamp]:
        return [
            lamp for thing in things if thing.id.endswith("Dish")
            for lamp in staging.lamps_of(thing, tern.packs.get(thing.dialect), staging.facts_of(session.scene))
        ]  # fmt: skip

    (one,), (two,) = lamps(session.scene.own), lamps(session.plan.target_things)
    for lamp in (one, two):
        assert lamp.profile_of is not None
    down = [np.array(lamp.radiance) * lamp.profile_of(0.0, 0.0, -1.0) for lamp in (one, two)]  # type: ignore[misc]
    assert down[1] == pytest.approx(down[0], rel=1e-6)
    session.carry(tmp_path / "out" / "tern.usda")
    (made,) = (tmp_path / "out").glob("*.ies")
    assert profiles.lumens(profiles.read(made)) == pytest.approx(900.0, rel=1e-6)
    assert (tmp_path / "dish.ies").read_bytes() == before
    again = open_scene(tmp_path / "out" / "tern.usda", tern, "tern")
    dish = next(thing for thing in again.things.values() if thing.id.endswith("Dish"))
    assert dish.root is not None and dish.root.kind == "tern.beacon" and dish.root.values["file"] == f"./{made.name}"
    row = next(row for row in session.plan.ledger if row.thing.endswith("Dish") and row.parameter == "lumen")
    assert "scaled_profile" in row.formula and row.targets
    stamp = made.stat().st_mtime_ns
    session.carry(tmp_path / "out" / "tern.usda")
    assert [made] == list((tmp_path / "out").glob("*.ies")) and made.stat().st_mtime_ns == stamp
    session.do("Brighter", SetTrims(trims=(Trim(subject="everything", stops=1.0),)))
    session.renew()
    session.carry(tmp_path / "out" / "tern.usda")
    (made,) = (tmp_path / "out").glob("*.ies")  # the former one is ours, and nothing reads it any more
    assert profiles.lumens(profiles.read(made)) == pytest.approx(1800.0, rel=1e-6)
