"""Windows: what is wanted of a result, and the one judgement of a value against it."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from enum import StrEnum

# How far past an edge a value still counts as on it: the last bits of a sum, never a cut.
TOLERANCE = 1e-9


class Side(StrEnum):
    """Where an estimate lies against a window, its band counted where that is asked."""

    INSIDE = ""
    UNDER = "under"
    OVER = "over"
    MAY_BE_UNDER = "may be under"
    MAY_BE_OVER = "may be over"

    @property
    def outside(self) -> bool:
        """True where the value itself misses the window."""
        return self in (Side.UNDER, Side.OVER)

    @property
    def crosses(self) -> bool:
        """True where only its band reaches past an edge."""
        return self in (Side.MAY_BE_UNDER, Side.MAY_BE_OVER)


# Where a window comes from; hearsay alone turns nothing green.
WINDOW_SOURCES = ("maker", "book", "house", "customer", "hearsay")


@dataclass(frozen=True, slots=True)
class Window:
    """What is wanted of a result: least, aim, most; each may be open. In base units."""

    low: float | None = None
    aim: float | None = None
    high: float | None = None

    @property
    def is_open(self) -> bool:
        """True where nothing is asked."""
        return self.low is None and self.aim is None and self.high is None

    @property
    def is_bounded(self) -> bool:
        """True where there is an edge to miss."""
        return self.low is not None or self.high is not None

    @property
    def span(self) -> float | None:
        """From least to most; None where one of them is open, in the unit of its edges."""
        return None if self.low is None or self.high is None else self.high - self.low

    def miss(self, value: float) -> float:
        """Return by how much a value misses the window.

        Parameters
        ----------
        value : float
            In the window's unit.

        Returns
        -------
        float
            Negative below it, positive above it, nought inside or on an edge.

        Examples
        --------
        >>> Window(1.0, None, 1.4).miss(0.75), Window(high=1.4).miss(1.4)
        (-0.25, 0.0)
        """
        if self.low is not None and value < self.low - TOLERANCE:
            return value - self.low
        if self.high is not None and value > self.high + TOLERANCE:
            return value - self.high
        return 0.0

    def side(self, value: float, half: float = 0.0) -> Side:
        """Return where an estimate lies.

        Parameters
        ----------
        value : float
            In the window's unit.
        half : float
            Half-width of its band in the same unit; 0 to judge the value alone.

        Returns
        -------
        Side
            Outside where the value is, else by its band; under before over.

        Examples
        --------
        >>> str(Window(1.0, None, 1.4).side(1.05, 0.1)), str(Window(1.0).side(0.9))
        ('may be under', 'under')
        """
        by = self.miss(value)
        if by:
            return Side.UNDER if by < 0 else Side.OVER
        if half:
            if self.miss(value - half) < 0:
                return Side.MAY_BE_UNDER
            if self.miss(value + half) > 0:
                return Side.MAY_BE_OVER
        return Side.INSIDE

    def over_floor(self, floor: float) -> Window:
        """Return the window that reaches no lower than a floor.

        Parameters
        ----------
        floor : float
            In the window's unit.

        Returns
        -------
        Window
            Its aim and its most stay.
        """
        return replace(self, low=floor if self.low is None else max(floor, self.low))


# Nothing is asked.
OPEN = Window()


def worst_miss(value: float | None, window: Window) -> float:
    """Return by how much a result that may be missing misses a window.

    Parameters
    ----------
    value : float or None
        In the window's unit; None where there is no such result.
    window : Window
        What is wanted.

    Returns
    -------
    float
        As :meth:`Window.miss`; infinite where a window with edges has no value.
    """
    if value is None:
        return math.inf if window.is_bounded else 0.0
    return window.miss(value)
