"""Build the demo scene: the lamp room of the Skerry Light at dusk, written in Orvik with traps on purpose.

Run by `make demo-scene`; the same bytes every time. What the traps are stands in demo/lamproom/TRAPS.md.
"""

from __future__ import annotations

import math
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from pxr import Sdf, UsdLux

from building import Room, picture
from lamproom_pictures import make
from lamproom_shapes import Shape, box, circle, lathe, pipe, ring, sheet

HERE = Path(__file__).parent / "lamproom"
ROOT = "/LampRoom"


def looks(room: Room) -> None:
    """Thirty materials."""
    m = room.material
    gold = (0.83, 0.62, 0.28)
    m(
        "LensGlass",
        {
            "base_tint": (0.0, 0.0, 0.0),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.52,
            "polish": 0.97,
            "polish_curve": "trowbridge",
            "pass_tint": (1.0, 1.0, 1.0),
            "pass_polish": 1.0,
            "pass_index": 1.52,
            "murk_tint": (0.78, 0.93, 0.84),
            "murk_depth": 6.0,
        },
    )
    m(
        "LensFrameBrass",
        {
            "base_tint": (0.02, 0.015, 0.01),
            "mirror_tint": gold,
            "edge_rise": False,
            "polish": "@polish_map.grey",
            "polish_curve": "blinn",
            "relief": "@scratch.relief",
        },
        polish_map=picture("brass_polish.png", 2.2, repeats=(4.0, 4.0)),
        scratches=picture("brass_scratch.png", 1.0, repeats=(6.0, 2.0)),
        scratch={"node": "bump", "map": "@scratches.grey", "depth": 0.012},
    )
    m(
        "PedestalBrass",
        {
            "base_tint": (0.03, 0.02, 0.01),
            "mirror_tint": (0.78, 0.57, 0.26),
            "edge_rise": False,
            "polish": 0.74,
            "polish_curve": "beckmann",
        },
    )
    m(
        "OilCanCopper",
        {
            "base_tint": (0.0, 0.0, 0.0),
            "mirror_tint": "@patina.colour",
            "mirror_index": 12.0,
            "polish": 0.7,
            "polish_curve": "trowbridge",
        },
        patina=picture("copper_patina.png", 2.2),
    )
    m(
        "PewterCup",
        {
            "base_tint": (0.05, 0.05, 0.05),
            "mirror_tint": (0.58, 0.56, 0.53),
            "mirror_index": 9.0,
            "polish": 0.62,
            "polish_curve": "blinn",
        },
    )
    m(
        "RailPaint",
        {
            "base_tint": "@fresh.colour",
            "mirror_tint": (0.9, 0.9, 0.9),
            "mirror_index": 1.5,
            "polish": "@worn.colour",
            "polish_curve": "trowbridge",
            "relief": "@chip.relief",
        },
        fresh=picture("rail_colour.png", 2.2, repeats=(2.0, 1.0)),
        chips=picture("rail_chips.png", 1.0, repeats=(3.0, 1.0)),
        worn={
            "node": "correct",
            "input": "@chips.colour",
            "gain": (-0.4, -0.4, -0.4),
            "shift": (0.8, 0.8, 0.8),
        },
        chip={"node": "bump", "map": "@chips.grey", "depth": -0.02},
    )
    m(
        "GalleryIron",
        {
            "base_tint": (0.05, 0.05, 0.055),
            "mirror_tint": (0.5, 0.5, 0.5),
            "mirror_index": 2.2,
            "polish": 0.45,
            "polish_curve": "beckmann",
        },
    )
    m(
        "WetSlate",
        {
            "base_tint": "@colour.colour",
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.33,
            "polish": "@wet.grey",
            "polish_curve": "trowbridge",
            "relief": "@bumps.relief",
        },
        colour=picture("slate_colour.png", 2.2, repeats=(3.0, 3.0)),
        wet=picture("slate_polish.png", 1.0, repeats=(3.0, 3.0)),
        slopes=picture("slate_normal.png", 1.0, repeats=(3.0, 3.0)),
        bumps={"node": "normal_map", "map": "@slopes.colour", "strength": 0.8},
    )
    m(
        "RoughPlaster",
        {
            "base_tint": "@colour.colour",
            "mirror_tint": (0.3, 0.3, 0.3),
            "polish": 0.2,
            "polish_curve": "trowbridge",
            "relief": "@lumps.relief",
        },
        colour=picture("plaster_colour.png", 2.2, repeats=(5.0, 2.0)),
        height=picture("plaster_height.png", 1.0, repeats=(5.0, 2.0)),
        lumps={"node": "bump", "map": "@height.grey", "depth": 0.6},
    )
    m(
        "CeilingPaint",
        {
            "base_tint": "@shade.colour",
            "mirror_tint": (0.4, 0.4, 0.4),
            "mirror_index": 1.5,
            "polish": 0.3,
            "polish_curve": "trowbridge",
        },
        shade={"node": "ramp", "first": (0.42, 0.46, 0.44), "second": (0.55, 0.58, 0.54), "along": "v"},
    )
    m(
        "DialEnamel",
        {
            "base_tint": "@face.colour",
            "mirror_tint": (0.06, 0.06, 0.06),
            "edge_rise": False,
            "polish": 0.93,
            "polish_curve": "trowbridge",
        },
        face=picture("dial_face.png", 2.2),
    )
    m(
        "DialNeedle",
        {
            "base_tint": (0.02, 0.02, 0.03),
            "mirror_tint": (0.35, 0.38, 0.45),
            "edge_rise": False,
            "polish": 0.8,
            "polish_curve": "trowbridge",
        },
    )
    m(
        "DialGlass",
        {
            "base_tint": (0.0, 0.0, 0.0),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.5,
            "polish": 0.98,
            "polish_curve": "trowbridge",
            "pass_tint": (0.96, 0.98, 0.97),
            "pass_polish": 0.98,
            "bend_light": False,
        },
    )
    m(
        "WindowPane",
        {
            "base_tint": (0.0, 0.0, 0.0),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.5,
            "polish": 0.99,
            "polish_curve": "trowbridge",
            "pass_tint": (0.92, 0.95, 0.94),
            "pass_polish": 0.99,
            "shell": True,
        },
    )
    m(
        "WindowFramePaint",
        {
            "base_tint": (0.72, 0.73, 0.7),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.5,
            "polish": 0.68,
            "polish_curve": "trowbridge",
        },
    )
    m(
        "DoorPaint",
        {
            "base_tint": (0.05, 0.13, 0.16),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.5,
            "polish": 0.6,
            "polish_curve": "blinn",
        },
    )
    m(
        "LampChimney",
        {
            "base_tint": (0.0, 0.0, 0.0),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.5,
            "polish": 0.95,
            "polish_curve": "trowbridge",
            "pass_tint": (0.98, 0.96, 0.92),
            "pass_polish": 0.6,
            "shell": True,
        },
    )
    m(
        "Mantle",
        {
            "base_tint": (0.8, 0.78, 0.7),
            "polish_curve": "trowbridge",
            "glow_tint": (1.0, 0.86, 0.62),
            "glow_gain": 160.0,
        },
    )
    m(
        "CandleWax",
        {
            "base_tint": (0.85, 0.78, 0.62),
            "mirror_tint": (1.0, 1.0, 1.0),
            "mirror_index": 1.44,
            "polish": 0.55,
            "polish_curve": "trowbridge",
            "deep_amount": 0.7,
            "deep_tint": (0.92, 0.8, 0.58),
            "deep_reach": 0.8,
        },
    )
    m(
        "CandleFlame",
        {
            "base_tint": (0.0, 0.0, 0.0),
            "polish_curve": "trowbridge",
            "glow_tint": (1.0, 0.62, 0.22),
            "glow_gain": 60.0,
            "glow_lights": False,
        },
    )
    m(
        "Oilskin",
        {
            "base_tint": "@sheen.colour",
            "mirror_tint": (0.8, 0.8, 0.8),
            "mirror_index": 1.45,
            "polish": 0.58,
            "polish_curve": "trowbridge",
            "relief": "@weave_bump.relief",
        },
        sheen={"node": "facing", "front": (0.36, 0.27, 0.05), "edge": (0.78, 0.66, 0.32), "hold": 0.6},
        weave=picture("cloth_weave.png", 1.0, repeats=(3.0, 3.0)),
        weave_bump={"node": "bump", "map": "@weave.grey", "depth": 0.03},
    )
    m(
        "FloorMat",
        {"base_tint": "@woven.colour", "polish": 0.2, "polish_curve": "trowbridge"},
        woven={"node": "kelp_weave", "strands": 12, "fibre": (0.42, 0.36, 0.2), "knots": 0.35},
    )
    m(
        "RopeHemp",
        {
            "base_tint": "@strand.colour",
            "polish": 0.25,
            "polish_curve": "trowbridge",
            "relief": "@twist.relief",
        },
        strand={
            "node": "noise",
            "low": (0.36, 0.27, 0.15),
            "high": (0.55, 0.44, 0.28),
            "size": 1.6,
            "octaves": 4,
        },
        turns=picture("rope_height.png", 1.0, repeats=(1.0, 8.0), turn=12.0),
        twist={"node": "bump", "map": "@turns.grey", "depth": 0.25},
    )
    m(
        "HookIron",
        {
            "base_tint": (0.05, 0.05, 0.055),
            "mirror_tint": (0.5, 0.5, 0.5),
            "mirror_index": 2.2,
            "polish": 0.45,
            "polish_curve": "beckmann",
        },
    )
    m(
        "TableOak",
        {
            "base_tint": "@aged.colour",
            "mirror_tint": (0.9, 0.9, 0.9),
            "mirror_index": 1.5,
            "polish": 0.5,
            "polish_curve": "trowbridge",
            "relief": "@grain.relief",
        },
        colour=picture("oak_colour.png", 2.2, repeats=(2.0, 1.0)),
        aged={"node": "correct", "input": "@colour.colour", "saturation": 0.8, "gain": (0.95, 0.93, 0.9)},
        slopes=picture("oak_normal.png", 1.0, repeats=(2.0, 1.0)),
        grain={"node": "normal_map", "map": "@slopes.colour"},
    )
    m(
        "TableLegs",
        {
            "base_tint": (0.16, 0.09, 0.05),
            "mirror_tint": (0.9, 0.9, 0.9),
            "mirror_index": 1.5,
            "polish": 0.5,
            "polish_curve": "trowbridge",
        },
    )
    m(
        "ChartPaper",
        {
            "base_tint": "@chart.colour",
            "mirror_tint": (0.5, 0.5, 0.5),
            "polish": 0.15,
            "polish_curve": "trowbridge",
        },
        chart=picture("chart_colour.png", 1.0),
        tides=picture("tide_table.png", 2.2),
    )
    m(
        "TideTable",
        {"base_tint": "@tides.colour", "polish": 0.15, "polish_curve": "trowbridge"},
        tides=picture("tide_table.png", 2.2),
    )
    m(
        "LogBook",
        {
            "base_tint": "@hide.colour",
            "mirror_tint": (0.8, 0.8, 0.8),
            "mirror_index": 1.45,
            "polish": 0.42,
            "polish_curve": "trowbridge",
        },
        raw=picture("copper_patina.png", 1.8, repeats=(2.0, 2.0)),
        hide={
            "node": "correct",
            "input": "@raw.colour",
            "hue_turn": 20.0,
            "saturation": 0.4,
            "gain": (0.35, 0.3, 0.28),
        },
    )
    m(
        "SignalFlag",
        {
            "base_tint": (0.7, 0.06, 0.07),
            "polish": 0.3,
            "polish_curve": "trowbridge",
            "cutout": "@holes.grey",
        },
        holes=picture("rail_chips.png", 1.0, invert=True),
    )
    m("FarRock", {"base_tint": (0.05, 0.05, 0.06), "polish": 0.3, "polish_curve": "trowbridge"})


