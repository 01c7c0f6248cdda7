"""The bodies and meshes of a glTF file: every kind of primitive as triangles, morphs and skins as they stand at rest."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from durvan.errors import SceneFileError
from durvan.formats.gltf.accessors import array
from durvan.formats.gltf.container import Asset, read_asset
from durvan.formats.gltf.lenient import extended, extension, listed, table
from durvan.formats.gltf.paths import SCENE, material_paths, node_paths, parents
from durvan.formats.gltf.transforms import local, turned, wrong
from durvan.progress import Report, Step, silent
from durvan.scene.assembly import Assembly, Body
from durvan.scene.shapes import Mesh

Floats = NDArray[np.float64]
_PARTS = {"POSITION": (3, 3), "NORMAL": (3, 3), "TEXCOORD": (2, 2), "COLOR": (3, 4)}  # fewest and most
DRACO, COPIES = "KHR_draco_mesh_compression", "EXT_mesh_gpu_instancing"
_POINTS, _TRIANGLES, _STRIP, _FAN = 0, 4, 5, 6
_MOST_COPIES = 1_000_000


class MeshReader:
    """Reads one file's bodies. Use `read_bodies`."""

    def __init__(self, asset: Asset, report: Report) -> None:
        self.asset, self.report = asset, report
        self.nodes = asset.many("nodes")
        self.meshes = asset.many("meshes")
        self.above, self.order = parents(self.nodes)
        self.paths = node_paths(self.nodes, self.above, self.order)
        self.out = Assembly(materials=["", *material_paths(asset.many("materials"))])
        self.known: dict[tuple[int, tuple[float, ...]], int] = {}
        self.shown = self._in_scene()
        self.at: dict[int, int] = {}

    def run(self) -> Assembly:
        """All bodies of the scene that is shown."""
        for count, place in enumerate(self.order):
            if count % 500 == 0:
                self.report(Step("Reading shapes", count, len(self.order)))
            if place in self.shown:
                self._node(place)
        self._skins()
        return self.out.without_idle()

    def _in_scene(self) -> set[int]:
        """The nodes of the scene that is shown; all of them where none is said."""
        scenes = self.asset.many("scenes")
        number = self.asset.document.get("scene", 0 if scenes else None)
        if not isinstance(number, int) or not 0 <= number < len(scenes):
            return set(range(len(self.nodes)))
        roots = scenes[number].get("nodes", [])
        waiting = (
            [one for one in roots if isinstance(one, int) and 0 <= one < len(self.nodes)]
            if isinstance(roots, list)
            else []
        )
        found: set[int] = set()
        below: dict[int, list[int]] = {}
        for child, parent in enumerate(self.above):
            below.setdefault(parent, []).append(child)
        while waiting:
            here = waiting.pop()
            if here not in found:
                found.add(here)
                waiting += below.get(here, [])
        return found

    def _note(self, place: str, said: str) -> None:
        self.out.lost.append(f"{place}: {said}")

    def _node(self, place: int) -> None:
        node = self.nodes[place]
        for said in wrong(node):
            self._note(self.paths[place], said)
        parent = self.at.get(self.above[place], -1)
        body = Body(self.paths[place], self.paths[place].rsplit("/", 1)[-1], parent, local(node))
        body.hidden = extension(node, "KHR_node_visibility").get("visible") is False
        self.at[place] = len(self.out.bodies)
        self.out.bodies.append(body)
        mesh = node.get("mesh")
        if not isinstance(mesh, int) or not 0 <= mesh < len(self.meshes):
            return
        form = self._form(mesh, node.get("weights"))
        if extended(node, COPIES):
            self._copies(place, extension(node, COPIES), form)
        else:
            body.form = form

    def _copies(self, place: int, said: dict[str, Any], form: int) -> None:
        """Every copy of an instanced mesh as a body of its own."""
        attributes = said.get("attributes")
        try:
            given = {
                name: array(self.asset, index, f"{self.paths[place]}/{name}").astype(np.float64)
                for name, index in (attributes.items() if isinstance(attributes, dict) else ())
                if name in ("TRANSLATION", "ROTATION", "SCALE")
            }
        except SceneFileError as problem:
            self._note(self.paths[place], str(problem.what))
            return
        count = min((len(values) for values in given.values()), default=0)
        if count > _MOST_COPIES:
            self._note(self.paths[place], f"more than {_MOST_COPIES} copies; they are left out")
            return
        parent = self.at[place]
        for number in range(count):
            matrix = np.eye(4)
            if "SCALE" in given:
                matrix[:3, :3] = np.diag(given["SCALE"][number])
            if "ROTATION" in given:
                matrix[:3, :3] = matrix[:3, :3] @ turned(given["ROTATION"][number])
            if "TRANSLATION" in given:
                matrix[3, :3] = given["TRANSLATION"][number]
            self.out.bodies.append(Body(f"{self.paths[place]}/copy_{number}", f"copy_{number}", parent, matrix, form))

    # forms

    def _form(self, mesh: int, weights: Any) -> int:
        own = weights if isinstance(weights, list) else self.meshes[mesh].get("weights")
        key = mesh, tuple(float(w) for w in own if isinstance(w, int | float)) if isinstance(own, list) else ()
        found = self.known.get(key)
        if found is None:
            found = self.known[key] = len(self.out.forms)
            self.out.forms.append(self._mesh(mesh, key[1]))
        return found

    def _mesh(self, place: int, weights: tuple[float, ...]) -> Mesh:
        parts: list[Mesh] = []
        said = self.meshes[place].get("primitives")
        if not isinstance(said, list):
            self._note(f"/meshes/{place}", "it has no list of primitives")
        for number, one in enumerate(listed(said)):
            inside = f"/meshes/{place}/primitives/{number}"
            try:
                part = self._primitive(one if isinstance(one, dict) else {}, inside, weights)
            except SceneFileError as problem:
                self._note(problem.inside or inside, problem.what)
                continue
            if part is not None:
                parts.append(part)
        name = f"{SCENE}/mesh_{place}"
        return joined(name, parts)

    def _primitive(self, one: dict[str, Any], inside: str, weights: tuple[float, ...]) -> Mesh | None:
        mode = one.get("mode", _TRIANGLES)
        if mode not in (_TRIANGLES, _STRIP, _FAN):
            self._note(inside, "points and lines have no surface; they are left out")
            return None
        attributes = one.get("attributes")
        if not isinstance(attributes, dict) or "POSITION" not in attributes:
            raise SceneFileError("has no positions.", file=self.asset.file, inside=inside)
        packed = (one.get("extensions") or {}).get(DRACO) if isinstance(one.get("extensions"), dict) else None
        if isinstance(packed, dict):
            given, corners = self._unpacked(packed, attributes, inside)
        else:
            given = {
                str(name): array(self.asset, index, f"{inside}/{name}")
                for name, index in attributes.items()
                if not str(name).startswith(("JOINTS", "WEIGHTS", "TANGENT"))
            }
            corners = self._corners(one, len(given["POSITION"]), inside)
        given = self._of_width(given, inside)
        points = given["POSITION"].astype(np.float64)
        self._morph(one, given, points, weights, inside)
        triangles = triangles_of(corners, mode)
        if len(triangles) and int(triangles.max()) >= len(points):
            raise SceneFileError(
                f"has a corner at point {int(triangles.max())} of {len(points)}.", file=self.asset.file, inside=inside
            )
        good = np.isfinite(points[triangles]).all(axis=(1, 2)) if len(triangles) else np.zeros(0, dtype=bool)
        if len(triangles) and not good.all():
            self._note(inside, f"{int((~good).sum())} triangles have points that are no numbers; they are left out")
            triangles = triangles[good]
        material = one.get("material")
        number = material + 1 if isinstance(material, int) and 0 <= material < len(self.out.materials) - 1 else 0
        return self._made(points, triangles, given, number)

    def _of_width(self, given: dict[str, Any], inside: str) -> dict[str, Any]:
        """What has as many parts as it must. Raises SceneFileError where places do not."""
        out = {}
        for name, values in given.items():
            least, most = _PARTS.get(name.partition("_")[0], (1, 16))
            parts = values.shape[-1] if values.ndim == 2 else 1
            if least <= parts <= most:
                out[name] = values
            elif name == "POSITION":
                raise SceneFileError(f"has places of {parts} parts.", file=self.asset.file, inside=inside)
            else:
                self._note(inside, f"{name} has {parts} parts; it is left out")
        return out

    @staticmethod
    def _made(points: Floats, triangles: NDArray[np.int64], given: dict[str, Any], material: int) -> Mesh:
        def at_corners(name: str) -> Floats | None:
            values = given.get(name)
            if values is None or len(values) != len(points):
                return None
            return np.asarray(np.nan_to_num(values.astype(np.float64))[triangles])

        uvs: dict[str, Floats] = {}
        more: dict[str, Floats] = {}
        for name in given:
            kind, _, number = name.partition("_")
            found = at_corners(name) if kind in ("TEXCOORD", "COLOR") else None
            if found is None:
                continue
            if kind == "TEXCOORD":
                found = found[..., :2].copy()
                found[..., 1] = 1.0 - found[..., 1]  # v runs down in glTF
                uvs["" if number == "0" else f"st{number}"] = found
            else:
                more[name] = found[..., :3]
        first = uvs.pop("", None)
        return Mesh(
            "",
            points,
            triangles.astype(np.int32),
            at_corners("NORMAL"),
            first,
            np.full(len(triangles), material, np.int32),
            more={**uvs, **more},
        )

    def _corners(self, one: dict[str, Any], points: int, inside: str) -> NDArray[np.int64]:
        if "indices" not in one:
            return np.arange(points, dtype=np.int64)
        found = array(self.asset, one["indices"], f"{inside}/indices")
        if found.dtype.kind != "u" or found.shape[1] != 1:
            raise SceneFileError(
                "has corners that are no whole numbers.", file=self.asset.file, inside=f"{inside}/indices"
            )
        return found[:, 0].astype(np.int64)

    def _morph(
        self, one: dict[str, Any], given: dict[str, Any], points: Floats, weights: tuple[float, ...], inside: str
    ) -> None:
        """Add what the morph targets give with their weights at rest."""
        targets = one.get("targets")
        for number, (target, weight) in enumerate(
            zip(targets if isinstance(targets, list) else (), weights, strict=False)
        ):
            if weight and isinstance(target, dict) and "POSITION" in target:
                moved = array(self.asset, target["POSITION"], f"{inside}/targets/{number}").astype(np.float64)
                if moved.shape == points.shape:
                    points += weight * moved
            if weight and isinstance(target, dict) and "NORMAL" in target and "NORMAL" in given:
                moved = array(self.asset, target["NORMAL"], f"{inside}/targets/{number}").astype(np.float64)
                if moved.shape == given["NORMAL"].shape:
                    given["NORMAL"] = given["NORMAL"].astype(np.float64) + weight * moved

    def _unpacked(
        self, said: dict[str, Any], attributes: dict[str, Any], inside: str
    ) -> tuple[dict[str, Any], NDArray[np.int64]]:
        """What Draco has compressed. Raises SceneFileError where it cannot be decoded."""
        try:
            import DracoPy
        except ImportError as problem:
            raise SceneFileError(
                "is compressed by Draco, and the library that decodes it is not installed.",
                file=self.asset.file,
                inside=inside,
            ) from problem
        data, start, length, _ = self.asset.view(said.get("bufferView"), inside)
        try:
            mesh = DracoPy.decode(data[start : start + length])
        except Exception as problem:
            raise SceneFileError(
                f"is compressed by Draco, and does not decode: {problem}.", file=self.asset.file, inside=inside
            ) from problem
        own = {one["unique_id"]: np.asarray(one["data"]) for one in mesh.attributes}
        names = said.get("attributes")
        given = {
            str(name): own[index] for name, index in (names.items() if isinstance(names, dict) else ()) if index in own
        }
        if "POSITION" not in given:
            raise SceneFileError("is compressed by Draco without positions.", file=self.asset.file, inside=inside)
        for name, values in given.items():
            accessor = self.asset.one("accessors", attributes.get(name), inside) if name in attributes else {}
            if accessor.get("normalized") and values.dtype.kind in "iu":
                given[name] = values / np.iinfo(values.dtype).max
        return given, np.asarray(mesh.faces, dtype=np.int64).reshape(-1)

    # skins

    def _skins(self) -> None:
        """Put skinned meshes where their joints hold them at rest."""
        skins = self.asset.many("skins")
        world: list[Floats] | None = None
        for place, node in enumerate(self.nodes):
            skin, mesh = node.get("skin"), node.get("mesh")
            if (
                place not in self.at
                or not isinstance(skin, int)
                or not isinstance(mesh, int)
                or not 0 <= skin < len(skins)
            ):
                continue
            if world is None:
                world = self.out.world()
            try:
                form = self._skinned(place, skins[skin], mesh, world)
            except SceneFileError as problem:
                self._note(self.paths[place], f"its skin is left out: {problem.what}")
                continue
            if form is not None:
                body = self.out.bodies[self.at[place]]
                self.out.forms.append(form)
                body.form, body.parent, body.matrix = len(self.out.forms) - 1, -1, np.eye(4)

    def _skinned(self, place: int, skin: dict[str, Any], mesh: int, world: list[Floats]) -> Mesh | None:
        named = listed(skin.get("joints"))
        joints = [one for one in named if isinstance(one, int) and one in self.at]
        if len(joints) != len(named) or not joints or self.out.bodies[self.at[place]].form < 0:
            raise SceneFileError("some of its joints are not there.", file=self.asset.file, inside=self.paths[place])
        inverse = np.tile(np.eye(4), (len(joints), 1, 1))
        if "inverseBindMatrices" in skin:
            inside = f"{self.paths[place]}/skin"
            held = array(self.asset, skin["inverseBindMatrices"], inside).astype(np.float64)
            if held.shape[1:] != (16,):
                raise SceneFileError("its matrices are none.", file=self.asset.file, inside=inside)
            inverse = held.reshape(-1, 4, 4)
        if len(inverse) < len(joints):
            raise SceneFileError("it has fewer matrices than joints.", file=self.asset.file, inside=self.paths[place])
        hold = np.stack([inverse[n] @ world[self.at[joint]] for n, joint in enumerate(joints)])
        form = self.out.forms[self.out.bodies[self.at[place]].form]
        form = replace(form, points=form.points.copy())
        first = 0
        for number, one in enumerate(listed(self.meshes[mesh].get("primitives"))):
            attributes = table(table(one).get("attributes"))
            if "POSITION" not in attributes:
                return None
            count = len(array(self.asset, attributes["POSITION"], f"{self.paths[place]}/skin"))
            if "JOINTS_0" not in attributes or "WEIGHTS_0" not in attributes or first + count > len(form.points):
                return None
            inside = f"/meshes/{mesh}/primitives/{number}"
            which = array(self.asset, attributes["JOINTS_0"], inside).astype(np.int64)
            how = array(self.asset, attributes["WEIGHTS_0"], inside).astype(np.float64)
            none = which.size and not 0 <= int(which.min()) <= int(which.max()) < len(joints)
            if len(which) != count or how.shape != which.shape or none:
                raise SceneFileError("names joints that are none.", file=self.asset.file, inside=inside)
            matrices = np.einsum("ij,ijkl->ikl", how, hold[which])
            form.points[first : first + count] = np.einsum(
                "ij,ijk->ik", np.c_[form.points[first : first + count], np.ones(count)], matrices
            )[:, :3]
            first += count
        form.normals = None
        return form


