"""What one step of each lever does to ratio and quench: the questions people ask."""

from __future__ import annotations

from typing import NamedTuple

from ..errors import NoAnswer
from ..units import THOU, to_base
from .chamber import ChamberModel
from .results import Outcome


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


def sensitivities(
    outcome: Outcome, chamber: ChamberModel, dish_area: float = 0.0, system: str = "mm"
) -> tuple[Sensitivity, ...]:
    """Return the effect of a step of each lever on one hole.

    Parameters
    ----------
    outcome : Outcome
        The hole in the state asked about.
    chamber : ChamberModel
        What milling takes from the chamber.
    dish_area : float
        Opening of the dish at the rim, in mm².
    system : {"mm", "inch"}
        Steps of 0.1 mm or of 5 thou.

    Returns
    -------
    tuple of Sensitivity
        Chamber, deck, head, gasket and crown; empty where there is no ratio, and
        without the head where what milling takes is not known.

    Notes
    -----
    dCR = −(CR − 1)/Vc · dVc.
    """
    if outcome.compression_ratio is None:
        return ()
    length, cc = steps_for(system)
    per_cc = -(outcome.compression_ratio - 1) / outcome.clearance
    rows = [
        Sensitivity("open_chamber", "chamber", cc, "cc", per_cc * cc, 0.0),
        Sensitivity(
            "deck_cut", "deck cut", length, "mm", -per_cc * outcome.bore_area / 1000 * length, -length
        ),
        Sensitivity("gasket", "gasket", length, "mm", per_cc * outcome.gasket_area / 1000 * length, length),
        Sensitivity(
            "crown_cut",
            "crown cut",
            length,
            "mm",
            per_cc * (outcome.bore_area - dish_area - outcome.land_area) / 1000 * length,
            length,
        ),
    ]
    try:
        rate = chamber.rate(outcome.head_cut)
    except NoAnswer:
        rate = 0.0
    if rate > 0:
        rows.insert(2, Sensitivity("head_cut", "head cut", length, "mm", -per_cc * rate * length, 0.0))
    return tuple(rows)
