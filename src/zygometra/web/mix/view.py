"""The mix bench as the page shows it: the question, recipes side by side, the map, the one in hand."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple

from flask import url_for
from sqlalchemy.orm import Session

from zygometra.core.build.document import read_document
from zygometra.core.digits import about, money, number_of
from zygometra.core.errors import ZygometraError
from zygometra.core.house_rules import HouseRules
from zygometra.core.mix.counting import Count, estimate
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import KIND, MAKING, Part
from zygometra.core.mix.question import PRIORITIES, WANTED, MixQuestion
from zygometra.core.mix.reasons import Emptiness, opened, why_none
from zygometra.core.mix.recipe import Recipe, RecipeStep
from zygometra.core.mix.search_result import SearchResult
from zygometra.core.mix.searching import best, survey
from zygometra.core.mix.verdict import Combination
from zygometra.core.mix.win_back import WayBack, ways_back
from zygometra.core.sentence import Sentence
from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.drawing.field import field_map
from zygometra.drawing.recipes import stacks_drawing

from .. import urls
from ..jobs import jobs
from ..people import who
from .asked import EDGES, LENGTHS, MixQuery
from .columns import (
    COLUMNS,
    Column,
    RecipesShown,
    cells,
    clearance_window,
    column,
    in_full,
    rows_of,
    stack_of,
)
from .laid_out import key_for
from .map import Field, axis, points
from .said import what_is_said

# How long a page waits for the best, and for the reasons why there is nothing, in seconds.
BEST_WAIT, WHY_WAIT = 1.0, 1.0
_BEST_ON_MAP, _FIELD_ON_MAP = 120, 260
_AROUND = 4.0
# How far the map looks, as quench in mm.
_THROUGH, _DOWN = -5.0, 9.0
# A ratio that is nearer to its aim is not won back.
_NEAR = 0.005
_EDGE_WORDS = {"min": "least", "aim": "aim", "max": "most"}


def address_of(asked: MixQuery, **changes: str) -> dict[str, str]:
    """Return the address's parts for what is asked, with some of it changed; empty ones are left out."""
    merged = {**asked.typed, **changes}
    return {key: value for key, value in merged.items() if value}


@dataclass(frozen=True, slots=True)
class Looked:
    """What came of looking for recipes.

    ``found`` are the best; ``looked`` tells whether they were looked for to the end,
    ``emptiness`` why there are none, where that is worked out.
    """

    found: SearchResult
    looked: bool
    emptiness: Emptiness | None

    @property
    def waits(self) -> bool:
        """True where more will follow when the page asks again."""
        return not self.looked or (not self.found.recipes and self.emptiness is None)

    def in_hand(self, laid_out: QueryTables, asked: MixQuery) -> Combination | None:
        """Return the recipe in hand: the chosen one, else the first, else the nearest miss."""
        chosen = rows_of(laid_out, asked.chosen) if asked.chosen else None
        if chosen is None and self.found.recipes:
            chosen = self.found.recipes[0]
        if chosen is None and self.emptiness is not None and self.emptiness.nearest is not None:
            chosen = self.emptiness.nearest.verdict.recipe
        return chosen


def _look(session: Session, laid_out: QueryTables) -> Looked:
    key = key_for(session, laid_out.question)
    jobs().leave(who(), key)
    looking = jobs().ask(
        (key, "best"), lambda told: best(laid_out, _BEST_ON_MAP, told=told), by=who(), ahead=True
    )
    looked = looking.done_within(BEST_WAIT)
    found: SearchResult = looking.result if looked else SearchResult((), {})
    emptiness = _why_none(session, laid_out) if looked and not found.recipes else None
    return Looked(found, looked, emptiness)


def view(
    session: Session, laid_out: QueryTables, asked: MixQuery, reader: Reader, rules: HouseRules
) -> dict[str, Any]:
    """Return what the answer's templates show."""
    looked = _look(session, laid_out)
    field = survey(laid_out.asked(_whole_field(laid_out.question)), _FIELD_ON_MAP)
    pinned = [rows for key in asked.pins if (rows := rows_of(laid_out, key)) is not None]
    shown = RecipesShown(looked.in_hand(laid_out, asked), pinned)
    columns = _columns(session, laid_out, shown=shown, found=looked.found, reader=reader)
    in_hand = next((c for c in columns if c.state == "chosen"), None)
    recipe = in_hand.recipe if in_hand else None
    on_map = Field(looked.found, field.found, shown)
    sets = number_of(field.sets, "set") if field.exact else f"about {about(field.sets)} sets"
    return {
        **_answer_view(session, laid_out, asked=asked, looked=looked, columns=columns, reader=reader),
        "map": field_map(
            points(on_map, laid_out, asked, reader),
            axis(asked.across, laid_out, reader),
            axis(asked.up, laid_out, reader),
        ),
        "map_says": _map_says(len(looked.found.recipes) + len(field.found.recipes), sets),
        "said": what_is_said(
            laid_out, recipe, looked.emptiness, looked=looked.looked, found=bool(looked.found.recipes)
        ),
        "in_hand": _in_hand(in_hand, laid_out, asked=asked, reader=reader, rules=rules) if in_hand else None,
    }


