"""A mix of two surfaces, as MaterialX's files have it, on both sides."""

from __future__ import annotations

from pathlib import Path

import pytest

from durvan.crossing.job.measuring import measuring
from durvan.crossing.job.session import start
from durvan.dialects.gist import gist
from durvan.dialects.registry import Registry

pytestmark = pytest.mark.usefixtures("kernels")
MIX = """<?xml version="1.0"?>
<materialx version="1.39" colorspace="lin_rec709">
  <{word} name="red" type="surfaceshader"><input name="base_color" type="color3" value="0.7, 0.1, 0.1"/>{more}</{word}>
  <{word} name="blue" type="surfaceshader"><input name="base_color" type="color3" value="0.1, 0.1, 0.7"/>{more}</{word}>
  <mix name="both" type="surfaceshader">
    <input name="fg" type="surfaceshader" nodename="red"/>
    <input name="bg" type="surfaceshader" nodename="blue"/>
    <input name="mix" type="float" value="0.25"/>
  </mix>
  <surfacematerial name="Paint" type="material"><input name="surfaceshader" type="surfaceshader" nodename="both"/></surfacematerial>
</materialx>
"""


MORE = {"gltf_pbr": '<input name="metallic" type="float" value="0"/>'}


@pytest.mark.parametrize(
    ("word", "target"),
    [
        ("open_pbr_surface", "pellune"),
        ("standard_surface", "skarn"),
        ("gltf_pbr", "orvik"),
        ("standard_surface", "openpbr"),
    ],
)
def test_a_mix_of_surfaces_is_seen_as_both(tmp_path: Path, packs: Registry, word: str, target: str) -> None:
    file = tmp_path / "mix.mtlx"
    file.write_text(MIX.format(word=word, more=MORE.get(word, "")), encoding="utf-8")
    session = start(file, packs, target)
    seen = measuring(session)
    (thing,) = session.scene.things.values()
    look = seen.source(thing, session.plan.translations[thing.id])
    scattered = gist(look.base).matt
    assert scattered[2] > 2.0 * scattered[0] > 0.2 and not look.notes
    found = seen.drift(thing, session.plan.translations[thing.id])
    assert found.mean < 1.0, found
