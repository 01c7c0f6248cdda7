"""Lights that are offered in the place of something: of the same flux, place, shape and colour as far as a light can be."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable

from durvan.crossing.findings.view import View
from durvan.crossing.light.report import Emitter
from durvan.crossing.translation.choices import AddedLight
from durvan.identity import Namer, clean, leaf
from durvan.optics.colour import black_body, luminance
from durvan.optics.sun import place_in_sky, towards
from durvan.scene.model import Kind, Solid

Matrix = tuple[float, ...]
Value = bool | float | str | tuple[float, ...]
_CANDLE, _LAMP = 12.6, 800.0  # lumen: a candle (1 cd), a household lamp
_SUN_HEIGHT = 45.0  # degrees, where nothing says better
_FLAT, _LONG = 0.15, 2.5  # how thin a mesh is flat, how long one is a tube


class Names:
    """Paths for lights that are offered: no two alike, none that the scene has at its root, and the same as long as the scene is."""

    def __init__(self, view: View, wanted: Iterable[tuple[str, str]]) -> None:
        """`wanted` are what lights may be offered for: its path and its name."""
        there = [*view.scene.things, *(solid.path for solid in view.scene.solids)]
        self.names = Namer(
            (path.split("/", 2)[1] for path in there if path.count("/") and path.startswith("/")), exact=True
        )
        self.names.know((f"{path}{suffix}", f"{_wish(name)}{suffix}") for path, name in wanted for suffix in _SUFFIXES)

    def path(self, path: str, name: str, suffix: str = "") -> str:
        """The path of a light for something."""
        return f"/{self.names.name(f'{path}{suffix}', f'{_wish(name)}{suffix}')}"


_SUFFIXES = ("", "_front", "_back")


def _wish(name: str) -> str:
    return f"{clean(name, 'a')}_light"


def flux(emitter: Emitter) -> float:
    """Lumens of what glows: π times luminance times area, of both sides of a flat mesh, and of the far side of a closed one as
    far as the near one lets it through.
    """
    _, b, c = sorted(emitter.half, reverse=True)
    sides = 2.0 if c < _FLAT * b else 2.0 - emitter.opacity
    return sides * math.pi * luminance(emitter.luminance) * emitter.area


def of_emitter(emitter: Emitter, name: str, names: Names) -> list[AddedLight]:
    """Lights that do the work of a mesh: two panels back to back for a flat one, a tube for a long one, else a ball."""
    lumens = flux(emitter)
    level = max(luminance(emitter.luminance), 1e-9)
    colour = tuple(part / level for part in emitter.luminance)
    order = sorted(range(3), key=lambda n: -emitter.half[n])
    a, b, c = (emitter.half[n] for n in order)
    axes = [emitter.axes[n] for n in order]
    shared: tuple[tuple[str, Value], ...] = (("normalize", True), ("color", colour), ("seen", False))
    why = f"in the place of {name}, {lumens:.4g} lm"

    def made(suffix: str, prim: str, values: tuple[tuple[str, Value], ...], place: Matrix) -> AddedLight:
        return AddedLight(
            path=names.path(emitter.path, name, suffix), prim=prim, values=(*values, *shared), place=place,
            instead_of=emitter.path, why=why,
        )  # fmt: skip

    if c < _FLAT * b:
        values: tuple[tuple[str, Value], ...] = (
            ("intensity", 0.5 * lumens / math.pi),
            ("width", 2.0 * a),
            ("height", 2.0 * b),
        )
        front = _matrix(axes[0], axes[1], emitter.middle)
        back = _matrix(tuple(-part for part in axes[0]), axes[1], emitter.middle)
        return [made("_front", "RectLight", values, front), made("_back", "RectLight", values, back)]
    if a > _LONG * b:
        tube: tuple[tuple[str, Value], ...] = (
            ("intensity", lumens / math.pi),
            ("radius", (b + c) / 2.0),
            ("length", 2.0 * a),
        )
        return [made("", "CylinderLight", tube, _matrix(axes[0], axes[1], emitter.middle))]
    ball: tuple[tuple[str, Value], ...] = (("intensity", lumens / math.pi), ("radius", (a * b * c) ** (1.0 / 3.0)))
    return [made("", "SphereLight", ball, _matrix(axes[0], axes[1], emitter.middle))]


def _matrix(right: tuple[float, ...], up: tuple[float, ...], place: tuple[float, ...]) -> Matrix:
    """A world matrix whose rows are right, up (squared to it) and back."""
    rx, ry, rz = _unit(right)
    along = rx * up[0] + ry * up[1] + rz * up[2]
    ux, uy, uz = _unit((up[0] - along * rx, up[1] - along * ry, up[2] - along * rz))
    bx, by, bz = ry * uz - rz * uy, rz * ux - rx * uz, rx * uy - ry * ux
    return (rx, ry, rz, 0.0, ux, uy, uz, 0.0, bx, by, bz, 0.0, place[0], place[1], place[2], 1.0)


def _unit(v: tuple[float, ...]) -> tuple[float, float, float]:
    length = math.sqrt(sum(part * part for part in v)) or 1.0
    return v[0] / length, v[1] / length, v[2] / length


def flame(solid: Solid, unit: float, names: Names) -> AddedLight:
    """A small ball in the middle of a flame or lamp: a candle's light, or a lamp's."""
    name = leaf(solid.path)
    lamp = re.search(r"(?i)lamp|bulb|lantern", name) is not None
    middle = tuple(unit * (low + high) / 2.0 for low, high in zip(solid.low, solid.high, strict=True))
    size = min((high - low) * unit for low, high in zip(solid.low, solid.high, strict=True))
    values: tuple[tuple[str, Value], ...] = (
        ("intensity", (_LAMP if lamp else _CANDLE) / math.pi), ("normalize", True),
        ("color", black_body(2700.0 if lamp else 1900.0)), ("radius", max(0.3 * size, 0.002)), ("seen", False),
    )  # fmt: skip
    place = _matrix((1.0, 0.0, 0.0), (0.0, 1.0, 0.0), middle)
    return AddedLight(
        path=names.path(solid.path, name), prim="SphereLight", values=values, place=place, instead_of=solid.path,
        why=f"for {name}, which lights nothing",
    )  # fmt: skip


def sun(view: View, why: str, soft: bool = False) -> AddedLight:
    """A sun by which a grey card comes out as mid grey (a soft one: one stop under), from where the strongest light stands that is
    somewhere, or from behind the camera's left shoulder; where a person said from where suns come, from there.
    """
    azimuth, elevation = view.plan.choices.sun_from or _from_where(view)
    scale = view.balance.ladder.source.scale if view.balance is not None else 0.0
    lux = math.pi / scale if scale > 0.0 else 20_000.0
    z = towards(azimuth, elevation, view.scene.up_axis)
    up = (0.0, 1.0, 0.0) if view.scene.up_axis == "Y" else (0.0, 0.0, 1.0)
    right = (up[1] * z[2] - up[2] * z[1], up[2] * z[0] - up[0] * z[2], up[0] * z[1] - up[1] * z[0])
    above = (z[1] * right[2] - z[2] * right[1], z[2] * right[0] - z[0] * right[2], z[0] * right[1] - z[1] * right[0])
    values: tuple[tuple[str, Value], ...] = (
        ("intensity", lux * (0.5 if soft else 1.0)), ("normalize", True), ("angle", 6.0 if soft else 0.53),
    )  # fmt: skip
    return AddedLight(
        path="/soft_sun" if soft else "/sun", prim="DistantLight", values=values, place=_matrix(right, above, (0.0, 0.0, 0.0)),
        why=why,
    )  # fmt: skip


def _from_where(view: View) -> tuple[float, float]:
    report = view.balance
    if report is not None and report.probes:
        here = report.probes[0].place
        for part in sorted(report.parts, key=lambda part: -report.lux(part, 0, "source")):
            thing = view.scene.things.get(part.path)
            if (
                thing is not None
                and len(thing.stands) == 16
                and not part.is_environment
                and report.lux(part, 0, "source") > 0.0
            ):
                x, y, z = (a - b for a, b in zip(thing.stands[12:15], here, strict=True))
                azimuth, elevation = place_in_sky((x, y, z), view.scene.up_axis)
                return azimuth, min(max(elevation, 15.0), 80.0)
    camera = next((thing for thing in view.scene.of(Kind.CAMERA) if len(thing.stands) == 16), None)
    if camera is None:
        return 135.0, _SUN_HEIGHT
    back, right = camera.stands[8:11], camera.stands[0:3]
    behind = (back[0] - right[0], back[1] - right[1], back[2] - right[2])
    return place_in_sky(behind, view.scene.up_axis)[0], _SUN_HEIGHT
