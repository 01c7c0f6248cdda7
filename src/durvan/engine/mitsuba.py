"""Scenes for Mitsuba 3, of what it can express exactly, and its pictures of them: the outside judge of the renderer.

Mitsuba runs in a process of its own, so that it can be stopped and takes nothing down with it.
"""

from __future__ import annotations

import json
import subprocess
import tempfile
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.apart import command, surroundings
from durvan.dialects.look import Fog, Lists, Record, View
from durvan.engine.build import Ball, Built, lets_straight
from durvan.engine.kernels import world as kw
from durvan.engine.lamps import Placed
from durvan.errors import DurvanError
from durvan.formats import pictures
from durvan.formats.mitsuba.geometry import write_ply
from durvan.formats.mitsuba.words import HALF_TURN
from durvan.optics.frame import frame_width
from durvan.optics.light_shapes import SHAPES
from durvan.optics.lobes import layout
from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]
SHAPE_NAMES = {layout.GGX: "ggx", layout.BECKMANN: "beckmann"}


class NotExpressibleError(DurvanError):
    """A look, light or camera that Mitsuba has no exact counterpart of."""


@dataclass
class Judged:
    """Mitsuba's picture [height, width, 3], the means of its runs [runs, height, width, 3], seconds of processor time, samples."""

    picture: Floats
    runs: Floats
    seconds: float
    samples: int


@dataclass(frozen=True)
class Haze:
    """Fog, and the ball that it fills, in metres."""

    fog: Fog
    middle: tuple[float, float, float]
    radius: float


def haze_of(built: Built, fog: Fog) -> Haze:
    """The fog of a built world, where it is there."""
    at = int(built.world.i4[kw.A_FOG])
    row = built.world.f8[at : at + kw.F_RADIUS + 1]
    x, y, z = row[kw.F_MIDDLE : kw.F_MIDDLE + 3].tolist()
    return Haze(fog, (x, y, z), float(row[kw.F_RADIUS]))


def _colour(values: Any) -> dict[str, Any]:
    return {"type": "rgb", "value": [float(v) for v in values]}


def _lobe(rec: Floats, number: int) -> Floats:
    b = layout.HEADER + number * layout.LOBE
    return rec[b : b + layout.LOBE]


def _facets(lobe: Floats) -> dict[str, Any]:
    shape = int(lobe[layout.FACETS])
    if shape not in SHAPE_NAMES:
        raise NotExpressibleError("normalised Blinn facets have no counterpart.")
    return {
        "distribution": SHAPE_NAMES[shape], "alpha_u": float(lobe[layout.ALPHA_X]),
        "alpha_v": float(lobe[layout.ALPHA_Y]),
    }  # fmt: skip


def material(look: Record) -> dict[str, Any]:
    """A record as a Mitsuba material. Raises NotExpressibleError, with what is in the way."""
    if look.varies:
        raise NotExpressibleError("a look that varies over the surface.")
    rec = look.base
    lobes = [_lobe(rec, n) for n in range(int(rec[layout.COUNT]))]
    kinds = [int(lobe[layout.KIND]) for lobe in lobes]
    made = _surface(lobes, kinds)
    if rec[layout.OPACITY] < 1.0:
        return {"type": "mask", "opacity": float(rec[layout.OPACITY]), "nested": made}
    return made


