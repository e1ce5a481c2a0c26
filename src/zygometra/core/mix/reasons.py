"""Why there is nothing, or so little: which parts fell to which rule, which window stands in the way."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np

from ..digits import decimals_apart
from ..place import PartPlace
from ..sentence import Sentence, sentence
from ..windows import Window
from ..written import Missed, Number
from .counting import Count, Told, estimate
from .exhaustive import ExhaustiveSearch
from .goals import EVEN, the_window
from .joins import Join
from .judge import judge, misses
from .laid_out import QueryTables
from .nearest import nearest
from .parts import MAKING
from .question import WANTED, WANTED_KEY, MixQuestion
from .searching import best
from .shelf import Bools
from .verdict import Combination, Verdict


@dataclass(frozen=True, slots=True)
class Attrition:
    """What became of the parts of one kind on their own: how many there are, could be used, and what took the rest."""

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


def attrition(laid_out: QueryTables) -> tuple[Attrition, ...]:
    """Return what became of the parts of each kind on their own.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.

    Returns
    -------
    tuple of Attrition
        Crank to head; rules and missing figures with how many parts fell to them, the
        most first.
    """
    out = []
    for kind in MAKING:
        sieve = laid_out.sieve(kind)

        def counted(of: Mapping[str, Bools]) -> tuple[tuple[str, int], ...]:
            found = [(key, int(np.count_nonzero(column))) for key, column in of.items()]
            return tuple(sorted(((k, n) for k, n in found if n), key=lambda item: -item[1]))

        total = len(laid_out.shelf.tables[kind])
        out.append(
            Attrition(
                kind=kind,
                on_shelf=total,
                left=int(sieve.left.sum()),
                refused=counted(sieve.refused),
                missing=counted(sieve.missing),
            )
        )
    return tuple(out)


def cannot_be_judged(laid_out: QueryTables) -> list[tuple[str, str, tuple[str, ...]]]:
    """List the parts that lack a figure without which nothing can be said, and are not out anyway.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.

    Returns
    -------
    list of (kind, code, missing)
        Such as ``("rod", "RD-00012", ("pin_bore",))``.
    """
    out = []
    for kind in MAKING:
        sieve = laid_out.sieve(kind)
        open_still = np.ones(len(laid_out.shelf.tables[kind]), bool)
        for refused in sieve.refused.values():
            open_still &= ~refused
        lacking = np.zeros(len(open_still), bool)
        for missing in sieve.missing.values():
            lacking |= missing
        codes = laid_out.shelf.tables[kind].codes
        for row in np.flatnonzero(open_still & lacking):
            names = tuple(
                PartPlace.parse(place).name for place, column in sieve.missing.items() if column[row]
            )
            out.append((kind, codes[row], names))
    return out


def why_none(laid_out: QueryTables, told: Told | None = None) -> Emptiness:
    """Explain why no recipe satisfies a question.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    told : callable, optional
        Is told now and then how much is done, from 0 to 1; may raise to end it.

    Returns
    -------
    Emptiness
        The reasons.

    Notes
    -----
    The nearest miss is found by opening each window on its own, in steps of its own
    scale, until something lies inside; where no one window is enough, all of them alike.
    The quench floor of the house never opens.
    """
    question = laid_out.question
    pairs = sum(len(rows["key"]) for rows in Join(laid_out, {}, None).pairs())
    openings = []
    for wanted in WANTED:
        window = question.window(wanted.key)
        if window.low is None and window.high is None:
            continue
        lifted = {key: w for key, w in question.windows.items() if key != wanted.key}
        if wanted.key in _DECIDES:
            asked = laid_out.asked(replace(question, windows=lifted))
            openings.append(Opening(wanted.key, estimate(asked)))
        else:
            openings.append(Opening(wanted.key, estimate(laid_out, lifted)))
    if not any(item.count.recipes for item in openings):
        # The floor of the house is no window, but it may be what stands in the way.
        openings.append(Opening(FLOOR, estimate(laid_out.asked(without_floor(question)))))
    openings.sort(key=lambda item: -item.count.recipes)
    return Emptiness(attrition(laid_out), pairs, tuple(openings), _nearest_miss(laid_out, openings, told))


FLOOR = "quench floor"


def without_floor(question: MixQuestion) -> MixQuestion:
    """Return the question as if quench had neither floor nor least: to explain, never to suggest.

    Parameters
    ----------
    question : MixQuestion
        What is asked.
    """
    window = question.window("quench")
    windows = {**question.windows, "quench": Window(None, window.aim, window.high)}
    return replace(question, quench_floor={"": -100.0}, windows=windows)


def opened(question: MixQuestion, steps: float, only: str = "") -> MixQuestion:
    """Return the question with every window, or only one, opened by some steps of its scale; aims are kept.

    Parameters
    ----------
    question : MixQuestion
        What is asked.
    steps : float
        How many of the steps by which misses are compared; no unit.
    only : str
        The one result whose window is opened; empty for all.
    """
    windows = {}
    for key, window in question.windows.items():
        reach = steps * question.scale(key) if only in ("", key) else 0.0
        low = None if window.low is None else window.low - reach
        high = None if window.high is None else window.high + reach
        if key == "compression_ratio" and low is not None:
            low = max(low, 1.001)
        windows[key] = Window(low, window.aim, high)
    return replace(question, windows=windows, priority="cheapest")


def _nearest_miss(laid_out: QueryTables, openings: list[Opening], told: Told | None) -> Miss | None:
    """The recipe that misses one window by least, or where no one window is enough, all of them alike."""
    if not laid_out.question.windows or any(not len(laid_out.candidates[kind].rows) for kind in MAKING):
        return None
    alone = [o.window for o in openings if o.count.recipes > 0 and o.window != FLOOR]
    known = [miss for key in alone if (miss := _opening_by(laid_out, key, told)) is not None]
    together = None if known else _opening_by(laid_out, "", told)
    if together is not None:
        known = [together]
    if not known:
        return None
    _, asked, recipe = min(known, key=lambda miss: miss[0])
    verdict = judge(laid_out.shelf, laid_out.block, rules=laid_out.rules, question=asked, recipe=recipe)
    assert verdict.results is not None
    rod = laid_out.shelf.tables["rod"].words["material"][recipe[1]]
    return Miss(verdict, misses(verdict.results, laid_out.question, laid_out.question.floor(rod)))


# How far a crown is faced or a journal ground hangs on these windows: another width is another question.
_DECIDES = ("deck_clearance", "quench")


def _opening_by(
    laid_out: QueryTables, only: str, told: Told | None
) -> tuple[float, MixQuestion, Combination] | None:
    """By how many steps one window (or all) must open for a first recipe, to a hundredth of a step."""
    if only and only not in _DECIDES:
        if told is not None:
            told(0.5)
        goal = the_window(laid_out.question, only)
        found = nearest(laid_out, 1, goal)
        if not found.recipes:
            return None
        steps = float(found.rows["distance"][0])
        return steps, opened(laid_out.question, steps + EVEN, only), found.recipes[0]

    def is_any(steps: float) -> bool:
        if told is not None:
            told(0.5)
        asked = opened(laid_out.question, steps, only)
        return ExhaustiveSearch(laid_out.asked(asked), asked.windows).leads_anywhere()

    low, high = 0.0, 0.25
    while not is_any(high):
        low, high = high, high * 2
        if high >= 5000:
            return None
    while high - low > 0.01 * max(low, 0.25):
        middle = (low + high) / 2
        if is_any(middle):
            high = middle
        else:
            low = middle
    asked = opened(laid_out.question, high, only)
    return high, asked, best(laid_out.asked(asked), 1).recipes[0]


def miss_words(key: str, by: float) -> Sentence:
    """Say by how much a window is missed.

    Parameters
    ----------
    key : str
        Of the window.
    by : float
        In the result's unit; negative below the window.

    Returns
    -------
    Sentence
        Such as ``quench 0.06 mm over``.

    Examples
    --------
    >>> str(miss_words("quench", 0.06))
    'quench 0.06 mm over'
    """
    wanted = WANTED_KEY[key]
    if math.isinf(by):
        return Sentence(f"{wanted.words} impossible")
    way = "over" if by > 0 else "under"
    if wanted.unit == "mm":
        return sentence(f"{wanted.words} {{by}} {way}", by=Missed(by))
    unit = f" {wanted.unit}" if wanted.unit else ""
    # What is missed is missed by something: never by 0.00.
    digits, _ = decimals_apart(abs(by), 0.0, (wanted.decimals, 0))
    return sentence(f"{wanted.words} {{by}}{unit} {way}", by=Number(abs(by), digits))
