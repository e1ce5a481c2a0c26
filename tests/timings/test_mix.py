"""The search among parts against reading them, against SQL, and as the shelf grows. Printed, never asserted."""

from __future__ import annotations

import itertools
import time
from dataclasses import replace

import numpy as np
import pytest
from sqlalchemy import text
from sqlalchemy.exc import DBAPIError
from sqlalchemy.orm import Session

from support.database import sweep
from support.people import by
from support.timing import WHOLE, median
from zygometra.core.mix.counting import count, estimate
from zygometra.core.mix.laid_out import QueryTables
from zygometra.core.mix.parts import MAKING
from zygometra.core.mix.placeholders import needed_for
from zygometra.core.mix.question import MixQuestion
from zygometra.core.mix.reasons import why_none
from zygometra.core.mix.rules import BORE, FACE_CROWN, OFFSET_GRIND, Band, FitRule
from zygometra.core.mix.searching import best
from zygometra.core.mix.shelf import Block
from zygometra.core.mix.usual import USUAL
from zygometra.core.windows import Window
from zygometra.demo.shelf import demo_shelf
from zygometra.store import shelf as store

pytestmark = pytest.mark.timing
WINDOWS = {
    "quench": Window(0.95, 1.1, 1.3),
    "compression_ratio": Window(9.3, 9.8, 10.2),
    "deck_clearance": Window(-0.1, None, 0.4),
}
TYPICAL = MixQuestion("BL-001", WINDOWS)
# SQL is asked without offset grinding and facing: they are continuous choices that it has no words for.
SETTLED = MixQuestion("BL-001", WINDOWS, machining=frozenset(USUAL.machinings) - {OFFSET_GRIND, FACE_CROWN})
MOST_SECONDS = 40
SIZES = (500, 5000, 50_000) if WHOLE else (500,)


def _stock(engine, parts: int):
    with Session(engine) as session:
        sweep(session, "TRUNCATE part, part_change")
        store.take_in(session, demo_shelf(parts, 7), entry=by("bench", "bench"))
        session.commit()
        session.execute(text("ANALYZE part"))
        session.commit()
        reading = median(lambda: store.read_shelf(session), 3)
        return store.read_shelf(session), reading


@pytest.mark.usefixtures("engine")
def test_how_the_search_grows_and_what_reading_the_shelf_costs(owner, benchmark):
    asked = {}
    for parts in SIZES:
        shelf, reading = _stock(owner, parts)
        block = Block(shelf, TYPICAL.block)
        best(QueryTables(shelf, block, USUAL, TYPICAL))
        asked[parts] = median(
            lambda shelf=shelf, block=block: best(QueryTables(shelf, block, USUAL, TYPICAL)), 9
        )
        laid_out = QueryTables(shelf, block, USUAL, TYPICAL)
        start = time.perf_counter()
        number = estimate(laid_out)
        counted = time.perf_counter() - start
        print(
            f"\n{parts} parts: reading the shelf {reading * 1e3:.0f} ms, laying out and the best 50 of about "
            f"{number.recipes:.2g} {asked[parts] * 1e3:.1f} ms, {reading / asked[parts]:.0f} times less (at least 1); "
            f"the estimate of their number {counted * 1e3:.0f} ms"
        )
    for some, more in itertools.pairwise(SIZES):
        print(f"ten times the parts: {asked[more] / asked[some]:.1f} times the time (at most 4)")
    start = time.perf_counter()
    number = count(laid_out)
    print(f"all {number.recipes:.6g} counted one by one in {time.perf_counter() - start:.1f} s")
    near = laid_out.asked(replace(TYPICAL, priority="nearest"))
    print(f"the 50 nearest the aims {median(lambda: best(near), 3) * 1e3:.0f} ms")
    none = laid_out.asked(
        replace(TYPICAL, windows={**WINDOWS, "compression_ratio": Window(25.0, None, 26.0)})
    )
    start = time.perf_counter()
    miss = why_none(none).nearest
    print(
        f"why there is none at a ratio of 25, nearest miss {miss.misses}: {time.perf_counter() - start:.1f} s"
    )
    benchmark.pedantic(lambda: best(QueryTables(shelf, block, USUAL, TYPICAL)), rounds=5)


# -- the same question in SQL -----------------------------------------------------------------


@pytest.fixture
def sql_tables(owner):
    """The tables this file makes for itself go when it is done: tests that follow find the product's own."""
    yield
    with Session(owner) as session:
        for kind in MAKING:
            session.execute(text(f"DROP TABLE IF EXISTS bench_{kind}"))
        session.commit()


