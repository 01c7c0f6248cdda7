"""What Durvan writes as glTF passes the validator of the format's own makers, whatever it was carried from."""

from __future__ import annotations

import json
import random
import shutil
import subprocess
from collections.abc import Callable, Iterable
from pathlib import Path

import pytest

from durvan.crossing.job.session import start
from durvan.dialects.registry import Registry

HERE = Path(__file__).parent / "validator"
DEMO = Path(__file__).parent.parent.parent / "demo"
NODE = shutil.which("node")
pytestmark = [
    pytest.mark.skipif(NODE is None, reason="Node is not installed, which the glTF validator runs in"),
    pytest.mark.skipif(
        not (HERE / "node_modules" / "gltf-validator").is_dir(),
        reason="the glTF validator is not installed: `./setup.sh` brings it",
    ),
]


def validated(files: Iterable[Path]) -> list[dict]:
    """What the validator says of each file."""
    done = subprocess.run(
        [str(NODE), str(HERE / "check.js"), *map(str, files)], capture_output=True, text=True, check=True, timeout=120
    )
    return [json.loads(line) for line in done.stdout.splitlines()]


@pytest.mark.parametrize("ending", [".glb", ".gltf"])
@pytest.mark.parametrize("scene", ["lamproom", "oilstore", "foghouse"])
def test_a_demo_scene_carried_to_gltf_is_valid(packs: Registry, tmp_path: Path, scene: str, ending: str) -> None:
    session = start(DEMO / scene / f"{scene}.usda", packs, "gltf")
    session.carry(tmp_path / f"{scene}{ending}")
    (said,) = validated([tmp_path / f"{scene}{ending}"])
    assert said["errors"] == 0, [one for one in said["told"] if "INFO" not in one][:6]


@pytest.mark.parametrize(
    "source",
    ["orvik", "pellune", "gltfpbr", "mitsuba", "preview", "previewmtlx", "openpbr", "standard", "gltf", "skarn"],
)
def test_made_up_materials_of_every_dialect_are_valid_as_gltf(
    packs: Registry, tmp_path: Path, source: str, materials: Callable
) -> None:
    file = materials(source, 24, tmp_path)
    session = start(file, packs, "gltf", source)
    session.carry(tmp_path / "out.gltf")
    (said,) = validated([tmp_path / "out.gltf"])
    assert said["errors"] == 0, [one for one in said["told"] if "INFO" not in one][:6]


@pytest.fixture
def materials(packs: Registry) -> Callable[[str, int, Path], Path]:
    """Writes made-up materials of a dialect as a USD stage of balls that wear them."""
    from pxr import Gf, Sdf, Usd, UsdGeom, UsdShade

    from made_up import Maker, maps

    kinds = {
        "float": Sdf.ValueTypeNames.Float, "int": Sdf.ValueTypeNames.Int, "bool": Sdf.ValueTypeNames.Bool, "color": Sdf.ValueTypeNames.Color3f,
        "vector2": Sdf.ValueTypeNames.Float2, "vector3": Sdf.ValueTypeNames.Float3, "vector4": Sdf.ValueTypeNames.Float4, "file": Sdf.ValueTypeNames.Asset,
        "normal": Sdf.ValueTypeNames.Normal3f, "surface": Sdf.ValueTypeNames.Token, "token": Sdf.ValueTypeNames.Token, "string": Sdf.ValueTypeNames.String,
    }  # fmt: skip

    def write(source: str, count: int, folder: Path) -> Path:
        pack, files = packs.get(source), maps(folder)
        stage = Usd.Stage.CreateNew(str(folder / "made.usda"))
        UsdGeom.SetStageMetersPerUnit(stage, 0.01)
        UsdGeom.SetStageUpAxis(stage, UsdGeom.Tokens.y)
        stage.SetDefaultPrim(UsdGeom.Xform.Define(stage, "/W").GetPrim())
        for number in range(count):
            graph = Maker(pack, 7000 + number, networks=0.15, pictures=files).material(number).graph
            material = UsdShade.Material.Define(stage, f"/W/M{number}")
            shaders = {name: UsdShade.Shader.Define(stage, f"/W/M{number}/{name}") for name in graph.nodes}
            for name, node in graph.nodes.items():
                word = pack.vocabulary.types[node.kind]
                shaders[name].CreateIdAttr(word.id or node.kind)
                for port, value in node.values.items():
                    kind = kinds.get(
                        word.parameters[port].type,
                        Sdf.ValueTypeNames.Float if not isinstance(value, tuple) else Sdf.ValueTypeNames.Color3f,
                    )
                    shaders[name].CreateInput(port, kind).Set(Gf.Vec2f(*value) if kind == kinds["vector2"] else value)
                for port, link in node.links.items():
                    gives = pack.vocabulary.types[graph.nodes[link.node].kind].outputs.get(link.output, "color")
                    out = shaders[link.node].CreateOutput(link.output, kinds.get(gives, Sdf.ValueTypeNames.Float))
                    shaders[name].CreateInput(
                        port, kinds.get(word.parameters[port].type, Sdf.ValueTypeNames.Color3f)
                    ).ConnectToSource(out)
            root = graph.outputs["surface"]
            context = pack.identity.context
            output = material.CreateSurfaceOutput(context) if context else material.CreateSurfaceOutput()
            output.ConnectToSource(
                shaders[root.node].CreateOutput(
                    next(iter(pack.vocabulary.types[graph.nodes[root.node].kind].outputs)), kinds["token"]
                )
            )
            mesh = UsdGeom.Mesh.Define(stage, f"/W/B{number}")
            at = random.Random(number).uniform(-9.0, 9.0)
            mesh.CreatePointsAttr([(at, 0, 0), (at + 1, 0, 0), (at, 1, 0)])
            mesh.CreateFaceVertexCountsAttr([3])
            mesh.CreateFaceVertexIndicesAttr([0, 1, 2])
            UsdGeom.PrimvarsAPI(mesh).CreatePrimvar(
                "st", Sdf.ValueTypeNames.TexCoord2fArray, UsdGeom.Tokens.vertex
            ).Set([(0, 0), (1, 0), (0, 1)])
            UsdShade.MaterialBindingAPI.Apply(mesh.GetPrim()).Bind(material)
        stage.GetRootLayer().Save()
        return folder / "made.usda"

    return write
