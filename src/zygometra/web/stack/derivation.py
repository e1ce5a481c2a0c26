"""The working of a hole as its page shows it: steps, where the doubt comes from, what one step does."""

from __future__ import annotations

from typing import Any

from zygometra.core.digits import figure
from zygometra.core.fields import term_label
from zygometra.core.stack.budget import shares
from zygometra.core.stack.results import Hole
from zygometra.core.stack.sensitivity import sensitivities
from zygometra.core.stack.sources import chamber_model
from zygometra.core.stack.working import working
from zygometra.core.stack.working_steps import WorkingStep

from ..build.bench import Bench
from .what_if import WhatIf

_RESULTS = ("compression_ratio", "quench", "deck_clearance")
# The sources of doubt that are named, the largest first.
_MOST_SHARES = 8


def derivation(result: WhatIf, chosen: str, *, as_it_stands: bool) -> dict[str, Any]:
    """Return what the page of the working shows.

    Parameters
    ----------
    result : WhatIf
        The build with the plan on screen, and the hole.
    chosen : str
        Key of the step that was asked for.
    as_it_stands : bool
        True for today's state, whatever is planned.

    Returns
    -------
    dict
        For the template.
    """
    bench, evaluation = result.bench, result.bench.evaluation
    steps: tuple[WorkingStep, ...] = ()
    budget: list[tuple[str, str]] = []
    effects: list[tuple[str, str, str, str]] = []
    planned = bool(bench.build.planned) and not as_it_stands
    if evaluation is not None:
        hole = (evaluation.now if as_it_stands else evaluation.planned).hole(result.hole)
        steps = working(bench.build, hole, bench.reader)
        budget, effects = _budget(hole, chosen), _effects(bench, hole)
    return {
        "hole": result.hole,
        "steps": steps,
        "chosen": chosen or _RESULTS[0],
        "budget": budget,
        "effects": effects,
        "state_name": "as planned" if planned else "as it stands",
    }


def _budget(hole: Hole, chosen: str) -> list[tuple[str, str]]:
    key = chosen if chosen in _RESULTS else _RESULTS[0]
    largest = shares(hole.outcome, key)[:_MOST_SHARES]
    return [(term_label(share.term), figure(100 * share.share, 0)) for share in largest]


def _effects(bench: Bench, hole: Hole) -> list[tuple[str, str, str, str]]:
    reader = bench.reader
    steps = sensitivities(hole.outcome, chamber_model(bench.build, hole.sources), reader.system)
    return [
        (
            e.label,
            f"{figure(e.step, 0)} cc" if e.unit == "cc" else reader.length(e.step),
            figure(e.compression_ratio, 3),
            reader.length(e.quench_mm) if e.quench_mm else "—",
        )
        for e in steps
    ]