def _surface(lobes: list[Floats], kinds: list[int]) -> dict[str, Any]:
    weight = slice(layout.WEIGHT, layout.WEIGHT + 3)
    if not kinds:
        return _twosided({"type": "diffuse", "reflectance": 0.0})
    if kinds == [layout.DIFFUSE] and lobes[0][layout.ALPHA_X] == 0.0:
        return _twosided({"type": "diffuse", "reflectance": _colour(lobes[0][weight])})
    if kinds == [layout.REFLECT] and int(lobes[0][layout.FRESNEL]) in (layout.CONSTANT, layout.CONDUCTOR):
        return _twosided(_metal(lobes[0]))
    if kinds == [layout.DIFFUSE, layout.REFLECT] and int(lobes[1][layout.COVER]) == layout.RECIPROCAL:
        if lobes[1][layout.ALPHA_X] < layout.MIRROR:
            return _twosided(
                {
                    "type": "plastic", "int_ior": float(lobes[1][layout.FIRST]), "ext_ior": 1.0, "nonlinear": False,
                    "diffuse_reflectance": _colour(lobes[0][weight]), "specular_reflectance": _colour(lobes[1][weight]),
                }
            )  # fmt: skip
        facets = _facets(lobes[1])  # its base also loses what the facets lose between them, which ours gives back
        return _twosided(
            {
                "type": "roughplastic", "distribution": facets["distribution"], "alpha": facets["alpha_u"],
                "int_ior": float(lobes[1][layout.FIRST]), "ext_ior": 1.0, "nonlinear": False,
                "diffuse_reflectance": _colour(lobes[0][weight]), "specular_reflectance": _colour(lobes[1][weight]),
            }
        )  # fmt: skip
    if kinds == [layout.REFLECT, layout.REFRACT]:
        one, two = lobes
        glass = {
            "int_ior": float(two[layout.FIRST]), "ext_ior": 1.0, "specular_reflectance": _colour(one[weight]),
            "specular_transmittance": _colour(two[weight]),
        }  # fmt: skip
        if two[layout.ALPHA_X] < layout.MIRROR:
            return {"type": "dielectric", **glass}
        return {"type": "roughdielectric", **_facets(two), **glass}
    if kinds == [layout.REFLECT, layout.STRAIGHT] and int(lobes[0][layout.FRESNEL]) == layout.WALL:
        if lobes[0][layout.ALPHA_X] >= layout.MIRROR:
            raise NotExpressibleError("a rough thin wall.")
        return {
            "type": "thindielectric", "int_ior": float(lobes[0][layout.FIRST]), "ext_ior": 1.0,
            "specular_reflectance": _colour(lobes[0][weight]), "specular_transmittance": _colour(lobes[1][weight]),
        }  # fmt: skip
    raise NotExpressibleError(f"lobes of the kinds {kinds}.")


def _twosided(nested: dict[str, Any]) -> dict[str, Any]:
    return {"type": "twosided", "nested": nested}


def _metal(lobe: Floats) -> dict[str, Any]:
    weight = lobe[layout.WEIGHT : layout.WEIGHT + 3]
    made: dict[str, Any] = {"type": "roughconductor", **_facets(lobe), "specular_reflectance": _colour(weight)}
    if int(lobe[layout.FRESNEL]) == layout.CONSTANT:
        made["material"] = "none"
    else:
        made["eta"] = _colour(lobe[layout.FIRST : layout.FIRST + 3])
        made["k"] = _colour(lobe[layout.SECOND : layout.SECOND + 3])
    return made


def _matrix(rows: Floats) -> list[list[float]]:
    """A matrix for column vectors, as nested lists, from one for row vectors."""
    return [[float(v) for v in row] for row in rows.T]


def _scaled(matrix: Floats, x: float, y: float, z: float) -> Floats:
    axes = matrix[:3, :3] / np.linalg.norm(matrix[:3, :3], axis=1, keepdims=True)
    out = np.eye(4)
    out[:3, :3] = axes * np.array([x, y, z])[:, None]
    out[3, :3] = matrix[3, :3]
    return out


