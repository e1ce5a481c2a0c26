"""The basket of a recipe: as its page shows it, and as a table."""

from __future__ import annotations

import csv
import io
from collections.abc import Sequence
from datetime import date
from typing import Any, NamedTuple

from sqlalchemy.orm import Session

from zygometra.core.digits import money
from zygometra.core.mix.basket import Item, basket, total_of
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import Part
from zygometra.core.mix.recipe import Recipe
from zygometra.exchange.tables import inert
from zygometra.store import shelf as store

from .view import work_of

SUPPORTING = ("bearing", "ring_set", "fastener", "pushrod")
COLUMNS = (
    "what",
    "code",
    "name",
    "supplier",
    "needed",
    "on shelf",
    "to buy",
    "price",
    "cost",
    "lead days",
    "state",
)


class BasketLine(NamedTuple):
    """One thing of the basket, written out; ``part`` is None where nothing on the shelf suits."""

    what: str
    part: Part | None
    needed: int
    on_shelf: int
    to_buy: int
    cost: str
    lead: str


def basket_of(session: Session, laid_out: QueryTables, recipe: Recipe) -> tuple[Item, ...]:
    """Return everything that a recipe wants, what goes with its parts among it."""
    return basket(recipe, laid_out.block, store.all_of(session, SUPPORTING))


def basket_view(recipe: Recipe, items: Sequence[Item]) -> dict[str, Any]:
    """Return what the page of the basket shows."""
    results = recipe.verdict.results
    machining = results.machining_cost if results is not None else 0
    cost, days, known = total_of(items)
    return {
        "items": [_line(item) for item in items],
        "work": [work_of(step) for step in recipe.operations],
        "total_label": "In all" if known else "In all, as far as it is known",
        "total": money(cost + machining),
        "days": f"{days} days",
        "today": f"{date.today():%Y-%m-%d}",
    }


def _line(item: Item) -> BasketLine:
    return BasketLine(
        what=item.what,
        part=item.part,
        needed=item.needed,
        on_shelf=item.on_shelf,
        to_buy=item.to_buy,
        cost="not known" if item.cost is None else money(item.cost),
        lead="—" if item.lead_days is None else f"{item.lead_days} days",
    )


def basket_table(items: Sequence[Item]) -> str:
    """Return the basket as CSV."""
    out = io.StringIO(newline="")
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS)
    for item in items:
        part = item.part
        writer.writerow(
            (
                item.what,
                part.code if part else "",
                inert(part.name) if part else "to be found",
                inert(part.supplier) if part else "",
                item.needed,
                item.on_shelf,
                item.to_buy,
                _plain(part.price if part else None),
                _plain(item.cost),
                "" if item.lead_days is None else item.lead_days,
                part.state if part else "",
            )
        )
    return out.getvalue()


def _plain(cents: int | None) -> str:
    return "" if cents is None else f"{cents / 100:.2f}"
