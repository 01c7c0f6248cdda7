"""Build the moved variant of the lamp room: the same scene as it arrives from a machine that nobody has any more.

Its textures are scattered over a library, some are called otherwise, two share a name, three are nowhere, and some are
read the wrong way. Run by `make demo-moved`; what is wrong where stands in TRAPS.md beside the scene.
"""

from __future__ import annotations

import shutil
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

import numpy as np
import OpenImageIO as oiio

from build_lamproom import HERE, write
from lamproom_pictures import save

DEAD = "/mnt/skerry/projects/lamp/textures"
DRIVE = "P:\\skerry\\lamp\\textures"
# picture → what the scene says, and the folder that it really lies in, below the variant's own
PLACES: dict[str, tuple[str, str]] = {
    "dusk_sky.exr": ("./textures/dusk_sky.exr", "scene/textures"),
    "brass_polish.png": ("./textures/brass_polish.png", "scene/textures"),
    "brass_scratch.png": ("./textures/brass_scratch.png", "scene/textures"),
    "rail_colour.png": ("./textures/Rail_Colour.PNG", "scene/textures"),
    "rail_chips.png": ("./Textures/rail_chips.png", "scene/textures"),
    "slate_colour.png": (f"{DEAD}/stone/slate_colour.png", "library/stone"),
    "slate_polish.png": (f"{DEAD}/stone/slate_polish.png", "library/stone"),
    "slate_normal.png": (f"{DEAD}/stone/slate_normal.png", "library/stone"),
    "oak_colour.png": (f"{DRIVE}\\wood\\oak_colour.png", "library/wood"),
    "oak_normal.png": (f"{DRIVE}\\wood\\oak_normal.png", "library/wood"),
    "copper_patina.png": ("$SKERRY_TEXTURES/metal/copper_patina.png", "library/metal"),
    "rope_height.png": (f"file://{DEAD}/cloth/rope_height.png", "library/cloth"),
    "plaster_colour.png": (f"{DEAD}/walls/plaster_colour.png", "library/walls"),
    "plaster_height.png": (f"{DEAD}/walls/plaster_height.png", "library/walls"),
    "chart_colour.png": (f"{DEAD}/paper/chart_colour.png", "library/paper"),
    "cloth_weave.png": (f"{DEAD}/cloth/cloth_weave.png", "late"),
    "dial_face.png": (f"{DEAD}/dial/dial_face.png", "late"),
    "tide_table.png": (f"{DEAD}/paper/tide_table.png", ""),
}
GAMMAS = {"slate_polish.png": 2.2, "oak_colour.png": 1.0}
TRAPS = """# What is wrong with the moved lamp room

Open `scene/lamproom_moved.usda`; add `library` as a root, and `late` once the late delivery has come.

| what | which |
|---|---|
| in place | dusk_sky, brass_polish, brass_scratch |
| only the letters' case differs | Rail_Colour.PNG, Textures/rail_chips.png |
| a folder that is gone | slate, plaster, chart: found by the root `library` |
| a drive letter and backslashes | oak |
| a variable that nobody sets, a file URL | copper_patina, rope_height |
| two files share the name | plaster_height: in `library/walls`, and another in `library/old` |
| absent | cloth_weave and dial_face (they are in `late`), tide_table (nowhere) |
| data decoded as colour | brass_polish, slate_polish |
| colour decoded as data | chart_colour, oak_colour |
| green the wrong way up | slate_normal |
"""


def build(folder: Path) -> Path:
    """Write the variant into a folder; the scene's file is given back."""
    source = HERE / "textures"
    for name, (_, place) in PLACES.items():
        if place:
            (folder / place).mkdir(parents=True, exist_ok=True)
            shutil.copyfile(source / name, folder / place / name)
    turned = _pixels(source / "slate_normal.png")
    turned[..., 1] = 1.0 - turned[..., 1]
    save(folder / "library" / "stone", "slate_normal.png", turned)
    (folder / "library" / "old").mkdir(exist_ok=True)
    save(folder / "library" / "old", "plaster_height.png", 1.0 - _pixels(source / "plaster_height.png")[::2, ::2])
    (folder / "TRAPS.md").write_text(TRAPS, encoding="utf-8")
    return write(folder / "scene", "lamproom_moved.usda", {name: said for name, (said, _) in PLACES.items()}, GAMMAS)


def _pixels(file: Path) -> np.ndarray:
    return np.array(oiio.ImageBuf(str(file)).get_pixels(oiio.FLOAT), np.float32)


if __name__ == "__main__":
    place = Path(sys.argv[1]) if len(sys.argv) > 1 else Path("out") / "moved"
    print(f"wrote {build(place)}")
