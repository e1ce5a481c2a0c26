"""Routes of the parts shelf."""

from __future__ import annotations

from collections.abc import Mapping

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core import gates
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.mix import shelf_record
from zygometra.core.mix.parts import KIND, Part, newly_ordered, put_back
from zygometra.core.mix.rules import FitRules
from zygometra.core.mix.rules_data import rules_from_data
from zygometra.core.typed import known_id, known_version
from zygometra.exchange.build_file import document_from_text
from zygometra.exchange.shelf_csv import TableRead, read_behind, read_table, write_table
from zygometra.exchange.shelf_csv import file_name as name_of_table
from zygometra.store import acceptances, fit_rules
from zygometra.store import shelf as store
from zygometra.store.acceptances import StoredAgainst
from zygometra.store.newest import Moved

from ..behind import AT_ONCE, begin, reading_of, still_reading
from ..db import db
from ..forms.form import Form, sent_form
from ..people import actor, entry, reader, told_error
from .form import form_of, read_part
from .take_in import laid_beside, sent, take_in_page
from .view import OFF, PAGE, ShelfQuery, list_view, part_view, rules_view, theirs_view, told

shelf = Blueprint("shelf", __name__, template_folder="templates", url_prefix="/shelf")


def _kind(key: str) -> str:
    if key not in KIND:
        abort(404)
    return key


@shelf.get("")
def page() -> str:
    """List the parts of a kind."""
    kind = request.args.get("kind", "crank")
    asked = ShelfQuery(
        kind if kind in KIND else "crank",
        request.args.get("q", "")[:100],
        request.args.get("state", ""),
        known_version(request.args.get("from")),
    )
    parts: tuple[Part, ...] = ()
    gone: tuple[store.TakenOff, ...] = ()
    if asked.state == OFF:
        gone = store.taken_off(db(), asked.kind, search=asked.search)
        count = len(gone)
    else:
        parts, count = store.listed(
            db(), asked.kind, search=asked.search, state=asked.state, limit=PAGE, offset=asked.at
        )
    template = "shelf/list.html" if request.headers.get("HX-Target") == "parts" else "shelf/page.html"
    seen, _ = store.number(db())
    return render_template(
        template, seen=seen, **list_view(asked, parts, gone=gone, counts=store.counts(db()), count=count)
    )


# -- one part ---------------------------------------------------------------------------


@shelf.route("/<kind>/new", methods=["GET", "POST"])
def new(kind: str) -> BaseResponse | str | tuple[str, int]:
    """Put a new part on the shelf."""
    if request.method == "POST":
        return _save(_kind(kind), None)
    return _part_page(_kind(kind), {"state": "idea", "on_shelf": "0"}, faults={}, before=None, version=0)


@shelf.route("/<kind>/<path:code>", methods=["GET", "POST"])
def part(kind: str, code: str) -> BaseResponse | str | tuple[str, int]:
    """Show one part, and save what was changed on it."""
    try:
        stored = store.load_part(db(), _kind(kind), code)
    except store.PartNotThere:
        past = store.history(db(), kind, code)
        if not past or request.method == "POST":
            raise
        return render_template("shelf/off.html", kind=KIND[kind], code=code, version=0, history=told(past))
    if request.method == "POST":
        return _save(kind, stored.part)
    return _part_page(kind, form_of(stored.part), faults={}, before=stored.part, version=stored.version)


def _save(kind: str, before: Part | None) -> BaseResponse | tuple[str, int]:
    form = sent_form()
    version = form.version
    read = read_part(form, kind, before)
    if read is not None and newly_ordered(read, before):
        _sign(form, read)
    if form.faults or read is None:
        return _part_page(kind, form.typed, faults=form.faults, before=before, version=version), 422
    try:
        says = shelf_record.CHANGED if before else shelf_record.PUT_ON
        store.save_part(db(), read, expected_version=version, entry=entry(says))
    except store.PartStale as stale:
        db().rollback()
        return _stale(kind, form, before, stale)
    db().commit()
    flash(f"{read.code} is saved.")
    return redirect(url_for("shelf.part", kind=kind, code=read.code))


