"""A pack that extends another one by what differs: their documents put together, before they are checked."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from importlib.resources.abc import Traversable
from pathlib import Path
from typing import Any

import yaml

from durvan.errors import PackError

Folder = Traversable | Path
Documents = dict[str, dict[str, Any]]
NAMES = ("pack.yaml", "vocabulary.yaml", "mapping.yaml", "looks.yaml")
_OPTIONAL = ("vocabulary.yaml", "mapping.yaml", "looks.yaml")
_MOST = 8  # packs that extend each other, one after the other


def read_document(folder: Folder, name: str) -> dict[str, Any]:
    """A file of a pack as it is written. Raises PackError where it is not there or is no table."""
    place = f"{folder}/{name}"
    try:
        data = yaml.load((folder / name).read_text(encoding="utf-8"), Loader=yaml.CSafeLoader)
    except FileNotFoundError as problem:
        raise PackError(f"the pack has no {name}.", file=str(folder)) from problem
    except (yaml.YAMLError, UnicodeDecodeError, OSError, RecursionError) as problem:
        raise PackError(f"cannot be read: {problem}", file=place) from problem
    if not isinstance(data, dict):
        raise PackError("is no table of names and values.", file=place)
    return data


def documents(folder: Folder, parent: Callable[[str], Folder] | None, seen: tuple[str, ...] = ()) -> Documents:
    """The documents of a pack, with those of the pack that it extends below them. `parent` finds a pack's folder by its name.

    Raises PackError.
    """
    own: Documents = {}
    for name in NAMES:
        if name not in _OPTIONAL or (folder / name).is_file():
            own[name] = read_document(folder, name)
    extends = own["pack.yaml"].get("extends", "")
    if not extends:
        return own
    if not isinstance(extends, str) or parent is None:
        raise PackError(f"extends '{extends}', which is not here.", file=f"{folder}/pack.yaml", inside="extends")
    if extends in seen or len(seen) >= _MOST:
        said = " → ".join((*seen, extends))
        raise PackError(f"packs extend each other in a circle: {said}.", file=f"{folder}/pack.yaml", inside="extends")
    try:
        lower = parent(extends)
    except PackError as problem:
        if problem.file:
            raise
        raise PackError(problem.what, file=f"{folder}/pack.yaml", inside="extends", advice=problem.advice) from problem
    return _together(documents(lower, parent, (*seen, extends)), own)


def _together(below: Documents, own: Documents) -> Documents:
    old, new = (
        str(below["pack.yaml"].get("prefix", "")),
        str(own["pack.yaml"].get("prefix", below["pack.yaml"].get("prefix", ""))),
    )
    made: Documents = {}
    for name in NAMES:
        lower, upper = below.get(name), own.get(name)
        if lower is not None:
            lower = _renamed(lower, old, new)
        if lower is None or upper is None:
            if lower is not None or upper is not None:
                made[name] = dict(lower if lower is not None else upper or {})
            continue
        made[name] = _mapping(lower, upper) if name == "mapping.yaml" else _merged(lower, upper)
    _without(made, own.get("vocabulary.yaml", {}))
    return made


def _without(made: Documents, words: Mapping[str, Any]) -> None:
    """What was said below of parameters that were taken away goes with them."""
    for kind, said in (words.get("types") or {}).items():
        parameters = said.get("parameters") if isinstance(said, dict) else None
        gone = {name for name, one in (parameters or {}).items() if one is None}
        mapped = (made.get("mapping.yaml", {}).get("types") or {}).get(kind)
        if gone and isinstance(mapped, dict):
            mapped = _case(mapped, gone)
            mapped["cases"] = [_case(one, gone) for one in mapped.get("cases") or ()]
            made["mapping.yaml"]["types"][kind] = mapped


def _renamed(value: Any, old: str, new: str) -> Any:
    """The same with the words' prefix, where it is another, in the names of tables."""
    if old == new or not old:
        return value
    if isinstance(value, dict):
        return {
            (new + key[len(old) :] if isinstance(key, str) and key.startswith(old) else key): _renamed(one, old, new)
            for key, one in value.items()
        }
    return [_renamed(one, old, new) for one in value] if isinstance(value, list) else value


def _merged(lower: Mapping[str, Any], upper: Mapping[str, Any]) -> dict[str, Any]:
    """Two tables as one: the upper one's values count, tables are put together in their turn, and nothing (~) takes a name away."""
    made = dict(lower)
    for name, value in upper.items():
        if value is None:
            made.pop(name, None)
        elif isinstance(value, dict) and isinstance(made.get(name), dict):
            made[name] = _merged(made[name], value)
        else:
            made[name] = value
    return made


def _mapping(lower: Mapping[str, Any], upper: Mapping[str, Any]) -> dict[str, Any]:
    """Mappings: what the upper one says of a parameter of a type counts in place of all that the lower one says of it."""
    made = _merged(lower, {name: value for name, value in upper.items() if name != "types"})
    types = dict(lower.get("types") or {})
    for kind, said in (upper.get("types") or {}).items():
        before = types.get(kind)
        if said is None:
            types.pop(kind, None)
        elif not isinstance(before, dict) or not isinstance(said, dict):
            types[kind] = said
        else:
            types[kind] = {
                **_merged(before, {n: v for n, v in said.items() if n != "entries"}),
                "entries": _entries(before, said),
            }
            types[kind]["cases"] = [_case(one, _about(said.get("entries"))) for one in types[kind].get("cases") or ()]
    made["types"] = types
    return made


def _about(entries: Any) -> set[str]:
    """Which parameters some entries are about."""
    found: set[str] = set()
    for one in entries or ():
        ours = one.get("ours", ()) if isinstance(one, dict) else ()
        found.update([ours] if isinstance(ours, str) else ours)
    return found


def _entries(before: Mapping[str, Any], said: Mapping[str, Any]) -> list[Any]:
    anew = _about(said.get("entries"))
    return [*(said.get("entries") or ()), *(one for one in before.get("entries") or () if not _about([one]) & anew)]


def _case(case: Any, anew: set[str]) -> Any:
    if not isinstance(case, dict) or not anew:
        return case
    return {**case, "entries": [one for one in case.get("entries") or () if not _about([one]) & anew]}