def _tables(session: Session, laid_out: QueryTables) -> None:
    """The shelf as a database would hold it for this: a column a dimension, indexed, costs worked out."""
    for kind in MAKING:
        table = laid_out.shelf.tables[kind]
        names = [*table.values, *table.words]
        columns = ", ".join(f'"{name}" double precision' for name in names)
        session.execute(text(f"DROP TABLE IF EXISTS bench_{kind}"))
        session.execute(
            text(f"CREATE UNLOGGED TABLE bench_{kind} (place int PRIMARY KEY, cost bigint, {columns})")
        )
        cost = np.full(len(table), -1)
        taken = laid_out.candidates[kind]
        cost[taken.rows] = taken.cost
        data = np.column_stack([table.column(name, laid_out.shelf.numbers) for name in names])
        raw = session.connection().connection.driver_connection
        with raw.cursor().copy(f"COPY bench_{kind} FROM STDIN") as copy:
            for place, row in enumerate(data):
                copy.write_row([place, int(cost[place]), *(None if np.isnan(v) else float(v) for v in row)])
    for kind, name in (
        ("rod", "journal_diameter"),
        ("piston", "compression_height"),
        ("piston", "pin_diameter"),
        ("gasket", "thickness"),
        ("head", "chamber_volume"),
        *((kind, "cost") for kind in MAKING),
    ):
        session.execute(text(f'CREATE INDEX ON bench_{kind} ("{name}")'))
    session.commit()
    for kind in MAKING:
        session.execute(text(f"ANALYZE bench_{kind}"))
    session.commit()


def _place(laid_out: QueryTables, place: str) -> str:
    kind, _, name = place.partition(".")
    if kind == "block":
        value = laid_out.block.number(name)
        return "NULL::float" if np.isnan(value) else repr(value)
    return f'{kind}."{name}"'


def _holds(laid_out: QueryTables, rule: FitRule) -> str:
    """Whether a rule is asked of some parts, by the words on which it hangs."""
    out = ["true"]
    for place, words in rule.when.items():
        column = _place(laid_out, place)
        numbers = [laid_out.number(word) for word in words if word]
        among = [f"{column} = {n!r}" for n in numbers if not np.isnan(n)]
        out.append(f"coalesce({' OR '.join(among) or 'false'}, {'true' if '' in words else 'false'})")
    return f"({' AND '.join(out)})"


def _conditions(laid_out: QueryTables, kinds: set[str]) -> list[str]:
    out = []
    for rule in laid_out.rules.rules:
        if set(rule.kinds) != kinds:
            continue
        if rule.same:
            a, b = (_place(laid_out, p) for p in rule.same)
            if rule.otherwise and laid_out.question.allows(rule.otherwise):
                continue
            out.append(f"(NOT {_holds(laid_out, rule)} OR coalesce({a} = {b}, true))")
            continue
        measure = " + ".join(
            f"{factor} * {_place(laid_out, place)}" for place, factor in rule.measure.items()
        )
        bands = [b for b in rule.bands if not b.machining or laid_out.question.allows(b.machining)]
        within = " OR ".join(_within(measure, b) for b in bands)
        out.append(f"(NOT {_holds(laid_out, rule)} OR ({within}) OR ({measure}) IS NULL)")
    return out


def _within(measure: str, band: Band) -> str:
    return f"({measure}) BETWEEN {max(band.low, -1e9) - 1e-9} AND {min(band.high, 1e9) + 1e-9}"


def _machining(laid_out: QueryTables) -> str:
    """What the machining between two parts or more costs; that of a part alone is in its own cost."""
    out = []
    for rule in laid_out.rules.rules:
        if len(rule.kinds) > 1 and rule.same and rule.otherwise:
            a, b = (_place(laid_out, p) for p in rule.same)
            cost = laid_out.job_cost(rule.otherwise)
            out.append(f"(CASE WHEN {_holds(laid_out, rule)} AND {a} <> {b} THEN {cost} ELSE 0 END)")
        if len(rule.kinds) > 1 and not rule.same:
            measure = " + ".join(
                f"{factor} * {_place(laid_out, place)}" for place, factor in rule.measure.items()
            )
            cases = [
                f"WHEN {_within(measure, b)} THEN {laid_out.job_cost(b.machining) if b.machining else 0}"
                for b in rule.bands
                if not b.machining or laid_out.question.allows(b.machining)
            ]
            out.append(f"(CASE WHEN NOT {_holds(laid_out, rule)} THEN 0 {' '.join(cases)} ELSE 0 END)")
    return " + ".join(out)


