"""The bodies and meshes of a Mitsuba scene, for a renderer and for files of other formats."""

from __future__ import annotations

import os
from dataclasses import replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from durvan.errors import SceneFileError
from durvan.formats.mitsuba.document import Document, Thing
from durvan.formats.mitsuba.models import model
from durvan.formats.mitsuba.reading import FILES, SCENE, Reader, ShapeRow
from durvan.formats.mitsuba.solids import SOLIDS
from durvan.progress import Report, Step, silent
from durvan.scene.assembly import Assembly, Body, turn_round
from durvan.scene.shapes import Mesh, Shapes

Floats = NDArray[np.float64]
_DRAWN = ("obj", "ply", "serialized", "linearcurve", "bsplinecurve")


class BodyReader:
    """Reads one document's bodies. Use `read_bodies`."""

    def __init__(self, document: Document, report: Report) -> None:
        self.reader = Reader(document)
        self.raw = self.reader.run(report)
        self.folder = document.folder
        self.report = report
        self.out = Assembly()
        self.known: dict[tuple[object, ...], int] = {}
        self.at: dict[str, int] = {}

    def run(self) -> Assembly:
        """All bodies that are no lights."""
        rows = [row for row in self.reader.rows if not row.lit]
        for count, row in enumerate(rows):
            if count % 500 == 0:
                self.report(Step("Reading shapes", count, len(rows)))
            self._body(row)
        return self.out.without_idle()

    def _body(self, row: ShapeRow) -> None:
        matrix = row.thing.matrices.get("to_world", np.eye(4))
        parent = self.at.get(row.home, -1) if row.home != SCENE else -1
        body = Body(row.path, row.path.rsplit("/", 1)[-1], parent, matrix)
        self.at[row.path] = len(self.out.bodies)
        self.out.bodies.append(body)
        if row.thing.type not in ("instance", "merge"):
            body.form = self._form(row)

    def _form(self, row: ShapeRow) -> int:
        one = row.thing
        key = (one.type, tuple(sorted((name, str(value)) for name, value in one.values.items())), row.material)
        if key not in self.known:
            made = self._mesh(one, row.path)
            self.known[key] = -1
            if made is not None:
                made.material[:] = self.out.number(row.material)
                self.known[key] = len(self.out.forms)
                self.out.forms.append(made)
        return self.known[key]

    def _mesh(self, one: Thing, path: str) -> Mesh | None:
        if one.type in SOLIDS:
            made = SOLIDS[one.type](path, one.values)
        elif one.type in _DRAWN:
            found = self._file(one, path)
            if found is None:
                return None
            made = found
        else:
            kind = "a shape whose file is not read" if one.type in FILES else f"a shape of the kind '{one.type[:40]}'"
            self.out.lost.append(f"{path}: {kind} is left out")
            return None
        if one.values.get("flip_normals") is True:
            turn_round(made)
            if made.normals is not None:
                made.normals = -made.normals
        return made

    def _file(self, one: Thing, path: str) -> Mesh | None:
        name = str(one.values.get("filename", ""))
        if "://" in name:
            self.out.lost.append(f"{path}: '{name[:120]}' is an address of a network, which is never read")
            return None
        file = Path(os.path.normpath(os.path.join(self.folder, name)))
        flipped = one.values.get("flip_tex_coords", one.type == "obj")
        index = one.values.get("shape_index", 0)
        try:
            return model(
                one.type, file, path, one.values.get("face_normals") is True, flipped is True,
                index if isinstance(index, int) else 0,
            )  # fmt: skip
        except SceneFileError as problem:
            self.out.lost.append(f"{path}: {problem}")
            return None


def read_bodies(file: Path, report: Report = silent) -> Assembly:
    """What stands in a scene file besides materials. Raises SceneFileError."""
    return BodyReader(Document(file), report).run()


def read_shapes(file: Path, report: Report = silent) -> Shapes:
    """What a file looks like to a renderer: meshes, and where lights and cameras stand. Raises SceneFileError."""
    reader = BodyReader(Document(file), report)
    out = replace(reader.run()).shapes()
    for thing in reader.raw.things:
        if thing.stands:
            out.places[thing.path] = np.array(thing.stands).reshape(4, 4)
    return out
