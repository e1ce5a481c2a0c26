"""The evaluation and its findings as an open document (format zygometra.evaluation)."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterable, Mapping
from typing import Any

from zygometra.core.cutting.gates import GateStanding
from zygometra.core.cutting.release import Release
from zygometra.core.findings.said import Finding
from zygometra.core.measuring.rooms import RoomAt
from zygometra.core.stack.difference import difference
from zygometra.core.stack.results import Evaluation, Hole, State

# The room over domes and pads, by hole.
Rooms = Mapping[int, tuple[RoomAt, ...]]
NO_ROOMS: Rooms = {}


def evaluation_document(
    evaluation: Evaluation,
    findings: tuple[Finding, ...],
    gates: tuple[GateStanding, ...] = (),
    sheets: tuple[Release, ...] = (),
    over: tuple[Rooms, Rooms] = (NO_ROOMS, NO_ROOMS),
) -> dict[str, Any]:
    """Return what ``zygometra evaluate`` prints. Numbers are unrounded.

    Parameters
    ----------
    evaluation : Evaluation
        Both states.
    findings : tuple of Finding
        About them.
    gates : tuple of GateStanding
        That its cuts meet.
    sheets : tuple of Release
        Of its cuts.
    over : tuple of two Mapping
        The room over domes and pads that were read, now and as planned, by hole in mm.

    Returns
    -------
    dict
        The document.
    """
    return {
        "format": "zygometra.evaluation",
        "version": 1,
        "now": state_document(evaluation.now, over[0]),
        "planned": state_document(evaluation.planned, over[1]),
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
        "gates": [
            {"number": one.gate.number, "state": one.state, "against": one.against.key} for one in gates
        ],
        "sheets": [
            {
                "op": one.against.op,
                "bank": one.against.bank or None,
                "state": one.state,
                "why": list(one.why()),
            }
            for one in sheets
        ],
    }


# The results of a hole by the names they have in the file.
_RESULTS = {
    "deck_clearance_mm": "deck_clearance",
    "quench_mm": "quench",
    "clearance_cc": "clearance",
    "compression_ratio": "compression_ratio",
    "swept_cc": "swept",
    "effective_ratio": "effective",
}


def state_document(state: State, over: Rooms = NO_ROOMS) -> dict[str, Any]:
    """Return one state: the engine's figures, every hole's, every two holes', every deck's line.

    Parameters
    ----------
    state : State
        Now, or planned.
    over : Mapping
        The room over domes and pads that were read, by hole in mm.

    Returns
    -------
    dict
        With ``null`` where a figure is missing, where there is no room above the piston, or no cam.
    """
    return {
        "displacement_cc": state.displacement_cc,
        "rod_ratio": state.rod_ratio,
        "u": {"displacement_cc": _number(state.displacement_u), "rod_ratio": _number(state.rod_ratio_u)},
        "cylinders": [_hole_document(hole, over.get(hole.number, ())) for hole in state.holes],
        "pairs": [_pair(*two) for two in itertools.combinations(state.holes, 2)],
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


def _hole_document(hole: Hole, over: Iterable[RoomAt]) -> dict[str, Any]:
    values = _values(hole)
    spreads = {name: getattr(hole.outcome.doubts, result) for name, result in _RESULTS.items()}
    known = {name: value for name, value in values.items() if value is not None}
    return {
        "number": hole.number,
        "bank": hole.bank,
        "deck_clearance_mm": values["deck_clearance_mm"],
        "quench_mm": values["quench_mm"],
        "swept_cc": values["swept_cc"],
        "clearance_cc": values["clearance_cc"],
        "compression_ratio": values["compression_ratio"],
        "effective_ratio": values["effective_ratio"],
        "above_rim_mm": hole.above_rim,
        "room_at": [{"on": one.on, "mm": one.value, "u": _number(one.uncertainty.u)} for one in over],
        "u": {name: _number(spreads[name].u) if name in known else None for name in values},
        "dof": {name: _dof(spreads[name].dof) if name in known else None for name in values},
        "low": {
            name: _number(known[name] - spreads[name].half) if name in known else None for name in values
        },
        "high": {
            name: _number(known[name] + spreads[name].half) if name in known else None for name in values
        },
    }


def _values(hole: Hole) -> dict[str, float | None]:
    """A hole's results; a volume of nought or less is none."""
    o = hole.outcome
    values = {name: getattr(o, result) for name, result in _RESULTS.items()}
    if o.clearance is None or o.clearance <= 0:
        values["clearance_cc"] = None
    return values


def _pair(first: Hole, second: Hole) -> dict[str, Any]:
    """Two holes, first minus second."""
    ours, theirs = _values(first), _values(second)
    told: dict[str, dict[str, float | None]] = {"u": {}, "dof": {}, "low": {}, "high": {}}
    for name, result in _RESULTS.items():
        a, b = ours[name], theirs[name]
        row: tuple[float | None, ...] = (None,) * 4
        if a is not None and b is not None:
            spread = difference(first, second, result)
            low, high = a - b - spread.half, a - b + spread.half
            row = (_number(spread.u), _dof(spread.dof), _number(low), _number(high))
        for part, value in zip(told.values(), row, strict=True):
            part[name] = value
    return {"between": [first.number, second.number], **told}


def _dof(value: float) -> float | None:
    """Degrees of freedom as the file has them: null for infinite."""
    return value if math.isfinite(value) else None


def _number(value: float) -> float | None:
    """A number as JSON has it: the doubt of what is not known is null."""
    return None if math.isnan(value) else value
