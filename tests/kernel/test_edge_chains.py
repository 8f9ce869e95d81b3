"""Edges of meshes put together to lines that run straight on where they cross."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.meshes.edge_chains import diagonal_chains, edge_chains
from glass_spoon.kernel.meshes.mesh import Mesh, make_mesh


def grid(across: int, deep: int) -> Mesh:
    """Return a flat grid of quads."""
    x, y = np.meshgrid(np.arange(across + 1.0), np.arange(deep + 1.0), indexing="ij")
    at = np.arange((across + 1) * (deep + 1)).reshape(across + 1, deep + 1)
    faces = np.stack((at[:-1, :-1], at[1:, :-1], at[1:, 1:], at[:-1, 1:]), axis=2).reshape(-1, 4)
    return make_mesh(np.column_stack((x.ravel(), y.ravel(), 0 * x.ravel())), faces)


def tube(around: int, along: int) -> Mesh:
    """Return an open tube of quads."""
    angle = 2 * np.pi * np.arange(around) / around
    points = [np.column_stack((np.cos(angle), np.sin(angle), np.full(around, float(k)))) for k in range(along + 1)]
    at = np.arange(around * (along + 1)).reshape(along + 1, around)
    ahead = np.roll(at, -1, axis=1)
    faces = np.stack((at[:-1], ahead[:-1], ahead[1:], at[1:]), axis=2).reshape(-1, 4)
    return make_mesh(np.concatenate(points), faces)


@pytest.mark.parametrize(("across", "deep"), [(1, 1), (2, 1), (5, 3)])
def test_a_grid_gives_its_lines(across, deep):
    """One line for each row and column but the border, which is one line all round: its corners have two edges."""
    mesh = grid(across, deep)
    lines = edge_chains(mesh.topology, np.ones(len(mesh.topology.edges.ends), dtype=bool))
    inner = (across - 1) + (deep - 1)
    assert len(lines) == inner + 1
    assert sum(line.closed for line in lines) == 1
    edges = sum(len(line.vertices) - (not line.closed) for line in lines)
    assert edges == len(mesh.topology.edges.ends)
    for line in lines:
        if not line.closed:
            assert np.ptp(mesh.positions[line.vertices], axis=0).min() == 0


def test_a_tube_gives_rings_and_straights_and_marks_choose():
    """Twelve straights and five rings; of one marked edge one line; of none none."""
    mesh = tube(12, 4)
    every = np.ones(len(mesh.topology.edges.ends), dtype=bool)
    lines = edge_chains(mesh.topology, every)
    assert sorted(line.closed for line in lines) == [False] * 12 + [True] * 5
    assert {len(line.vertices) for line in lines if line.closed} == {12}
    one = np.zeros_like(every)
    one[3] = True
    assert [len(line.vertices) for line in edge_chains(mesh.topology, one)] == [2]
    assert edge_chains(mesh.topology, ~every) == []


def test_diagonals_wind_about_a_tube():
    """Both ways, from rim to rim; on a grid each is a straight."""
    mesh = tube(8, 4)
    lines = diagonal_chains(mesh.topology, np.ones(mesh.face_count, dtype=bool))
    segments = sum(len(line.vertices) - (not line.closed) for line in lines)
    assert segments == 2 * mesh.face_count
    flat = grid(4, 4)
    for line in diagonal_chains(flat.topology, np.ones(flat.face_count, dtype=bool)):
        steps = np.diff(flat.positions[line.vertices], axis=0)
        turns = np.abs(steps[1:, 0] * steps[:-1, 1] - steps[1:, 1] * steps[:-1, 0])
        inner = flat.positions[line.vertices[1:-1], :2]
        on_rim = ((inner == 0) | (inner == 4)).any(axis=1)
        assert (turns[~on_rim] == 0).all()
