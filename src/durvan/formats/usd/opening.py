"""Open a USD stage read-only, whatever state it is in, or say in one sentence why not."""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from pxr import Sdf, Tf, Usd, UsdGeom, UsdUtils

from durvan.errors import SceneFileError
from durvan.scene.graph import Value

ENDINGS = (".usda", ".usdc", ".usd", ".usdz")


@dataclass
class Opened:
    """A stage, and what the library had to say while it was opened."""

    stage: Any
    file: Path
    remarks: list[str] = field(default_factory=list)


def _tidy(message: str) -> str:
    text = " ".join(str(message).split())
    text = re.sub(r"Error in '[^']*' at line \d+ in file [^:]*: ?", "", text)
    return text.strip("' :")[:400]


def open_stage(file: Path) -> Opened:
    """Open a stage with everything loaded. Raises SceneFileError with the reason."""
    try:
        if not file.exists():
            raise SceneFileError("there is no such file.", file=file)
        if not file.is_file():
            raise SceneFileError("is not a file.", file=file)
        if file.suffix.lower() not in ENDINGS:
            raise SceneFileError(f"is not a scene; Durvan opens {', '.join(ENDINGS)}.", file=file)
        if file.stat().st_size == 0:
            raise SceneFileError("is empty.", file=file)
    except OSError as problem:
        raise SceneFileError(f"cannot be read: {problem.strerror}.", file=str(file)[:300]) from problem
    delegate = UsdUtils.CoalescingDiagnosticDelegate()
    try:
        stage = Usd.Stage.Open(str(file), Usd.Stage.LoadAll)
    except Tf.ErrorException as problem:
        raise SceneFileError(f"USD cannot open it: {_tidy(str(problem))}.", file=file) from problem
    except RuntimeError as problem:
        raise SceneFileError(f"USD cannot open it: {_tidy(str(problem))}.", file=file) from problem
    finally:
        remarks = [_tidy(item.commentary) for item in delegate.TakeUncoalescedDiagnostics()]
        del delegate
    if stage is None:
        raise SceneFileError(f"USD cannot open it. {' '.join(remarks[:1])}".strip(), file=file)
    return Opened(stage, file, remarks)


def metres_per_unit(stage: Any) -> tuple[float, str]:
    """The stage's unit of length in metres, and what was wrong with how it is stored (empty: nothing).

    Stored with another type it makes the library raise; a number of any type is taken all the same.
    """
    try:
        return _positive(float(UsdGeom.GetStageMetersPerUnit(stage)))
    except (Tf.ErrorException, RuntimeError, TypeError):
        pass
    raw = stage.GetRootLayer().pseudoRoot.GetInfo("metersPerUnit")
    try:
        value, problem = _positive(float(raw))
    except (TypeError, ValueError):
        return 0.01, f"metersPerUnit is stored as {type(raw).__name__} ({str(raw)[:40]}); 0.01 is assumed."
    return value, problem or f"metersPerUnit is stored as {type(raw).__name__}; {value:g} is read."


def _positive(value: float) -> tuple[float, str]:
    if value > 0.0 and value < float("inf"):
        return value, ""
    return 0.01, f"metersPerUnit is {value:g}; 0.01 is assumed."


def up_axis(stage: Any) -> str:
    """ "Y" or "Z"; "Y" when the stage says something else."""
    try:
        axis = str(UsdGeom.GetStageUpAxis(stage))
    except (Tf.ErrorException, RuntimeError):
        return "Y"
    return axis if axis in ("Y", "Z") else "Y"


_TIMES = ("startTimeCode", "endTimeCode", "timeCodesPerSecond", "framesPerSecond")


def stage_metadata(stage: Any, unit: float, axis: str) -> dict[str, Value]:
    """What the root layer says of the stage, for a layer that stands over it: only the root's own counts."""
    info = stage.GetRootLayer().pseudoRoot
    out: dict[str, Value] = {}
    for name in ("defaultPrim", "renderSettingsPrimPath"):
        if info.HasInfo(name):
            out[name] = str(info.GetInfo(name))
    if info.HasInfo("metersPerUnit"):
        out["metersPerUnit"] = unit
    if info.HasInfo("upAxis"):
        out["upAxis"] = axis
    for name in _TIMES:
        if info.HasInfo(name) and isinstance(info.GetInfo(name), int | float):
            out[name] = info.GetInfo(name)
    return out


def layers(stage: Any) -> tuple[str, ...]:
    """Real paths of every file that the stage is composed of."""
    return tuple(sorted(layer.realPath for layer in stage.GetUsedLayers() if layer.realPath))


def reads(file: Path) -> Any:
    """A layer read from disk, past any copy in memory. Raises SceneFileError."""
    try:
        layer = Sdf.Layer.OpenAsAnonymous(str(file))
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"does not read back: {_tidy(str(problem))}.", file=file) from problem
    if layer is None:
        raise SceneFileError("does not read back.", file=file)
    return layer
