"""How long large files of other formats take to open, beside what the format's own library, or plain parsing, takes on the same file.

A library that only parses does not know yet what the nodes are; so a MaterialX document is also opened by its library with the definition
of every node found, which is the least that reading for a crossing has to do. The collector rests on both sides, as it does in the intake.
"""

from __future__ import annotations

import gc
import json
import statistics
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import MaterialX as mx
import mitsuba as mi

from durvan.crossing.exchange.intake import open_scene
from durvan.dialects.registry import registry
from durvan.formats.gltf.reading import read_gltf
from durvan.formats.materialx.reading import read_document
from durvan.formats.mitsuba.reading import read_scene

RUNS = 5


def took(work: Callable[[Path], object], file: Path) -> float:
    """Seconds, in the median of some runs."""
    times = []
    for _ in range(RUNS):
        gc.collect()
        gc.disable()
        start = time.perf_counter()
        work(file)
        times.append(time.perf_counter() - start)
        gc.enable()
    return statistics.median(times)


def document(file: Path, nodes: int = 2000) -> None:
    """A MaterialX document: materials whose colour is a chain of nine nodes each."""
    parts = []
    for n in range(nodes // 10):
        chain = "".join(
            f'<multiply name="n{k}" type="color3"><input name="in1" type="color3" {"nodename=" + chr(34) + f"n{k - 1}" + chr(34) if k else "value=" + chr(34) + "1, 1, 1" + chr(34)}/>'
            f'<input name="in2" type="color3" value="0.9, 0.8, 0.7"/></multiply>'
            for k in range(9)
        )
        parts.append(
            f'<nodegraph name="G{n}">{chain}<output name="out" type="color3" nodename="n8"/></nodegraph>'
            f'<open_pbr_surface name="S{n}" type="surfaceshader"><input name="base_color" type="color3" nodegraph="G{n}" output="out"/></open_pbr_surface>'
            f'<surfacematerial name="M{n}" type="material"><input name="surfaceshader" type="surfaceshader" nodename="S{n}"/></surfacematerial>'
        )
    file.write_text(f'<materialx version="1.39" colorspace="lin_rec709">{"".join(parts)}</materialx>', encoding="utf-8")


def gltf(file: Path, nodes: int = 20_000) -> None:
    """A glTF of nodes that show a hundred meshes with a hundred materials."""
    said = {
        "asset": {"version": "2.0"}, "scenes": [{"nodes": list(range(nodes))}], "scene": 0,
        "nodes": [{"name": f"n{n}", "mesh": n % 100, "translation": [n, 0, 0]} for n in range(nodes)],
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": n}]} for n in range(100)],
        "materials": [{"name": f"m{n}", "pbrMetallicRoughness": {"roughnessFactor": n / 100}} for n in range(100)],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 3, "type": "VEC3", "min": [0, 0, 0], "max": [0, 0, 0]}],
        "bufferViews": [{"buffer": 0, "byteLength": 36}],
        "buffers": [{"byteLength": 36, "uri": "data:;base64," + "A" * 48}],
    }  # fmt: skip
    file.write_text(json.dumps(said), encoding="utf-8")


def mitsuba(file: Path, elements: int = 40_000) -> None:
    """A Mitsuba scene of shapes with a transform each, and some materials."""
    bsdfs = "".join(
        f'<bsdf type="roughconductor" id="b{n}"><float name="alpha" value="0.{n + 1}"/></bsdf>' for n in range(200)
    )
    shapes = "".join(
        f'<shape type="cube" id="s{n}"><transform name="to_world"><translate x="{n}"/></transform><ref id="b{n % 200}"/></shape>'
        for n in range(elements // 4)
    )
    file.write_text(f'<scene version="3.0.0">{bsdfs}{shapes}</scene>', encoding="utf-8")


def by_materialx(file: Path) -> object:
    """A document as MaterialX's own library opens it."""
    doc = mx.createDocument()
    mx.readFromXmlFile(doc, str(file))
    return doc


def by_materialx_with_definitions(file: Path) -> object:
    """A document as MaterialX's own library opens it, with the standard definitions and those of all its nodes."""
    doc = mx.createDocument()
    mx.loadLibraries(mx.getDefaultDataLibraryFolders(), mx.getDefaultDataSearchPath(), doc)
    mx.readFromXmlFile(doc, str(file))
    return [node.getNodeDef() for node in doc.traverseTree() if isinstance(node, mx.Node)]


def by_json(file: Path) -> object:
    """Plain JSON."""
    return json.loads(file.read_bytes())


def by_mitsuba(file: Path) -> object:
    """A scene as Mitsuba loads it."""
    return mi.load_file(str(file))


def main() -> None:
    """Measure and print."""
    packs = registry()
    mi.set_variant("scalar_rgb")
    rows = (
        ("MaterialX, 2,000 nodes", "a.mtlx", document, read_document, by_materialx, 1.0),
        ("  with definitions", "a.mtlx", document, read_document, by_materialx_with_definitions, 1.0),
        ("glTF, 20,000 nodes", "a.gltf", gltf, read_gltf, by_json, 2.0),
        ("Mitsuba, 40,000 elements", "a.xml", mitsuba, read_scene, by_mitsuba, 3.0),
    )
    print(f"{'':26} {'read':>7} {'opened':>7} {'wanted':>7} {'library':>8} {'read / library':>15}")
    with tempfile.TemporaryDirectory() as folder:
        for name, file_name, make, read, library, wanted in rows:
            file = Path(folder) / file_name
            make(file)
            alone, whole, theirs = took(read, file), took(lambda at: open_scene(at, packs), file), took(library, file)
            print(
                f"{name:26} {alone:6.2f}s {whole:6.2f}s {wanted:6.1f}s {theirs:7.3f}s {alone / theirs:14.1f}x",
                flush=True,
            )


if __name__ == "__main__":
    main()
