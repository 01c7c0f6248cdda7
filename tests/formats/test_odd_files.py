"""Files that are none, texts that are none, and paths that are none: each is refused in a sentence, at once."""

from __future__ import annotations

import json
import os
import socket
from pathlib import Path

import pytest

from durvan.crossing.job.session import start
from durvan.errors import DurvanError, SceneFileError
from durvan.foreign import text_of
from durvan.formats import pictures
from durvan.formats.gltf.container import read_asset
from durvan.formats.table import format_of, reader, writer
from durvan.formats.usd.words import said
from durvan.progress import silent
from durvan.regular import why_not
from durvan.scene.model import FileKind, FileState
from making import small, write


def read(file: Path):
    return reader(file).read(file, silent)


def odd(folder: Path, kind: str, name: str) -> Path:
    file = folder / name
    if kind == "pipe":
        os.mkfifo(file)
    elif kind == "socket":
        with socket.socket(socket.AF_UNIX) as one:
            one.bind(str(file))
    else:
        file.symlink_to("/dev/zero")
    return file


@pytest.mark.parametrize("kind", ["pipe", "socket", "device"])
def test_only_files_are_opened(tmp_path: Path, kind: str) -> None:
    """Nothing waits for what never comes: a scene, its layers and its pictures are looked at before they are read."""
    with pytest.raises(SceneFileError, match=f"is a {kind}, not a file"):
        read(odd(tmp_path, kind, "scene.usda"))
    odd(tmp_path, kind, "below.usda")
    for line in ("subLayers = [@below.usda@]",):
        text = small().replace('defaultPrim = "W"', f'defaultPrim = "W"\n    {line}')
        with pytest.raises(SceneFileError, match=f"is a {kind}, not a file"):
            read(write(tmp_path, text, "sub.usda"))
    for arc in ("references", "payload"):
        more = f'def "Other" (\n{arc} = @below.usda@\n)\n{{\n}}\n'
        with pytest.raises(SceneFileError, match=f"is a {kind}, not a file") as caught:
            read(write(tmp_path, small(more=more), f"{arc}.usda"))
        assert caught.value.inside == "@below.usda@"
    deep = write(tmp_path, f"#usda 1.0\n(\nsubLayers = [@{'references.usda'}@]\n)\n", "deep.usda")
    with pytest.raises(SceneFileError, match="not a file"):
        read(deep)
    picture = odd(tmp_path, kind, "map.png")
    assert pictures.pixels(str(picture), "srgb") is None and pictures.map_lux(str(picture)) == 0.0


def test_texts_that_are_none_are_told_as_such(tmp_path: Path) -> None:
    file = tmp_path / "scene.usda"
    right = small().encode()
    for spoilt in (right.replace(b'"finish"', b'"fi\xff\xfenish"', 1), right.replace(b"def Xform", b"\xff\xfe Xform")):
        file.write_bytes(spoilt)
        with pytest.raises(SceneFileError, match="USD cannot open it"):
            read(file)

    class Broken:
        def __str__(self) -> str:
            raise UnicodeDecodeError("utf-8", b"what \xff is", 5, 6, "no such byte")

    assert said(Broken()) == "what � is"
    assert text_of(lambda: "x" * 10_000_000) == "x" * 20_000  # what is endless is not looked at to its end
    assert said("Error in '" + "a" * 9_000_000) != ""


@pytest.mark.parametrize("name", ["a" * 300 + ".usda", "nul\0.usda", "odd\udcff.usda", "loop/scene.usda"])
def test_paths_that_are_none_are_refused(tmp_path: Path, name: str) -> None:
    (tmp_path / "loop").symlink_to(tmp_path / "loop")
    file = tmp_path / name
    if "odd" in name:
        Path(file).write_text(small(), encoding="utf-8")
    with pytest.raises(DurvanError) as caught:
        read(file)
    assert len(str(caught.value)) < 800


def test_why_a_path_is_no_file(tmp_path: Path) -> None:
    file = write(tmp_path, "x" * 5_000_000)
    assert why_not(file) == "" and why_not(file, 10_000_000) == ""
    assert why_not(file, 1_000_000) == "is larger than 1 MB"
    assert why_not(tmp_path) == "is a folder, not a file"
    assert why_not(tmp_path / "gone") == "there is no such file"