def lamp(one: Placed, radiance_file: str = "") -> dict[str, Any]:
    """A placed lamp as Mitsuba has it, of a panel or a dome with its picture in a file. Lamps shine along −Z, a Mitsuba rectangle
    along +Z. Raises NotExpressibleError.
    """
    made = one.lamp
    value = _colour(made.radiance)
    if radiance_file and made.shape != "dome":
        value = {"type": "bitmap", "filename": radiance_file, "raw": True, "wrap_mode": "clamp"}
    if made.decay != 2 or not made.shadows:
        raise NotExpressibleError(f"{one.name}: another decay, or no shadows.")
    if made.focus or made.profile_of is not None or made.reach or made.lists != Lists():
        raise NotExpressibleError(f"{one.name}: a beam, a profile, an end of its reach or a list of what it lights.")
    row = SHAPES.get(made.shape)
    if (
        row is not None
        and row.mitsuba
        and row.half is not None
        and (made.outer >= 180.0 or row.half(made.size)[2] == 0.0)
    ):
        x, y, z = row.half(made.size)
        to = _scaled(HALF_TURN @ one.matrix, x, y, z or 1.0)
        return {"type": row.mitsuba, "to_world": _matrix(to), "emitter": {"type": "area", "radiance": value}}
    if made.shape == "cylinder" and made.outer >= 180.0:
        along = one.matrix[0, :3] / np.linalg.norm(one.matrix[0, :3]) * made.size[1] / 2.0
        ends = {f"p{n}": [float(v) for v in one.matrix[3, :3] + way * along] for n, way in enumerate((-1.0, 1.0))}
        return {"type": "cylinder", "radius": made.size[0], **ends, "emitter": {"type": "area", "radiance": value}}
    place = [float(v) for v in one.matrix[3, :3]]
    if made.shape == "point" and made.outer >= 180.0:
        return {"type": "point", "position": place, "intensity": value}
    if made.shape == "point" and made.profile == "linear":
        return {
            "type": "spot", "to_world": _matrix(_scaled(HALF_TURN @ one.matrix, 1.0, 1.0, 1.0)), "intensity": value,
            "cutoff_angle": made.outer, "beam_width": made.inner,
        }  # fmt: skip
    if made.shape == "far" and made.size[0] == 0.0:
        axes = -one.matrix[2, :3] / np.linalg.norm(one.matrix[2, :3])
        return {"type": "directional", "direction": [float(v) for v in axes], "irradiance": value}
    if made.shape == "dome":
        if not radiance_file:
            return {"type": "constant", "radiance": value}
        return {"type": "envmap", "filename": radiance_file}
    raise NotExpressibleError(f"{one.name}: a {made.shape} with such a cone.")


def sensor(view: View, matrix: Floats, size: tuple[int, int]) -> dict[str, Any]:
    """A camera. Mitsuba looks along +Z with +X on the left: half a turn about Y. Raises NotExpressibleError for a shift."""
    if view.shift != (0.0, 0.0):
        raise NotExpressibleError("a shifted lens.")
    made: dict[str, Any] = {
        "type": "perspective", "fov_axis": "x", "to_world": _matrix(_scaled(HALF_TURN @ matrix, 1.0, 1.0, 1.0)),
        "fov": float(np.degrees(2.0 * np.arctan(0.5 * frame_width(view.film_width, view.film_height, size[0] / size[1]) / view.focal))),
        "near_clip": 1e-4, "far_clip": 1e5,
        "film": {
            "type": "hdrfilm", "width": size[0], "height": size[1], "rfilter": {"type": "box"},
            "pixel_format": "rgb", "component_format": "float32",
        },
        "sampler": {"type": "independent"},
    }  # fmt: skip
    if view.f_number > 0.0 and view.focus > 0.0:
        made["type"] = "thinlens"
        made["aperture_radius"] = view.focal / 1000.0 / (2.0 * view.f_number)
        made["focus_distance"] = view.focus
    return made


