"""Recipes side by side: each written out, and drawn to scale."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from sqlalchemy.orm import Session

from zygometra.core.digits import UNKNOWN, figure, money, ratio_text
from zygometra.core.mix.judge import judge
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import KIND, MAKING
from zygometra.core.mix.placeholders import STAND_IN, stand_in
from zygometra.core.mix.question import WANTED_KEY
from zygometra.core.mix.recipe import Recipe, recipe_in_full
from zygometra.core.mix.verdict import Combination, Verdict
from zygometra.core.sentence import Sentence
from zygometra.core.units import from_base
from zygometra.core.wording import Reader
from zygometra.drawing.recipes import Stack
from zygometra.store.shelf import parts_by_code

COLUMNS = 6


class RecipesShown(NamedTuple):
    """Which recipe is in hand, and which are pinned beside it."""

    chosen: Combination | None
    pinned: Sequence[Combination]


class Column(NamedTuple):
    """One recipe written out; ``unlike`` are the parts in which it differs from the one in hand."""

    recipe: Recipe
    title: str
    state: str
    unlike: tuple[str, ...]
    rows: tuple[tuple[str, str], ...]


class RecipeCell(NamedTuple):
    """One cell of the rows under the drawing: how it counts, its text, or parts line by line."""

    state: str
    text: str = ""
    parts: tuple[str, ...] = ()


def cells(columns: Sequence[Column]) -> list[tuple[str, list[RecipeCell]]]:
    """Return the rows under the drawing, each with its heading and a cell a column, the empty ones too.

    Parameters
    ----------
    columns : sequence of Column
        At least one.

    Returns
    -------
    list of (str, list of Cell)
        What is the same as in the recipe in hand counts as ``same``.
    """
    in_hand = next((c for c in columns if c.state == "chosen"), None)
    empty = [RecipeCell("")] * (COLUMNS - len(columns))
    parts = [RecipeCell(c.state, "" if c.unlike else "in hand", c.unlike) for c in columns]
    rows = [("other parts", parts + empty)]
    for n, (heading, _) in enumerate(columns[0].rows):
        row = []
        for c in columns:
            text = c.rows[n][1]
            same = in_hand is not None and text == in_hand.rows[n][1]
            row.append(RecipeCell(c.state or ("same" if same else ""), text))
        rows.append((heading, row + empty))
    return rows


def rows_of(laid_out: QueryTables, key: str) -> Combination | None:
    """Return the recipe that a key names; None where a part is not on the shelf."""
    codes = key.split("~")
    if len(codes) != len(MAKING):
        return None
    rows = [laid_out.shelf.tables[kind].place.get(code) for kind, code in zip(MAKING, codes, strict=True)]
    return None if any(row is None for row in rows) else tuple(rows)  # type: ignore[return-value]


def key_of(laid_out: QueryTables, rows: Combination) -> str:
    """Return the key of a recipe: the codes of its parts."""
    return "~".join(laid_out.shelf.tables[kind].codes[row] for kind, row in zip(MAKING, rows, strict=True))


def in_full(
    session: Session, laid_out: QueryTables, recipes: Iterable[Combination]
) -> dict[Combination, Recipe]:
    """Return recipes in full; those of which nothing follows for want of a figure are left out."""
    verdicts: dict[Combination, Verdict] = {}
    for rows in recipes:
        verdict = judge(
            laid_out.shelf, laid_out.block, rules=laid_out.rules, question=laid_out.question, recipe=rows
        )
        if verdict.results is not None:
            verdicts[rows] = verdict
    codes = {
        (kind, laid_out.shelf.tables[kind].codes[row])
        for rows in verdicts
        for kind, row in zip(MAKING, rows, strict=True)
    }
    parts = parts_by_code(session, codes | {("block", laid_out.block.code)})
    out = {}
    for rows, verdict in verdicts.items():
        own = {
            kind: stand_in(kind) if code == STAND_IN else parts.get((kind, code))
            for kind, row in zip(MAKING, rows, strict=True)
            for code in (laid_out.shelf.tables[kind].codes[row],)
        }
        block = parts.get(("block", laid_out.block.code))
        if block is not None and all(own.values()):
            known = {kind: part for kind, part in own.items() if part is not None} | {"block": block}
            out[rows] = recipe_in_full(
                laid_out.block, laid_out.rules, question=laid_out.question, verdict=verdict, parts=known
            )
    return out


def column(recipe: Recipe, place: int, rows: Combination, shown: RecipesShown, reader: Reader) -> Column:
    """Return one recipe written out, as the so-manieth of those side by side."""
    state = "chosen" if rows == shown.chosen else "pinned" if rows in shown.pinned else ""
    r = recipe.verdict.results
    assert r is not None
    lengths = (r.stroke, _value(recipe, "rod", "length"), _value(recipe, "piston", "compression_height"))
    title = (
        f"{'◆ ' if rows in shown.pinned else ''}{place + 1} · {'/'.join(reader.short(mm) for mm in lengths)}"
    )
    return Column(
        recipe=recipe,
        title=title,
        state=state,
        unlike=_unlike(recipe, rows, shown.chosen),
        rows=written(recipe, reader),
    )


def _unlike(recipe: Recipe, rows: Combination, chosen: Combination | None) -> tuple[str, ...]:
    """The parts in which a recipe differs from the one in hand."""
    kinds = zip(MAKING, rows, chosen or rows, strict=True)
    return tuple(f"{KIND[kind].label} {recipe.parts[kind].code}" for kind, row, own in kinds if row != own)


def written(recipe: Recipe, reader: Reader) -> tuple[tuple[str, str], ...]:
    """Return a recipe's figures as rows of name and text, band of doubt included."""
    r, u = recipe.verdict.results, recipe.u
    assert r is not None
    machined = ", ".join(step.machining.label for step in recipe.operations) or "nothing"
    wanting = (
        ", ".join(f"{n} {KIND[k].label if n == 1 else KIND[k].plural}" for k, n in recipe.to_buy.items())
        or "all in hand"
    )
    weight = "not known" if recipe.weight is None else f"{figure(recipe.weight / 1000, 1)} kg"
    ratio = ratio_text(r.compression_ratio, u["compression_ratio"])
    return (
        ("displacement", f"{figure(r.displacement, 0)} cc"),
        (
            f"{reader.deck} clearance",
            _with_band(reader, abs(r.deck_clearance), u["deck_clearance"], recipe.half["deck_clearance"])
            + (" down" if r.deck_clearance >= 0 else " proud"),
        ),
        (reader.quench, _quench(recipe, reader)),
        (
            "ratio",
            ratio
            if r.compression_ratio is None
            else f"{ratio} ± {figure(recipe.half['compression_ratio'], 2)}",
        ),
        ("rod ratio", figure(r.rod_ratio, 3)),
        ("piston speed", f"{figure(r.piston_speed, 1)} m/s"),
        ("crown", recipe.parts["piston"].texts.get("crown") or "not stated"),
        ("weight", weight),
        ("cost to come", _cost(recipe)),
        ("windows", _windows_words(recipe).written(reader)),
        ("machining", machined),
        ("not in hand", wanting),
    )


