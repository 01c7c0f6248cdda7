"""A first pack from a renderer's own definitions: words with their types, ranges, defaults and meanings; correspondences proposed."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from dataclasses import replace

from durvan.dialects.proposing import SURFACE, Proposal, propose
from durvan.formats.defined import Input, Word
from durvan.scene.graph import Value
from durvan.scene.vocabulary import Parameter, common_ground

UNDECIDED = "Not decided yet."
NAME = re.compile(r"[a-z][a-z0-9_]{1,30}")
_PACK = """# Who the dialect is. What its conventions are is for people to read; correct every line of it.
name: {name}
title: {title}
version: "1"
summary: {summary}
prefix: {name}.
namespace: {name}
context: {name}
conventions:
  length: metre
  up_axis: the stage's
  working_colour: linear Rec.709
  normal_green: up
  roughness: perceptual, 0 is a mirror
  picture_decoding: by the picture's own colour space
  angles: degrees
  light: nit
  exposure: none
"""


def skeleton(name: str, words: Iterable[Word], source: str) -> dict[str, str]:
    """The three files of a pack, by their names. What is proposed is marked with how sure it is; the rest is held, undecided."""
    every = _once(words)
    return {
        "pack.yaml": _PACK.format(name=name, title=name.capitalize(), summary=json.dumps(f"Written from {source}.")),
        "vocabulary.yaml": _vocabulary(name, every),
        "mapping.yaml": _mapping(name, every),
    }


def _once(words: Iterable[Word]) -> dict[str, Word]:
    """Words by the names that they get here; of one with several forms the first."""
    out: dict[str, Word] = {}
    for word in words:
        out.setdefault(re.sub(r"[^A-Za-z0-9_]", "_", word.category or word.name), word)
    return out


def _vocabulary(name: str, words: dict[str, Word]) -> str:
    lines = [
        "# Every node with its parameters, as the definitions have them. Add ranges and units where they are missing.",
        "types:",
    ]
    for key, word in words.items():
        lines += [f"  {name}.{key}:", f"    id: {_said(word.name)}"]
        lines += ["    role: surface"] if word.is_surface else []
        outputs = ", ".join(f"{_said(port)}: {type_}" for port, type_ in word.outputs.items())
        lines += [f"    meaning: {_said(word.meaning or key)}", "    family: base", f"    outputs: {{{outputs}}}"]
        lines.append("    parameters:" if word.inputs else "    parameters: {}")
        ports = _ports(key, word)
        for one in word.inputs:
            port = ports.get(one.name)
            lines.append(f"      {_said(one.name)}: {{{_parameter(_as(one, port))}}}{_assumed(one, port)}")
    return "\n".join(lines) + "\n"


def _ports(key: str, word: Word) -> dict[str, Parameter]:
    """What inputs are proposed to be: of a surface by their names, of a node of the common ground's own name by the same names."""
    types = common_ground().types
    if word.is_surface:
        return {name: types[SURFACE].parameters[made.port] for name, made in proposals(word).items()}
    known = types[key].parameters if key in types else {}
    units = {one.name: one.unit for one in word.inputs}
    return {name: port for name, port in known.items() if name in units and units[name] in ("", port.unit)}


def _as(one: Input, port: Parameter | None) -> Input:
    """An input with what it has to be to be a port: a normal, or a number in its unit where it says none."""
    if port is None:
        return one
    if port.type == "normal":
        return replace(one, type="normal", default=None)
    return replace(one, unit=one.unit or port.unit)


def _assumed(one: Input, port: Parameter | None) -> str:
    return f"  # its unit is taken to be {port.unit}" if port is not None and port.unit and not one.unit else ""


def _parameter(one: Input) -> str:
    said = [f"type: {one.type}"]
    if one.default is not None and one.type not in ("any", "normal", "surface"):
        said.append(f"default: {_said(one.default)}")
    if (
        one.range is not None
        and _within(one)
        and one.type in ("float", "int", "color", "vector2", "vector3", "vector4")
    ):
        said.append(f"range: [{one.range[0]:g}, {one.range[1]:g}]")
    if one.choices and one.type == "token":
        said.append(f"choices: [{', '.join(map(_said, one.choices))}]")
    if one.unit:
        said.append(f"unit: {_said(one.unit)}")
    if one.type == "file":
        said.append("role: picture")
    return ", ".join([*said, f"meaning: {_said(one.meaning or one.group or one.name)}"])


def _within(one: Input) -> bool:
    """Whether a default lies in its range, which a definition need not care about."""
    parts = one.default if isinstance(one.default, tuple) else (one.default,)
    assert one.range is not None
    return all(not isinstance(part, int | float) or one.range[0] <= part <= one.range[1] for part in parts)


def _said(value: Value) -> str:
    """A value as YAML; texts as JSON, which YAML reads."""
    if isinstance(value, tuple):
        return f"[{', '.join(_said(part) for part in value)}]"
    return json.dumps(value, ensure_ascii=False)


def _mapping(name: str, words: dict[str, Word]) -> str:
    head = (
        "# What every parameter is on the common ground. Proposals say how sure they are; what is held waits for you."
    )
    lines, idle = [head, "types:"], []
    for key, word in words.items():
        if word.is_surface:
            lines += [f"  {name}.{key}:", f"    category: {SURFACE}", "    entries:"]
            lines += _entries(word)
        elif key in common_ground().types:
            ports = _ports(key, word)
            lines += [
                f"  {name}.{key}:  # proposed: the common ground's own name",
                f"    category: {key}",
                "    entries:",
            ]
            lines += [_entry(one.name, one.name if one.name in ports else "", None) for one in word.inputs]
        else:
            idle.append(f"  {name}.{key}: {json.dumps(UNDECIDED)}")
    if len(lines) == 2:
        lines[1] = "types: {}"
    if idle:
        lines += ["no_word_for:", *idle]
    return "\n".join(lines) + "\n"


def proposals(word: Word) -> dict[str, Proposal]:
    """The likeliest port of each input of a surface; of two that would be the same, the surer one has it."""
    found = {one.name: made for one in word.inputs if one.type != "surface" and (made := propose(one)) is not None}
    best: dict[str, str] = {}
    for name, made in found.items():
        if made.port not in best or made.sure > found[best[made.port]].sure:
            best[made.port] = name
    return {name: found[name] for name in best.values()}


def _entries(word: Word) -> list[str]:
    found = proposals(word)
    return [
        _entry(one.name, found[one.name].port if one.name in found else "", found.get(one.name)) for one in word.inputs
    ]


def _entry(name: str, port: str, made: Proposal | None) -> str:
    if not port:
        return f"      - {{ours: {_said(name)}, held: {_said(UNDECIDED)}}}"
    formulas = (
        f", to_common: {_said(made.to_common)}, to_ours: {_said(made.to_ours)}"
        if made is not None and made.to_common
        else ""
    )
    note = f"  # proposed, {made.sure} % sure, {made.why}" if made is not None else "  # proposed: the same name"
    return f"      - {{ours: {_said(name)}, common: {port}{formulas}}}{note}"
