"""Which of many points of a bank are worth drawing: none beaten in price, metal, work and margin."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .draws import Table
from .moves import HAIR

Flags = NDArray[np.bool_]
# So many standard deviations inside every edge are as good as certain: of those the cheapest counts.
_SURE = 4.0


def distinct(
    cost: Table,
    metal: Table,
    kinds: NDArray[np.int64],
    margin: Table,
    apart: tuple[float, float],
    bins: NDArray[np.int64] | None,
) -> NDArray[np.int64]:
    """The points worth drawing: none of another is as cheap, takes as little, does no more and lies further inside.

    Of points about as dear that take about as much, the furthest inside stands for all. Where holes of other
    banks must meet them, only points of one bin are compared: another place in the window may be what
    meets.

    Parameters
    ----------
    cost, metal : array
        In money and cc.
    kinds : array of int
        What each does, as bits; no unit.
    margin : array
        Standard deviations inside the nearest edge; no unit.
    apart : tuple of float
        How near in cost and metal counts as alike, in money and cc.
    bins : array of int or None
        Only points of one bin are compared; no unit.

    Returns
    -------
    array of int
        Their places.
    """
    sure = np.minimum(margin, _SURE)
    columns = [np.floor(cost / apart[0]), np.floor(metal / apart[1]), kinds.astype(float)]
    if bins is not None:
        columns.append(bins.astype(float))
    order = np.lexsort((metal, cost, -sure))
    _, first = np.unique(np.stack(columns)[:, order], axis=1, return_index=True)
    order = order[np.sort(first)]
    at = np.zeros(len(order), dtype=np.int64) if bins is None else bins[order]
    sorted_by = _Columns(cost[order], metal[order], kinds[order], at)
    kept = np.zeros(0, dtype=np.int64)
    for start in range(0, len(order), _BLOCK):
        # Those further inside come first: a block is held against what is kept, then against itself.
        block = np.arange(start, min(start + _BLOCK, len(order)))
        if len(kept):
            block = block[~_beaten(sorted_by, kept, block).any(axis=0)]
        inner = _beaten(sorted_by, block, block) & np.tri(len(block), k=-1, dtype=bool).T
        kept = np.concatenate([kept, block[~inner.any(axis=0)]])
    return np.asarray(order[kept])


_BLOCK = 128


class _Columns(NamedTuple):
    """What points are compared by."""

    cost: Table
    metal: Table
    kinds: NDArray[np.int64]
    bins: NDArray[np.int64]


def _beaten(columns: _Columns, by: NDArray[np.int64], those: NDArray[np.int64]) -> Flags:
    """Which of some points are no cheaper, take no less and do no less than others of the same bin."""
    cost, metal, kinds, bins = columns
    return np.asarray(
        (cost[by][:, None] <= cost[those] + HAIR)
        & (metal[by][:, None] <= metal[those] + HAIR)
        & ((kinds[by][:, None] & ~kinds[those]) == 0)
        & (bins[by][:, None] == bins[those])
    )


def most_chance(margin: Table) -> Table:
    """Return the most that a point so many deviations inside its nearest edge can yield, and a little more.

    Parameters
    ----------
    margin : array
        Standard deviations inside the nearest edge; no unit.
    """
    from scipy.special import ndtr

    return np.asarray(np.minimum(ndtr(margin) + 0.03, 1.0))
