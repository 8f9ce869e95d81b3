"""Signs of elements: their parameters and piece, by which they are found again."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
import pytest

from glass_spoon.kernel.meshes import signed_places
from glass_spoon.kernel.meshes.marked import MarkKind, element_middles
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh
from glass_spoon.kernel.meshes.signed_places import sign_elements


def find_signed(mesh: Mesh, kind: MarkKind, places: np.ndarray, signs: np.ndarray) -> np.ndarray:
    """Return what has signs (k, 3) of one piece."""
    pieces = [None if np.isnan(piece) else [int(piece)] for piece in signs[:, 2]]
    return signed_places.find_signed(mesh, kind, places, signs[:, :2], pieces)


def sheet(columns: int, rows: int, size: float = 1.0) -> Mesh:
    """Return a flat sheet of faces with its parameters, as a surface of one piece has them."""
    u, v = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1), indexing="ij")
    first = np.arange((columns + 1) * (rows + 1)).reshape(columns + 1, rows + 1)[:-1, :-1].ravel()
    faces = np.column_stack((first, first + rows + 1, first + rows + 2, first + 1))
    uv = np.column_stack((u.ravel(), v.ravel()))
    made = make_mesh(size * np.column_stack((uv, np.zeros(len(uv)))), faces)
    return replace(made, corners={"uv": uv[faces.ravel()]})


@pytest.mark.parametrize("kind", ["face", "edge", "point"])
@pytest.mark.parametrize("size", [0.01, 1.2, 100.0])
def test_every_element_is_found_by_its_sign_at_any_size(kind: MarkKind, size: float) -> None:
    """Places are those of the first size: the signs alone tell all elements apart."""
    first, second = sheet(7, 4), sheet(7, 4, size)
    places = element_middles(first, kind)
    every = np.arange(len(places))
    assert find_signed(second, kind, places, sign_elements(first, kind, every)).tolist() == every.tolist()


def test_another_count_gives_what_lies_nearest_on_the_surface() -> None:
    """A point of a sheet of 4 by 4 is the point of one of 8 by 8 at the same place; a face is one that lies within it."""
    coarse, fine = sheet(4, 4), sheet(8, 8, 3.0)
    points = np.arange(coarse.point_count)
    found = find_signed(fine, "point", coarse.positions, sign_elements(coarse, "point", points))
    np.testing.assert_allclose(fine.positions[found], 3 * coarse.positions, atol=1e-12)
    faces = np.arange(coarse.face_count)
    found = find_signed(fine, "face", coarse.face_centers, sign_elements(coarse, "face", faces))
    assert np.abs(fine.face_centers[found] / 3 - coarse.face_centers)[:, :2].max() <= 1 / 16 + 1e-12


def test_what_lies_on_no_face_any_more_is_not_found() -> None:
    """Half of a sheet is gone: what lay there is lost, and nothing of what stays is taken in its place."""
    whole = sheet(8, 8)
    stays = whole.face_centers[:, 0] < 0.5
    corners = whole.topology.face_corners.reshape(-1, 4)[stays]
    half = replace(make_mesh(whole.positions, corners), corners={"uv": whole.positions[corners.ravel(), :2]})
    every = np.arange(whole.face_count)
    found = find_signed(half, "face", whole.face_centers, sign_elements(whole, "face", every))
    far = whole.face_centers[:, 0] > 0.7
    assert (found[far] == -1).all()
    np.testing.assert_allclose(half.face_centers[found[stays]], whole.face_centers[stays])


def test_without_parameters_the_place_alone_finds() -> None:
    """A mesh from a file has no signs: what is nearest counts."""
    bare = replace(sheet(3, 3), corners={})
    signs = sign_elements(bare, "face", np.array([0, 4]))
    assert np.isnan(signs).all()
    assert find_signed(bare, "face", bare.face_centers[[4, 0]] + 0.01, signs).tolist() == [4, 0]
