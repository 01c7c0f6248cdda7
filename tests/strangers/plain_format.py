"""A file format of a stranger's: materials as JSON lines. What a format needs is what is here."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

from durvan.errors import SceneFileError
from durvan.progress import Report, silent
from durvan.scene.assembly import Assembly
from durvan.scene.graph import Link, Node
from durvan.scene.model import Kind
from durvan.scene.raw import RawScene, RawThing
from durvan.scene.shapes import Shapes
from durvan.scene.wearers import Wearer
from durvan.scene.written import Form, Property, Written, WrittenThing


def read(file: Path, report: Report = silent) -> RawScene:
    """Materials of one node each, a JSON object a line: where, what, values."""
    raw = RawScene(file, 1.0, "Y", None, "", (str(file),))
    for number, line in enumerate(file.read_text(encoding="utf-8").splitlines(), 1):
        try:
            said = json.loads(line)
        except json.JSONDecodeError as problem:
            raise SceneFileError(f"is not JSON: {problem.msg}.", file=file, inside=f"line {number}") from problem
        thing = RawThing(said["path"], said["path"].rsplit("/", 1)[-1], Kind.MATERIAL, "paint")
        values = {port: tuple(v) if isinstance(v, list) else v for port, v in said["values"].items()}
        thing.graph.add(Node("top", said["word"], values))
        thing.contexts[""] = {"surface": Link("top", said["output"])}
        raw.things.append(thing)
        raw.worn[thing.path] = [Wearer("/Thing", "paint")]
    return raw


def shapes(file: Path, report: Report = silent) -> Shapes:
    """There are none."""
    return Shapes()


def assembly(file: Path, report: Report = silent) -> Assembly:
    """Nothing stands in it."""
    return Assembly()


def write(written: Written, file: Path) -> None:
    """A line a node, with where each of its links goes."""
    lines = []
    for path, thing in written.things.items():
        said = {
            name: {"type": one.type, "value": one.value, "link": one.link} for name, one in thing.properties.items()
        }
        lines.append({"path": path, "word": thing.word, "values": said, "outputs": thing.outputs, "ends": thing.ends})
    text = [json.dumps({"over": written.over}), *map(json.dumps, lines)]
    file.write_text("\n".join(text) + "\n", encoding="utf-8")


def carried_before(file: Path) -> dict[str, str]:
    """It says nothing of how it was made."""
    return {}


def read_back(file: Path) -> Written:
    """The same again."""
    head, *lines = map(json.loads, file.read_text(encoding="utf-8").splitlines())
    found = Written(over=head["over"])
    for said in lines:
        one = found.things[said["path"]] = WrittenThing(Form.NODE, said["word"], outputs=said["outputs"])
        one.ends = {name: tuple(end) for name, end in said["ends"].items()}
        for name, told in said["values"].items():
            value = tuple(told["value"]) if isinstance(told["value"], list) else told["value"]
            one.properties[name] = Property(told["type"], value, tuple(told["link"]) if told["link"] else None)
    return found


def paths_in(file: Path) -> list[str]:
    """Nothing is named."""
    return []


def rewrite(source: Path, out: Path, put: Callable[[str], str]) -> int:
    """Nothing to write otherwise."""
    out.write_bytes(source.read_bytes())
    return 0
