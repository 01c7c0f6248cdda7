"""Spoils inputs and puts each through what a person would do with it; tells how it went, one line each.

An error of Durvan's own is how it should go. Anything else that is raised is a find, with its traceback.
"""

from __future__ import annotations

import contextlib
import io
import json
import os
import random
import shutil
import sys
import tempfile
import traceback
from collections.abc import Callable
from pathlib import Path

HERE = Path(__file__).parent
ROOT = HERE.parent
sys.path[:0] = [str(HERE), str(ROOT / "tests")]

from mutate import spoilt

from making import small

SMALL = small()

KINDS = ("stage", "network", "crossing", "pack", "picture", "name")
SHARES = (34, 30, 12, 10, 8, 6)
NAMES = [
    "[/x]",
    "[bold]a",
    "a\x1b[31mb",
    "a\nb",
    "a" * 250,
    "\udcff\udcfe",
    "a b;c",
    "--out",
    "%s%n",
    "é\u202eb",
    ".",
    "scene.usda.usda",
]


def seeds(folder: Path) -> dict[str, list[bytes]]:
    """Files that are right, by kind."""
    import numpy as np

    from durvan.formats import pictures
    from generated import generate

    stage = generate(folder / "g.usda", 2).read_bytes()
    demo = (ROOT / "demo" / "lamproom" / "lamproom.usda").read_bytes()
    room = [part for part in (ROOT / "demo" / "lamproom").rglob("*.usda") if part.stat().st_size < 60_000]
    kept = []
    for ending in ("png", "exr", "jpg", "tif", "hdr"):
        file = folder / f"p.{ending}"
        with contextlib.suppress(Exception):
            pictures.save(file, np.random.default_rng(1).random((9, 7, 3)).astype(np.float32))
            kept.append(ending.encode() + b"\n" + file.read_bytes())
    crossings = []
    from durvan.crossing.job.session import start
    from durvan.dialects.registry import registry

    scene = folder / "scene.usda"
    scene.write_text(SMALL, encoding="utf-8")
    session = start(scene, registry(), "pellune")
    session.save(folder / "c.durvan")
    crossings.append((folder / "c.durvan").read_bytes())
    carried = []
    for target in ("pellune", "openpbr", "preview"):
        out = folder / f"{target}.usda"
        commands("carry", str(folder / "g.usda"), "--to", target, "--out", str(out), "--alone")
        carried.append(out.read_bytes())
    packs = [
        (ROOT / "src/durvan/dialects/preview" / name).read_bytes()
        for name in ("pack.yaml", "vocabulary.yaml", "mapping.yaml")
    ]
    return {
        "stage": [SMALL.encode(), stage, *carried, *(p.read_bytes() for p in room), demo[:30_000]], "network": [SMALL.encode(), stage, *carried],
        "crossing": crossings, "pack": packs, "picture": kept, "name": [SMALL.encode()],
    }  # fmt: skip


def commands(*arguments: str) -> None:
    """One command, as the command line runs it, but that what it raises comes out."""
    from durvan.cli.main import app
    from durvan.errors import DurvanError

    with contextlib.redirect_stdout(io.StringIO()), contextlib.redirect_stderr(io.StringIO()):
        try:
            app(list(arguments), standalone_mode=False)
        except (DurvanError, SystemExit):
            pass
        except Exception as problem:
            if type(problem).__module__.startswith(("click", "typer")):
                return
            raise


def try_stage(r: random.Random, right: dict[str, list[bytes]], folder: Path) -> None:
    base = r.choice(right["stage"])
    file = folder / "scene.usda"
    file.write_bytes(spoilt(base, r, right["stage"]))
    target = r.choice(("pellune", "openpbr", "preview", "orvik"))
    what = r.randrange(5)
    if what == 0:
        commands("files", str(file), "--json")
    elif what == 1:
        commands(
            "carry",
            str(file),
            "--to",
            target,
            "--out",
            str(folder / "out.usda"),
            *(["--alone"] if r.random() < 0.5 else []),
        )
    elif what == 2:
        commands("record", str(file), "--to", target, "--out", str(folder / "r.html"), "--no-pictures")
    elif what == 3:
        commands("relink", str(file), "--root", str(folder), "--dry-run")
    else:
        commands("survey", str(file), "--to", target, *(["--json"] if r.random() < 0.5 else []))


def try_network(r: random.Random, right: dict[str, list[bytes]], folder: Path) -> None:
    """A spoilt network, as far as its looks: traced, put into a world, and its first rays shot."""
    from durvan.crossing.job.session import start
    from durvan.crossing.looks.appearance import Appearance, materials
    from durvan.dialects.registry import registry
    from durvan.errors import DurvanError

    file = folder / "scene.usda"
    file.write_bytes(spoilt(r.choice(right["network"]), r, right["network"]))
    try:
        session = start(file, registry(), r.choice(("pellune", "openpbr", "preview")))
        seen = Appearance(session.scene, session.registry)
        for thing in materials(session.scene, session.plan.translations)[:2]:
            seen.guess(thing, session.plan.translations[thing.id])
    except DurvanError:
        pass


