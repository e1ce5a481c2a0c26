"""Routes of the cut log: set-ups, passes, readings at the machine, and what stands before the next pass."""

# long: the addresses of one bench
from __future__ import annotations

from typing import Any, cast

from flask import Blueprint, abort, make_response, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.cut_log import CUT_OPS, FACES, SETS, CutPlace, PassMade, SetUpRecord
from zygometra.core.cutting.judged import against_of
from zygometra.core.cutting.running import PassTooDeep, Running, check_pass, check_reading, running
from zygometra.core.cutting.set_up import sweep_says
from zygometra.core.cutting.verify import logged_at, lost_by
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.measuring.facts import FactKind
from zygometra.core.measuring.logbook import Reading
from zygometra.core.quantity import read_quantity
from zygometra.core.records import Record
from zygometra.core.typed import known_number
from zygometra.core.units import Kind
from zygometra.exchange.cut_log_faults import cut_entry
from zygometra.exchange.logbook_faults import reading_entry
from zygometra.store import facts
from zygometra.store.facts import New

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..db import db
from ..forms.form import Form, sent_form
from ..forms.read import with_unit
from ..measure.noting import fault_words, note, now
from ..measure.sent import stamp
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


# -- answers --------------------------------------------------------------------


def _refused(
    bench: Bench, place: CutPlace, says: str, status: int = 422, *, may_insist: bool = False
) -> BaseResponse:
    """One sentence; to a device that keeps what it sends, only that, else the page with what was typed."""
    db().rollback()
    if request_is_partial():
        body = render_template("cutlog/refused.html", says=says, may_insist=may_insist)
        response = make_response(body, status)
        key = queued_key() or sent_form().raw("key")
        response.headers["X-Refused"] = key if KEY.fullmatch(key) else ""
        return response
    if place.op in SETS:
        shown_set = set_view(bench, place.op, fault=says, typed=sent_form().typed)
        return make_response(render(bench, "sheet", "cutlog/set.html", tab="cutlog", **shown_set), status)
    shown_view = face_view(bench, place, fault=says, typed=sent_form().typed)
    return make_response(render(bench, "sheet", "cutlog/face.html", tab="cutlog", **shown_view), status)


def _kept(bench: Bench, place: CutPlace, fact: New) -> BaseResponse:
    noted = note(bench.id, [fact])
    if noted.bench is None:
        return _refused(bench, place, noted.says, noted.status)
    if request_is_partial():
        response = make_response("", 200)
        response.headers["X-Kept"] = fact.key
        return response
    return redirect(_address(bench, place))


def _address(bench: Bench, place: CutPlace) -> str:
    if place.op in SETS:
        return url_for("cutlog.pieces", build_id=bench.id, pieces_op=place.op, piece=place.cylinder)
    return url_for("cutlog.face", build_id=bench.id, op=place.op, bank=place.bank)


def _entry(bench: Bench, kind: FactKind, body: dict[str, Any]) -> Record:
    """An entry as a file has it, by whom and when; raises BuildFaults where a file would not take it."""
    names, numbers = [bank.name for bank in bench.build.banks], list(bench.build.cylinders)
    return cut_entry(kind, stamp(body, sent_form(), person(), now()), names, numbers)


# -- set-up ---------------------------------------------------------------------


@cutlog.post("/builds/<int:build_id>/cut-log/<op>/<bank>/set-up")
def set_up(build_id: int, op: str, bank: str) -> BaseResponse:
    """Note how a part was set up before the first chip."""
    bench = open_bench(build_id)
    place = _place(bench, op, bank)
    form = sent_form()
    try:
        body = _set_up_body(bench, place, form)
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    try:
        record = cast(SetUpRecord, _entry(bench, "set-up", body))
    except BuildFaults as error:
        return _refused(bench, place, fault_words(error.faults[0]))
    found = sweep_says(record, bench.rules)
    if found.is_beyond and form.raw("sure") != "yes":
        told = next(one for one in found.says if "jacks" in str(one))
        return _refused(bench, place, told.written(bench.reader) + " If it is so, say so.", may_insist=True)
    return _kept(bench, place, New(record.id, record))


