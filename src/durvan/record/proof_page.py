"""Two pictures held against each other as one self-contained web page: both, what is between them, why, and the target without its causes."""

from __future__ import annotations

import re
from collections.abc import Iterable
from functools import cache
from pathlib import Path

import numpy as np
from jinja2 import Environment, PackageLoader, StrictUndefined, Template
from numpy.typing import NDArray

import durvan
from durvan.formats.pictures import png
from durvan.proof.causes.analysis import NOISE, Analysis
from durvan.proof.causes.model import EXPOSURE, RESPONSE, WHITE
from durvan.proof.causes.saying import told
from durvan.proof.looking import lens, tones, ways
from durvan.proof.looking.lens import Frame, Levels, Screen, Toned
from durvan.proof.looking.pair import Look, Pair
from durvan.proof.mending import predicted
from durvan.record.page import inside

_WIDEST = 960  # pixels of a picture on the page
_MENDED = 3  # causes whose absence is pictured
_SHOWN = (ways.COLOUR, ways.STOPS, ways.FLIP, ways.HUE)
_PATH = re.compile(r"(?<!\S)/[^\s,;:)]+")


@cache
def _template() -> Template:
    environment = Environment(
        loader=PackageLoader("durvan.record", "."),
        autoescape=True,
        undefined=StrictUndefined,
        trim_blocks=True,
        lstrip_blocks=True,
    )
    return environment.get_template("proof.html")


def proof_page(
    files: tuple[Path, Path], pair: Pair, found: Analysis, remarks: Iterable[str], beyond_noise: float
) -> str:
    """The page; `beyond_noise` is in stops. Every text of the files is escaped. Raises OSError where no picture can be made."""
    return _template().render(
        source=files[0], target=files[1], size=pair.size, apart=found.apart, beyond=beyond_noise, remarks=list(remarks),
        parts=_parts(found), sentences=[_sentence(told(one)) for one in found.causes] or ["Nothing is otherwise than by noise."],
        pictures=[(name, _picture(levels)) for name, levels in zip(("source", "target"), pair.pictures(), strict=True)],
        maps=[_map(pair, way) for way in _SHOWN], mended=_mended(pair, found), numbers=_numbers(pair), durvan=durvan.__version__,
    )  # fmt: skip


def _parts(found: Analysis) -> list[tuple[str, float, bool]]:
    """The bar: names, shares, and which of them are no causes."""
    words = {EXPOSURE: "exposure", WHITE: "white balance", RESPONSE: "response"}
    out = [
        (words.get(one.kind) or one.name.rpartition("/")[2] or one.kind, one.share, False)
        for one in found.causes
        if one.kind != NOISE
    ]
    return [
        one
        for one in (*out, ("noise", found.noise, True), ("unexplained", found.unexplained, True))
        if one[1] >= 0.0005
    ]


def _sentence(text: str) -> str:
    said = _PATH.sub(lambda path: path.group().rpartition("/")[2], text)
    return f"{said[:1].upper()}{said[1:]}."


def _size(pair_size: tuple[int, int]) -> tuple[int, int]:
    shrink = min(1.0, _WIDEST / pair_size[0])
    return max(1, round(pair_size[0] * shrink)), max(1, round(pair_size[1] * shrink))


def _address(screen: Screen) -> str:
    channels: NDArray[np.float64] = np.stack([(screen >> shift) & 255 for shift in (16, 8, 0)], axis=-1) / 255.0
    return inside(png(channels))


def _picture(levels: Levels) -> str:
    size = _size(levels.size)
    return _address(
        lens.picture(levels, Frame.fitting(levels.size, size), size, Toned(tones.display_table()), 0xFF969696)
    )


def _map(pair: Pair, way: str) -> tuple[str, str]:
    scale, size = ways.BY_NAME[way].scale, _size(pair.size)
    assert scale is not None
    levels = pair.between(way, Look())
    shown = lens.measured(
        levels, Frame.fitting(pair.size, size), size, scale.table(), (scale.low, scale.high), 0xFF969696
    )
    return f"{way}, {scale.low:g} to {scale.high:g} {scale.unit}: {ways.BY_NAME[way].meaning}", _address(shown)


def _mended(pair: Pair, found: Analysis) -> list[tuple[str, str]]:
    out = []
    for cause in found.causes[:_MENDED]:
        rgb = predicted(pair.source, pair.target, cause)
        if rgb is not None:
            out.append((f"without: {_sentence(told(cause))}", _picture(Levels.of(rgb))))
    return out


def _numbers(pair: Pair) -> list[tuple[str, str, str]]:
    """What is measured over all of it."""
    whole = pair.region(0, 0, *pair.size)
    return [
        ("luminance of the target against the source", f"{whole.stops:+.3f}", "stops"), ("colour difference, mean", f"{whole.colour:.2f}", "CIEDE2000"),
        ("colour difference, worst 5 %", f"{whole.colour_95:.2f}", "CIEDE2000"), ("FLIP, mean", f"{whole.flip:.4f}", "0 to 1"),
        ("noise of the source", f"{whole.noise[0]:.3f}", "stops"), ("noise of the target", f"{whole.noise[1]:.3f}", "stops"),
        ("pixels at white or over, source and target", f"{whole.clipped[0]}, {whole.clipped[1]}", f"of {whole.count}"),
        ("pixels that are no numbers, source and target", f"{whole.wild[0]}, {whole.wild[1]}", ""),
    ]  # fmt: skip
