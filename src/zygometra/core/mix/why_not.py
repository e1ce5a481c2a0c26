"""Why not this part: the rule that keeps it out, or the window that no recipe with it meets."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Mapping
from dataclasses import replace
from functools import partial

import numpy as np

from ..digits import number_of, whole
from ..place import PartPlace
from ..sentence import Given, listed, sentence
from ..windows import Window
from ..written import judged
from .counting import Told, estimate
from .judge import judge
from .laid_out import QueryTables
from .parts import KIND, MAKING
from .placeholders import STAND_IN
from .question import WANTED_KEY
from .reasons import FLOOR, miss_words, why_none, without_floor
from .rules import FitRule, judge_columns, judge_fit
from .searching import best
from .shelf import Floats, Ints
from .verdict import Combination


def why_not(laid_out: QueryTables, code: str, told: Told | None = None) -> tuple[Given, ...]:
    """Return what keeps a part out of the recipes, in sentences.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    code : str
        The part's code.
    told : callable, optional
        Is told now and then how much is done, from 0 to 1; may raise to end it.

    Returns
    -------
    tuple of Sentence or str
        One thing each.
    """
    kind = next((k for k in MAKING if code in laid_out.shelf.tables[k].place), None)
    if kind is None:
        return (f"No crank, rod, piston, gasket or head on the shelf has the code {code}.",)
    alone = tuple(_on_its_own(laid_out, kind, laid_out.shelf.tables[kind].place[code]))
    if alone:
        return alone
    own = laid_out.asked(replace(laid_out.question, use={**laid_out.question.use, kind: code}))
    first = best(own, 1, told=told).recipes
    if first:
        return (_it_is_in(own, kind, first[0]),)
    return tuple(_among_others(own, kind, told))


def _on_its_own(laid_out: QueryTables, kind: str, row: int) -> Iterator[Given]:
    """What keeps the part out whatever it is put together with."""
    sieve = laid_out.sieve(kind)
    label = KIND[kind].label
    for place, column in sieve.missing.items():
        if column[row]:
            yield f"The {label} cannot be judged: {place.partition('.')[2].replace('_', ' ')} missing."
    for key, refused in sieve.refused.items():
        if not refused[row]:
            continue
        if key == "in hand":
            yield "There are not enough of it on the shelf, and only what is in hand was asked for."
        elif key == "use":
            yield f"The question asks for another {label}: {laid_out.question.use[kind]}."
        else:
            rule = laid_out.rules.rule(key)
            fit = judge_fit(rule, partial(_look, laid_out, {kind: row}), laid_out.question.allows)
            yield sentence("{rule}: {why}.", rule=_begun(rule.interface), why=fit.says)


def _it_is_in(own: QueryTables, kind: str, first: Combination) -> str:
    verdict = judge(own.shelf, own.block, rules=own.rules, question=own.question, recipe=first)
    assert verdict.results is not None
    others = ", ".join(
        f"{KIND[k].label} {own.shelf.tables[k].codes[row]}"
        for k, row in zip(MAKING, first, strict=True)
        if k != kind and own.shelf.tables[k].codes[row] != STAND_IN
    )
    results = verdict.results
    cost = f"{results.known_cost / 100:.2f}" + ("" if results.is_priced else " and what is not known")
    there = estimate(own)
    # Windows that leave one point of a stroke or a crown cut hold a recipe that is too narrow to be counted.
    many = there.words if there.recipes >= 0.5 else "1 recipe at the least"
    return f"It is in: {many} with it; the first costs {cost}, with {others}."


def _among_others(own: QueryTables, kind: str, told: Told | None) -> Iterator[Given]:
    """What keeps a part out that fits the block."""
    why = why_none(own, told)
    opened = [opening for opening in why.openings if opening.count.recipes]
    for opening in opened:
        if opening.window == FLOOR:
            yield from _against_the_floor(own, told)
        else:
            label = WANTED_KEY[opening.window].words
            yield sentence(
                f"The window of {label} keeps it out: without it there would be {{count}}.",
                count=opening.count.words,
            )
    if why.nearest is not None:
        words = listed((miss_words(key, by) for key, by in why.nearest.misses.items()), "; ")
        yield sentence("The nearest it comes: {misses}.", misses=words)
    elif not opened:
        yield from tuple(_against_the_floor(own, told)) or _between(own, kind)
    if kind == "piston" and own.rests_for_dish[own.shelf.tables[kind].place[own.question.use[kind]]]:
        yield (
            "Its crown is not faced: nobody told the opening of its dish, so what a cut leaves of it is not known. "
            "With its dish area (0 where nothing opens at the rim) it can be."
        )


def _against_the_floor(laid_out: QueryTables, told: Told | None) -> Iterator[Given]:
    """How near to the quench floor the part comes at best, whatever else was asked; nothing where it meets nothing."""
    floor = max(laid_out.question.quench_floor.values())
    asked = replace(
        without_floor(laid_out.question), windows={"quench": Window(None, floor, None)}, priority="nearest"
    )
    free = laid_out.asked(asked)
    found = best(free, 1, told=told).recipes
    verdict = (
        judge(free.shelf, free.block, rules=free.rules, question=asked, recipe=found[0]) if found else None
    )
    if verdict is None or verdict.results is None or verdict.results.quench is None:
        return
    gap, least = judged(verdict.results.quench, floor, _HUNDREDTHS)
    if verdict.results.quench < floor:
        yield sentence(
            "It stops too high: the most {quench} it leaves is {gap},"
            " and the house's floor of {least} is never undercut.",
            gap=gap,
            least=least,
        )
    else:
        yield sentence(
            "It goes together with parts on the shelf, at best with {gap} of {quench},"
            " but meets no two of the windows at once.",
            gap=gap,
        )


# A doubt that lets lengths be written to the hundredth of a mm.
_HUNDREDTHS = 0.05


def _between(own: QueryTables, kind: str) -> Iterator[Given]:
    """The rules by which a part that fits the block goes with nothing of another kind, or with little."""
    yield f"On its own it fits the block, but nothing on the shelf goes together with this {KIND[kind].label}."
    for other in MAKING:
        if not len(own.candidates[other].rows):
            yield f"None of the {KIND[other].plural} on the shelf could be used."
    row = int(own.candidates[kind].rows[0])
    some = []
    for rule in own.rules.rules:
        # A stroke that is ground grows: a rule that gains by that cannot be judged beforehand.
        if len(rule.kinds) != 2 or kind not in rule.kinds or rule.measure.get("crank.stroke", 0) > 0:
            continue
        other = next(k for k in rule.kinds if k != kind)
        rows = own.candidates[other].rows

        def look(place: str, rows: Ints = rows, other: str = other) -> Floats:
            column = own.column(place)
            of = PartPlace.parse(place).kind
            return column[rows] if of == other else column[row : row + 1] if of == kind else column

        fits = np.broadcast_to(judge_columns(rule, look, own.question.allows, own.number)[0], rows.shape)
        if not len(rows) or fits.all():
            continue
        if fits.any():
            of = number_of(len(rows), KIND[other].label, KIND[other].plural)
            some.append(f"{rule.interface} {whole(fits.sum())} of {of}")
            continue
        near = int(rows[_nearest(rule, look, own)])
        fit = judge_fit(rule, partial(_look, own, {kind: row, other: near}), own.question.allows)
        yield sentence(
            "{rule}: with none of {many}; with {part}, the nearest, {why}.",
            rule=_begun(rule.interface),
            many=number_of(len(rows), KIND[other].label, KIND[other].plural),
            part=own.shelf.tables[other].codes[near],
            why=fit.says,
        )
    if some:
        yield f"Left for it by one rule at a time: {'; '.join(some)}."


def _nearest(rule: FitRule, look: Callable[[str], Floats], own: QueryTables) -> int:
    """Which of a column comes nearest to a rule; the first for a rule of words."""
    if rule.same:
        return 0
    measure = sum(factor * look(place) for place, factor in rule.measure.items())
    bands = [band for band in rule.bands if not band.machining or own.question.allows(band.machining)]
    off = [np.maximum(band.low - measure, measure - band.high) for band in bands]
    return int(np.argmin(np.min(off, axis=0))) if off else 0


def _look(laid_out: QueryTables, rows: Mapping[str, int], place: str) -> float | str | None:
    """A dimension or word of one of some parts, or of the block; None where it is not known."""
    kind, name = PartPlace.parse(place)
    if kind == "block":
        return laid_out.block.look(name)
    table, row = laid_out.shelf.tables[kind], rows[kind]
    if name in table.words:
        return table.words[name][row] or None
    value = float(table.values[name][row])
    return None if math.isnan(value) else value


def _begun(words: str) -> str:
    return words[:1].upper() + words[1:]
