"""Routes of the cut log: set-ups, passes, readings at the machine, and what stands before the next pass."""

# long: the addresses of one bench
from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from flask import Blueprint, abort, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.cut_log import CUT_OPS, FACES, SETS, CutPlace, read_pass, read_set_up
from zygometra.core.cutting.judged import against_of
from zygometra.core.cutting.running import PassTooDeep, Running, check_pass, check_reading, running
from zygometra.core.cutting.set_up import sweep_says
from zygometra.core.cutting.verify import logged_at, lost_by
from zygometra.core.errors import QuantityError, shown
from zygometra.core.measuring.read_in import read_reading
from zygometra.core.quantity import read_quantity
from zygometra.core.typed import check_text, known_number, plain_number
from zygometra.core.units import Kind
from zygometra.exchange.cut_log_faults import cut_entry_faults
from zygometra.exchange.logbook_faults import reading_entry_faults
from zygometra.store import facts
from zygometra.store.facts import New

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..db import db
from ..forms.read import with_unit
from ..measure.noting import append, fault_words, now, renew
from ..measure.sent import key_of, stamp
from ..people import person, request_is_partial, told_error
from ..queued import KEY, queued_key
from .list import cards
from .pieces import piece_says, set_view
from .view import bank_of, face_view, gates_before, next_says, reach_for

cutlog = Blueprint("cutlog", __name__, template_folder="templates")

_SWEPT = 4


@cutlog.get("/builds/<int:build_id>/cut-log")
def page(build_id: int) -> str:
    """Show every face and set that can be cut, and how far each is."""
    bench = open_bench(build_id)
    return render(bench, "sheet", "cutlog/page.html", tab="cutlog", cards=cards(bench))


def _place(bench: Bench, op: str, bank: str) -> CutPlace:
    if op not in FACES or bank_of(bench, bank) is None:
        abort(404)
    return CutPlace(op, bank)


@cutlog.get("/builds/<int:build_id>/cut-log/<op>/<bank>")
def face(build_id: int, op: str, bank: str) -> str:
    """Show the log of one face: the one thing that comes next, and all that was done."""
    bench = open_bench(build_id)
    place = _place(bench, op, bank)
    shown_view = face_view(bench, place, code=request.args.get("sheet", "")[:80])
    return render(bench, "sheet", "cutlog/face.html", tab="cutlog", **shown_view)


@cutlog.get("/builds/<int:build_id>/cut-log/<op>/<bank>/next")
def before(build_id: int, op: str, bank: str) -> str:
    """Say what is to be said before a pass of a depth is cut."""
    bench = open_bench(build_id)
    place = _place(bench, op, bank)
    try:
        depth: float | None = _length(request.args.get("depth", ""), bench)
    except QuantityError as error:
        return render_template("cutlog/next.html", next={"state": "warn", "says": told_error(error)})
    known = running(bench.build, place, bench.rules)
    return render_template("cutlog/next.html", next=next_says(bench, known, reach_for(bench, place), depth))


@cutlog.get("/builds/<int:build_id>/cut-log/set/<pieces_op>")
def pieces(build_id: int, pieces_op: str) -> str:
    """Show the log of a set, piece by piece."""
    if pieces_op not in SETS:
        abort(404)
    bench = open_bench(build_id)
    chosen = request.args.get("piece", "")[:4]
    return render(
        bench, "sheet", "cutlog/set.html", tab="cutlog", **set_view(bench, pieces_op, chosen=chosen)
    )


@cutlog.get("/builds/<int:build_id>/cut-log/set/<pieces_op>/next")
def before_piece(build_id: int, pieces_op: str) -> str:
    """Say how a depth typed for a piece is understood, and what it comes to."""
    if pieces_op not in SETS:
        abort(404)
    bench = open_bench(build_id)
    number = known_number(request.args.get("cylinder", ""))
    if number not in bench.build.cylinders or not request.args.get("depth", "").strip():
        return render_template("cutlog/next.html", next={"state": "", "says": ""})
    try:
        depth = _length(request.args["depth"], bench)
    except QuantityError as error:
        return render_template("cutlog/next.html", next={"state": "warn", "says": told_error(error)})
    known = running(bench.build, CutPlace(pieces_op, "", number), bench.rules)
    return render_template("cutlog/next.html", next=piece_says(bench, known, depth))


