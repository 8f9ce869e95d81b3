"""What a kind of items can do: its words, how it is placed and repeated, and what it is made of. One module a kind."""

from __future__ import annotations

from typing import ClassVar, Generic, TypeVar

from glass_spoon.kernel.arrays import Floats
from glass_spoon.kernel.curves.alter.place_curve import Placement
from glass_spoon.kernel.deform.space_map import SpaceMap
from glass_spoon.kernel.errors import KernelError
from glass_spoon.kernel.repeat.placements import Placements
from glass_spoon.kernel.surfaces.evaluate.extents import Extent
from glass_spoon.sheet.items import Item

T = TypeVar("T", bound=Item)


class Kind(Generic[T]):
    """A kind of items. name: in files and references. noun, plural: in sentences. several: the kind of several of them;
    single: of one of several; parts: what `take` gives one of.

    What a kind cannot do raises KernelError with a sentence.
    """

    name: ClassVar[str]
    noun: ClassVar[str]
    plural: ClassVar[str]
    several: ClassVar[str]
    single: ClassVar[str]
    parts: ClassVar[str]

    @property
    def one(self) -> str:
        """The noun with its article, as in `a curve`."""
        return f"{'an' if self.noun[0] in 'aeiou' else 'a'} {self.noun}"

    def places(self, item: T) -> Floats:
        """Return places (n, 3) in mm whose box is about the item's: control points or vertices."""
        raise KernelError(f"{self.one.capitalize()} has no place of its own.")

    def trace(self, item: T) -> Floats:
        """Return places (n, 3) in mm on the item itself, close by each other."""
        return self.places(item)

    def extent(self, item: T, axes: Floats) -> Extent:
        """Return how far the item itself reaches along unit axes (3, 3), its rows: lowest and highest (3,), in mm."""
        along = self.places(item) @ axes.T
        return along.min(axis=0), along.max(axis=0)

    def place(self, item: T, placement: Placement) -> T:
        """Return the item under a map that can be taken back: moved, turned, stretched, mirrored."""
        raise KernelError(f"{self.one.capitalize()} cannot be placed: it goes with what it lies on.")

    def deform(self, item: T, of: SpaceMap, tolerance: float) -> tuple[T, float]:
        """Return the item under a map of space, and how far in mm it is off where that takes it, within a tolerance."""
        raise KernelError(f"{self.one.capitalize()} cannot be shaped: it goes with what it lies on.")

    def repeat(self, item: T, places: Placements) -> Item:
        """Return copies of the item at places, as one item of the kind `several`."""
        raise KernelError(f"{self.one.capitalize()} cannot be repeated.")

    def size(self, item: T) -> int:
        """Return how many parts the item has that `take` gives one of."""
        return 1

    def take(self, item: T, number: int) -> Item:
        """Return one part of the item, counted from 0."""
        return item
