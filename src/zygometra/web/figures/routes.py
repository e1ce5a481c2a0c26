"""Routes of the figures: the table of them all, and the form of one."""

from __future__ import annotations

from typing import Any, NamedTuple

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for
from werkzeug.exceptions import NotFound
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import with_leaf
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.fields import BANK_NAMES, CYLINDER_NAMES, FIELDS, Field, field_at
from zygometra.core.house_rules import BASES
from zygometra.core.place import Place
from zygometra.core.quantity import Quantity
from zygometra.exchange.build_file import check
from zygometra.store import builds

from .. import bench as benches
from ..db import db
from ..people import person, safe_next
from ..saving import conflict, written
from .typed import bare_unit, doubt_words, figure_of, form_of

figures = Blueprint("figures", __name__, template_folder="templates")
_BANK_NAME = {f.path: name for name, f in BANK_NAMES.items()}
_HOLE_NAME = {f.path: name for name, f in CYLINDER_NAMES.items()}


class Cell(NamedTuple):
    """One place a figure can stand in."""

    where: str
    path: str
    value: str
    beside: str
    basis: str
    doubt: str


class Line(NamedTuple):
    """One dimension and every place it stands in, or could."""

    field: Field
    cells: tuple[Cell, ...]
    more: tuple[tuple[str, str], ...]


def _cell(bench: benches.Bench, where: str, path: str) -> Cell | None:
    quantity = bench.build.figures.get(path)
    if quantity is None:
        return None
    reader = bench.reader
    return Cell(
        where,
        path,
        reader.quantity(quantity),
        reader.beside(quantity),
        quantity.basis if quantity.basis_stated or quantity.readings else "basis not stated",
        doubt_words(quantity, reader),
    )


def _places(bench: benches.Bench, field: Field) -> list[tuple[str, str]]:
    """Every place where a dimension may stand in this build, widest first."""
    places = [] if field.part == "mock-up" else [("whole engine", field.path)]
    if field.path in _BANK_NAME and len(bench.build.banks) > 1:
        places += [
            (f"bank {b.name}", str(Place.on_bank(b.name, _BANK_NAME[field.path]))) for b in bench.build.banks
        ]
    if field.path in _HOLE_NAME:
        places += [
            (f"hole {n}", str(Place.hole(n, _HOLE_NAME[field.path]))) for n in sorted(bench.build.cylinders)
        ]
    return places


def _lines(bench: benches.Bench) -> list[tuple[str, list[Line]]]:
    parts: dict[str, list[Line]] = {}
    for field in FIELDS:
        places = _places(bench, field)
        cells = [(cell, place) for place in places if (cell := _cell(bench, *place))]
        empty = tuple(place for place in places if place[1] not in {p[1] for _, p in cells})
        parts.setdefault(field.part, []).append(Line(field, tuple(c for c, _ in cells), empty))
    return list(parts.items())


@figures.get("/builds/<int:build_id>/figures")
def page(build_id: int) -> str:
    """Show every figure of a build."""
    bench = benches.open_bench(build_id)
    state = bench.evaluation.planned if bench.evaluation else None
    return render_template(
        "figures/page.html",
        bench=bench,
        build=bench.build,
        document=bench.document,
        station="parts",
        path=benches.path_of(bench),
        reckonings=benches.reckon(bench),
        parts_of_build=_lines(bench),
        hole=bench.build.cylinders[0],
        engine=benches.engine_line(bench.build, bench.document, state),
        rest=[],
        differs=[],
    )


@figures.get("/builds/<int:build_id>/figure")
def form(build_id: int) -> str:
    """Show one figure with its form, the other places it stands in, and its history."""
    bench = benches.open_bench(build_id)
    path = request.args.get("at", "")
    field = _known(bench, path)
    return _form(bench, field, path, form_of(bench.build.figures.get(path)), "")


def _known(bench: benches.Bench, path: str) -> Field:
    """The field at a place of this build; anything else is not found."""
    for field in FIELDS:
        if path in [place for _, place in _places(bench, field)]:
            return field
    # A one-bank engine keeps what a file says of its bank.
    if path in bench.build.figures:
        return field_at(path)
    raise NotFound


def _form(bench: benches.Bench, field: Field, path: str, typed: dict[str, Any], fault: str) -> str:
    quantity: Quantity | None = bench.build.figures.get(path)
    places = _places(bench, field)
    where = next((name for name, place in places if place == path), path)
    others = [cell for place in places if place[1] != path and (cell := _cell(bench, *place))]
    empty = [place for place in places if place[1] not in bench.build.figures and place[1] != path]
    place = Place.parse(path)
    past = [
        (change, next(d for d in change.patch if Place.of_keys(d.path) == place))
        for change in builds.history(db(), bench.id, path=path, limit=6)
    ]
    return render_template(
        "figures/form.html",
        bench=bench,
        field=field,
        path=path,
        where=where,
        form=typed,
        fault=fault,
        basis_choices=[("", "not stated"), *((name, name) for name in BASES)],
        bare=bare_unit(field, bench.reader).symbol,
        others=others,
        empty=empty,
        history=[(c, written(d.before), written(d.after)) for c, d in past],
        doubt=doubt_words(quantity, bench.reader) if quantity else "",
        stands=quantity is not None,
        low=field.low,
        high=field.high,
        back=safe_next(request.values.get("back")),
        partial=bool(request.headers.get("HX-Request")),
    )


@figures.post("/builds/<int:build_id>/figure")
def save(build_id: int) -> BaseResponse:
    """Save one figure, or take it out."""
    bench = benches.open_bench(build_id)
    path = request.form.get("at", "")
    field = _known(bench, path)
    try:
        figure = None if request.form.get("remove") else figure_of(request.form, field, bench.reader)
        document = with_leaf(bench.document, Place.parse(path).keys, figure)
        check(document)
    except QuantityError as error:
        return make_response(_form(bench, field, path, dict(request.form), str(error)), 422)
    except BuildFaults as error:
        fault = error.faults[0]
        says = f"{fault.path}: found {fault.found}; wanted {fault.wanted}."
        return make_response(_form(bench, field, path, dict(request.form), says), 422)
    says = f"{field.label} ({path}): {written(figure)}"
    try:
        builds.save(
            db(),
            build_id,
            document,
            actor=person(),
            says=says,
            expected_version=request.form.get("version", 0, int),
        )
    except builds.Stale as stale:
        return conflict(stale, {Place.parse(path).keys: figure}, says)
    db().commit()
    return _done(build_id)


def _done(build_id: int) -> Response | BaseResponse:
    if request.headers.get("HX-Request"):
        response = make_response("", 204)
        response.headers["HX-Refresh"] = "true"
        return response
    back = request.form.get("back")
    return redirect(safe_next(back) if back else url_for("figures.page", build_id=build_id))