# -- what is typed --------------------------------------------------------------


def _length(typed: str, bench: Bench, *, low: float = -50.0, high: float = 50.0) -> float:
    return read_quantity(_typed(typed, bench), Kind.LENGTH, dimension="exact", low=low, high=high).value


def _typed(typed: str, bench: Bench) -> str:
    return with_unit(typed.strip()[:80], Kind.LENGTH, bench.reader)


def _kept_length(form: Mapping[str, str], name: str, bench: Bench) -> str | None:
    """A length as it was typed, with its unit; None where nothing was."""
    if not form.get(name, "").strip():
        return None
    _length(form[name], bench)
    return _typed(form[name], bench)


def _number(form: Mapping[str, str], name: str, what: str) -> float | None:
    text = form.get(name, "").strip()
    if not text:
        return None
    return plain_number(text, what, low=0, high=1e6)


# -- answers --------------------------------------------------------------------


def _refused(
    bench: Bench, place: CutPlace, says: str, status: int = 422, *, may_insist: bool = False
) -> BaseResponse:
    """One sentence; to a device that keeps what it sends, only that, else the page with what was typed."""
    db().rollback()
    if request_is_partial():
        body = render_template("cutlog/refused.html", says=says, may_insist=may_insist)
        response = make_response(body, status)
        key = queued_key() or request.form.get("key", "")
        response.headers["X-Refused"] = key if KEY.fullmatch(key) else ""
        return response
    if place.op in SETS:
        shown_set = set_view(bench, place.op, fault=says, typed=request.form)
        return make_response(render(bench, "sheet", "cutlog/set.html", tab="cutlog", **shown_set), status)
    shown_view = face_view(bench, place, fault=says, typed=request.form)
    return make_response(render(bench, "sheet", "cutlog/face.html", tab="cutlog", **shown_view), status)


def _kept(bench: Bench, place: CutPlace, fact: New) -> BaseResponse:
    refusal = append(bench.id, [fact])
    if refusal is not None:
        return _refused(bench, place, *refusal)
    renew(bench.id)
    if request_is_partial():
        response = make_response("", 200)
        response.headers["X-Kept"] = fact.key
        return response
    return redirect(_address(bench, place))


def _address(bench: Bench, place: CutPlace) -> str:
    if place.op in SETS:
        return url_for("cutlog.pieces", build_id=bench.id, pieces_op=place.op, piece=place.cylinder)
    return url_for("cutlog.face", build_id=bench.id, op=place.op, bank=place.bank)


def _checked(bench: Bench, key: str, body: dict[str, Any]) -> str:
    """What is wrong with an entry, in one sentence; empty where it is as a file wants it."""
    names, numbers = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    return next((fault_words(fault) for fault in cut_entry_faults(key, body, names, numbers)), "")


# -- set-up ---------------------------------------------------------------------


@cutlog.post("/builds/<int:build_id>/cut-log/<op>/<bank>/set-up")
def set_up(build_id: int, op: str, bank: str) -> BaseResponse:
    """Note how a part was set up before the first chip."""
    bench = open_bench(build_id)
    place = _place(bench, op, bank)
    form = request.form
    try:
        body = _set_up_body(bench, place, form)
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    if says := _checked(bench, "set_ups", body):
        return _refused(bench, place, says)
    found = sweep_says(read_set_up(body), bench.rules)
    if found.is_beyond and form.get("sure") != "yes":
        told = next(one for one in found.says if "jacks" in str(one))
        return _refused(bench, place, told.written(bench.reader) + " If it is so, say so.", may_insist=True)
    return _kept(bench, place, New(body["id"], "set-up", stamp(body, form, person(), now())))