def pedestal(room: Room) -> None:
    """The light itself: pedestal, lamp, and the drum lens of glass rings."""
    room.mesh(
        "Pedestal",
        lathe(
            [
                (0.1, 0),
                (46, 0),
                (46, 5),
                (40, 8),
                (24, 14),
                (18, 30),
                (17, 62),
                (22, 72),
                (38, 78),
                (40, 84),
                (0.1, 84),
            ],
            48,
        ),
        "PedestalBrass",
    )
    room.mesh("LampTable", lathe([(0.1, 84), (33, 84), (33, 88), (0.1, 88)], 48), "GalleryIron")
    room.mesh("Burner", lathe([(0.1, 88), (7, 88), (8, 95), (5, 100), (5, 106), (0.1, 106)], 24), "LensFrameBrass")
    room.mesh(
        "Mantle",
        lathe([(0.1, 106), (3.2, 107), (4.2, 113), (3.6, 121), (1.4, 126), (0.1, 126.5)], 24),
        "Mantle",
    )
    room.mesh("Chimney", lathe([(6, 103), (6.4, 112), (5.4, 124), (4.6, 140), (4.6, 158)], 32), "LampChimney")
    glass = Shape()
    for step in range(13):
        height = 92 + step * 5.2
        lean = (step - 6) / 6
        glass.join(
            ring(
                30,
                height,
                [
                    (-1.6, -2.2),
                    (2.4 - 1.2 * abs(lean), -1.6 - lean),
                    (3.4, 0.0 + lean),
                    (2.4 - 1.2 * abs(lean), 1.6 - lean),
                    (-1.6, 2.2),
                ],
                64,
            )
        )
    room.mesh("LensRings", glass, "LensGlass")
    frame = Shape()
    for angle in range(0, 360, 45):
        x, z = 33.5 * math.cos(math.radians(angle)), 33.5 * math.sin(math.radians(angle))
        frame.join(pipe([(x, 88 + 9 * k, z) for k in range(9)], 0.9, 8))
    for height in (88.5, 158.5):
        frame.join(pipe(circle(33.5, height, 64), 1.3, 8))
    room.mesh("LensFrame", frame, "LensFrameBrass")
    room.mesh(
        "LensCap",
        lathe([(35, 159), (30, 166), (16, 173), (6, 176), (5, 182), (0.1, 183)], 48),
        "PedestalBrass",
    )


