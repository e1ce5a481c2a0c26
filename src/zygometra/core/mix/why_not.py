"""Why not this part: the rule that keeps it out, or the window that no recipe with it meets."""

from __future__ import annotations

import math
from collections.abc import Iterator
from dataclasses import replace

from ..build import Window
from ..wording import figure
from .bench import Bench
from .counting import estimate
from .judge import Recipe, judge
from .parts import KIND, MAKING
from .question import WANTED_KEY
from .reasons import FLOOR, miss_words, why_none, without_floor
from .rules import judge_fit
from .search import best


def why_not(bench: Bench, code: str) -> tuple[str, ...]:
    """Return what keeps a part out of the recipes, in sentences.

    Parameters
    ----------
    bench : Bench
        The shelf laid out for the question.
    code : str
        The part's code.

    Returns
    -------
    tuple of str
        One thing each; lengths in mm.
    """
    kind = next((k for k in MAKING if code in bench.shelf.tables[k].place), None)
    if kind is None:
        return (f"No crank, rod, piston, gasket or head on the shelf has the code {code}.",)
    alone = tuple(_on_its_own(bench, kind, bench.shelf.tables[kind].place[code]))
    if alone:
        return alone
    own = bench.asked(replace(bench.question, use={**bench.question.use, kind: code}))
    first = best(own, 1).recipes
    if first:
        return (_it_is_in(own, kind, first[0]),)
    return tuple(_among_others(own, kind))


def _on_its_own(bench: Bench, kind: str, row: int) -> Iterator[str]:
    """What keeps the part out whatever it is put together with."""
    sieve = bench.sieve(kind)
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
            yield f"The question asks for another {label}: {bench.question.use[kind]}."
        else:
            rule = bench.rules.rule(key)
            fit = judge_fit(rule, lambda place: _look(bench, row, place), bench.question.allows)
            yield f"{rule.interface.capitalize()}: {fit.says}."


def _it_is_in(own: Bench, kind: str, first: Recipe) -> str:
    verdict = judge(own.shelf, own.block, own.rules, own.question, first)
    assert verdict.results is not None
    others = ", ".join(
        f"{KIND[k].label} {own.shelf.tables[k].codes[row]}"
        for k, row in zip(MAKING, first, strict=True)
        if k != kind
    )
    cost = verdict.results.cost / 100
    return f"It is in: {estimate(own).words} with it; the first costs {cost:.2f}, with {others}."


def _among_others(own: Bench, kind: str) -> Iterator[str]:
    """What keeps a part out that fits the block."""
    why = why_none(own)
    if not why.pairs:
        yield f"On its own it fits the block, but nothing on the shelf fits this {KIND[kind].label}."
        return
    opened = [opening for opening in why.openings if opening.count.recipes]
    for opening in opened:
        if opening.window == FLOOR:
            yield _against_the_floor(own)
        else:
            label = WANTED_KEY[opening.window].label
            yield f"The window of {label} keeps it out: without it there would be {opening.count.words}."
    if why.nearest is not None:
        words = "; ".join(miss_words(key, by) for key, by in why.nearest.misses.items())
        yield f"The nearest it comes: {words}."
    elif not opened:
        yield _against_the_floor(own)


def _against_the_floor(bench: Bench) -> str:
    """How near to the quench floor the part comes at best, whatever else was asked."""
    floor = max(bench.question.quench_floor.values())
    asked = replace(
        without_floor(bench.question), windows={"quench": Window(None, floor, None)}, priority="nearest"
    )
    free = bench.asked(asked)
    found = best(free, 1).recipes
    verdict = judge(free.shelf, free.block, free.rules, asked, found[0]) if found else None
    if verdict is None or verdict.results is None:
        return "Nothing on the shelf goes together with it in this block."
    quench = f"{figure(verdict.results.quench, 2)} mm"
    if verdict.results.quench < floor:
        return f"It stops too high: the most quench it leaves is {quench}, and the house's floor is never undercut."
    return f"It goes together with parts on the shelf, at best with {quench} of quench, but meets no two of the windows at once."


def _look(bench: Bench, row: int, place: str) -> float | str | None:
    """A dimension or word of the part, or of the block; None where it is not known."""
    kind, _, name = place.partition(".")
    if kind == "block":
        return bench.block.look(name)
    table = bench.shelf.tables[kind]
    if name in table.words:
        return table.words[name][row] or None
    value = float(table.values[name][row])
    return None if math.isnan(value) else value