def _set_up_body(bench: Bench, place: CutPlace, form: Mapping[str, str]) -> dict[str, Any]:
    body: dict[str, Any] = {"id": key_of(form), "op": place.op, "bank": place.bank}
    for name, most in (("machine", 80), ("shop", 80), ("moved", 400)):
        if words := check_text(form.get(name, ""), f"text of up to {most} characters", most=most):
            body[name] = words
    body |= {name: form[name] for name in ("reference", "aim") if form.get(name)}
    body |= {
        name: kept for name in ("spring", "limit") if (kept := _kept_length(form, name, bench)) is not None
    }
    sweep = []
    for zone, i in zip(_corner_zones(bench, place), range(_SWEPT), strict=True):
        if (z := _kept_length(form, f"sweep.{i}", bench)) is not None:
            sweep.append({"x": zone.spot.x, "y": zone.spot.y, "z": z})
    body |= {"sweep": sweep} if sweep else {}
    span = {
        name: kept
        for name in ("along", "across")
        if (kept := _kept_length_long(form, name, bench)) is not None
    }
    body |= {"support_span": span} if span else {}
    return body | {"rigid": form.get("rigid") == "yes"}


def _kept_length_long(form: Mapping[str, str], name: str, bench: Bench) -> str | None:
    if not form.get(name, "").strip():
        return None
    written = with_unit(form[name].strip()[:80], Kind.LENGTH, bench.reader, small=False)
    read_quantity(written, Kind.LENGTH, dimension="exact", low=1, high=20_000)
    return written


def _corner_zones(bench: Bench, place: CutPlace) -> list[Any]:
    zones = running(bench.build, place, bench.rules).zones
    return [zones[0], zones[2], zones[-3], zones[-1]]


# -- passes ---------------------------------------------------------------------


@cutlog.post("/builds/<int:build_id>/cut-log/<op>/<bank>/pass")
def made(build_id: int, op: str, bank: str) -> BaseResponse:
    """Log a pass as it was made: once, however often it is sent."""
    bench = open_bench(build_id)
    place = _place(bench, op, bank)
    zones = {zone.name for zone in running(bench.build, place, bench.rules).zones}
    marked = {
        name.removeprefix("zone."): state for name, state in request.form.items() if name.startswith("zone.")
    }
    own = {
        "touched": sorted(z for z, state in marked.items() if z in zones and state in ("touched", "clean")),
        "clean": sorted(z for z, state in marked.items() if z in zones and state == "clean"),
    }
    return _pass(bench, place, {name: listed for name, listed in own.items() if listed})


@cutlog.post("/builds/<int:build_id>/cut-log/set/<pieces_op>/pass")
def piece(build_id: int, pieces_op: str) -> BaseResponse:
    """Log a cut on one piece of a set, with what it was gauged at against the first."""
    if pieces_op not in SETS:
        abort(404)
    bench = open_bench(build_id)
    form = request.form
    typed = form.get("cylinder", "")
    number = known_number(typed)
    if number not in bench.build.cylinders:
        known = ", ".join(map(str, sorted(bench.build.cylinders)))
        place = CutPlace(pieces_op, "", bench.build.cylinders[0])
        return _refused(bench, place, f"Found the hole {shown(typed)}; wanted one of {known}.")
    place = CutPlace(pieces_op, "", number)
    own: dict[str, Any] = {}
    try:
        if (stopped := _kept_length(form, "stopped", bench)) is not None:
            own["stopped"] = stopped
        ends = [
            kept
            for name in ("finished.0", "finished.1")
            if (kept := _kept_length(form, name, bench)) is not None
        ]
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    return _pass(bench, place, own | ({"finished": ends} if ends else {}))


def _pass(bench: Bench, place: CutPlace, own: dict[str, Any]) -> BaseResponse:
    form = request.form
    # Nobody logs another until this one is judged and kept: two that are each within the limit may not be together.
    facts.hold(db(), bench.id)
    bench = open_bench(bench.id)
    known = running(bench.build, place, bench.rules)
    try:
        body: dict[str, Any] = {"id": key_of(form), "op": place.op}
        body |= {"bank": place.bank} if place.bank else {"cylinder": place.cylinder}
        depth = form.get("depth", "").strip()
        if not depth and own.get("finished"):
            # A piece that was read again and not cut.
            depth = "0 mm"
        number = form.get("number", "") or form.get(f"number.{place.cylinder}", "")
        body |= {"number": _numbered(number, known.next_number), "depth": _typed(depth, bench)}
        read_quantity(body["depth"], Kind.LENGTH, dimension="exact", low=0, high=10)
        body |= {"kind": form["kind"]} if form.get("kind") else {}
        for name, what in (
            ("feed", "a feed in mm a minute, such as 120"),
            ("speed", "turns a minute, such as 200"),
        ):
            if (value := _number(form, name, what)) is not None:
                body[name] = value
        if words := check_text(form.get("says", ""), "a note of up to 400 characters", most=400):
            body["says"] = words
        body |= own
        if says := _checked(bench, "passes", body):
            return _refused(bench, place, says)
        one = read_pass(body, 0)
        if body["id"] not in {one.body["id"] for one in bench.kept.facts.passes}:
            if says := _waits(bench, place, known):
                return _refused(bench, place, says)
            check_pass(known, one.depth, bench.rules, sure=form.get("sure") == "yes")
    except PassTooDeep as error:
        return _refused(bench, place, error.says.written(bench.reader), may_insist=True)
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    return _kept(bench, place, New(body["id"], "pass", stamp(body, form, person(), now())))


