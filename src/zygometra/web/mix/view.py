"""The mix bench as the page shows it: recipes side by side, the map, the one in hand, and why not more."""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import replace
from typing import Any, NamedTuple

from sqlalchemy.orm import Session

from zygometra.core.build.document import read_document
from zygometra.core.errors import ZygometraError
from zygometra.core.house_rules import HouseRules
from zygometra.core.mix.counting import Count, estimate
from zygometra.core.mix.found import Found
from zygometra.core.mix.judge import Combination, Verdict, judge
from zygometra.core.mix.laid_out import LaidOut
from zygometra.core.mix.parts import KIND, MAKING
from zygometra.core.mix.question import WANTED, WANTED_KEY, Question
from zygometra.core.mix.reasons import (
    Emptiness,
    opened,
    why_none,
)
from zygometra.core.mix.recipe import Recipe, recipe_in_full
from zygometra.core.mix.search import best, survey
from zygometra.core.mix.win_back import WayBack, ways_back
from zygometra.core.units import from_base
from zygometra.core.windows import Window
from zygometra.core.wording import Reader, about, figure, money, ratio_text, whole
from zygometra.drawing.field import Axis, Point, field_map
from zygometra.drawing.recipes import Stack, stacks_drawing
from zygometra.store.shelf import parts_by_code

from ..people import person
from .asked import Asked, per_shown
from .laid_out import key_for
from .said import what_is_said
from .working import WORKING

COLUMNS = 6
# How long a page waits for the best, and for the reasons why there is nothing, in seconds.
BEST_WAIT, WHY_WAIT = 1.0, 1.0
_BEST_ON_MAP, _FIELD_ON_MAP = 120, 260
_AROUND = 4.0
# How far the map looks, as quench in mm.
_THROUGH, _DOWN = -5.0, 9.0


class Column(NamedTuple):
    """One recipe written out; ``unlike`` are the parts in which it differs from the one in hand."""

    recipe: Recipe
    title: str
    state: str
    unlike: tuple[str, ...]
    rows: tuple[tuple[str, str], ...]


def address_of(asked: Asked, **changes: str) -> dict[str, str]:
    """Return the address's parts for what is asked, with some of it changed; empty ones are left out."""
    merged = {**asked.typed, **changes}
    return {key: value for key, value in merged.items() if value}


def view(
    session: Session, laid_out: LaidOut, asked: Asked, reader: Reader, rules: HouseRules
) -> dict[str, Any]:
    """Return what the answer's template shows."""
    key = key_for(session, laid_out.question)
    WORKING.leave(person(), key)
    looking = WORKING.ask(
        (key, "best"), lambda told: best(laid_out, _BEST_ON_MAP, told=told), by=person(), ahead=True
    )
    looked = looking.done_within(BEST_WAIT)
    found: Found = looking.result if looked else Found((), {})
    around = laid_out.asked(_whole_field(laid_out.question))
    field = survey(around, _FIELD_ON_MAP)
    pinned = [rows for key in asked.pins if (rows := rows_of(laid_out, key)) is not None]
    chosen = rows_of(laid_out, asked.chosen) if asked.chosen else None
    emptiness = _why_none(session, laid_out) if looked and not found.recipes else None
    if chosen is None and found.recipes:
        chosen = found.recipes[0]
    if chosen is None and emptiness is not None and emptiness.nearest is not None:
        chosen = emptiness.nearest.verdict.recipe
    columns: list[Combination] = list(
        dict.fromkeys([*pinned, *([chosen] if chosen else []), *found.recipes])
    )[:COLUMNS]
    full = in_full(session, laid_out, columns)
    written = [
        _column(full[rows], i, rows, pinned, chosen, laid_out, reader)
        for i, rows in enumerate(columns)
        if rows in full
    ]
    in_hand = full.get(chosen) if chosen is not None else None
    number = estimated(session, laid_out) if found.recipes or not looked else Count(0, 0.0, True)
    return {
        "columns": written,
        "room": COLUMNS,
        "chosen": in_hand,
        "chosen_column": next((c for c in written if c.state == "chosen"), None),
        "drawing": stacks_drawing(
            [_stack(c, laid_out) for c in written], _clearance_window(laid_out), reader, COLUMNS
        ),
        "map": field_map(
            _points(laid_out, found, field.found, pinned, chosen, asked, reader),
            _axis(asked.across, laid_out, reader),
            _axis(asked.up, laid_out, reader),
        ),
        "sets": whole(field.sets) if field.exact else f"about {about(field.sets)}",
        "waits": not looked or (not found.recipes and emptiness is None),
        "looked": looked,
        "on_map": len(found.recipes) + len(field.found.recipes),
        "count": number.words,
        "exact": number.exact,
        "said": what_is_said(laid_out, in_hand, emptiness, looked=looked, found=bool(found.recipes)),
        "ways": _ways(in_hand, laid_out, rules),
        "pin_keys": asked.pins,
        "pinned": in_hand is not None and in_hand.key in asked.pins,
    }


