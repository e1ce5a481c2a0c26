"""What milling a head face takes from a chamber, by the three ways of knowing it.

A known rate, the opening's area with its wall draft, or fills in steps. Each
gives the volume removed, its rate at that depth, and the cut for a wanted volume.
"""

# long: three models of one thing, and one of them begun, beside each other
from __future__ import annotations

import itertools
import math
from bisect import bisect_left
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any, Protocol

from msgspec import Struct

from ..errors import NoAnswer
from ..quantity import Quantity
from ..written import WrittenEdge, WrittenJudged
from .kernel import closing, milled_at_rate, milled_opening


class ChamberModel(Protocol):
    """Volume lost to a cut of the head face; ``deepest`` is how far that is known, in mm."""

    @property
    def deepest(self) -> float:
        """The deepest cut in mm of which it is known what it takes (trade.md 5)."""

    def removed(self, cut: float) -> float:
        """Return the volume in cc that a total cut in mm takes.

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """

    def rate(self, cut: float) -> float:
        """Return the loss in cc per further mm after a total cut in mm (trade.md 5).

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """

    def cut_for(self, volume: float) -> float:
        """Return the total cut in mm that takes a volume in cc (trade.md 5).

        Parameters
        ----------
        volume : float
            In cc.
        """


class RateChamber(Struct, frozen=True):
    """A known rate k: removed = k·h.

    Parameters
    ----------
    rate_cc_per_mm : float
        Loss in cc per mm of head cut.

    Notes
    -----
    removed = k·h: the definition of the rate.
    See trade.md 5.
    """

    rate_cc_per_mm: float

    @property
    def deepest(self) -> float:
        """A rate ends nowhere of itself; in mm (trade.md 5)."""
        return math.inf

    def removed(self, cut: float) -> float:
        """Return k·h in cc.

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        return float(milled_at_rate(self.rate_cc_per_mm, cut))

    def rate(self, cut: float) -> float:  # noqa: ARG002 - a straight wall loses the same at every depth
        """Return k in cc/mm (trade.md 5).

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        return self.rate_cc_per_mm

    def cut_for(self, volume: float) -> float:
        """Return volume/k in mm (trade.md 5).

        Parameters
        ----------
        volume : float
            In cc.

        Raises
        ------
        NoAnswer
            Where the rate is nought or less.
        """
        if self.rate_cc_per_mm <= 0:
            raise NoAnswer(NOT_KNOWN)
        return volume / self.rate_cc_per_mm


class DraftedChamber(Struct, frozen=True):
    """An opening of area A₀ and perimeter p whose wall closes at draft α.

    Parameters
    ----------
    opening_area : float
        A₀ in mm² at the uncut face.
    opening_perimeter : float
        p in mm.
    wall_draft : float
        α in degrees from the face's normal.

    Notes
    -----
    removed = A₀·h − ½·p·tan α·h², h from the face as it is today, so that two
    cuts take what one cut of their sum takes.
    See trade.md 5.

    Examples
    --------
    >>> chamber = DraftedChamber(3900, 236, 12)
    >>> round(chamber.cut_for(chamber.removed(0.889)), 12)
    0.889
    """

    opening_area: float
    opening_perimeter: float = 0.0
    wall_draft: float = 0.0

    @property
    def closing(self) -> float:
        """How fast the opening shrinks with depth: p·tan α, in mm² per mm."""
        return float(closing(self.opening_perimeter, self.wall_draft))

    @property
    def deepest(self) -> float:
        """Where the drafted walls meet: A₀/(p·tan α), in mm (trade.md 5)."""
        return self.opening_area / self.closing if self.closing > 0 else math.inf

    def removed(self, cut: float) -> float:
        """Return A₀·h − ½·p·tan α·h² in cc.

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        return float(milled_opening(self.opening_area, self.closing, cut))

    def rate(self, cut: float) -> float:
        """Return (A₀ − p·tan α·h) in cc/mm (trade.md 5).

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        return (self.opening_area - self.closing * cut) / 1000

    def cut_for(self, volume: float) -> float:
        """Return the smaller root of the removal, in mm (trade.md 5).

        Parameters
        ----------
        volume : float
            In cc.

        Raises
        ------
        NoAnswer
            Where the opening is not known, or closes before so much is taken.
        """
        if self.opening_area <= 0:
            raise NoAnswer(NOT_KNOWN)
        wanted = volume * 1000
        inside = self.opening_area**2 - 2 * self.closing * wanted
        if inside < 0:
            most = self.opening_area**2 / (2 * self.closing) / 1000
            raise NoAnswer(
                f"Milling can take at most {most:.2f} cc before the drafted walls of the chamber "
                f"meet; {volume:.2f} cc is wanted."
            )
        return 2 * wanted / (self.opening_area + math.sqrt(inside))


