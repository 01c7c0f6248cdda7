"""Two pictures held against each other, on the command line."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Any

from rich.console import Console

from durvan.cli.printing import told
from durvan.progress import Report, Step
from durvan.proof.causes.analysis import NOISE, Analysis, Cause, analyse
from durvan.proof.causes.model import RESPONSE
from durvan.proof.causes.saying import lines
from durvan.proof.looking.pair import Pair
from durvan.proof.picture import Picture
from durvan.proof.reading import LIGHTS, Opened, open_ids, open_picture, with_ids
from durvan.proof.responses import straightened
from durvan.proof.sizes import of_one_size
from durvan.record.proof_page import proof_page


class Compared:
    """Two files, and what of their difference is whose."""

    def __init__(
        self, source: Path, target: Path, lights: str, report: Report, ids: Path | None = None, as_they_are: bool = False,
        spaces: tuple[str, str] = ("", ""),
    ) -> None:  # fmt: skip
        report(Step("Reading the pictures"))
        self.files = (source, target)
        first, second = (
            open_picture(file, lights or LIGHTS, space) for file, space in zip(self.files, spaces, strict=True)
        )
        if ids is not None:
            known = open_ids(ids)
            first, second = with_ids(first, known, ids), with_ids(second, known, ids)
            first.remarks += known.remarks
        self.opened: tuple[Opened, Opened] = (first, second)
        self.pair = Pair(*_straight(first, second, as_they_are))
        self.size = self.pair.size
        report(Step("Looking for causes"))
        self.found: Analysis = analyse(*self.pair.sides)

    def remarks(self) -> list[str]:
        """What is to be said of how both were read."""
        return [
            f"{file.name} {remark}"
            for file, opened in zip(self.files, self.opened, strict=True)
            for remark in opened.remarks
        ]

    def page(self) -> str:
        """All of it as a web page."""
        return proof_page(self.files, self.pair, self.found, self.remarks(), self.beyond_noise)

    @property
    def beyond_noise(self) -> float:
        """How far both are apart by anything but noise: the root of the mean square, in stops."""
        return self.found.apart * math.sqrt(max(1.0 - self.found.noise, 0.0))

    def tell(self, console: Console) -> None:
        """Say it."""
        source, target = (told(file.name) for file in self.files)
        console.print(f"[bold]{source}[/] → [bold]{target}[/], {self.size[0]} × {self.size[1]} pixels")
        for remark in self.remarks():
            console.print(told(remark))
        console.print(f"\n{self.found.apart:.3f} stops apart, {self.beyond_noise:.3f} beyond noise")
        for line in lines(self.found):
            console.print(f"  {told(line)}")

    def data(self) -> dict[str, Any]:
        """The same as data; stops are those by which the target must be changed to be the source."""
        return {
            "source": str(self.files[0]), "target": str(self.files[1]), "width": self.size[0], "height": self.size[1],
            "remarks": {str(file): opened.remarks for file, opened in zip(self.files, self.opened, strict=True)},
            "apart_stops": self.found.apart, "beyond_noise_stops": self.beyond_noise,
            "causes": [_cause(one) for one in self.found.causes],
            "noise": self.found.noise, "unexplained": self.found.unexplained,
        }  # fmt: skip


def _straight(first: Opened, second: Opened, as_they_are: bool) -> tuple[Picture, Picture]:
    """Both pictures of one size, without a response that one of them has burnt in."""
    one, two = of_one_size(first, second)
    if as_they_are:
        return one, two
    one, two, found = straightened(one, two)
    if found is not None:
        (first if found.side == "source" else second).remarks.append(found.told)
    return one, two


def _cause(one: Cause) -> dict[str, Any]:
    data: dict[str, Any] = {"kind": one.kind, "name": one.name, "share": one.share}
    if one.stops is not None:
        data["stops"] = [float(part) for part in one.stops]
    if one.stance is not None:
        data["shift_pixels"] = [one.stance.shift.right, one.stance.shift.down]
        data |= {"turned_degrees": one.stance.roll, "times_as_large": one.stance.larger}
        if one.stance.elsewhere:
            data["far_and_near_pixels"] = list(one.stance.reach())
    if one.kind == RESPONSE:
        data["exponent"] = 1.0 / one.exponent
    if one.kind == NOISE:
        data["variance_ratio"] = one.ratio
    if one.instead is not None:
        data |= {"part": one.instead.share, "source_shows": one.instead.source, "target_shows": one.instead.target}
    if one.flat:
        data["without_detail"] = one.flat
    if one.follows:
        data["with_it"] = list(one.follows)
    return data
