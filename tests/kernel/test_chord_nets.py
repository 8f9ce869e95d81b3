"""Nets of chords across a bumpy ring, which end on others at any angle."""

from __future__ import annotations

import numpy as np
import pytest

from glass_spoon.kernel.curves.make.interpolate import interpolate_points
from glass_spoon.kernel.meshing.mesh_set import mesh_set
from glass_spoon.kernel.meshing.set_counts import Wish
from glass_spoon.kernel.patches.fill_net import fill_net


@pytest.mark.parametrize("size", [0.01, 1.0, 100.0])
@pytest.mark.parametrize("seed", [0, 1, 11, 13])
def test_chords_across_a_bumpy_ring_are_watertight(seed: int, size: float) -> None:
    """Lines end on others and on the ring at any angle: where a region runs past such a meeting with a small bend it has a
    vertex there, so that its edges follow the curves and neighbours share them.
    """
    random = np.random.default_rng(seed)
    bumps = random.normal(size=(3, 3)) * 3

    def lifted(flat):
        u, v = np.pi * flat.T / 100
        height = sum(bumps[i, j] * np.sin(i * u + 0.3) * np.cos(j * v) for i in range(3) for j in range(3))
        return interpolate_points(size * np.column_stack((flat, height)), closed=len(flat) == 32)

    def on_ring(turn):
        return np.stack((50 * np.cos(turn), 40 * np.sin(turn)), axis=-1)

    curves = [lifted(on_ring(np.linspace(0, 2 * np.pi, 33)[:-1]))]
    for _ in range(2 + seed % 3):
        turn = random.uniform(0, 2 * np.pi)
        ends = 1.001 * on_ring(np.array([turn, turn + random.uniform(2.0, 4.2)]))
        curves.append(lifted(ends[0] + np.linspace(0, 1, 15)[:, None] * (ends[1] - ends[0])))
    net = fill_net(curves, 0.4 * size)
    assert net.off < 0.005 * size
    assert net.kink < np.radians(2)
    mesh = mesh_set(net.shape, Wish((2.5 * size, 2.5 * size)))
    assert len(mesh.topology.boundary_loops) == 1
    assert (mesh.topology.edge_face_counts <= 2).all()
