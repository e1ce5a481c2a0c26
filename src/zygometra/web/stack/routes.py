"""Routes of the stack bench."""

from __future__ import annotations

from flask import Blueprint, Response, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import operation_document
from zygometra.core.build.record import plan_words
from zygometra.core.errors import BuildFaults

from .. import urls
from ..build.bench import answered_for, open_bench, with_plan
from ..build.page import render_aside
from ..build.saving import save
from ..forms.form import sent_form
from .crowns import asked_of_crowns
from .derivation import derivation
from .view import answer_parts, view
from .what_if import WhatIf, answer, read_plan

stack = Blueprint("stack", __name__, template_folder="templates")


@stack.get("/builds/<int:build_id>")
def build(build_id: int) -> BaseResponse:
    """Lead to the stack bench, where a build opens."""
    return redirect(url_for("stack.page", build_id=build_id))


@stack.get("/builds/<int:build_id>/stack")
def page(build_id: int) -> str:
    """Show the stack bench, perhaps with a what-if that its address carries."""
    return _page(answer(open_bench(build_id), request.args))


def _page(result: WhatIf) -> str:
    return render_template("stack/page.html", **view(result))


@stack.get("/builds/<int:build_id>/stack/what-if")
def what_if(build_id: int) -> Response:
    """Answer a moved lever with the parts of the page that change."""
    moved = request.args.to_dict()
    html, address = answered_for(build_id, lambda bench: answer_parts(answer(bench, moved)))
    return Response(html, headers={"HX-Replace-Url": address}, content_type="text/html; charset=utf-8")


@stack.post("/builds/<int:build_id>/plan")
def keep(build_id: int) -> BaseResponse | str:
    """Keep the plan on screen."""
    bench = open_bench(build_id)
    try:
        planned = read_plan(sent_form().raw("plan"), bench.build)
    except BuildFaults as error:
        shown = answer(bench, {})
        shown.refused["plan"] = str(error.faults[0])
        return make_response(_page(shown), 422)
    if asks := asked_of_crowns(with_plan(bench, planned)):
        shown = answer(bench, {"plan": sent_form().raw("plan")})
        shown.refused["plan"] = asks
        return make_response(_page(shown), 422)
    plan = [operation_document(op) for op in planned]
    document = {**bench.document, "planned": plan}
    if not plan:
        document.pop("planned")
    refused = save(bench, document, plan_words(plan), mine={("planned",): plan})
    shown_hole = {"hole": sent_form().raw("hole"), "scope": sent_form().raw("scope")}
    return refused or redirect(urls.station(build_id, "stack", **shown_hole))


@stack.get("/builds/<int:build_id>/working")
def show_working(build_id: int) -> str:
    """Show the working of one hole, now or as planned on screen."""
    result = answer(open_bench(build_id), request.args)
    shown = derivation(
        result, request.args.get("result", ""), as_it_stands=request.args.get("state") == "now"
    )
    return render_aside(result.bench, "stack/working.html", **shown)
