"""Routes of the parts shelf."""

from __future__ import annotations

import json
from typing import Any

from flask import Blueprint, Response, abort, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.model import ROD_MATERIALS
from zygometra.core.errors import BuildFaults, QuantityError, shown
from zygometra.core.house_rules import BASES
from zygometra.core.mix.parts import KIND, KINDS, ORDER_GATE, STATES, Part, newly_ordered, put_back
from zygometra.core.mix.rules import rules_as_data, rules_from_data
from zygometra.core.mix.usual import USUAL
from zygometra.core.wording import Reader, money
from zygometra.exchange.build_file import document_from_text
from zygometra.exchange.shelf_csv import MOST_BYTES, file_name, read_table, write_table
from zygometra.store import acceptances, fit_rules
from zygometra.store import shelf as store

from ..db import db
from ..people import person, reader
from .typed import TypedPart, form_of, read_form

shelf = Blueprint("shelf", __name__, template_folder="templates", url_prefix="/shelf")
PAGE = 60
OFF = "off the shelf"
NO_STACK = "no stack on paper stands behind it"


def _kind(key: str) -> str:
    if key not in KIND:
        abort(404)
    return key


@shelf.get("")
def page() -> str:
    """List the parts of a kind."""
    kind = request.args.get("kind", "crank")
    kind = kind if kind in KIND else "crank"
    search, state = request.args.get("q", "")[:100], request.args.get("state", "")
    at = max(request.args.get("from", 0, int), 0)
    gone = store.taken_off(db(), kind, search=search) if state == OFF else ()
    parts, count = (
        store.listed(db(), kind, search=search, state=state, limit=PAGE, offset=at)
        if state != OFF
        else ((), len(gone))
    )
    template = "shelf/list.html" if request.headers.get("HX-Target") == "parts" else "shelf/page.html"
    return render_template(
        template,
        kind=KIND[kind],
        kinds=KINDS,
        counts=store.counts(db()),
        count=count,
        at=at,
        size=PAGE,
        search=search,
        state=state,
        states=STATES,
        off=OFF,
        gone=gone,
        money=_money,
        rows=[(part, _figures(part, reader())) for part in parts],
    )


def _money(part: Part) -> str:
    return _price(part.price)


def _price(cents: int | None) -> str:
    return "not known" if cents is None else money(cents)


def _figures(part: Part, read_as: Reader) -> list[tuple[str, str]]:
    """The few figures of a part that decide most, written out."""
    out = []
    for dimension in KIND[part.kind].dimensions[:6]:
        quantity = part.quantity(dimension.name)
        if quantity is not None:
            out.append((dimension.label, read_as.quantity(quantity).removesuffix(" off")))
        elif dimension.required:
            out.append((dimension.label, "missing"))
    return out + [(t.label, part.texts[t.name]) for t in KIND[part.kind].texts if part.texts.get(t.name)][:2]


# -- one part ---------------------------------------------------------------------------


@shelf.route("/<kind>/new", methods=["GET", "POST"])
def new(kind: str) -> BaseResponse | str | tuple[str, int]:
    """Put a new part on the shelf."""
    if request.method == "POST":
        return _save(_kind(kind), None, 0)
    return _part_page(_kind(kind), TypedPart({"state": "idea", "on_shelf": "0"}), None, 0)


@shelf.route("/<kind>/<path:code>", methods=["GET", "POST"])
def part(kind: str, code: str) -> BaseResponse | str | tuple[str, int]:
    """Show one part, and save what was changed on it."""
    try:
        stored = store.load_part(db(), _kind(kind), code)
    except store.PartNotThere:
        past = store.history(db(), kind, code)
        if not past or request.method == "POST":
            raise
        return render_template(
            "shelf/off.html", kind=KIND[kind], code=code, version=0, history=past, words=_change_words
        )
    if request.method == "POST":
        return _save(kind, stored.part, request.form.get("version", 0, int))
    return _part_page(kind, TypedPart(form_of(stored.part)), stored.part, stored.version)