def estimated(session: Session, laid_out: LaidOut) -> Count:
    """Return the estimate of how many recipes there are: worked out once for each question."""
    number: Count = WORKING.kept(
        (key_for(session, laid_out.question), "estimate"), lambda: estimate(laid_out)
    )
    return number


def _why_none(session: Session, laid_out: LaidOut) -> Emptiness | None:
    """Why there is no recipe; None while it is still being worked out."""
    work = WORKING.ask(
        (key_for(session, laid_out.question), "why"), lambda told: why_none(laid_out, told), by=person()
    )
    return work.result if work.done_within(WHY_WAIT) else None


def _whole_field(question: Question) -> Question:
    """The question that shows the field around the windows: the piston far down the hole, and through the head."""
    wide = opened(question, _AROUND)
    windows = {
        k: w for k, w in wide.windows.items() if k not in ("compression_ratio", "deck_clearance", "quench")
    }
    windows["quench"] = Window(_THROUGH, None, _DOWN)
    return replace(wide, windows=windows, priority="cheapest", quench_floor={"": _THROUGH}, crown_limit=0.0)


def rows_of(laid_out: LaidOut, key: str) -> Combination | None:
    """Return the recipe that a key names; None where a part is not on the shelf."""
    codes = key.split("~")
    if len(codes) != len(MAKING):
        return None
    rows = [laid_out.shelf.tables[kind].place.get(code) for kind, code in zip(MAKING, codes, strict=True)]
    return None if any(row is None for row in rows) else tuple(rows)  # type: ignore[return-value]


def key_of(laid_out: LaidOut, rows: Combination) -> str:
    """Return the key of a recipe: the codes of its parts."""
    return "~".join(laid_out.shelf.tables[kind].codes[row] for kind, row in zip(MAKING, rows, strict=True))


def in_full(session: Session, laid_out: LaidOut, recipes: Iterable[Combination]) -> dict[Combination, Recipe]:
    """Return recipes in full; those of which nothing follows for want of a figure are left out."""
    verdicts: dict[Combination, Verdict] = {}
    for rows in recipes:
        verdict = judge(laid_out.shelf, laid_out.block, laid_out.rules, laid_out.question, rows)
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
            kind: parts.get((kind, laid_out.shelf.tables[kind].codes[row]))
            for kind, row in zip(MAKING, rows, strict=True)
        }
        block = parts.get(("block", laid_out.block.code))
        if block is not None and all(own.values()):
            known = {kind: part for kind, part in own.items() if part is not None} | {"block": block}
            out[rows] = recipe_in_full(laid_out.block, laid_out.rules, laid_out.question, verdict, known)
    return out


# -- one recipe ------------------------------------------------------------------------


def _column(
    recipe: Recipe,
    place: int,
    rows: Combination,
    pinned: list[Combination],
    chosen: Combination | None,
    laid_out: LaidOut,
    reader: Reader,
) -> Column:
    state = "chosen" if rows == chosen else "pinned" if rows in pinned else ""
    r = recipe.verdict.results
    assert r is not None
    lengths = (r.stroke, _value(recipe, "rod", "length"), _value(recipe, "piston", "compression_height"))
    title = f"{'◆ ' if rows in pinned else ''}{place + 1} · {'/'.join(reader.short(mm) for mm in lengths)}"
    return Column(recipe, title, state, _unlike(recipe, rows, chosen), written(recipe, reader))


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
        (reader.quench, _with_band(reader, r.quench, u["quench"], recipe.half["quench"])),
        ("ratio", f"{ratio} ± {figure(recipe.half['compression_ratio'], 2)}"),
        ("rod ratio", figure(r.rod_ratio, 3)),
        ("piston speed", f"{figure(r.piston_speed, 1)} m/s"),
        ("crown", recipe.parts["piston"].texts.get("crown") or "not stated"),
        ("weight", weight),
        ("cost to come", money(r.cost)),
        ("windows", reader.sentence(_windows_words(recipe))),
        ("machining", machined),
        ("not in hand", wanting),
    )


def _windows_words(recipe: Recipe) -> str:
    """Where a recipe lies against its windows, its band of doubt counted."""
    if recipe.verdict.outside:
        return "outside " + ", ".join(
            WANTED_KEY[k].label if k in WANTED_KEY else k for k in recipe.verdict.outside
        )
    if recipe.crosses:
        return "inside; its band crosses " + ", ".join(WANTED_KEY[key].label for key in recipe.crosses)
    return "inside, its band too"


