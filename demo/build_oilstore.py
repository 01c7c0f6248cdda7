"""Build the third demo scene: the oil store and the kitchen of the Skerry Light, where materials need everything at once.

Run by `make demo-scene`; the same bytes every time. What is wrong stands in demo/oilstore/TRAPS.md.
"""

from __future__ import annotations

import math
import sys
from pathlib import Path

import numpy as np

sys.path.insert(0, str(Path(__file__).parent))

from pxr import UsdLux

from building import Room, picture
from lamproom_pictures import blend, noise, save
from lamproom_shapes import Shape, box, circle, lathe, pipe, sheet

HERE = Path(__file__).parent / "oilstore"
ROOT = "/OilStore"
GAIN = 1.7  # for a dim room
SMOOTH = {"polish_curve": "trowbridge"}
MATT = {"mirror_tint": (0.0, 0.0, 0.0), **SMOOTH}
SOFT = {"mirror_tint": (1.0, 1.0, 1.0), "mirror_index": 1.5, "polish": 0.45, **SMOOTH}
CLEAR = {
    "base_tint": (0.0, 0.0, 0.0),
    "mirror_tint": (1.0, 1.0, 1.0),
    "pass_tint": (1.0, 1.0, 1.0),
    "pass_polish": 1.0,
    "polish": 1.0,
    **SMOOTH,
}


def pictures(folder: Path) -> None:
    """Stone, planks, rust, chipped paint, a leaf, stripes, a painted sign; some heights."""
    folder.mkdir(parents=True, exist_ok=True)
    v, u = np.mgrid[0:256, 0:256] / 256.0
    stone = noise(256, 7, 5, 21)
    save(folder, "floor_stone.png", blend((0.26, 0.25, 0.24), (0.46, 0.44, 0.4), stone))
    save(folder, "floor_height.png", stone)
    chips = (noise(256, 11, 4, 5) > 0.56).astype(np.float32)
    save(folder, "drum_chips.png", chips)
    save(folder, "rust.png", blend((0.16, 0.07, 0.03), (0.42, 0.2, 0.08), noise(256, 13, 4, 9)))
    inside = ((u - 0.5) / (0.42 * np.sin(np.pi * np.clip(v, 0.0, 1.0)) ** 0.7 + 1e-3)) ** 2 < 1.0
    save(folder, "leaf_mask.png", inside.astype(np.float32))
    save(folder, "leaf.png", blend((0.08, 0.2, 0.04), (0.2, 0.42, 0.1), noise(256, 9, 4, 31)))
    save(
        folder,
        "stripes.png",
        blend((0.65, 0.62, 0.55), (0.3, 0.12, 0.1), (np.abs((u * 9.0) % 1.0 - 0.5) > 0.3).astype(np.float32)),
    )
    save(folder, "nothing.png", np.zeros((32, 32), np.float32))
    shine = np.clip(noise(256, 5, 3, 2) * 1.6 - 0.4, 0.02, 0.85).astype(np.float32)
    save(folder, "sign_shine.png", shine)
    weave = (0.5 + 0.25 * np.sin(u * 2 * np.pi * 32) + 0.25 * np.sin(v * 2 * np.pi * 32)).astype(np.float32)
    save(folder, "weave.png", weave)
    sack = blend((0.4, 0.33, 0.22), (0.58, 0.5, 0.36), noise(256, 15, 3, 8))
    save(folder, "sack.png", sack)
    save(folder, "sack_copy.png", sack)


