"""The view's layers: few lights have one each; of many, those that are mixed alike share one."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from durvan.crossing.job.session import start
from durvan.crossing.light import measuring
from durvan.crossing.looks.layered import MOST, Layered
from durvan.dialects.registry import Registry
from durvan.engine import renderer
from durvan.engine.staging import Staged
from durvan.formats.table import reader
from durvan.progress import silent

pytestmark = pytest.mark.usefixtures("kernels")
HEAD = '#usda 1.0\n(\n    metersPerUnit = 1\n    upAxis = "Y"\n)\n'
FLOOR = """def Camera "Eye"
{
    double3 xformOp:translate = (0, 1, 6)
    uniform token[] xformOpOrder = ["xformOp:translate"]
}
def Mesh "Wall"
{
    int[] faceVertexCounts = [4]
    int[] faceVertexIndices = [0, 1, 2, 3]
    point3f[] points = [(-9, -9, 0), (9, -9, 0), (9, 9, 0), (-9, 9, 0)]
    uniform token subdivisionScheme = "none"
}
"""


def staged(folder: Path, packs: Registry, lights: int) -> Staged:
    """A wall with some lights before it."""
    lamps = "".join(
        f'def SphereLight "L{n}"\n{{\n    float inputs:intensity = {5 + n}\n    float inputs:radius = 0.05\n'
        f'    double3 xformOp:translate = ({-2 + 4 * n / lights}, {n % 5 * 0.4}, 1)\n'
        '    uniform token[] xformOpOrder = ["xformOp:translate"]\n}\n'
        for n in range(lights)
    )  # fmt: skip
    file = folder / f"lit{lights}.usda"
    file.write_text(HEAD + FLOOR + lamps)
    session = start(file, packs, "orvik")
    shapes = reader(file).shapes(file, silent)
    return measuring.staged(session.scene, shapes, session.light_wanted(), packs).source


@pytest.fixture(scope="module")
def forty(tmp_path_factory, packs: Registry) -> Staged:
    return staged(tmp_path_factory.mktemp("forty"), packs, 40)


def rendered(layered: Layered) -> Layered:
    assert renderer.expose(layered.staged.built, layered.staged.camera, layered.film, 8, 4)
    return layered


def test_a_few_have_a_layer_each(tmp_path: Path, packs: Registry) -> None:
    layered = rendered(Layered(staged(tmp_path, packs, 6), np.ones(6)))
    assert layered.film.layers.shape[2] == 6
    factors = np.array([0.0, 2.0, 1.0, 0.5, 4.0, 0.25])
    assert layered.fits(factors)
    meant = sum(k * layered.film.layers[:, :, n] for n, k in enumerate(factors))
    assert layered.mixed(factors) == pytest.approx(meant) and layered.mixed(factors).max() > 0.0


def test_of_many_those_that_are_mixed_alike_share_one(forty: Staged) -> None:
    even = rendered(Layered(forty, np.ones(40)))
    whole = even.mixed(np.ones(40)).copy()
    assert even.film.layers.shape[2] == 1 and whole.max() > 0.0
    assert even.fits(np.full(40, 0.5)) and even.mixed(np.full(40, 0.5)) == pytest.approx(0.5 * whole)
    factors = np.ones(40)
    factors[7] = 0.25
    assert not even.fits(factors)
    apart = rendered(Layered(forty, factors))
    assert apart.film.layers.shape[2] == 2
    assert apart.mixed(np.ones(40)) == pytest.approx(whole, rel=1e-9, abs=1e-12)  # the same samples, kept apart
    alone = np.zeros(40)
    alone[7] = 1.0
    assert apart.fits(alone)
    assert apart.mixed(factors) == pytest.approx(whole - 0.75 * apart.mixed(alone), rel=1e-9, abs=1e-12)


def test_too_many_factors_are_brought_together(forty: Staged) -> None:
    factors = 2.0 ** np.linspace(-0.9, 0.9, 40)
    exact = np.zeros_like(forty.film().picture)
    for number in range(0, 40, 20):  # twenty at a time, which fit
        some = factors.copy()
        some[np.arange(40) // 20 != number // 20] = 0.0
        exact = exact + rendered(Layered(forty, some)).mixed(some)
    layered = rendered(Layered(forty, factors))
    assert 8 <= layered.film.layers.shape[2] <= MOST and layered.fits(factors)
    assert layered.mixed(factors).mean() == pytest.approx(exact.mean(), rel=0.02)


def test_no_lights_at_all(tmp_path: Path, packs: Registry) -> None:
    layered = rendered(Layered(staged(tmp_path, packs, 0), np.ones(0)))
    assert layered.fits(np.ones(0)) and layered.mixed(np.ones(0)).max() == 0.0
