"""`durvan light`, and trims and policies that `carry` takes from a file."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from pxr import Usd

BOAT = Path(__file__).parents[2] / "demo" / "boathouse" / "boathouse.usda"
LIT = """def Camera "Eye"
{
    float2 clippingRange = (0.1, 100)
    double3 xformOp:translate = (0, 1, 6)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
def Mesh "Floor"
{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(-9, 0, 9), (9, 0, 9), (9, 0, -9), (-9, 0, -9)]
}
def SphereLight "Bulb"
{
    float inputs:intensity = 20
    float inputs:radius = 0.1
    double3 xformOp:translate = (0, 2, 0)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
"""
pytestmark = pytest.mark.usefixtures("kernels")


def put(file: Path, text: str) -> Path:
    file.write_text('#usda 1.0\n(\n    metersPerUnit = 1\n    upAxis = "Y"\n)\n' + text)
    return file


def values(file: Path) -> dict[str, object]:
    """Every value that a file holds, by its path."""
    stage = Usd.Stage.Open(str(file))
    return {str(a.GetPath()): a.Get() for prim in stage.Traverse() for a in prim.GetAttributes()}


@pytest.fixture
def lit(tmp_path: Path) -> Path:
    return put(tmp_path / "lit.usda", LIT)


def test_it_prints_budget_ladder_and_what_does_not_match(call) -> None:
    status, out, _ = call("light", BOAT, "--to", "pellune", "--camera", "SlipCamera")
    assert status == 0
    assert "subject" in out and "floor" in out and "key to fill" in out and " K " in out
    assert "HullLight" in out and "grey card" in out and "code value" in out
    assert "unmatched setup_fill" in out and "it gives nothing in the target" in out


def test_everything_is_told_as_json_with_probes_given(call, tmp_path: Path) -> None:
    status, out, _ = call(
        "light", BOAT, "--to", "pellune", "--camera", "BenchCamera", "--probe", "0,20,0", "--probe", "50,20,0,0,1,0",
        "--match", "--json", "--save", tmp_path / "b.durvan",
    )  # fmt: skip
    assert status == 0
    said = json.loads(out)
    names = [probe["name"] for probe in said["probes"]]
    assert names[-2:] == ["probe 1", "probe 2"] and said["camera"].endswith("BenchCamera")
    metres = said["probes"][-1]["place_m"]
    assert metres == pytest.approx([0.5, 0.2, 0.0]) and said["probes"][-1]["normal"] == [0.0, 1.0, 0.0]
    for probe in said["probes"]:
        for side in ("source", "target"):
            parts = sum(one[f"{side}_lux"] for one in probe["lights"])
            assert parts == pytest.approx(probe[side]["lux"], rel=1e-6, abs=1e-9)
    assert said["ladder"][0]["step"] == "grey card" and said["ladder"][-1]["unit"] == "of 255"
    assert any(trim["subject"].endswith("HullLight") for trim in said["trims"])
    assert said["not_matched"] and all(one["why"] and one["probe"] in names for one in said["not_matched"])
    assert json.loads((tmp_path / "b.durvan").read_text())["trims"] == said["trims"]


def test_a_file_of_trims_is_honoured_by_both(call, lit: Path, tmp_path: Path) -> None:
    trims = tmp_path / "trims.yaml"
    trims.write_text("trims:\n  - {subject: /Bulb, stops: -1}\n  - {subject: everything, stops: 2}\n")
    status, out, _ = call("light", lit, "--to", "orvik", "--light", trims, "--json")
    assert status == 0
    said = json.loads(out)
    assert [(trim["subject"], trim["stops"]) for trim in said["trims"]] == [("/Bulb", -1.0), ("everything", 2.0)]
    lights = said["probes"][0]["lights"]
    assert lights[0]["source_lux"] > 0.0
    assert lights[0]["target_lux"] == pytest.approx(2.0 * lights[0]["source_lux"], rel=1e-5)
    done = tmp_path / "out.usda"
    assert call("carry", lit, "--to", "orvik", "--light", trims, "--out", done, "--alone")[0] == 0
    bare = tmp_path / "bare.usda"
    assert call("carry", lit, "--to", "orvik", "--out", bare, "--alone")[0] == 0
    one, two = values(bare), values(done)
    apart = {name: (value, two[name]) for name, value in one.items() if value != two[name]}
    assert one.keys() == two.keys() and len(apart) == 1  # the strength, and nothing else
    before, after = next(iter(apart.values()))
    assert after == pytest.approx(2.0 * before, rel=1e-5)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("trims: [{subject: /Nobody, stops: 1}]", "nothing is called '/Nobody'"),
        ("trims: [{subject: everything, stops: lots}]", "trims.0.stops"),
        ("trims: [{subject: everything, stops: .nan}]", "trims.0.stops"),
        ("trims: [{subject: everything, stops: .inf}]", "trims.0.stops"),
        ("unheard: 3", "unheard"),
        ("kept_off: [/Nobody]", "nothing is called '/Nobody'"),
        ("kelvin: blue", "kelvin"),
        ("light_limit: -1", "light_limit"),
        ("tints: [{subject: everything, kelvin: 3}]", "tints.0.kelvin"),
        ("sun_from: [400, 20]", "sun_from.0"),
        ("balanced: -3", "balanced"),
        ("in_use: proof", "no set of settings is called 'proof'"),
        ("sets: [{notes: []}]", "sets.0.name"),
        ("[1, 2", "is no YAML"),
        ("- 1", "Input should be"),
    ],
)
def test_a_bad_file_of_trims_is_refused_with_its_place(call, lit: Path, tmp_path: Path, text: str, said: str) -> None:
    file = tmp_path / "bad.yaml"
    file.write_text(text)
    for command in (
        ("light", lit, "--to", "pellune"),
        ("carry", lit, "--to", "pellune", "--out", tmp_path / "no.usda"),
    ):
        status, _, err = call(*command, "--light", file)
        one_line = " ".join(err.split())
        assert status == 2 and said in one_line and "bad.yaml" in one_line.replace(" ", "")
    assert not (tmp_path / "no.usda").exists()


def test_policies_stand_in_a_file(call, tmp_path: Path) -> None:
    """Other words for setting up: the fill shines, and the tube is off."""
    policies = tmp_path / "policies.yaml"
    policies.write_text("setup_names: [ridge]\nkept_off: []\nlet_shine: []\nkelvin: white\nlight_limit: 2\n")
    status, out, _ = call("light", BOAT, "--to", "pellune", "--light", policies, "--json")
    assert status == 0
    said = json.loads(out)
    lights = {one["light"].rpartition("/")[2]: one for probe in said["probes"] for one in probe["lights"] if one["source_lux"] > 0.1}  # fmt: skip
    assert said["limit"] == 2.0
    assert lights["RidgeTube"]["target_lux"] == 0.0
    assert lights["setup_fill"]["target_lux"] == pytest.approx(lights["setup_fill"]["source_lux"], rel=0.01)


def test_bytes_that_are_no_text_and_no_file(call, lit: Path, tmp_path: Path) -> None:
    (tmp_path / "bytes.yaml").write_bytes(b"\xff\xfe\x00trims")
    for name in ("bytes.yaml", "absent.yaml", "."):
        status, _, err = call("light", lit, "--to", "pellune", "--light", tmp_path / name)
        assert status == 2 and err.strip()


@pytest.mark.parametrize("probe", ["", "1,2", "a,b,c", "1,2,nan", "1,2,inf", "1,2,3,4"])
def test_a_probe_that_is_no_place(call, lit: Path, probe: str) -> None:
    status, _, err = call("light", lit, "--to", "pellune", "--probe", probe)
    assert status == 2 and "is no place" in err and "x,y,z" in err


def test_no_camera_and_a_camera_that_is_not_there(call, tmp_path: Path, lit: Path) -> None:
    bare = put(tmp_path / "bare.usda", 'def SphereLight "Bulb"\n{\n}\n')
    status, _, err = call("light", bare, "--to", "pellune")
    assert status == 2 and "no camera" in err
    status, _, err = call("light", lit, "--to", "pellune", "--camera", "Other")
    assert status == 2 and "Eye" in err


def test_a_camera_that_sees_nothing(call, tmp_path: Path) -> None:
    file = put(tmp_path / "void.usda", 'def Camera "Eye"\n{\n}\ndef SphereLight "Bulb"\n{\n}\n')
    status, out, _ = call("light", file, "--to", "pellune")
    assert status == 0 and "nowhere to measure" in out


def test_a_probe_inside_a_solid_is_finite(call, tmp_path: Path) -> None:
    """Closed in on all sides, it gets nothing, and that is said as a number."""
    box = """def Cube "Box"
{
    double size = 1
}
"""
    file = put(tmp_path / "solid.usda", LIT + box)
    status, out, _ = call("light", file, "--to", "orvik", "--probe", "0,0,0", "--probe", "0,1,1", "--json")
    assert status == 0
    said = json.loads(out)
    inside, outside = said["probes"][-2:]
    assert inside["source"]["lux"] == 0.0 and inside["stops_apart"] in (None, 0.0)
    assert outside["source"]["lux"] > 0.0