def sound_looks(room: Room) -> None:
    """Materials that have nothing wrong with them, though a target may find them hard."""
    room.material("Limewash", {"base_tint": "@n.colour", "relief": "@b.relief", **MATT},
                  n={"node": "noise", "low": (0.62, 0.6, 0.55), "high": (0.74, 0.72, 0.68), "size": 30.0},
                  b={"node": "bump", "map": "@n.grey", "depth": 0.2})  # fmt: skip
    room.material("FloorStone", {"base_tint": "@p.colour", "relief": "@b.relief", **SOFT, "polish": 0.3},
                  p=picture("floor_stone.png", 2.2, repeats=(4.0, 4.0)),
                  h=picture("floor_height.png", 1.0, repeats=(4.0, 4.0)), b={"node": "bump", "map": "@h.grey", "depth": 0.3})  # fmt: skip
    room.material("CupGlaze", {"base_tint": (0.62, 0.66, 0.6), **SOFT, "polish": 0.98})
    room.material(
        "Candle",
        {
            "base_tint": (0.8, 0.75, 0.62),
            "deep_amount": 0.9,
            "deep_tint": (0.85, 0.78, 0.6),
            "deep_reach": 0.25,
            **SOFT,
        },
    )
    room.material(
        "OilBottle",
        {**CLEAR, "mirror_index": 1.52, "pass_index": 1.52, "murk_tint": (0.6, 0.85, 0.5), "murk_depth": 4.0},
    )
    room.material("Water", {**CLEAR, "mirror_index": 1.333, "pass_index": 1.333})
    room.material("Jug", {**CLEAR, "mirror_index": 1.51, "pass_index": 1.51})
    room.material("BreadBin", {"base_tint": (0.5, 0.08, 0.06), **SOFT, "polish": 0.6})
    room.material(
        "Curtain",
        {"base_tint": "@p.colour", "through_tint": (0.3, 0.26, 0.2), **MATT},
        p=picture("stripes.png", 2.2, repeats=(3.0, 1.0)),
    )
    room.material("Fern", {"base_tint": "@p.colour", "through_tint": (0.1, 0.22, 0.04), "cutout": "@m.grey", **MATT},
                  p=picture("leaf.png", 2.2), m=picture("leaf_mask.png", 1.0))  # fmt: skip
    room.material(
        "FishNet",
        {"base_tint": (0.2, 0.24, 0.22), "cutout": "@c.grey", **MATT},
        c={"node": "chequer", "repeats": (24.0, 24.0)},
    )
    room.material("Hawser", {"base_tint": (0.5, 0.42, 0.28), **MATT}, moved="d",
                  d={"node": "displace", "map": "@w.grey", "height": 0.4}, w=picture("weave.png", 1.0, repeats=(3.0, 8.0)))  # fmt: skip
    room.material(
        "Broom", {}, root="hair", hair={"node": "fibre", "root_tint": (0.3, 0.2, 0.08), "tip_tint": (0.5, 0.38, 0.2)}
    )
    room.material("Embers", {"base_tint": (0.02, 0.02, 0.02), "glow_tint": (1.0, 0.35, 0.08), "glow_gain": 6.0, **MATT})
    room.material("Tiles", {"base_tint": "@mix.colour", **SOFT, "polish": 0.8},
                  c={"node": "chequer", "first": (0.7, 0.7, 0.66), "second": (0.12, 0.2, 0.3), "repeats": (10.0, 6.0)},
                  d={"node": "noise", "low": (0.7, 0.7, 0.7), "high": (1.0, 1.0, 1.0), "size": 6.0},
                  mix={"node": "blend", "ground": "@c.colour", "map_1": "@d.colour", "share_1": 0.6, "mode_1": "multiply"})  # fmt: skip
    room.material("Stove", {"base_tint": "@k.colour", **SOFT, "polish": 0.35},
                  k={"node": "crevice", "open": (0.06, 0.06, 0.065), "deep": (0.2, 0.1, 0.05), "reach": 6.0})  # fmt: skip
    room.material("Label", {"base_tint": (0.75, 0.7, 0.55), **MATT}, root="both",
                  rear={"node": "finish", "base_tint": (0.3, 0.3, 0.3), **MATT},
                  both={"node": "two_sided", "front": "@finish.out", "back": "@rear.out"})  # fmt: skip
    room.material("TarPaper", {"base_tint": (0.04, 0.04, 0.04), **MATT})
    room.material("Drum", {"base_tint": (0.1, 0.11, 0.12), **SOFT, "polish": 0.5}, root="pile",
                  paint={"node": "finish", "base_tint": (0.05, 0.16, 0.24), **SOFT, "polish": 0.7},
                  rusty={"node": "finish", "base_tint": "@r.colour", **MATT}, r=picture("rust.png", 2.2),
                  dust={"node": "finish", "base_tint": (0.4, 0.38, 0.34), **MATT}, m=picture("drum_chips.png", 1.0),
                  pile={"node": "pile", "base": "@finish.out", "finish_3": "@rusty.out", "mask_3": 0.5,
                        "finish_2": "@paint.out", "mask_2": "@m.grey", "finish_1": "@dust.out", "mask_1": 0.08})  # fmt: skip


