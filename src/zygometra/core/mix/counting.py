"""How many recipes there are: exactly, or as an estimate with its error; none of them is made."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from ..digits import about, whole
from ..windows import Window
from .laid_out import LaidOut
from .sweep import AT_A_TIME, Sweep

Told = Callable[[float], None]


@dataclass(frozen=True, slots=True)
class Count:
    """How many recipes there are: exactly, or as an estimate with its standard error."""

    recipes: float
    error: float
    exact: bool

    @property
    def words(self) -> str:
        """The count in words: ``20 recipes``, ``about 4 600 ± 900 recipes``, two standard errors given."""
        if self.exact:
            return f"{whole(self.recipes)} recipe{'' if self.recipes == 1 else 's'}"
        if self.recipes < 0.5:
            return "few recipes, if any"
        return f"about {about(self.recipes)} ± {about(2 * self.error)} recipes"


def count(
    laid_out: LaidOut, filters: Mapping[str, Window] | None = None, *, told: Told | None = None
) -> Count:
    """Count the recipes, every one.

    Parameters
    ----------
    laid_out : LaidOut
        The shelf laid out for the question.
    filters : Mapping, optional
        Windows in place of the question's.
    told : callable, optional
        Is told now and then how much is done, from 0 to 1; may raise to end it.

    Returns
    -------
    Count
        Exact.

    Notes
    -----
    Cranks, rods and pistons that nothing sets apart are followed up together; gaskets
    and heads are counted by runs.
    """
    sweep = Sweep(laid_out, laid_out.question.windows if filters is None else filters).merged()
    total = 0
    for begin in range(0, len(sweep), AT_A_TIME):
        if told is not None:
            told(begin / len(sweep))
        total += int(sweep.numbers(sweep.at(slice(begin, begin + AT_A_TIME))).sum())
    return Count(total, 0.0, exact=True)


def estimate(
    laid_out: LaidOut, filters: Mapping[str, Window] | None = None, *, sample: int = 200, seed: int = 1
) -> Count:
    """Estimate how many recipes there are from some of their pairs of crank and rod.

    Parameters
    ----------
    laid_out : LaidOut
        The shelf laid out for the question.
    filters : Mapping, optional
        Windows in place of the question's.
    sample : int
        How many pairs are followed up; no unit.
    seed : int
        Of the draw; no unit.

    Returns
    -------
    Count
        Exact where all were followed up. Else from a draw with chances in proportion to
        how many parts alike a pair stands for: W·mean(n/w), with the standard error
        W·s/√m.
    """
    sweep = Sweep(laid_out, laid_out.question.windows if filters is None else filters)
    if len(sweep) <= sample:
        return Count(int(sweep.numbers(sweep.pairs).sum()) if len(sweep) else 0, 0.0, exact=True)
    weights = sweep.pairs["times"].astype(float)
    total = weights.sum()
    drawn = np.random.default_rng(seed).choice(len(weights), sample, p=weights / total)
    found = sweep.numbers(sweep.at(drawn)) / weights[drawn]
    error = total * found.std(ddof=1) / math.sqrt(sample)
    return Count(float(total * found.mean()), float(error), exact=False)
