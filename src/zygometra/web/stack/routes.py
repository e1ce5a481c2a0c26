"""Routes of the stack bench."""

from __future__ import annotations

from flask import Blueprint, Response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import operation_document
from zygometra.core.errors import BuildFaults
from zygometra.core.fields import place_label
from zygometra.core.stack.budget import shares
from zygometra.core.stack.sensitivity import sensitivities
from zygometra.core.stack.sources import chamber_model
from zygometra.core.stack.working import Step, working
from zygometra.core.wording import figure
from zygometra.store import builds

from .. import bench as benches
from ..db import db
from ..people import person
from ..saving import conflict
from .view import answer_parts, describe, view
from .what_if import answer, read_plan

stack = Blueprint("stack", __name__, template_folder="templates")


@stack.get("/builds/<int:build_id>")
def build(build_id: int) -> BaseResponse:
    """Lead to the stack bench, where a build opens."""
    return redirect(url_for("stack.page", build_id=build_id))


@stack.get("/builds/<int:build_id>/stack")
def page(build_id: int) -> str:
    """Show the stack bench, perhaps with a what-if that its address carries."""
    return render_template("stack/page.html", **view(answer(benches.open_bench(build_id), request.args)))


@stack.get("/builds/<int:build_id>/stack/what-if")
def what_if(build_id: int) -> Response:
    """Answer a moved lever with the parts of the page that change."""
    moved = request.args.to_dict()
    html, address = benches.answered_for(build_id, lambda bench: answer_parts(answer(bench, moved)))
    return Response(html, headers={"HX-Replace-Url": address}, content_type="text/html; charset=utf-8")


@stack.post("/builds/<int:build_id>/plan")
def keep(build_id: int) -> BaseResponse | str:
    """Keep the plan on screen."""
    bench = benches.open_bench(build_id)
    try:
        planned = read_plan(request.form.get("plan", ""), bench.build)
    except BuildFaults as error:
        shown = answer(bench, {})
        shown.refused["plan"] = str(error.faults[0])
        return render_template("stack/page.html", **view(shown))
    plan = [operation_document(op) for op in planned]
    document = {**bench.document, "planned": plan}
    if not plan:
        document.pop("planned")
    says = "plan: " + ("; ".join(describe(bench.build, op) for op in plan) or "nothing")
    try:
        builds.save(
            db(),
            build_id,
            document,
            expected_version=request.form.get("version", 0, int),
            actor=person(),
            says=says,
        )
    except builds.Stale as stale:
        return conflict(stale, {("planned",): plan}, says)
    db().commit()
    hole = request.form.get("hole", "")
    return redirect(
        url_for("stack.page", build_id=build_id, hole=hole or None, scope=request.form.get("scope") or None)
    )


@stack.get("/builds/<int:build_id>/working")
def show_working(build_id: int) -> str:
    """Show the working of one hole, now or as planned on screen."""
    result = answer(benches.open_bench(build_id), request.args)
    bench = result.bench
    chosen = request.args.get("result", "compression_ratio")
    steps: tuple[Step, ...] = ()
    budget: list[tuple[str, str]] = []
    effects: list[tuple[str, str, str, str]] = []
    state_name = "as planned" if bench.build.planned else "as it stands"
    if bench.evaluation is not None:
        hole = bench.evaluation.planned.hole(result.hole)
        if request.args.get("state") == "now":
            hole, state_name = bench.evaluation.now.hole(result.hole), "as it stands"
        steps = working(bench.build, hole, bench.reader)
        key = chosen if chosen in ("quench", "deck_clearance") else "compression_ratio"
        budget = [
            (place_label(share.path), figure(100 * share.share, 0)) for share in shares(hole.outcome, key)[:8]
        ]
        effects = [
            (
                e.label,
                f"{figure(e.step, 0)} cc" if e.unit == "cc" else bench.reader.length(e.step),
                figure(e.compression_ratio, 3),
                bench.reader.length(e.quench_mm) if e.quench_mm else "—",
            )
            for e in sensitivities(
                hole.outcome, chamber_model(bench.build, hole.sources), bench.reader.system
            )
        ]
    return render_template(
        "stack/working.html",
        bench=bench,
        hole=result.hole,
        steps=steps,
        chosen=chosen,
        budget=budget,
        effects=effects,
        state_name=state_name,
        partial=bool(request.headers.get("HX-Request")),
    )