def walls(room: Room) -> None:
    """Floor, ceiling, the low wall, the gallery of panes and the rail behind it."""
    room.mesh("Floor", sheet(24, 24, lambda u, v: (440 * (u - 0.5), 0.0, 440 * (0.5 - v))), "WetSlate")
    room.mesh("Ceiling", lathe([(215, 262), (150, 292), (60, 310), (0.1, 314)], 48), "CeilingPaint")

    def wall(u: float, v: float) -> tuple[float, float, float]:
        angle = 2 * math.pi * u
        bump = 0.7 * math.sin(23 * angle) * math.sin(9 * v)
        return ((208 + bump) * math.cos(angle), 92 * v, (208 + bump) * math.sin(angle))

    room.mesh("LowWall", sheet(96, 8, wall), "RoughPlaster")
    room.mesh("Sill", ring(208, 94, [(-9, -2), (9, -2), (9, 2), (-9, 2)], 64), "WindowFramePaint")
    panes, bars = Shape(), Shape()
    for index in range(16):
        a, b = math.radians(index * 22.5), math.radians(index * 22.5 + 22.5)
        p, q = (205 * math.cos(a), 205 * math.sin(a)), (205 * math.cos(b), 205 * math.sin(b))
        panes.join(
            sheet(
                2,
                2,
                lambda u, v, p=p, q=q: (p[0] + (q[0] - p[0]) * u, 96 + 164 * v, p[1] + (q[1] - p[1]) * u),
            )
        )
        bars.join(pipe([(p[0], 96 + 41 * k, p[1]) for k in range(5)], 2.6, 8))
    for height in (150, 205, 260):
        bars.join(pipe(circle(205, height, 64), 1.8, 8))
    room.mesh("Panes", panes, "WindowPane")
    room.mesh("PaneBars", bars, "WindowFramePaint")
    rail = Shape()
    for height in (70, 105):
        rail.join(pipe(circle(262, height, 72), 2.2, 10))
    for angle in range(0, 360, 20):
        x, z = 262 * math.cos(math.radians(angle)), 262 * math.sin(math.radians(angle))
        rail.join(pipe([(x, 35 * k, z) for k in range(4)], 1.8, 8))
    room.mesh("GalleryRail", rail, "RailPaint")
    room.mesh("GalleryDeck", ring(240, -2, [(-32, -2), (32, -2), (32, 2), (-32, 2)], 64), "GalleryIron")
    room.mesh("Door", box(86, 196, 5).moved(0, 0, 236), "DoorPaint")
    room.mesh(
        "FarRocks",
        lathe([(900, -160), (760, -70), (640, -30), (420, -18), (200, -30)], 24).moved(-600, -120, -2400),
        "FarRock",
    )