def trapped_looks(room: Room) -> None:
    """Materials with something wrong; each stands in TRAPS.md."""
    room.material(
        "Funnel",
        {
            "base_tint": (0.05, 0.05, 0.05),
            "mirror_tint": (0.6, 0.6, 0.58),
            "mirror_index": 9.0,
            "polish": 0.7,
            **SMOOTH,
        },
    )
    room.material(
        "CopperPan",
        {
            "base_tint": (0.02, 0.01, 0.01),
            "mirror_tint": (0.85, 0.5, 0.35),
            "edge_rise": False,
            "polish": 0.8,
            **SMOOTH,
        },
    )
    room.material(
        "Sink",
        {
            "base_tint": (0.03, 0.03, 0.03),
            "mirror_tint": (0.62, 0.62, 0.64),
            "mirror_index": 12.0,
            "grain": 0.6,
            "polish": 0.65,
            **SMOOTH,
        },
    )
    room.material("Velvet", {"base_tint": "@f.colour", **MATT},
                  f={"node": "facing", "front": (0.12, 0.02, 0.03), "edge": (0.6, 0.3, 0.3), "hold": 0.8})  # fmt: skip
    room.material(
        "Soap",
        {
            "base_tint": (0.75, 0.72, 0.6),
            "deep_amount": 0.8,
            "deep_tint": (0.8, 0.76, 0.6),
            "deep_reach": 250.0,
            **SOFT,
        },
    )
    room.material("WindowPane", {**CLEAR, "mirror_index": 1.5})
    room.material(
        "MilkShade",
        {
            "base_tint": (0.9, 0.9, 0.88),
            "pass_tint": (0.3, 0.3, 0.3),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.5,
            "polish": 0.9,
            **SMOOTH,
        },
    )
    room.material(
        "GhostRag", {"base_tint": (0.5, 0.4, 0.4), "cutout": "@m.grey", **MATT}, m=picture("nothing.png", 1.0)
    )
    room.material(
        "MossMat", {"base_tint": (0.1, 0.2, 0.05), "cutout": "@m.grey", **MATT}, m=picture("moss_mask.png", 1.0)
    )
    room.material("TinSign", {"base_tint": (0.06, 0.05, 0.05), "mirror_tint": "@s.grey", "edge_rise": False, "polish": 0.7, **SMOOTH},
                  s=picture("sign_shine.png", 2.2))  # fmt: skip
    room.material(
        "Enamel",
        {"base_tint": (0.85, 0.85, 0.83), **MATT},
        root="pile",
        glaze={
            "node": "finish",
            "mirror_tint": (0.4, 0.4, 0.4),
            "base_tint": (0.3, 0.3, 0.3),
            "edge_rise": False,
            "polish": 0.9,
            **SMOOTH,
        },
        pile={"node": "pile", "base": "@finish.out", "finish_1": "@glaze.out", "mode_1": "add"},
    )
    room.material("Plaster", {"base_tint": (0.7, 0.68, 0.64), "relief": "@b.relief", **MATT},
                  n={"node": "noise", "size": 8.0}, b={"node": "bump", "map": "@n.grey", "depth": 400.0})  # fmt: skip
    room.material("SaltSack", {"base_tint": "@p.colour", **MATT}, p=picture("sack.png", 2.2))
    room.material("MealSack", {"base_tint": "@fabric.colour", **MATT}, fabric=picture("sack_copy.png", 2.2))
    room.material("KelpMat", {"base_tint": "@k.colour", **MATT}, k={"node": "kelp_weave", "strands": 12})
    room.material("SpareTile", {"base_tint": (0.6, 0.3, 0.2), **SOFT})


