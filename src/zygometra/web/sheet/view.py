"""The cut sheet as it is shown and printed."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import date
from typing import Any

from zygometra.core.cutting.judged import cuts_of
from zygometra.core.cutting.meant import to_come_as_meant
from zygometra.core.cutting.release import SHEETS
from zygometra.core.cutting.running import faces_of
from zygometra.core.cutting.sheet import face_sheet
from zygometra.core.digits import figure
from zygometra.core.findings.ends import asked_before_a_crown_is_cut
from zygometra.core.stack import cut_sheet
from zygometra.core.stack.evaluate import evaluate

from .. import urls
from ..build.bench import Bench, engine_line
from ..cutlog.made import made_words
from ..cutlog.view import called
from ..outside import address_outside
from ..people import person
from ..words import counted
from ..work.released import ReleaseShown, released

# How many of the things to check stand on the sheet.
_MOST_CHECKS = 5
_LEVEL = ("0.00", "−0.00")


# long: what one sheet shows, part by part
def view(bench: Bench, reference: str) -> dict[str, Any]:
    """Return what the sheet shows; nothing of it where the build cannot be evaluated, or a crown is to be described.

    Parameters
    ----------
    bench : Bench
        The build.
    reference : str
        What the set-up goes by; the crank where it is none that is known.

    Returns
    -------
    dict
        For the templates.
    """
    evaluation = bench.evaluation
    if evaluation is None:
        return {}
    if asks := asked_before_a_crown_is_cut(bench.findings):
        return {"asks": asks}
    meant = to_come_as_meant(bench.build)
    if meant is not bench.build:
        # A sheet says what is meant, from before the first pass; how far it is stands in the log.
        evaluation = evaluate(meant)
    chosen = reference if reference in cut_sheet.REFERENCES else "crank"
    known = (deck for deck in evaluation.planned.decks if deck.slope_mm_per_m is not None)
    slopes = [(deck.bank, figure(deck.slope_mm_per_m, 2)) for deck in known]
    stops = [f for f in bench.findings if f.severity == "stop"]
    document = bench.document
    return {
        "document": document,
        "engine": engine_line(bench.build, document, evaluation.planned),
        "about": _about(document),
        "version_of_build": bench.stored.version,
        "several": bench.several_banks,
        "result_heads": _result_heads(bench),
        "cuts": cut_sheet.cuts(meant, evaluation, bench.reader),
        "results": cut_sheet.results(evaluation, bench.reader),
        "basis": cut_sheet.figures_behind(evaluation, bench.reader),
        "cautions": cut_sheet.CAUTIONS,
        "references": list(cut_sheet.REFERENCES.items()),
        "reference": chosen,
        "reference_words": cut_sheet.REFERENCES[chosen],
        **{
            f"has_{op}": any(one.op == f"{op}_cut" for one in bench.build.planned)
            for op in ("deck", "head", "crown")
        },
        "stops": stops,
        "stops_words": counted(len(stops), "stop"),
        "checks": [f for f in bench.findings if f.severity == "warn"][:_MOST_CHECKS],
        "decks": [(bank, slope) for bank, slope in slopes if slope not in _LEVEL],
        "faces": _faces(bench),
        "off": made_words(bench),
        "releases": [(words, one) for words, one in _releases(bench) if one.state != "released"],
        "fact": bench.kept.facts.seq,
        "today": date.today().isoformat(),
        "maker": person(),
        "address": address_outside(urls.station(bench.id, "sheet")),
    }


def _result_heads(bench: Bench) -> list[str]:
    reader = bench.reader
    return [
        "Hole",
        *(["Bank"] if bench.several_banks else []),
        f"{reader.deck.capitalize()} clearance",
        reader.quench.capitalize(),
        "95 %",
        "Ratio now",
        "Ratio",
        "95 %",
        "Read after cut",
    ]


def _faces(bench: Bench) -> list[tuple[str, str, str]]:
    """The faces that have a page of their own."""
    places = faces_of(bench.build)
    own = (place for place in places if face_sheet(bench.build, place, bench.rules) is not None)
    return [(called(bench, place), place.op, place.bank) for place in own]


def _releases(bench: Bench) -> list[tuple[str, ReleaseShown]]:
    """How the sheet of every cut stands that is planned or made."""
    cuts = (one for one in cuts_of(bench.build) if one.op in SHEETS)
    return [
        (one.words(several_banks=bench.several_banks).capitalize(), shown)
        for one in cuts
        if (shown := released(bench, one)) is not None
    ]


def _about(document: Mapping[str, Any]) -> str:
    """For whom it is, and what for."""
    customer = f"for {document['customer']}" if document.get("customer") else ""
    return " · ".join(filter(None, (customer, document.get("duty"))))
