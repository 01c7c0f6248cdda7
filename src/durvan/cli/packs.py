"""The commands for a dialect pack of one's own: a first one from definitions, and the check of it."""

from __future__ import annotations

from dataclasses import asdict
from pathlib import Path
from typing import Annotated

import typer

from durvan.cli.printing import plain_console, print_json, told
from durvan.cli.statuses import CLEAN, MISUSE, AsJson
from durvan.dialects.checking import check_folder
from durvan.dialects.registry import parents, shared_part
from durvan.dialects.skeleton import NAME, skeleton
from durvan.errors import MisuseError
from durvan.formats.wordlists import read_words

dialect = typer.Typer(help="Write a dialect pack of your own, and check it.", no_args_is_help=True)


@dialect.command("new")
def new_dialect(
    name: Annotated[str, typer.Argument(help="What it is called, in small letters.", show_default=False)],
    from_: Annotated[
        Path, typer.Option("--from", help="MaterialX node definitions (.mtlx), or USD shader definitions.")
    ],
    out: Annotated[
        Path | None, typer.Option("--out", help="The folder to make; by default one of that name here.")
    ] = None,
) -> None:
    """Make a first pack from a renderer's own definitions: words taken over, correspondences proposed, with how sure each is."""
    if not NAME.fullmatch(name):
        raise MisuseError(
            f"'{name}' is no name for a dialect.", advice="Small letters, digits and _, beginning with a letter."
        )
    folder = out if out is not None else Path(name)
    if folder.exists():
        raise MisuseError("is there already.", file=folder, advice="Choose another folder with --out.")
    files = skeleton(name, read_words(from_), from_.name)
    folder.mkdir(parents=True)
    for file, text in files.items():
        (folder / file).write_text(text, encoding="utf-8")
    proposed, waiting = files["mapping.yaml"].count("# proposed"), files["mapping.yaml"].count("Not decided yet.")
    found = check_folder(folder, shared_part, parents())
    console = plain_console()
    console.print(f"Wrote {told(str(folder))}: {proposed} correspondences proposed, {waiting} waiting for you.")
    for one in found:
        console.print(told(str(one)), soft_wrap=True)
    raise typer.Exit(CLEAN)


@dialect.command("check")
def check_dialect(
    folder: Annotated[Path, typer.Argument(help="The folder of a pack.", show_default=False)], as_json: AsJson = False
) -> None:
    """Check a folder's pack: every message names the file, the line and what to do. No code of the folder is run."""
    if not folder.is_dir():
        raise MisuseError("is no folder.", file=folder, advice="Name the folder that pack.yaml lies in.")
    found = check_folder(folder, shared_part, parents())
    if as_json:
        print_json({"folder": str(folder), "problems": [asdict(one) for one in found]})
    else:
        console = plain_console()
        for one in found:
            console.print(told(str(one)), soft_wrap=True)
        console.print(f"{len(found)} problem{'s' if len(found) != 1 else ''}." if found else "It conforms.")
    raise typer.Exit(MISUSE if found else CLEAN)