def try_crossing(r: random.Random, right: dict[str, list[bytes]], folder: Path) -> None:

    (folder / "scene.usda").write_text(SMALL, encoding="utf-8")
    file = folder / "c.durvan"
    file.write_bytes(spoilt(r.choice(right["crossing"]), r, right["crossing"]))
    if r.random() < 0.5:
        commands("survey", str(file))
    else:
        commands(
            "carry",
            str(file),
            "--to",
            "pellune",
            "--out",
            str(folder / "out.usda"),
            "--save",
            str(folder / "again.durvan"),
        )


def try_pack(r: random.Random, right: dict[str, list[bytes]], folder: Path) -> None:
    from durvan.dialects.conformance import check
    from durvan.dialects.registry import read
    from durvan.errors import DurvanError

    place = folder / "packs" / "mine"
    place.mkdir(parents=True)
    which = r.randrange(3)
    for number, name in enumerate(("pack.yaml", "vocabulary.yaml", "mapping.yaml")):
        data = right["pack"][number].replace(b"name: preview", b"name: mine")
        (place / name).write_bytes(spoilt(data, r, right["pack"]) if number == which else data)
    try:
        found = read(folder / "packs")
        if "mine" in found.packs:
            check(found.packs["mine"])
    except DurvanError:
        pass


def try_picture(r: random.Random, right: dict[str, list[bytes]], folder: Path) -> None:

    ending, _, data = r.choice(right["picture"]).partition(b"\n")
    name = f"t.{ending.decode()}"
    (folder / name).write_bytes(spoilt(data, r, [data]))
    node = f'def Shader "map"\n{{\nuniform token info:id = "orvik.picture"\nasset inputs:file = @{name}@\ncolor3f outputs:colour\n}}\n'
    text = SMALL.replace('def Shader "finish"', node + 'def Shader "finish"', 1)
    text = text.replace(
        'uniform token info:id = "orvik.finish"',
        'uniform token info:id = "orvik.finish"\ncolor3f inputs:base_tint.connect = </W/Paint/map.outputs:colour>',
        1,
    )
    (folder / "scene.usda").write_text(text, encoding="utf-8")
    if r.random() < 0.5:
        commands("files", str(folder / "scene.usda"))
    else:
        commands("prepare", str(folder / "scene.usda"), "--out", str(folder / "tx"))


def try_name(r: random.Random, right: dict[str, list[bytes]], folder: Path) -> None:
    name = r.choice(NAMES)
    place = os.fsencode(str(folder)) + b"/" + os.fsencode(name if r.random() < 0.7 else name + "\udc80")
    with contextlib.suppress(OSError, ValueError):
        with open(place + b".usda", "wb") as out:  # noqa: PTH123 - a name of bytes
            out.write(right["name"][0])
    text = os.fsdecode(place + b".usda")
    what = r.randrange(4)
    if what == 0:
        commands("survey", text)
    elif what == 1:
        commands("carry", text, "--to", "pellune", "--out", str(folder / (name + ".usda")))
    elif what == 2:
        commands("survey", str(folder / "x.usda"), "--to", name, "--scope", name)
    else:
        commands("record", text, "--out", str(folder / (name + ".html")), "--no-pictures")


TRIES: dict[str, Callable[[random.Random, dict[str, list[bytes]], Path], None]] = {
    "stage": try_stage, "network": try_network, "crossing": try_crossing, "pack": try_pack, "picture": try_picture, "name": try_name,
}  # fmt: skip


def main() -> None:
    """Try one seed after the other as they are told on the way in."""
    with tempfile.TemporaryDirectory() as name:
        right = seeds(Path(name))
        sys.stdout.write("ready\n")
        sys.stdout.flush()
        told = sys.stdout
        for line in sys.stdin:
            seed = int(line)
            r = random.Random(seed)
            kind = r.choices(KINDS, SHARES)[0]
            folder = Path(tempfile.mkdtemp(dir=name))
            here = str(Path.cwd())
            try:
                os.chdir(folder)
                TRIES[kind](r, right, folder)
                answer = {"seed": seed, "kind": kind, "well": True}
            except BaseException as problem:  # noqa: BLE001 - that is what is looked for
                answer = {
                    "seed": seed,
                    "kind": kind,
                    "well": False,
                    "what": "".join(traceback.format_exception(problem))[-2500:],
                }
            finally:
                os.chdir(here)
                shutil.rmtree(folder, ignore_errors=True)
            told.write(json.dumps(answer) + "\n")
            told.flush()


if __name__ == "__main__":
    main()
