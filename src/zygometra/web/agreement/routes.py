"""Routes of the bench of decisions and agreement."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, make_response, redirect, render_template, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.cutting.agreement import specification
from zygometra.core.errors import QuantityError, shown
from zygometra.core.measuring.facts import FactKind
from zygometra.core.measuring.signed import PARTIES, WAYS
from zygometra.core.typed import plain_number

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..forms.form import Form, sent_form
from ..measure.noting import note_entry
from ..people import told_error
from ..printing import pdf_response
from .view import OPTIONS, printed, questions_of, view

agreement = Blueprint("agreement", __name__, template_folder="templates")


@agreement.get("/builds/<int:build_id>/agreement")
def page(build_id: int) -> str:
    """Show the specification, who agreed to it, and the questions."""
    bench = open_bench(build_id)
    return render(bench, "agreement", "agreement/page.html", tab="agreement", **view(bench))


@agreement.get("/builds/<int:build_id>/agreement.pdf")
def pdf(build_id: int) -> BaseResponse:
    """Hand the page to sign over as PDF."""
    bench = open_bench(build_id)
    html = render_template("agreement/print.html", **printed(bench))
    return pdf_response(html, f"agreement-{build_id}.pdf")


def _said(bench: Bench, says: str, status: int = 422) -> BaseResponse:
    shown_view = view(bench, fault=says, typed=sent_form().typed)
    return make_response(
        render(bench, "agreement", "agreement/page.html", tab="agreement", **shown_view), status
    )


def _kept(bench: Bench, kind: FactKind, body: dict[str, Any]) -> BaseResponse:
    noted = note_entry(bench, kind, body)
    if noted.bench is None:
        return _said(bench, noted.says, noted.status)
    return _back(bench)


def _back(bench: Bench) -> BaseResponse:
    return redirect(url_for("agreement.page", build_id=bench.id))


def _way(form: Form) -> dict[str, str]:
    return {"way": form.raw("way")} if form.raw("way") in WAYS else {}


@agreement.post("/builds/<int:build_id>/agreement/agree")
def agree(build_id: int) -> BaseResponse:
    """Note that a party agrees to the specification that its page showed."""
    bench = open_bench(build_id)
    form = sent_form()
    if form.raw("party") not in PARTIES:
        return _said(
            bench, f"Found the party {shown(form.raw('party'))}; wanted one of {', '.join(PARTIES)}."
        )
    said = {"party": form["party"], "name": form["name"]}
    if bench.kept.facts.says_already("agreement", form.raw("key"), said):
        return _back(bench)
    if form.raw("seen") != str(bench.stored.version):
        return _said(
            bench,
            "The specification changed since this page was made: look at it as it stands now, then agree.",
            409,
        )
    try:
        key = form.key
        name = form.words("name", "the name of who agrees", least=2, most=80)
    except QuantityError as error:
        return _said(bench, told_error(error))
    body = {
        "id": key,
        "party": form["party"],
        "name": name,
        **_way(form),
        "covers": specification(bench.build),
    }
    return _kept(bench, "agreement", body)


@agreement.post("/builds/<int:build_id>/agreement/ask")
def ask(build_id: int) -> BaseResponse:
    """Put a question: its options, what it rests on, who is asked, and what waits for it."""
    bench = open_bench(build_id)
    try:
        body = _question(bench, sent_form())
    except QuantityError as error:
        return _said(bench, told_error(error))
    return _kept(bench, "decision", body)


def _question(bench: Bench, form: Form) -> dict[str, Any]:
    text = form.words("text", "the question, in 5 to 400 characters", least=5, most=400)
    body: dict[str, Any] = {"id": form.key, "text": text, **_way(form)}
    for name, most in (("ask", 80), ("blocks", 400)):
        if words := form.words(name, f"text of up to {most} characters", most=most):
            body[name] = words
    options = [one for i in range(OPTIONS) if (one := _option(form, i))]
    if len({one["name"] for one in options}) < len(options):
        raise QuantityError("two options of one name", "each a name of its own")
    spec = specification(bench.build)
    rests = {place: spec[place] for i in range(3) if (place := form.raw(f"rests.{i}")) in spec}
    until = form.words("until", "the last moment, in up to 400 characters", most=400)
    fallback = form.words("fallback", "the way kept open, in up to 400 characters", most=400)
    if bool(until) != bool(fallback):
        raise QuantityError("a plan B without its last moment, or the other way round", "both, or neither")
    body |= {"options": options} if options else {}
    body |= {"rests_on": rests} if rests else {}
    if fallback:
        names = [one["name"] for one in options]
        if names and fallback not in names:
            raise QuantityError(shown(fallback), "as plan B one of the options: " + ", ".join(names))
        body["fallback"] = {"option": fallback, "until": until}
    return body


def _option(form: Form, i: int) -> dict[str, Any]:
    name = form.words(f"option.{i}", "an option in up to 400 characters", most=400)
    if not name:
        return {}
    option: dict[str, Any] = {"name": name}
    for key, what in (("cost", "what it costs, such as 240"), ("days", "in how many days, such as 5")):
        text = form[f"{key}.{i}"]
        if not text:
            continue
        option[key] = plain_number(text, what, low=0, high=1e6)
    if words := form.words(f"irreversible.{i}", "what cannot be undone", most=400):
        option["irreversible"] = words
    return option


@agreement.post("/builds/<int:build_id>/agreement/answer")
def answer(build_id: int) -> BaseResponse:
    """Note the answer to a question: which option, who gave it, by what way."""
    bench = open_bench(build_id)
    form = sent_form()
    asked = next((one for one in questions_of(bench) if one.id == form.raw("question")), None)
    if asked is None:
        return _said(bench, "That question is not there any more: choose one of those on this page.")
    names = [one.name for one in asked.options]
    try:
        option = form.words("option", "the answer, in up to 400 characters", least=1, most=400)
        who = form.words("who", "the name of who answered", least=2, most=400)
        says = form.words("says", "a note of up to 400 characters", most=400)
        key = form.key
    except QuantityError as error:
        return _said(bench, told_error(error))
    if names and option not in names:
        return _said(bench, f"Found {shown(option)}; wanted one of {', '.join(names)}.")
    body = {"id": key, "answers": asked.id, "option": option, "who": who, **_way(form)}
    return _kept(bench, "decision", body | ({"says": says} if says else {}))
