"""Light profiles as files: IES LM-63 from 1986 to 2019, read whatever their little faults, and written.

ANSI/IES LM-63-19; earlier forms by LM-63-86, -91, -95 and -02, which differ in the first line and the keywords.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.errors import ProfileError
from durvan.optics.profile import Profile, whole
from durvan.regular import why_not

Floats = NDArray[np.float64]
MOST_BYTES = 64_000_000
MOST_VALUES = 4_000_000
_FEET = 0.3048
_KINDS = {1: "C", 2: "B", 3: "A"}
_KEYWORD = re.compile(r"\[([A-Za-z0-9_]{1,40})\]\s{0,80}(.{0,400})")
_HEADER = (
    "the number of lamps", "lumens per lamp", "the multiplier", "the number of vertical angles",
    "the number of horizontal angles", "the photometric type", "the unit", "the width", "the length", "the height",
    "the ballast factor", "the twelfth number", "the watts",
)  # fmt: skip


def read(file: Path | str) -> Profile:
    """A profile from a file. Raises ProfileError with the file, the line and what is wrong there."""
    path = Path(file)
    reason = why_not(path)
    if reason:
        raise ProfileError(f"{reason}.", file=str(file)[:300])
    try:
        if path.stat().st_size > MOST_BYTES:
            raise ProfileError(f"is larger than a light profile can be ({MOST_BYTES // 1_000_000} MB).", file=path)
        data = path.read_bytes()
    except OSError as problem:
        raise ProfileError(f"cannot be read: {problem.strerror}.", file=path) from problem
    try:
        return _Reader(data, path.parent).run()
    except ProfileError as problem:
        problem.file = str(path)
        raise


def parse(data: bytes) -> Profile:
    """A profile from a file's bytes. Raises ProfileError."""
    return _Reader(data).run()


