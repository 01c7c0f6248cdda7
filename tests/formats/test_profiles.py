"""Light profiles as files: every edition, every type, and whatever is wrong with them."""

from __future__ import annotations

import math
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from durvan.errors import ProfileError
from durvan.formats import profiles
from durvan.optics.profile import Profile, whole

BODY = "1 1000 1 3 1 1 2 0.1 0.1 0\n1 1 50\n0 45 90\n0\n100 50 0\n"
GOOD = f"IESNA:LM-63-2002\n[TEST] SKERRY-1\n[MANUFAC] none\nTILT=NONE\n{BODY}"


def read(text: str | bytes) -> Profile:
    return profiles.parse(text.encode() if isinstance(text, str) else text)


@pytest.mark.parametrize(
    "head",
    [
        "",
        "IESNA86\n",
        "IESNA91\n",
        "IESNA:LM-63-1995\n",
        "IESNA:LM-63-2002\n",
        "IES:LM-63-2019\n",
        "some text\nand more\n",
    ],
)
def test_every_edition_is_read(head) -> None:
    profile = read(f"{head}[TEST] one\n[MORE] and on\nTILT=NONE\n{BODY}")
    assert profile.candela.tolist() == [[100.0, 50.0, 0.0]] and profile.lumens == 1000.0 and profile.watts == 50.0
    assert dict(profile.keywords)["TEST"] == "one and on"


def test_factors_and_the_twelfth_number() -> None:
    """Multiplier and ballast scale; the twelfth number was a factor until 1991, and says how the file was made since 2019."""
    body = BODY.replace("1 1000 1 3", "2 1000 3 3").replace("1 1 50", "0.5 1.2 50")
    assert read(f"IESNA91\nTILT=NONE\n{body}").candela[0, 0] == pytest.approx(100.0 * 3.0 * 0.5 * 1.2)
    assert read(f"IES:LM-63-2019\nTILT=NONE\n{body}").candela[0, 0] == pytest.approx(100.0 * 3.0 * 0.5)
    assert read(f"IESNA91\nTILT=NONE\n{body}").lumens == 2000.0


def test_feet_metres_commas_and_latin_1() -> None:
    feet = read(GOOD.replace("1 1 2 0.1 0.1 0", "1 1 1 1 2 -3").replace(" ", ", "))
    assert feet.size == pytest.approx((0.3048, 0.6096, -0.9144))
    assert read(GOOD.replace("none", "Sk\u00e4r").encode("latin-1")).keywords[1] == ("MANUFAC", "Sk\u00e4r")
    assert read(b"\xef\xbb\xbf" + GOOD.encode()).lumens == 1000.0


def test_absolute_photometry_and_tilt() -> None:
    assert read(GOOD.replace("1 1000", "1 -1")).lumens == 0.0
    tilted = read(GOOD.replace("TILT=NONE", "TILT=INCLUDE\n1\n3\n0 45 90\n1 0.95 0.9"))
    assert tilted.tilt == ((0.0, 1.0), (45.0, 0.95), (90.0, 0.9))
    beside = read(GOOD.replace("TILT=NONE", "TILT=lamp.tlt"))
    assert beside.tilt == () and "another file" in beside.notes[0]


@pytest.mark.parametrize(("lies", "stays"), [("1", False), ("2", True), ("3", False)])
def test_a_tilt_beside_the_profile_is_read(tmp_path: Path, lies: str, stays: bool) -> None:
    """By its name alone, wherever it says that it lies; one that cannot be read counts as none, and that is said."""
    file = tmp_path / "lamp.ies"
    file.write_text(GOOD.replace("TILT=NONE", "TILT=C:\\lamps\\lamp.tlt"))
    missing = profiles.read(file)
    assert missing.tilt == () and "lamp.tlt" in missing.notes[0]
    (tmp_path / "lamp.tlt").write_text(f"{lies}\n3\n0, 45, 90\n1 0.95 0.9\n")
    found = profiles.read(file)
    assert found.tilt == ((0.0, 1.0), (45.0, 0.95), (90.0, 0.9)) and found.lamp_stays is stays and not found.notes
    again = profiles.parse(profiles.text_of(found).encode())
    assert again.tilt == found.tilt and again.lamp_stays is stays
    (tmp_path / "lamp.tlt").write_text("1\n3\n0 45 45\n1 1 1\n")
    wrong = profiles.read(file)
    assert wrong.tilt == () and "do not ascend" in wrong.notes[0]