def furniture(room: Room) -> None:
    """The table with its chart, and everything that stands or hangs about."""
    top = box(96, 4, 62).moved(-112, 74, -62, 24)
    room.mesh("TableTop", top, "TableOak")
    legs = Shape()
    for x, z in ((-42, -25), (42, -25), (42, 25), (-42, 25)):
        legs.join(box(5, 74, 5).moved(x, 0, z))
    room.mesh("TableLegs", legs.moved(-112, 0, -62, 24), "TableLegs")

    def curl(u: float, v: float) -> tuple[float, float, float]:
        lift = 2.2 * max(0.0, u - 0.78) ** 2 * 40 + 0.15
        return (62 * (u - 0.5), 78.1 + lift, 42 * (0.5 - v))

    room.mesh("Chart", sheet(24, 4, curl).moved(-112, 0, -62, 20), "ChartPaper")
    room.mesh(
        "TideTable",
        sheet(1, 1, lambda u, v: (18 * (u - 0.5), 78.3, 24 * (0.5 - v))).moved(-92, 0, -36, 40),
        "TideTable",
    )
    room.mesh("LogBook", box(17, 3.4, 24).moved(-142, 78, -78, 50), "LogBook")
    room.mesh(
        "Cup",
        lathe([(0.1, 78), (4, 78), (4.4, 88), (4.0, 88), (3.6, 79), (0.1, 79)], 28).moved(-136, 0, -46),
        "PewterCup",
    )
    can = lathe([(0.1, 0), (13, 0), (13.4, 2), (13.4, 20), (9, 27), (3, 30), (2.4, 38), (0.1, 38)], 36)
    can.join(pipe([(9, 22, 0), (18, 30, 0), (25, 41, 0), (29, 50, 0)], 1.3, 10)).join(
        pipe([(-9, 26, 0), (-19, 26, 0), (-20, 12, 0), (-13, 6, 0)], 1.0, 8)
    )
    room.mesh("OilCan", can.moved(74, 0, 42, 35), "OilCanCopper")
    room.mesh(
        "Candle",
        lathe([(0.1, 78), (3, 78), (3.1, 90), (2.7, 94), (2.2, 93.2), (0.1, 93)], 24).moved(-84, 0, -84),
        "CandleWax",
    )
    room.mesh(
        "CandleFlame",
        lathe([(0.1, 94.5), (0.9, 96), (1.0, 97.5), (0.5, 100), (0.1, 101.6)], 16).moved(-84, 0, -84),
        "CandleFlame",
    )
    room.mesh(
        "CandleDish",
        lathe([(0.1, 78), (7, 78), (8, 79.4), (7.6, 79.6), (6.6, 78.6), (0.1, 78.5)], 28).moved(-84, 0, -84),
        "OilCanCopper",
    )
    dials, needles, covers, rims = Shape(), Shape(), Shape(), Shape()
    for place, (x, y, r) in enumerate(((-26, 150, 13), (4, 154, 15), (33, 148, 11))):
        face = sheet(12, 12, lambda u, v, r=r: (2 * r * (u - 0.5), 2 * r * (v - 0.5), 0.0))
        face.points = [(px, py, pz) for px, py, pz in face.points]
        dials.join(face.moved(x, y, -196))
        covers.join(sheet(6, 6, lambda u, v, r=r: (2 * r * (u - 0.5), 2 * r * (v - 0.5), 1.6)).moved(x, y, -196))
        tip = math.radians(50 + 60 * place)
        needles.join(pipe([(x, y, -195.2), (x + 0.8 * r * math.cos(tip), y + 0.8 * r * math.sin(tip), -195.2)], 0.5, 6))
        edge = [
            (x + 1.02 * r * math.cos(t), y + 1.02 * r * math.sin(t), -195)
            for t in (2 * math.pi * k / 40 for k in range(41))
        ]
        rims.join(pipe(edge, 1.4, 8))
    room.mesh("Dials", dials, "DialEnamel")
    room.mesh("Needles", needles, "DialNeedle")
    room.mesh("DialCovers", covers, "DialGlass")
    room.mesh("DialRims", rims, "LensFrameBrass")
    room.mesh("DialBoard", box(96, 44, 3).moved(4, 130, -199), "TableOak")

    def cloth(u: float, v: float) -> tuple[float, float, float]:
        fold = 4.5 * math.sin(u * 21) * (1 - 0.7 * v) + 2 * math.sin(u * 9 + 4 * v)
        wide = 22 * (1 - 0.62 * v**3)
        return (2 * wide * (u - 0.5), 60 + 112 * v, fold)

    room.mesh("Oilskin", sheet(48, 24, cloth).moved(148, 0, -112, -52), "Oilskin")
    room.mesh(
        "Hook",
        pipe([(150, 180, -116), (148, 176, -114), (146, 172, -110), (147, 170, -107), (149, 172, -106)], 0.8, 8),
        "HookIron",
    )
    coil = Shape()
    for turn in range(5):
        coil.join(pipe(circle(22 - turn * 0.7, 2.5 + turn * 4.4, 40), 2.3, 10))
    room.mesh("RopeCoil", coil.moved(112, 0, 96), "RopeHemp")
    room.mesh(
        "FloorMat",
        sheet(8, 8, lambda u, v: (90 * (u - 0.5), 0.6, 56 * (0.5 - v))).moved(10, 0, 128),
        "FloorMat",
    )
    room.mesh(
        "Flag",
        sheet(16, 10, lambda u, v: (46 * (u - 0.5), 34 * v, 3 * math.sin(7 * u))).moved(-150, 118, 60, 66),
        "SignalFlag",
    )


