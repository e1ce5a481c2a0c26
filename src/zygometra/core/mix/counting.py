"""How many recipes there are: exactly, or as an estimate with its error; none of them is made."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

import numpy as np

from ..digits import about, whole
from ..windows import Window
from .exhaustive import AT_A_TIME, ExhaustiveSearch
from .laid_out import QueryTables
from .shelf import Floats

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
    laid_out: QueryTables, filters: Mapping[str, Window] | None = None, *, told: Told | None = None
) -> Count:
    """Count the recipes, every one; no unit.

    Parameters
    ----------
    laid_out : QueryTables
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
    sweep = ExhaustiveSearch(laid_out, laid_out.question.windows if filters is None else filters).merged()
    total = 0
    for begin in range(0, len(sweep), AT_A_TIME):
        if told is not None:
            told(begin / len(sweep))
        total += int(sweep.numbers(sweep.at(slice(begin, begin + AT_A_TIME))).sum())
    return Count(total, 0.0, exact=True)


def estimate(
    laid_out: QueryTables, filters: Mapping[str, Window] | None = None, *, sample: int = 200, seed: int = 1
) -> Count:
    """Estimate how many recipes there are from some of their pairs of crank and rod (trade.md 13).

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    filters : Mapping, optional
        Windows in place of the question's.
    sample : int
        How many pairs are followed up at first; no unit.
    seed : int
        Of the draw; no unit.

    Returns
    -------
    Count
        Exact where all were followed up that any piston could suit. Else an estimate with
        the error within twice which the truth lies in 95 of 100 shelves.

    Notes
    -----
    Pairs are drawn with chances in proportion to w, the sets with a piston that they could
    lead to: W·mean(n/w). More are drawn where few of the first lead anywhere. The error is
    W·s/√m·(1 + |g|/(4·√m)), g the skewness of n/w: a few rich pairs among many poor ones
    make s too small where they were missed (held against counted shelves, tests/core/mix).
    Where none leads anywhere, so few may that with 5 % chance all draws miss them, each to
    every gasket with every head.
    """
    sweep = ExhaustiveSearch(laid_out, laid_out.question.windows if filters is None else filters)
    draw = _Draw(sweep, np.random.default_rng(seed))
    if draw.whole and len(draw.places) <= sample:
        exact = int(sweep.numbers(sweep.at(draw.places)).sum()) if len(draw.places) else 0
        return Count(exact, 0.0, exact=True)
    found = draw.follow(sample)
    leading = np.count_nonzero(found)
    if leading < _ENOUGH:
        more = min(_MOST, sample * _ENOUGH // (int(leading) + 1))
        found = np.concatenate([found, draw.follow(more)])
    mean, number = found.mean(), len(found)
    if not mean:
        most = sweep.top_ends_in_all()
        missed = draw.total * (1 - 0.05 ** (1 / number))
        return Count(0.0, missed * most / 2, exact=False)
    spread = found.std(ddof=1)
    skewness = ((found - mean) ** 3).mean() / spread**3 if spread else 0.0
    error = draw.total * spread / math.sqrt(number) * (1 + abs(skewness) / (4 * math.sqrt(number)))
    error = math.hypot(error, draw.total * mean * draw.looked_error())
    # All that were drawn alike: a share of others so small that it was missed is still to be allowed for.
    least = draw.total * mean * 1.5 / number
    return Count(float(draw.total * mean), float(max(error, least)), exact=False)


# So many pairs that lead somewhere are wanted for an estimate, and so many more are drawn at most.
_ENOUGH = 30
_MOST = 4000
# Of more pairs than this the sets of so many are looked at.
_LOOKED_AT = 20_000


class _Draw:
    """A draw of pairs with chances in proportion to the sets they could lead to, and what they do lead to.

    ``total`` is how many sets there could be; ``places`` are the pairs that could lead to some,
    all of them where the draw is ``whole``. Of very many pairs some are looked at, drawn by how
    many parts alike they stand for.
    """

    def __init__(self, sweep: ExhaustiveSearch, rng: np.random.Generator) -> None:
        self.sweep, self.rng = sweep, rng
        self.whole = len(sweep) <= _LOOKED_AT
        places = np.arange(len(sweep))
        scale = np.ones(len(sweep))
        if not self.whole:
            times = sweep.pairs["times"].astype(float)
            places = rng.choice(len(sweep), _LOOKED_AT, p=times / times.sum())
            scale = times.sum() / _LOOKED_AT / times[places]
        sets = sweep.sets(sweep.at(places)) if len(places) else np.zeros(0)
        some = np.flatnonzero(sets)
        self.places, self.sets = places[some], sets[some]
        weights = self.sets * scale[some]
        self.total = float(weights.sum())
        self.chances = weights / self.total if len(some) else weights
        self.drawn, self.led = np.zeros(0, np.int64), np.zeros(0)

    def follow(self, number: int) -> Floats:
        """Return how many recipes a set leads to, for so many drawn pairs."""
        if not len(self.places):
            return np.zeros(number)
        drawn = self.rng.choice(len(self.places), number, p=self.chances)
        which, of = np.unique(drawn, return_inverse=True)
        led_to = self.sweep.numbers(self.sweep.at(self.places[which])) / self.sets[which]
        found = led_to[of.reshape(-1)]
        self.drawn, self.led = np.append(self.drawn, drawn), np.append(self.led, found)
        return found

    def looked_error(self) -> float:
        """Return what looking at some pairs only adds to the standard error, as a share of the whole.

        With v the chance and r what a set leads to, E over the pairs looked at of (v·r)²/(E v·r)²
        is that of the pairs followed, r²·v/(r̄²·v̄), v̄ over those looked at.
        """
        if self.whole:
            return 0.0
        second = (self.chances[self.drawn] * self.led**2).mean() * _LOOKED_AT
        return math.sqrt(max(second / self.led.mean() ** 2 - 1, 0.0) / _LOOKED_AT)
