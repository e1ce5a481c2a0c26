"""Routes of the record: history, undo and redo, choosing after a conflict, stages, the files."""

from __future__ import annotations

import json
from typing import Any

from flask import (
    Blueprint,
    Response,
    abort,
    flash,
    make_response,
    redirect,
    render_template,
    request,
    url_for,
)
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import to_text, with_leaf
from zygometra.core.build.record import CHOSEN
from zygometra.core.cutting.release import releases
from zygometra.core.errors import BuildFaults
from zygometra.core.measuring.rooms import rooms
from zygometra.core.stages import STAGE
from zygometra.core.typed import MOST_NAME, made_printable
from zygometra.exchange.evaluation_file import evaluation_document
from zygometra.exchange.plain_json import loads
from zygometra.store import builds, moves
from zygometra.store import undo as history_of
from zygometra.store.gauges import register

from ..build.bench import open_bench
from ..build.page import render
from ..build.saving import save, seen_version
from ..db import db
from ..forms.form import sent_form
from ..people import actor, entry, safe_next
from ..work.view import standings_of
from .view import view

# How deep a leaf of a document can lie.
_DEEPEST = 12

record = Blueprint("record", __name__, template_folder="templates")


@record.get("/builds/<int:build_id>/record")
def page(build_id: int) -> str:
    """Show every change of a build, the newest first."""
    bench = open_bench(build_id)
    return render(bench, "record", "record/page.html", **view(bench))


@record.post("/builds/<int:build_id>/undo")
def undo(build_id: int) -> BaseResponse:
    """Take the last change back."""
    return _step(build_id, forward=False)


@record.post("/builds/<int:build_id>/redo")
def redo(build_id: int) -> BaseResponse:
    """Bring back the change that was last taken back."""
    return _step(build_id, forward=True)


def _step(build_id: int, *, forward: bool) -> BaseResponse:
    step = history_of.step_forward if forward else history_of.step_back
    word = "redo" if forward else "undo"
    if unkept := sent_form().raw("unkept"):
        return _asked_first(build_id, word, safe_next(unkept))
    try:
        change = step(db(), build_id, expected_version=seen_version(), actor=actor())
    except builds.VersionConflict as stale:
        return _not_now(stale, f"{word} again")
    db().commit()
    done = "Done again" if forward else "Taken back"
    flash(f"{done}: {change.says}" if change else f"There is nothing to {word}.")
    return _back()


def _asked_first(build_id: int, word: str, what_if: str) -> Response:
    """Ask about a what-if on screen before something that was kept is taken back under it."""
    asked = render_template(
        "record/unkept.html",
        build_id=build_id,
        word=word,
        what_if=what_if,
        action=request.path,
        version=seen_version(),
        back=safe_next(sent_form().raw("back")),
    )
    return make_response(asked, 409)


def _not_now(stale: builds.VersionConflict, then: str) -> BaseResponse:
    db().rollback()
    newest = stale.since[0] if stale.since else None
    who = newest.actor if newest else "somebody"
    did = f"moved this build ({newest.says})" if newest and newest.kind == "stage" else "saved this build"
    flash(f"Nothing was changed: {who} {did} in between. Look at it, then {then}.")
    return _back()


def _back() -> BaseResponse:
    return redirect(safe_next(sent_form().raw("back")))


@record.post("/builds/<int:build_id>/choose")
def choose(build_id: int) -> BaseResponse:
    """Save mine over theirs, after both were seen."""
    leaves = _leaves(sent_form().raw("leaves"))
    bench = open_bench(build_id)
    document: dict[str, Any] = dict(bench.document)
    try:
        for path, value in leaves.items():
            document = with_leaf(document, path, value)
    except (AttributeError, TypeError, ValueError):
        # A path through what is no object.
        abort(400)
    says = made_printable(sent_form().raw("says"), 400)
    try:
        refused = save(bench, document, says + CHOSEN, mine=leaves)
    except BuildFaults as error:
        flash(
            f"Nothing was saved: together with the newer state your value gives a fault. {error.faults[0]}."
        )
        return redirect(url_for("stack.page", build_id=build_id))
    return refused or redirect(url_for("stack.page", build_id=build_id))


def _leaves(text: str) -> dict[tuple[str, ...], Any]:
    """The leaves that a conflict's page carried: anything of another shape is a damaged request."""
    try:
        raw = loads(text)
    except (ValueError, RecursionError):
        abort(400)
    leaves: dict[tuple[str, ...], Any] = {}
    for item in raw if isinstance(raw, list) else [None]:
        path, value = item if isinstance(item, list) and len(item) == 2 else (None, None)
        if not isinstance(path, list) or not 0 < len(path) <= _DEEPEST:
            abort(400)
        if not all(isinstance(key, str) and len(key) <= MOST_NAME for key in path):
            abort(400)
        leaves[tuple(path)] = value
    return leaves


@record.post("/builds/<int:build_id>/stage")
def stage(build_id: int) -> BaseResponse:
    """Move a build to another stage."""
    wanted = sent_form().raw("stage")
    if wanted not in STAGE:
        abort(400)
    try:
        moves.set_stage(
            db(),
            build_id,
            wanted,
            seen=sent_form().raw("seen"),
            expected_version=seen_version(),
            entry=entry(sent_form().line("reason")[:400]),
        )
    except builds.VersionConflict as stale:
        return _not_now(stale, "move it")
    db().commit()
    return _back()


@record.get("/builds/<int:build_id>/build.json")
def build_file(build_id: int) -> Response:
    """Hand the build over as a build file."""
    bench = open_bench(build_id)
    noted = bench.kept.facts
    beside = noted.document(register(db()).entries) if noted.seq else {}
    return _file(to_text({**bench.document, **beside}), bench.build.name, "json")


@record.get("/builds/<int:build_id>/evaluation.json")
def evaluation_file(build_id: int) -> Response:
    """Hand the evaluation over, numbers unrounded."""
    bench = open_bench(build_id)
    if bench.evaluation is None:
        abort(404)
    gates = standings_of(bench)
    sheets = releases(bench.build, bench.evaluation, rules=bench.rules, gates=gates, findings=bench.findings)
    over = rooms(bench.build, bench.evaluation.now), rooms(bench.build, bench.evaluation.planned)
    whole = evaluation_document(bench.evaluation, bench.findings, gates=gates, sheets=sheets, over=over)
    text = json.dumps(whole, ensure_ascii=False, indent=1)
    return _file(text, bench.build.name + " evaluation", "json")


def _file(text: str, name: str, ending: str) -> Response:
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in name).strip("-").lower() or "build"
    response = Response(text, content_type="application/json; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{plain}.{ending}"'
    return response
