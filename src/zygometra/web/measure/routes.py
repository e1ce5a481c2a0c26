"""Routes of the measure bench: the logbook, the reading page, and what is noted there."""

# long: the routes of one bench
from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from hashlib import sha256
from itertools import zip_longest
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

from zygometra.core.digits import number_of
from zygometra.core.errors import BuildFaults, Fault, QuantityError, ZygometraError
from zygometra.core.measuring.facts import FoundBy, ahead_of, read_fact, stamped
from zygometra.core.measuring.logbook import Found, Logbook, Voided, Zero
from zygometra.core.measuring.signed import Decision
from zygometra.core.place import Place
from zygometra.core.records import faults_of
from zygometra.core.typed import made_printable
from zygometra.exchange.logbook_csv import MOST_BYTES, Taken, read_behind, read_logbook_csv, write_logbook_csv
from zygometra.exchange.logbook_faults import place_faults
from zygometra.store import facts
from zygometra.store.facts import ClosedToFacts, New, TooMany

from ..behind import AT_ONCE, begin, reading_of, still_reading
from ..build.bench import Bench, open_bench
from ..build.page import render, render_aside
from ..db import db
from ..forms.form import back_or, placed, sent_form
from ..jobs import line_of_files
from ..people import actor, person, reader, request_is_partial, told_error, who
from ..queued import queued_key
from . import photos
from .noting import almost_now, note, now
from .place_view import place_view
from .read_view import SETUP, Refusal, gauges_known, next_place, recent, settled, view
from .sent import read_sent, stamp
from .view import logbook_view

measure = Blueprint("measure", __name__, template_folder="templates")

# How long a request waits for its picture, in seconds.
_MAKES_SMALL = 8.0
_ZERO = re.compile(r"z[0-9a-f]{6}")
# A person's own words: what was found, why something was voided.
_WORDS = "3 to 400 characters"


@measure.get("/builds/<int:build_id>/measure")
def page(build_id: int) -> str:
    """Show the logbook: what was read, what is due, what is void, and what to read next."""
    bench = open_bench(build_id)
    return render(bench, "measure", "measure/page.html", **logbook_view(bench))


@measure.get("/builds/<int:build_id>/measure/at")
def place(build_id: int) -> str:
    """Show every reading of one place, and what its figure is made of."""
    bench = open_bench(build_id)
    try:
        at = Place.parse(request.args.get("place", ""))
    except QuantityError:
        abort(404)
    shown_view = place_view(bench, at)
    if shown_view is None:
        abort(404)
    return render_aside(bench, "measure/place.html", **shown_view)


# -- the reading page ---------------------------------------------------------


@measure.get("/builds/<int:build_id>/measure/read")
def read(build_id: int) -> str:
    """Show the page for a hand at the engine."""
    bench = open_bench(build_id)
    return render_template(
        "measure/read.html", bench=bench, **view(bench, request.args, request.args.get("place", ""))
    )


@measure.post("/builds/<int:build_id>/measure/read")
def take(build_id: int) -> BaseResponse:
    """Take one reading, once however often it is sent."""
    bench = open_bench(build_id)
    form = placed(sent_form())
    _, known = gauges_known(bench)
    sent = read_sent(bench, form, gauges=known, reader=reader(), by=person(), now=now())
    if sent.reading is None or sent.fault:
        return _refused(bench, sent.key, sent.fault, may_insist=sent.may_insist)
    noted = note(bench.id, [New(sent.key, sent.reading)])
    if noted.bench is None:
        return _refused(bench, sent.key, noted.says, status=noted.status)
    bench = noted.bench
    setup = settled(bench, form.typed)
    if request_is_partial():
        response = make_response(render_template("measure/recent.html", recent=recent(bench, sent.reading)))
        response.headers["X-Kept"] = sent.key
        return response
    at = next_place(bench, setup, sent_form().raw("place"))
    return redirect(_read_address(build_id, at, setup))


