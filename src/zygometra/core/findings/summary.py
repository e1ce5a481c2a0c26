"""A build in one line of the shop floor: what it is, where it stands, what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..build.document import read_document
from ..errors import ZygometraError
from ..house_rules import HouseRules
from ..stack.evaluate import evaluate
from ..stack.results import State
from .collect import findings

RESULTS = ("compression_ratio", "quench", "deck_clearance")


def summarise(document: Mapping[str, Any], rules: HouseRules) -> dict[str, Any]:
    """Return the summary that the shop floor lists.

    Parameters
    ----------
    document : dict
        A build document that was checked.
    rules : HouseRules
        In force for it.

    Returns
    -------
    dict
        Layout, holes, displacement (cc), least and most of ratio, quench and
        clearance (mm) now and planned, how many findings of each severity, and the
        worst of them; or ``error`` where it cannot be evaluated.
    """
    build = read_document(document)
    what = {
        "layout": build.layout,
        "holes": len(build.cylinders),
        "planned": len(build.planned),
        "school": build.school,
    }
    try:
        evaluation = evaluate(build)
    except ZygometraError as error:
        return what | {"error": str(error), "counts": {"stop": 1, "warn": 0, "note": 0}, "worst": str(error)}
    found = findings(build, evaluation, rules)
    return what | {
        "displacement_cc": evaluation.now.displacement_cc,
        "now": _ranges(evaluation.now),
        "planned_state": _ranges(evaluation.planned),
        "counts": {s: sum(f.severity == s for f in found) for s in ("stop", "warn", "note")},
        "worst": found[0].says if found else "",
    }


def _ranges(state: State) -> dict[str, list[float] | None]:
    ranges: dict[str, list[float] | None] = {}
    for name in RESULTS:
        values = [getattr(hole.outcome, name) for hole in state.holes]
        ranges[name] = None if None in values else [min(values), max(values)]
    return ranges
