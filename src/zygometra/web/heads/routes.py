"""Routes of the bench of heads and chambers."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, flash, make_response, redirect, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import with_leaf
from zygometra.core.build.record import plan_words
from zygometra.core.measuring.face_surveys import HELD

from ..build.bench import BEGUN, Bench, is_begun, open_bench
from ..build.page import render
from ..build.saving import save as save_build
from ..forms.form import sent_form
from ..forms.read import choice, length
from ..measure.surveys import keep_typed
from .matching import ask, planned_with
from .view import VALVE_GEAR, view

heads = Blueprint("heads", __name__, template_folder="templates")


@heads.get("/builds/<int:build_id>/measure/heads")
def page(build_id: int) -> str:
    """Show the swept heads, the chambers, and how they are brought to match."""
    return _page(open_bench(build_id))


def _page(bench: Bench, **own: Any) -> str:
    asked = ask(bench, request.values)
    shown = {"faults": {}, "typed": {}} | view(bench, request.values, asked) | own
    return render(bench, "measure", "heads/page.html", tab="heads", **shown)


@heads.post("/builds/<int:build_id>/measure/heads/survey")
def survey(build_id: int) -> BaseResponse:
    """Keep a sweep of a head that was typed point by point."""
    bench = open_bench(build_id)
    form = sent_form()
    held = form.take("held", choice(form["held"], ("", *HELD), what="way of holding it"))
    typed = {"face": "head", "bank": form["bank"], "datum": "plate", "held": held}
    if faults := keep_typed(bench, form, typed, small=True):
        return make_response(_page(bench, faults=faults, typed=form.typed), 422)
    return redirect(url_for("heads.page", build_id=build_id))


@heads.post("/builds/<int:build_id>/measure/heads")
def settle(build_id: int) -> BaseResponse:
    """Save what opens the valves, and what the head has lost before."""
    bench = open_bench(build_id)
    form = sent_form()
    gear = form.take("gear", choice(form["gear"], [key for key, _ in VALVE_GEAR], what="valve gear"))
    so_far = form.take("so_far", length(form["so_far"], bench.reader, low=0, high=50, small=True))
    if form.faults:
        return make_response(_page(bench, faults=form.faults, gear=form["gear"], so_far=form["so_far"]), 422)
    document = with_leaf(dict(bench.document), ("valve_gear", "kind"), gear or None)
    document = with_leaf(document, ("facing", "head_cut_so_far"), so_far)
    refused = save_build(bench, document, f"valve gear: {gear or 'not said'}")
    return refused or redirect(url_for("heads.page", build_id=build_id))


@heads.post("/builds/<int:build_id>/measure/heads/plan")
def plan(build_id: int) -> BaseResponse:
    """Put a match on the plan, in place of the head cuts and chamber openings that stand there."""
    bench = open_bench(build_id)
    answer = ask(bench, sent_form().typed).answer
    if answer is None:
        return make_response(_page(bench), 422)
    if is_begun(bench, "head_cut"):
        flash(BEGUN)
        return redirect(url_for("heads.page", build_id=build_id))
    planned = planned_with(bench, answer)
    refused = save_build(bench, {**bench.document, "planned": planned}, plan_words(planned))
    return refused or redirect(url_for("stack.page", build_id=build_id))