def _save(kind: str, before: Part | None, version: int) -> BaseResponse | tuple[str, int]:
    read = read_form(request.form, kind, reader(), before)
    reason = request.form.get("reason", "").strip()
    if read.part is not None and newly_ordered(read.part, before):
        about = f"part {kind} {read.part.code}"
        if not acceptances.is_reason(reason):
            read.faults["reason"] = (
                f"Found {shown(reason)}; wanted a reason, with your name under it: parts are ordered from a recipe's"
                " basket, where the stack is checked on paper (gate 14)."
            )
        else:
            acceptances.accept(db(), ORDER_GATE, about, [NO_STACK], reason, actor=person())
    if read.faults or read.part is None:
        return _part_page(kind, read, before, version), 422
    try:
        store.save_part(
            db(),
            read.part,
            expected_version=version,
            actor=person(),
            says="changed" if before else "put on the shelf",
        )
    except store.PartStale as stale:
        db().rollback()
        if before is None:
            read.faults["code"] = (
                f"Found {shown(read.part.code)}, which is on the shelf already; wanted a code of its own."
            )
            return _part_page(kind, read, None, 0), 422
        return _part_page(kind, read, before, stale.current.version, theirs=stale.current), 409
    db().commit()
    flash(f"{read.part.code} is saved.")
    return redirect(url_for("shelf.part", kind=kind, code=read.part.code))


def _part_page(
    kind: str, read: TypedPart, before: Part | None, version: int, theirs: store.StoredPart | None = None
) -> str:
    return render_template(
        "shelf/part.html",
        kind=KIND[kind],
        code=before.code if before else "",
        typed=read.typed,
        faults=read.faults,
        before=before,
        version=version,
        theirs=theirs,
        theirs_form=form_of(theirs.part) if theirs else {},
        states=[(s, s) for s in STATES],
        bases=BASES,
        materials=ROD_MATERIALS,
        history=store.history(db(), kind, before.code) if before else (),
        words=_change_words,
    )


def _change_words(change: store.PartChange) -> list[tuple[str, str, str]]:
    """What a change changed, leaf by leaf."""
    if change.before is None or change.after is None:
        return []
    out = []
    for key in change.after:
        was, now = change.before.get(key), change.after[key]
        if key in ("figures", "texts"):
            for name in sorted({*(was or {}), *now}):
                if (was or {}).get(name) != now.get(name):
                    out.append((name.replace("_", " "), _leaf((was or {}).get(name)), _leaf(now.get(name))))
        elif was != now and key == "price":
            out.append((key, _price(was), _price(now)))
        elif was != now:
            out.append((key.replace("_", " "), _leaf(was), _leaf(now)))
    return out


def _leaf(value: Any) -> str:
    if value is None:
        return "nothing"
    return json.dumps(value, ensure_ascii=False) if isinstance(value, (dict, list)) else str(value)


@shelf.post("/<kind>/<path:code>/back")
def back(kind: str, code: str) -> BaseResponse:
    """Bring a part back to what it was before one of its changes."""
    was, says = store.as_before(db(), _kind(kind), code, request.form.get("change", 0, int))
    part = put_back(was, store.parts_by_code(db(), [(kind, code)]).get((kind, code)))
    try:
        store.save_part(
            db(),
            part,
            expected_version=request.form.get("version", 0, int),
            actor=person(),
            says=f"put back as before: {says}",
        )
    except store.PartStale as stale:
        db().rollback()
        flash(
            f"Nothing was changed: {stale.current.changed_by} saved this part in between."
            " Look at it, then put it back."
        )
        return redirect(url_for("shelf.part", kind=kind, code=code))
    db().commit()
    again = (
        " Its state is idea: an order goes through a recipe's basket (gate 14)."
        if part.state != was.state
        else ""
    )
    flash(f"{code} is put back to what it was before “{says}”.{again}")
    return redirect(url_for("shelf.part", kind=kind, code=code))


