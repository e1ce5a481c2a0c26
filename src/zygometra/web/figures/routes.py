"""Routes of the figures: the table of them all, and the form of one."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, Response, make_response, redirect, request, url_for
from werkzeug.exceptions import NotFound
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import leaf_at, with_leaf
from zygometra.core.build.record import figure_words
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.fields import Field
from zygometra.core.place import Place

from ..build.bench import Bench, open_bench
from ..build.page import render, render_aside
from ..build.saving import save as save_build
from ..forms.figure import figure_of, form_of
from ..forms.form import sent_form
from ..people import request_is_partial, safe_next, told_error
from .view import BASIS_MARKS, form_view, known_field, lines, places_said, table_of_holes

figures = Blueprint("figures", __name__, template_folder="templates")


@figures.get("/builds/<int:build_id>/figures")
def page(build_id: int) -> str:
    """Show every figure of a build."""
    bench = open_bench(build_id)
    columns, rows = table_of_holes(bench)
    return render(
        bench,
        "figures",
        "figures/page.html",
        parts_of_build=lines(bench),
        bases=BASIS_MARKS,
        columns=columns,
        rows=rows,
    )


@figures.get("/builds/<int:build_id>/figure")
def form(build_id: int) -> str:
    """Show one figure with its form, the other places it stands in, and its history."""
    bench = open_bench(build_id)
    path = request.args.get("at", "")
    field = _known(bench, path)
    # What is read on a mock-up needs no telling that it was.
    typed = form_of(
        (bench.build.paper or bench.build.figures).get(path), "mock-up" if field.part == "mock-up" else ""
    )
    return _form(bench, field, path=path, typed=typed, fault="")


def _known(bench: Bench, path: str) -> Field:
    field = known_field(bench, path)
    if field is None:
        raise NotFound
    return field


def _form(bench: Bench, field: Field, path: str, typed: Mapping[str, Any], fault: str) -> str:
    back = safe_next(request.values.get("back"))
    shown = form_view(bench, field, path=path, typed=typed, fault=fault)
    return render_aside(bench, "figures/form.html", back=back, **shown)


@figures.post("/builds/<int:build_id>/figure")
def save(build_id: int) -> BaseResponse:
    """Save one figure, or take it out."""
    bench = open_bench(build_id)
    path = sent_form().raw("at")
    field = _known(bench, path)
    places = places_said(bench, field, path, sent_form().raw("spread"))
    try:
        typed = None if sent_form().raw("remove") else figure_of(sent_form().typed, field, bench.reader)
        document, mine = dict(bench.document), dict[tuple[str, ...], Any]()
        for keys in (Place.parse(place).keys for place in places):
            stands = leaf_at(document, keys)
            # What was not touched stays to the letter: 92.0 is no other figure than 92.
            mine[keys] = stands if typed == stands else typed
            document = with_leaf(document, keys, mine[keys])
        says = figure_words(field.label, path, typed)
        if len(places) > 1:
            says += f", the same at {len(places)} holes"
        refused = save_build(bench, document, says, mine=mine)
    except QuantityError as error:
        return make_response(
            _form(bench, field, path=path, typed=dict(sent_form().typed), fault=told_error(error)), 422
        )
    except BuildFaults as error:
        fault = f"{error.faults[0]}."
        return make_response(_form(bench, field, path=path, typed=dict(sent_form().typed), fault=fault), 422)
    return refused or _done(build_id)


def _done(build_id: int) -> Response | BaseResponse:
    if request_is_partial():
        response = make_response("", 204)
        response.headers["HX-Refresh"] = "true"
        return response
    back = sent_form().raw("back")
    return redirect(safe_next(back) if back else url_for("figures.page", build_id=build_id))
