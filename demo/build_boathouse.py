"""Build the second demo scene: the boat house of the Skerry Light at noon, where everything about its light goes wrong at once.

Run by `make demo-scene`; the same bytes every time. What is wrong stands in demo/boathouse/TRAPS.md.
"""

from __future__ import annotations

import math
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent))

from pxr import Sdf, UsdLux

from building import Room, picture
from durvan.formats import profiles
from durvan.optics.profile import Profile
from lamproom_pictures import blend, noise, save
from lamproom_shapes import Shape, box, lathe, pipe, sheet

HERE = Path(__file__).parent / "boathouse"
ROOT = "/BoatHouse"


def pictures(folder: Path) -> None:
    """Planks, stone, and what the old dome shows."""
    folder.mkdir(parents=True, exist_ok=True)
    v, u = np.mgrid[0:256, 0:256] / 256.0
    grain = noise(256, 6, 4, 11)
    seams = (np.abs((u * 6.0) % 1.0 - 0.5) > 0.47).astype(float)
    planks = blend((0.34, 0.25, 0.17), (0.5, 0.4, 0.29), grain) * (1.0 - 0.5 * seams)[..., None]
    save(folder, "planks.png", planks)
    stone = blend((0.32, 0.33, 0.34), (0.52, 0.52, 0.5), noise(256, 9, 5, 4))
    save(folder, "slip_stone.png", stone)
    sky = blend((0.5, 0.6, 0.75), (0.85, 0.9, 0.95), 1.0 - v[:64, :128] * 4.0)
    save(folder, "old_sky.exr", sky, "half")
    angles = np.linspace(0.0, 90.0, 37)
    beam = 620.0 * np.cos(np.radians(angles)) ** 2.2 + 30.0
    porch = Profile(
        angles, np.zeros(1), beam[None, :], lumens=1400.0, keywords=(("TEST", "SKERRY PORCH"), ("MANUFAC", "none"))
    )
    profiles.write(porch, folder / "porch_lamp.ies")


def looks(room: Room) -> None:
    """Plain materials: it is the light that is wrong here."""
    wood = {
        "base_tint": "@boards.colour",
        "polish": 0.35,
        "mirror_tint": (0.04, 0.04, 0.04),
        "polish_curve": "trowbridge",
    }
    room.material("Planks", wood, boards=picture("planks.png", 2.2, repeats=(3.0, 2.0)))
    room.material(
        "SlipStone", {"base_tint": "@stone.colour", "polish": 0.45, "polish_curve": "trowbridge"},
        stone=picture("slip_stone.png", 2.2, repeats=(4.0, 6.0)),
    )  # fmt: skip
    plain = {"polish": 0.4, "mirror_tint": (0.04, 0.04, 0.04), "polish_curve": "trowbridge"}
    room.material("Limewash", {"base_tint": (0.72, 0.71, 0.66), **plain})
    room.material("HullRed", {"base_tint": (0.42, 0.06, 0.04), **plain, "polish": 0.6})
    room.material("HullWhite", {"base_tint": (0.7, 0.7, 0.68), **plain, "polish": 0.6})
    room.material("Tar", {"base_tint": (0.03, 0.03, 0.035), **plain})
    room.material("Rope", {"base_tint": (0.5, 0.42, 0.28), **plain, "polish": 0.1})
    room.material("CandleWax", {"base_tint": (0.8, 0.76, 0.64), **plain})
    room.material("PaintedFlame", {"base_tint": (0.9, 0.55, 0.15), **plain})
    room.material(
        "LanternGhost",
        {"base_tint": (0.0, 0.0, 0.0), "mirror_tint": (0.0, 0.0, 0.0), "glow_gain": 260.0, "glow_tint": (1.0, 0.78, 0.5),
         "glow_lights": True, "cutout": 0.002, "polish_curve": "trowbridge"},
    )  # fmt: skip
    room.material(
        "GreyCard", {"base_tint": (0.18, 0.18, 0.18), "mirror_tint": (0.0, 0.0, 0.0), "polish_curve": "trowbridge"}
    )


def _slab(low: tuple[float, float, float], high: tuple[float, float, float]) -> Shape:
    """A box between two corners."""
    size = [b - a for a, b in zip(low, high, strict=True)]
    return box(size[0], size[1], size[2]).moved((low[0] + high[0]) / 2.0, low[1], (low[2] + high[2]) / 2.0)


