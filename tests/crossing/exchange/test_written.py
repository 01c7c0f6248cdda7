"""What is written reads back as it was meant: values, their types, and where links go; and what does not is told."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from durvan.crossing.exchange import compose as composing
from durvan.crossing.exchange.carry import carry
from durvan.crossing.exchange.verify import check
from durvan.crossing.job.session import start
from durvan.errors import SceneFileError
from durvan.formats.usd import port as usd
from durvan.formats.usd.text import TYPES
from durvan.scene.written import Form, Property, Written, WrittenThing, differences, type_for
from making import beside

A, B = "/W/Paint/x_network/a", "/W/Paint/x_network/b"


def whole(**properties: Property) -> Written:
    """A material of two nodes; properties are those of the first."""
    out = Written(metadata={"metersPerUnit": 0.01, "upAxis": "Y"}, told={"version": "1"})
    material = out.thing("/W/Paint", Form.MATERIAL)
    material.ends["x:surface"] = (A, "out")
    out.things[A] = WrittenThing(Form.NODE, "x.surface", dict(properties), {"out": "token"})
    out.things[B] = WrittenThing(Form.NODE, "x.map", {"gain": Property("float", 0.5)}, {"colour": "color"})
    return out


EVERY = {
    "tint": Property("color", (0.1, 0.2, 0.3)), "rough": Property("float", 1.0 / 3.0), "on": Property("bool", True),
    "count": Property("int", -7), "mode": Property("token", "soft"), "label": Property("string", 'a "b" \\ c\n'),
    "file": Property("file", "./tex/a b@1.png", space="srgb_texture"), "map": Property("color", link=(B, "colour")),
    "both": Property("float", 0.25, (B, "colour")), "place": Property("vector2", (1.0, 2.0)),
    "four": Property("vector4", (1.0, 2.0, 3.0, 4.0)), "way": Property("vector3", (0.0, 1.0, 0.0)),
    "relief": Property("normal", link=(B, "colour")), "size": Property("int2", (1920.0, 1080.0), fixed=True),
}  # fmt: skip


@pytest.mark.parametrize("ending", ["usda", "usdc", "usd"])
def test_every_type_reads_back(tmp_path: Path, ending: str) -> None:
    meant = whole(**EVERY)
    usd.write(meant, tmp_path / f"a.{ending}")
    found = usd.read_back(tmp_path / f"a.{ending}")
    meant = whole(**EVERY)  # what was written was taken apart
    assert list(differences(meant, found)) == []
    assert found.says(A, meant.things[A]).properties["map"].link == (B, "colour")
    assert found.says("/W/Paint", meant.things["/W/Paint"]).ends == {"x:surface": (A, "out")}
    assert check(tmp_path / f"a.{ending}", meant, usd) == len(EVERY) + 4


Mistake = Callable[[Written], None]


def _put(name: str, **changes: object) -> Mistake:
    return lambda w: w.things[A].properties.update({name: replace(w.things[A].properties[name], **changes)})


@pytest.mark.parametrize(
    ("mistake", "inside", "said"),
    [
        (_put("rough", value=0.5), f"{A}.rough", "0.5"),
        (_put("map", link=(A, "out")), f"{A}.map", f"linked to {A}.out"),
        (_put("map", link=(B, "alpha")), f"{A}.map", f"linked to {B}.alpha"),
        (_put("both", link=None), f"{A}.both", "not linked"),
        (_put("rough", type="int", value=0), f"{A}.rough", "of type int"),
        (_put("tint", type="vector3"), f"{A}.tint", "of type vector3"),
        (_put("mode", value="hard"), f"{A}.mode", "hard"),
        (_put("file", value="./tex/other.png"), f"{A}.file", "other.png"),
        (_put("file", space="raw"), f"{A}.file", "in raw"),
        (lambda w: w.things[A].properties.pop("count"), f"{A}.count", "nothing"),
        (lambda w: w.things.pop(B), B, "nothing"),
        (lambda w: setattr(w.things[B], "word", "x.other"), B, "x.other"),
        (lambda w: w.things[B].outputs.update(colour="float"), f"{B}.colour", "float"),
        (lambda w: w.things["/W/Paint"].ends.update({"x:surface": (B, "colour")}), "/W/Paint.x:surface", f"linked to {B}.colour"),
    ],
)  # fmt: skip
def test_every_mistake_is_found_and_placed(tmp_path: Path, mistake: Mistake, inside: str, said: str) -> None:
    """A wrong value, a wrong type, a link to the wrong node: each was written, each is told with its place."""
    wrong = whole(**EVERY)
    mistake(wrong)
    usd.write(wrong, tmp_path / "a.usda")
    with pytest.raises(SceneFileError) as told:
        check(tmp_path / "a.usda", whole(**EVERY), usd)
    assert told.value.inside == inside and said in told.value.what and "a.usda" in str(told.value)


def test_the_link_to_the_source_and_a_turn_are_checked(tmp_path: Path) -> None:
    meant = whole()
    meant.over = "./lamp.usda"
    usd.write(whole(), tmp_path / "a.usda")
    with pytest.raises(SceneFileError, match="over nothing, was meant to be over"):
        check(tmp_path / "a.usda", meant, usd)
    other = whole()
    other.over = "./old.usda"
    usd.write(other, tmp_path / "a.usda")
    with pytest.raises(SceneFileError, match=r"over \./old\.usda, was meant to be over \./lamp\.usda"):
        check(tmp_path / "a.usda", meant, usd)
    for axis in ("Y", "Z"):
        dome = Written(up_axis=axis)
        dome.thing("/W/Dome", Form.PROPERTIES).yaw = 33.5
        usd.write(dome, tmp_path / "dome.usda")
        for yaw, wrong in ((33.5, False), (34.0, True), (None, False)):
            dome = Written(up_axis=axis)
            dome.thing("/W/Dome", Form.PROPERTIES).yaw = yaw
            found = usd.read_back(tmp_path / "dome.usda")
            assert bool(list(differences(dome, found))) is wrong


_NUMBER = st.floats(-(2.0**99), 2.0**99, width=32)
_VALUES = {
    "float": _NUMBER, "int": st.integers(-(2**31), 2**31 - 1), "bool": st.booleans(),
    "color": st.tuples(_NUMBER, _NUMBER, _NUMBER), "vector2": st.tuples(_NUMBER, _NUMBER),
    "vector3": st.tuples(_NUMBER, _NUMBER, _NUMBER), "vector4": st.tuples(_NUMBER, _NUMBER, _NUMBER, _NUMBER),
    "normal": st.tuples(_NUMBER, _NUMBER, _NUMBER),
    "token": st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=12),
    "string": st.text(st.characters(codec="utf-8", exclude_categories=("Cs", "Cc")), max_size=12),
}  # fmt: skip


@settings(max_examples=60, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(st.sampled_from(sorted(_VALUES)).flatmap(lambda of: st.tuples(st.just(of), _VALUES[of])))
def test_any_value_reads_back(tmp_path: Path, typed: tuple) -> None:
    of, value = typed
    usd.write(whole(x=Property(of, value)), tmp_path / "any.usda")
    assert check(tmp_path / "any.usda", whole(x=Property(of, value)), usd) == 5


def test_a_parameters_type_in_a_file() -> None:
    assert {type_for(kind, None) for kind in ("surface", "token")} == {"token"}
    values = {
        "color": (1.0, 1.0, 1.0),
        "vector2": (1.0, 2.0),
        "vector4": (1.0,) * 4,
        "bool": True,
        "int": 3,
        "float": 0.5,
        "string": "a",
    }
    assert {of: type_for("any", value) for of, value in values.items()} == {of: of for of in values}
    assert set(values) < set(TYPES)


def test_a_link_to_another_node_stops_the_carrying(lamproom, packs, tmp_path, monkeypatch) -> None:
    """Of a whole scene: one link that goes to another node of the same material than was meant is not delivered."""
    session = start(lamproom, packs, "pellune")
    true = usd.write

    def wrong(written: Written, file: Path) -> None:
        slate = [path for path in written.things if "/WetSlate/pellune_network/" in path]
        links = [
            (one, other)
            for path in slate
            for one in written.things[path].properties.values()
            for other in slate
            if one.link is not None and other not in (one.link[0], path)
        ]
        one, other = links[0]
        told = one.link
        one.link = (other, told[1])
        true(written, file)

    monkeypatch.setattr(usd, "write", wrong)
    composed = composing.compose

    def kept(*given: object) -> Written:
        """What was meant, apart from what the writer does to it."""
        return composed(*given)

    meant = kept(session.plan, packs, beside(tmp_path / "out.usda"))
    monkeypatch.setattr(
        "durvan.crossing.exchange.carry.check",
        lambda file, said, port: check(file, replace(meant, over=said.over), port),
    )
    with pytest.raises(SceneFileError, match="linked to"):
        carry(session.plan, packs, tmp_path / "out.usda")
    assert not list(tmp_path.iterdir())
