"""Routes of the aim: what the build is for, its windows, its limits, the gaskets to be had."""

from __future__ import annotations

from collections.abc import Mapping

from flask import Blueprint, make_response, redirect, url_for
from werkzeug.wrappers import Response as BaseResponse

from zygometra.core.build.document import differences
from zygometra.core.build.record import aim_words
from zygometra.core.errors import BuildFaults

from ..build.bench import Bench, open_bench
from ..build.page import render
from ..build.saving import save as save_build
from ..forms.form import sent_form, words_of
from .form import document_of, form_of, slot_of
from .view import view

aim = Blueprint("aim", __name__, template_folder="templates")


@aim.get("/builds/<int:build_id>/aim")
def page(build_id: int) -> str:
    """Show what is wanted of a build."""
    bench = open_bench(build_id)
    return _page(bench, form_of(bench.document), {})


def _page(bench: Bench, form: Mapping[str, str], faults: Mapping[str, str]) -> str:
    return render(bench, "aim", "aim/page.html", faults=faults, **view(bench, form, faults))


@aim.post("/builds/<int:build_id>/aim")
def save(build_id: int) -> BaseResponse:
    """Save what is wanted."""
    bench = open_bench(build_id)
    form = sent_form()
    document = document_of(bench.document, form)
    refused = None
    if not form.faults:
        says = aim_words(differences(bench.document, document))
        try:
            refused = save_build(bench, document, says)
        except BuildFaults as error:
            form.faults |= {slot_of(f.path): words_of(f) for f in error.faults}
    if form.faults:
        return make_response(_page(bench, form.typed, form.faults), 422)
    return refused or redirect(url_for("aim.page", build_id=build_id))