def _sign(form: Form, read: Part) -> None:
    """A part that is ordered by itself: without a recipe, somebody signs for the gate."""
    reason = form["reason"]
    if not gates.is_reason(reason):
        form.refuse(
            "reason",
            shown(reason),
            "a reason, with your name under it: parts are ordered from a recipe's"
            f" basket, where the stack is checked on paper (gate {gates.ORDER.number})",
        )
        return
    against = StoredAgainst(
        gates.ORDER, shelf_record.part_about(read.kind, read.code), (shelf_record.NO_STACK,)
    )
    acceptances.accept(db(), against, reason, actor=actor())


def _stale(kind: str, form: Form, before: Part | None, stale: store.PartStale) -> tuple[str, int]:
    if before is None:
        form.refuse("code", f"{shown(form['code'])}, which is on the shelf already", "a code of its own")
        return _part_page(kind, form.typed, faults=form.faults, before=None, version=0), 422
    version = stale.current.version
    return _part_page(
        kind, form.typed, faults=form.faults, before=before, version=version, theirs=stale.current
    ), 409


def _part_page(
    kind: str,
    typed: Mapping[str, str],
    faults: Mapping[str, str],
    before: Part | None,
    version: int,
    *,
    theirs: store.StoredPart | None = None,
) -> str:
    history = told(store.history(db(), kind, before.code)) if before else []
    between = theirs_view(theirs, typed) if theirs else {"theirs": None}
    shown_part = part_view(kind, typed, faults, before)
    return render_template(
        "shelf/part.html", version=version, before=before, history=history, **between, **shown_part
    )


@shelf.post("/<kind>/<path:code>/back")
def back(kind: str, code: str) -> BaseResponse:
    """Bring a part back to what it was before one of its changes."""
    was, says = store.as_before(db(), _kind(kind), code, known_id(sent_form().raw("change")))
    part = put_back(was, store.parts_by_code(db(), [(kind, code)]).get((kind, code)))
    version = known_version(sent_form().raw("version"))
    here = redirect(url_for("shelf.part", kind=kind, code=code))
    try:
        store.save_part(db(), part, expected_version=version, entry=entry(shelf_record.put_back_words(says)))
    except store.PartStale as stale:
        db().rollback()
        flash(
            f"Nothing was changed: {stale.current.changed_by} saved this part in between."
            " Look at it, then put it back."
        )
        return here
    db().commit()
    again = ""
    if part.state != was.state:
        again = f" Its state is idea: an order goes through a recipe's basket (gate {gates.ORDER.number})."
    flash(f"{code} is put back to what it was before “{says}”.{again}")
    return here


@shelf.post("/<kind>/<path:code>/remove")
def remove(kind: str, code: str) -> BaseResponse:
    """Take a part off the shelf."""
    version = known_version(sent_form().raw("version"))
    try:
        store.remove_part(db(), _kind(kind), code, expected_version=version, actor=actor())
    except store.PartStale as stale:
        db().rollback()
        who = stale.current.changed_by
        flash(f"Nothing was changed: {who} saved this part in between. Look at it, then take it off.")
        return redirect(url_for("shelf.part", kind=kind, code=code))
    db().commit()
    flash(f"{code} is off the shelf; its record stays, and it can be put back.")
    return redirect(url_for("shelf.part", kind=kind, code=code))


# -- tables in and out -----------------------------------------------------------------------


