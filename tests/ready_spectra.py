"""Measured optical constants as the tests' own reference renderer ships them, integrated to linear Rec.709: what the ready values of metals
come from. `python tests/ready_spectra.py` prints them.
"""

from __future__ import annotations

from pathlib import Path

import mitsuba
import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
FOLDER = Path(mitsuba.__file__).parent / "data" / "ior"
WAVES = np.arange(380.0, 781.0, 5.0)
METALS = {
    "silver": "Ag", "aluminium": "Al", "gold": "Au", "copper": "Cu", "chromium": "Cr", "tungsten": "W", "iridium": "Ir",
    "mercury": "Hg", "molybdenum": "Mo", "nickel": "Ni_palik", "niobium": "Nb", "rhodium": "Rh", "tantalum": "Ta",
    "titanium nitride": "TiN", "vanadium": "V_palik", "beryllium": "Be",
}  # fmt: skip


def spectrum(name: str) -> Floats:
    """A measured spectrum at the wavelengths (nm)."""
    rows = [
        [float(part) for part in line.split()[:2]]
        for line in (FOLDER / f"{name}.spd").read_text(encoding="latin-1").splitlines()
        if line.strip() and not line.startswith("#")
    ]
    table = np.array(rows)
    table = table[np.argsort(table[:, 0])]
    return np.interp(WAVES, table[:, 0], table[:, 1])


def matching() -> Floats:
    """The CIE 1931 2° colour matching functions [3, n] by the fit of Wyman, Sloan and Shirley (JCGT 2013, multi-lobe)."""

    def lobe(middle: float, below: float, above: float) -> Floats:
        t = (WAVES - middle) * np.where(WAVES < middle, below, above)
        return np.exp(-0.5 * t * t)

    x = 1.056 * lobe(599.8, 0.0264, 0.0323) + 0.362 * lobe(442.0, 0.0624, 0.0374) - 0.065 * lobe(501.1, 0.0490, 0.0382)
    y = 0.821 * lobe(568.8, 0.0213, 0.0247) + 0.286 * lobe(530.9, 0.0613, 0.0322)
    z = 1.217 * lobe(437.0, 0.0845, 0.0278) + 0.681 * lobe(459.0, 0.0385, 0.0725)
    return np.stack([x, y, z])


TO_RGB = np.array(
    [[3.2404542, -1.5371385, -0.4985314], [-0.9692660, 1.8760108, 0.0415560], [0.0556434, -0.2040259, 1.0572252]]
)


def colour(reflectance: Floats) -> Floats:
    """Linear Rec.709 of a reflectance under light of equal energy, white balanced channel by channel."""
    seen = TO_RGB @ (matching() @ reflectance)
    return np.asarray(np.clip(seen / (TO_RGB @ matching().sum(axis=1)), 0.0, 1.0))


def reflected(n: Floats, k: Floats, cosine: float) -> Floats:
    """What a smooth metal reflects of light that is not polarised (Born and Wolf, Principles of Optics, section 14.2)."""
    c2 = cosine * cosine
    s2 = 1.0 - c2
    d = n * n - k * k - s2
    both = np.sqrt(d * d + 4.0 * n * n * k * k)
    a = np.sqrt(np.maximum(0.5 * (both + d), 0.0))
    across = (both + c2 - 2.0 * a * cosine) / (both + c2 + 2.0 * a * cosine)
    along = across * (c2 * both + s2 * s2 - 2.0 * a * cosine * s2) / (c2 * both + s2 * s2 + 2.0 * a * cosine * s2)
    return np.asarray(0.5 * (across + along))


def of_metal(symbol: str) -> dict[str, tuple[float, ...]]:
    """What a metal reflects when faced and at 82°, and its n and k as each channel weighs them."""
    n, k = spectrum(f"{symbol}.eta"), spectrum(f"{symbol}.k")
    weights = np.clip(TO_RGB @ matching(), 0.0, None)
    weights /= weights.sum(axis=1, keepdims=True)
    faced, edge = colour(reflected(n, k, 1.0)), colour(reflected(n, k, 1.0 / 7.0))

    def told(values: Floats) -> tuple[float, ...]:
        return tuple(round(float(value), 4) for value in values)

    return {"faced": told(faced), "at_82": told(edge), "n": told(weights @ n), "k": told(weights @ k)}


if __name__ == "__main__":
    for name, symbol in METALS.items():
        print(name, symbol, of_metal(symbol))  # noqa: T201 - that is what it is for
