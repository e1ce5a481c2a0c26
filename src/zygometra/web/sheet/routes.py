"""Routes of the cut sheet: of the build, and of each face; on screen, as PDF, as drawings."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, abort, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.cut_log import FACES, CutPlace
from zygometra.core.cutting.judged import against_of
from zygometra.core.cutting.release import ABOUT
from zygometra.core.cutting.sheet import face_sheet
from zygometra.core.errors import QuantityError
from zygometra.core.errors import shown as quoted
from zygometra.core.gates import is_reason
from zygometra.exchange.face_drawings import face_dxf, face_svg

from ..assets import asset_file
from ..build.bench import Bench, open_bench
from ..build.page import render
from ..forms.form import sent_form
from ..measure.noting import note_entry
from ..people import told_error
from ..printing import pdf_response
from ..work.released import release_of
from .face import drawn, face_view, signing
from .view import view

KINDS = {"pdf": "application/pdf", "svg": "image/svg+xml", "dxf": "image/vnd.dxf"}

sheet = Blueprint("sheet", __name__, template_folder="templates")


@sheet.get("/builds/<int:build_id>/sheet")
def page(build_id: int) -> str:
    """Show the sheet as it will print."""
    bench = open_bench(build_id)
    return render(bench, "sheet", "sheet/page.html", **view(bench, request.args.get("reference", "")))


@sheet.get("/builds/<int:build_id>/sheet.pdf")
def pdf(build_id: int) -> BaseResponse:
    """Hand the sheet over as PDF."""
    bench = open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    shown = view(bench, request.args.get("reference", ""))
    if "asks" in shown:
        # The page says why there is nothing to print.
        return redirect(url_for("sheet.page", build_id=build_id))
    html = render_template("sheet/print.html", bench=bench, **shown)
    return pdf_response(html, f"cut-sheet-{build_id}.pdf")


def _face(build_id: int, op: str, bank: str) -> tuple[Bench, CutPlace]:
    bench = open_bench(build_id)
    if op not in FACES or bank not in {one.name for one in bench.build.banks}:
        abort(404)
    return bench, CutPlace(op, bank)


@sheet.get("/builds/<int:build_id>/sheet/<op>/<bank>")
def face(build_id: int, op: str, bank: str) -> BaseResponse | str:
    """Show the sheet of one face as it will print."""
    bench, place = _face(build_id, op, bank)
    shown = _printable(bench, place)
    if shown is None:
        return redirect(url_for("sheet.page", build_id=build_id))
    return render(bench, "sheet", "sheet/face_page.html", **shown, **signing(place, shown))


@sheet.post("/builds/<int:build_id>/sheet/release")
def release(build_id: int) -> BaseResponse:
    """Sign for what keeps a sheet from being released: what was ticked, with one name and one reason."""
    bench = open_bench(build_id)
    op, _, bank = sent_form().raw("cut").partition("|")
    if op not in FACES or bank not in {one.name for one in bench.build.banks} or bench.evaluation is None:
        abort(404)
    place = CutPlace(op, bank)
    found = release_of(bench, against_of(place))
    assert found is not None
    signable = {one.key for one in found.reasons if not one.is_final and one.gate is None}
    ticked = sent_form().all("about")
    reason = sent_form().line("reason")
    if not ticked:
        return _unsigned(bench, place, "Found nothing ticked; wanted one or more of what stands against it.")
    if not set(ticked) <= signable:
        return _unsigned(
            bench, place, "What stands against this sheet changed since its page was made: look at it."
        )
    if not is_reason(reason):
        return _unsigned(bench, place, f"Found {quoted(reason)}; wanted a reason of 3 to 500 characters.")
    try:
        key = sent_form().key
    except QuantityError as error:
        return _unsigned(bench, place, told_error(error))
    body = {
        "id": key,
        "about": ABOUT,
        "against": found.against.key,
        "reason": reason,
        "fails": ticked,
        "covers": found.covers,
    }
    noted = note_entry(bench, "accepted", body)
    if noted.bench is None:
        return _unsigned(bench, place, noted.says, noted.status)
    return redirect(url_for("sheet.face", build_id=bench.id, op=op, bank=bank))


def _unsigned(bench: Bench, place: CutPlace, says: str, status: int = 422) -> BaseResponse:
    shown = _printable(bench, place)
    if shown is None:
        return redirect(url_for("sheet.page", build_id=bench.id))
    told = shown | signing(place, shown) | {"fault": says, "typed": sent_form().typed}
    return make_response(render(bench, "sheet", "sheet/face_page.html", **told), status)


def _printable(bench: Bench, place: CutPlace) -> dict[str, Any] | None:
    """What the sheet of a face shows; None where there is none, or a crown is to be described first."""
    if "asks" in view(bench, ""):
        return None
    return face_view(bench, place)


@sheet.get("/builds/<int:build_id>/sheet/<op>/<bank>/face.<drawn_as>")
def face_as(build_id: int, op: str, bank: str, drawn_as: str) -> BaseResponse:
    """Hand the sheet of one face over: as PDF, or the face with its cuts as SVG or DXF."""
    bench, place = _face(build_id, op, bank)
    shown = _printable(bench, place)
    if drawn_as not in KINDS or shown is None:
        abort(404)
    if drawn_as == "pdf":
        from zygometra.exchange.pdf import to_pdf

        body: bytes | str = to_pdf(render_template("sheet/face_print.html", **shown), asset_file=asset_file)
    else:
        found = face_sheet(bench.build, place, bench.rules)
        assert found is not None
        body = face_dxf(drawn(bench, found)) if drawn_as == "dxf" else face_svg(drawn(bench, found))
    response = Response(body, content_type=KINDS[drawn_as])
    way = "inline" if drawn_as == "pdf" else "attachment"
    name = (
        f"{op.replace('_', '-')}-{build_id}-{[b.name for b in bench.build.banks].index(bank) + 1}.{drawn_as}"
    )
    response.headers["Content-Disposition"] = f'{way}; filename="{name}"'
    return response
