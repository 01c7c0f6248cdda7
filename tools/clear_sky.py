"""Make `src/durvan/optics/data/clear_sky.npz` from the published coefficients that the installed Mitsuba carries.

The sky's are those of the model in linear Rec.709; the sun's, which are spectral, are brought to it here, with the mean of its
darkening towards the edge. Run it after the wheel of Mitsuba was changed: `.venv/bin/python tools/clear_sky.py`.
"""

from __future__ import annotations

import struct
from pathlib import Path

import mitsuba as mi
import numpy as np
from numpy.typing import NDArray

OUT = Path(__file__).parents[1] / "src/durvan/optics/data/clear_sky.npz"
LUMEN_A_WATT = 683.002  # at 555 nm
_TO_REC709 = np.array(
    [[3.2404542, -1.5371385, -0.4985314], [-0.9692660, 1.8760108, 0.0415560], [0.0556434, -0.2040259, 1.0572252]]
)


def tensors(file: Path) -> dict[str, NDArray[np.float64]]:
    """The tables of a tensor file: a head of 14 bytes, then of each table its name, kind, place and shape."""
    data = file.read_bytes()
    (count,) = struct.unpack_from("<I", data, 14)
    at, out = 18, {}
    for _ in range(count):
        (length,) = struct.unpack_from("<H", data, at)
        name = data[at + 2 : at + 2 + length].decode()
        at += 2 + length
        sides, kind, place = struct.unpack_from("<HBQ", data, at)
        shape = struct.unpack_from(f"<{sides}Q", data, at + 11)
        at += 11 + 8 * sides
        if kind == 11:  # double precision
            out[name] = np.frombuffer(data, np.float64, int(np.prod(shape)), place).reshape(shape)
    return out


def sun_in_rec709(radiance: NDArray[np.float64], darkening: NDArray[np.float64]) -> NDArray[np.float64]:
    """Mean radiance over the sun's disc as luminance in linear Rec.709: [turbidities, segments, powers, 3].

    `radiance` [turbidities, segments, wavelengths, powers] in W/(m² sr nm), `darkening` [wavelengths, powers] of the cosine.
    """
    mean = darkening @ np.array([2.0 / (power + 2.0) for power in range(darkening.shape[1])])  # over a disc
    there = np.arange(radiance.shape[2]) * 40.0 + 320.0
    fine = np.arange(360.0, 721.0)
    matching = np.array([[float(part) for part in mi.cie1931_xyz(one)] for one in fine])
    weights = np.zeros((len(there), 3))
    for number in range(len(there)):
        hat = np.interp(fine, there, np.eye(len(there))[number])
        weights[number] = _TO_REC709 @ np.trapezoid(hat[:, None] * matching, fine, axis=0)
    return np.einsum("tswp,w,wc->tspc", radiance, mean, weights) * LUMEN_A_WATT


def main() -> None:
    """Write the file."""
    mi.set_variant("scalar_rgb")
    tables = tensors(Path(mi.__file__).parent / "data/sunsky/sunsky_datasets.bin")
    np.savez_compressed(
        OUT,
        shape=tables["sky_params_rgb"].astype(np.float32),
        radiance=(tables["sky_rad_rgb"] * LUMEN_A_WATT).astype(np.float32),
        sun=sun_in_rec709(tables["sun_rad_spec"], tables["sun_ld_spec"]).astype(np.float32),
    )


if __name__ == "__main__":
    main()
