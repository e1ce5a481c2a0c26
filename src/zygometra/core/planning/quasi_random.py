"""Seeded draws of everything that is in doubt, each source once for all that share it.

A quasi-random sample: points of a rank-1 lattice, shifted at random by the seed. A source has a
column of its own, found by its key alone: it moves alike wherever, and whenever, it is asked for.
"""

from __future__ import annotations

import hashlib
import math
from collections.abc import Iterable
from typing import Any

import numpy as np
from numpy.typing import NDArray

# A row for each draw, a column for each hole; a column alone.
Table = NDArray[np.float64]
Column = NDArray[np.float64]

# Points of the lattice, and of its coarser part that the search looks at.
POINTS, COARSE = 4096, 1024

# A generating vector of the lattice, component by component (each the best of all odd numbers for the
# worst-case error of smooth periodic functions, coordinates weighted 0.02 + 0.7/j).
_ODDS = (
    "1027 73 117 1561 719 71 111 917 1603 823 519 63 313 1285 1041 951 1189 1343 1737 1237 1677 1929 541 "
    "469 561 715 943 287 483 1587 343 2023 737 1089 1375 1181 163 1505 1087 1551 311 1719 525 855 1141 "
    "269 949 1109 1325 815 1841 1145 1149 437 1463 309 1845 1789 907 993 1791 535 69 1247 1521 255 1935 "
    "1279 957 1883 303 627 445 1655 491 169 1697 1373 1977 395 1513 1701 1093 1607 1333 347 297 167 349 "
    "999 257 1793 675 767 537 1839 1699 1139 207 25 813 1419 115 1281 861 443 863 1979 1233 721 1047 1511 "
    "1885 953 629 489 1747 2025 1559 1467 1187 583 769 209 1327 955 23 1651 1001 1745 1931 581 1465 1095 "
    "441 1605 1933 397 1653 909 1421 723 301 1837 211 1235 1049 487 673 1887 351 161 1185 1371 859 677 "
    "165 1045 21 1557"
)
_GENERATING = tuple(int(odd) for odd in _ODDS.split())


class QuasiRandomSample:
    """Columns of draws, one for each source, made when first asked for.

    Parameters
    ----------
    seed : int
        The same seed gives the same draws; no unit.
    points : int
        How many; a power of two up to :data:`POINTS`; no unit.

    Notes
    -----
    Point k of column j is frac(k·z_j/n + Δ), z a generating vector. Which z a source has is said once, by
    :meth:`lay_out`; its shift Δ, uniform, follows from seed and key. A source that was not laid out, or came
    after the vector's end, has permuted strata, which follow from seed and key too: what else is asked for,
    and in which order, moves no column.
    See trade.md 11.

    Examples
    --------
    >>> draws = QuasiRandomSample(seed=1)
    >>> column = draws.uniform("parts.gasket.thickness")
    >>> len(column), bool(0 < column.min() and column.max() < 1)
    (4096, True)
    """

    def __init__(self, seed: int, points: int = POINTS) -> None:
        self.points = points
        self._seed = seed
        self._places: dict[str, int] = {}
        self._columns: dict[str, Column] = {}
        self._made: dict[tuple[Any, ...], Column] = {}
        self._order = np.arange(points)

    def lay_out(self, keys: Iterable[str]) -> None:
        """Give sources their components of the lattice, before any of them is asked for.

        Parameters
        ----------
        keys : iterable of str
            The sources in an order that hangs on nothing but what they belong to; one that has a component keeps it.
        """
        for key in keys:
            self._places.setdefault(key, len(self._places))

    def uniform(self, key: str) -> Column:
        """Return the column of a source, between 0 and 1; no unit (trade.md 11).

        Parameters
        ----------
        key : str
            The source.
        """
        column = self._columns.get(key)
        if column is None:
            at = self._places.get(key, len(_GENERATING))
            own = self._random(key)
            if at < len(_GENERATING):
                column = (self._order * _GENERATING[at] / self.points + own.random()) % 1.0
            else:
                column = (own.permutation(self.points) + own.random(self.points)) / self.points
            column = np.clip(column, 1e-12, 1 - 1e-12)
            self._columns[key] = column
        return column

    def _random(self, key: str) -> np.random.Generator:
        """What is random about one source: the same for a seed and a key."""
        told = int.from_bytes(hashlib.blake2b(key.encode(), digest_size=8).digest())
        return np.random.default_rng([self._seed, told])

    def normal(self, key: str) -> Column:
        """Return a source of mean 0 and standard deviation 1, normal; no unit.

        Parameters
        ----------
        key : str
            The source.
        """

        def make() -> Column:
            from scipy.special import ndtri

            return np.asarray(ndtri(self.uniform(key)))

        return self._once(("normal", key), make)

    def rectangular(self, key: str) -> Column:
        """Return a source of mean 0 and standard deviation 1, uniform between ±√3; no unit (trade.md 11).

        Parameters
        ----------
        key : str
            The source.
        """
        return self._once(("flat", key), lambda: (2 * self.uniform(key) - 1) * math.sqrt(3))

    def student(self, key: str, dof: float) -> Column:
        """Return Student's t, whose spread is above 1; no unit.

        Parameters
        ----------
        key : str
            The source.
        dof : float
            Degrees of freedom; infinite for the normal distribution.
        """
        if math.isinf(dof):
            return self.normal(key)

        def make() -> Column:
            from scipy.special import stdtrit

            return np.asarray(stdtrit(dof, self.uniform(key)))

        return self._once(("t", key, dof), make)

    def scale(self, key: str, dof: float) -> Column:
        """Return by how much a scatter known from few readings may be wider: √(ν/χ²_ν), no unit (trade.md 11).

        Parameters
        ----------
        key : str
            The scatter; everything that rests on it is wider or narrower together.
        dof : float
            Degrees of freedom; infinite where it is known.
        """
        if math.isinf(dof):
            return self._once(("one",), lambda: np.ones(self.points))

        def make() -> Column:
            from scipy.special import chdtri

            return np.sqrt(dof / np.asarray(chdtri(dof, self.uniform(key))))

        return self._once(("scale", key, dof), make)

    def _once(self, key: tuple[Any, ...], make: Any) -> Column:
        column = self._made.get(key)
        if column is None:
            column = self._made[key] = make()
        return column
