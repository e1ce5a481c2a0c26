"""Which of many points of a bank are worth drawing: none beaten in price, metal, days, work and chance."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from .decisions import EPSILON
from .quasi_random import Table

Flags = NDArray[np.bool_]
# So many standard deviations inside an edge are as good as certain.
SURE = 3.0
# Points that are so nearly as likely inside count as equal there.
_ALIKE = 0.01


def distinct(  # noqa: PLR0913 - what points are compared by
    cost: Table,
    metal: Table,
    waits: Table,
    kinds: NDArray[np.int64],
    likely: Table,
    apart: tuple[float, float],
    bins: NDArray[np.int64] | None,
) -> NDArray[np.int64]:
    """The points worth drawing (trade.md 11).

    None of them is beaten by another that is as cheap, takes as little, waits as short, does no more and is as
    likely inside.

    Of points about as dear that take about as much, the likeliest stands for all. Where holes of other
    banks must meet them, only points of one bin are compared: another place in the window may be what
    meets.

    Parameters
    ----------
    cost, metal : array
        In money and cc.
    waits : array
        For what is bought, in days.
    kinds : array of int
        What each does, as bits; no unit.
    likely : array
        How likely each is to be inside, a share of 1; no unit.
    apart : tuple of float
        How near in cost and metal counts as alike, in money and cc.
    bins : array of int or None
        Only points of one bin are compared; no unit.

    Returns
    -------
    array of int
        Their places.
    """
    sure = np.floor(likely / _ALIKE)
    columns = [np.floor(cost / apart[0]), np.floor(metal / apart[1]), waits, kinds]
    if bins is not None:
        columns.append(bins)
    # Groups of points that are alike lie together, the best of each first.
    order = np.lexsort((metal, cost, -sure, *columns))
    starts = np.ones(len(order), dtype=bool)
    starts[1:] = np.any([column[order[1:]] != column[order[:-1]] for column in columns], axis=0)
    order = order[starts]
    order = order[np.lexsort((metal[order], cost[order], -sure[order]))]
    at = np.zeros(len(order), dtype=np.int64) if bins is None else bins[order]
    sorted_by = _Columns(
        cost=cost[order], metal=metal[order], waits=waits[order], kinds=kinds[order], bins=at
    )
    kept = np.zeros(0, dtype=np.int64)
    for start in range(0, len(order), _BLOCK):
        # The likeliest come first: a block is held against what is kept, then against itself.
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
    waits: Table
    kinds: NDArray[np.int64]
    bins: NDArray[np.int64]


def _beaten(columns: _Columns, by: NDArray[np.int64], those: NDArray[np.int64]) -> Flags:
    """Which of some points are no cheaper, take no less and do no less than others of the same bin."""
    cost, metal, waits, kinds, bins = columns
    return np.asarray(
        (cost[by][:, None] <= cost[those] + EPSILON)
        & (metal[by][:, None] <= metal[those] + EPSILON)
        & (waits[by][:, None] <= waits[those])
        & ((kinds[by][:, None] & ~kinds[those]) == 0)
        & (bins[by][:, None] == bins[those])
    )


def most_chance(likely: Table) -> Table:
    """Return the most that points can yield by what stands in for it: a little more.

    Parameters
    ----------
    likely : array
        How likely each is to be inside, a share of 1; no unit.
    """
    return np.minimum(likely + 0.01, 1.0)