class _Reader:
    def __init__(self, data: bytes, folder: Path | None = None) -> None:
        self.folder = folder
        self.lamp_stays = False
        try:
            text = data.decode("utf-8-sig")
        except UnicodeDecodeError:
            text = data.decode("latin-1")
        self.lines = text.splitlines()
        self.notes: list[str] = []
        self.numbers: Floats = np.zeros(0)
        self.where: list[tuple[int, int]] = []  # how many numbers stand before each line, and which line it is
        self.place = 0

    def run(self) -> Profile:
        keywords, start = self._labels()
        how = self.lines[start].split("=", 1)[1].strip()
        self._read_numbers(start + 1)
        tilt = self._tilt(how)
        profile = self._photometry(tilt)
        if self.place < len(self.numbers):
            self.notes.append(f"{len(self.numbers) - self.place} numbers follow that nothing asks for")
        if any(name == "_INTENSITYUNITS" and "w" in said.lower() for name, said in keywords):
            self.notes.append("its intensities are radiant ones; only their ratios count as candela")
        return replace(profile, keywords=tuple(keywords), notes=tuple(self.notes))

    def _labels(self) -> tuple[list[tuple[str, str]], int]:
        """The keywords, and the line that says TILT."""
        keywords: list[tuple[str, str]] = []
        for number, line in enumerate(self.lines):
            if line.lstrip()[:5].upper() == "TILT=" or re.match(r"\s{0,80}TILT\s{0,20}=", line, re.IGNORECASE):
                return keywords, number
            found = _KEYWORD.match(line.lstrip()[:600])
            if found is None:
                continue
            name, said = found[1].upper(), found[2].strip()
            if name == "MORE" and keywords:
                keywords[-1] = keywords[-1][0], f"{keywords[-1][1]} {said}"
            else:
                keywords.append((name, said))
        raise ProfileError("has no TILT line, so it is no light profile (IES LM-63).", inside="TILT")

    def _read_numbers(self, start: int) -> None:
        """Every number below a line; commas count as spaces, and a text is an error."""
        values: list[Floats] = []
        count = 0
        for number, line in enumerate(self.lines[start:], start + 1):
            words = line.replace(",", " ").split()
            if not words:
                continue
            if words[0].upper().startswith("[END") or words[0] == "\x1a":
                break
            try:
                found = np.array(words, dtype=np.float64)
            except ValueError:
                raise ProfileError(
                    f"has a word where a number should stand: {words_said(words)}.", inside=f"line {number}"
                ) from None
            if not np.isfinite(found).all():
                raise ProfileError(f"has a number that is none: {words_said(words)}.", inside=f"line {number}")
            self.where.append((count, number))
            values.append(found)
            count += len(found)
            if count > MOST_VALUES:
                raise ProfileError(
                    f"has more than {MOST_VALUES:,} numbers; that is no light profile.", inside=f"line {number}"
                )
        self.numbers = np.concatenate(values) if values else np.zeros(0)

    def _line(self, place: int) -> str:
        found = [line for before, line in self.where if before <= place]
        return f"line {found[-1]}" if found else "its end"

    def _take(self, count: int, what: str) -> Floats:
        left = len(self.numbers) - self.place
        if count > left:
            raise ProfileError(
                f"says that {what} are {count:,} numbers, but only {left:,} are left.", inside=self._line(self.place)
            )
        self.place += count
        return self.numbers[self.place - count : self.place]

    def _tilt(self, how: str) -> tuple[tuple[float, float], ...]:
        word = how.upper()
        if word == "NONE":
            return ()
        if word != "INCLUDE":
            return self._tilt_beside(how)
        return self._tilt_pairs()

    def _tilt_beside(self, how: str) -> tuple[tuple[float, float], ...]:
        """The tilt from a file beside this one, which holds what else would stand here."""
        place = self.folder / Path(how.replace("\\", "/")).name if self.folder is not None else None
        reason = "nobody knows where" if place is None else why_not(place, 1_000_000)
        if place is None or reason:
            self.notes.append(
                f"its tilt stands in another file, {how[:80]!r}, that is not read ({reason}); it counts as none"
            )
            return ()
        beside = _Reader(place.read_bytes())
        try:
            beside._read_numbers(0)
            pairs = beside._tilt_pairs()
        except ProfileError as problem:
            self.notes.append(f"its tilt in {how[:80]!r} {problem.what[:200]} It counts as none.")
            return ()
        self.lamp_stays = beside.lamp_stays
        return pairs

    def _tilt_pairs(self) -> tuple[tuple[float, float], ...]:
        lies, pairs = self._take(2, "the kind of tilt and the number of its pairs")
        self.lamp_stays = bool(lies == 2.0)  # 1 and 3 are lamps that tilt with their luminaire
        count = self._count(pairs, "the number of pairs of the tilt", 1000)
        angles, factors = self._take(count, "the angles of the tilt"), self._take(count, "the factors of the tilt")
        self._ascending(angles, "the angles of the tilt")
        return tuple(zip(angles.tolist(), factors.tolist(), strict=True))

    def _count(self, value: float, what: str, most: int = MOST_VALUES) -> int:
        if value != int(value) or not 1 <= value <= most:
            raise ProfileError(
                f"{what} is {value:g}; it must be a whole number from 1 to {most:,}.", inside=self._line(self.place - 1)
            )
        return int(value)

    def _ascending(self, angles: Floats, what: str) -> None:
        if (np.diff(angles) <= 0.0).any():
            raise ProfileError(f"{what} do not ascend.", inside=self._line(self.place - 1))

    def _photometry(self, tilt: tuple[tuple[float, float], ...]) -> Profile:
        if len(self.numbers) - self.place < 13:
            missing = _HEADER[len(self.numbers) - self.place]
            raise ProfileError(f"ends in its header; {missing} is missing.", inside=self._line(self.place))
        lamps, each, multiplier, n_v, n_h, kind, unit, width, length, height = self._take(10, "the lamp").tolist()
        ballast, twelfth, watts = self._take(3, "the ballast").tolist()
        if kind not in _KINDS:
            raise ProfileError(
                f"its photometric type is {kind:g}; 1, 2 and 3 are known (C, B, A).", inside=self._line(self.place)
            )
        if unit not in (1.0, 2.0):
            self.notes.append(f"its unit of length is {unit:g}; feet are 1 and metres 2, and metres are taken")
        count_v, count_h = self._count(n_v, _HEADER[3]), self._count(n_h, _HEADER[4])
        if count_v * count_h > MOST_VALUES:
            raise ProfileError(
                f"wants {count_v * count_h:,} intensities, which is more than a profile can have.",
                inside=self._line(self.place),
            )
        vertical = self._take(count_v, "the vertical angles").copy()
        self._ascending(vertical, "the vertical angles")
        horizontal = self._take(count_h, "the horizontal angles").copy()
        self._ascending(horizontal, "the horizontal angles")
        self._within(_KINDS[int(kind)], vertical, horizontal)
        table = self._take(count_v * count_h, "the intensities").reshape(count_h, count_v)
        factor = multiplier * ballast * (twelfth if twelfth > 0.0 and self._ballast_lamp() else 1.0)
        if factor < 0.0 or (table < 0.0).any():
            self.notes.append("some intensities are below 0 and count as none")
        size = _FEET if unit == 1.0 else 1.0
        if each < 0.0:
            lumens = 0.0
        else:
            lumens = lamps * each
            if lumens == 0.0:
                self.notes.append("its lamps are said to give 0 lumens; the intensities stand by themselves")
        profile = Profile(
            vertical, horizontal, np.maximum(table * factor, 0.0), _KINDS[int(kind)], lumens, watts,
            (width * size, length * size, height * size), tilt, self.lamp_stays,
        )  # fmt: skip
        if not profile.candela.any():
            self.notes.append("every intensity is 0, so it gives no light")
        return profile

    def _ballast_lamp(self) -> bool:
        """Whether the twelfth number is a factor, as it was until 1991; since then it is 1, or says how the file was made."""
        first = self.lines[0].upper() if self.lines else ""
        return not any(f"LM-63-{year}" in first for year in ("1995", "2002", "2019"))

    def _within(self, kind: str, vertical: Floats, horizontal: Floats) -> None:
        low, high = (0.0, 180.0) if kind == "C" else (-90.0, 90.0)
        if vertical[0] < low or vertical[-1] > high:
            raise ProfileError(
                f"its vertical angles go from {vertical[0]:g} to {vertical[-1]:g}; of type {kind} they lie within {low:g} and {high:g}.",
                inside=self._line(self.place - 1),
            )
        if horizontal[-1] - horizontal[0] > 360.0 or abs(horizontal).max() > 360.0:
            raise ProfileError(
                f"its horizontal angles go from {horizontal[0]:g} to {horizontal[-1]:g}; that is more than a whole turn.",
                inside=self._line(self.place - 1),
            )
        if (
            kind == "C"
            and len(horizontal) > 1
            and (horizontal[0], horizontal[-1]) not in _PLANES
            and horizontal[-1] < 315.0
        ):
            self.notes.append(
                f"its planes go from {horizontal[0]:g} to {horizontal[-1]:g} degrees only; what lies between is drawn straight over"
            )


