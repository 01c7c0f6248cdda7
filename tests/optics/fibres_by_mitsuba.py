"""Light on a fibre as Mitsuba's `hair` gives it: reads cases from standard input, writes a list of channels for each. Run apart."""

from __future__ import annotations

import json
import sys

import mitsuba

mitsuba.set_variant("scalar_rgb")


def main() -> None:
    """Answer every case: index, absorption, roughness along and around, the eye and the light in Mitsuba's own frame."""
    out = []
    for case in json.load(sys.stdin):
        surface = mitsuba.load_dict(
            {
                "type": "hair", "int_ior": case["index"], "ext_ior": 1.0, "scale_tilt": 0.0,
                "longitudinal_roughness": case["along"], "azimuthal_roughness": case["around"],
                "sigma_a": {"type": "rgb", "value": case["absorption"]},
            }
        )  # fmt: skip
        place = mitsuba.SurfaceInteraction3f()
        place.t, place.wi = 1.0, mitsuba.Vector3f(*case["eye"])
        place.sh_frame = mitsuba.Frame3f([1, 0, 0], [0, 1, 0], [0, 0, 1])
        place.n = mitsuba.Normal3f(0, 0, 1)
        out.append(list(surface.eval(mitsuba.BSDFContext(), place, mitsuba.Vector3f(*case["light"]))))
    json.dump([[float(part) for part in one] for one in out], sys.stdout)


if __name__ == "__main__":
    main()
