"""Routes of the cut sheet: on screen, and as a PDF of one page."""

from __future__ import annotations

from flask import Blueprint, Response, abort, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from ..assets import asset_file
from ..build.bench import open_bench
from ..build.page import render
from .view import view

sheet = Blueprint("sheet", __name__, template_folder="templates")


@sheet.get("/builds/<int:build_id>/sheet")
def page(build_id: int) -> str:
    """Show the sheet as it will print."""
    bench = open_bench(build_id)
    return render(bench, "sheet", "sheet/page.html", **view(bench, request.args.get("reference", "")))


@sheet.get("/builds/<int:build_id>/sheet.pdf")
def pdf(build_id: int) -> BaseResponse:
    """Hand the sheet over as PDF."""
    from zygometra.exchange.pdf import to_pdf

    bench = open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    shown = view(bench, request.args.get("reference", ""))
    if "asks" in shown:
        # The page says why there is nothing to print.
        return redirect(url_for("sheet.page", build_id=build_id))
    html = render_template("sheet/print.html", **shown)
    response = Response(to_pdf(html, asset_file=asset_file), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'inline; filename="cut-sheet-{build_id}.pdf"'
    return response
