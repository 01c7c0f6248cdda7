"""Mitsuba's scene files as a format: what the table of formats asks for."""

from __future__ import annotations

from durvan.formats.mitsuba.bodies import read_bodies, read_shapes
from durvan.formats.mitsuba.readback import read_back
from durvan.formats.mitsuba.reading import read_scene
from durvan.formats.mitsuba.told import carried_before
from durvan.formats.mitsuba.writing import paths_in, rewrite, write

__all__ = ["assembly", "carried_before", "paths_in", "read", "read_back", "rewrite", "shapes", "write"]
assembly, read, shapes = read_bodies, read_scene, read_shapes