def _value(recipe: Recipe, kind: str, name: str) -> float:
    quantity = recipe.parts[kind].quantity(name)
    return quantity.value if quantity else 0.0


def _with_band(reader: Reader, mm: float, u: float, half: float) -> str:
    """A length and its band in one unit: ``1.22 ± 0.14 mm``."""
    number, symbol = reader.length_parts(mm, u)
    decimals = len(number.partition(".")[2])
    return f"{number} ± {figure(from_base(half, reader.length_unit(mm)), decimals)} {symbol}"


def _stack(column: Column, laid_out: LaidOut) -> Stack:
    recipe = column.recipe
    r = recipe.verdict.results
    assert r is not None
    chamber = _value(recipe, "head", "chamber_volume")
    depth = max(1.4 * chamber * 1000 / (0.6 * 0.7854 * r.bore**2), 0.06 * r.bore)
    return Stack(
        recipe.key,
        column.title,
        laid_out.block.values["deck_height"],
        r.bore,
        r.stroke,
        _value(recipe, "rod", "length"),
        _value(recipe, "piston", "compression_height") - r.crown_cut,
        r.deck_clearance,
        recipe.half["deck_clearance"],
        _value(recipe, "gasket", "thickness"),
        _value(recipe, "piston", "crown_volume"),
        depth,
        column.state,
        ", ".join(WANTED_KEY[k].label for k in recipe.verdict.outside if k in WANTED_KEY),
    )


def _clearance_window(laid_out: LaidOut) -> tuple[float | None, float | None]:
    window = laid_out.question.window("deck_clearance")
    return window.low, window.high


def _ways(recipe: Recipe | None, laid_out: LaidOut, rules: HouseRules) -> tuple[WayBack, ...]:
    """How each lever alone would win the ratio back; nothing where no ratio is aimed at or none is off."""
    aim = laid_out.question.aim("compression_ratio")
    if recipe is None or aim is None or recipe.verdict.results is None:
        return ()
    ratio = recipe.verdict.results.compression_ratio
    if ratio is None or abs(ratio - aim) < 0.005:
        return ()
    try:
        return ways_back(read_document(recipe.document), aim, rules)
    except ZygometraError:
        return ()


# -- the map -----------------------------------------------------------------------------


def _axis(key: str, laid_out: LaidOut, reader: Reader) -> Axis:
    wanted = WANTED_KEY[key]
    per = per_shown(key, reader)
    unit = "thou" if per != 1.0 else wanted.unit
    words = {"deck_clearance": f"{reader.deck} clearance", "quench": reader.quench}.get(key, wanted.label)
    window: Window = laid_out.question.window(key)
    return Axis(key, f"{words}, {unit}" if unit else words, window, 1 if per != 1.0 else wanted.decimals, per)


def _points(
    laid_out: LaidOut,
    found: Found,
    field: Found,
    pinned: list[Combination],
    chosen: Combination | None,
    asked: Asked,
    reader: Reader,
) -> list[Point]:
    points: dict[Combination, Point] = {}
    for source, state in ((field, "out"), (found, "in")):
        if not source.recipes:
            continue
        x, y = (source.column(key, laid_out) for key in (asked.across, asked.up))
        clearance, ratio = (
            source.column("deck_clearance", laid_out),
            source.column("compression_ratio", laid_out),
        )
        cost = source.column("cost", laid_out)
        displacement = source.column("displacement", laid_out)
        inside = _inside(source, laid_out) if state == "out" else None
        for i, rows in enumerate(source.recipes):
            says = (
                f"{figure(displacement[i], 0)} cc, {reader.clearance(float(clearance[i]))}, "
                f"ratio {figure(ratio[i], 2)}, "
                f"cost {figure(cost[i], 0)}: {key_of(laid_out, rows).replace('~', ' ')}"
            )
            stands = "in" if inside is None or inside[i] else "out"
            machined = bool(source.rows["cut"][i] > 0) or not math.isnan(source.rows["shift"][i])
            points[rows] = Point(key_of(laid_out, rows), float(x[i]), float(y[i]), says, stands, machined)
    for rows in pinned:
        if rows in points:
            points[rows] = points.pop(rows)._replace(state="pinned")
    if chosen in points:
        points[chosen] = points.pop(chosen)._replace(state="chosen")
    return list(points.values())


def _inside(source: Found, laid_out: LaidOut) -> list[bool]:
    keep = [True] * len(source.recipes)
    for wanted in WANTED:
        window = laid_out.question.window(wanted.key)
        if not window.is_bounded:
            continue
        for i, value in enumerate(source.column(wanted.key, laid_out)):
            keep[i] = keep[i] and not window.miss(value)
    return keep
