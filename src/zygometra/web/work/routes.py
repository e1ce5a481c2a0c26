"""Routes of the bench of steps and gates."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, abort, make_response, redirect, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.cutting.gates import all_standings
from zygometra.core.errors import QuantityError, shown
from zygometra.core.gates import is_reason
from zygometra.core.measuring.steps import KIND
from zygometra.core.typed import check_text, whole_number
from zygometra.exchange.logbook_faults import step_faults
from zygometra.store.facts import New

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..measure.noting import append, fault_words, now, renew
from ..measure.read_view import with_place
from ..measure.sent import key_of
from ..people import person, told_error
from .view import view

work = Blueprint("work", __name__, template_folder="templates")


@work.get("/builds/<int:build_id>/measure/steps")
def page(build_id: int) -> str:
    """Show the gates, and the steps that were done."""
    bench = open_bench(build_id)
    return render(bench, "measure", "work/page.html", tab="work", **view(bench))


def _said(bench: Bench, says: str, status: int = 422) -> BaseResponse:
    shown_view = view(bench, fault=says, typed=request.form)
    return make_response(render(bench, "measure", "work/page.html", tab="work", **shown_view), status)


@work.post("/builds/<int:build_id>/measure/steps")
def done(build_id: int) -> BaseResponse:
    """Note a step that was done."""
    bench = open_bench(build_id)
    form = with_place(request.form)
    kind, _, state = form.get("step", "").partition("|")
    if kind not in KIND:
        return _said(bench, f"Found the step {shown(kind)}; wanted one that is offered.")
    try:
        body = _body(form, kind, state)
    except QuantityError as error:
        return _said(bench, told_error(error))
    banks = [bank.name for bank in bench.build.banks]
    for fault in step_faults("step", body, banks, list(bench.build.cylinders)):
        return _said(bench, fault_words(fault))
    return _kept(bench, New(body["id"], "step", {**body, "by": person(), "at": now()}))


def _body(form: dict[str, str], kind: str, state: str) -> dict[str, Any]:
    """The entry of a build file that the form describes."""
    body: dict[str, Any] = {"id": key_of(form), "step": kind, "state": state}
    if hole := form.get("cylinder", ""):
        body["cylinder"] = whole_number(hole, "the number of a hole", low=1)
    elif form.get("bank"):
        body["bank"] = form["bank"]
    if says := check_text(form.get("says", ""), "a note of up to 400 characters", most=400):
        body["says"] = says
    if kind == "id-pad" and state == "recorded" and "says" not in body:
        raise QuantityError("no number", "the engine number as it stands on the pad, in your words")
    return body


def _kept(bench: Bench, fact: New) -> BaseResponse:
    refusal = append(bench.id, [fact])
    if refusal is not None:
        return _said(bench, *refusal)
    renew(bench.id)
    return redirect(url_for("work.page", build_id=bench.id))


@work.post("/builds/<int:build_id>/measure/accept")
def accept(build_id: int) -> BaseResponse:
    """Pass a gate with a name and a reason: what it covered is kept with it."""
    bench = open_bench(build_id)
    reason = " ".join(request.form.get("reason", "").split())
    number = request.form.get("gate", "")
    standing = None
    if bench.evaluation is not None:
        known = all_standings(bench.build, bench.evaluation, bench.kept.facts, now())
        standing = next((one for one in known if str(one.gate.number) == number), None)
    if standing is None:
        abort(404)
    if not is_reason(reason):
        return _said(bench, f"Found {shown(reason)}; wanted a reason of 3 to 500 characters.")
    try:
        key = key_of(request.form)
    except QuantityError as error:
        return _said(bench, told_error(error))
    body = {
        "id": key,
        "gate": standing.gate.number,
        "reason": reason,
        "fails": list(standing.fails),
        "covers": dict(standing.covers),
        "by": person(),
        "at": now(),
    }
    return _kept(bench, New(key, "accepted", body))