def _waits(bench: Bench, place: CutPlace, known: Running) -> str:
    """What stands before the first chip, in one sentence; empty where nothing does, or it was cut into already."""
    against = against_of(place)
    begun = known.passes or any(against_of(one.place) == against for one in bench.build.cuts.passes)
    if begun or not (gates := gates_before(bench, against)):
        return ""
    named = "; ".join(f"gate {one.gate.number} ({one.gate.wants})" for one in gates)
    return (
        f"Before the first pass stand open: {named}. Meet them, or tick them and say why, then log the pass."
    )


def _numbered(text: str, following: int) -> int:
    """The number of the pass: that which its page was made for, so that the same pass from two hands is one."""
    if not text:
        return following
    if not 1 <= (number := known_number(text)) <= 999:
        raise QuantityError(f"the pass {shown(text)}", "its number, from 1 to 999")
    return number


# -- readings between passes ------------------------------------------------------


@cutlog.post("/builds/<int:build_id>/cut-log/<op>/<bank>/read")
def read(build_id: int, op: str, bank: str) -> BaseResponse:
    """Note a reading between passes; one that does not agree with the log is asked about."""
    bench = open_bench(build_id)
    place = _place(bench, op, bank)
    form = request.form
    figures = ("deck_clearance", "deck_height") if op == "deck_cut" else ("chamber_volume",)
    own = bank_of(bench, bank)
    typed = form.get("cylinder", "")
    number = known_number(typed)
    holes = own.cylinders if own else ()
    if form.get("figure") not in figures or number not in holes:
        return _refused(
            bench, place, f"Found hole {shown(typed)}; wanted one of {', '.join(map(str, holes))}."
        )
    kind = Kind.LENGTH if op == "deck_cut" else Kind.VOLUME
    small = form["figure"] == "deck_clearance"
    try:
        written = with_unit(form.get("value", "").strip()[:80], kind, bench.reader, small=small)
        body: dict[str, Any] = {
            "id": key_of(form),
            "figure": form["figure"],
            "cylinder": number,
            "value": written,
        }
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    if gauge := form.get("gauge", "").strip()[:80]:
        body["gauge"] = gauge
    gauges = bench.build.logbook.gauges if bench.build.logbook else {}
    names, numbers = [one.name for one in bench.build.banks], list(bench.build.cylinders)
    fault = next(
        iter(reading_entry_faults("reading", body, order=0, gauges=gauges, names=names, numbers=numbers)),
        None,
    )
    if fault is not None:
        return _refused(bench, place, fault_words(fault))
    entry = stamp(body, form, person(), now())
    if form.get("sure") != "yes" and (says := _disagrees(bench, place, entry)):
        return _refused(bench, place, f"{says} If it is right, say so.", may_insist=True)
    return _kept(bench, place, New(body["id"], "reading", entry))


def _disagrees(bench: Bench, place: CutPlace, body: dict[str, Any]) -> str:
    """What a reading says against the log, in one sentence; empty where the two agree, or cannot be compared."""
    number, at = body["cylinder"], body["at"]
    found = lost_by(
        bench.build, place, number=number, figure=body["figure"], read=read_reading(body, 0).value, at=at
    )
    if found is None:
        return ""
    told = check_reading(logged_at(bench.build, place, number, at), *found)
    return told.written(bench.reader) if told is not None else ""


assert set(FACES) | set(SETS) == set(CUT_OPS)
