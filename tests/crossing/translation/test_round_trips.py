"""Properties of whole crossings: within a dialect nothing changes, and there and back exact values return."""

from __future__ import annotations

import os

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from durvan.crossing.translation.inward import carry_in
from durvan.crossing.translation.translate import translate
from durvan.dialects.conformance import samples
from durvan.dialects.registry import read
from durvan.dialects.said import Cause
from durvan.scene.fate import Fate
from durvan.scene.model import Kind, Thing
from making import material, single

PACKS = read()
# The same examples each time, so that what lands is what was tried; DURVAN_EXAMPLES looks further.
MANY = int(os.environ.get("DURVAN_EXAMPLES", "0"))
QUICK = settings(
    max_examples=MANY or 100, derandomize=not MANY, deadline=None, suppress_health_check=[HealthCheck.too_slow]
)


def value_of(parameter):
    if parameter.type in ("token", "bool", "file", "string"):
        return st.sampled_from(samples(parameter))
    low, high = parameter.range or (-100.0, 100.0)
    high = min(high, 1000.0)
    low = max(low, -1000.0)
    number = st.floats(low, high) if parameter.type != "int" else st.integers(int(low), int(high))
    size = {"color": 3, "vector2": 2, "vector3": 3, "vector4": 4}.get(parameter.type)
    return number if size is None else st.tuples(*[number] * size)


@st.composite
def values(draw, dialect: str, kind: str, leave: tuple[str, ...] = ()):
    parameters = PACKS.get(dialect).vocabulary.types[kind].parameters
    names = [n for n, p in parameters.items() if n not in leave and p.type not in ("normal", "surface", "any")]
    chosen = draw(st.lists(st.sampled_from(names), unique=True, max_size=10))
    return {name: draw(value_of(parameters[name])) for name in chosen}


def there_and_back(thing: Thing, other: str):
    here = PACKS.get(thing.dialect)
    there = translate(thing, here, PACKS.get(other), 0.01)
    middle = Thing(thing.id, thing.name, thing.kind, there.graph, other, dict(thing.context))
    return there, translate(middle, PACKS.get(other), here, 0.01)


def effective(graph, pack, node: str, name: str):
    found = graph.nodes.get(node)
    if found is None:
        return None
    value = found.values.get(name)
    return value if value is not None else pack.parameter(found.kind, name).default


def close(a, b) -> bool:
    if isinstance(a, tuple) and isinstance(b, tuple):
        return all(close(x, y) for x, y in zip(a, b, strict=True))
    if isinstance(a, str | bool) or isinstance(b, str | bool):
        return a == b
    return abs(a - b) <= 1e-6 * max(1.0, abs(a))


def exact_rows_return(thing: Thing, other: str) -> None:
    there, back = there_and_back(thing, other)
    pack = PACKS.get(thing.dialect)
    worse = {
        place for row in back.rows for place in row.targets if row.fate > Fate.RECAST and row.fate is not Fate.ADDED
    }
    root = thing.root.id
    for row in there.rows:
        if row.node != root or row.fate not in (Fate.KEPT, Fate.RECAST) or row.linked:
            continue
        if (root, row.parameter) in worse or row.why.cause is Cause.IDLE:
            continue
        returned = effective(back.graph, pack, next(iter(back.graph.nodes)), row.parameter)
        assert close(row.value, returned), f"{row.parameter} = {row.value} came back as {returned} ({row.rule})"


@QUICK
@given(st.sampled_from(["pellune", "openpbr"]), values("orvik", "orvik.finish"))
def test_orvik_surfaces_return(other, given_values) -> None:
    exact_rows_return(material("orvik", {"surface": ("orvik.finish", given_values, {})}), other)


@QUICK
@given(st.sampled_from(["orvik", "openpbr"]), values("pellune", "pellune.surface"))
def test_pellune_surfaces_return(other, given_values) -> None:
    exact_rows_return(material("pellune", {"surface": ("pellune.surface", given_values, {})}), other)


@QUICK
@given(values("openpbr", "mtlx.open_pbr_surface"), st.sampled_from(["pellune", "orvik"]))
def test_openpbr_surfaces_return(given_values, other) -> None:
    exact_rows_return(material("openpbr", {"surface": ("mtlx.open_pbr_surface", given_values, {})}), other)


OPEN = {
    "openpbr": "mtlx.open_pbr_surface", "standard": "mtlx.standard_surface", "gltfpbr": "mtlx.gltf_pbr",
    "preview": "preview.surface", "previewmtlx": "mtlx.UsdPreviewSurface", "gltf": "gltf.material",
    "mitsuba": "mitsuba.principled",
}  # fmt: skip


# of several surfaces, what makes it be this one again
FORCED = {"mitsuba": {"clearcoat": 0.5}}
LEFT = {"mitsuba": ("spec_trans", "clearcoat")}


