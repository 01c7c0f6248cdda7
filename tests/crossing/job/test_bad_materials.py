"""Materials that no one should have made: a finding each, a finite picture, bounded work, and nothing that is no number in what is written."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.job.session import Session, start
from durvan.crossing.looks.appearance import Appearance
from durvan.dialects.registry import Registry
from durvan.engine import swatches
from making import write

pytestmark = pytest.mark.usefixtures("kernels")
NO_NUMBER = re.compile(r"[=(,\s\[](-?nan|-?inf)[\s,)\]]", re.IGNORECASE)


def shader(
    name: str, word: str, lines: str = "", outputs: str = "color3f outputs:colour\n            float outputs:grey"
) -> str:
    return f'''
        def Shader "{name}"
        {{
            uniform token info:id = "orvik.{word}"
            {lines}
            {outputs}
        }}'''


def finish(lines: str, name: str = "finish") -> str:
    return shader(name, "finish", lines, "token outputs:out")


def linked(port: str, node: str, output: str = "colour", of: str = "color3f") -> str:
    return f"{of} inputs:{port}.connect = </W/Bad/{node}.outputs:{output}>"


def doubling() -> str:
    """Each of forty blends reads the one before it twice: more than a million million ways, and forty nodes."""
    nodes = [finish(linked("base_tint", "b39")), shader("b0", "noise")]
    for k in range(1, 40):
        both = f"{linked('map_1', f'b{k - 1}')}\n            {linked('ground', f'b{k - 1}')}\n            float inputs:share_1 = 0.5"
        nodes.append(shader(f"b{k}", "blend", both))
    return "".join(nodes)


def piles() -> str:
    """Two hundred layers: piles of nine, each on the one before it."""
    out, below = [finish("color3f inputs:base_tint = (0.2, 0.3, 0.4)", "low")], "low"
    for p in range(23):
        lines = [linked("base", below, "out", "token")]
        for n in range(1, 10):
            out.append(finish(f"color3f inputs:base_tint = ({(p * 9 + n) / 250:.3f}, 0.3, 0.2)", f"f{p}_{n}"))
            lines += [linked(f"finish_{n}", f"f{p}_{n}", "out", "token"), f"float inputs:mask_{n} = 0.3"]
        out.append(shader(f"p{p}", "pile", "\n            ".join(lines), "token outputs:out"))
        below = f"p{p}"
    return "".join(out)


# name → (the network, its last node, codes of which at least one has to be raised)
BAD: dict[str, tuple[str, str, set[str]]] = {
    "a cycle": (
        finish(linked("base_tint", "a")) + shader("a", "correct", linked("input", "b")) + shader("b", "correct", linked("input", "a")),
        "finish", {"cycle", "held"},
    ),
    "a fan-out that doubles": (doubling(), "finish", {"baked", "held", "drift", "lost"}),
    "two hundred layers": (piles(), "p22", {"layers-merged"}),
    "an index of 0": (finish("color3f inputs:mirror_tint = (1, 1, 1)\n            float inputs:mirror_index = 0"), "finish", {"out-of-range"}),
    "a negative index": (finish("color3f inputs:mirror_tint = (1, 1, 1)\n            float inputs:mirror_index = -5"), "finish", {"out-of-range"}),
    "a huge index": (finish("color3f inputs:mirror_tint = (1, 1, 1)\n            float inputs:mirror_index = 1e30"), "finish", {"out-of-range"}),
    "a colour over 1": (finish("color3f inputs:base_tint = (7, 0.5, 0.5)"), "finish", {"out-of-range"}),
    "a colour below 0": (finish("color3f inputs:base_tint = (-3, 0.5, 0.5)"), "finish", {"out-of-range"}),
    "a number that is none": (finish("float inputs:polish = nan"), "finish", {"wrong-value", "held"}),
    "a cut-out that is not there": (
        finish(linked("cutout", "p", "grey", "float")) + shader("p", "picture", "asset inputs:file = @./nowhere.png@"), "finish", {"picture-absent"},
    ),
    "a kilometre of relief": (
        finish(linked("relief", "b", "relief", "normal3f"))
        + shader("b", "bump", f"{linked('map', 'n', 'grey', 'float')}\n            float inputs:depth = 100000", "normal3f outputs:relief")
        + shader("n", "noise"), "finish", {"relief-scale", "out-of-range"},
    ),
    "a kilometre of displacement": (
        finish("color3f inputs:base_tint = (0.5, 0.5, 0.5)")
        + shader("d", "displace", f"{linked('map', 'n', 'grey', 'float')}\n            float inputs:height = 100000", "token outputs:out")
        + shader("n", "noise"), "finish", {"relief-scale"},
    ),
    "a pattern without UVs to bake it on": (finish(linked("base_tint", "c")) + shader("c", "chequer"), "finish", {"held"}),
}  # fmt: skip

SCENE = """#usda 1.0
(
    metersPerUnit = 0.01
)
def Xform "W"
{
    def Mesh "a" ( prepend apiSchemas = ["MaterialBindingAPI"] )
    {
        int[] faceVertexCounts = [4]
        int[] faceVertexIndices = [0, 1, 2, 3]
        point3f[] points = [(-100, 0, 100), (100, 0, 100), (100, 0, -100), (-100, 0, -100)]
        rel material:binding = </W/Bad>
    }
    def Material "Bad"
    {
        token outputs:orvik:surface.connect = </W/Bad/%s.outputs:out>%s
    }
}
"""


@pytest.fixture
def opened(packs: Registry, tmp_path: Path, request: pytest.FixtureRequest) -> tuple[Session, set[str]]:
    network, last, codes = BAD[request.param]
    moved = "\n        token outputs:orvik:displacement.connect = </W/Bad/d.outputs:out>" if '"d"' in network else ""
    made = start(write(tmp_path, SCENE % (last, moved + network)), packs, "pellune", "orvik")
    made.look_at_shapes(always=True)
    made.recognise()
    return made, codes


@pytest.mark.parametrize("opened", list(BAD), indirect=True)
def test_it_is_found_shown_and_written_without_a_number_that_is_none(
    opened: tuple[Session, set[str]], tmp_path: Path
) -> None:
    session, codes = opened
    found = {one.code for one in session.findings if one.thing == "/W/Bad"}
    assert found & codes, found
    session.carry(tmp_path / "out.usda")
    assert not NO_NUMBER.search((tmp_path / "out.usda").read_text())
    thing, done = session.scene.things["/W/Bad"], session.plan.translations["/W/Bad"]
    seen = Appearance(session.scene, session.registry)
    for look in (seen.source(thing, done), seen.target(thing, done)):
        assert np.isfinite(look.base).all()
        made = swatches.Maker(look).guess()
        assert np.isfinite(made).all() and made.max() < 1e4