def _refused(
    bench: Bench, key: str, says: str, *, may_insist: bool = False, status: int = 422
) -> BaseResponse:
    """The sentence that stands beside the field; the figure is kept for correction."""
    if request_is_partial():
        body = render_template("measure/refused.html", says=says, key=key, may_insist=may_insist)
        response = make_response(body, status)
        response.headers["X-Refused"] = queued_key() or key
        return response
    typed = sent_form().typed
    refused = Refusal(says, typed, may_insist)
    whole = view(bench, typed, typed.get("place", ""), refused)
    return make_response(render_template("measure/read.html", bench=bench, **whole), status)


# -- zeros --------------------------------------------------------------------


@measure.post("/builds/<int:build_id>/measure/zero")
def zero(build_id: int) -> BaseResponse:
    """Note that the gauge was zeroed, or what it showed on its datum afterwards."""
    bench = open_bench(build_id)
    form = sent_form()
    setup = settled(bench, form.typed)
    at = sent_form().raw("place")
    name, after = sent_form()["zero"], sent_form()["after"]
    try:
        if sent_form().raw("do") == "check":
            body = _after(name, after, setup["unit"])
        else:
            # A device without a network gives it its name at once.
            told = sent_form().raw("new")
            name = (
                told
                if _ZERO.fullmatch(told)
                else f"z{sha256(sent_form().raw('key').encode()).hexdigest()[:6]}"
            )
            body = {"name": name, "before": 0, **({"gauge": setup["gauge"]} if setup["gauge"] else {})}
        key = sent_form().key
    except QuantityError as error:
        return _refused(bench, "", told_error(error))
    noted = note(build_id, [New(key, read_fact("zero", stamp(body, form, person(), now())))])
    if noted.bench is None:
        return _refused(bench, key, noted.says, status=noted.status)
    bench = noted.bench
    if (bench.build.logbook or Logbook()).has_moved(name):
        flash(
            f"The zero {name} came back off its mark: what was read against it does not count. Zero it again."
        )
        name = ""
    elif sent_form().raw("do") == "check":
        flash(f"The zero {name} stands.")
    return redirect(_read_address(build_id, at, {**setup, "zero": name}))


def _read_address(build_id: int, at: str, setup: Mapping[str, str]) -> str:
    """The address of the reading page with everything that was settled."""
    kept: dict[str, Any] = {name: text for name in SETUP if (text := setup.get(name))}
    return url_for("measure.read", build_id=build_id, place=at, **kept)


def _after(name: str, after: str, unit: str) -> dict[str, Any]:
    if not name:
        raise QuantityError("no zero", "a zero that was set before")
    if not after:
        raise QuantityError("nothing", "what the gauge shows on its datum now, such as 0 or 0.01")
    body = {
        "name": name,
        "after": after if any(c.isalpha() or c == '"' for c in after) else f"{after} {unit}",
    }
    if faults := faults_of(lambda: Zero.read({"after": body["after"]}, id=name)):
        raise QuantityError(faults[0].found, faults[0].wanted)
    return body


# -- voids, found things, gates, photographs ----------------------------------


@measure.post("/builds/<int:build_id>/measure/void")
def void(build_id: int) -> BaseResponse:
    """Take a reading back, with a reason; it stays to be seen."""
    bench = open_bench(build_id)
    named = sent_form().raw("reading")
    known = bench.kept.facts
    if named not in known.ids or named in {
        *(one.id for one in known.of(Found)),
        *(one.id for one in known.of(Decision)),
    }:
        abort(404)
    try:
        why = sent_form().words("why", f"a reason of {_WORDS}", least=3)
    except QuantityError as error:
        return _said(bench, told_error(error), 422)
    body = {"reading": named, "why": why, "by": person(), "at": now()}
    noted = note(build_id, [New(f"void {named}", Voided.read(body))])
    if noted.bench is None:
        # Voided by somebody else in between: it is void, with that person's reason.
        if noted.status != 422:
            return _said(bench, noted.says, noted.status)
        flash("That was void already.")
    return _done(build_id)