class StepFilledChamber(Struct, frozen=True):
    """Fills in steps: the volume that is left below each depth under the face.

    Parameters
    ----------
    depths : tuple of float
        mm under the face, rising from 0.
    volumes : tuple of float
        cc left below that depth, falling.

    Notes
    -----
    Between the steps a monotone cubic (Fritsch and Carlson, SciPy's
    ``PchipInterpolator``) keeps more cut from ever taking less.
    See trade.md 5.

    Examples
    --------
    >>> chamber = StepFilledChamber((0, 1, 2), (50, 46, 43))
    >>> chamber.removed(1.0), float(chamber.cut_for(4.0))
    (4.0, 1.0)
    """

    depths: tuple[float, ...]
    volumes: tuple[float, ...]

    @property
    def deepest(self) -> float:
        """The last step, in mm (trade.md 5)."""
        return self.depths[-1]

    def _curve(self) -> Any:
        return _through(self.depths, self.volumes)

    def _within(self, cut: float) -> None:
        if not self.depths[0] <= cut <= self.depths[-1]:
            raise NoAnswer(
                "The chamber was filled in steps down to {last} under the face; a cut of {cut} lies outside"
                " them. Fill a further step.",
                last=WrittenEdge(self.depths[-1], cut, 0.005),
                cut=WrittenJudged(cut, self.depths[-1], 0.005),
            )

    def removed(self, cut: float) -> float:
        """Return the interpolated loss in cc.

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        self._within(cut)
        return self.volumes[0] - float(self._curve()(cut))

    def rate(self, cut: float) -> float:
        """Return the slope of the interpolated loss in cc/mm (trade.md 5).

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        self._within(cut)
        return -float(self._curve()(cut, 1))

    def cut_for(self, volume: float) -> float:
        """Return the cut by a bracketed root between two steps, in mm (trade.md 5).

        Parameters
        ----------
        volume : float
            In cc.

        Raises
        ------
        NoAnswer
            Where more is asked than the steps reach.
        """
        from scipy.optimize import brentq

        lost = [self.volumes[0] - v for v in self.volumes]
        if not 0 <= volume <= lost[-1]:
            raise NoAnswer(
                f"The step fills reach {lost[-1]:.2f} cc of loss; {volume:.2f} cc is wanted. "
                "Fill a further step."
            )
        step = max(1, bisect_left(lost, volume))
        if lost[step] == volume:
            return self.depths[step]
        curve = self._curve()
        return float(
            brentq(
                lambda h: self.volumes[0] - float(curve(h)) - volume,
                self.depths[step - 1],
                self.depths[step],
                xtol=1e-13,
                rtol=1e-14,
            )
        )

    def slopes(self, cut: float) -> list[tuple[float, float]]:
        """Return what each fill moves in the loss at a cut, for its doubt to travel along.

        Parameters
        ----------
        cut : float
            Depth h in mm, within the steps.

        Returns
        -------
        list of tuple of float
            Per fill: cc per mm of its depth, and cc per cc of its volume. Nought at the
            uncut face, where nothing is lost whatever the fills were.

        Notes
        -----
        Central differences of the interpolation, a ten-thousandth of a step wide: the
        doubt at a cut is interpolated as the volume is.
        See trade.md 5.
        """
        return list(_slopes(self.depths, self.volumes, cut))