@shelf.get("/tables/<kind>.csv")
def table(kind: str) -> Response:
    """Give the parts of a kind as a table."""
    text = write_table(store.all_of(db(), [_kind(kind)]), kind)
    response = Response(text, content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{name_of_table(kind)}"'
    return response


@shelf.post("/take-in")
def take_in() -> BaseResponse | tuple[str, int]:
    """Take in a table: whole, or only its good rows where the person says so. A large one is read behind the page."""
    kind = _kind(sent_form().raw("kind"))
    seen = known_id(sent_form().raw("version"))
    if token := sent_form().raw("token"):
        reading = reading_of(token)
        if reading is None:
            flash("That table is not here any more: choose its file again.")
            return redirect(url_for("shelf.page", kind=kind))
        if not reading.is_read:
            return redirect(url_for("shelf.table_read", token=token), 303)
        return _take_in(
            reading.said["kind"], reading.name, text="", read=reading.result, seen=seen, token=token
        )
    name, text = sent()
    if len(text) > AT_ONCE:
        token = begin(read_behind, text, kind, name=name, kind=kind, seen=seen)
        return redirect(url_for("shelf.table_read", token=token), 303)
    return _take_in(kind, name, text=text, read=read_table(text, kind), seen=seen)


def _take_in(
    kind: str, name: str, text: str | bytes, read: TableRead, seen: int, token: str = ""
) -> BaseResponse | tuple[str, int]:
    # What others did to the shelf since it was seen is looked at while nobody does more.
    store.hold(db())
    table = laid_beside(kind, name, text, read, seen=seen, token=token)
    if table.refused or table.clashes:
        return take_in_page(table), 422 if table.refused else 409
    for code in table.ordered:
        against = StoredAgainst(gates.ORDER, shelf_record.part_about(kind, code), (shelf_record.NO_STACK,))
        acceptances.accept(db(), against, table.reason, actor=actor())
    counts = store.take_in(db(), table.read.parts, entry=entry(f"taken in from {table.name}"))
    db().commit()
    flash(table.words(*counts))
    return redirect(url_for("shelf.page", kind=kind))


@shelf.get("/take-in/<token>")
def table_read(token: str) -> BaseResponse | str:
    """Show a large table once it is read: what is wrong with it, or that it can be taken in."""
    reading = reading_of(token)
    if reading is None:
        abort(404)
    if not reading.is_read:
        return still_reading(reading)
    said = reading.said
    return take_in_page(
        laid_beside(said["kind"], reading.name, "", reading.result, seen=said["seen"], token=token)
    )


# -- rules of fit ------------------------------------------------------------------------------


@shelf.route("/rules", methods=["GET", "POST"])
def rules() -> BaseResponse | str | tuple[str, int]:
    """Show the rules of fit, and put the shop's own in force."""
    if request.method == "GET":
        return _rules_page("", "")
    if sent_form().raw("usual"):
        return _put_in_force(None, "")
    text = sent_form().raw("rules")
    try:
        own = rules_from_data(document_from_text(text))
    except BuildFaults as error:
        return _rules_page(text, str(error.faults[0])), 422
    except QuantityError as error:
        return _rules_page(text, told_error(error)), 422
    except (TypeError, AttributeError, ValueError):
        return _rules_page(
            text, "Found data of another shape; wanted machinings and rules as they stood."
        ), 422
    return _put_in_force(own, text)


def _put_in_force(own: FitRules | None, text: str) -> BaseResponse | tuple[str, int]:
    """Put rules of fit in force, unless somebody did since the page was opened."""
    says = shelf_record.RULES_USUAL if own is None else shelf_record.RULES_CHANGED
    try:
        fit_rules.save(db(), own, entry=entry(says), seen=known_version(sent_form().raw("version")))
    except Moved as moved:
        db().rollback()
        fault = (
            f"{moved.newest.actor} put other rules in force since you opened the page: they stand above."
            " Nothing of yours is written yet; put yours in force again, or leave."
        )
        return _rules_page(text, fault), 409
    db().commit()
    whose = "usual" if own is None else "shop's own"
    flash(f"The {whose} rules of fit are in force.")
    return redirect(url_for("shelf.rules"))


def _rules_page(text: str, fault: str) -> str:
    shown = rules_view(fit_rules.in_force(db()), text, fault, reader())
    return render_template("shelf/rules.html", version=fit_rules.newest(db()).number, **shown)
