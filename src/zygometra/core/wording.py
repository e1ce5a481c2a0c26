"""How a reader reads a figure: in which unit, with which word, the other unit beside it.

The digits themselves are written in :mod:`zygometra.core.digits`.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Literal

from msgspec import Struct

from .digits import MINUS, MOST_DECIMALS, UNKNOWN, decimals_apart, decimals_for, figure, typed_decimals
from .sentence import read_files_as
from .units import INCH, MM, THOU, Kind, Unit, from_base

if TYPE_CHECKING:
    from .quantity import Quantity

THOU_BELOW = 5.0
# So near the deck a piston stands level with it, in mm; the last bits of a sum beside it.
LEVEL_WITHIN, _HAIR = 0.01, 1e-9
System = Literal["mm", "inch"]
SYSTEMS: tuple[System, ...] = ("mm", "inch")


def is_level(mm: float) -> bool:
    """Tell whether a deck clearance is level.

    Parameters
    ----------
    mm : float
        In mm.

    Examples
    --------
    >>> is_level(-0.01), is_level(0.011)
    (True, False)
    """
    return abs(mm) <= LEVEL_WITHIN + _HAIR


class Reader(Struct, frozen=True):
    """Who reads: which system comes first, and the shop's words.

    Parameters
    ----------
    system : {"mm", "inch"}
        The system written first.
    quench, deck, pin : str
        The shop's word for each.
    """

    system: System = "mm"
    quench: str = "quench"
    deck: str = "deck"
    pin: str = "wrist pin"

    def length_unit(self, mm: float, *, other: bool = False) -> Unit:
        """Return the unit a length is written in: thou for what is small, in inches.

        Parameters
        ----------
        mm : float
            The length in mm.
        other : bool
            True for the unit that the reader does not read first.
        """
        if (self.system == "mm") != other:
            return MM
        return THOU if abs(mm) < THOU_BELOW else INCH

    def length(self, mm: float | None, u: float = 0.0, *, other: bool = False, sign: bool = True) -> str:
        """Return a length with its unit, such as ``0.31 mm`` or ``12.2 thou``.

        Parameters
        ----------
        mm : float or None
            The length in mm; None where it is not known.
        u : float
            Standard uncertainty in mm; it decides the digits.
        other : bool
            True for the unit that the reader does not read first.
        sign : bool
            False to leave the sign out.
        """
        if mm is None or math.isnan(mm):
            return UNKNOWN
        number, symbol = self.length_parts(mm, u, other=other)
        return f"{number if sign else number.lstrip(MINUS)} {symbol}"

    def short(self, mm: float) -> str:
        """Return a nominal length without its unit, as people name a stack: ``148``, ``34.2``, ``1.35``.

        Parameters
        ----------
        mm : float
            The length in mm.
        """
        number, decimals = (mm, 1) if self.system == "mm" else (from_base(mm, INCH), 2)
        return figure(number, decimals).removesuffix(".0")

    def limit(self, mm: float) -> str:
        """Return a limit that was set, with the digits it was set with: ``0.90 mm``, ``38 thou``.

        Parameters
        ----------
        mm : float
            The length in mm.
        """
        unit = self.length_unit(mm)
        number = from_base(mm, unit)
        least = 2 if unit is MM else 0
        digits = max(least, min(MOST_DECIMALS[unit.symbol], typed_decimals(number)))
        return f"{figure(number, digits)} {unit.symbol}"

    def span(self, low: float, high: float) -> str:
        """Return from where to where something may be, the unit written once where it is one: ``0.20 to 8.00 mm``.

        Parameters
        ----------
        low, high : float
            In mm.
        """
        first, last = self.limit(low), self.limit(high)
        number, _, symbol = first.partition(" ")
        return f"{number} to {last}" if last.endswith(f" {symbol}") else f"{first} to {last}"

    def against(self, mm: float, edge: float, u: float = 0.0, *, typed: bool = False) -> tuple[str, str]:
        """Return a length and an edge that it is judged by, in one unit, so that they read as they lie.

        Parameters
        ----------
        mm, edge : float
            In mm.
        u : float
            Standard uncertainty of the length in mm; it decides its digits.
        typed : bool
            True for a length that was set, and has the digits it was set with.

        Returns
        -------
        tuple of str
            Never ``0.90 mm`` where it is under an edge of ``0.90 mm``.

        Examples
        --------
        >>> Reader().against(0.8996, 0.9, 0.02), Reader("inch").against(0.8997, 0.9)
        (('0.8996 mm', '0.90 mm'), ('35.42 thou', '35.43 thou'))
        """
        unit = self.length_unit(edge)
        number, limit = from_base(mm, unit), from_base(edge, unit)
        most = MOST_DECIMALS[unit.symbol]
        least = 2 if unit is MM else 0
        of_number, of_limit = (max(least, min(most, typed_decimals(value))) for value in (number, limit))
        if not typed:
            of_number = decimals_for(from_base(u, unit), most)
        of_number, of_limit = decimals_apart(number, limit, (of_number, of_limit))
        return f"{figure(number, of_number)} {unit.symbol}", f"{figure(limit, of_limit)} {unit.symbol}"

    def length_parts(self, mm: float, u: float = 0.0, *, other: bool = False) -> tuple[str, str]:
        """Return a length's figures and its unit apart.

        Parameters
        ----------
        mm : float
            The length in mm.
        u : float
            Standard uncertainty in mm; it decides the digits.
        other : bool
            True for the unit that the reader does not read first.
        """
        unit = self.length_unit(mm, other=other)
        decimals = decimals_for(from_base(u, unit), MOST_DECIMALS[unit.symbol])
        return figure(from_base(mm, unit), decimals), unit.symbol

    def clearance(self, mm: float | None, u: float = 0.0, *, other: bool = False) -> str:
        """Return a deck clearance in words: ``0.31 mm down``, ``0.12 mm proud``, ``level`` within 0.01 mm of it.

        However wide its doubt, beyond that it keeps its word.

        Parameters
        ----------
        mm : float or None
            The length in mm; None where it is not known.
        u : float
            Standard uncertainty in mm; it decides the digits.
        other : bool
            True for the unit that the reader does not read first.
        """
        if mm is None or math.isnan(mm):
            return UNKNOWN
        if is_level(mm):
            return f"level with the {self.deck}"
        unit = self.length_unit(mm, other=other)
        most = MOST_DECIMALS[unit.symbol]
        number = abs(from_base(mm, unit))
        digits, _ = decimals_apart(number, 0.0, (decimals_for(from_base(u, unit), most), 0))
        return f"{figure(number, digits)} {unit.symbol} {'down' if mm > 0 else 'proud'}"

    def quantity(self, quantity: Quantity) -> str:
        """Return a figure in the unit it was typed in.

        Parameters
        ----------
        quantity : Quantity
            The figure.
        """
        unit = quantity.unit
        most = MOST_DECIMALS.get(unit.symbol, 3)
        if quantity.doubt == "readings" or quantity.is_as_cut:
            decimals = decimals_for(from_base(quantity.u, unit), most)
        else:
            decimals = typed_decimals(quantity.number, 9)
        text = figure(quantity.number, decimals)
        return f"{text} {'°' if unit.symbol == 'deg' else unit.symbol}".replace(" °", "°")

    def beside(self, quantity: Quantity) -> str:
        """Return a length in the system it was not typed in; nothing for other kinds, in the reader's unit.

        Parameters
        ----------
        quantity : Quantity
            The figure.
        """
        if quantity.kind is not Kind.LENGTH:
            return ""
        inches = quantity.unit.symbol in ("in", "thou", "tenth")
        unit = MM if inches else THOU if abs(quantity.value) < THOU_BELOW else INCH
        number = figure(from_base(quantity.value, unit), MOST_DECIMALS[unit.symbol])
        return f"{number} {unit.symbol}"

    def band(self, mm: float) -> str:
        """Return the half-width of a band in the reader's unit, at one or two digits.

        Parameters
        ----------
        mm : float
            The length in mm.
        """
        unit = self.length_unit(0.0)
        value = from_base(mm, unit)
        return f"{figure(value, decimals_for(value, MOST_DECIMALS[unit.symbol]))} {unit.symbol}"


read_files_as(Reader())