@measure.post("/builds/<int:build_id>/measure/found")
def found(build_id: int) -> BaseResponse:
    """Note something that was found on a part: where, and what follows from it."""
    bench = open_bench(build_id)
    form = placed(sent_form())
    try:
        key = form.key
        body: dict[str, Any] = {
            "id": key,
            "what": form.words("what", f"what was found, in {_WORDS}", least=3),
        }
        for name, most in (("where", 200), ("consequence", 400)):
            if words := form.words(name, most=most):
                body[name] = words
        if (hole := form.hole()) is not None:
            body["cylinder"] = hole
        elif bank := form.raw("bank"):
            body["bank"] = bank
    except QuantityError as error:
        return _said(bench, told_error(error), 422)
    banks = [bank.name for bank in bench.build.banks]
    for fault in place_faults("found", body, banks, list(bench.build.cylinders)):
        return _said(bench, f"Found {fault.found}; wanted {fault.wanted}.", 422)
    noted = note(build_id, [New(key, Found.read(stamp(body, form, person(), now())))])
    return _said(bench, noted.says, noted.status) if noted.bench is None else _done(build_id)


@measure.post("/builds/<int:build_id>/measure/photo")
def photo(build_id: int) -> BaseResponse:
    """Keep a photograph beside a reading or a found thing, made small and without where it was taken."""
    bench = open_bench(build_id)
    named = sent_form().raw("fact")
    known = (bench.build.logbook or Logbook()).by_id
    if named not in known and named not in {one.id for one in bench.kept.facts.of(Found)}:
        abort(404)
    upload = request.files.get("file")
    try:
        key = sent_form().key
        content = b""
        if upload is not None:
            with upload.stream as stream:
                content = stream.read(photos.MOST_BYTES + 1)
        jpeg = _made_small(content)
        if jpeg is None:
            return _said(bench, "The picture is still being made small: send it once more in a moment.", 503)
        facts.add_photo(db(), build_id, key=key, fact=named, jpeg=jpeg, actor=actor())
    except ZygometraError as error:
        return _said(bench, told_error(error), 422)
    except ClosedToFacts as shut:
        db().rollback()
        return _said(
            bench, f"This build is {shut.stage}: it takes nothing more until it is opened again.", 409
        )
    except TooMany:
        return _said(
            bench, f"This build has {facts.MOST_PHOTOS} photographs, which is as many as it may have.", 422
        )
    db().commit()
    return _done(build_id)


def _made_small(content: bytes) -> bytes | None:
    """A photograph as it is kept, made in a process of its own; None where that takes too long."""
    if len(content) > photos.MOST_BYTES:
        # Said at once, as what it is.
        return photos.made_small(content)
    key = "photograph", who(), sha256(content).hexdigest()
    job = line_of_files().ask(key, photos.made_small_behind, content, by=who())
    if not line_of_files().wait(job, _MAKES_SMALL):
        return None
    if job.bounded is not None:
        raise QuantityError("a picture that takes too much room", "a smaller one")
    jpeg: bytes = job.result
    return jpeg


@measure.get("/builds/<int:build_id>/measure/photos/<key>.jpg")
def picture(build_id: int, key: str) -> Response:
    """Show a photograph."""
    jpeg = facts.photo(db(), build_id, key)
    if jpeg is None:
        abort(404)
    response = Response(jpeg, content_type="image/jpeg")
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


# -- tables out and in --------------------------------------------------------


