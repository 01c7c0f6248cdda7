"""Scenes of any size, of Orvik materials with eight nodes and sixty-four inputs each; for tests and the benchmark."""

from __future__ import annotations

import random
from pathlib import Path


def generate(file: Path, materials: int, seed: int = 7) -> Path:
    """Write a stage of `materials` × 8 nodes × 8 inputs; the same for the same seed."""
    r = random.Random(seed)

    def f(low: float = 0.0, high: float = 1.0) -> str:
        return repr(round(r.uniform(low, high), 4))

    def c() -> str:
        return f"({f()}, {f()}, {f()})"

    out = [
        '#usda 1.0\n(\n    defaultPrim = "W"\n    metersPerUnit = 0.01\n    upAxis = "Y"\n)\ndef Xform "W"\n{\ndef Scope "Looks"\n{\n'
    ]

    def node(name: str, kind: str, lines: list[str], outputs: str) -> None:
        body = "\n".join(lines)
        out.append(f'def Shader "{name}"\n{{\nuniform token info:id = "orvik.{kind}"\n{body}\n{outputs}\n}}\n')

    for number in range(materials):
        path = f"/W/Looks/M{number}"
        out.append(f'def Material "M{number}"\n{{\ntoken outputs:orvik:surface.connect = <{path}/finish.outputs:out>\n')
        for name in ("a", "b", "c"):
            lines = [
                f"asset inputs:file = @tex/t{number % 97}_{name}.png@",
                f"float inputs:decode_gamma = {2.2 if name == 'a' else 1.0}",
                f"float2 inputs:repeats = ({f(1, 4)}, {f(1, 4)})",
                f"float2 inputs:shift = ({f()}, {f()})",
                f"float inputs:turn = {f(0, 90)}",
                f"bool inputs:mirror = {r.randint(0, 1)}",
                f"float inputs:gain = {f(0.2, 1)}",
                f"bool inputs:invert = {r.randint(0, 1)}",
            ]
            node(name, "picture", lines, "color3f outputs:colour\nfloat outputs:grey")
        lines = [
            f"color3f inputs:input.connect = <{path}/a.outputs:colour>",
            f"float inputs:hue_turn = {f()}",
            f"float inputs:saturation = {f()}",
        ]
        lines += [f"color3f inputs:gain = {c()}", f"color3f inputs:shift = {c()}", f"float inputs:power = {f(0.5, 2)}"]
        node(
            "correct", "correct", [*lines, "float inputs:own_1 = 1", "float inputs:own_2 = 2"], "color3f outputs:colour"
        )
        lines = [f"color3f inputs:first = {c()}", f"color3f inputs:second = {c()}", 'token inputs:along = "v"']
        node("ramp", "ramp", lines + [f"float inputs:own_{k} = {f()}" for k in range(5)], "color3f outputs:colour")
        lines = [
            f"color3f inputs:low = {c()}",
            f"color3f inputs:high = {c()}",
            f"float inputs:size = {f(1, 9)}",
            "int inputs:octaves = 4",
        ]
        node(
            "noise",
            "noise",
            lines + [f"float inputs:own_{k} = {f()}" for k in range(4)],
            "color3f outputs:colour\nfloat outputs:grey",
        )
        lines = [f"float inputs:map.connect = <{path}/c.outputs:grey>", f"float inputs:depth = {f()}"]
        node("bump", "bump", lines + [f"float inputs:own_{k} = {f()}" for k in range(6)], "normal3f outputs:relief")
        lines = [
            f"color3f inputs:base_tint.connect = <{path}/correct.outputs:colour>",
            f"float inputs:polish.connect = <{path}/b.outputs:grey>",
            f"normal3f inputs:relief.connect = <{path}/bump.outputs:relief>",
            f"color3f inputs:mirror_tint = {c()}",
            f"float inputs:mirror_index = {f(1.3, 2)}",
            'token inputs:polish_curve = "trowbridge"',
            f"color3f inputs:glow_tint.connect = <{path}/ramp.outputs:colour>",
            f"float inputs:cutout.connect = <{path}/noise.outputs:grey>",
        ]
        node("finish", "finish", lines, "token outputs:out")
        out.append("}\n")
    out.append("}\n}\n")
    file.write_text("".join(out), encoding="utf-8")
    return file
