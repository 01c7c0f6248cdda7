"""`make demo`: the demo scene in the window where there is a display; else the whole example on the command line."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent))

from build_moved import build

ROOT = Path(__file__).parent.parent
SCENE = ROOT / "demo" / "lamproom" / "lamproom.usda"
OUT = ROOT / "out" / "demo"
RUN = [sys.executable, "-c", "from durvan.cli.entry import main; main()"]


def step(text: str, *arguments: str) -> None:
    """Run one command and show what it says; 1 means that findings are open, as they are in this scene."""
    print(f"\n── {text}\n   durvan {' '.join(arguments)}\n", flush=True)
    status = subprocess.run([*RUN, *arguments], check=False).returncode
    if status not in (0, 1):
        sys.exit(status)


def on_the_command_line() -> None:
    """Survey, carry beside and alone, measure and fit, render both sides, and write the record."""
    OUT.mkdir(parents=True, exist_ok=True)
    scene, out = str(SCENE), str(OUT)
    step("What is in the scene, and what will become of it", "survey", scene, "--to", "pellune")
    beside = ["--out", f"{out}/lamproom_pellune.usda", "--save", f"{out}/lamproom.durvan"]
    step("Carry it beside the original", "carry", scene, "--to", "pellune", *beside)
    step(
        "Carry it alone, as a stage of its own",
        "carry",
        scene,
        "--to",
        "pellune",
        "--alone",
        "--out",
        f"{out}/lamproom_alone.usdc",
    )
    moved = build(OUT / "moved")
    library = ["--root", str(OUT / "moved" / "library")]
    step(
        "The same scene with its textures moved: where every file is, and how it is read", "files", str(moved), *library
    )
    step("Repair its paths, into a copy beside it", "relink", str(moved), *library)
    copy = str(moved.with_name("lamproom_moved_relinked.usda"))
    step("Make tiled copies of its pictures", "prepare", copy, "--out", f"{out}/copies", *library)
    few = "Oilskin,TableOak,LogBook,PedestalBrass,CeilingPaint"
    boat = str(ROOT / "demo" / "boathouse" / "boathouse.usda")
    step("What every light gives in the boat house, and what does not match", "light", boat, "--to", "pellune")
    step(
        "Measure how different some materials will look, and fit them",
        "drift",
        scene,
        "--to",
        "pellune",
        "--scope",
        few,
        "--fit",
    )
    view = ["--samples", "8", "--width", "320", "--height", "180"]
    step("Render the camera's view by the source's looks", "render", scene, "--out", f"{out}/view_orvik.png", *view)
    step(
        "And by the target's", "render", scene, "--to", "pellune", "--target", "--out", f"{out}/view_pellune.png", *view
    )
    step("Write the record", "record", f"{out}/lamproom.durvan", "--out", f"{out}/lamproom.html")
    print(f"\nThe results are in {OUT}:")
    for file in sorted(file for file in OUT.iterdir() if file.is_file()):
        print(f"  {file.name:26} {file.stat().st_size / 1000:8.0f} kB")


def main() -> None:
    """Choose by whether there is a display."""
    if os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY"):
        sys.exit(subprocess.run([*RUN, "open", str(SCENE)], check=False).returncode)
    on_the_command_line()


if __name__ == "__main__":
    main()
