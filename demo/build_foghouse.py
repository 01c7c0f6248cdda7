"""Build the fourth demo scene: the fog-signal house of the Skerry Light, in Skarn's lobes.

Run by `make demo-scene`; the same bytes every time. Every word of Skarn that a material can have is used.
"""

from __future__ import annotations

import math
import sys
from pathlib import Path
from typing import Any

import numpy as np

sys.path.insert(0, str(Path(__file__).parent))

from pxr import UsdLux

from building import Room
from lamproom_pictures import blend, noise, save
from lamproom_shapes import Shape, box, lathe, pipe, sheet

HERE = Path(__file__).parent / "foghouse"
ROOT = "/FogHouse"
BRASS = {"node": "metal", "by": "index", "n": (0.44, 0.53, 1.17), "k": (3.7, 2.77, 1.83)}
STEEL = {"node": "metal", "facing": (0.56, 0.56, 0.55), "edge": (0.9, 0.92, 0.95), "alpha": 0.12}


def pictures(folder: Path) -> None:
    """Oak, a worn edge, sail cloth with its weave, a dial, a leaf of kelp, paint that has chipped."""
    folder.mkdir(parents=True, exist_ok=True)
    v, u = np.mgrid[0:256, 0:256] / 256.0
    grain = noise(256, 5, 5, 41) * 0.6 + 0.4 * (0.5 + 0.5 * np.sin(60.0 * u + 6.0 * noise(256, 3, 3, 4)))
    save(folder, "oak.png", blend((0.2, 0.11, 0.05), (0.46, 0.3, 0.16), grain.astype(np.float32)))
    save(folder, "worn.png", (noise(256, 9, 4, 17) > 0.55).astype(np.float32))
    weave = (0.5 + 0.25 * np.sin(u * 2 * np.pi * 40) + 0.25 * np.sin(v * 2 * np.pi * 40)).astype(np.float32)
    save(folder, "weave.png", weave)
    save(folder, "sailcloth.png", blend((0.52, 0.44, 0.32), (0.7, 0.63, 0.5), weave))
    ring = np.abs(np.hypot(u - 0.5, v - 0.5) - 0.4)
    marks = (ring < 0.06) & (np.abs((np.arctan2(v - 0.5, u - 0.5) * 6.0 / np.pi) % 1.0 - 0.5) < 0.1)
    save(folder, "dial.png", blend((0.88, 0.86, 0.8), (0.08, 0.08, 0.1), marks.astype(np.float32)))
    inside = np.abs(u - 0.5) < 0.36 * np.sin(np.pi * np.clip(v, 0.0, 1.0)) ** 0.5
    save(folder, "kelp_mask.png", (~inside).astype(np.float32))
    flat = np.full((256, 256), 0.5, np.float32)
    slope = (np.roll(weave, -2, 1) - np.roll(weave, 2, 1)) * 0.8
    save(
        folder,
        "weave_normal.png",
        np.stack([0.5 + slope / 2.0, flat, np.sqrt(np.clip(1.0 - slope**2, 0.0, 1.0)) * 0.5 + 0.5], axis=2),
    )


def file(name: str, space: str = "srgb_texture", place: str = "") -> dict[str, Any]:
    """A picture node."""
    found: dict[str, Any] = {"node": "picture", "file": f"./textures/{name}", "space": space}
    return {**found, "place": place} if place else found


def stack(upper: str, lower: str) -> dict[str, Any]:
    """One lobe on another."""
    return {"node": "stack", "upper": f"@{upper}.out", "lower": f"@{lower}.out"}


def beside(first: str, second: str, amount: float | str) -> dict[str, Any]:
    """Two side by side."""
    return {"node": "blend", "first": f"@{first}.out", "second": f"@{second}.out", "amount": amount}


