"""Tangents that are written with a mesh: where u grows, square to the normal, on the right side, shared by neighbours."""

from __future__ import annotations

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from durvan.formats.gltf.tangents import tangents

_UP = np.array([0.0, 0.0, 1.0])


def sheet(turn: float, mirrored: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """A square of two triangles in the xy plane whose u runs at an angle to x."""
    at = np.array([[0.0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 1, 0]])
    along = np.array([np.cos(turn), np.sin(turn), 0.0])
    up = np.cross(_UP, along) * (-1.0 if mirrored else 1.0)
    uv = np.stack([at @ along, at @ up], axis=1)
    order = np.array([[0, 1, 2], [0, 2, 3]])
    return at[order], np.broadcast_to(_UP, (2, 3, 3)).copy(), uv[order]


@given(st.floats(0.0, 6.28), st.booleans())
def test_a_tangent_runs_where_u_grows_and_its_side_is_that_of_v(turn: float, mirrored: bool) -> None:
    out = tangents(*sheet(turn, mirrored))
    assert out.shape == (6, 4)
    np.testing.assert_allclose(
        out[:, :3], np.broadcast_to([np.cos(turn), np.sin(turn), 0.0], (6, 3)), rtol=0.0, atol=1e-6
    )
    assert (out[:, 3] == (-1.0 if mirrored else 1.0)).all()


def test_without_uvs_or_with_ones_that_stand_still_it_is_square_to_the_normal() -> None:
    corners, normals, uvs = sheet(0.3, False)
    normals = np.array([[[1.0, 2, 3]] * 3, [[0.0, -1, 0]] * 3]) / np.sqrt([14.0, 1.0])[:, None, None]
    for given_uvs in (None, np.zeros_like(uvs)):
        out = tangents(corners, normals, given_uvs)
        np.testing.assert_allclose(np.linalg.norm(out[:, :3], axis=1), 1.0, atol=1e-9)
        np.testing.assert_allclose((out[:, :3] * normals.reshape(-1, 3)).sum(axis=1), 0.0, atol=1e-9)


def test_neighbours_on_a_bent_sheet_share_theirs_by_their_size() -> None:
    at = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0], [2, 0, 2]])
    corners = at[np.array([[0, 1, 2], [1, 3, 2]])]
    uv = np.array([[0.0, 0], [1, 0], [0, 1], [2, 0.7]])[np.array([[0, 1, 2], [1, 3, 2]])]
    normal = np.array([-1.0, 0, 2]) / np.sqrt(5.0)
    out = tangents(corners, np.broadcast_to(normal, (2, 3, 3)).copy(), uv)
    np.testing.assert_allclose(out[1], out[3], atol=1e-6)  # the corner at (1, 0, 0)
    np.testing.assert_allclose(out[2], out[5], atol=1e-6)  # and that at (0, 1, 0)
    assert not np.allclose(out[0], out[1])
