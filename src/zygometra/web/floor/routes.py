"""Routes of the shop floor: the list, a new build, a copy, an import."""

from __future__ import annotations

from collections.abc import Mapping
from types import MappingProxyType

from flask import Blueprint, abort, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import Document
from zygometra.core.build.record import STARTED, copied_words, taken_in_words
from zygometra.core.errors import BuildFaults, Fault
from zygometra.core.measuring.facts import FactKind, FoundBy, ahead_of, came_with_a_file
from zygometra.core.stages import STAGE
from zygometra.core.typed import known_id, made_printable
from zygometra.exchange.build_file import MOST_BYTES, ReadBuild, build_from_text, read_behind
from zygometra.store import builds
from zygometra.store.facts import OtherFact, TooMany

from ..behind import AT_ONCE, begin, reading_of, still_reading
from ..db import db
from ..forms.form import sent_form
from ..forms.read import name
from ..measure.noting import almost_now
from ..people import entry, reader
from ..settling import settler
from ..words import counted
from .new import read_new
from .view import list_view, new_view

floor = Blueprint("floor", __name__, template_folder="templates")
Found = Mapping[tuple[FactKind, str], FoundBy]
_NONE: Found = MappingProxyType({})
# How many builds are offered to be copied, and how many faults of a file are told.
_MOST_KNOWN, _MOST_FAULTS = 500, 200


@floor.get("/")
def page() -> str:
    """Show the builds of the shop, or those that a search finds."""
    search, stage = request.args.get("q", "")[:200], request.args.get("stage", "")
    found = builds.listed(db(), search=search, stage=stage if stage in STAGE else "")
    template = "floor/list.html" if request.headers.get("HX-Target") == "builds" else "floor/page.html"
    return render_template(template, **list_view(found, search, stage, reader()))


@floor.route("/builds/new", methods=["GET", "POST"])
def new() -> BaseResponse | tuple[str, int] | str:
    """Start a build from blank, or as a copy of another."""
    if request.method == "GET":
        return _new_page({}, {})
    if sent_form().raw("copy_of"):
        return _copy()
    form = sent_form()
    document = read_new(form)
    if document is None:
        return _new_page(form.typed, form.faults), 422
    return _begin(document, STARTED)


def _new_page(typed: Mapping[str, str], faults: Mapping[str, str]) -> str:
    known = builds.listed(db(), limit=_MOST_KNOWN)
    from_id = known_id(request.values.get("copy_of"))
    return render_template("floor/new.html", **new_view(typed, faults, known, from_id))


def _begin(document: Document, says: str, found: Found = _NONE) -> BaseResponse | tuple[str, int]:
    try:
        build_id = builds.create(db(), document, entry=entry(says), found=found)
    except (OtherFact, TooMany) as refused:
        db().rollback()
        fault = Fault("$", str(refused), "facts with keys of their own, 20 000 at most")
        return _import_faults(document["name"], [fault])
    db().commit()
    if found:
        settler().wake()
    return redirect(url_for("stack.page", build_id=build_id))


def _copy() -> BaseResponse | tuple[str, int]:
    form = sent_form()
    called = form.take("copy_name", name(form["copy_name"], "the copy"))
    if called is None:
        return _new_page(form.typed, form.faults), 422
    source = builds.load(db(), known_id(form["copy_of"]))
    says = copied_words(source.document["name"], source.version)
    flash(f"This build was {says}.")
    return _begin({**source.document, "name": called}, says)


@floor.post("/builds/import")
def import_file() -> BaseResponse | tuple[str, int]:
    """Take in a build file, whole or not at all."""
    if token := sent_form().raw("token"):
        reading = reading_of(token)
        if reading is None:
            flash("That file is not here any more: choose it again.")
            return redirect(url_for("floor.page"))
        read: ReadBuild | None = reading.result if reading.is_read else None
        if read is None or read.document is None:
            return redirect(url_for("floor.file_read", token=token), 303)
        return _taken_in(reading.name, read.document, read.found)
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        fault = Fault("$", "no file", "a build file, chosen or dropped on the floor")
        return _import_faults("no file", [fault])
    called = made_printable(upload.filename)
    with upload.stream as stream:
        text = stream.read(MOST_BYTES + 1)
    if len(text) > AT_ONCE:
        return redirect(url_for("floor.file_read", token=begin(read_behind, text, name=called)), 303)
    try:
        document, _ = build_from_text(text)
    except BuildFaults as error:
        return _import_faults(called, error.faults)
    return _taken_in(called, document)


def _taken_in(called: str, document: Document, found: Found = _NONE) -> BaseResponse | tuple[str, int]:
    if faults := list(ahead_of(document, almost_now())):
        return _import_faults(called, faults)
    document = came_with_a_file(document)
    flash(f"“{document['name']}” was taken in from {called[:80]}.")
    return _begin(document, taken_in_words(called), found)


@floor.get("/builds/import/<token>")
def file_read(token: str) -> BaseResponse | tuple[str, int] | str:
    """Show a large build file once it is read: its faults, or that it can be taken in."""
    reading = reading_of(token)
    if reading is None:
        abort(404)
    if not reading.is_read:
        return still_reading(reading)
    document, _, faults = reading.result
    if document is None:
        return _import_faults(reading.name, faults)
    listed = ", ".join(
        counted(len(document[name]), word)
        for name, word in (("readings", "reading"), ("passes", "pass"), ("surveys", "survey"))
        if document.get(name)
    )
    return render_template(
        "ready.html",
        name=reading.name[:120],
        says=f"“{document['name']}”{f' with {listed}' if listed else ''} is read, and every figure of it is good.",
        action=url_for("floor.import_file"),
        token=token,
        take="Take it in",
        back=url_for("floor.page"),
    )


def _import_faults(of: str, faults: list[Fault]) -> tuple[str, int]:
    shown = {"name": of[:120], "faults": faults[:_MOST_FAULTS], "count": counted(len(faults), "fault")}
    return render_template("floor/import.html", **shown), 422
