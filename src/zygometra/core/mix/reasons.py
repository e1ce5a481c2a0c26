"""Why there is nothing, or so little: which parts fell to which rule, which window stands in the way."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from ..build import Window
from .joins import Bench, Bools, Join
from .judge import Verdict, judge, misses
from .parts import MAKING
from .question import WANTED, WANTED_KEY, Question
from .search import Count, best, estimate


@dataclass(frozen=True, slots=True)
class Attrition:
    """What became of the parts of one kind on their own: how many there are, how many could be used, what took the rest."""

    kind: str
    on_shelf: int
    left: int
    refused: tuple[tuple[str, int], ...]
    missing: tuple[tuple[str, int], ...]


@dataclass(frozen=True, slots=True)
class Opening:
    """How many recipes there would be if one window were not asked."""

    window: str
    count: Count


@dataclass(frozen=True, slots=True)
class Miss:
    """The recipe that comes nearest to all windows, and by how much it misses which."""

    verdict: Verdict
    misses: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class Emptiness:
    """Why there is no recipe.

    ``parts`` says what became of each kind; ``meet`` how many pairs, then how many with
    a piston fit at all; ``openings`` what lifting each window would let through, the
    most first; ``nearest`` the nearest miss, None where nothing fits mechanically.
    """

    parts: tuple[Attrition, ...]
    pairs: int
    openings: tuple[Opening, ...]
    nearest: Miss | None


def attrition(bench: Bench) -> tuple[Attrition, ...]:
    """Return what became of the parts of each kind on their own.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.

    Returns
    -------
    tuple of Attrition
        Crank to head; rules and missing figures with how many parts fell to them, the
        most first.
    """
    out = []
    for kind in MAKING:
        sieve = bench.sieve(kind)

        def counted(of: Mapping[str, Bools]) -> tuple[tuple[str, int], ...]:
            found = [(key, int(np.count_nonzero(column))) for key, column in of.items()]
            return tuple(sorted(((k, n) for k, n in found if n), key=lambda item: -item[1]))

        total = len(bench.shelf.tables[kind])
        out.append(
            Attrition(kind, total, int(sieve.left.sum()), counted(sieve.refused), counted(sieve.missing))
        )
    return tuple(out)


def cannot_be_judged(bench: Bench) -> list[tuple[str, str, tuple[str, ...]]]:
    """List the parts that lack a figure without which nothing can be said, and are not out anyway.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.

    Returns
    -------
    list of (kind, code, missing)
        Such as ``("rod", "RD-00012", ("pin_bore",))``.
    """
    out = []
    for kind in MAKING:
        sieve = bench.sieve(kind)
        open_still = np.ones(len(bench.shelf.tables[kind]), bool)
        for refused in sieve.refused.values():
            open_still &= ~refused
        lacking = np.zeros(len(open_still), bool)
        for missing in sieve.missing.values():
            lacking |= missing
        codes = bench.shelf.tables[kind].codes
        for row in np.flatnonzero(open_still & lacking):
            names = tuple(place.partition(".")[2] for place, column in sieve.missing.items() if column[row])
            out.append((kind, codes[row], names))
    return out


def why_none(bench: Bench) -> Emptiness:
    """Explain why no recipe satisfies a question.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.

    Returns
    -------
    Emptiness
        The reasons.

    Notes
    -----
    The nearest miss is found by opening all windows alike, in steps of each window's
    own scale, until something lies inside; the quench floor of the house never opens.
    """
    question = bench.question
    pairs = sum(len(rows["key"]) for rows in Join(bench, {}, None).pairs())
    openings = []
    for wanted in WANTED:
        window = question.window(wanted.key)
        if window.low is None and window.high is None:
            continue
        lifted = {key: w for key, w in question.windows.items() if key != wanted.key}
        if wanted.key in ("quench", "deck_clearance"):
            # How far a crown is faced hangs on these two, so the question itself changes.
            asked = _asked(bench, replace(question, windows=lifted))
            openings.append(Opening(wanted.key, estimate(asked)))
        else:
            openings.append(Opening(wanted.key, estimate(bench, lifted)))
    openings.sort(key=lambda item: -item.count.recipes)
    return Emptiness(attrition(bench), pairs, tuple(openings), _nearest_miss(bench))


def _asked(bench: Bench, question: Question) -> Bench:
    return Bench(bench.shelf, bench.block, bench.rules, question)


def opened(question: Question, steps: float) -> Question:
    """Return the question with every window opened by some steps of its scale, aims kept."""
    windows = {}
    for key, window in question.windows.items():
        reach = steps * question.scale(key)
        low = None if window.low is None else window.low - reach
        high = None if window.high is None else window.high + reach
        if key == "compression_ratio" and low is not None:
            low = max(low, 1.001)
        windows[key] = Window(low, question.aim(key), high)
    return replace(question, windows=windows, priority="nearest" if _aimed(question) else "cheapest")


def _aimed(question: Question) -> bool:
    return any(question.aim(key) is not None for key in question.windows)


def _nearest_miss(bench: Bench) -> Miss | None:
    question = bench.question
    if not question.windows or any(not len(bench.candidates[kind].rows) for kind in MAKING):
        return None
    steps, found = 0.25, None
    while steps < 2000:
        asked = _asked(bench, opened(question, steps))
        if estimate(asked, sample=64).recipes > 0 and (rows := best(asked, 1)).recipes:
            found = (asked, rows.recipes)
            break
        steps *= 2
    if found is None:
        return None
    # Half way back and forth, until the opening is known to a hundredth of a step.
    low = 0.0 if steps <= 0.25 else steps / 2
    while steps - low > 0.01 * max(steps, 0.25):
        middle = (low + steps) / 2
        asked = _asked(bench, opened(question, middle))
        rows = best(asked, 1)
        if rows.recipes:
            steps, found = middle, (asked, rows.recipes)
        else:
            low = middle
    asked, recipes = found
    verdicts = [judge(bench.shelf, bench.block, bench.rules, asked.question, recipe) for recipe in recipes]
    verdict = verdicts[0]
    assert verdict.results is not None
    rod = bench.shelf.tables["rod"].words["material"][verdict.recipe[1]]
    return Miss(verdict, misses(verdict.results, question, question.floor(rod)))


def miss_words(key: str, by: float) -> str:
    """Say by how much a window is missed.

    Parameters
    ----------
    key : str
        Of the window.
    by : float
        In the result's unit; negative below the window.

    Returns
    -------
    str
        Such as ``quench 0.060 mm over``.

    Examples
    --------
    >>> miss_words("quench", 0.06)
    'quench 0.060 mm over'
    """
    wanted = WANTED_KEY[key]
    if math.isinf(by):
        return f"{wanted.label} impossible"
    digits = 3 if wanted.unit == "mm" else wanted.decimals
    unit = f" {wanted.unit}" if wanted.unit else ""
    return f"{wanted.label} {abs(by):.{digits}f}{unit} {'over' if by > 0 else 'under'}"