@measure.get("/builds/<int:build_id>/measure/logbook.csv")
def table(build_id: int) -> Response:
    """Hand the logbook over as a table."""
    bench = open_bench(build_id)
    logbook = bench.build.logbook or Logbook()
    plain = "".join(c if c.isascii() and c.isalnum() else "-" for c in bench.build.name).strip("-").lower()
    response = Response(write_logbook_csv(logbook), content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{plain or "build"}-logbook.csv"'
    return response


@measure.post("/builds/<int:build_id>/measure/logbook.csv")
def take_table(build_id: int) -> BaseResponse:
    """Take in a table of readings, whole or not at all. A large one is read behind the page."""
    bench = open_bench(build_id)
    if token := sent_form().raw("token"):
        reading = reading_of(token)
        if reading is None:
            flash("That table is not here any more: choose its file again.")
            return redirect(url_for("measure.page", build_id=build_id))
        taken, found, _ = reading.result if reading.is_read else (None, (), [])
        if taken is None or reading.said["build_id"] != build_id:
            return redirect(url_for("measure.table_read", build_id=build_id, token=token), 303)
        return _take_table(bench, reading.name, taken, found)
    upload = request.files.get("file")
    called = made_printable(upload.filename or "") if upload is not None else ""
    if upload is None or not called:
        no_file = Fault("the table", "no file", "a table of readings, chosen or dropped here")
        return _table_faults(bench, called, [no_file])
    with upload.stream as stream:
        text = stream.read(MOST_BYTES + 1)
    build = bench.build
    against = (gauges_known(bench)[1], [bank.name for bank in build.banks], list(build.cylinders))
    if len(text) > AT_ONCE:
        token = begin(read_behind, text, *against, name=called, build_id=build_id)
        return redirect(url_for("measure.table_read", build_id=build_id, token=token), 303)
    try:
        taken = read_logbook_csv(text, *against)
    except BuildFaults as error:
        return _table_faults(bench, called, error.faults)
    return _take_table(bench, called, taken)


def _take_table(bench: Bench, called: str, taken: Taken, found: Sequence[FoundBy] = ()) -> BaseResponse:
    if faults := list(ahead_of({"readings": [one.typed for one in taken.readings]}, almost_now())):
        rows = [Fault(f"reading {fault.path[9:-4]}, at", fault.found, fault.wanted) for fault in faults]
        return _table_faults(bench, called, rows)
    who, when = person(), now()
    new = [New(one.id, stamped(one, who, when), by) for one, by in zip_longest(taken.readings, found)]
    new += [
        New(f"void {row['reading']}", Voided.read({**row, "by": who, "at": when})) for row in taken.voided
    ]
    noted = note(bench.id, new)
    if noted.bench is None:
        says = Fault("the table", noted.says, "readings with keys of their own")
        return _table_faults(bench, called, [says])
    known_before = f", {noted.known} known already" if noted.known else ""
    flash(f"{noted.added} entries were taken in from {called[:80]}{known_before}.")
    return redirect(url_for("measure.page", build_id=bench.id))


@measure.get("/builds/<int:build_id>/measure/table/<token>")
def table_read(build_id: int, token: str) -> BaseResponse | str:
    """Show a large table of readings once it is read: its faults, or that it can be taken in."""
    bench = open_bench(build_id)
    reading = reading_of(token)
    if reading is None or reading.said["build_id"] != build_id:
        abort(404)
    if not reading.is_read:
        return still_reading(reading)
    taken, _, faults = reading.result
    if taken is None:
        return _table_faults(bench, reading.name, faults)
    return render_template(
        "ready.html",
        name=reading.name[:120],
        says=f"{number_of(len(taken.readings), 'reading')} of {bench.build.name} are read, and every one is good.",
        action=url_for("measure.take_table", build_id=build_id),
        token=token,
        take="Take them in",
        back=url_for("measure.page", build_id=build_id),
    )


def _table_faults(bench: Bench, called: str, faults: list[Fault]) -> BaseResponse:
    body = render_template(
        "measure/table.html", bench=bench, called=called[:120] or "no file", faults=faults[:200]
    )
    return make_response(body, 422)


# -- answers ------------------------------------------------------------------


def _said(bench: Bench, says: str, status: int) -> BaseResponse:
    """One sentence about what was not taken, on the logbook's page; what was typed stands there again."""
    if queued_key():
        return make_response(render_template("measure/refused.html", says=says, key=queued_key()), status)
    typed = sent_form().typed
    whole = render(bench, "measure", "measure/page.html", **logbook_view(bench, fault=says, typed=typed))
    return make_response(whole, status)


def _done(build_id: int) -> BaseResponse:
    return redirect(back_or(url_for("measure.page", build_id=build_id)))
