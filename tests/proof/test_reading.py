"""Pictures with all that is known of them, written and read, and those of other programs."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import OpenImageIO as oiio
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.errors import PictureError
from durvan.formats.layers import open_layers
from durvan.proof import cryptomatte, reading, sizes, writing
from durvan.proof.picture import Picture
from durvan.proof.reading import open_picture
from durvan.proof.sizes import of_one_size
from proof.made import HEIGHT, LIGHTS, MATERIALS, WIDTH, picture


def murmur3(data: bytes) -> int:
    """MurmurHash3, 32 bits, seed 0, as its author published it: another one than the library's, to hold that against."""
    h = 0
    for at in range(0, len(data) - len(data) % 4, 4):
        k = int.from_bytes(data[at : at + 4], "little") * 0xCC9E2D51 & 0xFFFFFFFF
        k = (k << 15 | k >> 17) * 0x1B873593 & 0xFFFFFFFF
        h ^= k
        h = ((h << 13 | h >> 19) * 5 + 0xE6546B64) & 0xFFFFFFFF
    tail = data[len(data) - len(data) % 4 :]
    if tail:
        k = int.from_bytes(tail, "little") * 0xCC9E2D51 & 0xFFFFFFFF
        h ^= (k << 15 | k >> 17) * 0x1B873593 & 0xFFFFFFFF
    h ^= len(data)
    h = (h ^ h >> 16) * 0x85EBCA6B & 0xFFFFFFFF
    h = (h ^ h >> 13) * 0xC2B2AE35 & 0xFFFFFFFF
    return h ^ h >> 16


def write(
    file: Path, layers: dict[str, np.ndarray], header: dict[str, object] | None = None, window: tuple[int, ...] = ()
) -> Path:
    """A file of one part, as many programs write it: layers by the names of their channels."""
    names, values = [], []
    for name, layer in layers.items():
        letters = {1: "Y", 2: "XY", 3: "RGB", 4: "RGBA"}[layer.shape[2]]
        names += [f"{name}.{letter}" if name else letter for letter in letters]
        values.append(layer)
    whole = np.ascontiguousarray(np.concatenate(values, axis=2), dtype=np.float32)
    spec = oiio.ImageSpec(whole.shape[1], whole.shape[0], whole.shape[2], "float")
    spec.channelnames = tuple(names)
    if window:
        spec.x, spec.y, spec.full_x, spec.full_y, spec.full_width, spec.full_height = window
    for key, value in (header or {}).items():
        spec.attribute(key, value)
    out = oiio.ImageOutput.create(str(file))
    assert out.open(str(file), spec) and out.write_image(whole) and out.close()
    return file


COLOUR = np.random.default_rng(0).random((12, 20, 3)).astype(np.float32)


def test_a_picture_comes_back_with_all_that_is_known_of_it(tmp_path: Path) -> None:
    made = picture()
    normal = np.random.default_rng(1).normal(size=(HEIGHT, WIDTH, 3)).astype(np.float32)
    writing.save(made, tmp_path / "a.exr", {"normal": normal}, {"samples": 64})
    opened = open_picture(tmp_path / "a.exr")
    again = opened.picture
    assert opened.remarks == [] and again.size == (WIDTH, HEIGHT) and tuple(again.lights) == LIGHTS
    assert np.array_equal(again.rgb, made.rgb)
    assert made.variance is not None and again.variance is not None and np.array_equal(again.variance, made.variance)
    for name in LIGHTS:
        assert again.lights[name]() == pytest.approx(made.lights[name]())
    assert made.materials is not None and again.materials is not None and again.objects is None
    assert sorted(again.materials.names) == sorted(MATERIALS)
    shown = np.array(again.materials.names)[again.materials.numbers]
    assert np.array_equal(shown, np.array(made.materials.names)[made.materials.numbers])
    layered = open_layers(tmp_path / "a.exr")
    assert np.array_equal(layered.read("normal"), normal)
    assert json.loads(layered.attributes[writing.MADE]) == {"samples": 64}


@given(st.text(min_size=0, max_size=40))
def test_ids_are_the_hashes_of_the_specification(name: str) -> None:
    said = murmur3(name.encode("utf-8"))
    assert cryptomatte.hash_of(name) == said
    bits = cryptomatte.id_of(name)
    assert (bits >> 23) & 255 not in (0, 255) and bits in (said, said ^ (1 << 23))
    assert np.isfinite(np.array([bits], np.uint32).view(np.float32)[0])


def ids_file(file: Path, manifest: str | None, cover: float = 1.0) -> Path:
    """Two names in halves of a picture, the right one over a share of the left one's."""
    names = ("/Set/hull", "paint é")
    values = np.zeros((12, 20, 4), np.float32)
    bits = np.array([cryptomatte.id_of(name) for name in names], np.uint32).view(np.float32)
    values[:, :10] = (bits[0], 1.0, 0.0, 0.0)
    values[:, 10:] = (bits[0], 1.0 - cover, bits[1], cover)
    key = f"cryptomatte/{cryptomatte.key_of('CryptoMaterial')}"
    header: dict[str, object] = {f"{key}/name": "CryptoMaterial"}
    if manifest is not None:
        header[f"{key}/manifest"] = manifest
    return write(file, {"": COLOUR, "CryptoMaterial00": values}, header)