def triangles_of(corners: NDArray[np.int64], mode: int) -> NDArray[np.int64]:
    """The corners of triangles [t, 3] of a list, a strip or a fan; what is left over counts for nothing."""
    if mode == _TRIANGLES:
        return corners[: len(corners) // 3 * 3].reshape(-1, 3)
    count = max(len(corners) - 2, 0)
    step = np.arange(count)
    if mode == _FAN:
        return np.stack(
            [np.zeros(count, np.int64) + (corners[0] if len(corners) else 0), corners[step + 1], corners[step + 2]],
            axis=1,
        )
    odd = step % 2
    return np.stack([corners[step], corners[step + 1 + odd], corners[step + 2 - odd]], axis=1)


def joined(path: str, parts: list[Mesh]) -> Mesh:
    """Several meshes as one; what only some of them carry is nought with the others."""
    if len(parts) == 1:
        parts[0].path = path
        return parts[0]
    total = sum(len(one.triangles) for one in parts)
    starts = np.cumsum([0, *(len(one.points) for one in parts)])
    points = np.concatenate([one.points for one in parts]) if parts else np.zeros((0, 3))
    triangles = (
        np.concatenate([one.triangles + start for one, start in zip(parts, starts, strict=False)])
        if parts
        else np.zeros((0, 3))
    )
    some = any(one.normals is not None for one in parts) and total > 0
    normals = (
        np.concatenate([one.normals if one.normals is not None else _flat(one) for one in parts]) if some else None
    )

    def carried(name: str, width: int) -> Floats:
        rows = [(one.uvs if name == "" else one.more.get(name)) for one in parts]
        return np.concatenate(
            [
                r if r is not None else np.zeros((len(one.triangles), 3, width))
                for r, one in zip(rows, parts, strict=True)
            ]
        )

    names = {name: values.shape[-1] for one in parts for name, values in one.more.items()}
    uvs = carried("", 2) if any(one.uvs is not None for one in parts) else None
    material = np.concatenate([one.material for one in parts]) if parts else np.zeros(0, np.int32)
    more = {name: carried(name, width) for name, width in names.items()}
    return Mesh(path, points, triangles.astype(np.int32), normals, uvs, material, more=more)


def _flat(mesh: Mesh) -> Floats:
    """The normals of a mesh's faces, for each corner."""
    a, b, c = (mesh.points[mesh.triangles[:, corner]] for corner in range(3))
    across = np.cross(b - a, c - a)
    across /= np.maximum(np.linalg.norm(across, axis=1, keepdims=True), 1e-20)
    return np.repeat(across[:, None, :], 3, axis=1)


def read_bodies(file: Path, report: Report = silent) -> Assembly:
    """What stands in a file. Raises SceneFileError when it cannot be opened; what is wrong with one mesh is noted."""
    return MeshReader(read_asset(file), report).run()