def _columns(
    session: Session, laid_out: QueryTables, shown: RecipesShown, found: SearchResult, reader: Reader
) -> list[Column]:
    first = [shown.chosen] if shown.chosen else []
    combinations = list(dict.fromkeys([*shown.pinned, *first, *found.recipes]))[:COLUMNS]
    full = in_full(session, laid_out, combinations)
    return [
        column(full[rows], i, rows=rows, shown=shown, reader=reader)
        for i, rows in enumerate(combinations)
        if rows in full
    ]


def _answer_view(
    session: Session,
    laid_out: QueryTables,
    asked: MixQuery,
    looked: Looked,
    columns: list[Column],
    reader: Reader,
) -> dict[str, Any]:
    """The middle of the page: how many recipes, and some of them side by side."""
    known = looked.found.recipes or not looked.looked
    number = estimated(session, laid_out) if known else Count(0, 0.0, exact=True)
    drawing = stacks_drawing(
        [stack_of(c, laid_out) for c in columns], clearance_window(laid_out), reader, COLUMNS
    )
    pinned_first = ", the pinned first" if asked.pins else ""
    order = f"{pinned_first}, then {PRIORITIES[asked.question.priority]}"
    soon = " as soon as it is worked out" if looked.waits else ""
    return {
        "count": number.words,
        "exact": number.exact,
        "shown_words": f"shown: {len(columns)}{order}" if columns else "",
        "drawing": drawing if columns else "",
        "rows": cells(columns) if columns else [],
        "nothing": f"No recipe to draw. Beneath stands why{soon}." if looked.looked and not columns else "",
        "waits": looked.waits,
        "waits_words": "" if looked.looked else "The best are being looked for.",
    }


def _map_says(number: int, sets: str) -> str:
    if not number:
        return "Nothing near the windows."
    return (
        f"{number_of(number, 'recipe')} of {sets} of crank, rod and piston near the windows."
        " ● inside, × outside, open: to be machined."
    )


def estimated(session: Session, laid_out: QueryTables) -> Count:
    """Return the estimate of how many recipes there are: worked out once for each question."""
    number: Count = jobs().kept((key_for(session, laid_out.question), "estimate"), lambda: estimate(laid_out))
    return number


def _why_none(session: Session, laid_out: QueryTables) -> Emptiness | None:
    """Why there is no recipe; None while it is still being worked out."""
    work = jobs().ask(
        (key_for(session, laid_out.question), "why"), lambda told: why_none(laid_out, told), by=who()
    )
    return work.result if work.done_within(WHY_WAIT) else None


def _whole_field(question: MixQuestion) -> MixQuestion:
    """The question that shows the field around the windows: the piston far down the hole, and through the head."""
    wide = opened(question, _AROUND)
    windows = {
        k: w for k, w in wide.windows.items() if k not in ("compression_ratio", "deck_clearance", "quench")
    }
    windows["quench"] = Window(_THROUGH, None, _DOWN)
    return replace(wide, windows=windows, priority="cheapest", quench_floor={"": _THROUGH}, crown_limit=0.0)


# -- the recipe in hand ---------------------------------------------------------------------


class Work(NamedTuple):
    """One operation, written out: what, why, what it changes, and what it costs."""

    what: str
    says: Sentence
    changes: str
    cost: str


class InHand(NamedTuple):
    """The recipe in hand as it is shown beside the map."""

    key: str
    title: str
    stands: bool
    parts: tuple[tuple[Part, str], ...]
    work: tuple[Work, ...]
    ways_title: str
    ways: tuple[tuple[str, str, str], ...]
    pin_word: str
    take: str
    basket: str


