"""Routes of the bench of verifying and signing."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, abort, make_response, redirect, render_template, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.cutting.verify import cuts_came, figures_achieved
from zygometra.core.errors import QuantityError, shown
from zygometra.core.gates import is_reason
from zygometra.core.measuring.facts import FactKind

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..forms.form import sent_form
from ..measure.noting import note_entry
from ..people import told_error
from ..printing import pdf_response
from .view import ABOUT, build_sheet, view

verify = Blueprint("verify", __name__, template_folder="templates")


@verify.get("/builds/<int:build_id>/verify")
def page(build_id: int) -> str:
    """Show planned against achieved, hole by hole, and who signed."""
    bench = open_bench(build_id)
    return render(bench, "agreement", "verify/page.html", tab="verify", **view(bench))


@verify.get("/builds/<int:build_id>/build-sheet")
def sheet(build_id: int) -> BaseResponse | str:
    """Show the sheet of the finished engine as it will print."""
    bench = open_bench(build_id)
    if bench.evaluation is None:
        return redirect(url_for("verify.page", build_id=build_id))
    return render(bench, "agreement", "verify/sheet_page.html", tab="verify", **build_sheet(bench))


@verify.get("/builds/<int:build_id>/build-sheet.pdf")
def pdf(build_id: int) -> BaseResponse:
    """Hand the sheet of the finished engine over as PDF."""
    bench = open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    html = render_template("verify/print.html", **build_sheet(bench))
    return pdf_response(html, f"build-sheet-{build_id}.pdf")


def _said(bench: Bench, says: str, status: int = 422) -> BaseResponse:
    shown_view = view(bench, fault=says, typed=sent_form().typed)
    return make_response(render(bench, "agreement", "verify/page.html", tab="verify", **shown_view), status)


def _kept(bench: Bench, kind: FactKind, body: dict[str, Any]) -> BaseResponse:
    noted = note_entry(bench, kind, body)
    if noted.bench is None:
        return _said(bench, noted.says, noted.status)
    return _back(bench)


def _back(bench: Bench) -> BaseResponse:
    return redirect(url_for("verify.page", build_id=bench.id))


@verify.post("/builds/<int:build_id>/verify/sign")
def sign(build_id: int) -> BaseResponse:
    """Sign for the finished engine: with a reason, what stood against it, and the figures that it covers."""
    bench = open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    reason = sent_form().line("reason")
    if not is_reason(reason):
        return _said(bench, f"Found {shown(reason)}; wanted in 3 to 500 characters why it is right so.")
    said = {"about": ABOUT, "reason": reason}
    if bench.kept.facts.says_already("accepted", sent_form().raw("key"), said):
        return _back(bench)
    if sent_form().raw("seen") != f"{bench.stored.version}.{bench.kept.facts.seq}":
        return _said(
            bench, "Something was noted or changed since this page was made: look at it, then sign.", 409
        )
    shown_view = view(bench)
    if shown_view["bars"]:
        return _said(bench, f"Nobody can sign this away: {shown_view['bars'][0]}")
    try:
        key = sent_form().key
    except QuantityError as error:
        return _said(bench, told_error(error))
    body = {
        "id": key,
        "about": ABOUT,
        "reason": reason,
        "fails": shown_view["against"][:200],
        "covers": figures_achieved(bench.build),
    }
    return _kept(bench, "accepted", body)


@verify.post("/builds/<int:build_id>/verify/remember")
def remember(build_id: int) -> BaseResponse:
    """Keep what a cut came to, so that it counts in what its machine tends to do."""
    bench = open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    op, _, bank = sent_form().raw("cut").partition("|")
    if bench.kept.facts.says_already("verified", sent_form().raw("key"), {"op": op, "bank": bank}):
        return _back(bench)
    came = next((one for one in cuts_came(bench.build) if (one.place.op, one.place.bank) == (op, bank)), None)
    if came is None or not (came.machine or came.shop):
        return _said(
            bench, "That cut has no machine in its set-up record, or was not read before and after it."
        )
    try:
        key = sent_form().key
    except QuantityError as error:
        return _said(bench, told_error(error))
    body: dict[str, Any] = {"id": key, "op": op, "bank": bank}
    body |= {name: value for name, value in (("machine", came.machine), ("shop", came.shop)) if value}
    body |= {"asked": round(came.asked, 6), "achieved": round(came.achieved, 6), "u": round(came.u, 6)}
    return _kept(bench, "verified", body)
