"""A recipe on paper: what can be said where a figure, a part or a price is not known.

What is not known is neither in nor out: it is left open, and said. A kind of which the
shelf holds nothing yet (gaskets, heads) has a stand-in without any figure, so that the
bottom end can be planned first.
"""

from __future__ import annotations

import numpy as np

from .parts import KIND, MOST_PIECES, STAND_INS, Part
from .question import MixQuestion
from .shelf import Floats, Shelf, Stock, Table

# The code of a part that is not chosen yet: no part on a shelf can bear it.
STAND_IN = "-"
# What an unknown price counts for, in hundredths: recipes whose cost is not known come last.
UNPRICED = 10**16
# What stands in the search for a volume that is not known, in cc, where no ratio is asked for:
# results that rest on it are not given.
STAND_FOR = {"piston.crown_volume": 0.0, "head.chamber_volume": 1e5, "gasket.thickness": 0.0}
# A floor that nothing undercuts, for a gap that is not known, in mm.
NO_FLOOR = -1e6


def with_stand_ins(shelf: Shelf) -> Shelf:
    """Return a shelf in which a kind that it holds nothing of has a stand-in.

    Parameters
    ----------
    shelf : Shelf
        As it is.

    Returns
    -------
    Shelf
        The same where it holds something of every kind.
    """
    empty = [kind for kind in STAND_INS if not len(shelf.tables[kind])]
    if not empty:
        return shelf
    tables = dict(shelf.tables)
    for kind in empty:
        table = tables[kind]
        none = np.array([0], np.int64)
        tables[kind] = Table(
            kind=kind,
            codes=[STAND_IN],
            values={name: np.array([np.nan]) for name in table.values},
            words={name: [""] for name in table.words},
            stock=Stock(none, none + MOST_PIECES, none),
        )
    return Shelf(tables)


def stand_in(kind: str) -> Part:
    """Return the part that is not chosen yet.

    Parameters
    ----------
    kind : str
        The kind's key.
    """
    return Part(
        kind, STAND_IN, f"no {KIND[kind].label} chosen", price=0, state="accepted", on_shelf=MOST_PIECES
    )


def is_stood_in(shelf: Shelf, kind: str) -> bool:
    """Tell whether a kind has only a stand-in.

    Parameters
    ----------
    shelf : Shelf
        The shelf.
    kind : str
        The kind's key.
    """
    return shelf.tables[kind].codes == [STAND_IN]


def left_open(shelf: Shelf) -> tuple[str, ...]:
    """Return the results that cannot be known from what a shelf holds.

    Parameters
    ----------
    shelf : Shelf
        With stand-ins.
    """
    if is_stood_in(shelf, "gasket"):
        return ("quench", "compression_ratio")
    return ("compression_ratio",) if is_stood_in(shelf, "head") else ()


def needed_for(question: MixQuestion, shelf: Shelf) -> dict[str, tuple[str, ...]]:
    """Return the dimensions without which a part cannot be judged by a question, and ``price``.

    Parameters
    ----------
    question : MixQuestion
        What is asked: a ratio wants every volume, a cost every price.
    shelf : Shelf
        With stand-ins: a gap is left open only where there is no gasket at all.

    Returns
    -------
    dict
        Names by kind.
    """
    ratio = question.asks("compression_ratio")
    gap = question.asks("quench") or ratio or not is_stood_in(shelf, "gasket")
    price = ("price",) if question.asks("cost") else ()
    return {
        "crank": ("stroke", *price),
        "rod": ("length", *price),
        "piston": ("compression_height", *(("crown_volume",) if ratio else ()), *price),
        "gasket": (*(("thickness",) if gap else ()), *(("bore",) if ratio else ()), *price),
        "head": (*(("chamber_volume",) if ratio else ()), *price),
    }


def stood_for(place: str, column: Floats) -> Floats:
    """Return a column with what stands in the search for figures that are not known.

    Parameters
    ----------
    place : str
        Kind and name.
    column : array of float
        Not a number where not known.
    """
    return np.where(np.isnan(column), STAND_FOR[place], column) if place in STAND_FOR else column


def priced(cost: int) -> tuple[int, int]:
    """Return what of a cost is known, in hundredths, and of how many kinds the price is not.

    Parameters
    ----------
    cost : int
        As the search adds it up, in hundredths.

    Examples
    --------
    >>> priced(125_00 + 2 * UNPRICED)
    (12500, 2)
    """
    return cost % UNPRICED, cost // UNPRICED