@pytest.mark.parametrize(("one", "other"), [(a, b) for a in OPEN for b in OPEN if a != b])
@settings(QUICK, max_examples=MANY or 40)
@given(data=st.data())
def test_open_surfaces_return(one, other, data) -> None:
    given_values = data.draw(values(one, OPEN[one], LEFT.get(one, ()))) | FORCED.get(one, {})
    exact_rows_return(material(one, {"surface": (OPEN[one], given_values, {})}), other)


def light_meaning(thing: Thing) -> dict:
    """A light on the common ground, where its unit no longer matters."""
    inward = carry_in(thing, PACKS.get(thing.dialect), 0.01)
    node = next(iter(inward.graph.nodes.values()))
    return {**node.values, "kind": node.kind}


@QUICK
@given(st.data(), st.sampled_from(["orvik.area", "orvik.bulb", "orvik.cone", "orvik.far", "orvik.dome"]))
def test_orvik_lights_mean_the_same_after_returning(data, kind) -> None:
    given_values = data.draw(values("orvik", kind, leave=("decay", "shadows", "tint", "file")))
    if given_values.get("cone_angle", 60.0) / 2 + given_values.get("penumbra", 5.0) >= 90:
        return  # no longer a cone: the common ground's widest is a half angle of 90
    thing = single("orvik", kind, given_values)
    thing.context.update(map_lux=2.5, map_mean=0.7)
    _, back = there_and_back(thing, "pellune")
    before = light_meaning(thing)
    after = light_meaning(Thing(thing.id, thing.name, Kind.LIGHT, back.graph, "orvik", thing.context))
    for port in ("intensity", "normalize", "cone_angle", "cone_softness", "angle", "turn", "radius", "width", "on"):
        if port in before:
            if port in ("cone_angle", "cone_softness") and before.get("cone_angle", 90) < 1e-3:
                continue
            assert close(before[port], after.get(port, before[port])), (port, before, after)


@QUICK
@given(values("orvik", "orvik.camera", leave=("near_clip", "far_clip", "exposure_by", "scene_gain", "vignetting")))
def test_cameras_return(given_values) -> None:
    thing = single("orvik", "orvik.camera", given_values, Kind.CAMERA)
    exact_rows_return(thing, "pellune")


@QUICK
@given(values("orvik", "orvik.picture", leave=("file", "uv_set")))
def test_pictures_return_with_their_placement(given_values) -> None:
    spread = given_values.get("repeats", (1.0, 1.0))
    if min(abs(part) for part in spread) < 1e-3 or given_values.get("gain", 1.0) < 1e-3:
        return  # a picture that repeats never, or is black, says nothing of the rest
    given_values["file"] = "a.png"
    if "repeats" in given_values:
        given_values["repeats"] = tuple(abs(part) for part in spread)
    if "turn" in given_values:
        given_values["turn"] = ((given_values["turn"] + 180.0) % 360.0) - 180.0
    thing = material(
        "orvik",
        {"surface": ("orvik.finish", {}, {"base_tint": ("p", "colour")}), "p": ("orvik.picture", given_values, {})},
    )
    _, back = there_and_back(thing, "pellune")
    pictures = [node for node in back.graph.nodes.values() if node.kind == "orvik.picture"]
    assert len(pictures) == 1
    for name, value in given_values.items():
        returned = pictures[0].values.get(name, PACKS.get("orvik").parameter("orvik.picture", name).default)
        if name == "turn":
            assert abs(((value - returned) + 180.0) % 360.0 - 180.0) < 1e-5
        else:
            assert close(value, returned), f"{name} = {value} came back as {returned}"


@QUICK
@given(st.data(), st.sampled_from(["orvik", "pellune", *OPEN]))
def test_within_a_dialect_everything_is_kept(data, dialect) -> None:
    kind = {"orvik": "orvik.finish", "pellune": "pellune.surface", **OPEN}[dialect]
    given_values = data.draw(values(dialect, kind))
    given_values["nobody_knows"] = 3.0
    thing = material(
        dialect,
        {"surface": (kind, given_values, {"nowhere": ("add_on", "x")}), "add_on": ("strange.node", {"a": 1.0}, {})},
    )
    done = translate(thing, PACKS.get(dialect), PACKS.get(dialect), 0.01)
    assert {row.fate for row in done.rows} <= {Fate.KEPT}
    for name, node in thing.graph.nodes.items():
        assert (done.graph.nodes[name].values, done.graph.nodes[name].links) == (node.values, node.links)


@pytest.mark.parametrize("other", ["pellune", "openpbr", "preview"])
def test_translation_is_pure(other, lamp_scene) -> None:
    for thing in lamp_scene.things.values():
        before = repr([(n.id, n.values, n.links) for n in thing.graph.nodes.values()])
        first = translate(thing, PACKS.get("orvik"), PACKS.get(other), 0.01)
        second = translate(thing, PACKS.get("orvik"), PACKS.get(other), 0.01)
        assert repr([(n.id, n.values, n.links) for n in thing.graph.nodes.values()]) == before
        assert [(n.id, n.values, n.links) for n in first.graph.nodes.values()] == [
            (n.id, n.values, n.links) for n in second.graph.nodes.values()
        ]