def store(room: Room) -> None:
    """Floor, walls, a drum on its side of the room, a bench with what stands on it."""
    floor = sheet(1, 1, lambda u, v: (-250.0 + 500.0 * u, 0.0, 250.0 - 500.0 * v))
    room.mesh("Floor", floor, "FloorStone")
    room.mesh("BackWall", box(500, 260, 20).moved(0, 0, -260), "Limewash")
    room.mesh("SideWall", box(20, 260, 500).moved(-260, 0, 0), "Plaster")
    room.mesh("TileWall", sheet(2, 2, lambda u, v: (20.0 + 200.0 * u, 110.0 * v, -247.0)), "Tiles")
    room.mesh("Drum", _can(38.0, 95.0).moved(-180, 0, -160), "Drum")
    room.mesh("Bench", box(240, 8, 70).moved(90, 82, -190), "TarPaper")
    room.mesh("Stove", box(60, 80, 55).moved(-70, 0, -200), "Stove")
    room.mesh("Embers", _can(14.0, 6.0).moved(-70, 80, -200), "Embers")
    hang = sheet(8, 8, lambda u, v: (-40.0 + 70.0 * u, 110.0 + 100.0 * v, -240.0 + 3.0 * math.sin(u * 30.0)))
    room.mesh("Curtain", hang, "Curtain")
    room.mesh("Pane", sheet(1, 1, lambda u, v: (-120.0 + 60.0 * u, 120.0 + 80.0 * v, -244.0)), "WindowPane")
    room.mesh("Net", sheet(4, 4, lambda u, v: (-240.0 + 90.0 * u, 130.0 + 90.0 * v, -236.0 + 6.0 * u * v)), "FishNet")
    room.mesh("Rope", pipe([(x + 190, 3.0, z - 40) for x, _, z in circle(24.0, 0.0, 60)], 2.6, 16), "Hawser")
    room.mesh("SackA", box(46, 60, 34).moved(-110, 0, -90), "SaltSack")
    room.mesh("SackB", box(44, 56, 34).moved(-58, 0, -84), "MealSack")
    room.mesh("Mat", sheet(2, 2, lambda u, v: (-40.0 + 90.0 * u, 0.6, 20.0 - 60.0 * v)), "KelpMat")
    room.mesh("Moss", sheet(2, 2, lambda u, v: (80.0 + 50.0 * u, 0.6, 60.0 - 40.0 * v)), "MossMat")
    room.mesh("Rag", sheet(3, 3, lambda u, v: (40.0 + 30.0 * u, 91.0, -170.0 - 24.0 * v)), "GhostRag")
    bristles = [
        [
            (-200.0 + 1.1 * k + 0.4 * math.sin(k), 30.0 - 9.0 * t, 40.0 + 2.0 * math.sin(1.7 * k) * t)
            for t in (0.0, 1.0, 2.0, 3.0)
        ]
        for k in range(36)
    ]
    room.curves("Broom", bristles, 0.35, "Broom")


