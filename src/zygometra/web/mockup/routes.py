"""Routes of the mock-up bench."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, flash, make_response, redirect, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import with_leaf
from zygometra.core.build.record import plan_words

from ..build.bench import BEGUN, Bench, is_begun, open_bench
from ..build.page import render
from ..build.saving import save as save_build
from ..forms.form import sent_form
from ..forms.read import choice, length
from .view import BETWEEN, SETS, plan_cuts, tags, view

mockup = Blueprint("mockup", __name__, template_folder="templates")


@mockup.get("/builds/<int:build_id>/measure/mock-up")
def page(build_id: int) -> str:
    """Show the decks from above, and what the mock-up comes to."""
    return _page(open_bench(build_id))


def _page(bench: Bench, **own: Any) -> str:
    shown = {"faults": {}, "typed": {}} | view(bench) | own
    return render(bench, "measure", "mockup/page.html", tab="mockup", **shown)


@mockup.post("/builds/<int:build_id>/measure/mock-up")
def settle(build_id: int) -> BaseResponse:
    """Save how the mock-up is made, and how far the machinist's supports are apart."""
    bench = open_bench(build_id)
    form = sent_form()
    sets = form.take("sets", choice(form["sets"], [key for key, _ in SETS], what="way of mocking up"))
    between = form.take(
        "between", choice(form["between"], [key for key, _ in BETWEEN], what="way of filling")
    )
    span = form.take("span", length(form["span"], bench.reader, low=0, high=20_000))
    if form.faults:
        return make_response(_page(bench, faults=form.faults, typed=form.typed), 422)
    document = with_leaf(dict(bench.document), ("mock_up", "sets"), sets)
    document = with_leaf(document, ("mock_up", "between"), between)
    document = with_leaf(document, ("facing", "support_span", "along"), span)
    refused = save_build(bench, document, f"mock-up: {dict(SETS)[sets or 'own']}")
    return refused or redirect(url_for("mockup.page", build_id=build_id))


@mockup.get("/builds/<int:build_id>/measure/mock-up/tags")
def tag_page(build_id: int) -> str:
    """Show what is written on the tape at either end of each deck, to be read at the block and printed."""
    bench = open_bench(build_id)
    shown = view(bench)
    return render(bench, "measure", "mockup/tags.html", tab="mockup", tags=tags(bench), **shown)


@mockup.post("/builds/<int:build_id>/measure/mock-up/plan")
def plan(build_id: int) -> BaseResponse:
    """Put the cuts at both ends of each deck on the plan, in place of the deck cuts that stand there."""
    bench = open_bench(build_id)
    cuts = plan_cuts(bench)
    if is_begun(bench, "deck_cut"):
        flash(BEGUN)
        return redirect(url_for("mockup.page", build_id=build_id))
    if not cuts:
        flash("The mock-up asks for no cut that could be made: read two holes of each bank and set an aim.")
        return redirect(url_for("mockup.page", build_id=build_id))
    kept = [op for op in bench.document.get("planned") or [] if op["op"] != "deck_cut"]
    planned = [*cuts, *kept]
    document = {**bench.document, "planned": planned}
    refused = save_build(bench, document, plan_words(planned))
    return refused or redirect(url_for("stack.page", build_id=build_id))
