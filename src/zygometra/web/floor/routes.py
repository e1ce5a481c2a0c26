"""Routes of the shop floor: the list, a new build, a copy, an import."""

from __future__ import annotations

from collections.abc import Mapping

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import Document
from zygometra.core.build.record import STARTED, copied_words, taken_in_words
from zygometra.core.errors import BuildFaults, Fault
from zygometra.core.stages import STAGE
from zygometra.core.typed import known_id, made_printable
from zygometra.exchange.build_file import MOST_BYTES, build_from_text
from zygometra.store import builds

from ..db import db
from ..forms.form import Form
from ..forms.read import name
from ..people import entry, reader
from ..stations import counted
from .new import read_new
from .view import list_view, new_view

floor = Blueprint("floor", __name__, template_folder="templates")
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
    if request.form.get("copy_of"):
        return _copy()
    form = Form(request.form, reader())
    document = read_new(form)
    if document is None:
        return _new_page(form.typed, form.faults), 422
    return _begin(document, STARTED)


def _new_page(typed: Mapping[str, str], faults: Mapping[str, str]) -> str:
    known = builds.listed(db(), limit=_MOST_KNOWN)
    from_id = known_id(request.values.get("copy_of"))
    return render_template("floor/new.html", **new_view(typed, faults, known, from_id))


def _begin(document: Document, says: str) -> BaseResponse:
    build_id = builds.create(db(), document, entry=entry(says))
    db().commit()
    return redirect(url_for("stack.page", build_id=build_id))


def _copy() -> BaseResponse | tuple[str, int]:
    form = Form(request.form, reader())
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
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        fault = Fault("$", "no file", "a build file, chosen or dropped on the floor")
        return _import_faults("no file", [fault])
    called = made_printable(upload.filename)
    try:
        document, build = build_from_text(upload.stream.read(MOST_BYTES + 1))
    except BuildFaults as error:
        return _import_faults(called, error.faults)
    flash(f"“{build.name}” was taken in from {called[:80]}.")
    return _begin(document, taken_in_words(called))


def _import_faults(of: str, faults: list[Fault]) -> tuple[str, int]:
    shown = {"name": of[:120], "faults": faults[:_MOST_FAULTS], "count": counted(len(faults), "fault")}
    return render_template("floor/import.html", **shown), 422
