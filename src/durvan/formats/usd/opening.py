"""Open a USD stage read-only, whatever state it is in, or say in one sentence why not."""

from __future__ import annotations

import os
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from pxr import Sdf, Tf, Usd, UsdGeom, UsdUtils

from durvan.errors import SceneFileError
from durvan.foreign import text_of
from durvan.formats.usd.words import said
from durvan.regular import why_not
from durvan.scene.graph import Value

ENDINGS = (".usda", ".usdc", ".usd", ".usdz")


@dataclass
class Opened:
    """A stage, and what the library had to say while it was opened."""

    stage: Any
    file: Path
    remarks: list[str] = field(default_factory=list)


def open_stage(file: Path) -> Opened:
    """Open a stage with everything loaded. Raises SceneFileError with the reason."""
    reason = why_not(file)
    if reason:
        raise SceneFileError(f"{reason}.", file=str(file)[:300])
    if file.suffix.lower() not in ENDINGS:
        raise SceneFileError(f"is not a scene; Durvan opens {', '.join(ENDINGS)}.", file=file)
    if file.stat().st_size == 0:
        raise SceneFileError("is empty.", file=file)
    try:
        os.fspath(file).encode("utf-8")
    except UnicodeEncodeError as problem:
        raise SceneFileError("its path is not UTF-8, and USD opens no such file; rename it.", file=file) from problem
    delegate = UsdUtils.CoalescingDiagnosticDelegate()
    try:
        held = _looked_at(file)
        stage = Usd.Stage.Open(str(file), Usd.Stage.LoadAll)
        del held
    except Tf.ErrorException as problem:
        raise SceneFileError(f"USD cannot open it: {said(problem)}.", file=file) from problem
    except RuntimeError as problem:
        raise SceneFileError(f"USD cannot open it: {said(problem)}.", file=file) from problem
    finally:
        remarks = [said(text_of(partial(getattr, one, "commentary"))) for one in delegate.TakeUncoalescedDiagnostics()]
        del delegate
    if stage is None:
        raise SceneFileError(f"USD cannot open it. {' '.join(remarks[:1])}".strip(), file=file)
    return Opened(stage, file, remarks)


def _looked_at(file: Path) -> list[Any]:
    """The layers that a stage will open, once it is known that all of them are files. Raises SceneFileError."""
    waiting, known, kept = [str(file)], {str(file)}, []
    while waiting:
        layer = Sdf.Layer.FindOrOpen(waiting.pop())
        if layer is None:
            continue
        kept.append(layer)
        for written in layer.GetCompositionAssetDependencies():
            place = layer.ComputeAbsolutePath(written)
            if not place or place in known:
                continue
            known.add(place)
            reason = why_not(place.partition("[")[0])
            if "not a file" in reason:
                raise SceneFileError(
                    f"{reason}; nothing is read from it.", file=place[:300], inside=f"@{written[:200]}@"
                )
            if not reason and place.lower().endswith(ENDINGS):
                waiting.append(place)
    return kept


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


WRONG = (Tf.ErrorException, RuntimeError, TypeError, ValueError)  # what a value stored as another type makes it raise


def asked(get: Callable[[], Any], otherwise: Any) -> Any:
    """What the library answers, or something else where what is stored cannot be an answer."""
    try:
        return get()
    except WRONG:
        return otherwise


def up_axis(stage: Any) -> str:
    """ "Y" or "Z"; "Y" when the stage says something else."""
    axis = str(asked(lambda: UsdGeom.GetStageUpAxis(stage), "Y"))
    return axis if axis in ("Y", "Z") else "Y"


_TIMES = ("startTimeCode", "endTimeCode", "timeCodesPerSecond", "framesPerSecond")


def stage_metadata(stage: Any, unit: float, axis: str) -> dict[str, Value]:
    """What the root layer says of the stage, for a layer that stands over it: only the root's own counts."""
    info = stage.GetRootLayer().pseudoRoot
    out: dict[str, Value] = {}
    for name in ("defaultPrim", "renderSettingsPrimPath"):
        if info.HasInfo(name):
            out[name] = str(asked(partial(info.GetInfo, name), ""))
    if info.HasInfo("metersPerUnit"):
        out["metersPerUnit"] = unit
    if info.HasInfo("upAxis"):
        out["upAxis"] = axis
    for name in _TIMES:
        value = asked(partial(info.GetInfo, name), None) if info.HasInfo(name) else None
        if isinstance(value, int | float):
            out[name] = value
    return out


def layers(stage: Any) -> tuple[str, ...]:
    """Real paths of every file that the stage is composed of."""
    return tuple(sorted(layer.realPath for layer in stage.GetUsedLayers() if layer.realPath))


def reads(file: Path) -> Any:
    """A layer read from disk, past any copy in memory. Raises SceneFileError."""
    try:
        layer = Sdf.Layer.OpenAsAnonymous(str(file))
    except (Tf.ErrorException, RuntimeError) as problem:
        raise SceneFileError(f"does not read back: {said(problem)}.", file=file) from problem
    if layer is None:
        raise SceneFileError("does not read back.", file=file)
    return layer