def house(room: Room) -> None:
    """Floor, four walls with a window and an open gate, and a roof with a skylight."""
    room.mesh("Slip", _slab((-270, -20, -420), (270, 0, 320)), "SlipStone")
    room.mesh("FrontWall", _slab((-270, 0, 300), (270, 300, 312)), "Planks")
    room.mesh("LeftWall", _slab((-272, 0, -400), (-260, 262, 300)), "Limewash")
    right = _slab((260, 0, -400), (272, 90, 300)).join(_slab((260, 200, -400), (272, 262, 300)))
    right.join(_slab((260, 90, -400), (272, 200, -160))).join(_slab((260, 90, 60), (272, 200, 300)))
    room.mesh("RightWall", right, "Limewash")
    back = _slab((-260, 0, -412), (-120, 262, -400)).join(_slab((120, 0, -412), (260, 262, -400)))
    room.mesh("BackWall", back.join(_slab((-120, 220, -412), (120, 262, -400))), "Planks")

    def slope(side: float, from_z: float, to_z: float) -> Shape:
        return sheet(1, 1, lambda u, v: (side * 275.0 * (1.0 - v), 258.0 + 110.0 * v, from_z + (to_z - from_z) * u))

    room.mesh("RoofLeft", slope(-1.0, -415.0, 315.0), "Planks")
    room.mesh("RoofRight", slope(1.0, -415.0, -230.0).join(slope(1.0, -70.0, 315.0)), "Planks")
    for name, z in (("GableBack", -404.0), ("GableFront", 306.0)):
        gable = Shape(
            [(-268.0, 258.0, z), (268.0, 258.0, z), (0.0, 368.0, z)], [(0.0, 0.0), (1.0, 0.0), (0.5, 1.0)], [(0, 1, 2)]
        )
        room.mesh(name, gable, "Planks")


def boat(room: Room) -> None:
    """A boat on its keel, with ribs of rope and tar, a bench with a candle and a lantern, and a grey card."""

    def hull(u: float, v: float) -> tuple[float, float, float]:
        along = (u - 0.5) * 2.0
        beam = 62.0 * (1.0 - along * along) ** 0.6
        angle = (v - 0.5) * math.pi
        return (
            beam * math.sin(angle),
            92.0 - 62.0 * math.cos(angle) * (1.0 - 0.25 * along * along),
            -60.0 + 170.0 * along,
        )

    room.mesh("Hull", sheet(40, 20, hull), "HullRed")
    room.mesh("Keel", _slab((-4, 12, -225), (4, 34, 105)), "Tar")
    rail = [hull(u / 30.0, 1.0) for u in range(1, 30)] + [hull(u / 30.0, 0.0) for u in range(29, 0, -1)]
    room.mesh("GunwaleRail", pipe(rail, 3.0), "HullWhite")
    for side in (-1.0, 1.0):
        room.mesh(
            "ProwBlock" if side < 0 else "SternBlock",
            _slab((-30, 0, -60 + side * 120 - 8), (30, 30, -60 + side * 120 + 8)),
            "Planks",
        )
    room.mesh(
        "Bench",
        _slab((-240, 70, -120), (-170, 76, 40))
        .join(_slab((-236, 0, -116), (-228, 70, -108)))
        .join(_slab((-182, 0, 28), (-174, 70, 36))),
        "Planks",
    )
    room.mesh("Candle", lathe([(0.0, 0.0), (3.0, 0.0), (3.0, 14.0), (0.0, 14.2)], 20).moved(-205, 76, 10), "CandleWax")
    room.mesh(
        "CandleFlame", lathe([(0.0, 0.0), (0.9, 1.2), (0.5, 3.2), (0.0, 4.6)], 16).moved(-205, 91, 10), "PaintedFlame"
    )
    ball = [(9.0 * math.sin(math.pi * k / 12), 9.0 - 9.0 * math.cos(math.pi * k / 12)) for k in range(13)]
    room.mesh("LanternGlow", lathe(ball, 24).moved(-200, 150, -70), "LanternGhost")
    room.mesh("LanternHook", pipe([(-200, 176, -70), (-200, 200, -70), (-255, 205, -70)], 1.2), "Tar")
    room.mesh(
        "RopeCoil",
        lathe([(14.0, 0.0), (26.0, 0.0), (28.0, 6.0), (26.0, 12.0), (14.0, 12.0), (12.0, 6.0), (14.0, 0.0)], 32).moved(
            150, 0, 80
        ),
        "Rope",
    )
    room.mesh("Card", _slab((98, 40, 20), (138, 90, 21)), "GreyCard")


