"""What Durvan writes into glTF files besides what they are: its own extras, and what lights are called."""

from __future__ import annotations

WORDS_OF_LIGHTS = {"gltf.point": "point", "gltf.spot": "spot", "gltf.directional": "directional"}
EXTRAS = "durvan"
