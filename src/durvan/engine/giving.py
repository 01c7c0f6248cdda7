"""What each node of a network gives, as small pictures over a square of UVs: by the dialect's own looks."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np
from numpy.typing import NDArray

from durvan.dialects.look import Facts, Record, Tracer, record
from durvan.dialects.pack import Pack
from durvan.engine import staging, swatches
from durvan.engine.brushes import field_of
from durvan.engine.kernels.programs import FACED
from durvan.graph.expression import OTHERWISE, POINT, Field, Lookup, evaluate, order, without_pictures
from durvan.optics.tone import bytes_of, srgb
from durvan.scene.given import Given
from durvan.scene.model import Thing

SIDE = 36
ACROSS = 0.1  # metres of a surface that a picture shows, for what depends on places
_CLOSE = 128  # pixels of a side that are painted for it
_FINER = 2  # points a pixel, each way
_HEIGHT = (-2.0,)  # the mark of a height among reliefs (see `dialects.shared.looks.height`)


def given(thing: Thing, pack: Pack | None, facts: Facts, ground: Pack | None = None) -> dict[str, Given]:
    """What the nodes of a material give that are not surfaces, by node. Nodes that the dialect does not know are left out, and those that
    read slopes along the scene's own surfaces."""
    tracer = _traced(thing, pack, facts)
    if tracer is None or pack is None:
        return {}
    slopes = {bake.path for bake in thing.bakes if bake.by_place and bake.relief is not None}
    fields = {
        name: first for name, outputs in tracer.outputs.items()
        if outputs and not _reads(first := next(iter(outputs.values())), slopes)
    }  # fmt: skip
    kinds = {name: _kind_of(pack, thing, name, tracer.outputs[name]) for name in fields}
    fields = _without_bakes(fields, thing, ground, facts)
    values = evaluate(list(fields.values()), _points(), staging.pixels)
    return {name: _picture(value, kinds[name]) for name, value in zip(fields, values, strict=True)}


def surfaces(thing: Thing, pack: Pack | None, facts: Facts, stop: Callable[[], bool]) -> Iterator[tuple[str, Given]]:
    """What the nodes of a material that are surfaces look like by themselves, but for the one that everything comes to."""
    tracer = _traced(thing, pack, facts)
    for name, surface in (tracer.surfaces if tracer is not None else {}).items():
        if stop():
            return
        yield name, Given(_ball(record(surface), stop), "surface")


def _traced(thing: Thing, pack: Pack | None, facts: Facts) -> Tracer | None:
    if pack is None or pack.looks is None:
        return None
    near = facts.with_bakes({bake.path: bake.within(_CLOSE) for bake in thing.bakes if not bake.by_place})
    tracer = Tracer(pack.folded(thing.graph), pack.vocabulary, pack.looks, near, thing.turned)
    tracer.surface()
    return tracer


def _reads(what: Field, files: set[str]) -> bool:
    """Whether a field reads one of some pictures: slopes along the very surfaces, which a square of UVs does not have."""
    return bool(files) and any(
        isinstance(lane.data, Lookup) and lane.data.file in files for lane in order(list(what.lanes))
    )


def _without_bakes(fields: dict[str, Field], thing: Thing, ground: Pack | None, facts: Facts) -> dict[str, Field]:
    """Where a picture is baked of places, what was baked stands for it."""
    apart = {bake.path: bake for bake in thing.bakes if bake.by_place and bake.relief is None}
    if not apart or ground is None:
        return fields
    stands = {path: field_of(bake, ground, facts) for path, bake in apart.items()}
    fresh = iter(without_pictures([lane for one in fields.values() for lane in one.lanes], stands))
    return {name: Field([next(fresh) for _ in one.lanes]) for name, one in fields.items()}


def _kind_of(pack: Pack, thing: Thing, name: str, outputs: dict[str, Field]) -> str:
    node = thing.graph.nodes.get(name)
    kind = pack.type(node.kind) if node is not None else None
    first = next(iter(outputs.values()))
    said = next(iter(kind.outputs.values()), "color") if kind is not None else "color"
    if said == "normal" and len(first) == 3 and first[2].constant == _HEIGHT:
        return "height"
    return {"vector2": "place", "surface": "float"}.get(said, said if len(first) > 1 else "float")


def _points() -> dict[str, NDArray[np.float64]]:
    count = SIDE * _FINER
    v, u = (np.mgrid[0:count, 0:count] + 0.5) / count
    u, v = u.reshape(-1), 1.0 - v.reshape(-1)
    out = {name: np.full(len(u), OTHERWISE.get(name, 0.0)) for name in POINT}
    return out | {"u": u, "v": v, "x": u * ACROSS, "y": v * ACROSS, "facing": np.full(len(u), FACED)}


def _picture(value: NDArray[np.float64], what: str) -> Given:
    """Values at the points as a picture: colours as a display shows them, everything else as its numbers are."""
    value = np.nan_to_num(value, posinf=1e6, neginf=-1e6)
    shown = value[:, :1] if what == "height" else value[:, :3]
    low, high = float(shown.min()), float(shown.max())
    if what == "height":
        grey = (shown - low) / (high - low) if high > low else np.full_like(shown, 0.5)
        channels = np.repeat(grey, 3, axis=1)
    elif what == "normal" or _points_about(shown):
        what, channels = "normal", 0.5 + 0.5 * shown
    elif what == "place":
        channels = np.concatenate([shown[:, :2] % 1.0, np.zeros((len(shown), 1))], axis=1)
    else:
        channels = np.repeat(shown, 3, axis=1) if shown.shape[1] == 1 else shown
    if channels.shape[1] == 2:
        channels = np.concatenate([channels, np.zeros((len(channels), 1))], axis=1)
    cells = channels.reshape(SIDE, _FINER, SIDE, _FINER, 3).mean(axis=(1, 3))
    return Given(bytes_of(srgb(cells) if what == "color" else np.clip(cells, 0.0, 1.0)), what, low, high)


def _points_about(shown: NDArray[np.float64]) -> bool:
    """Whether values are directions, as where a reader of pictures makes them of a normal map: three numbers of length 1, some below 0."""
    if shown.shape[1] != 3 or shown.min() >= 0.0:
        return False
    return bool(np.abs(np.linalg.norm(shown, axis=1) - 1.0).max() < 0.1)


def _ball(look: Record, stop: Callable[[], bool]) -> NDArray[np.uint8]:
    """A surface's swatch under the booth, small."""
    maker = swatches.Maker(look)
    maker.to(1, stop)
    picture = swatches.halved(maker.swatch().pictures[0])
    edge = (len(picture) - SIDE) // 2
    return bytes_of(srgb(picture[edge : edge + SIDE, edge : edge + SIDE]))