def _set_up_body(bench: Bench, place: CutPlace, form: Form) -> dict[str, Any]:
    body: dict[str, Any] = {"id": form.key, "op": place.op, "bank": place.bank}
    for name, most in (("machine", 80), ("shop", 80), ("moved", 400)):
        if words := form.words(name, most=most):
            body[name] = words
    body |= {name: word for name in ("reference", "aim") if (word := form.raw(name))}
    body |= {name: kept for name in ("spring", "limit") if (kept := form.length(name)) is not None}
    sweep = []
    for zone, i in zip(_corner_zones(bench, place), range(_SWEPT), strict=True):
        if (z := form.length(f"sweep.{i}")) is not None:
            sweep.append({"x": zone.spot.x, "y": zone.spot.y, "z": z})
    body |= {"sweep": sweep} if sweep else {}
    span = {
        name: kept
        for name in ("along", "across")
        if (kept := form.length(name, low=1, high=20_000, small=False)) is not None
    }
    body |= {"support_span": span} if span else {}
    return body | {"rigid": form.raw("rigid") == "yes"}


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
        name.removeprefix("zone."): state
        for name, state in sent_form().typed.items()
        if name.startswith("zone.")
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
    form = sent_form()
    typed = form.raw("cylinder")
    number = known_number(typed)
    if number not in bench.build.cylinders:
        known = ", ".join(map(str, sorted(bench.build.cylinders)))
        place = CutPlace(pieces_op, "", bench.build.cylinders[0])
        return _refused(bench, place, f"Found the hole {shown(typed)}; wanted one of {known}.")
    place = CutPlace(pieces_op, "", number)
    own: dict[str, Any] = {}
    try:
        if (stopped := form.length("stopped")) is not None:
            own["stopped"] = stopped
        ends = [kept for name in ("finished.0", "finished.1") if (kept := form.length(name)) is not None]
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    return _pass(bench, place, own | ({"finished": ends} if ends else {}))


def _pass(bench: Bench, place: CutPlace, own: dict[str, Any]) -> BaseResponse:
    form = sent_form()
    # Nobody logs another until this one is judged and kept: two that are each within the limit may not be together.
    facts.hold(db(), bench.id)
    bench = open_bench(bench.id)
    known = running(bench.build, place, bench.rules)
    try:
        body: dict[str, Any] = {"id": form.key, "op": place.op}
        body |= {"bank": place.bank} if place.bank else {"cylinder": place.cylinder}
        depth = form["depth"]
        if not depth and own.get("finished"):
            # A piece that was read again and not cut.
            depth = "0 mm"
        number = form.raw("number") or form.raw(f"number.{place.cylinder}")
        body |= {"number": _numbered(number, known.next_number), "depth": _typed(depth, bench)}
        read_quantity(body["depth"], Kind.LENGTH, dimension="exact", low=0, high=10)
        body |= {"kind": kind} if (kind := form.raw("kind")) else {}
        for name, what in (
            ("feed", "a feed in mm a minute, such as 120"),
            ("speed", "turns a minute, such as 200"),
        ):
            if (value := form.number(name, what, low=0, high=1e6)) is not None:
                body[name] = value
        if words := form.words("says", "a note of up to 400 characters"):
            body["says"] = words
        body |= own
        one = cast(PassMade, _entry(bench, "pass", body))
        if one.id not in {made.id for made in bench.kept.facts.of(PassMade)}:
            if says := _waits(bench, place, known):
                return _refused(bench, place, says)
            check_pass(known, one.depth, bench.rules, sure=form.raw("sure") == "yes")
    except PassTooDeep as error:
        return _refused(bench, place, error.says.written(bench.reader), may_insist=True)
    except BuildFaults as error:
        return _refused(bench, place, fault_words(error.faults[0]))
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    return _kept(bench, place, New(one.id, one))


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
    form = sent_form()
    figures = ("deck_clearance", "deck_height") if op == "deck_cut" else ("chamber_volume",)
    own = bank_of(bench, bank)
    typed = form.raw("cylinder")
    number = known_number(typed)
    holes = own.cylinders if own else ()
    if form.raw("figure") not in figures or number not in holes:
        return _refused(
            bench, place, f"Found hole {shown(typed)}; wanted one of {', '.join(map(str, holes))}."
        )
    kind = Kind.LENGTH if op == "deck_cut" else Kind.VOLUME
    small = form.raw("figure") == "deck_clearance"
    try:
        written = with_unit(form["value"][:80], kind, bench.reader, small=small)
        body: dict[str, Any] = {
            "id": form.key,
            "figure": form.raw("figure"),
            "cylinder": number,
            "value": written,
        }
    except QuantityError as error:
        return _refused(bench, place, told_error(error))
    if gauge := form["gauge"][:80]:
        body["gauge"] = gauge
    gauges = bench.build.logbook.gauges if bench.build.logbook else {}
    names, numbers = [one.name for one in bench.build.banks], list(bench.build.cylinders)
    entry = stamp(body, form, person(), now())
    try:
        read = reading_entry("reading", entry, gauges=gauges, names=names, numbers=numbers)
    except BuildFaults as error:
        return _refused(bench, place, fault_words(error.faults[0]))
    if form.raw("sure") != "yes" and (says := _disagrees(bench, place, number, read)):
        return _refused(bench, place, f"{says} If it is right, say so.", may_insist=True)
    return _kept(bench, place, New(read.id, read))


def _disagrees(bench: Bench, place: CutPlace, number: int, one: Reading) -> str:
    """What a reading says against the log, in one sentence; empty where the two agree, or cannot be compared."""
    at = str(one.typed["at"])
    found = lost_by(bench.build, place, number=number, figure=one.figure, read=one.value, at=at)
    if found is None:
        return ""
    told = check_reading(logged_at(bench.build, place, number, at), *found)
    return told.written(bench.reader) if told is not None else ""


assert set(FACES) | set(SETS) == set(CUT_OPS)