def good_manifest() -> str:
    return json.dumps({name: f"{cryptomatte.id_of(name):08x}" for name in ("/Set/hull", "paint é")})


@pytest.mark.parametrize("cover", [1.0, 0.7])
def test_the_id_that_covers_most_is_seen(tmp_path: Path, cover: float) -> None:
    found = open_picture(ids_file(tmp_path / "i.exr", good_manifest(), cover)).picture.materials
    assert found is not None
    shown = np.array(found.names)[found.numbers]
    assert (shown[:, :10] == "/Set/hull").all() and (shown[:, 10:] == "paint é").all()


@pytest.mark.parametrize(
    ("manifest", "said"),
    [
        (None, "there is no manifest"), ("{not json", "cannot be read"), ('["a"]', "cannot be read"),
        ('{"other": "00ff00ff"}', "2 ids of CryptoMaterial are not in its manifest"),
    ],
)  # fmt: skip
def test_ids_without_names_are_called_by_their_numbers(tmp_path: Path, manifest: str | None, said: str) -> None:
    opened = open_picture(ids_file(tmp_path / "i.exr", manifest))
    assert said in opened.remarks[0] and opened.picture.materials is not None
    assert f"{cryptomatte.id_of('/Set/hull'):08x}" in opened.picture.materials.names


@pytest.mark.parametrize(
    ("layer", "light"),
    [
        ("light_key", "key"), ("Light:/Set/Lamp", "/Set/Lamp"), ("lightgroup.rim", "rim"), ("lg_fill", "fill"),
        ("window light", "window"), ("lights/3", "3"),
    ],
)  # fmt: skip
def test_layers_of_lights_are_known_by_their_names(tmp_path: Path, layer: str, light: str) -> None:
    file = write(tmp_path / "l.exr", {"": COLOUR, layer: 0.5 * COLOUR, "albedo": COLOUR, "emission": 0.1 * COLOUR})
    found = open_picture(file).picture
    assert list(found.lights) == [light, "emission"]
    assert np.array_equal(found.lights[light](), 0.5 * COLOUR)


def test_a_pattern_of_ones_own_tells_other_names(tmp_path: Path) -> None:
    file = write(tmp_path / "l.exr", {"": COLOUR, "RGBA_key": COLOUR, "light_a": COLOUR})
    assert list(open_picture(file, r"RGBA_(?P<name>.+)").picture.lights) == ["key"]
    with pytest.raises(PictureError, match="pattern for lights"):
        open_picture(file, "(")


def test_a_data_window_lies_in_its_picture(tmp_path: Path) -> None:
    """Overscan is cut off, and what is not there is black."""
    file = write(tmp_path / "w.exr", {"": COLOUR}, window=(-4, 3, 0, 0, 30, 10))
    found = open_picture(file).picture
    assert found.size == (30, 10)
    assert (
        np.array_equal(found.rgb[3:, :16], COLOUR[:7, 4:]) and not found.rgb[:3].any() and not found.rgb[:, 16:].any()
    )


def test_channels_in_any_order_and_grey_ones(tmp_path: Path) -> None:
    spec = oiio.ImageSpec(20, 12, 3, "float")
    spec.channelnames = ("B", "G", "R")
    out = oiio.ImageOutput.create(str(tmp_path / "b.exr"))
    assert out.open(str(tmp_path / "b.exr"), spec) and out.write_image(np.ascontiguousarray(COLOUR[..., ::-1]))
    out.close()
    assert np.array_equal(open_picture(tmp_path / "b.exr").picture.rgb, COLOUR)
    grey = open_picture(write(tmp_path / "g.exr", {"": COLOUR[..., :1]})).picture.rgb
    assert np.array_equal(grey, np.repeat(COLOUR[..., :1], 3, axis=2))


def test_whole_numbers_are_display_values(tmp_path: Path) -> None:
    from durvan.formats.pictures import save

    save(tmp_path / "a.png", COLOUR)
    opened = open_picture(tmp_path / "a.png")
    assert "display values" in opened.remarks[0]
    assert opened.picture.rgb == pytest.approx(reading.linear(np.round(COLOUR * 255) / 255), abs=1e-5)


def test_pixels_that_are_no_squares_are_told(tmp_path: Path) -> None:
    opened = open_picture(write(tmp_path / "p.exr", {"": COLOUR}, {"PixelAspectRatio": 2.0}))
    assert opened.remarks == [] and opened.pixel_aspect == 2.0


def test_pixels_that_are_no_numbers_are_counted(tmp_path: Path) -> None:
    wild = COLOUR.copy()
    wild[0, :3] = np.nan
    wild[5, 5, 1] = np.inf
    assert "4 pixels are no numbers" in open_picture(write(tmp_path / "n.exr", {"": wild})).remarks[0]


