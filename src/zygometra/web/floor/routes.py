"""Routes of the shop floor: the list, a new build, a copy, an import."""

from __future__ import annotations

from typing import Any, NamedTuple

from flask import Blueprint, flash, redirect, render_template, request, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.errors import BuildFaults, Fault, shown
from zygometra.core.house_rules import BASES
from zygometra.core.wording import Reader, figure
from zygometra.exchange.build_file import MOST_BYTES, build_from_text
from zygometra.store import builds
from zygometra.store.builds import Listed
from zygometra.store.tables import STAGES

from ..db import db
from ..people import person, reader
from .new import ASKED, examples, read_new

floor = Blueprint("floor", __name__, template_folder="templates")


class Entry(NamedTuple):
    """One build of the list, written out."""

    build: Listed
    engine: str
    ratio: str
    quench: str
    clearance: str
    verdict: str
    word: str
    worst: str


@floor.get("/")
def page() -> str:
    """Show the builds of the shop, or those that a search finds."""
    search, stage = request.args.get("q", "")[:200], request.args.get("stage", "")
    found = builds.listed(db(), search=search, stage=stage if stage in STAGES else "")
    template = "floor/list.html" if request.headers.get("HX-Target") == "builds" else "floor/page.html"
    entries = [_entry(build, reader()) for build in found]
    return render_template(template, entries=entries, search=search, stage=stage, stages=STAGES)


def _entry(build: Listed, read_as: Reader) -> Entry:
    summary = build.summary
    holes = summary["holes"]
    engine = f"{build.family} {'single' if holes == 1 else summary['layout'] + ' ' + str(holes)}".strip()
    if "displacement_cc" in summary:
        engine += f" · {figure(summary['displacement_cc'], 0)} cc"
    counts = summary["counts"]
    verdict = "stop" if counts["stop"] else "warn" if counts["warn"] else "fine"
    word = {"stop": "Stop", "warn": "Check", "fine": "Fine"}[verdict]
    state = summary.get("planned_state") or {}
    return Entry(
        build,
        engine,
        _range(state.get("compression_ratio"), lambda v: figure(v, 2)),
        _range(state.get("quench"), read_as.length),
        _range(state.get("deck_clearance"), read_as.clearance),
        verdict,
        word,
        summary.get("worst", ""),
    )


def _range(values: list[float] | None, write: Any) -> str:
    if not values:
        return "—"
    low, high = write(values[0]), write(values[1])
    if low == high:
        return str(low)
    # "0.04 to 0.14 mm down": what both ends share is said once.
    first, last = low.split(" "), high.split(" ")
    return f"{first[0] if first[1:] == last[1:] else low} to {high}"


@floor.route("/builds/new", methods=["GET", "POST"])
def new() -> BaseResponse | tuple[str, int] | str:
    """Start a build from blank, or as a copy of another."""
    if request.method == "POST" and request.form.get("copy_of"):
        return _copy()
    typed: dict[str, str] = {}
    faults: dict[str, str] = {}
    if request.method == "POST":
        result = read_new(request.form, reader())
        if result.document is not None:
            build_id = builds.create(db(), result.document, actor=person(), says="started from blank")
            db().commit()
            return redirect(url_for("stack.page", build_id=build_id))
        typed, faults = result.typed, result.faults
    return _new_page(typed, faults)


def _new_page(typed: dict[str, str], faults: dict[str, str]) -> tuple[str, int] | str:
    known = builds.listed(db(), limit=500)
    page = render_template(
        "floor/new.html",
        typed=typed,
        faults=faults,
        asked=ASKED,
        examples=examples(),
        bases_choices=[(name, name) for name in BASES],
        known=known,
        from_id=request.values.get("copy_of", 0, int),
    )
    return (page, 422) if faults else page


def _copy() -> BaseResponse | tuple[str, int] | str:
    name = (request.form.get("copy_name") or "").strip()
    if not 0 < len(name) <= 120:
        fault = f"Found {shown(name)}; wanted a name of 1 to 120 characters for the copy."
        return _new_page(dict(request.form), {"copy_name": fault})
    source = builds.load(db(), request.form.get("copy_of", 0, int))
    document = {**source.document, "name": name}
    says = f"copied from {source.document['name']} (version {source.version})"
    build_id = builds.create(db(), document, actor=person(), says=says)
    db().commit()
    flash(f"This build was {says}.")
    return redirect(url_for("stack.page", build_id=build_id))


@floor.post("/builds/import")
def import_file() -> BaseResponse | tuple[str, int]:
    """Take in a build file, whole or not at all."""
    upload = request.files.get("file")
    if upload is None or not upload.filename:
        return _import_faults(
            "no file", [Fault("$", "no file", "a build file, chosen or dropped on the floor")]
        )
    try:
        document, build = build_from_text(upload.stream.read(MOST_BYTES + 1))
    except BuildFaults as error:
        return _import_faults(upload.filename, error.faults)
    build_id = builds.create(db(), document, actor=person(), says=f"taken in from {upload.filename[:120]}")
    db().commit()
    flash(f"“{build.name}” was taken in from {upload.filename[:80]}.")
    return redirect(url_for("stack.page", build_id=build_id))


def _import_faults(name: str, faults: list[Fault]) -> tuple[str, int]:
    return render_template("floor/import.html", name=name[:120], faults=faults[:200], count=len(faults)), 422