_PLANES = {(0.0, 90.0), (0.0, 180.0), (0.0, 360.0), (90.0, 270.0)}


def words_said(words: list[str]) -> str:
    """The first words of a line, for a message."""
    return " ".join(words[:4])[:60]


def write(profile: Profile, file: Path) -> None:
    """Write a profile as LM-63-2002, in metres and absolute candela where no lamp's lumens are known. Raises OSError."""
    file.write_text(text_of(profile), encoding="ascii", errors="replace", newline="\r\n")


def text_of(profile: Profile) -> str:
    """A profile as text: the same profile gives the same text, and reads back as itself."""
    kind = next(number for number, name in _KINDS.items() if name == profile.kind)
    width, length, height = (_number(side) for side in profile.size)
    lumens = _number(profile.lumens) if profile.lumens > 0.0 else "-1"
    lines = ["IESNA:LM-63-2002", *(f"[{name}] {said}"[:250] for name, said in _keywords(profile))]
    if profile.tilt:
        angles, factors = zip(*profile.tilt, strict=True)
        lines += [
            "TILT=INCLUDE",
            "2" if profile.lamp_stays else "1",
            str(len(profile.tilt)),
            *_rows(angles),
            *_rows(factors),
        ]
    else:
        lines.append("TILT=NONE")
    lines.append(f"1 {lumens} 1 {len(profile.vertical)} {len(profile.horizontal)} {kind} 2 {width} {length} {height}")
    lines.append(f"1 1 {_number(profile.watts)}")
    lines += [*_rows(profile.vertical), *_rows(profile.horizontal)]
    for plane in profile.candela:
        lines += _rows(plane)
    return "\n".join(lines) + "\n"


def _keywords(profile: Profile) -> list[tuple[str, str]]:
    known = dict(profile.keywords)
    needed = [(name, known.pop(name, "none")) for name in ("TEST", "TESTLAB", "ISSUEDATE", "MANUFAC")]
    return [*needed, *known.items()]


def _number(value: float) -> str:
    return f"{value:.9g}"


def _rows(values: Iterable[float]) -> list[str]:
    """Numbers in lines of at most 132 characters, as the standard wants them."""
    out, line = [], ""
    for value in values:
        word = _number(float(value))
        if line and len(line) + len(word) + 1 > 130:
            out.append(line)
            line = ""
        line = f"{line} {word}" if line else word
    return [*out, line] if line else out


def lumens(profile: Profile) -> float:
    """The flux of a profile by integration, which is what it gives, whatever its lamps are said to give."""
    found = whole(profile).lumens
    return found if math.isfinite(found) else 0.0
