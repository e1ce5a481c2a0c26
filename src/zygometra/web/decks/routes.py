"""Routes of the bench of the decks."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, abort, flash, make_response, redirect, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.record import plan_words
from zygometra.core.errors import BuildFaults, QuantityError
from zygometra.core.typed import made_printable
from zygometra.exchange.probe_file import MOST_BYTES, read_probe
from zygometra.gauges.probe import probe_file

from ..build.bench import BEGUN, Bench, is_begun, open_bench
from ..build.page import render
from ..build.practice import may_simulate
from ..build.saving import save as save_build
from ..forms.form import sent_form
from ..measure.noting import fault_words
from ..measure.surveys import keep_survey, keep_typed
from ..people import told_error
from .form import document_of
from .hidden import hidden_deck
from .view import plan_cuts, view, with_cuts

decks = Blueprint("decks", __name__, template_folder="templates")


@decks.get("/builds/<int:build_id>/measure/decks")
def page(build_id: int) -> str:
    """Show the surveyed decks, and what to cut."""
    return _page(open_bench(build_id))


def _page(bench: Bench, **own: Any) -> str:
    shown = {"faults": {}, "typed": {}, "refused": []} | view(bench, request.values) | own
    return render(bench, "measure", "decks/page.html", tab="decks", **shown)


@decks.post("/builds/<int:build_id>/measure/decks")
def settle(build_id: int) -> BaseResponse:
    """Save what was decided about facing."""
    bench = open_bench(build_id)
    form = sent_form()
    document = document_of(bench.document, form)
    if form.faults:
        return make_response(_page(bench, faults=form.faults, decided=form.typed), 422)
    refused = save_build(bench, document, "what is decided about facing")
    return refused or redirect(url_for("decks.page", build_id=build_id))


@decks.post("/builds/<int:build_id>/measure/decks/survey")
def survey(build_id: int) -> BaseResponse:
    """Keep a survey that was typed point by point."""
    bench = open_bench(build_id)
    form = sent_form()
    typed = {"face": "deck", "bank": form["bank"], "datum": "crank"}
    if faults := keep_typed(bench, form, typed, small=False):
        return make_response(_page(bench, faults=faults, typed=form.typed), 422)
    return redirect(url_for("decks.page", build_id=build_id))


@decks.post("/builds/<int:build_id>/measure/decks/probe")
def probe(build_id: int) -> BaseResponse:
    """Keep a survey that a probe's file holds, whole or not at all."""
    bench = open_bench(build_id)
    upload = request.files.get("file")
    called = made_printable(upload.filename or "") if upload is not None else ""
    if upload is None or not called:
        return make_response(_page(bench, refused=["Found no file; wanted one that a probe wrote."]), 422)
    return _taken(bench, upload.stream.read(MOST_BYTES + 1), called)


@decks.post("/builds/<int:build_id>/measure/decks/simulate")
def simulate(build_id: int) -> BaseResponse:
    """Let the simulated probe touch a deck of this build, and keep what it sends."""
    bench = open_bench(build_id)
    bank = next((one for one in bench.build.banks if one.name == sent_form().raw("bank")), None)
    if bank is None or not may_simulate(bench):
        abort(404)
    hidden = hidden_deck(bench, bank)
    if hidden is None:
        flash("The simulated probe wants a bore pitch, a bore and a deck height in Figures.")
        return redirect(url_for("decks.page", build_id=build_id))
    return _taken(
        bench,
        probe_file(hidden, f"{bench.build.name} {bank.name}").encode(),
        "the simulated probe",
        simulated=True,
    )


@decks.get("/builds/<int:build_id>/measure/decks/<bank>.probe")
def sent(build_id: int, bank: str) -> Response:
    """Hand over what the simulated probe sends of a deck."""
    bench = open_bench(build_id)
    of = next((one for one in bench.build.banks if one.name == bank), None)
    hidden = hidden_deck(bench, of) if of is not None and may_simulate(bench) else None
    if hidden is None:
        abort(404)
    response = Response(
        probe_file(hidden, f"{bench.build.name} {bank}"), content_type="text/plain; charset=utf-8"
    )
    response.headers["Content-Disposition"] = 'attachment; filename="deck.probe"'
    return response


def _taken(bench: Bench, data: bytes, called: str, *, simulated: bool = False) -> BaseResponse:
    try:
        probed = read_probe(data)
        entry = {**probed.entry, "says": f"from {called[:80]}"} | ({"simulated": True} if simulated else {})
        refusal = keep_survey(bench, sent_form().key, entry)
    except QuantityError as error:
        refusal = told_error(error)
    except BuildFaults as error:
        shown = [f"{f.path}: {fault_words(f)}" for f in error.faults[:20]]
        return make_response(_page(bench, refused=shown, called=called), 422)
    if refusal:
        return make_response(_page(bench, refused=[refusal], called=called), 422)
    count = len(probed.entry["points"])
    flash(f"{count} points of bank {probed.bank} were taken in from {called[:80]}.")
    return redirect(url_for("decks.page", build_id=bench.id))


@decks.post("/builds/<int:build_id>/measure/decks/plan")
def plan(build_id: int) -> BaseResponse:
    """Put the cuts of the surveyed decks on the plan, in place of those that stand there for them."""
    bench = open_bench(build_id)
    cuts = plan_cuts(bench)
    if is_begun(bench, "deck_cut"):
        flash(BEGUN)
        return redirect(url_for("decks.page", build_id=build_id))
    if not cuts:
        flash("No cut could be put on the plan: a deck is not reached, or where its holes lie is not known.")
        return redirect(url_for("decks.page", build_id=build_id))
    planned = with_cuts(bench, cuts)
    refused = save_build(bench, {**bench.document, "planned": planned}, plan_words(planned))
    return refused or redirect(url_for("stack.page", build_id=build_id))
