"""The logbook as its page shows it."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any, NamedTuple

from flask import url_for

from zygometra.core.digits import figure
from zygometra.core.measuring.agreement import agreement
from zygometra.core.measuring.cause_words import cause_words, where_words
from zygometra.core.measuring.logbook import READABLE, Found, Logbook
from zygometra.core.measuring.progress import Progress, progress
from zygometra.core.measuring.what_next import Advice, what_next
from zygometra.core.place import Place, Scope
from zygometra.core.sentence import given_text
from zygometra.core.wording import Reader
from zygometra.store import facts

from ..build.bench import Bench
from ..db import db
from .read_view import FIGURES, place_value
from .reading_words import ReadingLine, agreement_words, label, line, mark_of, quantity_words

_MOST_ADVICE = 5
_MOST_VOID = 30


class LogbookCell(NamedTuple):
    """One place of a figure: its value and band, how often it was read, how the readings agree."""

    place: str
    called: str
    value: str
    band: str
    times: int
    mark: str
    says: str


class LogbookRow(NamedTuple):
    """One figure, place by place."""

    name: str
    label: str
    cells: tuple[LogbookCell | None, ...]


class Next(NamedTuple):
    """One reading worth taking: what, where, what it leaves, how long it takes, and the page to take it on."""

    what: str
    share: str
    leaves: str
    minutes: str
    address: str


class FoundShown(NamedTuple):
    """Something that was found."""

    key: str
    what: str
    where: str
    consequence: str
    who: str
    at: str
    photos: tuple[str, ...]


def progress_of(bench: Bench) -> Progress:
    """Return how far measuring is, worked out once for what is kept."""
    return bench.kept.once(("progress",), lambda: progress(bench.kept.build, bench.kept.now))


def logbook_view(bench: Bench, *, fault: str = "", typed: Mapping[str, str] | None = None) -> dict[str, Any]:
    """Return what the page of the logbook shows.

    Parameters
    ----------
    bench : Bench
        The build.
    fault : str
        What was not taken, in one sentence.
    typed : Mapping, optional
        What was typed with it.
    """
    logbook = bench.build.logbook or Logbook()
    columns = [str(number) for number in bench.build.cylinders]
    shown = facts.photos(db(), bench.id) if bench.kept.facts.seq else {}
    return {
        "columns": columns,
        "rows": _rows(bench),
        "others": _others(bench),
        "due": _due(bench),
        "advice": _advice(bench),
        "causes": _causes(bench, logbook),
        "void": _void(bench, logbook),
        "found": _found(bench, shown),
        "count": len(logbook.readings),
        "typed": typed or {},
        "fault": fault,
        "keys": {"found": f"found-{secrets.token_hex(8)}"},
        "places": places_of_build(bench),
        "cautions": CAUTIONS,
    }


# What is said where a hand turns the crank and pours (the usual cautions of the trade).
CAUTIONS = (
    "Keep fingers out of the bores when the crank is turned; a loose rod bites.",
    "Measuring liquid and solvent burn and want fresh air.",
    "A block hangs on a hoist, never on one person.",
    "Every figure is a plan until whoever cuts has read it again.",
)


def places_of_build(bench: Bench) -> list[tuple[str, str]]:
    """Return the places of a build as a form offers them: the engine, its banks, its holes."""
    holes = [(f"h{number}", f"hole {number}") for number in bench.build.cylinders]
    banks = (
        [(f"b{bank.name}", f"bank {bank.name}") for bank in bench.build.banks] if bench.several_banks else []
    )
    return [("e", "the engine"), *banks, *holes]


def _rows(bench: Bench) -> list[LogbookRow]:
    """Figures that were read in holes, one row each."""
    used = bench.build.in_use
    if used is None:
        return []
    by_figure: dict[str, dict[int, Place]] = {}
    for place, series in used.series.items():
        if place.scope is Scope.HOLE:
            by_figure.setdefault(series.readings[0].figure, {})[place.number] = place
    rows = []
    for name in (name for name in FIGURES if name in by_figure):
        cells = tuple(
            _cell(bench, by_figure[name][number]) if number in by_figure[name] else None
            for number in bench.build.cylinders
        )
        rows.append(LogbookRow(name, label(READABLE[name]), cells))
    return rows


def _others(bench: Bench) -> list[LogbookCell]:
    """What was read of the whole engine, or of a bank."""
    used = bench.build.in_use
    if used is None:
        return []
    return [_cell(bench, place) for place in used.series if place.scope is not Scope.HOLE]


def _cell(bench: Bench, place: Place) -> LogbookCell:
    used = bench.build.in_use
    assert used is not None
    series = used.series[place]
    field = READABLE[series.readings[0].figure]
    how = agreement(series.readings, bench.build.logbook or Logbook())
    value, band = quantity_words(bench.build.figures[str(place)], field, bench.reader)
    return LogbookCell(
        place=str(place),
        called=f"{label(field)}{where_words(place)}",
        value=value,
        band=band,
        times=len(series.readings),
        mark=mark_of(how),
        says=agreement_words(how, field.kind, bench.reader),
    )


def _due(bench: Bench) -> list[tuple[str, str]]:
    """What nobody measured yet, figure by figure, with the page to read it on."""
    grouped: dict[str, list[Place]] = {}
    for name, place in progress_of(bench).due:
        grouped.setdefault(name, []).append(place)
    out = []
    for name, places in grouped.items():
        holes = [str(place.number) for place in places if place.scope is Scope.HOLE]
        where = f" in {'holes' if len(holes) > 1 else 'hole'} {', '.join(holes)}" if holes else ""
        address = url_for("measure.read", build_id=bench.id, figure=name, place=place_value(places[0]))
        out.append((f"{label(READABLE[name])}{where}", address))
    return out


def _advice(bench: Bench) -> dict[str, Any]:
    state = bench.kept.now
    if state is None:
        return {"decides": "", "readings": []}
    advice = bench.kept.once(("next",), lambda: what_next(bench.kept.build, state))
    names = {"compression_ratio": "the ratio", "quench": bench.reader.quench}
    hole = f" of hole {advice.hole}" if advice.hole is not None else ""
    return {
        "decides": f"{names[advice.decides]}{hole}",
        "readings": [_next(bench, one, advice.decides) for one in advice.readings[:_MOST_ADVICE]],
    }


def _next(bench: Bench, advice: Advice, decides: str) -> Next:
    reader = bench.reader
    leaves = ""
    if advice.u_now is not None and advice.u_after is not None:
        now, after = _u_words(advice.u_now, decides, reader), _u_words(advice.u_after, decides, reader)
        leaves = f"u {now} → {after}"
    query: dict[str, Any] = {"figure": advice.figure, "place": place_value(advice.place)}
    if advice.gauge:
        query["gauge"] = advice.gauge
    zero = "" if advice.zero != "new" else ", zeroed afresh"
    return Next(
        what=f"{label(READABLE[advice.figure])}{where_words(advice.place)}{zero}",
        share=f"{figure(100 * advice.share, 0)} %" if advice.u_now is not None else "wanted",
        leaves=leaves,
        minutes=f"{figure(advice.minutes, 0)} min",
        address=url_for("measure.read", build_id=bench.id, **query),
    )


def _u_words(u: float, decides: str, reader: Reader) -> str:
    return figure(u, 3) if decides == "compression_ratio" else reader.band(u)


def _causes(bench: Bench, logbook: Logbook) -> list[dict[str, Any]]:
    """What is probably wrong, likeliest first."""
    if bench.build.in_use is None:
        return []
    from zygometra.core.measuring.causes import causes

    key = ("causes", bench.rules["bench_sag"])
    found = bench.kept.once(key, lambda: causes(bench.kept.build, bench.rules))
    return [
        {
            "says": given_text(cause_words(one, logbook), bench.reader),
            "share": figure(100 * one.explains, 0),
            "kind": one.kind,
            "address": _decided_address(bench, one.decided_by),
        }
        for one in found[:3]
    ]


def _decided_address(bench: Bench, told: Any) -> str:
    if told is None or told.figure not in FIGURES:
        return ""
    place = f"h{told.cylinder}" if told.cylinder is not None else "e"
    return url_for("measure.read", build_id=bench.id, figure=told.figure, place=place)


def _void(bench: Bench, logbook: Logbook) -> list[ReadingLine]:
    """What is void or set aside, the newest first."""
    used = bench.build.in_use
    if used is None:
        return []
    newest = sorted(used.aside, key=lambda one: -one.reading.order)[:_MOST_VOID]
    who = {key: void.by for key, void in logbook.void.items()}
    return [
        line(one.reading, bench.reader, state=one.reason, why=f"{one.why}{_by(who.get(one.reading.id, ''))}")
        for one in newest
    ]


def _by(who: str) -> str:
    return f" ({who})" if who else ""


def _found(bench: Bench, shown: Mapping[str, list[str]]) -> list[FoundShown]:
    out = []
    for one in bench.kept.facts.of(Found):
        place = f"hole {one.cylinder}" if one.cylinder else f"bank {one.bank}" if one.bank else ""
        out.append(
            FoundShown(
                key=one.id,
                what=one.what,
                where=", ".join(filter(None, (place, one.where))),
                consequence=one.consequence,
                who=one.by,
                at=str(one.typed.get("at") or one.at)[:16].replace("T", " "),
                photos=tuple(shown.get(one.id, ())),
            )
        )
    return list(reversed(out))