def wood_and_metal(room: Room) -> None:
    """What the signal and its bench are made of."""
    room.lobes("VarnishedOak", "all", m={"node": "matt", "color": "@p.color"}, p=file("oak.png", place="@l.place"),
               l={"node": "place", "repeats": (2.0, 4.0), "turn": 90.0}, d={"node": "dielectric", "ior": 1.5, "alpha": 0.2},
               c={"node": "coat", "ior": 1.52, "alpha": 0.004, "absorb": (2.0, 6.0, 14.0), "thickness": 0.02},
               wood=stack("d", "m"), all=stack("c", "wood"))  # fmt: skip
    room.lobes("HornBrass", "m", m={**BRASS, "alpha": 0.02})
    room.lobes("TrumpetBrass", "m", m={**BRASS, "alpha": 0.16, "aspect": 0.4, "turn": 90.0})
    room.lobes("TankSteel", "m", m=dict(STEEL))
    room.lobes("HeatedPipe", "m", m={**STEEL, "film": 320.0, "film_ior": 1.9, "alpha": 0.05})
    room.lobes("PaintedIron", "all", rust={"node": "matt", "color": "@n.color"},
               n={"node": "noise", "low": (0.1, 0.05, 0.03), "high": (0.3, 0.14, 0.06), "size": 4.0},
               paint={"node": "matt", "color": (0.05, 0.16, 0.12)}, shine={"node": "dielectric", "alpha": 0.06},
               coat=stack("shine", "paint"), w=file("worn.png", "raw"), all=beside("coat", "rust", "@w.grey"))  # fmt: skip
    room.lobes("EnamelSign", "all", iron={**STEEL, "alpha": 0.3}, ground={"node": "matt", "color": "@p.color"}, p=file("dial.png"),
               glaze={"node": "dielectric", "ior": 1.55, "alpha": 0.003}, enamel=stack("glaze", "ground"),
               dust={"node": "velvet", "weight": 0.3, "color": (0.6, 0.57, 0.5), "spread": 0.6}, dusty=stack("dust", "enamel"),
               all=beside("dusty", "iron", 0.12))  # fmt: skip


def clear_and_soft(room: Room) -> None:
    """Glass, wax, cloth, leaves."""
    room.lobes("GaugeGlass", "g", g={"node": "glass", "ior": 1.52})
    room.lobes("OilFlask", "g", g={"node": "glass", "ior": 1.47, "absorb": (0.02, 0.05, 0.3)})
    room.lobes("SaltedPane", "all", g={"node": "sheet", "ior": 1.5}, s={"node": "matt", "color": (0.75, 0.76, 0.78)},
               all=beside("g", "s", 0.2))  # fmt: skip
    room.lobes("Tallow", "all", s={"node": "scatter", "color": (0.82, 0.74, 0.56), "reach": (0.5, 0.3, 0.12)},
               d={"node": "dielectric", "ior": 1.44, "alpha": 0.1}, all=stack("d", "s"))  # fmt: skip
    room.lobes("SailCloth", "all", m={"node": "matt", "color": "@p.color"}, p=file("sailcloth.png", place="@l.place"),
               l={"node": "place", "repeats": (3.0, 3.0)}, t={"node": "passing", "color": (0.5, 0.44, 0.34)}, cloth=beside("m", "t", 0.3),
               h=file("weave_normal.png", "raw", "@l.place"), b={"node": "normal", "map": "@h.color", "scale": 0.7},
               all={"node": "relief", "under": "@cloth.out", "normal": "@b.normal"})  # fmt: skip
    room.lobes("Cushion", "all", m={"node": "matt", "color": "@f.color"},
               f={"node": "facing", "front": (0.05, 0.06, 0.16), "rim": (0.12, 0.13, 0.26)},
               v={"node": "velvet", "weight": 0.8, "color": (0.4, 0.44, 0.7), "spread": 0.3}, all=stack("v", "m"))  # fmt: skip
    room.lobes("Kelp", "all", m={"node": "matt", "color": (0.14, 0.12, 0.03)}, t={"node": "passing", "color": (0.2, 0.17, 0.04)},
               leaf=beside("m", "t", 0.5), w=file("kelp_mask.png", "raw"), all={"node": "cut", "under": "@leaf.out", "hole": "@w.grey"})  # fmt: skip
    room.lobes("Brush", "s", s={"node": "strand", "absorb": (0.5, 0.9, 1.8), "width_r": 0.25})


