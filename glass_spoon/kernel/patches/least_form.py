"""Sums of squares of what is linear in some unknowns, and where they are least."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints


@dataclass(eq=False)
class LeastForm:
    """x · system · x - 2 right · x + rest, for unknowns x (n,): system (n, n), right (n,)."""

    system: Floats
    right: Floats
    rest: float = 0.0

    @classmethod
    def empty(cls, count: int) -> LeastForm:
        """Return the form that is nothing everywhere, of so many unknowns."""
        return cls(np.zeros((count, count)), np.zeros(count))

    def copy(self) -> LeastForm:
        """Return one that may be added to on its own."""
        return LeastForm(self.system.copy(), self.right.copy(), self.rest)

    def ask(self, rows: Floats, aims: Floats, where: Ints) -> None:
        """Add the squares of rows (m, k) by the unknowns numbered where (k,), less aims (m,)."""
        self.add(rows.T @ rows, rows.T @ aims, where)
        self.rest += float(aims @ aims)

    def add(self, block: Floats, wanted: Floats, where: Ints) -> None:
        """Add a block (k, k) and a right side (k,) of the unknowns numbered where (k,); all of them stand in their order."""
        if len(where) == len(self.right):
            self.system += block
            self.right += wanted
        else:
            self.system[where[:, None], where] += block
            self.right[where] += wanted

    def values(self, unknowns: Floats) -> Floats:
        """Return the sums of squares (k,) at k tries of unknowns (k, n)."""
        return np.asarray(((unknowns @ self.system - 2 * self.right) * unknowns).sum(axis=1) + self.rest)

    def least(self) -> Floats:
        """Return the unknowns (n,) at which it is least; a system not quite positive by rounding is solved as any other."""
        try:
            factor = scipy.linalg.cho_factor(self.system, check_finite=False)
            return np.asarray(scipy.linalg.cho_solve(factor, self.right, check_finite=False))
        except scipy.linalg.LinAlgError:
            return np.asarray(np.linalg.lstsq(self.system, self.right, rcond=None)[0])
