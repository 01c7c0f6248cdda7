"""What stands in a scene besides materials, in a form that every format can be given: meshes, and bodies that place them.

A mesh is there once, however many bodies show it; a body's matrix is within its parent. Nothing is flattened or turned: `up_axis` and
`metres_per_unit` say what the numbers mean.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from durvan.scene.shapes import Mesh, Shapes

Floats = NDArray[np.float64]
FIRST_UVS = "st"  # the name under which the first set of UVs may stand among what else a mesh carries


@dataclass(eq=False)
class Body:
    """Something that stands somewhere: `matrix` [4, 4] within its parent (row vectors), and the form that it shows.

    `parent` and `form` are places in the lists of an assembly, −1 for none. What is `hidden` is not shown, with all below it; what is
    `unseen` is hidden from cameras alone.
    """

    path: str
    name: str
    parent: int = -1
    matrix: Floats = field(default_factory=lambda: np.eye(4))
    form: int = -1
    hidden: bool = False
    unseen: bool = False


@dataclass(eq=False)
class Assembly:
    """All bodies, parents before children, and the forms that they show: meshes in their own space and in the assembly's unit, whose
    `material` are places in `materials`. `lost` says what could not be put so, in sentences.
    """

    bodies: list[Body] = field(default_factory=list)
    forms: list[Mesh] = field(default_factory=list)
    materials: list[str] = field(default_factory=lambda: [""])
    up_axis: str = "Y"
    metres_per_unit: float = 1.0
    lost: list[str] = field(default_factory=list)

    def number(self, material: str) -> int:
        """The place of a material in the list; it is put there when it is new."""
        if material not in self.materials:
            self.materials.append(material)
        return self.materials.index(material)

    def world(self) -> list[Floats]:
        """Where each body stands in the world, [4, 4], in the assembly's own unit and axes."""
        out: list[Floats] = []
        for body in self.bodies:
            out.append(body.matrix @ out[body.parent] if body.parent >= 0 else body.matrix)
        return out

    def hidden(self) -> list[bool]:
        """Which bodies are hidden, by themselves or with what they stand in."""
        out: list[bool] = []
        for body in self.bodies:
            out.append(body.hidden or (body.parent >= 0 and out[body.parent]))
        return out

    def worn(self) -> set[str]:
        """The materials of what is shown."""
        shown = {
            body.form for body, gone in zip(self.bodies, self.hidden(), strict=True) if body.form >= 0 and not gone
        }
        return {self.materials[int(which)] for form in shown for which in np.unique(self.forms[form].material)}

    def without_idle(self) -> Assembly:
        """The same without bodies that show nothing, and have nothing below them that does."""
        needed = [body.form >= 0 for body in self.bodies]
        for place in range(len(self.bodies) - 1, -1, -1):
            parent = self.bodies[place].parent
            if needed[place] and parent >= 0:
                needed[parent] = True
        new = {old: place for place, old in enumerate(n for n, wanted in enumerate(needed) if wanted)}
        bodies = [replace(self.bodies[old], parent=new.get(self.bodies[old].parent, -1)) for old in new]
        return replace(self, bodies=bodies)

    def upright(self) -> Floats:
        """What turns its axes and unit into metres with Y up, [4, 4] for row vectors."""
        matrix = np.eye(4)
        if self.up_axis == "Z":
            matrix[1, :3], matrix[2, :3] = (0.0, 0.0, -1.0), (0.0, 1.0, 0.0)
        matrix[:3, :3] *= self.metres_per_unit
        return matrix

    def shapes(self) -> Shapes:
        """The same as a renderer takes it: every body a mesh of its own, in metres, in the world."""
        shapes = Shapes(materials=list(self.materials), up_axis=self.up_axis, notes=list(self.lost))
        hidden = self.hidden()
        for body, world, gone in zip(self.bodies, self.world(), hidden, strict=True):
            if body.form < 0 or gone:
                continue
            mesh = placed(self.forms[body.form], world, self.metres_per_unit)
            mesh.path, mesh.unseen = body.path, body.unseen
            if len(mesh.triangles):
                shapes.meshes.append(mesh)
        return shapes


def placed(mesh: Mesh, matrix: Floats, unit: float) -> Mesh:
    """A mesh put into the world by a matrix of the same unit, in metres; turned round where the matrix mirrors."""
    points = (mesh.points @ matrix[:3, :3] + matrix[3, :3]) * unit
    normals = mesh.normals
    if normals is not None:
        turned = normals @ np.linalg.pinv(matrix[:3, :3]).T
        normals = turned / np.maximum(np.linalg.norm(turned, axis=-1, keepdims=True), 1e-20)
    out = replace(mesh, points=points, normals=normals, more=dict(mesh.more), material=mesh.material.copy())
    if np.linalg.det(matrix[:3, :3]) < 0.0:
        turn_round(out)
    return out


def turn_round(mesh: Mesh) -> None:
    """Let the faces of a mesh go round the other way."""
    mesh.triangles = mesh.triangles[:, ::-1]
    mesh.normals = mesh.normals[:, ::-1] if mesh.normals is not None else None
    mesh.uvs = mesh.uvs[:, ::-1] if mesh.uvs is not None else None
    mesh.more = {name: values[:, ::-1] for name, values in mesh.more.items()}
