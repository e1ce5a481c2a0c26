"""Routes of the bench of steps and gates."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, abort, make_response, redirect, render_template, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.cut_log import CUT_OPS, FACES
from zygometra.core.cutting.gates import GateStanding
from zygometra.core.cutting.judged import Against
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.gates import is_reason
from zygometra.core.measuring.signed import Accepted
from zygometra.core.measuring.steps import KIND, Step
from zygometra.core.typed import day_of
from zygometra.exchange.cut_log_faults import cut_entry
from zygometra.exchange.logbook_faults import place_faults, step_faults
from zygometra.store.facts import New

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..forms.form import Form, back_or, placed, sent_form
from ..measure.noting import fault_words, note, now
from ..measure.sent import stamp
from ..people import person, told_error
from ..queued import queued_key
from .view import standings_of, view

work = Blueprint("work", __name__, template_folder="templates")


@work.get("/builds/<int:build_id>/measure/steps")
def page(build_id: int) -> str:
    """Show the gates, and the steps that were done."""
    bench = open_bench(build_id)
    return render(bench, "measure", "work/page.html", tab="work", **view(bench))


def _said(bench: Bench, says: str, status: int = 422) -> BaseResponse:
    if queued_key():
        return make_response(render_template("measure/refused.html", says=says, key=queued_key()), status)
    shown_view = view(bench, fault=says, typed=sent_form().typed)
    return make_response(render(bench, "measure", "work/page.html", tab="work", **shown_view), status)


@work.post("/builds/<int:build_id>/measure/steps")
def done(build_id: int) -> BaseResponse:
    """Note a step that was done."""
    bench = open_bench(build_id)
    form = placed(sent_form())
    kind, _, state = form.raw("step").partition("|")
    if kind not in KIND:
        return _said(bench, f"Found the step {shown(kind)}; wanted one that is offered.")
    try:
        body = _body(form, kind, state)
    except QuantityError as error:
        return _said(bench, told_error(error))
    banks, holes = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    for fault in place_faults("step", body, banks, holes):
        return _said(bench, fault_words(fault))
    if state not in KIND[kind].states:
        return _said(bench, f"Found {shown(state)}; wanted one of {', '.join(KIND[kind].states)}.")
    moment = now()
    step = Step.read(stamp(body, form, person(), moment))
    for fault in step_faults("step", step, banks, holes):
        return _said(bench, fault_words(fault))
    if body.get("on", "") > moment[:10]:
        return _said(bench, f"Found the day {shown(body['on'])}; wanted today or an earlier one.")
    return _kept(bench, New(step.id, step))


def _body(form: Form, kind: str, state: str) -> dict[str, Any]:
    """The entry of a build file that the form describes."""
    body: dict[str, Any] = {"id": form.key, "step": kind, "state": state}
    if (hole := form.hole()) is not None:
        body["cylinder"] = hole
    elif bank := form.raw("bank"):
        body["bank"] = bank
    if day := form["on"]:
        body["on"] = day_of(day)
    if says := form.words("says", "a note of up to 400 characters"):
        body["says"] = says
    if kind == "id-pad" and state == "recorded" and "says" not in body:
        raise QuantityError("no number", "the engine number as it stands on the pad, in your words")
    return body


def _kept(bench: Bench, *new: New) -> BaseResponse:
    noted = note(bench.id, new)
    if noted.bench is None:
        return _said(bench, noted.says, noted.status)
    return redirect(back_or(url_for("work.page", build_id=bench.id)))


@work.post("/builds/<int:build_id>/measure/accept")
def accept(build_id: int) -> BaseResponse:
    """Pass the gates that were ticked with one name and one reason: what each covered is kept with it."""
    bench = open_bench(build_id)
    form = sent_form()
    reason = form.line("reason")
    ticked = form.all("gate")
    also = cut_named(bench, form.raw("cut"))
    standing = {f"{one.gate.number}|{one.against.key}": one for one in standings_of(bench, also)}
    if not ticked:
        return _said(bench, "Found no gate ticked; wanted one or more of those that stand open.")
    if _accepted_already(bench, form.raw("key"), reason, len(ticked)):
        return redirect(back_or(url_for("work.page", build_id=bench.id)))
    if not set(ticked) <= set(standing):
        abort(404)
    if not is_reason(reason):
        return _said(bench, f"Found {shown(reason)}; wanted a reason of 3 to 500 characters.")
    try:
        key = form.key
    except QuantityError as error:
        return _said(bench, told_error(error))
    bodies = [
        _acceptance(f"{key[:70]}.{i}", standing[value], reason)
        for i, value in enumerate(standing)
        if value in ticked
    ]
    try:
        new = [New(body["id"], cut_entry("accepted", body, [], [])) for body in bodies]
    except BuildFaults as error:
        return _said(bench, fault_words(error.faults[0]))
    return _kept(bench, *new)


def _accepted_already(bench: Bench, key: str, reason: str, count: int) -> bool:
    """Whether this was only sent again: so many gates were accepted under its key, with that reason."""
    stem = f"{key[:70]}."
    before = [one for one in bench.kept.facts.of(Accepted) if one.id.startswith(stem)]
    return bool(key) and len(before) == count and all(one.reason == reason for one in before)


def _acceptance(key: str, one: GateStanding, reason: str) -> dict[str, Any]:
    """One acceptance as a file has it."""
    return {
        "id": key,
        "gate": one.gate.number,
        "against": one.against.key,
        "reason": reason,
        "fails": list(one.fails[:200]),
        "covers": dict(one.covers),
        "by": person(),
        "at": now(),
    }


def cut_named(bench: Bench, named: str) -> tuple[Against, ...]:
    """Return the cut that a form names and that nobody planned; none where it names none of this build."""
    op, _, bank = named.partition("|")
    known = bank in {one.name for one in bench.build.banks} if op in FACES else not bank
    return (Against(op, bank),) if op in CUT_OPS and known else ()
