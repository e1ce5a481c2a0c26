"""Routes of the cut sheet: on screen, and as a PDF of one page."""

from __future__ import annotations

from datetime import date

from flask import Blueprint, Response, abort, render_template, request

from zygometra.core.stack import cut_sheet
from zygometra.core.wording import figure

from .. import bench as benches
from ..assets import STATIC
from ..people import person

sheet = Blueprint("sheet", __name__, template_folder="templates")


def _context(bench: benches.Bench) -> dict[str, object]:
    evaluation = bench.evaluation
    if evaluation is None:
        return {}
    reference = request.args.get("reference", "crank")
    return {
        "cuts": cut_sheet.cuts(bench.build, evaluation, bench.reader),
        "results": cut_sheet.results(evaluation, bench.reader),
        "basis": cut_sheet.figures_behind(bench.build, evaluation, bench.reader),
        "cautions": cut_sheet.CAUTIONS,
        "references": cut_sheet.REFERENCES,
        "reference": reference if reference in cut_sheet.REFERENCES else "crank",
        "stops": [f for f in bench.findings if f.severity == "stop"],
        "checks": [f for f in bench.findings if f.severity == "warn"],
        "decks": [(d.bank, figure(d.slope_mm_per_m, 2)) for d in evaluation.planned.decks],
        "today": date.today().isoformat(),
        "maker": person(),
    }


@sheet.get("/builds/<int:build_id>/sheet")
def page(build_id: int) -> str:
    """Show the sheet as it will print."""
    bench = benches.open_bench(build_id)
    state = bench.evaluation.planned if bench.evaluation else None
    return render_template(
        "sheet/page.html",
        bench=bench,
        build=bench.build,
        document=bench.document,
        station="sheet",
        path=benches.path_of(bench),
        reckonings=benches.reckon(bench),
        hole=bench.build.cylinders[0],
        rest=[],
        differs=[],
        engine=benches.engine_line(bench.build, bench.document, state),
        **_context(bench),
    )


@sheet.get("/builds/<int:build_id>/sheet.pdf")
def pdf(build_id: int) -> Response:
    """Hand the sheet over as PDF."""
    from zygometra.exchange.pdf import to_pdf

    bench = benches.open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    state = bench.evaluation.planned
    html = render_template(
        "sheet/print.html",
        bench=bench,
        build=bench.build,
        document=bench.document,
        engine=benches.engine_line(bench.build, bench.document, state),
        **_context(bench),
    )
    response = Response(to_pdf(html, assets=STATIC), content_type="application/pdf")
    response.headers["Content-Disposition"] = f'inline; filename="cut-sheet-{build_id}.pdf"'
    return response
