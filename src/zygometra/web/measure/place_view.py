"""One figure and every reading under it, as its page shows them."""

from __future__ import annotations

import secrets
from collections.abc import Mapping
from typing import Any, NamedTuple

from flask import url_for

from zygometra.core.digits import figure, number_of
from zygometra.core.fields import Field, field_at, term_label
from zygometra.core.measuring.cause_words import where_words
from zygometra.core.measuring.figures import figure_of
from zygometra.core.measuring.logbook import NAME_OF, Logbook, Reading
from zygometra.core.place import Place
from zygometra.core.quantity import Quantity
from zygometra.core.uncertainty import Cause, Term
from zygometra.core.wording import Reader
from zygometra.store import facts

from ..build.bench import Bench
from ..db import db
from .read_view import FIGURES, place_value
from .reading_words import ReadingLine, label, line, quantity_words


class Sourced(NamedTuple):
    """One source of a figure's doubt: what, how much, its share."""

    what: str
    u: str
    share: str


def place_view(bench: Bench, place: Place) -> dict[str, Any] | None:
    """Return what stands under one figure: its readings, what was set aside, what its doubt is made of.

    Parameters
    ----------
    bench : Bench
        The build.
    place : Place
        Of a figure.
    """
    try:
        field = field_at(place)
    except KeyError:
        return None
    logbook = bench.build.logbook or Logbook()
    readings = [one for one in logbook.readings if one.place == place.whole]
    figures = bench.build.figures
    if not readings and str(place) not in figures:
        return None
    used = bench.build.in_use
    aside = {one.reading.id: one.why for one in used.aside} if used is not None else {}
    shown = facts.photos(db(), bench.id) if readings else {}
    quantity = figures.get(str(place))
    return {
        "at": str(place),
        "what": f"{label(field)}{where_words(place)}",
        "readings": [
            _line(one, bench, logbook=logbook, aside=aside, shown=shown) for one in reversed(readings)
        ],
        "value": quantity_words(quantity, field, bench.reader) if quantity is not None else ("", ""),
        "sources": _sources(quantity, field, bench.reader) if quantity is not None else [],
        "paper": _paper(bench, place, field),
        "rivals": _rivals(bench, place, field),
        "keys": {one.id: f"photo-{secrets.token_hex(8)}" for one in readings},
        "read_on": _read_on(bench, field, place),
        "band": _band_words(quantity),
    }


def _read_on(bench: Bench, field: Field, place: Place) -> str:
    """The page on which a figure is read again; empty for one that is not read there."""
    name = NAME_OF.get(field.path)
    if name not in FIGURES:
        return ""
    return url_for("measure.read", build_id=bench.id, figure=name, place=place_value(place))


def _line(
    one: Reading, bench: Bench, logbook: Logbook, aside: Mapping[str, str], shown: Mapping[str, list[str]]
) -> ReadingLine:
    state = "void" if one.id in logbook.void else "aside" if one.id in aside else ""
    return line(
        one, bench.reader, state=state, why=aside.get(one.id, ""), photos=tuple(shown.get(one.id, ()))
    )


def _band_words(quantity: Quantity | None) -> str:
    if quantity is None or not quantity.u:
        return ""
    spread = quantity.uncertainty
    dof = "many" if spread.dof > 1000 else figure(spread.dof, 1)
    return f"{dof} degrees of freedom, k = {figure(spread.half / spread.u, 2)}"


def _sources(quantity: Quantity, field: Field, reader: Reader) -> list[Sourced]:
    """What the doubt of a measured figure is made of, the largest first."""
    total = sum(t.u * t.u for t in quantity.terms)
    rows = []
    for t in sorted(quantity.terms, key=lambda t: -abs(t.u)):
        u = (
            reader.band(abs(t.u))
            if field.kind.value == "length"
            else f"{figure(abs(t.u), 3)} {quantity.unit.symbol}"
        )
        rows.append(Sourced(_source_words(t), u, f"{figure(100 * t.u * t.u / total if total else 0.0, 0)} %"))
    return rows


def _source_words(term: Term) -> str:
    """A source in words; of the readings themselves without saying again of what."""
    own = {Cause.READ: "scatter of its readings", Cause.ROUNDING: "rounding of its readings"}
    return own.get(term.cause) or term_label(term)


def _paper(bench: Bench, place: Place, field: Field) -> str:
    """The figure that the readings stand in for, in words."""
    paper = (bench.build.paper or {}).get(str(place)) or (bench.build.paper or {}).get(field.path)
    return f"{bench.reader.quantity(paper)} ({paper.basis})" if paper is not None else ""


def _rivals(bench: Bench, place: Place, field: Field) -> list[str]:
    """What other gauges, or other ways, give for the same place."""
    used = bench.build.in_use
    if used is None:
        return []
    out = []
    for rival in used.rivals.get(place, ()):
        value, band = quantity_words(figure_of(rival, bench.build, used), field, bench.reader)
        one = rival.readings[0]
        out.append(f"{one.gauge or one.way}: {value} {band} ({number_of(len(rival.readings), 'reading')})")
    return out
