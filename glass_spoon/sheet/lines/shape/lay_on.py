"""Anything laid onto a surface or a mesh, its height kept over it."""

from __future__ import annotations

from typing import Annotated, Literal

import numpy as np

from glass_spoon.kernel.deform.onto_host import Host, MeshHost, OntoHost, SurfacesHost
from glass_spoon.kernel.deform.space_map import Axes, SpaceMap
from glass_spoon.kernel.errors import KernelError, NotFollowed
from glass_spoon.sheet.fields import ChoiceSpec, Number, NumberSpec, ReferenceSpec
from glass_spoon.sheet.items import Item, as_mesh
from glass_spoon.sheet.kinds import kind_of
from glass_spoon.sheet.line import Given
from glass_spoon.sheet.lines.shape.shape_work import ACROSS, MARKED, TOLERANCE, TOWARDS, Laid, ShapeLine, Towards
from glass_spoon.sheet.phrase import Phrase
from glass_spoon.sheet.planes import AXES

_ACROSS = {
    name: ACROSS[axis] for axis, way in AXES.items() for name, other in TOWARDS.items() if np.abs(np.dot(way, other)) == 1
}
"""The first direction across each way."""
MOST_LOOKED_AT = 4000
"""Places of an item of which it is told how many lie beside the host."""


class LayOnLine(ShapeLine):
    """A relief, a label, a pattern laid onto a body."""

    summary = (
        "Lay anything that was built flat onto a surface or a mesh: its height is kept over it, and it follows its host."
    )
    words = ("press on", "wrap onto", "drape", "relief", "medallion", "label", "badge", "onto", "conform")
    phrases = (Phrase(r"(?:by|to) the nearest(?: places?)?", {"manner": "by the nearest place"}, finds=False),)
    sentence = (
        "**Lay on** {item} onto {host} {way}[, {manner}][, its {base} on it][, {gap} above it]" + MARKED + TOLERANCE + "."
    )

    verb: Literal["lay_on"] = "lay_on"
    host: Annotated[str, ReferenceSpec("What it is laid onto.", "surface", also=("surfaces", "mesh"))] = ""
    manner: Annotated[
        Literal["straight", "by the nearest place"],
        ChoiceSpec(
            "Straight one way until it meets the host, or each foot at the place of the host nearest to it.",
            ("straight", "by the nearest place"),
            ("straight", "by the nearest place"),
        ),
    ] = "straight"
    way: Annotated[Towards, ChoiceSpec("Which way it is laid; its heights are measured against that.", tuple(TOWARDS))] = (
        "down"
    )
    base: Annotated[
        Literal["underside", "middle"],
        ChoiceSpec(
            "What of it comes to lie on the host: what is foremost that way, or its middle.", ("underside", "middle")
        ),
    ] = "underside"
    gap: Annotated[
        Number,
        NumberSpec("How far above the host it floats; below 0 it is sunk in.", "length", label="gap", least=-1e6, most=1e6),
    ] = "0 mm"

    def laid(self, given: Given, item: Item) -> Laid:
        """Return the axes: across, beside, and against the way it is laid."""
        up = -np.array(TOWARDS[self.way], dtype=np.float64)
        across = np.array(TOWARDS[_ACROSS[self.way]], dtype=np.float64)
        low, high = kind_of(item).extent(item, np.eye(3))
        middle = (np.asarray(low) + np.asarray(high)) / 2
        axes = Axes.along(middle, up, across)
        reach = np.array(kind_of(item).extent(item, axes.rows)) - axes.rows @ axes.origin
        if self.base == "underside":
            axes = Axes(axes.origin + reach[0, 2] * axes.rows[2], axes.rows)
            reach = reach - [0, 0, reach[0, 2]]
        return Laid(axes, float(reach[0, 2]), float(reach[1, 2]), reach)

    def space_map(self, given: Given, laid: Laid) -> SpaceMap:
        """Lay it on."""
        manner: Literal["straight", "nearest"] = "straight" if self.manner == "straight" else "nearest"
        return OntoHost(laid.axes, self._host(given), manner, given.number("gap"))

    def _host(self, given: Given) -> Host:
        """Return the host, made ready."""
        mesh = as_mesh(given.items["host"])
        if mesh is not None:
            if not mesh.mesh.face_count:
                raise KernelError("The host has no faces. Take another one.")
            return MeshHost(mesh.mesh)
        return SurfacesHost(tuple(given.surfaces("host").surfaces))

    def build(self, given: Given) -> Item:
        """Lay it on; where no curve follows, because it runs out over an edge of the host, that is told."""
        try:
            return super().build(given)
        except NotFollowed as error:
            item = given.items["item"]
            beside = self._beside(item, self.space_map(given, self.laid(given, item)))
            if not beside:
                raise
            raise KernelError(
                f"{100 * beside:.2g} % of it lies beside the host, or over a hole in it, and no smooth way leads on there: move it "
                "over the host, or make it smaller."
            ) from error

    def _beside(self, item: Item, of: SpaceMap) -> float:
        """Return the share of an item that the host does not lie under."""
        if not isinstance(of, OntoHost) or self.manner != "straight":
            return 0.0
        places = kind_of(item).trace(item)
        places = places[:: max(1, len(places) // MOST_LOOKED_AT)]
        return of.missed(places) / len(places)

    def notes(self, given: Given, laid: Laid, of: SpaceMap) -> list[str]:
        """Tell what lies beside the host."""
        beside = self._beside(given.items["item"], of)
        if not beside:
            return []
        return [
            f"{100 * beside:.2g} % of it lies beside the host and was brought to its nearest edge. Move it over the "
            "host, or make it smaller."
        ]
