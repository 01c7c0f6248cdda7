"""The check of a folder's pack for its author: every message names the file, the line and what to do."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Any

import yaml
from pydantic import BaseModel, ValidationError

from durvan.dialects import conformance, furnace
from durvan.dialects.contract import Identity, Mapping
from durvan.dialects.described.contract import LooksSaid
from durvan.dialects.extending import documents
from durvan.dialects.pack import Below, load
from durvan.errors import PackError
from durvan.scene.graph import Value
from durvan.scene.vocabulary import Vocabulary

FILES: dict[str, type[BaseModel]] = {
    "pack.yaml": Identity, "vocabulary.yaml": Vocabulary, "mapping.yaml": Mapping, "looks.yaml": LooksSaid,
}  # fmt: skip
OPTIONAL = ("vocabulary.yaml", "looks.yaml")
_ADVICE = {
    "missing": "Add it.", "extra_forbidden": "Remove it, or correct how it is spelt.", "bool_parsing": "Write true or false.",
    "bool_type": "Write true or false.", "float_parsing": "Write a number.", "float_type": "Write a number.", "int_parsing": "Write a whole number.",
    "int_type": "Write a whole number.", "string_type": "Write a text, in quotation marks where it could be anything else.",
    "list_type": "Write a list, in square brackets.", "dict_type": "Write a table of names and values.",
    "tuple_type": "Write a list, in square brackets.", "literal_error": "Choose one of those.", "enum": "Choose one of those.",
}  # fmt: skip


@dataclass(frozen=True)
class Told:
    """What is wrong: in which file and line, at which place in it, what, and what to do."""

    file: str
    line: int
    place: str
    what: str
    advice: str

    def __str__(self) -> str:
        where = f"{self.file}:{self.line}" if self.line else self.file
        return f"{where}: {f'{self.place}: ' if self.place else ''}{self.what} {self.advice}".rstrip()


class Lines:
    """Where in a YAML file its parts stand."""

    def __init__(self, text: str) -> None:
        self.root = yaml.compose(text, Loader=yaml.CSafeLoader)

    def of(self, place: Sequence[str | int]) -> int:
        """The line of a part, counted from 1; of one that is not written itself, that of what it would stand in."""
        node, line = self.root, 1
        for part in place:
            found = self._below(node, part)
            if found is not None:
                node, line = found
        return line

    def deepest(self, parts: Sequence[str]) -> int:
        """The same of a place whose names may have points in them, as words have."""
        place: list[str | int] = []
        node, waiting = self.root, list(parts)
        while waiting:
            for length in range(1, len(waiting) + 1):
                name = ".".join(waiting[:length])
                found = self._below(node, int(name) if name.isdigit() else name)
                if found is not None:
                    place.append(int(name) if name.isdigit() else name)
                    node, waiting = found[0], waiting[length:]
                    break
            else:
                break
        return self.of(place)

    @staticmethod
    def _below(node: Any, part: str | int) -> tuple[Any, int] | None:
        if isinstance(node, yaml.MappingNode):
            for key, value in node.value:
                if key.value == str(part):
                    return value, key.start_mark.line + 1
        if isinstance(node, yaml.SequenceNode) and isinstance(part, int) and part < len(node.value):
            found = node.value[part]
            return found, found.start_mark.line + 1
        return None

    def entry(self, kind: str, name: str) -> int:
        """The line of the first correspondence of a type that speaks of a parameter; that of the type where there is none."""
        types = self._below(self.root, "types")
        found = self._below(types[0], kind) if types is not None else None
        if found is None:
            return 1
        waiting, node = [found[0]], None
        while waiting:
            node = waiting.pop(0)
            ours = self._below(node, "ours")
            if ours is not None and name in _texts(ours[0]):
                return int(node.start_mark.line) + 1
            waiting += [value for _, value in node.value] if isinstance(node, yaml.MappingNode) else []
            waiting += node.value if isinstance(node, yaml.SequenceNode) else []
        return found[1]


def _texts(node: Any) -> list[str]:
    return [one.value for one in node.value] if isinstance(node, yaml.SequenceNode) else [str(node.value)]


def check_folder(
    folder: Path, shared: Callable[[str], Traversable] | None = None, parent: Callable[[str], Below] | None = None
) -> list[Told]:
    """Everything that is wrong with a folder's pack; nothing of one that conforms. No code of it is run. `shared` finds parts that
    packs may share, `parent` packs that it may extend.
    """
    lines: dict[str, Lines] = {}
    told: list[Told] = []
    said: dict[str, Any] = {}
    for name in FILES:
        told += _written(folder / name, lines, said)
    if "extends" not in said.get("pack.yaml", {}):
        gone = [name for name in FILES if name not in OPTIONAL and not (folder / name).exists()]
        told += [Told(str(folder / name), 0, "", "is not there.", "Every pack has one.") for name in gone]
    if told:
        return told
    try:
        found = documents(folder, (lambda name: parent(name).folder) if parent is not None else None)
    except PackError as problem:
        return [_of_error(problem, lines, folder)]
    for name, model in FILES.items():
        if name in found:
            told += _of_file(folder / name, found[name], model, lines)
    if told:
        return told
    try:
        pack = load(folder, shared, parent=parent)
    except PackError as problem:
        return [_of_error(problem, lines, folder)]
    return [_of_meaning(one, lines, folder) for one in conformance.problems(pack)] + [
        _of_look(one, lines, folder) for one in furnace.surfaces(pack)
    ]


def _of_look(one: furnace.Hot, lines: dict[str, Lines], folder: Path) -> Told:
    """What a furnace shows of a surface."""
    line = lines["looks.yaml"].of(("surfaces", one.kind)) if "looks.yaml" in lines else 0
    place = f"surfaces.{one.kind}"
    if one.said:
        return Told(
            str(folder / "looks.yaml"), line, place, f"cannot be worked out: {one.said}", "Correct the formula."
        )
    values = ", ".join(f"{name} {_plainly(value)}" for name, value in one.values) or "its defaults"
    what = f"gives back {one.most:.2f} times the light that it gets, {one.degrees:g}° from its normal, with {values[:300]}."
    return Told(
        str(folder / "looks.yaml"),
        line,
        place,
        what,
        "Have what lies on top cover what lies below, and let weights come to 1 at most.",
    )


def _plainly(value: Value) -> str:
    parts = value if isinstance(value, tuple) else (value,)
    return " ".join(f"{part:.3g}" if isinstance(part, float) else str(part) for part in parts)


def _of_meaning(one: conformance.Problem, lines: dict[str, Lines], folder: Path) -> Told:
    """What does not conform."""
    file = "vocabulary.yaml" if one.in_vocabulary else "mapping.yaml"
    if one.in_vocabulary:
        line = lines[file].of(("types", one.kind, "parameters", one.name)) if file in lines else 0
    else:
        line = lines[file].entry(one.kind, one.name)
    place = f"{one.kind}.{one.name}" if one.name else one.kind
    return Told(str(folder / file), line, place, f"{one.what}.", one.advice)


def _written(file: Path, lines: dict[str, Lines], said: dict[str, Any]) -> list[Told]:
    """What is wrong with one file as YAML."""
    try:
        text = file.read_text(encoding="utf-8")
        lines[file.name] = Lines(text)
        said[file.name] = yaml.load(text, Loader=yaml.CSafeLoader)
    except FileNotFoundError:
        return []
    except (OSError, UnicodeDecodeError) as problem:
        return [Told(str(file), 0, "", f"cannot be read: {problem}.", "Save it as UTF-8.")]
    except RecursionError:
        return [Told(str(file), 0, "", "is nested too deeply.", "Write it in fewer levels.")]
    except yaml.YAMLError as wrong:
        mark = getattr(wrong, "problem_mark", None)
        what = str(getattr(wrong, "problem", None) or wrong)
        advice = "Put texts with colons, commas or brackets into quotation marks, and indent by spaces alone."
        return [Told(str(file), mark.line + 1 if mark is not None else 0, "", f"is no YAML here: {what}.", advice)]
    if not isinstance(said[file.name], dict):
        return [Told(str(file), 1, "", "is no table of names and values.", "Write `name: value` in every line.")]
    return []


def _of_file(file: Path, data: dict[str, Any], model: type[BaseModel], lines: dict[str, Lines]) -> list[Told]:
    """What is wrong with one file by itself, with what it extends below it."""
    try:
        model.model_validate(data)
    except ValidationError as invalid:
        return [_of_part(file, lines.get(file.name), dict(one)) for one in invalid.errors()]
    return []


def _of_part(file: Path, lines: Lines | None, error: dict[str, Any]) -> Told:
    place = error["loc"]
    what = str(error["msg"]).removeprefix("Value error, ")
    advice = _ADVICE.get(str(error["type"]), "Correct it.")
    return Told(
        str(file),
        lines.of(place) if lines is not None else 0,
        ".".join(map(str, place)),
        f"{what[:300]}.".replace("..", "."),
        advice,
    )


def _of_error(problem: PackError, lines: dict[str, Lines], folder: Path) -> Told:
    """What was found when all files were put together."""
    name = Path(problem.file).name
    file = name if name in lines else "mapping.yaml"
    kind, _, rest = problem.inside.partition("/")
    if file == "looks.yaml":
        line = lines[file].deepest(problem.inside.split(".")) if file in lines else 0
    else:
        line = lines[file].entry(kind, rest.split("/")[0]) if file in lines and kind else 0
    advice = problem.advice or "Correct it; docs/dialect-packs.md says what may stand there."
    return Told(str(folder / file), line, problem.inside, problem.what, advice)