@pytest.mark.parametrize("line", ["defaultPrim", "upAxis", "startTimeCode", "metersPerUnit"])
def test_what_is_stored_as_another_type_is_passed_over(tmp_path: Path, line: str) -> None:
    """The library keeps a path where a name or a number should stand, and raises when it is asked for it."""
    kept = [row for row in small().splitlines() if not row.strip().startswith(line)]
    file = write(tmp_path, "\n".join(kept).replace("(", f"(\n    {line} = <../..>", 1))
    raw = read(file)
    assert [thing.path for thing in raw.things] == ["/W/Paint"]
    assert raw.default_prim == ("" if line == "defaultPrim" else "/W")
    assert (raw.up_axis, raw.metres_per_unit) == ("Y", 0.01)


def gltf(tmp_path: Path, **said: object) -> Path:
    """A scene of one textured material on one mesh."""
    whole = {
        "asset": {"version": "2.0"},
        "materials": [{"name": "M", "pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "textures": [{"source": 0, "sampler": 0}],
        "samplers": [{}],
        "images": [{"uri": "a.png"}],
        "nodes": [{"mesh": 0}],
        "scenes": [{"nodes": [0]}],
        "scene": 0,
        "meshes": [{"primitives": [{"attributes": {"POSITION": 0}, "material": 0}]}],
        "accessors": [{"bufferView": 0, "componentType": 5126, "count": 1, "type": "VEC3"}],
        "bufferViews": [{"buffer": 0, "byteLength": 12}],
        "buffers": [{"uri": "a%00b", "byteLength": 12}],
    }
    file = tmp_path / "odd.gltf"
    file.write_text(json.dumps({**whole, **said}))
    return file


@pytest.mark.parametrize("key", ["magFilter", "minFilter", "wrapS", "wrapT"])
@pytest.mark.parametrize("said", [[1], {"a": 1}, True, 9729.0, 10**40, "LINEAR"])
def test_samplers_of_anything_are_read(tmp_path: Path, key: str, said: object) -> None:
    raw = reader(gltf(tmp_path, samplers=[{key: said}])).read(tmp_path / "odd.gltf", silent)
    values = [value for node in raw.things[0].graph.nodes.values() for value in node.values.values()]
    assert str(said) in values


def test_a_buffer_with_a_zero_in_its_path_is_told(tmp_path: Path) -> None:
    file = gltf(tmp_path)
    assert reader(file).shapes(file, silent).meshes == []
    with pytest.raises(SceneFileError, match="no path holds a zero") as told:
        read_asset(file).buffer(0)
    assert told.value.inside


@pytest.mark.parametrize("said", ['<vector name="width" value="1,2,3"/>', '<string name="width" value="wide"/>'])
def test_a_film_of_no_size_is_as_large_as_others_and_told(tmp_path: Path, said: str) -> None:
    film = f'<sensor type="perspective"><film type="hdrfilm">{said}</film></sensor>'
    file = tmp_path / "odd.xml"
    file.write_text(f'<scene version="3.0.0">{film}</scene>')
    raw = reader(file).read(file, silent)
    assert raw.things[0].context["frame_aspect"] == pytest.approx(768 / 576)
    assert [one.code for one in raw.oddities] == ["wrong-value"] and "768 pixels are taken" in raw.oddities[0].detail


@pytest.mark.parametrize("name", ["out.USDA", "out.GLTF", "out.Xml", "out.MTLX"])
def test_endings_are_read_and_written_in_large_letters_too(name: str) -> None:
    assert writer(Path(name)) is not None and format_of(Path(name)).port().__class__ is writer(Path(name)).__class__


@pytest.mark.parametrize("name", ["geo.bin", "geo", "geo.png"])
def test_a_buffer_is_no_picture_whatever_it_is_called(packs, tmp_path: Path, name: str) -> None:
    file = gltf(tmp_path, buffers=[{"uri": name, "byteLength": 12}], textures=[], materials=[{"name": "M"}])
    (tmp_path / name).write_bytes(bytes(12))
    session = start(file, packs, "openpbr")
    (found,) = [one for one in session.scene.files.values() if one.written == name]
    assert (found.kind, found.state) == (FileKind.GEOMETRY, FileState.IN_PLACE)
    assert [one.code for one in session.findings if one.station == "Files"] == []
    (tmp_path / name).unlink()
    absent = start(file, packs, "openpbr")
    assert [one.code for one in absent.findings if one.station == "Files"] == ["geometry-absent"]