@pytest.mark.parametrize(
    ("text", "what", "inside"),
    [
        (GOOD.replace("TILT=NONE\n", ""), "no TILT line", "TILT"),
        ("", "no TILT line", "TILT"),
        ("IESNA\nTILT=NONE\n1 2\n", "ends in its header", "line 3"),
        (GOOD.replace("100 50 0", "100 50"), "only 2 are left", "line"),
        (GOOD.replace("100 50 0", "100 fifty 0"), "word where a number", "line 9"),
        (GOOD.replace("100 50 0", "100 nan 0"), "number that is none", "line 9"),
        (GOOD.replace("100 50 0", "100 1e999 0"), "number that is none", "line 9"),
        (GOOD.replace("1 3 1 1", "1 0 1 1"), "vertical angles is 0", "line"),
        (GOOD.replace("1 3 1 1", "1 3.5 1 1"), "whole number", "line"),
        (GOOD.replace("1 3 1 1", "1 3000000 3000000 1"), "more than a profile", "line"),
        (GOOD.replace("1 3 1 1", "1 3 1 9"), "photometric type is 9", "line"),
        (GOOD.replace("0 45 90", "0 90 45"), "do not ascend", "line"),
        (GOOD.replace("0 45 90", "-10 45 90"), "vertical angles go from -10", "line"),
        (GOOD.replace("TILT=NONE", "TILT=INCLUDE\n1\n9999\n0"), "pairs of the tilt", "line"),
    ],
)  # fmt: skip
def test_what_is_wrong_is_said_with_its_line(tmp_path: Path, text, what, inside) -> None:
    file = tmp_path / "lamp.ies"
    file.write_text(text)
    with pytest.raises(ProfileError) as told:
        profiles.read(file)
    assert what in told.value.what and inside in told.value.inside and told.value.file == str(file)


def test_what_is_odd_is_noted_and_read() -> None:
    dark = read(GOOD.replace("100 50 0", "0 0 0"))
    assert "no light" in " ".join(dark.notes) and whole(dark).lumens == 0.0
    none = read(GOOD.replace("1 1000", "1 0"))
    assert "0 lumens" in none.notes[0] and profiles.lumens(none) > 0.0
    assert read(GOOD.replace("100 50 0", "100 -50 0")).candela.min() == 0.0
    assert "follow" in read(GOOD + "1 2 3\n").notes[0]
    assert "radiant" in " ".join(read(GOOD.replace("[MANUFAC] none", "[_INTENSITYUNITS] mW/sr")).notes)
    odd = read(GOOD.replace("1 3 1 1", "1 3 3 1").replace("\n0\n100 50 0", "\n0 20 40\n100 50 0 100 50 0 100 50 0"))
    assert "drawn straight" in odd.notes[0] and whole(odd).lumens > 0.0


def test_spaces_and_sizes_without_end(tmp_path: Path) -> None:
    padded = GOOD.replace("100 50 0", "100" + " " * 2_000_000 + "50 0") + "\n" * 100_000
    assert read(padded).candela[0, 1] == 50.0
    file = tmp_path / "huge.ies"
    with file.open("wb") as out:
        out.truncate(profiles.MOST_BYTES + 1)
    with pytest.raises(ProfileError, match="larger than"):
        profiles.read(file)
    for place, said in ((tmp_path / "none.ies", "no"), (tmp_path, "folder")):
        with pytest.raises(ProfileError, match=said):
            profiles.read(place)


def test_a_million_angles_are_read_and_thinned() -> None:
    angles = " ".join(f"{a:.5f}" for a in np.linspace(0.0, 90.0, 1_000_000))
    text = f"IESNA91\nTILT=NONE\n1 1000 1 1000000 1 1 2 0 0 0\n1 1 9\n{angles}\n0\n{'7 ' * 1_000_000}\n"
    globe = whole(read(text))
    assert len(globe.gamma) <= 1441 and globe.lumens == pytest.approx(2.0 * math.pi * 7.0, rel=1e-3)


@given(
    st.sampled_from(["A", "B", "C"]),
    st.integers(2, 9),
    st.sampled_from([1, 2, 4]),
    st.floats(0.001, 1e5),
    st.booleans(),
)
def test_a_profile_that_was_written_reads_as_itself(
    kind: str, count: int, planes: int, level: float, tilted: bool
) -> None:
    top = 180.0 if kind == "C" else 90.0
    vertical = np.linspace(0.0, top, count)
    horizontal = np.linspace(0.0, 90.0, planes) if planes > 1 else np.zeros(1)
    table = level * (1.0 + np.arange(planes * count, dtype=float)).reshape(planes, count)
    tilt = ((0.0, 1.0), (90.0, 0.85)) if tilted else ()
    meant = Profile(vertical, horizontal, table, kind, 1200.0, 9.0, (0.1, -0.2, 0.0), tilt, (("TEST", "made up"),))
    found = read(profiles.text_of(meant))
    for one, two in (
        (meant.candela, found.candela),
        (meant.vertical, found.vertical),
        (meant.horizontal, found.horizontal),
    ):
        assert one == pytest.approx(two, rel=1e-7)
    assert (
        found.kind == kind and found.lumens == 1200.0 and found.tilt == tilt and found.size == pytest.approx(meant.size)
    )
    assert max(map(len, profiles.text_of(meant).splitlines())) <= 132
