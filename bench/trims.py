"""Faces: crossings of sixteen random pairs and a bored ball, beside Open CASCADE's sections and boolean."""

from __future__ import annotations

from typing import Any

import numpy as np
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Section
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeSphere
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from bench.measure import median_seconds
from glass_spoon.formats.step_geometry import geom_surface
from glass_spoon.kernel.curves.alter.place_curve import moving, turning
from glass_spoon.kernel.remembered import forget_all
from glass_spoon.kernel.surfaces.alter.edit_surface import place_surface
from glass_spoon.kernel.surfaces.evaluate.surface import NurbsSurface
from glass_spoon.kernel.trims.common_places import Parallel
from glass_spoon.kernel.trims.cross_surfaces import cross_surfaces
from glass_spoon.kernel.trims.mesh_faces import mesh_faces
from glass_spoon.kernel.trims.trim import join_bodies
from tests.kernel.trims import ball, can, pearl, ring, tube

PAIRS = 16


def pairs() -> list[tuple[NurbsSurface, NurbsSurface]]:
    """Return tubes, balls and rings in random places."""
    random = np.random.default_rng(7)
    makers = (
        lambda: tube(random.uniform(4, 12), 25),
        lambda: ball(random.uniform(6, 15)),
        lambda: ring(14, random.uniform(3, 6)),
    )

    def placed() -> NurbsSurface:
        turn = turning((0, 0, 0), random.normal(size=3), random.uniform(0, np.pi))
        return place_surface(makers[random.integers(3)](), turn.then(moving(random.uniform(-8, 8, 3))))

    return [(placed(), placed()) for _ in range(PAIRS)]


def run() -> dict[str, Any]:
    """Return seconds and ratios."""
    both = pairs()

    def cross() -> None:
        forget_all()
        for first, second in both:
            cross_surfaces(Parallel(first), Parallel(second))

    shapes = [[BRepBuilderAPI_MakeFace(geom_surface(one), 1e-7).Face() for one in pair] for pair in both]

    def sections() -> None:
        for pair in shapes:
            BRepAlgoAPI_Section(*pair).Build()

    def bored() -> None:
        forget_all()
        join_bodies(pearl(20), can(7, 30), "first less second")

    sphere = BRepPrimAPI_MakeSphere(gp_Pnt(0, 0, 0), 20).Shape()
    rod = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(0, 0, -30), gp_Dir(0, 0, 1)), 7, 60).Shape()
    body, _ = join_bodies(pearl(20), can(7, 30), "first less second")
    crossing, section = median_seconds(cross, 3), median_seconds(sections, 3)
    own, other = median_seconds(bored, 3), median_seconds(lambda: BRepAlgoAPI_Cut(sphere, rod).Shape(), 3)
    return {
        "crossings_seconds": round(crossing, 3),
        "sections_seconds": round(section, 3),
        "crossings_times_as_fast": round(section / crossing, 2),
        "bored_ball_seconds": round(own, 3),
        "boolean_of_open_cascade_seconds": round(other, 3),
        "bored_ball_times_as_fast": round(other / own, 2),
        "mesh_of_ten_thousand_faces_seconds": round(median_seconds(lambda: mesh_faces(body, 0.8), 3), 3),
    }