# long: one statement, put together from top to bottom
def _sql(laid_out: QueryTables, spare: int | None) -> str:
    """The question as one join; with ``spare``, each kind first left with what the search's own bound leaves."""
    height = laid_out.block.values["deck_height"]
    clearance = f"({height} - (crank.stroke / 2 + rod.length + piston.compression_height))"
    size = next(r for r in laid_out.rules.rules if any(b.machining == BORE for b in r.bands))
    bored = next(b for b in size.bands if b.machining == BORE)
    own = laid_out.block.values["bore"]
    bore = f"(CASE WHEN piston.bore - {own} >= {bored.low - 1e-9} THEN piston.bore ELSE {own} END)"
    area = f"(pi() / 4 * {bore} * {bore})"
    swept = f"({area} * crank.stroke / 1000)"
    volume = (
        "(head.chamber_volume + coalesce(gasket.opening_area, pi() / 4 * gasket.bore * gasket.bore)"
        " * gasket.thickness / 1000"
        f" + {area} * {clearance} / 1000 + piston.crown_volume + coalesce(({area} - pi() / 4 * piston.top_land_diameter"
        f" * piston.top_land_diameter) * piston.top_land_height / 1000, 0))"
    )
    ratio = f"(({swept} + {volume}) / {volume})"
    w = laid_out.question.windows
    q, r, c = w["quench"], w["compression_ratio"], w["deck_clearance"]
    conditions = [
        f"{clearance} BETWEEN {c.low - 1e-9} AND {c.high + 1e-9}",
        f"{clearance} + gasket.thickness BETWEEN {q.low - 1e-9} AND {q.high + 1e-9}",
        f"{volume} > 0",
        f"{ratio} BETWEEN {r.low - 1e-9} AND {r.high + 1e-9}",
    ]
    for rule in laid_out.rules.rules:
        if len(rule.kinds) > 1:
            conditions += _conditions(laid_out, set(rule.kinds)) if f"{rule.kinds}" not in conditions else []
    conditions = list(dict.fromkeys(conditions))
    sources = []
    for kind in MAKING:
        least = int(laid_out.candidates[kind].cost.min())
        own = [
            f"{kind}.cost >= 0",
            *_conditions(laid_out, {kind}),
            *(f'{kind}."{n}" IS NOT NULL' for n in needed_for(SETTLED, laid_out.shelf)[kind]),
        ]
        if spare is None:
            sources.append(f"bench_{kind} {kind}")
            conditions += own
        else:
            own.append(f"{kind}.cost <= {least + spare}")
            sources.append(f"(SELECT * FROM bench_{kind} {kind} WHERE {' AND '.join(own)} OFFSET 0) {kind}")
    places = ", ".join(f"{kind}.place" for kind in MAKING)
    total = " + ".join([*(f"{kind}.cost" for kind in MAKING), _machining(laid_out)])
    bound = (
        ""
        if spare is None
        else f" AND {total} <= {sum(int(laid_out.candidates[k].cost.min()) for k in MAKING) + spare}"
    )
    return (
        f"SELECT {places} FROM {', '.join(sources)} WHERE {' AND '.join(conditions)}{bound}"
        f" ORDER BY {total}, {places} LIMIT {laid_out.question.best}"
    )


def _asked(session: Session, statement: str) -> tuple[float, list | None]:
    session.execute(text(f"SET statement_timeout = '{MOST_SECONDS}s'"))
    start = time.perf_counter()
    try:
        rows = [tuple(row) for row in session.execute(text(statement.replace(":", "\\:")))]
    except DBAPIError:
        session.rollback()
        return time.perf_counter() - start, None
    return time.perf_counter() - start, rows


@pytest.mark.parametrize("parts", SIZES)
@pytest.mark.usefixtures("engine", "sql_tables")
def test_the_same_question_in_sql(owner, benchmark, parts):
    shelf, _ = _stock(owner, parts)
    block = Block(shelf, SETTLED.block)
    laid_out = QueryTables(shelf, block, USUAL, SETTLED)
    found = best(laid_out)
    ours = median(lambda: best(QueryTables(shelf, block, USUAL, SETTLED)), 9)
    spare = int(found.rows["key"][-1]) - sum(int(laid_out.candidates[kind].key.min()) for kind in MAKING)
    with Session(owner) as session:
        _tables(session, laid_out)
        for name, statement, wanted in (
            ("with the same pruning", _sql(laid_out, spare), " (at least 20)" if parts == 50_000 else ""),
            ("as one straightforward join", _sql(laid_out, None), " (at least 250)" if parts == 5000 else ""),
        ):
            took, rows = _asked(session, statement)
            if rows is not None:
                assert rows == list(found.recipes)
            more = "" if rows is not None else "more than "
            print(
                f"\n{parts} parts, settled machining: the best {len(found.recipes)} {ours * 1e3:.1f} ms; SQL {name} "
                f"{more}{took * 1e3:.0f} ms, {more}{took / ours:.0f} times{wanted}"
            )
    benchmark.pedantic(lambda: best(QueryTables(shelf, block, USUAL, SETTLED)), rounds=5)
