"""A build in one line of the shop floor: what it is, where it stands, what is wrong."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..build.model import Build
from ..errors import ZygometraError
from ..house_rules import HouseRules
from ..measuring.read_in import read_measured
from ..stack.evaluate import evaluate
from ..stack.results import State
from ..wording import SYSTEMS, Reader
from .collect import findings

RESULTS = ("compression_ratio", "quench", "deck_clearance")


def summarise(document: Mapping[str, Any], rules: HouseRules) -> dict[str, Any]:
    """Return the summary that the shop floor lists.

    Parameters
    ----------
    document : dict
        A build document that was checked, its facts in it.
    rules : HouseRules
        In force for it.

    Returns
    -------
    dict
        Layout, holes, displacement (cc), least and most of ratio, quench and
        clearance (mm) now and planned, how many findings of each severity, and the
        worst of them; or ``error`` where it cannot be evaluated.
    """
    return summarise_build(read_measured(document), rules)


def summarise_build(build: Build, rules: HouseRules) -> dict[str, Any]:
    """Return the summary of a build that is at hand.

    Parameters
    ----------
    build : Build
        With the figures that its readings give.
    rules : HouseRules
        In force for it.

    Returns
    -------
    dict
        As :func:`summarise` gives it.
    """
    what = {
        "layout": build.layout,
        "holes": len(build.cylinders),
        "planned": len(build.planned),
        "cut": sorted({one.place.op for one in build.cuts.passes}),
        "school": build.school,
    }
    try:
        evaluation = evaluate(build)
    except ZygometraError as error:
        return what | {
            "error": str(error),
            "counts": {"stop": 1, "warn": 0, "note": 0},
            "worst": error_read(error),
        }
    found = findings(build, evaluation, rules)
    worst = (
        {system: findings(build, evaluation, rules, read)[0].says for system, read in _READ.items()}
        if found
        else {}
    )
    return what | {
        "displacement_cc": evaluation.now.displacement_cc,
        "now": _ranges(evaluation.now),
        "planned_state": _ranges(evaluation.planned),
        "counts": {s: sum(f.severity == s for f in found) for s in ("stop", "warn", "note")},
        "worst": worst,
    }


# A sentence is kept as each system reads it, with signs in place of the words that a person chooses.
_QUENCH, _DECK = "\ue000", "\ue001"
_READ = {system: Reader(system, _QUENCH, _DECK) for system in SYSTEMS}


def error_read(error: ZygometraError) -> dict[str, str]:
    """Return why a build cannot be evaluated, as each system reads it.

    Parameters
    ----------
    error : ZygometraError
        What was raised.
    """
    return {system: error.says.written(read) for system, read in _READ.items()}


def worst_read(worst: Any, reader: Reader) -> str:
    """Return the worst that is to be said of a build, as a person reads it.

    Parameters
    ----------
    worst : Mapping or str
        From a summary.
    reader : Reader
        Who reads.
    """
    text = worst.get(reader.system, "") if isinstance(worst, Mapping) else str(worst or "")
    said: str = text.replace(_QUENCH, reader.quench).replace(_DECK, reader.deck)
    return said


def _ranges(state: State) -> dict[str, list[float] | None]:
    ranges: dict[str, list[float] | None] = {}
    for name in RESULTS:
        values = [getattr(hole.outcome, name) for hole in state.holes]
        ranges[name] = None if None in values else [min(values), max(values)]
    return ranges
