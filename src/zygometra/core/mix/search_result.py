"""Recipes as the search finds them: columns of results, and their order."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .laid_out import QueryTables
from .parts import MAKING
from .placeholders import UNPRICED
from .shelf import Floats, Ints, Rows
from .verdict import Combination

# Named results as the joins call them.
COLUMN = {
    "deck_clearance": "clearance",
    "quench": "quench",
    "compression_ratio": "compression_ratio",
    "rod_ratio": "rod_ratio",
    "piston_speed": "speed",
}


@dataclass(frozen=True, slots=True)
class SearchResult:
    """Recipes in order, and the columns they came with."""

    recipes: tuple[Combination, ...]
    rows: Rows

    def column(self, key: str, laid_out: QueryTables) -> Floats:
        """Return a result by the key of its window.

        Parameters
        ----------
        key : str
            Name of a result, such as ``quench``.
        laid_out : QueryTables
            The shelf laid out for the question.
        """
        return result_column(self.rows, key, laid_out)


def result_column(rows: Rows, key: str, laid_out: QueryTables) -> Floats:
    """Return a result of many rows by the key of its window; cost in the shop's money (trade.md 13).

    Not a number where it is not known.

    Parameters
    ----------
    rows : Rows
        Columns of what was joined so far, one entry a row.
    key : str
        Name of a result, such as ``quench``.
    laid_out : QueryTables
        The shelf laid out for the question.
    """
    if key == "cost":
        return np.where(rows["cost"] >= UNPRICED, np.nan, rows["cost"] / 100)
    if key == "displacement":
        return rows["swept"] * laid_out.block.cylinders
    values = np.asarray(rows[COLUMN[key]], float)
    unknown = laid_out.is_unknown(key, rows)
    return np.where(unknown, np.nan, values) if np.any(unknown) else values


def joined(pieces: list[Rows]) -> Rows:
    """Return rows that came in pieces as one; nothing where there were none.

    Parameters
    ----------
    pieces : list of Rows
        With the same columns.
    """
    return {name: np.concatenate([rows[name] for rows in pieces]) for name in pieces[0]} if pieces else {}


def least(rows: Rows, by: Floats, most: int) -> Rows:
    """Return the rows that come first, all of those that tie with the last included.

    Parameters
    ----------
    rows : Rows
        Columns of what was joined so far, one entry a row.
    by : array of float
        What they are ordered by, one for each row; no unit of its own.
    most : int
        How many at most; no unit.
    """
    if len(by) <= most:
        return rows
    edge = np.partition(by, most - 1)[most - 1]
    keep = by <= edge
    return {name: column[keep] for name, column in rows.items()}


def first(rows: Rows, by: Floats, most: int) -> Rows:
    """Return the rows that come first, in no order: ties go as in :func:`in_order`, found column by column.

    Parameters
    ----------
    rows : Rows
        Columns of what was joined so far, one entry a row.
    by : array of float
        What they are ordered by, one for each row; no unit of its own.
    most : int
        How many at most; no unit.
    """
    if len(by) <= most:
        return rows
    sure: list[Ints] = []
    open_still = np.arange(len(by))
    for column in (by, rows["cost"], *(rows[kind] for kind in MAKING)):
        if len(open_still) <= most:
            break
        values = column[open_still]
        edge = np.partition(values, most - 1)[most - 1]
        sure.append(open_still[values < edge])
        most -= len(sure[-1])
        open_still = open_still[values == edge]
    keep = np.concatenate([*sure, open_still[:most]])
    return {name: column[keep] for name, column in rows.items()}


def in_order(rows: Rows, by: Floats, most: int) -> SearchResult:
    """Return the rows that come first; ties go to what is cheaper, then to what stands first on the shelf.

    Parameters
    ----------
    rows : Rows
        Columns of what was joined so far, one entry a row.
    by : array of float
        What they are ordered by, one for each row; no unit of its own.
    most : int
        How many at most; no unit.
    """
    keys = [rows[kind] for kind in reversed(MAKING)]
    order = np.lexsort((*keys, rows["cost"], by))[:most]
    rows = {name: column[order] for name, column in rows.items()}
    recipes = zip(*(rows[kind].tolist() for kind in MAKING), strict=True)
    return SearchResult(tuple(recipes), rows)
