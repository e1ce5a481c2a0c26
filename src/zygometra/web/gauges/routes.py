"""Routes of the gauges: the register, one gauge, and the stream of a stand-in."""

from __future__ import annotations

import json
import secrets
import time
from collections.abc import Iterator
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

from zygometra.core.errors import QuantityError, shown
from zygometra.core.measuring.logbook import READABLE
from zygometra.core.typed import check_text, day_of, known_id
from zygometra.gauges.port import Noise, readings_from
from zygometra.gauges.simulated import KIND, Simulated, Truth, hidden_value
from zygometra.store import gauges as register

from ..build.bench import open_bench
from ..build.practice import may_simulate
from ..db import db
from ..forms.form import sent_form
from ..measure.read_view import place_value, places_of
from ..people import actor, told_error
from ..sessions import until_it_ends
from .form import gauge_of, with_off
from .view import MISHAPS, gauge_view, register_view

gauges = Blueprint("gauges", __name__, template_folder="templates")

# Seconds between two readings of a stand-in, and how long it sends before it is switched off.
SENDS_EVERY, LASTS = 1.2, 300.0


@gauges.get("/gauges")
def page() -> str:
    """Show the register."""
    return render_template("gauges/page.html", **register_view(register.register(db()), {}, {}))


@gauges.post("/gauges")
def save() -> BaseResponse:
    """Register a gauge, or register it anew with other figures."""
    form = sent_form()
    found = gauge_of(form)
    if found is None:
        body = render_template(
            "gauges/page.html", **register_view(register.register(db()), form.typed, form.faults)
        )
        return make_response(body, 422)
    name, entry = found
    before = register.register(db()).entries.get(name) or {}
    # What makes it a stand-in is no field of the form.
    entry |= {key: value for key, value in before.items() if key.startswith("x-") and key != "x-retired"}
    register.note(
        db(), f"gauge {secrets.token_hex(8)}", gauge=name, kind="registered", body=entry, actor=actor()
    )
    db().commit()
    flash(f"{name} is in the register.")
    return redirect(url_for("gauges.one", name=name))


@gauges.get("/gauges/<name>")
def one(name: str) -> str:
    """Show one gauge: its figures, checks and mishaps, and what rests on it."""
    shown_view = gauge_view(db(), register.register(db()), name)
    if shown_view is None:
        abort(404)
    return render_template("gauges/one.html", **shown_view)


@gauges.post("/gauges/<name>")
def note(name: str) -> BaseResponse:
    """Note a check, a mishap, or that a gauge is retired."""
    known = register.register(db())
    if name not in known.entries:
        abort(404)
    what = sent_form().raw("what")
    body: dict[str, Any]
    try:
        if what == "retired":
            body = {
                "why": check_text(
                    sent_form().raw("why"), "a reason of 3 to 200 characters", least=3, most=200
                )
            }
            kind = "retired"
        elif what in MISHAPS:
            body, kind = {"on": day_of(sent_form().raw("on")), "what": what}, "mishap"
        elif what in ("good", "failed"):
            body, kind = {"on": day_of(sent_form().raw("on")), "good": what == "good"}, "check"
            if off := sent_form()["off"][:40]:
                body["off"] = with_off(known.gauges[name], off)
        else:
            raise QuantityError(shown(what), "a check that was good or failed, or what happened to it")
        key = check_text(sent_form().raw("key"), "a key of 1 to 80 characters", least=1, most=80)
    except QuantityError as error:
        fault = told_error(error)
        body_text = render_template("gauges/one.html", **(gauge_view(db(), known, name, fault=fault) or {}))
        return make_response(body_text, 422)
    register.note(db(), key, gauge=name, kind=kind, body=body, actor=actor())
    db().commit()
    return redirect(url_for("gauges.one", name=name))


# -- stand-ins ----------------------------------------------------------------


@gauges.get("/streams/gauges/<name>")
def stream(name: str) -> Response:
    """Send what a stand-in reads at one place of a build, line by line."""
    entry = register.register(db()).entries.get(name) or {}
    kind = KIND.get(str(entry.get("x-simulated", "")))
    figure = request.args.get("figure", "")
    if kind is None or figure not in READABLE:
        abort(404)
    bench = open_bench(known_id(request.args.get("build", "")))
    if not may_simulate(bench):
        # A stand-in makes no figures of a real engine.
        abort(404)
    place = next(
        (p for p in places_of(bench, figure) if place_value(p) == request.args.get("place", "")), None
    )
    if place is None or figure not in kind.figures:
        abort(404)
    truth = _truth(bench, figure, str(place))
    port = Simulated(kind, truth, f"{name} {bench.id}", str(place), count=400)
    counted = request.args.get("way") == "shots"
    return Response(
        until_it_ends(_told(port, counted=counted)), content_type="text/event-stream; charset=utf-8"
    )


def _truth(bench: Any, figure: str, place: str) -> Truth:
    """What the part truly measures: drawn once for the engine, about its paper figure."""
    paper = bench.build.paper or bench.build.figures
    field = READABLE[figure]
    stated = paper.get(place) or paper.get(field.path)
    if figure == "deck_clearance":
        state = bench.kept.now
        hole = state.hole(int(place.split(".")[1])) if state is not None else None
        value = (
            hole.outcome.deck_clearance
            if hole is not None and hole.outcome.deck_clearance is not None
            else 0.3
        )
        doubt = 0.02
    elif stated is None:
        low, high = max(field.low, 1.0), min(field.high, 100.0)
        value, doubt = (low + high) / 2, 0.02
    else:
        value, doubt = stated.value, max(stated.u, 0.01)
    if figure == "deck_clearance":
        # What was read already is what is there: the stand-in goes on about it.
        return Truth(value)
    return Truth(hidden_value(figure, place, stated=value, doubt=doubt, seed=f"build {bench.id}"))


def _told(port: Simulated, *, counted: bool) -> Iterator[str]:
    """The words of a stream: an event for every reading that the gauge sends."""
    ends = time.monotonic() + LASTS
    for line in heard(port, counted=counted):
        if time.monotonic() > ends:
            return
        if isinstance(line, Noise):
            yield f"event: noise\ndata: {json.dumps(line.line)}\n\n"
        else:
            yield f"event: reading\ndata: {json.dumps({'value': line, 'says': line})}\n\n"
        time.sleep(SENDS_EVERY)


def heard(port: Simulated, *, counted: bool) -> Iterator[str | Noise]:
    """Yield what a stand-in sends as a page keeps it: every figure in the unit that it was sent in.

    A syringe sends whole shots and then a part of one: apart where shots are counted (a count has no unit), else
    as the volume that they come to.
    """
    whole = None
    for line in readings_from(port):
        if isinstance(line, Noise):
            yield line
            continue
        unit = line.unit or port.kind.unit
        if not port.kind.shots:
            yield f"{line.number.lstrip('+')} {unit}"
        elif whole is None:
            whole = int(float(line.number))
            if counted:
                yield str(whole)
        else:
            part = float(line.number)
            yield f"{part:g} {unit}" if counted else f"{whole * port.kind.shots + part:.10g} {unit}"
            whole = None