# files: what is written is what was read


def scene_text(dialect: str, kind: str, context: str, shader_id: str, output: str, given_values) -> str:
    from durvan.formats.usd.text import TYPES, Layer, literal
    from durvan.scene.written import type_for

    layer = Layer(['defaultPrim = "W"', "metersPerUnit = 0.01"])
    spec = layer.prim("/W/Paint/surface")
    for path, of in (("/W", "Xform"), ("/W/Paint", "Material"), ("/W/Paint/surface", "Shader")):
        layer.prim(path).specifier, layer.prim(path).type = "def", of
    name = f"outputs:{context}:surface" if context else "outputs:surface"
    layer.prim("/W/Paint").lines.append(f"token {name}.connect = </W/Paint/surface.outputs:{output}>")
    spec.lines.append(f'uniform token info:id = "{shader_id}"')
    parameters = PACKS.get(dialect).vocabulary.types[kind].parameters
    for port, value in given_values.items():
        of = type_for(parameters[port].type, value)
        spec.lines.append(f"{TYPES[of]} inputs:{port} = {literal(of, value)}")
    spec.lines.append(f"token outputs:{output}")
    return layer.text()


DIALECTS = {
    "orvik": ("orvik.finish", "orvik", "orvik.finish", "out"),
    "pellune": ("pellune.surface", "pellune", "pellune.surface", "out"),
    "preview": ("preview.surface", "", "UsdPreviewSurface", "surface"),
    "openpbr": ("mtlx.open_pbr_surface", "mtlx", "ND_open_pbr_surface_surfaceshader", "out"),
    "standard": ("mtlx.standard_surface", "mtlx", "ND_standard_surface_surfaceshader", "out"),
    "gltfpbr": ("mtlx.gltf_pbr", "mtlx", "ND_gltf_pbr_surfaceshader", "out"),
    "previewmtlx": ("mtlx.UsdPreviewSurface", "mtlx", "ND_UsdPreviewSurface_surfaceshader", "out"),
}


@settings(QUICK, max_examples=12)
@given(st.data(), st.sampled_from(sorted(DIALECTS)), st.sampled_from(["beside", "alone"]))
def test_a_file_carried_within_its_dialect_means_the_same(data, dialect, placement) -> None:
    import tempfile
    from pathlib import Path

    from durvan.crossing.exchange.intake import open_scene
    from durvan.crossing.job.session import start

    kind, context, shader_id, output = DIALECTS[dialect]
    given_values = data.draw(values(dialect, kind))
    with tempfile.TemporaryDirectory() as name:
        source = Path(name) / "scene.usda"
        source.write_text(scene_text(dialect, kind, context, shader_id, output, given_values), encoding="utf-8")
        session = start(source, PACKS, dialect, placement=placement)
        assert {row.fate for row in session.plan.ledger} <= {Fate.KEPT}
        assert len(session.plan.ledger) == len(given_values)
        session.carry(Path(name) / "out.usda")
        before, after = session.scene.things["/W/Paint"], open_scene(Path(name) / "out.usda", PACKS).things["/W/Paint"]
        assert before.dialect == after.dialect == dialect
        assert before.graph.nodes.keys() == after.graph.nodes.keys()
        for node, read_again in zip(before.graph.nodes.values(), after.graph.nodes.values(), strict=True):
            assert (node.kind, node.values, node.links) == (read_again.kind, read_again.values, read_again.links)


def test_the_demo_comes_back_from_pellune(lamproom, tmp_path) -> None:
    from durvan.crossing.job.session import start

    there = start(lamproom, PACKS, "pellune", placement="alone")
    there.carry(tmp_path / "there.usda")
    back = start(tmp_path / "there.usda", PACKS, "orvik", placement="alone")
    back.carry(tmp_path / "back.usda")
    again = start(tmp_path / "back.usda", PACKS, "pellune")
    pack, checked = PACKS.get("orvik"), 0
    for thing in there.scene.of(Kind.MATERIAL):
        node = again.scene.things[thing.id].root
        worse = {
            name
            for row in back.plan.translations[thing.id].rows
            for _, name in row.targets
            if Fate.RECAST < row.fate is not Fate.ADDED
        }
        for row in there.plan.translations[thing.id].rows:
            if (
                row.node != thing.root.id
                or row.fate > Fate.RECAST
                or row.linked
                or row.parameter in worse
                or row.why.cause is Cause.IDLE
            ):
                continue
            returned = node.values.get(row.parameter, pack.parameter(node.kind, row.parameter).default)
            assert close(row.value, returned), (thing.id, row.parameter, row.value, returned)
            checked += 1
    assert checked > 60
