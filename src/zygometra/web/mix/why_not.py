"""Why not this part: the rule that keeps it out, or the window that no recipe with it meets."""

from __future__ import annotations

from dataclasses import replace

from zygometra.core.build import Window
from zygometra.core.mix.bench import Bench
from zygometra.core.mix.counting import estimate
from zygometra.core.mix.judge import judge
from zygometra.core.mix.parts import KIND, MAKING
from zygometra.core.mix.question import WANTED_KEY
from zygometra.core.mix.reasons import FLOOR, miss_words, why_none, without_floor
from zygometra.core.mix.rules import judge_fit
from zygometra.core.mix.search import best

from .view import count_words


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
        One thing each.
    """
    kind = next((k for k in MAKING if code in bench.shelf.tables[k].place), None)
    if kind is None:
        return (f"No crank, rod, piston, gasket or head on the shelf has the code {code}.",)
    row = bench.shelf.tables[kind].place[code]
    label = KIND[kind].label
    sieve = bench.sieve(kind)
    out = []
    for place, column in sieve.missing.items():
        if column[row]:
            out.append(f"The {label} cannot be judged: {place.partition('.')[2].replace('_', ' ')} missing.")
    for key, refused in sieve.refused.items():
        if refused[row] and key == "in hand":
            out.append("There are not enough of it on the shelf, and only what is in hand was asked for.")
        elif refused[row] and key == "use":
            out.append(f"The question asks for another {label}: {bench.question.use[kind]}.")
        elif refused[row]:
            out.append(f"{bench.rules.rule(key).interface.capitalize()}: {_says(bench, key, kind, row)}.")
    if out:
        return tuple(out)
    asked = replace(bench.question, use={**bench.question.use, kind: code})
    own = bench.asked(asked)
    found = best(own, 1)
    if found.recipes:
        verdict = judge(own.shelf, own.block, own.rules, asked, found.recipes[0])
        assert verdict.results is not None
        others = [f"{KIND[k].label} {own.shelf.tables[k].codes[r]}"
                  for k, r in zip(MAKING, found.recipes[0], strict=True) if k != kind]  # fmt: skip
        return (f"It is in: {count_words(estimate(own))} with it; the first costs {verdict.results.cost / 100:.2f}, "
                f"with {', '.join(others)}.",)  # fmt: skip
    why = why_none(own)
    if not why.pairs:
        return (f"On its own it fits the block, but nothing on the shelf fits this {label}.",)
    for opening in why.openings:
        if opening.window == FLOOR and opening.count.recipes:
            out.append(_against_the_floor(own))
        elif opening.count.recipes:
            out.append(
                f"The window of {WANTED_KEY[opening.window].label} keeps it out: without it there would be {count_words(opening.count)}."
            )
    if why.nearest is not None:
        words = "; ".join(miss_words(key, by) for key, by in why.nearest.misses.items())
        out.append(f"The nearest it comes: {words}.")
    return tuple(out) or (_against_the_floor(own),)


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
    quench = f"{verdict.results.quench:.2f} mm".replace("-", "−")
    if verdict.results.quench < floor:
        return f"It stops too high: the most quench it leaves is {quench}, and the house's floor is never undercut."
    return f"It goes together with parts on the shelf, at best with {quench} of quench, but meets no two of the windows at once."


def _says(bench: Bench, key: str, kind: str, row: int) -> str:
    table = bench.shelf.tables[kind]

    def look(place: str) -> float | str | None:
        of, _, name = place.partition(".")
        if of == "block":
            return bench.block.look(name)
        if name in table.words:
            return table.words[name][row] or None
        value = float(table.values[name][row])
        return None if value != value else value

    return judge_fit(bench.rules.rule(key), look, bench.question.allows).says
