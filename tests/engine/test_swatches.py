"""Swatches and drift: exposed as they promise, repeatable, kept, and sure of themselves."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

import small
from durvan.dialects.look import Lobe, Surface, record
from durvan.engine import drift, swatches
from durvan.graph import expression as ex
from durvan.optics.lobes import layout as L
from durvan.scene.drift import grade


def red(alpha: float = 0.09, tint: float = 1.0):
    top = Lobe(L.REFLECT, tint, alpha, fresnel=L.DIELECTRIC, first=1.5, cover=L.SCALED)
    return record(Surface([top, Lobe(L.DIFFUSE, (0.6, 0.1, 0.1), under=top)]))


def measured(one, two, folder: Path | None = None):
    return drift.between(one, two, drift.Makers(folder))


def test_an_18_percent_grey_lands_on_18_percent() -> None:
    maker = swatches.Maker(small.matt(0.18))
    maker.to(16)
    seen = maker.swatch()
    tile = seen.mask.copy()
    tile[: swatches.SIZE * 3 // 4] = False  # what lies in front, under the ball
    for picture in seen.pictures:
        assert np.median(picture[tile][:, 1]) == pytest.approx(0.18, rel=0.06)
    assert 0.2 < seen.mask.mean() < 0.6


def test_a_look_against_itself_is_exactly_nothing() -> None:
    found = measured(red(), red())
    assert (found.mean, found.worst, found.noise) == (0.0, 0.0, 0.0)


def test_two_ways_to_say_one_look_are_hardly_apart() -> None:
    """The same metal by Schlick's law and by no law at all; the same matt surface in two layers and in one."""
    constant = record(Surface([Lobe(L.REFLECT, (0.9, 0.9, 0.9), 0.2)]))
    bent = record(Surface([Lobe(L.REFLECT, 0.9, 0.2, fresnel=L.SCHLICK, first=0.999999, second=1.0)]))
    assert measured(constant, bent).mean < 0.2
    one = small.matt(0.4, 0.3, 0.2)
    two = record(Surface([Lobe(L.DIFFUSE, (0.3, 0.1, 0.15)), Lobe(L.DIFFUSE, (0.1, 0.2, 0.05))]))
    assert measured(one, two).mean < 0.2


def test_drift_is_repeatable_sure_and_grows_with_the_difference() -> None:
    first = measured(red(), red(0.12))
    assert first == measured(red(), red(0.12))
    assert first.settled and first.noise <= 0.15
    assert 0.0 < first.mean < measured(red(), red(0.3)).mean
    assert first.worst >= first.mean and first.lighting in swatches.LIGHTINGS


def test_sharp_lobes_get_more_samples_until_they_are_sure() -> None:
    polished = record(Surface([Lobe(L.REFLECT, (0.9, 0.7, 0.3), 0.02)]))
    duller = record(Surface([Lobe(L.REFLECT, (0.9, 0.7, 0.3), 0.04, facets=L.BECKMANN)]))
    found = measured(polished, duller)
    assert found.noise <= 0.15 and found.samples > 4


def test_what_was_measured_is_known_again(tmp_path: Path) -> None:
    found = measured(red(), red(0.2), tmp_path)
    assert measured(red(), red(0.2), tmp_path) == found
    kept = swatches.Maker(red(), tmp_path)
    assert kept.samples == found.samples
    kept.file.write_bytes(b"not a picture")
    assert swatches.Maker(red(), tmp_path).samples == 0
    kept.keep()
    kept.file.write_bytes(kept.file.read_bytes()[:2000])  # cut off, as on a full disk
    assert swatches.Maker(red(), tmp_path).samples == 0
    for note in (tmp_path / "drift").rglob("*.json"):
        note.write_text("{")
    assert measured(red(), red(0.2), tmp_path).mean == pytest.approx(found.mean, rel=1e-5)


def test_going_on_gives_what_going_through_gives() -> None:
    whole, parts = swatches.Maker(red()), swatches.Maker(red())
    whole.to(4)
    for level in (1, 2, 3, 4):
        parts.to(level)
    assert whole.swatch().pictures == pytest.approx(parts.swatch().pictures, rel=1e-5)
    assert not parts.to(8, stop=lambda: True) and parts.samples == 4
    parts.to(8)
    whole.to(8)
    assert whole.swatch().pictures == pytest.approx(parts.swatch().pictures, rel=1e-5)


def test_the_key_follows_the_look_and_its_pictures(tmp_path: Path) -> None:
    picture = tmp_path / "p.png"
    picture.write_bytes(b"one")

    def mapped(path: Path):
        return record(Surface([Lobe(L.DIFFUSE, ex.picture(ex.Lookup(str(path)), ex.uv())[0])]))

    first = swatches.fingerprint(mapped(picture))
    assert first == swatches.fingerprint(mapped(picture)) != swatches.fingerprint(mapped(tmp_path / "q.png"))
    picture.write_bytes(b"another one")
    assert swatches.fingerprint(mapped(picture)) != first
    assert swatches.fingerprint(red()) != swatches.fingerprint(red(0.1))


def test_the_oldest_swatches_go_first(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    import os

    for number in range(4):
        file = tmp_path / f"{number}0" / f"{number}.npz"
        file.parent.mkdir()
        file.write_bytes(b"x" * 100)
        os.utime(file, (number, number))
    monkeypatch.setattr(swatches, "_CACHE_BYTES", 250)
    swatches.tidy(tmp_path)
    assert sorted(f.stem for f in tmp_path.glob("*/*.npz")) == ["2", "3"]


def test_progress_comes_level_by_level() -> None:
    seen = [swatch.samples for _, swatch in zip(range(3), swatches.progressive(red()), strict=False)]
    assert seen == [1, 2, 4]


@pytest.mark.parametrize(
    ("drift_", "word"),
    [(0.0, "the same"), (0.7, "not seen"), (1.5, "seen side by side"), (3.0, "seen"), (9.0, "another look")],
)
def test_grades(drift_: float, word: str) -> None:
    assert grade(drift_) == word
