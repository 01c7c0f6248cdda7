"""The camera's view in layers, so that lights are mixed without rendering anew."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from durvan.engine.renderer import Film
from durvan.engine.staging import Staged

Floats = NDArray[np.float64]
MOST = 32  # layers: a light has one of its own, or, where there are more lights, those that are mixed alike share one
_STEPS = (0.0, 0.05, 0.25, 1.0)  # stops to which factors are rounded until they are few enough


class Layered:
    """A side's film with the layer of each group of lights, chosen for some factors on the groups."""

    def __init__(self, staged: Staged, factors: Floats) -> None:
        self.staged = staged
        count = len(factors)
        self.layer = np.arange(count) if count <= MOST else _alike(factors)
        staged.built.into_layers(self.layer.tolist())
        layers = int(self.layer.max()) + 1 if count else 1
        self.film: Film = Film.empty(staged.width, staged.height, layers)

    def fits(self, factors: Floats) -> bool:
        """Whether each layer's lights have one factor, so that the layers can be mixed by it."""
        return bool(np.allclose(factors, self._of_layers(factors)[self.layer], rtol=1e-9, atol=0.0)) or bool(
            len(factors) > MOST and np.array_equal(_alike(factors), self.layer)
        )

    def mixed(self, factors: Floats) -> Floats:
        """The picture so far with a factor on each group: [height, width, 3] in nit."""
        if not len(factors):
            return self.film.picture
        return np.asarray(np.tensordot(self.film.layers, self._of_layers(factors), axes=([2], [0])))

    def _of_layers(self, factors: Floats) -> Floats:
        """The factor on each layer: the mean of its groups', which are one where it `fits`."""
        counts = np.maximum(np.bincount(self.layer), 1)
        return np.asarray(np.bincount(self.layer, weights=factors) / counts)


def _alike(factors: Floats) -> NDArray[np.int64]:
    """A layer for each group, by its factor: the same where the factors are the same, or nearly, if they are too many."""
    stops = np.log2(np.maximum(factors, 2.0**-40))
    for step in _STEPS:
        rounded = np.round(stops / step) if step else factors
        values, layer = np.unique(rounded, return_inverse=True)
        if len(values) <= MOST:
            return np.asarray(layer, dtype=np.int64)
    return np.asarray(np.digitize(stops, np.quantile(stops, np.linspace(0.0, 1.0, MOST)[1:-1])), dtype=np.int64)