def stone_and_light(room: Room) -> None:
    """Walls, tiles, rope, and what glows."""
    room.lobes("Limestone", "all", m={"node": "matt", "color": (0.62, 0.59, 0.53)},
               n={"node": "noise", "size": 9.0, "octaves": 5}, b={"node": "bump", "height": "@n.grey", "scale": 0.4},
               all={"node": "relief", "under": "@m.out", "normal": "@b.normal"})  # fmt: skip
    room.lobes("FloorTiles", "all", m={"node": "matt", "color": "@c.color"},
               c={"node": "chequer", "even": (0.55, 0.53, 0.48), "odd": (0.1, 0.12, 0.14), "squares": (10.0, 10.0)},
               d={"node": "dielectric", "alpha": 0.03}, all=stack("d", "m"))  # fmt: skip
    room.lobes("Lintel", "all", m={"node": "matt", "color": (0.4, 0.39, 0.37)}, r={"node": "rounded", "radius": 1.5},
               all={"node": "relief", "under": "@m.out", "normal": "@r.normal"})  # fmt: skip
    room.lobes("Hawser", "m", moved="d", m={"node": "matt", "color": (0.5, 0.42, 0.28)},
               d={"node": "displace", "height": "@w.grey", "scale": 0.4}, w=file("weave.png", "raw", "@l.place"),
               l={"node": "place", "repeats": (3.0, 8.0)})  # fmt: skip
    room.lobes("Skirting", "m", m={"node": "matt", "color": "@r.color"},
               r={"node": "ramp", "left": (0.12, 0.2, 0.22), "right": (0.5, 0.55, 0.52), "place": "@u.place"}, u={"node": "uvs", "name": "st"})  # fmt: skip
    room.lobes("PilotLamp", "all", m={"node": "matt", "color": (0.02, 0.02, 0.02)},
               g={"node": "glow", "stops": 9.0, "color": (1.0, 0.62, 0.3)}, all=stack("g", "m"))  # fmt: skip


def house(room: Room) -> None:
    """The room and what stands in it, in centimetres."""
    room.mesh("Floor", sheet(1, 1, lambda u, v: (-220.0 + 440.0 * u, 0.0, 220.0 - 440.0 * v)), "FloorTiles")
    room.mesh("BackWall", box(440, 260, 20).moved(0, 0, -230), "Limestone")
    room.mesh("SideWall", box(20, 260, 440).moved(-230, 0, 0), "Limestone")
    room.mesh("Skirt", box(440, 14, 4).moved(0, 0, -218), "Skirting")
    room.mesh("Lintel", box(120, 16, 24).moved(60, 196, -224), "Lintel")
    room.mesh("Bench", box(200, 8, 60).moved(70, 80, -180), "VarnishedOak")
    horn = lathe(
        [
            (4.0, 0.0),
            (5.0, 40.0),
            (12.0, 80.0),
            (30.0, 104.0),
            (29.4, 104.0),
            (11.4, 80.0),
            (4.4, 40.0),
            (3.4, 0.0),
            (4.0, 0.0),
        ],
        64,
    )
    room.mesh("Horn", horn.moved(-120, 40, -120), "HornBrass")
    room.mesh("Mouth", _can(16.0, 40.0).moved(-120, 0, -120), "TrumpetBrass")
    room.mesh("Tank", _can(34.0, 90.0).moved(-170, 0, -40), "TankSteel")
    room.mesh(
        "Pipe",
        pipe(
            [(-150.0 + 90.0 * t, 60.0 + 10.0 * math.sin(3.0 * t), -190.0) for t in (0.0, 0.25, 0.5, 0.75, 1.0)], 5.0, 24
        ),
        "HeatedPipe",
    )
    room.mesh("Chest", box(60, 44, 40).moved(150, 0, -120), "PaintedIron")
    room.mesh("Sign", box(50, 50, 2).moved(-20, 130, -217), "EnamelSign")
    top = 88.0
    room.mesh("Gauge", _can(4.0, 20.0).moved(20, top, -180), "GaugeGlass")
    room.mesh(
        "Flask",
        lathe([(0.0, 0.0), (7.0, 0.0), (7.0, 14.0), (2.0, 20.0), (2.0, 26.0), (0.0, 26.0)], 44).moved(50, top, -178),
        "OilFlask",
    )
    room.mesh("Candle", _can(3.2, 12.0).moved(80, top, -170), "Tallow")
    room.mesh("Lamp", _can(2.4, 5.0).moved(104, top, -170), "PilotLamp")
    room.mesh("Pane", sheet(1, 1, lambda u, v: (20.0 + 80.0 * u, 110.0 + 84.0 * v, -216.0)), "SaltedPane")
    room.mesh(
        "Sail",
        sheet(10, 10, lambda u, v: (150.0 + 60.0 * u, 90.0 + 120.0 * v, -208.0 + 6.0 * math.sin(9.0 * u))),
        "SailCloth",
    )
    room.mesh("Cushion", box(44, 12, 44).moved(150, 44, -120), "Cushion")
    room.mesh("Kelp", sheet(4, 10, lambda u, v: (-60.0 + 14.0 * u, 20.0 + 80.0 * v, -216.0 + 4.0 * v * v)), "Kelp")
    room.mesh(
        "Rope",
        pipe(
            [(60.0 + 26.0 * math.cos(a), 3.0, -60.0 + 26.0 * math.sin(a)) for a in np.linspace(0.0, 6.2, 48)], 2.8, 20
        ),
        "Hawser",
    )
    hairs = [
        [(-30.0 + 0.8 * k, 24.0 - 8.0 * t, -40.0 + 1.4 * math.sin(2.1 * k) * t) for t in (0.0, 1.0, 2.0, 3.0)]
        for k in range(30)
    ]
    room.curves("Brush", hairs, 0.35, "Brush")


