"""Routes of the target bench."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, flash, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import with_leaf
from zygometra.core.build.model import ASSEMBLED
from zygometra.core.build.record import plan_words
from zygometra.core.errors import BuildFaults, ZygometraError
from zygometra.exchange.build_file import check
from zygometra.exchange.plain_json import loads

from ..build.bench import Bench, open_bench, with_plan
from ..build.page import render
from ..build.saving import save as save_build
from ..forms.form import sent_form
from ..people import told_error
from ..stack.crowns import asked_of_crowns
from ..verify.memory import remembering
from . import levers, parts
from .asked import PlanQuery, read_asked
from .view import Ways, answer, page_view, plans_for, ways

plan = Blueprint("plan", __name__, template_folder="templates")

# A plan that is kept comes back as text; one of three hundred operations is a slip.
MOST_TEXT = 100_000
# How long the first sight of the page waits for a search, and how long its later questions do, in seconds.
_AT_ONCE, _WAITS = 0.4, 0.8


def _asked(bench: Bench) -> PlanQuery:
    build = remembering(bench.kept.build, bench.rules)
    return read_asked(build, bench.stored.shop_rules, request.args.to_dict(), bench.reader)


@plan.get("/builds/<int:build_id>/plans")
def page(build_id: int) -> str:
    """Show the windows and what is found at once; the page asks for the rest."""
    bench = open_bench(build_id)
    asked = _asked(bench)
    shown = _answered(bench, asked, wait=_WAITS if request.args.get("full") else _AT_ONCE)
    return render(bench, "plan", "plan/page.html", **page_view(bench, asked), **shown)


@plan.get("/builds/<int:build_id>/plans/answer")
def answered(build_id: int) -> str:
    """Show the plans for what is asked, as far as they are found: the page asks again until the search has ended."""
    bench = open_bench(build_id)
    asked = _asked(bench)
    shown = _answered(bench, asked, wait=_WAITS, polls=bool(request.args.get("again")))
    return render_template("plan/answer.html", bench=bench, **page_view(bench, asked), **shown)


@plan.get("/builds/<int:build_id>/plans/ways")
def ways_page(build_id: int) -> str:
    """Show each lever alone, as far as they were tried."""
    bench = open_bench(build_id)
    asked = _asked(bench)
    try:
        found, problem = ways(bench, asked, wait=_WAITS, polls=bool(request.args.get("again"))), ""
    except ZygometraError as error:
        found, problem = Ways([], whole=True), told_error(error)
    again = page_view(bench, asked)["ways_again_address"]
    return render_template("plan/ways.html", bench=bench, found=found, problem=problem, again=again)


def _answered(bench: Bench, asked: PlanQuery, *, wait: float, polls: bool = False) -> dict[str, Any]:
    try:
        return answer(bench, asked, plans_for(bench, asked, wait=wait, polls=polls))
    except ZygometraError as error:
        return {"problem": told_error(error), "plans": [], "chosen": None, "reasons": [], "whole": True}


@plan.get("/builds/<int:build_id>/plans/levers")
def levers_page(build_id: int) -> str:
    """Show what the shop can do, as a form."""
    bench = open_bench(build_id)
    shown = levers.view(bench.document, levers.form_of(bench.document), {})
    return render(bench, "plan", "plan/levers.html", **shown)


@plan.post("/builds/<int:build_id>/plans/levers")
def save_levers(build_id: int) -> BaseResponse:
    """Save what the shop can do."""
    bench = open_bench(build_id)
    form = sent_form()
    document = levers.document_of(bench.document, form.typed, bench.reader)
    faults = levers.faults_of(document)
    if faults:
        shown = levers.view(bench.document, form.typed, faults)
        return make_response(render(bench, "plan", "plan/levers.html", **shown), 422)
    refused = save_build(bench, document, "what the shop can do")
    return refused or redirect(url_for("plan.page", build_id=build_id))


@plan.get("/builds/<int:build_id>/plans/parts")
def parts_page(build_id: int) -> str:
    """Show the parts that a plan may fit, and what the shelf offers."""
    bench = open_bench(build_id)
    return render(bench, "plan", "plan/parts.html", **parts.view(bench, parts.form_of(bench.document), {}))


@plan.post("/builds/<int:build_id>/plans/parts")
def save_parts(build_id: int) -> BaseResponse:
    """Save which parts a plan may fit."""
    bench = open_bench(build_id)
    form = sent_form()
    document = parts.document_of(bench, form.typed)
    faults = levers.faults_of(document)
    if faults:
        shown = parts.view(bench, form.typed, faults)
        return make_response(render(bench, "plan", "plan/parts.html", **shown), 422)
    refused = save_build(bench, document, "parts that a plan may fit")
    return refused or redirect(url_for("plan.page", build_id=build_id))


@plan.post("/builds/<int:build_id>/plans/assembled")
def assembled(build_id: int) -> BaseResponse:
    """Say how far the engine is assembled: what a plan must open hangs on it."""
    bench = open_bench(build_id)
    said = sent_form().raw("assembled")
    if said and said not in ASSEMBLED:
        flash(f"Found '{said[:40]}'; wanted one of {', '.join(ASSEMBLED)}.")
        return redirect(url_for("plan.page", build_id=build_id))
    document = with_leaf(dict(bench.document), ("engine", "assembled"), said or None)
    refused = save_build(bench, document, f"the engine is {said or 'not said how far assembled'}")
    return refused or redirect(url_for("plan.page", build_id=build_id))


@plan.post("/builds/<int:build_id>/plans")
def keep(build_id: int) -> BaseResponse:
    """Put a plan on the build, in place of what it plans."""
    bench = open_bench(build_id)
    planned = _plan_sent(sent_form().raw("planned"))
    if planned is None:
        flash("Found no plan in what was sent; choose one of those on this page.")
        return redirect(url_for("plan.page", build_id=build_id))
    document = {**bench.document, "planned": planned}
    try:
        operations = check(document).planned
    except BuildFaults as refused_plan:
        flash(f"Found what is no plan: {refused_plan.faults[0]}. Choose one of those on this page.")
        return redirect(url_for("plan.page", build_id=build_id))
    if asks := asked_of_crowns(with_plan(bench, operations)):
        flash(asks)
        return redirect(url_for("plan.page", build_id=build_id))
    refused = save_build(bench, document, plan_words(planned))
    return refused or redirect(url_for("stack.page", build_id=build_id))


def _plan_sent(text: str) -> list[dict[str, Any]] | None:
    """The plan that a form carried; None where it carried none."""
    if len(text) > MOST_TEXT:
        return None
    try:
        planned = loads(text)
    except (ValueError, RecursionError):
        return None
    if not isinstance(planned, list) or not all(isinstance(op, dict) for op in planned):
        return None
    return planned
