"""What is said under the mix bench: what is wrong with the recipe in hand, or why there is none."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sized
from typing import NamedTuple

from zygometra.core.digits import number_of, whole
from zygometra.core.findings.said import RANK
from zygometra.core.likely import Usual
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import KIND, STAND_INS, unlikely
from zygometra.core.mix.placeholders import STAND_IN, is_stood_in
from zygometra.core.mix.question import WANTED_KEY
from zygometra.core.mix.reasons import FLOOR, Emptiness, attrition, cannot_be_judged, miss_words
from zygometra.core.mix.recipe import Recipe
from zygometra.core.mix.verdict import open_results
from zygometra.core.place import PartPlace
from zygometra.core.sentence import Given, Listed, Sentence, listed, sentence
from zygometra.core.written import AsTyped

# How many parts that cannot be judged are named.
MOST_LINES = 60


class MixSaid(NamedTuple):
    """One thing said under the bench: how bad, what, and more of it."""

    severity: str
    says: Given
    more: tuple[Given, ...] = ()


def what_is_said(
    laid_out: QueryTables, chosen: Recipe | None, emptiness: Emptiness | None, *, looked: bool, found: bool
) -> list[MixSaid]:
    """Return what is to be said of an answer, worst first.

    Parameters
    ----------
    laid_out : QueryTables
        The shelf laid out for the question.
    chosen : Recipe or None
        The recipe in hand.
    emptiness : Emptiness or None
        Why there is none; None where there are some, or where it is still worked out.
    looked, found : bool
        Whether the best were looked for to the end, and whether there are some.

    Returns
    -------
    list of MixSaid
        To be written for whoever reads.
    """
    out: list[MixSaid] = []
    if emptiness is not None:
        out += _empty(emptiness)
    elif not looked:
        out.append(MixSaid("note", "The best recipes are being looked for."))
    elif not found:
        out.append(MixSaid("stop", "No recipe satisfies every window. Why is being worked out."))
    if chosen is not None:
        out += _of_recipe(chosen)
    out += _of_shelf(laid_out)
    return sorted(out, key=lambda said: RANK[said.severity])


def _of_recipe(recipe: Recipe) -> Iterator[MixSaid]:
    verdict = recipe.verdict
    if verdict.outside:
        yield MixSaid(
            "stop",
            sentence("The recipe in hand lies outside its windows: {which}.", which=_labels(verdict.outside)),
        )
    for fit in verdict.refused:
        yield MixSaid("stop", sentence("The recipe in hand does not fit: {why}.", why=fit.says))
    for key in recipe.crosses:
        yield MixSaid(
            "warn",
            Sentence(
                f"The band of doubt of its {_label(key)} crosses the window's edge: measure before you buy."
            ),
        )
    yield from _unlikely(recipe)
    unknown: list[Given] = [
        f"not checked: {fit.rule.interface}; {_places(fit.missing)} missing" for fit in verdict.unchecked
    ]
    unknown += [
        Sentence(f"not known: {_label(key)}; {_places(places)} missing")
        for key, places in open_results(verdict).items()
    ]
    if unknown:
        which = ", ".join(fit.rule.interface for fit in verdict.unchecked[:3])
        more = f" and {number_of(len(unknown) - 3, 'other')}" if len(unknown) > 3 else ""
        yield MixSaid(
            "note", f"On paper only: {which or 'what rests on volumes'}{more} not checked.", tuple(unknown)
        )
    if verdict.results is not None and not verdict.results.is_priced:
        yield MixSaid("note", "The cost of the recipe in hand is not known: such recipes come last.")


def _unlikely(recipe: Recipe) -> Iterator[MixSaid]:
    """Figures of its parts that are likelier a slip of the pen."""
    for part in recipe.parts.values():
        for dimension, quantity in unlikely(part):
            yield MixSaid(
                "warn",
                sentence(
                    "{part}: {what} of {value} is unlikely; usually it is {usual}. Look at it again.",
                    part=part.code,
                    what=dimension.label,
                    value=AsTyped(quantity),
                    usual=Usual(dimension),
                ),
            )


def _of_shelf(laid_out: QueryTables) -> Iterator[MixSaid]:
    unjudged = [
        f"{KIND[kind].label} {code} cannot be judged: {_places(missing)} missing"
        for kind, code, missing in cannot_be_judged(laid_out)
        if code != STAND_IN
    ]
    yield from _stood_in(laid_out)
    if unjudged:
        lines = unjudged[:MOST_LINES]
        if len(unjudged) > MOST_LINES:
            lines.append(f"and {whole(len(unjudged) - MOST_LINES)} more")
        yield MixSaid(
            "note", f"{_number(unjudged, 'part')} cannot be judged for want of a figure.", tuple(lines)
        )
    left = []
    for a in attrition(laid_out):
        why = ", ".join(f"{_rule_words(laid_out, key)} {n}" for key, n in a.refused[:4])
        text = f"{KIND[a.kind].plural}: {a.on_shelf} on the shelf, {a.left} could be used"
        left.append(text + (f"; out for {why}" if why else ""))
    yield MixSaid("note", "What the block leaves of the shelf.", tuple(left))


def _stood_in(laid_out: QueryTables) -> Iterator[MixSaid]:
    """That a kind is not on the shelf yet: what rests on it is left open, or stands in the way where it was asked."""
    for kind in STAND_INS:
        if not is_stood_in(laid_out.shelf, kind):
            continue
        results = ("quench", "compression_ratio") if kind == "gasket" else ("compression_ratio",)
        words = " and ".join(_label(key) for key in results)
        asked = any(laid_out.question.asks(key) for key in results)
        if asked:
            yield MixSaid(
                "warn",
                Sentence(
                    f"No {KIND[kind].label} is on the shelf yet, so {words} cannot be judged:"
                    " empty their windows to plan the rest on paper."
                ),
            )
        else:
            yield MixSaid(
                "note", Sentence(f"No {KIND[kind].label} is on the shelf yet: {words} are left open.")
            )


def _empty(emptiness: Emptiness) -> Iterator[MixSaid]:
    nothing_left = [KIND[a.kind].plural for a in emptiness.parts if not a.left]
    if nothing_left:
        yield MixSaid(
            "stop", f"No recipe: none of the {' and '.join(nothing_left)} on the shelf goes with this block."
        )
    elif not emptiness.pairs:
        yield MixSaid("stop", "No recipe: no crank and rod on the shelf go together in this block.")
    else:
        yield MixSaid("stop", "No recipe satisfies every window.")
    for opening in emptiness.openings:
        if opening.window == FLOOR and opening.count.recipes:
            yield MixSaid(
                "warn",
                sentence(
                    "Only the {quench} floor of the house stands against {count}; it is never opened.",
                    count=opening.count.words,
                ),
            )
        elif opening.count.recipes:
            yield MixSaid(
                "warn",
                Sentence(
                    f"Without the window of {_label(opening.window)} there would be {opening.count.words}."
                ),
            )
    if emptiness.openings and not any(o.count.recipes for o in emptiness.openings) and not nothing_left:
        yield MixSaid("warn", "No single window is to blame: at least two of them must give.")
    if emptiness.nearest is not None:
        words = listed((miss_words(key, by) for key, by in emptiness.nearest.misses.items()), "; ")
        yield MixSaid(
            "warn", sentence("The nearest miss, shown as the recipe in hand: {misses}.", misses=words)
        )


def _label(key: str) -> str:
    """What a window is called, with places for the reader's words."""
    return WANTED_KEY[key].words if key in WANTED_KEY else key


def _labels(keys: Iterable[str]) -> Listed:
    return listed(Sentence(_label(key)) for key in keys)


def _places(places: Iterable[str]) -> str:
    return ", ".join(PartPlace.parse(place).words for place in places)


def _number(things: Sized, word: str) -> str:
    return number_of(len(things), word)


def _rule_words(laid_out: QueryTables, key: str) -> str:
    return key if key in ("use", "in hand") else laid_out.rules.rule(key).interface
