"""The few kinds of error that Durvan raises; each carries the file, the path inside it and what to do."""

from __future__ import annotations

from pathlib import Path


class DurvanError(Exception):
    """Something a person has to know: what happened, where, and what to do about it."""

    def __init__(self, what: str, *, file: Path | str | None = None, inside: str = "", advice: str = "") -> None:
        super().__init__(what)
        self.what = what
        self.file = str(file) if file is not None else ""
        self.inside = inside
        self.advice = advice

    def __str__(self) -> str:
        place = self.file
        if self.inside:
            place = f"{place} at {self.inside}" if place else self.inside
        sentence = f"{place}: {self.what}" if place else self.what
        return f"{sentence} {self.advice}".rstrip()


class SceneFileError(DurvanError, ValueError):
    """A scene file cannot be opened, or what was written does not read back as it was meant."""


class PackError(DurvanError, ValueError):
    """A dialect pack is wrong, or a dialect is not known."""


class FormulaError(DurvanError, ValueError):
    """A formula cannot be read or worked out."""


class CrossingFileError(DurvanError, ValueError):
    """A .durvan file cannot be read."""


class RootsFileError(DurvanError, ValueError):
    """A file of roots cannot be read or written."""


class PictureError(DurvanError, ValueError):
    """A picture cannot be read, or its copy cannot be written."""


class ProfileError(DurvanError, ValueError):
    """A light profile cannot be read."""


class RenderingError(DurvanError):
    """Nothing can be rendered here: a part is missing, or the renderer could not be made ready."""


class MisuseError(DurvanError, ValueError):
    """A request that makes no sense, such as writing over the source."""


class Stopped(Exception):  # noqa: N818 - not an error: the user asked for it
    """The user stopped a long piece of work; nothing was written."""