def lights(room: Room) -> None:
    """A sun with its sky, a dome that was forgotten, a portal, lamps by kelvin, one with a list, one for setting up."""
    rect, ball, dome = UsdLux.RectLight, UsdLux.SphereLight, UsdLux.DomeLight
    noon = room.light(
        dome, "Noon", (0, 0, 0), (0, 0, 0), time=12.4, zone=0.0, latitude=57.2, longitude=-6.4, north=205.0,
        haze=3.2, ground=0.15,
    )  # fmt: skip
    noon.GetPrim().CreateAttribute("orvik:date", Sdf.ValueTypeNames.String).Set("2026-05-20")
    _kind(noon, "daylight")
    room.light(dome, "ForgottenDome", (0, 0, 0), (0, 0, 0), gain=0.15, file="./textures/old_sky.exr", spin=40.0)
    room.light(UsdLux.PortalLight, "GatePortal", (0, 110, -402), (0, 180, 0), width=240.0, height=220.0)
    room.light(
        ball,
        "BenchBulb",
        (-190, 210, -20),
        (0, 0, 0),
        gain=900.0,
        measure="lumen",
        use_kelvin=True,
        kelvin=2700.0,
        radius=4.0,
    )
    tube = room.light(
        UsdLux.CylinderLight,
        "RidgeTube",
        (0, 330, 120),
        (0, 90, 0),
        gain=4200.0,
        measure="lumen",
        use_kelvin=True,
        kelvin=4000.0,
        radius=2.0,
    )
    tube.GetPrim().CreateAttribute("inputs:length", Sdf.ValueTypeNames.Float).Set(120.0)
    porch = room.light(
        ball, "PorchLamp", (190, 245, 200), (-90, 0, 0), lumen=1400.0, use_kelvin=True, kelvin=3000.0, radius=3.0
    )
    porch.GetPrim().CreateAttribute("orvik:file", Sdf.ValueTypeNames.Asset).Set("./textures/porch_lamp.ies")
    _kind(porch, "measured")
    only = room.light(
        rect, "HullLight", (160, 240, -60), (-60, 60, 0), gain=60.0, measure="watt", width=60.0, height=60.0, beam=2.0
    )
    only.GetPrim().CreateRelationship("orvik:include").SetTargets(
        [Sdf.Path(f"{ROOT}/Set/{name}") for name in ("Hull", "Keel", "GunwaleRail")]
    )
    room.light(rect, "setup_fill", (220, 160, 250), (-20, 40, 0), gain=0.4, measure="plain", width=60.0, height=60.0)


def _kind(light, name: str) -> None:
    light.GetPrim().CreateAttribute("orvik:kind", Sdf.ValueTypeNames.Token).Set(name)


def cameras(room: Room) -> None:
    """The slip camera stands outside the front wall and clips it away; one gain exposes the scene; a shoulder is burnt in."""
    room.camera("SlipCamera", (30, 150, 520), (-6, 2, 0), film_width=36.0, focal=30.0, near_clip=262.0, focus=580.0)
    room.camera("BenchCamera", (-60, 130, 150), (-14, 34, 0), film_width=36.0, focal=35.0, focus=210.0)
    room.settings(
        "SlipCamera", grid_least=2, grid_most=10, noise_stop=0.01, bounces=6, response="shoulder", exposure_by="scene",
        scene_gain=0.08,
    )  # fmt: skip


def build(folder: Path) -> None:
    """Write the scene, its textures and its profile into a folder."""
    pictures(folder / "textures")
    room = Room(ROOT, "Boat house at noon", "./boathouse_shapes.usdc")
    for part in (looks, house, boat, lights, cameras):
        part(room)
    room.shapes.GetRootLayer().Export(str(folder / "boathouse_shapes.usdc"))
    room.stage.GetRootLayer().Export(str(folder / "boathouse.usda"))


if __name__ == "__main__":
    place = Path(sys.argv[1]) if len(sys.argv) > 1 else HERE
    build(place)
    size = sum(file.stat().st_size for file in place.rglob("*") if file.is_file())
    print(f"{place}: {size / 1e6:.1f} MB")
