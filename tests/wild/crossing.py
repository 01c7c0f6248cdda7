"""One made-up file after another carried anywhere, written, and opened again; what must hold of all is checked on the way."""

from __future__ import annotations

import random
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from durvan.crossing.exchange.intake import open_scene
from durvan.crossing.job.session import Session, start
from durvan.dialects.registry import Registry
from durvan.errors import DurvanError
from durvan.scene.graph import Value
from durvan.scene.model import Scene
from wild import gltf, materialx, mitsuba, spoiling, stages

FORMATS = ("mtlx", "gltf", "xml", "usda")
ENDINGS: Mapping[str, tuple[str, ...]] = {
    "gltf": (".glb", ".gltf"), "mitsuba": (".xml",), "openpbr": (".mtlx", ".usda"), "standard": (".mtlx", ".usdc"),
    "gltfpbr": (".mtlx", ".usda"), "previewmtlx": (".mtlx", ".usda"),
}  # fmt: skip


def made(kind: str, seed: int, folder: Path, spoilt: int = 0) -> Path:
    """Write a made-up file of a format; spoilt in so many places."""
    if kind == "gltf":
        ending, data = gltf.asset(seed, spoilt)
        file = folder / f"made{ending}"
        file.write_bytes(data)
        return file
    file = folder / f"made.{kind}"
    if kind == "usda":
        stages.stage(seed, file)
    else:
        file.write_text((materialx.document if kind == "mtlx" else mitsuba.scene)(seed), encoding="utf-8")
    if spoilt:
        whole = file.read_text(encoding="utf-8")
        file.write_text(spoiling.text(whole, random.Random(seed), spoilt), encoding="utf-8")
    return file


def carried(file: Path, packs: Registry, target: str, out: Path) -> tuple[Session, Scene]:
    """Carry a file, write it, which checks what was written, and open it again."""
    session = start(file, packs, target)
    session.carry(out)
    session.findings  # noqa: B018 # all that can be said of it
    return session, open_scene(out, packs)


def without_row(session: Session) -> list[str]:
    """What of the source has no row in the ledger. Of a blend of MaterialX's, rows say the vocabulary's names."""
    renamed = {"fg": "top", "bg": "under", "mix": "amount"}
    left = []
    for name, done in session.plan.translations.items():
        rows = {(row.node, row.parameter) for row in done.rows}
        for node in session.scene.things[name].graph.nodes.values():
            for port in node.ports():
                if (node.id, port) not in rows and (node.id, renamed.get(port, port)) not in rows:
                    left.append(f"{name}/{node.id}.{port}")
    return left


def differences(before: Scene, after: Scene) -> list[str]:
    """What of a scene another one says otherwise, of things in its main dialect."""
    found = []
    for name, thing in before.things.items():
        other = after.things.get(name)
        if thing.dialect != before.dialect:
            continue
        if other is None:
            found.append(f"{name} is gone")
            continue
        for node in thing.graph.nodes.values():
            same = other.graph.nodes.get(node.id)
            if same is None or same.kind != node.kind:
                found.append(f"{name}/{node.id} is gone")
                continue
            found += [
                f"{name}/{node.id}.{port}"
                for port, value in node.values.items()
                if not near(value, same.values.get(port))
            ]
            found += [f"{name}/{node.id}.{port}" for port, link in node.links.items() if same.links.get(port) != link]
    return found


def near(one: Value | None, other: Any) -> bool:
    """Whether two values are one to 1e-6; pictures inside of a file go by the file's name."""
    if isinstance(one, tuple) and isinstance(other, tuple):
        return len(one) == len(other) and all(map(near, one, other))
    if isinstance(one, int | float) and isinstance(other, int | float):
        return abs(one - other) <= 1e-6 * max(1.0, abs(one))
    inside = isinstance(one, str) and isinstance(other, str) and "[" in one
    return one == other or (inside and one.partition("[")[2] == other.partition("[")[2])


def is_told(problem: DurvanError) -> bool:
    """Whether a refusal says something, in a sentence that fits on a screen."""
    return 10 < len(str(problem)) < 1500