class BegunChamber(Struct, frozen=True):
    """A chamber filled in steps of which some was milled since: depths count from the face as it is now.

    Parameters
    ----------
    full : StepFilledChamber
        As it was filled.
    begun : float
        What came off since, in mm.

    Notes
    -----
    removed(h) = full(begun + h) − full(begun).
    See trade.md 5.
    """

    full: StepFilledChamber
    begun: float

    @property
    def deepest(self) -> float:
        """What the steps still reach, in mm (trade.md 5)."""
        return max(self.full.deepest - self.begun, 0.0)

    def removed(self, cut: float) -> float:
        """Return the loss in cc.

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        return self.full.removed(self.begun + cut) - self.full.removed(self.begun)

    def rate(self, cut: float) -> float:
        """Return the slope of the loss in cc/mm (trade.md 5).

        Parameters
        ----------
        cut : float
            Depth h in mm.
        """
        return self.full.rate(self.begun + cut)

    def cut_for(self, volume: float) -> float:
        """Return the cut that takes a volume, in mm (trade.md 5).

        Parameters
        ----------
        volume : float
            In cc.
        """
        return self.full.cut_for(volume + self.full.removed(self.begun)) - self.begun

    def slopes(self, cut: float) -> list[tuple[float, float]]:
        """Return what each fill moves in the loss at a cut.

        Parameters
        ----------
        cut : float
            Depth h in mm.

        Returns
        -------
        list of tuple of float
            As :meth:`StepFilledChamber.slopes`.
        """
        before, after = self.full.slopes(self.begun), self.full.slopes(self.begun + cut)
        return [(a - b, c - d) for (a, c), (b, d) in zip(after, before, strict=True)]


# All holes of a build have the same fills, and most of them the same cut.
@lru_cache(maxsize=64)
def _through(depths: tuple[float, ...], volumes: tuple[float, ...]) -> Any:
    from scipy.interpolate import PchipInterpolator

    return PchipInterpolator(depths, volumes, extrapolate=True)


@lru_cache(maxsize=256)
def _slopes(
    depths: tuple[float, ...], volumes: tuple[float, ...], cut: float
) -> tuple[tuple[float, float], ...]:
    import numpy as np
    from scipy.interpolate import PchipInterpolator

    def lost(at: Any, below: Any) -> Any:
        return below[0] - PchipInterpolator(at, below, extrapolate=True)(cut)

    near = 1e-4 * min(b - a for a, b in itertools.pairwise(depths))
    near_volume = 1e-4 * min(a - b for a, b in itertools.pairwise(volumes))
    x, y, one = np.array(depths), np.array(volumes), np.eye(len(depths))
    # The volumes together, a column for each that is a little more; the depths one by one.
    more, less = (lost(x, y[:, None] + by * one) for by in (near_volume, -near_volume))
    by_volume = (more - less) / (2 * near_volume)
    by_depth = [(lost(x + near * step, y) - lost(x - near * step, y)) / (2 * near) for step in one]
    return tuple((float(a), float(b)) for a, b in zip(by_depth, by_volume, strict=True))


def fill_slopes(
    model: ChamberModel, cut: float, fills: Sequence[tuple[Quantity, Quantity]]
) -> Iterator[tuple[str, float, Quantity]]:
    """Yield by how much what milling takes moves with each fill that is in doubt.

    Parameters
    ----------
    model : ChamberModel
        Of a head that was filled in steps; of any other there is nothing to yield.
    cut : float
        Depth h in mm.
    fills : sequence
        Depth in mm and volume in cc of each.

    Yields
    ------
    tuple
        The place of the figure, cc per its base unit, and the figure.

    Notes
    -----
    Slopes of the monotone interpolation between the steps (trade.md 5).
    """
    if not isinstance(model, StepFilledChamber | BegunChamber):
        return
    for i, (fill, by) in enumerate(zip(fills, model.slopes(cut), strict=True)):
        for name, quantity, slope in zip(("depth", "below"), fill, by, strict=True):
            if quantity.u > 0 and slope:
                yield f"parts.head.step_fills.{i}.{name}", slope, quantity


NOT_KNOWN = (
    "What a head cut takes from the chamber is not known: give the chamber's opening area, "
    "a known loss per mm, or fills in steps."
)