def test_what_cannot_be_read_says_why(tmp_path: Path) -> None:
    whole = write(tmp_path / "a.exr", {"": np.random.default_rng(0).random((200, 200, 3)).astype(np.float32)})
    cut = tmp_path / "cut.exr"
    cut.write_bytes(whole.read_bytes()[:60_000])
    text = tmp_path / "text.exr"
    text.write_text("no picture")
    spec = oiio.ImageSpec(30_000, 30_000, 1, "uint8")
    spec.attribute("compression", "zip")
    large = tmp_path / "large.tif"
    out = oiio.ImageOutput.create(str(large))
    assert out.open(str(large), spec)
    for row in range(0, 30_000, 1000):
        out.write_scanlines(row, row + 1000, 0, np.zeros((1000, 30_000, 1), np.uint8))
    out.close()
    for file, said in (
        (cut, "cannot be read"), (text, "cannot be read as a picture"), (large, "too large to be compared: 30000 × 30000"),
        (tmp_path / "none.exr", "there is no such file"), (tmp_path, "is a folder"),
    ):  # fmt: skip
        with pytest.raises(PictureError, match=said) as problem:
            open_picture(file)
        assert str(file) in str(problem.value)


def test_a_deep_picture_is_refused_with_that_word(tmp_path: Path) -> None:
    spec = oiio.ImageSpec(4, 4, 5, "float")
    spec.channelnames = ("R", "G", "B", "A", "Z")
    spec.deep = True
    data = oiio.DeepData()
    data.init(spec)
    out = oiio.ImageOutput.create(str(tmp_path / "d.exr"))
    assert out.open(str(tmp_path / "d.exr"), spec) and out.write_deep_image(data) and out.close()
    with pytest.raises(PictureError, match="deep picture"):
        open_picture(tmp_path / "d.exr")


def test_a_larger_one_of_the_same_shape_is_brought_down(tmp_path: Path) -> None:
    small = open_picture(write(tmp_path / "s.exr", {"": COLOUR, "light_a": COLOUR}))
    big = np.repeat(np.repeat(COLOUR, 3, axis=0), 3, axis=1)
    large = open_picture(write(tmp_path / "b.exr", {"": big, "light_a": big}))
    one, two = of_one_size(large, small)
    assert one.size == two.size == (20, 12) and "20 × 12" in large.remarks[-1]
    assert one.rgb == pytest.approx(COLOUR, abs=1e-6) and one.lights["a"]() == pytest.approx(COLOUR, abs=1e-6)
    assert of_one_size(small, large)[1].rgb == pytest.approx(COLOUR, abs=1e-6)


@given(st.integers(3, 40), st.integers(3, 40), st.floats(0.3, 1.0))
def test_bringing_down_keeps_the_mean(width: int, height: int, by: float) -> None:
    values = np.random.default_rng(width * 41 + height).random((height, width, 3)).astype(np.float32)
    size = (max(1, round(width * by)), max(1, round(height * by)))
    made = sizes._averaged(values, size)
    assert made.shape == (size[1], size[0], 3) and made.mean() == pytest.approx(values.mean(), rel=1e-4)


def test_pictures_of_other_shapes_are_not_compared() -> None:
    one, two = (reading.Opened(Picture(np.zeros(shape, np.float32))) for shape in ((10, 20, 3), (20, 20, 3)))
    with pytest.raises(PictureError, match="20 × 10 and 20 × 20"):
        of_one_size(one, two)


ACESCG = (0.713, 0.293, 0.165, 0.83, 0.128, 0.044, 0.32168, 0.33767)
RED = np.tile(np.float32([0.6131, 0.0702, 0.0206]), (6, 8, 1))  # a Rec.709 red in ACEScg


def test_other_primaries_are_read_by_the_header(tmp_path: Path) -> None:
    file = tmp_path / "p.exr"
    spec = oiio.ImageSpec(8, 6, 3, "float")
    spec.attribute("chromaticities", oiio.TypeDesc("float[8]"), ACESCG)
    out = oiio.ImageOutput.create(str(file))
    assert out.open(str(file), spec) and out.write_image(RED) and out.close()
    opened = open_picture(file)
    assert opened.remarks == ["holds values of ACEScg, as it says"]
    assert opened.picture.rgb[0, 0] == pytest.approx([1.0, 0.0, 0.0], abs=2e-3)
    assert reading.glance(file).picture.rgb == pytest.approx(opened.picture.rgb)


def test_a_space_that_a_person_states_counts(tmp_path: Path) -> None:
    file = write(tmp_path / "p.exr", {"": RED})
    assert open_picture(file).remarks == []
    stated = open_picture(file, space="lin_ap1")
    assert stated.picture.rgb[0, 0] == pytest.approx([1.0, 0.0, 0.0], abs=2e-3) and "lin_ap1" in stated.remarks[0]
    with pytest.raises(PictureError, match="no colour space is called 'nowhere'"):
        open_picture(file, space="nowhere")