def scene(
    meshes: list[Mesh], looks: list[Record], placed: list[Placed], view: View, matrix: Floats, size: tuple[int, int],
    folder: Path, bounces: int, balls: tuple[Ball, ...] = (), sky: Floats | None = None, haze: Haze | None = None,
) -> dict[str, Any]:  # fmt: skip
    """A whole scene; meshes and the pictures of lights (`sky`, for each that has one) are written into `folder`. A mesh whose look
    glows shines to where its triangles face. Raises NotExpressibleError.
    """
    sheets = any(lets_straight(look) for look in looks)  # a plain path tracer has them stand in the light's way
    integrator = "path" if haze is None and not sheets else "volpath"
    made: dict[str, Any] = {
        "type": "scene", "integrator": {"type": integrator, "max_depth": bounces + 2, "rr_depth": 5},
        "sensor": sensor(view, matrix, size),
    }  # fmt: skip
    if haze is not None:
        made["haze"] = _haze(haze)
    for number, look in enumerate(looks):
        made[f"look{number}"] = {**material(look), "id": f"look{number}"}
    for number, mesh in enumerate(meshes):
        for index in np.unique(mesh.material):
            file = folder / f"mesh{number}_{index}.ply"
            write_ply(mesh, mesh.material == index, file)
            made[f"mesh{number}_{index}"] = {
                "type": "ply", "filename": str(file), "face_normals": mesh.normals is None,
                "bsdf": {"type": "ref", "id": f"look{index}"},
            }  # fmt: skip
            glow = looks[index].base[layout.GLOW : layout.GLOW + 3]
            if glow.any():
                made[f"mesh{number}_{index}"]["emitter"] = {"type": "area", "radiance": _colour(glow)}
    for number, ball in enumerate(balls):
        made[f"ball{number}"] = {
            "type": "sphere", "center": list(ball.middle), "radius": ball.radius,
            "bsdf": {"type": "ref", "id": f"look{ball.material}"},
        }  # fmt: skip
    for number, one in enumerate(placed):
        picture = ""
        if one.lamp.picture is not None and sky is not None:
            picture = str(folder / f"picture{number}.exr")
            shown = sky[::-1] if one.lamp.shape == "rect" else sky  # there a texture's first row lies at the bottom
            pictures.save(Path(picture), (shown * np.array(one.lamp.radiance)).astype(np.float32))
        light = lamp(one, picture)
        if "emitter" in light:  # its body gives nothing back
            light["bsdf"] = {"type": "diffuse", "reflectance": 0.0}
        made[f"light{number}"] = light
    return made


def _haze(haze: Haze) -> dict[str, Any]:
    """Fog in a ball that nothing else marks."""
    return {
        "type": "sphere", "center": list(haze.middle), "radius": haze.radius, "bsdf": {"type": "null"},
        "interior": {
            "type": "homogeneous", "albedo": _colour(haze.fog.albedo), "sigma_t": haze.fog.density,
            "phase": {"type": "hg", "g": haze.fog.forward},
        },
    }  # fmt: skip


def judge(description: dict[str, Any], samples: int, runs: int, timeout: float = 600.0) -> Judged:
    """Let Mitsuba render a scene `runs` times with other seeds. Raises DurvanError with what it says when it fails."""
    with tempfile.TemporaryDirectory() as folder:
        given, out = Path(folder) / "scene.json", Path(folder) / "out.npz"
        given.write_text(json.dumps({"scene": description, "samples": samples, "runs": runs}), encoding="utf-8")
        try:
            done = subprocess.run(
                command("durvan.engine.mitsuba_worker", str(given), str(out)), env=surroundings(),
                capture_output=True, text=True, timeout=timeout, check=False,
            )  # fmt: skip
        except subprocess.TimeoutExpired as problem:
            raise DurvanError(f"Mitsuba did not finish within {timeout:g} seconds.") from problem
        if done.returncode != 0 or not out.is_file():
            raise DurvanError(f"Mitsuba failed: {done.stderr.strip()[-600:]}")
        with np.load(out) as found:
            every = found["runs"].astype(np.float64)
            return Judged(every.mean(axis=0), every, float(found["seconds"]), samples * runs)