def _can(radius: float, height: float) -> Shape:
    return lathe([(0.0, 0.0), (radius, 0.0), (radius, height), (0.0, height)], 44)


def rest(room: Room) -> None:
    """Light by stops, a camera by its field of view, one exposure for the picture."""
    room.light(
        UsdLux.RectLight,
        "Window",
        (60, 152, -214),
        (0, 180, 0),
        stops=11.6,
        width=78.0,
        height=82.0,
        tint=(0.86, 0.94, 1.0),
    )
    room.light(
        UsdLux.SphereLight,
        "Bulb",
        (0, 210, -60),
        (0, 0, 0),
        stops=8.6,
        per_area=False,
        tint=(1.0, 0.8, 0.55),
        radius=4.0,
        group="lamps",
    )
    room.light(
        UsdLux.SphereLight,
        "Bracket",
        (140, 200, -60),
        (-90, 0, 0),
        kind="spot",
        stops=9.0,
        per_area=False,
        cone=38.0,
        soft=0.4,
        radius=2.0,
    )
    room.light(UsdLux.DomeLight, "Dusk", (0, 0, 0), (0, 0, 0), stops=6.5, tint=(0.8, 0.88, 1.0))
    room.camera("FogCamera", (60, 130, 180), (-8, 6, 0), fov=62.0, focus=330.0)
    room.settings("FogCamera", samples=96, matt_paths=6, exposure=-7.6)


def build(folder: Path) -> None:
    """Write the scene and its textures into a folder."""
    pictures(folder / "textures")
    room = Room(ROOT, "Fog-signal house", "./foghouse_shapes.usdc", dialect="skarn")
    for part in (wood_and_metal, clear_and_soft, stone_and_light, house, rest):
        part(room)
    room.shapes.GetRootLayer().Export(str(folder / "foghouse_shapes.usdc"))
    room.stage.GetRootLayer().Export(str(folder / "foghouse.usda"))


if __name__ == "__main__":
    place = Path(sys.argv[1]) if len(sys.argv) > 1 else HERE
    build(place)
    size = sum(file.stat().st_size for file in place.rglob("*") if file.is_file())
    print(f"{place}: {size / 1e6:.1f} MB")
