"""What an evaluation gives: results of a hole, of a bank, of the engine, each with its doubt."""

from __future__ import annotations

import math
from typing import NamedTuple

from ..build.model import Operation
from ..quantity import Quantity
from ..student import band_factor
from .slopes import Areas


class Source(NamedTuple):
    """A figure that was used, and the place it came from.

    ``shared_by`` names the place whose holes alone share its doubt, where those are fewer than share the
    figure: each bank was machined by itself to one height on paper. Empty where doubt goes with the figure.
    """

    path: str
    quantity: Quantity
    shared_by: str = ""

    @property
    def doubt_key(self) -> str:
        """What names its doubt: figures with one key share it."""
        return self.shared_by or self.path


# One source's doubt and the slopes of the results on it: key (a place, or what readings share),
# u, degrees of freedom, whether it differs part to part; then clearance and quench (mm), swept,
# clearance and trapped volume (cc), each per base unit of the source; the scatter it rests on
# (pooled readings have one for all of them; None: by itself), and whether it is rectangular.
Contribution = tuple[str, float, float, bool, float, float, float, float, float, str | None, bool]


class Terms(NamedTuple):
    """What the clearance volume is made of, in cc."""

    chamber: float | None
    gasket: float | None
    deck: float | None
    crown: float | None
    crevice: float | None
    other: float | None


class Spread(NamedTuple):
    """The doubt of one result: u, effective degrees of freedom, largest rectangular share of u²."""

    u: float
    dof: float = math.inf
    rectangular: float = 0.0

    @property
    def half(self) -> float:
        """Half of the 95 % band; nought where there is no doubt."""
        return band_factor(self.dof, self.rectangular) * self.u if self.u else 0.0


def spread_of(quantity: Quantity) -> Spread:
    """Return u, degrees of freedom and the rectangular share of one figure by itself.

    Parameters
    ----------
    quantity : Quantity
        Measured, or as typed.

    Returns
    -------
    Spread
        In the figure's base unit.
    """
    square = quantity.u * quantity.u
    flat = max((t.u * t.u for t in quantity.terms if t.rectangular), default=0.0)
    if not quantity.terms and quantity.rectangular:
        flat = square
    return Spread(quantity.u, quantity.dof, flat / square if square else 0.0)


class Doubts(NamedTuple):
    """The doubt of each result of one hole."""

    deck_clearance: Spread
    quench: Spread
    swept: Spread
    clearance: Spread
    compression_ratio: Spread
    effective: Spread


class Outcome(NamedTuple):
    """The results of one hole in one state.

    Lengths in mm, volumes in cc. A result is None where a figure that it needs is not
    known; ``compression_ratio`` and ``effective`` also where the volumes leave no room above
    the piston. The doubt of an unknown result is not a number. ``beyond`` names the cuts that
    go on past the end of what they cut: "head", "crown" or "deck".
    """

    deck_clearance: float | None
    quench: float | None
    swept: float | None
    clearance: float | None
    compression_ratio: float | None
    effective: float | None
    terms: Terms
    doubts: Doubts
    contributions: tuple[Contribution, ...]
    gasket_thickness: float | None
    areas: Areas
    head_cut: float
    crown_cut: float
    deck_cut: float
    beyond: frozenset[str]

    @property
    def bore_area(self) -> float:
        """The bore's area in mm²."""
        return self.areas.bore

    @property
    def gasket_area(self) -> float:
        """The gasket opening's area in mm²."""
        return self.areas.gasket

    @property
    def land_area(self) -> float:
        """The ring around the top land in mm²; nought where it is not known."""
        return self.areas.ring


class Hole(NamedTuple):
    """One hole: where it is, which figures were used, what they give."""

    number: int
    bank: str
    sources: dict[str, Source]
    cuts: tuple[tuple[str, Operation], ...]
    outcome: Outcome


class DeckLine(NamedTuple):
    """Least-squares line of a bank's deck clearances along the bank."""

    bank: str
    slope_mm_per_m: float | None
    first_cylinder_mm: float | None
    residuals_mm: tuple[float | None, ...]


class State(NamedTuple):
    """The engine as it stands, or as it will stand once cut."""

    displacement_cc: float | None
    displacement_u: float
    rod_ratio: float | None
    rod_ratio_u: float
    holes: tuple[Hole, ...]
    decks: tuple[DeckLine, ...]

    def hole(self, number: int) -> Hole:
        """Return the hole of a number.

        Parameters
        ----------
        number : int
            Number of a hole; no unit.
        """
        return next(hole for hole in self.holes if hole.number == number)


class Evaluation(NamedTuple):
    """Both states of a build."""

    now: State
    planned: State


def ratio_slope(outcome: Outcome, item: Contribution) -> float:
    """Return the slope of the ratio on one source, per base unit of the source.

    Parameters
    ----------
    outcome : Outcome
        With a ratio.
    item : Contribution
        One of its contributions.

    Returns
    -------
    float
        dCR/dx = (dVs − (CR − 1)·dVc)/Vc.
    """
    if outcome.compression_ratio is None or outcome.clearance is None:
        return 0.0
    swept, volume = item[6], item[7]
    return (swept - (outcome.compression_ratio - 1) * volume) / outcome.clearance