def lights(room: Room) -> None:
    """Nine lights of six kinds; one is a portal and one was only for setting up."""
    far, rect, ball, dome, portal = (
        UsdLux.DistantLight,
        UsdLux.RectLight,
        UsdLux.SphereLight,
        UsdLux.DomeLight,
        UsdLux.PortalLight,
    )
    room.light(dome, "DuskSky", (0, 0, 0), (0, 0, 0), gain=0.8, file="./textures/dusk_sky.exr", spin=35.0)
    room.light(far, "LowSun", (0, 0, 0), (-7, 128, 0), gain=2.4, use_kelvin=True, kelvin=2700.0, disc=1.2)
    room.light(
        ball,
        "MantleLamp",
        (0, 115, 0),
        (0, 0, 0),
        gain=12400.0,
        measure="lumen",
        use_kelvin=True,
        kelvin=2950.0,
        radius=4.0,
    )
    room.light(
        ball,
        "CandleGlow",
        (-84, 98, -84),
        (0, 0, 0),
        gain=13.0,
        measure="lumen",
        tint=(1.0, 0.6, 0.25),
        radius=1.0,
        decay="inverse",
    )
    work = room.light(
        ball,
        "WorkLamp",
        (-150, 190, -20),
        (-60, -70, 0),
        gain=6.0,
        measure="watt",
        radius=3.0,
        cone_angle=48.0,
        penumbra=6.0,
        use_kelvin=True,
        kelvin=3200.0,
    )
    work.GetPrim().CreateAttribute("orvik:kind", Sdf.ValueTypeNames.Token).Set("cone")
    UsdLux.ShapingAPI.Apply(work.GetPrim())
    room.light(
        rect,
        "CeilingPanel",
        (0, 255, 0),
        (-90, 0, 0),
        gain=0.6,
        measure="plain",
        tint=(0.75, 0.85, 1.0),
        width=120.0,
        height=120.0,
    )
    room.light(
        rect,
        "DoorSpill",
        (60, 150, 226),
        (0, 0, 0),
        gain=900.0,
        measure="nit",
        tint=(1.0, 0.88, 0.7),
        width=30.0,
        height=60.0,
        shadows=False,
    )
    room.light(portal, "WindowPortal", (0, 178, -206), (0, 180, 0), width=160.0, height=164.0)
    room.light(rect, "setup_fill", (160, 170, 160), (-20, 45, 0), gain=2.0, measure="plain", width=80.0, height=80.0)