@shelf.post("/<kind>/<path:code>/remove")
def remove(kind: str, code: str) -> BaseResponse:
    """Take a part off the shelf."""
    store.remove_part(db(), _kind(kind), code, actor=person())
    db().commit()
    flash(f"{code} is off the shelf; its record stays, and it can be put back.")
    return redirect(url_for("shelf.part", kind=kind, code=code))


# -- tables in and out -----------------------------------------------------------------------


@shelf.get("/tables/<kind>.csv")
def table(kind: str) -> Response:
    """Give the parts of a kind as a table."""
    text = write_table(store.all_of(db(), [_kind(kind)]), kind)
    response = Response(text, content_type="text/csv; charset=utf-8")
    response.headers["Content-Disposition"] = f'attachment; filename="{file_name(kind)}"'
    return response


@shelf.post("/take-in")
def take_in() -> BaseResponse | tuple[str, int]:
    """Take in a table: whole, or only its good rows where the person says so."""
    kind = _kind(request.form.get("kind", ""))
    upload = request.files.get("file")
    text: bytes | str = request.form.get("text", "")
    name = request.form.get("name", "a table")[:120]
    if upload is not None and upload.filename:
        text, name = upload.stream.read(MOST_BYTES + 1), upload.filename[:120]
    read = read_table(text, kind)
    known = store.parts_by_code(db(), ((p.kind, p.code) for p in read.parts))
    ordered = [p.code for p in read.parts if newly_ordered(p, known.get((p.kind, p.code)))]
    reason = request.form.get("reason", "").strip()
    wants_reason = bool(ordered) and not acceptances.is_reason(reason)
    if (read.faults and not request.form.get("good_rows")) or wants_reason or not read.parts:
        as_text = text if isinstance(text, str) else text.decode("utf-8-sig", "replace")
        return render_template(
            "shelf/take_in.html",
            kind=KIND[kind],
            name=name,
            faults=read.faults[:200],
            count=len(read.faults),
            good=len(read.parts),
            rows=read.rows,
            ordered=ordered if wants_reason else [],
            text=as_text,
            reason=reason,
        ), 422
    if ordered:
        for code in ordered:
            acceptances.accept(db(), ORDER_GATE, f"part {kind} {code}", [NO_STACK], reason, actor=person())
    added, changed = store.take_in(db(), read.parts, actor=person(), says=f"taken in from {name}")
    db().commit()
    faulty = read.rows - len(read.parts)
    left = f"; {faulty} row{'' if faulty == 1 else 's'} with faults left out" if read.faults else ""
    flash(
        f"From {name}: {added} new, {changed} changed, {len(read.parts) - added - changed} as they were{left}."
    )
    return redirect(url_for("shelf.page", kind=kind))


# -- rules of fit ------------------------------------------------------------------------------


@shelf.route("/rules", methods=["GET", "POST"])
def rules() -> BaseResponse | str | tuple[str, int]:
    """Show the rules of fit, and put the shop's own in force."""
    if request.method == "GET":
        return _rules_page("", "")
    if request.form.get("usual"):
        fit_rules.save(db(), None, actor=person(), says="back to the usual rules of fit")
        db().commit()
        flash("The usual rules of fit are in force.")
        return redirect(url_for("shelf.rules"))
    text = request.form.get("rules", "")
    try:
        own = rules_from_data(document_from_text(text))
    except BuildFaults as error:
        return _rules_page(text, str(error.faults[0])), 422
    except (QuantityError, TypeError, AttributeError, ValueError) as error:
        says = (
            str(error)
            if isinstance(error, QuantityError)
            else "Found data of another shape; wanted machinings and rules as they stood."
        )
        return _rules_page(text, says), 422
    fit_rules.save(db(), own, actor=person(), says="rules of fit changed")
    db().commit()
    flash("The shop's own rules of fit are in force.")
    return redirect(url_for("shelf.rules"))


def _rules_page(text: str, fault: str) -> str:
    in_force = fit_rules.in_force(db())
    data = json.dumps(rules_as_data(in_force), indent=1, ensure_ascii=False)
    return render_template(
        "shelf/rules.html", rules=in_force, own=in_force != USUAL, text=text or data, fault=fault
    )
