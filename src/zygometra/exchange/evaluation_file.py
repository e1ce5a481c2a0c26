"""The evaluation and its findings as an open document (format zygometra.evaluation)."""

from __future__ import annotations

import math
from typing import Any

from zygometra.core.findings.said import Finding
from zygometra.core.stack.results import Evaluation, State


def evaluation_document(evaluation: Evaluation, findings: tuple[Finding, ...]) -> dict[str, Any]:
    """Return what ``zygometra evaluate`` prints. Numbers are unrounded.

    Parameters
    ----------
    evaluation : Evaluation
        Both states.
    findings : tuple of Finding
        About them.

    Returns
    -------
    dict
        The document.
    """
    return {
        "format": "zygometra.evaluation",
        "version": 1,
        "now": state_document(evaluation.now),
        "planned": state_document(evaluation.planned),
        "findings": [
            {
                "severity": f.severity,
                "code": f.code,
                "where": ", ".join(f.paths) or str(f.where),
                "says": f.says,
                "why": f.why,
                "do": f.do,
            }
            for f in findings
        ],
    }


# long: one document, key by key
def state_document(state: State) -> dict[str, Any]:
    """Return one state: the engine's figures, every hole's, every deck's line.

    Parameters
    ----------
    state : State
        Now, or planned.

    Returns
    -------
    dict
        With ``null`` where a figure is missing, where there is no room above the piston, or no cam.
    """
    cylinders = []
    for hole in state.holes:
        o = hole.outcome
        possible = o.clearance is not None and o.clearance > 0
        known = o._asdict()
        u = {
            name: None if known[name] is None else _number(spread[0])
            for name, spread in o.doubts._asdict().items()
        }
        cylinders.append(
            {
                "number": hole.number,
                "bank": hole.bank,
                "deck_clearance_mm": o.deck_clearance,
                "quench_mm": o.quench,
                "swept_cc": o.swept,
                "clearance_cc": o.clearance if possible else None,
                "compression_ratio": o.compression_ratio,
                "effective_ratio": o.effective,
                "u": {
                    "deck_clearance_mm": u["deck_clearance"],
                    "quench_mm": u["quench"],
                    "clearance_cc": u["clearance"],
                    "compression_ratio": u["compression_ratio"] if o.compression_ratio is not None else None,
                    "swept_cc": u["swept"],
                    "effective_ratio": u["effective"] if o.effective is not None else None,
                },
            }
        )
    return {
        "displacement_cc": state.displacement_cc,
        "rod_ratio": state.rod_ratio,
        "u": {"displacement_cc": _number(state.displacement_u), "rod_ratio": _number(state.rod_ratio_u)},
        "cylinders": cylinders,
        "decks": [
            {
                "bank": d.bank,
                "slope_along_mm_per_m": d.slope_mm_per_m,
                "first_cylinder_mm": d.first_cylinder_mm,
                "residuals_mm": list(d.residuals_mm),
            }
            for d in state.decks
        ],
    }


def _number(value: float) -> float | None:
    """A number as JSON has it: the doubt of what is not known is null."""
    return None if math.isnan(value) else value
