"""`make bench`: speed as ratios within one run, each with what it was measured against.

The large scene: opening, planning, carrying and writing it (with the written file opened again and checked) against
what usd-core alone takes to open the same stage, read every attribute, author a network of the same size spec by
spec, and write it. Each side runs in a process of its own, by turns.
"""

from __future__ import annotations

import json
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from generated import generate

MATERIALS = int(sys.argv[1]) if len(sys.argv) > 1 else 5000
TURNS = int(sys.argv[2]) if len(sys.argv) > 2 else 3


def turn(script: str, *arguments: object) -> dict[str, float]:
    """One measured run in a fresh process."""
    done = subprocess.run(
        [sys.executable, str(ROOT / "bench" / script), *map(str, arguments)], capture_output=True, text=True, check=True
    )
    result: dict[str, float] = json.loads(done.stdout.splitlines()[-1])
    return result


def row(name: str, ours: float, theirs: float, against: str) -> None:
    """One line of the table."""
    print(f"{name:44} {ours:8.2f} s   {theirs:8.2f} s   {ours / theirs:5.2f} ×   {against}")


def main() -> None:
    """Measure and print."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        source = generate(folder / "large.usda", MATERIALS)
        print(f"{MATERIALS} materials, {8 * MATERIALS} nodes, {64 * MATERIALS} inputs; medians of {TURNS} turns each\n")
        ours, theirs = [], []
        for count in range(TURNS):
            theirs.append(turn("plain_usd.py", source, folder / f"plain{count}.usdc"))
            ours.append(turn("large_scene.py", source, folder / f"ours{count}.usda"))
        a = {key: statistics.median(run[key] for run in ours) for key in ours[0]}
        b = {key: statistics.median(run[key] for run in theirs) for key in theirs[0]}
        whole_a = sum(a[key] for key in ("open", "plan", "carry"))
        whole_b = sum(b[key] for key in ("open", "read", "author", "write"))
        print(f"{'what':44} {'Durvan':>10}   {'usd-core':>10}   {'ratio':>7}   against")
        row("open a scene", a["open"], b["open"] + b["read"], "open the stage and read every attribute")
        row(
            "plan, carry, write, open again and check",
            a["plan"] + a["carry"],
            b["author"] + b["write"],
            "author as much and write it",
        )
        row("all of it", whole_a, whole_b, "all of it (wanted: at most 1.3)")
        print(f"\npeak memory {a['peak'] / 1e9:.2f} GB (wanted: under 1.5 GB); usd-core alone {b['peak'] / 1e9:.2f} GB")
        again = turn("renewed.py", source)
        print(
            f"\na plan renewed after one change, with its findings: {again['renewed'] * 1000:.0f} ms, at most "
            f"{again['worst'] * 1000:.0f} ms (wanted: under 150 ms), {again['renewed'] / again['whole']:.4f} × of working all of it "
            f"out ({again['whole']:.1f} s: {again['rows']:.0f} rows, {again['findings']:.0f} findings); counts and groups for the views "
            f"{again['shown'] * 1000:.0f} ms; a drift taken in {again['next_drift'] * 1000:.0f} ms (the first "
            f"{again['first_drift'] * 1000:.0f} ms)"
        )
        shown = turn("window.py", ROOT / "demo" / "lamproom" / "lamproom.usda")
        print(
            f"\nthe window shows the demo scene {shown['shown']:.2f} s after import (wanted: under 2 s; import {shown['import']:.2f} s)"
        )
        held = turn("window.py", source, folder / "window.usda")
        print(
            f"longest stalls of the event loop while {MATERIALS} materials are carried: {held['worst'] * 1000:.0f} ms, then "
            f"{held['second'] * 1000:.0f} ms (wanted: none over 100 ms)"
        )
    print(flush=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "files.py")], check=True)
    with tempfile.TemporaryDirectory() as name:
        rows = turn("rows.py", name)
        print(
            f"a table of {rows['rows']:.0f} files: longest stalls while it is scrolled {rows['scrolled']:.0f} ms, sorted "
            f"{rows['sorted']:.0f} ms, searched {rows['searched']:.0f} ms, and while all pictures are judged {rows['judged']:.0f} ms "
            "(wanted: none over 100 ms)"
        )
    print(flush=True)
    for script in ("facing.py", "formats.py"):
        subprocess.run([sys.executable, str(ROOT / "bench" / script)], check=True)
    print(flush=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "audit.py")], check=True)
    print(flush=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "engine.py")], check=True)
    print(flush=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "looks.py")], check=True)
    print(flush=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "bakes.py")], check=True)
    print(flush=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "lights.py")], check=True)
    subprocess.run([sys.executable, str(ROOT / "bench" / "budget.py")], check=True)
    seen = turn("window.py", ROOT / "demo" / "lamproom" / "lamproom.usda", "rendering")
    print(
        f"the window with its renderer: shown {seen['import'] + seen['shown']:.2f} s after the start (wanted: under 2.5 s); longest "
        f"stalls of the event loop in 20 s of rendering {seen['worst'] * 1000:.0f} ms, then {seen['second'] * 1000:.0f} ms "
        f"(wanted: none over 100 ms), {seen['seen']:.0f} pictures came"
    )


if __name__ == "__main__":
    main()
