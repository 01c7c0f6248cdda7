"""Ids in pictures, by the published specification of Cryptomatte 1.2: names as hashes, with how much of a pixel each covers."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

import mmh3
import numpy as np
from numpy.typing import NDArray

from durvan.formats.layers import Layered
from durvan.proof.picture import Ids, Pixels

_MATERIALS, _OBJECTS = ("material", "mat"), ("object", "asset", "shape", "obj")
_EXPONENT, _FLIPPED = 0xFF, 1 << 23  # of a 32-bit float: all ones or all zeros make no number that every program keeps


def hash_of(name: str) -> int:
    """The hash of a name, before it is made fit for a float."""
    return int(mmh3.hash(name, 0, signed=False))


def id_of(name: str) -> int:
    """The bits of a name's id: its hash, with a bit turned over where the float would be no plain number."""
    found = hash_of(name)
    return found ^ _FLIPPED if (found >> 23) & _EXPONENT in (0, _EXPONENT) else found


def key_of(title: str) -> str:
    """What a set of ids goes by in a file's header."""
    return f"{hash_of(title):08x}"[:7]


def channels(ids: Ids) -> Pixels:
    """One rank of ids: each pixel's, and that it covers all of it [height, width, 4]."""
    table = np.array([*(id_of(name) for name in ids.names), 0], dtype=np.uint32)
    out = np.zeros((*ids.numbers.shape, 4), dtype=np.float32)
    out[..., 0] = table[ids.numbers].view(np.float32)
    out[..., 1] = ids.numbers >= 0
    return out


def header(title: str, ids: Ids) -> dict[str, str]:
    """What the file's header says of a set of ids."""
    place = f"cryptomatte/{key_of(title)}"
    manifest = json.dumps({name: f"{id_of(name):08x}" for name in ids.names}, ensure_ascii=False)
    return {
        f"{place}/name": title, f"{place}/hash": "MurmurHash3_32", f"{place}/conversion": "uint32_to_float32",
        f"{place}/manifest": manifest,
    }  # fmt: skip


def read(layered: Layered, remarks: list[str]) -> dict[str, Ids]:
    """What a file's ids show, by what their layers are called: "materials" and "objects". What is odd is told in `remarks`."""
    made: dict[str, Ids] = {}
    for key, title in _titles(layered.attributes).items():
        lower = title.lower()
        kind = next(
            (
                kind
                for kind, words in (("materials", _MATERIALS), ("objects", _OBJECTS))
                if any(w in lower for w in words)
            ),
            None,
        )
        first = next((name for name in (f"{title}00", f"{title}0") if name in layered.layers), None)
        if kind is None or first is None or kind in made:
            continue
        made[kind] = _ranked(layered.read(first), _manifest(layered.attributes, key, title, remarks), title, remarks)
    return made


def _titles(attributes: Mapping[str, Any]) -> dict[str, str]:
    found = {}
    for name, value in attributes.items():
        match = re.fullmatch(r"cryptomatte/([0-9a-zA-Z]+)/name", name)
        if match:
            found[match.group(1)] = str(value)
    return found


def _manifest(attributes: Mapping[str, Any], key: str, title: str, remarks: list[str]) -> dict[int, str]:
    text = attributes.get(f"cryptomatte/{key}/manifest", "")
    if not text:
        remarks.append(f"the ids of {title} have no names: there is no manifest")
        return {}
    try:
        said = json.loads(str(text))
        return {int(str(number), 16): str(name) for name, number in said.items()}
    except (ValueError, AttributeError) as problem:
        remarks.append(f"the manifest of {title} cannot be read ({str(problem)[:80]}); its ids have no names")
        return {}


def _ranked(values: Pixels, names: Mapping[int, str], title: str, remarks: list[str]) -> Ids:
    """The id that covers most of each pixel: of two ranks in four channels, id and coverage each."""
    ids = np.ascontiguousarray(values).view(np.uint32)
    second = values.shape[2] >= 4
    better = values[..., 3] > values[..., 1] if second else np.zeros(values.shape[:2], dtype=bool)
    number = np.where(better, ids[..., 2], ids[..., 0]) if second else ids[..., 0]
    cover = np.where(better, values[..., 3], values[..., 1]) if second else values[..., 1]
    number = np.where(cover > 0.0, number, 0)
    unique, places = np.unique(number, return_inverse=True)
    strangers = [int(one) for one in unique if one and int(one) not in names]
    if strangers and names:
        remarks.append(f"{len(strangers)} ids of {title} are not in its manifest; they are called by their numbers")
    shown: list[str] = []
    place_of = np.full(len(unique), -1, dtype=np.int32)
    for n, one in enumerate(unique):
        if one:
            place_of[n] = len(shown)
            shown.append(names.get(int(one), f"{int(one):08x}"))
    numbers: NDArray[np.int32] = place_of[places.reshape(number.shape)]
    return Ids(numbers, tuple(shown))
