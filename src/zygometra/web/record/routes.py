"""Routes of the record: history, undo and redo, choosing after a conflict, the files."""

from __future__ import annotations

import json

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import to_text, with_leaf
from zygometra.core.errors import BuildFaults
from zygometra.exchange.build_file import check
from zygometra.exchange.evaluation_file import evaluation_document
from zygometra.store import builds
from zygometra.store import undo as history_of
from zygometra.store.tables import STAGES

from .. import bench as benches
from ..db import db
from ..people import person, safe_next
from ..saving import conflict, written

record = Blueprint("record", __name__, template_folder="templates")


@record.get("/builds/<int:build_id>/record")
def page(build_id: int) -> str:
    """Show every change of a build, the newest first."""
    bench = benches.open_bench(build_id)
    stacks = history_of.undo_stacks(db(), build_id)
    changes = [
        (change, [(" · ".join(d.path), written(d.before), written(d.after)) for d in change.patch][:12])
        for change in builds.history(db(), build_id)
    ]
    state = bench.evaluation.planned if bench.evaluation else None
    return render_template(
        "record/page.html",
        bench=bench,
        build=bench.build,
        document=bench.document,
        station="record",
        path=benches.path_of(bench),
        reckonings=benches.reckon(bench),
        hole=bench.build.cylinders[0],
        changes=changes,
        can_undo=bool(stacks.undo),
        can_redo=bool(stacks.redo),
        stages=STAGES,
        rest=[],
        differs=[],
        engine=benches.engine_line(bench.build, bench.document, state),
    )


@record.post("/builds/<int:build_id>/undo")
def undo(build_id: int) -> BaseResponse:
    """Take the last change back."""
    return _step(build_id, forward=False)


@record.post("/builds/<int:build_id>/redo")
def redo(build_id: int) -> BaseResponse:
    """Bring back the change that was last taken back."""
    return _step(build_id, forward=True)


def _step(build_id: int, *, forward: bool) -> BaseResponse:
    version = request.form.get("version", 0, int)
    step = history_of.step_forward if forward else history_of.step_back
    word = "redo" if forward else "undo"
    try:
        change = step(db(), build_id, expected_version=version, actor=person())
    except builds.Stale as stale:
        db().rollback()
        who = stale.since[0].actor if stale.since else "somebody"
        flash(f"Nothing was changed: {who} saved this build in between. Look at it, then {word} again.")
        return redirect(safe_next(request.form.get("back")))
    db().commit()
    flash(
        f"{'Done again' if forward else 'Taken back'}: {change.says}"
        if change
        else f"There is nothing to {word}."
    )
    return redirect(safe_next(request.form.get("back")))


@record.post("/builds/<int:build_id>/choose")
def choose(build_id: int) -> BaseResponse:
    """Save mine over theirs, after both were seen."""
    try:
        leaves = json.loads(request.form.get("leaves", ""))
        bench = benches.open_bench(build_id)
        document = bench.document
        for path, value in leaves:
            document = with_leaf(document, tuple(map(str, path)), value)
        check(document)
    except (ValueError, TypeError, KeyError):
        abort(400)
    except BuildFaults as error:
        flash(
            f"Nothing was saved: together with the newer state your value gives a fault. {error.faults[0]}."
        )
        return redirect(url_for("stack.page", build_id=build_id))
    says = request.form.get("says", "")[:400]
    try:
        builds.save(
            db(),
            build_id,
            document,
            actor=person(),
            says=f"{says} (chosen over the other's)",
            expected_version=request.form.get("version", 0, int),
        )
    except builds.Stale as stale:
        return conflict(stale, {tuple(path): value for path, value in leaves}, says)
    db().commit()
    return redirect(url_for("stack.page", build_id=build_id))


@record.post("/builds/<int:build_id>/stage")
def stage(build_id: int) -> BaseResponse:
    """Move a build to another stage."""
    wanted = request.form.get("stage", "")
    if wanted not in STAGES:
        abort(400)
    builds.set_stage(db(), build_id, wanted, actor=person())
    db().commit()
    return redirect(safe_next(request.form.get("back")))


@record.get("/builds/<int:build_id>/build.json")
def build_file(build_id: int) -> Response:
    """Hand the build over as a build file."""
    stored = builds.load(db(), build_id)
    return _file(to_text(stored.document), stored.document["name"], "json")


@record.get("/builds/<int:build_id>/evaluation.json")
def evaluation_file(build_id: int) -> Response:
    """Hand the evaluation over, numbers unrounded."""
    bench = benches.open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    text = json.dumps(evaluation_document(bench.evaluation, bench.findings), ensure_ascii=False, indent=1)
    return _file(text, bench.build.name + " evaluation", "json")


def _file(text: str, name: str, ending: str) -> Response:
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name).strip("-").lower() or "build"
    response = Response(text, content_type="application/json; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{plain}.{ending}"'
    return response
