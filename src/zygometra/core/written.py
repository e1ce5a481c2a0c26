"""Quantities that write themselves, to be put into sentences: each in the reader's unit, with its own digits."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

from .digits import figure, ratio_text, volume
from .wording import Reader, is_level

if TYPE_CHECKING:
    from .quantity import Quantity


class Length(NamedTuple):
    """A length in mm, with the standard uncertainty that decides its digits."""

    mm: float
    u: float = 0.0

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.length(self.mm, self.u)


class Both(NamedTuple):
    """A length that was set, in mm: written in both systems, the reader's first."""

    mm: float

    def written(self, reader: Reader) -> str:
        """Write it."""
        return f"{reader.limit(self.mm)} ({reader.length(self.mm, self.mm / 200, other=True)})"


class WrittenJudged(NamedTuple):
    """A length in mm beside the edge it is judged by: written so that the two read as they lie."""

    mm: float
    edge: float
    u: float = 0.0
    typed: bool = False

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.against(self.mm, self.edge, self.u, typed=self.typed)[0]


class WrittenEdge(NamedTuple):
    """The edge in mm that a length is judged by, in the length's unit."""

    mm: float
    judged: float
    u: float = 0.0
    typed: bool = False

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.against(self.judged, self.mm, self.u, typed=self.typed)[1]


def judged(
    mm: float, edge: float, u: float = 0.0, *, typed: bool = False
) -> tuple[WrittenJudged, WrittenEdge]:
    """Return a length and the edge it is judged by, to be put into one sentence.

    Parameters
    ----------
    mm, edge : float
        In mm.
    u : float
        Standard uncertainty of the length in mm.
    typed : bool
        True for a length that was set, and has the digits it was set with.
    """
    return WrittenJudged(mm, edge, u, typed), WrittenEdge(edge, mm, u, typed)


class Clearance(NamedTuple):
    """A deck clearance in mm: written as so much down, or proud."""

    mm: float
    u: float = 0.0

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.clearance(self.mm, self.u) + _may_be_level(self.mm, self.u)


def _may_be_level(mm: float, u: float) -> str:
    """What is added to a clearance whose doubt reaches the deck: its word stays."""
    return ", may be level" if u and not is_level(mm) and abs(mm) < _BAND * u else ""


# A normal band of 95 % in standard uncertainties.
_BAND = 1.96


class Proud(NamedTuple):
    """How far a piston stands out over the deck, in mm, and the edge that it is judged by if there is one."""

    mm: float
    u: float = 0.0
    edge: float = 0.0

    def written(self, reader: Reader) -> str:
        """Write it."""
        if self.edge:
            return f"{reader.against(self.mm, self.edge, self.u)[0]} proud"
        return reader.clearance(-self.mm, self.u) + _may_be_level(self.mm, self.u)


class Limit(NamedTuple):
    """A length in mm that somebody set: written with the digits it was set with."""

    mm: float

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.limit(self.mm)


class Span(NamedTuple):
    """From where to where something may be, in mm."""

    low: float
    high: float

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.span(self.low, self.high)


class Volume(NamedTuple):
    """A volume in cc."""

    cc: float

    def written(self, _reader: Reader) -> str:
        """Write it."""
        return volume(self.cc)


class Ratio(NamedTuple):
    """A compression ratio, with the standard uncertainty that decides its digits; no unit."""

    value: float
    u: float = 0.0

    def written(self, _reader: Reader) -> str:
        """Write it."""
        return ratio_text(self.value, self.u)


class Missed(NamedTuple):
    """By how much mm a window is missed: never by nought."""

    mm: float

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.against(abs(self.mm), 0.0, typed=True)[0]


class Number(NamedTuple):
    """A plain number with so many decimals."""

    value: float
    decimals: int = 0

    def written(self, _reader: Reader) -> str:
        """Write it."""
        return figure(self.value, self.decimals)


class AsTyped(NamedTuple):
    """A figure with the digits and in the unit in which it was typed."""

    quantity: Quantity

    def written(self, reader: Reader) -> str:
        """Write it."""
        return reader.quantity(self.quantity)