def kitchen(room: Room) -> None:
    """What stands on the bench and hangs above it."""
    top = 90.0
    room.mesh("Cup", _bowl(4.2, 9.0, 0.5).moved(20, top, -175), "CupGlaze")
    room.mesh("Jug", _bowl(8.0, 22.0, 0.6).moved(52, top, -190), "Jug")
    room.mesh("JugWater", _can(7.2, 14.0).moved(52, top + 0.8, -190), "Water")
    room.mesh(
        "Bottle",
        lathe([(0.0, 0.0), (5.0, 0.0), (5.0, 16.0), (1.8, 22.0), (1.8, 28.0), (0.0, 28.0)], 40).moved(80, top, -185),
        "OilBottle",
    )
    room.mesh("Candle", _can(3.0, 16.0).moved(104, top, -172), "Candle")
    room.mesh("Soap", box(8, 3, 5).moved(122, top, -170), "Soap")
    room.mesh("Bin", box(36, 24, 26).moved(160, top, -200), "BreadBin")
    room.mesh(
        "Funnel",
        lathe([(1.0, 0.0), (1.2, 9.0), (9.0, 18.0), (9.3, 18.0), (1.5, 8.8), (1.3, 0.0), (1.0, 0.0)], 40).moved(
            192, top, -190
        ),
        "Funnel",
    )
    room.mesh("Pan", _bowl(14.0, 8.0, 0.4).moved(-70, 88, -170), "CopperPan")
    room.mesh("Sink", _bowl(20.0, 14.0, 0.5).moved(140, top - 6, -160), "Sink")
    room.mesh("Shade", _bowl(13.0, 16.0, 0.4).moved(90, 190, -150), "MilkShade")
    room.mesh(
        "Plate",
        lathe([(0.0, 0.0), (7.0, 0.4), (12.0, 2.0), (12.1, 2.4), (7.0, 0.9), (0.0, 0.5)], 48).moved(0, top, -195),
        "Enamel",
    )
    room.mesh("Sign", box(60, 36, 1).moved(60, 150, -248), "TinSign")
    room.mesh("Cushion", box(40, 12, 40).moved(-140, 44, -10), "Velvet")
    room.mesh(
        "Leaf", sheet(6, 10, lambda u, v: (210.0 + 16.0 * (u - 0.5), 96.0 + 26.0 * v, -210.0 + 9.0 * v * v)), "Fern"
    )
    room.mesh("Note", sheet(1, 1, lambda u, v: (176.0 + 9.0 * u, 96.0 + 12.0 * v, -186.8)), "Label")


def _can(radius: float, height: float) -> Shape:
    return lathe([(0.0, 0.0), (radius, 0.0), (radius, height), (0.0, height)], 40)


def _bowl(radius: float, height: float, wall: float) -> Shape:
    """A vessel with a wall: closed, inside and outside."""
    outside = [(0.0, 0.0), (0.7 * radius, 0.0), (0.95 * radius, 0.4 * height), (radius, height)]
    inside = [(radius - wall, height), (0.95 * radius - wall, 0.4 * height), (0.7 * radius - wall, wall), (0.0, wall)]
    return lathe([*outside, *inside], 44)


def rest(room: Room) -> None:
    """A window's light, a bulb, a camera, settings."""
    room.light(
        UsdLux.RectLight, "Window", (-90, 160, -243), (0, 180, 0), gain=2600.0, measure="nit", width=58.0, height=78.0
    )
    room.light(
        UsdLux.SphereLight,
        "Bulb",
        (90, 200, -120),
        (0, 0, 0),
        gain=1400.0,
        measure="lumen",
        use_kelvin=True,
        kelvin=2900.0,
        radius=3.0,
    )
    room.light(UsdLux.DomeLight, "Dusk", (0, 0, 0), (0, 0, 0), gain=0.6, tint=(0.7, 0.8, 1.0))
    room.camera("StoreCamera", (70, 135, 190), (-7, 8, 0), film_width=36.0, focal=28.0, focus=350.0)
    room.settings(
        "StoreCamera", grid_least=2, grid_most=12, noise_stop=0.01, bounces=8, exposure_by="scene", scene_gain=GAIN
    )


def build(folder: Path) -> None:
    """Write the scene and its textures into a folder."""
    pictures(folder / "textures")
    room = Room(ROOT, "Oil store and kitchen", "./oilstore_shapes.usdc")
    for part in (sound_looks, trapped_looks, store, kitchen, rest):
        part(room)
    room.shapes.GetRootLayer().Export(str(folder / "oilstore_shapes.usdc"))
    room.stage.GetRootLayer().Export(str(folder / "oilstore.usda"))


if __name__ == "__main__":
    place = Path(sys.argv[1]) if len(sys.argv) > 1 else HERE
    build(place)
    size = sum(file.stat().st_size for file in place.rglob("*") if file.is_file())
    print(f"{place}: {size / 1e6:.1f} MB")
