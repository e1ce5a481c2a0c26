"""The figures of a build as their pages show them: every dimension and every place it stands in, or could."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, NamedTuple

from flask import url_for

from zygometra.core.build.record import written
from zygometra.core.digits import MINUS
from zygometra.core.errors import QuantityError
from zygometra.core.fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, Field, field_at
from zygometra.core.measuring.figures import place_is_read
from zygometra.core.place import Place
from zygometra.core.units import BASE, Kind, from_base
from zygometra.core.usual_figures import BASES
from zygometra.core.wording import Reader
from zygometra.store.history import Change, history

from ..build.bench import Bench
from ..db import db
from ..forms.figure import doubt_words
from ..forms.read import bare_unit_of
from ..measure.reading_words import quantity_words

_BANK_NAME = {f.path: name for name, f in BANK_NAMES.items()}
_HOLE_NAME = {f.path: name for name, f in CYLINDER_NAMES.items()}
# The marks of the table, and what they are called.
BASIS_MARKS = [(name, name) for name in ("measured", "mock-up", "catalogue", "advertised", "assumed")]
# How many past values are shown.
_MOST_PAST = 6


class FigureCell(NamedTuple):
    """One place a figure can stand in."""

    where: str
    path: str
    value: str
    beside: str
    basis: str
    mark: str
    says: str


class FigureLine(NamedTuple):
    """One dimension and every place it stands in, or could."""

    symbol: str
    label: str
    help: str
    cells: tuple[FigureCell, ...]
    more: tuple[tuple[str, str], ...]


class FigureSpot(NamedTuple):
    """One bank's or hole's place in the table: a figure, or room for one."""

    path: str
    called: str
    value: str
    mark: str
    says: str


class PlaceRow(NamedTuple):
    """One dimension, bank by bank and hole by hole."""

    symbol: str
    label: str
    spots: tuple[FigureSpot | None, ...]


def table_of_holes(bench: Bench) -> tuple[list[str], list[PlaceRow]]:
    """Return what is known bank by bank and hole by hole: heads of the columns, and a row a dimension."""
    banks = [b.name for b in bench.build.banks] if bench.several_banks else []
    holes = sorted(bench.build.cylinders)
    rows = []
    for field in FIELDS:
        on_bank, in_hole = _BANK_NAME.get(field.path), _HOLE_NAME.get(field.path)
        if not in_hole and not (on_bank and banks):
            continue
        places = [(f"bank {name}", str(Place.on_bank(name, on_bank)) if on_bank else "") for name in banks]
        places += [(f"hole {n}", str(Place.hole(n, in_hole)) if in_hole else "") for n in holes]
        spots = tuple(_spot(bench, field, where, path) if path else None for where, path in places)
        rows.append(PlaceRow(field.symbol.replace("_", " "), field.label, spots))
    return [*(f"bank {name}" for name in banks), *(str(n) for n in holes)], rows


def _spot(bench: Bench, field: Field, where: str, path: str) -> FigureSpot:
    cell = _cell(bench, where, path)
    if cell is None:
        return FigureSpot(path=path, called=f"Add {field.label}, {where}", value="", mark="", says="")
    return FigureSpot(
        path=path,
        called=f"{field.label}, {where}: {cell.value}, {cell.says}",
        value=cell.value,
        mark=cell.mark,
        says=cell.says,
    )


def _cell(bench: Bench, where: str, path: str) -> FigureCell | None:
    quantity = bench.build.figures.get(path)
    if quantity is None:
        return None
    reader = bench.reader
    stated = bool(quantity.basis_stated or quantity.readings)
    basis = quantity.basis if stated else "basis not stated"
    beside = reader.beside(quantity)
    says = " · ".join(filter(None, (beside, basis, doubt_words(quantity, reader))))
    mark = quantity.basis if stated else "assumed"
    return FigureCell(
        where=where,
        path=path,
        value=reader.quantity(quantity),
        beside=beside,
        basis=basis,
        mark=mark,
        says=says,
    )


def _places(bench: Bench, field: Field) -> list[tuple[str, str]]:
    """Every place where a dimension may stand in this build, widest first."""
    places = [] if field.part == "mock-up" else [("whole engine", field.path)]
    if field.path in _BANK_NAME and bench.several_banks:
        name = _BANK_NAME[field.path]
        places += [(f"bank {b.name}", str(Place.on_bank(b.name, name))) for b in bench.build.banks]
    if field.path in _HOLE_NAME:
        name = _HOLE_NAME[field.path]
        places += [(f"hole {n}", str(Place.hole(n, name))) for n in sorted(bench.build.cylinders)]
    return places


def lines(bench: Bench) -> list[tuple[str, list[FigureLine]]]:
    """Return every dimension of a build as it holds for the whole engine, part by part."""
    parts: dict[str, list[FigureLine]] = {}
    for field in FIELDS:
        places = [place for place in _places(bench, field) if place[1] == field.path]
        if not places:
            continue
        cells = [(cell, place) for place in places if (cell := _cell(bench, *place))]
        stands = {path for _, (_, path) in cells}
        empty = tuple(place for place in places if place[1] not in stands)
        line = FigureLine(
            symbol=field.symbol.replace("_", " "),
            label=field.label,
            help=field.help,
            cells=tuple(cell for cell, _ in cells),
            more=empty,
        )
        parts.setdefault(field.part, []).append(line)
    return list(parts.items())


def known_field(bench: Bench, path: str) -> Field | None:
    """Return the field at a place of this build; None where no figure may stand."""
    for field in FIELDS:
        if path in [place for _, place in _places(bench, field)]:
            return field
    try:
        # A one-bank engine keeps what a file says of its bank.
        return field_at(path) if path in bench.build.figures else None
    except QuantityError:
        return None


def form_view(bench: Bench, field: Field, path: str, typed: Mapping[str, Any], fault: str) -> dict[str, Any]:
    """Return what the form of one figure shows: the other places it stands in, and its history, among it."""
    figures = bench.build.figures
    quantity = figures.get(path)
    paper = (bench.build.paper or figures).get(path)
    places = _places(bench, field)
    where = next((name for name, place in places if place == path), path)
    stands = paper is not None
    return {
        "field": field,
        "path": path,
        "where": where,
        "typed": typed,
        "fault": fault,
        "basis_choices": [("", "not stated"), *((name, name) for name in BASES)],
        "bare": bare_unit_of(field, bench.reader).symbol,
        "others": [c for place in places if place[1] != path and (c := _cell(bench, *place))],
        "empty": [place for place in places if place[1] not in figures and place[1] != path],
        "history": _past(bench, path),
        "doubt": doubt_words(quantity, bench.reader) if quantity else "",
        "possible": _possible(field, bench.reader),
        "removable": stands,
        "said_for": said_for(bench, field, path),
        "read": _read(bench, path),
    }


def said_for(bench: Bench, field: Field, path: str) -> list[tuple[str, str]]:
    """Return for which holes a deck clearance can be said at once; empty for any other figure."""
    if field.part != "mock-up" or len(bench.build.cylinders) < 2:
        return []
    (number,) = Place.parse(path).holes
    bank = bench.build.bank_of(number)
    found = [("", f"hole {number} alone")]
    if bench.several_banks and len(bank.cylinders) > 1:
        found.append((BANK, f"every hole of bank {bank.name}"))
    return [*found, (ALL, "every hole")]


def places_said(bench: Bench, field: Field, path: str, spread: str) -> list[str]:
    """Return the places that one figure is kept at.

    Parameters
    ----------
    bench : Bench
        The build.
    field : Field
        The dimension.
    path : str
        Where it was typed.
    spread : str
        One of what :func:`said_for` offers.
    """
    if spread not in dict(said_for(bench, field, path)) or not spread:
        return [path]
    own = Place.parse(path)
    bank = bench.build.bank_of(own.holes[0])
    holes = bank.cylinders if spread == BANK else bench.build.cylinders
    return [str(Place.hole(number, own.field)) for number in holes]


# For which holes a figure is said: those of its bank, or all.
BANK, ALL = "bank", "all"


def _read(bench: Bench, path: str) -> dict[str, str] | None:
    """The readings that stand in for a figure, and the page that lists them; None where there are none."""
    quantity = bench.build.figures.get(path)
    if quantity is None or quantity.doubt != "readings" or bench.build.in_use is None:
        return None
    if not quantity.terms and not place_is_read(bench.build, path):
        return None
    count = len(quantity.readings)
    value = quantity_words(quantity, field_at(path), bench.reader)
    address = url_for("measure.place", build_id=bench.id, place=path) if count else ""
    return {"says": quantity.rests_on, "value": " ".join(filter(None, value)), "address": address}


def _possible(field: Field, reader: Reader) -> str:
    """The outermost values a figure could have, in the reader's unit."""
    if field.kind is Kind.LENGTH:
        unit = reader.length_unit(field.high)
        low, high = (from_base(edge, unit) for edge in (field.low, field.high))
    else:
        unit, low, high = BASE[field.kind], field.low, field.high
    return f"{low:.4g} to {high:.4g} {unit.symbol}".replace("-", MINUS)


def _past(bench: Bench, path: str) -> list[tuple[Change, str, str]]:
    """What stood at a place before, the newest first."""
    place = Place.parse(path)
    out = []
    for change in history(db(), bench.id, path=path, limit=_MOST_PAST):
        leaf = next(d for d in change.patch if Place.of_keys(d.path) == place)
        out.append((change, written(leaf.before), written(leaf.after)))
    return out