def _quench(recipe: Recipe, reader: Reader) -> str:
    quench = recipe.verdict.results.quench if recipe.verdict.results else None
    if quench is None:
        return UNKNOWN
    return _with_band(reader, quench, recipe.u["quench"], recipe.half["quench"])


def _cost(recipe: Recipe) -> str:
    """What is still to be spent; where prices are not known, whose, beside what is."""
    r = recipe.verdict.results
    assert r is not None
    if r.is_priced:
        return money(r.known_cost)
    without = [KIND[k].label for k in recipe.to_buy if recipe.parts[k].price is None]
    return f"not known: no price for {' and '.join(without)}; the rest {money(r.known_cost)}"


def _windows_words(recipe: Recipe) -> Sentence:
    """Where a recipe lies against its windows, its band of doubt counted."""
    if recipe.verdict.outside:
        outside = (WANTED_KEY[k].words if k in WANTED_KEY else k for k in recipe.verdict.outside)
        return Sentence("outside " + ", ".join(outside))
    where = "inside" if recipe.asked else "no window asked for"
    if recipe.crosses:
        return Sentence(
            f"{where}; its band crosses " + ", ".join(WANTED_KEY[k].words for k in recipe.crosses)
        )
    return Sentence(f"{where}, its band too" if recipe.asked else where)


def _value(recipe: Recipe, kind: str, name: str) -> float:
    quantity = recipe.parts[kind].quantity(name)
    return quantity.value if quantity else 0.0


def _with_band(reader: Reader, mm: float, u: float, half: float) -> str:
    """A length and its band in one unit: ``1.22 ± 0.14 mm``."""
    number, symbol = reader.length_parts(mm, u)
    decimals = len(number.partition(".")[2])
    return f"{number} ± {figure(from_base(half, reader.length_unit(mm)), decimals)} {symbol}"


def stack_of(column: Column, laid_out: QueryTables) -> Stack:
    """Return a recipe as it is drawn."""
    recipe = column.recipe
    r = recipe.verdict.results
    assert r is not None
    chamber = _value(recipe, "head", "chamber_volume")
    depth = max(1.4 * chamber * 1000 / (0.6 * 0.7854 * r.bore**2), 0.06 * r.bore)
    return Stack(
        key=recipe.key,
        title=column.title,
        deck_height=laid_out.block.values["deck_height"],
        bore=r.bore,
        stroke=r.stroke,
        rod=_value(recipe, "rod", "length"),
        compression=_value(recipe, "piston", "compression_height") - r.crown_cut,
        clearance=r.deck_clearance,
        half=recipe.half["deck_clearance"],
        thickness=_value(recipe, "gasket", "thickness"),
        crown=_value(recipe, "piston", "crown_volume"),
        chamber_depth=depth,
        state=column.state,
        out=", ".join(WANTED_KEY[k].label for k in recipe.verdict.outside if k in WANTED_KEY),
    )


def clearance_window(laid_out: QueryTables) -> tuple[float | None, float | None]:
    """Return least and most of the clearance that is asked, in mm."""
    window = laid_out.question.window("deck_clearance")
    return window.low, window.high
