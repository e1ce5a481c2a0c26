"""What one step of each lever does to ratio and quench: the questions people ask."""

from __future__ import annotations

from typing import NamedTuple

from ..build.lever_table import LEVER, OpName
from ..errors import NoAnswer
from ..units import THOU, Kind, to_base
from .chamber import ChamberModel
from .in_hole import along
from .kernel import Slopes
from .results import HoleResult


class Sensitivity(NamedTuple):
    """The effect of one step of a lever.

    ``step`` in mm (cc for the chamber); ``compression_ratio`` and ``quench_mm`` are the
    changes for one step, from the slopes at the present state.
    """

    lever: str
    label: str
    step: float
    unit: str
    compression_ratio: float
    quench_mm: float


def steps_for(system: str) -> tuple[float, float]:
    """Return the step of a length in mm (0.1 mm, or 5 thou) and of a volume in cc.

    Parameters
    ----------
    system : {"mm", "inch"}
        The reader's system.

    Returns
    -------
    tuple of float
        Length in mm, volume in cc.

    Examples
    --------
    >>> steps_for("inch")
    (0.127, 1.0)
    """
    return (to_base(5, THOU) if system == "inch" else 0.1), 1.0


# In this order they are asked; the head where what milling takes is known.
_ASKED: tuple[tuple[OpName, str], ...] = (
    ("open_chamber", "chamber"),
    ("deck_cut", "deck cut"),
    ("head_cut", "head cut"),
    ("gasket", "gasket"),
    ("crown_cut", "crown cut"),
)


def sensitivities(
    outcome: HoleResult, chamber: ChamberModel | None, system: str = "mm"
) -> tuple[Sensitivity, ...]:
    """Return the effect of a step of each lever on one hole.

    Parameters
    ----------
    outcome : HoleResult
        The hole in the state asked about.
    chamber : ChamberModel or None
        What milling takes from the chamber; None where that is not known.
    system : {"mm", "inch"}
        Steps of 0.1 mm or of 5 thou.

    Returns
    -------
    tuple of Sensitivity
        Chamber, deck, head, gasket and crown; empty where there is no ratio, and without a head
        or crown cut of which nobody knows what it takes.

    Notes
    -----
    dCR = −(CR − 1)/Vc · dVc, dVc by the kernel's slopes: the ratio (Vs + Vc)/Vc
    differentiated (trade.md 3).
    """
    if outcome.compression_ratio is None or outcome.clearance is None:
        return ()
    length, cc = steps_for(system)
    per_cc = -(outcome.compression_ratio - 1) / outcome.clearance
    milled = _milled(outcome, chamber)
    rows = []
    for key, label in _ASKED:
        if (key == "head_cut" and milled <= 0) or (key == "crown_cut" and _is_untold(outcome)):
            continue
        lever = LEVER[key]
        step = cc if lever.kind is Kind.VOLUME else length
        slopes = Slopes(volume=-milled) if key == "head_cut" else along(outcome.figures, outcome.taken, key)
        by_volume = per_cc * slopes.volume
        rows.append(
            Sensitivity(
                lever=key,
                label=label,
                step=step,
                unit=lever.unit.symbol,
                compression_ratio=by_volume * step,
                quench_mm=slopes.quench * step,
            )
        )
    return tuple(rows)


def _is_untold(outcome: HoleResult) -> bool:
    """Whether one more mm off the crown goes into a dish of which nobody told the opening."""
    crown = outcome.areas.crown
    return crown.untold is not None and outcome.crown_cut >= crown.above_rim


def _milled(outcome: HoleResult, chamber: ChamberModel | None) -> float:
    """What one more mm of head cut takes, in cc; nought where that is not known."""
    if chamber is None:
        return 0.0
    try:
        return chamber.rate(outcome.head_cut)
    except NoAnswer:
        return 0.0
