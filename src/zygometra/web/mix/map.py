"""The map of the field: every recipe found as a point between two results."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import NamedTuple

from zygometra.core.digits import UNKNOWN, figure
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.question import WANTED, WANTED_KEY
from zygometra.core.mix.search_result import SearchResult
from zygometra.core.mix.verdict import Combination
from zygometra.core.windows import Window
from zygometra.core.wording import Reader
from zygometra.drawing.field import Axis, Point

from .asked import MixQuery, per_shown
from .columns import RecipesShown, key_of


def axis(key: str, laid_out: QueryTables, reader: Reader) -> Axis:
    """Return one axis of the map in the reader's unit."""
    wanted = WANTED_KEY[key]
    per = per_shown(key, reader)
    unit = "thou" if per != 1.0 else wanted.unit
    words = {"deck_clearance": f"{reader.deck} clearance", "quench": reader.quench}.get(key, wanted.label)
    window: Window = laid_out.question.window(key)
    return Axis(
        key,
        f"{words}, {unit}" if unit else words,
        window,
        1 if per != 1.0 else wanted.decimals,
        per_shown=per,
    )


class Field(NamedTuple):
    """What lies on the map: the best, some from all over, and which recipes are marked."""

    found: SearchResult
    around: SearchResult
    shown: RecipesShown


# The results that a point tells of, whatever the axes are.
_TOLD = ("displacement", "deck_clearance", "compression_ratio", "cost")


def points(field: Field, laid_out: QueryTables, asked: MixQuery, reader: Reader) -> list[Point]:
    """Return the recipes on the map; one that is found twice is drawn once, as what it counts for."""
    points: dict[Combination, Point] = {}
    for source, state in ((field.around, "out"), (field.found, "in")):
        if not source.recipes:
            continue
        inside = _inside(source, laid_out) if state == "out" else [True] * len(source.recipes)
        columns = {key: source.column(key, laid_out) for key in {*_TOLD, asked.across, asked.up}}
        for i, rows in enumerate(source.recipes):
            of = {key: float(column[i]) for key, column in columns.items()}
            if math.isnan(of[asked.across]) or math.isnan(of[asked.up]):
                continue
            key = key_of(laid_out, rows)
            machined = bool(source.rows["cut"][i] > 0) or not math.isnan(source.rows["shift"][i])
            stands = "in" if inside[i] else "out"
            says = f"{_says(of, reader)}: {key.replace('~', ' ')}"
            points[rows] = Point(key, of[asked.across], of[asked.up], says, state=stands, machined=machined)
    for rows in field.shown.pinned:
        if rows in points:
            points[rows] = points.pop(rows)._replace(state="pinned")
    if field.shown.chosen in points:
        points[field.shown.chosen] = points.pop(field.shown.chosen)._replace(state="chosen")
    return list(points.values())


def _says(of: Mapping[str, float], reader: Reader) -> str:
    return (
        f"{figure(of['displacement'], 0)} cc, {reader.clearance(of['deck_clearance'])}, "
        f"ratio {_known(of['compression_ratio'], 2)}, cost {_known(of['cost'], 0)}"
    )


def _known(value: float, decimals: int) -> str:
    return UNKNOWN if math.isnan(value) else figure(value, decimals)


def _inside(source: SearchResult, laid_out: QueryTables) -> list[bool]:
    keep = [True] * len(source.recipes)
    for wanted in WANTED:
        window = laid_out.question.window(wanted.key)
        if not window.is_bounded:
            continue
        for i, value in enumerate(source.column(wanted.key, laid_out)):
            keep[i] = keep[i] and not window.miss(value)
    return keep
