"""What is said under the mix bench: what is wrong with the recipe in hand, or why there is none."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sized
from typing import NamedTuple

from zygometra.core.digits import whole
from zygometra.core.findings.said import RANK
from zygometra.core.mix.laid_out import LaidOut
from zygometra.core.mix.parts import KIND
from zygometra.core.mix.question import WANTED_KEY
from zygometra.core.mix.reasons import FLOOR, Emptiness, attrition, cannot_be_judged, miss_words
from zygometra.core.mix.recipe import Recipe
from zygometra.core.place import PartPlace

# How many parts that cannot be judged are named.
MOST_LINES = 60


class Said(NamedTuple):
    """One thing said under the bench: how bad, what, and more of it."""

    severity: str
    says: str
    more: tuple[str, ...] = ()


def what_is_said(
    laid_out: LaidOut, chosen: Recipe | None, emptiness: Emptiness | None, *, looked: bool, found: bool
) -> list[Said]:
    """Return what is to be said of an answer, worst first.

    Parameters
    ----------
    laid_out : LaidOut
        The shelf laid out for the question.
    chosen : Recipe or None
        The recipe in hand.
    emptiness : Emptiness or None
        Why there is none; None where there are some, or where it is still worked out.
    looked, found : bool
        Whether the best were looked for to the end, and whether there are some.

    Returns
    -------
    list of Said
        Sentences of the core: lengths in mm.
    """
    out: list[Said] = []
    if emptiness is not None:
        out += _empty(emptiness)
    elif not looked:
        out.append(Said("note", "The best recipes are being looked for."))
    elif not found:
        out.append(Said("stop", "No recipe satisfies every window. Why is being worked out."))
    if chosen is not None:
        out += _of_recipe(chosen)
    out += _of_shelf(laid_out)
    return sorted(out, key=lambda said: RANK[said.severity])


def _of_recipe(recipe: Recipe) -> Iterator[Said]:
    verdict = recipe.verdict
    if verdict.outside:
        yield Said(
            "stop", f"The recipe in hand lies outside its windows: {', '.join(map(_label, verdict.outside))}."
        )
    for fit in verdict.refused:
        yield Said("stop", f"The recipe in hand does not fit: {fit.says}.")
    for key in recipe.crosses:
        yield Said(
            "warn",
            f"The band of doubt of its {_label(key)} crosses the window's edge: measure before you buy.",
        )
    unknown = tuple(f"{fit.rule.interface}: {_places(fit.missing)} not known" for fit in verdict.unchecked)
    if unknown:
        yield Said("note", f"Not checked on the recipe in hand: {_number(unknown, 'fit')}.", unknown)


def _of_shelf(laid_out: LaidOut) -> Iterator[Said]:
    unjudged = [
        f"{KIND[kind].label} {code} cannot be judged: {_places(missing)} missing"
        for kind, code, missing in cannot_be_judged(laid_out)
    ]
    if unjudged:
        lines = unjudged[:MOST_LINES]
        if len(unjudged) > MOST_LINES:
            lines.append(f"and {whole(len(unjudged) - MOST_LINES)} more")
        yield Said(
            "note", f"{_number(unjudged, 'part')} cannot be judged for want of a figure.", tuple(lines)
        )
    left = []
    for a in attrition(laid_out):
        why = ", ".join(f"{_rule_words(laid_out, key)} {n}" for key, n in a.refused[:4])
        text = f"{KIND[a.kind].plural}: {a.on_shelf} on the shelf, {a.left} could be used"
        left.append(text + (f"; out for {why}" if why else ""))
    yield Said("note", "What the block leaves of the shelf.", tuple(left))


def _empty(emptiness: Emptiness) -> Iterator[Said]:
    nothing_left = [KIND[a.kind].plural for a in emptiness.parts if not a.left]
    if nothing_left:
        yield Said(
            "stop", f"No recipe: none of the {' and '.join(nothing_left)} on the shelf goes with this block."
        )
    elif not emptiness.pairs:
        yield Said("stop", "No recipe: no crank and rod on the shelf go together in this block.")
    else:
        yield Said("stop", "No recipe satisfies every window.")
    for opening in emptiness.openings:
        if opening.window == FLOOR and opening.count.recipes:
            yield Said(
                "warn",
                f"Only the quench floor of the house stands against {opening.count.words}; it is never opened.",
            )
        elif opening.count.recipes:
            yield Said(
                "warn",
                f"Without the window of {_label(opening.window)} there would be {opening.count.words}.",
            )
    if emptiness.openings and not any(o.count.recipes for o in emptiness.openings) and not nothing_left:
        yield Said("warn", "No single window is to blame: at least two of them must give.")
    if emptiness.nearest is not None:
        words = "; ".join(miss_words(key, by) for key, by in emptiness.nearest.misses.items())
        yield Said("warn", f"The nearest miss, shown as the recipe in hand: {words}.")


def _label(key: str) -> str:
    return WANTED_KEY[key].label if key in WANTED_KEY else key


def _places(places: Iterable[str]) -> str:
    return ", ".join(PartPlace.parse(place).words for place in places)


def _number(things: Sized, word: str) -> str:
    return f"{whole(len(things))} {word}{'' if len(things) == 1 else 's'}"


def _rule_words(laid_out: LaidOut, key: str) -> str:
    return key if key in ("use", "in hand") else laid_out.rules.rule(key).interface