def cameras(room: Room) -> None:
    """The gallery camera stands outside the door and clips it away; the table camera is close."""
    room.camera(
        "GalleryCamera", (18, 148, 330), (-5, 3, 0), film_width=36.0, focal=32.0, f_number=4.0, shutter=30.0, speed=800.0,
        near_clip=150.0, focus=330.0, blur=True,
    )  # fmt: skip
    room.camera(
        "TableCamera", (-30, 132, 18), (-24, 46, 0), film_width=36.0, focal=50.0, f_number=5.6, shutter=15.0, speed=800.0,
        focus=140.0, shift_up=2.0,
    )  # fmt: skip
    room.settings(
        "GalleryCamera", grid_least=2, grid_most=12, noise_stop=0.005, bounces=6, clamp=20.0, response="shoulder"
    )


def write(
    folder: Path, name: str, places: dict[str, str] | None = None, gammas: dict[str, float] | None = None
) -> Path:
    """Write the scene into a folder, without its textures; with other paths and decodings for some of them."""
    folder.mkdir(parents=True, exist_ok=True)
    room = Room(ROOT, "Lamp room at dusk", "./lamproom_shapes.usdc", places, gammas)
    looks(room)
    pedestal(room)
    walls(room)
    furniture(room)
    lights(room)
    cameras(room)
    room.shapes.GetRootLayer().Export(str(folder / "lamproom_shapes.usdc"))
    room.stage.GetRootLayer().Export(str(folder / name))
    return folder / name


def build(folder: Path) -> None:
    """Write the scene and its textures into a folder."""
    make(folder / "textures")
    write(folder, "lamproom.usda")


if __name__ == "__main__":
    place = Path(sys.argv[1]) if len(sys.argv) > 1 else HERE
    build(place)
    size = sum(file.stat().st_size for file in place.rglob("*") if file.is_file())
    print(f"{place}: {size / 1e6:.1f} MB")