def _in_hand(
    shown: Column, laid_out: QueryTables, asked: MixQuery, reader: Reader, rules: HouseRules
) -> InHand:
    recipe, aim = shown.recipe, laid_out.question.aim("compression_ratio")
    query = address_of(asked, at=recipe.key)
    parts = tuple((recipe.parts[kind], _to_find(recipe, kind)) for kind in MAKING)
    return InHand(
        key=recipe.key,
        title=shown.title,
        stands=not (recipe.verdict.outside or recipe.verdict.refused),
        parts=parts,
        work=tuple(work_of(step) for step in recipe.operations),
        ways_title=f"To win the ratio back to {aim or 0:.2f}, each alone",
        ways=tuple(_way_words(way, reader) for way in _ways(recipe, laid_out, rules)),
        pin_word="Unpin" if recipe.key in asked.pins else "Pin to compare",
        take=urls.with_query(url_for("mix.choose_build"), query),
        basket=urls.with_query(url_for("mix.show_basket"), query),
    )


def _to_find(recipe: Recipe, kind: str) -> str:
    if kind in recipe.to_buy:
        return f"{recipe.parts[kind].state}, {recipe.to_buy[kind]} to find"
    return "in hand"


def work_of(step: RecipeStep) -> Work:
    """Return an operation, its sentence still to be written for who reads."""
    what = step.machining.label + (f" × {step.pieces}" if step.pieces > 1 else "")
    return Work(what, step.says, step.machining.changes, money(step.cost))


def _way_words(way: WayBack, reader: Reader) -> tuple[str, str, str]:
    """One way back: the lever, how much or why not, and the quench it leaves."""
    amount = ""
    if way.why_not:
        amount = way.why_not.written(reader).split(". ")[0]
    elif way.amount is not None:
        text = f"{way.amount:.2f} cc" if way.lever == "open_chamber" else reader.length(way.amount)
        amount = f"to {text}" if way.lever == "gasket" else text
    quench = "" if way.quench is None else f"{reader.quench} {reader.length(way.quench)}"
    return way.label, amount, quench


def _ways(recipe: Recipe, laid_out: QueryTables, rules: HouseRules) -> tuple[WayBack, ...]:
    """How each lever alone would win the ratio back; nothing where no ratio is aimed at or none is off."""
    aim = laid_out.question.aim("compression_ratio")
    if aim is None or recipe.verdict.results is None:
        return ()
    ratio = recipe.verdict.results.compression_ratio
    if ratio is None or abs(ratio - aim) < _NEAR:
        return ()
    try:
        return ways_back(read_document(recipe.document), aim, rules)
    except ZygometraError:
        return ()


# -- the question ---------------------------------------------------------------------------


class Edge(NamedTuple):
    """One edge of a window, as its field."""

    name: str
    label: str
    value: str
    of: str = ""


def question_view(asked: MixQuery, blocks: Sequence[Part], reader: Reader) -> dict[str, Any]:
    """Return what the form of the question shows.

    Parameters
    ----------
    asked : MixQuery
        The question as typed.
    blocks : sequence of Part
        The blocks to ask about.
    reader : Reader
        Words.

    Returns
    -------
    dict
        For the template.
    """
    words = {"deck_clearance": f"{reader.deck} clearance", "quench": reader.quench}
    windows = [
        (
            words.get(w.key, w.label),
            [
                Edge(
                    name,
                    f"{_EDGE_WORDS[edge]} {words.get(w.key, w.label)}",
                    asked.typed.get(name, ""),
                    f"aim.{w.key}" if w.key in LENGTHS else "",
                )
                for edge in EDGES
                if (name := f"{w.key}-{edge}")
            ],
        )
        for w in WANTED
    ]
    results = [(w.key, w.label) for w in WANTED]
    question = asked.question
    return {
        "blocks": [(b.code, f"{b.code} {b.name}".strip()) for b in blocks],
        "block": question.block,
        "windows": windows,
        "rpm": asked.typed.get("rpm", "5500"),
        "priorities": list(PRIORITIES.items()),
        "priority": question.priority,
        "machinings": [("", "as needed"), ("none", "none")],
        "machining": asked.typed.get("machining", ""),
        "only_in_hand": question.only_in_hand,
        "use": [(f"use-{kind}", KIND[kind].label, question.use.get(kind, "")) for kind in MAKING],
        "uses_some": bool(question.use),
        "results": results,
        "across": asked.across,
        "up": asked.up,
        "at": asked.chosen,
        "pins": "|".join(asked.pins),
    }


def faults_view(asked: MixQuery) -> dict[str, Any]:
    """Return the faults of the question: that of the block, and the others with what they are about."""
    others = [
        (name, name.split("-")[0].replace("_", " "), says)
        for name, says in asked.faults.items()
        if name != "block"
    ]
    return {"block_fault": asked.faults.get("block", ""), "faults": others}
