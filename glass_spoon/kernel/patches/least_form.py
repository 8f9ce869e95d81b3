"""Sums of squares of what is linear in some unknowns, and where they are least: many at once, each for itself."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np
import scipy

from glass_spoon.kernel.arrays import Floats, Ints

Asked = tuple[Floats, Floats, Ints]
"""Rows (m, r, k) and aims (m, r) of squares that should be small, and which unknowns (k,) they are of."""


@dataclass(eq=False)
class LeastForms:
    """x · system · x - 2 right · x + rest, for unknowns x (n,) of m forms: system (m, n, n), right (m, n), rest (m,)."""

    system: Floats
    right: Floats
    rest: Floats

    @classmethod
    def empty(cls, forms: int, count: int) -> LeastForms:
        """Return forms that are nothing everywhere, of so many unknowns."""
        return cls(np.zeros((forms, count, count)), np.zeros((forms, count)), np.zeros(forms))

    def copy(self) -> LeastForms:
        """Return them all, to be added to on their own."""
        return LeastForms(self.system.copy(), self.right.copy(), self.rest.copy())

    def ask(self, rows: Floats, aims: Floats, where: Ints) -> None:
        """Add the squares of rows (m, r, k) by the unknowns numbered where (k,), less aims (m, r)."""
        turned = rows.transpose(0, 2, 1)
        block, wanted = turned @ rows, (turned @ aims[..., None])[..., 0]
        low, high = int(where[0]), int(where[-1]) + 1
        if high - low == len(where):  # they stand in their order
            self.system[:, low:high, low:high] += block
            self.right[:, low:high] += wanted
        else:
            self.system[:, where[:, None], where] += block
            self.right[:, where] += wanted
        self.rest += (aims * aims).sum(axis=1)

    def values(self, unknowns: Floats, chosen: Ints | None = None) -> Floats:
        """Return the sums of squares (m,) at unknowns (m, n), of all forms or of those chosen."""
        system, right, rest = self.system, self.right, self.rest
        if chosen is not None and len(chosen) < len(rest):
            system, right, rest = system[chosen], right[chosen], rest[chosen]
        pulls = (system @ unknowns[..., None])[..., 0] - 2 * right
        return np.asarray((pulls * unknowns).sum(axis=1) + rest)

    def least_by_axes(self) -> Floats:
        """Return the same where nothing ties x, y and z of the unknowns to each other, and all three weigh alike."""
        result = np.empty_like(self.right)
        for own, system, right in zip(result, self.system, self.right, strict=True):
            one, rows = system[::3, ::3], right.reshape(-1, 3)
            _, found, failed = scipy.linalg.lapack.dposv(one, rows, lower=True)
            own[:] = (np.linalg.lstsq(one, rows, rcond=None)[0] if failed else found).ravel()
        return result

    def least(self, asked: Iterable[Asked] = (), chosen: Ints | None = None) -> Floats:
        """Return the unknowns (m, n) at which they are least, all or those chosen, with what else is asked of them now.

        One not quite positive by rounding is solved as any other.
        """
        wanted, which = list(asked), np.arange(len(self.rest)) if chosen is None else chosen
        result = np.empty((len(which), self.right.shape[1]))
        for k, number in enumerate(which.tolist()):
            system, right = self._with(number, [(rows[k], aims[k], where) for rows, aims, where in wanted])
            _, found, failed = scipy.linalg.lapack.dposv(system.T, right, lower=True)
            if failed:
                whole = np.triu(system) + np.triu(system, 1).T
                found = np.linalg.lstsq(whole, right, rcond=None)[0]
            result[k] = found
        return result

    def _with(self, number: int, wanted: list[Asked]) -> tuple[Floats, Floats]:
        """Return the system (n, n) of one form, of which the upper half counts, and its right side (n,), with what else is
        asked of it: rows (r, k), aims (r,) and where (k,).
        """
        system, right = self.system[number], self.right[number]
        if wanted:
            system, right = system.copy(), right.copy()
        for rows, aims, where in wanted:
            low, high = int(where[0]), int(where[-1]) + 1
            if (low, high - low, len(where)) == (0, len(right), len(right)):  # it is of them all, as they stand
                scipy.linalg.blas.dsyrk(1.0, rows.T, 1.0, system.T, lower=1, overwrite_c=1)
            else:
                system[where[:, None], where] += rows.T @ rows
            right[where] += aims @ rows
        return system, right
